"""Measures what must stay quick, as ratios against a plain reference in the same run.

The reference is a fixed piece of Python work (sorting and summing), timed beside each figure, so
that numbers from different machines can be compared. Nothing here passes or fails a test.
"""

import gc
import gzip
import itertools
import random
import statistics
import time
from collections.abc import Callable, Generator
from datetime import date
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import simpy

from kavrel.core.bench.capacity import labelled_bytes
from kavrel.core.copies import flow, schedule
from kavrel.core.demo import demo_plan
from kavrel.core.evaluate import evaluate
from kavrel.core.index import Index
from kavrel.core.plan import Account, Disk, Grant, Group, Plan, Share
from kavrel.core.pools import lay_out, odds, room
from kavrel.core.pools.facts import Conditions, DiskFacts
from kavrel.core.pools.finder import Wish, find
from kavrel.core.pools.lifetimes import Ageing, Lives, simulate
from kavrel.core.shares import access
from kavrel.formats import plan_file

TODAY = date(2026, 11, 24)
DIST = Path(__file__).resolve().parent.parent / "web" / "dist" / "assets"


def median_ms(work: Callable[[], object], runs: int = 15) -> float:
    """Median milliseconds of one call."""
    times = []
    for _ in range(runs):
        begin = time.perf_counter()
        work()
        times.append((time.perf_counter() - begin) * 1000)
    return statistics.median(times)


def reference() -> float:
    """Milliseconds of the reference work: about 20 on the machine this was written on."""
    seed = random.Random(1)
    numbers = [seed.random() for _ in range(40_000)]
    return median_ms(lambda: sum(sorted(numbers)[:20_000]) + sum(x * x for x in numbers))


def forget() -> None:
    """Empties every cache of the core, as after starting anew."""
    caches = (
        schedule.starts,
        flow.points,
        flow.newest_age,
        flow.loss_after,
        lay_out._lay_out,
        odds.loss_odds,
    )
    for cached in caches:
        cached.cache_clear()


def report(name: str, value: float, unit: str, wanted: float, base: float | None = None) -> None:
    """One line: the figure, what is wanted, and the ratio to the reference."""
    ratio = f"{value / base:8.2f} x reference" if base else ""
    mark = "ok" if value <= wanted else "OVER"
    print(f"{name:46} {value:9.1f} {unit:3} (wanted {wanted:g}) {mark:4} {ratio}")


def main() -> None:
    """Prints all figures."""
    gc.freeze()  # as the server does
    gc.set_threshold(100_000, 20, 100)
    base = reference()
    print(f"{'reference':46} {base:9.1f} ms")
    plan = demo_plan()
    evaluate(plan, TODAY)

    def cold() -> None:
        forget()
        evaluate(plan, TODAY)

    def edited() -> None:
        # Another price each time: nothing that hangs on the disk is remembered.
        first: Disk = plan.disks[0].model_copy(update={"price_minor": random.randrange(10**6)})
        evaluate(plan.model_copy(update={"disks": (first, *plan.disks[1:])}), TODAY)

    bays = [d.bay for d in plan.disks if d.host == "heron"]

    def dragged() -> None:
        # The disk in the hand passes over another bay each time.
        free = next(n for n in range(1, 12) if f"3.5-{n}" not in bays)
        moved = plan.disks[10].model_copy(
            update={"shelf": None, "host": "heron", "bay": f"3.5-{free}", "price_minor": free}
        )
        disks = tuple(moved if d.id == moved.id else d for d in plan.disks)
        evaluate(plan.model_copy(update={"disks": disks}), TODAY)

    report("evaluate the demo lab", median_ms(lambda: evaluate(plan, TODAY)), "ms", 50, base)
    report("evaluate after an edit of a disk", median_ms(edited), "ms", 50, base)
    report("evaluate from cold caches", median_ms(cold), "ms", 500, base)
    report("evaluate while a disk is dragged", median_ms(dragged), "ms", 60, base)
    matrix(base)
    finder(base)
    lifetimes()
    scripts = sum(len(gzip.compress(p.read_bytes())) for p in DIST.glob("*.js"))
    report("front-end script, gzipped, all sheets", scripts / 1000, "kB", 300)
    browser(base)


def big_shares() -> Plan:
    """200 accounts, 40 groups and 100 shares with grants of both kinds."""
    luck = random.Random(3)
    plan = demo_plan()
    accounts = tuple(Account(id=f"a{n}", login=f"a{n}", full_name=f"A {n}") for n in range(200))
    groups = tuple(
        Group(id=f"g{n}", name=f"g{n}", members=tuple(a.id for a in luck.sample(accounts, 25)))
        for n in range(40)
    )
    shares = tuple(Share(id=f"s{n}", name=f"share {n}", dataset="scans") for n in range(100))
    grants = tuple(
        Grant(
            id=f"x{n}",
            share=f"s{n // 16}",
            account=f"a{n * 7 % 200}" if n % 2 else None,
            group=None if n % 2 else f"g{n * 3 % 40}",
            right=luck.choice(["none", "read", "write"]),
        )
        for n in range(1600)
    )
    unique = {(g.share, g.account, g.group): g for g in grants}
    return plan.model_copy(
        update={
            "accounts": accounts,
            "groups": groups,
            "shares": shares,
            "grants": tuple(unique.values()),
            "exports": (),
            "quotas": (),
            "apps": (),
            "mounts": (),
        }
    )


def matrix(base: float) -> None:
    """The access matrix of a big lab alone, and a change of one grant with all that follows."""
    plan = big_shares()
    index = Index(plan)

    def anew() -> None:
        access._rows.clear()
        access.access_matrix(index, TODAY)

    report("matrix, 200 x 40 x 100, anew", median_ms(anew), "ms", 200, base)
    evaluate(plan, TODAY)
    turn = itertools.cycle(["none", "read", "write"])

    def granted() -> None:
        first = plan.grants[0].model_copy(update={"right": next(turn)})
        changed = plan.model_copy(update={"grants": (first, *plan.grants[1:])})
        evaluate(changed, TODAY).access.model_dump_json()

    report("  a grant there, at the server", median_ms(granted, 7), "ms", 100, base)


def finder(base: float) -> None:
    """All families over 12 disks of 4 sizes, and over 24, from cold caches."""
    sizes = [labelled_bytes(g) for g in (4000, 8000, 12_000, 20_000)]
    for count, wanted in ((12, 1000), (24, 10_000)):
        disks = [
            DiskFacts(f"d{n}", f"D{n}", sizes[n % 4], 185.0, 0.014, 1e14, 20_000)
            for n in range(count)
        ]

        def look(disks: list[DiskFacts] = disks) -> None:
            forget()
            room.usable_bytes.cache_clear()
            find(disks, Wish(survive=1), Conditions())

        report(f"finder over {count} disks of 4 sizes", median_ms(look, 3), "ms", wanted, base)


def lifetimes() -> None:
    """A million five-year lifetimes, against the same model written plainly in simpy."""
    rate, repair, error = odds.hourly_rate(0.05), 72.0, 0.3
    six = Lives(2, (rate,) * 6, (0.0,) * 6, tuple(range(6)), repair, error)
    aged = Ageing(shape=1.2, random_repairs=True)
    runs = 1_000_000
    begin = time.perf_counter()
    ours = simulate([six], aged, (5.0,), runs, 1)
    seconds = time.perf_counter() - begin
    report("a million lifetimes of 5 years", seconds * 1000, "ms", 3000)
    plain_runs = 20_000
    begin = time.perf_counter()
    lost = sum(plain_lifetime(six, aged, random.Random(n)) for n in range(plain_runs))
    plain = (time.perf_counter() - begin) / plain_runs * runs
    ratio = plain / seconds
    print(
        f"{'  the same in simpy, plainly':46} {plain * 1000:9.0f} ms  {ratio:.0f} times as long "
        f"(wanted 50); odds {ours.lost[0] / runs:.5f} and {lost / plain_runs:.5f}"
    )


def plain_lifetime(each: Lives, ageing: Ageing, luck: random.Random) -> bool:
    """Whether one set of disks loses something in five years: a process a disk, one repairer."""
    env = simpy.Environment()
    hours = 5 * odds.HOURS_PER_YEAR
    scale = hours / (each.fail_per_hour[0] * hours) ** (1 / ageing.shape)
    repairer = simpy.Resource(env, 1)
    state = {"failed": 0}
    over = env.event()

    def disk() -> Generator[Any, Any, Any]:
        while True:
            yield env.timeout(luck.weibullvariate(scale, ageing.shape))
            state["failed"] += 1
            if state["failed"] > each.outlives and not over.triggered:
                over.succeed()
            with repairer.request() as turn:
                yield turn
                yield env.timeout(luck.expovariate(1 / each.repair_hours))
            last = state["failed"] == each.outlives
            if last and luck.random() < each.read_error and not over.triggered:
                over.succeed()
            state["failed"] -= 1

    for _ in each.fail_per_hour:
        env.process(disk())
    env.run(until=over | env.timeout(hours))
    return over.triggered


def browser(base: float) -> None:
    """An edit to the redrawn strip, and the first sheet, in headless Chromium."""
    try:
        from tools.stage import Stage
    except ImportError as error:
        print(f"browser figures skipped: {error}")
        return
    with TemporaryDirectory() as folder:
        stage = Stage(Path(folder))
        if stage.missing:
            print(f"browser figures skipped: {stage.missing}")
            return
        try:
            opened = stage.time_first_sheet()
            report("first sheet drawn, warm server", opened, "ms", 1000, base)
            report("edit to the updated strip", stage.time_edit(), "ms", 150, base)
            big = plan_file.dump(big_shares()).encode()
            report("grant to the redrawn big matrix", stage.time_grant(big), "ms", 100, base)
        finally:
            stage.close()


if __name__ == "__main__":
    main()
