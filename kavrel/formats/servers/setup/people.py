"""Groups and accounts, as the script makes them."""

from collections.abc import Iterator, Sequence

from kavrel.core.works import AccountShut, AccountThere, GroupThere, ServerAccount, Work
from kavrel.formats.servers.setup.words import left, quoted


def people_lines(works: Sequence[Work]) -> Iterator[str]:
    """Groups, then accounts; those that are shut are locked where they are."""
    for work in works:
        if isinstance(work, GroupThere | AccountThere | ServerAccount) and work.by_hand:
            yield left(work.by_hand)
        elif isinstance(work, GroupThere):
            make = f"have getent group {work.name} || new_group {work.name}{_number(work.number)}"
            yield f"{make} || {left(f'group {work.name} could not be made')}"
        elif isinstance(work, AccountThere):
            yield from _account(work)
        elif isinstance(work, ServerAccount):
            make = f'new_account {work.login} yes "" -r -c {quoted(work.title)}'
            said = left(f"account {work.login} could not be made")
            done = f"done_with account/{work.login}"
            yield f"have id {work.login} || {{ {make} && {done}; }} || {said}"
        elif isinstance(work, AccountShut):
            shut = f"run usermod --lock --expiredate 1 {work.login}"
            yield f"if have id {work.login}; then {shut}; fi"
    for work in works:
        if isinstance(work, GroupThere) and not work.by_hand:
            yield f"keep_number group {work.name}{_number(work.number)}"
        elif isinstance(work, AccountThere) and not work.by_hand:
            yield f"keep_number user {work.login}{_number(work.number)}"
            if work.own_group:
                yield f"keep_number group {work.login}{_number(work.number)}"
        elif isinstance(work, ServerAccount) and not work.by_hand:
            yield f"keep_number user {work.login}"
            yield f"keep_number group {work.login}"
    here = [w.login for w in works if isinstance(w, AccountThere | AccountShut | ServerAccount)]
    yield " ".join(("no_more", *(here or ["''"])))
    # Who is locked gets in nowhere, in whatever group.
    locked = [w.login for w in works if isinstance(w, AccountShut)]
    for work in works:
        if isinstance(work, GroupThere) and not work.by_hand:
            people = (w for w in works if isinstance(w, AccountThere) and not w.by_hand)
            members = [w.login for w in people if work.name in w.groups]
            yield " ".join(("beyond", work.name, *members, *locked))


def _number(number: int | None) -> str:
    return f" {number}" if number else ""


def _account(work: AccountThere) -> Iterator[str]:
    name, ends = work.login, work.ends.isoformat() if work.ends else ""
    # A group of the same name is not this account's own: it has members that somebody chose.
    own = "yes" if work.own_group else "no"
    who = quoted(work.full_name.replace(":", " "))
    number = work.number or '""'
    make = f"new_account {name} {own} {number} -c {who}" + (f" -e {ends}" if ends else "")
    said = left(f"account {name} could not be made")
    yield f"have id {name} || {{ {make} && done_with account/{name}; }} || {said}"
    if ends:
        yield f"run usermod --expiredate {ends} {name} || true"
    if work.home:
        said = left(f"{name} has no home folder, and FTP refuses it: usermod --home")
        yield f"has_home {name} || run usermod --home {work.home} {name} || {said}"
    for joined in work.groups:
        said = left(f"{name} could not be put into group {joined}")
        yield f"run usermod -a -G {joined} {name} || {said}"
