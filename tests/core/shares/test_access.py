import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kavrel.core.index import Index
from kavrel.core.plan import Account, Grant, Group, Plan, Share
from kavrel.core.shares.access import access_matrix
from tests.builders import lab

RIGHTS = ("none", "read", "write")


def right(plan: Plan, account: str = "ana") -> str:
    return next(a.right for a in access_matrix(Index(plan)) if a.account == account)


def granted(*grants: Grant, **share: str) -> Plan:
    shares = (Share.model_validate({"id": "share", "name": "s", "dataset": "files", **share}),)
    groups = (
        Group(id="one", name="one", members=("ana",)),
        Group(id="two", name="two", members=("ana",)),
    )
    return lab(shares=shares, groups=groups, grants=grants)


def own(right: str) -> Grant:
    return Grant.model_validate({"id": "own", "share": "share", "account": "ana", "right": right})


def through(group: str, right: str) -> Grant:
    return Grant.model_validate({"id": group, "share": "share", "group": group, "right": right})


@pytest.mark.parametrize("mine", RIGHTS)
@pytest.mark.parametrize("theirs", RIGHTS)
def test_own_grant_overrides_the_groups(mine: str, theirs: str) -> None:
    assert right(granted(own(mine), through("one", theirs))) == mine


@pytest.mark.parametrize(
    ("first", "second", "expected"),
    [
        ("none", "write", "none"),
        ("none", "read", "none"),
        ("read", "write", "write"),
        ("read", "read", "read"),
    ],
)
def test_among_groups_none_wins_then_the_widest(first: str, second: str, expected: str) -> None:
    assert right(granted(through("one", first), through("two", second))) == expected
    assert right(granted(through("one", second), through("two", first))) == expected


def test_guests_are_those_without_a_grant() -> None:
    assert right(granted(guest="read")) == "read"
    assert right(granted(own("none"), guest="write")) == "none"
    assert right(granted()) == "none"


def test_a_switched_off_account_reaches_nothing() -> None:
    plan = granted(own("write"), guest="write")
    off = (Account(id="ana", login="ana", full_name="Ana", enabled=False), plan.accounts[1])
    assert right(plan.model_copy(update={"accounts": off})) == "none"


def test_the_reason_names_the_group() -> None:
    (cell, _) = access_matrix(Index(granted(through("two", "read"))))
    assert "two" in " ".join(cell.because)


@given(st.sampled_from(RIGHTS), st.lists(st.sampled_from(RIGHTS), max_size=4))
@settings(max_examples=30, deadline=None)
def test_order_of_groups_does_not_matter(mine: str, theirs: list[str]) -> None:
    def plan(rights: list[str]) -> Plan:
        groups = tuple(
            Group(id=f"g{n}", name=f"g{n}", members=("ana",)) for n in range(len(rights))
        )
        grants = tuple(
            Grant.model_validate({"id": f"x{n}", "share": "share", "group": f"g{n}", "right": r})
            for n, r in enumerate(rights)
        )
        return lab(groups=groups, grants=grants)

    assert right(plan(theirs)) == right(plan(theirs[::-1]))
