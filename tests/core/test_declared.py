"""One word of code declares a thing: toys in the registries are everywhere that the real ones are."""

from collections.abc import Iterator
from contextlib import ExitStack, suppress
from typing import Any

import pytest

from kavrel.core.filesystems import FILESYSTEMS
from kavrel.core.filesystems.filesystem import Filesystem, on_each
from kavrel.core.filesystems.none import space as all_of_it
from kavrel.core.forms import form
from kavrel.core.kinds import KINDS
from kavrel.core.kinds.kind import RULES, Kind, Whereabouts
from kavrel.core.plan import Dataset
from kavrel.core.pools import pace
from kavrel.core.pools.families import FAMILIES
from kavrel.core.pools.families.family import (
    Family,
    below,
    no_vdevs,
    one_copy_rooms,
    one_group,
)
from kavrel.core.pools.options import layouts
from kavrel.core.proof.hazards import HAZARDS
from kavrel.core.proof.hazards.hazard import Hazard, Lived, Scene, Strike, on_pool
from kavrel.core.proof.model import lab_model
from kavrel.core.shares.access import access_matrix
from kavrel.core.shares.protocols import EXPORTS
from kavrel.core.shares.protocols.protocol import Protocol, by_account
from kavrel.formats.papers import PAPERS, NoPaper, Occasion
from kavrel.formats.plan_file import dump
from tests.builders import CONDITIONS, TODAY, book, facts, job, lab, result
from tests.conftest import NOW, Lab

TWINS = Family(
    id="twins",
    title="twins",
    minimum=2,
    takes=below,
    groupings=one_group(2),
    outlives=lambda width: width - 1,
    volumes=lambda groups: (min(groups[0]),),
    vdevs=no_vdevs,
    rooms=one_copy_rooms,
    pace=pace.mirrored,
    grows="not at all",
    grows_by="replace",
    smallest_rules=True,
    one_copy_of=True,
    by_hand="tie the two together with string",
)
PLAIN = Filesystem(
    id="plain",
    title="plain",
    room=lambda ground: sum(ground.volumes),
    space=on_each(lambda device, copies: all_of_it(device)),
    made="-U ",
)


def _fetch(at: Whereabouts) -> tuple[str, ...]:
    return (f"carry the slate from {at.box}",)


SLATE = Kind(
    id="slate",
    title="slate",
    target="pool",
    does="writes it on a slate",
    needs="chalk",
    locks="nothing",
    takes="an afternoon",
    protects="the data",
    does_not="last in the rain",
    reads="files",
    keeps=RULES,
    by_tool=True,
    fetch=_fetch,
)


def _moths(scene: Scene, dataset: Dataset) -> Strike:
    pool = scene.index.pools[dataset.pool]
    return Strike(
        state="gone",
        why="moths have eaten it",
        event=f"moths {pool.id}",
        lost_copy=on_pool(pool.id, "the same moths"),
    )


def _often(scene: Scene, dataset: Dataset, strike: Strike) -> Lived:
    return Lived(0.5, 0.0, 1.0)


MOTHS = Hazard(
    "moths",
    "moths",
    "moths",
    "Moths get into the box.",
    _moths,
    lifetimes="they come every other year",
    lived=_often,
    on_sheet="box",
)
PIGEON = Protocol(
    id="pigeon",
    title="pigeon",
    gives="files",
    systems=frozenset({"linux"}),
    many_writers=False,
    clear_text=lambda export: True,
    fields=("accounts",),
    ports=lambda export: ((1149, "udp", "pigeons"),),
    why="where there is no wire",
    seen=by_account,
)


@pytest.fixture
def toys() -> Iterator[None]:
    """A family, a file system, a kind, a hazard and a protocol that nothing else knows of."""
    with ExitStack() as stack:
        stack.enter_context(FILESYSTEMS.with_one_more(PLAIN))
        stack.enter_context(FAMILIES.with_one_more(TWINS))
        stack.enter_context(KINDS.with_one_more(SLATE))
        stack.enter_context(HAZARDS.with_one_more(MOTHS))
        stack.enter_context(EXPORTS.with_one_more(PIGEON))
        yield


def a_lab() -> Any:
    """The small lab with a pool of the toy family and a job of the toy kind."""
    plan = lab()
    second = plan.pools[1]
    toy = second.model_copy(
        update={
            "family": "twins",
            "filesystem": "plain",
            "groups": (tuple(second.disks[:2]),),
            "standing": False,
        }
    )
    pools = tuple(toy if p.id == second.id else p for p in plan.pools)
    copied = job("chalked", "slate", target_pool=toy.id)
    return plan.model_copy(update={"pools": pools, "jobs": (*plan.jobs, copied)})


def test_a_toy_family_is_laid_out_beside_the_others(toys: None) -> None:
    found = layouts(facts(4000, 4000), None, CONDITIONS)
    mine = next(x for x in found if x.family == "twins")
    assert mine.title.startswith("twins")
    assert mine.survives_any == 1
    assert mine.usable_bytes == facts(4000)[0].capacity_bytes
    assert any(x.family == "twins" for x in layouts(facts(4000, 4000), "plain", CONDITIONS))


def test_all_follows_from_toys_and_every_paper_is_written_or_says_why(toys: None) -> None:
    plan = a_lab()
    evaluation = result(plan)
    assert next(p for p in evaluation.pools if p.layout.family == "twins").layout.survives_any == 1
    chalked = next(j for j in evaluation.jobs if j.id == "chalked")
    assert chalked.title == "slate"
    assert any(step.startswith("carry the slate") for step in chalked.fetch)
    assert "slate" in {k.id for k in evaluation.kinds}
    eaten = next(c for c in evaluation.proof if c.hazard == "moths" and c.dataset == "files")
    assert eaten.fate == "restored"
    assert "moths have eaten it" in eaten.model_dump_json()
    occasion = Occasion(plan, evaluation, "revision 1", NOW)
    written = {}
    for paper in PAPERS.values():
        for host in paper.hosts(plan) if paper.hosts else (None,):
            with suppress(NoPaper):
                written[paper.name, host] = paper.on(occasion, host)
    texts = b"".join(written.values()).decode("utf-8", "replace")
    assert "tie the two together with string" in texts
    assert "Moths get into the box." in texts


def test_a_toy_hazard_strikes_over_the_lifetimes_too(toys: None) -> None:
    plan = a_lab()
    made = book(plan)
    model = lab_model(made.index, made, access_matrix(made.index, TODAY))
    files = next(d for d in model.datasets if d.id == "files")
    mine = next(s for s in files.strikes if s.cause == "moths")
    assert mine.rate == 0.5


def test_forms_ask_for_toys_and_for_what_they_use(toys: None) -> None:
    jobs = {f.name: f for f in form("jobs").fields}
    assert "slate" in {c.value for c in jobs["kind"].choices}
    assert "slate" in jobs["target_pool"].when[0][0].one_of
    assert "slate" in jobs["retention.daily"].when[0][0].one_of
    assert "slate" not in jobs["target_bucket"].when[0][0].one_of
    exports = {f.name: f for f in form("exports").fields}
    assert "pigeon" in exports["accounts"].when[0][0].one_of
    assert "pigeon" not in exports["size_bytes"].when[0][0].one_of


def test_the_api_takes_toys_and_refuses_what_nobody_declared(toys: None, demo_lab: Lab) -> None:
    client = demo_lab.client
    served = client.get("/api/forms").json()
    assert "plain" in {f["id"] for f in served["filesystems"]}
    assert "pigeon" in {p["id"] for p in served["protocols"]}
    plan = client.get(demo_lab.base).json()["plan"]
    dataset = plan["datasets"][0]
    item = {
        "name": "chalk",
        "kind": "slate",
        "datasets": [dataset["id"]],
        "target_pool": next(p["id"] for p in plan["pools"] if p["id"] != dataset["pool"]),
        "schedule": {"kind": "daily", "at": "03:00"},
        "retention": {"last": 3},
    }
    answer = client.post(f"{demo_lab.base}/jobs", json=item, headers={"If-Match": '"r1"'})
    assert answer.status_code == 201, answer.text
    # A family, a file system and a protocol are kept as well: the database has no list of its own.
    kept = client.post(
        "/api/plans/import", content=dump(a_lab()), headers={"Content-Type": "application/json"}
    )
    assert kept.status_code == 201, kept.text
    assert "twins" in {p["family"] for p in kept.json()["plan"]["pools"]}
    coop = {"name": "coop", "protocol": "pigeon", "dataset": dataset["id"]}
    let_in = client.post(f"{demo_lab.base}/exports", json=coop, headers={"If-Match": '"r2"'})
    assert let_in.status_code == 201, let_in.text
    bad = {**item, "name": "other", "kind": "papyrus"}
    refused = client.post(f"{demo_lab.base}/jobs", json=bad, headers={"If-Match": '"r3"'})
    assert refused.status_code == 422
    assert "no kind of job 'papyrus'" in refused.json()["errors"][0]["message"]


def test_toys_are_gone_when_their_time_is_over() -> None:
    assert "twins" not in FAMILIES
    assert "slate" not in KINDS
