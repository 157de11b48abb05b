"""Measures what must stay quick, as ratios against a plain reference in the same run.

The reference is a fixed piece of Python work (sorting and summing), timed beside each figure, so
that numbers from different machines can be compared. Nothing here passes or fails a test.
"""

import gc
import gzip
import random
import statistics
import time
from collections.abc import Callable
from datetime import date
from pathlib import Path
from tempfile import TemporaryDirectory

from kavrel.core.copies import flow, schedule
from kavrel.core.demo import demo_plan
from kavrel.core.evaluate import evaluate
from kavrel.core.plan import Disk
from kavrel.core.pools import lay_out, odds

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

    report("evaluate the demo lab", median_ms(lambda: evaluate(plan, TODAY)), "ms", 50, base)
    report("evaluate after an edit of a disk", median_ms(edited), "ms", 50, base)
    report("evaluate from cold caches", median_ms(cold), "ms", 500, base)
    scripts = sum(len(gzip.compress(p.read_bytes())) for p in DIST.glob("*.js"))
    report("front-end script, gzipped, all sheets", scripts / 1000, "kB", 300)
    browser(base)


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
        finally:
            stage.close()


if __name__ == "__main__":
    main()
