"""A managed car in the quick search, compiled: filled up slot by slot where that is cheapest, and slimmed where it has more
than it needs."""

import numpy as np

from moonplan.core.compiled import kernel
from moonplan.core.planner.quick.course import (
    BESIDES_KWH,
    LITTLE,
    LITTLE_KWH,
    Charger,
    Course,
    Draws,
    Left,
    charger_of,
    draw_one,
    drawn,
    gain,
    head_until,
    least_for,
    more,
    offered_at_most,
    part_below,
    spare,
)
from moonplan.core.planner.quick.field import Field
from moonplan.core.planner.rows import lowered, no_more, without
from moonplan.core.planner.slots import NOTHING

# For how long a kWh above the rest level is taken to stay there. [h]
_STAYS_H = 8.0
# How many slots are given less at most before the car is run again.
_MOST_SLIMMED = 30


@kernel
def filled_up(
    i: int, kwh: float, until: int, since: int, loosely: float, field: Field, course: Course, left: Left, draws: Draws
) -> int:
    """Give car i more in the cheapest slots until it has so much more at an edge; the first slot that changed, N where none.

    since : the first slot that is looked at, as a night's. loosely : by which part, at the most, what a kWh costs is taken
        for more or less, by chance, each night's alike: so that what a night gave goes to others now and then.
    """
    n, wanted, charger = course.amps.shape[1], kwh + BESIDES_KWH, charger_of(i, field)
    head_until(i, since, until, field, course, left)
    many, night, factor = 0, -1, 1.0
    for t in range(since, until):
        left.value[t] = np.inf
        while field.nights[night + 1] <= t:
            night += 1
            factor = 1 + loosely * (2 * draw_one(draws) - 1) if loosely > 0 else 1.0
        if left.room_a[t] > course.amps[i, t] + NOTHING and left.head_kwh[t] > LITTLE_KWH:
            _weigh(i, t, field, charger, course, left)
            if left.value[t] < np.inf:
                left.value[t] *= factor
                left.slots[many] = t
                many += 1
    first, at = n, -1
    # Where whole slots give just what is asked, the little besides is not worth another one.
    while wanted > BESIDES_KWH + NOTHING:
        if at < 0:
            at = _cheapest(many, left)
        if at < 0:
            break
        value, left.value[at] = left.value[at], np.inf
        wanted -= _given_more(i, at, since, until, wanted, field, charger, course, left)
        first = min(first, at)
        # One beside it that has become cheaper than it was is the cheapest of all.
        at = _cheaper_beside(at, value, since, until, left)
    return int(first)


@kernel
def _cheapest(many: int, left: Left) -> int:
    """The first of the cheapest of so many slots; -1 where there is none."""
    cheapest, at = np.inf, -1
    for t in left.slots[:many]:
        if left.value[t] < cheapest and left.head_kwh[t] > LITTLE_KWH:
            cheapest, at = left.value[t], t
    return at


@kernel
def _cheaper_beside(at: int, value: float, since: int, until: int, left: Left) -> int:
    """The slot before or after one that costs less than some value; -1 where none does."""
    found = -1
    for t in (at - 1, at + 1):
        if since <= t < until and left.value[t] < value and left.head_kwh[t] > LITTLE_KWH:
            value, found = left.value[t], t
    return found


@kernel
def _weigh(i: int, t: int, field: Field, charger: Charger, course: Course, left: Left) -> None:
    """What a kWh more costs in a slot, at all the current that is left, or at own sun: `value`, and `at_a`.

    What the cautious car still gains while the mean one is at its limit costs nothing.
    """
    amps, level, mean, others = course.amps[i, t], course.cautious_kwh[i, t], course.mean_kwh[i, t], left.others_kwh[t]
    limit = field.limit_kwh[i, t]
    had = gain(amps, level, charger)
    gained = min(gain(left.room_a[t], level, charger) - had, left.head_kwh[t])
    if gained <= LITTLE_KWH / 1000:
        return
    wall = max(course.wall_kwh[i, t], _drawn_below(limit, left.room_a[t], mean, charger))
    cost = more(wall - course.wall_kwh[i, t], others + course.wall_kwh[i, t], t, field)
    if amps <= 0:
        cost += field.start_price * (1 - _neighbours(i, t, field, course))
    if mean > field.rest_kwh[i]:
        cost += field.care[i] * gained * _STAYS_H
    left.value[t], left.at_a[t] = cost / gained, left.room_a[t]
    if amps > 0 or field.sun_kwh[t] <= others or field.steps[i] > 0:
        return
    in_sun = offered_at_most(i, (field.sun_kwh[t] - others) / field.hours / field.kw_per_a[i], field)
    if 0 < in_sun < left.room_a[t]:
        gained = min(gain(in_sun, level, charger), left.head_kwh[t])
        cost = more(_drawn_below(limit, in_sun, mean, charger), others, t, field)
        if gained > LITTLE_KWH / 1000 and cost / gained < left.value[t]:
            left.value[t], left.at_a[t] = cost / gained, in_sun


@kernel
def _drawn_below(limit_kwh: float, amps: float, level: float, charger: Charger) -> float:
    """What the mean car draws in a slot at a current before it is at its limit. [kWh]"""
    return drawn(amps, level, charger) * part_below(limit_kwh, amps, level, charger)


@kernel
def _neighbours(i: int, t: int, field: Field, course: Course) -> int:
    """In how many of the slots before and after car i charges, also before the first."""
    before = course.amps[i, t - 1] > 0 if t > 0 else field.charging[i]
    found = 1 if before else 0
    if t + 1 < course.amps.shape[1] and course.amps[i, t + 1] > 0:
        found += 1
    return found


@kernel
def _given_more(
    i: int, t: int, since: int, until: int, wanted: float, field: Field, charger: Charger, course: Course, left: Left
) -> float:
    """Give car i in a slot what was weighed, or the least that does; what it gains. [kWh]"""
    amps, level, most = course.amps[i, t], course.cautious_kwh[i, t], left.at_a[t]
    had, asked = gain(amps, level, charger), min(wanted, left.head_kwh[t])
    if gain(most, level, charger) - had > asked:
        least = least_for(i, had + asked, field, charger)
        if amps < least < most:
            most = least
    if amps <= 0:
        # A slot beside one that charges begins no session of its own.
        for beside in (t - 1, t + 1):
            if since <= beside < until and left.value[beside] < np.inf and course.amps[i, beside] <= 0:
                gained = gain(left.at_a[beside], level, charger)
                left.value[beside] -= field.start_price / max(LITTLE_KWH, gained)
    course.amps[i, t] = most
    gained = min(gain(most, level, charger) - had, left.head_kwh[t])
    lowered(left.head_kwh[t:until], gained)
    no_more(left.head_kwh[since:t], max(0.0, left.head_kwh[t]))
    return float(gained)


@kernel
def slimmed(i: int, since: int, field: Field, course: Course, left: Left) -> int:
    """Give car i less in the dearest slots, from one on, while nothing is missed; the first that changed, N where none."""
    charger, first, many = charger_of(i, field), course.amps.shape[1], _charging(i, since, field, course, left)
    for _ in range(_MOST_SLIMMED):
        spare(i, field, course, left)
        most, at, at_a = LITTLE, -1, 0.0
        for t in left.slots[:many]:
            if course.amps[i, t] <= 0:
                continue
            amps = _less(i, t, field, charger, course, left)
            if amps >= course.amps[i, t] - NOTHING:
                continue
            saved = _saved(i, t, amps, field, charger, course, left)
            if saved > most:
                most, at, at_a = saved, t, amps
        if at < 0:
            break
        _give_less(i, at, at_a, field, charger, course)
        first = min(first, at)
    return int(first)


@kernel
def _charging(i: int, since: int, field: Field, course: Course, left: Left) -> int:
    """Fill in `slots` with those, from one on, in which car i charges as nobody pinned it; how many."""
    t, many = since, 0
    while True:
        t += without(course.amps[i, t:])
        if t >= course.amps.shape[1]:
            return many
        while t < course.amps.shape[1] and course.amps[i, t] > 0:
            if not field.fixed[i, t]:
                left.slots[many] = t
                many += 1
            t += 1


@kernel
def _less(i: int, t: int, field: Field, charger: Charger, course: Course, left: Left) -> float:
    """The least current in a slot with which nothing is missed."""
    gained = course.gained_kwh[i, t]
    if gained <= left.spare_kwh[t] or gained <= 0:
        return 0.0
    if left.spare_kwh[t] <= LITTLE_KWH / 10:
        return float(course.amps[i, t])
    return least_for(i, gained - left.spare_kwh[t], field, charger)


@kernel
def _saved(i: int, t: int, amps: float, field: Field, charger: Charger, course: Course, left: Left) -> float:
    """What less current in a slot saves, before the car is run again."""
    wall = drawn(amps, course.mean_kwh[i, t], charger)
    saved = more(course.wall_kwh[i, t] - wall, left.others_kwh[t] + wall, t, field)
    if amps <= 0:
        neighbours = _neighbours(i, t, field, course)
        if course.wall_kwh[i, t] > 0:
            saved += field.start_price * (1 - neighbours)
        elif neighbours < 2:
            saved += 10 * LITTLE
    return saved


@kernel
def _give_less(i: int, t: int, amps: float, field: Field, charger: Charger, course: Course) -> None:
    lost = course.gained_kwh[i, t] - gain(amps, course.cautious_kwh[i, t], charger)
    course.amps[i, t] = amps
    course.wall_kwh[i, t] = drawn(amps, course.mean_kwh[i, t], charger)
    course.gained_kwh[i, t] -= lost
    for q in range(field.asked[i]):
        if field.asked_edge[i, q] > t:
            course.aboard_kwh[i, q] -= lost
