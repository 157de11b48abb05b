import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kavrel.core.index import Index
from kavrel.core.plan import Account, Grant, Group, Plan, Share
from kavrel.core.shares.access import access_matrix, writers
from kavrel.core.shares.names import folders, share_name_complaint, slug
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


def test_writers_are_found_through_every_share_of_the_dataset() -> None:
    plan = lab(
        shares=(
            Share(id="share", name="a", dataset="files"),
            Share(id="other", name="b", dataset="files"),
        ),
        grants=(
            Grant(id="g1", share="share", account="ana", right="read"),
            Grant(id="g2", share="other", account="bo", right="write"),
        ),
    )
    index = Index(plan)
    assert [a.id for a in writers(index, "files", access_matrix(index))] == ["bo"]


@pytest.mark.parametrize("name", ["a/b", "a\\b", "[x]", "a:b", "100%", "a*b", "HOMES", "global"])
def test_share_names_that_no_client_could_reach(name: str) -> None:
    assert share_name_complaint(name)


@pytest.mark.parametrize(
    "name", ["scans & prints", "Fotos für Tante", "写真", "a'b", "letter slot"]
)
def test_share_names_that_are_fine(name: str) -> None:
    assert share_name_complaint(name) is None


@given(st.text(max_size=80))
def test_slugs_are_safe_in_a_shell_and_a_path(text: str) -> None:
    found = slug(text, "data-1")
    assert found
    assert set(found) <= set("abcdefghijklmnopqrstuvwxyz0123456789-")
    assert not found.startswith("-")


def test_two_names_with_one_slug_get_two_folders() -> None:
    plan = lab()
    twice = plan.datasets[0].model_copy(update={"id": "more", "name": "files!"})
    found = folders(plan.model_copy(update={"datasets": (plan.datasets[0], twice)}))
    assert len(set(found.values())) == 2
