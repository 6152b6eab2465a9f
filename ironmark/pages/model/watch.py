"""What a watch asks, whom it tells, and what it says."""

from __future__ import annotations

import datetime as dt
from dataclasses import dataclass
from typing import Annotated, Final, Literal, get_args

from pydantic import AfterValidator, Field, FiniteFloat, StringConstraints, model_validator

from ironmark.core.periods import Grain
from ironmark.pages.model.field_types import Key, Mail, MarkName, Member, Model, Name, Zone

Question = Literal[
    "falls", "reaches", "leaves", "worsens", "improves", "signal", "above", "below", "outlook", "late", "unmarked", "edition",
    "note",
]  # fmt: skip
OF_A_STATE: Final = frozenset({"falls", "reaches", "leaves", "outlook"})
OF_A_MARK: Final = frozenset({"above", "below", "unmarked"})
OF_A_HISTORY: Final = frozenset({"falls", "reaches", "leaves", "worsens", "improves", "signal", "above", "below"})
OF_A_SCORECARD: Final = frozenset({"worsens", "improves", "signal", "late", "edition", "note"})
OF_A_KPI: Final = frozenset(get_args(Question)) - {"edition", "note"}


def _a_time(text: str) -> str:
    if text:
        try:
            dt.time.fromisoformat(text)
        except ValueError:
            raise ValueError("a time of day is written as 07:00") from None
    return text[:5]


Kind = Literal["", "restated", "taken back"]
TimeOfDay = Annotated[str, StringConstraints(max_length=8), AfterValidator(_a_time)]
Receiver = Annotated[str, StringConstraints(pattern=r"^(here|everyone|makers|(team|person):[A-Za-z0-9-]{1,80})$")]


class WatchBody(Model):
    """kpi or scorecard: what is asked about. by: the segment whose members are asked about one by one, of ``members`` alone or of
    all. state, mark, side: what the question names. only_signals: whether a change counts only where the reading is a signal.
    stays, minutes: for how many readings and for how long a change has to last; back, rest: how far over the cut or for how many
    readings it has to be back before it counts again. tell: who gets it in their inbox, by_mail: in their mail too; mails: further
    addresses; hooks: webhooks. when: at once, or in a digest at a time of day; weekday: of a week's, 0 for Monday. quiet_from,
    quiet_to: between which times nothing is sent, in the receiver's time zone, else in ``zone``. but: who took themselves out of
    it; forms: the files that go along with an edition."""

    name: Name
    kpi: Key | None = None
    scorecard: Key | None = None
    by: str | None = Field(None, max_length=80)
    members: list[Member] = Field(default=[], max_length=500)
    grain: Grain = "month"
    asks: Question = "signal"
    state: str = Field("", max_length=80)
    mark: MarkName | None = None
    side: Literal["", "better", "worse"] = ""
    only_signals: bool = False
    stays: int = Field(1, ge=1, le=24)
    minutes: int = Field(0, ge=0, le=10_080)
    back: FiniteFloat = Field(0.0, ge=0, le=1e300)
    rest: int = Field(0, ge=0, le=24)
    tell: list[Receiver] = Field(default=["here"], max_length=100)
    by_mail: bool = False
    mails: list[Mail] = Field(default=[], max_length=100)
    hooks: list[Key] = Field(default=[], max_length=20)
    when: Literal["at once", "daily", "weekly"] = "at once"
    at: TimeOfDay = "07:00"
    weekday: int = Field(0, ge=0, le=6)
    quiet_from: TimeOfDay = ""
    quiet_to: TimeOfDay = ""
    zone: Zone = "UTC"
    paused: bool = False
    but: list[Annotated[str, StringConstraints(max_length=300)]] = Field(default=[], max_length=500)
    forms: list[Literal["pdf", "png", "xlsx", "pptx", "html"]] = Field(default=[], max_length=5)

    @model_validator(mode="after")
    def one_thing(self) -> WatchBody:
        if (self.kpi is None) == (self.scorecard is None):
            raise ValueError("a watch asks about a KPI or about a scorecard")
        if self.asks not in (OF_A_KPI if self.kpi else OF_A_SCORECARD):
            about = "a KPI" if self.kpi else "a scorecard"
            raise ValueError(f"this cannot be asked about {about}; choose another question")
        if self.asks in OF_A_STATE and not self.state:
            raise ValueError("name the state that is asked about")
        if self.asks in OF_A_MARK and not self.mark:
            raise ValueError("name the mark that is asked about")
        if bool(self.quiet_from) != bool(self.quiet_to):
            raise ValueError("quiet hours have a beginning and an end")
        if self.members and not self.by:
            raise ValueError("members are of a segment; name it")
        return self

    @property
    def question(self) -> tuple[object, ...]:
        """What tells one question from another: receivers and times are none of it."""
        return (
            self.kpi, self.scorecard, self.by, tuple(self.members), self.grain, self.asks, self.state, self.mark, self.side,
            self.only_signals, self.stays, self.back, self.rest,
        )  # fmt: skip


@dataclass(frozen=True, slots=True)
class Told:
    """One thing that is told. kind: "" news, ``restated`` of a period that was over, ``taken back`` what is no longer so. who: of
    which member, "" for all together; before, state: the names of states with their signs and colours; shown: the value; against:
    where it stands to its mark; since: since when; why: signal or noise; note: what was noted about it; link: where it is read,
    without the server's address; about: what it is about, as ``edition:`` and which; gone: that it was withdrawn."""

    kind: Kind
    who: str
    kpi: str
    period: str
    shown: str = ""
    against: str = ""
    before: ToldState | None = None
    state: ToldState | None = None
    since: str = ""
    why: str = ""
    note: str = ""
    signal: bool = False
    link: str = ""
    about: str = ""
    gone: bool = False

    @property
    def words(self) -> str:
        """In one sentence, as it is written where nothing is drawn."""
        value = f"{self.shown} in {self.period}" if self.shown else self.period
        said = f"{value}, {self.against}" if self.against else value
        change = f"{self.before.name} → {self.state.name}: " if self.before and self.state else ""
        return f"{change}{said}{f'. {self.since}' if self.since else ''}."


@dataclass(frozen=True, slots=True)
class ToldState:
    """A state as a message shows it, whatever becomes of its palette."""

    name: str
    sign: str
    colour: str
