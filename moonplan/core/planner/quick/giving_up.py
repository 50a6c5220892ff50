"""What the quick search gives up of a plan in a try, compiled.

Some slots or a session of a car, the nights of some cars, what a car charges after it was charged to its limit, or what is
in the way of a car that takes a time for itself.
"""

import numpy as np

from moonplan.core.compiled import kernel
from moonplan.core.planner.quick.course import (
    Course,
    Draws,
    below_limit,
    charger_of,
    draw_of,
    draw_one,
    gain,
    offered_at_most,
    room_at,
)
from moonplan.core.planner.quick.field import Field
from moonplan.core.planner.quick.timer import cut, given_up, session_of
from moonplan.core.planner.slots import NOTHING
from moonplan.core.timegrid import Counts, Flags

# How often a night is one in which cars want more than there is.
_CONTENDED = 0.6
# How often a car charges to its limit before it leaves. Else how often a car gives up some slots, and how often cars give up
# nights; else a car takes a time for itself.
_TO_THE_LIMIT, _SOME_SLOTS, _NIGHTS = 0.05, 0.35, 0.35
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
# How often a timer that is in the way goes on at less, and how often it gives up the whole session instead of a part of it.
_AT_LESS, _WHOLLY = 0.4, 0.1
# How often a slot is looked for before it is given up.
_LOOKED = 20


@kernel
def something_given_up(
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
    if q == field.asked[i] or below_limit(i, q, field, course) == 0:
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
