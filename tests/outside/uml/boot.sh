#!/bin/bash
# First process of a kernel in user space that goes on to start the whole system: systemd and udev as Debian has
# them. The system disk, the first one, is a layer over the machine's root: what is changed outlives the start,
# and the machine itself is never written to.
export PATH=/usr/sbin:/usr/bin:/sbin:/bin HOME=/root
mount -t proc proc /proc; mount -t devtmpfs dev /dev; mount -t tmpfs tmpfs /mnt
jobdir=$(tr ' ' '\n' </proc/cmdline | sed -n 's/^jobdir=//p')
for module in overlay; do modprobe -d "$jobdir/mod" $module; done
mkdir -p /mnt/system /mnt/root
blkid /dev/ubda >/dev/null || mkfs.ext4 -q /dev/ubda
mount /dev/ubda /mnt/system
mkdir -p /mnt/system/up /mnt/system/work
mount -t overlay overlay -o lowerdir=/,upperdir=/mnt/system/up,workdir=/mnt/system/work /mnt/root
root=/mnt/root
mkdir -p $root/job
mount -t hostfs none $root/job -o "$jobdir"
if [ ! -e $root/etc/installed ]; then
  # A fresh system: nothing of this machine's own starts in it but what every system has.
  rm -rf $root/etc/rc?.d $root/etc/systemd/system/*.wants $root/etc/systemd/system/*.requires $root/srv/*
  mkdir -p $root/etc/systemd/system/multi-user.target.wants $root/lib/modules
  for one in apt-daily apt-daily-upgrade dpkg-db-backup man-db e2scrub_all fstrim logrotate exim4-base; do
    ln -s /dev/null $root/etc/systemd/system/$one.timer
  done
  # Names of things that are not there cost each start their time.
  for one in systemd-timesyncd getty@tty1 console-getty serial-getty@ systemd-networkd-wait-online; do
    ln -s /dev/null $root/etc/systemd/system/$one.service
  done
  # Nor does anybody sit at it, run what is not of Linux, or ask who was on when: half of a start's time.
  for one in systemd-logind systemd-binfmt systemd-update-utmp systemd-update-utmp-runlevel; do
    ln -s /dev/null $root/etc/systemd/system/$one.service
  done
  for one in kmod-static-nodes systemd-random-seed systemd-sysusers modprobe@loop; do
    ln -s /dev/null $root/etc/systemd/system/$one.service
  done
  for one in proc-sys-fs-binfmt_misc.automount dev-mqueue.mount dev-hugepages.mount \
    sys-kernel-debug.mount sys-kernel-tracing.mount; do
    ln -s /dev/null $root/etc/systemd/system/$one
  done
  mkdir -p $root/etc/systemd/system/systemd-udev-trigger.service.d
  cat >$root/etc/systemd/system/systemd-udev-trigger.service.d/its-disks.conf <<'UNIT'
[Service]
ExecStart=
ExecStart=-udevadm trigger --type=subsystems --action=add
ExecStart=-udevadm trigger --type=devices --action=add --subsystem-match=block --sysname-match=ubd*
UNIT
  printf '127.0.0.1 localhost box\n' >$root/etc/hosts; echo box >$root/etc/hostname
  # No network here: who asks for a name is told at once that there is none.
  rm -f $root/etc/resolv.conf; : >$root/etc/resolv.conf
  : >$root/etc/fstab; rm -f $root/etc/crypttab
  ln -sfn /usr/lib/uml/modules/"$(uname -r)" $root/usr/lib/modules/"$(uname -r)"
  # A container is what this machine may be, and not what it is: systemd would leave out what only a machine
  # has, and go off without writing down what was written last.
  rm -f $root/.dockerenv $root/run/.containerenv
  # A kernel in user space beside others takes minutes for what a machine does in seconds. Whoever wants to see
  # what a disk that is not there costs takes this away.
  mkdir -p $root/etc/systemd/system.conf.d
  printf '[Manager]\nDefaultDeviceTimeoutSec=300\n' >$root/etc/systemd/system.conf.d/patience.conf
  # Its disks have serials, as those of a real box have; the system disk has none.
  n=0
  for disk in /dev/ubd[b-z]; do
    n=$((n + 1)); echo "KERNEL==\"${disk#/dev/}\", SYMLINK+=\"disk/by-id/ata-X_SN-$n\""
  done >$root/etc/udev/rules.d/70-serials.rules
  # To make a guess at a passphrase dear takes this kernel half a minute each time, and is not what is tried.
  cp "$jobdir/cheap.sh" $root/usr/local/sbin/cryptsetup; chmod 755 $root/usr/local/sbin/cryptsetup
  cat >$root/etc/systemd/system/the-job.service <<'UNIT'
[Unit]
After=multi-user.target
[Service]
Type=exec
ExecStart=/bin/bash -c 'systemctl is-system-running --wait >/dev/null; bash /job/job.sh; systemctl poweroff 2>/dev/null'
StandardOutput=append:/job/out.txt
StandardError=append:/job/out.txt
UNIT
  ln -s ../the-job.service $root/etc/systemd/system/multi-user.target.wants/
  : >$root/etc/installed
fi
mount --move /proc $root/proc
mount --move /dev $root/dev
cd $root && mkdir -p old && exec switch_root $root /lib/systemd/systemd --log-target=kmsg
