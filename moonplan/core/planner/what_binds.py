"""What binds where a departure is short (rules, section 8)."""

from dataclasses import replace
from typing import Literal

import numpy as np

from moonplan.core.planner.constraints import room_for
from moonplan.core.planner.outcome import Outcome
from moonplan.core.planner.problem import Car, Problem, at_home, chargeable_slots
from moonplan.core.simulate import NOTHING_KWH

Binds = Literal["pin", "one session", "shared current", "habit", "limit", "hours", "power"]


def binds(problem: Problem, plan: Outcome, i: int, nth: int) -> Binds:
    """What makes car i's nth departure short: what, relaxed alone, would close it or comes closest to that.

    In turn: a pin or the one session a night of its control, the others on the same current, its habit, the limit in force,
    the hours in which it may charge, the power of its chain.
    """
    car = problem.cars[i]
    required = car.departures[nth].required_kwh

    def reaches(one: Car) -> bool:
        most = one.run(one.limit_a, one.rate.cautious, problem.grid).before_leaving_kwh[nth]
        return bool(most >= required - NOTHING_KWH)

    if reaches(replace(car, limit_a=car.offered(room_for(problem, [one.amps for one in plan.cars], i)))):
        return "one session" if np.isnan(car.pinned_a).all() else "pin"
    if reaches(car):
        return "shared current"
    amps = 0.0 if car.delivery is None else car.delivery.amps
    if problem.habit_of(car) != "cheapest":
        free = chargeable_slots(problem.household, car.vehicle, problem.grid)
        if reaches(replace(car, limit_a=np.where(free, amps, 0.0))):
            return "habit"
    unlimited = replace(car, limit_kwh=np.full(problem.grid.n_slots, car.vehicle.usable_kwh))
    if reaches(unlimited):
        return "limit"
    if reaches(replace(unlimited, limit_a=np.where(at_home(problem.household, car.vehicle, problem.grid), amps, 0.0))):
        return "hours"
    return "power"
