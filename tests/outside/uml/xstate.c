/*
 * User-mode-linux sets a process' vector registers by PTRACE_SETREGSET with room for AVX-512. Processors with
 * tile registers (AMX) have more of them, and Linux takes the whole set or none: its first process is killed
 * with EFAULT. This stands before the C library's ptrace: what the kernel leaves out is handed in as unused.
 *
 * Source: Intel SDM, volume 1, chapter 13 (XSAVE); Linux, arch/x86/kernel/fpu/regset.c, xstateregs_set().
 */
#define _GNU_SOURCE
#include <elf.h>
#include <errno.h>
#include <stdarg.h>
#include <string.h>
#include <sys/ptrace.h>
#include <sys/syscall.h>
#include <sys/uio.h>
#include <unistd.h>

#ifndef NT_X86_XSTATE
#define NT_X86_XSTATE 0x202
#endif
#define MOST 65536
#define STATE_BV 512   /* which parts of the area hold something, 8 bytes */
#define HEADER_END 576 /* of the oldest part and the header */

static char area[MOST] __attribute__((aligned(64)));

static long set_whole(pid_t pid, const struct iovec *given)
{
	struct iovec whole = { area, MOST };
	unsigned long long holds;

	/* How long the set of this machine is. */
	if (syscall(SYS_ptrace, PTRACE_GETREGSET, pid, (void *)NT_X86_XSTATE, &whole) < 0)
		return -1;
	if (given->iov_len >= whole.iov_len || given->iov_len < HEADER_END)
		return syscall(SYS_ptrace, PTRACE_SETREGSET, pid, (void *)NT_X86_XSTATE, given);
	memset(area, 0, whole.iov_len);
	memcpy(area, given->iov_base, given->iov_len);
	memcpy(&holds, area + STATE_BV, sizeof holds);
	holds &= ~(3ULL << 17); /* tiles: their parts begin after all that was given */
	memcpy(area + STATE_BV, &holds, sizeof holds);
	return syscall(SYS_ptrace, PTRACE_SETREGSET, pid, (void *)NT_X86_XSTATE, &whole);
}

long ptrace(enum __ptrace_request request, ...)
{
	va_list rest;
	pid_t pid;
	void *addr, *data;
	long value, result;

	va_start(rest, request);
	pid = va_arg(rest, pid_t);
	addr = va_arg(rest, void *);
	data = va_arg(rest, void *);
	va_end(rest);
	if (request == PTRACE_SETREGSET && addr == (void *)NT_X86_XSTATE)
		return set_whole(pid, data);
	if (request == PTRACE_PEEKTEXT || request == PTRACE_PEEKDATA || request == PTRACE_PEEKUSER) {
		result = syscall(SYS_ptrace, request, pid, addr, &value);
		if (result < 0)
			return result;
		errno = 0;
		return value;
	}
	return syscall(SYS_ptrace, request, pid, addr, data);
}
