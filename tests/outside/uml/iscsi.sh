# A target of iSCSI and its initiators, all on this kernel: whoever signs in takes another name each time.
for module in configfs target_core_mod target_core_file iscsi_target_mod scsi_mod sd_mod iscsi_tcp; do
  modprobe -d /mnt/job/mod $module
done
offer() { # the server's address
  ip link set lo up; ip addr add "$1/32" dev lo
  mount -t configfs none /sys/kernel/config; mkdir -p /etc/target /etc/rtslib-fb-target
  cp /mnt/job/target.json /etc/rtslib-fb-target/saveconfig.json
  targetctl restore && echo restored
}
fill() { # the secret, as the runbook has it
  sed -i "s/\"chap_password\": \"\"/\"chap_password\": \"$1\"/" /etc/rtslib-fb-target/saveconfig.json
  targetctl restore && echo filled
}
lun() { ls /dev/sd? 2>/dev/null | head -1; }
as() { # initiator, then a command to sign in: what it finds
  echo "InitiatorName=$1" >/etc/iscsi/initiatorname.iscsi
  [ -e /run/iscsid.pid ] && kill "$(cat /run/iscsid.pid)" && while pgrep -x iscsid >/dev/null; do sleep 0.1; done
  iscsid -p /run/iscsid.pid || iscsid
  until iscsiadm -m discoverydb >/dev/null 2>&1 || [ $? = 21 ]; do sleep 0.1; done
  if ! eval "$2" >/dev/null 2>&1; then echo "$1 $3 refused"; iscsiadm -m node -o delete >/dev/null 2>&1; return; fi
  until [ -b "$(lun)" ]; do sleep 0.1; done
  disk=$(lun); mkdir -p /run/lun
  [ -z "$(wipefs -n $disk)" ] && mkfs.ext4 -q -m 0 $disk 2>/dev/null
  said=reads; mount $disk /run/lun 2>/dev/null && echo "$1" 2>/dev/null >>/run/lun/who && said="writes $(tr '\n' ' ' </run/lun/who)"
  umount /run/lun 2>/dev/null
  echo "$1 $3 $(blockdev --getsize64 $disk) $said" | sed 's/ *$//'
  iscsiadm -m node -u >/dev/null; iscsiadm -m node -o delete
  while [ -b "$(lun)" ]; do sleep 0.1; done
}
