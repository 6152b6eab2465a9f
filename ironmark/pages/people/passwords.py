"""Passwords, and the codes of a second factor."""

from __future__ import annotations

import datetime as dt
import re
import secrets
from functools import lru_cache

import pyotp
from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError
from zxcvbn.frequency_lists import FREQUENCY_LISTS

from ironmark.clock import now
from ironmark.pages.model.problems import Refused
from ironmark.store import accounts
from ironmark.store.people_models import Account

SHORTEST, LONGEST = 12, 200
CODES = 10  # recovery codes that are given at once
STEP_S = 30
_hasher = PasswordHasher()  # argon2id
_EPOCH = dt.datetime(1970, 1, 1)


def refuse_weak(password: str, field: str = "password") -> None:
    """Refuse what is too short, or known to everybody who tries; nothing else is asked of it."""
    if len(password) < SHORTEST:
        detail = f"It has {len(password)} characters; take at least {SHORTEST}. A few words in a row do well."
        raise Refused(422, "short-password", "The password is too short", detail, {"field": field})
    if is_common(password):
        detail = "It is among those that are tried first. Take another one: a few words in a row do well."
        raise Refused(422, "common-password", "The password is a known one", detail, {"field": field})


def is_common(password: str) -> bool:
    """Whether it is one of those that most people take, also with figures and signs around it, or twice in a row."""
    plain = password.casefold()
    bare = re.sub(r"^[\W\d_]+|[\W\d_]+$", "", plain)
    halves = {plain[: len(plain) // size] for size in (2, 3, 4) if plain == plain[: len(plain) // size] * size}
    return bool(({plain, bare} | halves) & _common()) or len(set(plain)) < 4


@lru_cache(maxsize=1)
def _common() -> frozenset[str]:
    return frozenset(word.casefold() for word in FREQUENCY_LISTS["passwords"])


def hashed(password: str) -> str:
    return _hasher.hash(password)


@lru_cache(maxsize=1)
def _nobodys() -> str:
    return _hasher.hash(secrets.token_urlsafe(16))


def fits(kept: str, password: str) -> bool:
    """Takes the same time whether there is one to hold it against or not."""
    try:
        return _hasher.verify(kept or _nobodys(), password[:LONGEST]) and bool(kept)
    except (VerificationError, InvalidHashError):
        return False


def is_old(kept: str) -> bool:
    """Whether it was hashed with less work than is usual now."""
    return _hasher.check_needs_rehash(kept)


def new_secret() -> str:
    return pyotp.random_base32()


def address_of(secret: str, mail: str) -> str:
    """What an authenticator reads, as text or as a picture of it."""
    return pyotp.TOTP(secret).provisioning_uri(name=mail, issuer_name="Iron Mark")


def step_of(secret: str, code: str, after: int) -> int | None:
    """The step of time whose code was typed; None for none around now, or not after the last one that was taken."""
    totp, typed = pyotp.TOTP(secret), re.sub(r"\s", "", code)
    at = int((now() - _EPOCH).total_seconds()) // STEP_S
    for step in (at - 1, at, at + 1):
        if step > after and secrets.compare_digest(totp.generate_otp(step).encode(), typed.encode()):
            return step
    return None


def recovery_codes() -> list[str]:
    """To get in without the authenticator, each once."""
    return ["-".join(secrets.token_hex(3) for _ in range(3)) for _ in range(CODES)]


def used_code(row: Account, code: str) -> list[str] | None:
    """The hashes that are left when a recovery code is used; None where it is none."""
    wanted = accounts.digest(re.sub(r"\s", "", code).casefold())
    return [one for one in row.recovery if one != wanted] if wanted in row.recovery else None
