"""The scorecards of the demo, and what is noted on them."""

from __future__ import annotations

from typing import Any

from ironmark.demo import chart
from ironmark.pages.authoring.images import harmless, key_of

REST = [
    {"kpi": "cancelled", "yardstick": "within-limit", "marks": ["limit"]},
    {"kpi": "booked-online", "yardstick": "online-share"},
    {"kpi": "drills", "yardstick": "safety-share"},
]


ALL = [
    {"kpi": "complaints", "yardstick": "within-limit", "marks": ["limit"]},
    *REST,
    {"kpi": "crew-certified", "yardstick": "safety-share"},
]


# Rolled up by the score of their states, punctuality counting three times.
SERVICE = {
    "parts": [
        {"kpi": "on-time", "weight": 3, "yardstick": "punctuality"},
        {"kpi": "complaints", "weight": 2, "yardstick": "within-limit", "mark": "limit"},
        {"kpi": "cancelled", "weight": 1, "yardstick": "within-limit", "mark": "limit"},
    ]
}


def _instrument(key: str, kpi: str, face: str, place: tuple[int, int, int, int], **rest: Any) -> dict[str, Any]:
    x, y, w, h = place
    return {"id": key, "kpi": kpi, "face": face, "x": x, "y": y, "w": w, "h": h, **rest}


CHART = harmless(chart.chart())[1]


COST_WORDS = """## In short
A sailing cost **{cost_per_sailing}** in {cost_per_sailing: period}, {cost_per_sailing: gap}. The margin is {margin},
{margin: gap}.

- Fuel came to {fuel_cost} against a limit of {fuel_cost: mark}.
- Move the sliders above to see what another price of fuel or another rota would come to.
"""


SCORECARDS: dict[str, dict[str, Any]] = {
    "network-performance": {
        "title": "Network performance", "folder": "Every month", "owner": "Reporting desk",
        "asks": {"worst": True},
        "sections": [
            {
                "id": "punctuality", "title": "Punctuality",
                "instruments": [
                    _instrument("i1", "on-time", "dial", (0, 0, 3, 6), yardstick="punctuality", axis={"low": 0.7, "high": 1.0}),
                    _instrument("i2", "on-time", "bullet", (3, 0, 6, 6), by="route", yardstick="punctuality", axis={"low": 0.7, "high": 1.0}),
                    _instrument("i3", "cancelled", "bar", (9, 0, 3, 3), yardstick="within-limit", marks=["limit"]),
                    _instrument("i4", "complaints", "lamp", (9, 3, 3, 3), yardstick="within-limit", marks=["limit"]),
                ],
            },
            {
                "id": "revenue", "title": "Revenue and cost",
                "instruments": [
                    _instrument("i5", "fare-revenue", "bar", (0, 0, 4, 3), yardstick="share-of-target"),
                    _instrument("i14", "fuel-per-mile", "bar", (0, 3, 4, 3), yardstick="fuel-limit", marks=["limit"], look={"bar": {"ends": "dot"}}),
                    _instrument("i6", "revenue-per-sailing", "chip", (4, 0, 3, 6), by="route", yardstick="share-of-target"),
                    _instrument(
                        "i7", "fuel-per-mile", "ledger", (7, 0, 5, 6), by="vessel", yardstick="fuel-limit", marks=["limit"],
                        look={"ledger": {"columns": ["value", "mark", "headroom", "state"]}},
                    ),
                ],
            },
            {
                "id": "safety", "title": "Safety and readiness",
                "instruments": [
                    _instrument("i8", "crew-certified", "ring", (0, 0, 3, 6), yardstick="safety-share"),
                    _instrument("i9", "crew-certified", "bar", (3, 0, 3, 6), by="vessel", yardstick="safety-share"),
                    _instrument("i12", "drills", "column", (6, 0, 3, 6), yardstick="safety-share"),
                    _instrument(
                        "i11", "berth", "pips", (9, 0, 3, 6), by="vessel", yardstick="score", marks=[], order="kept",
                        axis={"low": 0, "high": 3}, look={"pips": {"steps": 3}},
                    ),
                ],
            },
            {
                "id": "decks", "title": "Deck load",
                "instruments": [
                    _instrument("i10", "deck-load", "dial", (0, 0, 3, 6), yardstick="deck-range", marks=[], look={"dial": {"names": "names"}}),
                    _instrument("i13", "deck-load", "strip", (3, 0, 9, 6), by="route", yardstick="deck-range", marks=[], order="state"),
                ],
            },
        ],
    },
    "service-health": {
        "title": "Service health",
        "sections": [
            {
                "id": "glance", "title": "At a glance",
                "instruments": [
                    _instrument("s1", "service", "figure", (0, 0, 3, 6), yardstick="service-health", marks=[]),
                    _instrument("s2", "on-time", "history", (3, 0, 6, 6), yardstick="punctuality", look={"history": {"periods": 18}}),
                    _instrument("s3", "complaints", "tile", (9, 0, 3, 6), yardstick="within-limit", marks=["limit"], further=REST, title="Where each stands"),
                ],
            },
            {
                "id": "routes", "title": "Which routes need a hand",
                "instruments": [
                    _instrument(
                        "s4", "on-time", "quadrant", (0, 0, 6, 13), by="route", yardstick="punctuality",
                        look={"quadrant": {"across": "complaints", "size": "fare-revenue", "mark": "limit", "reverse_across": True}},
                        title="On time against complaints",
                    ),
                    _instrument(
                        "s5", "complaints", "ranked", (6, 0, 6, 7), by="route", yardstick="within-limit", marks=["limit"],
                        ramp={"kpi": "on-time", "colours": "slate"}, title="Complaints by route, shaded by punctuality",
                    ),
                    _instrument("s6", "on-time", "strip", (6, 7, 6, 6), by="route", yardstick="punctuality"),
                ],
            },
            {
                "id": "all", "title": "Every measure",
                "instruments": [
                    _instrument(
                        "s7", "on-time", "ledger", (0, 0, 8, 8), yardstick="punctuality", further=ALL, title="Measures of service",
                        look={"ledger": {"columns": ["value", "mark", "gap", "attainment", "trail", "state"]}},
                    ),
                    _instrument(
                        "s9", "cancelled", "ledger", (0, 8, 8, 8), by="route", yardstick="within-limit", marks=["limit"],
                        look={"ledger": {"columns": ["value", "strokes", "mark", "headroom", "trail", "state"]}},
                    ),
                    _instrument("s8", "on-time", "profile", (8, 0, 4, 8), yardstick="punctuality", further=ALL, title="The same at one look"),
                ],
            },
        ],
    },
    "fleet-readiness": {
        "title": "Fleet readiness",
        "sections": [
            {
                "id": "refit", "title": "Refit programme",
                "instruments": [
                    _instrument("r1", "refit", "dial", (0, 0, 3, 6), yardstick="steps-done", axis={"low": 0.0, "high": 1.0}, title="Steps done"),
                    _instrument("r2", "refit", "pips", (3, 0, 5, 6), by="item", yardstick="steps-done", order="kept", title="By vessel, ticked here"),
                    _instrument("r3", "refit", "bar", (8, 0, 4, 6), by="step", yardstick="steps-done", order="kept", title="By step"),
                ],
            },
            {
                "id": "crew", "title": "Crew and drills",
                "instruments": [
                    _instrument("r4", "drills", "bullet", (0, 0, 6, 5), by="vessel", yardstick="safety-share", look={"bullet": {"standing": True}}),
                    _instrument("r5", "crew-certified", "bullet", (6, 0, 6, 5), by="vessel", yardstick="safety-share"),
                ],
            },
        ],
    },
    "revenue-by-route": {
        "title": "Revenue by route",
        "scope": {"period": "latest"},
        "sections": [
            {
                "id": "money", "title": "Month to date",
                "instruments": [
                    _instrument("m1", "fare-revenue", "bar", (0, 0, 4, 4), yardstick="share-of-target"),
                    _instrument("m2", "fare-revenue", "bullet", (4, 0, 8, 4), yardstick="share-of-target"),
                    _instrument(
                        "m3", "revenue-per-sailing", "ledger", (0, 4, 7, 8), by="route", yardstick="share-of-target",
                        look={"ledger": {"columns": ["value", "mark", "gap", "state"], "group": "vessel"}}, title="Revenue per sailing by vessel and route",
                    ),
                    _instrument("m4", "deck-load", "chip", (7, 4, 5, 8), by="route", yardstick="deck-range", marks=[], order="value"),
                ],
            },
            {
                "id": "booked", "title": "Bookings, read live",
                "instruments": [
                    _instrument("b1", "booked-online", "dial", (0, 0, 3, 6), yardstick="online-share", axis={"low": 0.5, "high": 0.9}),
                    _instrument("b2", "bookings", "bullet", (3, 0, 5, 6), by="route", yardstick="like-last-year", marks=["last year"]),
                    _instrument("b3", "booked-online", "bullet", (8, 0, 4, 6), by="route", yardstick="online-share", axis={"low": 0.5, "high": 0.9}),
                ],
            },
        ],
    },
    "where-and-when": {
        "title": "Where and when", "folder": "Every month",
        "scope": {"period": "complete"},
        "sections": [
            {
                "id": "wr", "title": "Region by region",
                "instruments": [
                    _instrument("w1", "revenue-per-sailing", "ledger", (0, 0, 8, 10), by="route", yardstick="share-of-target", look={"ledger": {"group": "region", "columns": ["value", "mark", "gap", "bullet", "state"]}}),
                    _instrument("w2", "on-time", "bullet", (8, 0, 4, 6), by="region", yardstick="punctuality"),
                    _instrument("w3", "isles-revenue", "bar", (8, 6, 4, 4), yardstick="share-of-target"),
                ],
            },
            {
                "id": "ww", "title": "At the peak, and in which vessels",
                "instruments": [
                    _instrument("w4", "on-time", "bullet", (0, 0, 4, 4), by="part", yardstick="punctuality"),
                    _instrument("w5", "on-time-peak", "history", (4, 0, 4, 4), yardstick="punctuality"),
                    _instrument("w6", "old-vessels", "figure", (8, 0, 4, 4), yardstick="within-limit", marks=["limit"]),
                    _instrument("w7", "seat-use", "bar", (0, 4, 12, 6), by="vessel", yardstick="seats-taken", marks=[]),
                ],
            },
            {
                "id": "wn", "title": "The sound, and what is said of it",
                "texts": [{"id": "w9", "lists": "notes", "x": 5, "y": 0, "w": 7, "h": 8}],
                "pictures": [{"id": "w8", "image": key_of(CHART), "alt": chart.ALT, "x": 0, "y": 0, "w": 5, "h": 8}],
            },
        ],
    },
    "sailing-cost": {
        "title": "What a sailing costs", "folder": "Planning", "owner": "Finance",
        "sections": [
            {
                "id": "cost", "title": "Against its limits",
                "instruments": [
                    _instrument("c1", "margin", "dial", (0, 0, 3, 6), yardstick="margin", axis={"low": 0, "high": 0.4}),
                    _instrument("c2", "cost-per-sailing", "bullet", (3, 0, 5, 6), by="route", yardstick="cost-limit", marks=["limit"]),
                    _instrument(
                        "c3", "margin", "chip", (8, 0, 4, 3), yardstick="margin", title="Within what was agreed",
                        further=[
                            {"kpi": "cost-per-sailing", "yardstick": "cost-limit", "marks": ["limit"]},
                            {"kpi": "fuel-cost", "yardstick": "within-limit", "marks": ["limit"]},
                        ],
                    ),
                    _instrument("c4", "fuel-cost", "bar", (8, 3, 4, 3), yardstick="within-limit", marks=["limit"]),
                    _instrument("c5", "margin", "ledger", (0, 6, 8, 6), by="route", yardstick="margin", look={"ledger": {"columns": ["value", "mark", "gap", "bullet", "state"]}}),
                    _instrument("c6", "cost-per-sailing", "history", (8, 6, 4, 6), yardstick="cost-limit", marks=["limit"]),
                ],
                "texts": [{"id": "c7", "text": COST_WORDS, "x": 0, "y": 12, "w": 12, "h": 4}],
            },
        ],
    },
}  # fmt: skip


NOTES = {
    "2026-09": "Punctuality stood at its target but for two routes; complaints fell with the last of the summer crowds.",
    "2026-10": "Punctuality slipped under its target in a month of fog, most of all between Lowsay and Brae Holm. Fuel is "
    "inside its limit on every vessel but Grey Wether, which is due in dock in December.",
}


# KPI, members, period, and what is said: the reading each is about stands on several scorecards.
SAID: tuple[tuple[str, dict[str, list[str]], str, str], ...] = (
    (
        "on-time", {"route": ["Lowsay – Brae Holm"]}, "2026-10",
        "Fog on **9–12 October** held {on_time: gap}; without those four days the route would have met its mark. "
        "In the period before it stood at {on_time: value in the period before}.",
    ),
    (
        "on-time", {}, "2026-10",
        "{on_time} after {on_time: value in the period before}. Most of the fall is *one route*: Lowsay – Brae Holm at "
        "{on_time: value of Lowsay – Brae Holm}.",
    ),
    ("on-time", {"route": ["Lowsay – Brae Holm"]}, "2026-09", "A pier at Brae Holm was closed for two mornings."),
    (
        "fare-revenue", {}, "2026-10",
        "{fare_revenue: reached} of the target. A year earlier it came to {fare_revenue: value in a year earlier}.",
    ),
    (
        "revenue-per-sailing", {"route": ["Hollin – Brae Holm"]}, "2026-10",
        "Half price for islanders ran to the end of the month; {revenue_per_sailing: gap}.",
    ),
    (
        "seat-use", {"vessel": ["Turnstone"]}, "2026-10",
        "A larger vessel than the line needs in October. It goes to *Hollin – Skarra* in spring.",
    ),
)  # fmt: skip
