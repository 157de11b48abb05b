# setup.sh of the job's folder on this kernel: its disks /dev/ubda, /dev/ubdb ... have the serials SN-1, SN-2 ...
for module in cbc hmac xts overlay dm-crypt raid0 fuse quota_tree quota_v2; do modprobe -d /mnt/job/mod $module; done
mkdir /run/up /run/work /run/by-id /run/shims /run/udev-none
mount -t overlay overlay -o lowerdir=/etc,upperdir=/run/up,workdir=/run/work /etc
mount -t tmpfs -o mode=755 none /srv
mount -t tmpfs none /tmp
mkdir -p /run/lib /run/libwork; mount -t overlay overlay -o lowerdir=/var/lib,upperdir=/run/lib,workdir=/run/libwork /var/lib
mkdir -p /etc/mdadm /etc/lvm /etc/zfs; : >/etc/crypttab; : >/etc/mdadm/mdadm.conf
# No udev here: LVM makes its names itself.
echo 'devices { obtain_device_list_from_udev = 0 } activation { udev_sync = 0 udev_rules = 0 } global { locking_dir = "/run/lock" }
backup { backup = 0 archive = 0 }' >/etc/lvm/lvm.conf
export DM_DISABLE_UDEV=1 KAVREL_BY_ID=/run/by-id KAVREL_STATE=/run/kavrel
# To make a guess at a passphrase dear takes this kernel half a minute each time, and is not what is tried.
mkdir /run/cheap; cp /mnt/job/cheap.sh /run/cheap/cryptsetup; chmod 755 /run/cheap/cryptsetup; PATH=/run/cheap:$PATH
# The first sync of an array is not what is tried here.
echo 100 >/proc/sys/dev/raid/speed_limit_min; echo 100 >/proc/sys/dev/raid/speed_limit_max
number=0
for disk in /dev/ubd?; do number=$((number + 1)); ln -s $disk /run/by-id/ata-X_SN-$number; done
# Tools that count their calls; at the call that is asked for, all of the script is killed, before its work or after it.
real=$PATH
for tool in wipefs sfdisk mdadm pvcreate vgcreate lvcreate cryptsetup mkfs.ext4 mkfs.xfs mkfs.btrfs mount mergerfs btrfs zpool zfs \
  blkid mkdir useradd groupadd setfacl chown chmod; do
  cat >/run/shims/$tool <<END
#!/bin/bash
PATH=$real
read call </run/calls; call=\$((call + 1)); echo \$call >/run/calls
read at </run/kill-before; [ \$call = "\$at" ] && kill -9 0
$tool "\$@"; code=\$?
read at </run/kill-after; [ \$call = "\$at" ] && kill -9 0
exit \$code
END
  chmod 755 /run/shims/$tool
done
: >/run/kill-before; : >/run/kill-after; echo 0 >/run/calls
shims=
go() { # answers, arguments
  echo 0 >/run/calls
  printf "$1" | PATH=$shims$PATH setsid -w sh /mnt/job/setup.sh $2 >/run/said 2>&1
  code=$?
}
