"""What all cars do in the quick search, and what it comes to, compiled.

The same figures as the simulator's (`test_quick.py` holds them together), kept of every edge, so that a car is run on only
from where it changed.
"""

from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from moonplan.core.compiled import compiled, kernel
from moonplan.core.planner.quick.field import Field
from moonplan.core.planner.rows import added, alike, alike_to_the_last, copied, filled, least_from, without
from moonplan.core.planner.slots import NOTHING
from moonplan.core.rates import accepted_kw, stored_kw
from moonplan.core.simulate import NOTHING_KWH, area_above, draw
from moonplan.core.timegrid import Counts, Floats

# What is not worth a change: a gain [kWh], and what is saved [currency].
LITTLE_KWH, LITTLE = 1e-3, 1e-6
# What is asked for besides, for rounding; and how near to its limit a car is at it. [kWh]
BESIDES_KWH, NEAR_KWH = 1e-5, 1e-4

Draws = npt.NDArray[np.uint64]


class Course(NamedTuple):
    """What cars are offered and do: C cars, N slots.

    amps : shape (C, N). [A] wall_kwh, gained_kwh : off the wall of the mean car, and into the cautious one, shape (C, N).
    mean_kwh, cautious_kwh : aboard at each edge, after its trips, shape (C, N + 1).
    spent : what care, sessions and waiting have come to before each edge, shape (C, N + 1). [currency]
    aboard_kwh : of what is asked, shape (C, most asked). comes_to : all but the energy of each car, shape (C,). [currency]
    """

    amps: Floats
    wall_kwh: Floats
    gained_kwh: Floats
    mean_kwh: Floats
    cautious_kwh: Floats
    spent: Floats
    aboard_kwh: Floats
    comes_to: Floats


class Left(NamedTuple):
    """What others leave a car, and room to work in, shapes (N + 1,), of which all but the last stand for slots.

    room_a : most current that may be offered, of those that its lead has. [A] others_kwh : what they draw.
    head_kwh : how much more can be aboard of the cautious car from the end of a slot until what is asked.
    spare_kwh : how much less a slot may give and nothing is missed. value, at_a, scratch, slots : to work in.
    """

    room_a: Floats
    others_kwh: Floats
    head_kwh: Floats
    spare_kwh: Floats
    value: Floats
    at_a: Floats
    scratch: Floats
    slots: Counts


class Charger(NamedTuple):
    """What one car does with a current, in numbers that a loop over slots can keep at hand.

    untapered_kwh : up to which level all is accepted. mean, cautious : efficiency and overhead. [-, kW]
    """

    hours: float
    usable_kwh: float
    untapered_kwh: float
    taper_from: float
    onboard_kw: float
    kw_per_a: float
    most_wall_kw: float
    least_a: float
    mean: tuple[float, float]
    cautious: tuple[float, float]


@kernel
def charger_of(i: int, field: Field) -> Charger:
    """What car i does with a current."""
    return Charger(
        field.hours,
        field.usable_kwh[i],
        field.usable_kwh[i] * field.taper_from[i],
        field.taper_from[i],
        field.onboard_kw[i],
        field.kw_per_a[i],
        field.most_wall_kw[i],
        field.least_a[i],
        (field.mean[i, 0], field.mean[i, 1]),
        (field.cautious[i, 0], field.cautious[i, 1]),
    )


@compiled
def course_of(amps: Floats, field: Field) -> Course:
    """The course of all cars at their currents, shape (C, N). [A]"""
    cars, n = amps.shape
    course = Course(
        amps.copy(),
        np.zeros((cars, n)),
        np.zeros((cars, n)),
        np.zeros((cars, n + 1)),
        np.zeros((cars, n + 1)),
        np.zeros((cars, n + 1)),
        np.zeros(field.asked_kwh.shape),
        np.zeros(cars),
    )
    for i in range(cars):
        run_on(i, 0, n, field, course)
    return course


@kernel
def run_on(i: int, since: int, until: int, field: Field, course: Course) -> None:
    """Car i by its currents from one edge to another; what is before stands, and what is after does not, yet."""
    n, hours, rest, boost, care = course.amps.shape[1], field.hours, field.rest_kwh[i], field.boost_kwh[i], field.care[i]
    charger, trips = charger_of(i, field), field.trip_edge.shape[1]
    mean, level, spent, nth = field.soc_kwh[i], field.soc_kwh[i], 0.0, 0
    going_on = _goes_on(i, since, field, course)
    if since > 0:
        mean, level, spent = course.mean_kwh[i, since], course.cautious_kwh[i, since], course.spent[i, since]
        while nth < trips and field.trip_edge[i, nth] <= since:
            nth += 1
    next_trip = field.trip_edge[i, nth] if nth < trips else n + 1
    t = since
    while True:
        while next_trip == t:
            _aboard_before(i, nth, level, field, course)
            after = max(0.0, mean - field.trip_kwh[i, nth])
            spent += care * (max(0.0, after - rest) - max(0.0, mean - rest)) * field.trip_rest_h[i, nth]
            mean, level = after, max(0.0, level - field.trip_kwh[i, nth])
            nth += 1
            next_trip = field.trip_edge[i, nth] if nth < trips else n + 1
        course.mean_kwh[i, t], course.cautious_kwh[i, t], course.spent[i, t] = mean, level, spent
        if t == until:
            break
        amps, may_wait = course.amps[i, t], boost > 0 and mean < boost - NOTHING_KWH
        waits = may_wait and mean < field.limit_kwh[i, t] - NOTHING_KWH
        if amps <= 0:
            past = t + 1 if may_wait else t + without(course.amps[i, t : min(until, next_trip)])
            filled(course.wall_kwh[i, t:past], 0.0)
            filled(course.gained_kwh[i, t:past], 0.0)
            filled(course.mean_kwh[i, t + 1 : past], mean)
            filled(course.cautious_kwh[i, t + 1 : past], level)
            resting = care * max(0.0, mean - rest) * hours
            if waits:
                spent += field.waited * hours * field.limit_a[i, t]
            _rising(course.spent[i, t + 1 : past], spent, resting)
            spent += resting * (past - t)
            going_on, t = False, past
            continue
        if waits and field.limit_a[i, t] > amps:
            spent += field.waited * (field.limit_a[i, t] - amps) * hours
        limit, offered = field.limit_kwh[i, t], min(charger.kw_per_a * amps, charger.most_wall_kw)
        battery, wall = _accepted(offered, mean, charger.mean, charger)
        part, gained, drawn = draw(battery, wall, mean, limit, hours)
        course.wall_kwh[i, t] = drawn
        if mean + gained > rest:
            spent += care * area_above(mean, gained, part, rest) * hours
        mean = limit if 0 < part < 1 else mean + gained
        battery, wall = _accepted(offered, level, charger.cautious, charger)
        part, gained, _ = draw(battery, wall, level, limit, hours)
        course.gained_kwh[i, t] = gained
        level = limit if 0 < part < 1 else level + gained
        if not going_on and drawn > NOTHING:
            spent += field.start_price
            going_on = True
        t += 1
    _aboard_before(i, -1, 0.0, field, course)
    missed = 0.0
    for q in range(field.asked[i]):
        short = field.asked_kwh[i, q] - course.aboard_kwh[i, q]
        if short > NOTHING_KWH:
            missed += field.asked_counts[i, q] * short
    course.comes_to[i] = spent + missed


@kernel
def _rising(to: Floats, since: float, by: float) -> None:
    for t in range(len(to)):
        to[t] = since + by * (t + 1)


@kernel
def start_price_at(i: int, t: int, field: Field) -> float:
    """What a session of car i counts that begins in a slot: nothing where it runs already. [currency]"""
    return 0.0 if t == 0 and field.charging[i] else field.start_price


@kernel
def _goes_on(i: int, edge: int, field: Field, course: Course) -> bool:
    """Whether a session goes on at an edge in which something was drawn already."""
    t = edge - 1
    while t >= 0 and course.amps[i, t] > 0:
        if course.wall_kwh[i, t] > NOTHING:
            return True
        t -= 1
    return t < 0 and bool(field.charging[i])


@kernel
def _aboard_before(i: int, nth: int, level: float, field: Field, course: Course) -> None:
    """Fill in what is aboard of what is asked before a trip, or at edges where that is -1."""
    for q in range(field.asked[i]):
        if field.asked_trip[i, q] == nth:
            course.aboard_kwh[i, q] = level if nth >= 0 else course.cautious_kwh[i, field.asked_edge[i, q]]


@kernel
def keep(i: int, since: int, kept: Course, course: Course) -> None:
    """Car i of one course as it is in another, which is the same up to an edge."""
    copied(kept.amps[i, since:], course.amps[i, since:])
    copied(kept.wall_kwh[i, since:], course.wall_kwh[i, since:])
    copied(kept.gained_kwh[i, since:], course.gained_kwh[i, since:])
    copied(kept.mean_kwh[i, since:], course.mean_kwh[i, since:])
    copied(kept.cautious_kwh[i, since:], course.cautious_kwh[i, since:])
    copied(kept.spent[i, since:], course.spent[i, since:])
    copied(kept.aboard_kwh[i], course.aboard_kwh[i])
    kept.comes_to[i] = course.comes_to[i]


@kernel
def first_change(i: int, kept: Course, course: Course) -> int:
    """The first slot in which car i is offered something else; N where none."""
    return alike(kept.amps[i], course.amps[i])


@kernel
def past_changes(i: int, kept: Course, course: Course) -> int:
    """The edge from which on car i is offered the same again; 0 where nothing differs."""
    return alike_to_the_last(kept.amps[i], course.amps[i])


@kernel
def billed(since: int, before: Floats, bill: Floats, field: Field, course: Course) -> float:
    """What a course comes to: energy, care, sessions, and what is missed. [currency]

    before : what all energy came to up to each edge, shape (N + 1,), which holds until `since`.
    bill : filled in with what it comes to from there on.
    """
    cars, n = course.amps.shape
    total = bill[since] = before[since]
    drawn = bill[since + 1 :]
    filled(drawn, 0.0)
    for i in range(cars):
        added(drawn, 1.0, course.wall_kwh[i, since:])
    for t in range(since, n):
        if bill[t + 1] > 0:
            total += energy(bill[t + 1], t, field)
        bill[t + 1] = total
    return float(total + course.comes_to.sum())


@kernel
def energy(kwh: float, t: int, field: Field) -> float:
    """What energy in a slot costs, all of the cars'. [currency]"""
    own = min(kwh, field.sun_kwh[t])
    return float(field.export_price[t] * own + field.price[t] * (kwh - own))


@kernel
def more(kwh: float, besides: float, t: int, field: Field) -> float:
    """What energy in a slot costs besides what is drawn there. [currency]"""
    own = min(besides + kwh, field.sun_kwh[t]) - min(besides, field.sun_kwh[t])
    return float(field.export_price[t] * own + field.price[t] * (kwh - own))


@kernel
def dearer_by(to: Floats, kwh: float, besides: Floats, since: int, field: Field) -> None:
    """Fill in what energy in each slot, from one on, costs besides what is drawn there. [currency]"""
    price, export, sun = field.price[since:], field.export_price[since:], field.sun_kwh[since:]
    for t in range(len(to)):
        own = min(besides[t] + kwh, sun[t]) - min(besides[t], sun[t])
        to[t] = export[t] * own + price[t] * (kwh - own)


@kernel
def _accepted(offered_kw: float, level: float, rate: tuple[float, float], charger: Charger) -> tuple[float, float]:
    """Battery and wall power at a level. [kW, kW]"""
    if level <= charger.untapered_kwh:
        return stored_kw(offered_kw, rate[0], rate[1]), offered_kw
    soc = level / charger.usable_kwh
    return accepted_kw(offered_kw, soc, rate[0], rate[1], charger.onboard_kw, charger.taper_from)


@kernel
def gain(amps: float, level: float, charger: Charger) -> float:
    """What the cautious car gains in a slot at a current, limits apart. [kWh]"""
    if amps <= 0:
        return 0.0
    battery, _ = _accepted(min(charger.kw_per_a * amps, charger.most_wall_kw), level, charger.cautious, charger)
    return battery * charger.hours


@kernel
def drawn(amps: float, level: float, charger: Charger) -> float:
    """What the mean car draws in a slot at a current, limits apart. [kWh]"""
    if amps <= 0:
        return 0.0
    _, wall = _accepted(min(charger.kw_per_a * amps, charger.most_wall_kw), level, charger.mean, charger)
    return wall * charger.hours


@kernel
def gain_of_mean(amps: float, charger: Charger) -> float:
    """What the mean car gains in a slot at a current, limits and taper apart. [kWh]"""
    return charger.hours * stored_kw(min(charger.kw_per_a * amps, charger.most_wall_kw), charger.mean[0], charger.mean[1])


@kernel
def part_below(limit_kwh: float, amps: float, level: float, charger: Charger) -> float:
    """In which part of a slot the mean car draws a current before it is at its limit, taper apart."""
    gained = gain_of_mean(amps, charger)
    return min(1.0, max(0.0, limit_kwh - level) / gained) if gained > 0 else 1.0


@kernel
def offered_at_most(i: int, room_a: float, field: Field) -> float:
    """The most that car i's lead offers where there is room for some current; 0 below the least. [A]"""
    if field.steps[i] == 0:
        return continuous_at_most(room_a, field.least_a[i], field.useful_a[i])
    found = 0.0
    for k in range(field.steps[i]):
        if field.steps_a[i, k] <= room_a + 1e-9:
            found = field.steps_a[i, k]
    return found


@kernel
def continuous_at_most(room_a: float, least_a: float, useful_a: float) -> float:
    """The most that a continuous lead offers: two decimals; 0 below the least. [A]"""
    found = np.floor(min(room_a, useful_a) * 100 + 1e-6) / 100
    return found if found >= least_a - 1e-9 else 0.0


@kernel
def least_for(i: int, kwh: float, field: Field, charger: Charger) -> float:
    """The least current that gives the cautious car so much in a slot, taper apart; more than any where none does. [A]"""
    wanted = (kwh / charger.hours + charger.cautious[1]) / charger.cautious[0] / charger.kw_per_a
    if field.steps[i] > 0:
        for k in range(field.steps[i]):
            if field.steps_a[i, k] >= wanted - 1e-9:
                return float(field.steps_a[i, k])
        return np.inf
    return float(max(charger.least_a, np.ceil(wanted * 100 - 1e-6) / 100))


@kernel
def room_at(i: int, t: int, field: Field, course: Course) -> float:
    """What others leave car i of what they share, in a slot; leads apart. [A]"""
    room = field.free_a[i, t]
    for k in range(field.weights.shape[0]):
        mine = field.weights[k, i]
        if mine <= 0:
            continue
        left = field.capacity[k, t]
        for j in range(course.amps.shape[0]):
            if j == i or course.amps[j, t] <= 0:
                continue
            left -= field.weights[k, j] * (field.full_a[j, t] if field.of_full_limits[k] else course.amps[j, t])
        if field.of_full_limits[k]:
            room = room if left >= mine * (field.full_a[i, t] - 1e-9) else 0.0
        else:
            room = min(room, left / mine)
    return float(max(0.0, room))


@kernel
def look(i: int, since: int, field: Field, course: Course, left: Left) -> None:
    """What others leave car i: `room_a` from a slot on, and `others_kwh`."""
    cars, n = course.amps.shape
    room, others, taken = left.room_a[since:n], left.others_kwh[:n], left.scratch[since:n]
    filled(others, 0.0)
    for j in range(cars):
        if j != i:
            added(others, 1.0, course.wall_kwh[j])
    copied(room, field.free_a[i, since:])
    for k in range(field.weights.shape[0]):
        mine = field.weights[k, i]
        if mine <= 0:
            continue
        copied(taken, field.capacity[k, since:])
        for j in range(cars):
            theirs = field.weights[k, j]
            if j == i or theirs <= 0:
                continue
            if field.of_full_limits[k]:
                _added_where_on(taken, -theirs, field.full_a[j, since:], course.amps[j, since:])
            else:
                added(taken, -theirs, course.amps[j, since:])
        if field.of_full_limits[k]:
            _none_where_over(room, mine, field.full_a[i, since:], taken)
        else:
            _no_more_than(room, 1 / mine, taken)
    for j in range(cars):
        if j != i and field.lead[j] == field.lead[i]:
            _beside_on_one_lead(j, field, course, left.room_a)
    if field.steps[i] == 0:
        _to_continuous(room, field.least_a[i], field.useful_a[i])
        return
    copied(taken, room)
    filled(room, 0.0)
    for k in range(field.steps[i]):
        _step_where_room(room, field.steps_a[i, k], taken)


@kernel
def _added_where_on(to: Floats, many: float, of: Floats, amps: Floats) -> None:
    for t in range(len(to)):
        to[t] += many * of[t] if amps[t] > 0 else 0.0


@kernel
def _none_where_over(room: Floats, mine: float, full_a: Floats, left: Floats) -> None:
    for t in range(len(room)):
        room[t] = 0.0 if left[t] < mine * (full_a[t] - 1e-9) else room[t]


@kernel
def _no_more_than(room: Floats, share: float, of: Floats) -> None:
    for t in range(len(room)):
        room[t] = min(room[t], share * of[t])


@kernel
def _to_continuous(room: Floats, least_a: float, useful_a: float) -> None:
    for t in range(len(room)):
        room[t] = continuous_at_most(room[t], least_a, useful_a)


@kernel
def _step_where_room(to: Floats, step_a: float, room: Floats) -> None:
    for t in range(len(to)):
        to[t] = step_a if step_a <= room[t] + 1e-9 else to[t]


@kernel
def _beside_on_one_lead(j: int, field: Field, course: Course, room: Floats) -> None:
    """No room where car j has the lead, nor while nobody is up to change it over."""
    for t in range(course.amps.shape[1]):
        if course.amps[j, t] > 0:
            room[t] = 0.0
    for k in range(field.stretches.shape[0]):
        first, past = field.stretches[k, 0], field.stretches[k, 1]
        for t in range(first, past):
            if course.amps[j, t] > 0:
                for u in range(first, past):
                    room[u] = 0.0
                break


@kernel
def head_until(i: int, since: int, until: int, field: Field, course: Course, left: Left) -> None:
    """Fill in `head_kwh` from one edge to another."""
    head = left.head_kwh[since:until]
    _above(head, field.most_kwh[i, since:until], course.cautious_kwh[i, since + 1 : until + 1])
    least_from(head)


@kernel
def _above(to: Floats, most: Floats, aboard: Floats) -> None:
    for t in range(len(to)):
        to[t] = max(0.0, most[t] - aboard[t])


@kernel
def spare(i: int, field: Field, course: Course, left: Left) -> None:
    """Fill in `spare_kwh`."""
    least, until = np.inf, course.amps.shape[1]
    for q in range(field.asked[i] - 1, -1, -1):
        edge = field.asked_edge[i, q]
        filled(left.spare_kwh[edge:until], least)
        least, until = min(least, course.aboard_kwh[i, q] - field.asked_kwh[i, q]), edge
    filled(left.spare_kwh[:until], least)


@kernel
def below_limit(i: int, q: int, field: Field, course: Course) -> float:
    """How far a car is below its limit where something is asked; 0 where next to nothing. [kWh]"""
    below = field.limit_kwh[i, field.asked_edge[i, q] - 1] - course.aboard_kwh[i, q] - NEAR_KWH
    return float(below) if below > NEAR_KWH else 0.0


@kernel
def draw_one(draws: Draws) -> float:
    """A number from 0 to before 1 (xorshift64*, Vigna 2016): the same on every machine, and made where it is wanted."""
    x = draws[0]
    x ^= x >> np.uint64(12)
    x ^= x << np.uint64(25)
    x ^= x >> np.uint64(27)
    draws[0] = x
    return float((x * np.uint64(2685821657736338717)) >> np.uint64(11)) / 9007199254740992.0


@kernel
def draw_of(many: int, draws: Draws) -> int:
    """A whole number from 0 to before `many`."""
    return int(draw_one(draws) * many)
