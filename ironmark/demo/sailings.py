"""The invented rows of Hollin Sound Ferries, the same on every run."""

from __future__ import annotations

import datetime as dt
import io

import numpy as np
import polars as pl

SEED = 47
FIRST, THROUGH = dt.date(2025, 2, 1), dt.date(2026, 11, 21)
# Route: sailings a day, chance to leave within 5 minutes, passengers, fare, nautical miles, deck metres.
ROUTES: dict[str, tuple[int, float, int, float, float, int]] = {
    "Hollin – Skarra": (14, 0.934, 118, 6.4, 9.2, 180),
    "Hollin – Brae Holm": (10, 0.872, 92, 7.9, 14.5, 160),
    "Skarra – Eddy Isle": (8, 0.930, 61, 5.2, 6.1, 120),
    "Tarn Point – Lowsay": (7, 0.960, 74, 8.8, 18.3, 180),
    "Lowsay – Brae Holm": (5, 0.826, 43, 7.1, 11.7, 120),
    "Night freight": (2, 0.972, 9, 88.0, 31.0, 240),
}
# Vessel: litres a nautical mile.
VESSELS = {"Marram": 41.0, "Turnstone": 37.8, "Grey Wether": 47.6, "Thrift": 44.4, "Sandpiper": 39.9}
# Route: region, home port; vessel: seats, the year it was built. Night freight carries no region of its own.
REGIONS: dict[str, tuple[str, str]] = {
    "Hollin – Skarra": ("Inner sound", "Hollin"),
    "Hollin – Brae Holm": ("Inner sound", "Hollin"),
    "Skarra – Eddy Isle": ("Outer isles", "Skarra"),
    "Tarn Point – Lowsay": ("South shore", "Tarn Point"),
    "Lowsay – Brae Holm": ("South shore", "Lowsay"),
}
FLEET = {
    "Marram": (220, 2011),
    "Turnstone": (260, 2019),
    "Grey Wether": (180, 1994),
    "Thrift": (140, 2003),
    "Sandpiper": (200, 2016),
}
# No sailings: the quay at Lowsay under repair, and the freight run laid up.
CLOSED = {("Lowsay – Brae Holm", 2026, 1), ("Night freight", 2026, 2), ("Night freight", 2026, 3)}


def routes() -> pl.DataFrame:
    return pl.DataFrame(
        [(name, *told) for name, told in REGIONS.items()], schema=["route", "region", "port"], orient="row"
    )


def vessels() -> pl.DataFrame:
    return pl.DataFrame(
        [(name, *told) for name, told in FLEET.items()], schema=["vessel", "seats", "built"], orient="row"
    )


def sailings() -> pl.DataFrame:
    """About 30,000 sailings, one a row."""
    rng = np.random.default_rng(SEED)
    days = (THROUGH - FIRST).days + 1
    pieces = [_route(rng, name, days) for name in ROUTES]
    return pl.concat(pieces).sort("date", "departure", "route")


def _route(rng: np.random.Generator, name: str, days: int) -> pl.DataFrame:
    a_day, on_time, passengers, fare, miles, deck = ROUTES[name]
    n = days * a_day
    day = np.repeat(np.arange(days), a_day)
    dates = pl.Series([FIRST + dt.timedelta(days=int(i)) for i in range(days)]).gather(day)
    turn = 2 * np.pi * (day + FIRST.timetuple().tm_yday) / 365.25
    winter = np.cos(turn)  # 1 at midwinter, −1 at midsummer
    weekend = np.isin(dates.dt.weekday().to_numpy(), (6, 7))

    chance = np.clip(on_time - 0.018 * winter - 0.012 * weekend + 0.00002 * day, 0.5, 0.995)
    punctual = rng.random(n) < chance
    delay = np.where(punctual, np.rint(rng.normal(1.0, 1.8, n)).clip(-4, 5), np.rint(6 + rng.exponential(11, n)))
    cancelled = rng.random(n) < 0.0065 + 0.004 * np.clip(winter, 0, 1)
    growth = 1 + 0.06 * day / 365
    people = np.rint(rng.gamma(9, passengers / 9, n) * (1 - 0.22 * winter + 0.15 * weekend) * growth)
    income = people * fare * rng.normal(1, 0.06, n) + rng.gamma(4, 40, n)
    vessels = np.array(list(VESSELS))
    vessel = vessels[(np.arange(n) + rng.integers(0, 2, n)) % len(vessels)]
    burn = np.array([VESSELS[v] for v in vessel]) * (1 + 0.03 * winter) * rng.normal(1, 0.05, n)
    used = deck * np.clip(rng.normal(0.69 - 0.06 * winter, 0.13, n), 0.05, 1)
    grumbles = rng.poisson(people * 0.00052 * np.where(punctual, 0.7, 4.0))
    frame = pl.DataFrame(
        {
            "date": dates,
            "departure": [f"{6 + 14 * i // max(a_day, 1):02d}:{(i * 25) % 60:02d}" for i in range(a_day)] * days,
            "route": [name] * n,
            "vessel": vessel,
            "cancelled": np.where(cancelled, "yes", "no"),
            "delay_minutes": delay.astype(int),
            "passengers": people.astype(int),
            "fare_revenue": np.round(income, 2),
            "nautical_miles": np.full(n, miles),
            "fuel_litres": np.round(burn * miles, 1),
            "deck_metres": np.full(n, deck),
            "deck_used": np.round(used, 1),
            "complaints": grumbles,
        }
    )
    # A sailing that did not leave has no delay, no passengers, and burned nothing.
    void = [c for c in frame.columns if c not in ("date", "departure", "route", "vessel", "cancelled")]
    frame = frame.with_columns(pl.when(pl.col("cancelled") == "no").then(pl.col(void)))
    month = pl.col("date").dt.strftime("%Y-%m")
    closed = [f"{year}-{number:02d}" for route, year, number in CLOSED if route == name]
    return frame.filter(~month.is_in(closed))


def safety() -> pl.DataFrame:
    """Month by vessel: certificates, drills, and the berth's condition scored 1 to 3 by hand."""
    rng = np.random.default_rng(SEED + 1)
    rows = []
    for number in range(22):
        year, month = divmod(FIRST.year * 12 + FIRST.month - 1 + number, 12)
        for at, vessel in enumerate(VESSELS):
            if vessel == "Sandpiper" and number == 20:
                continue  # nobody filled the sheet in for Sandpiper in October 2026
            crew = 20
            # 68 of 80 in October 2026: exactly on the yardstick's cut.
            certified = [18, 17, 16, 17, 18][at] if number >= 20 else 15 + int(rng.integers(0, 5))
            planned = 4
            held = min(planned, int(rng.binomial(planned, 0.62 + 0.012 * number)))
            berth = int(np.clip(np.rint(rng.normal([2.4, 2.7, 1.6, 2.2, 2.0][at], 0.35)), 1, 3))
            rows.append((dt.date(year, month + 1, 1), vessel, crew, certified, planned, held, berth))
    names = ["month", "vessel", "crew", "certified", "drills_planned", "drills_held", "berth_condition"]
    return pl.DataFrame(rows, schema=names, orient="row")


CHANNELS = {"online": 0.58, "quay": 0.27, "phone": 0.15}
REFIT_STEPS = ("Survey", "Drydock", "Hull", "Engine", "Cabin", "Sea trial")


def bookings() -> pl.DataFrame:
    """Seats booked by day, route and channel; more and more of them online."""
    rng = np.random.default_rng(SEED + 2)
    rows = []
    for number in range((THROUGH - FIRST).days + 1):
        day = FIRST + dt.timedelta(days=number)
        season = 1 - 0.25 * np.cos(2 * np.pi * day.timetuple().tm_yday / 365.25)
        online = CHANNELS["online"] + 0.13 * number / 660
        for route, (a_day, _, passengers, _, _, _) in ROUTES.items():
            if (route, day.year, day.month) in CLOSED:
                continue
            seats = a_day * passengers * season * rng.normal(0.8, 0.06)
            shares = [online, (1 - online) * 0.64, (1 - online) * 0.36]
            for channel, share in zip(CHANNELS, shares, strict=True):
                rows.append(
                    (day, route, channel, int(max(0, seats * share * rng.normal(1, 0.05))), bool(rng.random() < 0.1))
                )
    return pl.DataFrame(rows, schema=["day", "route", "channel", "seats", "changed"], orient="row")


def refit() -> list[tuple[dt.date, tuple[tuple[bool, ...], ...]]]:
    """What was ticked of the refit of each vessel, and when."""
    said = {
        dt.date(2026, 2, 9): (1, 0, 0, 0, 0), dt.date(2026, 4, 20): (3, 1, 1, 0, 0), dt.date(2026, 6, 15): (5, 2, 2, 1, 0),
        dt.date(2026, 8, 3): (6, 3, 4, 1, 1), dt.date(2026, 9, 28): (6, 5, 5, 2, 1), dt.date(2026, 11, 16): (6, 6, 5, 3, 1),
    }  # fmt: skip
    return [
        (day, tuple(tuple(at < count for at in range(len(REFIT_STEPS))) for count in counts))
        for day, counts in said.items()
    ]


def as_csv(frame: pl.DataFrame) -> bytes:
    """The rows as a file an analyst would upload."""
    buffer = io.BytesIO()
    frame.write_csv(buffer)
    return buffer.getvalue()
