"""The quick search: many thousand small changes of a plan of several cars, compiled.

In each try something of the plan is given up (some slots or a session of a car, the nights of some cars, what is in the way
of a car that takes a time for itself, or what a car charges after it was charged to its limit), and the cars that lost
something are filled up again one after the other in a random order, where that is cheapest, and slimmed where they have more
than they need. What comes of it is kept if it is better, and now and then if it is worse, less and less often: ruin and
recreate (Schrimpf et al. 2000) with the acceptance of simulated annealing. A try takes tens of microseconds, where one of
`search` plans a car as well as can be in milliseconds; each finds what the other does not.
"""

import numpy as np

from moonplan.core.compiled import compiled, kernel
from moonplan.core.planner.candidates import Candidate, candidate
from moonplan.core.planner.constraints import broken_rules
from moonplan.core.planner.problem import Problem
from moonplan.core.planner.quick.course import (
    Course,
    Draws,
    Left,
    below_limit,
    billed,
    course_of,
    draw_of,
    draw_one,
    first_change,
    keep,
    look,
    past_changes,
    run_on,
)
from moonplan.core.planner.quick.field import Field, field_of
from moonplan.core.planner.quick.giving_up import something_given_up
from moonplan.core.planner.quick.managed import filled_up, slimmed
from moonplan.core.planner.quick.timer import lengthened, may_be, shortened
from moonplan.core.timegrid import Counts, Flags, Floats

_SEED = 88172645463325252
# How many draws it takes until those from nearly the same seed have nothing in common.
_DRAWN_FIRST = 20
# How much worse than the plan so far a try may be that is kept with a chance of 1 in e, at first; at first where it may miss
# some hundred watt-hours more on the way to missing less; and at last. [default price]
WARM, WARM_FOR_MISSED, _COLD = 0.06, 500.0, 0.006
# In how many tries cars are filled up where that is cheapest, and else by which part at the most they are not.
_CLOSELY, _LOOSELY = 0.4, 0.5
# From how many nights before on cars are filled up, up to one less; as often from the first night on.
_NIGHTS_BEFORE = 4
# How often what was short before and cannot be helped is tried again.
_TRIED_AGAIN = 0.1
# How often a car is filled up and slimmed before it is left at that.
_MOST_FILLED, _MOST_SLIMMED = 60, 30


def quickly_searched(
    problem: Problem, best: Candidate, *, tries: int, contended: Flags, again: int = 0, warm: float = WARM
) -> Candidate:
    """The best plan that a number of tries lead to from another.

    contended : slots that are looked at more often, shape (n_slots,). again : how often it was searched before, with other
        tries. warm : how much worse than the plan so far a try may be at first. [default price]

    Where a habit weighs own sun, which part of it each car takes counts, and that is not looked at here: such a plan stays,
    unless it misses something.
    """
    if as_it_is(problem, best):
        return best
    amps, _ = Tries(problem, contended, again=again).made(np.stack(best.amps), field_of(problem), tries, warm=warm)
    return or_better(problem, best, amps)


class Tries:
    """Tries of the quick search at one problem: where they look more often, and the draws that they go on with."""

    def __init__(self, problem: Problem, contended: Flags, *, again: int) -> None:
        self.price = problem.household.tariff.default_price
        self._contended, self._draws = np.flatnonzero(contended), np.array([_SEED + 7919 * again], dtype=np.uint64)

    def made(self, amps: Floats, field: Field, tries: int, *, warm: float = WARM) -> tuple[Floats, float]:
        """Setpoints of the best course that tries lead to, shape (C, N) [A], and what it comes to. [currency]"""
        return _searched(amps, field, tries, warm * self.price, _COLD * self.price, self._contended, self._draws)

    def comes_to(self, amps: Floats, field: Field) -> float:
        """What setpoints come to. [currency]"""
        return self.made(amps, field, 0)[1]


def as_it_is(problem: Problem, best: Candidate) -> bool:
    """Whether a plan is left as it is, since a habit weighs own sun and it misses nothing."""
    return problem.weighs_own_sun and not best.outcome.short_kwh


def or_better(problem: Problem, best: Candidate, amps: Floats) -> Candidate:
    """Other setpoints, shape (C, N) [A], if they are better and break no rule."""
    found = candidate(problem, list(amps))
    return found if found.better_than(best) and not broken_rules(problem, found.amps) else best


@compiled
def _searched(
    amps: Floats, field: Field, tries: int, warm: float, cold: float, contended: Counts, draws: Draws
) -> tuple[Floats, float]:
    """Setpoints of the best course found, shape (C, N) [A], and what it comes to. warm, cold : see `WARM`. [currency]"""
    cars, n = amps.shape
    course, kept = course_of(amps, field), course_of(amps, field)
    bill, before = np.zeros(n + 1), np.zeros(n + 1)
    comes_to = least = billed(0, before, before, field, course)
    best = amps.copy()
    for _ in range(_DRAWN_FIRST):
        draw_one(draws)
    left = Left(
        np.zeros(n + 1),
        np.zeros(n + 1),
        np.zeros(n + 1),
        np.zeros(n + 1),
        np.zeros(n + 1),
        np.zeros(n + 1),
        np.zeros(n + 1),
        np.zeros(n + 1, dtype=np.int64),
    )
    lost, order, since_of = np.zeros(cars, dtype=np.bool_), np.arange(cars), np.zeros(cars, dtype=np.int64)
    off, full, ran = np.zeros(3, dtype=np.int64), np.zeros(2, dtype=np.int64), np.zeros(cars, dtype=np.int64)
    for nth in range(tries):
        night = something_given_up(contended, off, full, lost, field, course, draws)
        if night < 0:
            _changes_since(since_of, lost, kept, course)
            _as_in(lost, since_of, course, kept)
            continue
        loosely = 0.0 if draw_one(draws) < _CLOSELY else _LOOSELY * draw_one(draws)
        nights = draw_of(_NIGHTS_BEFORE, draws)
        since = field.nights[max(0, night - nights)] if nights < _NIGHTS_BEFORE - 1 else 0
        _shuffle(order, draws)
        _changes_since(since_of, lost, kept, course)
        for i in range(cars):
            ran[i] = n
            if since_of[i] < n:
                # What comes after depends on what it is filled up with.
                ran[i] = past_changes(i, kept, course)
                run_on(i, since_of[i], ran[i], field, course)
        possible = True
        for k in range(cars):
            i = int(order[k])
            if lost[i] and possible:
                look(i, since, field, course, left)
                if off[0] == i:
                    left.room_a[off[1] : off[2]] = 0.0
                to_limit = int(full[1]) if full[0] == i else -1
                possible = _made_good(i, ran[i], since, to_limit, loosely, field, kept, course, left, draws)
        changed = _changes_since(since_of, lost, kept, course)
        found = billed(changed, before, bill, field, course) if possible else np.inf
        allowed = warm * (cold / warm) ** (nth / tries) if warm > 0 else 0.0
        if found <= comes_to or draw_one(draws) < np.exp((comes_to - found) / max(1e-9, allowed)):
            comes_to = found
            before[changed:] = bill[changed:]
            _as_in(lost, since_of, kept, course)
            if found < least - 1e-7:
                least = found
                best[:, :] = course.amps
        else:
            _as_in(lost, since_of, course, kept)
    return best, least


@kernel
def _changes_since(since_of: Counts, lost: Flags, kept: Course, course: Course) -> int:
    """Fill in from which slot on each car is offered something else, N where it is not; the first of them."""
    changed = course.amps.shape[1]
    for i in range(len(lost)):
        since_of[i] = first_change(i, kept, course) if lost[i] else course.amps.shape[1]
        changed = min(changed, since_of[i])
    return int(changed)


@kernel
def _as_in(lost: Flags, since_of: Counts, one: Course, other: Course) -> None:
    """Cars that lost something as they are in another course, from where they differ."""
    for i in range(len(lost)):
        if lost[i]:
            keep(i, since_of[i], one, other)


@kernel
def _shuffle(order: Counts, draws: Draws) -> None:
    for k in range(len(order) - 1, 0, -1):
        other = draw_of(k + 1, draws)
        order[k], order[other] = order[other], order[k]


@kernel
def _made_good(
    i: int,
    ran: int,
    since: int,
    to_limit: int,
    loosely: float,
    field: Field,
    kept: Course,
    course: Course,
    left: Left,
    draws: Draws,
) -> bool:
    """Fill up a car where it is short, and slim it; whether its sessions are such as it can have.

    ran : up to which edge its course is that of its currents. to_limit : by which of what is asked it is charged to its
        limit, and slimmed only after that; -1 for none.
    """
    n, q, narrowly, until = course.amps.shape[1], 0, True, 0
    for _ in range(_MOST_FILLED):
        short = 0.0
        while q < field.asked[i]:
            until = field.asked_edge[i, q]
            if ran < until:
                run_on(i, ran, until, field, course)
                ran = until
            if q == to_limit:
                short = below_limit(i, q, field, course)
            elif _worth_filling(i, q, field, kept, course, draws):
                short = field.asked_kwh[i, q] - course.aboard_kwh[i, q]
            if short > 0:
                break
            q += 1
        if q == field.asked[i]:
            break
        if field.managed[i]:
            first = filled_up(i, short, until, since, loosely, field, course, left, draws)
        else:
            first = lengthened(i, short, until, since, loosely, field, course, left, draws)
        if first < n:
            ran = min(ran, first)
        elif narrowly:
            # Nothing more is to be had so: looked for everywhere before it is missed.
            since, loosely, narrowly = 0, 0.0, False
            look(i, since, field, course, left)
        else:
            q += 1
    after = field.asked_edge[i, to_limit] if to_limit >= 0 else 0
    for nth in range(_MOST_SLIMMED + 1):
        if ran < n:
            run_on(i, ran, n, field, course)
        if nth == _MOST_SLIMMED:
            break
        ran = slimmed(i, after, field, course, left) if field.managed[i] else shortened(i, after, field, course, left)
        if ran == n:
            break
    return field.managed[i] or may_be(i, field, course)


@kernel
def _worth_filling(i: int, q: int, field: Field, kept: Course, course: Course, draws: Draws) -> bool:
    """Whether something is short that was not as short before, or is tried again."""
    if field.asked_kwh[i, q] - course.aboard_kwh[i, q] <= 1e-4:
        return False
    return course.aboard_kwh[i, q] < kept.aboard_kwh[i, q] - 1e-6 or draw_one(draws) < _TRIED_AGAIN
