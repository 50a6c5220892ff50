"""Distances: reckoned in kilometres, and typed and told in the household's unit."""

from typing import Literal

KM_PER_MILE = 1.609344

DistanceUnit = Literal["km", "mi"]


def in_unit(km: float, unit: DistanceUnit) -> float:
    """A distance in kilometres or miles."""
    return km / KM_PER_MILE if unit == "mi" else km


def in_km(distance: float, unit: DistanceUnit) -> float:
    """A distance in the household's unit, in kilometres."""
    return distance * KM_PER_MILE if unit == "mi" else distance


def distance_told(km: float, unit: DistanceUnit) -> str:
    """A distance as it was typed, to a tenth: "64 km", "40 mi"."""
    return f"{round(in_unit(km, unit), 1):g} {unit}"
