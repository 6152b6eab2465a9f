"""Secrets as they are kept: encrypted with a key that is not in the database."""

from __future__ import annotations

import os
from pathlib import Path

from cryptography.fernet import Fernet, InvalidToken, MultiFernet
from sqlalchemy import select
from sqlalchemy.orm import Session

from ironmark.store.models import Dataset, Refresh
from ironmark.store.people_models import Account, HouseSetting
from ironmark.store.watch_models import Hook

KEY = "IRONMARK_KEY"  # in the environment: one key or several with blanks between, the newest first
FILE = "ironmark.key"
_SIGN = "sealed:"
_held: MultiFernet | None = None
_keys: tuple[str, ...] = ()


class NoKey(ValueError):
    """What is kept was sealed with another key than there is."""

    def __init__(self) -> None:
        super().__init__(
            "A secret cannot be read with the key there is. Start with the key it was kept with (the file ironmark.key of the "
            "data directory, or IRONMARK_KEY), or give the password anew."
        )


def use_key_of(directory: Path) -> None:
    """Have secrets kept with the key that the environment names, else with that of a data directory, made if need be."""
    text = os.environ.get(KEY, "")
    if not text.strip():
        path = directory / FILE
        directory.mkdir(parents=True, exist_ok=True)
        if not path.exists():
            _write(path, Fernet.generate_key().decode())
        text = path.read_text()
    use(*text.split())


def use(*keys: str) -> None:
    """The newest first. Raises ValueError for what is no key."""
    global _held, _keys
    _held, _keys = MultiFernet([Fernet(key) for key in keys]), keys


def keys() -> tuple[str, ...]:
    """Those that are used, to be told to processes beside this one."""
    return _keys


def add_key(directory: Path) -> None:
    """Put a new key before those of a data directory, and have it used from now on."""
    path = directory / FILE
    keys = [Fernet.generate_key().decode(), *(path.read_text().split() if path.exists() else ())]
    _write(path, "\n".join(keys))
    use(*keys)


def forget_older(directory: Path) -> None:
    """Keep the newest key alone, once everything is sealed with it."""
    path = directory / FILE
    _write(path, path.read_text().split()[0])


def _write(path: Path, text: str) -> None:
    beside = path.with_suffix(".new")
    beside.touch(mode=0o600)
    beside.write_text(text + "\n")
    beside.replace(path)


def seal(text: str) -> str:
    """A secret as it is kept; none stays none. Whoever works without a key, as a test may, keeps it as it is: the next
    start seals it."""
    return _SIGN + _held.encrypt(text.encode()).decode() if text and _held is not None else text


def unseal(kept: str) -> str:
    """Raises NoKey. What is not sealed is from before secrets were."""
    if not kept.startswith(_SIGN):
        return kept
    if _held is None:
        raise NoKey
    try:
        return _held.decrypt(kept.removeprefix(_SIGN)).decode()
    except InvalidToken:
        raise NoKey from None


def take_over(session: Session, again: bool = False) -> int:
    """Seal every secret that is not yet; ``again``: all of them, with the newest key. Returns how many."""
    done = 0
    for table, name in (
        (Dataset, "secret"),
        (Refresh, "token"),
        (Account, "second"),
        (Hook, "secret"),
        (Hook, "older"),
    ):
        for row in session.scalars(select(table).with_for_update()):
            kept = getattr(row, name) or ""
            if kept and (again or not kept.startswith(_SIGN)):
                setattr(row, name, seal(unseal(kept)))
                done += 1
    done += _of_the_mail_server(session, again)
    session.flush()
    return done


def _of_the_mail_server(session: Session, again: bool) -> int:
    row = session.get(HouseSetting, "sending", with_for_update=True)
    kept = str(row.body.get("password", "")) if row is not None else ""
    if row is None or not kept or (kept.startswith(_SIGN) and not again):
        return 0
    row.body = {**row.body, "password": seal(unseal(kept))}
    return 1
