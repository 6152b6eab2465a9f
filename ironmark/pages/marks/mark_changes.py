"""Changes to a mark book: whose marks they are and from when, refused where that could be two things."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Annotated, Any

from pydantic import Field, StringConstraints, model_validator

from ironmark.core import marks as core
from ironmark.core.nearest import did_you_mean
from ironmark.core.numbers import show
from ironmark.core.periods import Period
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.model.field_types import MarkName, Member, Model, Number
from ironmark.pages.model.kpi import KpiBody
from ironmark.pages.model.problems import Refused
from ironmark.store import marks


class OwnedBody(Model):
    """Whose a mark is: ``member`` (of one or two segments, ``of`` by segment), ``each`` member of the segment in ``of``,
    all ``together``, or ``everyone`` (not of a sum). Left out, ``of`` names a member, and a rate's mark without ``of``
    is everyone's. ``segment`` and ``member`` are a short form of ``of``, both ``*`` of all together.
    """

    whose: core.Whose | None = None
    of: dict[Annotated[str, StringConstraints(min_length=1, max_length=80)], Member] = Field({}, max_length=2)

    @model_validator(mode="before")
    @classmethod
    def short_form(cls, given: Any) -> Any:
        if not isinstance(given, dict) or not ({"segment", "member"} & given.keys()):
            return given
        rest = {key: value for key, value in given.items() if key not in ("segment", "member")}
        segment, member = given.get("segment"), given.get("member")
        if segment == "*" and member == "*":
            return rest | {"whose": "together"}
        if (segment in (None, "")) != (member in (None, "")):
            raise ValueError("name both segment and member, or neither")
        return rest | {"of": {segment: member}} if segment else rest


class ChangeBody(OwnedBody):
    """``since`` is a period such as 2026-10 or 2026; ``value`` null takes the entry out."""

    name: MarkName
    since: str = Field(max_length=24)
    value: Number | None = None

    @classmethod
    def of_entry(cls, name: str, owner: core.Owner, since: str, value: float | None) -> ChangeBody:
        return cls(name=name, whose=owner.whose, of=dict(owner.of), since=since, value=value)


def since_of(text: str, year_start: int, field: str) -> Period:
    """The period that a mark takes effect from. Refuses what is none, and a span."""
    try:
        since = Period.parse(text, year_start)
        if since.length > 1:
            raise ValueError(f"“{text}” is a span; name the period that the mark takes effect from")
    except ValueError as error:
        raise Refused(422, "no-period", "From which period?", f"{error}.", {"field": field}) from None
    return since


def change_of(context: ReadingContext, kpi: KpiBody, change: ChangeBody, field: str) -> marks.Change:
    """A change to the book. Refuses one without a period or an owner; taken out is also what a member left behind."""
    since = since_of(change.since, context.year_start, f"{field}.since")
    owner = owner_of(context, kpi, change, field, must_exist=change.value is not None, value=change.value)
    return marks.Change(change.name, owner, since.key, change.value)


def owner_of(
    context: ReadingContext,
    kpi: KpiBody,
    body: OwnedBody,
    field: str,
    *,
    must_exist: bool = True,
    value: float | None = None,
) -> core.Owner:
    """Whose a mark is. Refuses a segment or member that does not exist, and a sum's mark that could be two things."""
    where = {"field": f"{field}.of" if field else "of"}
    whose = body.whose or ("member" if body.of else None)
    if whose in (None, "everyone") and context.expanded(kpi).adds and must_exist:
        raise Refused(
            422,
            "whose-mark",
            "Whose mark is it?",
            _two_readings(context, kpi, value),
            {"field": f"{field}.whose".strip(".")},
        )
    if whose is None or whose == "everyone":
        return core.EVERYONE
    if whose == "together":
        return core.TOGETHER
    if whose == "each" and len(body.of) != 1:
        raise Refused(422, "whose-mark", "Each of what?", "Name the one segment whose members the mark is for.", where)
    if whose == "member" and not body.of:
        raise Refused(422, "whose-mark", "Which member?", "Name the member by its segment, in “of”.", where)
    if must_exist:
        _refuse_unknown(context.source(kpi).members, body.of if whose == "member" else {}, tuple(body.of), where)
    return core.Owner.each(next(iter(body.of))) if whose == "each" else core.Owner.of_members(body.of)


def _refuse_unknown(
    known: Mapping[str, Sequence[str]], of: Mapping[str, str], segments: Sequence[str], where: dict[str, Any]
) -> None:
    for segment in segments:
        if segment not in known:
            there = f"there are {', '.join(known)}" if known else "there are none"
            raise Refused(
                422,
                "no-segment",
                "No such segment",
                f"There is no segment “{segment}”{did_you_mean(segment, known)}; {there}.",
                where,
            )
    for segment, member in of.items():
        if member not in known[segment]:
            detail = f"No {segment} is called “{member}”{did_you_mean(member, known[segment])}."
            raise Refused(422, "no-member", "No such member", detail, where)


def _two_readings(context: ReadingContext, kpi: KpiBody, value: float | None) -> str:
    """What one figure of a sum could mean."""
    unit, members = kpi.unit.as_unit(), context.source(kpi).members
    shown = show(value, unit, context.style) if value is not None else "the figure"
    choices = [f"all together’s ({shown})"]
    for segment, names in members.items():
        total = f", together {show(value * len(names), unit, context.style)}" if value is not None else ""
        label = context.label_of(kpi.dataset, segment).lower()
        choices.insert(-1, f"each {label}’s ({len(names)} of them{total})")
    return (
        f"{kpi.name} adds up over members, so {shown} is either {' or '.join(choices)}. Send whose: “each” with its "
        "segment in “of”, or whose: “together”."
    )
