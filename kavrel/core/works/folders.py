"""Who may do what in the folders of a host: owner, group, mode and access list, from all protocols.

A server hands the plan's rights on only as far as the folder lets it: smbd, vsftpd and sshd touch
files as whoever signed in, a container as its account. So a folder lets in everybody whom any grant,
export or application lets in, by POSIX access lists, and new files take the list over by its
default entries. What single shares give less stands in the servers' own files.

The mode's second digit is the mask of the list: what it lacks, nobody but the owner has, whatever
is granted. Its third digit is everybody else's. Source: acl(5), setfacl(1).
"""

from collections import defaultdict
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import date

from kavrel.core.index import Index
from kavrel.core.plan import Account, Dataset
from kavrel.core.shares.access import access_matrix
from kavrel.core.shares.names import SYSTEM_NAMES, folders
from kavrel.core.shares.parts import parts_of
from kavrel.core.shares.protocols import PROTOCOLS
from kavrel.core.works.secured import taken
from kavrel.core.works.work import Work

READ, WRITE, PASS = 5, 7, 1  # r-x, rwx, and --x: through to a folder below
RIGHT = {"none": 0, "read": READ, "write": WRITE}
NOBODY = "nobody"  # whom guests, and clients that are all squashed, are taken for


def bits(count: int) -> str:
    """Rights as a list has them: 7 is rwx."""
    return "".join(c if count & b else "-" for c, b in (("r", 4), ("w", 2), ("x", 1)))


@dataclass(frozen=True)
class Lack:
    """A right that the plan grants and the chosen mode takes away again."""

    who: str
    granted: int
    left: int


@dataclass(frozen=True)
class FolderAccess(Work):
    """A folder's owner, group, mode and list.

    `users` and `groups`: named entries, by login and group. `lacks`: what the mode takes away.
    """

    fields = (
        "datasets.owner",
        "datasets.mode",
        "grants.share",
        "grants.account",
        "grants.group",
        "grants.right",
        "grants.expires_on",
        "mounts.may",
    )

    folder: str
    owner: str
    group: str
    mode: str
    group_bits: int
    users: Mapping[str, int]
    groups: Mapping[str, int]
    lacks: tuple[Lack, ...]

    def entries(self) -> tuple[str, ...]:
        """The list as `getfacl -cpE` prints it, in order of the alphabet."""
        digits = [int(d, 8) for d in self.mode[-3:]]
        base = {
            "user::": digits[0],
            "group::": self.group_bits,
            "mask::": digits[1],
            "other::": digits[2],
        }
        named = {f"user:{n}:": b for n, b in self.users.items()}
        named |= {f"group:{n}:": b for n, b in self.groups.items()}
        # Whoever only passes through gets nothing of what is made here.
        inner = base | {k: 0 if b == PASS else b for k, b in named.items()}
        lines = [f"{k}{bits(b)}" for k, b in (base | named).items()]
        lines += [f"default:{k}{bits(b)}" for k, b in inner.items()]
        return tuple(sorted(lines))


@dataclass(frozen=True)
class HomeFolder(Work):
    """One account's private folder."""

    fields = ("shares.home", "shares.guest")

    folder: str
    login: str


def folder_works(index: Index, host: str | None, today: date) -> Iterator[FolderAccess]:
    """One for each dataset that lies on the host, or on any, parents first."""
    paths = folders(index.plan)
    wanted = _Wanted(index, today)
    mine = [d for d in index.plan.datasets if host in (None, index.pools[d.pool].host)]
    for dataset in sorted(mine, key=lambda d: paths[d.id].count("/")):
        yield _access(index, wanted, dataset, paths[dataset.id], today)


def home_works(index: Index, host: str, today: date) -> Iterator[HomeFolder]:
    """The private folders of every share of home folders: for whom the share lets in."""
    paths = folders(index.plan)
    for cell in access_matrix(index, today):
        share = index.shares[cell.share]
        dataset = index.datasets[share.dataset]
        if not share.home or cell.right == "none" or index.pools[dataset.pool].host != host:
            continue
        login = index.accounts[cell.account].login
        folder = f"{paths[dataset.id]}/{login}"
        yield HomeFolder(
            key=f"home/{folder}",
            what=f"{login}'s own folder in {share.name}",
            makes=(("shares", share.id),),
            needs=(f"account/{login}", f"folder/{paths[dataset.id]}"),
            see=f"stat -c '%U %a' {folder}",
            back=f"mv {folder} {folder}.old",
            by_hand="",
            folder=folder,
            login=login,
        )


class _Wanted:
    """What each account, group and nobody should be able to do in each dataset's folder."""

    def __init__(self, index: Index, today: date) -> None:
        self.index = index
        self.today = today
        self.users: dict[str, dict[str, int]] = defaultdict(dict)
        self.servers: set[str] = set()
        self.groups: dict[str, dict[str, int]] = defaultdict(dict)
        self.within = parts_of(index)
        for subject in (self._shares, self._exports, self._apps):
            subject()
        self._through()

    def _let(self, dataset: str, login: str, right: int) -> None:
        if login == NOBODY or login not in SYSTEM_NAMES:
            self.users[dataset][login] = self.users[dataset].get(login, 0) | right

    def _let_in(self, dataset: str, login: str, right: int) -> None:
        """Into the folder and into what is a part of it."""
        for each in (dataset, *self.within.get(dataset, ())):
            self._let(each, login, right)

    def _shares(self) -> None:
        index = self.index
        for cell in access_matrix(index, self.today):
            share = index.shares[cell.share]
            # In a folder of homes everybody has one of their own, and passes through to it.
            login = index.accounts[cell.account].login
            if share.home:
                self._let(share.dataset, login, min(RIGHT[cell.right], PASS))
            else:
                self._let_in(share.dataset, login, RIGHT[cell.right])
        for share in index.plan.shares:
            if share.guest != "none" and not share.home:
                self._let_in(share.dataset, NOBODY, RIGHT[share.guest])
        for grant in index.plan.grants:
            over = grant.expires_on is not None and grant.expires_on <= self.today
            share = index.shares[grant.share]
            if grant.group and not over and not share.home:
                name = index.groups[grant.group].name
                for each in (share.dataset, *self.within.get(share.dataset, ())):
                    right = self.groups[each].get(name, 0) | RIGHT[grant.right]
                    if right and name not in SYSTEM_NAMES:
                        self.groups[each][name] = right

    def _exports(self) -> None:
        index = self.index
        for export in index.plan.exports:
            own = PROTOCOLS[export.protocol].runs_as(export)
            if own and not taken(index, own):
                self.servers.add(own)
                self._let_in(export.dataset, own, WRITE)
            for account, right in PROTOCOLS[export.protocol].hands(export):
                if account is None:
                    self._let_in(export.dataset, NOBODY, RIGHT[right])
                elif index.accounts[account].works_on(self.today):
                    self._let_in(export.dataset, index.accounts[account].login, RIGHT[right])

    def _apps(self) -> None:
        apps = {a.id: a for a in self.index.plan.apps}
        for mount in self.index.plan.mounts:
            account = self.index.accounts.get(apps[mount.app].account or "")
            if account and account.works_on(self.today):
                self._let_in(mount.dataset, account.login, RIGHT[mount.may])

    def _through(self) -> None:
        """Whoever may into a folder has to get through those above it."""
        for dataset in self.index.plan.datasets:
            above = dataset.parent
            while above:
                for login, right in self.users[dataset.id].items():
                    self._let(above, login, PASS if right else 0)
                for name, right in self.groups[dataset.id].items():
                    held = self.groups[above].get(name, 0)
                    self.groups[above][name] = held | (PASS if right else 0)
                above = self.index.datasets[above].parent


def _access(
    index: Index, wanted: _Wanted, dataset: Dataset, folder: str, today: date
) -> FolderAccess:
    owner = index.accounts.get(dataset.owner or "")
    # One that is switched off may not be there: root keeps it until somebody else owns it.
    able = owner and owner.works_on(today) and owner.login not in SYSTEM_NAMES
    login = owner.login if owner and able else "root"
    people, groups = wanted.users[dataset.id], dict(wanted.groups[dataset.id])
    writing = [n for n, right in groups.items() if right == WRITE]
    group = writing[0] if len(writing) == 1 else "root"
    group_bits = groups.pop(group, 0)
    digits = [int(d, 8) for d in dataset.mode[-3:]]
    users = {}
    for account in index.plan.accounts:
        name = account.login
        want = people.get(name, 0)
        if name in SYSTEM_NAMES or not account.works_on(today):
            continue
        # The owner of the folder is not that of what others make in it.
        if name == login and not want:
            continue
        if want != _by_groups(index, account, {**groups, group: group_bits}, digits[2]):
            users[name] = want
    users |= {n: people[n] for n in sorted(wanted.servers) if people.get(n, 0) & ~digits[2]}
    if people.get(NOBODY, 0) & ~digits[2]:
        users[NOBODY] = people[NOBODY]
    named = {**users, **{f"group {n}": b for n, b in groups.items()}}
    if group_bits:
        named[f"group {group}"] = group_bits
    lacks = [Lack(n, b, b & digits[1]) for n, b in named.items() if b & ~digits[1]]
    mine = people.get(login, 0)
    if mine & ~digits[0]:
        lacks.append(Lack(login, mine, mine & digits[0]))
    return FolderAccess(
        key=f"folder/{folder}",
        what=f"who may do what in {dataset.name}",
        makes=(("datasets", dataset.id),),
        needs=(
            f"dataset/{folder}",
            *(f"account/{n}" for n in (*users, login) if n not in (NOBODY, "root")),
            *(f"group/{n}" for n in (*groups, group) if n != "root"),
        ),
        see=f"getfacl -p {folder}",
        back=f"setfacl -b {folder}",
        by_hand="",
        folder=folder,
        owner=login,
        group=group,
        mode=dataset.mode,
        group_bits=group_bits,
        users=users,
        groups=groups,
        lacks=tuple(sorted(lacks, key=lambda one: one.who)),
    )


def may_in(index: Index, work: FolderAccess, account: Account | None) -> int:
    """Bits that an account has in a folder by acl(5), or whoever is taken for nobody."""
    owners, mask, others = (int(d, 8) for d in work.mode[-3:])
    login = account.login if account else NOBODY
    if login == work.owner:
        return owners
    if login in work.users:
        return work.users[login] & mask
    if account is None:
        return others
    groups = {n: b & mask for n, b in work.groups.items()}
    return _by_groups(index, account, {**groups, work.group: work.group_bits & mask}, others)


def anybody_may(work: FolderAccess) -> int:
    """Bits of whoever may say himself which number he has, root's excepted."""
    owners, mask, others = (int(d, 8) for d in work.mode[-3:])
    named = (*work.users.values(), *work.groups.values(), work.group_bits)
    held = others | (owners if work.owner != "root" else 0)
    for one in named:
        held |= one & mask
    return held


def _by_groups(index: Index, account: Account, groups: Mapping[str, int], others: int) -> int:
    """What an account may without an entry of its own: acl(5), the access check algorithm.

    Any matching group entry that grants what is asked lets it in; with one that does not, and no
    other, it is refused; the entry of all others counts for whoever is in none of these groups.
    """
    mine = {g.name for g in index.plan.groups if account.id in g.members}
    bits = [b for n, b in groups.items() if n in mine]
    return max(bits) if bits else others
