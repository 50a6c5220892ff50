"""Several cars: each planned against what the others leave, until nothing improves.

Work is bounded by counts and not by the clock, and costs are quantised before they are compared: the same household
gives the same plan.
"""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from moonplan.core.planner.at_once import at_once
from moonplan.core.planner.candidates import Candidate, candidate, pinned, planned
from moonplan.core.planner.constraints import broken_alone, broken_rules
from moonplan.core.planner.currents_anew import set_anew
from moonplan.core.planner.effort import CLOSER, CLOSEST, COARSE, FINE, FINE_OF_MANY, FINEST, MANY_CURRENTS, Effort
from moonplan.core.planner.moves import at_best_currents, brought_forward, improved, paired
from moonplan.core.planner.problem import CONTROLS, Problem
from moonplan.core.planner.quick.search import WARM_FOR_MISSED, quickly_searched
from moonplan.core.planner.quick.spells import searched_in_spells
from moonplan.core.planner.search import MISSED_MORE, contended_slots, relieved, searched, shifted, swept
from moonplan.core.timegrid import Flags, Floats

_ROUNDS = 3
_MOST_ORDERS = 6
# In which part of the tries two cars are planned together: of more cars than a few, and later of those, too.
_TOGETHER = 0.3
# Up to how many cars are planned finely soon, and up to how many slots of cars later.
_FEW_CARS, _SLOTS_FINELY = 2, 4_000
# Up to how many slots of cars every session is tried at other times of its night, and cars are planned as closely as can be:
# a week of one car, or a night of several.
_SLOTS_CLOSELY = 700
# Up to how many slots of cars that are not in each other's way they are planned so closely soon: a few nights.
_SLOTS_CLOSELY_SOON = 400
# How many quick tries a spell has, and as many after it: with fewer, nothing comes of most.
_SPELL = 1000
# How many small moves a car has, soon and thoroughly.
_FEW_MOVES, _MANY_MOVES = 20, 150


class _Slots(NamedTuple):
    """How many slots of cars a search plans anew or looks at in all its rounds: at the least, for few nights need more tries
    than their number tells; at the most, for a month of many cars is left at that; and where cars together miss more than
    each alone, at the least."""

    fewest: int
    most: int
    for_missed: int = 0


class _Quick(NamedTuple):
    """A quick search: how many tries it has for each car and night, 0 for none but for what is missed; and which part of
    them is not in spells."""

    well: int
    plainly: float = 1.0


class _Search(NamedTuple):
    """A search and the quick one after it. well : how many tries it has for each pair of cars and night."""

    well: float
    quick: _Quick = _Quick(0)


class _Soon(NamedTuple):
    """A first search, and how many slots of cars it and its quick one plan anew or look at."""

    search: _Search
    slots: _Slots
    quickly: _Slots


class _Long(NamedTuple):
    """A longer search: how closely it plans, its rounds, and whether each of them is settled and swept, or only the last."""

    effort: Effort
    rounds: tuple[_Search, ...]
    each_settled: bool = True


_SLOTS_THOROUGHLY, _SLOTS_QUICKLY_THOROUGHLY = _Slots(20_000, 2_000_000), _Slots(4_000_000, 320_000_000, 7_200_000)
_SLOTS_SOON, _SLOTS_QUICKLY_SOON = _Slots(8_000, 160_000), _Slots(300_000, 30_000_000, 3_600_000)
# Soon two cars find most where each is planned as well as can be, more of them by many small changes.
_SOON_OF_FEW = _Soon(_Search(0.7, _Quick(100)), _SLOTS_SOON, _SLOTS_QUICKLY_SOON)
_SOON_OF_MANY = _Soon(_Search(0.1, _Quick(375)), _SLOTS_SOON, _SLOTS_QUICKLY_SOON)
# Of a plan that goes on from one of nearly the same household a part of it finds about as much: what it begins with has been
# searched for already.
_SLOTS_ON, _SLOTS_QUICKLY_ON = _Slots(2_000, 40_000), _Slots(150_000, 15_000_000)
_ON_OF_FEW = _Soon(_Search(0, _Quick(50)), _SLOTS_ON, _SLOTS_QUICKLY_ON)
_ON_OF_MANY = _Soon(_Search(0.025, _Quick(95)), _SLOTS_ON, _SLOTS_QUICKLY_ON)
# Two cars are soon as good as they can be at little effort; of more the next try is worth more than a closer one, and what
# one search leaves the other often finds. Of two cars, and of one night, a longer search finds no more with a quick one.
_LONG_OF_FEW = _Long(CLOSER, (_Search(2.0), _Search(0.5)))
_LONG_OF_MANY = _Long(COARSE, 6 * (_Search(0.22, _Quick(600, 0.4)),), each_settled=False)
_LONG_OF_A_NIGHT = _Long(COARSE, (_Search(3.5), _Search(1.5)))


def plan_together(problem: Problem, like: Sequence[Floats] | None = None, *, fully: bool = False) -> Candidate:
    """A good plan soon: of the first plans of several orders the best, searched on a little, re-planned and improved.

    like : setpoints of a plan of nearly the same problem, per car, shape (n_slots,) [A]; the search begins with them where
        they fit and are better, and then is a part of what it is otherwise while most cars keep to theirs and together miss
        no more than alone. fully : not so.
    """
    known, (cars, nights) = None if like is None else _fitted(problem, like), _size(problem)
    alone = _alone(problem, COARSE)
    if _fit(problem, alone):
        effort = _apart(problem)
        closely = _alone(problem, effort)
        if _fit(problem, closely):
            # With few currents to choose from, what a coarse plan comes by may be better.
            best = _better(closely, alone)
            return brought_forward(problem, _better(_finished(problem, _replanned(problem, best, effort)), known))
    together, effort = (0.0, FINE) if cars <= _FEW_CARS else (_TOGETHER, FINE_OF_MANY)
    best, contended = _better(missing_least(problem), known), contended_slots(problem, alone.amps)
    goes_on = like is not None and best is known and _most_keep_to(like, best) and not _misses_more(best, alone)
    search, slots, quickly = _soon(cars, nights, goes_on=goes_on and not fully)
    tries = _tries(problem, search.well * cars**2 * nights, slots) if search.well else 0
    best = searched(problem, best, tries=tries, effort=COARSE, together=together, contended=contended)
    best = _quickly_searched(problem, best, alone, contended, search.quick, quickly)
    # Of two that come to the same, the one whose currents were evened out.
    return brought_forward(problem, _better(best, _finished(problem, _replanned(problem, best, effort))))


def _quickly_searched(
    problem: Problem,
    best: Candidate,
    alone: Candidate,
    contended: Flags,
    quick: _Quick,
    slots: _Slots,
    *,
    rounds: int = 1,
    again: int = 0,
) -> Candidate:
    """The best plan of a quick search; of a longer one where cars together miss more than each alone, half of it by way of
    missing yet more."""
    (cars, nights), missed = _size(problem), _misses_more(best, alone)
    if not quick.well and not missed:
        return best
    fewest = max(slots.fewest, slots.for_missed) if missed else slots.fewest
    tries = _tries(problem, quick.well * cars * nights, slots._replace(fewest=fewest), rounds) // (2 if missed else 1)
    spells = round((1 - quick.plainly) * tries) // (2 * _SPELL)
    plainly = tries - 2 * _SPELL * spells
    best = quickly_searched(problem, best, tries=plainly, contended=contended, again=again)
    best = searched_in_spells(problem, best, spells=spells, each=_SPELL, contended=contended, again=again)
    if missed:
        return quickly_searched(problem, best, tries=tries, contended=contended, again=again, warm=WARM_FOR_MISSED)
    return best


def _misses_more(found: Candidate, alone: Candidate) -> bool:
    """Whether cars together miss more than each does by itself."""
    return found.outcome.short_kwh > alone.outcome.short_kwh + MISSED_MORE


def _apart(problem: Problem) -> Effort:
    """How closely cars that are not in each other's way are planned soon."""
    cars, nights = _size(problem)
    timed = any(car.control != "managed" and not car.steps_a for car in problem.cars)
    if timed and nights > 1 and cars * problem.grid.n_slots <= _SLOTS_CLOSELY_SOON:
        return CLOSEST
    return FINEST if nights > 1 and cars == 1 else FINE


def _finished(problem: Problem, best: Candidate) -> Candidate:
    """A first plan with its currents set anew and a few small moves."""
    cars, nights = _size(problem)
    # Of one car in one night nothing is gained by all at once; and for one night each is tried by itself, too.
    anew = best if (cars, nights) == (1, 1) else set_anew(problem, best)
    moved = improved(problem, anew, moves=_FEW_MOVES)
    return at_best_currents(problem, moved) if nights == 1 else moved


def missing_least(problem: Problem) -> Candidate:
    """A plan made soon for what it misses: the best of several orders, in which others make way for a car that is short."""

    def found() -> Candidate:
        alone = _alone(problem, COARSE)
        return alone if _fit(problem, alone) else relieved(problem, _first(problem), alone, effort=COARSE)

    return problem.once("missing least", found)


def refined(problem: Problem, found: Candidate, *, again: int = 0) -> Candidate:
    """The best plan that a longer search finds. again : how often one went over it before, with other tries."""
    best, (cars, nights), slots = found, _size(problem), len(problem.cars) * problem.grid.n_slots
    finely, alone = FINEST if slots <= _SLOTS_FINELY else FINE_OF_MANY, _alone(problem, COARSE)
    if cars > 1:
        long, contended = _long(cars, nights), contended_slots(problem, alone.amps)
        rounds, settled = len(long.rounds), FINE if finely is FINEST else FINE_OF_MANY
        for nth, search in enumerate(long.rounds):
            tries = _tries(problem, search.well * cars**2 * nights, _SLOTS_THOROUGHLY, rounds)
            best = relieved(problem, best, alone, effort=long.effort)
            best = searched(
                problem, best, tries=tries, effort=long.effort, together=_TOGETHER, contended=contended, again=again
            )
            draws, quick, looked_at = 1 + rounds * again + nth, search.quick, _SLOTS_QUICKLY_THOROUGHLY
            best = _quickly_searched(problem, best, alone, contended, quick, looked_at, rounds=rounds, again=draws)
            if long.each_settled or nth == rounds - 1:
                best = swept(problem, _settled(problem, best, settled), effort=CLOSER)
        if slots <= _SLOTS_CLOSELY:
            best = shifted(problem, best, effort=CLOSER)
    problem.let_go("one car")
    best = set_anew(problem, _settled(problem, best, CLOSEST if slots <= _SLOTS_CLOSELY else finely))
    if cars <= _FEW_CARS and _fit(problem, alone):
        alone = _alone(problem, MANY_CURRENTS if slots <= _SLOTS_CLOSELY_SOON else CLOSEST)
        if _fit(problem, alone):
            best = _better(best, improved(problem, set_anew(problem, alone), moves=_MANY_MOVES))
        problem.let_go("one car")
    best = at_best_currents(problem, improved(problem, best, moves=_MANY_MOVES))
    return brought_forward(problem, paired(problem, best))


def _fitted(problem: Problem, like: Sequence[Floats]) -> Candidate | None:
    """Setpoints of another problem where they fit: a car that cannot keep to them is planned anew around the others, and
    then each where that helps, since what it needs may have changed."""
    if len(like) != len(problem.cars) or any(len(a) != problem.grid.n_slots for a in like):
        return None
    amps = list(like)
    for i, car in enumerate(problem.cars):
        if any(broken_alone(problem, car, amps[i])):
            amps[i] = planned(problem, amps, i, COARSE)
    return None if broken_rules(problem, amps) else _replanned(problem, candidate(problem, amps), COARSE)


def _most_keep_to(like: Sequence[Floats], found: Candidate) -> bool:
    """Whether no more than half of the cars are to do something else."""
    return sum(np.array_equal(*both) for both in zip(like, found.amps, strict=True)) * 2 >= len(like)


def _better(one: Candidate, other: Candidate | None) -> Candidate:
    return one if other is None or one.better_than(other) else other


def _soon(cars: int, nights: int, *, goes_on: bool) -> _Soon:
    if cars <= _FEW_CARS or nights == 1:
        return _ON_OF_FEW if goes_on else _SOON_OF_FEW
    return _ON_OF_MANY if goes_on else _SOON_OF_MANY


def _long(cars: int, nights: int) -> _Long:
    if cars <= _FEW_CARS:
        return _LONG_OF_FEW
    return _LONG_OF_MANY if nights > 1 else _LONG_OF_A_NIGHT


def _size(problem: Problem) -> tuple[int, int]:
    """How many cars, and how many nights."""
    return len(problem.cars), len(set(problem.grid.nights))


def _tries(problem: Problem, wanted: float, slots: _Slots, rounds: int = 1) -> int:
    """How many tries one of some rounds of a search has."""
    of_cars = max(1, problem.grid.n_slots * len(problem.cars) * rounds)
    return min(max(slots.fewest // of_cars, round(wanted), 1), max(1, slots.most // of_cars))


def _fit(problem: Problem, found: Candidate) -> bool:
    """Whether plans that were made each for itself can be carried out together, at the cost that each reckoned with."""
    return not broken_rules(problem, found.amps) and not _share_sun(problem, found)


def _alone(problem: Problem, effort: Effort) -> Candidate:
    """Each car as if the others were pinned at what they must do."""
    others = [pinned(car) for car in problem.cars]
    return candidate(problem, [planned(problem, others, i, effort) for i in range(len(problem.cars))])


def _share_sun(problem: Problem, found: Candidate) -> bool:
    """Whether more than one car takes own sun in some slot."""
    if not problem.surplus_kw.any():
        return False
    taking = np.sum([part > 0 for part in found.outcome.part_kw], axis=0)
    return bool((taking[problem.surplus_kw > 0] > 1).any())


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


def _settled(problem: Problem, found: Candidate, effort: Effort) -> Candidate:
    """Re-planned in rounds and improved until neither helps."""
    for _ in range(_ROUNDS):
        better = improved(problem, _replanned(problem, found, effort), moves=_MANY_MOVES)
        if not better.better_than(found):
            return found
        found = better
    return found


def _replanned(problem: Problem, best: Candidate, effort: Effort) -> Candidate:
    """Each car in turn planned anew against what the others do, kept where it helps.

    What a car's recursion found takes up to some hundred megabytes: the next car has the same room for it, and the plan,
    which is kept long after it was made, none.
    """
    for i in range(len(problem.cars)):
        amps = list(best.amps)
        amps[i] = planned(problem, amps, i, effort)
        problem.let_go("one car")
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

    least_free = tuple(sorted(listed, key=lambda i: -CONTROLS.index(problem.cars[i].control)))
    return list(dict.fromkeys([least_free, tuple(sorted(listed, key=first_leave)), listed, listed[::-1]]))


def _in_order(problem: Problem, order: Sequence[int], amps: Sequence[Floats] | None = None) -> Candidate:
    """One car planned after the other, each around those before it and what the others do in a plan, if there is one."""
    amps = [pinned(car) for car in problem.cars] if amps is None else list(amps)
    for i in order:
        amps[i] = planned(problem, amps, i, COARSE)
    return candidate(problem, amps)
