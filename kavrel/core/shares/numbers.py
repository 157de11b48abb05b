"""Numbers of accounts and groups: what files belong to, on a disk, in a copy and over NFS.

A name is each system's own; the number travels. Sources: chown(2), nfs(5) with sec=sys, rsync(1)
--numeric-ids, zfs-receive(8): common practice is one number for one person on every box.
"""

from collections.abc import Iterator, Sequence

from kavrel.core.plan import Account, Group, Plan

FIRST_ACCOUNT, FIRST_GROUP = 3001, 4001  # beyond what installers and hands give; no source


def unnumbered(plan: Plan) -> tuple[Account | Group, ...]:
    """Accounts, then groups, to which each box gives a number of its own."""
    people = tuple(a for a in plan.accounts if a.number is None)
    return (*people, *(g for g in plan.groups if g.number is None))


def give_numbers(plan: Plan) -> Iterator[tuple[str, Account | Group]]:
    """Collection and thing of each that has none yet, with a number that nobody has."""
    taken = {a.number for a in plan.accounts} | {g.number for g in plan.groups}
    sorts: tuple[tuple[str, Sequence[Account | Group], int], ...] = (
        ("accounts", plan.accounts, FIRST_ACCOUNT),
        ("groups", plan.groups, FIRST_GROUP),
    )
    for collection, things, first in sorts:
        number = first
        for thing in things:
            if thing.number is not None:
                continue
            while number in taken:
                number += 1
            taken.add(number)
            yield collection, thing.model_copy(update={"number": number})
