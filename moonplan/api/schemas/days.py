"""The days ahead: trips, nights, ways out of a shortage, usual days, calendars, and habits side by side."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

from moonplan.api.schemas.common import MOST_BY_HAND, Day, Moment, Stretch, Strict
from moonplan.api.schemas.tonight import KeptOff, PinByHand, Point, SessionOut, Totals


class TripOnSheet(Schema):
    """A trip ahead. id : None for a usual day's. nth, night : its place among the departures, and the night
    that it leaves in; None for one that has begun. needed_pct, wants_more, can_leave : as of a departure."""

    id: int | None
    version: int
    nth: int | None
    night: str
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
    """A car's night, from noon to noon: need against what is recovered. at_home : the day whose usual drive would leave in
    it, where the car stays at home."""

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
    charged_to_pct: float | None
    away: bool
    plugged_in: bool
    kept_unplugged: bool
    at_home: date | None
    evening_version: int


class EndOut(Schema):
    """What is aboard when the plan ends, of what is wanted for what comes next."""

    required_pct: float
    planned_pct: float
    short_kwh: float
    short_km: float
    binds: list[str]


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
    without_dated_price: list[Stretch]
    simulated: list[str]
    undo: str | None
    server_ms: int


class TripEdit(Strict):
    """A trip as it is typed; what is left out stays, or takes the usual value."""

    vehicle_id: int | None = None
    leave: Moment | None = None
    back: Moment | None = None
    km: float | None = None
    temperature_c: float | None = None
    gain_kwh: float | None = None
    fill: bool | None = None
    fill_to_pct: float | None = None
    summary: Annotated[str, Field(max_length=200)] | None = None


class Repeat(Strict):
    days: Annotated[list[Day], Field(min_length=1, max_length=60)]


class NightEdit(Strict):
    plugged_in: bool


class AtHome(Strict):
    at_home: bool


class WayOut(Schema):
    """A change that makes a shortage less, found by planning with it. cost : what charging costs more."""

    told: str
    closes: bool
    short_kwh: float
    cost: float


class WaysOut(Schema):
    ways: list[WayOut]


class WayTaken(Strict):
    """by : when the car leaves, or when the nights end."""

    vehicle: int
    by: Moment
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
    ends_the_day_after: bool
    use_kwh_per_100km: float
    week: list[UsualDayOut]
    learned: LearnedUseOut | None
    readings: int
    odometer: list[OdometerOut]


class Usual(Schema):
    """What each car's usual days and consumption stand on."""

    cars: list[UsualOfCar]


class OdometerIn(Strict):
    day: Day | None = None
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
    """An iCalendar text; with `keep` its trips are stored, without it only told. dropped_too : with the trips that somebody
    took away before."""

    text: str
    answers: list[EventAnswer] = []
    dropped_too: bool = False
    keep: bool = False


class RefusedEvent(Schema):
    """when : it is; None where that can't be read, or was before now for the first time."""

    when: datetime | None
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
    """What a calendar came to. changed, gone : trips of events that are told otherwise now, or take place no more. dropped :
    events whose trip somebody took away before, and that stay out."""

    new: int
    changed: int
    gone: int
    again: int
    dropped: int
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
    """Changes to one car's evening; what is left out stays. `versions` are those of the inputs it was made from.

    at_home : a day on which the car does not do what it usually does.
    """

    soc_pct: float | None = None
    leave: Moment | None = None
    km: float | None = None
    limit_pct: float | None = None
    ceiling_a: float | None = None
    ready_by: str | None = None
    plugged_in: bool | None = None
    habit: str | None = None
    at_home: Day | None = None
    pins: list[PinByHand] | None = Field(default=None, max_length=MOST_BY_HAND)
    keep_off: list[KeptOff] | None = Field(default=None, max_length=MOST_BY_HAND)
    versions: dict[Literal["soc", "trip", "evening", "vehicle"], int] = {}
