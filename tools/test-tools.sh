#!/bin/sh
# Installs what the tests judge with: Chromium and its driver for the interface, and the real parsers
# and servers for the files that Kavrel writes. Debian's packages; needs root or sudo, and says so
# when it has neither. A test whose tool is missing says that it was skipped.
set -u
PATH="$PATH:/usr/sbin:/sbin"
missing=""
need() { command -v "$1" >/dev/null || case " $missing " in *" $2 "*) ;; *) missing="$missing $2" ;; esac; }
need chromium chromium
need chromedriver chromium-driver
need testparm samba-common-bin
need smbd samba
need smbclient smbclient
need rsync rsync
need findmnt util-linux
need systemd-analyze systemd
need unshare util-linux
need setfacl acl
need ssh-keygen openssh-client
need nft nftables
need sshd openssh-server
need vsftpd vsftpd
need exportfs nfs-kernel-server
need mount.nfs4 nfs-common
need mount.cifs cifs-utils
need targetctl targetcli-fb
need iscsid open-iscsi
need crontab cron
need mkfs.ext4 e2fsprogs
need mkfs.xfs xfsprogs
need mkfs.btrfs btrfs-progs
need mkntfs ntfs-3g
need mkapfs apfsprogs
need linux.uml user-mode-linux
# Processors with tile registers: see tests/outside/uml/xstate.c.
grep -q ' amx_tile' /proc/cpuinfo && need cc "gcc libc6-dev"
need mdadm mdadm
need sfdisk fdisk
need lvcreate lvm2
need cryptsetup cryptsetup-bin
need mergerfs mergerfs
need snapraid snapraid
need setquota quota
need exim4 exim4-daemon-light
need upsd nut-server
need upsmon nut-client
need shellcheck shellcheck
need pdftotext poppler-utils
need qpdf qpdf
need zbarimg zbar-tools
need dmsetup dmsetup
need modprobe kmod
ls /usr/lib/*/samba/vfs/recycle.so >/dev/null 2>&1 || missing="$missing samba-vfs-modules"
[ -z "$missing" ] && exit 0
if [ "$(id -u)" = 0 ]; then
  as_root=""
elif command -v sudo >/dev/null && sudo -n true 2>/dev/null; then
  as_root="sudo"
else
  echo "Not here:$missing. Ask an administrator for: apt-get install$missing" >&2
  echo "The tests that need them will say that they were skipped." >&2
  exit 0
fi
if ! command -v apt-get >/dev/null; then
  echo "Not here:$missing, and no apt-get to install them with: their tests are skipped." >&2
  exit 0
fi
export DEBIAN_FRONTEND=noninteractive
$as_root apt-get -qq -o DPkg::Lock::Timeout=300 update &&
  $as_root apt-get -qq -y -o DPkg::Lock::Timeout=300 install --no-install-recommends $missing >/dev/null ||
  echo "Could not install:$missing. Their tests are skipped." >&2
