# A server of NFS with a root that can be exported, as every machine has one, and its clients on a wire.
# The root of this kernel is the machine's own through hostfs, which no NFS server gives: so the server
# sees an ext4 of its own, on the last disk, with the pool and the tools bound into it.
for module in bridge veth nfsd nfs nfsv4; do modprobe -d /mnt/job/mod $module; done
serve() { # the server's address and range, then the last number of each client
  ip link set lo up
  ip link add br0 type bridge; ip addr add "$1" dev br0; ip link set br0 up; shift
  for n in "$@"; do
    ip netns add c$n; ip link add v$n type veth peer name eth0 netns c$n; ip link set v$n master br0 up
    ip -n c$n addr add 192.168.1.$n/24 dev eth0; ip -n c$n link set eth0 up; ip -n c$n link set lo up
  done
  mkfs.ext4 -q "$(ls /dev/ubd? | tail -1)"; mkdir -p /mnt/up; mount "$(ls /dev/ubd? | tail -1)" /mnt/up
  mount -t nfsd nfsd /proc/fs/nfsd
  for one in usr etc var run proc sys dev $(cd /; ls -d srv/*); do mkdir -p /mnt/up/$one; mount --rbind /$one /mnt/up/$one; done
  for one in bin sbin lib lib64; do ln -s usr/$one /mnt/up/$one; done
  cp /mnt/job/exports /etc/exports
  chroot /mnt/up exportfs -ra 2>&1 | sed 's/^/exportfs: /'
  chroot /mnt/up rpc.nfsd -N 3 4; chroot /mnt/up rpc.mountd -N 3
}
# What a client that mounts a folder may there: as root, as each login, and as a number of its own making.
cell() { # client, dataset, folder, logins
  local client=$1 dataset=$2 folder=$3 of=/run/netns/c$1; shift 3
  mkdir -p /run/m
  if ! timeout 30 nsenter --net=$of mount -t nfs4 -o soft,timeo=50,retry=0 "192.168.1.10:$folder" /run/m 2>/dev/null; then
    echo "cell $client $dataset refused"; return
  fi
  local said=
  for who in 0 "$@" 4711; do
    local u r=none; u=$(id -u $who 2>/dev/null || echo $who)
    nsenter --net=$of setpriv --reuid=$u --regid=$u --clear-groups ls /run/m >/dev/null 2>&1 && r=read
    nsenter --net=$of setpriv --reuid=$u --regid=$u --clear-groups sh -c ': >/run/m/of-$0' $u 2>/dev/null &&
      r=write && rm -f /run/m/of-$u
    said="$said $r"
  done
  umount /run/m
  echo "cell $client $dataset$said"
}
