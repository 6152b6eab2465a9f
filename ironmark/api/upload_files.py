"""Files as they are sent along: their bytes, their names."""

from __future__ import annotations

import shutil
from pathlib import PurePath

from fastapi import UploadFile

from ironmark.pages.model.problems import Refused
from ironmark.store import scratch

MAX_BYTES = 256 * 1024 * 1024


def body_of(file: UploadFile) -> bytes:
    body = file.file.read(MAX_BYTES + 1)
    if len(body) > MAX_BYTES:
        raise _too_large()
    return body


def _too_large() -> Refused:
    return Refused(
        413, "file-too-large", "The file is too large", "At most 256 MB can be uploaded. Split it, or leave out columns.",
    )  # fmt: skip


class Staged:
    """A file that was sent, on the disk until it was read."""

    def __init__(self) -> None:
        self._folder = scratch.make("upload")
        self.path = self._folder / "file"
        self.pieces = self._folder / "pieces"  # where its rows may lie while they are read
        self.pieces.mkdir()

    @classmethod
    def of(cls, file: UploadFile) -> Staged:
        staged = cls()
        with staged.path.open("wb") as kept:
            shutil.copyfileobj(file.file, kept)
        if staged.size > MAX_BYTES:
            staged.drop()
            raise _too_large()
        return staged

    @property
    def size(self) -> int:
        return self.path.stat().st_size

    def drop(self) -> None:
        shutil.rmtree(self._folder, ignore_errors=True)

    def __enter__(self) -> Staged:
        return self

    def __exit__(self, *_: object) -> None:
        self.drop()


def file_name_of(file: UploadFile) -> str:
    return clean_name(file.filename or "table.csv")


def clean_name(name: str) -> str:
    """The name of a file without where it lies."""
    return PurePath(name.replace("\\", "/")).name[:200] or "table.csv"


def name_from(file_name: str) -> str:
    """What a dataset is called after its file."""
    path = PurePath(file_name)
    if path.suffix.lower() in (".gz", ".zip"):
        path = PurePath(path.stem)
    name = path.stem.replace("_", " ").replace("-", " ").strip()[:120] or "Table"
    return name[:1].upper() + name[1:]
