"""Every field of a plan that a machine or its people should feel is in some file, or said by hand.

Each field of each thing is given another value that the plan accepts; then some file of some host or
the runbook has to differ. What no machine feels stands below, by reason: a field that is in neither
is a wish that nothing carries out.
"""

import json
import random
from collections.abc import Callable, Iterator
from typing import Any

import pytest
from pydantic import ValidationError

from kavrel.core.edit import EditError, put
from kavrel.core.evaluate import evaluate
from kavrel.core.index import Index
from kavrel.core.kinds import KINDS
from kavrel.core.paper.runbook import runbook
from kavrel.core.plan import COLLECTIONS, Account, Export, Plan
from kavrel.core.shares.protocols import PROTOCOLS
from kavrel.core.works import Work, bill
from kavrel.formats.servers.bundle import host_files
from tests.builders import GB, TODAY, lab
from tests.fuzz import leaves, values

# Figures that are reckoned with: sizes, speeds, odds, money, worth, what is known of a thing.
RECKONED: dict[str, set[str]] = {
    "accounts": {"role", "second_factor"},
    "accepted": {"on"},
    "assumptions": {"value"},
    "buckets": {"price_minor"},
    "datasets": {
        "size_bytes",
        "growth_bytes_per_year",
        "change_bytes_per_day",
        "deleted_bytes_per_day",
        "repeat_share",
        "file_bytes",
        "worth",
        "compressible",
        "throw_away",
        "live_database",
        "use",
    },
    "disks": {
        "kind",
        "form",
        "recording",
        "sector",
        "mb_per_s",
        "watts",
        "own_supply",
        "price_minor",
        "bought_on",
        "condition",
        "run_hours",
        "wear_percent",
        "yearly_failure_rate",
        "bits_per_read_error",
    },
    "holdings": {"verified"},
    "hosts": {
        "bays_25",
        "bays_35",
        "slots_nvme",
        "ports_usb",
        "ram_gib",
        "network_mbit",
        "boot_device",
        "boot_copied",
        "idle_watts",
        "on_ups",
        "shutdown_minutes",
        "price_minor",
    },
    "links": {"mbit_a_to_b", "mbit_b_to_a", "allowance_bytes_per_month", "relayed", "encrypted"},
    "log": {"kind", "on", "result", "minutes"},
    "offers": {
        "kind",
        "form",
        "recording",
        "capacity_bytes",
        "mb_per_s",
        "price_minor",
        "condition",
        "at_most",
    },
    "pools": {"purpose", "compression_ratio", "tier_mirrored"},
    "sites": {"own", "relayed"},
    "supplies": {
        "va",
        "watts",
        "battery_wh",
        "rated_hours",
        "exponent",
        "health_percent",
        "price_minor",
    },
    "ticks": {"on", "outcome", "hours"},
}
# Facts about a thing outside, or a wish that a finding answers.
OUTSIDE: dict[str, set[str]] = {
    "pools": {"card", "spare_card", "card_readable"},  # of a mirror by a card: see its own test
    "hosts": {"system"},  # of a PC, see tests/core/works/test_pc.py
    "shares": {"smb1"},  # a finding: no server of ours speaks it
    "exports": {"many_sessions", "cluster_filesystem"},  # the client's own doing
    "jobs": {
        "fixed",
        "chunk_store",
        "wire_encrypted",
    },  # arrange, the tool's store, SSH encrypts anyway
}
COMMON = {"name", "dataset", "protocol", "may"}  # of every export
# Only one file system has these, or only a pool that is still to be made; elsewhere they mean nothing.
OF_ONE: dict[str, set[str]] = {
    "pools": {"ashift", "record_kib"},
    "datasets": {"checksums"},
}


def all_of(plan: Plan) -> dict[tuple[str, str], str]:
    """Every file of every host, and the runbook."""
    found = {
        (host.id, name): text
        for host in plan.hosts
        if any(p.host == host.id for p in plan.pools)
        for name, (text, _) in host_files(plan, host.id, "revision 1", TODAY).items()
    }
    book = runbook(plan, evaluate(plan, TODAY), "revision 1")
    kept = [s for s in book.sections if s.title not in ("Settle these first", "Log: what is due")]
    return {**found, ("", "runbook"): json.dumps([s.model_dump() for s in kept], default=str)}


def on(filesystem: str, family: str) -> Plan:
    """The small lab with its pools still to be made."""
    pools = tuple(
        p.model_copy(
            update={
                "family": family if len(p.disks) > 2 or family == "copies2" else "mirror",
                "filesystem": filesystem,
                "standing": False,
                "encrypted": True,
            }
        )
        for p in lab().pools
    )
    disks = tuple(d.model_copy(update={"serial": f"S{n}"}) for n, d in enumerate(lab().disks))
    people = (*lab().accounts, Account(id="cam", login="cam", full_name="door camera"))
    ftp = Export(id="ftp", protocol="ftp", name="door", dataset="files", accounts=("cam",))
    boots = {"boot_disk": "box1", "system_bytes": 64 * GB}
    hosts = (lab().hosts[0].model_copy(update=boots), *lab().hosts[1:])
    made = {"pools": pools, "disks": disks, "hosts": hosts}
    return lab(accounts=people, exports=(ftp,)).model_copy(update=made)


def wanted(demo: Plan) -> Plan:
    """The demo lab as it would be built from nothing."""
    travels = next(j for j in demo.jobs if KINDS[j.kind].copies and j.target_pool)
    return demo.model_copy(
        update={
            "pools": tuple(p.model_copy(update={"standing": False}) for p in demo.pools),
            "holdings": (),
            "disks": tuple(d.model_copy(update={"holds_data": False}) for d in demo.disks),
            # One copy is still to be made the first time.
            "jobs": tuple(
                j.model_copy(update={"first_copy": "over_link"}) if j == travels else j
                for j in demo.jobs
            ),
        }
    )


def others(
    plan: Plan, collection: str, item: Any, path: tuple[str, ...], kind: Any, metadata: Any
) -> Iterator[Plan]:
    """The plan with other values of one field, those that it accepts."""
    for value in values(kind, metadata, random.Random(1)):
        raw = item.model_dump(mode="json")
        here = raw
        for name in path[:-1]:
            here = here[name]
        if here[path[-1]] == value:
            continue
        here[path[-1]] = value
        try:
            yield put(plan, collection, type(item).model_validate_json(json.dumps(raw)))
        except (ValidationError, EditError):
            continue


def each_field(plan: Plan) -> Iterator[tuple[str, Iterator[Plan]]]:
    """Fields that a machine should feel, of each thing, with the plans in which it is another."""
    for collection in COLLECTIONS:
        spared = RECKONED.get(collection, set()) | OUTSIDE.get(collection, set())
        for item in getattr(plan, collection):
            for path, kind, metadata in leaves(type(item)):
                # What a protocol has no use for is not shown with it.
                useless = isinstance(item, Export) and not (
                    path[0] in COMMON or PROTOCOLS[item.protocol].uses(path[0])
                )
                if path[0] not in {"id", *spared} and not useless:
                    name = f"{collection}.{'.'.join(path)}"
                    yield name, others(plan, collection, item, path, kind, metadata)


def billed(plan: Plan) -> dict[str, tuple[Work, ...]]:
    """The works of every host."""
    index = Index(plan)
    return {host.id: bill(index, host.id, TODAY) for host in plan.hosts}


def by_key(plan: Plan) -> dict[tuple[str, str], Work]:
    """The works of every host, by host and key."""
    return {(host, work.key): work for host, works in billed(plan).items() for work in works}


def vanished(plan: Plan, shows: Callable[[Plan], object] = all_of) -> set[str]:
    """Fields that can be changed and that nothing shows."""
    base = shows(plan)
    tried: set[str] = set()
    felt: set[str] = set()
    for name, changes in each_field(plan):
        if name in felt:
            continue
        for changed in changes:
            tried.add(name)
            if shows(changed) != base:
                felt.add(name)
                break
    return tried - felt


@pytest.mark.parametrize(
    ("filesystem", "family"),
    [("zfs", "raidz1"), ("btrfs", "copies2"), ("ext4", "raid5"), ("xfs", "raid5")],
)
def test_no_flag_of_a_small_lab_vanishes_on_any_file_system(filesystem: str, family: str) -> None:
    of_one = {f"{c}.{f}" for c, fields in OF_ONE.items() for f in fields}
    allowed = set() if filesystem == "zfs" else of_one
    assert vanished(on(filesystem, family)) <= allowed
    assert vanished(on(filesystem, family), billed) == set()


def kinds_of_work(above: type[Work] = Work) -> Iterator[type[Work]]:
    for kind in above.__subclasses__():
        yield kind
        yield from kinds_of_work(kind)


def test_each_kind_of_work_names_fields_that_there_are_and_every_kind_names_some() -> None:
    there = {f"{c}.{f}" for c, kind in COLLECTIONS.items() for f in kind.model_fields}
    for kind in kinds_of_work():
        assert set(kind.fields) <= there, kind
        assert kind.fields or kind.__subclasses__(), kind


@pytest.mark.parametrize("family", ["raidz1", "raid5", "demo"])
def test_what_changes_with_a_field_is_of_a_kind_that_names_it(family: str, demo: Plan) -> None:
    plan = wanted(demo) if family == "demo" else on("zfs" if family == "raidz1" else "ext4", family)
    base = by_key(plan)
    unnamed: set[str] = set()
    named: set[str] = set()
    for path, changes in each_field(plan):
        name = ".".join(path.split(".")[:2])
        if name in named:
            continue
        for now in map(by_key, changes):
            other = [k for k in base.keys() | now.keys() if base.get(k) != now.get(k)]
            felt = {type(w) for k in other for w in (base.get(k), now.get(k)) if w}
            if felt:
                (named if any(name in k.fields for k in felt) else unnamed).add(name)
    of_one = {f"{c}.{f}" for c, fields in OF_ONE.items() for f in fields}
    assert unnamed - named <= (of_one if family == "raid5" else set())


@pytest.mark.prove
def test_no_flag_of_the_demo_lab_vanishes(demo: Plan) -> None:
    # No box of it boots from a data disk: see the small lab.
    assert vanished(wanted(demo)) == {"hosts.system_bytes"}
    # What a provider or a router is told is no host's: the runbook has it.
    of_no_host = {"buckets.locked_days", "buckets.locks_renewed", "caps.mbit"}
    assert vanished(wanted(demo), billed) == {"hosts.system_bytes", *of_no_host}
