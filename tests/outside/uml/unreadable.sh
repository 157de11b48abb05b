# One disk of an array dies and is replaced; another has one unreadable stretch of 4 KiB.
# A line each: LEVEL WITH-LIST?, then disks in sync, whether the rebuild ended, and 64 KiB reads that failed.
all=(/dev/ubda /dev/ubdb /dev/ubdc /dev/ubdd /dev/ubde)
sectors=$(blockdev --getsz /dev/ubdb)
try() {
  level=$1 width=$2 list=$3
  dmsetup --noudevsync create bad --table "0 $sectors linear /dev/ubdb 0"; dmsetup mknodes
  members=(/dev/ubda /dev/dm-0 "${all[@]:2:$((width - 2))}")
  yes | mdadm -q --create /dev/md0 --level=$level --raid-devices=$width --metadata=1.2 --bitmap=none --assume-clean \
    "${members[@]}" >/dev/null 2>&1
  if [ "$list" = without ]; then
    mdadm -q --stop /dev/md0; mdadm -q --assemble --update=force-no-bbl /dev/md0 "${members[@]}" >/dev/null 2>&1
  fi
  dmsetup suspend bad
  printf '0 400000 linear /dev/ubdb 0\n400000 8 error\n400008 %d linear /dev/ubdb 400008\n' $((sectors - 400008)) |
    dmsetup load bad
  dmsetup --noudevsync resume bad
  mdadm -q /dev/md0 --fail /dev/ubda --remove /dev/ubda >/dev/null 2>&1
  mdadm -q /dev/md0 --add /dev/ubde >/dev/null 2>&1
  for _ in $(seq 120); do [ "$(cat /sys/block/md0/md/sync_action)" = idle ] && [ -n "$started" ] && break
    started=1; sleep 0.5; done
  sync_disks=$(cat /sys/block/md0/md/dev-*/state | grep -c '^in_sync')
  failed=$(dd if=/dev/md0 of=/dev/null bs=64k conv=noerror 2>&1 | grep -c 'error reading')
  echo "$level $list list: $sync_disks of $width in sync, failed reads $failed"
  mdadm -q --stop /dev/md0; dmsetup remove bad
  for d in "${all[@]}"; do mdadm -q --zero-superblock $d >/dev/null 2>&1; done
  started=
}
for level in "raid5 4" "raid1 2" "raid10 4"; do try $level with; done
try raid5 4 without
