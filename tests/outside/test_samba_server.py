"""A real smbd on loopback against the predicted matrix: every cell is tried with smbclient.

Source: smbd and smbclient of Samba 4.17, started from the generated smb.conf with real accounts.
"""

import os
import random
import re
import shutil
import subprocess
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from kavrel.core.index import Index
from kavrel.core.plan import Account, Dataset, Grant, Group, Host, Plan, Share
from kavrel.core.shares.access import access_matrix
from kavrel.core.shares.names import folders
from kavrel.formats.samba import smb_conf, smb_hosts
from kavrel.rig.real.smb_visits import PASSWORD, visit
from tests.builders import GB, TODAY, lab
from tests.conftest import free_port, needs, until_it_answers
from tests.outside import OF_A_TEST

pytestmark = [needs("smbd"), needs("smbclient"), needs("smbpasswd")]
ROOT_ONLY = pytest.mark.skipif(os.geteuid() != 0, reason="real accounts need root")


class Server:
    """smbd with the generated shares below a folder of its own."""

    def __init__(self, plan: Plan, host: str, folder: Path) -> None:
        self.plan, self.host, self.folder = plan, host, folder
        self.accounts = [a for a in plan.accounts if a.enabled]
        self.made: list[str] = []
        self.process: subprocess.Popen[bytes] | None = None
        text = smb_conf(plan, host, "revision 1", TODAY)
        index = Index(plan)
        self.shares = [
            s for s in plan.shares if index.pools[index.datasets[s.dataset].pool].host == host
        ]
        for share in self.shares:
            real = folder / "data" / share.id
            real.mkdir(parents=True)
            # The machine's own modes count too: here they let everybody in, so that SMB decides.
            real.chmod(0o777)
            (real / "seen.txt").write_text("seen")
            place = folders(plan)[share.dataset]
            text = text.replace(f"path = {place}", f"path = {real}")
            # Where each dataset is mounted by itself, this folder is not one: it says what the file says.
            (folder / "data" / f"{share.id}.mounted").touch()
            text = text.replace(f"mountpoint -q {place}", f"test -e {real}.mounted")
        folder.chmod(0o755)
        self.port = free_port()
        private = folder / "private"
        private.mkdir(mode=0o700)
        more = "\n".join(
            [
                "[global]",
                "   interfaces = 127.0.0.1",
                "   bind interfaces only = yes",
                f"   smb ports = {self.port}",
                f"   private dir = {private}",
                *(
                    f"   {what} directory = {folder / 'run'}"
                    for what in ("lock", "state", "cache", "pid")
                ),
                f"   ncalrpc dir = {folder / 'run' / 'rpc'}",
                f"   log file = {folder / 'log'}",
                f"   passdb backend = tdbsam:{private / 'passdb.tdb'}",
            ]
        )
        (folder / "run").mkdir()
        text = re.sub(r"   log file = /var/log.*\n", "", text)
        self.config = folder / "smb.conf"
        self.config.write_text(text.replace("[global]", more, 1), encoding="utf-8")

    def start(self) -> None:
        """Makes the accounts and waits until smbd answers."""
        for account in self.accounts:
            if subprocess.run(["id", account.login], check=False, capture_output=True).returncode:
                made = ["useradd", "-M", "-c", OF_A_TEST, "-s", "/usr/sbin/nologin", account.login]
                subprocess.run(made, check=True)
                self.made.append(account.login)
            subprocess.run(
                ["smbpasswd", "-c", str(self.config), "-s", "-a", account.login],
                input=f"{PASSWORD}\n{PASSWORD}\n",
                text=True,
                check=True,
                capture_output=True,
            )
        self.process = subprocess.Popen(
            ["smbd", "--foreground", "--no-process-group", "-s", str(self.config)],
            # When it ends it ends its whole process group: not ours.
            start_new_session=True,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        until_it_answers(self.port)
        # To answer is not yet to serve: the first who comes may be told that there is no memory.
        visit(self.port, self.shares[0].name, self.accounts[0].login, "exit")

    def stop(self) -> None:
        if self.process:
            self.process.terminate()
            self.process.wait(90)
        # What it started to list its shares lives on by itself.
        subprocess.run(["pkill", "-f", f"configfile={self.config}"], check=False)
        for login in self.made:
            subprocess.run(["userdel", login], check=True, capture_output=True)

    def right(self, login: str | None, share: Share) -> str:
        """What somebody can really do: none, read or write; no login is a guest."""
        name = f"w-{login or 'guest'}.txt"
        out = self.folder / "got.txt"
        out.unlink(missing_ok=True)
        # Listing, reading and writing in one visit; each is judged by what is there afterwards.
        command = f"ls; get seen.txt {out}; put {self.config} {name}"
        listing = visit(self.port, share.name, login or "", command)
        read = out.exists() and out.read_text() == "seen"
        wrote = (self.folder / "data" / share.id / name).exists()
        assert ("seen.txt" in listing.replace("\\seen.txt", "")) == read
        assert read or not wrote
        return "write" if wrote else "read" if read else "none"


@pytest.fixture
def serve() -> Iterator[list[Server]]:
    started: list[Server] = []
    yield started
    for server in started:
        server.stop()
        shutil.rmtree(server.folder, ignore_errors=True)


def tried(plan: Plan, host: str, started: list[Server]) -> dict[tuple[str, str], str]:
    """Every cell of the host's matrix and a guest's, tried for real."""
    # pytest's own folders can be entered by root alone.
    server = Server(plan, host, Path(tempfile.mkdtemp(prefix="kavrel-smb-")))
    started.append(server)
    server.start()
    found = {}
    for share in server.shares:
        if share.home:
            continue  # each account has a folder of its own there
        for account in plan.accounts:
            found[account.login, share.id] = server.right(account.login, share)
        found["", share.id] = server.right(None, share)
    return found


def predicted(plan: Plan, host: str) -> dict[tuple[str, str], str]:
    index = Index(plan)
    logins = {a.id: a.login for a in plan.accounts}
    mine = {
        s.id: s
        for s in plan.shares
        if index.pools[index.datasets[s.dataset].pool].host == host and not s.home
    }
    found = {
        (logins[c.account], c.share): c.right
        for c in access_matrix(index, TODAY)
        if c.share in mine
    }
    return {**found, **{("", s.id): s.guest for s in mine.values()}}


@ROOT_ONLY
@pytest.mark.xdist_group("samba")
def test_every_cell_of_the_demo_lab_is_what_a_real_server_gives(
    demo: Plan, serve: list[Server]
) -> None:
    for host in smb_hosts(demo):
        assert tried(demo, host, serve) == predicted(demo, host)


@ROOT_ONLY
@pytest.mark.xdist_group("samba")
@pytest.mark.parametrize("seed", [1, 2])
def test_random_grants_are_what_a_real_server_gives(seed: int, serve: list[Server]) -> None:
    luck = random.Random(seed)
    accounts = tuple(
        Account(
            id=f"a{n}",
            login=f"kv{seed}user{n}",
            full_name="somebody",
            # An account that ran out or is off gives nothing, whatever it was granted.
            expires_on=TODAY if n == 4 else None,
        )
        for n in range(5)
    )
    groups = tuple(
        Group(
            id=f"g{n}", name=f"kvg{n}", members=tuple(a.id for a in accounts if luck.random() < 0.5)
        )
        for n in range(3)
    )
    shares = tuple(
        Share.model_validate(
            {
                "id": f"s{n}",
                "name": f"share {n}" if n else "plain",
                "dataset": f"d{n}",
                "guest": luck.choice(["none", "none", "read", "write"]),
            }
        )
        for n in range(4)
    )
    grants: list[Grant] = []
    for share in shares:
        for kind, things in (("account", accounts), ("group", groups)):
            for thing in things:
                if luck.random() < 0.45:
                    grants.append(
                        Grant.model_validate(
                            {
                                "id": f"x{len(grants)}",
                                "share": share.id,
                                kind: thing.id,
                                "right": luck.choice(["none", "read", "write"]),
                            }
                        )
                    )
    plan = lab(
        hosts=(Host(id="box", name="box", site="home", bays_35=6), lab().hosts[1]),
        datasets=tuple(
            Dataset(id=f"d{n}", name=f"data {n}", pool="main", size_bytes=GB) for n in range(4)
        ),
        accounts=accounts,
        groups=groups,
        shares=shares,
        grants=tuple(grants),
    )
    found = tried(plan, "box", serve)
    expected = predicted(plan, "box")
    # Who ran out still has an account on the server: as an unknown hand it is what a guest is.
    assert {k: v for k, v in found.items() if k[0] != accounts[4].login} == {
        k: v for k, v in expected.items() if k[0] != accounts[4].login
    }
    for share in shares:
        ran_out = found[accounts[4].login, share.id]
        assert ran_out in ("none", share.guest)


@ROOT_ONLY
@pytest.mark.xdist_group("samba")
def test_everybody_has_a_bin_of_their_own_and_files_keep_their_date(serve: list[Server]) -> None:
    """vfs_recycle(8): the first who deletes makes .bin; the next still has to get into it."""
    if not list(Path("/usr/lib").glob("*/samba/vfs/recycle.so")):
        pytest.skip("vfs_recycle is not on this machine")
    grants = tuple(
        Grant(id=f"g{n}", share="share", account=who, right="write")
        for n, who in enumerate(("ana", "bo"))
    )
    shares = (Share(id="share", name="files", dataset="files", recycle_days=7),)
    plan = lab(
        accounts=tuple(a.model_copy(update={"login": f"kvbin{a.login}"}) for a in lab().accounts),
        shares=shares,
        grants=grants,
    )
    server = Server(plan, "box", Path(tempfile.mkdtemp(prefix="kavrel-smb-")))
    serve.append(server)
    server.start()
    folder = server.folder / "data" / "share"
    long_ago = time.time() - 400 * 86_400
    for login in ("kvbinana", "kvbinbo"):
        mine = folder / f"of {login}.txt"
        mine.write_text(login, encoding="utf-8")
        mine.chmod(0o666)
        os.utime(mine, (long_ago, long_ago))
        visit(server.port, "files", login, f'del "{mine.name}"')
        thrown = folder / ".bin" / login / mine.name
        assert thrown.read_text(encoding="utf-8") == login  # not gone for good
        state = thrown.stat()
        assert abs(state.st_mtime - long_ago) < 2  # so its own date says nothing of the move
        assert state.st_ctime > time.time() - 120
        assert (folder / ".bin" / login).stat().st_mode & 0o777 == 0o700


@ROOT_ONLY
@pytest.mark.xdist_group("samba")
def test_a_hidden_share_is_opened_by_its_name_and_a_place_for_pcs_takes_what_they_write(
    serve: list[Server],
) -> None:
    """Source: smb.conf(5), browseable and server min protocol; vfs_fruit(8); the server itself."""
    base = lab()
    who = Account(id="ana", login="kvsmb", full_name="Ana")
    kept = [d.model_copy(update={"quota_bytes": 10 * GB}) for d in base.datasets]
    shares = (
        Share(id="seen", name="seen", dataset="files"),
        Share(id="veiled", name="veiled", dataset="files", hidden=True),
        Share(id="pcs", name="pcs", dataset="files", pc_backups=True),
    )
    grants = tuple(Grant(id=s.id, share=s.id, account="ana", right="write") for s in shares)
    strict = base.hosts[0].model_copy(update={"smb": "strict"})
    fields = {"accounts": (who,), "groups": (), "shares": shares, "grants": grants}
    plan = lab(**fields, datasets=kept, hosts=(strict, base.hosts[1]))
    server = Server(plan, "box", Path(tempfile.mkdtemp(prefix="kavrel-smb-")))
    serve.append(server)
    server.start()
    assert "fruit:time machine max size = 9536M" in server.config.read_text()
    listed = _asked(server, "-L", "//127.0.0.1")
    assert re.search(r"^\s+seen\s+Disk", listed, re.MULTILINE)
    assert "veiled" not in listed
    for share in shares:
        put = f"put {server.config} of-{share.id}; ls"
        assert f"of-{share.id}" in _asked(server, f"//127.0.0.1/{share.name}", "-c", put)
    # Only the newest dialect is let in: an older client is told so by the server.
    assert "NT_STATUS" in _asked(server, "//127.0.0.1/seen", "-m", "SMB3_00", "-c", "ls")
    assert "seen.txt" in _asked(server, "//127.0.0.1/seen", "-m", "SMB3_11", "-c", "ls")
    # A locked dataset is no share, rather than an empty one; once it is opened whoever comes is let in.
    mounted = server.folder / "data" / "seen.mounted"
    mounted.unlink()
    assert "NT_STATUS_ACCESS_DENIED" in _asked(server, "//127.0.0.1/seen", "-c", "ls")
    mounted.touch()
    assert "seen.txt" in _asked(server, "//127.0.0.1/seen", "-c", "ls")


def _asked(server: Server, *words: str) -> str:
    done = subprocess.run(
        ["smbclient", *words, "-p", str(server.port), "-U", f"kvsmb%{PASSWORD}", "-s", "/dev/null"],
        check=False,
        capture_output=True,
        text=True,
    )
    return done.stdout + done.stderr
