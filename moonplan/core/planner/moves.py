"""Small moves: a plan's sessions made a little other, kept where the simulator says that it helps (docs/planner.md)."""

from collections.abc import Iterator, Sequence
from itertools import combinations, islice, pairwise

import numpy as np

from moonplan.core import hookup
from moonplan.core.planner.candidates import Candidate, candidate
from moonplan.core.planner.constraints import SLACK_A, broken_alone, broken_rules, may_begin, may_end, room_for
from moonplan.core.planner.outcome import least_current, missed_by
from moonplan.core.planner.problem import Car, Problem
from moonplan.core.simulate import NOTHING_KWH, Run, runs
from moonplan.core.timegrid import Floats

_ROUNDS = 3
# In how many slots a managed car's current is lowered at most.
_SLOTS_TRIMMED = 6
# How many lengths of a timer's session are tried at either end, from the shortest that gives as much on.
_LENGTHS_TRIED = 8
# A smoother session may count more by this part of the default price.
_SMOOTH_PART_OF_PRICE = 0.004
# How many pairs of changes to single slots are tried at most.
_PAIRS_TRIED = 2500
# By how many slots a session is begun later at most where its end is to have less.
_BEGINS_LATER = 4
# How many slots at one end of a session may have less, all the same.
_SLOTS_LESS = 12
# By how much a timer's current is made more or less, in turn. [A]
_CURRENT_BY = (1.0, -1.0, 0.3, -0.3, 0.1, -0.1, 0.03, -0.03, 0.01, -0.01)
# By how many slots a session is tried earlier or later.
_SHIFTS = (-16, -4, -1, 4, 1)


def improved(problem: Problem, start: Candidate, *, moves: int) -> Candidate:
    """Small moves on each car's sessions, kept while they help. moves : how many of a car are tried."""
    best = start
    for i, car in enumerate(problem.cars):
        best = _as_long_as_can_be(problem, car, i, best)
        room = room_for(problem, best.amps, i)
        left = moves
        helped = True
        while helped and left > 0:
            helped = False
            for moved in _moves(problem, car, best.amps[i]):
                left -= 1
                if left <= 0:
                    break
                if (moved > room + 1e-9).any() or missed_by(problem, car, moved) > missed_by(problem, car, best.amps[i]):
                    continue
                trial = _without_too_much(problem, car, i, best, _with_car(problem, best, i, moved))
                if trial.better_than(best) and not any(broken_alone(problem, car, trial.amps[i])):
                    best, helped = trial, True
                    break
        best = _at_all_there_is(problem, car, i, _smoothed(problem, car, i, _trimmed(problem, car, i, best)))
        best = _with_fewer_currents(problem, car, i, best)
    return best


def brought_forward(problem: Problem, best: Candidate) -> Candidate:
    """Each session as much earlier as it can be where that is no worse: between equals the sooner begun.

    By one slot and, while that helps, by twice as many.
    """
    for i, car in enumerate(problem.cars):
        room = room_for(problem, best.amps, i)
        for run in runs(best.amps[i]):
            if not np.isnan(car.pinned_a[run.first : run.last + 1]).all():
                continue
            first, by = run.first, 1
            while by:
                earlier = _earlier(problem, i, best, room, Run(first, first + run.last - run.first), by)
                best, first, by = (best, first, by // 2) if earlier is None else (earlier, first - by, 2 * by)
    return best


def _earlier(problem: Problem, i: int, best: Candidate, room: Floats, run: Run, by: int) -> Candidate | None:
    """A better plan with a car's session so many slots earlier; None where it cannot be, or is none."""
    car = problem.cars[i]
    if run.first < by:
        return None
    moved = _moved_to(best.amps[i], run.first, run.last - run.first + 1, run.first - by)
    if (moved > room + SLACK_A).any() or any(broken_alone(problem, car, moved)):
        return None
    trial = _with_car(problem, best, i, moved)
    return trial if trial.better_than(best) else None


def _as_long_as_can_be(problem: Problem, car: Car, i: int, best: Candidate) -> Candidate:
    """A timer that comes up short with a night's session as long as one can be at some current, where it misses less so."""
    if car.control == "managed" or not best.outcome.cars[i].short_kwh:
        return best
    edges = [*problem.grid.night_edges, problem.grid.n_slots]
    room = car.offered(room_for(problem, best.amps, i))
    for night in pairwise(edges):
        for amps in longest_sessions(problem, car, best.amps[i], room, night):
            if missed_by(problem, car, amps) <= missed_by(problem, car, best.amps[i]) and not any(
                broken_alone(problem, car, amps)
            ):
                best = min(best, _with_car(problem, best, i, amps), key=lambda one: one.outcome.rank)
    return best


def longest_sessions(problem: Problem, car: Car, amps: Floats, room: Floats, night: tuple[int, int]) -> Iterator[Floats]:
    """A timer's setpoints with the session of a night, from one edge to another, as long as one can be at each current that
    is left to it then: up to the next night's session, and over it, for then that night has one to have later."""
    begins, ends = night
    without = _with_none_begun(car, amps, begins, ends)
    # A session may last into the next night, and into what is left to it there.
    reaches = next((t for t in range(ends, len(room)) if not room[t]), len(room))
    starts, stops = may_begin(problem, car), may_end(problem, car)
    over = _with_none_begun(car, without, ends, reaches)
    for kept in (without, over) if (over != without).any() else (without,):
        beside = np.convolve(kept > 0, [1, 1, 1], mode="same") > 0
        for current in car.steps_a or np.unique(room[begins:reaches]).tolist():
            free = (room > current - SLACK_A) & ~beside & np.isnan(car.pinned_a)
            for run in runs(np.where(free, current, 0.0)):
                first = next((t for t in range(max(run.first, begins), min(run.last + 1, ends)) if starts[t]), None)
                if first is not None:
                    last = next((t for t in range(run.last, first, -1) if stops[t]), run.last)
                    yield _with(kept, first, last + 1 - first, current)


def _with_none_begun(car: Car, amps: Floats, begins: int, ends: int) -> Floats:
    """Setpoints without the sessions that begin between two edges and that nobody pinned."""
    without = amps.copy()
    for run in runs(amps):
        if begins <= run.first < ends and np.isnan(car.pinned_a[run.first]):
            without[run.first : run.last + 1] = 0.0
    return without


def _smoothed(problem: Problem, car: Car, i: int, best: Candidate) -> Candidate:
    """Each session of a managed car at the most there is, less only at its end or at its beginning, where that costs
    next to nothing.

    Many currents in one price come to the same, and nobody wants to see them.
    """
    if car.control != "managed" or car.steps_a:
        return best
    room = car.offered(room_for(problem, best.amps, i))
    price = _SMOOTH_PART_OF_PRICE * abs(problem.household.tariff.default_price)
    for run in runs(best.amps[i]):
        inside = slice(run.first, run.last + 1)
        less = best.amps[i][run.first : run.last] < room[run.first : run.last] - SLACK_A
        if not less.any() or not np.isnan(car.pinned_a[inside]).all():
            continue
        limit = best.outcome.weighed + price
        at_most = _with(best.amps[i], run.first, len(less) + 1, room[inside])
        shorter = [_less_at_one_end(problem, car, i, best, at_most, range(run.first, run.last + 1), limit)]
        for first in range(run.first, min(run.first + _BEGINS_LATER, run.last) + 1):
            later = _with(at_most, run.first, first - run.first, 0.0)
            shorter.append(_less_at_one_end(problem, car, i, best, later, range(run.last, first - 1, -1), limit))
        best = min(filter(None, shorter), key=lambda one: one.outcome.rank, default=best)
    return best


def _at_all_there_is(problem: Problem, car: Car, i: int, best: Candidate) -> Candidate:
    """The last slot of each session of a managed car at the most there is, where less saves nothing.

    A car that is full by then stops by itself, and another current for that is one more to key in.
    """
    if car.control != "managed":
        return best
    room = car.offered(room_for(problem, best.amps, i))
    for run in runs(best.amps[i]):
        t = run.last
        if best.amps[i][t] >= room[t] - SLACK_A or not np.isnan(car.pinned_a[t]):
            continue
        trial = _with_car(problem, best, i, _with(best.amps[i], t, 1, float(room[t])))
        if trial.outcome.rank <= best.outcome.rank and not any(broken_alone(problem, car, trial.amps[i])):
            best = trial
    return best


def _with_fewer_currents(problem: Problem, car: Car, i: int, best: Candidate) -> Candidate:
    """Sessions of a managed car whose current changes less often, where that is no worse.

    Of two currents in a row the one or the other for both, or the later one first, where one of them goes on then.
    """
    if car.control != "managed":
        return best
    room = car.offered(room_for(problem, best.amps, i))
    for run in runs(best.amps[i]):
        changes = np.flatnonzero(np.diff(best.amps[i][run.first : run.last + 1])) + run.first + 1
        for t, end in pairwise([*changes.tolist(), run.last + 1]):
            trials = [
                _with_car(problem, best, i, amps)
                for amps in _with_one_change_less(best.amps[i], t, end)
                if (amps <= room + SLACK_A).all() and not any(broken_alone(problem, car, amps))
            ]
            found = min(trials, key=lambda one: one.outcome.rank, default=best)
            best = found if found.outcome.rank <= best.outcome.rank else best
    return best


def _with_one_change_less(amps: Floats, t: int, end: int) -> Iterator[Floats]:
    """Setpoints of which those before a change and those from it to an edge are at one current, or change places."""
    before, after = amps[t - 1 : t + 1].tolist()
    if before == after:
        return
    others = np.flatnonzero(amps[:t] != before)
    first = int(others[-1]) + 1 if len(others) else 0
    yield _with(amps, first, end - first, before)
    yield _with(amps, first, end - first, after)
    if (first > 0 and amps[first - 1] == after) or (end < len(amps) and amps[end] == before):
        yield _with(amps, first, end - first, np.roll(amps[first:end], end - t))


def _less_at_one_end(
    problem: Problem, car: Car, i: int, best: Candidate, amps: Floats, slots: range, limit: float
) -> Candidate | None:
    """A car's setpoints with one session shorter at one end and at less in its last slots there, all the same, so that
    they come to no more than a limit [currency]; None where they do not.

    One slot may be too much at the least current and too little without; clear of that, more of them cost no less. Of more
    than one so few as have what is wanted to a hundredth of an ampere of one, and where none do the ones that come nearest.

    amps : with the session as it is at its most. slots : of the session, from that end on.
    """
    if not _as_good(problem, best, i, amps):
        return None
    while len(slots) > 1 and _as_good(problem, best, i, shorter := _with(amps, slots[0], 1, 0.0)):
        amps, slots = shorter, slots[1:]
    smooth, found = _with_car(problem, best, i, amps), None
    outermost = slots[0]
    for innermost in slots[:_SLOTS_LESS]:
        if abs(amps[innermost] - amps[outermost]) > SLACK_A:
            break
        lowered = _lowered(problem, car, i, smooth, min(innermost, outermost), max(innermost, outermost))
        if lowered.outcome.weighed > limit:
            if lowered.amps[i][innermost] > car.least_a + SLACK_A:
                break
            continue
        if found is not None and not lowered.better_than(found):
            continue
        found = lowered
        a_hundredth_less = _with(found.amps[i], outermost, 1, found.amps[i][outermost] - 0.01)
        if not _as_good(problem, found, i, a_hundredth_less):
            break
    return found


def _as_good(problem: Problem, best: Candidate, i: int, amps: Floats) -> bool:
    """Whether with other setpoints for a car nothing more is missed, and it breaks no rule."""
    car = problem.cars[i]
    if missed_by(problem, car, amps) > missed_by(problem, car, best.amps[i]) or any(broken_alone(problem, car, amps)):
        return False
    return not car.wishes or _with_car(problem, best, i, amps).outcome.missed_by_all <= best.outcome.missed_by_all


def _without_too_much(problem: Problem, car: Car, i: int, best: Candidate, moved: Candidate) -> Candidate:
    """A move with which a timer on a continuous lead is offered more than before, the sessions that are other at the least
    current that does."""
    if car.control == "managed" or car.steps_a or moved.amps[i].sum() <= best.amps[i].sum() + SLACK_A:
        return moved
    for run in runs(moved.amps[i]):
        if (moved.amps[i] != best.amps[i])[run.first : run.last + 1].any():
            moved = _lowered(problem, car, i, moved, run.first, run.last)
    return moved


def _with_car(problem: Problem, best: Candidate, i: int, amps: Floats) -> Candidate:
    """The plan with other setpoints for one car."""
    return candidate(problem, [*best.amps[:i], amps, *best.amps[i + 1 :]])


def _moves(problem: Problem, car: Car, amps: Floats) -> Iterator[Floats]:
    """Neighbouring plans of one car: sessions left out, shorter, longer, shifted, at another step, or joined."""
    found = runs(amps)
    for run in found:
        first, length, current = run.first, run.last - run.first + 1, float(amps[run.first])
        for other in found:
            if other is not run:
                yield from _given_to(amps, run, other)
        without = _with(amps, run.first, length, 0.0)
        yield without
        yield _with(amps, first, 1, 0.0)
        yield _with(amps, run.last, 1, 0.0)
        # To go on with a session that runs is no start.
        for shift in (*_SHIFTS, -first) if car.vehicle.charging and first > 0 else _SHIFTS:
            if first + shift >= 0 and run.last + shift < len(amps):
                yield _moved_to(amps, first, length, first + shift)
        for longer in (first - 1, run.last + 1):
            if 0 <= longer < len(amps):
                yield _with(amps, longer, 1, current)
        for step in car.steps_a:
            if abs(step - current) > 1e-9:
                yield _with(amps, first, length, step)
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


def _moved_to(amps: Floats, first: int, n: int, other_first: int) -> Floats:
    """Setpoints with some slots, and what they are at, in place of others."""
    return _with(_with(amps, first, n, 0.0), other_first, n, amps[first : first + n])


def _with(amps: Floats, first: int, n: int, current: float | Floats) -> Floats:
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
    """A timer's session from the same start, or up to the same end: shorter at more current, each length at the least that
    does."""
    least_a = least_current(problem, car, best.amps[i], run.first, run.last) or float(best.amps[i][run.first])
    without = _with(best.amps[i], run.first, run.last - run.first + 1, 0.0)
    found = _lowered(problem, car, i, best, run.first, run.last)
    room = car.offered(room_for(problem, best.amps, i))
    for first, n, amps in islice(_shorter(car, room, run, least_a), 2 * _LENGTHS_TRIED):
        trial = _with_car(problem, best, i, _with(without, first, n, amps))
        if trial.outcome.missed > best.outcome.missed:
            continue
        trial = _lowered(problem, car, i, trial, first, first + n - 1)
        if trial.better_than(found) and not any(broken_alone(problem, car, trial.amps[i])):
            found = trial
    return found


def _shorter(car: Car, room: Floats, run: Run, least_a: float) -> Iterator[tuple[int, int, float]]:
    """First slot, length and most current of sessions that are shorter than one at either end, the shortest first, and
    give the cautious car as much as that does at its least current."""
    slots = run.last - run.first + 1

    def kwh_per_h(amps: float) -> float:
        return car.rate.cautious.battery_kw(car.kw_per_a * amps)

    for n in range(1, slots):
        for first in (run.first, run.last + 1 - n):
            amps = float(room[first : first + n].min())
            if n * kwh_per_h(amps) >= slots * kwh_per_h(least_a) - NOTHING_KWH:
                yield first, n, amps


def _lowered(problem: Problem, car: Car, i: int, best: Candidate, first: int, last: int) -> Candidate:
    """Some slots of a session at the least current, in hundredths of an ampere, with which the car misses no more."""
    least_a = least_current(problem, car, best.amps[i], first, last)
    if least_a is None:
        return best
    stepped_a = hookup.stepped(least_a, steps_a=(), min_a=car.least_a)
    return _at(problem, i, best, Run(first, last), stepped_a) or best


def at_best_currents(problem: Problem, best: Candidate) -> Candidate:
    """Each session of a timer on a continuous lead at a little more or less current, while that helps.

    The least that does need not be the best: with a little more the mean car may be full a slot sooner.
    """
    for i, car in enumerate(problem.cars):
        if car.control == "managed" or car.steps_a:
            continue
        room = room_for(problem, best.amps, i)
        for run in runs(best.amps[i]):
            for by in _CURRENT_BY:
                better: Candidate | None = best
                while better is not None:
                    best = better
                    amps = hookup.stepped(best.amps[i][run.first] + by, steps_a=(), min_a=car.least_a)
                    better = _at(problem, i, best, run, amps) if 0 < amps <= room[run.first : run.last + 1].min() else None
    return best


def _at(problem: Problem, i: int, best: Candidate, run: Run, current: float) -> Candidate | None:
    """The plan with some slots of a session at another current, where that is better and breaks no rule."""
    amps = _with(best.amps[i], run.first, run.last - run.first + 1, current)
    trial = _with_car(problem, best, i, amps)
    return trial if trial.better_than(best) and not any(broken_alone(problem, problem.cars[i], amps)) else None


def paired(problem: Problem, best: Candidate) -> Candidate:
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
        trial = _with_car(problem, best, i, changed)
        if trial.better_than(found) and not broken_rules(problem, trial.amps):
            found = trial
    return found if found is not best else None
