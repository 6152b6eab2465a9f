"""Words by which people mark the parts of a table, without case and accents, in the languages of the locales served."""

import re

from ironmark.core.aim_words import AIMS
from ironmark.core.nearest import folded

TOTALS = re.compile(
    r"^(grand |sub-?)?(totals?|totale|totaal|sum|summe|gesamt|gesamtsumme|insgesamt|zwischensumme|somme|suma|summa|razem|celkem|celkom|spolu|skupaj|ukupno|kokku|kopa|is viso|yhteensa|overall|all together|altogether|i alt|ialt|totalt|toplam|ogolem|osszesen|合計|小計|総計|合计|小计|总计|합계|총계|소계|итого|всего|усього|разом|общо|вкупно|συνολο|tong cong|المجموع|الاجمالي)\b|\btotal$|\bgesamt$"
)  # fmt: skip
# What is worked out from the periods beside it.
WORKED_OUT = re.compile(
    r"\b(ytd|to date|cumul\w*|kumul\w*|acumulad\w*|average|avg|mean|schnitt|durchschnitt|moyenne|media|gemiddelde?|change|growth|diff\w*|delta|veranderung|abweichung|variation|variacion|variazione|verschil|trend)\b|^(ø|Δ|\+/-|±)|vs\.?\b"
)
UNIT_HEADS = frozenset(
    {
        "unit",
        "units",
        "einheit",
        "unite",
        "unidad",
        "unita",
        "eenheid",
        "jednostka",
        "jedn",
        "jedn.",
        "einh",
        "einh.",
        "enhet",
        "enhed",
        "egyseg",
        "mertekegyseg",
        "yksikko",
        "birim",
        "jednotka",
        "mj",
        "m.j.",
        "ед",
        "ед.",
        "ед. изм.",
        "единица",
        "одиниця",
        "单位",
        "單位",
        "単位",
        "단위",
        "measure unit",
        "uom",
    }
)
TARGET = "target"  # what is added to the name of a figure for the column of its targets
TARGETS = AIMS
# What a line begins with that says where each column ought to lie, and how that is written: 7.8-8.4, <0.02.
LIMITS = re.compile(
    r"\b(limits?|limit values?|specs?|specifications?|(reference|normal|permitted|allowed|target) (range|values?)|norms?|normalwerte?|grenzwerte?|richtwerte?|sollbereich|limites?|valeurs? limites?|seuils?|limit[ei]|valori limite|grenswaarden?|gransvarden?|grenseverdi(er)?|graensevaerdi(er)?|raja-arvot?|norma|limity|hatarertek(ek)?|предел\w*|норма)\b|^(基準値?|限值|标准值|기준)"
)
BOUNDS = re.compile(r"(?:[<>≤≥]=?\s*-?[\d.,]+|-?[\d.,]+\s*(?:-|–|—|to|bis|à|a|…)\s*-?[\d.,]+)\s*\D{0,8}", re.I)
ACTUALS = re.compile(
    r"\b(actuals?|ist|reel|realise|real|effettivo|consuntivo|realizado|werkelijk|faktisk|utfall|wykonanie|wyk|toteuma|skutecnost|teny|gerceklesen|факт\w*)\b|^(実績|实际|实绩|실적|الفعلي)"
)
# The same where it is sure: items may be sold.
KPI_NAMES = re.compile(
    r"\b(kpi|key result|metric|indicator|kennzahl|kenngrosse|indikator|indicateur|indicador|indicatore|kengetal|nyckeltal|wskaznik|nokkeltall|nogletal|tunnusluku|ukazatel|mutato|gosterge|показател[ьи]|показник)s?\b|^(指標|指标|지표|المؤشر)"
)
KPI_HEADS = re.compile(
    r"\b(kpi|key result|figure|measure|metric|indicator|kennzahl|kenngrosse|indikator|indicateur|indicador|indicatore|kengetal|nyckeltal|wskaznik|ukazatel|mutato|gosterge|показател[ьи]|показник|item|what)s?\b|^(項目|项目|指標|指标|항목|지표|المؤشر)"
)
DIRECTION_HEADS = re.compile(
    r"\b(better|good|direction|besser|gut|richtung|sens|mieux|mejor|direccion|meglio|direzione|beter|richting|battre|lepiej)\b"
)
HIGHER = frozenset(
    {"higher", "high", "more", "up", "max", "maximise", "increase", "mehr", "hoher", "hoch", "steigend", "plus", "haut", "hausse", "mas", "alto", "subir", "piu", "su", "meer", "hoger", "hogre", "mer", "wiecej", "+", "↑", "▲", ">", "≥"}
)  # fmt: skip
LOWER = frozenset(
    {"lower", "low", "less", "fewer", "down", "min", "minimise", "decrease", "weniger", "niedriger", "tiefer", "niedrig", "sinkend", "moins", "bas", "baisse", "menos", "bajo", "bajar", "meno", "giu", "minder", "lager", "lagre", "mindre", "mniej", "-", "–", "↓", "▼", "<", "≤"}
)  # fmt: skip
PARTS = re.compile(r"^(of which|thereof|davon|dont|de los cuales|di cui|waarvan)\b", re.I)
YEAR = re.compile(r"(?<!\d)((?:19|20)\d\d)(?!\d)")
# The same as a title gives it: FY 2025/26, 2026年度.
WHOLE_YEAR = re.compile(
    r"\b(?:(?:FY|GJ|FJ)\s?)?(?<!\d)(?:19|20)\d\d(?:\s?[/–-]\s?(?:20)?\d\d(?!\d))?(?:年度|年)?", re.I
)
# A footnote's sign behind a word, or in brackets: [p], [note 1].
FOOT = re.compile(r"(?:(?<=[^\W\d_)])\s*[¹²³⁴⁵⁶⁷⁸⁹*†‡]+|\s*\[(?:[eprxz]|notes?\s*\d+(?:,\s*\d+)*)\])+$", re.I)
NUMBERED = re.compile(
    r"^(?:table|tabelle|tableau|tabla|tabella|tabel|tabell|figure|chart)\s+[\w.]{1,5}\s*[:.–-]\s+", re.I
)
# What a line of averages is called, and nothing else.
AVERAGES = re.compile(
    r"^(?:(?:overall|national|group|company|team|total) )?(?:averages?|avg\.?|mean|ø|durchschnitt|mittelwert|schnitt|moyenne|promedio|gemiddelde|gemiddeld|gennemsnit|gjennomsnitt|genomsnitt|medelvarde|srednia|prumer|priemer|keskiarvo|ortalama|atlag|среднее|平均|평균)$"
)


def says_of_kpis(label: str) -> bool:
    """Whether a column of a list names KPIs, or their units, or which way is better."""
    plain = folded(label)
    return plain in UNIT_HEADS or bool(KPI_NAMES.search(plain) or DIRECTION_HEADS.search(plain))


def is_actual(plain: str) -> bool:
    """Whether what stands above a column by itself, folded, says that its figures are what was reached."""
    return bool(ACTUALS.fullmatch(plain)) or plain in ("act", "act.", "wyk.")


def is_aimed_at(plain: str) -> bool:
    """The same of what was aimed at. A bud is one of a flower wherever anything stands beside it."""
    return bool(TARGETS.fullmatch(plain)) or plain in ("bud", "bud.", "bdg", "bgt", "tgt")


def called_by(name: str, level: str) -> str:
    """What a figure is called by its row and what stands above its period. Actual is the figure itself."""
    plain = folded(level)
    if name and is_actual(plain):
        return name
    if name and is_aimed_at(plain):
        return f"{name} {TARGET}"
    return " ".join(filter(None, (name, level)))
