"""Coming in by a passkey (WebAuthn level 3), and the passkeys that one has.

A passkey is bound to a host name: browsers make none for a bare address, nor where the page came
unprotected. Its authenticator asks for a finger, a face or a PIN, so that it stands for two factors.
"""

import json
import secrets
from threading import Lock
from time import monotonic
from typing import Annotated, Any, Literal

from fastapi import Depends, Path, Request, Response
from pydantic import BaseModel, ConfigDict, Field

from kavrel.api.answer import body
from kavrel.api.door.roles import Routes
from kavrel.api.door.signing import (
    ANSWERS,
    Password,
    Sent,
    ThePeople,
    TheThrottle,
    VisitorView,
    checked,
    let_in,
    passkey_site,
    signed_in,
    slowed,
)
from kavrel.api.door.visitor import TheVisitor
from kavrel.api.problem import ProblemError
from kavrel.store.passkeys import Passkey, Passkeys, TooMany

router = Routes(prefix="/api/visitor", tags=["door"], responses=ANSWERS)
WAITS = 300.0  # seconds that an answer may take
MOST = 10_000
Bytes = Annotated[str, Field(pattern=r"^[A-Za-z0-9_-]*$", max_length=40_000)]


class Challenges:
    """What was asked and not answered yet: each once, for a while, at most so many."""

    def __init__(self) -> None:
        self._asked: dict[str, tuple[str, float]] = {}
        self._guard = Lock()

    def ask(self, of: str) -> bytes:
        """A fresh challenge; `of`: a session's number, or empty for whoever comes in."""
        fresh, now = secrets.token_urlsafe(32), monotonic()
        with self._guard:
            while self._asked:
                oldest = next(iter(self._asked))
                if len(self._asked) < MOST and self._asked[oldest][1] > now:
                    break
                del self._asked[oldest]
            self._asked[fresh] = (of, now + WAITS)
        return fresh.encode()

    def answered(self, challenge: bytes, of: str) -> bool:
        """Whether this was asked of them and waits yet; it is spent by asking."""
        with self._guard:
            asked = self._asked.pop(challenge.decode("utf-8", "replace"), None)
        return asked is not None and asked[0] == of and asked[1] > monotonic()


class _Told(BaseModel):
    """What a browser adds beside this is not looked at."""

    model_config = ConfigDict(extra="ignore")


class Made(_Told):
    """What an authenticator says of a fresh passkey."""

    clientDataJSON: Bytes
    attestationObject: Bytes
    transports: list[Annotated[str, Field(max_length=40)]] = Field(default=[], max_length=20)


class Signed(_Told):
    """What an authenticator signed."""

    clientDataJSON: Bytes
    authenticatorData: Bytes
    signature: Bytes
    userHandle: Bytes | None = None


class MadeKey(_Told):
    """PublicKeyCredential.toJSON() of a fresh passkey (WebAuthn level 3, 5.1)."""

    id: Bytes
    rawId: Bytes
    type: Literal["public-key"]
    response: Made


class SignedKey(_Told):
    """PublicKeyCredential.toJSON() of a passkey that was used."""

    id: Bytes
    rawId: Bytes
    type: Literal["public-key"]
    response: Signed


class Beginning(Sent):
    """One's password once more: a passkey is a key to the house."""

    password: Password


class NewPasskey(Sent):
    """The passkey, and what it is called in one's list."""

    name: Annotated[str, Field(min_length=1, max_length=60)]
    credential: MadeKey


class Coming(Sent):
    """The passkey that was used."""

    credential: SignedKey


class Options(BaseModel):
    """What navigator.credentials wants, in JSON (WebAuthn level 3, 5.4 and 5.5)."""

    options: dict[str, Any]


class PasskeyView(BaseModel):
    """A passkey of one's own; `here`: it is of the host name of this page."""

    id: str
    name: str
    site: str
    made_at: float
    used_at: float | None
    here: bool


class PasskeyList(BaseModel):
    """One's passkeys, the oldest first."""

    passkeys: list[PasskeyView]


def the_passkeys(request: Request) -> Passkeys:
    """The passkeys of the application's database."""
    state = request.app.state
    return Passkeys(state.database, state.now)


def the_challenges(request: Request) -> Challenges:
    """What waits for an answer; there from the first on."""
    state = request.app.state
    if state.challenges is None:
        state.challenges = Challenges()
    kept: Challenges = state.challenges
    return kept


ThePasskeys = Annotated[Passkeys, Depends(the_passkeys)]
TheChallenges = Annotated[Challenges, Depends(the_challenges)]


def _here(request: Request) -> str:
    """The host name that a passkey is bound to; raises 409 where there can be none."""
    site = passkey_site(request)
    if site is None:
        said = "Passkeys want a name in the address, not a number, and a protected page (https)."
        raise ProblemError(409, "no passkeys here", said)
    return site


def _origin(request: Request) -> str:
    return f"{request.url.scheme}://{request.url.netloc}"


def _challenge_of(client_data: str) -> bytes:
    """The challenge that an answer speaks of; empty where it is none."""
    from webauthn import base64url_to_bytes

    try:
        said = json.loads(base64url_to_bytes(client_data))["challenge"]
        return base64url_to_bytes(said)
    except (ValueError, KeyError, TypeError, RecursionError):
        return b""


def _options(made: Any) -> Response:
    from webauthn import options_to_json

    return body(Options(options=json.loads(options_to_json(made))))


@router.get("/passkeys", response_model=PasskeyList, operation_id="list_passkeys")
def list_passkeys(request: Request, who: TheVisitor, keys: ThePasskeys) -> Response:
    """One's own passkeys."""
    site = passkey_site(request)
    views = [
        PasskeyView(
            id=k.id,
            name=k.name,
            site=k.site,
            made_at=k.made_at,
            used_at=k.used_at,
            here=k.site == site,
        )
        for k in keys.of(who.name)
    ]
    return body(PasskeyList(passkeys=views))


@router.post("/passkeys/begin", response_model=Options, operation_id="begin_passkey")
def begin_passkey(
    beginning: Beginning,
    request: Request,
    who: TheVisitor,
    people: ThePeople,
    keys: ThePasskeys,
    throttle: TheThrottle,
    challenges: TheChallenges,
) -> Response:
    """What a browser needs to make a passkey for whoever is signed in."""
    from webauthn import base64url_to_bytes, generate_registration_options
    from webauthn.helpers.structs import (
        AuthenticatorSelectionCriteria,
        PublicKeyCredentialDescriptor,
        ResidentKeyRequirement,
        UserVerificationRequirement,
    )

    signed_in(who)
    site = _here(request)
    checked(who, who.name, beginning.password, people, throttle)
    return _options(
        generate_registration_options(
            rp_id=site,
            rp_name="Kavrel",
            user_name=who.name,
            user_id=bytes.fromhex(keys.handle(who.name)),
            challenge=challenges.ask(who.session),
            timeout=int(WAITS * 1000),
            exclude_credentials=[
                PublicKeyCredentialDescriptor(id=base64url_to_bytes(k.id))
                for k in keys.of(who.name)
            ],
            authenticator_selection=AuthenticatorSelectionCriteria(
                resident_key=ResidentKeyRequirement.REQUIRED,
                user_verification=UserVerificationRequirement.REQUIRED,
            ),
        )
    )


@router.post("/passkeys", status_code=204, operation_id="add_passkey")
def add_passkey(
    new: NewPasskey,
    request: Request,
    who: TheVisitor,
    people: ThePeople,
    keys: ThePasskeys,
    challenges: TheChallenges,
) -> Response:
    """Keeps the passkey that was made; this session counts as opened by it."""
    from webauthn import verify_registration_response
    from webauthn.helpers import bytes_to_base64url

    signed_in(who)
    site = _here(request)
    asked = _challenge_of(new.credential.response.clientDataJSON)
    try:
        if not challenges.answered(asked, who.session):
            raise ValueError("it answers nothing that was asked of this session")
        made = verify_registration_response(
            credential=new.credential.model_dump(exclude_none=True),
            expected_challenge=asked,
            expected_rp_id=site,
            expected_origin=_origin(request),
            require_user_verification=True,
        )
        key_id = bytes_to_base64url(made.credential_id)
        if keys.get(key_id):
            raise ValueError("it is there already")
    except Exception as error:  # whatever a made-up answer makes the library raise
        said = f"This passkey will not do: {str(error)[:200] or 'it cannot be read'}"
        raise ProblemError(422, "not valid", said, [("credential", said)]) from error
    try:
        keys.add(key_id, who.name, site, made.credential_public_key, made.sign_count, new.name)
    except TooMany as error:
        raise ProblemError(409, "too many", "Take one of your passkeys away first.") from error
    people.strengthen(who.cookie)
    people.note(who.name, who.address, f"made the passkey {new.name}")
    return Response(status_code=204)


@router.delete("/passkeys/{key_id}", status_code=204, operation_id="remove_passkey")
def remove_passkey(
    key_id: Annotated[str, Path(max_length=1400)],
    who: TheVisitor,
    people: ThePeople,
    keys: ThePasskeys,
) -> Response:
    """Takes a passkey of one's own away."""
    if not keys.remove(key_id, who.name):
        raise ProblemError(404, "no such passkey", "it is not there any more")
    people.note(who.name, who.address, "took a passkey away")
    return Response(status_code=204)


@router.post("/in/passkey/begin", response_model=Options, operation_id="begin_passkey_in")
def begin_passkey_in(request: Request, challenges: TheChallenges) -> Response:
    """What a browser needs to ask for a passkey; it is the passkey that says whose it is."""
    from webauthn import generate_authentication_options
    from webauthn.helpers.structs import UserVerificationRequirement

    return _options(
        generate_authentication_options(
            rp_id=_here(request),
            challenge=challenges.ask(""),
            timeout=int(WAITS * 1000),
            user_verification=UserVerificationRequirement.REQUIRED,
        )
    )


def _verified(coming: SignedKey, kept: Passkey | None, asked: bytes, request: Request) -> int:
    """The count that was signed; raises ValueError or what the library raises."""
    from webauthn import verify_authentication_response

    if kept is None or kept.site != _here(request):
        raise ValueError("nobody has it here")
    return verify_authentication_response(
        credential=coming.model_dump(exclude_none=True),
        expected_challenge=asked,
        expected_rp_id=kept.site,
        expected_origin=_origin(request),
        credential_public_key=kept.public_key,
        credential_current_sign_count=kept.signed,
        require_user_verification=True,
    ).new_sign_count


@router.post("/in/passkey", response_model=VisitorView, operation_id="passkey_in")
def passkey_in(
    coming: Coming,
    request: Request,
    who: TheVisitor,
    people: ThePeople,
    keys: ThePasskeys,
    throttle: TheThrottle,
    challenges: TheChallenges,
) -> Response:
    """Signs in by a passkey: the answer sets a cookie, as after a password."""
    _here(request)
    slowed(who, "", throttle)
    kept = keys.get(coming.credential.rawId)
    asked = _challenge_of(coming.credential.response.clientDataJSON)
    try:
        if not challenges.answered(asked, ""):
            raise ValueError("it answers nothing that was asked")
        signed = _verified(coming.credential, kept, asked, request)
        if kept is None or not keys.used(kept.id, kept.signed, signed):
            raise ValueError("its count was used")
    except Exception as error:  # whatever a made-up answer makes the library raise
        throttle.failed("", who.address, who.local)
        people.note(kept.person if kept else "", who.address, "refused: passkey")
        said = "This passkey does not let anybody in here. The book at the door has a line on it."
        raise ProblemError(401, "not let in", said) from error
    return let_in(request, people, who, kept.person, "by the passkey " + kept.name, strong=True)
