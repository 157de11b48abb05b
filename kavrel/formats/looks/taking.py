"""What a plan could take over from a machine, with what the files of its servers say."""

from datetime import date

from kavrel.core.plan import Plan, Right
from kavrel.core.seen.machine import Machine
from kavrel.core.seen.offer import Takes
from kavrel.core.seen.taking import Taker
from kavrel.formats.readers import read_file
from kavrel.formats.readers.samba import let_in

# People come before the groups that they are in, both before what they are let into.
FILES = ("passwd", "group", "smb.conf", "exports", "rsyncd.conf")


def takes(plan: Plan, machine: Machine, host: str | None, today: date) -> Takes:
    """Everything that could be taken over, thing after thing, with what each needs.

    `host` is the id of the one that the machine is; None: it is found by name, disks or address.
    """
    taker = Taker(plan, machine, host)
    taker.all()
    if taker.host is None:
        return taker.takes()
    for kind in FILES:
        if kind in machine.files:
            _file(taker, kind, machine.files[kind], today)
    taker.settle()
    return taker.takes()


def _file(taker: Taker, kind: str, text: str, today: date) -> None:
    assert taker.host is not None
    report = read_file(kind, text.encode(), taker.plan, taker.host.id, today)
    new = {t.key for t in taker.things if t.what == "new"}
    for one in report.proposals:
        if one.what == "same":
            continue
        needs = tuple(k for k in new if _names(one.item, k.partition("/")[2]))
        before = len(taker.things)
        taker.take(
            one.collection,
            one.name,
            {k: v for k, v in one.item.items() if k != "id"},
            why=one.why,
            needs=needs,
            item_id=one.item.get("id"),
        )
        new |= {t.key for t in taker.things[before:] if t.what == "new"}
    for line in report.differences:
        if "no dataset" in line:
            taker.not_taken.append(line)
    if kind == "smb.conf":
        _grants(taker, text, new)


def _grants(taker: Taker, text: str, new: set[str]) -> None:
    """Who is let into the shares that are new: as the file has it."""
    people = {a.login: a.id for a in taker.plan.accounts}
    groups = {g.name: g.id for g in taker.plan.groups}
    shares = {s.name.casefold(): s for s in taker.plan.shares if f"shares/{s.id}" in new}
    for name, who in let_in(text).items():
        share = shares.get(name.casefold())
        if share is None:
            continue
        everybody: dict[str, Right] = {a.login: "write" for a in taker.plan.accounts if a.enabled}
        for word, right in (everybody if who is None else who).items():
            field, key = (
                ("group", groups.get(word[1:])) if word[0] == "@" else ("account", people.get(word))
            )
            if key is None:
                taker.not_taken.append(
                    f"share {share.name}: {word} is let in, and is nobody the plan knows"
                )
                continue
            item = {"share": share.id, field: key, "right": right}
            guess = "everybody who can sign in: the file names nobody" if who is None else ""
            needs = (f"shares/{share.id}", f"{field}s/{key}")
            taker.take("grants", f"{word} in {share.name}", item, guess=guess, needs=needs)


def _names(item: dict[str, object], key: str) -> bool:
    return any(v == key or (isinstance(v, list) and key in v) for v in item.values())
