"""Small households for tests: say what the test is about, and the rest is ordinary."""

import json
from datetime import datetime
from typing import Any

from moonplan.core.household import Household, read


def a_circuit(**changes: Any) -> dict[str, Any]:
    return {"id": "carport", "breaker_a": 16, "voltage_v": 230, "continuous_factor": 1.0} | changes


def a_lead(**changes: Any) -> dict[str, Any]:
    return {"id": "unit", "circuit": "carport", "max_a": 16} | changes


def a_car(**changes: Any) -> dict[str, Any]:
    return {
        "id": "heron",
        "lead": "unit",
        "usable_kwh": 50,
        "onboard_kw": 3.68,
        "use_kwh_per_100km": 20,
        "soc_pct": 50,
        "control": "managed",
        "taper_from_pct": 100,
    } | changes


def a_trip(leave: str, back: str, km: float, **changes: Any) -> dict[str, Any]:
    return {"vehicle": "heron", "leave": leave, "back": back, "km": km} | changes


# A rate without loss, alike on both trajectories: a kWh at the wall is a kWh aboard.
LOSSLESS = {
    "vehicle": "heron",
    "lead": "unit",
    "efficiency": 1.0,
    "overhead_kw": 0.0,
    "cautious": {"efficiency": 1.0, "overhead_kw": 0.0},
}
NIGHT_BAND = {"name": "night", "price": 0.10, "from": "22:00", "to": "06:00"}


def a_document(**changes: Any) -> dict[str, Any]:
    """One car, one 16 A circuit, 18:00 on a winter evening; 0.30 by day, 0.10 from 22:00 to 06:00."""
    return {
        "format": "moonplan-household/1",
        "timezone": "Europe/Ljubljana",
        "now": "2026-01-14T18:00:00+01:00",
        "supply": {"leg_voltage_v": 230, "legs": 3, "rating_a": 25, "continuous_factor": 1.0},
        "circuits": [a_circuit()],
        "leads": [a_lead()],
        "vehicles": [a_car()],
        "rates": [LOSSLESS],
        "tariff": {"default_price": 0.30, "bands": [NIGHT_BAND]},
        "care_price": 0,
        "start_price": 0,
    } | changes


def a_household(**changes: Any) -> Household:
    return read(json.dumps(a_document(**changes)))


def at(text: str) -> datetime:
    return datetime.fromisoformat(text)
