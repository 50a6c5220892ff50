"""A search among plans of several cars that stand in each other's way (docs/planner.md).

A part of a plan is given up (a car kept off a night or a few slots, two cars or a night of several taken out), and the cars
are planned anew around it; what comes out is kept if it is better. The choices are drawn from a seeded generator and
counted, so that the same household gives the same plan.
"""

from random import Random

import numpy as np

from moonplan.core.planner.candidates import Candidate, candidate, pinned, planned
from moonplan.core.planner.constraints import broken_rules
from moonplan.core.planner.problem import Problem
from moonplan.core.timegrid import Flags, Floats

_SEED = 20
# For how many nights, and for how many slots of a session, a car is kept off.
_NIGHTS_OFF = (1, 1, 2)
_SLOTS_OFF = (1, 2, 4, 8, 16)


def searched(problem: Problem, best: Candidate, *, tries: int, fine: bool) -> Candidate:
    """The best plan that a number of tries lead to from another.

    fine : see `OneCar`.
    """
    chance = problem.once("chance", lambda: Random(_SEED))
    for _ in range(tries):
        amps = _another(problem, best, chance, fine)
        if amps is None:
            continue
        found = candidate(problem, amps)
        if found.better_than(best) and not broken_rules(problem, found.amps):
            best = found
    return best


def _another(problem: Problem, best: Candidate, chance: Random, fine: bool) -> list[Floats] | None:
    amps = list(best.amps)
    cars = chance.sample(range(len(amps)), len(amps))
    kind = chance.random() * (1.0 if len(cars) > 1 else 0.6)
    if kind < 0.4:
        keep_off = _some_nights(problem, chance, _NIGHTS_OFF)
    elif kind < 0.6:
        keep_off = _some_slots(problem, amps[cars[0]], chance)
    else:
        if kind < 0.8:
            cars = [*cars[:2], cars[0]]
            emptied = np.ones(problem.grid.n_slots, dtype=np.bool_)
        else:
            cars = cars[: chance.randint(2, len(cars))]
            emptied = _some_nights(problem, chance, (1,))
        for i in cars:
            amps[i] = np.where(emptied, pinned(problem.cars[i]), amps[i])
        for i in cars:
            amps[i] = planned(problem, amps, i, fine=fine)
        return amps
    first = cars[0]
    if not (amps[first][keep_off] > 0).any():
        return None
    amps[first] = planned(problem, amps, first, fine=fine, keep_off=keep_off)
    for i in (*cars[1:], first):
        amps[i] = planned(problem, amps, i, fine=fine)
    return amps


def _some_nights(problem: Problem, chance: Random, lengths: tuple[int, ...]) -> Flags:
    nights = problem.grid.nights
    named = sorted(set(nights))
    first = chance.randrange(len(named))
    chosen = named[first : first + chance.choice(lengths)]
    return np.array([night in chosen for night in nights])


def _some_slots(problem: Problem, amps: Floats, chance: Random) -> Flags:
    chosen = np.zeros(problem.grid.n_slots, dtype=np.bool_)
    charging = np.flatnonzero(amps > 0)
    if len(charging):
        first = int(chance.choice(charging))
        chosen[first : first + chance.choice(_SLOTS_OFF)] = True
    return chosen
