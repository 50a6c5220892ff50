"""The recursions over a car's battery, compiled: least cost to go from every level, backward over the slots.

Levels are cautious SoC in kWh, ascending; layers, how far the mean car is ahead of the cautious one at each edge,
ascending too: shape (n_slots + 1, n_layers).
`Slots` is what each slot offers and asks, `Pack` what the car does with it. `one_car` makes both and reads the values.
"""

from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from moonplan.core.compiled import compiled
from moonplan.core.rates import accepted_kw
from moonplan.core.simulate import draw
from moonplan.core.timegrid import Flags, Floats

Counts = npt.NDArray[np.int64]

OFF, ON = 0, 1
_NOTHING = 1e-9
# What a missed kWh of a wish counts beside one of a departure.
_WISHED = 0.01
# How many starts and currents of a timer's night are looked at closely.
_LOOKED_AT = 16


class Pack(NamedTuple):
    """What the car does with an offered current.

    kw_per_a : wall power of an ampere. [kW/A] least_a : least current that charges. [A]
    mean, cautious : efficiency and overhead. [-, kW] rest_kwh : level above which hours cost care.
    care : price of a slot with a kWh above it. [currency/kWh] boost_kwh : level below which there is no choice.
    start_price : of a session; charging : whether one is running already.
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


@compiled
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


@compiled
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


@compiled
def between(levels: Floats, values: Floats, level: float, at: int) -> tuple[float, int]:
    """Value at a level by linear interpolation, looked for upward from index `at`; where it was found."""
    last = len(levels) - 1
    while at < last - 1 and levels[at + 1] < level:
        at += 1
    if level <= levels[at] or last == 0:
        return values[at], at
    if level >= levels[at + 1]:
        return values[at + 1], at
    share = (level - levels[at]) / (levels[at + 1] - levels[at])
    return values[at] + share * (values[at + 1] - values[at]), at


@compiled
def layer_of(aheads: Floats, ahead: float) -> tuple[int, float]:
    """The layer at or below how far the mean car is ahead, and the share of the next."""
    if len(aheads) == 1:
        return 0, 0.0
    low = 0
    while low < len(aheads) - 2 and aheads[low + 1] <= ahead:
        low += 1
    return low, min(1.0, max(0.0, (ahead - aheads[low]) / (aheads[low + 1] - aheads[low])))


@compiled
def _resting(aheads: Floats, ahead: float, then: Floats) -> Floats:
    """Values at the end of a slot without current, of a mean car so far ahead, shape (n_phases, n_levels)."""
    low, share = layer_of(aheads, ahead)
    found: Floats = then[low]
    if share > 0:
        found = found + share * (then[low + 1] - found)
    return found


@compiled
def value_at(levels: Floats, aheads: Floats, values: Floats, phase: int, level: float, mean: float) -> float:
    """Value at both levels by linear interpolation. values : shape (n_layers, n_phases, n_levels)."""
    at = max(0, min(len(levels) - 2, int(np.searchsorted(levels, level)) - 1))
    low, share = layer_of(aheads, mean - level)
    found, _ = between(levels, values[low, phase], level, at)
    if share > 0:
        other, _ = between(levels, values[low + 1, phase], level, at)
        found += share * (other - found)
    return found


@compiled
def _least_before(amps: float, wanted: float, slot: Slot, pack: Pack) -> float:
    """The least cautious SoC before a slot at a current from which `wanted` is aboard after it."""
    if amps <= 0 or wanted > slot.limit_kwh + _NOTHING:
        return wanted
    low, high = 0.0, wanted
    _, after, _ = charged(amps, 0.0, 0.0, slot, pack)
    plain = wanted - after
    if plain <= 0:
        return 0.0
    _, after, _ = charged(amps, plain, plain, slot, pack)
    if wanted - _NOTHING <= after <= wanted + _NOTHING:
        return plain
    for _ in range(45):
        middle = (low + high) / 2
        _, after, _ = charged(amps, middle, middle, slot, pack)
        if after >= wanted - _NOTHING:
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
            after = need[t] + slots.trip_kwh[nth] if need[t] > 0 else 0.0
            need[t] = max(after, slots.trip_wants[nth])
            nth -= 1
    return need, after_trips


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
def reachable(since: int, soc_kwh: float, levels: Floats, slots: Slots, pack: Pack) -> tuple[Counts, Counts]:
    """Which levels a car can be at, at each edge from one on, with a neighbour at either end: the first, and one past the
    last.

    It is no lower than a car that never charges, and no higher than one that always charges at the most.
    """
    n = len(slots.room_a)
    highest, _ = fully(since, soc_kwh, slots, pack)
    first, past = np.zeros(n + 1, dtype=np.int64), np.zeros(n + 1, dtype=np.int64)
    lowest, nth = soc_kwh, int(np.searchsorted(slots.trip_edge, since))
    for t in range(since, n + 1):
        past[t] = min(len(levels), np.searchsorted(levels, highest[t] + 1e-6, side="right") + 1)
        while nth < len(slots.trip_edge) and slots.trip_edge[nth] == t:
            lowest = max(0.0, lowest - slots.trip_kwh[nth])
            nth += 1
        first[t] = max(0, min(np.searchsorted(levels, lowest - 1e-6) - 1, past[t] - 2))
    return first, past


@compiled
def _care(mean_level: float, pack: Pack) -> float:
    """Care of half a slot at a level; a slot counts half of it at either end."""
    return 0.5 * pack.care * max(0.0, mean_level - pack.rest_kwh)


@compiled
def _after(
    told: Floats, amps: float, then: Floats, phase: int, there: Floats, aheads: Floats, slot: Slot, pack: Pack
) -> None:
    """Values at the end of a slot at a current, clear of limit and taper, with the half of its care that is counted there.

    then : values there, shape (n_layers, n_phases, n_levels).
    """
    wall_kw = min(amps * pack.kw_per_a, pack.most_wall_kw)
    mean_kw = max(0.0, pack.mean[0] * wall_kw - pack.mean[1])
    ahead = slot.ahead_kwh + (mean_kw - max(0.0, pack.cautious[0] * wall_kw - pack.cautious[1])) * slot.hours
    low, share = layer_of(aheads, ahead)
    for k in range(len(there)):
        told[k] = then[low, phase, k] + _care(there[k] + ahead, pack)
    if share > 0:
        for k in range(len(there)):
            told[k] += share * (then[low + 1, phase, k] - then[low, phase, k])


@compiled
def _at_current(
    best: Floats,
    amps: float,
    first: int,
    levels: Floats,
    there: Floats,
    told: Floats,
    then: Floats,
    phase: int,
    aheads: Floats,
    slot: Slot,
    pack: Pack,
) -> None:
    """Lower `best`, from level `first` on, to what charging at a current comes to.

    there : the levels at the slot's end. told : what follows there, see `_after`. then : the values it is of.
    """
    at, last = 0, len(there) - 1
    plain = _plain(amps, levels, slot, pack)
    cost, gained, mean_after = 0.0, 0.0, 0.0
    for k in range(first, len(levels)):
        # Clear of limit and taper every level takes the same.
        if k == first or k >= plain:
            mean = min(levels[k] + slot.ahead_kwh, max(levels[k], pack.usable_kwh))
            cost, level, mean_after = charged(amps, levels[k], mean, slot, pack)
            gained = level - levels[k]
        level = levels[k] + gained
        if level < slot.need_kwh:
            continue
        while at < last - 1 and there[at + 1] < level:
            at += 1
        share = min(1.0, max(0.0, (level - there[at]) / (there[at + 1] - there[at])))
        if k < plain:
            worth = cost + told[at] + share * (told[at + 1] - told[at])
        else:
            low, part = layer_of(aheads, mean_after - level)
            worth = then[low, phase, at] + share * (then[low, phase, at + 1] - then[low, phase, at])
            if part > 0:
                other = then[low + 1, phase, at] + share * (then[low + 1, phase, at + 1] - then[low + 1, phase, at])
                worth += part * (other - worth)
            worth += cost + _care(mean_after, pack)
        if worth < best[k]:
            best[k] = worth


@compiled
def _plain(amps: float, levels: Floats, slot: Slot, pack: Pack) -> int:
    """How many levels, from the lowest, take a slot at a current whole: no limit and no taper in the way."""
    offered_kw = min(amps * pack.kw_per_a, pack.most_wall_kw)
    gain = max(0.0, pack.mean[0] * offered_kw - pack.mean[1]) * slot.hours
    highest = min(slot.limit_kwh - gain, pack.taper_from * pack.usable_kwh) - slot.ahead_kwh - _NOTHING
    return int(np.searchsorted(levels, highest))


@compiled
def _any_current(
    best: Floats,
    span: tuple[float, float],
    price: tuple[float, float],
    many: int,
    levels: Floats,
    there: Floats,
    after: Floats,
    slot: Slot,
    pack: Pack,
    queue: Counts,
) -> None:
    """Lower `best` to what the best current within a span of wall kWh comes to: a sliding minimum over the gains.

    price : of a wall kWh, and what is paid besides (as with own sun, the first part at another price).
    """
    efficiency, overhead_kwh = pack.cautious[0], pack.cautious[1] * slot.hours
    low = max(0.0, efficiency * span[0] - overhead_kwh)
    high = max(0.0, efficiency * span[1] - overhead_kwh)
    slope = price[0] / efficiency
    head, tail, n = 0, 0, len(there)
    pushed = np.searchsorted(there, slot.need_kwh)
    for k in range(many):
        while pushed < n and there[pushed] <= levels[k] + high + _NOTHING:
            worth = after[pushed] + slope * there[pushed]
            while tail > head and after[queue[tail - 1]] + slope * there[queue[tail - 1]] >= worth:
                tail -= 1
            queue[tail] = pushed
            tail += 1
            pushed += 1
        while head < tail and there[queue[head]] < levels[k] + low - _NOTHING:
            head += 1
        if head < tail:
            j = queue[head]
            best[k] = min(best[k], after[j] + slope * (there[j] - levels[k] + overhead_kwh) + price[1])


@compiled
def _charging(
    best: Floats,
    steps_a: Floats,
    levels: Floats,
    there: Floats,
    told: Floats,
    then: Floats,
    aheads: Floats,
    slot: Slot,
    pack: Pack,
    queue: Counts,
) -> None:
    """What charging in a slot comes to from every level, at the best of the currents that are possible."""
    best[:] = np.inf
    if not np.isnan(slot.pinned_a):
        _after(told, slot.pinned_a, then, ON, there, aheads, slot, pack)
        _at_current(best, slot.pinned_a, 0, levels, there, told, then, ON, aheads, slot, pack)
        return
    most = slot.room_a
    if len(steps_a):
        for step in steps_a:
            if step <= most + _NOTHING:
                _after(told, step, then, ON, there, aheads, slot, pack)
                _at_current(best, step, 0, levels, there, told, then, ON, aheads, slot, pack)
        return
    # Between its currents the mean car gets ahead by nearly the same.
    _after(told, most, then, ON, there, aheads, slot, pack)
    _at_current(best, most, 0, levels, there, told, then, ON, aheads, slot, pack)
    if pack.least_a >= most - _NOTHING:
        return
    many = _plain(most, levels, slot, pack)
    kwh_per_a = pack.kw_per_a * slot.hours
    low, high, sun = pack.least_a * kwh_per_a, most * kwh_per_a, slot.sun_kwh
    toll = slot.toll / kwh_per_a
    _at_current(best, pack.least_a, many, levels, there, told, then, ON, aheads, slot, pack)
    _at_current(best, (pack.least_a + most) / 2, many, levels, there, told, then, ON, aheads, slot, pack)
    if sun < high:
        price = (slot.price + toll, (slot.own_price - slot.price) * sun)
        _any_current(best, (max(low, sun), high), price, many, levels, there, told, slot, pack, queue)
    if sun > low:
        price = (slot.own_price + toll, 0.0)
        _any_current(best, (low, min(sun, high)), price, many, levels, there, told, slot, pack, queue)
        if sun < high:
            _at_current(best, sun / kwh_per_a, 0, levels, there, told, then, ON, aheads, slot, pack)


@compiled
def _bridge(values: Floats, levels: Floats, need: float, dearest: float) -> None:
    """Levels from which something must be missed: dearer by the dearest price, so that no value is blurred across."""
    at = int(np.searchsorted(levels, need - 1e-8))
    if at >= len(levels):
        at = len(levels) - 1
    for phase in range(values.shape[0]):
        for k in range(at):
            values[phase, k] = values[phase, at] + dearest * (levels[at] - levels[k])


@compiled
def _before_trip(values: Floats, kwh: float, levels: Floats) -> None:
    """Move values from after a trip to before it."""
    for phase in range(values.shape[0]):
        after = values[phase].copy()
        at = 0
        for k in range(len(levels)):
            values[phase, k], at = between(levels, after, max(0.0, levels[k] - kwh), at)


@compiled
def _found_at(edge: int, values: Floats, later: Floats, until: int) -> Floats:
    """Values at an edge, which from one edge on stand in another array, shape (n_layers, n_phases, n_levels)."""
    found: Floats = values[edge] if edge < until or until == len(values) - 1 else later[edge]
    return found


@compiled
def managed_values(
    values: Floats,
    later: Floats,
    span: tuple[int, int],
    levels: Floats,
    aheads: Floats,
    steps_a: Floats,
    dearest: float,
    need_after_trips: Floats,
    band: tuple[Counts, Counts],
    slots: Slots,
    pack: Pack,
) -> None:
    """Fill in the least cost to go for a car whose current may change every slot, shape
    (n_slots + 1, n_layers, 2, n_levels).

    Phases are OFF and ON: whether current was offered in the slot before. Values at an edge are those before its trips.
    later : values that stand already. span : the first edge at which values are filled in, and the one from which on they
        stand in `later`; where that is the horizon's end they are filled in there, too.
    steps_a : currents of a stepped lead, empty for a continuous one. dearest : above any price of a kWh aboard.
    band : the levels that are looked at, at each edge: see `reachable`.
    """
    n, many = len(slots.room_a), len(levels)
    best, told = np.empty(many), np.empty(many)
    queue = np.empty(many + 1, dtype=np.int64)
    first, past = band
    since, until = span
    latest = n if until == n else until - 1
    nth = int(np.searchsorted(slots.trip_edge, latest, side="right")) - 1
    for t in range(latest, since - 1, -1):
        values[t, :, :, first[t] : past[t]] = 0.0
        here = levels[first[t] : past[t]]
        if t < n:
            there = levels[first[t + 1] : past[t + 1]]
            then = _found_at(t + 1, values, later, until)[:, :, first[t + 1] : past[t + 1]]
            for layer in range(aheads.shape[1]):
                slot = slot_at(t, slots, aheads[t, layer])
                now = values[t, layer, :, first[t] : past[t]]
                boost = pack.boost_kwh - slot.ahead_kwh - _NOTHING if slot.room_a > 0 else -1.0
                pinned = not np.isnan(slot.pinned_a)
                charging = best[: len(here)]
                if slot.room_a > 0 or pinned:
                    after = told[: len(there)]
                    _charging(charging, steps_a, here, there, after, then, aheads[t + 1], slot, pack, queue)
                    low = np.searchsorted(here, boost)
                    if low and not pinned:
                        charging[:low] = np.inf
                        _after(after, slot.room_a, then, ON, there, aheads[t + 1], slot, pack)
                        _at_current(
                            charging[:low], slot.room_a, 0, here[:low], there, after, then, ON, aheads[t + 1], slot, pack
                        )
                else:
                    charging[:] = np.inf
                start = 0.0 if t == 0 and pack.charging else pack.start_price
                resting = _resting(aheads[t + 1], slot.ahead_kwh, then)
                for k in range(len(here)):
                    care = _care(here[k] + slot.ahead_kwh, pack)
                    same = min(len(there) - 1, max(0, k + first[t] - first[t + 1]))
                    may_rest = not pinned and here[k] >= max(boost, slot.need_kwh)
                    rest = resting[OFF, same] + 2 * care if may_rest else np.inf
                    now[ON, k] = min(rest, charging[k] + care)
                    now[OFF, k] = min(rest, charging[k] + care + start)
        leaves = nth
        for layer in range(aheads.shape[1]):
            now, nth = values[t, layer, :, first[t] : past[t]], leaves
            if nth >= 0 and slots.trip_edge[nth] == t:
                _bridge(now, here, need_after_trips[t], dearest)
            while nth >= 0 and slots.trip_edge[nth] == t:
                _before_trip(now, slots.trip_kwh[nth], here)
                nth -= 1
            _bridge(now, here, slots.need_kwh[t], dearest)


@compiled
def managed_amps(
    amps: Floats,
    aboard: tuple[float, float],
    values: Floats,
    later: Floats,
    span: tuple[int, int],
    levels: Floats,
    aheads: Floats,
    steps_a: Floats,
    band: tuple[Counts, Counts],
    slots: Slots,
    pack: Pack,
) -> None:
    """Follow the values with the true levels of both cars, shape (n_slots,) [A]; of equal choices the earlier start.

    amps : filled in from the span's first edge on, those before it standing already. aboard : cautious and mean SoC there,
        before any trip. later, span : as in `managed_values`.
    """
    n = len(slots.room_a)
    since, until = span
    level, mean = aboard
    phase = ON if since > 0 and amps[since - 1] > 0 else OFF
    nth = int(np.searchsorted(slots.trip_edge, since))
    tried = np.empty(len(levels) + 8)
    for t in range(since, n):
        amps[t] = 0.0
        while nth < len(slots.trip_edge) and slots.trip_edge[nth] == t:
            level, mean = max(0.0, level - slots.trip_kwh[nth]), max(0.0, mean - slots.trip_kwh[nth])
            nth += 1
        slot = slot_at(t, slots, mean - level)
        if slot.room_a <= 0 and np.isnan(slot.pinned_a):
            phase = OFF
            continue
        there = levels[band[0][t + 1] : band[1][t + 1]]
        then = _found_at(t + 1, values, later, until)[:, :, band[0][t + 1] : band[1][t + 1]]
        many = _to_try(tried, level, slots.need_kwh[t + 1], levels, steps_a, slot, pack)
        start = 0.0 if phase == ON or (t == 0 and pack.charging) else pack.start_price
        care = _care(mean, pack)
        best, chosen = np.inf, -1.0
        boost = mean < pack.boost_kwh - _NOTHING
        many = min(many, 1) if boost else many
        if np.isnan(slot.pinned_a) and not boost and (level >= slot.need_kwh or many == 0):
            best, chosen = value_at(there, aheads[t + 1], then, OFF, level, mean) + 2 * care, 0.0
        highest = 0.0
        for nth_tried in range(many):
            cost, after, mean_after = charged(tried[nth_tried], level, mean, slot, pack)
            highest = max(highest, after)
        for nth_tried in range(many):
            cost, after, mean_after = charged(tried[nth_tried], level, mean, slot, pack)
            if after < min(slot.need_kwh, highest - 1e-12):
                continue
            worth = cost + start + care + value_at(there, aheads[t + 1], then, ON, after, mean_after)
            worth += _care(mean_after, pack)
            if worth < best - 1e-9 or (chosen == 0.0 and worth <= best + 1e-9):
                best, chosen = worth, tried[nth_tried]
        amps[t] = max(0.0, chosen)
        phase = ON if amps[t] > 0 else OFF
        if amps[t] > 0:
            _, level, mean = charged(amps[t], level, mean, slot, pack)


@compiled
def _to_try(tried: Floats, level: float, need: float, levels: Floats, steps_a: Floats, slot: Slot, pack: Pack) -> int:
    """Currents worth trying from a true level, the most first; how many there are."""
    if not np.isnan(slot.pinned_a):
        tried[0] = slot.pinned_a
        return 1
    most, many = slot.room_a, 0
    if len(steps_a):
        for nth in range(len(steps_a) - 1, -1, -1):
            if steps_a[nth] <= most + _NOTHING:
                tried[many] = steps_a[nth]
                many += 1
        return many
    tried[0], tried[1] = most, pack.least_a
    many = 2
    per_a = pack.kw_per_a * slot.hours
    sun_a = np.floor(slot.sun_kwh / per_a * 100) / 100
    if pack.least_a < sun_a < most:
        tried[many] = sun_a
        many += 1
    at = np.searchsorted(levels, level)
    while many < len(tried):
        wanted = need if many == len(tried) - 1 else (levels[at] if at < len(levels) else np.inf)
        amps = np.ceil(_amps_for(wanted - level, slot, pack) * 100 - 1e-6) / 100
        if amps >= most or wanted == np.inf:
            break
        if amps > pack.least_a:
            tried[many] = amps
            many += 1
        at += 1
    amps = np.ceil(_amps_for(need - level, slot, pack) * 100 - 1e-6) / 100
    if pack.least_a < amps < most and many < len(tried):
        tried[many] = amps
        many += 1
    return many


@compiled
def _amps_for(gain_kwh: float, slot: Slot, pack: Pack) -> float:
    """The current at which the cautious car gains this much in a whole slot."""
    return (gain_kwh / slot.hours + pack.cautious[1]) / pack.cautious[0] / pack.kw_per_a


@compiled
def timer_values(
    values: Floats,
    later: Floats,
    span: tuple[int, int],
    levels: Floats,
    aheads: Floats,
    currents: Floats,
    never: float,
    may: tuple[Flags, Flags, Flags, Flags],
    band: tuple[Counts, Counts],
    slots: Slots,
    pack: Pack,
) -> None:
    """Fill in the least cost to go for one session a night at one current, shape
    (n_slots + 1, n_layers, 2 * len(currents) + 2, n_levels).

    Phases are waiting, on at each of the currents, done for the night, and on at each of them since the night before: such
    a session leaves the new night its own. later, span : as in `managed_values`. may : whether a slot may begin a session,
    may be the last of one, begins a new night, and may be in a session that began in the night before. never : price of a
    kWh that is missed, above any other.
    """
    starts, ends, new_night, crossing = may
    n, many, on = len(slots.room_a), len(levels), len(currents)
    done = on + 1
    best, after = np.empty((2 * on, many)), np.empty(many)
    first, past = band
    since, until = span
    latest = n if until == n else until - 1
    nth = int(np.searchsorted(slots.trip_edge, latest, side="right")) - 1
    for t in range(latest, since - 1, -1):
        values[t, :, :, first[t] : past[t]] = 0.0
        here, leaves = levels[first[t] : past[t]], nth
        for layer in range(aheads.shape[1]):
            now, nth = values[t, layer, :, first[t] : past[t]], leaves
            if t < n:
                slot = slot_at(t, slots, aheads[t, layer])
                there = levels[first[t + 1] : past[t + 1]]
                then = _found_at(t + 1, values, later, until)[:, :, first[t + 1] : past[t + 1]]
                told, charging = after[: len(there)], best[:, : len(here)]
                start = 0.0 if t == 0 and pack.charging else pack.start_price
                if not np.isnan(slot.pinned_a):
                    going_on = t > 0 and not np.isnan(slots.pinned_a[t - 1])
                    _after(told, slot.pinned_a, then, done, there, aheads[t + 1], slot, pack)
                    charging[0, :] = np.inf
                    _at_current(charging[0], slot.pinned_a, 0, here, there, told, then, done, aheads[t + 1], slot, pack)
                    _timer_pinned(now, 0.0 if going_on else start, here, charging[0], slot, pack)
                else:
                    for i in range(2 * on if crossing[t] else on):
                        charging[i, :] = np.inf
                        if 0 < currents[i % on] <= slot.room_a + _NOTHING:
                            phase = i + 1 if i < on else i + 2
                            _after(told, currents[i % on], then, phase, there, aheads[t + 1], slot, pack)
                            _at_current(
                                charging[i], currents[i % on], 0, here, there, told, then, phase, aheads[t + 1], slot, pack
                            )
                    # By hand a session may only end short of the limit while someone is up.
                    held_below = slots.limit_kwh[t - 1] - 1e-6 if t > 0 and not ends[t - 1] else -1.0
                    shift = first[t] - first[t + 1]
                    _timer_choice(
                        now,
                        _resting(aheads[t + 1], slot.ahead_kwh, then),
                        shift,
                        charging,
                        here,
                        never,
                        start,
                        (starts[t], crossing[t]),
                        held_below,
                        slot,
                        pack,
                    )
                if t > 0 and new_night[t]:
                    now[done] = now[0]
                    now[1 : on + 1] = now[on + 2 :]
            _missed(now, never, slots.wants[t], here)
            while nth >= 0 and slots.trip_edge[nth] == t:
                _before_trip(now, slots.trip_kwh[nth], here)
                _missed(now, never, slots.trip_wants[nth], here)
                nth -= 1
            _missed(now, never * _WISHED, slots.wishes[t], here)


@compiled
def _missed(values: Floats, never: float, wanted: float, levels: Floats) -> None:
    """Count what each level misses of what is wanted."""
    for phase in range(values.shape[0]):
        for k in range(len(levels)):
            if levels[k] >= wanted - _NOTHING:
                break
            values[phase, k] += never * (wanted - levels[k] - _NOTHING)


@compiled
def _timer_pinned(before: Floats, start: float, levels: Floats, charging: Floats, slot: Slot, pack: Pack) -> None:
    """A slot that a person pinned; with it the night is done."""
    for phase in range(before.shape[0]):
        for k in range(len(levels)):
            before[phase, k] = charging[k] + _care(levels[k] + slot.ahead_kwh, pack) + start


@compiled
def _timer_choice(
    before: Floats,
    after: Floats,
    shift: int,
    best: Floats,
    levels: Floats,
    never: float,
    start: float,
    may: tuple[bool, bool],
    held_below: float,
    slot: Slot,
    pack: Pack,
) -> None:
    """Values before a slot, from those of charging in it at each current and of not charging.

    shift : by how many places a level stands further on among those at the slot's end.
    may : whether a session may start, and whether one can go on since the night before.
    """
    on = len(best) // 2
    done = on + 1
    may_start, crosses = may
    for k in range(len(levels)):
        same = min(after.shape[1] - 1, max(0, k + shift))
        care = _care(levels[k] + slot.ahead_kwh, pack)
        rest = 2 * care + _waiting_low(levels[k] + slot.ahead_kwh, never, slot, pack)
        waiting, stop = after[0, same] + rest, after[done, same] + rest
        held = never * 1e3 if levels[k] < held_below else 0.0
        before[done, k] = stop
        if crosses:
            for i in range(on):
                before[done + 1 + i, k] = min(best[on + i, k] + care, waiting + held)
        for i in range(on):
            charging = best[i, k] + care
            if may_start:
                waiting = min(waiting, charging + start)
            before[i + 1, k] = min(charging, stop + held)
        before[0, k] = waiting


@compiled
def _waiting_low(mean_level: float, never: float, slot: Slot, pack: Pack) -> float:
    """What it counts not to charge below the boost level."""
    return never / 100 if slot.room_a > 0 and mean_level < pack.boost_kwh - _NOTHING else 0.0


@compiled
def timer_amps(
    amps: Floats,
    aboard: tuple[float, float],
    values: Floats,
    later: Floats,
    span: tuple[int, int],
    levels: Floats,
    aheads: Floats,
    currents: Floats,
    never: float,
    may: tuple[Flags, Flags, Flags, Flags],
    band: tuple[Counts, Counts],
    slots: Slots,
    pack: Pack,
) -> None:
    """A timer's sessions, night by night: of every start, current and length the best, by the true levels of both cars
    until the session's end and the values from there on, shape (n_slots,) [A].

    amps, aboard, later, span : as in `managed_amps`; the span begins with a night.
    """
    n, done = len(slots.room_a), len(currents) + 1
    t, until = span
    level, mean = aboard
    amps[t:] = 0.0
    nth = int(np.searchsorted(slots.trip_edge, t))
    while t < n:
        end = t + 1
        while end < n and not may[2][end]:
            end += 1
        after = _found_at(end, values, later, until)
        best = _rest_of_night(after, levels, aheads, band, never, level, mean, (t, end, nth, done), slots, pack)
        promising = _promising(
            amps,
            (level, mean),
            values,
            later,
            (t, end, until, nth),
            levels,
            aheads,
            band,
            never,
            len(currents),
            may,
            slots,
            pack,
        )
        chosen = (-1, 0, 0)
        waited, here, there, seen = 0.0, level, mean, nth
        for start in range(t, end):
            waited += never * _WISHED * max(0.0, slots.wishes[start] - here) if start > t else 0.0
            while seen < len(slots.trip_edge) and slots.trip_edge[seen] == start:
                waited += never * max(0.0, slots.trip_wants[seen] - here - _NOTHING)
                here, there = max(0.0, here - slots.trip_kwh[seen]), max(0.0, there - slots.trip_kwh[seen])
                seen += 1
            waited += never * max(0.0, slots.wants[start] - here - _NOTHING) if start > t else 0.0
            for i in range(len(currents)):
                if promising[start - t, i]:
                    worth, last = _best_length(
                        values,
                        later,
                        until,
                        levels,
                        aheads,
                        band,
                        never,
                        currents[i],
                        (start, end, seen, done),
                        may,
                        here,
                        there,
                        slots,
                        pack,
                    )
                    if waited + worth < best - 1e-9 or (chosen[0] < 0 and waited + worth <= best + 1e-9):
                        best, chosen = waited + worth, (start, last, i)
            slot = slot_at(start, slots, 0.0)
            if not np.isnan(slot.pinned_a):
                cost, here, there_after = charged(slot.pinned_a, here, there, slot, pack)
                waited += cost + _care(there, pack) + _care(there_after, pack)
                there = there_after
            else:
                waited += 2 * _care(there, pack) + _waiting_low(there, never, slot, pack)
        if chosen[0] >= 0:
            for at in range(chosen[0], chosen[1] + 1):
                amps[at] = currents[chosen[2]]
            # A session that goes on into the next night leaves it its own.
            end = max(end, chosen[1] + 1)
        for at in range(t, end):
            level, mean, nth = _lived(at, amps, level, mean, nth, slots, pack)
        t = end


@compiled
def _promising(
    amps: Floats,
    aboard: tuple[float, float],
    values: Floats,
    later: Floats,
    at: tuple[int, int, int, int],
    levels: Floats,
    aheads: Floats,
    band: tuple[Counts, Counts],
    never: float,
    n_currents: int,
    may: tuple[Flags, Flags, Flags, Flags],
    slots: Slots,
    pack: Pack,
) -> Flags:
    """Which starts and currents of a night are worth a closer look, by the values of charging there: the best few, and
    all that come to as much as the last of them, shape (n_slots_of_night, n_currents).

    at : the night's first slot, the one after it, the edge from which on values stand in `later`, and the trip to come.
    """
    first, end, until, nth = at
    here, mean = aboard
    worth = np.full((end - first, n_currents), np.inf)
    waited = 0.0
    for t in range(first, end):
        # What is asked for at this edge is in its values; what was asked for before it is missed by whoever has waited.
        asked, before, after = waited, here, mean
        while nth < len(slots.trip_edge) and slots.trip_edge[nth] == t:
            waited += never * max(0.0, slots.trip_wants[nth] - here - _NOTHING)
            here, mean = max(0.0, here - slots.trip_kwh[nth]), max(0.0, mean - slots.trip_kwh[nth])
            nth += 1
        waited += never * max(0.0, slots.wants[t] - here - _NOTHING) + never * _WISHED * max(0.0, slots.wishes[t] - before)
        slot = slot_at(t, slots, 0.0)
        if not np.isnan(slot.pinned_a):
            _, here, mean = charged(slot.pinned_a, here, mean, slot, pack)
            continue
        # Right after a session it would be the same one, going on into a night that has its own.
        if may[0][t] and slot.room_a > 0 and not (t > 0 and amps[t - 1] > 0):
            own = slice(band[0][t], band[1][t])
            found = _found_at(t, values, later, until)
            for i in range(n_currents):
                worth[t - first, i] = asked + value_at(levels[own], aheads[t], found[:, :, own], i + 1, before, after)
        waited += 2 * _care(mean, pack) + _waiting_low(mean, never, slot, pack)
    ranked = np.sort(worth.reshape(-1))
    close: Flags = worth <= min(ranked[min(_LOOKED_AT, len(ranked)) - 1], 1e300) + _NOTHING
    return close


@compiled
def _lived(t: int, amps: Floats, level: float, mean: float, nth: int, slots: Slots, pack: Pack) -> tuple[float, float, int]:
    """Both levels at the end of a slot, and the trip to come."""
    while nth < len(slots.trip_edge) and slots.trip_edge[nth] == t:
        level, mean = max(0.0, level - slots.trip_kwh[nth]), max(0.0, mean - slots.trip_kwh[nth])
        nth += 1
    if not np.isnan(slots.pinned_a[t]):
        amps[t] = slots.pinned_a[t]
    if amps[t] > 0:
        _, level, mean = charged(amps[t], level, mean, slot_at(t, slots, 0.0), pack)
    return level, mean, nth


@compiled
def _rest_of_night(
    after: Floats,
    levels: Floats,
    aheads: Floats,
    band: tuple[Counts, Counts],
    never: float,
    level: float,
    mean: float,
    at: tuple[int, int, int, int],
    slots: Slots,
    pack: Pack,
) -> float:
    """What a night without a session of the timer's own comes to, from its first slot on.

    after : values at the night's end, shape (n_layers, n_phases, n_levels).
    """
    first, end, nth, done = at
    worth = 0.0
    for t in range(first, end):
        if t > first:
            worth += never * _WISHED * max(0.0, slots.wishes[t] - level)
            worth += never * max(0.0, slots.wants[t] - level - _NOTHING)
        while nth < len(slots.trip_edge) and slots.trip_edge[nth] == t:
            worth += never * max(0.0, slots.trip_wants[nth] - level - _NOTHING)
            level, mean = max(0.0, level - slots.trip_kwh[nth]), max(0.0, mean - slots.trip_kwh[nth])
            nth += 1
        slot = slot_at(t, slots, 0.0)
        if not np.isnan(slot.pinned_a):
            cost, level, mean_after = charged(slot.pinned_a, level, mean, slot, pack)
            worth += cost + _care(mean, pack) + _care(mean_after, pack)
            mean = mean_after
        else:
            worth += 2 * _care(mean, pack) + _waiting_low(mean, never, slot, pack)
    phase = done if end == len(slots.room_a) else 0
    own = slice(band[0][end], band[1][end])
    return worth + value_at(levels[own], aheads[end], after[:, :, own], phase, level, mean)


@compiled
def _best_length(
    values: Floats,
    later: Floats,
    until: int,
    levels: Floats,
    aheads: Floats,
    band: tuple[Counts, Counts],
    never: float,
    amps: float,
    at: tuple[int, int, int, int],
    may: tuple[Flags, Flags, Flags, Flags],
    level: float,
    mean: float,
    slots: Slots,
    pack: Pack,
) -> tuple[float, int]:
    """Of a session from a slot on at a current: what its best length comes to, and its last slot.

    at : its first slot, the first of the next night, the trip to come, and the phase of being done for the night.
    """
    start, end, nth, done = at
    best, best_last, above = np.inf, start, 0
    paid = 0.0 if start == 0 and pack.charging else pack.start_price
    for t in range(start, len(slots.room_a)):
        slot = slot_at(t, slots, 0.0)
        trip_now = nth < len(slots.trip_edge) and slots.trip_edge[nth] == t and t > start
        if trip_now or not 0 < amps <= slot.room_a + _NOTHING or not np.isnan(slot.pinned_a):
            break
        if t > start:
            paid += never * max(0.0, slots.wants[t] - level - _NOTHING)
        cost, level, after = charged(amps, level, mean, slot, pack)
        paid += cost + _care(mean, pack) + _care(after, pack)
        mean = after
        if may[1][t] or level >= slot.limit_kwh - 1e-6:
            # The level only rises: what it was between is not looked for from the start again.
            above = max(above, band[0][t + 1])
            phase = done if t < end else 0
            then, inside = _found_at(t + 1, values, later, until), levels[: band[1][t + 1]]
            low, share = layer_of(aheads[t + 1], mean - level)
            value, above = between(inside, then[low, phase], level, min(above, len(inside) - 2))
            if share > 0:
                other, _ = between(inside, then[low + 1, phase], level, above)
                value += share * (other - value)
            worth = paid + value
            if worth < best - 1e-9:
                best, best_last = worth, t
        full = slot.limit_kwh - _NOTHING
        if level >= full and mean >= full and (t + 1 == len(slots.limit_kwh) or slots.limit_kwh[t + 1] <= slot.limit_kwh):
            break
    return best, best_last
