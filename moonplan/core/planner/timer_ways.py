"""Ways of a car that charges once a night at one current, followed from night to night, compiled."""

from typing import NamedTuple

import numpy as np

from moonplan.core.compiled import compiled, kernel
from moonplan.core.planner.slots import (
    NOTHING,
    WISHED,
    Pack,
    Slots,
    Timer,
    care_of,
    charged,
    slot_at,
    value_at,
    values_at,
    waiting_low,
)
from moonplan.core.planner.ways import (
    APART,
    CHOICES,
    EQUAL,
    Choices,
    Ways,
    is_near,
    no_choices,
    rank_of,
    ways_from,
    worst_of,
)
from moonplan.core.timegrid import Counts, Flags, Floats

# How many starts and currents of a timer's night are looked at closely, and for each way more.
_LOOKED_AT, _LOOKED_AT_MORE = 4, 4


class Waits(NamedTuple):
    """Ways that have waited for a session until each slot of a night: what they have come to, both levels and the trip to
    come, after the trips at its beginning. Shapes (width, n_slots_of_night).

    promise : what a session from there on at each current comes to by the values, shape (width, n_slots_of_night,
        n_currents).
    """

    paid: Floats
    level: Floats
    mean: Floats
    nth: Counts
    promise: Floats


@compiled
def timer_amps(amps: Floats, aboard: tuple[float, float], width: int, timer: Timer) -> None:
    """A timer's sessions, shape (n_slots,). [A]

    amps, aboard, width : as in `managed_amps`; the values' first edge is where a night begins.
    """
    worth, currents, never, may, slots, _ = timer
    n, since = len(slots.room_a), worth.since
    nights = 1 + int(np.sum(may.new_night[since + 1 :]))
    came = np.zeros((nights, width), dtype=np.int64)
    began, ended, at_amps = np.full((nights, width), -1), np.full((nights, width), -1), np.zeros((nights, width))
    ways, many = ways_from(width, aboard), 1
    # Where each way is: past the end of a night where its session goes on into the next one.
    edge, nth = np.full(width, since), np.full(width, np.searchsorted(slots.trip_edge, since))
    goes_on = np.zeros(width, dtype=np.bool_)
    goes_on[0] = since > 0 and amps[since - 1] > 0
    choices = no_choices(CHOICES * width)
    night, first = 0, since
    while first < n:
        end = first + 1
        while end < n and not may.new_night[end]:
            end += 1
        waits = _waits(width, end - first, len(currents))
        found = 0
        for w in range(many):
            came_to = (edge[w], ways.level[w], ways.mean[w], ways.paid[w], nth[w])
            found = _without(choices, found, w, came_to, (first, end), goes_on[w], waits, timer)
        found = _with_sessions(choices, found, many, (first, end), waits, timer)
        gone = (came[night], began[night], ended[night], at_amps[night])
        many = _lived(choices, found, ways, (edge, nth, goes_on), gone, end, timer)
        night, first = night + 1, end
    best, way = np.inf, 0
    for w in range(many):
        found_worth = ways.paid[w] + asked_at(n, ways.level[w], ways.mean[w], nth[w], never, slots)[0]
        if found_worth < best - EQUAL:
            best, way = found_worth, w
    amps[since:] = np.where(np.isnan(slots.pinned_a[since:]), 0.0, slots.pinned_a[since:])
    for k in range(nights - 1, -1, -1):
        if began[k, way] >= 0:
            amps[began[k, way] : ended[k, way] + 1] = at_amps[k, way]
        way = came[k, way]


@kernel
def asked_at(t: int, level: float, mean: float, nth: int, never: float, slots: Slots) -> tuple[float, float, float, int]:
    """What is missed at an edge, both levels after its trips, and the trip to come."""
    missed = never * WISHED * max(0.0, slots.wishes[t] - level)
    while nth < len(slots.trip_edge) and slots.trip_edge[nth] == t:
        missed += never * max(0.0, slots.trip_wants[nth] - level - NOTHING)
        level, mean = max(0.0, level - slots.trip_kwh[nth]), max(0.0, mean - slots.trip_kwh[nth])
        nth += 1
    missed += never * max(0.0, slots.wants[t] - level - NOTHING)
    return missed, level, mean, nth


@kernel
def through_slot(
    t: int, amps: float, begins: bool, aboard: tuple[float, float], never: float, slots: Slots, pack: Pack
) -> tuple[float, float, float]:
    """What a slot comes to at a current, or where that is not above 0 without, and both levels at its end."""
    level, mean = aboard
    slot = slot_at(t, slots, 0.0)
    paid = care_of(mean, pack)
    if amps > 0:
        if np.isnan(slot.pinned_a):
            paid += waiting_low(amps, mean, never, slot, pack)
        cost, level, mean = charged(amps, level, mean, slot, pack)
        paid += cost + (pack.start_price if begins and not (t == 0 and pack.charging) else 0.0)
    elif np.isnan(slot.pinned_a):
        paid += waiting_low(0.0, mean, never, slot, pack)
    return paid + care_of(mean, pack), level, mean


@kernel
def _through(
    span: tuple[int, int],
    session: tuple[int, int, float],
    aboard: tuple[float, float],
    nth: int,
    never: float,
    slots: Slots,
    pack: Pack,
) -> tuple[float, float, float, int]:
    """What the slots of a span come to with a session, both levels at its end, and the trip to come.

    session : its first and last slot, and its current.
    """
    level, mean = aboard
    start, last, session_a = session
    paid = 0.0
    for t in range(span[0], span[1]):
        missed, level, mean, nth = asked_at(t, level, mean, nth, never, slots)
        amps = session_a if start <= t <= last else slots.pinned_a[t]
        more, level, mean = through_slot(t, amps, t == start, (level, mean), never, slots, pack)
        paid += missed + more
    return paid, level, mean, nth


@kernel
def _to_come(edge: int, level: float, mean: float, waiting: bool, timer: Timer) -> float:
    """What is to come from an edge on, by the values.

    waiting : whether the night that begins or goes on there may still have a session.
    """
    worth, currents, _, _, slots, _ = timer
    return value_at(edge, 0 if waiting and edge < len(slots.room_a) else len(currents) + 1, level, mean, worth)


@compiled
def _waits(width: int, n_slots: int, n_currents: int) -> Waits:
    return Waits(
        np.zeros((width, n_slots)),
        np.zeros((width, n_slots)),
        np.zeros((width, n_slots)),
        np.zeros((width, n_slots), dtype=np.int64),
        np.full((width, n_slots, n_currents), np.inf),
    )


@kernel
def _without(
    choices: Choices,
    found: int,
    w: int,
    came_to: tuple[int, float, float, float, int],
    night: tuple[int, int],
    goes_on: bool,
    waits: Waits,
    timer: Timer,
) -> int:
    """Add a night of one way without a session to the choices, and fill in what sessions promise; how many there are then.

    came_to : the edge that the way has come to, both levels, what it has come to, and its trip to come.
    goes_on : whether a session ended there, so that one which starts there would be the same, going on into a night that
        has its own.
    """
    worth, currents, never, may, slots, pack = timer
    edge, level, mean, spent, nth = came_to
    first, end = night
    for t in range(edge, end):
        slot = slot_at(t, slots, 0.0)
        free = np.isnan(slot.pinned_a)
        if free and may.start[t] and slot.room_a > 0 and not (goes_on and t == edge):
            begun = len(currents) + 2 if t > 0 and may.new_night[t] else 1
            values_at(waits.promise[w, t - first], t, begun, level, mean, worth)
            # What a session counts by itself is in none of these: one that runs already and goes on is spared it.
            spared = pack.start_price if t == 0 and pack.charging else 0.0
            for i in range(len(currents)):
                waits.promise[w, t - first, i] += spent - spared
        missed, level, mean, nth = asked_at(t, level, mean, nth, never, slots)
        spent += missed
        waits.paid[w, t - first], waits.nth[w, t - first] = spent, nth
        waits.level[w, t - first], waits.mean[w, t - first] = level, mean
        more, level, mean = through_slot(t, slots.pinned_a[t], False, (level, mean), never, slots, pack)
        spent += more
    value = _to_come(max(edge, end), level, mean, True, timer)
    return _added(choices, found, w, (-1, -1, 0.0), (level, mean), rank_of(spent + value), APART * pack.usable_kwh)


@compiled
def _with_sessions(choices: Choices, found: int, many: int, night: tuple[int, int], waits: Waits, timer: Timer) -> int:
    """Add the sessions of a night that promise most to the choices; how many there are then.

    Many may promise the same, those in the hours of one price in which the car stands there for days: of them no more than
    there is room for, far from each other.
    """
    promises = waits.promise[:many].reshape(-1)
    looked_at = min(_LOOKED_AT + _LOOKED_AT_MORE * (many - 1), len(promises))
    last = min(np.partition(promises, looked_at - 1)[looked_at - 1], 1e300)
    better = int(np.sum(promises < last - NOTHING))
    alike = int(np.sum(promises <= last + NOTHING)) - better
    every = -(-alike // (looked_at - better))
    return _with_promising(choices, found, many, night, (last, every), waits, timer)


@kernel
def _with_promising(
    choices: Choices,
    found: int,
    many: int,
    night: tuple[int, int],
    promising: tuple[float, int],
    waits: Waits,
    timer: Timer,
) -> int:
    """Add the sessions of a night that promise most; how many choices there are then.

    promising : what they promise to come to at the most, and the how-manieth is taken of those that promise just that.
    """
    currents = timer.currents
    first, end = night
    last, every = promising
    alike = 0
    for w in range(many):
        for t in range(first, end):
            for i in range(len(currents)):
                promise = waits.promise[w, t - first, i]
                if promise > last + NOTHING:
                    continue
                if promise >= last - NOTHING:
                    alike += 1
                    if (alike - 1) % every > 0:
                        continue
                aboard = (waits.level[w, t - first], waits.mean[w, t - first])
                at, paid = (t, end, waits.nth[w, t - first]), waits.paid[w, t - first]
                found = _session_choices(choices, found, w, currents[i], aboard, paid, at, timer)
    return found


@kernel
def _session_choices(
    choices: Choices,
    found: int,
    w: int,
    amps: float,
    aboard: tuple[float, float],
    paid: float,
    at: tuple[int, int, int],
    timer: Timer,
) -> int:
    """Add the lengths of a session from a slot on at a current that promise most, and at the current in between with which
    it comes to just what is wanted next; how many choices there are then.

    at : its first slot, the first of the next night, and the trip to come.
    """
    may, slots, pack = timer.may, timer.slots, timer.pack
    start, end, nth = at
    level, mean = aboard
    wanted, less = _wanted_next(start, nth, slots), level
    paid += 0.0 if start == 0 and pack.charging else pack.start_price
    begun = paid
    for t in range(start, len(slots.room_a)):
        slot = slot_at(t, slots, 0.0)
        trip_now = nth < len(slots.trip_edge) and slots.trip_edge[nth] == t and t > start
        if trip_now or not 0 < amps <= slot.room_a + NOTHING or not np.isnan(slot.pinned_a):
            break
        more, level, mean = _through_session_slot(t, t > start, amps, level, mean, timer)
        paid += more
        if may.end[t] or level >= slot.limit_kwh - 1e-6:
            found = _with_session(choices, found, w, (start, t, amps), (level, mean), paid, end, timer)
        if may.end[t]:
            if pack.any_current and less < wanted - NOTHING and level > wanted + NOTHING:
                just = just_enough(wanted - aboard[0], (t + 1 - start) * slots.hours, pack)
                if pack.least_a - NOTHING <= just < amps:
                    found = _just_wanted(choices, found, w, (start, t, just), aboard, begun, end, timer)
            less = level
        full = slot.limit_kwh - NOTHING
        if level >= full and mean >= full and (t + 1 == len(slots.limit_kwh) or slots.limit_kwh[t + 1] <= slot.limit_kwh):
            break
    return found


@kernel
def _through_session_slot(
    t: int, goes_on: bool, amps: float, level: float, mean: float, timer: Timer
) -> tuple[float, float, float]:
    """What a slot of a session comes to, with what is missed where it goes on there, and both levels at its end."""
    slots, pack, missed = timer.slots, timer.pack, 0.0
    if goes_on:
        missed = max(0.0, slots.wants[t] - level - NOTHING) + WISHED * max(0.0, slots.wishes[t] - level)
    cost, level, after = charged(amps, level, mean, slot_at(t, slots, 0.0), pack)
    return timer.never * missed + cost + care_of(mean, pack) + care_of(after, pack), level, after


@kernel
def _with_session(
    choices: Choices,
    found: int,
    w: int,
    session: tuple[int, int, float],
    aboard: tuple[float, float],
    paid: float,
    end: int,
    timer: Timer,
) -> int:
    """Add a session to the choices; how many there are then.

    aboard, paid : at the session's end. end : the first slot of the next night.
    """
    edge = session[1] + 1
    value = _to_come(edge, aboard[0], aboard[1], edge > end, timer)
    return _added(choices, found, w, session, aboard, rank_of(paid + value), APART * timer.pack.usable_kwh)


@kernel
def _just_wanted(
    choices: Choices,
    found: int,
    w: int,
    session: tuple[int, int, float],
    aboard: tuple[float, float],
    paid: float,
    end: int,
    timer: Timer,
) -> int:
    """Add a session at a current of its own to the choices; how many there are then. aboard, paid : at its beginning."""
    start, last, amps = session
    level, mean = aboard
    for t in range(start, last + 1):
        more, level, mean = _through_session_slot(t, t > start, amps, level, mean, timer)
        paid += more
    return _with_session(choices, found, w, session, (level, mean), paid, end, timer)


@kernel
def _wanted_next(start: int, nth: int, slots: Slots) -> float:
    """What must be aboard where anything is asked next after a slot begins, infinity for nothing. [kWh]"""
    for edge in range(start + 1, len(slots.wants)):
        if nth < len(slots.trip_edge) and slots.trip_edge[nth] == edge:
            return float(slots.trip_wants[nth])
        wanted = max(slots.wants[edge], slots.wishes[edge])
        if wanted > 0:
            return float(wanted)
    return np.inf


@kernel
def just_enough(kwh: float, hours: float, pack: Pack) -> float:
    """The current that charges so much in some hours, below a taper, up to two decimals. [A]"""
    efficiency, overhead_kw = pack.cautious
    return float(np.ceil((kwh / hours + overhead_kw) / efficiency / pack.kw_per_a * 100 - 1e-6) / 100)


@kernel
def _added(
    choices: Choices,
    found: int,
    w: int,
    session: tuple[int, int, float],
    aboard: tuple[float, float],
    rank: float,
    apart: float,
) -> int:
    """Add a session to the choices, in the place of one of the same way that comes to nearly the same, or of the worst
    where there is no more room, if it promises more; how many there are then."""
    most = len(choices.rank)
    if found == most and rank >= choices.worst[0]:
        return found
    at = found
    for k in range(found):
        if choices.way[k] == w and abs(choices.level[k] - aboard[0]) < apart and abs(choices.mean[k] - aboard[1]) < apart:
            at = k
            break
    if at == most:
        at = worst_of(choices, 0, most)
    if at < found and rank >= choices.rank[at]:
        return found
    choices.way[at], choices.rank[at] = w, rank
    choices.start[at], choices.last[at], choices.amps[at] = session
    choices.level[at], choices.mean[at] = aboard
    found = max(found, at + 1)
    if found == most:
        choices.worst[0] = choices.rank[worst_of(choices, 0, most)]
    return found


@compiled
def _lived(
    choices: Choices,
    found: int,
    ways: Ways,
    where: tuple[Counts, Counts, Flags],
    taken: tuple[Counts, Counts, Counts, Floats],
    end: int,
    timer: Timer,
) -> int:
    """Go on to a night's end, or that of a session which goes on into the next, with those choices that promise most there,
    as many as there is room for; how many these are.

    where : of each way the edge that it has come to, the trip to come, and whether a session ended there. taken : of each
        way that is gone on with, which it was before, and the first slot, last slot and current of its session.
    """
    _, _, never, _, slots, pack = timer
    edge, nth, goes_on = where
    came, began, ended, amps = taken
    was_edge, was_nth, was_on = edge.copy(), nth.copy(), goes_on.copy()
    until, trips = np.zeros(found, dtype=np.int64), np.zeros(found, dtype=np.int64)
    for at in range(found):
        way, start, last = choices.way[at], choices.start[at], choices.last[at]
        until[at] = max(end, last + 1, was_edge[way])
        session, aboard = (start, last, choices.amps[at]), (ways.level[way], ways.mean[way])
        paid, level, mean, trips[at] = _through(
            (was_edge[way], until[at]), session, aboard, was_nth[way], never, slots, pack
        )
        choices.paid[at], choices.level[at], choices.mean[at] = ways.paid[way] + paid, level, mean
        choices.rank[at] = rank_of(choices.paid[at] + _to_come(until[at], level, mean, True, timer))
    apart, many = APART * pack.usable_kwh, 0
    by_start = np.argsort(choices.start[:found], kind="mergesort")
    for at in by_start[np.argsort(choices.rank[by_start], kind="mergesort")]:
        way, last = choices.way[at], choices.last[at]
        if is_near(ways, edge[:many], until[at], choices.level[at], choices.mean[at], apart):
            continue
        ways.level[many], ways.mean[many], ways.paid[many] = choices.level[at], choices.mean[at], choices.paid[at]
        edge[many], nth[many] = until[at], trips[at]
        goes_on[many] = last == until[at] - 1 or (was_on[way] and until[at] == was_edge[way])
        came[many], began[many], ended[many], amps[many] = way, choices.start[at], last, choices.amps[at]
        many += 1
        if many == len(edge):
            break
    return many
