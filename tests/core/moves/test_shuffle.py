"""The shuffle: never without a whole copy, the safest order, and what people tick at the rack."""

from collections import deque
from itertools import pairwise

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from kavrel.core.bench.capacity import labelled_bytes
from kavrel.core.filesystems import ext4
from kavrel.core.index import Index
from kavrel.core.moves import shuffle as shuffle_module
from kavrel.core.moves.shuffle import Shuffle, _danger, shuffle, world_of
from kavrel.core.moves.state import PossibleSteps, State
from kavrel.core.moves.times import MoveTimes
from kavrel.core.plan import (
    AssumptionValue,
    Dataset,
    Disk,
    Holding,
    Host,
    Offer,
    Plan,
    Pool,
    Site,
    Tick,
)
from tests.builders import GB, daily, job

FOUR, EIGHT = labelled_bytes(4000), labelled_bytes(8000)


def room(
    sizes: list[int],
    wanted: list[tuple[str, list[list[int]]]],
    held: dict[int, list[tuple[int, int]]],
    **more: object,
) -> Plan:
    """A box with loose and built-in disks; `wanted` pools by family; `held`: disk to (data, GB)."""
    disks = tuple(
        Disk(
            id=f"d{n}",
            label=f"D{n}",
            serial=f"S{n}",
            capacity_bytes=size,
            host="box",
            bay=f"3.5-{n + 1}",
        )
        for n, size in enumerate(sizes)
    )
    pools = tuple(
        Pool(
            id=f"p{n}",
            name=f"pool {n}",
            host="box",
            family=family,
            filesystem="zfs" if family.startswith("raidz") or "mirror" in family else "ext4",
            groups=tuple(tuple(f"d{d}" for d in g) for g in groups),
            standing=False,
        )
        for n, (family, groups) in enumerate(wanted)
    )
    data = {d: gb for parts in held.values() for d, gb in parts}
    fields: dict[str, object] = {
        "name": "move",
        "sites": (Site(id="home", name="home"),),
        "hosts": (Host(id="box", name="box", site="home", bays_35=20, on_ups=True),),
        "disks": disks,
        "pools": pools,
        "datasets": tuple(
            Dataset(id=f"x{d}", name=f"data {d}", pool="p0", size_bytes=gb * GB)
            for d, gb in sorted(data.items())
        ),
        "holdings": tuple(
            Holding(id=f"h{disk}-{d}", disk=f"d{disk}", dataset=f"x{d}")
            for disk, parts in held.items()
            for d, _ in parts
        ),
        **more,
    }
    return Plan.model_validate(fields)


def move(plan: Plan) -> Shuffle:
    return shuffle(Index(plan))


def verbs(found: Shuffle) -> list[str]:
    return [s.verb for s in found.steps]


def test_two_new_disks_become_a_mirror_and_the_old_one_is_read_only() -> None:
    found = move(room([FOUR, FOUR, FOUR], [("mirror", [[0, 1]])], {2: [(0, 2000)]}))
    assert verbs(found) == ["create", "copy"]
    assert found.single_copy_steps == 0
    assert [c.copies for c in found.steps[-1].copies_after] == [2]


def test_an_old_disk_that_is_wanted_is_copied_verified_wiped_and_put_in() -> None:
    # The mirror begins with one disk missing; the full one joins after its data is in.
    found = move(room([FOUR, FOUR], [("mirror", [[0, 1]])], {1: [(0, 2000)]}))
    assert verbs(found) == ["create", "copy", "wipe", "replace"]
    wipe = found.steps[2]
    assert "verify" in found.steps[1].text
    assert "serial S1" in wipe.text
    assert wipe.least_copies == 1
    assert any("one whole copy left of data 0" in d for d in wipe.danger)
    assert wipe.back_out.startswith("None")
    assert "1 missing for now" in found.steps[0].text
    assert found.single_copy_steps == 1


def test_with_a_blank_disk_on_the_shelf_it_takes_the_safer_way_round() -> None:
    found = move(room([FOUR, FOUR, FOUR], [("mirror", [[0, 1]])], {1: [(0, 2000)]}))
    assert found.single_copy_steps == 0
    assert verbs(found).count("copy") == 2
    assert all(s.least_copies >= 2 for s in found.steps if s.verb == "wipe")


def test_no_safe_order_says_the_least_to_borrow_or_buy() -> None:
    offers = tuple(
        Offer(id=f"o{t}", label=f"{t} TB", capacity_bytes=labelled_bytes(t * 1000), price_minor=t)
        for t in (1, 2, 4)
    )
    # Both disks are full and both are wanted: nothing can begin.
    plan = room([FOUR, FOUR], [("span", [[0, 1]])], {0: [(0, 1500)], 1: [(1, 3000)]}, offers=offers)
    found = move(plan)
    assert not found.possible
    # 1.5 TB of data need a disk whose file system has room for it.
    assert found.borrow_bytes
    assert ext4.usable_bytes(found.borrow_bytes) >= 1500 * GB
    assert ext4.usable_bytes(found.borrow_bytes - 10**8) < 1500 * GB
    assert "1.61 TB" in found.needs
    assert "such as 2 TB" in found.needs


def test_a_pool_too_small_for_its_data_says_so() -> None:
    found = move(room([FOUR, FOUR, FOUR], [("mirror", [[0, 1]])], {2: [(0, 3900)]}))
    assert not found.possible
    assert "belong on it" in found.needs


def test_nothing_wanted_is_nothing_to_do() -> None:
    found = move(room([FOUR], [], {}))
    assert (found.wanted, found.steps) == (False, ())


# --- against brute force -----------------------------------------------------------------------


def best_danger(plan: Plan) -> int | None:
    """Least danger of any order, by walking every state with every move: no shortcuts."""
    index = Index(plan)
    world, start = world_of(index)
    possible = PossibleSteps(world)
    best: dict[State, int] = {start: 0}
    queue = deque([start])
    while queue:
        state = queue.popleft()
        for step in possible.moves(state):
            after = possible.after(state, step)
            danger = best[state] + _danger(possible, state, after, step)
            if danger < best.get(after, 10**9):
                best[after] = danger
                queue.append(after)
    done = [danger for state, danger in best.items() if possible.done(state)]
    return min(done, default=None)


SCENES = st.tuples(
    st.lists(st.sampled_from([FOUR, EIGHT]), min_size=2, max_size=4),
    st.sampled_from(["mirror", "span", "raidz1", "union", "striped_mirror"]),
    st.lists(st.integers(200, 3500), min_size=1, max_size=2),
    st.integers(0, 10**6),
)


def scene(drawn: tuple[list[int], str, list[int], int]) -> Plan | None:
    """A small move, or nothing where the family does not fit."""
    sizes, family, data, luck = drawn
    width = {"mirror": 2, "span": 2, "raidz1": 3, "union": 2, "striped_mirror": 4}[family]
    if len(sizes) < width:
        return None
    members = list(range(width))
    groups = [members[:2], members[2:]] if family == "striped_mirror" else [members]
    held: dict[int, list[tuple[int, int]]] = {}
    for n, gb in enumerate(data):
        held.setdefault((luck >> n) % len(sizes), []).append((n, gb))
    if any(sum(gb for _, gb in parts) * GB > sizes[d] for d, parts in held.items()):
        return None
    return room(sizes, [(family, groups)], held)


@given(SCENES)
@settings(max_examples=60, deadline=None)
def test_it_is_as_safe_as_any_order_and_never_without_a_copy(
    drawn: tuple[list[int], str, list[int], int],
) -> None:
    plan = scene(drawn)
    if plan is None:
        return
    found = move(plan)
    least = best_danger(plan)
    index = Index(plan)
    world, state = world_of(index)
    possible = PossibleSteps(world)
    if not found.possible:
        usable = [possible.usable(p, m) for p, m in enumerate(possible.pool_masks)]
        assert least is None or sum(c.bytes for c in world.cargo) > usable[0]
        return
    danger = 0
    for step in found.steps:
        (taken,) = [m for m in possible.moves(state) if m.key == step.key]
        after = possible.after(state, taken)
        danger += _danger(possible, state, after, taken)
        assert all(possible.copies(after, n) >= 1 for n in range(len(world.cargo)))
        state = after
    assert possible.done(state)
    assert danger == least


# --- ticking -----------------------------------------------------------------------------------


def ticked(plan: Plan, *ticks: tuple[str, str, float | None]) -> Plan:
    return plan.model_copy(
        update={
            "ticks": tuple(
                Tick.model_validate(
                    {"id": f"t{n}", "step": s, "on": "2026-11-24", "outcome": o, "hours": h}
                )
                for n, (s, o, h) in enumerate(ticks)
            )
        }
    )


def test_ticked_steps_are_done_and_the_rest_is_reckoned_from_there() -> None:
    plan = room([FOUR, FOUR], [("mirror", [[0, 1]])], {1: [(0, 2000)]})
    keys = [s.key for s in move(plan).steps]
    for n in range(len(keys) + 1):
        found = move(ticked(plan, *((k, "done", None) for k in keys[:n])))
        assert [s.key for s in found.steps] == keys[n:]
        assert found.finished == (n == len(keys))


def test_a_copy_that_took_twice_as_long_makes_the_next_ones_longer() -> None:
    plan = room([EIGHT] * 3, [("mirror", [[0, 1]])], {2: [(0, 2000), (1, 1000)]})
    first = move(plan)
    create, copy = first.steps[0], first.steps[1]
    slow = move(ticked(plan, (create.key, "done", None), (copy.key, "done", copy.hours * 2)))
    assert slow.pace == pytest.approx(2.0)
    again = next(s for s in first.steps if s.key == slow.steps[0].key)
    assert slow.steps[0].hours == pytest.approx(again.hours * 2)


def test_a_failed_step_is_still_to_do() -> None:
    plan = room([FOUR, FOUR, FOUR], [("mirror", [[0, 1]])], {2: [(0, 2000)]})
    create = move(plan).steps[0]
    found = move(ticked(plan, (create.key, "failed", None)))
    assert found.steps[0].key == create.key
    assert found.ticked[0].outcome == "failed"


def test_a_tick_that_no_longer_fits_the_plan_is_said_and_skipped() -> None:
    plan = room([FOUR, FOUR, FOUR], [("mirror", [[0, 1]])], {2: [(0, 2000)]})
    found = move(ticked(plan, ("wipe:d9", "done", None)))
    assert not found.ticked[0].fits
    assert verbs(found) == ["create", "copy"]


def test_steps_follow_one_another_in_time_and_hours_come_from_the_path() -> None:
    # Common practice, no source: a USB 3 dock carries about 600 GB an hour.
    plan = room([EIGHT] * 3, [("mirror", [[0, 1]])], {2: [(0, 6000)]})
    loose = plan.disks[2].model_copy(update={"host": None, "bay": None, "shelf": "home"})
    plan = plan.model_copy(update={"disks": (*plan.disks[:2], loose)})
    found = move(plan)
    copy = next(s for s in found.steps if s.verb == "copy")
    copying = next(s for s in copy.working.inputs if s.name == "copying")
    assert copying.value == pytest.approx(6000 / 600, rel=0.01)
    for a, b in pairwise(found.steps):
        assert b.starts_hours == pytest.approx(a.starts_hours + a.hours)


def test_a_wire_carries_the_same_in_the_shuffle_as_in_a_job() -> None:
    plan = room([EIGHT] * 3, [("mirror", [[0, 1]])], {2: [(0, 600)]})
    far = plan.disks[2].model_copy(update={"host": "old", "bay": "3.5-1"})
    hosts = (*plan.hosts, Host(id="old", name="old", site="home", bays_35=1, network_mbit=100.0))
    plan = plan.model_copy(update={"disks": (*plan.disks[:2], far), "hosts": hosts})

    def copying(plan: Plan) -> float:
        copy = next(s for s in move(plan).steps if s.verb == "copy")
        return float(next(s for s in copy.working.inputs if s.name == "copying").value or 0)

    # 100 Mbit/s x 0.88 of it is 11 MB/s, as for every job over that port.
    assert copying(plan) == pytest.approx(600e9 / 11e6 / 3600)
    half = plan.model_copy(
        update={"assumptions": (AssumptionValue(id="network_efficiency", value=0.44),)}
    )
    assert copying(half) == pytest.approx(2 * copying(plan))
    relayed = plan.sites[0].model_copy(update={"relayed": True})
    assert copying(plan.model_copy(update={"sites": (relayed,)})) > copying(plan)


def test_a_long_copy_without_a_ups_is_marked() -> None:
    plan = room([EIGHT] * 3, [("mirror", [[0, 1]])], {2: [(0, 6000)]})
    bare = plan.model_copy(update={"hosts": (plan.hosts[0].model_copy(update={"on_ups": False}),)})
    assert any("without a UPS" in d for s in move(bare).steps for d in s.danger)
    assert not any("without a UPS" in d for s in move(plan).steps for d in s.danger)


def test_what_was_never_read_back_does_not_count_as_a_copy() -> None:
    plan = room([FOUR, FOUR, FOUR, FOUR], [("mirror", [[0, 1]])], {2: [(0, 2000)], 3: [(0, 2000)]})
    doubt = plan.holdings[0].model_copy(update={"verified": False})
    found = move(plan.model_copy(update={"holdings": (doubt, plan.holdings[1])}))
    assert found.steps[0].copies_after[0].copies == 1
    assert move(plan).steps[0].copies_after[0].copies == 2


def doubted(plan: Plan, *disks: str) -> Plan:
    """The plan with the copies on these disks never read back."""
    holdings = tuple(h.model_copy(update={"verified": h.disk not in disks}) for h in plan.holdings)
    return plan.model_copy(update={"holdings": holdings})


def test_a_disk_with_an_unverified_copy_is_not_blank() -> None:
    plan = room([FOUR] * 3, [("mirror", [[0, 1]])], {0: [(0, 2000)], 2: [(0, 2000)]})
    found = move(doubted(plan, "d0"))
    keys = [s.key for s in found.steps]
    # Nothing is made on it before it is wiped, and it is wiped once there is another whole copy.
    assert keys.index("wipe:d0") < next(
        n for n, k in enumerate(keys) if "d0" in k and k.startswith(("create", "replace"))
    )


def test_the_only_copy_unverified_is_answered_by_verify_it() -> None:
    plan = room([FOUR] * 3, [("mirror", [[0, 1]])], {2: [(0, 2000)]})
    found = move(doubted(plan, "d2"))
    assert found.possible
    assert "verify" in verbs(found)
    first = next(s for s in found.steps if s.verb == "verify")
    assert "nothing to compare it with" in first.text
    assert first.hours == pytest.approx(2000e9 / (plan.disks[2].mb_per_s * 1e6) / 3600)
    assert [s.verb for s in found.steps].index("verify") < verbs(found).index("copy")


def test_a_disk_with_data_that_nobody_named_is_never_taken() -> None:
    plan = room([FOUR] * 3, [("mirror", [[0, 1]])], {2: [(0, 2000)]})
    disks = (plan.disks[0].model_copy(update={"holds_data": True}), *plan.disks[1:])
    found = move(plan.model_copy(update={"disks": disks}))
    assert not found.possible
    assert "D0: marked as holding data" in found.needs


def test_a_dataset_goes_over_two_loose_disks_where_none_alone_has_the_room() -> None:
    plan = room([EIGHT, FOUR, FOUR], [("span", [[0]])], {0: [(0, 6000)]})
    found = move(plan)
    assert verbs(found) == ["copy", "wipe", "create", "copy"]
    assert "in parts disk D1 (serial S1), bay 3.5-2 and disk D2" in found.steps[0].text
    assert all(c.copies >= 1 for s in found.steps for c in s.copies_after)


def test_room_set_aside_is_the_file_systems_and_not_the_raw_disk() -> None:
    # 3.9 TB go onto a raw disk of 4 TB, and not into its file system's 3.74 TB.
    plan = room([EIGHT, FOUR], [("span", [[0]])], {0: [(0, 3900)]})
    assert not move(plan).possible
    fits = room([EIGHT, FOUR], [("span", [[0]])], {0: [(0, 3700)]})
    assert move(fits).possible


def test_a_shelf_disk_that_waits_for_its_first_copy_is_used_first() -> None:
    plan = room([FOUR, FOUR, FOUR, FOUR], [("mirror", [[0, 1]])], {1: [(0, 2000)]})
    shelf = job(
        "s",
        kind="shelf",
        target_disk="d3",
        datasets=("x0",),
        schedule=daily(),
        first_copy="carried",
    )
    waiting = plan.model_copy(update={"jobs": (shelf,)})
    assert any("x0>d3" in s.key for s in move(waiting).steps)
    # Once its copy is on it, it is left alone.
    done = plan.model_copy(update={"jobs": (shelf.model_copy(update={"first_copy": "done"}),)})
    assert not any("d3" in s.key for s in move(done).steps)


def test_a_rebuild_of_zfs_goes_over_what_is_used_alone() -> None:
    def rebuild(gb: int) -> float:
        found = move(room([FOUR, FOUR], [("mirror", [[0, 1]])], {1: [(0, gb)]}))
        return next(s.hours for s in found.steps if s.verb == "replace")

    assert rebuild(400) < rebuild(3000) / 4


def test_too_many_orders_are_said_rather_than_guessed(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(shuffle_module, "MOST_STATES", 3)
    found = move(room([FOUR] * 4, [("mirror", [[0, 1]])], {1: [(0, 2000)]}))
    assert not found.possible
    assert "two goes" in found.needs


def test_hours_are_the_least_among_the_safest() -> None:
    # The quick and the slow disk both could hold the second copy: the quick one is taken.
    plan = room([EIGHT, EIGHT, EIGHT, EIGHT], [("mirror", [[0, 1]])], {1: [(0, 3000)]})
    slow = plan.disks[2].model_copy(update={"mb_per_s": 40.0})
    found = move(plan.model_copy(update={"disks": (*plan.disks[:2], slow, plan.disks[3])}))
    index = Index(plan)
    world, _ = world_of(index)
    assert MoveTimes(index, world, PossibleSteps(world))
    assert any(s.target == "d3" for s in found.steps)
    assert not any(s.target == "d2" for s in found.steps)
