# Bytes of md's own RAID 10, over disks in the order given and over three and five of a size.
make() {
  yes | mdadm -q --create /dev/md0 --level=10 --raid-devices=$# --metadata=1.2 --bitmap=none --assume-clean "$@" >/dev/null 2>&1
  echo "$# $(blockdev --getsize64 /dev/md0)"
  mdadm -q --stop /dev/md0; for d in "$@"; do mdadm -q --zero-superblock $d; done
}
make /dev/ubda /dev/ubdb /dev/ubdc /dev/ubdd
make /dev/ubda /dev/ubdb /dev/ubdd
make /dev/ubda /dev/ubdb /dev/ubdd /dev/ubde /dev/ubdf
