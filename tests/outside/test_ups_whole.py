"""The UPS chain lived through: a real driver for trying, upsd, upssched and two upsmon on one small net.

The driver is the dummy of Network UPS Tools 2.8; the files are those of the bundle, but for the driver's
name, the passwords, and a command that notes the stop. Source: the tools themselves.
"""

import os
import re
import shutil
import subprocess
from pathlib import Path

import pytest

from kavrel.core.index import Index
from kavrel.core.plan import Host, Plan, Supply
from kavrel.core.typed import commands
from kavrel.core.works.ups import power_works
from kavrel.formats.servers.files import nftables_conf
from kavrel.formats.servers.ups import ups_files
from tests.builders import lab
from tests.conftest import needs
from tests.outside import uml
from tests.outside.test_starts_whole import MAIL, said, unpacked

pytestmark = [
    needs("unshare"),
    needs("upsd"),
    needs("upsmon"),
    pytest.mark.skipif(os.geteuid() != 0, reason="namespaces need root"),
]
DUMMY = Path("/lib/nut/dummy-ups")
RUNNER = """
ip link set lo up; ip address add 192.168.1.10/32 dev lo
mount -t tmpfs none /run/nut; chown nut:nut /run/nut
mount --bind {work}/box /etc/nut
logger() {{ :; }}
cp {work}/online {work}/box/cut.dev
/lib/nut/dummy-ups -a cellar -u root >/dev/null 2>&1
/lib/nut/upsd -u root >/dev/null 2>&1
upsmon -u root >/dev/null 2>&1
NUT_ALTPIDPATH=/run/nut/far NUT_CONFPATH={work}/far unshare -m sh -c '
  mkdir /run/nut/far; mount --bind {work}/far /etc/nut; mount --bind /run/nut/far /run/nut
  upsmon -u root >/dev/null 2>&1'
until_true() {{ for _ in $(seq 300); do eval "$1" && return 0; sleep 0.1; done; echo "never: $1"; return 1; }}
clients() {{ upsc -c cellar 2>/dev/null | wc -l; }}
until_true '[ "$(upsc cellar ups.status 2>/dev/null)" = OL ]'
until_true '[ "$(clients)" = 2 ]' && echo both listen
cp {work}/battery {work}/box/cut.dev
until_true '[ "$(upsc cellar ups.status 2>/dev/null)" = "OB" ]' && echo on battery
[ "{short}" = yes ] && until_true '[ -e /run/nut/upssched.pipe ]' && cp {work}/online {work}/box/cut.dev
until_true '{until}' && echo done
ls {work}/box {work}/far | grep stopped | sort
kill $(cat /run/nut/*.pid /run/nut/far/*.pid 2>/dev/null) 2>/dev/null
"""


def told() -> Plan:
    """Two boxes on one UPS, one with a page of its own, which all stop three seconds after a cut."""
    base = lab()
    more = (
        Host(id="second", name="second", site="home", addressing="static", address="192.168.1.11"),
        Host(id="gate", name="gate", site="home", kind="router", ports_usb=1),
    )
    box = base.hosts[0].model_copy(update={"addressing": "static", "address": "192.168.1.10"})
    supply = Supply(
        id="cellar",
        name="cellar",
        site="home",
        va=900,
        watts=540,
        battery_wh=216,
        hosts=("box", "second"),
        signals=("gate", "second", "box"),
        delay_minutes=0.05,
    )
    hosts = (box, *base.hosts[1:], *more)
    return base.model_copy(update={"hosts": hosts, "supplies": (supply,)})


def place(folder: Path, files: dict[str, str]) -> None:
    folder.mkdir()
    for name, text in files.items():
        for ours, here in (
            ("# password", "password"),
            ("SET-ME", "words"),
            ("driver = usbhid-ups", "driver = dummy-ups"),
            ("port = auto", "port = cut.dev"),
            ("/sbin/shutdown -h +0", f"touch {folder}/{folder.name}-stopped"),
        ):
            text = text.replace(ours, here)  # noqa: PLW2901
        path = folder / name.partition("/")[2]
        path.write_text(text, encoding="utf-8")
        path.chmod(0o755 if path.name == "upssched-cmd" else 0o640)


def lived(work: Path, short: bool, until: str) -> str:
    # The cable goes to the first that takes files; the router's web page asks over the net.
    place(work / "far", ups_files(told(), "box", "revision 1"))
    place(work / "box", ups_files(told(), "second", "revision 1"))
    far = work / "far" / "upsmon.conf"
    far.write_text(far.read_text().replace("192.168.1.11", "192.168.1.10"), encoding="utf-8")
    for name, status in (("online", "OL"), ("battery", "OB")):
        (work / name).write_text(f"ups.status: {status}\nbattery.charge: 90\n", encoding="utf-8")
    script = RUNNER.format(work=work, short="yes" if short else "no", until=until.format(work=work))
    done = subprocess.run(
        ["unshare", "-m", "-n", "--pid", "--fork", "--kill-child", "sh", "-c", script],
        capture_output=True,
        text=True,
        check=False,
        timeout=360,
    )
    return done.stdout + done.stderr


@pytest.mark.prove
@pytest.mark.skipif(not DUMMY.exists(), reason="the driver for trying is not here")
def test_after_the_wait_both_boxes_stop_the_one_with_the_cable_last(tmp_path: Path) -> None:
    said = lived(tmp_path, False, "[ -e {work}/box/box-stopped ]")
    assert "both listen" in said, said
    assert said.splitlines()[-3:] == ["done", "box-stopped", "far-stopped"], said


# What Debian's packages enable, and a UPS that says what a file says.
INSTALLED = """
rm /etc/systemd/system/systemd-logind.service # shutdown(8) asks it
systemctl enable nut-driver-enumerator.path nut-driver-enumerator.service nut-driver.target nut-server \
  nut-monitor nut.target 2>/dev/null
systemctl start nut.target
"""
MAILS = r"""
mails() {
  for n in $(seq 180); do grep -q "$1" /job/mails && break; sleep 3; done
  sed -n 's/^Subject: box: /mail /p' /job/mails
}
"""
WATCHES = """
watches() {
  for n in $(seq "${2:-60}"); do { CHECK; } >/dev/null 2>&1 && echo "$1 answers" && return; sleep 3; done
  echo "$1 not"
}
"""


def said_in_mails(work: Path) -> list[str]:
    """What somebody was told since it was last asked."""
    mails = work / "mails"
    subjects = re.findall(r"^Subject: box: (.*)$", mails.read_text(encoding="utf-8"), re.M)
    mails.write_text("", encoding="utf-8")
    return subjects


@pytest.mark.prove
@pytest.mark.whole_box
@pytest.mark.skipif(not DUMMY.exists(), reason="the driver for trying is not here")
@pytest.mark.skipif(not uml.can_start_whole(), reason="no user-mode-linux with systemd here")
def test_a_whole_box_set_up_by_the_words_stops_itself_on_battery_and_comes_back(
    tmp_path: Path,
) -> None:
    """As a person does it, by the words of the runbook; under systemd, as Debian's packages start it."""
    plan = told()
    (work,) = power_works(Index(plan), "second")
    service = work.service
    unpacked(plan, tmp_path / "bundle", "second")
    for name, status in (("online", "OL"), ("battery", "OB"), ("worn", "OL RB")):
        (tmp_path / name).write_text(
            f"ups.status: {status}\nbattery.charge: 90\n", encoding="utf-8"
        )
    tmp_path.chmod(0o755)
    (tmp_path / "mails").touch(mode=0o666)
    (tmp_path / "mails").chmod(0o666)  # it is nut that tells
    box = uml.Whole(tmp_path, [])
    files = "\n".join(f"cp {name} {place}" for name, place in service.files)
    watches = WATCHES.replace("CHECK", service.check)
    first = box.start(
        MAIL
        + INSTALLED
        + watches
        + f"cd /job/bundle; cp /job/online /job/cut.dev\n{files}\n"
        + "sed -i 's/= usbhid-ups/= dummy-ups/; s,= auto,= /job/cut.dev,' /etc/nut/ups.conf\n"
        + "\n".join(commands(service.before))
        + f"\n{service.start}\nwatches unset 9\n"
        + "sed -i 's/# password/password/; s/SET-ME/words/' /etc/nut/upsd.users /etc/nut/upsmon.conf\n"
        + f"{service.start}\nwatches set\nstat -c 'file %a %U %G' /etc/nut/upsd.users\n"
    )
    # Nobody is told before somebody has set the words, and what is typed to see it says so.
    assert said(first, "unset") == ["not"], first
    assert said(first, "set") == ["answers"], first
    assert said(first, "file") == ["640 root nut"]
    said_in_mails(tmp_path)  # it had no words yet
    cut = box.start(
        watches
        + MAILS
        + "echo state $(systemctl is-system-running); watches again\ncp /job/worn /job/cut.dev; mails wears\n"
        + "cp /job/battery /job/cut.dev; sleep 120; echo never; journalctl -u nut-monitor | tail -30\n"
    )
    assert said(cut, "state") == ["running"]
    assert said(cut, "again") == ["answers"], cut
    # A start tells nobody anything: only what is so.
    assert said(cut, "mail") == ["the battery of cellar wears out"]
    assert "never" not in cut
    assert said_in_mails(tmp_path) == [
        "the battery of cellar wears out",
        "it stops, for there is no power",
    ]
    shutil.copy(tmp_path / "online", tmp_path / "cut.dev")
    back = box.start(
        watches
        + MAILS
        # A flag that lay there still would cut the power of all at the next start.
        + "echo state $(systemctl is-system-running); watches back; ls /etc/killpower | sed 's/^/lies /'\n"
        + "rm /lib/nut/dummy-ups\n"
    )
    assert said(back, "state") == ["running"], back
    assert said(back, "back") == ["answers"], back
    assert not said(back, "lies"), back
    silent = box.start(MAILS + "mails 'nothing answers'\n")
    assert said(silent, "mail") == ["nothing answers for cellar"]


@pytest.mark.prove
@pytest.mark.skipif(not DUMMY.exists(), reason="the driver for trying is not here")
def test_a_cut_that_ends_in_time_stops_nobody(tmp_path: Path) -> None:
    # Whatever counts the seconds ends once it has nothing left to count.
    until = "[ ! -e /run/nut/upssched.pipe ]"
    said = lived(tmp_path, True, until)
    assert "on battery" in said, said
    assert "done" in said
    assert "stopped" not in said


def test_who_has_the_cable_who_asks_over_the_net_and_who_is_let_in() -> None:
    plan = told()
    assert set(ups_files(plan, "second", "r")) > set(ups_files(plan, "box", "r"))
    assert ups_files(plan, "gate", "r") == {}
    assert re.search(
        r"^MONITOR cellar@192.168.1.11 1 others SET-ME secondary$",
        ups_files(plan, "box", "r")["nut/upsmon.conf"],
        re.M,
    )
    let_in = [x for x in nftables_conf(plan, "second", "r").splitlines() if "dport 3493" in x]
    assert any("192.168.1.10" in x for x in let_in)
    assert (
        "HOSTSYNC 135" in ups_files(plan, "second", "r")["nut/upsmon.conf"]
    )  # two minutes, and some
