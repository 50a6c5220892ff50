"""Distances: reckoned in kilometres, and typed and told in the household's unit."""

import re
from dataclasses import replace
from math import floor
from typing import Literal

from moonplan.core.mistakes import Mistake

KM_PER_MILE = 1.609344

DistanceUnit = Literal["km", "mi"]

_CONSUMPTION, _DISTANCE = re.compile(r"\b(\d+) (kWh per 100 km)\b"), re.compile(r"\b(\d+) (km)\b")


def in_unit(km: float, unit: DistanceUnit) -> float:
    """A distance in kilometres or miles."""
    return km / KM_PER_MILE if unit == "mi" else km


def in_km(distance: float, unit: DistanceUnit) -> float:
    """A distance in the household's unit, in kilometres."""
    return distance * KM_PER_MILE if unit == "mi" else distance


def distance_told(km: float, unit: DistanceUnit) -> str:
    """A distance as it was typed, to a tenth: "64 km", "40 mi"."""
    return f"{round(in_unit(km, unit), 1):g} {unit}"


def told_in(mistake: Mistake, unit: DistanceUnit) -> Mistake:
    """A mistake in a distance, or in a consumption, as a household with that unit reads it."""
    if unit != "mi" or not re.search(r"\bkm\b", mistake.expected):
        return mistake
    in_its_unit, most = (in_km, _CONSUMPTION) if _CONSUMPTION.search(mistake.expected) else (in_unit, _DISTANCE)
    expected = most.sub(lambda found: f"{floor(in_its_unit(float(found[1]), unit))} {found[2]}", mistake.expected)
    value = mistake.value
    if isinstance(value, int | float):
        value = round(in_its_unit(value, unit), 1)
    return replace(mistake, value=value, expected=re.sub(r"\bkm\b", unit, expected))
