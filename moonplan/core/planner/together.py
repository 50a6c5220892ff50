"""Several cars: each planned against what the others leave, in more than one order, until nothing improves.

Work is bounded by counts and not by the clock, and costs are quantised before they are compared: the same household
gives the same plan.
"""

import dataclasses
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import combinations, permutations
from typing import cast

import numpy as np

from moonplan.core import hookup
from moonplan.core.planner.constraints import broken_alone, broken_rules, room_for, sun_for
from moonplan.core.planner.one_car import Surroundings, nothing_left, plan_one
from moonplan.core.planner.outcome import Outcome, outcome, short_kwh
from moonplan.core.planner.problem import Car, Problem
from moonplan.core.simulate import NOTHING_KWH, Run, runs
from moonplan.core.timegrid import Floats

_ROUNDS = 3
_MOST_ORDERS = 6
# How many of the orders are gone on with when there is time; at what parts of what the sharing is worth others are made.
_REFINED = 2
_GUIDED_SHARES = (1.3, 1.0, 0.75, 0.5, 0.25)
_PAIRED_SHARES = (1.0, 0.5)
_CONTROLS = ("hand", "timer", "managed")
_TRIALS_A_CAR = 150
# In how many slots a managed car's current is lowered at most.
_SLOTS_TRIMMED = 6
# How many lengths of a timer's session are tried, from the shortest on.
_LENGTHS_TRIED = 8
# Of how many contested slots a car tries to keep off.
_CONTESTED_TRIED = 6
# How many slots, over all cars and all tries, may be planned anew for it: a month of many cars is left at that.
_REPLANNED_SLOTS = 6_000
# A smoother session may count more by this part of the default price.
_SMOOTH_PART_OF_PRICE = 0.004
# How many pairs of changes to single slots are tried at most.
_PAIRS_TRIED = 2500
# By how many slots a session is tried earlier or later.
_SHIFTS = (-16, -4, -1, 1)


@dataclass(frozen=True)
class Guide:
    """What the cars' sharing is worth, slot by slot.

    tolls : per car, of an offered ampere. [currency/A] sun_price : of a kWh of own sun. [currency]
    """

    tolls: list[Floats]
    sun_price: Floats


@dataclass(frozen=True)
class Candidate:
    """Setpoints per car, shape (n_slots,) [A], and what they come to."""

    amps: tuple[Floats, ...]
    outcome: Outcome

    def better_than(self, other: "Candidate | None") -> bool:
        return other is None or self.outcome.rank < other.outcome.rank


def candidate(problem: Problem, amps: Sequence[Floats]) -> Candidate:
    """Setpoints with their outcome."""
    return Candidate(tuple(amps), outcome(problem, amps))


def plan_together(problem: Problem) -> Candidate:
    """A good plan soon: of the first plans of several orders the best, re-planned once, and improved."""
    alone = _alone(problem, fine=len(problem.cars) < 2)
    if _fit(problem, alone):
        alone = _alone(problem, fine=True)
        if _fit(problem, alone):
            return _improved(problem, alone)
    best = _firsts(problem)[0]
    improved = _improved(problem, _replanned(problem, best))
    best = improved if improved.better_than(best) else best
    # Nobody should come up short because another's plan is in the way: that is worth a longer search at once.
    return _gives_way(problem, best) if best.outcome.short_kwh > alone.outcome.short_kwh + NOTHING_KWH else best


def refined(problem: Problem, found: Candidate, guide: Guide) -> Candidate:
    """The best plan that a longer search finds.

    guide : what the cars' sharing is worth, from the bound; each order is planned at these prices as well.
    """
    if len(problem.cars) < 2:
        return _paired(problem, _settled(problem, found))
    starts = [found, *_firsts(problem)[:_REFINED]]
    for share in _GUIDED_SHARES:
        starts += [_in_order(problem, order, guide, share) for order in _orders(problem)[:2]]
    starts.sort(key=lambda start: start.outcome.rank)
    best = found
    for start in starts[: _REFINED + 1]:
        settled = _settled(problem, start)
        best = settled if settled.better_than(best) else best
    best = _paired_off(problem, best, guide) if len(problem.cars) > 2 else best
    return _paired(problem, _gives_way(problem, best))


def _paired_off(problem: Problem, best: Candidate, guide: Guide) -> Candidate:
    """Each car planned anew as if one other were not there, that one around it, and the first again around both."""
    for _ in range(_ROUNDS):
        before = best
        for i, j in permutations(range(len(problem.cars)), 2):
            for share in _PAIRED_SHARES:
                amps = list(best.amps)
                amps[j] = _pinned(problem.cars[j])
                amps[i] = _guided(problem, amps, i, guide, share)
                amps[j] = _planned(problem, amps, j)
                amps[i] = _planned(problem, amps, i)
                trial = candidate(problem, amps)
                best = _improved(problem, trial) if trial.better_than(best) else best
        if best is before:
            break
    return best


def _paired(problem: Problem, best: Candidate) -> Candidate:
    """Any two slots of a managed car changed at once, where there are so few that all pairs can be tried.

    With steps a current is too much or too little by a whole step; what one slot takes another can give back.
    """
    for i, car in enumerate(problem.cars):
        if car.control != "managed":
            continue
        slots = np.flatnonzero(car.chargeable & np.isnan(car.pinned_a))
        currents = [0.0, *(car.steps_a or (car.least_a,))]
        changes = [(int(t), a) for t in slots for a in {*currents, float(car.limit_a[t])} if a <= car.limit_a[t] + 1e-9]
        if len(changes) ** 2 > 2 * _PAIRS_TRIED:
            continue
        for _ in range(_ROUNDS):
            better = _best_pair(problem, best, i, changes)
            if better is None:
                break
            best = better
    return best


def _best_pair(problem: Problem, best: Candidate, i: int, changes: Sequence[tuple[int, float]]) -> Candidate | None:
    found, amps = best, best.amps[i]
    for (t, a), (other, b) in combinations(changes, 2):
        if t == other or (a == amps[t] and b == amps[other]):
            continue
        changed = amps.copy()
        changed[t], changed[other] = a, b
        trial = candidate(problem, [*best.amps[:i], changed, *best.amps[i + 1 :]])
        if trial.better_than(found) and not broken_rules(problem, trial.amps):
            found = trial
    return found if found is not best else None


def _fit(problem: Problem, found: Candidate) -> bool:
    """Whether plans that were made each for itself can be carried out together, at the cost that each reckoned with."""
    return not broken_rules(problem, found.amps) and not _share_sun(problem, found)


def _alone(problem: Problem, *, fine: bool) -> Candidate:
    """Each car as if the others were pinned at what they must do."""
    pinned = [_pinned(car) for car in problem.cars]
    return candidate(problem, [_planned(problem, pinned, i, fine=fine) for i in range(len(problem.cars))])


def _share_sun(problem: Problem, found: Candidate) -> bool:
    """Whether more than one car takes own sun in some slot."""
    if not (problem.sun_kw > problem.base_kw).any():
        return False
    taking = np.sum([part > 0 for part in found.outcome.part_kw], axis=0)
    return bool((taking[problem.sun_kw > problem.base_kw] > 1).any())


def _firsts(problem: Problem) -> list[Candidate]:
    """What planning one car after the other comes to, in several orders, the best first.

    Where some car comes up short, an order in which it is served first is tried as well.
    """
    orders = _orders(problem)
    found: dict[float, Candidate] = {}
    tried = 0
    while tried < len(orders) and tried < _MOST_ORDERS:
        order = orders[tried]
        tried += 1
        first = _in_order(problem, order)
        short = [i for i in order if first.outcome.cars[i].short_kwh > 0]
        again = (*short, *(i for i in order if i not in short))
        if short and again not in orders:
            orders.append(again)
        if not any(other.outcome.rank == first.outcome.rank for other in found.values()):
            found[tried] = first
    return sorted(found.values(), key=lambda one: one.outcome.rank)


def _settled(problem: Problem, found: Candidate) -> Candidate:
    """Re-planned in rounds and improved until neither helps."""
    for _ in range(_ROUNDS):
        improved = _improved(problem, _replanned(problem, found))
        if not improved.better_than(found):
            return found
        found = improved
        if len(problem.cars) < 2:
            break
    return found


def _replanned(problem: Problem, best: Candidate) -> Candidate:
    """Each car in turn planned anew against what the others do, kept where it helps."""
    for i in range(len(problem.cars)) if len(problem.cars) > 1 else ():
        amps = list(best.amps)
        amps[i] = _planned(problem, amps, i)
        trial = candidate(problem, amps)
        best = trial if trial.better_than(best) else best
    return best


def _gives_way(problem: Problem, best: Candidate) -> Candidate:
    """Each car in turn keeps off some of the slots that another could use; both are planned anew around that."""
    for i, car in enumerate(problem.cars):
        for t in _contested(problem, best, i):
            amps = list(best.amps)
            around = _surroundings(problem, amps, i)
            kept_off = around.room_a.copy()
            kept_off[t] = 0.0
            found, _ = plan_one(problem, car, dataclasses.replace(around, room_a=kept_off), _ahead(problem, i))
            amps[i] = nothing_left(car, found, problem)
            for j in range(len(problem.cars)):
                if j != i:
                    amps[j] = _planned(problem, amps, j)
            trial = candidate(problem, amps)
            if trial.better_than(best):
                best = _improved(problem, trial)
    return best


def _contested(problem: Problem, found: Candidate, i: int) -> list[int]:
    """Slots of car i, the cheapest first, in which some other car could take more if it were not for car i."""
    without = list(found.amps)
    without[i] = np.zeros(problem.grid.n_slots)
    contested = np.zeros(problem.grid.n_slots, dtype=np.bool_)
    for j in range(len(problem.cars)):
        if j != i:
            contested |= room_for(problem, without, j) > room_for(problem, found.amps, j) + 1e-9
    slots = np.flatnonzero(contested & (found.amps[i] > 0) & np.isnan(problem.cars[i].pinned_a))
    in_order = sorted(slots, key=lambda t: (float(problem.prices.price[t]), int(t)))
    tried = min(_CONTESTED_TRIED, _REPLANNED_SLOTS // (problem.grid.n_slots * len(problem.cars) ** 2))
    return [int(t) for t in in_order[:: -(-len(in_order) // tried)]] if tried and in_order else []


def _orders(problem: Problem) -> list[tuple[int, ...]]:
    """Those that can be steered least first, by the first departure, as listed, and backwards."""
    listed = tuple(range(len(problem.cars)))

    def first_leave(i: int) -> float:
        departures = problem.cars[i].departures
        return departures[0].taking.at_s if departures else float("inf")

    least_free = tuple(sorted(listed, key=lambda i: _CONTROLS.index(problem.cars[i].control)))
    return list(dict.fromkeys([least_free, tuple(sorted(listed, key=first_leave)), listed, listed[::-1]]))


def _in_order(problem: Problem, order: Sequence[int], guide: Guide | None = None, share: float = 1.0) -> Candidate:
    amps = [_pinned(car) for car in problem.cars]
    for i in order:
        amps[i] = _planned(problem, amps, i, fine=False) if guide is None else _guided(problem, amps, i, guide, share)
    return candidate(problem, amps)


def _guided(problem: Problem, amps: Sequence[Floats], i: int, guide: Guide, share: float) -> Floats:
    """A car planned around the others at a part of what the sharing is worth."""
    around = _surroundings(problem, amps, i)
    priced = dataclasses.replace(around, toll=share * guide.tolls[i], sun_price=guide.sun_price)
    return _planned_anew(problem, i, priced, fine=False)


def _pinned(car: Car) -> Floats:
    """Nothing but what a person pinned."""
    return np.where(np.isnan(car.pinned_a), 0.0, car.pinned_a)


def _planned(problem: Problem, amps: Sequence[Floats], i: int, *, fine: bool = True) -> Floats:
    around = _surroundings(problem, amps, i)
    key = ("plan", i, fine, around.room_a.tobytes(), around.sun_kwh.tobytes())
    return problem.once(key, lambda: _planned_anew(problem, i, around, fine))


def _planned_anew(problem: Problem, i: int, around: Surroundings, fine: bool) -> Floats:
    car = problem.cars[i]
    found, problem.done["ahead", i] = plan_one(problem, car, around, _ahead(problem, i), fine=fine)
    return nothing_left(car, found, problem)


def _ahead(problem: Problem, i: int) -> Floats | None:
    """How far the mean car was before the cautious one in the last plan that was made for the car."""
    return cast(Floats | None, problem.done.get(("ahead", i)))


def _surroundings(problem: Problem, amps: Sequence[Floats], i: int) -> Surroundings:
    return Surroundings(
        room_for(problem, amps, i), sun_for(problem, amps, i), np.zeros(problem.grid.n_slots), problem.prices.export_price
    )


def _improved(problem: Problem, start: Candidate) -> Candidate:
    """Small moves on each car's sessions, kept while they help."""
    best = start
    for i, car in enumerate(problem.cars):
        room = room_for(problem, best.amps, i)
        left = _TRIALS_A_CAR
        helped = True
        while helped and left > 0:
            helped = False
            for moved in _moves(problem, car, best.amps[i]):
                left -= 1
                if left <= 0:
                    break
                if (
                    bool((moved > room + 1e-9).any())
                    or short_kwh(problem, car, moved) > best.outcome.cars[i].short_kwh + 1e-5
                ):
                    continue
                trial = candidate(problem, [*best.amps[:i], moved, *best.amps[i + 1 :]])
                if trial.better_than(best) and not any(broken_alone(problem, car, moved)):
                    best, helped = trial, True
                    break
        best = _smoothed(problem, car, i, _trimmed(problem, car, i, best))
    return best


def _smoothed(problem: Problem, car: Car, i: int, best: Candidate) -> Candidate:
    """Each session of a managed car at the most there is, less only in its last slot, where that costs next to nothing.

    Many currents in one price come to the same, and nobody wants to see them.
    """
    if car.control != "managed" or car.steps_a:
        return best
    room = car.offered(room_for(problem, best.amps, i))
    price = _SMOOTH_PART_OF_PRICE * abs(problem.household.tariff.default_price)
    for run in runs(best.amps[i]):
        inside = slice(run.first, run.last + 1)
        ragged = np.count_nonzero(np.diff(best.amps[i][inside]))
        if ragged < 2 or not np.isnan(car.pinned_a[inside]).all():
            continue
        amps = best.amps[i].copy()
        amps[inside] = room[inside]
        last = run.last
        while last > run.first and _as_good(problem, best, i, shorter := _with(amps, last, 1, 0.0)) is not None:
            amps, last = shorter, last - 1
        smooth = _as_good(problem, best, i, amps)
        if smooth is None:
            continue
        lowered = _lowered(problem, car, i, smooth, last, last)
        if lowered.outcome.value + lowered.outcome.habits <= best.outcome.value + best.outcome.habits + price:
            best = lowered
    return best


def _as_good(problem: Problem, best: Candidate, i: int, amps: Floats) -> Candidate | None:
    """Other setpoints for a car that miss no more; None where they miss more, or break a rule."""
    trial = candidate(problem, [*best.amps[:i], amps, *best.amps[i + 1 :]])
    missed = trial.outcome.rank[:4] > best.outcome.rank[:4]
    return None if missed or any(broken_alone(problem, problem.cars[i], amps)) else trial


def _moves(problem: Problem, car: Car, amps: Floats) -> Iterator[Floats]:
    """Neighbouring plans of one car: sessions left out, shorter, longer, shifted, at another step, or joined."""
    found = runs(amps)
    for run in found:
        first, length, current = run.first, run.last - run.first + 1, float(amps[run.first])
        without = _with(amps, run.first, length, 0.0)
        yield without
        yield _with(amps, first, 1, 0.0)
        yield _with(amps, run.last, 1, 0.0)
        for shift in _SHIFTS:
            if first + shift >= 0 and run.last + shift < len(amps):
                moved = without.copy()
                moved[first + shift : first + shift + length] = amps[first : run.last + 1]
                yield moved
        for longer in (first - 1, run.last + 1):
            if 0 <= longer < len(amps):
                yield _with(amps, longer, 1, current)
        for step in car.steps_a:
            if abs(step - current) > 1e-9:
                yield _with(amps, first, length, step)
        for other in found:
            if other is not run:
                yield from _given_to(amps, run, other)
    if car.control == "managed":
        for t in np.flatnonzero(amps):
            for step in car.steps_a:
                if abs(step - amps[t]) > 1e-9:
                    yield _with(amps, int(t), 1, step)


def _given_to(amps: Floats, giver: Run, taker: Run) -> Iterator[Floats]:
    """A slot, or all of them, given by one session to another of the same car, at either end."""
    length = giver.last - giver.first + 1
    current = float(amps[taker.first])
    for n, firsts in ((1, (giver.first, giver.last)), (length, (giver.first,))):
        for first in firsts:
            less = _with(amps, first, n, 0.0)
            for start in (taker.first - n, taker.last + 1):
                if start >= 0 and start + n <= len(amps) and not less[start : start + n].any():
                    yield _with(less, start, n, current)


def _with(amps: Floats, first: int, n: int, current: float) -> Floats:
    changed = amps.copy()
    changed[first : first + n] = current
    return changed


def _trimmed(problem: Problem, car: Car, i: int, best: Candidate) -> Candidate:
    """With a continuous lead: the least current that still leaves nobody shorter, in the dearest slots first; for a
    timer in the whole of each session."""
    if car.steps_a:
        return best
    found = runs(best.amps[i])
    if car.control != "managed":
        for run in found:
            best = _resized(problem, car, i, best, run)
        return best
    on = np.flatnonzero(best.amps[i] > 0)
    ends = {run.last for run in found}
    dearest = sorted(on, key=lambda t: (-float(problem.prices.price[t]), t not in ends, -int(t)))
    for t in dearest[:_SLOTS_TRIMMED]:
        best = _lowered(problem, car, i, best, int(t), int(t))
    return best


def _resized(problem: Problem, car: Car, i: int, best: Candidate, run: Run) -> Candidate:
    """A timer's session from the same start: shorter at more current, each length at the least current that does."""
    room = room_for(problem, best.amps, i)
    slots = run.last - run.first + 1
    most = hookup.stepped(float(room[run.first : run.last + 1].min()), steps_a=(), min_a=car.least_a)
    shortest = max(1, int(slots * float(best.amps[i][run.first]) / max(most, car.least_a)))
    without = _with(best.amps[i], run.first, slots, 0.0)
    found = _lowered(problem, car, i, best, run.first, run.last)
    for n in range(shortest, min(slots, shortest + _LENGTHS_TRIED)):
        amps = _with(without, run.first, n, most)
        trial = candidate(problem, [*best.amps[:i], amps, *best.amps[i + 1 :]])
        if trial.outcome.missed > best.outcome.missed:
            continue
        trial = _lowered(problem, car, i, trial, run.first, run.first + n - 1)
        if trial.better_than(found) and not any(broken_alone(problem, car, trial.amps[i])):
            found = trial
    return found


def _lowered(problem: Problem, car: Car, i: int, best: Candidate, first: int, last: int) -> Candidate:
    low, high = round(car.least_a * 100), round(float(best.amps[i][first]) * 100)
    missed = best.outcome.missed
    while low < high:  # the least current, in hundredths of an ampere, that misses no more
        middle = (low + high) // 2
        amps = best.amps[i].copy()
        amps[first : last + 1] = middle / 100
        trial = candidate(problem, [*best.amps[:i], amps, *best.amps[i + 1 :]])
        if trial.outcome.missed > missed:
            low = middle + 1
        else:
            high = middle
    amps = best.amps[i].copy()
    amps[first : last + 1] = hookup.stepped(high / 100, steps_a=(), min_a=car.least_a)
    trial = candidate(problem, [*best.amps[:i], amps, *best.amps[i + 1 :]])
    return trial if trial.better_than(best) and not any(broken_alone(problem, car, amps)) else best
