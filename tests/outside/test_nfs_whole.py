"""The exports of a plan on a real server of NFS: who may what in which folder, as setup.sh leaves it.

knfsd of Linux 6.1 with Debian's exportfs and rpc.mountd in user-mode-linux; each client is a network
namespace that mounts over a wire. Sources: exports(5), nfsd(7), RFC 8881.
"""

import shlex
from pathlib import Path

import pytest

from kavrel.core.consistency import problems
from kavrel.core.evaluate import evaluate
from kavrel.core.plan import App, Dataset, Export, Host, Mount, Plan
from kavrel.core.shares.names import folders
from kavrel.formats.servers.files import fstab, nfs_exports
from tests.builders import TODAY
from tests.conftest import needs
from tests.outside import uml
from tests.outside.test_pools_for_real import on_kernel, server_of

pytestmark = [
    pytest.mark.prove,
    needs("exportfs"),
    needs("rpc.mountd"),
    needs("mount.nfs4"),
    pytest.mark.skipif(not uml.can_run(), reason="no user-mode-linux with mdadm here"),
]
SERVER = (uml.HERE / "nfs.sh").read_text(encoding="utf-8")
HOSTILE = '#hash "q" \\back'


def plan(filesystem: str) -> Plan:
    """Five folders, one in another, to four clients: read and written, squashed in all three ways."""

    def data(key: str, name: str, **more: str | None) -> Dataset:
        fields = {"id": key, "name": name, "pool": "one", "size_bytes": 10**6, "owner": "ana"}
        return Dataset.model_validate(fields | more)

    def export(
        number: int, dataset: str, clients: tuple[str, ...], may: str, squash: str
    ) -> Export:
        fields = {"id": f"e{number}", "protocol": "nfs", "name": f"e{number}", "dataset": dataset}
        return Export.model_validate(fields | {"clients": clients, "may": may, "squash": squash})

    return server_of(
        filesystem,
        datasets=(
            data("files", "files"),
            data("films", "My Films"),
            data("deep", "deep", parent="films"),
            data("part", "part", parent="films"),
            data("vm", "größe d'or"),
            data("table", HOSTILE, owner=None),
        ),
        exports=(
            export(1, "files", ("192.168.1.50",), "read", "root"),
            export(2, "films", ("192.168.1.48/28",), "write", "all"),
            export(3, "vm", ("192.168.1.60",), "write", "none"),
            export(4, "deep", ("192.168.1.70",), "read", "all"),
            export(5, "table", ("192.168.1.70", "192.168.1.60"), "read", "all"),
        ),
    )


# What root, the owner, another account, and a number that nobody has may; None: it is not mounted.
ALL, READ, NOT = ("write",) * 4, ("read",) * 4, None
OWN_NUMBERS = ("none", "read", "none", "none")  # root is taken for nobody there
ROOT = ("write", "write", "none", "none")
PREDICTED = {
    50: {"files": OWN_NUMBERS, "films": ALL, "deep": READ, "part": ALL, "vm": NOT, "table": NOT},
    60: {"files": NOT, "films": ALL, "deep": READ, "part": ALL, "vm": ROOT, "table": READ},
    70: {"files": NOT, "films": NOT, "deep": READ, "part": NOT, "vm": NOT, "table": READ},
    90: dict.fromkeys(("files", "films", "deep", "part", "vm", "table")),
}


@pytest.mark.parametrize("filesystem", ["ext4", "btrfs"])
def test_every_client_gets_what_the_plan_says(filesystem: str, tmp_path: Path) -> None:
    ours = plan(filesystem)
    assert not problems(ours)
    # That 50 and 60 read what is for 70 alone is no surprise: it is said, and why.
    (said,) = [c for c in evaluate(ours, TODAY).cautions if c.rule == "child_through_parent"]
    assert (said.about, said.why) == (
        "deep",
        "192.168.1.48/28: not let in here, and gets in through e2.",
    )
    (tmp_path / "exports").write_text(nfs_exports(ours, "box", "revision 1"), encoding="utf-8")
    at = folders(ours)
    cells = "\n".join(
        f"cell {client} {d} {shlex.quote(at[d])} ana bo" for client in PREDICTED for d in at
    )
    numbers = " ".join(map(str, PREDICTED))
    script = f"""{SERVER}
go 'one\\n' ''; echo "code $code"; grep LEFT /run/said
serve 192.168.1.10/24 {numbers}
{cells}
"""
    out = on_kernel(ours, tmp_path, script, more=(100_000_256,))
    assert out.startswith("code 0\ncell"), out
    seen: dict[int, dict[str, tuple[str, ...] | None]] = {n: {} for n in PREDICTED}
    for line in out.splitlines()[1:]:
        _, client, dataset, *rights = line.split()
        seen[int(client)][dataset] = None if rights == ["refused"] else tuple(rights)
    # What lies above an export can be walked through to it, and shows nothing else.
    on_the_way = seen[70].pop("films")
    assert on_the_way is None or "write" not in on_the_way, out
    expected = {n: dict(cells) for n, cells in PREDICTED.items()}
    del expected[70]["films"]
    assert seen == expected, out


def test_an_application_on_another_box_finds_its_data_where_the_papers_say(tmp_path: Path) -> None:
    """The other box takes the plan's fstab: the application reads there as itself, and nobody else does.

    It comes up before the server does, as after a power cut: `bg` tries again until it is there.
    """
    base = plan("ext4")
    small = {"id": "mini", "name": "mini", "site": base.sites[0].id, "addressing": "static"}
    path = {"id": "m", "app": "gallery", "dataset": "files", "inside": "/photos", "may": "read"}
    ana, *others = base.accounts
    numbered = ana.model_copy(update={"number": 3001})
    ours = base.model_copy(
        update={
            "accounts": (numbered, *others),
            "hosts": (*base.hosts, Host.model_validate(small | {"address": "192.168.1.50"})),
            "apps": (App(id="gallery", name="gallery", host="mini", account=ana.id),),
            "mounts": (Mount.model_validate(path),),
        }
    )
    assert not problems(ours)
    (tmp_path / "exports").write_text(nfs_exports(ours, "box", "revision 1"), encoding="utf-8")
    (tmp_path / "far").write_text(fstab(ours, "mini", "revision 1"), encoding="utf-8")
    may = {login: f"setpriv --reuid={login} --clear-groups sh -c" for login in ("ana", "bo")}
    script = f"""{SERVER}
mkdir -p /mnt/e1
go 'one\\n' ''; echo "code $code"
echo here >{folders(ours)["files"]}/here
(serve 192.168.1.10/24 50 >/dev/null 2>&1) &
for _ in $(seq 60); do ip netns pids c50 >/dev/null 2>&1 && break; sleep 0.2; done
nsenter --net=/run/netns/c50 mount -a -T /mnt/job/far >/run/said 2>&1
for _ in $(seq 60); do mountpoint -q /mnt/e1 && break; sleep 1; done
findmnt -n -o FSTYPE,SOURCE /mnt/e1
echo "ana reads $({may["ana"]} 'cat /mnt/e1/here' 2>/dev/null)"
{may["ana"]} ': >/mnt/e1/more' 2>/dev/null || echo "ana does not write"
{may["bo"]} 'ls /mnt/e1' >/dev/null 2>&1 || echo "bo does not look"
umount /mnt/e1
"""
    out = on_kernel(ours, tmp_path, script, more=(100_000_256,))
    assert [" ".join(line.split()) for line in out.splitlines()] == [
        "code 0",
        "nfs4 192.168.1.10:/srv/one/files",
        "ana reads here",
        "ana does not write",
        "bo does not look",
    ]


def test_a_file_system_inside_an_export_is_seen_by_whom_it_is_a_part_for(tmp_path: Path) -> None:
    """As ZFS mounts datasets: NFS goes into one only where a line of its own says so, for that client.

    Otherwise a client finds an empty folder, and what it writes there is hidden below what is mounted.
    """
    ours = plan("ext4")
    zfs = ours.pools[0].model_copy(update={"filesystem": "zfs", "family": "single"})
    apart = ours.model_copy(update={"pools": (zfs,)})
    assert not [c for c in evaluate(apart, TODAY).cautions if c.rule == "child_through_parent"]
    (tmp_path / "exports").write_text(nfs_exports(apart, "box", "revision 1"), encoding="utf-8")
    at = folders(ours)
    locked = shlex.quote(at["vm"])
    script = f"""{SERVER}
go 'one\\n' ''; echo "code $code"; grep LEFT /run/said
getfacl -p {at["films"]} >/run/rights 2>/dev/null
apart() {{ mkfs.ext4 -q $1; mount $1 $2; touch $2/inside; setfacl --set-file=/run/rights $2; }}
apart /dev/ubdb {at["films"]}
for one in {at["part"]} {at["deep"]}; do mkdir $one; setfacl -b $one; chmod 755 $one; done
apart /dev/ubdc {at["part"]}; apart /dev/ubdd {at["deep"]}
serve 192.168.1.10/24 50 60 70
look() {{
  nsenter --net=/run/netns/c$1 mount -t nfs4 -o soft,timeo=50,retry=0 "192.168.1.10:$2" /run/m || {{
    echo "$1 $3 refused"; return
  }}
  echo "$1 $3: $(ls /run/m$4)"; touch /run/m$4/mine 2>/dev/null; umount /run/m
}}
mkdir -p /run/m
look 50 {at["films"]} part /part
look 50 {at["films"]} deep /deep
look 70 {at["deep"]} deep ''
look 60 {locked} locked '' 2>/dev/null
mkfs.ext4 -q /dev/ubde; mount /dev/ubde /mnt/up{locked}; chroot /mnt/up exportfs -ra
look 60 {locked} opened ''
ls {at["part"]}; umount -l {at["part"]} {at["deep"]}; ls {at["part"]} {at["deep"]}
"""
    out = on_kernel(ours, tmp_path, script, more=(*(50_000_384,) * 4, 100_000_256))
    said = [line for line in out.splitlines() if line and line != "lost+found"]
    assert said == [
        "code 0",
        "50 part: inside",
        "50 deep: ",
        "70 deep: inside",
        "60 locked refused",
        "60 opened: lost+found",
        "inside",
        "mine",
        f"{at['deep']}:",
        f"{at['part']}:",
    ], out
