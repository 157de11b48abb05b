"""Passwords and codes: hashed by Argon2id, strength told by zxcvbn, codes by RFC 6238."""

from datetime import datetime
from functools import cache
from threading import BoundedSemaphore
from typing import TYPE_CHECKING

from kavrel.store.people import People

if TYPE_CHECKING:
    from argon2 import PasswordHasher

SHORTEST, LONGEST = 12, 256
WEAKEST = 3  # of 4: "safely unguessable: moderate protection from offline slow-hash scenario"
# Each check takes 64 MiB: many at once wait for one another, so that guessing fills no memory.
AT_ONCE = BoundedSemaphore(2)
# A guess at a name that nobody has takes as long as one at a name that somebody has.
NOBODY = "nobody has this password"


class WeakPassword(ValueError):
    """Too short, too long or too easily guessed; the text says why."""


@cache
def _hasher() -> "PasswordHasher":
    from argon2 import PasswordHasher  # not loaded where nobody has to sign in

    return PasswordHasher()  # RFC 9106, second recommended: 64 MiB, 3 passes, 4 lanes


@cache
def _nobody() -> str:
    return _hasher().hash(NOBODY)


def hashed(password: str) -> str:
    """The hash to keep, with its own salt and cost."""
    return _hasher().hash(password)


def fit(password: str, name: str) -> str:
    """The password if it will do; raises WeakPassword (OWASP ASVS 5.0, 6.2: length, common ones)."""
    if len(password) < SHORTEST:
        raise WeakPassword(f"at least {SHORTEST} characters; four words in a row are easy to keep")
    if len(password) > LONGEST:
        raise WeakPassword(f"at most {LONGEST} characters")
    from zxcvbn import zxcvbn

    strength = zxcvbn(password[:72], user_inputs=[name, "kavrel"])
    if strength["score"] < WEAKEST:
        why = strength["feedback"]["warning"] or "it is among the first that are tried"
        raise WeakPassword(f"too easily guessed: {str(why).rstrip('.').lower()}")
    return password


def same(people: People, name: str, password: str) -> bool:
    """Whether this is the person's password; a hash of an older cost is made anew on the way."""
    from argon2.exceptions import InvalidHashError, VerificationError

    kept = people.secrets(name)
    try:
        with AT_ONCE:
            _hasher().verify(kept.password_hash if kept else _nobody(), password)
    except (VerificationError, InvalidHashError):
        return False
    if kept and _hasher().check_needs_rehash(kept.password_hash):
        people.rehash(name, hashed(password))
    return kept is not None


def new_second() -> str:
    """A fresh secret for codes, in base 32."""
    import pyotp

    return pyotp.random_base32()


def second_address(secret: str, name: str) -> str:
    """What an application for codes reads from a QR code."""
    import pyotp

    return pyotp.TOTP(secret).provisioning_uri(name=name, issuer_name="Kavrel")


def step_of(secret: str, code: str, now: datetime) -> int | None:
    """The step (30 s since 1970) whose code this is: the present one or a neighbour; else None."""
    import pyotp

    totp = pyotp.TOTP(secret)
    step = int(now.timestamp()) // totp.interval
    for one in (step, step - 1, step + 1):
        if pyotp.utils.strings_equal(code, totp.at(one * totp.interval)):
            return one
    return None
