"""What a bundle brings in is held to what routes ask for: nothing comes in that nobody could have made by hand."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Literal

from pydantic import Field, TypeAdapter
from sqlalchemy.orm import Session

from ironmark.core.formula_nodes import FormulaError
from ironmark.pages.authoring.assumption_rules import check_assumption, check_case
from ironmark.pages.authoring.kpi_rules import check_kpi
from ironmark.pages.authoring.yardstick_rules import check_yardstick
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.marks.mark_changes import ChangeBody, change_of
from ironmark.pages.model.field_types import Key, Model, Name
from ironmark.pages.model.kpi import AssumptionBody, CaseBody, KpiBody, NamedDate
from ironmark.pages.model.problems import Refused
from ironmark.pages.model.yardstick import YardstickBody
from ironmark.store.database import Missing
from ironmark.tables.table import ROLES, Column

KEY: TypeAdapter[str] = TypeAdapter(Key)
_CHECKS: dict[str, tuple[type[Model], Callable[[Session, Any, str | None], None]]] = {
    "assumption": (AssumptionBody, check_assumption), "kpi": (KpiBody, check_kpi),
    "yardstick": (YardstickBody, check_yardstick), "case": (CaseBody, check_case),
}  # fmt: skip


_NAMED_DATES = TypeAdapter(list[NamedDate])


class ShapedColumn(Model):
    name: str = Field(min_length=1, max_length=80, pattern=r"^[^\W\d]\w*$")
    label: Name
    type: Literal["number", "text", "date", "flag"]
    role: Literal["period", "segment", "measure", "flag", "text"]
    origin: Literal["rows", "lookup", "derived"] = "rows"
    grain: str | None = Field(None, max_length=20)
    unit: str = Field("", max_length=40)
    better: Literal["", "higher", "lower"] = ""


class Shape(Model):
    """A dataset without its rows."""

    name: Name
    kind: Literal["file", "sheet", "checklist", "live"]
    file_name: str = Field(max_length=200)
    settings: dict[str, Any]
    through: str | None
    columns: list[ShapedColumn] = Field(min_length=1, max_length=500)
    problems: list[dict[str, Any]] = Field(max_length=500)


def columns_of(key: str, body: dict[str, Any]) -> tuple[Column, ...]:
    """The columns of a dataset. Refuses what no file could have. Raises ValidationError."""
    shape = Shape.model_validate(body)
    _NAMED_DATES.validate_python(shape.settings.get("named_dates", []))
    names = [column.name for column in shape.columns]
    if len(set(names)) < len(names):
        raise Refused(422, "no-bundle", "The bundle cannot be read", f"The dataset {key} has two columns of one name.")
    for column in shape.columns:
        if column.type not in ROLES[column.role]:
            detail = (
                f"The column {column.name} of the dataset {key} cannot be a {column.role}: it holds {column.type}s."
            )
            raise Refused(422, "no-bundle", "The bundle cannot be read", detail)
    return tuple(Column(**column.model_dump()) for column in shape.columns)


def check_document(session: Session, kind: str, key: str, body: dict[str, Any]) -> None:
    """Refuse a document that was made just now and that its route would not have kept."""
    if kind not in _CHECKS:
        return
    model, check = _CHECKS[kind]
    try:
        check(session, model.model_validate(body), key)
    except (FormulaError, Missing) as error:
        raise Refused(422, "does-not-fit", "It does not fit", f"{_called(kind, body)}: {error}.") from None
    except Refused as error:
        raise _of(kind, body, error) from None


def check_marks(session: Session, kpi: str, book: dict[str, Any]) -> None:
    """Refuse marks of segments or from periods that there are none of; those of members that are gone may come along."""
    context = ReadingContext(None, session)  # type: ignore[arg-type]
    body = context.kpi(kpi)
    for n, entry in enumerate(book["entries"]):
        try:
            change = ChangeBody.model_validate(
                {name: entry[name] for name in ("name", "whose", "of", "since", "value")}
            )
            if change.of:
                change = change.model_copy(update={"value": None})
            change_of(context, body, change, f"entries.{n}")
        except Refused as error:
            raise _of("marks", {"name": body.name}, error) from None


def _called(kind: str, body: dict[str, Any]) -> str:
    return f"{'Marks of' if kind == 'marks' else kind.capitalize()} “{body.get('name') or body.get('title')}”"


def _of(kind: str, body: dict[str, Any], error: Refused) -> Refused:
    told = error.problem
    return Refused(422, "does-not-fit", told.title, f"{_called(kind, body)}: {told.detail} Nothing was changed.")
