"""Several cars: each planned against what the others leave, in more than one order, until nothing improves.

Work is bounded by counts and not by the clock, and costs are quantised before they are compared: the same household
gives the same plan.
"""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from moonplan.core import hookup
from moonplan.core.planner.constraints import broken_alone, room_for, sun_for
from moonplan.core.planner.one_car import Surroundings, nothing_left, plan_one
from moonplan.core.planner.outcome import Outcome, outcome
from moonplan.core.planner.problem import Car, Problem
from moonplan.core.simulate import Run, runs
from moonplan.core.timegrid import Floats

_ROUNDS = 3
_TRIALS_A_CAR = 150
# In how many slots a managed car's current is lowered at most.
_SLOTS_TRIMMED = 6
# How many lengths of a timer's session are tried, from the shortest on.
_LENGTHS_TRIED = 8
# Of how many contested slots a car tries to keep off.
_CONTESTED_TRIED = 8
# How many slots, over all cars and all tries, may be planned anew for it: a month of many cars is left at that.
_REPLANNED_SLOTS = 12_000
# By how many slots a session is tried earlier or later.
_SHIFTS = (-16, -4, -1, 1)


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


def plan_together(problem: Problem, *, thorough: bool) -> Candidate:
    """The best setpoints found: every order's first plan, improved, and re-planned in rounds.

    thorough : whether to try besides what a car's giving way to another in contested slots comes to.
    """
    best: Candidate | None = None
    for order in _orders(problem):
        found = _improved(problem, _in_order(problem, order))
        if found.better_than(best):
            best = found
    assert best is not None
    for _ in range(_ROUNDS):
        again = best
        for i in range(len(problem.cars)) if len(problem.cars) > 1 else ():
            amps = list(again.amps)
            amps[i] = _planned(problem, amps, i)
            trial = candidate(problem, amps)
            again = trial if trial.better_than(again) else again
        again = _improved(problem, again) if again is not best else again
        if not again.better_than(best):
            break
        best = again
    return _gives_way(problem, best) if thorough else best


def _gives_way(problem: Problem, best: Candidate) -> Candidate:
    """Each car in turn keeps off some of the slots that another could use; both are planned anew around that."""
    for i, car in enumerate(problem.cars):
        for t in _contested(problem, best, i):
            amps = list(best.amps)
            around = _surroundings(problem, amps, i)
            kept_off = around.room_a.copy()
            kept_off[t] = 0.0
            found, _ = plan_one(problem, car, Surroundings(kept_off, around.sun_kwh), problem.ahead.get(i))
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
    """As listed, backwards, and by the first departure."""
    listed = tuple(range(len(problem.cars)))

    def first_leave(i: int) -> float:
        departures = problem.cars[i].departures
        return departures[0].taking.at_s if departures else float("inf")

    return list(dict.fromkeys([listed, listed[::-1], tuple(sorted(listed, key=first_leave))]))


def _in_order(problem: Problem, order: Sequence[int]) -> Candidate:
    amps = [np.where(np.isnan(car.pinned_a), 0.0, car.pinned_a) for car in problem.cars]
    for i in order:
        amps[i] = _planned(problem, amps, i)
    return candidate(problem, amps)


def _planned(problem: Problem, amps: Sequence[Floats], i: int) -> Floats:
    car = problem.cars[i]
    around = _surroundings(problem, amps, i)
    key = (i, around.room_a.tobytes() + around.sun_kwh.tobytes())
    if key not in problem.planned:
        found, problem.ahead[i] = plan_one(problem, car, around, problem.ahead.get(i))
        problem.planned[key] = nothing_left(car, found, problem)
    return problem.planned[key]


def _surroundings(problem: Problem, amps: Sequence[Floats], i: int) -> Surroundings:
    return Surroundings(room_for(problem, amps, i), sun_for(problem, amps, i))


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
                if bool((moved > room + 1e-9).any()) or any(broken_alone(problem, car, moved)):
                    continue
                trial = candidate(problem, [*best.amps[:i], moved, *best.amps[i + 1 :]])
                if trial.better_than(best):
                    best, helped = trial, True
                    break
        best = _trimmed(problem, car, i, best)
    return best


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
                yield _with(without, first + shift, length, current)
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
        if trial.outcome.missed > best.outcome.missed or any(broken_alone(problem, car, amps)):
            continue
        trial = _lowered(problem, car, i, trial, run.first, run.first + n - 1)
        found = trial if trial.better_than(found) else found
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
    if any(broken_alone(problem, car, amps)):
        return best
    trial = candidate(problem, [*best.amps[:i], amps, *best.amps[i + 1 :]])
    return trial if trial.better_than(best) else best
