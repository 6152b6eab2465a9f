"""The demo in the database: rows, KPIs, marks, yardsticks, scorecards."""

from __future__ import annotations

import datetime as dt
from contextlib import AbstractContextManager
from dataclasses import replace
from pathlib import Path
from typing import Any

import sqlalchemy as sa
from sqlalchemy import Engine, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from ironmark import clock
from ironmark.core.marks import EVERYONE, TOGETHER, Owner
from ironmark.core.periods import Period
from ironmark.core.workdays import nth_day
from ironmark.demo import chart, sailings
from ironmark.pages.authoring.images import harmless, key_of
from ironmark.pages.context.reading_context import ReadingContext
from ironmark.pages.context.source_registry import Sources
from ironmark.pages.datasets.intake import keep_new
from ironmark.pages.model.kpi import AssumptionBody, CaseBody, KpiBody
from ironmark.pages.model.scorecard import ScorecardBody
from ironmark.pages.model.yardstick import YardstickBody
from ironmark.pages.publishing.editions import freeze
from ironmark.pages.reading.notes import subject_of
from ironmark.store import database, datasets, editions, images, marks, notes, records
from ironmark.store.mariadb import READER, ROWS_DATABASE, reader_password
from ironmark.store.marks import Change
from ironmark.store.models import Dataset, Record, Revision
from ironmark.tables import checklist
from ironmark.tables.checklist import Checklist
from ironmark.tables.files import read_table
from ironmark.tables.joined_columns import Derived, Lookup, Wide
from ironmark.tables.reader import read_delimited
from ironmark.tables.table import Column, Table

PERCENT = {"kind": "percent", "decimals": 1}
WHOLE_PERCENT = {"kind": "percent", "decimals": 0}
POUNDS = {"kind": "currency", "decimals": 2, "compact": True}
UP, DOWN, INSIDE = "higher", "lower", "inside"
SAIL, SAFE, BOOK, REFIT = "sailings", "safety-sheet", "bookings", "refit-programme"
ROUTES, VESSELS = "routes", "vessels"
HARBOUR = Path(__file__).with_name("harbour-figures.xlsx")
# What sailings take from routes and vessels by their names, and the column they derive.
PART = 'if(weekday(date) in ("Friday", "Saturday", "Sunday")\n  or month(date) in ("July", "August"), "peak", "quiet")'
WIDE = Wide(
    (
        Lookup(ROUTES, (("route", "route"),), (("region", Column("region", "Region", "text", "segment", "lookup")),)),
        Lookup(
            VESSELS, (("vessel", "vessel"),),
            (
                ("seats", Column("seats", "Seats", "number", "measure", "lookup")),
                ("built", Column("built", "Built", "number", "text", "lookup")),
            ),
        ),
    ),
    (Derived(Column("part", "Part of the week", "text", "segment", "derived"), PART),),
)  # fmt: skip

# id: dataset, handle, name, formula, unit, direction, nature, owner
KPIS: dict[str, tuple[str, str, str, str, dict[str, Any], str, str, str]] = {
    "on-time": (SAIL, "on_time", "On-time departures", "count(where delay_minutes <= 5)\n  / count(where cancelled = no)", PERCENT, UP, "rate", "Operations"),
    "cancelled": (SAIL, "cancelled", "Cancelled sailings", "count(where cancelled = yes)", {}, DOWN, "flow", "Operations"),
    "fare-revenue": (SAIL, "fare_revenue", "Fare revenue", "sum(fare_revenue)", POUNDS, UP, "flow", "Finance"),
    "revenue-per-sailing": (SAIL, "revenue_per_sailing", "Revenue per sailing", "sum(fare_revenue) / count(where cancelled = no)", {"kind": "currency"}, UP, "rate", "Finance"),
    "fuel-per-mile": (SAIL, "fuel_per_mile", "Fuel per nautical mile", "sum(fuel_litres) / sum(nautical_miles)", {"decimals": 1, "text": "L"}, DOWN, "rate", "Engineering"),
    "deck-load": (SAIL, "deck_load", "Deck load factor", "sum(deck_used) / sum(deck_metres)", WHOLE_PERCENT, INSIDE, "rate", "Operations"),
    "complaints": (SAIL, "complaints", "Complaints per 10k", "sum(complaints) / sum(passengers) * 10000", {"decimals": 1}, DOWN, "rate", "Customer service"),
    "bookings": (BOOK, "bookings", "Bookings", "sum(seats)", {"compact": True, "decimals": 1}, UP, "flow", "Customer service"),
    "booked-online": (BOOK, "booked_online", "Booked online", 'sum(seats where channel = "online") / sum(seats)', PERCENT, UP, "rate", "Customer service"),
    "refit": (REFIT, "refit_steps", "Refit programme", "count(where done = yes) / count()", WHOLE_PERCENT, UP, "stock", "Engineering"),
    "crew-certified": (SAFE, "crew_certified", "Crew certified", "sum(certified) / sum(crew)", WHOLE_PERCENT, UP, "rate", "Safety"),
    "drills": (SAFE, "drills_held", "Drills held", "sum(drills_held) / sum(drills_planned)", WHOLE_PERCENT, UP, "rate", "Safety"),
    "fuel-cost": (SAIL, "fuel_cost", "Fuel cost", "sum(fuel_litres) * @fuel_price", POUNDS, DOWN, "flow", "Finance"),
    "cost-per-sailing": (
        SAIL, "cost_per_sailing", "Cost of a sailing", "(sum(fuel_litres) * @fuel_price) / count(where cancelled = no)\n  + @crew_cost",
        {"kind": "currency"}, DOWN, "rate", "Finance",
    ),
    "margin": (
        SAIL, "margin", "Margin", "1 - (@fuel_cost + count(where cancelled = no) * @crew_cost)\n  / sum(fare_revenue)",
        PERCENT, UP, "rate", "Finance",
    ),
    "seat-use": (SAIL, "seat_use", "Seats taken", "sum(passengers) / sum(seats where cancelled = no)", WHOLE_PERCENT, UP, "rate", "Operations"),
    "isles-revenue": (SAIL, "isles_revenue", "Outer isles revenue", 'sum(fare_revenue where region = "Outer isles")', POUNDS, UP, "flow", "Finance"),
    "old-vessels": (SAIL, "old_vessels", "Sailed by vessels from before 2005", "count(where built < 2005 and cancelled = no)\n  / count(where cancelled = no)", WHOLE_PERCENT, DOWN, "rate", "Engineering"),
    "on-time-peak": (SAIL, "on_time_peak", "On time at the peak", 'count(where part = "peak" and delay_minutes <= 5)\n  / count(where part = "peak" and cancelled = no)', PERCENT, UP, "rate", "Operations"),
    "berth": (SAFE, "berth_condition", "Berth condition", "mean(berth_condition)", {"decimals": 1}, UP, "rate", "Safety"),
}  # fmt: skip

# id: handle, name, unit, value, least, most, step
ASSUMPTIONS: dict[str, tuple[str, str, dict[str, Any], float, float, float, float]] = {
    "fuel-price": ("fuel_price", "Fuel price", {"kind": "currency", "decimals": 2}, 0.92, 0.6, 1.6, 0.01),
    "crew-cost": ("crew_cost", "Crew cost of a sailing", {"kind": "currency"}, 180, 100, 320, 5),
}
# id: name, scorecard, values
CASES: dict[str, tuple[str, str, dict[str, float]]] = {
    "dear-fuel": ("Dear fuel", "sailing-cost", {"fuel-price": 1.05}),
    "new-rota": ("New crew rota", "sailing-cost", {"crew-cost": 140}),
    "both": ("Dear fuel, new rota", "sailing-cost", {"fuel-price": 1.05, "crew-cost": 140}),
}

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

HIGHER, LOWER = ["short", "near", "met", "beyond"], ["beyond", "met", "near", "short"]
TARGET_CUTS = [{"mark": "target", "offset": -0.07}, {"mark": "target"}, {"mark": "target", "offset": 0.04}]
YARDSTICKS: dict[str, dict[str, Any]] = {
    "punctuality": {"name": "Punctuality", "kpi": "on-time", "bands": HIGHER, "cuts": TARGET_CUTS},
    "share-of-target": {
        "name": "Share of target", "kpi": "fare-revenue", "bands": HIGHER,
        "cuts": [{"mark": "target", "factor": f} for f in (0.9, 1.0, 1.1)],
    },
    "within-limit": {
        "name": "Within the limit", "kpi": "cancelled", "bands": LOWER,
        "cuts": [{"mark": "limit", "factor": f, "belongs": "below"} for f in (0.5, 1.0, 1.3)],
    },
    "fuel-limit": {
        "name": "Fuel limit", "kpi": "fuel-per-mile", "bands": LOWER,
        "cuts": [{"mark": "limit", "factor": f, "belongs": "below"} for f in (0.85, 0.95, 1.0)],
    },
    "safety-share": {"name": "Safety share", "kpi": "crew-certified", "bands": HIGHER, "cuts": [{"offset": 0.7}, {"offset": 0.85}, {"offset": 0.95}]},
    "deck-range": {
        "name": "Deck range", "kpi": "deck-load", "bands": ["short", "near", "met", "near", "short"],
        "cuts": [{"offset": 0.5}, {"offset": 0.6}, {"offset": 0.75}, {"offset": 0.85}],
    },
    "online-share": {
        "name": "Online share", "kpi": "booked-online", "bands": HIGHER,
        "cuts": [{"mark": "target", "offset": o} for o in (-0.05, 0.0, 0.05)],
    },
    "steps-done": {
        "name": "Steps done", "kpi": "refit", "bands": ["short", "near", "met"],
        "cuts": [{"mark": "target", "offset": -0.1}, {"mark": "target"}],
    },
    "like-last-year": {
        "name": "Against last year", "kpi": "bookings", "bands": HIGHER,
        "cuts": [{"mark": "last year", "factor": f} for f in (0.95, 1.0, 1.1)],
    },
    "service-health": {
        "name": "Service health", "kpi": "service", "bands": ["tide-ebb", "tide-slack", "tide-flood"],
        "cuts": [{"offset": 0.45}, {"offset": 0.65}],
    },
    "cost-limit": {
        "name": "Cost limit", "kpi": "cost-per-sailing", "bands": LOWER,
        "cuts": [{"mark": "limit", "factor": f, "belongs": "below"} for f in (0.9, 1.0, 1.15)],
    },
    "margin": {
        "name": "Margin", "kpi": "margin", "bands": HIGHER,
        "cuts": [{"mark": "target", "offset": o} for o in (-0.1, 0.0, 0.1)],
    },
    "seats-taken": {"name": "Seats taken", "kpi": "seat-use", "bands": HIGHER, "cuts": [{"offset": 0.3}, {"offset": 0.4}, {"offset": 0.5}]},
    "score": {"name": "Score of 3", "kpi": "berth", "bands": ["short", "near", "met"], "cuts": [{"offset": 1.5}, {"offset": 2.25}]},
}  # fmt: skip

# Tarn Point – Lowsay has none: its readings are not graded, never red.
REVENUE_TARGETS = {
    "Hollin – Skarra": 960,
    "Hollin – Brae Holm": 1000,
    "Skarra – Eddy Isle": 470,
    "Lowsay – Brae Holm": 520,
    "Night freight": 1000,
}

# KPI, mark, whose (a route's, all together's or, of a rate, everyone's), from, value
MARKS: list[tuple[str, str, str | Owner, str, float]] = [
    ("on-time", "target", EVERYONE, "2025-01", 0.90),
    ("on-time", "target", EVERYONE, "2026-04", 0.92),
    ("on-time", "target", "Skarra – Eddy Isle", "2026-01", 0.90),
    ("on-time", "target", "Lowsay – Brae Holm", "2026-01", 0.86),
    ("on-time", "target", "Lowsay – Brae Holm", "2026-10", 0.88),
    ("on-time", "target", "Night freight", "2025-01", 0.85),
    ("cancelled", "limit", TOGETHER, "2025-01", 14),
    *(("cancelled", "limit", route, "2025-01", limit) for route, limit in zip(sailings.ROUTES, (4, 3, 2, 2, 2, 1), strict=True)),
    ("fare-revenue", "target", TOGETHER, "2025-01", 1_040_000),
    ("fare-revenue", "target", TOGETHER, "2026-01", 1_180_000),
    *(("revenue-per-sailing", "target", route, "2025-01", value) for route, value in REVENUE_TARGETS.items()),
    ("isles-revenue", "target", TOGETHER, "2025-01", 118_000),
    ("on-time-peak", "target", EVERYONE, "2025-01", 0.91),
    ("old-vessels", "limit", EVERYONE, "2025-01", 0.42),
    ("fuel-per-mile", "limit", EVERYONE, "2025-01", 46),
    ("complaints", "limit", EVERYONE, "2025-01", 6),
    ("fuel-cost", "limit", TOGETHER, "2025-01", 660_000),
    ("cost-per-sailing", "limit", TOGETHER, "2025-01", 670),
    *(("cost-per-sailing", "limit", route, "2025-01", limit) for route, limit in zip(sailings.ROUTES, (540, 750, 430, 900, 640, 1400), strict=True)),
    ("margin", "target", EVERYONE, "2025-01", 0.2),
    ("margin", "target", "Night freight", "2025-01", -0.3),
    ("booked-online", "target", EVERYONE, "2025-01", 0.6),
    ("booked-online", "target", EVERYONE, "2026-01", 0.66),
    ("refit", "target", EVERYONE, "2025-01", 0.6),
    ("crew-certified", "target", EVERYONE, "2025-01", 0.85),
    ("drills", "target", EVERYONE, "2025-01", 0.72),
]  # fmt: skip


# Marks that are computed: KPI, name, formula.
COMPUTED = [("bookings", "last year", "year_ago(@bookings)"), ("fare-revenue", "last year", "year_ago(@fare_revenue)")]


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


def load_if_empty(engine: Engine) -> bool:
    """Load the demo in one transaction, unless anything is or ever was in the database."""
    return _load_unless(engine, *(select(1).select_from(table) for table in (Dataset, Record, Revision)))


def load_if_unused(engine: Engine) -> bool:
    """Load the demo where there are no rows and no documents, also where there once were some."""
    documents = select(1).select_from(Record).where(Record.kind != "calendar")
    try:
        return _load_unless(engine, select(1).select_from(Dataset), documents)
    except IntegrityError:
        return False  # somebody else is loading it


def _load_unless(engine: Engine, *used: sa.Select[tuple[int]]) -> bool:
    with database.sessions(engine).begin() as session:
        if any(session.scalar(query.limit(1)) for query in used):
            return False
        with _as_of(sailings.THROUGH + dt.timedelta(days=1)):
            load(session)
    sources = Sources(engine)
    _write(sources)
    _publish(sources)
    return True


def _as_of(day: dt.date) -> AbstractContextManager[None]:
    """The demo is of its own days, whenever it is loaded; never of one to come."""
    return clock.going_on_from(min(clock.now(), dt.datetime.combine(day, dt.time(9))))


def _told_on(period: str) -> dt.date:
    """The third working day after a period."""
    after = Period.parse(period).shift(1)
    return nth_day(after.start, after.end, 3, working=True)


NOTES = {
    "2026-09": "Punctuality stood at its target but for two routes; complaints fell with the last of the summer crowds.",
    "2026-10": "Punctuality slipped under its target in a month of fog, most of all between Lowsay and Brae Holm. Fuel is "
    "inside its limit on every vessel but Grey Wether, which is due in dock in December.",
}


def _publish(sources: Sources) -> None:
    """Two months of network performance as they were published."""
    key = "network-performance"
    for period, note in NOTES.items():
        with sources.readings() as session:
            context = ReadingContext(sources, session)
            card = context.scorecard(key)
            frozen = freeze(context, card, card.scope.model_copy(update={"period": period}))
        with _as_of(_told_on(period)), sources.changes() as session:
            made = editions.create(
                session, key, title=card.title, note=note, period=period, period_label=Period.parse(period).label,
                body=frozen.to_bytes(),
            )  # fmt: skip
            editions.put(session, made, state=editions.PUBLISHED, published_at=clock.now())


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


def _write(sources: Sources) -> None:
    """Notes on readings, each as it is written from the page."""
    for kpi, members, period, text in SAID:
        with sources.readings() as session:
            about = subject_of(ReadingContext(sources, session), kpi, members, period)
        with _as_of(_told_on(period)), sources.changes() as session:
            notes.save(session, about.kpi, about.narrow, about.members, about.period, text, about.value, 0)


def load(session: Session) -> None:
    images.keep(session, key_of(CHART), "svg", CHART)
    datasets.create(session, "Sailings", "sailings.csv", read_delimited(sailings.as_csv(sailings.sailings())), key=SAIL)
    for key, name, frame in ((ROUTES, "Routes", sailings.routes()), (VESSELS, "Vessels", sailings.vessels())):
        table = read_delimited(sailings.as_csv(frame))
        # There is no day in it: nothing is read of it by period, other datasets take columns from it.
        table = Table(table.frame, (replace(table.columns[0], role="segment"), *table.columns[1:]))
        datasets.create(session, name, f"{key}.csv", table, key=key, findings_too=False)
    datasets.widen(session, SAIL, 1, WIDE, {"part": ["peak", "quiet"]})
    sheet = read_delimited(sailings.as_csv(sailings.safety()))
    made = datasets.create(session, "Safety sheet", "typed in", sheet, key=SAFE, kind="sheet")
    # The sheet is filled in month by month, to the same day as the sailings.
    datasets.update(session, SAFE, made.version, made.name, list(made.columns), sailings.THROUGH)
    _load_bookings(session)
    _load_refit(session)
    # A workbook made for the eye, read as if it were uploaded.
    keep_new(session, "Harbour figures", HARBOUR.name, read_table(HARBOUR.read_bytes(), name=HARBOUR.name))
    for key, (handle, name, unit, value, least, most, step) in ASSUMPTIONS.items():
        assumption = AssumptionBody.model_validate(
            {"handle": handle, "name": name, "unit": unit, "value": value, "least": least, "most": most, "step": step}
        )
        records.create(session, "assumption", assumption.model_dump(), name=name, key=key)
    for key, (data, handle, name, formula, unit, direction, nature, owner) in KPIS.items():
        kpi = {
            "handle": handle, "name": name, "owner": owner, "dataset": data, "formula": formula,
            "unit": unit, "direction": direction, "nature": nature,
        }  # fmt: skip
        records.create(session, "kpi", KpiBody.model_validate(kpi).model_dump(), name=name, key=key)
    service = {
        "handle": "service", "name": "Service health", "owner": "Customer service", "dataset": SAIL, "unit": WHOLE_PERCENT,
        "composite": SERVICE, "description": "How punctual, undisturbed and complete the service was, by state.",
    }  # fmt: skip
    records.create(session, "kpi", KpiBody.model_validate(service).model_dump(), name="Service health", key="service")
    for kpi_id in dict.fromkeys(entry[0] for entry in MARKS):
        changes = [
            Change(name, whose if isinstance(whose, Owner) else Owner.member(route=whose), since, value)
            for owner_id, name, whose, since, value in MARKS
            if owner_id == kpi_id
        ]
        marks.apply(session, kpi_id, changes, 0)
    for kpi_id, name, formula in COMPUTED:
        marks.compute(session, kpi_id, name, formula, marks.version(session, kpi_id))
    for key, yardstick in YARDSTICKS.items():
        body = YardstickBody.model_validate(yardstick).model_dump()
        records.create(session, "yardstick", body, name=yardstick["name"], key=key)
    for key, scorecard in reversed(SCORECARDS.items()):  # the newest stands first in their list
        body = ScorecardBody.model_validate(scorecard).model_dump()
        records.create(session, "scorecard", body, name=scorecard["title"], key=key)
    for key, (name, card, values) in CASES.items():
        case = CaseBody(name=name, scorecard=card, values=values)
        records.create(session, "case", case.model_dump(), name=name, key=key)


def _load_bookings(session: Session) -> None:
    """Bookings stay in a table of their own, which an account that may only read gives to the live source."""
    frame, engine = sailings.bookings(), session.get_bind()
    table = sa.Table(
        "bookings", sa.MetaData(schema=ROWS_DATABASE),
        sa.Column("day", sa.Date, index=True), sa.Column("route", sa.String(60)), sa.Column("channel", sa.String(20)),
        sa.Column("seats", sa.Integer), sa.Column("changed", sa.Boolean),
    )  # fmt: skip
    table.drop(engine, checkfirst=True)
    table.create(engine)
    session.execute(sa.insert(table), frame.to_dicts())
    assert isinstance(engine, Engine) and engine.url.password
    connection = {"host": "", "port": 3306, "database": ROWS_DATABASE, "user": READER, "table": "bookings"}
    columns = (
        Column("day", "day", "date", "period"), Column("route", "route", "text", "segment"),
        Column("channel", "channel", "text", "segment"), Column("seats", "seats", "number", "measure"),
        Column("changed", "changed", "flag", "flag"),
    )  # fmt: skip
    datasets.create(
        session, "Bookings", "bookings", Table(frame.clear(), columns), key=BOOK, kind="live",
        settings={"connection": connection}, secret=reader_password(str(engine.url.password)), findings_too=False,
    )  # fmt: skip


def _load_refit(session: Session) -> None:
    table = None
    for day, done in sailings.refit():
        sheet = Checklist(day, tuple(sailings.VESSELS), sailings.REFIT_STEPS, done)
        table = checklist.ticked(table.frame if table else checklist.rows(sheet).clear(), sheet)
    assert table is not None
    settings = {"order": {"item": list(sailings.VESSELS), "step": list(sailings.REFIT_STEPS)}}
    made = datasets.create(
        session, "Refit programme", "typed in", table, key=REFIT, kind="checklist", settings=settings
    )
    datasets.update(session, REFIT, made.version, made.name, list(made.columns), sailings.THROUGH)
