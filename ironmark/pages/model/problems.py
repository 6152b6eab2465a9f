"""What is wrong with a request, in words that say what to do (RFC 9457)."""

from __future__ import annotations

from typing import Any

from pydantic import BaseModel


class Problem(BaseModel):
    """A problem document. ``where`` points into the request: a field, or a place in a formula. ``question``: where it is
    refused only until somebody is sure, what is asked; the same request with ``sure`` is then taken."""

    type: str
    title: str
    status: int
    detail: str
    where: dict[str, Any] | None = None
    question: str | None = None


class Refused(Exception):
    """A request that cannot be carried out, with the reason and the way out."""

    def __init__(self, status: int, type_: str, title: str, detail: str, where: dict[str, Any] | None = None) -> None:
        super().__init__(detail)
        self.problem = Problem(type=type_, title=title, status=status, detail=detail, where=where)


def doubtful(question: str, where: dict[str, Any]) -> Refused:
    """Refuses what is unlikely until somebody is sure of it."""
    refused = Refused(422, "doubtful", "Is this meant?", f"{question} Send sure: true to keep it.", where)
    refused.problem.question = question
    return refused
