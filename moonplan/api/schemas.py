"""What goes over the wire. Row schemas are made from the models, so that a field is named once."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Any, Literal

from django.db.models import FloatField, IntegerField, Model
from ninja import Schema
from ninja.orm import create_schema
from pydantic import ConfigDict, Field

from moonplan.household import models as rows


class Mistake(Schema):
    """One mistake: the field it is at, the value found and what would be right."""

    field: str
    value: str
    expected: str


class Problem(Schema):
    """The one shape of every error."""

    code: Literal["refused", "conflict", "not_found", "not_signed_in", "too_large", "failed"]
    message: str
    mistakes: list[Mistake] = []
    current: dict[str, Any] | None = None
    version: int | None = None
    by: str | None = None


# How many sessions may be pinned, and times kept off, for a car and a night.
MOST_BY_HAND = 24


class Strict(Schema):
    model_config = ConfigDict(extra="forbid")


class SignIn(Strict):
    username: str
    password: str


class Join(Strict):
    token: str
    username: Annotated[str, Field(min_length=1, max_length=150)]
    password: Annotated[str, Field(min_length=1, max_length=200)]


class Who(Schema):
    """Who is asking, if anyone, and whether the household has been drawn."""

    name: str | None
    household: str | None
    set_up: bool
    now: datetime


class Invite(Schema):
    path: str


# --- rows ----------------------------------------------------------------------------------------------------------------


# Columns of which core says what would be right: clock times, and what is one of the words that it knows.
_CLOCKS = frozenset(("bedtime", "wake", "usual_leave", "usual_back", "start", "end", "plug_in_from", "plug_in_to"))
_WORDS = frozenset(("currency", "timezone", "distance_unit", "habit", "kind", "control", "sharing", "across", "day_of"))
# JSON columns, whose contents the model can't tell, and the keys of other rows.
_TYPES: dict[str, Any] = {
    "id": int,
    "legs": list[str] | None,
    "steps_a": list[float],
    "days": list[str],
    "months": list[int] | None,
    "set_nights": list[str],
    "holidays": list[str],
    "usual_km": dict[str, float | None],
    "base_load_kw": list[list[str | float]],
    "sun_day_kw": list[list[str | float]],
    "feeder_id": int | None,
    "circuit_id": int,
    "lead_id": int,
    "vehicle_id": int,
    "tariff_id": int,
}


def _schema(model: type[Model], name: str, *, patch: bool) -> Any:
    """A schema with a model's own columns; in a patch every field may be left out."""
    left_out = {"household", "id", "version"} if patch else {"household"}
    columns = [field for field in model._meta.concrete_fields if field.name not in left_out]
    types = _TYPES | {
        field.attname: str | None if field.null else str for field in columns if field.attname in _CLOCKS | _WORDS
    }
    named = [
        field.attname for field in columns if field.attname in types and not isinstance(field, IntegerField | FloatField)
    ]
    custom = [(field, types[field] | None if patch else types[field], None if patch else ...) for field in named]
    return create_schema(
        model,
        name=name,
        fields=[field.name for field in columns if field.attname not in named],
        optional_fields="__all__" if patch else None,
        custom_fields=custom,
        base_class=Strict if patch else Schema,
    )


def _row(model: type[Model], name: str) -> Any:
    return _schema(model, name, patch=False)


def _patch(model: type[Model], name: str) -> Any:
    return _schema(model, name, patch=True)


HouseholdRow, HouseholdPatch = _row(rows.Household, "HouseholdRow"), _patch(rows.Household, "HouseholdPatch")
FeederRow, FeederPatch = _row(rows.Feeder, "FeederRow"), _patch(rows.Feeder, "FeederPatch")
CircuitRow, CircuitPatch = _row(rows.Circuit, "CircuitRow"), _patch(rows.Circuit, "CircuitPatch")
LeadRow, LeadPatch = _row(rows.Lead, "LeadRow"), _patch(rows.Lead, "LeadPatch")
VehicleRow, VehiclePatch = _row(rows.Vehicle, "VehicleRow"), _patch(rows.Vehicle, "VehiclePatch")
TripRow, TripPatch = _row(rows.Trip, "TripRow"), _patch(rows.Trip, "TripPatch")
TariffRow, TariffPatch = _row(rows.Tariff, "TariffRow"), _patch(rows.Tariff, "TariffPatch")
ArrayRow, ArrayPatch = _row(rows.Array, "ArrayRow"), _patch(rows.Array, "ArrayPatch")
BandRow, BandPatch = _row(rows.Band, "BandRow"), _patch(rows.Band, "BandPatch")


class Link(Schema):
    link: str
    amps: float


class LinkPower(Schema):
    id: int
    amps: float
    kw: float


class SupplyPower(Schema):
    amps: float
    kw: float


class VehicleChain(Schema):
    """A car's chain on a lead, its bottleneck and what would decide next. costs_power : what steps and phases cost."""

    id: int
    lead: int
    links: list[Link]
    phases: int
    rate_source: Literal["measured", "assumed"]
    amps: float
    wall_kw: float
    battery_kw: float
    km_per_h: float
    bottleneck: str
    next: str | None
    costs_power: list[str]
    no_charge: str | None


class Caution(Schema):
    code: str
    about: Literal["circuit", "lead", "supply"]
    subject: str
    title: str
    because: str
    advice: str


class ReadableCaution(Caution):
    """A caution, and whether the person who asks has read it as it stands."""

    read: bool


class CautionMark(Strict):
    code: str
    about: str
    subject: str
    read: bool


class Drawing(Schema):
    supply: SupplyPower
    circuits: list[LinkPower]
    leads: list[LinkPower]
    vehicles: list[VehicleChain]
    reach: list[VehicleChain]
    cautions: list[ReadableCaution]


class WholeHousehold(Schema):
    """Everything that the household drawing shows and edits."""

    household: HouseholdRow  # type: ignore[valid-type]
    feeders: list[FeederRow]  # type: ignore[valid-type]
    circuits: list[CircuitRow]  # type: ignore[valid-type]
    leads: list[LeadRow]  # type: ignore[valid-type]
    vehicles: list[VehicleRow]  # type: ignore[valid-type]
    trips: list[TripRow]  # type: ignore[valid-type]
    tariffs: list[TariffRow]  # type: ignore[valid-type]
    bands: list[BandRow]  # type: ignore[valid-type]
    drawing: Drawing
    undo: str | None


# --- tonight -------------------------------------------------------------------------------------------------------------


class Point(Schema):
    """A value from an instant on."""

    at: datetime
    value: float


class PriceRun(Schema):
    start: datetime
    end: datetime
    price: float
    band: str
    depth: int


class HouseSlot(Schema):
    at: datetime
    base_kw: float
    sun_kw: float
    cars_kw: float
    surplus_kw: float


class CircuitLoad(Schema):
    id: str
    name: str
    limit_a: float
    load: list[Point]


class Expect(Schema):
    amps: float
    volts: float
    wall_kw: float
    range_km_per_h: float


class CurrentFrom(Schema):
    """A current, and from when on it is offered."""

    at: datetime
    amps: float


class SessionOut(Schema):
    start: datetime
    end: datetime
    amps: float
    currents: list[CurrentFrom]
    current: str
    wall_kwh: float
    battery_kwh: float
    solar_kwh: float
    cost: float
    cost_sun_free: float
    bands: dict[str, float]
    range_km: float
    soc_from_pct: float
    soc_to_pct: float
    expect: Expect
    reason: str


class NotReady(Schema):
    """By when somebody asked to have the car ready, where it cannot be, and what is aboard and missing then."""

    by: datetime
    required_pct: float
    planned_pct: float
    short_kwh: float
    short_km: float


class DepartureOut(Schema):
    """needed_pct : of what is required, what the trip itself needs. wants_more : whether that is less.
    can_leave : whether it has it."""

    leave: datetime
    km: float
    fill: bool
    trip_kwh: float
    on_the_way_kwh: float
    required_pct: float
    needed_pct: float
    wants_more: bool
    can_leave: bool
    planned_pct: float
    short_kwh: float
    short_km: float
    ready_at: datetime | None
    binds: list[str]


class Setting(Schema):
    where: str
    what: str
    value: str


class PinByHand(Strict):
    """A session that stays as it is, by the clock of its night."""

    start: str
    end: str
    amps: float


class Pinnable(Schema):
    """A session as it would be pinned: at which currents, in words and one by one.

    parts : places, among what is pinned, of what is a part of it and would give way.
    """

    start: str
    end: str
    current: str
    pins: list[PinByHand]
    parts: list[int]


class KeptOff(Strict):
    """A time in which a car must not charge, by the clock of its night; nothing until both are given."""

    start: str | None
    end: str | None


class Inputs(Schema):
    """What changes every evening, with the versions that an edit must come with."""

    soc_pct: float
    soc_at: datetime | None
    soc_version: int
    trip_version: int
    leave: datetime | None
    km: float | None
    evening_version: int
    limit_pct: float | None
    daily_limit_pct: float
    ceiling_a: float | None
    steps_a: list[float]
    least_a: float
    ready_by: str | None
    plugged_in: bool
    habit: str | None
    habit_sentence: str
    vehicle_version: int
    pins: list[PinByHand]
    keep_off: list[KeptOff]


class CarNight(Schema):
    """What a car's night comes to, and its SoC through it."""

    soc_to_pct: float
    wall_kwh: float
    cost: float
    tide: list[Point]


class CarTonight(CarNight):
    id: str
    name: str
    place: str
    lead: str
    control: str
    rate_source: Literal["measured", "assumed"]
    action: Literal["plug_in", "go_on", "leave_unplugged", "cannot_charge", "away"]
    plug_in_by: datetime | None
    current: str | None
    ready_at: datetime | None
    why: str
    departure: DepartureOut | None
    not_ready: NotReady | None
    soc_from_pct: float
    solar_kwh: float
    cost_sun_free: float
    range_km: float
    limit: list[Point]
    reserve_pct: float
    limit_a: float
    bottleneck: str | None
    sessions: list[SessionOut]
    pinnable: list[Pinnable]
    to_key_in: list[Setting]
    inputs: Inputs


class Totals(Schema):
    wall_kwh: float
    battery_kwh: float
    solar_kwh: float
    cost: float
    cost_sun_free: float
    range_km: float
    sessions: int
    kwh_hours_above_rest: float
    short_kwh: float


class CautionTonight(ReadableCaution):
    """cars : ids of those it speaks of."""

    cars: list[str]


class Tonight(Schema):
    revision: str
    now: datetime
    timezone: str
    currency: str
    distance_unit: Literal["km", "mi"]
    night: str
    bedtime: str
    wake: str
    start: datetime
    end: datetime
    dusk: datetime | None
    dawn: datetime | None
    moon_age: float
    moon_name: str
    prices: list[PriceRun]
    house: list[HouseSlot]
    circuits: list[CircuitLoad]
    cars: list[CarTonight]
    totals: Totals
    simulated: list[str]
    cautions: list[CautionTonight]
    undo: str | None
    server_ms: int


class Refinement(Schema):
    """How the longer search stands, and whether it has found a plan better by more than a coin.

    steps : how many it has taken; with each the better plan may be another. saves_at_most : by how much, of all that is
        counted, a plan can be better than the one that is known; None where nothing is claimed, or not yet. proven : whether
        that is next to nothing. by_habit : whether it is said of plans that keep to a habit other than the cheapest hours,
        which may cost more than others.
    """

    state: Literal["searching", "settled"]
    steps: int
    better: bool
    saves_at_most: float | None
    proven: bool
    by_habit: bool


class BandPoint(Schema):
    wall_kw: float
    mean_kw: float
    low_kw: float
    high_kw: float


class ReadingOut(Schema):
    """A kept reading, with what it measured, what was expected and why it is off."""

    id: int
    version: int
    kind: str
    at: datetime
    wall_kw: float
    battery_kw: float | None
    expected_kw: float
    fitted: bool
    not_fitted: str | None
    cause: str | None
    told: str
    excluded: bool
    note: str


class CurrentOut(Schema):
    amps: float
    wall_kw: float
    battery_kw: float
    lost: float
    range_km_per_h: float
    hours: float | None
    extra_kwh_per_100km: float | None
    extra_cost: float | None
    recommended: bool


class HookupOut(Schema):
    """A car on a lead: its chain, its rate, its readings, and every current side by side."""

    vehicle: str
    vehicle_name: str
    lead: str
    lead_name: str
    place: str
    voltage_v: float
    limit_a: float
    phases: int
    links: list[Link]
    source: Literal["measured", "assumed"]
    efficiency: float
    overhead_kw: float
    volts: float
    advice: str
    soc_from_pct: float
    soc_to_pct: float
    band: list[BandPoint]
    readings: list[ReadingOut]
    currents: list[CurrentOut]
    options: list[OptionOut]


class Hookups(Schema):
    timezone: str
    currency: str
    distance_unit: Literal["km", "mi"]
    now: datetime
    hookups: list[HookupOut]
    undo: str | None


class ReadingIn(Strict):
    """What the display shows, in any of the four kinds; core says which keys a kind needs."""

    kind: Literal["display", "meter", "span", "estimate"] = "display"
    at: datetime | None = None
    start: datetime | None = None
    end: datetime | None = None
    minutes: float | None = None
    volts: float | None = None
    amps: float | None = None
    kw: float | None = None
    kw_side: Literal["wall", "battery"] | None = None
    range_per_h: float | None = None
    range_unit: Literal["km", "mi"] | None = None
    soc_pct: float | None = None
    to_pct: float | None = None
    hours: float | None = None
    soc_from_pct: float | None = None
    soc_to_pct: float | None = None
    wall_kwh: float | None = None
    temperature_c: float | None = None
    cabin_on: bool | None = None
    note: str | None = None


class ReadingPreview(Schema):
    """What a reading says before it is kept."""

    wall_kw: float
    battery_kw: float | None
    lost: float | None
    range_km_per_h: float | None
    expected_kw: float
    expected_range_km_per_h: float
    fitted: bool
    not_fitted: str | None
    cause: str | None
    told: str


class RefusedRow(Schema):
    line: int
    reason: str


class Brought(Schema):
    """What a table came to: new rows, rows that are known already, and refused ones by line and reason."""

    new: int
    again: int
    refused: list[RefusedRow]
    kept: bool


class WhatIf(Strict):
    """Links as they might be; what is left out stays."""

    breaker_a: Annotated[float, Field(gt=0, le=1000)] | None = None
    dedicated: bool | None = None
    lead_a: Annotated[float, Field(gt=0, le=1000)] | None = None
    cable_a: Annotated[float, Field(gt=0, le=1000)] | None = None
    onboard_kw: Annotated[float, Field(gt=0, le=1000)] | None = None
    ceiling_a: Annotated[float, Field(gt=0, le=1000)] | None = None
    phases: Literal[1, 2, 3] | None = None


class OptionKept(Strict):
    """A what-if to keep; without a name it is called after what it changes."""

    name: Annotated[str, Field(max_length=200)] = ""
    links: WhatIf


class OutlookOut(Schema):
    """What a chain gives, and what decides it."""

    links: list[Link]
    amps: float
    phases: int
    wall_kw: float
    bottleneck: str | None
    next: str | None
    costs_power: list[str]
    no_charge: str | None
    battery_kw: float
    range_km_per_h: float
    hours: float | None
    night_km: float


class OptionOut(Schema):
    """A kept what-if, and what the chain would give."""

    id: int
    version: int
    name: str
    outlook: OutlookOut


class Outlooks(Schema):
    """The chain as it is and as it would be, with the cautions that would be new."""

    now: OutlookOut
    then: OutlookOut
    cautions: list[Caution]


class ReadingPatch(Strict):
    excluded: bool | None = None
    note: str | None = None


# --- the days ahead ------------------------------------------------------------------------------------------------------


class TripOnSheet(Schema):
    """A trip ahead. id : None for a usual day's. nth, night : its place among the departures, and the night
    that it leaves in; None for one that has begun. needed_pct, wants_more, can_leave : as of a departure."""

    id: int | None
    version: int
    nth: int | None
    night: str | None
    leave: datetime
    back: datetime
    km: float
    temperature_c: float | None
    gain_kwh: float
    fill: bool
    fill_to_pct: float
    summary: str
    trip_kwh: float
    on_the_way_kwh: float
    required_pct: float | None
    needed_pct: float | None
    wants_more: bool
    can_leave: bool
    planned_pct: float | None
    short_kwh: float
    short_km: float
    ready_at: datetime | None
    binds: list[str]


class NightRow(Schema):
    """A car's night, from noon to noon: need against what is recovered."""

    night: str
    need_kwh: float
    need_km: float
    recovered_kwh: float
    wall_kwh: float
    solar_kwh: float
    cost: float
    cost_sun_free: float
    margin_km: float | None
    short_kwh: float
    low_pct: float
    high_pct: float
    limit_pct: float
    plugged_in: bool
    kept_unplugged: bool
    evening_version: int


class EndOut(Schema):
    required_pct: float
    planned_pct: float
    short_kwh: float


class CarDays(Schema):
    id: str
    version: int
    name: str
    place: str
    habit: str | None
    reserve_pct: float
    under_reserve_from: datetime | None
    daily_limit_pct: float
    tide: list[Point]
    limit: list[Point]
    sessions: list[SessionOut]
    trips: list[TripOnSheet]
    nights: list[NightRow]
    end: EndOut | None


class Days(Schema):
    now: datetime
    timezone: str
    currency: str
    distance_unit: Literal["km", "mi"]
    revision: str
    nights: int
    nights_of_tonight: int
    household_version: int
    habit: str
    start: datetime
    end: datetime
    cars: list[CarDays]
    totals: Totals
    simulated: list[str]
    undo: str | None
    server_ms: int


class TripEdit(Strict):
    """A trip as it is typed; what is left out stays, or takes the usual value."""

    vehicle_id: int | None = None
    leave: datetime | None = None
    back: datetime | None = None
    km: float | None = None
    temperature_c: float | None = None
    gain_kwh: float | None = None
    fill: bool | None = None
    fill_to_pct: float | None = None
    summary: Annotated[str, Field(max_length=200)] | None = None


class Repeat(Strict):
    days: Annotated[list[date], Field(min_length=1, max_length=60)]


class NightEdit(Strict):
    plugged_in: bool


class WayOut(Schema):
    """A change that makes a shortage less, found by planning with it. cost : what charging costs more."""

    told: str
    closes: bool
    short_kwh: float
    cost: float


class WaysOut(Schema):
    ways: list[WayOut]


class WayTaken(Strict):
    vehicle: int
    leave: datetime
    told: str


class UsualDayOut(Schema):
    weekday: str
    typical_km: float | None
    careful_km: float | None
    entries: int
    source: Literal["own", "kind", "typed", "nothing"]


class LearnedUseOut(Schema):
    use_kwh_per_100km: float
    km: float
    stretches: int
    spread_kwh_per_100km: float


class OdometerOut(Schema):
    id: int
    version: int
    day: date
    km: float
    soc_pct: float | None
    charged_kwh: float | None
    temperature_c: float | None


class UsualOfCar(Schema):
    id: int
    version: int
    name: str
    usual_km: dict[str, float | None]
    usual_leave: str
    usual_back: str
    use_kwh_per_100km: float
    week: list[UsualDayOut]
    learned: LearnedUseOut | None
    readings: int
    odometer: list[OdometerOut]


class Usual(Schema):
    """What each car's usual days and consumption stand on."""

    cars: list[UsualOfCar]


class OdometerIn(Strict):
    day: date | None = None
    km: float | None = None
    soc_pct: float | None = None
    charged_kwh: float | None = None
    temperature_c: float | None = None


class EventAnswer(Strict):
    """Which car drives to events with a summary, and how far."""

    summary: str
    vehicle_id: int
    km: float


class CalendarIn(Strict):
    """An iCalendar text; with `keep` its trips are stored, without it only told."""

    text: str
    answers: list[EventAnswer] = []
    keep: bool = False


class RefusedEvent(Schema):
    when: datetime
    summary: str
    reason: str


class EventAsked(Schema):
    """Events whose car or distance nobody has told yet. times : how often they come."""

    summary: str
    first: datetime
    times: int
    km: float | None
    vehicle_id: int | None


class CalendarBrought(Schema):
    new: int
    again: int
    refused: list[RefusedEvent]
    asks: list[EventAsked]
    kept: bool


class FeedOut(Schema):
    path: str


class HabitTotals(Totals):
    level_cost: float


class HabitCompared(Schema):
    """The household's coming nights under one habit."""

    habit: str
    sentence: str
    totals: HabitTotals
    nights: list[str]
    smallest_margin_km: float | None


class Comparison(Schema):
    habits: list[HabitCompared]


class EveningEdit(Strict):
    """Changes to one car's evening; what is left out stays. `versions` are those of the inputs it was made from."""

    soc_pct: float | None = None
    leave: datetime | None = None
    km: float | None = None
    limit_pct: float | None = None
    ceiling_a: float | None = None
    ready_by: str | None = None
    plugged_in: bool | None = None
    habit: str | None = None
    pins: list[PinByHand] | None = Field(default=None, max_length=MOST_BY_HAND)
    keep_off: list[KeptOff] | None = Field(default=None, max_length=MOST_BY_HAND)
    versions: dict[Literal["soc", "trip", "evening", "vehicle"], int] = {}


# --- files that are brought in, and series -------------------------------------------------------------------------------


class Stretch(Schema):
    start: datetime
    end: datetime


class SeriesBrought(Schema):
    """What a file came to.

    new, again : steps that are new or say something else, and those that are known already. gaps : the first of them, and
    how many there are in all. repeated : clock hours that came twice at a clock change, and were taken twice.
    """

    new: int
    again: int
    kept: bool
    refused: list[RefusedRow]
    rows: int
    step_minutes: int
    first: datetime
    last: datetime
    gaps: list[Stretch]
    gaps_in_all: int
    repeated: list[datetime]


class Span(Schema):
    first: date
    last: date
    days: int


# --- prices --------------------------------------------------------------------------------------------------------------


class FeedShown(Schema):
    key: str
    name: str
    simulated: bool
    step_minutes: int


class LineShown(Schema):
    """A band, and how it fares: hours of a week in which it holds, and in which it would if it stood alone."""

    id: int
    version: int
    name: str
    price: str
    start: str
    end: str
    days: list[str]
    months: list[int] | None
    hours_a_week: float
    claimed_hours_a_week: float
    beaten_by: list[str]

    @staticmethod
    def resolve_price(obj: Any) -> str:
        return str(obj["price"])


class WeekShown(Schema):
    """An ordinary week of some months, half hour by half hour, Monday first.

    line : place in the list of bands, its length for the default price. beaten : places of bands that match there too.
    """

    months: list[int]
    line: list[list[int]]
    price: list[list[float]]
    beaten: list[list[list[int]]]


class PriceAhead(Schema):
    at: datetime
    price: float | None


class TariffShown(Schema):
    """A tariff with its weeks. depths : how deep each line is drawn, the default price last."""

    id: int
    version: int
    in_force: bool
    name: str
    since: date | None
    rival: bool
    default_price: str
    export_price: str
    daily_charge: str
    monthly_per_kw: str
    contracted_kw: float | None
    day_of: str
    holidays: list[str]
    feed: str
    bands: list[LineShown]
    default_hours_a_week: float
    depths: list[int]
    weeks: list[WeekShown]
    dated: Span | None
    ahead: list[PriceAhead]

    @staticmethod
    def resolve_default_price(obj: Any) -> str:
        return str(obj["default_price"])

    @staticmethod
    def resolve_export_price(obj: Any) -> str:
        return str(obj["export_price"])

    @staticmethod
    def resolve_daily_charge(obj: Any) -> str:
        return str(obj["daily_charge"])

    @staticmethod
    def resolve_monthly_per_kw(obj: Any) -> str:
        return str(obj["monthly_per_kw"])


class PricesScreen(Schema):
    timezone: str
    currency: str
    distance_unit: Literal["km", "mi"]
    now: datetime
    undo: str | None
    feeds: list[FeedShown]
    tariffs: list[TariffShown]


class NewTariff(Strict):
    """like : the tariff whose bands and charges it begins with."""

    name: Annotated[str, Field(min_length=1, max_length=200)]
    since: date | None = None
    rival: bool = False
    default_price: float | None = None
    like: int | None = None


class StrokeIn(Strict):
    """Hours of the week for one line of the sheet; versions : of the bands, by id, as they are shown."""

    line: int
    days: list[int]
    start: str
    end: str
    months: list[int]
    versions: dict[str, int]


class BandMove(Strict):
    to: int


class Paid(Schema):
    """What is paid at an instant. line : place in the list; beaten : bands that match too, further down."""

    at: datetime
    price: float
    name: str
    line: int | None
    beaten: list[str]
    dated: bool
    holiday: bool


class BillOut(Schema):
    """What some time costs under a tariff. undated_part : share of the time for which dated prices were missing."""

    cars: float
    plug_and_go: float
    house: float
    fixed: float
    together: float
    a_month: float
    cars_per_100km: float
    wall_kwh: float
    solar_kwh: float
    km: float
    short_kwh: float
    undated_part: float


class ComparedTariff(Schema):
    id: int
    name: str
    dated: bool


class BillsOfMonth(Schema):
    month: str
    bills: list[BillOut]


class Turn(Schema):
    """Two tariffs. km_a_month : from which distance on the order changes, if any changes it."""

    km_a_month: float | None
    below: str
    above: str
    now_km_a_month: float
    cheaper_now: str
    saves_a_year: float


class TariffComparison(Schema):
    """Bills stand in the order of the tariffs. of : months in all; turns are told once all are worked out."""

    tariffs: list[ComparedTariff]
    of: int
    simulated: list[str]
    months: list[BillsOfMonth]
    totals: list[BillOut]
    turns: list[Turn]


# --- sun -----------------------------------------------------------------------------------------------------------------


class SkyShown(Schema):
    name: str
    simulated: bool


class SunPoint(Schema):
    at: datetime
    clear_kw: float
    house_kw: float


class SunDay(Schema):
    """A day ahead: parts of a clear day that are forecast for one case of ten, five and nine, and what they give."""

    day: date
    low: float
    middle: float
    high: float
    clear_kwh: float
    low_kwh: float
    middle_kwh: float
    high_kwh: float
    surplus_kwh: float
    curve: list[SunPoint]


class MeasuredDay(Schema):
    """A day behind: measured, and modelled under the sky that was."""

    day: date
    measured_kwh: float
    modelled_kwh: float
    clear_kwh: float


class CorrectionOut(Schema):
    factor: float
    n_days: int
    spread: float


class LearnedLoadOut(Schema):
    profile: list[list[str | float]]
    n_days: int
    cars_known: bool
    kwh_a_day: float


class SeriesShown(Schema):
    kind: str
    title: str
    span: Span | None


class SunScreen(Schema):
    timezone: str
    currency: str
    distance_unit: Literal["km", "mi"]
    now: datetime
    undo: str | None
    latitude: float | None
    longitude: float | None
    household_version: int
    arrays: list[ArrayRow]  # type: ignore[valid-type]
    sky: SkyShown
    typed_day: list[list[str | float]]
    days: list[SunDay]
    measured: list[MeasuredDay]
    correction: CorrectionOut | None
    base_load_kw: list[list[str | float]]
    learned_load: LearnedLoadOut | None
    series: list[SeriesShown]


class WaitingOut(Schema):
    """Charging without a day's sun beside waiting for it. pays_from : part of a clear day from which on waiting pays."""

    cost_now: float
    cost_low: float
    cost_middle: float
    cost_high: float
    chance: float
    worth_it: bool
    pays_from: float | None
    solar_kwh: float
    short_kwh: float
    sessions_now: list[datetime]
    sessions_waiting: list[datetime]


class WaitingOfCar(Schema):
    """answer : None where the day gives the car too little to ask."""

    id: str
    name: str
    answer: WaitingOut | None


class WaitingScreen(Schema):
    days: list[date]
    day: date
    sky: SkyShown
    cars: list[WaitingOfCar]
