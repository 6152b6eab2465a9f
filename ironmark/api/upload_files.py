"""Files as they are sent along: their bytes, their names."""

from __future__ import annotations

from pathlib import PurePath

from fastapi import UploadFile

from ironmark.pages.model.problems import Refused

MAX_BYTES = 256 * 1024 * 1024


def body_of(file: UploadFile) -> bytes:
    body = file.file.read(MAX_BYTES + 1)
    if len(body) > MAX_BYTES:
        raise Refused(
            413,
            "file-too-large",
            "The file is too large",
            "At most 256 MB can be uploaded. Split it, or leave out columns.",
        )
    return body


def file_name_of(file: UploadFile) -> str:
    return clean_name(file.filename or "table.csv")


def clean_name(name: str) -> str:
    """The name of a file without where it lies."""
    return PurePath(name.replace("\\", "/")).name[:200] or "table.csv"


def name_from(file_name: str) -> str:
    """What a dataset is called after its file."""
    name = PurePath(file_name).stem.replace("_", " ").replace("-", " ").strip()[:120] or "Table"
    return name[:1].upper() + name[1:]
