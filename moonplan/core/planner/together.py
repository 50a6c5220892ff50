"""Several cars: each planned against what the others leave, until nothing improves.

Work is bounded by counts and not by the clock, and costs are quantised before they are compared: the same household
gives the same plan.
"""

from collections.abc import Sequence

import numpy as np

from moonplan.core.planner.at_once import at_once
from moonplan.core.planner.candidates import Candidate, candidate, pinned, planned
from moonplan.core.planner.constraints import broken_rules
from moonplan.core.planner.moves import improved, paired
from moonplan.core.planner.problem import Problem
from moonplan.core.planner.search import searched, swept
from moonplan.core.timegrid import Floats

_ROUNDS = 3
_MOST_ORDERS = 6
_PASSES = 2
_CONTROLS = ("hand", "timer", "managed")
# How many tries a search has for each car and night, and how many slots of cars it may plan anew in all: a month of many
# cars is left at that.
_FEWEST_TRIES = 20
_SOON = (1.2, 100_000)
_COARSELY = (10.0, 400_000)
_FINELY = (1.5, 80_000)


def plan_together(problem: Problem) -> Candidate:
    """A good plan soon: of the first plans of several orders the best, re-planned once, and improved."""
    alone = _alone(problem, fine=len(problem.cars) < 2)
    if _fit(problem, alone):
        alone = _alone(problem, fine=True)
        if _fit(problem, alone):
            return improved(problem, _replanned(problem, alone))
    best = _first(problem)
    best = searched(problem, best, tries=_tries(problem, _SOON), fine=False)
    return _better(improved(problem, _replanned(problem, best)), best)


def refined(problem: Problem, found: Candidate) -> Candidate:
    """The best plan that a longer search finds, first with coarse levels and then with fine ones."""
    best = found
    if len(problem.cars) > 1:
        best = searched(problem, best, tries=_tries(problem, _COARSELY), fine=False)
    best = _settled(problem, best)
    if len(problem.cars) > 1:
        best = swept(problem, best, passes=_PASSES)
    for _ in range(_ROUNDS):
        best = _settled(problem, searched(problem, best, tries=_tries(problem, _FINELY), fine=True))
    return paired(problem, _settled(problem, best))


def _better(one: Candidate, other: Candidate) -> Candidate:
    return one if one.better_than(other) else other


def _tries(problem: Problem, most: tuple[float, int]) -> int:
    cars, slots = len(problem.cars), problem.grid.n_slots
    wanted = max(_FEWEST_TRIES, round(most[0] * cars * len(set(problem.grid.nights))))
    return min(wanted, most[1] // max(1, slots * cars))


def _fit(problem: Problem, found: Candidate) -> bool:
    """Whether plans that were made each for itself can be carried out together, at the cost that each reckoned with."""
    return not broken_rules(problem, found.amps) and not _share_sun(problem, found)


def _alone(problem: Problem, *, fine: bool) -> Candidate:
    """Each car as if the others were pinned at what they must do."""
    others = [pinned(car) for car in problem.cars]
    return candidate(problem, [planned(problem, others, i, fine=fine) for i in range(len(problem.cars))])


def _share_sun(problem: Problem, found: Candidate) -> bool:
    """Whether more than one car takes own sun in some slot."""
    if not (problem.sun_kw > problem.base_kw).any():
        return False
    taking = np.sum([part > 0 for part in found.outcome.part_kw], axis=0)
    return bool((taking[problem.sun_kw > problem.base_kw] > 1).any())


def _first(problem: Problem) -> Candidate:
    """The best of what planning one car after the other comes to, in several orders.

    Where some car comes up short, an order in which it is served first is tried as well, and at last a plan in which all
    charge as soon as they can.
    """
    orders = _orders(problem)
    best: Candidate | None = None
    tried = 0
    while tried < len(orders) and tried < _MOST_ORDERS:
        order = orders[tried]
        tried += 1
        first = _in_order(problem, order)
        short = [i for i in order if first.outcome.cars[i].short_kwh > 0]
        again = (*short, *(i for i in order if i not in short))
        if short and again not in orders:
            orders.append(again)
        best = first if first.better_than(best) else best
    assert best is not None
    if best.outcome.short_kwh > 0:
        best = _better(_in_order(problem, orders[0], at_once(problem)), best)
    return best


def _settled(problem: Problem, found: Candidate) -> Candidate:
    """Re-planned in rounds and improved until neither helps."""
    for _ in range(_ROUNDS):
        better = improved(problem, _replanned(problem, found))
        if not better.better_than(found):
            return found
        found = better
    return found


def _replanned(problem: Problem, best: Candidate) -> Candidate:
    """Each car in turn planned anew against what the others do, kept where it helps."""
    for i in range(len(problem.cars)):
        amps = list(best.amps)
        amps[i] = planned(problem, amps, i, fine=True)
        trial = candidate(problem, amps)
        if trial.better_than(best) and not broken_rules(problem, trial.amps):
            best = trial
    return best


def _orders(problem: Problem) -> list[tuple[int, ...]]:
    """Those that can be steered least first, by the first departure, as listed, and backwards."""
    listed = tuple(range(len(problem.cars)))

    def first_leave(i: int) -> float:
        departures = problem.cars[i].departures
        return departures[0].taking.at_s if departures else float("inf")

    least_free = tuple(sorted(listed, key=lambda i: _CONTROLS.index(problem.cars[i].control)))
    return list(dict.fromkeys([least_free, tuple(sorted(listed, key=first_leave)), listed, listed[::-1]]))


def _in_order(problem: Problem, order: Sequence[int], amps: Sequence[Floats] | None = None) -> Candidate:
    """One car planned after the other, each around those before it and what the others do in a plan, if there is one."""
    amps = [pinned(car) for car in problem.cars] if amps is None else list(amps)
    for i in order:
        amps[i] = planned(problem, amps, i, fine=False)
    return candidate(problem, amps)
