"""What a slot offers to a car and asks of it, and what the car does with a current: the ground of `recursion`,
`managed_ways` and `timer_ways`.

Levels are even steps of cautious SoC; layers, even steps of how far the mean car is ahead of the cautious one at each edge.
`one_car` makes `Slots` and `Pack`. Everything here is compiled.
"""

from typing import NamedTuple

import numpy as np

from moonplan.core.compiled import compiled, kernel
from moonplan.core.rates import accepted_kw
from moonplan.core.simulate import draw
from moonplan.core.timegrid import Counts, Flags, Floats

OFF, ON = 0, 1
NOTHING = 1e-9
# What a missed kWh of a wish counts beside one of a departure.
WISHED = 0.01
# What a slot below the boost level counts in which nothing is charged: more than a lower current saves in a whole session.
# [missed kWh]
_WAITING = 0.05


class Pack(NamedTuple):
    """What the car does with an offered current.

    kw_per_a : wall power of an ampere. [kW/A] least_a : least current that charges. [A]
    mean, cautious : efficiency and overhead. [-, kW] rest_kwh : level above which hours cost care.
    care : price of a slot with a kWh above it. [currency/kWh] boost_kwh : level below which there is no choice.
    start_price : of a session; charging : whether one is running already.
    any_current : whether the lead offers any current from the least on, and not only steps.
    """

    usable_kwh: float
    onboard_kw: float
    taper_from: float
    kw_per_a: float
    most_wall_kw: float
    least_a: float
    mean: tuple[float, float]
    cautious: tuple[float, float]
    rest_kwh: float
    care: float
    boost_kwh: float
    start_price: float
    charging: bool
    any_current: bool


class Slots(NamedTuple):
    """What each slot offers and asks, shapes (n_slots,) but where told.

    room_a : most current, 0 where it can't charge. [A] pinned_a : current that a person pinned, nan where none. [A]
    limit_kwh : limit in force. price, own_price : of a kWh from the grid, and of own sun. sun_kwh : own sun that is left.
    toll : what an offered ampere counts besides, since others want it too. [currency/A]
    need_kwh : what must be aboard at each edge so that nothing is missed later; 0 where that is not known.
    wants : what must be aboard at each edge. Both of shape (n_slots + 1,).
    wishes : what a habit wants aboard at each edge, before its trips, once nothing else is missed, shape (n_slots + 1,).
    trip_edge, trip_kwh, trip_wants : shape (n_trips,), what is taken off at an edge, and must be aboard before.
    """

    hours: float
    room_a: Floats
    pinned_a: Floats
    limit_kwh: Floats
    price: Floats
    own_price: Floats
    sun_kwh: Floats
    toll: Floats
    need_kwh: Floats
    wants: Floats
    trip_edge: Counts
    trip_kwh: Floats
    trip_wants: Floats
    wishes: Floats


class Slot(NamedTuple):
    """One slot of `Slots`, in one layer.

    ahead_kwh : how far the mean car is before the cautious one. need_kwh : what must be aboard at its end.
    """

    hours: float
    room_a: float
    pinned_a: float
    limit_kwh: float
    price: float
    own_price: float
    sun_kwh: float
    toll: float
    ahead_kwh: float
    need_kwh: float


class Worth(NamedTuple):
    """Least cost to go from each edge on, before its trips, and what that is reckoned at.

    of : shape (n_slots + 1, n_layers, n_phases, n_levels + spare), to be filled in from edge `since` on; from edge
        `until` on what stands in `later` counts instead, which is the same array where `until` is the horizon's end.
    floor_kwh, step_kwh : the lowest level, not above 0, and how far apart levels are. spare : above how many levels no slot
        leads up.
    first, past : which of the levels the car can be at, at each edge, see `reachable`. Shapes (n_slots + 1,).
    aheads : the layers at each edge, shape (n_slots + 1, n_layers). [kWh]
    """

    of: Floats
    later: Floats
    since: int
    until: int
    floor_kwh: float
    step_kwh: float
    spare: int
    first: Counts
    past: Counts
    aheads: Floats


class Levels(NamedTuple):
    """The levels that a car can be at, at an edge: see `Worth`."""

    floor_kwh: float
    step_kwh: float
    first: int
    past: int


class May(NamedTuple):
    """Slots in which a timer may charge, that may begin its session, that may be its last, that begin a new night, that may
    be in a session which began in the night before, and that are in a pinned one which did; shapes (n_slots,)."""

    charge: Flags
    start: Flags
    end: Flags
    new_night: Flags
    cross: Flags
    pinned_before: Flags


class Managed(NamedTuple):
    """What a car whose current may change every slot is planned by.

    steps_a : currents of a stepped lead, empty for a continuous one. [A] dearest : above any price of a kWh aboard.
    need_after_trips : what must be aboard after the trips at each edge, shape (n_slots + 1,). [kWh]
    """

    worth: Worth
    steps_a: Floats
    dearest: float
    need_after_trips: Floats
    slots: Slots
    pack: Pack


class Timer(NamedTuple):
    """What a car that charges once a night at one current is planned by.

    currents : those that are tried, shape (n_currents,). [A] never : price of a kWh that is missed, above any other.
    """

    worth: Worth
    currents: Floats
    never: float
    may: May
    slots: Slots
    pack: Pack


@kernel
def slot_at(t: int, slots: Slots, ahead_kwh: float) -> Slot:
    """What one slot offers and asks in a layer, in numbers that a loop over levels can keep at hand."""
    return Slot(
        slots.hours,
        slots.room_a[t],
        slots.pinned_a[t],
        slots.limit_kwh[t],
        slots.price[t],
        slots.own_price[t],
        slots.sun_kwh[t],
        slots.toll[t],
        ahead_kwh,
        slots.need_kwh[t + 1] - 1e-6,
    )


@kernel
def charged(amps: float, level: float, mean_level: float, slot: Slot, pack: Pack) -> tuple[float, float, float]:
    """A slot at a current: its cost without care and start, and cautious and mean SoC after it."""
    offered_kw = min(amps * pack.kw_per_a, pack.most_wall_kw)
    battery_kw, wall_kw = accepted_kw(
        offered_kw, mean_level / pack.usable_kwh, pack.mean[0], pack.mean[1], pack.onboard_kw, pack.taper_from
    )
    _, gained, drawn = draw(battery_kw, wall_kw, mean_level, slot.limit_kwh, slot.hours)
    battery_kw, wall_kw = accepted_kw(
        offered_kw, level / pack.usable_kwh, pack.cautious[0], pack.cautious[1], pack.onboard_kw, pack.taper_from
    )
    _, cautious_gain, _ = draw(battery_kw, wall_kw, level, slot.limit_kwh, slot.hours)
    own = min(drawn, slot.sun_kwh)
    cost = slot.own_price * own + slot.price * (drawn - own) + slot.toll * amps
    return cost, level + cautious_gain, mean_level + gained


@kernel
def layer_of(aheads: Floats, ahead: float) -> tuple[int, float]:
    """The layer at or below how far the mean car is ahead, and the share of the next."""
    if len(aheads) == 1:
        return 0, 0.0
    low = 0
    while low < len(aheads) - 2 and aheads[low + 1] <= ahead:
        low += 1
    return low, min(1.0, max(0.0, (ahead - aheads[low]) / (aheads[low + 1] - aheads[low])))


@kernel
def levels_at(edge: int, worth: Worth) -> Levels:
    """The levels that the car can be at, at an edge."""
    return Levels(worth.floor_kwh, worth.step_kwh, worth.first[edge], worth.past[edge])


@kernel
def value_at(edge: int, phase: int, level: float, mean: float, worth: Worth) -> float:
    """Value at an edge in a phase, at both levels, by linear interpolation."""
    at, part, low, share = _place_at(edge, level, mean, worth)
    return _between(worth.of[edge] if edge < worth.until else worth.later[edge], phase, at, part, low, share)


@compiled
def start_value(edge: int, level: float, mean: float, worth: Worth) -> float:
    """Value at an edge at which no session goes on."""
    return float(value_at(edge, OFF, level, mean, worth))


@kernel
def values_at(found: Floats, edge: int, phase: int, level: float, mean: float, worth: Worth) -> None:
    """Fill in values at an edge in as many phases as there is room for, from one on."""
    at, part, low, share = _place_at(edge, level, mean, worth)
    values = worth.of[edge] if edge < worth.until else worth.later[edge]
    for i in range(len(found)):
        found[i] = _between(values, phase + i, at, part, low, share)


@kernel
def _place_at(edge: int, level: float, mean: float, worth: Worth) -> tuple[int, float, int, float]:
    """The level and the layer at or below where a car is, and the shares of the next."""
    place = (level - worth.floor_kwh) / worth.step_kwh
    at = max(worth.first[edge], min(worth.past[edge] - 2, int(place)))
    low, share = layer_of(worth.aheads[edge], mean - level)
    return at, min(1.0, max(0.0, place - at)), low, share


@kernel
def _between(values: Floats, phase: int, at: int, part: float, low: int, share: float) -> float:
    found = values[low, phase, at] + part * (values[low, phase, at + 1] - values[low, phase, at])
    if share > 0:
        other = values[low + 1, phase, at] + part * (values[low + 1, phase, at + 1] - values[low + 1, phase, at])
        found += share * (other - found)
    return float(found)


@kernel
def _least_before(amps: float, wanted: float, slot: Slot, pack: Pack) -> float:
    """The least cautious SoC before a slot at a current from which `wanted` is aboard after it."""
    if amps <= 0 or wanted > slot.limit_kwh + NOTHING:
        return wanted
    low, high = 0.0, wanted
    _, after, _ = charged(amps, 0.0, 0.0, slot, pack)
    plain = wanted - after
    if plain <= 0:
        return 0.0
    _, after, _ = charged(amps, plain, plain, slot, pack)
    if wanted - NOTHING <= after <= wanted + NOTHING:
        return plain
    for _ in range(45):
        middle = (low + high) / 2
        _, after, _ = charged(amps, middle, middle, slot, pack)
        if after >= wanted - NOTHING:
            high = middle
        else:
            low = middle
    return high


@compiled
def needs(slots: Slots, pack: Pack) -> tuple[Floats, Floats]:
    """What must be aboard at each edge, before and after any trip there, so that charging fully from then on misses
    nothing."""
    n = len(slots.room_a)
    need, after_trips = np.zeros(n + 1), np.zeros(n + 1)
    nth = len(slots.trip_edge) - 1
    for t in range(n, -1, -1):
        if t < n:
            pinned = slots.pinned_a[t]
            amps = slots.room_a[t] if np.isnan(pinned) else pinned
            need[t] = _least_before(amps, need[t + 1], slot_at(t, slots, 0.0), pack) if need[t + 1] > 0 else 0.0
        need[t] = max(need[t], slots.wants[t])
        after_trips[t] = need[t]
        while nth >= 0 and slots.trip_edge[nth] == t:
            # A trip that empties the battery leaves nothing to need; a rounding error is no need.
            after = need[t] + slots.trip_kwh[nth] if need[t] > NOTHING else 0.0
            need[t] = max(after, slots.trip_wants[nth])
            nth -= 1
    return need, after_trips


@compiled
def differ_until(now: Slots, then: Slots, needed_now: Floats, needed_then: Floats) -> int:
    """The edge from which on both offer and ask the same, 0 if all along; what a trip takes is taken to be the same.

    needed_now, needed_then : what must be aboard after the trips at each edge, shape (n_slots + 1,).
    """
    last = -1
    for nth in range(len(now.trip_edge)):
        if now.trip_wants[nth] != then.trip_wants[nth]:
            last = now.trip_edge[nth]
    n = len(now.room_a)
    for t in range(n, last, -1):
        if now.need_kwh[t] != then.need_kwh[t] or now.wants[t] != then.wants[t] or needed_now[t] != needed_then[t]:
            return min(n, t + 1)
        if t > 0 and _differs(t - 1, now, then):
            return t
    return min(n, last + 1)


@kernel
def _differs(t: int, now: Slots, then: Slots) -> bool:
    """Whether a slot offers something else."""
    if now.room_a[t] != then.room_a[t] or now.sun_kwh[t] != then.sun_kwh[t]:
        return True
    return bool(now.toll[t] != then.toll[t] or now.own_price[t] != then.own_price[t])


@compiled
def fully(since: int, soc_kwh: float, slots: Slots, pack: Pack) -> tuple[Floats, Floats]:
    """What is aboard of the cautious car that always charges at the most from an edge on: at each edge before its trips,
    and before each trip; infinite before that edge."""
    n = len(slots.room_a)
    at_edge, at_trip = np.full(n + 1, np.inf), np.full(len(slots.trip_edge), np.inf)
    level, nth = soc_kwh, int(np.searchsorted(slots.trip_edge, since))
    for t in range(since, n + 1):
        at_edge[t] = level
        while nth < len(slots.trip_edge) and slots.trip_edge[nth] == t:
            at_trip[nth] = level
            level = max(0.0, level - slots.trip_kwh[nth])
            nth += 1
        if t < n:
            amps = slots.room_a[t] if np.isnan(slots.pinned_a[t]) else slots.pinned_a[t]
            if amps > 0:
                _, level, _ = charged(amps, level, level, slot_at(t, slots, 0.0), pack)
    return at_edge, at_trip


@compiled
def reachable(
    since: int, soc_kwh: float, floor_kwh: float, step_kwh: float, n_levels: int, slots: Slots, pack: Pack
) -> tuple[Counts, Counts]:
    """Which levels a car can be at, at each edge from one on, with a neighbour at either end: the first, and one past the
    last.

    It is no lower than a car that never charges, and no higher than one that always charges at the most.
    """
    n = len(slots.room_a)
    highest, _ = fully(since, soc_kwh, slots, pack)
    first, past = np.zeros(n + 1, dtype=np.int64), np.zeros(n + 1, dtype=np.int64)
    lowest, nth = soc_kwh, int(np.searchsorted(slots.trip_edge, since))
    for t in range(since, n + 1):
        past[t] = min(n_levels, int((highest[t] + 1e-6 - floor_kwh) / step_kwh) + 3)
        while nth < len(slots.trip_edge) and slots.trip_edge[nth] == t:
            lowest = max(0.0, lowest - slots.trip_kwh[nth])
            nth += 1
        first[t] = max(0, min(int((lowest - 1e-6 - floor_kwh) / step_kwh), past[t] - 2))
    return first, past


@kernel
def care_of(mean_level: float, pack: Pack) -> float:
    """Care of half a slot at a level; a slot counts half of it at either end."""
    return 0.5 * pack.care * max(0.0, mean_level - pack.rest_kwh)


@kernel
def at_once_below(slot: Slot, pack: Pack) -> float:
    """Mean SoC below which there is no choice: at its limit there is nothing to wait for."""
    return min(pack.boost_kwh, slot.limit_kwh) - NOTHING


@kernel
def waiting_low(amps: float, mean_level: float, never: float, slot: Slot, pack: Pack) -> float:
    """What it counts to charge at less than there is below the boost level, or not at all."""
    if slot.room_a <= amps + NOTHING or mean_level >= at_once_below(slot, pack):
        return 0.0
    return never * _WAITING * (1 - amps / slot.room_a)
