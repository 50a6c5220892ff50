"""Readings: what people read off a car, a lead or a meter, and what it says of the wall and the battery (rules, section 2).

The readings document (docs/files.md) is read and checked here; `fit` learns a rate from what readings measured, and
`explanation` says why one is off what was expected.
"""

import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cache
from typing import Annotated, Any, Literal

from pydantic import Field, TypeAdapter

from moonplan.core.distance import DistanceUnit, in_km
from moonplan.core.mistakes import BadDocument, Mistake, validated
from moonplan.core.tables import number
from moonplan.core.values import STRICT, Amps, Instant, Percent, Phases, RatedAmps, RatedKilowatts, Use, Volts

FORMAT = "moonplan-readings/1"
Kind = Literal["display", "meter", "span", "estimate"]
NotFitted = Literal["ramping", "cabin", "taper", "nothing measured"]

# A car takes this long to settle after it was plugged in. [min]
RAMPING_MIN = 10.0
_DISPLAY_NOISE = 0.03

Kwh = Annotated[float, Field(ge=0, le=1000)]
Hours = Annotated[float, Field(gt=0, le=200)]


@dataclass(frozen=True, slots=True, kw_only=True)
class Hookup:
    """The hook-up that was read: volts a phase, phases, its limit after steps, and its links. [A]"""

    voltage_v: Volts
    limit_a: Amps
    phases: Phases = 1
    links: Mapping[str, Amps] = Field(default_factory=dict)

    __pydantic_config__ = STRICT


@dataclass(frozen=True, slots=True, kw_only=True)
class ReadVehicle:
    """The car that was read. `rated_kwh_per_100km` is what its range display reckons with."""

    usable_kwh: Annotated[float, Field(gt=0, le=1000)]
    onboard_kw: RatedKilowatts
    use_kwh_per_100km: Use
    rated_kwh_per_100km: Use | None = None
    taper_from_pct: Percent = 95.0

    __pydantic_config__ = STRICT


@dataclass(frozen=True, slots=True, kw_only=True)
class Reading:
    """One reading of any of the four kinds; which keys it needs depends on the kind."""

    kind: Kind
    at: Instant | None = None
    start: Instant | None = None
    end: Instant | None = None
    minutes: Annotated[float, Field(ge=0, le=10_000)] | None = None
    volts: Volts | None = None
    amps: RatedAmps | None = None
    kw: Annotated[float, Field(gt=0, le=1000)] | None = None
    kw_side: Literal["wall", "battery"] = "wall"
    range_per_h: Annotated[float, Field(ge=0, le=5000)] | None = None
    range_unit: DistanceUnit = "km"
    soc_pct: Percent | None = None
    to_pct: Percent | None = None
    hours: Hours | None = None
    soc_from_pct: Percent | None = None
    soc_to_pct: Percent | None = None
    wall_kwh: Kwh | None = None
    temperature_c: Annotated[float, Field(ge=-60, le=60)] | None = None
    cabin_on: bool = False
    excluded: bool = False
    note: Annotated[str, Field(max_length=500)] = ""

    __pydantic_config__ = STRICT


@dataclass(frozen=True, slots=True, kw_only=True)
class Readings:
    """A hook-up's readings."""

    format: Literal["moonplan-readings/1"]
    hookup: Hookup
    vehicle: ReadVehicle
    readings: Annotated[tuple[Reading, ...], Field(max_length=10_000)] = ()
    predict_wall_kw: Annotated[tuple[Annotated[float, Field(ge=0, le=1000)], ...], Field(max_length=1000)] = ()

    __pydantic_config__ = STRICT


@dataclass(frozen=True, slots=True)
class Measured:
    """What a reading says.

    wall_kw, battery_kw : mean powers; battery_kw None where nothing tells it. [kW]
    noise_kw : standard deviation of battery_kw by its kind. [kW] digit_kw : one digit of the display behind it. [kW]
    not_fitted : why it is kept but not fitted; None where it is.
    """

    wall_kw: float
    battery_kw: float | None
    noise_kw: float
    digit_kw: float
    not_fitted: NotFitted | None


@cache
def _adapter() -> TypeAdapter[Readings]:
    return TypeAdapter(Readings)


@cache
def json_schema() -> dict[str, Any]:
    """The readings document as JSON Schema."""
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **_adapter().json_schema()}


def read(text: str | bytes) -> Readings:
    """Readings from their JSON document.

    Raises
    ------
    BadDocument
        With every mistake found: first those of single values; where there are none, those between values.
    """
    document = validated(_adapter(), text, json_schema())
    mistakes = [m for i, reading in enumerate(document.readings) for m in mistakes_in(reading, f"readings[{i}].")]
    if mistakes:
        raise BadDocument(mistakes)
    return document


_NEEDS: Mapping[Kind, tuple[str, ...]] = {
    "display": ("at",),
    "meter": ("start", "end", "wall_kwh", "soc_from_pct", "soc_to_pct"),
    "span": ("start", "end", "soc_from_pct", "soc_to_pct"),
    "estimate": ("at", "soc_pct", "to_pct", "hours"),
}
_WORDS = {
    "at": "the time it was read",
    "start": "when it began",
    "end": "when it ended",
    "wall_kwh": "what the meter counted, in kWh",
    "soc_from_pct": "the SoC before, in %",
    "soc_to_pct": "the SoC after, in %",
    "soc_pct": "the SoC then, in %",
    "to_pct": "the SoC that the car reckons to, in %",
    "hours": "the hours that the car reckons with",
}


def mistakes_in(reading: Reading, path: str = "") -> Iterator[Mistake]:
    """What a reading of its kind lacks, or what in it can't be."""
    for key in _NEEDS[reading.kind]:
        if getattr(reading, key) is None:
            yield Mistake(f"{path}{key}", "missing", _WORDS[key])
    if reading.kind == "display" and reading.kw is None and reading.range_per_h is None and reading.amps is None:
        yield Mistake(f"{path}kw", "missing", "kW, range per hour or amps off the display")
    if reading.start and reading.end and reading.end <= reading.start:
        yield Mistake(f"{path}end", reading.end, "a time after start")
    for low, high in (("soc_from_pct", "soc_to_pct"), ("soc_pct", "to_pct")):
        first, last = getattr(reading, low), getattr(reading, high)
        if first is not None and last is not None and last <= first:
            yield Mistake(f"{path}{high}", last, f"more than {low} ({first:g})")


_NUMBERS = frozenset(
    [
        *("minutes", "volts", "amps", "kw", "range_per_h", "soc_pct", "to_pct", "hours", "soc_from_pct", "soc_to_pct"),
        *("wall_kwh", "temperature_c"),
    ]
)
COLUMNS: Mapping[str, str] = {
    name: name
    for name in ("kind", "at", "start", "end", "kw_side", "range_unit", "cabin_on", "note", "excluded", *sorted(_NUMBERS))
}
_YES = ("true", "yes", "1", "x")


def reading_of_row(cells: Mapping[str, str], unit: DistanceUnit = "km") -> Reading:
    """A reading from a row of a table, its cells by column; without a kind it is off the display.

    unit : of a range per hour that comes without one.

    Raises
    ------
    BadDocument
        With every mistake of the row, by its column.
    """
    values: dict[str, Any] = {"kind": cells.get("kind", "display").lower()}
    if "range_per_h" in cells:
        values["range_unit"] = unit
    for key, text in cells.items():
        if key in _NUMBERS:
            values[key] = number(text)
        elif key in ("cabin_on", "excluded"):
            values[key] = text.lower() in _YES
        elif key != "kind":
            values[key] = text
    return reading_of(values)


def reading_of(values: Mapping[str, Any]) -> Reading:
    """A reading from its keys and values, times as ISO 8601.

    Raises
    ------
    BadDocument
        With every mistake, by its key.
    """
    reading = validated(_reading_adapter(), json.dumps(dict(values)), _reading_schema())
    mistakes = list(mistakes_in(reading))
    if mistakes:
        raise BadDocument(mistakes)
    return reading


@cache
def _reading_schema() -> dict[str, Any]:
    return _reading_adapter().json_schema()


@cache
def _reading_adapter() -> TypeAdapter[Reading]:
    return TypeAdapter(Reading)


def values_of(reading: Reading) -> dict[str, Any]:
    """A reading as the keys of the readings document, without what is left at its default."""
    told = _reading_adapter().dump_python(reading, mode="json", exclude_defaults=True)
    return {"kind": reading.kind, **told}


def measured(reading: Reading, hookup: Hookup, vehicle: ReadVehicle) -> Measured:
    """What a reading says of wall and battery.

    A wall power that was not read is amps × volts × phases, with nominal volts or the chain's limit where those are not
    known. A SoC difference is `ΔSoC × usable_kwh`; range per hour is converted with the car's rated consumption.
    """
    wall_kw = _wall_kw(reading, hookup)
    battery_kw, noise_kw, digit_kw = _battery_kw(reading, vehicle)
    if reading.kind == "meter":
        wall_kw = (reading.wall_kwh or 0.0) / _hours_between(reading)
    return Measured(wall_kw, battery_kw, noise_kw, digit_kw, _not_fitted(reading, vehicle, battery_kw))


def _wall_kw(reading: Reading, hookup: Hookup) -> float:
    if reading.kind == "display" and reading.kw is not None and reading.kw_side == "wall":
        return reading.kw
    amps = hookup.limit_a if reading.amps is None else reading.amps
    return (reading.volts or hookup.voltage_v) * amps * hookup.phases / 1000


def _battery_kw(reading: Reading, vehicle: ReadVehicle) -> tuple[float | None, float, float]:
    """Battery power, its noise by kind, and one digit of the display behind it. [kW]"""
    if reading.kind == "display":
        if reading.kw is not None and reading.kw_side == "battery":
            kw, digit = reading.kw, _digit(reading.kw)
        elif reading.range_per_h is not None:
            rated = vehicle.rated_kwh_per_100km or vehicle.use_kwh_per_100km
            kwh_per_unit = rated / 100 * in_km(1.0, reading.range_unit)
            kw, digit = reading.range_per_h * kwh_per_unit, _digit(reading.range_per_h) * kwh_per_unit
        else:
            return None, 0.0, 0.0
        return kw, max(_DISPLAY_NOISE * kw, digit / 2), digit
    if reading.kind == "estimate":
        first, last, hours = reading.soc_pct or 0.0, reading.to_pct or 0.0, reading.hours or 1.0
    else:
        first, last, hours = reading.soc_from_pct or 0.0, reading.soc_to_pct or 0.0, _hours_between(reading)
    digit_pct = max(_digit(first), _digit(last))
    kw = (last - first) / 100 * vehicle.usable_kwh / hours
    # Either end is rounded to a digit: the difference of two uniform errors.
    noise = digit_pct / 100 * vehicle.usable_kwh / hours / 6**0.5
    digit_kw = digit_pct / 100 * vehicle.usable_kwh / hours
    return kw, max(noise, _DISPLAY_NOISE * kw) if reading.kind == "estimate" else noise, digit_kw


def _hours_between(reading: Reading) -> float:
    assert reading.start is not None
    assert reading.end is not None
    return (reading.end - reading.start).total_seconds() / 3600


def _digit(value: float) -> float:
    """The last digit that a figure was given with: 1 for 13, 0.1 for 2.3."""
    _, _, decimals = f"{value:.10g}".partition(".")
    return float(10 ** -len(decimals))


def _not_fitted(reading: Reading, vehicle: ReadVehicle, battery_kw: float | None) -> NotFitted | None:
    if reading.minutes is not None and reading.minutes < RAMPING_MIN:
        return "ramping"
    if reading.cabin_on:
        return "cabin"
    tops = (reading.soc_pct, reading.soc_to_pct, reading.to_pct)
    if any(top is not None and top > vehicle.taper_from_pct for top in tops):
        return "taper"
    return "nothing measured" if battery_kw is None else None
