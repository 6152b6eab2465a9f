"""The tables of people: accounts, how they sign in, what is opened to whom, and who did what."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import JSON, BigInteger, ForeignKey, Index, String
from sqlalchemy.orm import Mapped, mapped_column

from ironmark.store.models import Base, Key, Name


class Account(Base):
    """Somebody who signs in. mail: without capitals. password: an argon2id hash, "" where they come by another way. second:
    the secret of a second factor, sealed; recovery: hashes of the codes that are left. kept: what they left as they last
    saw it. outside: what another directory knows them by."""

    __tablename__ = "accounts"
    id: Mapped[str] = mapped_column(Key, primary_key=True)
    version: Mapped[int]
    mail: Mapped[str] = mapped_column(String(254, collation="utf8mb4_bin"), unique=True)
    name: Mapped[str] = mapped_column(Name)
    role: Mapped[str] = mapped_column(String(10))
    password: Mapped[str] = mapped_column(String(200), default="")
    second: Mapped[str] = mapped_column(String(400), default="")
    second_at: Mapped[int] = mapped_column(BigInteger, default=0)  # the step of the last code that was taken
    recovery: Mapped[list[Any]] = mapped_column(JSON)
    kept: Mapped[dict[str, Any]] = mapped_column(JSON)
    outside: Mapped[str | None] = mapped_column(String(254, collation="utf8mb4_bin"), unique=True)
    made_at: Mapped[dt.datetime]
    seen_at: Mapped[dt.datetime | None]
    ended_at: Mapped[dt.datetime | None]


class Sitting(Base):
    """A session: somebody who is signed in from one browser. id: the SHA-256 of the token that it holds."""

    __tablename__ = "sittings"
    id: Mapped[str] = mapped_column(String(64), primary_key=True)
    account: Mapped[str] = mapped_column(ForeignKey("accounts.id", ondelete="CASCADE"), index=True)
    made_at: Mapped[dt.datetime]
    used_at: Mapped[dt.datetime]
    ends_at: Mapped[dt.datetime] = mapped_column(index=True)
    address: Mapped[str] = mapped_column(String(64))
    browser: Mapped[str] = mapped_column(String(200))


class Pass(Base):
    """A link that is good once: for the first owner, for somebody who is asked in, for a new password, or for the second
    step of signing in. id: the SHA-256 of its token."""

    __tablename__ = "passes"
    id: Mapped[str] = mapped_column(String(64), primary_key=True)
    kind: Mapped[str] = mapped_column(String(10), index=True)
    account: Mapped[str | None] = mapped_column(ForeignKey("accounts.id", ondelete="CASCADE"))
    body: Mapped[dict[str, Any]] = mapped_column(JSON)
    ends_at: Mapped[dt.datetime] = mapped_column(index=True)


class Attempt(Base):
    """Sign-ins that failed, by account and by address, so that trying goes slower. who: a digest."""

    __tablename__ = "attempts"
    who: Mapped[str] = mapped_column(String(64), primary_key=True)
    failures: Mapped[int]
    wait_until: Mapped[dt.datetime | None]
    tried_at: Mapped[dt.datetime] = mapped_column(index=True)


class Team(Base):
    __tablename__ = "teams"
    id: Mapped[str] = mapped_column(Key, primary_key=True)
    version: Mapped[int]
    name: Mapped[str] = mapped_column(Name)
    made_at: Mapped[dt.datetime]


class TeamMember(Base):
    """by: "" for who was put in by hand, else the directory whose groups say so."""

    __tablename__ = "team_members"
    team: Mapped[str] = mapped_column(ForeignKey("teams.id", ondelete="CASCADE"), primary_key=True)
    account: Mapped[str] = mapped_column(ForeignKey("accounts.id", ondelete="CASCADE"), primary_key=True, index=True)
    by: Mapped[str] = mapped_column(String(10), default="")


class Opening(Base):
    """To whom something is opened, see ``pages.people.openings``."""

    __tablename__ = "openings"
    kind: Mapped[str] = mapped_column(String(20), primary_key=True)
    id: Mapped[str] = mapped_column(Name, primary_key=True)
    version: Mapped[int]
    body: Mapped[dict[str, Any]] = mapped_column(JSON)


class MachineToken(Base):
    """With which a machine asks. hash: the SHA-256 of the one it holds. verbs, scorecards: what it may, none for all that
    who made it may."""

    __tablename__ = "machine_tokens"
    id: Mapped[str] = mapped_column(Key, primary_key=True)
    hash: Mapped[str] = mapped_column(String(64), unique=True)
    name: Mapped[str] = mapped_column(Name)
    account: Mapped[str | None] = mapped_column(ForeignKey("accounts.id", ondelete="CASCADE"))
    verbs: Mapped[list[Any]] = mapped_column(JSON)
    scorecards: Mapped[list[Any]] = mapped_column(JSON)
    datasets: Mapped[list[Any]] = mapped_column(JSON)
    made_at: Mapped[dt.datetime]
    made_by: Mapped[str] = mapped_column(String(120))
    ends_at: Mapped[dt.datetime | None]
    used_at: Mapped[dt.datetime | None]
    ended_at: Mapped[dt.datetime | None]


class TrailEntry(Base):
    """Something that was done. person: whose account, "" for the clock, a machine and from before there were accounts; who:
    their name then. address: from where. changed: what was before and after, in words."""

    __tablename__ = "trail"
    number: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    at: Mapped[dt.datetime] = mapped_column(index=True)
    person: Mapped[str] = mapped_column(Key, default="", index=True)
    who: Mapped[str] = mapped_column(String(120), default="")
    address: Mapped[str] = mapped_column(String(64), default="")
    verb: Mapped[str] = mapped_column(String(20))
    kind: Mapped[str] = mapped_column(String(20))
    record_id: Mapped[str] = mapped_column(Name, default="")
    name: Mapped[str] = mapped_column(Name, default="")
    changed: Mapped[list[Any]] = mapped_column(JSON)
    __table_args__ = (Index("ix_trail_record", "kind", "record_id"),)


class HouseSetting(Base):
    """Something that holds for the whole installation."""

    __tablename__ = "house_settings"
    name: Mapped[str] = mapped_column(String(40), primary_key=True)
    version: Mapped[int]
    body: Mapped[dict[str, Any]] = mapped_column(JSON)


class Presence(Base):
    """That somebody has a scorecard open."""

    __tablename__ = "presence"
    scorecard: Mapped[str] = mapped_column(Key, primary_key=True)
    account: Mapped[str] = mapped_column(ForeignKey("accounts.id", ondelete="CASCADE"), primary_key=True, index=True)
    at: Mapped[dt.datetime] = mapped_column(index=True)
    changing: Mapped[bool]
