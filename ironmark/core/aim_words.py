"""Words by which people say that figures are what is aimed at, in the languages of the locales served, as ``folded`` leaves them."""

import re

from ironmark.core.nearest import folded

_WHOLE = (
    r"targets?|plan|planned|budget|goal|ziel|zielwert|soll|sollwert|objectif|cible|objetivo|meta|obiettivo|doel|doelstelling|streef\w*|norm|mal|maal|maltal|malsetning"
    r"|orcado|previsto|prevu|presupuest\w*|pressupost|objectiu|cel|limit|threshold|tavoite\w*|budjetti\w*|hedef\w*|butce\w*|cil|ciel|rozpocet\w*|budzet\w*|cilj|terv\w*"
    r"|eelarve|eesmark|siht|planas|tikslas|biudzet\w*|plans|merkis|budzets|obiectiv\w*|buget\w*|budsjett|markmid|targed|sprioc|helburu|obxectivo|sasaran|anggaran|rencana"
    r"|план\w*|цел[ьи]?|ціль|цілі|бюджет\w*|норматив\w*|циљ|буџет|στοχ\w*|προυπολογισμ\w*|יעד|יעדים|תקציב|هدف|بودجه"
)
_FIRST = "目標|目标|計画|計劃|计划|予算|預算|预算|목표|계획|예산|الهدف|المستهدف|الميزانية|เป้าหมาย|เป้า|แผน|งบประมาณ|लक्ष्य|बजट|mục tiêu|kế hoạch|ngân sách"
AIMS = re.compile(rf"\b({_WHOLE})\b|^({folded(_FIRST)})")
_NO_PLAN = frozenset({"limit", "threshold"})  # which way is good is not told by these


def is_plan(label: str) -> bool:
    """Whether a head says that its figures are what was planned of something."""
    found = AIMS.search(folded(label))
    return found is not None and found[0] not in _NO_PLAN
