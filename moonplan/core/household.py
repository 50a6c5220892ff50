"""The household document: what one household's planning stands on, checked on the way in (docs/files.md).

The dataclasses below *are* the file: same names, same order, the file's units (SoC in percent, km, kWh per 100 km,
prices per kWh in the household's currency). `read` turns JSON into a `Household` or raises `BadDocument`, which
carries every mistake at once, each with the path of its key, the value found and what was expected.
"""

from dataclasses import dataclass
from datetime import time
from functools import cache
from typing import Annotated, Any, Literal
from zoneinfo import ZoneInfo

from pydantic import Field, TypeAdapter
from pydantic.json_schema import GenerateJsonSchema

from moonplan.core.coherence import in_order, mistakes_between
from moonplan.core.distance import DistanceUnit
from moonplan.core.mistakes import BadDocument, validated
from moonplan.core.values import (
    LEGS,
    LONGEST_KM,
    STRICT,
    WEEKDAYS,
    Amps,
    Charge,
    Clock,
    Control,
    Day,
    Efficiency,
    Factor,
    Habit,
    Id,
    Instant,
    Kilowatts,
    Leg,
    Name,
    Percent,
    Phases,
    Price,
    RatedAmps,
    RatedKilowatts,
    Sharing,
    SlotMinutes,
    Use,
    Volts,
    Weekday,
    Zone,
)

FORMAT = "moonplan-household/1"


@dataclass(frozen=True, slots=True, kw_only=True)
class Supply:
    """What comes into the house: volts and amps per leg, and the rule for loads that run for hours."""

    leg_voltage_v: Volts
    legs: Phases
    rating_a: RatedAmps
    continuous_factor: Factor
    base_margin_a: Amps = 0.0

    __pydantic_config__ = STRICT


@dataclass(frozen=True, slots=True, kw_only=True)
class Feeder:
    """A sub-panel: its own limit between the supply and some of the circuits. Without `legs` it has all of the supply's."""

    id: Id
    rating_a: RatedAmps
    continuous_factor: Factor
    name: Name | None = None
    legs: Annotated[tuple[Leg, ...], Field(min_length=1, max_length=3)] | None = None
    other_load_a: Amps = 0.0

    __pydantic_config__ = STRICT


# From how many times the voltage of a leg on a circuit's one phase lies between two: √3 times on two of three, twice on two
# opposite ones. A leg by itself is never so far from its own.
_BETWEEN_LEGS = 1.5


@dataclass(frozen=True, slots=True, kw_only=True)
class Circuit:
    """A final circuit. A `socket` circuit ends in an ordinary domestic socket and needs `outlet_a`."""

    id: Id
    breaker_a: RatedAmps
    voltage_v: Volts
    continuous_factor: Factor
    name: Name | None = None
    feeder: Id | None = None
    kind: Literal["dedicated", "socket"] = "dedicated"
    wire_a: RatedAmps | None = None
    outlet_a: RatedAmps | None = None
    socket_a: RatedAmps | None = None
    phases: Phases = 1
    legs: Annotated[tuple[Leg, ...], Field(min_length=1, max_length=3)] | None = None
    other_load_a: Amps = 0.0
    sharing: Sharing | None = None
    residual_current_protection: bool | None = None
    inspected: bool | None = None
    new_work: bool | None = None

    __pydantic_config__ = STRICT

    def lies_between_legs(self, supply: Supply) -> bool:
        """Whether its one phase is of a voltage that two of the supply's legs have between them, as 240 V of 120 V ones."""
        return self.phases == 1 and self.voltage_v > _BETWEEN_LEGS * supply.leg_voltage_v


@dataclass(frozen=True, slots=True, kw_only=True)
class Lead:
    """Supply equipment on a circuit: a wall unit as commissioned, or a portable lead with its adapter."""

    id: Id
    circuit: Id
    max_a: RatedAmps
    name: Name | None = None
    min_a: Amps = 6.0
    steps_a: Annotated[tuple[RatedAmps, ...], Field(max_length=100)] = ()
    phases: Phases = 1
    cable_a: RatedAmps | None = None
    cable_phases: Phases | None = None
    control: Control = "managed"
    extension: bool | None = None
    combines_outlets: bool | None = None
    across: Literal["path", "window"] | None = None
    outdoors: bool | None = None
    weather_rated: bool | None = None
    restarts: bool | None = None

    __pydantic_config__ = STRICT


@dataclass(frozen=True, slots=True, kw_only=True)
class Vehicle:
    """A car, the lead it uses, and how its people want its battery kept."""

    id: Id
    lead: Id
    usable_kwh: Annotated[float, Field(gt=0, le=1000)]
    onboard_kw: RatedKilowatts
    use_kwh_per_100km: Use
    soc_pct: Percent
    name: Name | None = None
    onboard_phases: Phases = 1
    onboard_a: RatedAmps | None = None
    ceiling_a: Amps | None = None
    rated_kwh_per_100km: Use | None = None
    daily_limit_pct: Percent = 80.0
    reserve_pct: Percent = 10.0
    end_pct: Percent | None = None
    rest_pct: Percent = 80.0
    taper_from_pct: Percent = 95.0
    boost_pct: Percent = 0.0
    control: Control = "hand"
    plug_in_hours: tuple[Clock, Clock] | None = None
    cutoff: bool = False
    charging: bool = False
    habit: Habit | None = None

    __pydantic_config__ = STRICT

    @property
    def wanted_at_end_pct(self) -> float:
        """SoC wanted when the horizon ends. [%]"""
        return self.reserve_pct if self.end_pct is None else self.end_pct


@dataclass(frozen=True, slots=True, kw_only=True)
class CautiousRate:
    """The cautious end of a measured rate."""

    efficiency: Efficiency
    overhead_kw: Kilowatts

    __pydantic_config__ = STRICT


@dataclass(frozen=True, slots=True, kw_only=True)
class MeasuredRate:
    """A measured hook-up: battery_kw = efficiency × wall_kw − overhead_kw, and the volts seen under load."""

    vehicle: Id
    lead: Id
    efficiency: Efficiency
    overhead_kw: Kilowatts
    cautious: CautiousRate | None = None
    voltage_v: Volts | None = None

    __pydantic_config__ = STRICT


@dataclass(frozen=True, slots=True, kw_only=True)
class Trip:
    """A drive from *leave* to *back*. `gain_kwh` is charged on the way or at the other end."""

    vehicle: Id
    leave: Instant
    back: Instant
    km: Annotated[float, Field(ge=0, le=LONGEST_KM)]
    temperature_c: Annotated[float, Field(ge=-60, le=60)] | None = None
    gain_kwh: Annotated[float, Field(ge=0, le=1000)] = 0.0
    fill: bool = False
    fill_to_pct: Percent = 100.0

    __pydantic_config__ = STRICT


@dataclass(frozen=True, slots=True, kw_only=True)
class Band:
    """A price that holds on some days, between two clock times, in some months."""

    name: Name
    price: Price
    from_: Annotated[Clock, Field(alias="from")]
    to: Clock
    days: Annotated[tuple[Weekday, ...], Field(min_length=1, max_length=7)] = WEEKDAYS
    months: Annotated[tuple[Annotated[int, Field(ge=1, le=12)], ...], Field(min_length=1, max_length=12)] | None = None

    __pydantic_config__ = STRICT


@dataclass(frozen=True, slots=True, kw_only=True)
class Tariff:
    """Bands over a default price; the first band that matches wins; a dated series wins over bands."""

    default_price: Price
    export_price: Price = 0.0
    daily_charge: Charge = 0.0
    monthly_per_kw: Charge = 0.0
    contracted_kw: RatedKilowatts | None = None
    day_of: Literal["clock", "start"] = "clock"
    bands: Annotated[tuple[Band, ...], Field(max_length=200)] = ()
    holidays: Annotated[tuple[Day, ...], Field(max_length=1000)] = ()
    series: Annotated[tuple[tuple[Instant, Price | None], ...], Field(max_length=200_000)] = ()

    __pydantic_config__ = STRICT


@dataclass(frozen=True, slots=True, kw_only=True)
class LaterTariff:
    """A tariff that follows the present one, from the midnight on which `since` begins."""

    since: Day
    tariff: Tariff

    __pydantic_config__ = STRICT


@dataclass(frozen=True, slots=True, kw_only=True)
class Override:
    """What a person decided for one night. `ready_by` is a clock time in that night."""

    vehicle: Id
    night: Day
    limit_pct: Percent | None = None
    ceiling_a: Amps | None = None
    ready_by: Clock | None = None
    plugged_in: bool = True

    __pydantic_config__ = STRICT


@dataclass(frozen=True, slots=True, kw_only=True)
class Pin:
    """A session that stays as it is."""

    id: Id
    vehicle: Id
    start: Instant
    end: Instant
    amps: RatedAmps

    __pydantic_config__ = STRICT


@dataclass(frozen=True, slots=True, kw_only=True)
class Forbid:
    """A time in which a car is not to charge."""

    vehicle: Id
    start: Instant
    end: Instant

    __pydantic_config__ = STRICT


@dataclass(frozen=True, slots=True, kw_only=True)
class Household:
    """One household's planning inputs, as in the file."""

    format: Literal["moonplan-household/1"]
    timezone: Zone
    now: Instant
    supply: Supply
    circuits: Annotated[tuple[Circuit, ...], Field(max_length=100)]
    leads: Annotated[tuple[Lead, ...], Field(max_length=100)]
    vehicles: Annotated[tuple[Vehicle, ...], Field(max_length=50)]
    tariff: Tariff
    currency: Annotated[str, Field(pattern="^[A-Z]{3}$")] = "EUR"
    horizon_nights: Annotated[int, Field(ge=0, le=31)] = 1
    slot_minutes: SlotMinutes = 15
    habit: Habit = "cheapest"
    bedtime: Clock = time(22, 30)
    wake: Clock = time(6, 30)
    set_nights: Annotated[tuple[Weekday, ...], Field(max_length=7)] = ()
    distance_unit: DistanceUnit = "km"
    care_price: Annotated[float, Field(ge=0, le=1000)] | None = None
    start_price: Annotated[float, Field(ge=0, le=1000)] | None = None
    feeders: Annotated[tuple[Feeder, ...], Field(max_length=100)] = ()
    base_load_kw: Annotated[tuple[tuple[Clock, Kilowatts], ...], Field(max_length=1440)] = ()
    rates: Annotated[tuple[MeasuredRate, ...], Field(max_length=5000)] = ()
    trips: Annotated[tuple[Trip, ...], Field(max_length=10_000)] = ()
    solar_kw: Annotated[tuple[tuple[Instant, Kilowatts], ...], Field(max_length=200_000)] = ()
    overrides: Annotated[tuple[Override, ...], Field(max_length=2000)] = ()
    pins: Annotated[tuple[Pin, ...], Field(max_length=2000)] = ()
    forbids: Annotated[tuple[Forbid, ...], Field(max_length=2000)] = ()
    later_tariffs: Annotated[tuple[LaterTariff, ...], Field(max_length=100)] = ()

    __pydantic_config__ = STRICT

    @property
    def zone(self) -> ZoneInfo:
        return ZoneInfo(self.timezone)

    @property
    def care_price_per_kwh_h(self) -> float:
        """Price of an hour spent with one kWh above the rest level. [currency/(kWh·h)]"""
        return 0.0025 * abs(self.tariff.default_price) if self.care_price is None else self.care_price

    @property
    def price_of_a_start(self) -> float:
        """Price of one session more. [currency]"""
        return 0.1 * abs(self.tariff.default_price) if self.start_price is None else self.start_price

    @property
    def supply_legs(self) -> tuple[Leg, ...]:
        """The legs that come into the house."""
        return LEGS[: self.supply.legs]

    def legs_on(self, circuit: Circuit) -> tuple[Leg, ...]:
        """The legs that a circuit hangs on: as given, else the first ones, two where its one phase lies between two."""
        return circuit.legs or LEGS[: 2 if circuit.lies_between_legs(self.supply) else circuit.phases]

    def legs_of(self, feeder: Feeder) -> tuple[Leg, ...]:
        """The legs of a feeder: as given, else all of the supply's."""
        return feeder.legs or self.supply_legs

    def lead(self, lead_id: str) -> Lead:
        return next(lead for lead in self.leads if lead.id == lead_id)

    def circuit(self, circuit_id: str) -> Circuit:
        return next(circuit for circuit in self.circuits if circuit.id == circuit_id)

    def circuit_of(self, vehicle: Vehicle) -> Circuit:
        return self.circuit(self.lead(vehicle.lead).circuit)

    def rate_of(self, vehicle: Vehicle) -> MeasuredRate | None:
        """The measured rate of the vehicle's hook-up, if there is one."""
        return next((r for r in self.rates if r.vehicle == vehicle.id and r.lead == vehicle.lead), None)

    def trips_of(self, vehicle_id: str) -> list[Trip]:
        """The vehicle's trips in order of leaving."""
        return sorted((trip for trip in self.trips if trip.vehicle == vehicle_id), key=lambda trip: trip.leave)


@cache
def _adapter() -> TypeAdapter[Household]:
    return TypeAdapter(Household)


@cache
def json_schema() -> dict[str, Any]:
    """The household document as JSON Schema."""
    schema = _adapter().json_schema(schema_generator=_DefaultsAsInTheFile)
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **schema}


class _DefaultsAsInTheFile(GenerateJsonSchema):
    """Clock times by default as they are in the file, without seconds."""

    def encode_default(self, dft: Any) -> Any:
        return f"{dft:%H:%M}" if isinstance(dft, time) else super().encode_default(dft)


def read(text: str | bytes) -> Household:
    """A household from its JSON document.

    Raises
    ------
    BadDocument
        With every mistake found: first those of single values; where there are none, those between values.
    """
    return checked(validated(_adapter(), text, json_schema()))


def write(household: Household) -> dict[str, Any]:
    """The household as the JSON document that `read` takes, without what is left at its default."""
    document = _adapter().dump_python(household, mode="json", by_alias=True, exclude_defaults=True)
    return {"format": FORMAT, **document}


def checked(household: Household) -> Household:
    """The same household, if its parts fit together.

    Raises
    ------
    BadDocument
        With every mistake between values: unknown ids, ids used twice, times out of order, overlapping trips, legs
        that the supply does not have.
    """
    mistakes = tuple(mistakes_between(household))
    if mistakes:
        raise BadDocument(mistakes)
    return household


@cache
def _tariff_adapter() -> TypeAdapter[Tariff]:
    return TypeAdapter(Tariff)


@cache
def _tariff_schema() -> dict[str, Any]:
    return _tariff_adapter().json_schema()


def read_tariff(text: str | bytes) -> Tariff:
    """A tariff by itself, from the JSON of a household document's `tariff`.

    Raises
    ------
    BadDocument
        With every mistake found, by the paths within the tariff.
    """
    tariff = validated(_tariff_adapter(), text, _tariff_schema())
    mistakes = tuple(in_order("series", [start for start, _ in tariff.series]))
    if mistakes:
        raise BadDocument(mistakes)
    return tariff
