"""A year of nights: every evening planned with what is known then, lived through as it really comes.

    ./moon bench year [--full] [--weeks N]

Two cars, made-up weather, sun and driving with a seed. `cheapest` plans all nights (or `--weeks` of them), the other
habits eight weeks spread over the year (`--full`: all nights), each beside `plug_and_go` and a planner who knew the next
two weeks exactly. A missed departure is one that physics allowed: the battery could not do the drive, and could have.
"""

import argparse
import json
import math
import random
import statistics
import time
from collections.abc import Iterator
from dataclasses import dataclass, field, replace
from datetime import date, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np

from moonplan.core.costing import ev_cost
from moonplan.core.household import read
from moonplan.core.planner.plan import Plan, plan
from moonplan.core.planner.problem import Car
from moonplan.core.rates import Rate
from moonplan.core.simulate import Given, Taking, Takings, Trajectory, trajectory
from moonplan.core.sun import solar_kw
from moonplan.core.timegrid import Floats, Grid
from moonplan.core.usual_days import usual_days
from moonplan.core.values import HABITS

ZONE = ZoneInfo("Europe/Ljubljana")
FIRST = date(2026, 1, 5)
EVENING = 18
NIGHTS = 7
KNOWN_AHEAD_DAYS = 4
SPREAD_WEEKS = (0, 6, 13, 19, 26, 32, 39, 45)
SEED = 11
# Car: usable kWh, on-board kW, phases, kWh per 100 km, amps of its lead, usual km by weekday, leave and back.
CARS: dict[str, dict[str, Any]] = {
    "heron": {"kwh": 64, "kw": 11, "phases": 3, "use": 17.5, "a": 16, "km": (64, 64, 64, 70, 64, 38, 0), "hours": (7, 17)},
    "wren": {"kwh": 22, "kw": 3.6, "phases": 1, "use": 14.1, "a": 10, "km": (22, 22, 58, 22, 22, 34, 0), "hours": (8, 14)},
}
SCATTER = 0.03
CONTROL = {"heron": "managed", "wren": "timer"}


@dataclass(frozen=True)
class Drive:
    """What a car really drives on a day. known : told some days before; else only its usual day is."""

    leave: datetime
    back: datetime
    km: float
    known: bool


@dataclass
class Lived:
    """What some nights came to; plugged_in counts a night of each car that charged in it."""

    cost: float = 0.0
    wall_kwh: float = 0.0
    missed: int = 0
    under_reserve: int = 0
    hours_high: float = 0.0
    plugged_in: int = 0
    end_kwh: float = 0.0
    plan_ms: list[float] = field(default_factory=list)


def at(day: date, hour: float) -> datetime:
    return datetime(day.year, day.month, day.day, int(hour), int(hour % 1 * 60), tzinfo=ZONE)


def drives(days: int) -> dict[str, dict[date, Drive]]:
    """Every day's drive: the usual one give or take, now and then none, and a long one about every other week."""
    chance = random.Random(SEED)
    told: dict[str, dict[date, Drive]] = {car: {} for car in CARS}
    for n in range(-56, days + 15):
        day = FIRST + timedelta(days=n)
        for car, what in CARS.items():
            leave, back = what["hours"]
            km = what["km"][day.weekday()] * chance.choice([0.8, 0.9, 1, 1, 1.1, 1.25])
            known = False
            if chance.random() < 0.05:
                km, known = min(0.75 * what["kwh"] / what["use"] * 100, 230) * chance.uniform(0.7, 1), True
            elif chance.random() < 0.06:
                km = 0.0
            if km:
                told[car][day] = Drive(at(day, leave), at(day, back), round(km, 1), known)
    return told


def clear_sun_kw(day: date) -> float:
    """The peak of a clear day's own sun. [kW]"""
    return 2.0 + 1.7 * math.cos(2 * math.pi * (day.timetuple().tm_yday - 172) / 365)


def sky(days: int) -> dict[date, float]:
    """The part of a clear day's sun that each day really has."""
    chance = random.Random(SEED + 1)
    return {FIRST + timedelta(days=n): chance.choice([0.15, 0.3, 0.5, 0.8, 1.0]) for n in range(-1, days + 16)}


def sun_steps(first: date, days: int, part: dict[date, float] | None) -> list[list[Any]]:
    """Own sun as a step series; on an average day where nothing is known of the sky."""
    steps: list[list[Any]] = []
    for n in range(days):
        day = first + timedelta(days=n)
        peak = max(0.3, clear_sun_kw(day)) * (0.55 if part is None else part[day])
        for hour, share in ((8, 0.2), (10, 0.7), (12, 1.0), (14, 0.7), (16, 0.2), (18, 0.0)):
            steps.append([at(day, hour).isoformat(), round(peak * share, 3)])
    return steps


def document(
    now: datetime, soc: dict[str, float], trips: list[dict[str, Any]], sun: list[list[Any]], nights: int, habit: str
) -> dict[str, Any]:
    week = ["mon", "tue", "wed", "thu", "fri", "sat", "sun"]
    return {
        "format": "moonplan-household/1",
        "timezone": ZONE.key,
        "now": now.isoformat(),
        "horizon_nights": nights,
        "habit": habit,
        "set_nights": ["tue", "fri", "sun"],
        "bedtime": "22:45",
        "wake": "06:15",
        "supply": {"leg_voltage_v": 230, "legs": 3, "rating_a": 35, "continuous_factor": 1.0, "base_margin_a": 1},
        "base_load_kw": [["00:00", 0.35], ["06:30", 1.1], ["08:30", 0.5], ["17:00", 1.6], ["22:30", 0.4]],
        "circuits": [
            {"id": car, "breaker_a": 16, "voltage_v": 230, "phases": what["phases"], "continuous_factor": 1.0}
            for car, what in CARS.items()
        ],
        "leads": [
            {"id": car, "circuit": car, "max_a": what["a"], "phases": what["phases"], "control": CONTROL[car]}
            for car, what in CARS.items()
        ],
        "vehicles": [
            {
                "id": car,
                "lead": car,
                "usable_kwh": what["kwh"],
                "onboard_kw": what["kw"],
                "onboard_phases": what["phases"],
                "use_kwh_per_100km": what["use"],
                "soc_pct": round(100 * soc[car] / what["kwh"], 4),
                "reserve_pct": 15,
                "end_pct": 50,
                "control": CONTROL[car],
            }
            for car, what in CARS.items()
        ],
        "trips": trips,
        "tariff": {
            "default_price": 0.21437,
            "export_price": 0.04,
            "bands": [
                {"name": "night", "price": 0.08912, "days": week, "from": "22:00", "to": "06:00"},
                {
                    "name": "peak",
                    "price": 0.29871,
                    "days": week[:5],
                    "from": "17:00",
                    "to": "20:00",
                    "months": [11, 12, 1, 2],
                },
            ],
        },
        "solar_kw": sun,
    }


def trip(car: str, drive: Drive, km: float) -> dict[str, Any]:
    return {"vehicle": car, "leave": drive.leave.isoformat(), "back": drive.back.isoformat(), "km": round(km, 1)}


def known_then(now: datetime, real: dict[str, dict[date, Drive]], nights: int) -> list[dict[str, Any]]:
    """Trips as they are known on an evening: those told ahead, and careful usual days for the others."""
    told = []
    for car, days in real.items():
        behind = {d: days[d].km if d in days else 0.0 for d in (now.date() - timedelta(days=n) for n in range(1, 57))}
        week = usual_days(behind)
        for n in range(1, nights + 2):
            day = now.date() + timedelta(days=n)
            drive = days.get(day)
            leave, back = CARS[car]["hours"]
            if drive is not None and drive.known and n <= KNOWN_AHEAD_DAYS:
                told.append(trip(car, drive, drive.km))
            elif (km := week[day.weekday()].careful_km) is not None and km > 0.5:
                told.append(trip(car, Drive(at(day, leave), at(day, back), km, False), km))
    return told


def live(
    made: Plan, soc: dict[str, float], real: dict[str, dict[date, Drive]], part: dict[date, float], days: int, lived: Lived
) -> dict[str, float]:
    """The first days of a plan as they really come; what is aboard afterwards."""
    problem, grid = made.problem, made.problem.grid
    now = problem.household.now.astimezone(ZONE)
    until = at(now.date() + timedelta(days=days), EVENING)
    n = sum(1 for start in grid.starts[:-1] if start < until)
    shown = replace(grid, n_slots=n)
    chance = random.Random(f"{SEED} {now.date()}")
    wall, after = [], {}
    for i, car in enumerate(problem.cars):
        rate = Rate(min(1.0, car.rate.mean.efficiency * chance.gauss(1, SCATTER)), car.rate.mean.overhead_kw)
        gone = [drive for drive in real[car.id].values() if now <= drive.leave < until]
        amps = made.outcome.cars[i].amps[:n].copy()
        for drive in gone:
            amps[shown.overlaps(drive.leave, drive.back)] = 0.0
        run = _run(car, amps, shown, rate, soc[car.id], gone)
        for drive, aboard in zip(gone, run.before_leaving_kwh, strict=True):
            need = drive.km * car.vehicle.use_kwh_per_100km / 100
            if aboard < need - 1e-6 and _could(car, shown, rate, soc[car.id], gone, drive) >= need:
                lived.missed += 1
            lived.under_reserve += aboard - need < car.vehicle.reserve_pct / 100 * car.vehicle.usable_kwh - 1e-6
        wall.append(run.wall_kwh)
        lived.hours_high += float((run.soc_kwh[1:] > car.rest_kwh + 1e-6).sum()) * grid.hours
        lived.plugged_in += len({grid.nights[t] for t in np.flatnonzero(run.wall_kwh)})
        after[car.id] = float(run.soc_kwh[-1])
    really = read(json.dumps(document(now, soc, [], sun_steps(now.date(), days + 1, part), days, "cheapest")))
    cost = ev_cost(
        np.sum(wall, axis=0) / grid.hours,
        base_kw=problem.base_kw[:n],
        solar_kw=solar_kw(really, shown),
        price=problem.prices.price[:n],
        export_price=problem.prices.export_price[:n],
        hours=grid.hours,
    )
    lived.cost += float(cost.cost.sum())
    lived.wall_kwh += float(np.sum(wall))
    return after


def _run(
    car: Car, amps: Floats, grid: Grid, rate: Rate, soc: float, gone: list[Drive], *, limit: Floats | None = None
) -> Trajectory:
    use = car.vehicle.use_kwh_per_100km / 100
    return trajectory(
        amps,
        Given.of(
            grid=grid,
            intake=car.intake,
            rate=rate,
            usable_kwh=car.vehicle.usable_kwh,
            soc_kwh=soc,
            limit_kwh=car.limit_kwh[: grid.n_slots] if limit is None else limit,
            takings=Takings.of([Taking.of(d.leave, d.km * use, grid) for d in gone]),
        ),
    )


def _could(car: Car, grid: Grid, rate: Rate, soc: float, gone: list[Drive], drive: Drive) -> float:
    """What would have been aboard at a drive, charging fully whenever at home since the window's evening. [kWh]"""
    amps = np.full(grid.n_slots, 0.0 if car.delivery is None else car.delivery.amps)
    for one in gone:
        amps[grid.overlaps(one.leave, one.back)] = 0.0
    full = np.full(grid.n_slots, car.vehicle.usable_kwh)
    return float(_run(car, amps, grid, rate, soc, gone, limit=full).before_leaving_kwh[gone.index(drive)])


def live_through(
    days: Iterator[date] | list[date], habit: str, real: dict[str, dict[date, Drive]], part: dict[date, float]
) -> Lived:
    """Night after night: planned on the evening with what is known, one day lived, planned again."""
    lived = Lived()
    soc = {car: 0.6 * what["kwh"] for car, what in CARS.items()}
    for day in days:
        now = at(day, EVENING)
        trips = known_then(now, real, NIGHTS)
        household = read(json.dumps(document(now, soc, trips, sun_steps(day, NIGHTS + 2, None), NIGHTS, habit)))
        began = time.perf_counter()
        made = plan(household, prove=False)
        lived.plan_ms.append((time.perf_counter() - began) * 1000)
        soc = live(made, soc, real, part, 1, lived)
    lived.end_kwh = sum(soc.values())
    return lived


def knew_the_future(days: list[date], real: dict[str, dict[date, Drive]], part: dict[date, float]) -> Lived:
    """Two weeks after two weeks, each planned with the drives and the sun that come."""
    lived = Lived()
    soc = {car: 0.6 * what["kwh"] for car, what in CARS.items()}
    for first in range(0, len(days), 14):
        window = days[first : first + 14]
        now = at(window[0], EVENING)
        nights = len(window)
        until = at(window[0] + timedelta(days=nights), EVENING)
        trips = [trip(car, d, d.km) for car, told in real.items() for d in told.values() if now <= d.leave < until]
        sun = sun_steps(window[0], nights + 2, part)
        household = read(json.dumps(document(now, soc, trips, sun, nights, "cheapest")))
        began = time.perf_counter()
        made = plan(household, prove=False)
        lived.plan_ms.append((time.perf_counter() - began) * 1000)
        soc = live(made, soc, real, part, nights, lived)
    lived.end_kwh = sum(soc.values())
    return lived


COLUMNS = (
    ("nights", 6),
    ("cost", 8),
    ("level", 8),
    ("wall kWh", 9),
    ("missed", 6),
    ("< reserve", 9),
    ("h high", 7),
    ("plugged", 7),
)
HEAD = " ".join([" " * 16, *(f"{name:>{wide}}" for name, wide in COLUMNS), " ms/plan"])


def line(name: str, nights: int, lived: Lived, level_to: float) -> str:
    """level : the cost less what is aboard at the end beyond another's, at the night price."""
    level = lived.cost - (lived.end_kwh - level_to) * 0.08912 / 0.94
    ms = statistics.median(lived.plan_ms)
    return (
        f"{name:>16} {nights:6} {lived.cost:8.2f} {level:8.2f} {lived.wall_kwh:9.0f} {lived.missed:6} "
        f"{lived.under_reserve:9} {lived.hours_high:7.0f} {lived.plugged_in:7} {ms:8.0f}"
    )


def main() -> None:
    asked = argparse.ArgumentParser(prog="moon bench year")
    asked.add_argument("--weeks", type=int, default=52, help="weeks that `cheapest` plans, 52 by default")
    asked.add_argument("--full", action="store_true", help="every habit on all of them")
    given = asked.parse_args()
    nights = 7 * given.weeks + (1 if given.weeks == 52 else 0)
    real, part = drives(nights), sky(nights)
    year = [FIRST + timedelta(days=n) for n in range(nights)]
    began = time.perf_counter()
    print(f"The year, night by night: {nights} nights\n{HEAD}")
    cheapest = live_through(year, "cheapest", real, part)
    for name, lived in (
        ("cheapest", cheapest),
        ("knew the future", knew_the_future(year, real, part)),
        ("plug_and_go", live_through(year, "plug_and_go", real, part)),
    ):
        print(line(name, nights, lived, cheapest.end_kwh), flush=True)
    weeks = range(given.weeks) if given.full else [w for w in SPREAD_WEEKS if w < given.weeks]
    spread = [FIRST + timedelta(days=7 * week + n) for week in weeks for n in range(7)]
    print(f"\nEvery habit on {len(spread)} nights\n{HEAD}")
    level_to = 0.0
    for habit in HABITS:
        lived = live_through(spread, habit, real, part)
        level_to = lived.end_kwh if habit == "cheapest" else level_to
        print(line(habit, len(spread), lived, level_to), flush=True)
    print(f"\ndone in {time.perf_counter() - began:.0f} s")


if __name__ == "__main__":
    main()
