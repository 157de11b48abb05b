#!/bin/bash
# First process of the kernel in user space. The machine's root is mounted read-only; only the job's folder is writable.
export PATH=/usr/sbin:/usr/bin:/sbin:/bin HOME=/root
mount -t proc proc /proc; mount -t sysfs sys /sys; mount -t tmpfs tmpfs /run; mount -t tmpfs tmpfs /mnt; mount -t devtmpfs dev /dev
mkdir -p /run/lock /run/mdadm /run/lvm /mnt/job
jobdir=$(tr ' ' '\n' </proc/cmdline | sed -n 's/^jobdir=//p')
mount -t hostfs none /mnt/job -o "$jobdir"
exec </dev/null >/mnt/job/out.txt 2>&1
for module in md-mod raid456 raid1 raid10 dm-mod; do modprobe -d /mnt/job/mod "$module"; done
# What goes on when it is about to be given up: without it a test that hangs says nothing.
patience=$(tr ' ' '\n' </proc/cmdline | sed -n 's/^patience=//p')
(
  sleep $((patience - 20))
  { ps -eo pid,ppid,stat,wchan:30,args; for one in /proc/[0-9]*; do echo "$one"; cat "$one/stack"; done; dmesg; } \
    >/mnt/job/hangs.txt 2>&1
) &
bash /mnt/job/job.sh
sync; echo o >/proc/sysrq-trigger; sleep 5
