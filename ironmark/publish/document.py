"""An edition as one JSON document, and the schema it follows."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Literal

from pydantic import TypeAdapter

from ironmark.pages.publishing.editions import Frozen
from ironmark.publish.export_page import About, ExportPage, Row

SCHEMA = "https://json-schema.org/draft/2020-12/schema"


@dataclass(frozen=True, slots=True)
class Document:
    """edition: None for a page as it was read. readings: the tidy table; frozen: all else, as it is kept; proof: the mark by
    which it is told whether it was changed."""

    format: Literal["ironmark-edition-1"]
    edition: About | None
    readings: tuple[Row, ...]
    frozen: Frozen
    proof: str = ""


@lru_cache(maxsize=1)
def _adapter() -> TypeAdapter[Document]:
    return TypeAdapter(Document)


def as_json(leaf: ExportPage) -> bytes:
    return _adapter().dump_json(Document("ironmark-edition-1", leaf.about, tuple(leaf.rows), leaf.frozen), indent=1)


@lru_cache(maxsize=1)
def schema() -> dict[str, Any]:
    """The JSON Schema (2020-12) that every such document follows."""
    return {"$schema": SCHEMA, "title": "An edition of Iron Mark"} | _adapter().json_schema(mode="serialization")
