"""Plugging in and going: full current at arrival until the limit, timers ignored, shared circuits in order of arrival.

The yardstick that the other habits are measured by (rules, section 7).
"""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from moonplan.core.planner.at_once import until_full
from moonplan.core.planner.constraints import room_for
from moonplan.core.planner.problem import Car, Problem
from moonplan.core.timegrid import Floats


def plug_and_go(problem: Problem, hurried: Sequence[int]) -> Problem:
    """The problem with some cars, by index, pinned at what they do when nobody plans them."""
    cars = list(problem.cars)
    for i in hurried:
        cars[i] = replace(cars[i], control="managed")
    free = problem.with_cars(cars)
    amps = [np.where(np.isnan(car.pinned_a), 0.0, car.pinned_a) for car in free.cars]
    stays = sorted((first, i) for i in hurried for first in _arrivals(problem, free.cars[i]))
    for first, car in stays:
        amps[car] = _from_arrival(free, amps, car, first)
    for i in hurried:
        on = amps[i] > 0
        cars[i] = replace(
            cars[i], pinned_a=np.where(on, amps[i], np.nan), chargeable=on, limit_a=np.where(on, cars[i].limit_a, 0)
        )
    return problem.with_cars(cars)


def _arrivals(problem: Problem, car: Car) -> list[int]:
    """The first slots of each stay at home."""
    here = np.concatenate([[False], car.chargeable])
    return [int(t) for t in np.flatnonzero(here[1:] & ~here[:-1])]


def _from_arrival(problem: Problem, amps: Sequence[Floats], i: int, first: int) -> Floats:
    car = problem.cars[i]
    gone = np.flatnonzero(~car.chargeable[first:])
    past = first + int(gone[0]) if len(gone) else problem.grid.n_slots
    offered = car.offered(room_for(problem, amps, i))
    wanted = amps[i].copy()
    wanted[first:past] = np.where(np.isnan(car.pinned_a[first:past]), offered[first:past], car.pinned_a[first:past])
    return until_full(problem, car, wanted, keep=~np.isnan(car.pinned_a))
