"""A timer's sessions moved a little, compiled.

Values between levels are near enough to choose a night's session by, and only a few currents are tried. So each is moved,
made longer or shorter at either end, and given all the current that is left while it lasts, or less where it then lasts
longer, while what it truly comes to falls.
"""

from typing import NamedTuple

import numpy as np

from moonplan.core.compiled import compiled, kernel
from moonplan.core.planner.slots import NOTHING, Timer
from moonplan.core.planner.timer_ways import asked_at, just_enough, through_slot
from moonplan.core.planner.ways import EQUAL
from moonplan.core.timegrid import Counts, Floats

# By how many slots the beginning, the end, or both are moved, in turn.
_STEPS = (8, 4, 2, 1)
_ROUNDS = 3
# By how many slots a session that has more current is shorter, at its end or at its beginning.
_SHORTER = (0, 1, 2, 3, 4, 6, 8)
# How often a session is moved at the most in a round.
_MOST = 12


class _Course(NamedTuple):
    """What a plan has come to at each edge, before what is asked there, both levels, and the trip to come, shapes
    (n_slots + 1,)."""

    paid: Floats
    level: Floats
    mean: Floats
    nth: Counts


@compiled
def moved_a_little(amps: Floats, aboard: tuple[float, float], timer: Timer) -> None:
    """Move the sessions that begin at the values' first edge or later, while that helps.

    amps : shape (n_slots,). [A] aboard : cautious and mean SoC at that edge, before any trip. [kWh]
    """
    since, n = timer.worth.since, len(amps)
    course = _Course(np.zeros(n + 1), np.zeros(n + 1), np.zeros(n + 1), np.zeros(n + 1, dtype=np.int64))
    course.level[since], course.mean[since] = aboard
    course.nth[since] = np.searchsorted(timer.slots.trip_edge, since)
    _followed(course, amps, since, timer)
    _all_moved(course, amps, timer)


@kernel
def _all_moved(course: _Course, amps: Floats, timer: Timer) -> None:
    """Each session in turn, in rounds, until none helps."""
    since, n = timer.worth.since, len(amps)
    for _ in range(_ROUNDS):
        helped = False
        t = since
        while t < n:
            if amps[t] <= 0 or (t > 0 and amps[t - 1] > 0) or not np.isnan(timer.slots.pinned_a[t]):
                t += 1
                continue
            last = t
            while last + 1 < n and amps[last + 1] > 0:
                last += 1
            first, past = _moved(course, amps, t, last, timer)
            helped = helped or first != t or past != last + 1
            t = max(past, last + 1)
        if not helped:
            return


@kernel
def _moved(course: _Course, amps: Floats, first: int, last: int, timer: Timer) -> tuple[int, int]:
    """One session moved while that helps; its first slot, and the first after it."""
    for _ in range(_MOST):
        start, end = _at_another_time(course, amps, first, last, timer)
        if start < 0:
            start, end = _with_all_there_is(course, amps, first, last, timer)
        if start < 0:
            start, end = _longer_at_what_is_left(course, amps, first, last, timer)
        if start < 0:
            start, end = _as_much_in_another_time(course, amps, first, last, timer)
        if start < 0:
            break
        first, last = start, end
    return first, last + 1


@kernel
def _at_another_time(course: _Course, amps: Floats, first: int, last: int, timer: Timer) -> tuple[int, int]:
    """The session's first and last slot once it is moved to where it comes to less; negative where it is not."""
    for by in _STEPS:
        for at_first, at_last in ((by, by), (-by, -by), (by, 0), (0, -by), (-by, 0), (0, by)):
            start, end = first + at_first, last + at_last
            if _tried(course, amps, first, last, start, end, amps[first], timer):
                return start, end
    return -1, -1


@kernel
def _with_all_there_is(course: _Course, amps: Floats, first: int, last: int, timer: Timer) -> tuple[int, int]:
    """The session's first and last slot once it has all the current that is left throughout, where it comes to less so;
    negative where it does not."""
    for shorter in _SHORTER:
        for start, end in ((first, last - shorter), (first + shorter, last)):
            if start <= end:
                most = _left(start, end, timer)
                if most > amps[first] + NOTHING and _tried(course, amps, first, last, start, end, most, timer):
                    return start, end
    return -1, -1


@kernel
def _longer_at_what_is_left(course: _Course, amps: Floats, first: int, last: int, timer: Timer) -> tuple[int, int]:
    """The session's first and last slot once it lasts into slots in which less is left, at that, where it comes to less so;
    negative where it does not."""
    for by in _STEPS:
        for at_first, at_last in ((-by, 0), (0, by), (-by, by)):
            start, end = first + at_first, last + at_last
            if start >= timer.worth.since and end < len(amps):
                left = _left(start, end, timer)
                at_less = timer.pack.least_a - NOTHING <= left < amps[first] - NOTHING
                if at_less and _tried(course, amps, first, last, start, end, left, timer):
                    return start, end
    return -1, -1


@kernel
def _as_much_in_another_time(course: _Course, amps: Floats, first: int, last: int, timer: Timer) -> tuple[int, int]:
    """The session's first and last slot once it begins or ends elsewhere at just the current that gives as much, where it
    comes to less so; negative where it does not."""
    if not timer.pack.any_current:
        return -1, -1
    gained = course.level[last + 1] - course.level[first]
    for by in _STEPS:
        for at_first, at_last in ((by, 0), (0, -by), (-by, 0), (0, by)):
            start, end = first + at_first, last + at_last
            if not timer.worth.since <= start <= end < len(amps):
                continue
            just = min(just_enough(gained, (end + 1 - start) * timer.slots.hours, timer.pack), _left(start, end, timer))
            if just >= timer.pack.least_a - NOTHING and _tried(course, amps, first, last, start, end, just, timer):
                return start, end
    return -1, -1


@kernel
def _tried(course: _Course, amps: Floats, first: int, last: int, start: int, end: int, current: float, timer: Timer) -> bool:
    """Put a session into other slots at a current if it may be there and comes to less; whether it does."""
    if not _is_free(amps, first, last, start, end, current, timer):
        return False
    if not _saves(course, amps, first, last, start, end, current, timer):
        return False
    amps[first : last + 1] = 0.0
    amps[start : end + 1] = current
    _followed(course, amps, min(first, start), timer)
    return True


@kernel
def _is_free(amps: Floats, first: int, last: int, start: int, end: int, current: float, timer: Timer) -> bool:
    """Whether a session may be in other slots of the night that it begins in, at a current."""
    may, n = timer.may, len(amps)
    if not timer.worth.since <= start <= end < n or not may.start[start]:
        return False
    for t in range(min(first, start) + 1, max(first, start) + 1):
        if may.new_night[t]:
            return False
    for t in range(max(0, start - 1), min(n, end + 2)):
        if not first <= t <= last and amps[t] > 0:
            return False
    return _left(start, end, timer) >= current - NOTHING


@kernel
def _left(start: int, end: int, timer: Timer) -> float:
    """The most current that is left all the time from a slot to another; nothing where one of them is pinned. [A]"""
    most = np.inf
    for t in range(start, end + 1):
        most = min(most, timer.slots.room_a[t] if np.isnan(timer.slots.pinned_a[t]) else 0.0)
    return most


@kernel
def _saves(
    course: _Course, amps: Floats, first: int, last: int, start: int, end: int, session_a: float, timer: Timer
) -> bool:
    """Whether a session comes to less in other slots, and each from it on ends when somebody is up, or full."""
    _, _, never, may, slots, pack = timer
    t = min(first, start)
    level, mean, nth, paid = course.level[t], course.mean[t], course.nth[t], course.paid[t]
    while t < len(amps):
        if t > max(last, end):
            more, mean_more = level - course.level[t], mean - course.mean[t]
            if abs(more) < NOTHING and abs(mean_more) < NOTHING:
                return bool(paid < course.paid[t] - EQUAL)
            if more < NOTHING and mean_more < NOTHING and paid > course.paid[t] - EQUAL:
                return False  # dearer so far, with no more aboard
        missed, level, mean, nth = asked_at(t, level, mean, nth, never, slots)
        current = session_a if start <= t <= end else 0.0 if first <= t <= last else amps[t]
        begins = t == start if start <= t <= end else current > 0 and (t == 0 or amps[t - 1] <= 0)
        spent, level, mean = through_slot(t, current, begins, (level, mean), never, slots, pack)
        paid += missed + spent
        ends = t == end if start <= t <= end else current > 0 and (t + 1 == len(amps) or amps[t + 1] <= 0)
        if ends and not may.end[t] and np.isnan(slots.pinned_a[t]) and level < slots.limit_kwh[t] - 1e-6:
            return False
        t += 1
    missed, _, _, _ = asked_at(t, level, mean, nth, never, slots)
    return bool(paid + missed < course.paid[t] + _last_missed(course, timer) - EQUAL)


@kernel
def _last_missed(course: _Course, timer: Timer) -> float:
    n = len(timer.slots.room_a)
    missed, _, _, _ = asked_at(n, course.level[n], course.mean[n], course.nth[n], timer.never, timer.slots)
    return float(missed)


@kernel
def _followed(course: _Course, amps: Floats, since: int, timer: Timer) -> None:
    """Fill in the course from an edge on."""
    _, _, never, _, slots, pack = timer
    for t in range(since, len(amps)):
        missed, level, mean, nth = asked_at(t, course.level[t], course.mean[t], course.nth[t], never, slots)
        begins = amps[t] > 0 and (t == 0 or amps[t - 1] <= 0)
        more, level, mean = through_slot(t, amps[t], begins, (level, mean), never, slots, pack)
        course.paid[t + 1] = course.paid[t] + missed + more
        course.level[t + 1], course.mean[t + 1], course.nth[t + 1] = level, mean, nth
