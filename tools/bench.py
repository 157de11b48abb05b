"""Measures what must stay quick, as ratios against a plain reference in the same run.

The reference is a fixed piece of Python work (sorting and summing), timed beside each figure, so
that numbers from different machines can be compared. Nothing here passes or fails a test.
"""

import gc
import gzip
import itertools
import json
import os
import random
import re
import resource
import socket
import statistics
import subprocess
import sys
import time
import urllib.request
from collections.abc import Callable, Generator, Iterable, Iterator
from datetime import UTC, date, datetime
from functools import partial
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import numpy as np
import simpy

from kavrel.core.bench.capacity import labelled_bytes
from kavrel.core.copies.book import CopyBook
from kavrel.core.edit import checked
from kavrel.core.evaluate import PARTS, evaluate
from kavrel.core.index import Index
from kavrel.core.kept import Kept
from kavrel.core.plan import (
    Account,
    Dataset,
    Disk,
    Grant,
    Group,
    Host,
    Job,
    Link,
    Plan,
    Pool,
    Retention,
    Schedule,
    Share,
    Site,
)
from kavrel.core.pools import odds, room
from kavrel.core.pools.facts import Conditions, DiskFacts
from kavrel.core.pools.finder import Wish, find
from kavrel.core.pools.lifetimes import Ageing, Lives, simulate
from kavrel.core.pools.pool import pool_states
from kavrel.core.proof.lifetimes import LabModel, live
from kavrel.core.proof.model import lab_model
from kavrel.core.proof.pairs import PAIRED
from kavrel.core.proof.proof import prove
from kavrel.core.shares import access
from kavrel.core.week import tasks
from kavrel.core.week.arrange import arrange
from kavrel.core.week.nights import nights, scheduled_book
from kavrel.core.works import bill
from kavrel.demo import demo_plan
from kavrel.demo.machines import Stand, Twist
from kavrel.formats import plan_file
from kavrel.formats.looks.drifted import whole_drift
from kavrel.formats.looks.read import read_look
from kavrel.rig.drilling import Drilling, DrillStep
from kavrel.rig.drills import BY_ID
from kavrel.rig.live import lived, rig, tried
from tests.formats.looks.machines import NOON, TB, disk, look, lsblk, smart, snapshots, zfs
from tools.bench_served import served

TODAY = date(2026, 11, 24)
DIST = Path(__file__).resolve().parent.parent / "web" / "dist" / "assets"


def once_ms(work: Callable[[], object]) -> float:
    """Milliseconds of one call."""
    begin = time.perf_counter()
    work()
    return (time.perf_counter() - begin) * 1000


def median_ms(work: Callable[[], object], runs: int = 15) -> float:
    """Median milliseconds of one call."""
    return statistics.median(once_ms(work) for _ in range(runs))


LUCK = random.Random(1)
NUMBERS = [LUCK.random() for _ in range(40_000)]


def reference_work() -> float:
    """What takes about 20 ms on the machine this was written on."""
    return sum(sorted(NUMBERS)[:20_000]) + sum(x * x for x in NUMBERS)


def in_turns(work: Callable[[], object], runs: int) -> tuple[float, float]:
    """Median milliseconds of a call, and of the reference: by turns, so that both meet the same noise."""
    both = [(once_ms(work), once_ms(reference_work)) for _ in range(runs)]
    return statistics.median(w for w, _ in both), statistics.median(r for _, r in both)


def starting() -> None:
    """CPU of a command from a shell, against a bare import of the libraries that read its options."""
    # A person's Python keeps what it has compiled; some build machines tell it not to.
    kept = {k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"}
    folder = TemporaryDirectory()
    kept["PYTHONPYCACHEPREFIX"] = folder.name

    def cpu_ms(*command: str) -> float:
        times = []
        for _ in range(6):
            before = resource.getrusage(resource.RUSAGE_CHILDREN).ru_utime
            subprocess.run(command, check=True, capture_output=True, env=kept)
            times.append((resource.getrusage(resource.RUSAGE_CHILDREN).ru_utime - before) * 1000)
        return min(times)

    bare = cpu_ms(sys.executable, "-c", "import click, pydantic")
    disks = ("--disk", "4TB") * 3
    for words, wanted in (
        (("--help",), 2.5),
        (("layouts", *disks), 4.0),
        (("serve", "--help"), 6.0),
    ):
        took = cpu_ms(sys.executable, "-m", "kavrel.cli", *words)
        mark = "ok" if took <= wanted * bare else "OVER"
        name = f"kavrel {words[0]}" + (" --help" if words[0] == "serve" else "")
        print(
            f"{name:46} {took:9.1f} ms  (wanted {wanted:g} x a bare import) {mark:5} {took / bare:8.2f} x"
        )
    answered = min(first_answer_ms(kept, Path(folder.name) / "lab.db") for _ in range(5))
    report("kavrel serve to its first answer", answered, "ms", 1500)
    folder.cleanup()


def first_answer_ms(environment: dict[str, str], database: Path) -> float:
    """Milliseconds from the command to the first answer of the server that it starts."""
    listener = socket.create_server(("127.0.0.1", 0))
    port = listener.getsockname()[1]
    command = ("-m", "kavrel.cli", "serve", "--database", database, "--fd", listener.fileno())
    begin = time.perf_counter()
    server = subprocess.Popen(
        [sys.executable, *map(str, command)],
        env=environment,
        stdout=subprocess.DEVNULL,
        pass_fds=(listener.fileno(),),
    )
    try:
        with urllib.request.urlopen(f"http://127.0.0.1:{port}/api/plans", timeout=30) as answer:
            answer.read()
        return (time.perf_counter() - begin) * 1000
    finally:
        server.terminate()
        server.wait()
        listener.close()


def forget() -> None:
    """Empties every cache of the core, as after starting anew."""
    for name, module in list(sys.modules.items()):
        if name.startswith("kavrel.core"):
            for known in vars(module).values():
                if hasattr(known, "cache_clear"):
                    known.cache_clear()
                elif isinstance(known, Kept):
                    known.clear()
    for part in PARTS:
        part.forget()


def ratio(name: str, work: Callable[[], object], wanted: float, runs: int = 15) -> None:
    """One line of what is wanted as a ratio to the reference."""
    ms, base = in_turns(work, runs)
    mark = "ok" if ms <= wanted * base else "OVER"
    print(f"{name:46} {ms:9.1f} ms  (wanted {wanted:g} x) {mark:4} {ms / base:8.2f} x reference")


def report(name: str, value: float, unit: str, wanted: float, more: str = "") -> None:
    """One line: the figure, and what is wanted."""
    mark = "ok" if value <= wanted else "OVER"
    print(f"{name:46} {value:9.1f} {unit:3} (wanted {wanted:g}) {mark:4} {more}".rstrip())


def quick(name: str, work: Callable[[], object], wanted: float, runs: int = 15) -> None:
    """One line of what is wanted in milliseconds, with its ratio to the reference."""
    ms, base = in_turns(work, runs)
    report(name, ms, "ms", wanted, f"{ms / base:8.2f} x reference")


def main() -> None:
    """Prints all figures."""
    gc.freeze()  # as the server does
    gc.set_threshold(500_000, 20, 100)
    print(f"{'reference':46} {median_ms(reference_work):9.1f} ms")
    starting()
    # Wanted is what a machine needs on which the reference takes 20 ms.
    for name, plan, again, price in (
        ("demo lab", demo_plan(), 25 / 20, 20 / 20),
        ("large lab", big_lab(), 250 / 20, 80 / 20),
    ):
        evaluate(plan, TODAY)
        ratio(f"evaluate the {name}", partial(evaluate, plan, TODAY), again)
        for what, edits in edited(plan).items():
            evaluate(plan, TODAY)
            ratio(f"  after another {what}", partial(evaluate_next, edits), price, 9)

    plan = demo_plan()

    def cold() -> None:
        forget()
        evaluate(plan, TODAY)

    bays = [d.bay for d in plan.disks if d.host == "heron"]

    def dragged() -> None:
        # The disk in the hand passes over another bay each time.
        free = next(n for n in range(1, 12) if f"3.5-{n}" not in bays)
        moved = plan.disks[10].model_copy(
            update={"shelf": None, "host": "heron", "bay": f"3.5-{free}", "price_minor": free}
        )
        disks = tuple(moved if d.id == moved.id else d for d in plan.disks)
        evaluate(plan.model_copy(update={"disks": disks}), TODAY)

    ratio("evaluate the demo lab from cold caches", cold, 150 / 20)
    quick("evaluate while a disk is dragged", dragged, 60)
    for name, plan, most in (("demo lab", demo_plan(), 20), ("large lab", big_lab(), 200)):
        quick(f"all works of the {name}", partial(billed, plan), most, 5)
    looked_at()
    rigged()
    served(report, median_ms)
    matrix()
    finder()
    proof()
    lab()
    lifetimes()
    page = (DIST.parent / "index.html").read_text(encoding="utf-8")
    first = [DIST / n for n in re.findall(r"assets/([\w.-]+\.(?:js|css))", page)]
    report("the page up to its first sheet, gzipped", _zipped(first), "kB", 300)
    report("  all sheets and the reader of codes", _zipped(DIST.glob("*.js")), "kB", 400)
    browser()


def _zipped(files: Iterable[Path]) -> float:
    return sum(len(gzip.compress(p.read_bytes())) for p in files) / 1000


def rigged() -> None:
    """A year of the demo lab lived through by its own crontabs, the proof tried on it, a step of a drill."""
    plan, began = demo_plan(), datetime(2026, 11, 24, tzinfo=UTC)
    with rig(plan, began, scripts=True) as days:
        begin = time.perf_counter()
        found = lived(days, 365)
        seconds = time.perf_counter() - begin
        report("a year of the demo lab in the rig", seconds, "s", 60)
        wrong = sum(not line.agrees for line in found.lines)
        print(
            f"{'  as fast as real time':46} {365 * 86_400 / seconds:9,.0f} x  (wanted 400,000); {wrong} differ"
        )
    with rig(plan, began) as days:
        begin = time.perf_counter()
        cells = tried(days)
        report("its proof tried", time.perf_counter() - begin, "s", 90)
        print(f"{'  cells that differ':46} {sum(not c.agrees for c in cells):9} of {len(cells)}")
    report("memory of the proof tried, a process of its own", prove_memory_mb(), "MB", 500)
    with rig(plan, began) as days:
        days.until(days.lab.now + 12 * 86_400)
        drilling, cell = Drilling(days), evaluate(plan, TODAY).proof
        steps = [DrillStep("hands", "renew heron"), DrillStep("dipper", "zfs list -t snapshot")]
        took = median_ms(lambda: drilling.play(BY_ID["box_lost"], 0, steps, cell, False), 9)
        report("a step of a drill", took, "ms", 100)


# What a process was before it became another program counts in its resource usage, but not here.
# Source: getrusage(2), proc(5).
PROVE = """
import sys
from pathlib import Path
from kavrel.cli import main
main(["rig", sys.argv[1], "--prove"], standalone_mode=False)
print(*[x for x in Path("/proc/self/status").read_text().splitlines() if x.startswith("VmHWM")])
"""


def prove_memory_mb() -> float:
    """The most memory that `kavrel rig --prove` holds, MB."""
    with TemporaryDirectory() as folder:
        plan = Path(folder) / "plan.json"
        plan.write_text(plan_file.dump(demo_plan()), encoding="utf-8")
        words = (sys.executable, "-c", PROVE, str(plan))
        told = subprocess.run(words, check=True, capture_output=True, text=True).stdout
    return int(told.split()[-2]) / 1024


def looked_at() -> None:
    """A look of ten megabytes read; drift of a large lab whose machines are as planned."""
    content = large_look()
    name = f"a look of {len(content) / 1e6:.0f} MB, 60 disks, 5,000 points, read"
    quick(name, partial(read_look, content, 0), 1500, 3)
    at = datetime(2026, 11, 24, 6, 30, tzinfo=UTC)
    for name, plan, most in (("demo lab", demo_plan(), 100), ("large lab", big_lab(), 100)):
        told = tuple(d.model_copy(update={"serial": f"S-{d.id}"}) for d in plan.disks)
        index = Index(plan.model_copy(update={"disks": told}))
        book = scheduled_book(index, pool_states(index), at.date())
        seen = {
            h.id: read_look(Stand(book, h.id, at, Twist()).look(), 0).machine for h in plan.hosts
        }
        day = at.date()
        quick(
            f"drift of the {name}, all hosts",
            lambda i=index, s=seen, d=day: [whole_drift(i, h, m, d) for h, m in s.items()],  # type: ignore[misc]
            most,
            5,
        )


def large_look() -> bytes:
    """Sixty disks, each with the long tables that smartctl prints, and five thousand snapshots."""
    names = [f"sd{a}{b}" for a in "abc" for b in "abcdefghijklmnopqrst"]
    line = {"error_number": 1, "lifetime_hours": 9000, "error_description": "Error: UNC " * 12}
    tables = {"ata_smart_error_log": {"extended": {"table": [line] * 700}}}
    rows = [lsblk(*(disk(n, f"S-{n}") for n in names))]
    for name in names:
        listing, asked, said = smart(f"/dev/{name}", f"S-{name}")
        rows.append((listing, asked, json.dumps({**json.loads(said), **tables})))
    points = [(f"tank/d{n % 20}", f"lab-hourly-{n}", NOON - n * 600) for n in range(5000)]
    sets = [zfs("tank", TB, 1), *(zfs(f"tank/d{n}", TB, TB) for n in range(20))]
    rows += [("zfs-list", "zfs list -Hp", "\n".join(sets)), snapshots(*points)]
    return look("nas", *rows)


def evaluate_next(edits: Iterator[Plan]) -> object:
    """What follows from the next of some plans."""
    return evaluate(next(edits), TODAY)


def billed(plan: Plan) -> int:
    """How many works all hosts have, from an index that knows nothing yet."""
    index = Index(plan)
    return sum(len(bill(index, host.id, TODAY)) for host in plan.hosts)


def edited(plan: Plan) -> dict[str, Iterator[Plan]]:
    """Plans that differ in one thing, another each time, by what that is."""

    def with_one(collection: str, place: int, change: Callable[[Any, int], dict[str, Any]]) -> Any:
        items = getattr(plan, collection)
        for n in itertools.count(1):
            item = items[place].model_copy(update=change(items[place], n))
            changed = (*items[:place], item, *items[place + 1 :])
            yield plan.model_copy(update={collection: changed})

    def at(job: Job, n: int) -> dict[str, Any]:
        return {"schedule": job.schedule.model_copy(update={"at": f"{n % 24:02}:{n % 60:02}"})}

    edits = {
        "price of a disk": with_one("disks", 0, lambda d, n: {"price_minor": n}),
        "size of a dataset": with_one("datasets", 3, lambda d, n: {"size_bytes": n * 10**9}),
        "start of a job": with_one("jobs", 3, at),
    }
    if plan.log:
        edits["note in the log"] = with_one("log", 0, lambda e, n: {"note": f"note {n}"})
    return edits


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


def matrix() -> None:
    """The access matrix of a big lab alone, and a change of one grant with all that follows."""
    plan = big_shares()
    index = Index(plan)

    def anew() -> None:
        access._rows.clear()
        access.access_matrix(index, TODAY)

    quick("matrix, 200 x 40 x 100, anew", anew, 200)
    evaluate(plan, TODAY)
    turn = itertools.cycle(["none", "read", "write"])

    def granted() -> None:
        first = plan.grants[0].model_copy(update={"right": next(turn)})
        changed = plan.model_copy(update={"grants": (first, *plan.grants[1:])})
        evaluate(changed, TODAY).access.model_dump_json()

    quick("  a grant there, at the server", granted, 100, 7)


def finder() -> None:
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

        quick(f"finder over {count} disks of 4 sizes", look, wanted, 3)


def lifetimes() -> None:
    """A million five-year lifetimes, against the same model written plainly in simpy."""
    rate, repair = odds.hourly_rate(0.05), 72.0
    six = Lives(2, (rate,) * 6, (0.0,) * 6, tuple(range(6)), repair)
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
            state["failed"] -= 1

    for _ in each.fail_per_hour:
        env.process(disk())
    env.run(until=over | env.timeout(hours))
    return over.triggered


def big_lab() -> Plan:
    """100 disks in 20 pools in 10 boxes at 3 sites, 60 datasets and 120 jobs."""
    luck = random.Random(5)
    sites = tuple(Site(id=f"s{n}", name=f"site {n}") for n in range(3))
    links = tuple(
        Link(id=f"l{a}{b}", a=f"s{a}", b=f"s{b}", mbit_a_to_b=200.0, mbit_b_to_a=200.0)
        for a, b in ((0, 1), (0, 2), (1, 2))
    )
    hosts = tuple(
        Host(id=f"h{n}", name=f"box {n}", site=f"s{n % 3}", bays_35=12, network_mbit=2500.0)
        for n in range(10)
    )
    disks = tuple(
        Disk(
            id=f"d{n}",
            label=f"D{n}",
            capacity_bytes=labelled_bytes(8000),
            host=f"h{n // 10}",
            bay=f"3.5-{n % 10 + 1}",
        )
        for n in range(100)
    )
    pools = tuple(
        Pool(
            id=f"p{n}",
            name=f"pool {n}",
            host=f"h{n // 2}",
            family="raidz2",
            filesystem="zfs",
            groups=(tuple(f"d{5 * n + k}" for k in range(5)),),
        )
        for n in range(20)
    )
    datasets = tuple(
        Dataset(
            id=f"t{n}",
            name=f"data {n}",
            pool=f"p{n % 20}",
            size_bytes=luck.randrange(50, 900) * 10**9,
            change_bytes_per_day=luck.randrange(1, 20) * 10**9,
            worth=luck.choice(("irreplaceable", "nuisance", "fetch_again")),
        )
        for n in range(60)
    )
    jobs = []
    for n in range(120):
        dataset = datasets[n % 60]
        at = f"{luck.randrange(24):02}:{luck.randrange(12) * 5:02}"
        daily = Schedule(kind="daily", every=luck.choice((1, 1, 1, 2)), at=at)
        target = f"p{(n % 20 + 7 + n // 60) % 20}"
        snapshot = n >= 60 and n % 3 == 0
        jobs.append(
            Job(
                id=f"j{n}",
                name=f"job {n}",
                kind="snapshot" if snapshot else ("replication", "backup")[n % 2],
                datasets=(dataset.id,),
                target_pool=None if snapshot else target,
                schedule=daily,
                retention=Retention(daily=14, weekly=8, monthly=12),
                credentials="target" if n % 2 else "source",
            )
        )
    return checked(
        Plan(
            name="big",
            sites=sites,
            links=links,
            hosts=hosts,
            disks=disks,
            pools=pools,
            datasets=datasets,
            jobs=tuple(jobs),
        )
    )


def proof() -> None:
    """The proof, and a year of the week, of the demo lab and of a large one."""
    for name, plan, wanted in (("demo lab", demo_plan(), 100), ("large lab", big_lab(), 1000)):
        index = Index(plan)
        states = pool_states(index)
        rights = access.access_matrix(index, TODAY)
        scheduled_book(index, states, TODAY)

        def whole(index: Index = index, states: Any = states, rights: Any = rights) -> object:
            return prove(index, scheduled_book(index, states, TODAY), rights)

        quick(f"proof of the {name}", whole, wanted, 5)
        book = scheduled_book(index, states, TODAY)
        pairs = partial(prove, book.index, book, rights, PAIRED)
        quick(f"  and of its pairs of hazards, {name}", pairs, wanted, 3)

        plain = CopyBook(index, states, TODAY)

        def year(plain: CopyBook = plain) -> object:
            tasks.forget_runs()
            return nights(plain, TODAY, 365)

        quick(f"a year of the week, {name}", year, 3000, 3)
        quick(f"arrange for me, {name}", partial(arrange, plan, TODAY), 10_000, 1)


def lab() -> None:
    """Lifetimes of the whole demo lab, beside the same reckoned plainly in simpy."""
    plan = demo_plan()
    index = Index(plan)
    book = scheduled_book(index, pool_states(index), TODAY)
    model = lab_model(index, book, access.access_matrix(index, TODAY))
    years, runs = 5, 20_000
    begin = time.perf_counter()
    done, tallies = live(model, years, runs, 1)
    seconds = time.perf_counter() - begin
    report("100,000 lab-years", seconds * 1000, "ms", 10_000)
    plain_runs = 100
    begin = time.perf_counter()
    lost = [plain_lab(model, years, random.Random(n)) for n in range(plain_runs)]
    plain = (time.perf_counter() - begin) / plain_runs * runs
    ours = sum(float(t.life_money.mean()) for t in tallies)
    print(
        f"{'  the same in simpy, plainly':46} {plain * 1000:9.0f} ms  {plain / seconds:.0f} times as "
        f"long (wanted 30); loss {ours:.0f} and {sum(lost) / plain_runs:.0f} over {done} and "
        f"{plain_runs} lifetimes"
    )


def plain_lab(model: LabModel, years: float, luck: random.Random) -> float:
    """Money lost in one lifetime, by `PlainLab`."""
    one = PlainLab(model, luck)
    one.env.run(until=years)
    return one.cost


class PlainLab:
    """One lifetime of a lab as one would write it down.

    A process for each thing that happens and for each disk, a look at the copies each time.
    """

    def __init__(self, model: LabModel, luck: random.Random) -> None:
        self.model, self.luck = model, luck
        self.env = simpy.Environment()
        self.gone: dict[int, list[tuple[float, float]]] = {
            k: [] for k in range(len(model.carriers))
        }
        self.silent: dict[int, tuple[float, float]] = {}
        self.bad = {
            (d.id, c.id): luck.random() < c.bad_odds for d in model.datasets for c in d.copies
        }
        self.cost = 0.0
        for k, each in enumerate(model.carriers):
            if each.rate > 0:
                self.env.process(self.carrier(k))
            for lives in each.disks:
                down: list[int] = []
                repairer = simpy.Resource(self.env, 1)
                for n in range(len(lives.fail_per_hour)):
                    self.env.process(self.disk(k, lives, n, down, repairer))
        for j, made in enumerate(model.jobs):
            if made.failure_rate:
                self.env.process(self.job(j))
        for dataset in model.datasets:
            for strikes in dataset.strikes:
                if strikes.rate:
                    self.env.process(self.damage(dataset, strikes))

    def strike(
        self, dataset: Any, cause: str, taken: int | None, notice: float | None, share: float
    ) -> None:
        """Adds what it costs: the best copy that is there decides."""
        now, luck = self.env.now, self.luck
        least = float("inf")
        for copy in dataset.copies:
            if cause in copy.useless or taken in copy.carriers or self.bad[dataset.id, copy.id]:
                continue
            if any(a <= now < b for k in copy.carriers for a, b in self.gone[k]):
                continue
            if notice is None:
                days = copy.best + luck.random() * (copy.worst - copy.best)
            else:
                days = float(np.interp(notice, copy.delays, copy.losses))
                if luck.random() < np.interp(notice, copy.delays, copy.never, right=1.0):
                    days = float("inf")
            for j in copy.jobs:
                if j in self.silent and self.silent[j][0] <= now < self.silent[j][1]:
                    days += (now - self.silent[j][0]) * 365.25
            least = min(least, days)
        lost = least == float("inf")
        self.cost += share * (dataset.worth_money if lost else least * dataset.day_money)

    def take(self, k: int) -> None:
        """A carrier is lost with all that it carries."""
        each = self.model.carriers[k]
        late = each.late_years if self.luck.random() < each.late_odds else 0.0
        for dataset in self.model.datasets:
            if k in dataset.carriers:
                self.strike(dataset, each.cause, k, None, 1.0)
        self.gone[k].append((self.env.now, self.env.now + each.gone_years + late))

    def carrier(self, k: int) -> Generator[Any, Any, Any]:
        """A site, a box, an account."""
        while True:
            yield self.env.timeout(self.luck.expovariate(self.model.carriers[k].rate))
            self.take(k)

    def disk(
        self, k: int, lives: Lives, n: int, down: list[int], repairer: Any
    ) -> Generator[Any, Any, Any]:
        """A disk of a pool: it fails, is replaced, and takes the pool along where it is one too many."""
        shape = self.model.ageing.shape
        span = 5.0
        rate = lives.fail_per_hour[n] * odds.HOURS_PER_YEAR
        scale = span / (rate * span) ** (1 / shape)
        while True:
            yield self.env.timeout(self.luck.weibullvariate(scale, shape))
            down.append(n)
            if len(down) > lives.outlives and not self.gone[k]:
                self.take(k)
            with repairer.request() as turn:
                yield turn
                yield self.env.timeout(max(lives.repair_hours, 0.01) / odds.HOURS_PER_YEAR)
            down.remove(n)

    def job(self, j: int) -> Generator[Any, Any, Any]:
        """A job that stops working unnoticed."""
        each = self.model.jobs[j]
        while True:
            yield self.env.timeout(self.luck.expovariate(each.failure_rate))
            unseen = self.luck.expovariate(1 / each.found_years)
            until = min(unseen, each.alarm_years or unseen)
            self.silent[j] = (self.env.now, self.env.now + until)

    def damage(self, dataset: Any, each: Any) -> Generator[Any, Any, Any]:
        """A deletion, malware, corruption."""
        while True:
            yield self.env.timeout(self.luck.expovariate(each.rate))
            spread = self.luck.expovariate(1 / each.notice_days) if each.spread else 0.0
            self.strike(dataset, each.cause, None, spread or each.notice_days, each.share)


def browser() -> None:
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
            report("first sheet drawn, warm server", opened, "ms", 1000)
            times = stage.time_edits()
            report("edit to the updated strip, median", statistics.median(times), "ms", 80)
            report("  95th percentile", times[int(len(times) * 0.95)], "ms", 150)
            large = big_lab()
            stage.take(plan_file.dump(large).encode())
            times = stage.time_edits(large.disks[0].label, 9, 5_000)
            report("  the large lab, median", statistics.median(times), "ms", 300)
            big = plan_file.dump(big_shares()).encode()
            report("grant to the redrawn big matrix", stage.time_grant(big), "ms", 100)
        finally:
            stage.close()


if __name__ == "__main__":
    main()
