"""Messages: told once, bundled, quiet when it is night, and never twice, whatever happens."""

import email
import email.policy
import hashlib
import hmac
import json
import multiprocessing
import os
import signal
import threading
from collections.abc import Iterator
from datetime import UTC, datetime, time, timedelta
from http.server import BaseHTTPRequestHandler, HTTPServer
from pathlib import Path
from typing import Any

import icalendar
import pytest
from aiosmtpd.controller import Controller
from starlette.testclient import TestClient

from kavrel.api.app import create_app
from kavrel.api.told.post import NotSent, letter, post
from kavrel.api.told.teller import body_of, is_quiet
from kavrel.core.seen.machine import Machine, SeenRun
from kavrel.core.told.news import TOPICS, News
from kavrel.demo import demo_plan
from kavrel.store.backups import copies, folder_of
from kavrel.store.database import Database, StoreFull
from kavrel.store.looks import Looks
from kavrel.store.outbox import AGAIN, MOST_MESSAGES, Message, Outbox, Way
from kavrel.store.passwords import hashed
from kavrel.store.people import People
from kavrel.store.plans import Plans
from tests.conftest import free_port
from tests.seeds import some

MORNING = datetime(2026, 11, 24, 9, 0, tzinfo=UTC)
MAIL = Way(
    "post", "mail", "Post", True, "you@home.example", "localhost", 25, "none", "", "", "lab@home.example",
    "22:00", "07:00", "08:00", 0, TOPICS,
)  # fmt: skip


class Told:
    """The demo lab with a way to tell, a clock that the test moves, and what was sent."""

    def __init__(self, database: Database) -> None:
        self.now, self.refuses = MORNING, ""
        self.sent: list[tuple[str, str]] = []
        self.database = database
        self.app = create_app(database, lambda: self.now)
        state = self.app.state
        self.teller, self.outbox, self.looks = state.teller, state.outbox, state.service.looks
        self.teller._send = self.app.state.send = self.take
        self.plan = Plans(database, lambda: self.now).create(demo_plan(), "new")
        self.client = TestClient(self.app, base_url="http://127.0.0.1:8321")
        self.host = demo_plan().hosts[0].id

    def take(self, message: Message, way: Way) -> None:
        if self.refuses:
            raise NotSent(self.refuses)
        self.sent.append((message.subject, message.body))

    def way(self, **more: Any) -> None:
        self.outbox.put(self.plan, Way(**{**MAIL.__dict__, **more}))

    def round(self, **passed: float) -> list[tuple[str, str]]:
        """One round after some time; gives what went."""
        self.now += timedelta(**passed)
        before = len(self.sent)
        self.teller.tick()
        return self.sent[before:]

    def failed(self) -> None:
        """A run that failed just now."""
        began = self.now.timestamp() - 60
        run = SeenRun(
            job="nightly", began=began, ended=began + 9, result="failed", said="x\nno room"
        )
        machine = Machine(host="box", at=self.now.timestamp(), runs=(run,))
        self.looks.keep(self.plan, self.host, machine, str(self.now).encode())


@pytest.fixture
def told(database: Database) -> Told:
    return Told(database)


def test_what_is_due_comes_once_in_one_message_a_day(told: Told) -> None:
    told.way(topics=("due",))
    (first,) = told.round()
    assert first[1].count("\n- due: ") >= 5
    assert told.round(minutes=20) == []
    assert told.round(days=1) == [], "the same things are no news the next day"


def test_a_failure_comes_at_once_but_not_at_night(told: Told) -> None:
    told.way(topics=("failure",))
    assert told.round() == []
    told.failed()
    (message,) = told.round(minutes=16)
    assert "nightly failed on" in message[0]
    assert "no room" in message[1]
    told.now = MORNING.replace(hour=23)
    told.failed()
    assert told.round() == [], "quiet from ten to seven, where the lab is"
    assert told.round(hours=3) == []
    assert len(told.round(hours=6)) == 1


def test_a_box_that_sends_no_more_is_news(told: Told) -> None:
    told.way(topics=("silence",))
    told.looks.give_token(told.plan, told.host)
    machine = Machine(host="box", at=told.now.timestamp())
    told.looks.keep(told.plan, told.host, machine, b"one", sent=True)
    name = demo_plan().hosts[0].name
    assert not any(f"{name} has sent nothing" in body for _, body in told.round())
    assert any(f"{name} has sent nothing since" in body for _, body in told.round(days=3.5))
    assert not any(f"{name} has sent nothing" in body for _, body in told.round(days=1))
    again = Machine(host="box", at=told.now.timestamp())
    told.looks.keep(told.plan, told.host, again, b"two", sent=True)
    told.round(hours=1)
    assert any(f"{name} has sent nothing since" in b for _, b in told.round(days=4.5)), (
        "silent anew"
    )


def test_a_weekly_word_comes_so_that_silence_can_be_heard(told: Told) -> None:
    told.way(topics=("heartbeat",), heartbeat_day=1)  # a Tuesday, as the day is
    (message,) = told.round()
    assert "Kavrel is awake" in message[0]
    assert "2026-12-01" in message[1], "it says when the next one comes"
    assert told.round(days=1) == []
    assert len(told.round(days=8)) == 1, "asleep on the day: said when it wakes"


def test_refused_messages_are_tried_again_for_some_days_and_then_shown(told: Told) -> None:
    told.way(topics=("due",))
    told.refuses = "greylisted"
    told.round()
    told.round(seconds=30)
    (message,) = told.outbox.messages(told.plan)
    assert (message.tries, message.state, message.error) == (1, "waiting", "greylisted")
    told.refuses = ""
    assert len(told.round(seconds=40)) == 1
    told.refuses = "no such mailbox"
    told.way(topics=("due", "risk", "heartbeat"), heartbeat_day=1)
    for wait in (0, *AGAIN, *AGAIN):  # it begins with the message of the next day
        told.round(seconds=wait + 1)
    assert "given up" in {m.state for m in told.outbox.messages(told.plan)}
    assert sum(AGAIN) == pytest.approx(3 * 86_400, rel=0.05)


def test_what_was_being_sent_when_the_server_died_is_named_and_not_sent_again(told: Told) -> None:
    told.way(topics=("due", "failure"))

    def dies(message: Message, way: Way) -> None:
        raise KeyboardInterrupt

    told.teller._send = dies
    with pytest.raises(KeyboardInterrupt):
        told.round()
    told.teller._send = told.take
    told.outbox.wake()
    assert told.round(minutes=1) == []
    told.failed()
    (message,) = told.round(minutes=20)
    assert "may not have arrived:\n- Lantern Row: due" in message[1]
    told.failed()
    assert "may not have arrived" not in told.round(minutes=20)[0][1]


def test_a_clock_that_jumps_sends_nothing_twice(told: Told) -> None:
    told.way(topics=("due", "heartbeat"), heartbeat_day=1)
    told.round()
    sent = len(told.sent)
    for jump in (-40, 3, -2, 1):
        told.round(days=jump)
    titles = [
        line for _, body in told.sent[sent:] for line in body.splitlines() if line[:2] == "- "
    ]
    titles = [t for t in titles if "is awake" not in t]  # that of another week is another one
    assert not [t for t in titles if any(t in body for _, body in told.sent[:sent])]


@pytest.mark.parametrize(
    ("begin", "end", "at", "quiet"),
    [
        ("22:00", "07:00", "23:10", True), ("22:00", "07:00", "06:59", True),
        ("22:00", "07:00", "07:00", False), ("12:00", "13:00", "12:30", True),
        ("12:00", "13:00", "13:00", False), ("00:00", "00:00", "03:00", False),
    ],
)  # fmt: skip
def test_quiet_hours(begin: str, end: str, at: str, quiet: bool) -> None:
    way = Way(**{**MAIL.__dict__, "quiet_from": begin, "quiet_until": end})
    assert is_quiet(way, time.fromisoformat(at)) is quiet


def test_the_database_is_copied_every_night_and_a_failure_is_told(told: Told) -> None:
    told.way(topics=("backup",))
    told.round()
    told.round(minutes=5)
    assert len(copies(folder_of(told.database.path))) == 1
    folder = folder_of(told.database.path)
    for path in folder.iterdir():
        path.unlink()
    folder.rmdir()
    folder.write_text("in the way")
    (message,) = told.round(days=1)
    assert "not copied" in message[0]


def test_once_a_clock_that_was_years_ahead_is_right_all_goes_on(told: Told) -> None:
    told.way(topics=("failure", "due", "heartbeat"), heartbeat_day=1)
    told.round()
    told.now += timedelta(days=3650)
    told.refuses = "nobody is there"
    told.failed()
    told.round(minutes=16)
    told.refuses = ""
    told.now = MORNING
    nights = len(copies(folder_of(told.database.path)))
    for _ in range(3):
        told.round(days=1)
    assert len(copies(folder_of(told.database.path))) == nights + 3
    assert any("nightly failed" in body for _, body in told.sent)
    assert told.outbox.waiting() == 0


# -- as routes ---------------------------------------------------------------------------------------


def test_a_way_is_settled_tried_and_its_secret_never_comes_back(told: Told) -> None:
    base = f"/api/plans/{told.plan}/ways/post"
    wrong = told.client.put(
        base, json={"kind": "mail", "name": "Post", "login": "a", "security": "none"}
    )
    assert {e["field"] for e in wrong.json()["errors"]} == {"place", "sender", "server", "security"}
    given = {
        "kind": "mail", "name": "Post", "place": "you@home.example", "sender": "lab@home.example",
        "server": "mail.home.example", "login": "lab", "secret": "s3cret-words",
    }  # fmt: skip
    made = told.client.put(base, json=given)
    assert (made.status_code, made.json()["port"], made.json()["has_secret"]) == (200, 465, True)
    assert "s3cret-words" not in told.client.get(f"/api/plans/{told.plan}/ways").text
    kept = {k: v for k, v in given.items() if k != "secret"}
    assert told.client.put(base, json=kept).json()["has_secret"] is True
    assert told.client.post(f"{base}/test").json() == {"taken": True, "why": ""}
    told.refuses = "no route"
    assert told.client.post(f"{base}/test").json() == {"taken": False, "why": "no route"}
    # A secret does not follow to another server: whoever moves the way must know it.
    moved = told.client.put(base, json={**kept, "server": "elsewhere.example"})
    assert moved.json()["has_secret"] is False
    assert told.client.delete(base).status_code == 204
    assert told.client.post(f"{base}/test").status_code == 404


def test_news_go_to_another_place_only_with_the_planners_own_password(told: Told) -> None:
    """A session that was left open cannot have the lab's news sent elsewhere."""
    words = "copper kettle wakes early"
    people = People(told.database, lambda: told.now)
    people.add("Ada", "planner", hashed(words))
    told.client.cookies.set("kavrel", people.open("Ada", "127.0.0.1", "test"))
    base = f"/api/plans/{told.plan}/ways/hook"
    hook = {"kind": "webhook", "name": "Hook", "place": "https://hook.home.example/a"}
    assert told.client.put(base, json=hook).status_code == 401
    assert told.client.put(base, json={**hook, "own_password": "x"}).status_code == 401
    assert told.client.put(base, json={**hook, "own_password": words}).status_code == 200
    # Switched off, or at another hour, it is the same place.
    assert told.client.put(base, json={**hook, "works": False}).status_code == 200
    elsewhere = {**hook, "place": "https://elsewhere.example/"}
    assert told.client.put(base, json=elsewhere).status_code == 401
    (way,) = told.client.get(f"/api/plans/{told.plan}/ways").json()["ways"]
    assert way["place"] == hook["place"]


def test_the_page_fetches_what_is_for_it(told: Told) -> None:
    told.way(id="page", kind="page", topics=("due",))
    told.round()
    (notice,) = told.client.get(f"/api/plans/{told.plan}/notices").json()["messages"]
    assert "due" in notice["body"]
    later = told.client.get(f"/api/plans/{told.plan}/notices?after={notice['number']}")
    assert later.json()["messages"] == []


def test_a_calendar_is_at_a_secret_address_until_it_is_withdrawn(
    told: Told, caplog: pytest.LogCaptureFixture
) -> None:
    caplog.set_level("INFO", "kavrel")
    people = People(told.database, lambda: told.now)
    people.add("Ada", "reader", "x")
    secret = people.give_calendar("Ada")
    path = f"/api/calendar/{secret}/{told.plan}.ics"
    answer = told.client.get(path)
    assert "/api/calendar/..." in caplog.text
    assert secret not in caplog.text
    assert answer.status_code == 200
    found = icalendar.Calendar.from_ical(answer.content)
    assert len(found.walk("VEVENT")) > 20
    tag = {"If-None-Match": answer.headers["etag"]}
    assert told.client.get(path, headers=tag).status_code == 304
    told.now += timedelta(days=1)
    assert told.client.get(path, headers=tag).status_code in (200, 304)
    assert told.client.get(f"/api/calendar/{'x' * 32}/{told.plan}.ics").status_code == 404
    people.withdraw_calendar("Ada")
    assert told.client.get(path).status_code == 404


# -- on the wire -------------------------------------------------------------------------------------


class Box:
    """A real SMTP server's mailbox (aiosmtpd)."""

    def __init__(self) -> None:
        self.mails: list[Any] = []

    async def handle_DATA(self, server: Any, session: Any, envelope: Any) -> str:
        self.mails.append((envelope.mail_from, envelope.rcpt_tos, envelope.content))
        return "250 taken"


@pytest.fixture
def smtp() -> Iterator[tuple[Box, int]]:
    box, port = Box(), free_port()
    controller = Controller(box, hostname="127.0.0.1", port=port)
    controller.start()
    yield box, port
    controller.stop()


def message(subject: str = "Lab: a thing", body: str = "text\n") -> Message:
    return Message(
        1,
        "p",
        "post",
        "abc123",
        MORNING.timestamp(),
        False,
        subject,
        body,
        "sending",
        0,
        0.0,
        None,
        "",
    )


HOSTILE = (
    "Lab\r\nBcc: all@evil.example\r\n\r\nhello",
    "x\nSubject: other",
    "\x00\x1b[2J\u2028Bcc: a@b",
    "Zoë's 日本 lab " * 20,
    "=?utf-8?q?Bcc:_x?=",
)


@pytest.mark.parametrize("text", HOSTILE)
def test_hostile_names_stay_one_subject_and_one_body(smtp: tuple[Box, int], text: str) -> None:
    box, port = smtp
    way = Way(**{**MAIL.__dict__, "server": "127.0.0.1", "port": port})
    post(message(text, f"{text}\n.\nQUIT\n"), way)
    ((sender, to, content),) = box.mails
    assert (sender, to) == ("lab@home.example", ["you@home.example"])
    mail = email.message_from_bytes(content, policy=email.policy.default)
    assert sorted(k.lower() for k in mail) == sorted(
        ["from", "to", "subject", "date", "message-id", "auto-submitted", "content-type",
         "content-transfer-encoding", "mime-version"]
    )  # fmt: skip
    assert "QUIT" in mail.get_content()
    assert "\n" not in str(mail["subject"])


def test_a_mail_server_that_is_not_there_is_said(told: Told) -> None:
    way = Way(**{**MAIL.__dict__, "server": "127.0.0.1", "port": free_port()})
    with pytest.raises(NotSent, match=r"refused|Connection"):
        post(message(), way)


def test_the_same_message_has_the_same_mark_each_time() -> None:
    one, two = letter(message(), MAIL), letter(message(), MAIL)
    assert one["Message-ID"] == two["Message-ID"] == "<abc123@home.example>"
    assert one["Auto-Submitted"] == "auto-generated"


class Hook(BaseHTTPRequestHandler):
    calls: list[tuple[bytes, str]] = []  # noqa: RUF012

    def do_POST(self) -> None:
        body = self.rfile.read(int(self.headers["content-length"]))
        Hook.calls.append((body, self.headers["kavrel-signature"] or ""))
        self.send_response(302 if self.path == "/on" else 500 if self.path == "/bad" else 204)
        self.send_header("location", "/taken")
        self.end_headers()

    def log_message(self, *args: Any) -> None:
        pass


def test_a_webhook_is_called_signed_and_followed_nowhere() -> None:
    server = HTTPServer(("127.0.0.1", 0), Hook)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    base = f"http://127.0.0.1:{server.server_port}"
    way = Way(**{**MAIL.__dict__, "kind": "webhook", "place": f"{base}/in", "secret": "key"})
    post(message(), way)
    body, signature = Hook.calls[-1]
    # RFC 2104, by the standard library.
    assert signature == "sha256=" + hmac.new(b"key", body, hashlib.sha256).hexdigest()
    assert json.loads(body)["subject"] == "Lab: a thing"
    count = len(Hook.calls)
    for path, why in (("/on", "302"), ("/bad", "500")):
        with pytest.raises(NotSent, match=why):
            post(message(), Way(**{**way.__dict__, "place": base + path}))
    assert len(Hook.calls) == count + 2
    with pytest.raises(NotSent):
        post(message(), Way(**{**way.__dict__, "place": "file:///etc/passwd"}))
    server.shutdown()
    server.server_close()


# -- killed in the middle ----------------------------------------------------------------------------


def _sends_until_killed(path: Path, plan: str, taken: Path) -> None:
    outbox = Outbox(Database(path), lambda: datetime.now(UTC))
    outbox.wake()
    while True:
        found = outbox.claim()
        if found is None:
            outbox.tell(plan, "post", [])
            for number in range(5):
                title = f"{os.getpid()}-{number}-{len(outbox.messages(plan, 10_000))}"
                piece = News(key=title, topic="due", urgent=True, title=title, text="")
                outbox.tell(plan, "post", [piece])
                outbox.compose(plan, "post", title, "", [title], False)
            continue
        with taken.open("a") as file:
            file.write(found.mark + "\n")
        outbox.sent(found)


def test_a_full_disk_is_told_once_a_day_though_nothing_can_be_written(
    told: Told, monkeypatch: pytest.MonkeyPatch
) -> None:
    told.way(topics=("backup", "failure"))
    told.round()
    told.failed()

    def full(*_: object, **__: object) -> None:
        raise StoreFull("the disk that holds the database is full: nothing was changed")

    with monkeypatch.context() as patched:
        patched.setattr(told.outbox, "compose", full)
        (message,) = told.round(minutes=20)
        assert "is full" in message[0]
        assert told.round(minutes=20) == []
        assert told.round(hours=14) == [], "quiet hours"
        assert len(told.round(hours=10)) == 1
    (late,) = told.round(minutes=20)
    assert "nightly failed on" in late[0], "what waited comes, once, when there is room"


def test_what_is_alike_is_said_once_with_all_names() -> None:
    def piece(title: str, text: str, urgent: bool = False) -> News:
        return News(key=title, topic="due", urgent=urgent, title=title, text=text)

    news = [
        piece("box: it failed", "no room", urgent=True),
        *(piece(f"due: disk check: {d}", "before it carries data") for d in ("D1", "D2", "D3")),
        piece("due: scrub: main", "every month"),
    ]
    said = body_of(news, [], MORNING.date()).splitlines()
    assert said[:6] == [
        "! box: it failed", "    no room",
        "- due: disk check: D1, D2, D3", "    before it carries data",
        "- due: scrub: main", "    every month",
    ]  # fmt: skip


def test_what_an_old_message_told_is_not_told_again_once_that_message_is_gone(told: Told) -> None:
    """Settled messages make room for newer ones; what they told stays told."""
    told.way()
    outbox = told.outbox
    (way,) = outbox.ways(told.plan)
    for number in range(MOST_MESSAGES + 20):
        piece = News(key=f"n{number}", topic="failure", urgent=True, title="it failed", text="")
        outbox.tell(told.plan, way.id, [piece])
        outbox.compose(told.plan, way.id, "it failed", "", [piece.key], False)
        claimed = outbox.claim()
        assert claimed
        outbox.sent(claimed)
    assert len(outbox.messages(told.plan, 10_000)) <= MOST_MESSAGES + 1
    assert outbox.untold(told.plan, way.id, True) == []


# Half a thousand by default: each start looks through the whole file after a kill, and a file grows.
@pytest.mark.parametrize(
    "kills",
    [12, *(pytest.param(100, marks=pytest.mark.prove, id=f"100-{n}") for n in some(range(10)))],
)
def test_killed_again_and_again_no_message_goes_twice_and_none_is_lost(
    tmp_path: Path, kills: int
) -> None:
    path, taken = tmp_path / "kavrel.db", tmp_path / "taken"
    database = Database(path)
    plan = Plans(database, lambda: MORNING).create(demo_plan(), "new")
    Outbox(database, lambda: MORNING).put(plan, MAIL)
    database.close()
    for _ in range(kills):
        before = taken.stat().st_size if taken.exists() else 0
        process = multiprocessing.get_context("fork").Process(
            target=_sends_until_killed, args=(path, plan, taken)
        )
        process.start()
        while not taken.exists() or taken.stat().st_size <= before + 26:
            assert process.is_alive()
            os.sched_yield()
        assert process.pid
        os.kill(process.pid, signal.SIGKILL)
        process.join()
    marks = [m for m in taken.read_text().splitlines() if len(m) == 24]
    assert len(marks) == len(set(marks)), "nobody is told twice"
    database = Database(path)
    outbox = Outbox(database, lambda: datetime.now(UTC))
    outbox.wake()
    states = {m.mark: m.state for m in outbox.messages(plan, 100_000)}
    with database.reading() as db:
        told, astray = db.execute(
            "SELECT count(*), count(*) FILTER (WHERE NOT told) FROM news"
        ).fetchone()
    assert told
    assert astray <= kills, "at most the piece that was being bundled waits for the next round"
    assert set(states.values()) <= {"sent", "unsure", "waiting"}
    assert sum(s == "unsure" for s in states.values()) <= kills
    database.close()


def test_looks_of_other_plans_are_no_news_here(told: Told) -> None:
    told.way(topics=("failure",))
    other = Plans(told.database, lambda: told.now).create(demo_plan(), "other")
    run = SeenRun(job="x", began=told.now.timestamp(), ended=told.now.timestamp(), result="failed")
    machine = Machine(host="box", at=told.now.timestamp(), runs=(run,))
    Looks(told.database, lambda: told.now).keep(other, told.host, machine, b"look")
    assert told.round() == []
