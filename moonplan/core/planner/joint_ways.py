"""Ways of two cars that share, followed together from slot to slot, compiled.

Planned one after the other, each of two cars takes what the other leaves, and gives nothing up that is worth more there.
Here a way is what both have done so far, each with its true SoC and at what both truly come to. In each slot one car chooses
and then the other of what that leaves; those ways go on that promise most by the values of both cars' recursions
(`recursion.py`), and of those that have come to nearly the same place one. Ways that differ in one car only have much in
common, so what a car comes to in a slot at a current is reckoned once and then known.
"""

from typing import NamedTuple

import numpy as np

from moonplan.core.compiled import compiled, kernel
from moonplan.core.planner.managed_ways import amps_for
from moonplan.core.planner.slots import (
    NOTHING,
    OFF,
    ON,
    May,
    Pack,
    Slot,
    Slots,
    Worth,
    care_of,
    charged,
    slot_at,
    value_at,
    waiting_low,
)
from moonplan.core.planner.timer_ways import asked_at
from moonplan.core.timegrid import Counts, Floats

# Which part of the battery lies between two places that are not nearly the same.
_APART = 1e-3
# How many currents a way tries at most besides the steps of a lead or those of a timer.
_TRIES = 7
# What it counts to stop a session by hand while nobody is up, in missed kWh.
_FORBIDDEN_KWH = 1e3
# Odd numbers that spread what is told apart over a table.
_SPREAD = (0x9E3779B97F4A7C1, 0xC2B2AE3D27D4EB5, 0x165667B19E3779F, 0x27D4EB2F1656675)


class Joined(NamedTuple):
    """One of two cars that are followed together.

    worth : what its recursion found, `Worth`. currents : steps of a managed lead, empty for a continuous one, or those that
    a timer is tried at. [A] timed : whether it charges once a night at one current. never : price of a missed kWh.
    slots : what they offer while the other car does nothing.
    per_a, when_on : what it loads each capacity with that both share, for each offered ampere and while it charges, shapes
        (n_limits,) and (n_limits, n_slots).
    usual_a : what it does in the plan so far, shape (n_slots,). [A]
    """

    worth: Worth
    currents: Floats
    timed: bool
    never: float
    may: May
    slots: Slots
    pack: Pack
    per_a: Floats
    when_on: Floats
    usual_a: Floats


class Shared(NamedTuple):
    """What all others leave to the two cars: of each capacity, shape (n_limits, n_slots), and of own sun, shape (n_slots,)
    [kWh]."""

    capacity: Floats
    sun_kwh: Floats


class _Both(NamedTuple):
    """Ways of both cars up to an edge or within a slot.

    level, mean, value, phase, mark : each car's SoC, cautious and mean, what is to come by its values, its phase in them,
        and what tells its place from others, shapes (width, 2). paid : what a way has come to, shape (width,).
    capacity, sun_kwh : what is left in the slot, shapes (width, n_limits) and (width,).
    """

    level: Floats
    mean: Floats
    value: Floats
    phase: Counts
    mark: Counts
    paid: Floats
    capacity: Floats
    sun_kwh: Floats


class _Table(NamedTuple):
    """Finds rows by a key. place, stamp : of each place the row, and when it was put there. key : of each row.
    many : how many rows there are, shape (1,)."""

    place: Counts
    stamp: Counts
    key: Counts
    many: Counts


class _Known(NamedTuple):
    """What one car comes to in a slot. of : wall kWh, both levels and the value after it, shape (n_rows, 4)."""

    of: Floats
    phase: Counts
    mark: Counts
    table: _Table


class _Choices(NamedTuple):
    """How ways may go on: the way, the row of what is known, the current, what it comes to without and with what is to
    come. Shapes (n_rows,)."""

    way: Counts
    row: Counts
    amps: Floats
    paid: Floats
    rank: Floats
    table: _Table


class _Tries(NamedTuple):
    """What one way may try in a slot: a current, the phase that it leads to, and what it counts beside energy and care.
    Shapes (n_tries,)."""

    amps: Floats
    phase: Counts
    extra: Floats


class _Stage(NamedTuple):
    """The choice of one car in one slot: t, i : slot and car. now : the how-manieth choice. unit : the slot at the price of
    one a kWh."""

    t: int
    i: int
    now: int
    unit: Slot


@kernel
def _mixed(key: int) -> int:
    key = key ^ (key >> 29)
    key = key * 0x3F58476D1CE4E5B9
    return key ^ (key >> 32)


@kernel
def _row_of(key: int, now: int, table: _Table) -> int:
    """The row with a key, a new one if there is none yet."""
    last = len(table.place) - 1
    at = key & last
    while table.stamp[at] == now:
        row = table.place[at]
        if table.key[row] == key:
            return int(row)
        at = (at + 1) & last
    row = table.many[0]
    table.stamp[at], table.place[at], table.key[row] = now, row, key
    table.many[0] += 1
    return int(row)


@kernel
def _to_come(edge: int, phase: int, level: float, mean: float, car: Joined) -> float:
    """What is to come from an edge on by the values, with what is missed for certain."""
    value = value_at(edge, phase, level, mean, car.worth)
    return value if car.timed else value + car.never * max(0.0, car.slots.need_kwh[edge] - 1e-6 - level)


@kernel
def _reached(stage: _Stage, amps: float, level: float, mean: float, phase: int, known: _Known, car: Joined) -> int:
    """The row of what the car comes to at a current from both levels. phase : the one that it is in then."""
    key = int(level * 1e8) * _SPREAD[0] + int(mean * 1e8) * _SPREAD[1] + int(amps * 1e4 + 0.5) * _SPREAD[2]
    many = known.table.many[0]
    row = _row_of(_mixed(key + phase * _SPREAD[3]), stage.now, known.table)
    if row < many:
        return row
    kwh = 0.0
    if amps > 0:
        kwh, level, mean = charged(amps, level, mean, stage.unit, car.pack)
    of, apart = known.of[row], _APART * car.pack.usable_kwh
    of[0], of[1], of[2], of[3] = kwh, level, mean, _to_come(stage.t + 1, phase, level, mean, car)
    place = int(level / apart) * _SPREAD[0] + int(mean / apart) * _SPREAD[1]
    known.phase[row], known.mark[row] = phase, _mixed(place + phase * _SPREAD[2] + stage.i * _SPREAD[3])
    return row


@kernel
def _added(
    stage: _Stage, w: int, amps: float, phase: int, extra: float, choices: _Choices, known: _Known, both: _Both, car: Joined
) -> None:
    """Add a current to the choices, unless another leads both cars to the same place and leaves as much for less.

    phase : the one that it leads to. extra : what it counts beside energy and the care at the slot's end.
    """
    row = _reached(stage, amps, both.level[w, stage.i], both.mean[w, stage.i], phase, known, car)
    kwh, mean, price = known.of[row, 0], known.of[row, 2], car.slots.price[stage.t]
    own = min(kwh, both.sun_kwh[w])
    paid = both.paid[w] + extra + care_of(mean, car.pack) + price * (kwh - own) + car.slots.own_price[stage.t] * own
    rank = paid + both.value[w, 1 - stage.i] + known.of[row, 3]
    leaves = int((both.sun_kwh[w] - own) * 1e3)
    for nth in range(len(car.per_a)):
        leaves = leaves * _SPREAD[1] + int((both.capacity[w, nth] - _load(stage.t, amps, nth, car)) * 50 + 0.5)
    many = choices.table.many[0]
    at = _row_of(both.mark[w, 1 - stage.i] + known.mark[row] + _mixed(leaves), stage.now, choices.table)
    if at == many or rank < choices.rank[at]:
        choices.way[at], choices.row[at], choices.amps[at] = w, row, amps
        choices.paid[at], choices.rank[at] = paid, rank


@kernel
def _load(t: int, amps: float, nth: int, car: Joined) -> float:
    """What a car loads a capacity with at a current."""
    return float(car.per_a[nth] * amps + car.when_on[nth, t]) if amps > 0 else 0.0


@kernel
def _room_a(stage: _Stage, w: int, both: _Both, car: Joined) -> float:
    """What a way leaves the car in the slot. [A]"""
    room_a = car.slots.room_a[stage.t]
    for nth in range(len(car.per_a)):
        if car.per_a[nth] > 0:
            room_a = min(room_a, both.capacity[w, nth] / car.per_a[nth])
        elif both.capacity[w, nth] < car.when_on[nth, stage.t] - NOTHING:
            room_a = 0.0
    return float(room_a)


@kernel
def _reserved(t: int, i: int, w: int, sign: float, both: _Both, car: Joined) -> None:
    """Take what a running timer has off the capacities before anybody chooses, or give it back. What a pinned session has
    is no room for the other car in any case."""
    phase, on = both.phase[w, i], len(car.currents)
    if car.timed and phase != 0 and phase != on + 1 and car.slots.room_a[t] > 0:
        for nth in range(len(car.per_a)):
            both.capacity[w, nth] -= sign * _load(t, car.currents[(phase - 1) % (on + 1)], nth, car)


@kernel
def _in_night(t: int, phase: int, car: Joined) -> int:
    """A timer's phase where a night may begin, as the slot after that edge knows it."""
    on = len(car.currents)
    if t == 0 or not car.may.new_night[t] or phase > on + 1:
        return phase
    return phase + on + 1 if 0 < phase <= on else 0


@kernel
def _tried_by_timer(stage: _Stage, w: int, room_a: float, tries: _Tries, both: _Both, car: Joined) -> int:
    """Fill in what a timer may do in a slot: wait, begin its session, go on with it at the same current, or end it."""
    t, on, may, slots = stage.t, len(car.currents), car.may, car.slots
    before, forbidden = both.phase[w, stage.i], 0.0
    phase, done, running = _in_night(t, before, car), on + 1, before not in (0, on + 1)
    if running and not may.end[t - 1] and both.level[w, stage.i] < slots.limit_kwh[t - 1] - 1e-6:
        forbidden = car.never * _FORBIDDEN_KWH
    many = _tried(tries, 0, 0.0, 0 if phase == 0 or phase > done else done, forbidden)
    if running:
        amps, goes_on = car.currents[(phase - 1) % done], phase
        if phase > done and t + 1 < len(slots.room_a) and may.new_night[t + 1]:
            goes_on = phase - done
        if 0 < amps <= room_a + NOTHING:
            many = _tried(tries, many, amps, goes_on, 0.0)
    elif phase == 0 and may.start[t]:
        start = 0.0 if t == 0 and car.pack.charging else car.pack.start_price
        for nth in range(on):
            if 0 < car.currents[nth] <= room_a + NOTHING:
                many = _tried(tries, many, car.currents[nth], nth + 1, start)
    return many


@kernel
def _tried_managed(stage: _Stage, w: int, room_a: float, least_a: float, tries: _Tries, both: _Both, car: Joined) -> int:
    """Fill in what a car whose current may change may do in a slot. least_a : the least that the other car charges at."""
    slots, pack, running = car.slots, car.pack, both.phase[w, stage.i] == ON or (stage.t == 0 and car.pack.charging)
    many = _tried(tries, 0, 0.0, OFF, 0.0)
    start = 0.0 if running else pack.start_price
    for amps in car.currents:
        if amps <= room_a + NOTHING:
            many = _tried(tries, many, amps, ON, start)
    room_a = np.floor(room_a * 100 + 1e-6) / 100
    if len(car.currents) or room_a < pack.least_a:
        return many
    many = _tried(tries, many, room_a, ON, start)
    of_sun_a = np.floor(both.sun_kwh[w] / (pack.kw_per_a * slots.hours) * 100) / 100
    for_need_a = np.ceil(amps_for(slots.need_kwh[stage.t + 1] - both.level[w, stage.i], stage.unit, pack) * 100 - 1e-6) / 100
    for amps in (pack.least_a, of_sun_a, for_need_a, np.floor((room_a - least_a) * 100) / 100, car.usual_a[stage.t]):
        if pack.least_a <= amps < room_a:
            many = _tried(tries, many, amps, ON, start)
    return many


@kernel
def _tried(tries: _Tries, many: int, amps: float, phase: int, extra: float) -> int:
    tries.amps[many], tries.phase[many], tries.extra[many] = amps, phase, extra
    return many + 1


@kernel
def _pinned_phase(t: int, car: Joined) -> int:
    """The phase after a slot that a person pinned: with it the night is done in which its session began."""
    if not car.timed:
        return ON
    return 0 if car.may.pinned_before[t] else len(car.currents) + 1


@kernel
def _all_choices(
    stage: _Stage, many: int, least_a: float, tries: _Tries, choices: _Choices, known: _Known, both: _Both, car: Joined
) -> None:
    """Fill in the choices of one car in a slot for each of many ways."""
    choices.table.many[0] = known.table.many[0] = 0
    pinned_a = car.slots.pinned_a[stage.t]
    for w in range(many):
        _reserved(stage.t, stage.i, w, -1.0, both, car)
        room_a, care = _room_a(stage, w, both, car), care_of(both.mean[w, stage.i], car.pack)
        if not np.isnan(pinned_a):
            tried = _tried(tries, 0, pinned_a, _pinned_phase(stage.t, car), 0.0)
        elif car.timed:
            tried = _tried_by_timer(stage, w, room_a, tries, both, car)
        else:
            tried = _tried_managed(stage, w, room_a, least_a, tries, both, car)
        for nth in range(tried):
            amps, besides = tries.amps[nth], care + tries.extra[nth]
            if np.isnan(pinned_a):
                besides += waiting_low(amps, both.mean[w, stage.i], car.never, stage.unit, car.pack)
            _added(stage, w, amps, tries.phase[nth], besides, choices, known, both, car)


@kernel
def _best_first(order: Counts, rank: Floats, many: int, width: int) -> int:
    """Order choices so that those that promise most come first, as many as there is room for; how many these are."""
    for nth in range(many):
        order[nth] = nth
    low, high = 0, many - 1 if many > width else 0
    while low < high:
        pivot, i, j = rank[order[(low + high) // 2]], low, high
        while i <= j:
            while rank[order[i]] < pivot:
                i += 1
            while rank[order[j]] > pivot:
                j -= 1
            if i <= j:
                order[i], order[j] = order[j], order[i]
                i, j = i + 1, j - 1
        if width - 1 > j and width - 1 < i:
            break
        low, high = (low, j) if width - 1 <= j else (i, high)
    return min(many, width)


@kernel
def _gone_on(
    stage: _Stage, many: int, order: Counts, choices: _Choices, known: _Known, both: _Both, then: _Both, car: Joined
) -> None:
    """Fill in `then` with the ways that the best choices lead to."""
    i, other = stage.i, 1 - stage.i
    for v in range(many):
        w, row, amps = choices.way[order[v]], choices.row[order[v]], choices.amps[order[v]]
        then.level[v, other], then.mean[v, other] = both.level[w, other], both.mean[w, other]
        then.value[v, other], then.phase[v, other] = both.value[w, other], both.phase[w, other]
        then.mark[v, other], then.mark[v, i], then.phase[v, i] = both.mark[w, other], known.mark[row], known.phase[row]
        then.level[v, i], then.mean[v, i], then.value[v, i] = known.of[row, 1], known.of[row, 2], known.of[row, 3]
        then.paid[v], then.sun_kwh[v] = choices.paid[order[v]], max(0.0, both.sun_kwh[w] - known.of[row, 0])
        for nth in range(both.capacity.shape[1]):
            then.capacity[v, nth] = both.capacity[w, nth] - _load(stage.t, amps, nth, car)


@kernel
def _begun(t: int, i: int, nth: int, many: int, both: _Both, car: Joined) -> int:
    """Take a car's trips at an edge off its levels, and count what it misses there; the trip to come."""
    leaves = nth < len(car.slots.trip_edge) and car.slots.trip_edge[nth] == t
    if not (leaves or car.slots.wants[t] > 0 or car.slots.wishes[t] > 0):
        return nth
    for w in range(many):
        missed, level, mean, _ = asked_at(t, both.level[w, i], both.mean[w, i], nth, car.never, car.slots)
        both.level[w, i], both.mean[w, i] = level, mean
        both.paid[w] += missed
    while nth < len(car.slots.trip_edge) and car.slots.trip_edge[nth] == t:
        nth += 1
    return nth


@kernel
def _begins_with(t: int, i: int, many: int, shared: Shared, both: _Both, car: Joined) -> None:
    """Fill in what there is in a slot, or for the second car take off what it has for certain."""
    for w in range(many):
        if i == 0:
            both.sun_kwh[w] = shared.sun_kwh[t]
            for nth in range(len(shared.capacity)):
                both.capacity[w, nth] = shared.capacity[nth, t]
        _reserved(t, i, w, 1.0, both, car)


@kernel
def _rested(t: int, i: int, many: int, both: _Both, car: Joined) -> None:
    """A slot in which the car can do nothing."""
    for w in range(many):
        level, mean, phase = both.level[w, i], both.mean[w, i], OFF
        if car.timed:
            done, before = len(car.currents) + 1, _in_night(t, both.phase[w, i], car)
            phase = 0 if before == 0 or before > done else done
        both.paid[w] += 2 * care_of(mean, car.pack)
        both.phase[w, i], both.value[w, i] = phase, _to_come(t + 1, phase, level, mean, car)


@compiled
def _table(n_rows: int) -> _Table:
    places = 64
    while places < 2 * n_rows:
        places *= 2
    counts = np.zeros(1, dtype=np.int64)
    return _Table(
        np.zeros(places, dtype=np.int64), np.zeros(places, dtype=np.int64), np.zeros(n_rows, dtype=np.int64), counts
    )


@compiled
def _ways(width: int, n_limits: int) -> _Both:
    return _Both(
        np.zeros((width, 2)),
        np.zeros((width, 2)),
        np.zeros((width, 2)),
        np.zeros((width, 2), dtype=np.int64),
        np.zeros((width, 2), dtype=np.int64),
        np.zeros(width),
        np.zeros((width, n_limits)),
        np.zeros(width),
    )


@compiled
def joint_amps(
    amps: Floats, cars: tuple[Joined, Joined], shared: Shared, since: int, until: int, aboard: Floats, width: int
) -> None:
    """Currents of two cars together between two edges, shape (2, n_slots), filled in there. [A]

    aboard : cautious and mean SoC of each at the first edge, before any trip, shape (2, 2). [kWh] A timer has no session
        that goes on there. width : how many ways are followed side by side.
    """
    both, then = _ways(width, len(shared.capacity)), _ways(width, len(shared.capacity))
    n_tries = max(len(cars[0].currents), len(cars[1].currents)) + _TRIES
    n_rows = width * n_tries
    n = np.zeros(n_rows, dtype=np.int64)
    tries = _Tries(np.zeros(n_tries), np.zeros(n_tries, dtype=np.int64), np.zeros(n_tries))
    known = _Known(np.zeros((n_rows, 4)), n.copy(), n.copy(), _table(n_rows))
    choices = _Choices(n.copy(), n.copy(), np.zeros(n_rows), np.zeros(n_rows), np.zeros(n_rows), _table(n_rows))
    came, chosen = np.zeros((until - since, 2, width), dtype=np.int64), np.zeros((until - since, 2, width))
    order, trips = n.copy(), np.zeros(2, dtype=np.int64)
    for i in range(2):
        both.level[0, i], both.mean[0, i] = aboard[i]
        before = since > 0 and cars[i].usual_a[since - 1] > 0 and not cars[i].timed
        both.phase[0, i] = ON if before else OFF
        both.value[0, i] = _to_come(since, both.phase[0, i], both.level[0, i], both.mean[0, i], cars[i])
        trips[i] = np.searchsorted(cars[i].slots.trip_edge, since)
    many, now = 1, 0
    for t in range(since, until):
        for i in range(2):
            trips[i] = _begun(t, i, trips[i], many, both, cars[i])
            _begins_with(t, i, many, shared, both, cars[i])
        for turn in range(2):
            i, now = _whose_turn(t, turn, cars), now + 1
            if cars[i].slots.room_a[t] <= 0 and np.isnan(cars[i].slots.pinned_a[t]):
                _rested(t, i, many, both, cars[i])
                for v in range(many):
                    came[t - since, turn, v] = v
                continue
            stage, least_a = _Stage(t, i, now, _at_one(t, cars[i])), cars[1 - i].pack.least_a
            _all_choices(stage, many, least_a, tries, choices, known, both, cars[i])
            many = _best_first(order, choices.rank, choices.table.many[0], width)
            _gone_on(stage, many, order, choices, known, both, then, cars[i])
            for v in range(many):
                came[t - since, turn, v], chosen[t - since, turn, v] = choices.way[order[v]], choices.amps[order[v]]
            both, then = then, both
    way = _cheapest(until, many, trips, both, cars)
    for t in range(until - 1, since - 1, -1):
        for turn in range(1, -1, -1):
            amps[_whose_turn(t, turn, cars), t] = chosen[t - since, turn, way]
            way = came[t - since, turn, way]


@kernel
def _at_one(t: int, car: Joined) -> Slot:
    """A slot at the price of one a kWh: what it costs is what is drawn."""
    slot = slot_at(t, car.slots, 0.0)
    return Slot(slot.hours, slot.room_a, slot.pinned_a, slot.limit_kwh, 1.0, 1.0, 0.0, 0.0, 0.0, slot.need_kwh)


@kernel
def _whose_turn(t: int, turn: int, cars: tuple[Joined, Joined]) -> int:
    """The car that chooses first or second in a slot: a timer before a car that can take what is left, else in turns."""
    if cars[0].timed != cars[1].timed:
        return turn if cars[0].timed else 1 - turn
    return (t + turn) % 2


@kernel
def _cheapest(until: int, many: int, trips: Counts, both: _Both, cars: tuple[Joined, Joined]) -> int:
    """The way that comes to least with what is to come."""
    best, way = np.inf, 0
    for w in range(many):
        comes_to = both.paid[w]
        for i in range(2):
            if until < len(cars[i].slots.room_a):
                comes_to += both.value[w, i]
            else:
                missed, _, _, _ = asked_at(until, both.level[w, i], both.mean[w, i], trips[i], cars[i].never, cars[i].slots)
                comes_to += missed
        if comes_to < best:
            best, way = comes_to, w
    return way
