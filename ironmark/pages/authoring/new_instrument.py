"""What an instrument begins with, and what it takes with it to another face: never an empty picture."""

from __future__ import annotations

from dataclasses import dataclass

from ironmark.core.faces import FACES
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.drawing.draw_sheet import draw_sheet
from ironmark.pages.model.pictures import InstrumentPicture
from ironmark.pages.model.scorecard import InstrumentBody, ScopeBody
from ironmark.pages.reading.instrument_scope import period_of
from ironmark.pages.reading.sheets import read_sheet
from ironmark.pages.reading.usages import mark_of
from ironmark.store import records

ENOUGH = 8  # readings of a small picture of a face


@dataclass
class FaceOffer:
    """An instrument as it would be with another face, what that looks like, and what of its scope goes with the old one."""

    instrument: InstrumentBody
    picture: InstrumentPicture
    says: str = ""


def new_instrument(context: ReadingContext, key: str, kpi: str, yardstick: str | None) -> InstrumentBody:
    """A KPI for all rows together: progress towards its mark where it adds up, else a dial. Raises Missing."""
    body = context.kpi(kpi)
    face = FACES["bar" if body.nature == "flow" else "dial"]
    width, height = face.size
    mark = mark_of(context, yardstick)
    return InstrumentBody(id=key, kpi=kpi, face=face.key, marks=[mark], yardstick=yardstick, w=width, h=height)


def offers(context: ReadingContext, instrument: InstrumentBody, scope: ScopeBody) -> list[FaceOffer]:
    """An instrument as every face would draw it, each with the axis that face would choose."""
    source = context.source(context.kpi(instrument.kpi))
    context.assume(scope.assume)
    period = period_of(scope, [source], context.year_start)
    context.fetch([], [instrument.yardstick] if instrument.yardstick else [])
    found = []
    for face in FACES:
        offered = as_face(context, instrument, face)
        sheet = read_sheet(context, offered.model_copy(update={"id": face}), scope, period, most=ENOUGH)
        picture = draw_sheet(sheet, context.states, context.year_start, context.style)
        found.append(FaceOffer(offered, picture, _scope_changed(context, instrument, offered)))
    return found


def _scope_changed(context: ReadingContext, before: InstrumentBody, after: InstrumentBody) -> str:
    """What another face reads otherwise than the one before, as a sentence; "" where it reads the same."""
    name = FACES[after.face].name.lower()
    if after.by != before.by and after.by is not None:
        label = context.label_of(context.kpi(after.kpi).dataset, after.by).lower()
        lost = f", not the last {before.last} periods" if before.last else ""
        return f"A {name} draws members only: it reads each {label} now{lost}."
    if len(after.further) < len(before.further):
        left = [context.kpi(more.kpi).name for more in before.further]
        return f"A {name} draws one KPI: {', '.join(left)} {'is' if len(left) == 1 else 'are'} left out now."
    return ""


def as_face(context: ReadingContext, instrument: InstrumentBody, face: str) -> InstrumentBody:
    """An instrument with another face, and with what that face cannot do without: members where it draws nothing
    else, a KPI that goes across; not with KPIs that it does not list. It grows to a size at which the face is read."""
    kind = FACES[face]
    further = instrument.further if kind.kpis else []
    made = instrument.model_copy(update={"face": face, "further": further})
    if kind.many == "only" and not made.by and not further:
        dataset = context.dataset(context.kpi(made.kpi).dataset)
        made = made.model_copy(update={"by": next(iter(dataset.segments), None), "last": None})
    if face == "quadrant" and made.look.quadrant.across is None and (across := _across(context, made.kpi)):
        mark = mark_of(context, context.yardsticks_made.get(across))
        quadrant = made.look.quadrant.model_copy(update={"across": across, "mark": mark})
        made = made.model_copy(update={"look": made.look.model_copy(update={"quadrant": quadrant})})
    if face == instrument.face:
        return made
    width, height = kind.size
    return made.model_copy(update={"w": max(made.w, min(4, width)), "h": max(made.h, min(6, height))})


def _across(context: ReadingContext, kpi: str) -> str | None:
    """Another KPI of the same rows; the first by name."""
    dataset = context.kpi(kpi).dataset
    others = [
        document
        for document in records.list_all(context.session, "kpi")
        if document.id != kpi and document.body.get("dataset") == dataset and not document.body.get("composite")
    ]
    return min(others, key=lambda document: str(document.body["name"]).casefold()).id if others else None
