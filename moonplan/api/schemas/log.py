"""The log: nights beside their plans, sessions that are written down, and a month's statement."""

from __future__ import annotations

from datetime import date, datetime

from ninja import Schema

from moonplan.api.schemas.common import Day, Moment, Strict


class PlannedOut(Schema):
    """A session as it was planned when the evening's plan froze."""

    start: datetime
    end: datetime
    amps: float
    wall_kwh: float
    battery_kwh: float
    cost: float
    soc_from_pct: float
    soc_to_pct: float


class AsRead(Schema):
    """What somebody read of a session; None where nobody did."""

    wall_kwh: float | None
    soc_from_pct: float | None
    soc_to_pct: float | None


class TellsOfRate(Schema):
    """A session that tells how a car charges on a lead, and whether it is kept as a reading already."""

    lead: int
    kept: bool


class BoughtOut(Schema):
    band: str
    kwh: float
    cost: float


class LoggedOut(Schema):
    """A session as it was written down, and what it came to.

    read : what somebody read; the figures beside it are what follows. derived : those of the figures that nobody read.
    """

    id: int
    version: int
    start: datetime
    end: datetime
    wall_kwh: float
    battery_kwh: float
    soc_from_pct: float | None
    soc_to_pct: float | None
    read: AsRead
    as_planned: bool
    derived: list[str]
    solar_kwh: float
    cost: float
    cost_sun_free: float
    bought: list[BoughtOut]
    reading: TellsOfRate | None


class CarLogged(Schema):
    """A car's night. planned : None where nobody had planned it. cause, told : how it came out beside the plan, and why."""

    id: int
    name: str
    planned: list[PlannedOut] | None
    sessions: list[LoggedOut]
    cause: str
    told: str


class LoggedNight(Schema):
    """From noon to noon."""

    night: date
    start: datetime
    end: datetime
    cars: list[CarLogged]


class Log(Schema):
    """Nights that are over, the last one first. is_last, is_first : whether there is none after them, and none that anything
    is known of before them. months : that a statement can be made of."""

    now: datetime
    timezone: str
    currency: str
    distance_unit: str
    undo: str | None
    last: date
    is_last: bool
    is_first: bool
    nights: list[LoggedNight]
    months: list[str]


class Unwritten(Schema):
    """Cars that were to charge in the last night that is over, with nothing written down of it."""

    night: date
    cars: list[str]


class SessionIn(Strict):
    start: Moment
    end: Moment
    wall_kwh: float | None = None
    soc_from_pct: float | None = None
    soc_to_pct: float | None = None


class SessionPatch(Strict):
    start: Moment | None = None
    end: Moment | None = None
    wall_kwh: float | None = None
    soc_from_pct: float | None = None
    soc_to_pct: float | None = None


class NightTold(Strict):
    """What somebody says of a whole night of a car."""

    night: Day
    charged: bool


class StatementOut(Schema):
    """What a month came to, as far as it is written down.

    cost : fixed charges apart. at_once : what the same kWh had cost if every car had charged at once on arrival.
    first, last : nights that something is written down of. km : driven in that time; None where nothing is known.
    on_fuel : what that distance had cost on fuel, at the household's figures.
    """

    month: str
    sessions: int
    wall_kwh: float
    battery_kwh: float
    solar_kwh: float
    cost: float
    cost_sun_free: float
    fixed: float
    at_once: float
    bought: list[BoughtOut]
    first: date | None
    last: date | None
    km: float | None
    per_100km: float | None
    on_fuel: float | None
    fuel_per_100km: float | None
    fuel_price: float | None
    household_version: int
