"""The documents of the demo: the KPIs, yardsticks, marks, scorecards and notes of the ferry company."""

from __future__ import annotations

from typing import Any

from ironmark.core.marks import EVERYONE, TOGETHER, Owner
from ironmark.demo import sailings
from ironmark.tables.joined_columns import Derived, Lookup, Wide
from ironmark.tables.table import Column

UP, DOWN, INSIDE = "higher", "lower", "inside"
SAIL, SAFE, BOOK, REFIT = "sailings", "safety-sheet", "bookings", "refit-programme"
ROUTES, VESSELS = "routes", "vessels"
HIGHER, LOWER = ["short", "near", "met", "beyond"], ["beyond", "met", "near", "short"]
PERCENT = {"kind": "percent", "decimals": 1}


WHOLE_PERCENT = {"kind": "percent", "decimals": 0}


POUNDS = {"kind": "currency", "decimals": 2, "compact": True}


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


# By KPI: from which day it is otherwise, why, and whether what was before it is no longer usual.
NAMED_DATES: dict[str, list[tuple[str, str, bool]]] = {
    "on-time": [("2026-03-29", "winter timetable ended", False)],
    "booked-online": [("2025-11-03", "seats sold online first", True)],
}


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
