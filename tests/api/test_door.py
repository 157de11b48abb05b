"""Who is let in, as whom, and what each role may do: tried from outside, as an intruder would.

What is asked for follows OWASP ASVS 5.0 (value from memory: chapters 6 to 8, level 2), RFC 6238 for
codes, RFC 6265bis for cookies.
"""

import json
import re
from collections.abc import Iterator
from datetime import datetime, timedelta
from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import pyotp
import pytest
from starlette.testclient import TestClient

from kavrel.api.app import create_app
from kavrel.api.door.roles import ASKS, AT_THE_RACK, OPEN, OWN, TRIES, UNTIL_CHANGED, may
from kavrel.api.door.veil import KEPT_BACK
from kavrel.demo import demo_plan
from kavrel.formats.plan_file import dump
from kavrel.store.database import Database
from kavrel.store.passwords import WeakPassword, fit, hashed
from kavrel.store.people import IDLE_SECONDS, People
from tests.conftest import NOW

HERE, FAR = ("127.0.0.1", 40000), ("192.168.7.20", 40000)
WORDS = {
    "Ada": "copper kettle wakes early",
    "Bo": "paper boats on the canal",
    "Cy": "lantern over seven bricks",
}
ROLE = {"Ada": "planner", "Bo": "hands", "Cy": "reader"}
# Argon2id takes its time on purpose: each password is hashed once for all tests.
HASHES = {name: hashed(words) for name, words in WORDS.items()}
JSON = {"content-type": "application/json"}


@cache
def _paths() -> dict[str, dict[str, Any]]:
    """What the OpenAPI document says of each path: seconds in the making, and the same for each application."""
    with TemporaryDirectory() as folder:
        found = create_app(Database(Path(folder) / "x.db")).openapi()
    return dict(found["paths"])


class House:
    """The application with three people, a plan, and a clock that the test moves."""

    def __init__(self, database: Database, **more: Any) -> None:
        self.database, self.now = database, NOW
        self.app = create_app(database, lambda: self.now, **more)
        self.people = People(database, lambda: self.now)
        for name, secret in HASHES.items():
            self.people.add(name, ROLE[name], secret)  # type: ignore[arg-type]
        planner = self.who("Ada")
        answer = planner.post("/api/plans/import", content=dump(demo_plan()), headers=JSON)
        assert answer.status_code == 201, answer.text
        self.plan = answer.json()["meta"]["id"]

    def visitor(self, client: tuple[str, int] = FAR, scheme: str = "https") -> TestClient:
        return TestClient(
            self.app,
            base_url=f"{scheme}://127.0.0.1:8321",
            client=client,
            raise_server_exceptions=False,
        )

    def who(self, name: str, client: tuple[str, int] = FAR) -> TestClient:
        """Somebody who is signed in."""
        found = self.visitor(client)
        found.cookies.set("__Host-kavrel", self.people.open(name, client[0], "test"))
        return found

    def calls(self, method: str, skip: frozenset[str] = frozenset()) -> Iterator[tuple[str, str]]:
        """Operation and path of every route of a method, as the OpenAPI document says."""
        for path, routes in _paths().items():
            operation = routes.get(method, {}).get("operationId")
            if operation and operation not in skip:
                filled = path.replace("{plan_id}", self.plan)
                yield operation, re.sub(r"\{\w+\}", "x", filled)


@pytest.fixture
def house(database: Database) -> House:
    return House(database)


def sign_in(client: TestClient, name: str, words: str = "", **more: Any) -> Any:
    body = {"name": name, "password": words or WORDS[name], **more}
    return client.post("/api/visitor/in", json=body)


def held(database: Database) -> str:
    """All that the database holds but the book at the door, which says what was refused."""
    with database.reading() as db:
        return "\n".join(x for x in db.iterdump() if '"door_note"' not in x)


# -- while there is nobody ---------------------------------------------------------------------------


def test_without_people_the_machine_itself_plans_and_nobody_else_comes_in(
    database: Database,
) -> None:
    app = create_app(database, lambda: NOW)
    here = TestClient(app, base_url="http://127.0.0.1:8321", client=HERE)
    far = TestClient(app, base_url="http://127.0.0.1:8321", client=FAR)
    assert here.get("/api/plans").status_code == 200
    assert here.get("/api/visitor").json()["first"] is True
    assert far.get("/api/plans").status_code == 401
    assert far.get("/api/visitor").json()["first"] is False
    # What a proxy passed on comes from the machine itself only by its address.
    for header in ("X-Forwarded-For", "Forwarded", "X-Real-IP", "Via"):
        assert here.get("/api/plans", headers={header: "for=10.0.0.9"}).status_code == 401


def test_the_first_person_is_made_at_the_machine_and_only_once(database: Database) -> None:
    app = create_app(database, lambda: NOW)
    far = TestClient(app, base_url="http://127.0.0.1:8321", client=FAR)
    here = TestClient(app, base_url="http://127.0.0.1:8321", client=HERE)
    first = {"name": "Ada", "password": WORDS["Ada"]}
    assert far.post("/api/people/first", json=first).status_code == 403
    weak = here.post("/api/people/first", json={**first, "password": "password1234"})
    assert weak.status_code == 422
    assert weak.json()["errors"][0]["field"] == "password"
    made = here.post("/api/people/first", json=first)
    assert (made.status_code, made.json()["role"]) == (200, "planner")
    assert here.get("/api/plans").status_code == 200
    here.cookies.clear()
    assert here.get("/api/plans").status_code == 401, "from now on everybody signs in"
    assert here.post("/api/people/first", json={**first, "name": "Eve"}).status_code == 403


# -- coming in ---------------------------------------------------------------------------------------


def test_signing_in_sets_a_cookie_that_no_script_and_no_other_page_can_use(house: House) -> None:
    client = house.visitor()
    answer = sign_in(client, "ada", WORDS["Ada"])
    assert (answer.json()["name"], answer.json()["role"]) == ("Ada", "planner")
    said = answer.headers["set-cookie"]
    assert said.startswith("__Host-kavrel=")
    for word in ("HttpOnly", "Secure", "SameSite=strict", "Path=/"):
        assert word.lower() in said.lower()
    cookie = client.cookies["__Host-kavrel"]
    assert cookie not in held(house.database), "the cookie is kept as a hash alone"
    assert client.get("/api/plans").headers["cache-control"] == "no-store"


def test_a_cookie_is_worth_nothing_after_signing_out(house: House) -> None:
    client = house.visitor()
    sign_in(client, "Bo")
    stolen = client.cookies["__Host-kavrel"]
    out = client.post("/api/visitor/out")
    assert '"storage"' in out.headers["clear-site-data"]
    thief = house.visitor()
    thief.cookies.set("__Host-kavrel", stolen)
    assert thief.get("/api/plans").status_code == 401


def test_a_cookie_that_was_planted_before_signing_in_is_not_taken_over(house: House) -> None:
    client = house.visitor()
    client.cookies.set("__Host-kavrel", "planted-by-somebody")
    sign_in(client, "Ada")
    client.cookies.delete("__Host-kavrel", domain="")
    mine = client.cookies["__Host-kavrel"]
    assert "planted" not in mine
    sign_in(client, "Ada")
    assert client.cookies["__Host-kavrel"] != mine
    old = house.visitor()
    old.cookies.set("__Host-kavrel", mine)
    assert old.get("/api/plans").status_code == 401, "the session of before has ended"


def test_a_plain_cookie_lets_nobody_in_over_tls(house: House) -> None:
    cookie = house.people.open("Ada", "x", "y")
    client = house.visitor()
    client.cookies.set("kavrel", cookie)
    assert client.get("/api/plans").status_code == 401


def test_sessions_end_when_they_are_left_alone_and_are_ended_by_hand(house: House) -> None:
    one, other = house.who("Bo"), house.who("Bo")
    mine = one.get("/api/visitor/sessions").json()["sessions"]
    assert {s["person"] for s in mine} == {"Bo"}
    assert sum(s["this"] for s in mine) == 1
    theirs = next(s["number"] for s in mine if not s["this"])
    planner = house.who("Ada")
    ada = next(
        s["number"]
        for s in planner.get("/api/visitor/sessions").json()["sessions"]
        if s["person"] == "Ada"
    )
    assert one.delete(f"/api/visitor/sessions/{ada}").status_code == 404, "not one's own"
    assert one.delete(f"/api/visitor/sessions/{theirs}").status_code == 204
    assert other.get("/api/plans").status_code == 401
    house.now += timedelta(seconds=IDLE_SECONDS + 61)
    assert one.get("/api/plans").status_code == 401
    house.now = NOW


def test_what_was_opened_by_a_clock_years_ahead_does_not_stay_open_for_years(house: House) -> None:
    house.now += timedelta(days=3650)
    one = house.who("Ada")
    assert one.get("/api/plans").status_code == 200
    house.now = NOW
    assert one.get("/api/plans").status_code == 401


def test_a_thousand_wrong_passwords_lock_nobody_out_at_the_machine(house: House) -> None:
    guesser = house.visitor()
    said = [sign_in(guesser, "Ada", "wrong words again") for _ in range(1000)]
    codes = [a.status_code for a in said]
    assert codes[:10] == [401] * 10
    assert set(codes[10:]) == {429}
    assert int(said[-1].headers["retry-after"]) > 60
    assert sign_in(house.visitor(), "Ada").status_code == 429, "the right one, too, from there"
    # From other addresses the name is slow as well after a while, at the machine it is not.
    for n in range(20):
        sign_in(house.visitor((f"192.168.9.{n}", 1)), "Ada", "wrong words again")
    assert sign_in(house.visitor(("192.168.9.77", 1)), "Ada").status_code == 429
    assert sign_in(house.visitor(HERE), "Ada").status_code == 200
    book = house.who("Ada").get("/api/people/door").json()["notes"]
    assert any(n["what"] == "refused: wrong password" and n["who"] == "Ada" for n in book)


def test_a_name_that_nobody_has_is_refused_in_the_same_words(house: House) -> None:
    wrong, nobody = sign_in(house.visitor(), "Ada", "x" * 14), sign_in(house.visitor(), "Eve", "x")
    assert wrong.status_code == nobody.status_code == 401
    assert wrong.json()["detail"] == nobody.json()["detail"]


def test_codes_are_asked_for_and_each_counts_once(house: House) -> None:
    client = house.who("Bo")
    shown = client.post("/api/visitor/second", json={"password": WORDS["Bo"]}).json()
    assert shown["picture"].startswith("data:image/svg+xml")
    totp = pyotp.TOTP(shown["secret"])

    def code(at: datetime) -> str:
        return totp.at(at)

    wanted = {"password": WORDS["Bo"], "secret": shown["secret"]}
    wrong = client.put("/api/visitor/second", json={**wanted, "code": "000000"})
    assert wrong.json()["errors"][0]["field"] == "code"
    assert client.put("/api/visitor/second", json={**wanted, "code": code(NOW)}).status_code == 204
    other = house.visitor()
    assert sign_in(other, "Bo").json()["title"] == "code wanted"
    assert sign_in(other, "Bo", code=code(NOW)).status_code == 401, "it was used to set it up"
    house.now += timedelta(seconds=60)
    assert sign_in(other, "Bo", code=code(house.now)).status_code == 200
    assert sign_in(house.visitor(), "Bo", code=code(house.now)).status_code == 401
    house.now = NOW


@pytest.mark.parametrize(
    "words",
    ["short", "password1234", "aaaaaaaaaaaaaa", "kavrelkavrel", "Ada Ada Ada Ada", "x" * 300],
)
def test_passwords_that_will_not_do(words: str) -> None:
    with pytest.raises(WeakPassword):
        fit(words, "Ada")


def test_another_password_ends_every_other_session(house: House) -> None:
    one, other = house.who("Bo"), house.who("Bo")
    wanted = {"old": WORDS["Bo"], "new": "seven lamps in a row"}
    assert one.post("/api/visitor/password", json={**wanted, "old": "not it"}).status_code == 401
    assert one.post("/api/visitor/password", json=wanted).status_code == 204
    assert one.get("/api/plans").status_code == 200
    assert other.get("/api/plans").status_code == 401
    assert sign_in(house.visitor(), "Bo").status_code == 401


# -- roles -------------------------------------------------------------------------------------------


def test_a_password_that_somebody_else_chose_opens_nothing_but_the_way_to_ones_own(
    house: House,
) -> None:
    planner, theirs = house.who("Ada"), "four words of theirs"
    new = {"name": "Dan", "role": "hands", "password": theirs, "own_password": WORDS["Ada"]}
    assert planner.post("/api/people", json=new).json()["given"] is True
    came = house.visitor()
    assert sign_in(came, "Dan", theirs).json()["given"] is True
    for method in ("get", "post", "put", "patch", "delete"):
        for operation, path in house.calls(method, UNTIL_CHANGED):
            answer = came.request(method, path, json={} if method != "get" else None)
            assert answer.status_code in (403, 422), (operation, answer.status_code)
            assert method != "get" or answer.status_code == 403, operation
    same = came.post("/api/visitor/password", json={"old": theirs, "new": theirs})
    assert same.status_code == 422
    mine = "lanterns over the mill pond"
    assert came.post("/api/visitor/password", json={"old": theirs, "new": mine}).status_code == 204
    assert came.get("/api/visitor").json()["given"] is False
    assert came.get("/api/plans").status_code == 200
    # A planner helps out once more: it begins again, and what was open ends.
    again = {"password": "other words of theirs", "own_password": WORDS["Ada"]}
    assert planner.patch("/api/people/Dan", json=again).status_code == 200
    assert came.get("/api/plans").status_code == 401
    sign_in(came, "Dan", "other words of theirs")
    assert came.get("/api/plans").json()["type"].endswith("own")
    # One's own, changed among the people, is one's own.
    own = {"password": "still a planner of the row", "own_password": WORDS["Ada"]}
    assert planner.patch("/api/people/Ada", json=own).json()["given"] is False


@pytest.mark.parametrize("name", ["Bo", "Cy"])
def test_no_writing_route_takes_what_is_not_of_the_role(house: House, name: str) -> None:
    client, before = house.who(name), held(house.database)
    tried = 0
    for method in ("post", "put", "patch", "delete"):
        for operation, path in house.calls(method, OPEN | OWN):
            if may(client_role(name), operation, False):
                continue
            head = {"if-match": '"r1"'}
            answer = client.request(method, path, json={}, headers=head)
            assert answer.status_code in (403, 422), (operation, answer.status_code)
            tried += 1
    assert tried > 80
    assert held(house.database) == before


def client_role(name: str) -> Any:
    return ROLE[name]


def test_what_was_refused_stands_in_the_book_once_a_minute(house: House) -> None:
    reader, path = house.who("Cy"), f"/api/plans/{house.plan}"
    for _ in range(3):
        assert reader.delete(path).status_code == 403
    assert reader.get("/api/people").status_code == 403

    def refused() -> list[tuple[str, str]]:
        return [(n.who, n.what) for n in house.people.notes() if n.what.startswith("refused")]

    deleting = ("Cy", "refused: delete_plan is not for readers")
    assert refused() == [("Cy", "refused: list_people is not for readers"), deleting]
    house.now += timedelta(minutes=2)
    reader.delete(path)
    assert refused()[0] == deleting
    assert len(refused()) == 3


def test_what_a_reader_may_ask_leaves_nothing_behind(house: House) -> None:
    client, before = house.who("Bo"), held(house.database)
    line = client.post(f"/api/plans/{house.plan}/line/read", json={"text": "2x 4TB wren"})
    assert line.status_code == 200
    asked = {"kind": "odds", "pool": "attic", "years": 5}
    client.post(f"/api/plans/{house.plan}/questions", json=asked)
    look = client.post(f"/api/plans/{house.plan}/looks/read", content="not a look")
    assert look.status_code == 422
    house.app.state.service.jobs.close()
    house.app.state.veiled.jobs.close()
    assert held(house.database) == before
    assert not (ASKS | TRIES) & AT_THE_RACK


def test_every_route_wants_somebody_who_is_signed_in(house: House) -> None:
    stranger = house.visitor()
    for method in ("get", "post", "put", "patch", "delete"):
        for operation, path in house.calls(method, OPEN | {"get_health", "get_certificate"}):
            answer = stranger.request(method, path)
            assert answer.status_code == 401, (operation, answer.status_code)
            assert answer.headers["content-type"].startswith("application/problem+json")
    assert stranger.get("/openapi.json").status_code == 401
    assert stranger.get("/api").status_code == 401
    assert stranger.get("/").status_code in (200, 503), "the page itself holds nothing"


def test_hands_tick_and_write_the_log_and_the_revision_names_them(house: House) -> None:
    client = house.who("Bo")
    state = client.get(f"/api/plans/{house.plan}").json()
    entry = {**state["plan"]["log"][0], "id": None, "note": "by hand"}
    answer = client.post(
        f"/api/plans/{house.plan}/log",
        json=entry,
        headers={"if-match": f'"r{state["meta"]["revision"]}"'},
    )
    assert answer.status_code == 201, answer.text
    assert answer.json()["meta"]["made_by"] == "Bo"
    rows = client.get(f"/api/plans/{house.plan}/revisions").json()["revisions"]
    assert [r["made_by"] for r in rows] == ["Bo", "Ada"]


def test_a_reader_never_sees_where_a_passphrase_is_kept(house: House) -> None:
    places = {p.passphrase_at for p in demo_plan().pools if p.passphrase_at}
    assert places, "the demo lab must have one, else this test sees nothing"
    reader, hands = house.who("Cy"), house.who("Bo")
    seen_by_hands = ""
    for operation, path in house.calls("get", frozenset({"follow_question"})):
        text = reader.get(path).text
        assert not any(p in text for p in places), operation
        seen_by_hands += hands.get(path).text
    for paper in hands.get(f"/api/plans/{house.plan}/paper").json()["papers"]:
        for host in paper["hosts"] or [None]:
            way = f"/api/plans/{house.plan}/paper/{paper['name']}" + (
                f"?host={host}" if host else ""
            )
            assert not any(p.encode() in reader.get(way).content for p in places), paper["name"]
    assert any(p in seen_by_hands for p in places), "hands need it to restore"
    assert KEPT_BACK in reader.get(f"/api/plans/{house.plan}").text


def test_a_planner_settles_who_comes_in_and_the_last_one_stays(house: House) -> None:
    planner = house.who("Ada")
    own = {"own_password": WORDS["Ada"]}
    new = {"name": "Di", "role": "reader", "password": "four grey geese walking", **own}
    assert planner.post("/api/people", json={**new, "own_password": "x"}).status_code == 401
    assert planner.post("/api/people", json=new).status_code == 201
    taken = planner.post("/api/people", json={**new, "name": "dI"})
    assert (taken.status_code, taken.json()["errors"][0]["field"]) == (409, "name")
    assert house.who("Bo").get("/api/people").status_code == 403
    assert planner.patch("/api/people/Ada", json={"role": "hands", **own}).status_code == 409
    assert planner.post("/api/people/Ada/end", json=own).status_code == 409
    assert planner.patch("/api/people/Di", json={"role": "planner", **own}).status_code == 200
    di = house.who("Di")
    wrong = planner.post("/api/people/Di/end", json={"own_password": "a session left open"})
    assert wrong.status_code == 401
    assert di.get("/api/plans").status_code == 403, "in, and yet to choose a password of her own"
    assert planner.post("/api/people/Di/end", json=own).status_code == 204
    assert di.get("/api/plans").status_code == 401
    assert [p["name"] for p in planner.get("/api/people").json()["people"]] == ["Ada", "Bo", "Cy"]


def test_an_undo_leaves_a_line_in_the_book_at_the_door(house: House) -> None:
    planner = house.who("Ada")
    base = f"/api/plans/{house.plan}"
    planner.patch(base, json={"name": "other"}, headers={"if-match": '"r1"'})
    planner.post(f"{base}/steps", json={"direction": "undo"}, headers={"if-match": '"r2"'})
    assert any(n.what.startswith("undo in ") for n in house.people.notes())


# -- other pages, other names ------------------------------------------------------------------------


def test_another_page_cannot_use_the_cookie(house: House, caplog: Any) -> None:
    client, path = house.who("Ada"), f"/api/plans/{house.plan}"
    for headers in (
        {"origin": "https://evil.example"},
        {"origin": "https://127.0.0.1:9999"},
        {"sec-fetch-site": "cross-site", "sec-fetch-mode": "no-cors"},
        {"host": "evil.example"},
    ):
        caplog.clear()
        assert client.delete(path, headers=headers).status_code == 403, headers
        assert ("kavrel.refused", "WARNING") in [(r.name, r.levelname) for r in caplog.records]
    assert client.get(path).status_code == 200


def test_under_a_prefix_nothing_answers_outside_of_it(database: Database) -> None:
    house = House.__new__(House)
    house.database, house.now = database, NOW
    house.app = create_app(database, lambda: NOW, prefix="/lab/kavrel")
    here = TestClient(house.app, base_url="http://127.0.0.1:8321", client=HERE)
    assert here.get("/lab/kavrel/api/plans").status_code == 200
    for trick in (
        *(
            "/api/plans",
            "/lab/kavrelapi/plans",
            "/lab/kavrel/../api/plans",
            "//lab/kavrel/api/plans",
        ),
        *("/lab/kavrel/lab/kavrel/api/plans", "/lab%2Fkavrel/api/plans/", "/lab/kavre/api/plans"),
    ):
        answer = here.get(trick)
        assert answer.status_code in (404, 503) or "html" in answer.headers["content-type"], trick
        assert "plans" not in answer.text or answer.status_code == 404
    page = here.get("/lab/kavrel/plan/x/bench")
    assert page.status_code == 503 or '<meta name="root" content="/lab/kavrel/" />' in page.text
    assert page.status_code == 503 or 'src="/lab/kavrel/assets/' in page.text


def test_behind_a_trusted_proxy_nobody_is_at_the_machine(database: Database) -> None:
    app = create_app(database, lambda: NOW, behind_proxy=True)
    client = TestClient(app, base_url="http://127.0.0.1:8321", client=HERE)
    assert client.get("/api/plans").status_code == 401
    assert client.post("/api/people/first", json={"name": "E", "password": "x"}).status_code == 403


def test_metrics_are_for_the_machine_itself_and_for_planners(house: House) -> None:
    assert house.visitor().get("/metrics").status_code == 401
    assert house.who("Cy").get("/metrics").status_code == 403
    text = house.visitor(HERE).get("/metrics").text
    # The text format's own parser, of the library that Prometheus ships.
    from prometheus_client.parser import text_string_to_metric_families

    families = {f.name: f for f in text_string_to_metric_families(text)}
    assert families["kavrel_plans"].samples[0].value == 1
    assert sum(s.value for s in families["kavrel_answers"].samples) >= 2
    assert house.who("Ada").get("/metrics").status_code == 200
    assert json.loads(house.visitor().get("/healthz").text)["state"] == "well"
