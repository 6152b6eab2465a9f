"""Answers on a scale of words, as surveys have them: the share of those that agree, among all that answered."""

from __future__ import annotations

import re
from collections.abc import Sequence

from ironmark.core.draft_kpis import DraftKpi
from ironmark.core.drafting_words import handle_of
from ironmark.core.measuring import Facts
from ironmark.core.nearest import folded
from ironmark.core.units import PERCENT

# Scales by what agrees and what does not, folded; between both stand "neutral" and its like.
_MIDDLE = (
    "neutral|neither.*|undecided|unsure|don'?t know|not sure|not applicable|fair|average|ok|okay|teils.*|unentschieden|weiss nicht|keine angabe|mittel|ni .* ni .*|neutre|sans opinion"
    "|moyen|indiferente|regular|indifferente|ne .* ne .*|sufficiente|noch .*|neutraal|hverken.*|verken.*|varken.*"
)
_SCALES = (
    (r"(strongly |completely |totally |somewhat |slightly )?agree|tend to agree", r"(strongly |completely |totally |somewhat |slightly )?disagree|tend to disagree"),
    (r"(very |fairly |quite |somewhat |extremely )?satisfied", r"(very |fairly |quite |somewhat |extremely )?(dis|un)satisfied"),
    (r"(very |quite |extremely )?(good|happy|likely|easy|helpful)|excellent", r"(very |quite |extremely )?(poor|bad|unhappy|unlikely|difficult|hard|unhelpful)|terrible"),
    (r"always|often|usually|mostly", r"rarely|seldom|never|sometimes"),
    (r"(stimme )?(voll und ganz|voll|eher|vollig) zu|stimme zu|trifft (voll |eher |voll und ganz )?zu", r"stimme (eher |uberhaupt |gar )?nicht zu|lehne .*ab|trifft (eher |uberhaupt |gar )?nicht zu"),
    (r"(sehr |eher )?zufrieden|(sehr )?gut", r"(sehr |eher )?unzufrieden|schlecht|mangelhaft|ungenugend"),
    (r"(tout a fait |plutot )?d'accord|(tres |plutot )?satisfait\w*", r"(plutot )?pas (du tout )?d'accord|(tres |plutot )?insatisfait\w*"),
    (r"(totalmente |muy )?de acuerdo|(muy )?satisfech\w+", r"(totalmente |muy )?en desacuerdo|(muy )?insatisfech\w+"),
    (r"(molto |del tutto |abbastanza )?(d'accordo|soddisfatt\w+)", r"(per niente |molto |poco )?(in disaccordo|insoddisfatt\w+)"),
    (r"(helemaal |zeer |heel )?(mee )?eens|(zeer )?tevreden", r"(helemaal |zeer |heel )?(mee )?oneens|(zeer )?ontevreden"),
    (r"(helt |meget |mycket |svart )?(enig|tilfreds|nojd|fornoyd)", r"(helt |meget |mycket |svart )?(uenig|utilfreds|missnojd|misfornoyd)"),
)  # fmt: skip


def _agreeing(members: Sequence[str]) -> list[str]:
    """The members that agree, where all of them are of one scale and some do not."""
    plain = {member: " ".join(folded(member).replace("’", "'").split()) for member in members}
    for agrees, disagrees in _SCALES:
        good = [member for member, text in plain.items() if re.fullmatch(agrees, text)]
        bad = [member for member, text in plain.items() if re.fullmatch(disagrees, text)]
        rest = [text for member, text in plain.items() if member not in good and member not in bad]
        if good and bad and len(good) + len(bad) > 2 and all(re.fullmatch(_MIDDLE, text) for text in rest):
            return good
    return []


def of_answers(column: Facts) -> list[DraftKpi]:
    """The share of answers that agree; none of a column of other words."""
    good = _agreeing(column.members)
    if not good:
        return []
    listed = ", ".join(f'"{member}"' for member in good)
    asked = f"{column.name} in ({listed})" if len(good) > 1 else f"{column.name} = {listed}"
    return [
        DraftKpi(
            handle_of(column.label, "answers"), column.label, f"count(where {asked}) / count(where {column.name} is filled)", PERCENT, "higher", "rate",
            f"“{column.label}” is answered on a scale: the share of answers that are {' or '.join(f'“{m}”' for m in good)}; the more the better.",
        )
    ]  # fmt: skip
