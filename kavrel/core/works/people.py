"""Groups and accounts of a host: those of the plan, never the system's own.

Sources: useradd(8), usermod(8), groupadd(8).
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import date

from kavrel.core.index import Index
from kavrel.core.plan import Account, Group
from kavrel.core.shares.names import SYSTEM_NAMES, folders
from kavrel.core.shares.protocols import PROTOCOLS
from kavrel.core.typed import typed
from kavrel.core.works.set_up import is_set_up
from kavrel.core.works.work import Work


@dataclass(frozen=True)
class GroupThere(Work):
    """A group that exists; `number`: its gid by the plan, None: the box gives one."""

    fields = ("groups.name", "groups.number")

    name: str
    number: int | None


@dataclass(frozen=True)
class AccountThere(Work):
    """An account that can sign in to services, and to no shell.

    `groups` are those that it is in besides its own. `own_group` is False where a group of the plan
    has its name, with members that somebody chose. `ends`: the first day on which it no longer works.
    `home`: the folder that it signs in to where a server insists on one, empty elsewhere: vsftpd
    refuses whose home is not there. `number`: its uid by the plan, None: the box gives one.
    """

    fields = (
        "accounts.login",
        "accounts.full_name",
        "accounts.number",
        "accounts.enabled",
        "accounts.expires_on",
        "groups.members",
    )

    login: str
    full_name: str
    groups: tuple[str, ...]
    own_group: bool
    ends: date | None
    home: str
    number: int | None


@dataclass(frozen=True)
class AccountShut(Work):
    """An account that is switched off, or has run out: one that is there is locked, none is made."""

    fields = ("accounts.enabled", "accounts.expires_on")

    login: str


@dataclass(frozen=True)
class PasswordsSet(Work):
    """Passwords of accounts, each typed once by who has it: no file holds one."""

    fields = ("accounts.login", "accounts.must_change")

    commands: tuple[str, ...]


def password_works(
    index: Index, host: str, today: date, people: Sequence[Work]
) -> Iterator[PasswordsSet]:
    """What is typed on a host, in order, for the accounts among `people`. Sources: smbpasswd(8), pdbedit(8)."""
    plan = index.plan
    able = [w for w in people if isinstance(w, AccountThere) and not w.by_hand]
    by_smb = any(index.pools[index.datasets[s.dataset].pool].host == host for s in plan.shares)
    commands = [f"smbpasswd -a {w.login}" for w in able] if by_smb else []
    commands += [f"passwd {w.login}" for w in able if w.home]
    changing = [a.login for a in plan.accounts if a.must_change and a.works_on(today)]
    commands += [f"pdbedit --pwd-must-change-now=yes -u {a}" for a in changing if by_smb]
    if commands:
        mine = {w.login for w in able if by_smb or w.home}
        yield PasswordsSet(
            "passwords", f"passwords of {index.hosts[host].name}'s accounts",
            tuple(("accounts", a.id) for a in plan.accounts if a.login in mine),
            tuple(w.key for w in able if w.login in mine), "pdbedit -L" if by_smb else "passwd -S -a",
            "smbpasswd -d LOGIN" if by_smb else "passwd -l LOGIN",
            f"set each password once, typed by whom it belongs to: {typed(*commands)}",
            commands=tuple(commands),
        )  # fmt: skip


def people_works(index: Index, host: str, today: date) -> Iterator[Work]:
    """Groups before the accounts that are in them."""
    plan = index.plan
    if not is_set_up(index, host):
        return
    paths = folders(plan)
    homes = {
        account: paths[export.dataset]
        for export in plan.exports
        if PROTOCOLS[export.protocol].needs_home
        and index.pools[index.datasets[export.dataset].pool].host == host
        for account in export.accounts
    }
    for group in plan.groups:
        yield _group(group)
    for account in plan.accounts:
        if account.works_on(today) or account.login in SYSTEM_NAMES:
            mine = [g for g in plan.groups if account.id in g.members]
            names = {g.name for g in plan.groups}
            yield _account(account, mine, names, homes.get(account.id, ""))
        else:
            yield AccountShut(
                key=f"account/{account.login}",
                what=f"account {account.login} is shut",
                makes=(("accounts", account.id),),
                needs=(),
                see=f"passwd -S {account.login}",
                back=f"usermod --unlock --expiredate '' {account.login}",
                by_hand="",
                login=account.login,
            )


def _group(group: Group) -> GroupThere:
    taken = group.name in SYSTEM_NAMES
    said = (
        f"group {group.name} is the system's own, and its members would get more than a share: give it "
        "another name"
    )
    return GroupThere(
        key=f"group/{group.name}",
        what=f"group {group.name}" + _numbered(group.number),
        makes=(("groups", group.id),),
        needs=(),
        see=f"getent group {group.name}",
        back=f"groupdel {group.name}",
        by_hand=said if taken else "",
        name=group.name,
        number=group.number,
    )


def _numbered(number: int | None) -> str:
    return f", number {number}" if number else ""


def _account(account: Account, groups: list[Group], names: set[str], home: str) -> AccountThere:
    login = account.login
    taken = login in SYSTEM_NAMES
    joined = tuple(g.name for g in groups if g.name not in SYSTEM_NAMES)
    return AccountThere(
        key=f"account/{login}",
        what=f"account {login}" + _numbered(account.number),
        makes=(("accounts", account.id), *(("groups", g.id) for g in groups)),
        needs=tuple(f"group/{name}" for name in joined),
        see=f"id {login}",
        back=f"userdel {login}",
        by_hand=f"account {login} is the system's own: give it another name" if taken else "",
        login=login,
        full_name=account.full_name,
        groups=joined,
        own_group=login not in names,
        ends=account.expires_on,
        home=home,
        number=account.number,
    )
