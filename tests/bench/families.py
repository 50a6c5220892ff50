"""Made-up households by the seed: the families that the benchmarks and some tests plan."""

import math
import random
from datetime import datetime, timedelta
from typing import Any

WEEK = ["mon", "tue", "wed", "thu", "fri", "sat", "sun"]
TARIFFS = ("two bands", "three bands", "hourly", "quarter-hourly")


def a_family_household(seed: int, *, cars: int, nights: int) -> dict[str, Any]:
    """A household document: cars of several sizes and controls, shared circuits, trips, some with sun."""
    chance = random.Random(f"{seed}/{cars}/{nights}")
    now = datetime.fromisoformat(f"2026-01-{chance.randint(5, 20):02d}T18:{chance.choice(['00', '10', '40'])}:00+01:00")
    document: dict[str, Any] = {
        "format": "moonplan-household/1",
        "timezone": "Europe/Ljubljana",
        "now": now.isoformat(),
        "horizon_nights": nights,
        "bedtime": "22:45",
        "wake": "06:15",
        "supply": {"leg_voltage_v": 230, "legs": 3, "rating_a": 25, "continuous_factor": 1.0, "base_margin_a": 1},
        "base_load_kw": [["00:00", 0.35], ["06:30", 1.1], ["08:30", 0.5], ["17:00", 1.6], ["22:30", 0.4]],
        "circuits": [],
        "leads": [],
        "vehicles": [],
        "rates": [],
        "trips": [],
        "tariff": _tariff(chance, TARIFFS[seed % len(TARIFFS)], now, nights),
    }
    shared = chance.random() < 0.5
    for i in range(cars):
        _add_car(document, chance, i, circuit=f"c{0 if shared and i < 2 else i}")
        _add_trips(document, chance, f"v{i}", now, nights)
    if chance.random() < 0.5:
        document["solar_kw"] = _sun(chance, now, nights)
    return document


def _tariff(chance: random.Random, kind: str, now: datetime, nights: int) -> dict[str, Any]:
    tariff: dict[str, Any] = {"default_price": 0.21437, "export_price": chance.choice([0, 0.04, 0.07]), "bands": []}
    if "bands" in kind:
        price = round(chance.uniform(0.06, 0.12), 5)
        tariff["bands"].append({"name": "night", "price": price, "days": WEEK, "from": "22:00", "to": "06:00"})
    if kind == "three bands":
        price = round(chance.uniform(0.27, 0.35), 5)
        tariff["bands"].append({"name": "peak", "price": price, "days": WEEK[:5], "from": "17:00", "to": "20:00"})
    if "hourly" in kind:
        step = timedelta(minutes=15 if kind == "quarter-hourly" else 60)
        start = now.replace(minute=0)
        series = []
        for nth in range(int((nights + 2) * timedelta(days=1) / step)):
            at = start + nth * step
            hour = at.hour + at.minute / 60
            usual = 0.14 + 0.06 * math.sin((hour - 9) / 24 * 4 * math.pi) + 0.03 * math.sin(hour)
            series.append([at.isoformat(), round(usual + chance.gauss(0, 0.02), 5)])
        tariff["series"] = series
    return tariff


def _add_car(document: dict[str, Any], chance: random.Random, i: int, *, circuit: str) -> None:
    if all(one["id"] != circuit for one in document["circuits"]):
        document["circuits"].append(
            {
                "id": circuit,
                "breaker_a": chance.choice([16, 20, 32]),
                "voltage_v": 230,
                "phases": chance.choice([1, 3]),
                "continuous_factor": 1.0,
            }
        )
    lead = {
        "id": f"l{i}",
        "circuit": circuit,
        "max_a": chance.choice([10, 13, 16, 32]),
        "phases": chance.choice([1, 3]),
        "control": chance.choice(["managed", "managed", "timer", "hand"]),
    }
    if chance.random() < 0.4:
        lead["steps_a"] = chance.choice([[6, 8, 10, 13], [6, 10, 13, 16, 32], [8, 16]])
    document["leads"].append(lead)
    onboard_kw = chance.choice([3.6, 7.4, 11])
    document["vehicles"].append(
        {
            "id": f"v{i}",
            "lead": f"l{i}",
            "usable_kwh": chance.choice([22, 38, 52, 64, 77]),
            "onboard_kw": onboard_kw,
            "onboard_phases": 3 if onboard_kw == 11 else 1,
            "use_kwh_per_100km": round(chance.uniform(13, 21), 1),
            "soc_pct": chance.randint(25, 80),
            "daily_limit_pct": chance.choice([80, 90]),
            "reserve_pct": chance.choice([10, 15, 20]),
            "end_pct": chance.choice([30, 50, 70]),
        }
    )
    if chance.random() < 0.6:
        cautious = {"efficiency": 0.91, "overhead_kw": 0.33}
        document["rates"].append(
            {"vehicle": f"v{i}", "lead": f"l{i}", "efficiency": 0.93, "overhead_kw": 0.27, "cautious": cautious}
        )


def _add_trips(document: dict[str, Any], chance: random.Random, vehicle: str, now: datetime, nights: int) -> None:
    for day in range(1, nights + 1):
        if chance.random() < 0.25:
            continue
        leave = (now + timedelta(days=day)).replace(hour=chance.choice([6, 7, 8]), minute=chance.choice([0, 20, 40]))
        back = leave + timedelta(minutes=15 * chance.randint(12, 44))
        trip: dict[str, Any] = {
            "vehicle": vehicle,
            "leave": leave.isoformat(),
            "back": back.isoformat(),
            "km": chance.choice([20, 35, 60, 90, 140]),
        }
        if chance.random() < 0.08:
            trip["fill"] = True
        document["trips"].append(trip)


def _sun(chance: random.Random, now: datetime, nights: int) -> list[list[Any]]:
    series: list[list[Any]] = []
    for day in range(1, nights + 1):
        most_kw = chance.uniform(0.5, 5)
        for hour, share in ((8, 0.2), (9, 0.5), (10, 0.8), (11, 1.0), (13, 0.9), (14, 0.6), (15, 0.3), (16, 0.0)):
            at = (now + timedelta(days=day)).replace(hour=hour, minute=0)
            series.append([at.isoformat(), round(most_kw * share, 2)])
    return series
