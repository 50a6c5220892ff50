"""Every habit on the same nights, side by side (rules, section 7)."""

from dataclasses import dataclass, replace
from datetime import date
from functools import reduce
from typing import Any

import numpy as np

from moonplan.core.household import Household
from moonplan.core.planner.habits import SENTENCES
from moonplan.core.planner.plan import Plan, better, document, plan
from moonplan.core.rates import range_km
from moonplan.core.values import HABITS, Habit


@dataclass(frozen=True)
class Compared:
    """A household's nights under one habit.

    level_cost : the cost less what is aboard at the end beyond what `cheapest` leaves, at the horizon's lowest price,
        because habits leave different amounts in the battery. [currency]
    nights : on which something is plugged in. smallest_margin_km : least left over at a departure, if there is any.
    """

    habit: Habit
    sentence: str
    plan: Plan
    level_cost: float
    nights: tuple[date, ...]
    smallest_margin_km: float | None


def compare(household: Household, known: Plan | None = None) -> list[Compared]:
    """The plan of every habit, the household's own pins and decisions kept.

    known : a plan of the household that is shown elsewhere; the habit that comes nearest to it begins with it.

    Raises
    ------
    BadDocument
        If what a person pinned cannot be carried out.
    """
    like = None if known is None else known.setpoints
    plans = [plan(_under(household, habit), prove=False, like=like, fully=True) for habit in HABITS]
    # What one habit came to, another may do as well where it may at all.
    plans = [reduce(better, plans, made) for made in plans]
    usual = plans[HABITS.index("cheapest")]
    return [
        Compared(habit, SENTENCES[habit], made, _level_cost(made, usual), _nights(made), _smallest_margin_km(made))
        for habit, made in zip(HABITS, plans, strict=True)
    ]


def comparison_document(compared: list[Compared]) -> dict[str, Any]:
    """The comparison as JSON, numbers rounded once, on the way out."""
    return {
        "habits": [
            {
                "habit": one.habit,
                "sentence": one.sentence,
                "totals": document(one.plan)["totals"] | {"level_cost": round(one.level_cost, 5)},
                "nights": [night.isoformat() for night in one.nights],
                "smallest_margin_km": None if one.smallest_margin_km is None else round(one.smallest_margin_km, 2),
            }
            for one in compared
        ]
    }


def _under(household: Household, habit: Habit) -> Household:
    vehicles = tuple(replace(vehicle, habit=None) for vehicle in household.vehicles)
    return replace(household, habit=habit, vehicles=vehicles)


def _level_cost(made: Plan, usual: Plan) -> float:
    lowest = float(made.problem.prices.price.min()) if made.problem.grid.n_slots else 0.0
    more_kwh = sum(
        (float(mine.mean.soc_kwh[-1]) - float(other.mean.soc_kwh[-1])) / car.rate.mean.efficiency
        for car, mine, other in zip(made.problem.cars, made.outcome.cars, usual.outcome.cars, strict=True)
    )
    return made.outcome.cost - more_kwh * lowest


def _nights(made: Plan) -> tuple[date, ...]:
    nights = made.problem.grid.nights
    return tuple(sorted({nights[run.first] for car in made.outcome.cars for run in car.sessions}))


def _smallest_margin_km(made: Plan) -> float | None:
    margins = [
        range_km(ready.margin_kwh, car.vehicle.use_kwh_per_100km)
        for car, mine in zip(made.problem.cars, made.outcome.cars, strict=True)
        for ready in mine.departures
    ]
    return float(np.min(margins)) if margins else None
