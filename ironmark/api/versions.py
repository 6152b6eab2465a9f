"""The version a write names, so that nobody's change is lost."""

from __future__ import annotations

from ironmark.pages.model.problems import Refused


def seen_version(if_match: str | None) -> int:
    """The version a write names in If-Match. Refuses one that names none."""
    text = (if_match or "").strip().removeprefix("W/").strip('"')
    if not text:
        raise Refused(
            428,
            "version-needed",
            "Which version did you see?",
            "Send the version you saw in the header If-Match, so that nobody's change is lost.",
        )
    if not text.isdecimal() or len(text) > 9:
        raise Refused(400, "invalid-version", "If-Match is no version", "Send the number from ETag, in quotes.")
    return int(text)
