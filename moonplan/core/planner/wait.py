"""Is it worth waiting for a day's sun? What charging without it costs, what waiting costs, and the chance that it pays."""

from dataclasses import dataclass, replace
from datetime import date, datetime

import numpy as np

from moonplan.core.costing import ev_cost
from moonplan.core.household import Forbid, Household
from moonplan.core.planner.plan import Plan, plan
from moonplan.core.sun import SkyFactor
from moonplan.core.timegrid import Flags, Floats
from moonplan.core.values import Habit

# A day that gives a car less than this is not worth a question. [kWh]
_WORTH_ASKING_KWH = 0.5
# Sky factors that are looked at for the one from which on waiting pays.
_LOOKED_AT = np.linspace(0.0, 1.2, 121)


@dataclass(frozen=True)
class Waiting:
    """Charging without a day's sun beside waiting for it; costs are levelled to what is aboard at the end.

    cost_now : all cars', in the cheapest plan that keeps the car off the day's surplus. [currency]
    cost_low, cost_middle, cost_high : of the plan that waits, if the day brings what is forecast for one case of ten, for
        five, for nine. [currency]
    pays_from : part of a clear day's output from which on waiting is no dearer; None where it never is.
    chance : that the day brings it.
    solar_kwh : the day's own sun in the car, as forecast in the middle.
    short_kwh : what waiting leaves short beyond what charging now does.
    sessions_now, sessions_waiting : when the car's sessions begin in both plans.
    """

    day: date
    cost_now: float
    cost_low: float
    cost_middle: float
    cost_high: float
    pays_from: float | None
    chance: float
    solar_kwh: float
    short_kwh: float
    sessions_now: tuple[datetime, ...]
    sessions_waiting: tuple[datetime, ...]

    @property
    def worth_it(self) -> bool:
        """Whether waiting is no dearer if the day is as forecast, and leaves nobody short."""
        return self.cost_middle <= self.cost_now and self.short_kwh == 0


def waiting(household: Household, vehicle: str, day: date, sky: SkyFactor) -> Waiting | None:
    """Both plans of a car for a day's sun; None where the day gives it too little to ask.

    The plan that waits is the household's as it is, if that takes the day's sun anyway; else the car takes the sun first.

    Parameters
    ----------
    household : its `solar_kw` is the forecast's middle, and its nights reach beyond the day.
    vehicle : the car that waits or not; the others keep to their habits.
    sky : what the day is forecast to bring, as parts of a clear day.

    Raises
    ------
    BadDocument
        As the planner.
    """
    i = next(n for n, car in enumerate(household.vehicles) if car.id == vehicle)
    patient = plan(household, prove=False)
    grid = patient.problem.grid
    of_day = np.array([start.date() == day for start in grid.starts[:-1]])
    if _sun_in_car(patient, i, of_day) < _WORTH_ASKING_KWH:
        patient = plan(_with_habit(household, vehicle, "sun_first"), prove=False, like=patient.setpoints, fully=True)
    solar = _sun_in_car(patient, i, of_day)
    if solar < _WORTH_ASKING_KWH or sky.middle <= 0:
        return None
    surplus = of_day & (patient.problem.surplus_kw > 0)
    kept_off = tuple(
        Forbid(vehicle=vehicle, start=grid.starts[first], end=grid.starts[last]) for first, last in _runs(surplus)
    )
    hasty = _with_habit(household, vehicle, "cheapest")
    hasty = replace(hasty, forbids=household.forbids + kept_off)
    now = plan(hasty, prove=False, like=patient.setpoints, fully=True)

    def costs(factor: float) -> tuple[float, float]:
        sun = np.where(of_day, patient.problem.sun_kw * (factor / sky.middle), patient.problem.sun_kw)
        return _cost(now, sun), _cost(patient, sun) - _more_aboard(patient, now)

    pays_from = next((float(factor) for factor in _LOOKED_AT if costs(float(factor))[1] <= costs(float(factor))[0]), None)
    return Waiting(
        day=day,
        cost_now=costs(sky.middle)[0],
        cost_low=costs(sky.low)[1],
        cost_middle=costs(sky.middle)[1],
        cost_high=costs(sky.high)[1],
        pays_from=pays_from,
        chance=0.0 if pays_from is None else sky.chance_of_at_least(pays_from),
        solar_kwh=solar,
        short_kwh=max(0.0, patient.outcome.short_in_time_kwh - now.outcome.short_in_time_kwh),
        sessions_now=_starts(now, i),
        sessions_waiting=_starts(patient, i),
    )


def _with_habit(household: Household, vehicle: str, habit: Habit) -> Household:
    vehicles = tuple(replace(car, habit=habit) if car.id == vehicle else car for car in household.vehicles)
    return replace(household, vehicles=vehicles)


def _sun_in_car(made: Plan, i: int, of_day: Flags) -> float:
    """Own sun that goes into a car on a day. [kWh]"""
    return float(made.outcome.costs[i].solar_kwh[of_day].sum())


def _runs(flags: Flags) -> list[tuple[int, int]]:
    edges = np.flatnonzero(np.diff(np.concatenate([[0], flags.astype(np.int8), [0]])))
    return [(int(first), int(last)) for first, last in edges.reshape(-1, 2)]


def _cost(made: Plan, sun_kw: Floats) -> float:
    """What a plan's setpoints cost under another sun. [currency]"""
    problem = made.problem
    ev_kw = np.sum(made.outcome.part_kw, axis=0)
    found = ev_cost(
        ev_kw,
        base_kw=problem.base_kw,
        solar_kw=sun_kw,
        price=problem.prices.price,
        export_price=problem.prices.export_price,
        hours=problem.grid.hours,
    )
    return float(found.cost.sum())


def _more_aboard(made: Plan, other: Plan) -> float:
    """What is aboard at the end beyond another plan's, at the lowest price. [currency]"""
    more_kwh = sum(
        (float(mine.mean.soc_kwh[-1]) - float(theirs.mean.soc_kwh[-1])) / car.rate.mean.efficiency
        for car, mine, theirs in zip(made.problem.cars, made.outcome.cars, other.outcome.cars, strict=True)
    )
    return more_kwh * float(made.problem.prices.price.min())


def _starts(made: Plan, i: int) -> tuple[datetime, ...]:
    return tuple(made.problem.grid.starts[run.first] for run in made.outcome.cars[i].sessions)
