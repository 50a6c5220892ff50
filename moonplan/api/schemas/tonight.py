"""Tonight: what each car does, what it is asked, and how the longer search stands."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from ninja import Schema

from moonplan.api.schemas.common import Stretch, Strict
from moonplan.api.schemas.household import ReadableCaution
from moonplan.core.planner.tonight import Action


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
    """By when a car was to be ready, or tonight ends, without what is wanted then: what is aboard and missing, and what
    binds."""

    by: datetime
    required_pct: float
    planned_pct: float
    short_kwh: float
    short_km: float
    binds: list[str]


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


class SocRead(Schema):
    """What somebody read off a car, and when."""

    at: datetime
    pct: float


class Inputs(Schema):
    """What changes every evening, with the versions that an edit must come with.

    soc_read : what its SoC stands on; soc_reckoned : whether it has changed since, as was planned. is_usual : whether the
    next trip is a usual day's, which nobody has named.
    """

    soc_pct: float
    soc_read: SocRead | None
    soc_reckoned: bool
    soc_version: int
    trip_version: int
    leave: datetime | None
    km: float | None
    is_usual: bool
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
    action: Action
    plug_in_by: datetime | None
    plug_in_again: list[datetime]
    in_place_of: str | None
    current: str | None
    ready_at: datetime | None
    leaves_first: bool
    why: str
    departure: DepartureOut | None
    not_ready: NotReady | None
    short_end: NotReady | None
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
    without_dated_price: list[Stretch]
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
