"""Tariffs on a household's own nights: every stretch of a month planned again under each, and plug-and-go beside it.

A month is cut into stretches of at most seven nights, from noon to noon, each beginning with what the one before it left
aboard. What the month leaves aboard beyond its beginning counts at its lowest price, so that what is paid for is what was
driven.
"""

from collections.abc import Sequence
from dataclasses import dataclass, fields, replace
from datetime import date, datetime, timedelta
from functools import reduce
from zoneinfo import ZoneInfo

import numpy as np

from moonplan.core.household import Household, Tariff, Vehicle
from moonplan.core.planner.plan import Plan, plan
from moonplan.core.tariff import in_gap
from moonplan.core.timegrid import noon

_NIGHTS = 7


@dataclass(frozen=True, slots=True)
class Bill:
    """What some time costs under one tariff.

    cars : what charging costs under the household's habit, plug_and_go : and charged at once on arrival. [currency]
    house : what the house itself takes, less what it feeds in. fixed : daily and contracted charges. [currency]
    wall_kwh, solar_kwh : of the cars. km : driven. short_kwh : what no plan could reach.
    slots, undated : quarter hours, and those of them for which dated prices were missing, so that the bands held.
    """

    cars: float = 0.0
    plug_and_go: float = 0.0
    house: float = 0.0
    fixed: float = 0.0
    wall_kwh: float = 0.0
    solar_kwh: float = 0.0
    km: float = 0.0
    short_kwh: float = 0.0
    slots: int = 0
    undated: int = 0

    @property
    def together(self) -> float:
        """Cars, house and fixed charges. [currency]"""
        return self.cars + self.house + self.fixed

    @property
    def cars_per_km(self) -> float:
        """[currency/km], 0 where nothing was driven."""
        return self.cars / self.km if self.km else 0.0

    def __add__(self, other: "Bill") -> "Bill":
        return Bill(**{field.name: getattr(self, field.name) + getattr(other, field.name) for field in fields(Bill)})


def stretches(year: int, month: int, zone: ZoneInfo) -> list[tuple[datetime, int]]:
    """The noons that a month's stretches begin at, and how many nights each has."""
    first = date(year, month, 1)
    after = date(year + month // 12, month % 12 + 1, 1)
    days = range(0, (after - first).days, _NIGHTS)
    return [(noon(first + timedelta(days=n), zone), min(_NIGHTS, (after - first).days - n)) for n in days]


def bill_of_month(parts: Sequence[Household], tariff: Tariff, *, days: int) -> Bill:
    """What a month costs under a tariff.

    Parameters
    ----------
    parts : the household in each stretch of the month, with its trips and its sun; its own tariff does not count, and
        neither does the SoC of any but the first.
    days : of the month.

    Raises
    ------
    BadDocument
        As the planner.
    """
    under = [replace(part, tariff=tariff, later_tariffs=()) for part in parts]
    plans = _lived(under)
    at_once = _lived([replace(part, habit="plug_and_go", vehicles=_without_habits(part)) for part in under])
    bill = reduce(lambda a, b: a + b, (_of_stretch(made) for made in plans), Bill())
    return replace(
        bill,
        cars=_levelled(plans),
        plug_and_go=_levelled(at_once),
        fixed=tariff.daily_charge * days + tariff.monthly_per_kw * (tariff.contracted_kw or 0.0),
    )


def _without_habits(household: Household) -> tuple[Vehicle, ...]:
    return tuple(replace(vehicle, habit=None) for vehicle in household.vehicles)


def _lived(parts: Sequence[Household]) -> list[Plan]:
    """The stretches planned one after the other."""
    plans: list[Plan] = []
    for part in parts:
        vehicles = part.vehicles
        if plans:
            left = [float(car.mean.soc_kwh[-1]) for car in plans[-1].outcome.cars]
            vehicles = tuple(
                replace(vehicle, soc_pct=min(100.0, max(0.0, kwh / vehicle.usable_kwh * 100)))
                for vehicle, kwh in zip(vehicles, left, strict=True)
            )
        plans.append(plan(replace(part, vehicles=vehicles), prove=False))
    return plans


def _of_stretch(made: Plan) -> Bill:
    """A stretch's part of the bill, but for what the cars cost."""
    problem = made.problem
    net = problem.base_kw - problem.sun_kw
    bought, sold = np.maximum(0.0, net), np.maximum(0.0, -net)
    house = float((bought * problem.prices.price - sold * problem.prices.export_price).sum()) * problem.grid.hours
    return Bill(
        house=house,
        wall_kwh=sum(float(car.mean.wall_kwh.sum()) for car in made.outcome.cars),
        solar_kwh=sum(float(part.solar_kwh.sum()) for part in made.outcome.costs),
        km=sum(departure.trip.km for car in problem.cars for departure in car.departures),
        short_kwh=made.outcome.short_kwh,
        slots=problem.grid.n_slots,
        undated=int(in_gap(problem.household, problem.grid).sum()),
    )


def _levelled(plans: Sequence[Plan]) -> float:
    """The cost of the stretches, less what is aboard at the end beyond the beginning, at the lowest price. [currency]"""
    first, last = plans[0], plans[-1]
    more_kwh = sum(
        (float(mine.mean.soc_kwh[-1]) - car.soc_kwh) / car.rate.mean.efficiency
        for car, mine in zip(first.problem.cars, last.outcome.cars, strict=True)
    )
    lowest = min(float(made.problem.prices.price.min()) for made in plans)
    return sum(made.outcome.cost for made in plans) - more_kwh * lowest


@dataclass(frozen=True, slots=True)
class Turn:
    """Which of two bills is the smaller, and whether another distance would change that.

    km_a_month : from which distance on the order changes; None where none changes it. [km]
    below, above : 0 for the first bill, 1 for the other: the cheaper one with less driving than that, and with more.
    cheaper : the cheaper one as things are. saves : by so much, over the time of the bills. [currency]
    """

    km_a_month: float | None
    below: int
    above: int
    cheaper: int
    saves: float


def turn(one: Bill, other: Bill, *, months: int) -> Turn:
    """Two tariffs on the same drives, over so many months.

    House and fixed charges stay as they are; the cars' cost goes with the distance.
    """
    per_km = one.cars_per_km - other.cars_per_km
    standing = other.house + other.fixed - one.house - one.fixed
    km = standing / months / per_km if per_km else None
    # With little driving the one with the lower standing cost is cheaper.
    below = 0 if standing >= 0 else 1
    return Turn(
        km_a_month=km if km is not None and km > 0 else None,
        below=below,
        above=1 - below,
        cheaper=0 if one.together <= other.together else 1,
        saves=abs(one.together - other.together),
    )
