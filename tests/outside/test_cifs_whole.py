"""The cards of a share typed on a Linux client: mount.cifs of a real kernel against a real smbd.

Server and client are one kernel in user space, over an address of its own. Sources: mount.cifs(8) of
cifs-utils 7.0, the cifs module of Linux 6.1, smbd 4.17 themselves.
"""

import shlex
from pathlib import Path

import pytest

from kavrel.core.plan import Dataset, Grant, Plan, Share
from kavrel.formats.samba import smb_conf
from kavrel.formats.servers.clients import cards
from tests.builders import TODAY
from tests.conftest import needs
from tests.outside import uml
from tests.outside.test_pools_for_real import on_kernel, server_of

pytestmark = [
    pytest.mark.prove,
    needs("smbd"),
    needs("mount.cifs"),
    pytest.mark.skipif(not uml.can_run(), reason="no user-mode-linux with mdadm here"),
]
# The file of passwords as the card describes it.
SERVER = r"""
# Nothing loads a module by itself here.
for module in hmac cmac ctr ccm gf128mul ghash-generic gcm ecb sha512_generic nls_utf8 cifs; do
  modprobe -d /mnt/job/mod $module
done
ip link set lo up; ip addr add 192.168.1.10/32 dev lo
mkdir -p /run/samba/private /mnt/m /etc/kavrel
dirs=$(for one in lock state cache pid; do echo "   $one directory = /run/samba"; done)
{ echo "[global]"; echo "$dirs"; printf '   %s = /run/samba/%s\n' "private dir" private "ncalrpc dir" rpc
  sed '1,/^.global/d' /mnt/job/smb.conf; } | sed 's|/var/log/samba/%m.log|/run/samba/log|' >/etc/smb.conf
for who in ana bo; do
  printf 'a word;1\na word;1\n' | smbpasswd -c /etc/smb.conf -s -a $who >/dev/null
  printf 'username=%s\npassword=a word;1\n' $who >/etc/kavrel/$who.cred; chmod 600 /etc/kavrel/$who.cred
done
smbd --daemon -l /run/samba -s /etc/smb.conf
for n in $(seq 50); do
  smbclient -L 192.168.1.10 -A /etc/kavrel/ana.cred -s /dev/null >/dev/null 2>&1 && break; sleep 0.2
done
as() { who=$1; shift; setpriv --reuid=$who --regid=$who --init-groups sh -c "$*" 2>/dev/null; }
tried() { # login, folder, what for
  read=no; wrote=no
  as $1 "cat '$2/größe.txt'" >/dev/null && read=yes
  as $1 "echo new >'$2/von $1 ü.txt'" && wrote=yes
  echo "card $3 $1: $read $wrote"; umount "$2"
}
"""


def a_share() -> Plan:
    """One that ana may write and bo may read, with a name beyond ASCII and a blank in it."""
    return server_of(
        "ext4",
        datasets=(Dataset(id="d", name="photos", pool="one", size_bytes=10**6, owner="ana"),),
        shares=(Share(id="s", name="Fotos groß", dataset="d"),),
        grants=(
            Grant(id="w", share="s", account="ana", right="write"),
            Grant(id="r", share="s", account="bo", right="read"),
        ),
    )


def test_what_the_linux_cards_say_mounts_the_share_with_the_rights_of_its_person(
    tmp_path: Path,
) -> None:
    plan = a_share()
    (tmp_path / "smb.conf").write_text(smb_conf(plan, "box", "revision 1", TODAY), encoding="utf-8")
    found = {(c.who, c.system): c for c in cards(plan, TODAY)}
    lines = [
        SERVER,
        r"go 'one\n' ''; echo code $code; grep LEFT /run/said",
        "as ana \"echo seen >'/srv/one/photos/größe.txt'\"",
    ]
    lines.insert(0, lines.pop(1))  # people before their passwords
    for login in ("ana", "bo"):
        once, table = found[login, "Linux, once"], found[login, "Linux, fstab"]
        folder = once.text.split()[4 if "'" not in once.text else -3]
        assert f"`mkdir -p {folder}`" in once.note
        lines += [
            f"mkdir -p {folder}; {once.text} && tried {login} {folder} once",
            f"printf '%s\\n' {shlex.quote(table.text)} >/etc/fstab",
            f"mount {folder} && tried {login} {folder} fstab",
        ]
    lines.append("ls /srv/one/photos | sed 's/^/lies /'; stat -c 'of %U' /srv/one/photos/von*")
    said = on_kernel(plan, tmp_path, "\n".join(lines))
    assert "code 0" in said, said
    assert [x for x in said.splitlines() if x.startswith("card ")] == [
        "card once ana: yes yes",
        "card fstab ana: yes yes",
        "card once bo: yes no",
        "card fstab bo: yes no",
    ], said
    assert "lies von ana ü.txt" in said
    assert "of ana" in said
