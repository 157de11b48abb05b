"""Jobs: what is copied or looked after, when, where to, and how long it is kept."""

from typing import Annotated, Literal

from pydantic import Field

from kavrel.core.plan.ids import JobKind
from kavrel.core.plan.value import Ref, Shown, Unique, Value, When
from kavrel.core.quantities import Count, Day, Flag, Id, Line, Money, WallTime, Zone, real, whole

ScheduleKind = Literal["minutes", "hourly", "daily", "weekly", "monthly", "after"]
_TIMED = ((When("schedule.kind", not_=("after",)),),)
_HOURLY = ((When("schedule.kind", is_=("hourly",)),),)


class Schedule(Value):
    """When a job starts, in wall time of `zone` (None: the plan's).

    `minutes` starts every 5, 10, 15 or 30 minutes of the day. `hourly` starts every `every` hours
    from `at`, only within the hours `only_from` to `only_to` where they are given; `daily`, `weekly`
    and `monthly` count `every` from the date `start` (default: Monday 2024-01-01). `monthly` runs on
    `day` (-1: the last), or, with `nth` not 0, on
    the nth of the weekdays (-1: the last). A month that has no such day is skipped, as cron,
    systemd and RFC 5545 do. `after` starts when the job that is named in `Job.after` ends.
    """

    kind: Annotated[
        ScheduleKind,
        Shown(
            "When",
            words={
                "minutes": "all the time",
                "hourly": "by the hour",
                "daily": "by the day",
                "weekly": "on weekdays",
                "monthly": "by the month",
                "after": "after another job",
            },
            start="daily",
            by="kind",
        ),
    ]
    every: Annotated[
        int,
        whole(1, 400),
        Shown("Every", "minutes, hours, days, weeks or months; 3 months: a quarter", when=_TIMED),
    ] = 1
    at: Annotated[
        WallTime,
        Shown(
            "At",
            "HH:MM in {zone}",
            start="01:30",
            when=((When("schedule.kind", not_=("after", "minutes")),),),
        ),
    ] = "00:00"
    only_from: (
        Annotated[WallTime, Shown("Only from", "HH:MM, for night hours", when=_HOURLY)] | None
    ) = None
    only_to: Annotated[WallTime, Shown("Only until", when=_HOURLY)] | None = None
    nth: Annotated[
        int,
        whole(-1, 5),
        Shown(
            "Which weekday",
            words={
                0: "by the day of the month",
                1: "the first",
                2: "the second",
                3: "the third",
                4: "the fourth",
                5: "the fifth",
                -1: "the last",
            },
            when=((When("schedule.kind", is_=("monthly",)),),),
        ),
    ] = 0
    weekdays: Annotated[
        tuple[Annotated[int, whole(0, 6)], ...],
        Field(max_length=7, description="0 is Monday"),
        Shown(
            "Weekdays",
            words={0: "Mon", 1: "Tue", 2: "Wed", 3: "Thu", 4: "Fri", 5: "Sat", 6: "Sun"},
            when=(
                (When("schedule.kind", is_=("weekly",)),),
                (When("schedule.kind", is_=("monthly",)), When("schedule.nth", not_=("0",))),
            ),
        ),
    ] = ()
    day: Annotated[
        int,
        whole(-1, 31),
        Shown(
            "Day of month",
            "-1: the last",
            when=((When("schedule.kind", is_=("monthly",)), When("schedule.nth", is_=("0",))),),
        ),
    ] = 1
    zone: Annotated[Zone, Shown("Time zone", "empty: the plan's", when=_TIMED)] | None = None
    start: Annotated[Day, Shown("Counted from", when=_TIMED)] | None = None
    until: Annotated[Day, Shown("Until", when=_TIMED)] | None = None


PeriodName = Literal["hourly", "daily", "weekly", "monthly", "yearly"]
_COUNTED = tuple(
    (When(f"retention.{p}", filled=True),)
    for p in ("hourly", "daily", "weekly", "monthly", "yearly")
)


class Window(Value):
    """One point of each `every` while it is younger than `days`, and older than the window before."""

    every: PeriodName
    days: Annotated[int, whole(1, 36_500)]


class Retention(Value):
    """Which points stay: a point is kept while any rule keeps it; the newest always stays.

    `counting`: whether coarser rules count beyond what finer ones keep, or each rule on its own.
    `of_period`: which point of an hour, day, week, month or year stands for it. `windows` of age
    are a school of their own; see `copies.retention`. `thin` keeps at most so many, dense near and
    sparse far. `trash_days` is how long the trash can of a mirror keeps what was replaced or
    deleted. Until `hold_until` nothing is pruned.
    """

    all_days: Annotated[int, whole(0, 36_500), Shown("Keep all for", unit="days", by="kind")] = 0
    last: Annotated[
        int,
        whole(0, 100_000),
        Shown("Keep the last", "so many stay, however old they are", "points", by="kind"),
    ] = 0
    hourly: Annotated[Count, Shown("and one each of", unit="hours", by="kind")] = 0
    daily: Annotated[Count, Shown("", unit="days", start=14, by="kind")] = 0
    weekly: Annotated[Count, Shown("", unit="weeks", start=8, by="kind")] = 0
    monthly: Annotated[Count, Shown("", unit="months", start=6, by="kind")] = 0
    yearly: Annotated[Count, Shown("", unit="years", by="kind")] = 0
    counting: Annotated[
        Literal["beyond", "each"],
        Shown(
            "These count",
            "7 + 2 + 1 + 1: eleven points beyond one another, as few as seven each on its own; as its "
            "tool prunes",
            words={"beyond": "beyond one another", "each": "each on its own"},
            when=_COUNTED,
            by="kind",
        ),
    ] = "beyond"
    of_period: Annotated[
        Literal["last", "first"],
        Shown(
            "Of each keep",
            words={"last": "the last point", "first": "the first point"},
            when=(*_COUNTED, (When("retention.windows", filled=True),)),
            by="kind",
        ),
    ] = "last"
    windows: Annotated[
        tuple[Window, ...],
        Field(max_length=5),
        Shown(
            "or by age",
            "hour 1, day 30, week 365: one an hour for a day, one a day for 30, one a week until 365; "
            "alone",
            as_="windows",
            by="kind",
        ),
    ] = ()
    thin: Annotated[
        int, whole(0, 500), Shown("or thinned to", "dense near, sparse far", "points", by="kind")
    ] = 0
    trash_days: Annotated[int, whole(0, 3650), Shown("Trash can keeps", unit="days", by="kind")] = 0
    hold_until: (
        Annotated[Day, Shown("Hold all until", "nothing is pruned before", by="kind")] | None
    ) = None


class Bucket(Value):
    """A bucket at somebody's site, reached by the S3 protocol over the link to that site.

    `locked_days`: an object cannot be deleted by anyone for so long. `price_minor` a TB and month.
    """

    id: Id
    name: Annotated[Line, Unique(), Shown("Name")]
    site: Annotated[
        Id, Ref("sites"), Shown("At", "a site that is not your own", prefer=("own", False))
    ]
    # Whom the provider knows: it can be closed.
    account: Annotated[Line, Shown("Account", "whom the provider knows: it can be closed")]
    locked_days: Annotated[
        int,
        whole(0, 36_500),
        Shown("Objects locked", "nobody can delete them for so long", "days"),
    ] = 0
    # Each run locks anew what its points still need.
    locks_renewed: Annotated[
        Flag,
        Shown(
            "Locked anew",
            "each run locks anew what its points still need; else older objects can be deleted",
            when=((When("locked_days", filled=True),),),
        ),
    ] = False
    price_minor: Annotated[Money, Shown("Price", unit="{currency} a TB and month")] = 0


Pattern = Annotated[str, Field(pattern=r"^[^\s\x00-\x1f]{1,80}$")]
Holder = Literal["source", "target", "everyday", "hand"]
FirstCopy = Literal["done", "side_by_side", "carried", "over_link"]


class Job(Value):
    """One hop of data, or a chore: what, from where, to where, when, and who could delete it.

    `pool` is what a scrub, a SMART test or the mover works on, `host` whose configuration is kept.
    `first_copy`: how the first whole copy gets there, from `first_on` on. `after` names the job that
    this one follows; `window_from` and `window_to` are when it must run; `fixed` start times are not
    moved by Arrange. `credentials`: who could delete the copy; the source (it is pushed), the far
    box alone (it pulls). `alarm_days`: somebody is told when nothing has arrived for so long.
    `lands_in` names the export of the far box that it writes through, `lands_as` the account that
    it signs in with there; without them it goes by SSH, or by its tool's own way. `left_out`:
    patterns of throw-away files that it skips, as rsync's filters have them, and `left_out_share`
    what they come to of the datasets' bytes.
    """

    ESSENTIALS = (
        *(
            "name",
            "kind",
            "datasets",
            "pool",
            "host",
            "target_pool",
            "target_disk",
            "target_bucket",
        ),
        *("lands_share", "lands_as", "after", "encrypted"),
        *(f"schedule.{f}" for f in ("kind", "every", "at", "weekdays", "nth", "day")),
        *(f"retention.{f}" for f in ("all_days", "last", "hourly", "daily", "weekly")),
        *(f"retention.{f}" for f in ("monthly", "yearly", "trash_days")),
    )

    id: Id
    name: Annotated[Line, Unique(), Shown("Name")]
    kind: Annotated[JobKind, Shown("Kind", start="snapshot")]
    datasets: Annotated[
        tuple[Id, ...], Field(max_length=100), Ref("datasets"), Shown("Datasets", by="kind")
    ] = ()
    pool: Annotated[Id, Ref("pools"), Shown("Pool", by="kind")] | None = None
    host: Annotated[Id, Ref("hosts"), Shown("Of the box", by="kind")] | None = None
    # Another job's copy instead of the dataset itself.
    reads_from: (
        Annotated[
            Id,
            Ref("jobs", that="copies"),
            Shown("From the copy of", "empty: from the dataset itself", by="kind"),
        ]
        | None
    ) = None
    target_pool: Annotated[Id, Ref("pools"), Shown("To pool", by="kind")] | None = None
    target_disk: Annotated[Id, Ref("disks"), Shown("To disk", by="kind")] | None = None
    target_bucket: (
        Annotated[Id, Ref("buckets"), Shown("To bucket", "made under elsewhere", by="kind")] | None
    ) = None
    lands_in: (
        Annotated[
            Id,
            Ref("exports"),
            Shown(
                "Lands in",
                "an export of the far box; none: by SSH, or its tool's own way",
                by="kind",
            ),
        ]
        | None
    ) = None
    # Of a PC's own copy: a share for PCs' backups.
    lands_share: (
        Annotated[Id, Ref("shares"), Shown("Lands in share", "one for PCs' backups", by="kind")]
        | None
    ) = None
    lands_as: (
        Annotated[
            Id,
            Ref("accounts"),
            Shown(
                "as",
                when=((When("lands_in", filled=True),), (When("lands_share", filled=True),)),
                by="kind",
            ),
        ]
        | None
    ) = None
    schedule: Schedule
    after: (
        Annotated[Id, Ref("jobs"), Shown("After", when=((When("schedule.kind", is_=("after",)),),))]
        | None
    ) = None
    window_from: (
        Annotated[WallTime, Shown("May run from", "HH:MM; empty: the quiet hours, when arranged")]
        | None
    ) = None
    window_to: Annotated[WallTime, Shown("and must end by")] | None = None
    # Of whole archives: the store keeps chunks that are alike once.
    chunk_store: Annotated[
        Flag,
        Shown(
            "Chunks once",
            "the store keeps chunks that are alike once; else every archive takes the room of all of "
            "it",
            by="kind",
        ),
    ] = False
    # A run that was missed while the box was off is made up for.
    catch_up: Annotated[
        Flag,
        Shown(
            "Catch up",
            "a run that was missed while the box was off is made up for",
            when=_TIMED,
            by="kind",
        ),
    ] = False
    fixed: Annotated[
        Flag, Shown("Start is fixed", "Arrange leaves it where it is", when=_TIMED)
    ] = False
    retention: Retention = Retention()
    left_out: Annotated[
        tuple[Pattern, ...],
        Field(max_length=40),
        Shown("Leave out", "patterns of throw-away files, as .cache/ *.part", by="kind"),
    ] = ()
    left_out_share: Annotated[
        float,
        real(0.0, 0.99),
        Shown("which is", "0.1: a tenth of the data", "of its bytes", by="kind"),
    ] = 0.0
    first_copy: Annotated[
        FirstCopy,
        Shown(
            "First copy",
            words={
                "done": "is there",
                "side_by_side": "side by side on the LAN",
                "carried": "on a carried disk",
                "over_link": "over the link",
            },
            by="kind",
        ),
    ] = "done"
    first_on: (
        Annotated[Day, Shown("Begins on", when=((When("first_copy", not_=("done",)),),), by="kind")]
        | None
    ) = None
    encrypted: Annotated[Flag, Shown("Encrypted at source", by="kind")] = False
    key_kept_at: Annotated[
        tuple[Id, ...],
        Field(max_length=20),
        Ref("sites"),
        Shown(
            "Key kept at",
            "none: only in the box itself",
            when=((When("encrypted", filled=True),),),
            by="kind",
        ),
    ] = ()
    # By SSH or TLS of its own, besides any tunnel.
    wire_encrypted: Annotated[
        Flag,
        Shown(
            "Way encrypted",
            "by SSH or TLS of its own; inside a tunnel that is once too often",
            by="kind",
        ),
    ] = False
    credentials: Annotated[
        Holder,
        Shown(
            "Who could delete it",
            words={
                "source": "the source box (it pushes)",
                "target": "the far box alone (it pulls)",
                "everyday": "the everyday account",
                "hand": "only a hand on the disk",
            },
            by="kind",
        ),
    ] = "source"
    limit_mbit: (
        Annotated[float, real(0.1, 400_000.0), Shown("Limit", unit="Mbit/s", by="kind")] | None
    ) = None
    # After a cut it goes on where it was.
    resumable: Annotated[Flag, Shown("Goes on after a cut", by="kind")] = True
    alarm_days: (
        Annotated[
            float,
            real(0.05, 3650.0),
            Shown("Alarm after", unit="days of silence", by="kind"),
        ]
        | None
    ) = None
