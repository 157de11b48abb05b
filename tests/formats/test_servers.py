"""Server files: hostile names change nothing, what is written is read back the same, junk is reported."""

import configparser
import io
import json
import re
import shlex
import subprocess
import zipfile
from datetime import date, timedelta
from pathlib import Path
from typing import Any
from urllib.parse import unquote

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from kavrel.core.edit import EditError
from kavrel.core.plan import Export, Grant, Host, Plan, Share, Supply
from kavrel.formats.lab_jobs import lab_jobs
from kavrel.formats.readers import READERS, Unreadable, read_file
from kavrel.formats.samba import smb_conf, smb_hosts
from kavrel.formats.servers import files
from kavrel.formats.servers.bundle import bundle, host_files
from kavrel.formats.servers.clients import Card, cards, codes
from kavrel.formats.servers.setup import setup_script
from kavrel.formats.servers.template import plain
from kavrel.formats.timers import crontab, timer_units
from tests.builders import GB, TODAY, lab
from tests.conftest import needs
from tests.formats.test_papers import HOSTILE

NASTY = [
    *HOSTILE,
    'a"b',
    "a'b; rm -rf /",
    "$(reboot)",
    "`reboot`",
    "%n %U",
    "[global]",
    "# comment",
    "; comment",
    "back\\",
    "-rf",
    "{{ plan }}",
    "{% raw %}",
    "con",
    "x" * 80,
    "naïve Ünïcode",
]
LINES = st.text(st.characters(exclude_categories=("Cs", "Cc")), min_size=1, max_size=80)


def named(name: str) -> Plan | None:
    """The lab with one name everywhere, or nothing where the plan itself refuses it."""
    try:
        plan = lab(
            datasets=(lab().datasets[0].model_copy(update={"name": name}),),
            shares=(
                Share.model_validate(
                    {"id": "share", "name": "files", "dataset": "files", "comment": name}
                ),
            ),
            exports=(
                Export.model_validate(
                    {
                        "id": "n",
                        "protocol": "nfs",
                        "name": "n",
                        "dataset": "files",
                        "clients": ["10.0.0.7"],
                    }
                ),
                Export.model_validate(
                    {
                        "id": "r",
                        "protocol": "rsync",
                        "name": "r",
                        "dataset": "files",
                        "clients": ["10.0.0.7"],
                        "accounts": ["ana"],
                    }
                ),
                Export.model_validate(
                    {
                        "id": "f",
                        "protocol": "ftp",
                        "name": "f",
                        "dataset": "files",
                        "accounts": ["ana"],
                    }
                ),
            ),
        )
        renamed = plan.model_copy(
            update={
                "name": name,
                "hosts": (plan.hosts[0].model_copy(update={"name": name}), plan.hosts[1]),
                "accounts": tuple(a.model_copy(update={"full_name": name}) for a in plan.accounts),
                "disks": (plan.disks[0].model_copy(update={"label": name}), *plan.disks[1:]),
            }
        )
        return Plan.model_validate(renamed.model_dump(mode="json"))
    except (ValueError, EditError):
        return None


def meaning(text: str) -> list[str]:
    """The lines that a parser acts upon."""
    return [x.strip() for x in text.splitlines() if x.strip() and x.strip()[0] not in "#;"]


def check(name: str) -> None:
    plan = named(name)
    if plan is None:
        return
    quiet = named("quiet")
    assert quiet is not None
    hostile = host_files(plan, "box", name, TODAY)
    normal = host_files(quiet, "box", "quiet", TODAY)
    assert set(hostile) == set(normal)
    for file in ("exports", "rsyncd.secrets", "vsftpd.conf", "nftables.conf", "fstab"):
        ours, theirs = meaning(hostile[file][0]), meaning(normal[file][0])
        # Only the folder, which follows the dataset's name, may differ.
        assert len(ours) == len(theirs), file
        for a, b in zip(ours, theirs, strict=True):
            if "/srv/main/" not in b:
                assert a == b, file
    parser = configparser.ConfigParser(interpolation=None, strict=True)
    parser.read_string("[top]\n" + hostile["rsyncd.conf"][0])
    assert parser.sections() == ["top", "r"]
    assert parser["r"]["auth users"] == "ana"
    assert parser["r"]["read only"] == "no"
    json.loads(json.dumps(files.target_json(plan, "box", name)))
    # Every word of the script stays one word: the shell's own reading of each command.
    for line in setup_script(plan, "box", name).splitlines():
        if line.startswith(("run ", "say ")):
            words = shlex.split(line)
            assert words[0] in ("run", "say")
            if words[0] == "say":
                assert len(words) == 2 or line.startswith('say "+ ')
    assert plain(name).isprintable()


@pytest.mark.parametrize("name", NASTY)
def test_hostile_names_change_no_file_s_meaning(name: str) -> None:
    check(name)


@given(LINES)
@settings(max_examples=40, deadline=None)
def test_any_name_changes_no_file_s_meaning(name: str) -> None:
    check(name)


# --- read back ---------------------------------------------------------------------------------


@pytest.mark.parametrize("kind", ["smb.conf", "exports", "rsyncd.conf", "fstab"])
def test_what_was_written_is_read_back_as_what_the_plan_says(demo: Plan, kind: str) -> None:
    for host in ("heron", "wren", "dipper"):
        found = host_files(demo, host, "revision 1", date(2026, 11, 24))
        if kind not in found:
            continue
        report = read_file(kind, found[kind][0].encode(), demo, host)
        assert report.differences == []
        assert [p.name for p in report.proposals if p.what != "same"] == []
        assert [x for x in report.lines if x.verdict == "not understood"] == []


def test_a_share_that_was_changed_by_hand_is_a_difference(demo: Plan) -> None:
    text = smb_conf(demo, "heron", "r", TODAY)
    text = text.replace("valid users = ines rui tomas\n   guest ok = no", "guest ok = yes", 1)
    text += "\n[attic]\n   path = /srv/elsewhere\n   oplocks = no\n"
    report = read_file("smb.conf", text.encode(), demo, "heron")
    said = " ".join(report.differences)
    assert "guest: none in the plan, read in the file" in said
    assert "share attic is at /srv/elsewhere" in said
    assert [x.text for x in report.lines if x.verdict == "not understood"] == ["oplocks = no"]
    (archive,) = [p for p in report.proposals if p.name == "archive"]
    assert archive.what == "changed"
    assert archive.item["guest"] == "read"


def test_rights_in_the_file_are_set_against_the_plans(demo: Plan) -> None:
    text = smb_conf(demo, "heron", "r", TODAY).replace(
        "write list = ines rui\n", "write list = @household\n", 1
    )
    report = read_file("smb.conf", text.encode(), demo, "heron")
    assert report.differences == ["share archive: tomas has write in the file, read in the plan"]


def test_a_blank_before_the_options_is_everybody(demo: Plan) -> None:
    # exports(5): `host (rw)` exports to host read-only and to everybody else read and write.
    text = "/srv/ridge/negative-scans 192.168.20.5 (rw,sync)\n"
    report = read_file("exports", text.encode(), demo, "heron")
    (line,) = report.lines
    assert line.verdict == "not understood"
    assert "everybody" in line.why
    assert "0.0.0.0/0" in report.proposals[0].item["clients"]


def test_fstab_by_name_and_without_nofail_are_findings() -> None:
    from tests.outside.test_server_tools import serving

    plan = serving()
    text = (
        "/dev/sdb1 /srv/stick btrfs noatime 0 0\n/dev/sda1 / ext4 defaults 0 1\nproc /proc proc 0\n"
    )
    report = read_file("fstab", text.encode(), plan, "box")
    said = " ".join(report.differences)
    assert "which may change: by UUID" in said
    assert "lacks nofail" in said
    assert "/srv/plain is in the plan and not in the file" in said
    assert report.lines[1].verdict == "no matter"


def test_listings_become_accounts_and_groups(demo: Plan) -> None:
    passwd = (
        "root:x:0:0:root:/root:/bin/bash\n"
        "ines:x:3001:3001:Inês Faria-Lund,,,:/home/ines:/bin/bash\n"
        "lena:x:1009:1009:Lena:/home/lena:/bin/bash\n"
        "broken line\n"
    )
    report = read_file("passwd", passwd.encode(), demo, "heron")
    assert [(p.name, p.what) for p in report.proposals] == [("ines", "same"), ("lena", "new")]
    assert "account rui is in the plan and not in the file" in report.differences
    group = "household:x:2000:ines,rui,nobody-here\nsys:x:3:\n"
    report = read_file("group", group.encode(), demo, "heron")
    assert report.lines[0].why == "no such account: nobody-here"
    assert report.proposals[0].what == "changed"


@pytest.mark.parametrize("kind", sorted(READERS))
@given(data=st.binary(max_size=400) | st.text(max_size=400).map(str.encode))
@settings(
    max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
def test_any_bytes_are_reported_or_refused_in_words(demo: Plan, kind: str, data: bytes) -> None:
    try:
        report = read_file(kind, data, demo, "heron")
    except Unreadable:
        return
    text = data.decode("utf-8", "replace")
    # Nothing is dropped: every line with something on it has its verdict.
    told = {x.number for x in report.lines}
    if "\\" not in text:
        try:
            lines = data.decode("utf-8").splitlines()
        except UnicodeDecodeError:
            lines = data.decode("latin-1").splitlines()
        assert {n for n, x in enumerate(lines, 1) if x.strip()} <= told


@pytest.mark.parametrize(
    ("content", "says"),
    [
        (b"a\0b", "no text file"),
        (b"x" * (2**20 + 1), "at most"),
    ],
)
def test_what_is_no_text_is_refused(demo: Plan, content: bytes, says: str) -> None:
    with pytest.raises(Unreadable, match=says):
        read_file("smb.conf", content, demo, "heron")


def test_long_lines_includes_and_latin_1_are_said(demo: Plan) -> None:
    text = (
        b"[x]\n   path = "
        + b"a" * 5000
        + b"\ninclude = /etc/samba/smb.conf\n   comment = caf\xe9\n"
    )
    report = read_file("smb.conf", text, demo, "heron")
    why = " ".join(x.why for x in report.lines)
    assert "longer than" in why
    assert "another file is included" in why
    assert "Latin-1" in why


# --- cards -------------------------------------------------------------------------------------


def test_cards_are_for_those_who_may_and_hold_no_password(demo: Plan) -> None:
    found = cards(demo, TODAY)
    ines = {(c.thing, c.system): c for c in found if c.who == "ines"}
    assert ines["archive", "Windows"].text == (
        'net use Z: "\\\\192.168.20.10\\archive" /user:ines /persistent:yes'
    )
    assert ines["letter slot", "macOS"].text == "smb://ines@192.168.20.10/letter%20slot"
    assert "letter\\040slot" in ines["letter slot", "Linux, fstab"].text
    drawn = codes(found)
    assert drawn[ines["archive", "phone"].text].startswith("data:image/svg+xml")
    assert len([c for c in found if c.scanned]) > len(drawn) == len(set(drawn.values()))
    assert not any(c.who == "tomas" and c.thing == "papers" for c in found)
    letters = [c.text.split()[2] for c in found if c.who == "ines" and c.system == "Windows"]
    assert len(set(letters)) == len(letters)
    iscsi: Any = next(c for c in found if c.system == "iSCSI")
    assert iscsi.who == "iqn.2026-02.lab.lantern:cutter"
    assert not any("assword=" in c.text and "file" not in c.text for c in found)
    assert smb_hosts(demo)


def test_what_a_job_does_has_no_second_timer(demo: Plan) -> None:
    names = {"lab-upkeep-scrub-ridge.timer", "lab-upkeep-bins.timer"}
    assert not names & set(timer_units(demo, "heron", "revision 1", TODAY))
    without = demo.model_copy(
        update={"jobs": tuple(j for j in demo.jobs if j.kind not in ("scrub", "bin"))}
    )
    assert names <= set(timer_units(without, "heron", "revision 1", TODAY))
    assert "upkeep-bins" in crontab(without, "heron", "revision 1", TODAY)


def serving(share: str, host: str = "192.168.1.5", **more: Any) -> Plan:
    """The lab with a share of this name on a box of this address."""
    box = lab().hosts[0].model_copy(update={"address": host})
    return lab(
        hosts=(box, lab().hosts[1]),
        shares=(Share(id="share", name=share, dataset="files"),),
        **more,
    )


@pytest.mark.parametrize(
    "name", ["o'brien && touch x", "a b", "#1 & co", "$(reboot)", "`id`", "möbel", "it's"]
)
def test_no_share_name_runs_in_a_shell_or_breaks_a_table(name: str) -> None:
    mine = {c.system: c.text for c in cards(serving(name), TODAY) if c.who == "ana"}
    words = shlex.split(mine["Linux, once"])
    assert words[:4] == ["mount", "-t", "cifs", f"//192.168.1.5/{name}"]
    source, folder, kind, options, *rest = mine["Linux, fstab"].split(" ")
    assert (folder, kind, rest) == ("/mnt/share", "cifs", ["0", "0"])
    # fstab(5): octal escapes stand for what would end a field or begin a comment.
    assert re.sub(r"\\([0-7]{3})", lambda m: chr(int(m[1], 8)), source) == f"//192.168.1.5/{name}"
    assert "#" not in source
    assert unquote(mine["phone"].rpartition("/")[2]) == name
    assert not {" ", "#", "&", "`", "$"} & set(mine["phone"].rpartition("/")[2])
    assert "iocharset=utf8" in options


def test_an_ipv6_address_stands_as_each_system_names_it() -> None:
    mine = {c.system: c.text for c in cards(serving("files", "fd00::20"), TODAY) if c.who == "ana"}
    assert mine["phone"] == "smb://[fd00::20]/files"
    assert "\\\\fd00--20.ipv6-literal.net\\files" in mine["Windows"]


def test_the_twenty_second_share_of_somebody_gets_whatever_letter_is_free() -> None:
    shares = tuple(Share(id=f"s{n}", name=f"share {n}", dataset="files") for n in range(23))
    grants = tuple(Grant(id=f"g{n}", share=f"s{n}", account="ana", right="read") for n in range(23))
    texts = [
        c.text
        for c in cards(lab(shares=shares, grants=grants), TODAY)
        if c.system == "Windows" and c.who == "ana"
    ]
    assert sum(t.startswith("net use * ") for t in texts) == 2
    assert not any("*:" in t for t in texts)


def test_an_old_server_has_to_be_allowed_by_each_client_and_the_card_says_how() -> None:
    shares = (Share(id="s", name="stick", dataset="files"),)
    grants = (Grant(id="g", share="s", account="ana", right="write"),)

    def told(**more: object) -> dict[str, Card]:
        box = lab().hosts[0].model_copy(update=more)
        plan = lab(shares=shares, grants=grants, hosts=(box, lab().hosts[1]))
        return {c.system: c for c in cards(plan, TODAY)}

    old, strict = told(kind="router", smb="old"), told(smb="strict")
    assert "vers=1.0" in old["Linux, fstab"].text
    assert "SMB 1 client" in old["Windows"].note
    assert all("nothing on it stays secret" in old[s].note for s in ("Windows", "macOS", "phone"))
    assert "vers=3.1.1" in strict["Linux, once"].text
    assert not any("SMB 1" in c.note + c.text for c in strict.values())
    assert not any("vers=" in c.text for c in told().values())


def test_a_module_that_nobody_may_enter_is_left_out_and_cards_end_with_the_account() -> None:
    export = Export(
        id="m",
        protocol="rsync",
        name="m",
        dataset="files",
        clients=("10.0.0.0/8",),
        accounts=("ana",),
    )
    plan = lab(exports=(export,))
    assert "[m]" in files.rsyncd_conf(plan, "box", "r", TODAY).splitlines()
    off = plan.accounts[0].model_copy(update={"enabled": False})
    over = plan.accounts[0].model_copy(update={"expires_on": TODAY})
    for account in (off, over):
        shut = plan.model_copy(update={"accounts": (account, plan.accounts[1])})
        text = files.rsyncd_conf(shut, "box", "r", TODAY)
        assert "[m]" not in text.splitlines()
        assert "auth users" not in text
        assert "ana" not in files.rsyncd_secrets(shut, "box", "r", TODAY).splitlines()[-1]
        assert not [c for c in cards(shut, TODAY) if c.system == "rsync"]


def test_an_iscsi_card_finds_the_target_and_names_itself_before_it_signs_in(demo: Plan) -> None:
    text = next(c.text for c in cards(demo, TODAY) if c.system == "iSCSI")
    order = [
        text.index(w)
        for w in ("discovery", "authmethod -v CHAP", "username", "password", "--login")
    ]
    assert order == sorted(order)


def test_what_runs_out_is_shut_and_told_that_night() -> None:
    plan = lab(
        accounts=(
            lab().accounts[0].model_copy(update={"expires_on": date(2026, 12, 1)}),
            lab().accounts[1],
        ),
        grants=(
            Grant(id="g1", share="share", account="bo", right="read", expires_on=date(2026, 12, 5)),
        ),
    )
    told = json.loads(lab_jobs(plan, "box", "r"))["jobs"]["upkeep-expiry"]
    assert told["accounts"] == [["ana", "2026-12-01"]]
    assert told["grants"] == [["2026-12-05", "the right of bo on files ended"]]
    assert "upkeep-expiry" in crontab(plan, "box", "r", TODAY)


def test_what_was_written_after_a_right_has_run_out_reads_back_without_a_difference() -> None:
    over = TODAY - timedelta(days=1)
    plan = lab(
        grants=(
            Grant(id="g1", share="share", account="ana", right="write", expires_on=over),
            Grant(id="g2", share="share", account="bo", right="read"),
        )
    )
    text = smb_conf(plan, "box", "revision 1", TODAY).encode()
    assert read_file("smb.conf", text, plan, "box", TODAY).differences == []
    # The day before it was another file.
    before = TODAY - timedelta(days=2)
    assert read_file("smb.conf", text, plan, "box", before).differences


@needs("mkfs.ext4")
def test_a_hypervisor_and_a_client_of_a_disk_are_told_all_they_need(tmp_path: Path) -> None:
    base = lab()
    guest = Host(id="guest", name="guest", site="home", kind="hypervisor")
    guest = guest.model_copy(update={"addressing": "static", "address": "192.168.1.20"})
    store = Export(
        id="store",
        protocol="nfs",
        name="store",
        dataset="files",
        clients=("192.168.1.20",),
        may="write",
        squash="none",
    )
    disk = Export(
        id="lun",
        protocol="iscsi",
        name="lun",
        dataset="files",
        clients=("iqn.2026-01.lab:guest",),
        size_bytes=GB,
    )
    plan = lab(hosts=(*base.hosts, guest), exports=(store, disk))
    found = {c.system: c for c in cards(plan, TODAY)}
    assert found["hypervisor, NFS"].who == "guest"
    assert found["hypervisor, NFS"].text.endswith(
        "export /srv/main/files, content: backups, templates"
    )
    assert found["hypervisor, NFS"].note == "its root writes there"
    # It is mounted by a name that stays, after the network.
    line = found["iSCSI, fstab"].text.split()
    assert line[0].startswith("/dev/disk/by-path/ip-")
    assert line[3] == "_netdev,nofail,noatime"
    assert len(line) == 6
    # It is only ever formatted while nothing is on it: wipefs ends well whatever it finds.
    once = found["iSCSI, format once"].text
    path = line[0]
    full, empty = tmp_path / "full", tmp_path / "empty"
    for image in (full, empty):
        image.write_bytes(b"\0" * 2_000_000)
    subprocess.run(["mkfs.ext4", "-q", "-F", str(full)], check=True)
    before = full.read_bytes()
    for image in (full, empty):
        command = once.replace("[ -b ", "[ -e ").replace(path, str(image))
        command = command.replace("mkfs.ext4", "mkfs.ext4 -q -F")
        subprocess.run(["sh", "-c", command], check=False)
    assert full.read_bytes() == before
    assert empty.read_bytes() != b"\0" * 2_000_000


def test_what_takes_a_password_is_roots_alone_and_has_none_that_works() -> None:
    """Unpacked as it is and put in its place, nobody reads what is filled in, and nothing is known before."""
    offered = (
        Export(
            id="r",
            protocol="rsync",
            name="r",
            dataset="files",
            accounts=("ana",),
            clients=("192.168.1.0/24",),
        ),
        Export(
            id="lun",
            protocol="iscsi",
            name="lun",
            dataset="files",
            clients=("iqn.2026-01.lab:guest",),
            size_bytes=GB,
            secured=True,
        ),
        Export(
            id="t",
            protocol="s3",
            name="t",
            dataset="files",
            accounts=("ana",),
            port=9000,
            size_bytes=GB,
            buckets=("kept",),
        ),
    )
    ups = Supply(
        id="u",
        name="u",
        site="home",
        va=900,
        watts=540,
        battery_wh=90,
        hosts=("box",),
        signals=("box",),
    )
    plan = lab(exports=offered, supplies=(ups,))
    with zipfile.ZipFile(io.BytesIO(bundle(plan, "box", "r", TODAY))) as zipped:
        modes = {i.filename: (i.external_attr >> 16) & 0o777 for i in zipped.infolist()}
        texts = {name: zipped.read(name).decode() for name in modes}
    blank = {n for n, text in texts.items() if "SET-ME" in text or '"chap_password": ""' in text}
    blank -= {"README.txt", "s3/s3-t.service"}
    assert blank == {
        "rsyncd.secrets",
        "target.json",
        "s3/s3-t.env",
        "nut/upsd.users",
        "nut/upsmon.conf",
    }
    assert {modes[name] for name in blank} == {0o600}
    # What would count as a password is no line of its own yet; the tenant's unit refuses those words.
    for name in ("rsyncd.secrets", "nut/upsd.users"):
        assert all(x.lstrip().startswith("#") for x in texts[name].splitlines() if "SET-ME" in x)
    refused = next(
        x.partition("sh -c ")[2] for x in texts["s3/s3-t.service"].splitlines() if "StartPre" in x
    )
    command = shlex.split(refused)[0].replace("$$", "$")
    for key, secret, code in (
        ("SET-ME", "SET-ME", 1),
        ("k", "SET-ME", 1),
        ("", "", 1),
        ("k", "s", 0),
    ):
        words = {"S3_ADMIN_KEY": key, "S3_ADMIN_SECRET": secret}
        done = subprocess.run(["sh", "-c", command], check=False, env=words, capture_output=True)
        assert done.returncode == code, words
