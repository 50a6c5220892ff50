"""The household document: what one household's planning stands on, checked on the way in (docs/files.md).

The dataclasses below *are* the file: same names, same order, the file's units (SoC in percent, km, kWh per 100 km,
prices per kWh in the household's currency). `read` turns JSON into a `Household` or raises `BadDocument`, which
carries every mistake at once, each with the path of its key, the value found and what was expected.
"""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time
from functools import cache
from itertools import pairwise
from typing import Annotated, Any, Literal, get_args
from zoneinfo import ZoneInfo

from pydantic import (
    AfterValidator,
    AwareDatetime,
    BeforeValidator,
    ConfigDict,
    Field,
    PlainSerializer,
    TypeAdapter,
    WithJsonSchema,
)
from pydantic.json_schema import GenerateJsonSchema

from moonplan.core.distance import DistanceUnit
from moonplan.core.mistakes import BadDocument, Mistake, validated

FORMAT = "moonplan-household/1"

Weekday = Literal["mon", "tue", "wed", "thu", "fri", "sat", "sun"]

WEEKDAYS: tuple[Weekday, ...] = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")

# What a household allows continuously on an ordinary domestic socket, by the socket's rating (rules, section 1).
SOCKET_A_BY_OUTLET_A = {10: 8.0, 13: 10.0, 15: 12.0, 16: 10.0, 20: 16.0}


def clock(value: object) -> time:
    if isinstance(value, time):
        return value
    if isinstance(value, str) and len(value) == 5 and value[2] == ":" and value.replace(":", "").isdigit():
        return time(int(value[:2]), int(value[3:]))
    raise ValueError("not a clock time")


def _zone(value: str) -> str:
    try:
        ZoneInfo(value)
    except (KeyError, OSError, ValueError) as error:
        raise ValueError("no such time zone") from error
    return value


def _of_this_world(value: datetime) -> datetime:
    if not 1990 <= value.year <= 2200:
        raise ValueError("not of this world")
    return value


def _divides_an_hour(value: int) -> int:
    if 60 % value:
        raise ValueError("does not divide an hour")
    return value


def _no_truth(value: object) -> object:
    """`true` is 1 to a literal, and nobody means it so."""
    if isinstance(value, bool):
        raise ValueError("not a number")
    return value


Clock = Annotated[
    time,
    BeforeValidator(clock),
    PlainSerializer(lambda clock: clock.strftime("%H:%M"), return_type=str),
    WithJsonSchema({"type": "string", "pattern": "^([01][0-9]|2[0-3]):[0-5][0-9]$", "description": "HH:MM"}),
]
Instant = Annotated[
    AwareDatetime,
    AfterValidator(_of_this_world),
    WithJsonSchema({"type": "string", "format": "date-time", "description": "an ISO 8601 time with an offset"}),
]
Zone = Annotated[
    str,
    AfterValidator(_zone),
    WithJsonSchema({"type": "string", "description": "an IANA time zone such as Europe/Ljubljana"}),
]
SlotMinutes = Annotated[
    int,
    Field(ge=1, le=60),
    AfterValidator(_divides_an_hour),
    WithJsonSchema({"type": "integer", "enum": [1, 2, 3, 4, 5, 6, 10, 12, 15, 20, 30, 60]}),
]
Id = Annotated[str, Field(min_length=1, max_length=100)]
Name = Annotated[str, Field(min_length=1, max_length=200)]
Percent = Annotated[float, Field(ge=0, le=100)]
Amps = Annotated[float, Field(ge=0, le=1000)]
RatedAmps = Annotated[float, Field(gt=0, le=1000)]
Kilowatts = Annotated[float, Field(ge=0, le=1000)]
RatedKilowatts = Annotated[float, Field(gt=0, le=1000)]
Volts = Annotated[float, Field(ge=50, le=1000)]
Factor = Annotated[float, Field(gt=0, le=1)]
Efficiency = Annotated[float, Field(gt=0, le=1)]
HIGHEST_PRICE = 1000
Price = Annotated[float, Field(ge=-HIGHEST_PRICE, le=HIGHEST_PRICE)]
Charge = Annotated[float, Field(ge=0, le=HIGHEST_PRICE)]
Use = Annotated[float, Field(gt=0, le=1000)]
Phases = Annotated[Literal[1, 2, 3], BeforeValidator(_no_truth)]
Leg = Literal["L1", "L2", "L3"]
LEGS: tuple[Leg, ...] = get_args(Leg)
Control = Literal["managed", "timer", "hand"]
Habit = Literal[
    "cheapest", "nightly", "set_nights", "when_low", "low_soc", "low_current", "sun_first", "awake", "plug_and_go"
]
HABITS: tuple[Habit, ...] = get_args(Habit)
Sharing = Literal["free", "even", "none"]

STRICT = ConfigDict(extra="forbid", strict=True, allow_inf_nan=False)


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

    @property
    def used_legs(self) -> tuple[Leg, ...]:
        """The legs this circuit hangs on: as given, else L1 for one phase and the first ones for more."""
        return self.legs or LEGS[: self.phases]


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
    km: Annotated[float, Field(ge=0, le=5000)]
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
    holidays: Annotated[tuple[date, ...], Field(max_length=1000)] = ()
    series: Annotated[tuple[tuple[Instant, Price | None], ...], Field(max_length=200_000)] = ()

    __pydantic_config__ = STRICT


@dataclass(frozen=True, slots=True, kw_only=True)
class LaterTariff:
    """A tariff that follows the present one, from the midnight on which `since` begins."""

    since: date
    tariff: Tariff

    __pydantic_config__ = STRICT


@dataclass(frozen=True, slots=True, kw_only=True)
class Override:
    """What a person decided for one night. `ready_by` is a clock time in that night."""

    vehicle: Id
    night: date
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
    mistakes = tuple(_between_values(household))
    if mistakes:
        raise BadDocument(mistakes)
    return household


def _between_values(h: Household) -> Iterator[Mistake]:
    for kind in ("feeders", "circuits", "leads", "vehicles", "pins"):
        yield from _twice(kind, [part.id for part in getattr(h, kind)])
    feeders = [feeder.id for feeder in h.feeders]
    circuits = [circuit.id for circuit in h.circuits]
    leads = [lead.id for lead in h.leads]
    vehicles = [vehicle.id for vehicle in h.vehicles]
    yield from _unknown("circuits", "feeder", h.circuits, feeders)
    yield from _unknown("leads", "circuit", h.leads, circuits)
    yield from _unknown("vehicles", "lead", h.vehicles, leads)
    yield from _unknown("rates", "lead", h.rates, leads)
    for kind in ("rates", "trips", "overrides", "pins", "forbids"):
        yield from _unknown(kind, "vehicle", getattr(h, kind), vehicles)
    yield from _legs(h)
    if not h.horizon_nights and h.now.astimezone(h.zone).hour >= 12:
        yield Mistake("horizon_nights", 0, "1 or more; before noon 0 is the rest of the present night")
    for i, circuit in enumerate(h.circuits):
        if circuit.kind == "socket":
            if circuit.outlet_a is None:
                yield Mistake(f"circuits[{i}].outlet_a", "missing", "the rating of the socket in A")
            elif circuit.socket_a is None and circuit.outlet_a not in SOCKET_A_BY_OUTLET_A:
                yield Mistake(
                    f"circuits[{i}].socket_a",
                    "missing",
                    f"the current you allow for hours on a socket of {circuit.outlet_a:g} A",
                )
    for kind, first, last in (("trips", "leave", "back"), ("pins", "start", "end"), ("forbids", "start", "end")):
        for i, part in enumerate(getattr(h, kind)):
            if getattr(part, last) <= getattr(part, first):
                yield Mistake(f"{kind}[{i}].{last}", getattr(part, last), f"a time after {first}")
    yield from _overlaps(h.trips)
    yield from _order("solar_kw", [start for start, _ in h.solar_kw])
    if h.solar_kw and h.solar_kw[-1][1] != 0:
        yield Mistake(f"solar_kw[{len(h.solar_kw) - 1}][1]", h.solar_kw[-1][1], "0, so that the sun ends")
    yield from _order("tariff.series", [start for start, _ in h.tariff.series])
    yield from _dates(h.later_tariffs)
    for i, later in enumerate(h.later_tariffs):
        yield from _order(f"later_tariffs[{i}].tariff.series", [start for start, _ in later.tariff.series])
    yield from _order("base_load_kw", [start for start, _ in h.base_load_kw])
    seen: set[tuple[str, date]] = set()
    for i, override in enumerate(h.overrides):
        if (override.vehicle, override.night) in seen:
            yield Mistake(f"overrides[{i}].night", override.night, f"one entry a night for {override.vehicle}")
        seen.add((override.vehicle, override.night))
    rated: set[tuple[str, str]] = set()
    for i, rate in enumerate(h.rates):
        if (rate.vehicle, rate.lead) in rated:
            yield Mistake(f"rates[{i}].lead", rate.lead, f"one rate for {rate.vehicle} on this lead")
        rated.add((rate.vehicle, rate.lead))


def _twice(kind: str, ids: Sequence[str]) -> Iterator[Mistake]:
    seen: set[str] = set()
    for i, id_ in enumerate(ids):
        if id_ in seen:
            yield Mistake(f"{kind}[{i}].id", id_, "an id that no other entry has")
        seen.add(id_)


def _unknown(kind: str, key: str, parts: Iterable[Any], known: Sequence[str]) -> Iterator[Mistake]:
    for i, part in enumerate(parts):
        value = getattr(part, key)
        if value is not None and value not in known:
            yield Mistake(f"{kind}[{i}].{key}", value, "one of " + ", ".join(known) if known else "an id that exists")


def _legs(h: Household) -> Iterator[Mistake]:
    present = h.supply_legs
    of_feeder = {feeder.id: h.legs_of(feeder) for feeder in h.feeders}
    named = {feeder.id: feeder.name or feeder.id for feeder in h.feeders}
    for i, feeder in enumerate(h.feeders):
        if not set(legs := h.legs_of(feeder)) <= set(present):
            yield Mistake(f"feeders[{i}].legs", list(legs), f"legs of the supply: {', '.join(present)}")
    for i, circuit in enumerate(h.circuits):
        legs = circuit.used_legs
        key = f"circuits[{i}].legs" if circuit.legs else f"circuits[{i}].phases"
        value: object = list(circuit.legs) if circuit.legs else circuit.phases
        if not set(legs) <= set(present):
            yield Mistake(key, value, f"legs of the supply: {', '.join(present)}")
        elif len(set(legs)) < len(legs):
            yield Mistake(key, value, "each leg once")
        elif len(legs) != circuit.phases and (circuit.phases, len(legs)) != (1, 2):
            yield Mistake(key, value, f"{circuit.phases} legs for {circuit.phases} phases")
        elif circuit.feeder in of_feeder and not set(legs) <= set(of_feeder[circuit.feeder]):
            yield Mistake(key, value, f"legs of feeder {named[circuit.feeder]}: {', '.join(of_feeder[circuit.feeder])}")


def _overlaps(trips: Sequence[Trip]) -> Iterator[Mistake]:
    by_vehicle: dict[str, list[tuple[int, Trip]]] = {}
    for i, trip in enumerate(trips):
        by_vehicle.setdefault(trip.vehicle, []).append((i, trip))
    for numbered in by_vehicle.values():
        numbered.sort(key=lambda pair: (pair[1].leave, pair[1].back))
        for (_, earlier), (j, later) in pairwise(numbered):
            if later.leave < earlier.back:
                one, other = (f"{trip.leave:%Y-%m-%d %H:%M} to {trip.back:%Y-%m-%d %H:%M}" for trip in (earlier, later))
                yield Mistake(f"trips[{j}].leave", later.leave, f"one trip after the other: {one} and {other} overlap")


def _dates(later: Sequence[LaterTariff]) -> Iterator[Mistake]:
    for i, (one, other) in enumerate(pairwise(later), start=1):
        if other.since <= one.since:
            yield Mistake(f"later_tariffs[{i}].since", other.since, f"later than the entry before it ({one.since})")


def _order(path: str, starts: Sequence[Any]) -> Iterator[Mistake]:
    for i, (earlier, later) in enumerate(pairwise(starts), start=1):
        if later <= earlier:
            yield Mistake(f"{path}[{i}][0]", later, f"later than the entry before it ({earlier})")


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
    mistakes = tuple(_order("series", [start for start, _ in tariff.series]))
    if mistakes:
        raise BadDocument(mistakes)
    return tariff
