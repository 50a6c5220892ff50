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
    billed,
    charger_of,
    course_of,
    draw_of,
    draw_one,
    first_change,
    gain,
    keep,
    look,
    offered_at_most,
    past_changes,
    room_at,
    run_on,
)
from moonplan.core.planner.quick.field import Field, field_of
from moonplan.core.planner.quick.managed import filled_up, slimmed
from moonplan.core.planner.quick.timer import cut, given_up, lengthened, may_be, session_of, shortened
from moonplan.core.planner.slots import NOTHING
from moonplan.core.timegrid import Counts, Flags, Floats

_SEED = 88172645463325252
# How many draws it takes until those from nearly the same seed have nothing in common.
_DRAWN_FIRST = 20
# How much worse than the plan so far a try may be that is kept with a chance of 1 in e, at first; at first where it may miss
# some hundred watt-hours more on the way to missing less; and at last. [default price]
WARM, WARM_FOR_MISSED, _COLD = 0.06, 500.0, 0.006
# How often a night is one in which cars want more than there is.
_CONTENDED = 0.6
# How often a car charges to its limit before it leaves. Else how often a car gives up some slots, and how often cars give up
# nights; else a car takes a time for itself.
_TO_THE_LIMIT, _SOME_SLOTS, _NIGHTS = 0.05, 0.35, 0.35
# In how many tries cars are filled up where that is cheapest, and else by which part at the most they are not.
_CLOSELY, _LOOSELY = 0.4, 0.5
# How often others are planned again where a car gave up some slots, or give up the same nights as it.
_OTHERS_TOO, _OTHERS_NIGHTS = 0.5, 0.4
# How often a car is kept off what it gave up, and how often a managed one gives up a whole session.
_KEPT_OFF, _WHOLE = 0.4, 0.3
# How often cars give up two nights in a row.
_TWO_NIGHTS = 0.4
# Up to how many times two, less one, slots are given up, and taken.
_SLOTS_GIVEN, _SLOTS_TAKEN = 5, 6
# How often a time that a car takes is beside a change of price or of what charges, and how often it takes all there is.
_AT_A_CHANGE, _AT_MOST = 0.6, 0.6
# How often such a time ends there instead of beginning. How often a timer takes all there is for it, how often it charges as
# much as in the session that it had, and how often from where that began or until where it ended.
_UNTIL, _TIMER_AT_MOST, _AS_MUCH, _IN_ITS_PLACE = 0.5, 0.3, 0.7, 0.7
# How often others give up the night in which a car charges to its limit, and up to how many times that it leaves after that
# it gives up what it charges.
_OTHERS_LIMIT, _LEAVES_AFTER = 0.3, 2
# How near to its limit a car is at it. [kWh]
_NEAR_KWH = 1e-4
# How often a timer that is in the way goes on at less, and how often it gives up the whole session instead of a part of it.
_AT_LESS, _WHOLLY = 0.4, 0.1
# How often a slot is looked for before it is given up.
_LOOKED = 20
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
        night = _something_given_up(contended, off, full, lost, field, course, draws)
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
                short = _below_limit(i, q, field, course)
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
def _below_limit(i: int, q: int, field: Field, course: Course) -> float:
    """How far a car is below its limit where something is asked; 0 where next to nothing. [kWh]"""
    below = field.limit_kwh[i, field.asked_edge[i, q] - 1] - course.aboard_kwh[i, q] - _NEAR_KWH
    return float(below) if below > _NEAR_KWH else 0.0


@kernel
def _worth_filling(i: int, q: int, field: Field, kept: Course, course: Course, draws: Draws) -> bool:
    """Whether something is short that was not as short before, or is tried again."""
    if field.asked_kwh[i, q] - course.aboard_kwh[i, q] <= 1e-4:
        return False
    return course.aboard_kwh[i, q] < kept.aboard_kwh[i, q] - 1e-6 or draw_one(draws) < _TRIED_AGAIN


@kernel
def _something_given_up(
    contended: Counts, off: Counts, full: Counts, lost: Flags, field: Field, course: Course, draws: Draws
) -> int:
    """Give up something of a course; in which night, -1 where there was nothing.

    off : filled in with the car that is kept off some slots, -1 for none, and those slots' edges, shape (3,).
    full : filled in with the car that is charged to its limit, -1 for none, and by which of what is asked, shape (2,).
    lost : filled in with whether a car lost something, shape (C,).
    """
    cars = course.amps.shape[0]
    lost[:] = False
    off[0] = full[0] = -1
    night, i, what = draw_of(len(field.nights) - 1, draws), draw_of(cars, draws), draw_one(draws)
    if len(contended) and draw_one(draws) < _CONTENDED:
        night = int(np.searchsorted(field.nights, contended[draw_of(len(contended), draws)], side="right")) - 1
    if draw_one(draws) < _TO_THE_LIMIT:
        something = _to_the_limit(i, night, full, lost, field, course, draws)
    elif what < _SOME_SLOTS:
        something = _some_slots_given_up(i, night, off, lost, field, course, draws)
    elif what < _SOME_SLOTS + _NIGHTS:
        something = _nights_given_up(i, night, lost, field, course, draws)
    else:
        something = _time_taken(i, night, lost, field, course, draws)
    return night if something else -1


@kernel
def _some_slots_given_up(i: int, night: int, off: Counts, lost: Flags, field: Field, course: Course, draws: Draws) -> bool:
    """Car i gives up some slots of a night in which it charges, or a session; whether it has any."""
    begins, ends = field.nights[night], field.nights[night + 1]
    at = begins
    for _ in range(_LOOKED):
        at = begins + draw_of(ends - begins, draws)
        if course.amps[i, at] > 0:
            break
    if course.amps[i, at] <= 0 or field.fixed[i, at]:
        return False
    many = 1 << draw_of(_SLOTS_GIVEN, draws)
    first = max(begins, at - draw_of(many, draws))
    past = min(ends, first + many)
    whole = draw_one(draws) < _WHOLE
    if field.managed[i]:
        if whole:
            first, past = _around(i, at, field, course)
        _slots_given_up(i, first, past, field, course)
    else:
        cut(i, at, min(past, at + 1), whole, field, course)
        cut(i, first, past, whole, field, course)
    if draw_one(draws) < _KEPT_OFF:
        off[0], off[1], off[2] = i, first, past
    for j in range(len(lost)):
        lost[j] = j == i or draw_one(draws) < _OTHERS_TOO
    return True


@kernel
def _around(i: int, at: int, field: Field, course: Course) -> tuple[int, int]:
    """The slots in a row in which a car charges around one."""
    first, past = at, at + 1
    while first > 0 and course.amps[i, first - 1] > 0 and not field.fixed[i, first - 1]:
        first -= 1
    while past < course.amps.shape[1] and course.amps[i, past] > 0 and not field.fixed[i, past]:
        past += 1
    return first, past


@kernel
def _nights_given_up(i: int, night: int, lost: Flags, field: Field, course: Course, draws: Draws) -> bool:
    """Car i and others give up what they charge in a night or two."""
    last = min(len(field.nights) - 1, night + (2 if draw_one(draws) < _TWO_NIGHTS else 1))
    for j in range(len(lost)):
        if j != i and draw_one(draws) >= _OTHERS_NIGHTS:
            continue
        for of in range(night, last):
            _night_given_up(j, of, lost, field, course)
    return True


@kernel
def _night_given_up(i: int, night: int, lost: Flags, field: Field, course: Course) -> None:
    """Car i gives up what it charges in a night, but for what somebody pinned."""
    lost[i] = True
    if field.managed[i]:
        _slots_given_up(i, field.nights[night], field.nights[night + 1], field, course)
        return
    session = session_of(i, night, field, course)
    if session.past > 0 and not field.fixed[i, session.first]:
        given_up(i, session.first, session.past, course)


@kernel
def _slots_given_up(i: int, first: int, past: int, field: Field, course: Course) -> None:
    """A managed car gives up what it charges in some slots, but for what somebody pinned."""
    for t in range(first, past):
        if not field.fixed[i, t]:
            course.amps[i, t] = 0.0


@kernel
def _to_the_limit(i: int, night: int, full: Counts, lost: Flags, field: Field, course: Course, draws: Draws) -> bool:
    """Car i is to charge to its limit before it leaves next, and gives up what it charges after that; whether it can.

    There the mean car waits for the cautious one, and from then on less is to be had for the one to have enough; a car that
    nearly gets there has nothing of that.
    """
    q = 0
    while q < field.asked[i] and field.asked_edge[i, q] <= field.nights[night]:
        q += 1
    if q == field.asked[i] or _below_limit(i, q, field, course) == 0:
        return False
    last = min(field.asked[i] - 1, q + 1 + draw_of(_LEAVES_AFTER, draws))
    first, past = field.asked_edge[i, q], field.asked_edge[i, last]
    for j in range(len(lost)):
        if j != i and draw_one(draws) < _OTHERS_LIMIT:
            _night_given_up(j, night, lost, field, course)
    lost[i] = True
    full[0], full[1] = i, q
    if field.managed[i]:
        _slots_given_up(i, first, past, field, course)
    else:
        cut(i, first, past, False, field, course)
    return True


@kernel
def _time_taken(i: int, night: int, lost: Flags, field: Field, course: Course, draws: Draws) -> bool:
    """Car i takes a time of a night for itself, and others give way; whether it can."""
    begins, ends = field.nights[night], field.nights[night + 1]
    many, first = 1 << draw_of(_SLOTS_TAKEN, draws), _a_time(begins, ends, field, course, draws)
    if draw_one(draws) < _UNTIL:
        first = max(begins, first - many)
    past = min(course.amps.shape[1], first + many)
    lost[i] = True
    if field.managed[i]:
        part = 1.0 if draw_one(draws) < _AT_MOST else draw_one(draws)
        for t in range(first, past):
            if field.free_a[i, t] > 0:
                course.amps[i, t] = offered_at_most(i, part * field.free_a[i, t], field)
    else:
        first, past = _session_at(i, night, first, past, field, course, draws)
        if past <= first:
            return False
    for j in range(len(lost)):
        if j == i:
            continue
        if field.lead[j] != field.lead[i]:
            _gives_way(j, first, past, lost, field, course, draws)
        elif not _leaves_the_lead(j, first, past, lost, field, course):
            return False
    _only_what_is_left(i, first, past, field, course)
    return True


@kernel
def _a_time(begins: int, ends: int, field: Field, course: Course, draws: Draws) -> int:
    """A slot of a night, often one in which the price or which cars charge changes."""
    at, anywhere = begins + draw_of(ends - begins, draws), draw_one(draws) >= _AT_A_CHANGE
    for _ in range(_LOOKED):
        if anywhere or at == 0:
            break
        changes = field.price[at] != field.price[at - 1]
        for j in range(course.amps.shape[0]):
            changes = changes or (course.amps[j, at] > 0) != (course.amps[j, at - 1] > 0)
        if changes:
            break
        at = begins + draw_of(ends - begins, draws)
    return at


@kernel
def _session_at(i: int, night: int, first: int, past: int, field: Field, course: Course, draws: Draws) -> tuple[int, int]:
    """Give a timer a session of a night instead of the one it has; its first slot and the one after it, alike if it can't.

    It is from one slot to before another, or gives as much as the one that it had: at less current it is longer.
    """
    begins, n, had = field.nights[night], course.amps.shape[1], session_of(i, night, field, course)
    if had.past > 0 and field.fixed[i, had.first]:
        return first, first
    most = field.free_a[i, had.first if had.past > 0 else first]
    if draw_one(draws) >= _TIMER_AT_MOST:
        most = field.least_a[i] + (most - field.least_a[i]) * draw_one(draws)
    amps = offered_at_most(i, most, field)
    each = gain(amps, course.cautious_kwh[i, begins], charger_of(i, field))
    if each <= 0:
        return first, first
    if had.past > 0 and draw_one(draws) < _AS_MUCH:
        long, place = int(np.ceil(course.gained_kwh[i, had.first : had.past].sum() / each - NOTHING)), draw_one(draws)
        if place < _IN_ITS_PLACE:
            first = had.first if place < _IN_ITS_PLACE / 2 else max(begins, had.past - long)
        past = min(n, first + long)
    given_up(i, had.first, had.past, course)
    if not field.begins[i, first] or (first > 0 and course.amps[i, first - 1] > 0):
        return first, first
    t = first
    while t < past and field.free_a[i, t] > 0 and course.amps[i, t] <= 0:
        amps = min(amps, field.free_a[i, t])
        t += 1
    amps = offered_at_most(i, amps, field)
    if amps <= 0:
        return first, first
    for u in range(first, t):
        course.amps[i, u] = amps
    return first, t


@kernel
def _leaves_the_lead(j: int, first: int, past: int, lost: Flags, field: Field, course: Course) -> bool:
    """Car j leaves the lead that it shares for some slots; whether it can.

    It leaves it for as long before and after them, too, as nobody is up to change it over.
    """
    for k in range(field.stretches.shape[0]):
        if field.stretches[k, 0] < past and field.stretches[k, 1] > first:
            first, past = min(first, field.stretches[k, 0]), max(past, field.stretches[k, 1])
    for t in range(first, past):
        if course.amps[j, t] > 0:
            lost[j] = True
            if field.fixed[j, t]:
                return False
    if field.managed[j]:
        given_up(j, first, past, course)
    else:
        cut(j, first, past, False, field, course)
    return True


@kernel
def _gives_way(j: int, first: int, past: int, lost: Flags, field: Field, course: Course, draws: Draws) -> None:
    """Car j is offered no more than others leave it in some slots."""
    for t in range(first, past):
        if course.amps[j, t] <= 0 or field.fixed[j, t]:
            continue
        room = room_at(j, t, field, course)
        if course.amps[j, t] <= room + 1e-9:
            continue
        lost[j] = True
        if field.managed[j]:
            course.amps[j, t] = offered_at_most(j, room, field)
            continue
        how = draw_one(draws)
        begins, ends = _around(j, t, field, course)
        least = room
        for u in range(begins, ends):
            least = min(least, room_at(j, u, field, course))
        least = offered_at_most(j, least, field)
        if least > 0 and how < _AT_LESS:
            for u in range(begins, ends):
                course.amps[j, u] = least
        else:
            cut(j, t, min(past, ends), how > 1 - _WHOLLY, field, course)


@kernel
def _only_what_is_left(i: int, first: int, past: int, field: Field, course: Course) -> None:
    """Car i is offered no more than there is in some slots, after others gave way."""
    least, over = np.inf, False
    for t in range(first, past):
        if course.amps[i, t] <= 0 or field.fixed[i, t]:
            continue
        room = room_at(i, t, field, course)
        over = over or course.amps[i, t] > room + 1e-9
        least = min(least, room)
        if field.managed[i] and course.amps[i, t] > room + 1e-9:
            course.amps[i, t] = offered_at_most(i, room, field)
    if over and not field.managed[i]:
        amps = offered_at_most(i, least, field)
        for t in range(first, past):
            course.amps[i, t] = amps
