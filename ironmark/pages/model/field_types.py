"""Fields that several documents have, each with what it may hold."""

from __future__ import annotations

import zoneinfo
from typing import Annotated, Literal

from pydantic import (
    AfterValidator,
    BaseModel,
    ConfigDict,
    Field,
    FiniteFloat,
    StringConstraints,
    WithJsonSchema,
)

from ironmark.core.faces import FACES
from ironmark.core.names import is_name
from ironmark.core.nearest import did_you_mean

Key = Annotated[str, StringConstraints(min_length=1, max_length=80, pattern=r"^[A-Za-z0-9_-]+$")]
Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)]
Member = Annotated[str, StringConstraints(max_length=200)]
MarkName = Annotated[str, StringConstraints(strip_whitespace=True, to_lower=True, min_length=1, max_length=40)]


def _known_face(face: str) -> str:
    if face not in FACES:
        raise ValueError(f"there is no face “{face}”{did_you_mean(face, FACES)}; there are {', '.join(FACES)}")
    return face


FaceKey = Annotated[str, AfterValidator(_known_face), WithJsonSchema({"type": "string", "enum": list(FACES)})]
SheetPart = Literal["label", "value", "mark", "state"]
LedgerColumn = Literal[
    "value",
    "mark",
    "gap",
    "attainment",
    "bullet",
    "progress",
    "strokes",
    "headroom",
    "trail",
    "usual",
    "signal",
    "outlook",
    "state",
]
Sign = Literal["deep-under", "far-under", "just-under", "on", "just-over", "far-over", "deep-over"]
MOST_OF_A_PERIOD = 700  # characters: sixty days with commas between
Number = Annotated[FiniteFloat, Field(ge=-1e300, le=1e300)]


class Model(BaseModel):
    model_config = ConfigDict(extra="forbid")


Order = Literal["gap", "value", "state", "name", "kept", "time"]


def _plain_handle(handle: str) -> str:
    if not is_name(handle):
        raise ValueError("a handle is one word of letters, digits and _, such as on_time")
    return handle


Handle = Annotated[str, Field(max_length=60), AfterValidator(_plain_handle)]
Mail = Annotated[str, StringConstraints(strip_whitespace=True, max_length=254, pattern=r"^[^@\s]+@[^@\s]+$")]
Password = Annotated[str, StringConstraints(max_length=200)]


def is_zone(text: str) -> bool:
    try:
        zoneinfo.ZoneInfo(text)
    except (zoneinfo.ZoneInfoNotFoundError, ValueError, OSError):
        return False
    return True


def _known_zone(zone: str) -> str:
    if not is_zone(zone):
        raise ValueError(f"there is no time zone “{zone[:40]}”; one is written like Europe/London")
    return zone


Zone = Annotated[str, StringConstraints(max_length=60), AfterValidator(_known_zone)]  # of IANA, summer time and all
