"""The words by which a column is known: stems in several languages, whether a column's name has one, and what is called after it."""

from __future__ import annotations

import re
from collections.abc import Sequence

from ironmark.core.measuring import Facts
from ironmark.core.names import as_name
from ironmark.core.units import unit_of_label


def _stems(words: str) -> tuple[str, ...]:
    return tuple(words.split())


# Parts of words, as they stand at the beginning of one: what there should be little of,
BAD = _stems(
    "abandon absen accident alarm arrears backlog breach breakdown cancel churn claims complain consum cost "
    "damage days_lost death debt decline defect delay detention discharge_late dispute downtime dropout "
    "electric emission empty energy error escalat exclu expens expired expul fail fall fault fuel idle "
    "incident infect injur late. lateness leak leaver left. loss lost misdeliver mispick misrout missed "
    "missing mistake mortality no_show noshow outage overdue overrun overtime penalt queue readmi refund "
    "reject reopen repeat resign retest return rework scrap shortage shrink sick spend spill stockout stoppage "
    "suspen temp_staff theft truan turnover_staff unanswered unpaid unplanned unresolved unsold vacan "
    "violation wait waste withdraw "
)


# an amount there is at a time,
LEVEL = _stems(
    "agents backlog balance beds census drivers employed employees enrol fte headcount holding inventory "
    "members nurses on_hand open_ roll staff stock workers "
)


# what happens by itself, and is no part of anything,
EVENTS = _stems("accident alarm breakdown death incident injur leak left. outage spill theft")


# something measured on each row,
EACH = _stems(
    "age. duration gpa grade. handle_time handling hours_to length. level. mark. minutes_to mood nps pct per_ "
    "percent price. rate. rates. rating ratio satisfaction score. scores. share. speed. temp_ temperature "
    "time. utilis utiliz wait yield "
)


# what others are a part of,
WHOLE = _stems(
    "admission appointment arrival attendance availab batch booked call capacity cases client contact customer "
    "deliver departure enrol expected flight guest items jobs journey lesson loans made meal nights orders "
    "output parcel passenger patient picked planned possible processed produced pupil received repair rooms "
    "sailing scheduled seats seen served session ships started stops students tickets total transaction "
    "treated trips units visitor visits "
)


# an outcome that is good, and a column that tells one,
GOOD_OUTCOMES = _stems(
    "achiev occup ocupad belegt filled booked used taken present answered attend closed complet deliver done fixed good. kept met. ok. on_time pass. passed resolv "
    "returned solved success within "
)


# how a state that is good is coloured,
GREEN = frozenset({"🟢", "✅", "green", "grün", "vert", "verte", "verde", "groen", "grøn", "grønn", "grön", "vihreä", "zielony", "zelená", "zöld", "yeşil", "зелёный", "зелений", "绿", "緑", "초록"})  # fmt: skip
# and what a cell is ticked with.
TICKS = frozenset({"x", "✓", "✔", "☑", "☒", "✅", "•", "●", "*", "1", "+"})


# the day something is to be done by,
DUE = _stems(
    "due deadline target_date promised required_by frist fällig faellig termin soll échéance échu vence vencimiento scadenza vervaldatum forfald forfall "
    "förfall eräpäivä termín lhůta határidő son_tarih scadent срок дедлайн 期限 締切 截止 마감"
)


# what is an amount of money,
MONEY = _stems(
    "amount betrag montant importe importo kwota belopp beløb bedrag valor summa tutar částka összeg сумма 金額 金额 금액 price preis prix precio prezzo "
    "revenue sales turnover umsatz invoice rechnung cost kosten salary fee net gross netto brutto total value spend"
)


OUTCOME = _stems("outcome result state status")


# what somebody gained or made, whatever else is said of it,
GAINED = _stems("avoided generat made. produc profit recover recycl reduced saved saving sales sold yield")


# what there can be at most,
CAPACITY = _stems(
    "booked planned all. availab capacity offered possible scheduled total disponib verfügb verfugb beschikba tilgjenge tilgæng tillgäng käytettäv dostępn kapazit capacit"
)


# what has come together since the year began,
RUNNING = _stems("ytd year_to_date cumul kumul acumulad lopende_totaal fortløpende narast")


# and what was a year before.
EARLIER = _stems(
    "py. ly. prior_year previous_year last_year vorjahr vj. n_1 annee_prec année_préc año_anterior ano_anterior anno_preced anno_prec vorig_jaar sidste_år forrige_år fjol föregående_år edellinen_vuosi poprzedni_rok"
)


# what is aimed at,
ACTUAL = _stems(
    "actual act. ist. ist-wert reel reel. réel reale. real. werkelijk utfall faktisk toteutu wykonanie skutečn tény realizado"
)


VARIANCE = _stems("var. variance abweich ecart écart desvi scosta verschil avvik afwijk avvikel poikkeam odchyl")


PLAN = _stems(
    "bud. budget expected forecast goal plan planned quota target ziel soll. zielwert objectif cible prevu objetivo presupuesto "
    "previsto obiettivo doel begroot orçado orcado"
)


# what is used up, and so is told by what it was used for, and time that was spent on it in all.
USED = _stems("cost consum electric energy expens fuel spend")


SPENT = _stems("labor labour spent staff staffed worked")


UNITS = _stems("day days h hour hours hrs min mins minute minutes")


# How yes and no are written where they are no flags: a column that holds both and nothing else answers a question.
YES_NO = tuple(
    tuple(pair.split("/")) for pair in _stems(
        "kyllä/ei igen/nem tak/nie ano/ne áno/nie sim/não da/nu da/ne да/нет да/не так/ні evet/hayır ναι/όχι はい/いいえ 有/無 有り/無し あり/なし 是/否 有/无 예/아니오 "
        "예/아니요 네/아니요 j/n t/n ja/nej ja/nei ja/nee já/nei jah/ei jā/nē taip/ne sí/no sì/no نعم/لا כן/לא có/không ya/tidak ใช่/ไม่ใช่ po/jo oui/non bai/ez bo/na ✓/✗ ✓/✘ ✓/✕ ✓/× ✓/x ✔/✗ ✔/✘ ✔/✖ ✔/x ☑/☐ ☒/☐ ✅/❌ 👍/👎"
    )
)  # fmt: skip


_BOTH = re.compile(r"\s*[(\[](\w+)\s*/\s*(\w+)[)\]]")  # yes and no, as a head tells them


def unanswered(label: str) -> str:
    """A head without how yes and no are written below it."""
    return _BOTH.sub("", label) or label


def yes_of(column: Facts) -> str | None:
    """The one of two members that says yes, in whichever language; a head may tell how both are written: Checked (K/E)."""
    said = {member.strip().lower(): member for member in column.members}
    told = _BOTH.search(column.label.lower())
    pairs = ((told[1], told[2]), *YES_NO) if told else YES_NO
    pair = next((pair for pair in pairs if len(column.members) == 2 and set(pair) == set(said)), None)
    return None if pair is None else said[pair[0]]


# What stands before a word, or behind it, and says that it is not so.
NOT_BEFORE = _stems("not non no un in im ir dis nicht kein keine keinen nie ne není pas não niet geen ikke ej inte ei nem не δεν μη ohne sans sin sem senza zonder uden utan без 不 未 非 無 无 불 미 비")  # fmt: skip
NOT_BEHIND = _stems("değil ikke ej niet 없음 なし")


def affirmed_of(members: Sequence[str]) -> str | None:
    """The one of two members that the other one says is not so: paid of paid and unpaid, conforme of conforme and non conforme."""
    if len(members) != 2:
        return None
    plain = {re.sub(r"[\s_.·-]+", "", member.lower()): member for member in members}
    if len(plain) != 2:
        return None
    short, long = sorted(plain, key=len)
    if len(short) < 2:
        return None
    if len(short) == 2 and long == f"n{short}":  # nok, n. i. O.
        return plain[short]
    negated = {f"{word}{short}" for word in NOT_BEFORE} | {f"{short}{word}" for word in NOT_BEHIND}
    return plain[short] if long in negated else None


def joined(text: str) -> str:
    return "_" + re.sub(r"[\W_]+", "_", text.lower())


def words(column: Facts) -> str:
    return joined(f"{column.name}_{column.label}")


def stem_in(text: str, stems: Sequence[str]) -> str:
    """The stem that a word of a text begins with, or is where a full stop ends the stem; "" for none."""
    words = f"{joined(text)}_"
    return next((stem for stem in stems if f"_{stem.replace('.', '_')}" in words), "")


def stem_of(column: Facts, stems: Sequence[str]) -> str:
    return stem_in(f"{column.name}_{column.label}", stems)


_PHYSICAL = {
    "kg": "kg", "g": "g", "t": "t", "l": "l", "km": "km", "m": "m", "mm": "mm", "cm": "cm", "kwh": "kWh", "mwh": "MWh", "ha": "ha", "m2": "m²",
    "mg": "mg", "lbs": "lbs", "lb": "lb", "ft": "ft",
}  # fmt: skip


def physical(label: str) -> str:
    """The unit that the last word of a label is: Fuel l, Weight (kg)."""
    words = re.sub(r"[()\[\]]", " ", label).split()
    of_it = len(words) > 1 and words[-2].lower() not in ("per", "je", "pro", "par", "por", "/")  # energy per t is none
    return _PHYSICAL.get(words[-1].lower(), "") if of_it else ""


def unsigned(column: Facts) -> str:
    """A label without the sign of its unit, which every figure carries: Cost of “Cost £”."""
    label = column.bare or column.label
    if physical(label):
        return " ".join(re.sub(r"[()\[\]]", " ", label).split()[:-1])
    given = unit_of_label(label)
    codes = rf"|{given.unit.currency}" if given and given.unit.currency else ""
    codes += "|mins?|hrs?" if given and given.unit.kind == "duration" else ""
    return (
        re.sub(rf"\s*[(\[]?\b([£$€¥%]{codes})\b[)\]]?\s*$|\s*[(\[]?[£$€¥%][)\]]?\s*$", "", label, flags=re.I) or label
    )


def one_of(label: str) -> str:
    """What one of several is called: a repair of repairs, a parcel delivered of parcels delivered."""
    words = label.lower().split()
    at = next(
        (at for at in (len(words) - 1, 0) if words and words[at].endswith("s") and not words[at].endswith("ss")), None
    )
    if at is not None:
        words[at] = f"{words[at][:-3]}y" if words[at].endswith("ies") else words[at][:-1]
    return " ".join(words)


def handle_of(label: str, fallback: str) -> str:
    """One word of the letters of the label, whichever alphabet they are of."""
    plain = as_name(label, words=True)[:40]
    return plain if plain and not plain[0].isdigit() else f"{fallback}_{plain}".strip("_")
