"""Sun: the sky, the roof, what the house takes, and whether it pays to wait."""

from __future__ import annotations

from datetime import date, datetime
from typing import Literal

from ninja import Schema

from moonplan.api.schemas.files import Span
from moonplan.api.schemas.household import ArrayRow


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
