"""What going through all rows of a dataset comes to, for as long as they and the program stay as they are."""

from __future__ import annotations

from typing import Literal

from sqlalchemy import ForeignKey, String, delete, select
from sqlalchemy.dialects.mysql import LONGBLOB, insert
from sqlalchemy.orm import Mapped, Session, mapped_column

from ironmark.store import eyes
from ironmark.store.models import Base, Dataset

What = Literal["cells", "facts", "looks"]


class WorkedOut(Base):
    """What going through all rows of a dataset comes to. rests: the version of the dataset and of the program it is of."""

    __tablename__ = "worked_out"
    dataset_id: Mapped[str] = mapped_column(ForeignKey("datasets.id", ondelete="CASCADE"), primary_key=True)
    what: Mapped[str] = mapped_column(String(20), primary_key=True)
    rests: Mapped[str] = mapped_column(String(80))
    body: Mapped[bytes] = mapped_column(LONGBLOB)


def kept(session: Session, dataset: str, version: int, program: str, what: What) -> bytes | None:
    """Raises Narrowed."""
    eyes.require_all_rows(session, dataset)
    query = select(WorkedOut.body).where(WorkedOut.dataset_id == dataset, WorkedOut.what == what)
    return session.scalar(query.where(WorkedOut.rests == _rests(version, program)))


def put(session: Session, dataset: str, version: int, program: str, what: What, body: bytes) -> None:
    """Keep it in place of what was kept before; not where the dataset is another by now."""
    there = session.scalar(select(Dataset.version).where(Dataset.id == dataset).with_for_update(read=True))
    if there != version:
        return
    row = {"dataset_id": dataset, "what": what, "rests": _rests(version, program), "body": body}
    statement = insert(WorkedOut).values(row)
    session.execute(statement.on_duplicate_key_update(rests=statement.inserted.rests, body=statement.inserted.body))


def forget(session: Session, dataset: str) -> None:
    """Of rows that are others from now on."""
    session.execute(delete(WorkedOut).where(WorkedOut.dataset_id == dataset))


def _rests(version: int, program: str) -> str:
    return f"{version} {program}"
