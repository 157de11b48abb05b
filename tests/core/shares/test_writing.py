"""Who can write where people work, and what malware there takes with it."""

from typing import Any

import pytest

from kavrel.core.index import Index
from kavrel.core.plan import Account, Export, Grant, Network, Plan, Share
from kavrel.core.shares.access import access_matrix
from kavrel.core.shares.writing import who_writes
from tests.builders import GB, TODAY, cell, dataset, lab

HOME = Network(id="lan", site="home", name="lan", range="192.168.1.0/24", gateway="192.168.1.1")
STORE = Network(id="store", site="home", name="store", range="10.20.0.0/28")


def exported(protocol: str, **more: Any) -> Plan:
    """Nobody has a share; the files go out another way."""
    fields = {"id": "e", "protocol": protocol, "name": "e", "dataset": "files", "may": "write"}
    near, far = lab().hosts
    return lab(
        hosts=(near, far.model_copy(update={"address": "192.168.1.9", "vpn_address": "10.9.0.9"})),
        networks=(HOME, STORE),
        accounts=(
            *lab().accounts,
            Account(id="tool", login="tool", full_name="T", role="machine"),
            Account(id="late", login="late", full_name="L", expires_on=TODAY),
        ),
        grants=(),
        exports=(Export.model_validate(fields | more),),
    )


def writing(plan: Plan, of: str = "files") -> list[str]:
    return who_writes(Index(plan), of, access_matrix(Index(plan), TODAY), TODAY)


def test_every_share_of_the_dataset_counts() -> None:
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
    assert writing(plan) == ["bo"]


@pytest.mark.parametrize(
    ("protocol", "more", "who"),
    [
        ("sftp", {"accounts": ("bo", "tool", "late")}, ["bo"]),
        ("sftp", {"accounts": ("bo",), "may": "read"}, []),
        ("rsync", {"accounts": ("ana",), "clients": ("192.168.1.0/24",)}, ["ana"]),
        ("nfs", {"clients": ("192.168.1.50",)}, ["whoever works at 192.168.1.50"]),
        ("nfs", {"clients": ("192.168.1.0/24",)}, ["whoever works at 192.168.1.0/24"]),
        ("nfs", {"clients": ("192.168.1.50",), "may": "read"}, []),
        # Boxes of the plan, and what stands where no router is, are no desks.
        ("nfs", {"clients": ("192.168.1.9", "10.9.0.9", "far", "10.20.0.3")}, []),
        (
            "iscsi",
            {"clients": ("iqn.2026-01.lab:desk",), "size_bytes": GB},
            ["whoever works at iqn.2026-01.lab:desk"],
        ),
        ("iscsi", {"clients": ("iqn.2026-01.lab:far",), "size_bytes": GB}, []),
    ],
)
def test_malware_takes_what_the_desk_has_over_any_protocol(
    protocol: str, more: dict[str, Any], who: list[str]
) -> None:
    plan = exported(protocol, **more)
    assert writing(plan) == who
    struck = cell(plan, "malware")
    assert (struck.fate == "runs_on") == (not who), struck


def test_a_network_whose_router_nobody_wrote_down_may_have_desks() -> None:
    plan = exported("nfs", clients=("10.20.0.3",))
    assert writing(plan) == []
    alone = plan.model_copy(update={"networks": (STORE,)})
    assert writing(alone) == ["whoever works at 10.20.0.3"]


def test_a_part_is_written_by_whoever_writes_what_it_lies_in() -> None:
    part = dataset(id="part", name="part", parent="files")
    plan = lab(
        datasets=(dataset(), part),
        shares=(Share(id="share", name="a", dataset="files", guest="write"),),
        grants=(Grant(id="g", share="share", account="bo", right="write"),),
    )
    assert writing(plan, "part") == writing(plan) == ["ana", "bo", "guest"]
    homes = plan.model_copy(
        update={"shares": (Share(id="share", name="a", dataset="files", home=True),)}
    )
    assert writing(homes) == ["bo"]
    assert writing(homes, "part") == []
