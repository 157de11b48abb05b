"""What Kavrel writes for servers, judged by the programs that read it.

Sources: findmnt(8), nft(8), sshd(8), exportfs(8), vsftpd(8), systemd-analyze(1), sh(1), zip and
sha256sum; each test says that it was skipped where its tool is missing.
"""

import hashlib
import inspect
import io
import json
import os
import socket
import subprocess
import time
import zipfile
from pathlib import Path

import pytest
from rtslib_fb.root import so_mapping

from kavrel.core.index import Index
from kavrel.core.plan import Disk, Export, Network, Plan, Pool
from kavrel.core.works import ServiceRuns, bill
from kavrel.formats.servers import files
from kavrel.formats.servers.bundle import bundle, host_files
from kavrel.formats.servers.units import unit_name, units
from tests.builders import TODAY, disk, lab
from tests.conftest import needs
from tests.outside.test_pools_for_real import layout, plan_of

LAN = Network(id="lan", site="home", name="lan", range="192.168.1.0/24")


def serving(**more: object) -> Plan:
    """A box with an ext4 mirror on bays and a Btrfs disk on USB, and one export of each kind."""
    usb = Disk.model_validate(
        {**disk(6).model_dump(mode="json"), "bay": "usb-1", "serial": "USB-6", "own_supply": True}
    )
    pools = (
        lab().pools[0],
        Pool(
            id="plain",
            name="plain",
            host="box",
            family="mirror",
            filesystem="ext4",
            groups=(("box4", "box5"),),
            standing=False,
        ),
        Pool(
            id="stick",
            name="stick",
            host="box",
            family="single",
            filesystem="btrfs",
            groups=(("box6",),),
            standing=False,
        ),
        lab().pools[1],
    )

    def export(key: str, **fields: object) -> Export:
        return Export.model_validate({"id": key, "name": key, "dataset": "files", **fields})

    fields: dict[str, object] = {
        "hosts": (lab().hosts[0].model_copy(update={"ports_usb": 1}), lab().hosts[1]),
        "networks": (LAN,),
        "disks": (
            *(disk(n, serial=f"SN-{n}") for n in (1, 2, 3, 4, 5)),
            usb,
            *lab().disks[3:],
        ),
        "pools": pools,
        "exports": (
            export("unix", protocol="nfs", clients=["192.168.1.7", "192.168.1.0/28"], may="read"),
            export(
                "disk",
                protocol="iscsi",
                clients=["iqn.2026-01.lab:a"],
                size_bytes=10**10,
                secured=True,
            ),
            export("tree", protocol="rsync", clients=["192.168.1.8"], accounts=["ana"]),
            export("shut", protocol="sftp", accounts=["ana", "bo"], may="read"),
            export(
                "vault",
                protocol="s3",
                accounts=["bo"],
                size_bytes=10**12,
                port=9000,
                buckets=["one"],
            ),
            export("old", protocol="ftp", accounts=["bo"], port=2121),
        ),
        **more,
    }
    return lab(**fields)


def says(*command: str, **more: object) -> subprocess.CompletedProcess[str]:
    path = f"{os.environ['PATH']}:/usr/sbin:/sbin"
    found: subprocess.CompletedProcess[str] = subprocess.run(
        list(command),
        check=False,
        capture_output=True,
        text=True,
        env={**os.environ, "PATH": path},
        **more,  # type: ignore[call-overload]
    )
    return found


GENERATOR = Path("/usr/lib/systemd/system-generators/systemd-fstab-generator")


@pytest.mark.skipif(not GENERATOR.exists(), reason="no systemd on this machine")
def test_a_dead_disk_holds_up_no_start_and_services_wait_for_one_that_lives(tmp_path: Path) -> None:
    """What systemd itself makes of the file: a start that requires a disk ends at a shell of the screen."""
    tree = layout("many", "union", "ext4", range(1, 3))
    pools = (
        tree, layout("plain", "single", "ext4", range(3, 4)), layout("own", "copies2", "btrfs", range(4, 6)),
        layout("sealed", "mirror", "ext4", range(6, 8), encrypted=True),
    )  # fmt: skip
    plan = plan_of([2_000_000_512] * 7, *pools)
    (tmp_path / "fstab").write_text(files.fstab(plan, "box", "revision 1"))
    out = [tmp_path / name for name in "abc"]
    for folder in out:
        folder.mkdir()
    said = subprocess.run(
        [GENERATOR, *out],
        env={"SYSTEMD_FSTAB": str(tmp_path / "fstab")},
        check=False,
        capture_output=True,
    )
    assert said.returncode == 0, said.stderr
    made = {p.name: p.read_text() for p in out[0].glob("srv-*.mount")}
    assert len(made) == 6
    assert not list(out[0].glob("*.requires/srv-*")), "nothing of it is required"
    wanted = {p.name for p in out[0].glob("local-fs.target.wants/srv-*")}
    assert set(made) - wanted == {"srv-sealed.mount"}, (
        "what waits for its passphrase is started by hand"
    )
    assert all("Before=local-fs.target" in made[name] for name in wanted)
    assert "RequiresMountsFor=/srv/many\\x2ddisk1" in made["srv-many.mount"] or (
        "RequiresMountsFor=/srv/many-disk1" in made["srv-many.mount"]
    )


@needs("findmnt")
def test_fstab_is_verified(tmp_path: Path) -> None:
    text = files.fstab(serving(), "box", "revision 1")
    lines = [x for x in text.splitlines() if x and not x.startswith("#")]
    assert len(lines) == 3
    # The disks are not here: their place is taken by what is, so that the rest is judged.
    moved = []
    for line in lines:
        device, folder, *rest = line.split()
        here = tmp_path / folder.strip("/")
        here.mkdir(parents=True, exist_ok=True)
        source = str(tmp_path) if device.startswith("/") else "tmpfs"
        kind = rest[0] if rest[0] == "none" else "tmpfs"
        options = rest[1] if rest[0] == "none" else "noatime"
        moved.append(" ".join([source, str(here), kind, options, *rest[2:]]))
    table = tmp_path / "fstab"
    table.write_text("\n".join(moved) + "\n")
    done = says("findmnt", "--verify", "--tab-file", str(table))
    assert done.returncode == 0, done.stdout
    raw = tmp_path / "raw"
    raw.write_text(text)
    errors = says("findmnt", "--verify", "--tab-file", str(raw)).stdout
    assert "parse error" not in errors


@needs("nft")
@pytest.mark.skipif(os.geteuid() != 0, reason="nft asks the kernel, which needs root")
@pytest.mark.parametrize("networks", [(LAN,), ()], ids=["one network", "no network named"])
def test_the_firewall_is_accepted(tmp_path: Path, networks: tuple[Network, ...]) -> None:
    path = tmp_path / "nftables.conf"
    path.write_text(files.nftables_conf(serving(networks=networks), "box", "revision 1"))
    done = says("unshare", "-n", "nft", "-c", "-f", str(path))
    assert done.returncode == 0, done.stderr
    text = path.read_text()
    assert "policy drop" in text
    assert "tcp dport 445" in text
    assert "tcp dport 40000-40050" in text


@needs("sshd")
def test_sshd_accepts_the_match_blocks(tmp_path: Path) -> None:
    key = tmp_path / "key"
    subprocess.run(["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", str(key)], check=True)
    config = tmp_path / "sshd_config"
    config.write_text(f"HostKey {key}\n" + files.sshd_sftp(serving(), "box", "revision 1"))
    Path("/run/sshd").mkdir(exist_ok=True)
    assert says("sshd", "-t", "-f", str(config)).returncode == 0
    shown = says("sshd", "-T", "-f", str(config), "-C", "user=ana,host=x,addr=192.168.1.9").stdout
    assert "forcecommand internal-sftp -R" in shown
    assert "chrootdirectory /srv/sftp/shut" in shown
    assert "passwordauthentication no" in shown


@needs("exportfs")
@pytest.mark.skipif(os.geteuid() != 0, reason="exportfs needs root")
def test_exports_become_what_they_say(tmp_path: Path) -> None:
    folder = tmp_path / "srv"
    folder.mkdir()
    text = files.nfs_exports(serving(), "box", "revision 1").replace("/srv/main/files", str(folder))
    path = tmp_path / "exports"
    path.write_text(text)
    script = (
        "mount -t tmpfs none /var/lib/nfs && touch /var/lib/nfs/etab /var/lib/nfs/rmtab && "
        f"mount --bind {path} /etc/exports && exportfs -ar 2>&1; cat /var/lib/nfs/etab"
    )
    Path("/etc/exports").touch()
    done = says("unshare", "-m", "sh", "-c", script)
    found = {
        line.split("(")[0].split("\t")[1]: line
        for line in done.stdout.splitlines()
        if line.startswith(str(folder))
    }
    assert set(found) == {"192.168.1.7", "192.168.1.0/28"}, done.stdout
    assert all("(ro," in line and "root_squash" in line for line in found.values())


@needs("vsftpd")
@pytest.mark.skipif(os.geteuid() != 0, reason="vsftpd needs root")
def test_vsftpd_starts_from_its_file(tmp_path: Path) -> None:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    plan = serving()
    moved = tuple(e.model_copy(update={"port": port}) if e.id == "old" else e for e in plan.exports)
    text = files.vsftpd_conf(plan.model_copy(update={"exports": moved}), "box", "revision 1")
    users = tmp_path / "users"
    users.write_text(files.vsftpd_userlist(plan, "box", "revision 1"))
    config = tmp_path / "vsftpd.conf"
    config.write_text(
        text.replace("/etc/vsftpd.userlist", str(users)) + "listen_address=127.0.0.1\n"
    )
    process = subprocess.Popen(
        ["vsftpd", str(config)], env={**os.environ, "PATH": "/usr/sbin:/usr/bin"}
    )
    try:
        deadline = time.monotonic() + 120
        while True:
            try:
                with socket.create_connection(("127.0.0.1", port), 20) as line:
                    assert line.recv(200).startswith(b"220")
                    line.sendall(b"USER anonymous\r\n")
                    # Only who is on the list gets as far as a password.
                    assert line.recv(200).startswith(b"530")
                break
            except ConnectionRefusedError:
                assert time.monotonic() < deadline, "vsftpd does not answer"
    finally:
        process.terminate()
        process.wait(90)
    assert users.read_text().split() == ["bo"]


@needs("systemd-analyze")
def test_units_are_verified_and_their_calendars_read(tmp_path: Path, demo: Plan) -> None:
    locked = {"encrypted": True, "unlock": "key_file"}
    opened = demo.model_copy(
        update={"pools": tuple(p.model_copy(update=locked) for p in demo.pools)}
    )
    for plan, host in ((serving(), "box"), (demo, "heron"), (opened, "heron")):
        for name, text in units(plan, host, "revision 1").items():
            path = tmp_path / name
            path.write_text(text)
            if name.endswith(".timer"):
                calendar = next(x for x in text.splitlines() if x.startswith("OnCalendar="))
                spec = calendar.partition("=")[2]
                assert says("systemd-analyze", "calendar", spec).returncode == 0, spec
        done = says("systemd-analyze", "verify", "--man=no", *map(str, tmp_path.iterdir()))
        wrong = [x for x in done.stderr.splitlines() if "is not executable" not in x]
        wrong = [x for x in wrong if str(tmp_path) in x or "kavrel" in x]
        assert wrong == []
        for path in tmp_path.iterdir():
            path.unlink()


@needs("systemd-escape")
@pytest.mark.parametrize("folder", ["/srv/main", "/srv/a-b", "/srv/ä b/c.d", "/srv/.x", "/srv/o'n"])
def test_mount_units_are_named_as_systemd_names_them(folder: str) -> None:
    said = says("systemd-escape", "--path", "--suffix=mount", folder).stdout.strip()
    assert unit_name(folder) == said


def test_the_target_file_restores_one_lun_for_one_initiator() -> None:
    saved = json.loads(files.target_json(serving(), "box", "revision 1"))
    (thing,) = saved["storage_objects"]
    (target,) = saved["targets"]
    (group,) = target["tpgs"]
    # The shape of rtslib's saveconfig.json, value from memory.
    assert thing == {
        "name": "disk",
        "plugin": "block",
        "dev": "/dev/zvol/main/files/disk",
        "readonly": False,
    }
    assert group["luns"] == [{"index": 0, "storage_object": "/backstores/block/disk"}]
    (acl,) = group["node_acls"]
    assert acl["node_wwn"] == "iqn.2026-01.lab:a"
    assert acl["chap_password"] == ""
    assert group["attributes"]["authentication"] == 1
    assert group["attributes"]["generate_node_acls"] == 0


def test_every_disk_of_the_target_file_is_one_that_the_target_can_make() -> None:
    """rtslib skips, with a warning, an object that it cannot make: then there is no disk at all.

    Source: rtslib-fb, RTSRoot.restore, which hands the file's fields to these classes.
    """
    plan = serving()
    pools = tuple(
        p.model_copy(update={"filesystem": "ext4", "family": "raid5"}) if p.id == "main" else p
        for p in plan.pools
    )
    for each, plugin in ((plan, "block"), (plan.model_copy(update={"pools": pools}), "fileio")):
        saved = json.loads(files.target_json(each, "box", "revision 1"))
        for thing in saved["storage_objects"]:
            assert thing["plugin"] == plugin
            made = so_mapping[thing.pop("plugin")]
            inspect.signature(made.__init__).bind(None, **thing)
        for target in saved["targets"]:
            for group in target["tpgs"]:
                assert set(group) <= {
                    "tag",
                    "enable",
                    "attributes",
                    "parameters",
                    "luns",
                    "portals",
                    "node_acls",
                }
                known = {f"/backstores/{plugin}/{t['name']}" for t in saved["storage_objects"]}
                assert {lun["storage_object"] for lun in group["luns"]} <= known


def test_the_bundle_holds_every_file_with_its_checksum_and_no_password(demo: Plan) -> None:
    for host in ("heron", "wren", "dipper"):
        packed = zipfile.ZipFile(io.BytesIO(bundle(demo, host, "revision 1", TODAY)))
        assert packed.testzip() is None
        lines = packed.read("SHA256SUMS").decode().splitlines()
        sums = {x.split("  ")[1]: x.split("  ")[0] for x in lines}
        assert set(sums) == set(packed.namelist()) - {"SHA256SUMS"}
        for name, digest in sums.items():
            content = packed.read(name)
            assert hashlib.sha256(content).hexdigest() == digest
            assert b"revision 1" in content or name in ("vsftpd.userlist", "lab-job", "lab-look")
        readme = packed.read("README.txt").decode()
        positions = [readme.index(n) for n in ("setup.sh", "fstab", "nftables.conf")]
        assert positions == sorted(positions)
    assert bundle(demo, "heron", "r", TODAY) == bundle(demo, "heron", "r", TODAY)


def test_every_file_of_a_service_is_in_the_bundle_and_said_to_go_where_the_runbook_puts_it(
    demo: Plan,
) -> None:
    for plan in (demo, serving()):
        for host in plan.hosts:
            if not any(p.host == host.id for p in plan.pools):
                continue
            texts = host_files(plan, host.id, "revision 1", TODAY)
            for work in bill(Index(plan), host.id, TODAY):
                if not isinstance(work, ServiceRuns):
                    continue
                for name, place in work.service.files:
                    todo = texts[name][1]
                    assert place in todo or place.rpartition("/")[0] in todo, (name, place, todo)
