"""The server's own clock: it gathers news, bundles them, sends them, and keeps the database safe."""

import logging
import threading
from collections.abc import Callable
from datetime import date, datetime, time
from zoneinfo import ZoneInfo

from kavrel.api.service import Service
from kavrel.api.told.gather import gathered
from kavrel.api.told.post import NotSent, post
from kavrel.core.quantities import later
from kavrel.core.told.news import News, heartbeat
from kavrel.store.backups import USUAL, nightly, rule_of
from kavrel.store.database import Database, StoreError, StoreFull
from kavrel.store.outbox import Message, NoSuchWay, Outbox, Way
from kavrel.store.plans import NoSuchPlan
from kavrel.store.thinning import thin

log = logging.getLogger(__name__)
TICK_SECONDS = 30.0
GATHER_SECONDS = 900.0
NIGHT = time(3, 30)  # the copy of the database is made after this hour, UTC where there is no plan
MOST_AT_ONCE = 20
FULL = (
    "No edit, no look of a machine and no message can be written down, and no copy of the database is made, "
    "until there is room again. What was written before is whole. Until then this comes once a day, and "
    "nothing else does: silence says nothing now.\n"
)


class Teller:
    """Everything that the server does without being asked.

    Each step looks at the clock on the wall: a machine that slept, or whose clock was set, goes on
    with what is due then.
    """

    def __init__(
        self,
        service: Service,
        outbox: Outbox,
        database: Database,
        send: Callable[[Message, Way], None] = post,
        keep: str = USUAL,
    ) -> None:
        self.service, self.outbox, self.database = service, outbox, database
        self._send, self._keep = send, keep
        self._gathered_at: dict[str, tuple[float, int]] = {}
        self._full_on: dict[tuple[str, str], str] = {}
        self._stop = threading.Event()
        self._thread: threading.Thread | None = None

    # -- the thread ------------------------------------------------------------------------------

    def start(self) -> None:
        """Begins; what was being sent when the server died is left to the hand."""
        self.outbox.wake()
        self._thread = threading.Thread(target=self._run, name="teller", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """Ends after what is being done."""
        self._stop.set()
        if self._thread:
            self._thread.join(30)

    def _run(self) -> None:
        # The first look waits until the server has answered whoever started it.
        while not self._stop.wait(TICK_SECONDS):
            try:
                self.tick()
            except Exception:
                log.exception("a round of messages failed; the next one tries again")

    # -- one round -------------------------------------------------------------------------------

    def tick(self) -> None:
        """One round: the night's copy, what is new, what is to be sent."""
        try:
            self._round()
        except StoreFull as error:
            log.warning("nothing can be written down: %s", error)
            self._full()

    def _full(self) -> None:
        """Says that the disk is full, past an outbox that cannot be written: once a day and way.

        It is remembered by this process alone; whoever receives it knows it by its mark.
        """
        now = self.service.now()
        for plan_id in self.outbox.plans():
            _, plan = self.service.plans.head(plan_id)
            here = now.astimezone(ZoneInfo(plan.zone))
            for way in self._working(plan_id, "backup"):
                day = here.date().isoformat()
                if is_quiet(way, here.time()) or self._full_on.get((plan_id, way.id)) == day:
                    continue
                self._full_on[plan_id, way.id] = day
                message = Message(
                    number=0,
                    plan_id=plan_id,
                    way=way.id,
                    mark=f"full-{plan_id}-{day}",
                    made_at=now.timestamp(),
                    daily=False,
                    subject=f"{plan.name}: the disk of Kavrel's own database is full",
                    body=FULL,
                    state="sending",
                    tries=0,
                    next_at=now.timestamp(),
                    settled_at=None,
                    error="",
                )
                try:
                    self._send(message, way)
                except NotSent as error:
                    log.warning("nobody could be told that the disk is full: %s", error)

    def _round(self) -> None:
        self._night()
        for plan_id in self.outbox.plans():
            try:
                self._plan(plan_id)
            except NoSuchPlan:
                continue
        for _ in range(MOST_AT_ONCE):
            if not self._deliver():
                return

    def _night(self) -> None:
        """Copies the database and thins old revisions, once a night."""
        now = self.service.now().astimezone()
        day = now.date().isoformat()
        if now.time() < NIGHT or self.outbox.done_on("night") >= day:
            return
        try:
            made, gone = nightly(self.database.path, rule_of(self._keep), "UTC", self.service.now())
            thinned = thin(self.database, now.date())
            said = f"copied to {made.name}; {len(gone)} old copies, {thinned} old revisions let go"
            self.outbox.did("night", day, said)
        except (StoreError, OSError) as error:
            log.warning("the night's copy of the database failed: %s", error)
            self.outbox.did("night", day, f"failed: {error}")
            piece = News(
                key=f"backup {day}",
                topic="backup",
                urgent=True,
                title="Kavrel's own database was not copied",
                text=str(error),
            )
            for plan_id in self.outbox.plans():
                for way in self._working(plan_id, "backup"):
                    self.outbox.tell(plan_id, way.id, [piece])

    def _working(self, plan_id: str, topic: str) -> list[Way]:
        return [w for w in self.outbox.ways(plan_id) if w.works and topic in w.topics]

    def _plan(self, plan_id: str) -> None:
        """Gathers what is new where it is time to, and makes messages of it."""
        row, plan = self.service.plans.head(plan_id)
        now = self.service.now()
        before = self._gathered_at.get(plan_id)
        moment = now.timestamp()
        stale = (
            before is None or before[1] != row.head or not 0 <= moment - before[0] < GATHER_SECONDS
        )
        ways = [w for w in self.outbox.ways(plan_id) if w.works]
        here = now.astimezone(ZoneInfo(plan.zone))
        if stale:
            news = gathered(self.service, plan_id)
            for way in ways:
                wanted = [n for n in news if n.topic in way.topics]
                self.outbox.forget(plan_id, way.id, [n.key for n in wanted])
                self.outbox.tell(plan_id, way.id, wanted)
            self._gathered_at[plan_id] = (moment, row.head)
        for way in ways:
            self._heartbeat(plan_id, plan.name, way, here)
            self._bundle(plan_id, plan.name, way, here)

    def _heartbeat(self, plan_id: str, name: str, way: Way, here: datetime) -> None:
        if "heartbeat" not in way.topics or way.heartbeat_day is None:
            return
        # The newest day of that name: a server that slept through it says it when it wakes.
        on = later(here.date(), -((here.weekday() - way.heartbeat_day) % 7))
        if on == here.date() and here.time() < _hour(way.daily_at):
            return
        self.outbox.tell(plan_id, way.id, [heartbeat(name, on, self._lines(plan_id))])

    def _lines(self, plan_id: str) -> list[str]:
        row, plan = self.service.plans.head(plan_id)
        strip = self.service.evaluation(plan_id, row.head, plan).strip
        looks = {r.host: r.seen_at for r in reversed(self.service.looks.rows(plan_id))}
        zone = ZoneInfo(plan.zone)
        seen = [
            f"{h.name}: looked at {datetime.fromtimestamp(looks[h.id], zone):%Y-%m-%d %H:%M}"
            if h.id in looks
            else f"{h.name}: never looked at"
            for h in plan.hosts
            if not h.closed
        ]
        night = self.outbox.said_of("night") or "not copied yet"
        today = f", as things stand today {strip.lost_today} more" if strip.lost_today else ""
        return [
            f"Cautions: {strip.cautions}, of them serious: {strip.serious}. "
            f"Cells from which nothing comes back: {strip.lost_for_good}{today}.",
            *seen,
            f"Kavrel's own database: {night}.",
        ]

    def _bundle(self, plan_id: str, name: str, way: Way, here: datetime) -> None:
        """Makes a message of what is urgent at once, of the rest once a day; none in quiet hours."""
        if is_quiet(way, here.time()):
            return
        urgent = self.outbox.untold(plan_id, way.id, urgent=True)
        last = self.outbox.last_daily(plan_id, way.id)
        zone = here.tzinfo
        today = here.date()
        had = last is not None and datetime.fromtimestamp(last, zone).date() >= today
        daily = not had and here.time() >= _hour(way.daily_at)
        rest = self.outbox.untold(plan_id, way.id, urgent=False) if daily else []
        if not urgent and not rest:
            return
        all_of_it = [*urgent, *rest]
        unsure = self.outbox.unsure(plan_id, way.id)
        self.outbox.compose(
            plan_id,
            way.id,
            subject_of(name, all_of_it),
            body_of(all_of_it, unsure, today),
            [n.key for n in all_of_it],
            daily=bool(rest),
        )

    def _deliver(self) -> bool:
        """Sends the next message; False when there is none."""
        message = self.outbox.claim()
        if message is None:
            return False
        try:
            way = self.outbox.way(message.plan_id, message.way)
            self._send(message, way)
        except NotSent as error:
            self.outbox.not_sent(message, str(error))
        except NoSuchWay:
            return True  # it went with its way
        else:
            self.outbox.sent(message)
        return True


def _hour(text: str) -> time:
    return time.fromisoformat(text)


def is_quiet(way: Way, now: time) -> bool:
    """Whether an hour of the day is among a way's quiet ones; these may go past midnight."""
    begin, end = _hour(way.quiet_from), _hour(way.quiet_until)
    if begin == end:
        return False
    if begin < end:
        return begin <= now < end
    return now >= begin or now < end


def subject_of(name: str, news: list[News]) -> str:
    """What stands above a message."""
    if len(news) == 1:
        return f"{name}: {news[0].title.removeprefix(f'{name}: ')}"
    urgent = sum(n.urgent for n in news)
    word = f", {urgent} of them urgent" if urgent and urgent < len(news) else ""
    return f"{name}: {news[0].title}, and {len(news) - 1} more{word}"


def body_of(news: list[News], unsure: list[str], today: date) -> str:
    """The message itself: plain text, the urgent first, what is alike said once."""
    lines = []
    for titles, piece in _alike(news):
        mark = "! " if piece.urgent else "- "
        lines.append(mark + titles)
        lines.extend(f"    {line}" for line in piece.text.splitlines())
    if unsure:
        lines += ["", "The server stopped while these were being sent; they may not have arrived:"]
        lines += [f"- {subject}" for subject in unsure]
    return "\n".join([*lines, "", f"Kavrel, {today.isoformat()}"]) + "\n"


def _alike(news: list[News]) -> list[tuple[str, News]]:
    """News in their order, those that say the same of several things as one: the first, with all names."""
    gathered: dict[tuple[str, str, bool], tuple[list[str], News]] = {}
    for piece in news:
        head, colon, name = piece.title.rpartition(": ")
        key = (head if piece.text and colon else piece.key, piece.text, piece.urgent)
        gathered.setdefault(key, ([], piece))[0].append(name if piece.text and colon else "")
    return [
        (
            f"{piece.title.rpartition(': ')[0]}: {', '.join(names)}"
            if len(names) > 1
            else piece.title,
            piece,
        )
        for names, piece in gathered.values()
    ]
