"""Passkeys, tried with an authenticator made here of plain cryptography, as an intruder would have one.

Layouts: WebAuthn level 3, 6.1 (authenticator data) and 6.5.4 (attestation "none"); RFC 9052 and 9053
for the key (values from memory). The browser's own virtual authenticator is in tests/browser.
"""

import json
import secrets
from base64 import urlsafe_b64encode
from hashlib import sha256
from typing import Any

import cbor2
import pytest
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.hazmat.primitives.hashes import SHA256
from starlette.testclient import TestClient

from kavrel.api.door.passkeys import MOST, Challenges
from kavrel.store.database import Database
from kavrel.store.passkeys import MOST as MOST_OF_ONE
from kavrel.store.passkeys import Passkeys
from tests.api.test_door import FAR, WORDS, House, sign_in

SITE = "kavrel.home.arpa"
ORIGIN = f"https://{SITE}:8321"
PRESENT, VERIFIED, ATTESTED = 0x01, 0x04, 0x40


def b64(raw: bytes) -> str:
    return urlsafe_b64encode(raw).rstrip(b"=").decode()


class Authenticator:
    """One key pair, and all that an authenticator says about it."""

    def __init__(self, site: str = SITE, origin: str = ORIGIN) -> None:
        self.site, self.origin, self.count = site, origin, 0
        self.id = secrets.token_bytes(16)
        self.key = ec.generate_private_key(ec.SECP256R1())

    def data(self, flags: int, more: bytes = b"") -> bytes:
        head = sha256(self.site.encode()).digest() + bytes([flags])
        return head + self.count.to_bytes(4, "big") + more

    def client(self, kind: str, challenge: str) -> bytes:
        told = {"type": kind, "challenge": challenge, "origin": self.origin, "crossOrigin": False}
        return json.dumps(told).encode()

    def made(self, options: Any, flags: int = PRESENT | VERIFIED | ATTESTED) -> dict[str, Any]:
        point = self.key.public_key().public_numbers()
        cose = {
            1: 2,
            3: -7,
            -1: 1,
            -2: point.x.to_bytes(32, "big"),
            -3: point.y.to_bytes(32, "big"),
        }
        held = bytes(16) + len(self.id).to_bytes(2, "big") + self.id + cbor2.dumps(cose)
        attested = {"fmt": "none", "attStmt": {}, "authData": self.data(flags, held)}
        told = self.client("webauthn.create", options["challenge"])
        response = {"clientDataJSON": b64(told), "attestationObject": b64(cbor2.dumps(attested))}
        return self.credential(response)

    def signed(
        self, options: Any, flags: int = PRESENT | VERIFIED, kind: str = "webauthn.get"
    ) -> dict[str, Any]:
        self.count += 1
        data, told = self.data(flags), self.client(kind, options["challenge"])
        signature = self.key.sign(data + sha256(told).digest(), ec.ECDSA(SHA256()))
        return self.credential(
            {
                "clientDataJSON": b64(told),
                "authenticatorData": b64(data),
                "signature": b64(signature),
            }
        )

    def credential(self, response: dict[str, Any]) -> dict[str, Any]:
        there = {"id": b64(self.id), "rawId": b64(self.id), "type": "public-key"}
        return {**there, "response": response, "clientExtensionResults": {}}


class Named(House):
    """The house under a name, where browsers make passkeys."""

    def __init__(self, database: Database) -> None:
        super().__init__(database, allowed_hosts=frozenset({SITE}))

    def visitor(self, client: tuple[str, int] = FAR, scheme: str = "https") -> TestClient:
        found = super().visitor(client, scheme)
        found.base_url = f"{scheme}://{SITE}:8321"
        return found

    def begin(self, client: TestClient, name: str = "Bo") -> Any:
        answer = client.post("/api/visitor/passkeys/begin", json={"password": WORDS[name]})
        assert answer.status_code == 200, answer.text
        return answer.json()["options"]

    def keep(self, client: TestClient, made: Any, name: str = "phone") -> Any:
        return client.post("/api/visitor/passkeys", json={"name": name, "credential": made})

    def asked(self, client: TestClient) -> Any:
        return client.post("/api/visitor/in/passkey/begin").json()["options"]

    def come(self, client: TestClient, signed: Any) -> Any:
        return client.post("/api/visitor/in/passkey", json={"credential": signed})


@pytest.fixture
def house(database: Database) -> Named:
    # Under a name the throttle and all else are the same; the planner imports as everywhere.
    return Named(database)


@pytest.fixture
def key(house: Named) -> Authenticator:
    """A passkey of Bo's."""
    found, client = Authenticator(), house.who("Bo")
    assert house.keep(client, found.made(house.begin(client))).status_code == 204
    return found


def test_a_passkey_lets_in_whoever_made_it_without_a_password(
    house: Named, key: Authenticator
) -> None:
    client = house.visitor()
    options = house.asked(client)
    assert options["userVerification"] == "required"
    assert "allowCredentials" not in options or options["allowCredentials"] == []
    came = house.come(client, key.signed(options))
    assert (came.status_code, came.json()["name"]) == (200, "Bo")
    assert "__Host-kavrel=" in came.headers["set-cookie"]
    assert client.get("/api/plans").status_code == 200
    (mine,) = client.get("/api/visitor/passkeys").json()["passkeys"]
    assert (mine["name"], mine["site"], mine["here"]) == ("phone", SITE, True)
    assert mine["used_at"] is not None
    assert any("by the passkey phone" in n.what for n in house.people.notes())
    gone = client.delete(f"/api/visitor/passkeys/{mine['id']}")
    assert gone.status_code == 204
    assert house.come(client, key.signed(house.asked(client))).status_code == 401


def test_an_answer_counts_once_and_only_what_was_asked(house: Named, key: Authenticator) -> None:
    client = house.visitor()
    signed = key.signed(house.asked(client))
    assert house.come(client, signed).status_code == 200
    assert house.come(house.visitor(), signed).status_code == 401, "said again"
    own = {"challenge": b64(secrets.token_bytes(32))}
    assert house.come(house.visitor(), key.signed(own)).status_code == 401, "asked by nobody"
    # What was asked while a passkey was being made is no question at the door.
    made = house.begin(house.who("Bo"))
    assert house.come(house.visitor(), key.signed(made)).status_code == 401


@pytest.mark.parametrize(
    "what", ["other site", "other page", "no finger", "copied", "signature", "made", "unknown"]
)
def test_what_is_not_quite_right_lets_nobody_in(
    house: Named, key: Authenticator, what: str
) -> None:
    client = house.visitor()
    options = house.asked(client)
    if what == "other site":
        key.site = "kavrel.example"
    elif what == "other page":
        key.origin = "https://kavrel.example"
    elif what == "copied":  # the count of a copy falls behind
        assert house.come(client, key.signed(options)).status_code == 200
        key.count, options = 0, house.asked(client)
    elif what == "unknown":
        key.id = secrets.token_bytes(16)
    flags = PRESENT if what == "no finger" else PRESENT | VERIFIED
    signed = key.signed(options, flags, "webauthn.create" if what == "made" else "webauthn.get")
    if what == "signature":
        signed["response"]["signature"] = b64(secrets.token_bytes(70))
    answer = house.come(house.visitor(), signed)
    assert (answer.status_code, answer.json()["title"]) == (401, "not let in")
    assert any(n.what == "refused: passkey" for n in house.people.notes())


def test_a_passkey_is_made_with_ones_password_in_ones_own_session(house: Named) -> None:
    client = house.who("Bo")
    wrong = client.post("/api/visitor/passkeys/begin", json={"password": "a session left open"})
    assert wrong.status_code == 401
    fresh = Authenticator()
    made = fresh.made(house.begin(client))
    assert house.keep(house.who("Cy"), made).status_code == 422, "asked of somebody else"
    options = house.begin(client)
    weak = fresh.made(options, PRESENT | ATTESTED)
    refused = house.keep(client, weak)
    assert (refused.status_code, refused.json()["errors"][0]["field"]) == (422, "credential")
    for bad in ("", "AAAA", b64(b"{}"), b64(b'{"challenge": 3}'), b64(b"[" * 30_000)):
        broken = fresh.made(house.begin(client))
        broken["response"]["clientDataJSON"] = bad
        assert house.keep(client, broken).status_code == 422, bad[:8]
        broken = fresh.made(house.begin(client))
        broken["response"]["attestationObject"] = bad
        assert house.keep(client, broken).status_code == 422, bad[:8]
    assert house.keep(client, fresh.made(house.begin(client))).status_code == 204
    assert house.keep(client, fresh.made(house.begin(client))).status_code == 422, "twice"
    assert len(house.begin(client)["excludeCredentials"]) == 1
    for _ in range(MOST_OF_ONE - 1):
        assert house.keep(client, Authenticator().made(house.begin(client))).status_code == 204
    assert house.keep(client, Authenticator().made(house.begin(client))).status_code == 409


def test_at_a_bare_address_or_in_the_clear_there_are_none(house: Named) -> None:
    assert house.visitor().get("/api/visitor").json()["passkeys"] is True
    plain = house.visitor(scheme="http")
    assert plain.get("/api/visitor").json()["passkeys"] is False
    assert plain.post("/api/visitor/in/passkey/begin").status_code == 409
    bare = TestClient(house.app, base_url="https://127.0.0.1:8321", client=FAR)
    assert bare.get("/api/visitor").json()["passkeys"] is False
    here = TestClient(house.app, base_url="http://localhost:8321", client=FAR)
    assert here.get("/api/visitor").json()["passkeys"] is True


def test_guesses_are_slowed_down(house: Named, key: Authenticator) -> None:
    client = house.visitor()
    for _ in range(10):
        signed = key.signed(house.asked(client))
        signed["response"]["signature"] = b64(secrets.token_bytes(70))
        assert house.come(client, signed).status_code == 401
    late = house.come(client, key.signed(house.asked(client)))
    assert late.status_code == 429
    assert int(late.headers["retry-after"]) > 0


def test_where_more_than_a_password_is_asked_a_password_alone_opens_nothing(
    house: Named, key: Authenticator
) -> None:
    planner = house.who("Ada")
    rule = {"second_for": "everybody", "own_password": WORDS["Ada"]}
    first = planner.put("/api/people/rule", json=rule)
    assert (first.status_code, first.json()["title"]) == (409, "yourself first")
    own = Authenticator()
    assert house.keep(planner, own.made(house.begin(planner, "Ada"))).status_code == 204
    before = house.who("Cy")
    assert before.get("/api/plans").status_code == 200
    assert planner.put("/api/people/rule", json={**rule, "own_password": "x"}).status_code == 401
    assert planner.put("/api/people/rule", json=rule).status_code == 200
    assert before.get("/api/plans").status_code == 401, "a password alone had opened it"
    assert planner.get("/api/plans").status_code == 200
    # Whoever has a passkey comes in by it; whoever has nothing sets something up, and that alone.
    assert sign_in(house.visitor(), "Bo").json()["title"] == "passkey wanted"
    client = house.visitor()
    assert sign_in(client, "Cy").json()["owes"] is True
    for method in ("get", "post", "put", "patch", "delete"):
        for operation, path in house.calls(method, HARMLESS):
            answer = client.request(method, path, json={}, headers={"if-match": '"r1"'})
            assert answer.status_code in (403, 422), (operation, answer.status_code)
    fresh = Authenticator()
    assert house.keep(client, fresh.made(house.begin(client, "Cy"))).status_code == 204
    assert client.get("/api/plans").status_code == 200
    came = house.come(house.visitor(), fresh.signed(house.asked(client)))
    assert came.json()["owes"] is False
    # The telephone is lost: its keys go, and so do the sessions.
    lost = {"passkeys": False, "codes": False, "own_password": WORDS["Ada"]}
    assert planner.patch("/api/people/Cy", json=lost).status_code == 200
    assert client.get("/api/plans").status_code == 401
    assert not Passkeys(house.database, lambda: house.now).of("Cy")


# They are open to everybody, or are what is left to do.
HARMLESS = frozenset(
    {"get_visitor", "sign_in", "sign_out", "begin_people", "observe", "get_calendar"}
    | {"begin_passkey_in", "passkey_in", "begin_passkey", "add_passkey"}
    | {"begin_second", "set_second", "get_health", "get_certificate"}
)


def test_questions_that_nobody_answers_make_room(house: Named) -> None:
    challenges = Challenges()
    first = challenges.ask("")
    for _ in range(MOST):
        last = challenges.ask("")
    assert not challenges.answered(first, "")
    assert challenges.answered(last, "")
    assert not challenges.answered(last, ""), "once"
