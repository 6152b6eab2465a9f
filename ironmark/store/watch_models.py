"""The tables of watches: what is asked, what was seen and told, and what is still to be sent."""

from __future__ import annotations

import datetime as dt
from typing import Any

from sqlalchemy import JSON, BigInteger, ForeignKey, Index, String, Text
from sqlalchemy.orm import Mapped, mapped_column

from ironmark.store.models import Base, Key, Name


class Watch(Base):
    """A question that is asked again and again. account: whose it is, none at home. said: why it could not be answered. stamp:
    of the change log when it was last answered; look_at: when it is answered anew though nothing has changed."""

    __tablename__ = "watches"
    id: Mapped[str] = mapped_column(Key, primary_key=True)
    version: Mapped[int]
    account: Mapped[str | None] = mapped_column(ForeignKey("accounts.id", ondelete="CASCADE"), index=True)
    name: Mapped[str] = mapped_column(Name)
    body: Mapped[dict[str, Any]] = mapped_column(JSON)
    said: Mapped[str] = mapped_column(Text, default="")
    stamp: Mapped[str] = mapped_column(String(120), default="")
    look_at: Mapped[dt.datetime | None]
    made_at: Mapped[dt.datetime]
    saved_at: Mapped[dt.datetime]


class WatchMemory(Base):
    """What a watch has seen and told with the eyes of one receiver, see ``core.told_once.Memory``."""

    __tablename__ = "watch_memories"
    watch: Mapped[str] = mapped_column(ForeignKey("watches.id", ondelete="CASCADE"), primary_key=True)
    whose: Mapped[str] = mapped_column(String(300, collation="utf8mb4_bin"), primary_key=True)
    body: Mapped[dict[str, Any]] = mapped_column(JSON)


class Message(Base):
    """What one receiver is told at once. watch: None where that is gone or no watch tells it. whose: ``here``, ``person:``,
    ``mail:`` or ``hook:`` and which; account: of a person. about: what it is about where that
    is one thing, as ``edition:`` and which. read_at: when it was read in their inbox."""

    __tablename__ = "messages"
    number: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    id: Mapped[str] = mapped_column(Key, unique=True)
    watch: Mapped[str | None] = mapped_column(ForeignKey("watches.id", ondelete="SET NULL"), index=True)
    whose: Mapped[str] = mapped_column(String(300, collation="utf8mb4_bin"))
    account: Mapped[str | None] = mapped_column(ForeignKey("accounts.id", ondelete="CASCADE"))
    at: Mapped[dt.datetime]
    about: Mapped[str] = mapped_column(String(100), default="", index=True)
    title: Mapped[str] = mapped_column(String(300))
    body: Mapped[dict[str, Any]] = mapped_column(JSON)
    read_at: Mapped[dt.datetime | None]
    __table_args__ = (Index("ix_messages_whose", "whose", "number"),)


class Delivery(Base):
    """A message, or several as a digest, on its way by mail or to a webhook. The id goes along, so that repeats can be dropped.
    digest: "" where it goes at once. state: waiting, bundled into another one, sent, failed for good. due_at: when it is tried."""

    __tablename__ = "deliveries"
    id: Mapped[str] = mapped_column(Key, primary_key=True)
    messages: Mapped[list[Any]] = mapped_column(JSON)
    watch: Mapped[str | None] = mapped_column(ForeignKey("watches.id", ondelete="SET NULL"), index=True)
    channel: Mapped[str] = mapped_column(String(10))
    to: Mapped[str] = mapped_column(String(300, collation="utf8mb4_bin"))
    digest: Mapped[str] = mapped_column(String(10), default="")
    state: Mapped[str] = mapped_column(String(10))
    tries: Mapped[int] = mapped_column(default=0)
    said: Mapped[str] = mapped_column(Text, default="")
    made_at: Mapped[dt.datetime]
    due_at: Mapped[dt.datetime]
    sent_at: Mapped[dt.datetime | None]
    bundle: Mapped[str | None] = mapped_column(Key)
    __table_args__ = (Index("ix_deliveries_due", "state", "due_at"),)


class Hook(Base):
    """A webhook: an address that messages are sent to, signed with a secret. older: the secret before it, good until a moment."""

    __tablename__ = "hooks"
    id: Mapped[str] = mapped_column(Key, primary_key=True)
    version: Mapped[int]
    name: Mapped[str] = mapped_column(Name)
    url: Mapped[str] = mapped_column(String(1000))
    secret: Mapped[str] = mapped_column(String(400))
    older: Mapped[str] = mapped_column(String(400), default="")
    older_until: Mapped[dt.datetime | None]
    made_at: Mapped[dt.datetime]
