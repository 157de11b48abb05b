"""A real Linux kernel in user space, with sparse disks: md and device mapper where this kernel has none."""

import contextlib
import os
import re
import secrets
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import NamedTuple

HERE = Path(__file__).parent


class Hangs(AssertionError):
    """The kernel did not end in time; it says what it had printed, and what was going on."""


MODULES = Path("/usr/lib/uml/modules")


class Still(NamedTuple):
    """Until it is given up: so long nothing was printed, and no more ticks of the processor used."""

    seconds: float
    ticks: int


# One that stops for good does next to nothing; a script that waits starts a sleep each second. Whoever is
# given up too soon has a second run, in which only nothing at all counts.
AT_FIRST, AT_LAST = Still(150.0, 300), Still(240.0, 30)
# A busy machine gives each of those that run at once a small part of itself: what one may take is counted in
# the processor's time, and by the clock only after so many times as long.
BY_THE_CLOCK = 3


def can_run() -> bool:
    """Whether the kernel, its modules and mdadm are here, and a compiler where this processor asks for one."""
    tools = ("linux.uml", "mdadm", "dmsetup", *(("cc",) if _has_tiles() else ()))
    return all(map(shutil.which, tools)) and MODULES.is_dir()


def can_start_whole() -> bool:
    """Whether a whole system can start over it: systemd and udev are here, too."""
    return can_run() and Path("/lib/systemd/systemd").exists() and bool(shutil.which("udevadm"))


class Whole:
    """A box that starts more than once: its system disk and its others keep what was written to them."""

    def __init__(self, work: Path, sizes: Sequence[int]) -> None:
        self.work = work
        self.disks = {n: work / f"d{n}" for n in range(len(sizes) + 1)}  # the first is the system's
        self.new_system()
        for n, size in enumerate(sizes, 1):
            with self.disks[n].open("wb") as file:
                file.truncate(size)

    def new_system(self) -> None:
        """Its boot device is lost, and another one is there: a fresh system, as it was installed."""
        with self.disks[0].open("wb") as file:
            file.truncate(3 * 10**9)

    def start(self, script: str, without: Sequence[int] = (), seconds: int = 600) -> str:
        """Starts it, these disks (from 1) pulled out; what the script, run as root once it is up, prints."""
        (self.work / "out.txt").unlink(missing_ok=True)
        there = {n: disk for n, disk in self.disks.items() if n not in without}
        return _twice(script, there, self.work, seconds, "boot.sh")


def run(script: str, sizes: Sequence[int], work: Path, seconds: int = 700) -> str:
    """What a shell script prints as root in it, over disks /dev/ubda, /dev/ubdb ... of these bytes.

    The disks do not outlive it: those of a few tests fill a machine's own.
    """
    disks = {n: work / f"d{n}" for n in range(len(sizes))}
    try:
        for n, size in enumerate(sizes):
            with disks[n].open("wb") as file:
                file.truncate(size)
        return _twice(script, disks, work, seconds, "init.sh")
    finally:
        for disk in disks.values():
            disk.unlink(missing_ok=True)


def _twice(script: str, disks: Mapping[int, Path], work: Path, seconds: int, init: str) -> str:
    """This kernel sometimes stops for good, once in some hundred runs: nothing of ours hangs twice in a row.

    The second run begins where the first did: what that one left in the job's folder and on the disks is not
    there any more. It keeps to no processor: two that did, one after the other, have turned in a circle.
    """
    with tempfile.TemporaryDirectory(dir=work.parent) as before:
        _copied(work, Path(before))
        try:
            return _start(script, disks, work, seconds, init, AT_FIRST, keeps=True)
        except Hangs as error:
            print(f"once more, for {error}", file=sys.stderr)
        shutil.rmtree(work)
        work.mkdir()
        _copied(Path(before), work)
    return _start(script, disks, work, seconds, init, AT_LAST, keeps=False)


def _copied(source: Path, target: Path) -> None:
    """With its disks, of which only what was written takes room."""
    subprocess.run(["cp", "-a", "--sparse=auto", f"{source}/.", target], check=True)


def _start(
    script: str,
    disks: Mapping[int, Path],
    work: Path,
    seconds: int,
    init: str,
    still: Still,
    *,
    keeps: bool,
) -> str:
    version = next(p for p in MODULES.iterdir() if p.is_dir())
    modules = work / "mod" / "lib" / "modules"
    if not modules.exists():
        modules.mkdir(parents=True)
        (modules / version.name).symlink_to(version)
    (work / "job.sh").write_text(script, encoding="utf-8")
    shutil.copy(HERE / init, work / init)
    shutil.copy(HERE / "cheap.sh", work)
    (work / init).chmod(0o755)
    command = ["taskset", "--cpu-list", str(_least_used())] if keeps else []
    command += ["linux.uml", "mem=512M", "rootfstype=hostfs", "rootflags=/", "ro"]
    command += [
        f"init={work / init}",
        f"jobdir={work}",
        f"patience={seconds * BY_THE_CLOCK}",
        "selinux=0",
        "audit=0",
        "con=null",
        "con0=null,fd:1",
    ]
    command += [
        f"umid=t{secrets.token_hex(4)}",
        "quiet",
        *(f"ubd{n}={d}" for n, d in disks.items()),
    ]
    out = work / "out.txt"
    boot = work / "boot.txt"
    with boot.open("wb") as said:
        kernel = subprocess.Popen(
            command,
            stdin=subprocess.DEVNULL,
            stdout=said,
            stderr=subprocess.STDOUT,
            start_new_session=True,
            env={
                **_tiles(work),
                "HOME": str(work),
                "TMPDIR": "/dev/shm",
                "PATH": "/usr/sbin:/usr/bin:/sbin:/bin",
            },
        )
    try:
        _wait(kernel, seconds, out, still)
    except subprocess.TimeoutExpired:
        so_far = out.read_text(encoding="utf-8", errors="replace") if out.exists() else ""
        hangs = work / "hangs.txt"
        why = hangs.read_text(encoding="utf-8", errors="replace") if hangs.exists() else "nothing"
        why += f"\nand from outside: {_seen(kernel.pid)}"
        raise Hangs(
            f"not done within {seconds} s of the processor and {seconds * BY_THE_CLOCK} s, or still for"
            f" {still.seconds:g} s; it had said {so_far[-2000:]!r}\n"
            f"and what hangs: {why}"
        ) from None
    finally:
        # It is several processes: what outlives the first keeps the disks locked for the next kernel.
        with contextlib.suppress(ProcessLookupError):
            os.killpg(kernel.pid, signal.SIGKILL)
        kernel.wait()
    assert out.exists(), boot.read_text(encoding="utf-8", errors="replace")
    return out.read_text(encoding="utf-8", errors="replace")


def _least_used() -> int:
    """The processor on which the fewest of these kernels run.

    A kernel and the processes in it take turns: to wake one on another processor costs a fifth more in all.
    """
    taken = Counter[int]()
    for stat in Path("/proc").glob("[0-9]*/stat"):
        with contextlib.suppress(OSError):
            pid, name, rest = re.split(r" \((.*)\) ", stat.read_text(), maxsplit=1)
            if name == "linux.uml" and rest.split()[2] == pid:  # the first of its group
                taken.update(os.sched_getaffinity(int(pid)))
    return min(os.sched_getaffinity(0), key=lambda n: (taken[n], n))


def _has_tiles() -> bool:
    """Whether this processor has tile registers, of which the kernel in user space knows nothing."""
    return " amx_tile" in Path("/proc/cpuinfo").read_text(encoding="utf-8")


def _tiles(work: Path) -> dict[str, str]:
    """What has it set all registers of such a processor; see `xstate.c`."""
    if not _has_tiles():
        return {}
    library = work / "xstate.so"
    make = ["cc", "-O2", "-shared", "-fPIC", "-o", str(library), str(HERE / "xstate.c")]
    subprocess.run(make, check=True)
    return {"LD_PRELOAD": str(library)}


def _wait(kernel: subprocess.Popen[bytes], seconds: float, out: Path, still: Still) -> None:
    """Until it ends; raises TimeoutExpired when its time is up, or when it has done nothing for a while."""
    end, most = time.monotonic() + seconds * BY_THE_CLOCK, seconds * os.sysconf("SC_CLK_TCK")
    moved, ticks, printed = time.monotonic(), 0, 0
    while True:
        try:
            kernel.wait(2)
            return
        except subprocess.TimeoutExpired:
            now, used = time.monotonic(), _ticks(kernel.pid)
            size = out.stat().st_size if out.exists() else 0
            if used > ticks + still.ticks or size > printed:
                moved, ticks, printed = now, used, size
            if now > end or used > most or now - moved > still.seconds:
                raise


def _ticks(group: int) -> int:
    """CPU time of a process group so far, in the system's ticks. Source: proc(5)."""
    return sum(sum(map(int, fields[11:15])) for _, fields in _processes(group))


def _processes(group: int) -> Iterator[tuple[Path, list[str]]]:
    """Of a process group: each one's folder in /proc, and what its `stat` says after its name."""
    for stat in Path("/proc").glob("[0-9]*/stat"):
        with contextlib.suppress(OSError):
            fields = stat.read_text().rpartition(")")[2].split()
            if int(fields[2]) == group:
                yield stat.parent, fields


def _seen(group: int) -> str:
    """What each process of a kernel that stands still waits for: it tells where that stopped for good."""
    told = []
    for folder, fields in _processes(group):
        with contextlib.suppress(OSError):
            signals = [
                " ".join(line.split())
                for line in (folder / "status").read_text().splitlines()
                if line.startswith(("TracerPid", "SigPnd", "ShdPnd", "SigBlk"))
            ]
            asked = (folder / "syscall").read_text().split()[:3]
            timers = (folder / "timers").read_text().split("\n")
            used = f"ticks {int(fields[11]) + int(fields[12])}"
            told.append(f"{folder.name} {fields[0]} {used} {' '.join([*signals, *asked, *timers])}")
    return "\n".join([*told, *_where(group)])


def _where(kernel: int) -> Iterator[str]:
    """Of one that turns in a circle: a few times where it is, and what is on its stack.

    `/proc/kallsyms` of any such kernel has the names of these addresses.
    """
    if not shutil.which("gdb"):
        return
    asked = ["gdb", "-q", "-batch", "-p", str(kernel), "-ex", "p/x $rip", "-ex", "x/40gx $rsp"]
    for _ in range(4):
        with contextlib.suppress(subprocess.TimeoutExpired):
            done = subprocess.run(asked, capture_output=True, text=True, timeout=20, check=False)
            words = re.findall(r"\b0x0*6[0-9a-f]{7}\b", done.stdout)
            yield f"at {' '.join(dict.fromkeys(words))}"
        time.sleep(0.3)
