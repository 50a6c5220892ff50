"""A timer, or a car by hand, in the quick search, compiled: its sessions made, made longer or shorter, or given more or less
current."""

from typing import NamedTuple

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
    dearer_by,
    draw_one,
    drawn,
    gain,
    gain_of_mean,
    head_until,
    least_for,
    more,
    part_below,
    spare,
    start_price_at,
)
from moonplan.core.planner.quick.field import Field
from moonplan.core.planner.rows import most_below, without
from moonplan.core.planner.slots import NOTHING
from moonplan.core.timegrid import Floats

# How many currents a new session is tried at in a night.
_MOST_CURRENTS = 4
# How often a night is passed over, and by how much what a new session costs is taken for more, as parts of how loosely.
_PASSED_OVER, _BLURRED = 0.6, 0.18


class Session(NamedTuple):
    """A session from a slot to before another at a current; none where `past` is 0."""

    first: int
    past: int
    amps: float


class Change(NamedTuple):
    """A session instead of another, and what a kWh more costs by that, or what less of it saves."""

    before: Session
    after: Session
    value: float


@kernel
def session_of(i: int, night: int, field: Field, course: Course) -> Session:
    """Car i's session that begins in a night."""
    first, ends = field.nights[night], field.nights[night + 1]
    if first > 0 and course.amps[i, first - 1] > 0:
        # One goes on from the night before.
        first = _past(i, first, ends, course)
    first += without(course.amps[i, first:ends])
    if first >= ends:
        return Session(0, 0, 0.0)
    return Session(first, _past(i, first, course.amps.shape[1], course), course.amps[i, first])


@kernel
def _past(i: int, first: int, ends: int, course: Course) -> int:
    """The edge up to which car i charges from a slot on, no later than another."""
    while first < ends and course.amps[i, first] > 0:
        first += 1
    return first


@kernel
def given_up(i: int, first: int, past: int, course: Course) -> None:
    """No current in some slots."""
    for t in range(first, past):
        course.amps[i, t] = 0.0


@kernel
def cut(i: int, first: int, past: int, whole: bool, field: Field, course: Course) -> None:
    """Of each session that has some of the slots only the longer part that is before or after them, or nothing.

    What somebody pinned stays.
    """
    n, t = course.amps.shape[1], first
    while t < past:
        if course.amps[i, t] <= 0 or field.fixed[i, t]:
            t += 1
            continue
        begins, ends = t, t
        while begins > 0 and course.amps[i, begins - 1] > 0:
            begins -= 1
        while ends < n and course.amps[i, ends] > 0:
            ends += 1
        if whole:
            given_up(i, begins, ends, course)
        elif first - begins >= ends - past:
            given_up(i, max(begins, first), ends, course)
        else:
            given_up(i, begins, min(ends, past), course)
        t = max(t + 1, ends)


@kernel
def instead(i: int, change: Change, course: Course) -> int:
    """Carry out a change; the first slot that changed."""
    given_up(i, change.before.first, change.before.past, course)
    for t in range(change.after.first, change.after.past):
        course.amps[i, t] = change.after.amps
    return change.after.first if change.before.past == 0 else min(change.before.first, change.after.first)


@kernel
def costs(i: int, session: Session, mean: float, field: Field, charger: Charger, left: Left) -> float:
    """What a session's energy costs beside what others draw, with so much aboard of the mean car. [currency]

    At its limit the mean car draws nothing, while the cautious one may still gain.
    """
    wall, found = drawn(session.amps, mean, charger), 0.0
    gained = gain_of_mean(session.amps, charger)
    for t in range(session.first, session.past):
        part = part_below(field.limit_kwh[i, t], session.amps, mean, charger)
        found += more(part * wall, left.others_kwh[t], t, field)
        mean += part * gained
    return found


@kernel
def lengthened(
    i: int, kwh: float, until: int, since: int, loosely: float, field: Field, course: Course, left: Left, draws: Draws
) -> int:
    """Change or make that session of car i which gives so much more by an edge most cheaply; the first slot that changed, N
    where none.

    since : the first slot that is looked at, as a night's. loosely : see `filled_up`; nights are passed over, too.
    """
    wanted, charger = kwh + BESIDES_KWH, charger_of(i, field)
    head_until(i, since, until, field, course, left)
    best = Change(Session(0, 0, 0.0), Session(0, 0, 0.0), np.inf)
    for night in range(len(field.nights) - 1):
        if field.nights[night] >= until:
            break
        if field.nights[night + 1] <= since or (loosely > 0 and draw_one(draws) < _PASSED_OVER * loosely):
            continue
        had = session_of(i, night, field, course)
        if had.past == 0:
            best = _new(i, night, until, wanted, loosely, best, field, charger, course, left, draws)
        elif had.first < until and not field.fixed[i, had.first] and left.head_kwh[had.first] > LITTLE_KWH:
            best = _ends_later(i, had, until, wanted, best, field, charger, course, left)
            best = _begins_earlier(i, had, field.nights[night], wanted, best, field, charger, course, left)
            best = _at_more(i, had, wanted, best, field, charger, course, left)
    if best.value == np.inf:
        return int(course.amps.shape[1])
    return instead(i, best, course)


@kernel
def _new(
    i: int,
    night: int,
    until: int,
    wanted: float,
    loosely: float,
    best: Change,
    field: Field,
    charger: Charger,
    course: Course,
    left: Left,
    draws: Draws,
) -> Change:
    """A session in a night that has none, from every slot that may begin one, at all that is left in one of them."""
    begins, ends, tried, last_a = field.nights[night], min(field.nights[night + 1], until), 0, np.inf
    level, mean = course.cautious_kwh[i, begins], course.mean_kwh[i, begins]
    while tried < _MOST_CURRENTS:
        # The next lower current that is left somewhere.
        amps = most_below(left.room_a[begins:ends], last_a - NOTHING)
        if amps <= 0:
            break
        tried, last_a = tried + 1, amps
        gained, wall = gain(amps, level, charger), drawn(amps, mean, charger)
        if gained <= LITTLE_KWH / 1000:
            break
        # What the slots cost up to each edge.
        beyond = min(until, ends + int(wanted / gained) + 2)
        dearer_by(left.value[begins + 1 : beyond + 1], wall, left.others_kwh[begins:beyond], begins, field)
        left.value[begins] = 0.0
        _summed(left.value[begins : beyond + 1])
        reaches = begins
        for first in range(begins, ends):
            if reaches <= first:
                reaches = _as_much_until(i, amps, first, beyond, course, left)
            if reaches == first or not field.begins[i, first] or left.head_kwh[first] <= LITTLE_KWH:
                continue
            if first > 0 and course.amps[i, first - 1] > 0:
                continue
            asked = min(wanted, left.head_kwh[first])
            past = min(reaches, first + int(np.ceil(_enough(wanted, left.head_kwh[first]) / gained)))
            past = _may_end_at(i, past, reaches, gained * (past - first) >= left.head_kwh[first], field)
            if past < 0 or (past < course.amps.shape[1] and course.amps[i, past] > 0):
                continue
            gives = gained * (past - first)
            cost = left.value[past] - left.value[first]
            if gives > asked and field.steps[i] == 0:
                cost *= asked / gives
            value = (cost + start_price_at(i, first, field)) / min(gives, asked)
            if loosely > 0:
                value *= 1 + _BLURRED * loosely * draw_one(draws)
            if value < best.value:
                at = amps
                if gives > asked:
                    at = min(amps, least_for(i, asked / (past - first), field, charger))
                best = Change(Session(0, 0, 0.0), Session(first, past, at), value)
    return best


@kernel
def _as_much_until(i: int, amps: float, first: int, beyond: int, course: Course, left: Left) -> int:
    """The edge up to which there is a current from a slot on, no later than another."""
    while first < beyond and left.room_a[first] >= amps - NOTHING and course.amps[i, first] <= 0:
        first += 1
    return first


@kernel
def _enough(wanted_kwh: float, head_kwh: float) -> float:
    """What slots must give: where whole ones do, the little that is asked for besides is not worth another. [kWh]"""
    return min(wanted_kwh - BESIDES_KWH, head_kwh) - NOTHING


@kernel
def _summed(values: Floats) -> None:
    """Each the sum of all up to it."""
    for t in range(1, len(values)):
        values[t] += values[t - 1]


@kernel
def _may_end_at(i: int, past: int, reaches: int, full: bool, field: Field) -> int:
    """The edge from one on, up to another, at which car i's session may end; -1 where none."""
    if full or field.ends[i, past - 1]:
        return past
    while past < reaches:
        past += 1
        if field.ends[i, past - 1]:
            return past
    return -1


@kernel
def _cheaper(
    i: int,
    had: Session,
    then: Session,
    gives: float,
    wanted: float,
    best: Change,
    field: Field,
    charger: Charger,
    course: Course,
    left: Left,
) -> Change:
    """A session instead of another, if a kWh more costs less so than by the best change."""
    mean = course.mean_kwh[i, had.first]
    value = (costs(i, then, mean, field, charger, left) - costs(i, had, mean, field, charger, left)) / min(gives, wanted)
    return Change(had, then, value) if value < best.value else best


@kernel
def _ends_later(
    i: int, had: Session, until: int, wanted: float, best: Change, field: Field, charger: Charger, course: Course, left: Left
) -> Change:
    n, gained, past = course.amps.shape[1], gain(had.amps, course.cautious_kwh[i, had.first], charger), had.past
    asked, enough = min(wanted, left.head_kwh[had.first]), _enough(wanted, left.head_kwh[had.first])
    while gained > 0 and past < until and left.room_a[past] >= had.amps - NOTHING and course.amps[i, past] <= 0:
        past += 1
        if (past - had.past) * gained >= enough and field.ends[i, past - 1]:
            break
    while past > had.past and not field.ends[i, past - 1]:
        past -= 1
    if past == had.past or (past < n and course.amps[i, past] > 0):
        return best
    then = Session(had.first, past, had.amps)
    return _cheaper(i, had, then, (past - had.past) * gained, asked, best, field, charger, course, left)


@kernel
def _begins_earlier(
    i: int, had: Session, since: int, wanted: float, best: Change, field: Field, charger: Charger, course: Course, left: Left
) -> Change:
    gained, t, first = gain(had.amps, course.cautious_kwh[i, had.first], charger), had.first, had.first
    asked, enough = min(wanted, left.head_kwh[had.first]), _enough(wanted, left.head_kwh[had.first])
    while gained > 0 and t > since and (had.first - t) * gained < enough and left.room_a[t - 1] >= had.amps - NOTHING:
        t -= 1
        if t > 0 and course.amps[i, t - 1] > 0:
            break
        if field.begins[i, t]:
            first = t
    if first == had.first:
        return best
    then = Session(first, had.past, had.amps)
    return _cheaper(i, had, then, (had.first - first) * gained, asked, best, field, charger, course, left)


@kernel
def _at_more(
    i: int, had: Session, wanted: float, best: Change, field: Field, charger: Charger, course: Course, left: Left
) -> Change:
    level, many = course.cautious_kwh[i, had.first], had.past - had.first
    gained, asked = gain(had.amps, level, charger), min(wanted, left.head_kwh[had.first])
    most = np.inf
    for t in range(had.first, had.past):
        most = min(most, left.room_a[t])
    amps = min(most, least_for(i, gained + asked / many, field, charger))
    gives = (gain(amps, level, charger) - gained) * many
    if amps <= had.amps + NOTHING or gives <= LITTLE_KWH / 1000:
        return best
    return _cheaper(i, had, Session(had.first, had.past, amps), gives, asked, best, field, charger, course, left)


@kernel
def shortened(i: int, since: int, field: Field, course: Course, left: Left) -> int:
    """Make that session of car i, from a slot on, shorter, weaker or none by which most is saved and nothing missed; the
    first slot that changed, N where none."""
    charger = charger_of(i, field)
    spare(i, field, course, left)
    best = Change(Session(0, 0, 0.0), Session(0, 0, 0.0), LITTLE)
    for night in range(len(field.nights) - 1):
        had = session_of(i, night, field, course)
        if had.past == 0 or had.first < since or field.fixed[i, had.first]:
            continue
        gives, less = 0.0, left.spare_kwh[had.first]
        for t in range(had.first, had.past):
            gives += course.gained_kwh[i, t]
        if less <= LITTLE_KWH / 10 and gives > 0:
            continue
        nothing = Session(had.first, had.first, 0.0)
        if gives <= less or gives <= 0:
            best = _saves(i, had, nothing, start_price_at(i, had.first, field), best, field, charger, course, left)
            continue
        many, gained = had.past - had.first, gain(had.amps, course.cautious_kwh[i, had.first], charger)
        fewer = min(int(less / gained), many - 1) if gained > 0 else 0
        if fewer > 0:
            past = _may_end_at(i, had.past - fewer, had.past, False, field)
            if 0 < past < had.past:
                best = _saves(i, had, Session(had.first, past, had.amps), 0.0, best, field, charger, course, left)
            first = had.first + fewer
            while first > had.first and not field.begins[i, first]:
                first -= 1
            if first > had.first:
                best = _saves(i, had, Session(first, had.past, had.amps), 0.0, best, field, charger, course, left)
        amps = least_for(i, gained - less / many, field, charger)
        if amps < had.amps - NOTHING:
            best = _saves(i, had, Session(had.first, had.past, amps), 0.0, best, field, charger, course, left)
    if best.before.past == 0:
        return int(course.amps.shape[1])
    return instead(i, best, course)


@kernel
def _saves(
    i: int,
    had: Session,
    then: Session,
    besides: float,
    best: Change,
    field: Field,
    charger: Charger,
    course: Course,
    left: Left,
) -> Change:
    """A session instead of another, if it saves more than the best change."""
    mean = course.mean_kwh[i, had.first]
    saved = besides + costs(i, had, mean, field, charger, left) - costs(i, then, mean, field, charger, left)
    return Change(had, then, saved) if saved > best.value else best


@kernel
def may_be(i: int, field: Field, course: Course) -> bool:
    """Whether a timer's sessions are such as it can have: one a night at one current, begun and ended when that may be."""
    n, t, night, of_last = course.amps.shape[1], 0, 0, -1
    while True:
        t += without(course.amps[i, t:])
        if t >= n:
            return True
        while field.nights[night + 1] <= t:
            night += 1
        fixed, first = field.fixed[i, t], t
        if night == of_last or not (field.begins[i, t] or fixed):
            return False
        of_last = night
        while t < n and course.amps[i, t] > 0:
            if abs(course.amps[i, t] - course.amps[i, first]) > NOTHING or field.fixed[i, t] != fixed:
                return False
            t += 1
        full = course.cautious_kwh[i, t] >= field.limit_kwh[i, t - 1] - NOTHING
        if not (field.ends[i, t - 1] or full or fixed):
            return False
