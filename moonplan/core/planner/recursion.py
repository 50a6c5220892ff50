"""The recursion over a car's battery, compiled: least cost to go from every level, backward over the slots.

What that comes to, and at which levels and layers, is in `Worth`; the ways go by it. Levels are even steps, and a slot at a
current is the same step up from every level that is clear of limit and taper: so whole rows of values are added up, and not
looked for one by one.
"""

import numpy as np

from moonplan.core.compiled import compiled, kernel
from moonplan.core.planner.rows import copied
from moonplan.core.planner.slots import (
    NOTHING,
    OFF,
    ON,
    WISHED,
    Levels,
    Managed,
    Pack,
    Slot,
    Timer,
    Worth,
    at_once_below,
    care_of,
    charged,
    layer_of,
    levels_at,
    slot_at,
    waiting_low,
)
from moonplan.core.timegrid import Floats

# What a timer misses at a level just below what is wanted, beside what it misses further down.
_LITTLE = 1 / 400
# Above everything that a plan can come to, but not so far that sums with it are no numbers any more.
_IMPOSSIBLE = 1e12


@kernel
def _resting(rest: Floats, here: Levels, then: Floats, phase: int, aheads: Floats, slot: Slot) -> None:
    """Values at the end of a slot without current."""
    low, share = layer_of(aheads, slot.ahead_kwh)
    lower = then[low, phase, here.first : here.past]
    upper = then[low + (1 if share > 0 else 0), phase, here.first : here.past]
    found = rest[here.first : here.past]
    for j in range(len(found)):
        found[j] = lower[j] + share * (upper[j] - lower[j])


@kernel
def _at_current(
    best: Floats,
    amps: float,
    lowest: int,
    closely: bool,
    here: Levels,
    then: Floats,
    phase: int,
    aheads: Floats,
    slot: Slot,
    pack: Pack,
    nth: int = -1,
) -> None:
    """Lower `best`, from level `lowest` on, to what charging at a current comes to, with care at the slot's end.

    then : values there, shape (n_layers, n_phases, n_levels). closely : whether levels near limit and taper are looked at.
    nth : the how-manieth slot it is, where the same current goes on from slot to slot; else negative.
    """
    wall_kw = min(amps * pack.kw_per_a, pack.most_wall_kw)
    mean_gain = max(0.0, pack.mean[0] * wall_kw - pack.mean[1]) * slot.hours
    gain = max(0.0, pack.cautious[0] * wall_kw - pack.cautious[1]) * slot.hours
    drawn = wall_kw * slot.hours
    own = min(drawn, slot.sun_kwh)
    cost = slot.own_price * own + slot.price * (drawn - own) + slot.toll * amps
    clear_kwh = min(slot.limit_kwh - mean_gain, pack.taper_from * pack.usable_kwh) - slot.ahead_kwh - NOTHING
    begin = max(lowest, _place(slot.need_kwh - gain, here))
    plain = max(begin, min(here.past, _place(clear_kwh, here)))
    ahead = slot.ahead_kwh + mean_gain - gain
    place = gain / here.step_kwh
    if nth >= 0:
        # Between two levels a value would blur a little more with every slot; the nearest levels to what has been gained
        # since the first slot are never out by more than one.
        place = np.floor(place * (nth + 1) + 0.5) - np.floor(place * nth + 0.5)
    _stepped_up(best[begin:plain], cost, place, begin, here, then, phase, ahead, aheads, pack)
    if not closely:
        return
    full = max(plain, min(here.past, _place(slot.limit_kwh - NOTHING, here)))
    for k in range(max(lowest, plain), full):
        level = here.floor_kwh + here.step_kwh * k
        mean = min(level + slot.ahead_kwh, max(level, pack.usable_kwh))
        cost, after, mean_after = charged(amps, level, mean, slot, pack)
        if after >= slot.need_kwh:
            place = (after - here.floor_kwh) / here.step_kwh
            at = int(place)
            if after >= slot.limit_kwh - NOTHING and place < at + 1 - 1e-6:
                # No more than that can be had; of a level above it, slot after slot a little would be.
                place = float(at)
            low, share = layer_of(aheads, mean_after - after)
            value = then[low, phase, at] + (place - at) * (then[low, phase, at + 1] - then[low, phase, at])
            if share > 0:
                upper = then[low + 1, phase]
                value += share * (upper[at] + (place - at) * (upper[at + 1] - upper[at]) - value)
            best[k] = min(best[k], cost + value + care_of(mean_after, pack))
    _stepped_up(
        best[max(lowest, full) : here.past], 0.0, 0.0, max(lowest, full), here, then, phase, slot.ahead_kwh, aheads, pack
    )


@kernel
def _place(level: float, levels: Levels) -> int:
    """The first level that is not below another, among those that the car can be at and the one past them."""
    place = np.ceil((level - levels.floor_kwh) / levels.step_kwh - 1e-9)
    return int(min(float(levels.past), max(float(levels.first), place)))


@kernel
def _stepped_up(
    best: Floats,
    cost: float,
    place: float,
    begin: int,
    here: Levels,
    then: Floats,
    phase: int,
    ahead: float,
    aheads: Floats,
    pack: Pack,
) -> None:
    """Lower values from a level on to a cost and the value that many levels above each, with its care."""
    up = int(place + 1e-9)
    part = max(0.0, place - up)
    low, share = layer_of(aheads, ahead)
    at = begin + up
    lower, upper = then[low, phase, at:], then[low + (1 if share > 0 else 0), phase, at:]
    base = here.floor_kwh + here.step_kwh * (begin + place) + ahead - pack.rest_kwh
    half_care = 0.5 * pack.care
    a, b = (1 - share) * (1 - part), (1 - share) * part
    c, d = share * (1 - part), share * part
    for j in range(len(best)):
        care = half_care * max(0.0, base + here.step_kwh * j)
        value = cost + a * lower[j] + b * lower[j + 1] + c * upper[j] + d * upper[j + 1] + care
        best[j] = value if value < best[j] else best[j]


@kernel
def _charging(
    best: Floats, steps_a: Floats, boost: float, here: Levels, then: Floats, aheads: Floats, slot: Slot, pack: Pack
) -> None:
    """What charging in a slot comes to from every level, at the best of the currents that are possible.

    boost : level below which it is the most.
    """
    best[here.first : here.past] = _IMPOSSIBLE
    if not np.isnan(slot.pinned_a):
        _at_current(best, slot.pinned_a, here.first, True, here, then, ON, aheads, slot, pack)
        return
    most = slot.room_a
    lowest = _place(boost, here)
    if len(steps_a):
        most = 0.0
        for step in steps_a:
            most = max(most, step) if step <= slot.room_a + NOTHING else most
        for step in steps_a:
            if step < most:
                _at_current(best, step, lowest, True, here, then, ON, aheads, slot, pack)
    elif most > 0:
        low = pack.least_a
        if low < most - NOTHING:
            _at_current(best, low, lowest, True, here, then, ON, aheads, slot, pack)
            sun_a = slot.sun_kwh / (pack.kw_per_a * slot.hours)
            if low < sun_a < most:
                _at_current(best, sun_a, lowest, True, here, then, ON, aheads, slot, pack)
            # Besides, those that lead from level to level.
            up = int(_gain(low, slot, pack) / here.step_kwh) + 1
            while up * here.step_kwh < _gain(most, slot, pack) - NOTHING:
                amps = (up * here.step_kwh / slot.hours + pack.cautious[1]) / (pack.cautious[0] * pack.kw_per_a)
                _at_current(best, amps, lowest, False, here, then, ON, aheads, slot, pack)
                up += 1
    if most > 0:
        _at_current(best, most, here.first, True, here, then, ON, aheads, slot, pack)


@kernel
def _gain(amps: float, slot: Slot, pack: Pack) -> float:
    """What the cautious car gains in a slot that it takes whole. [kWh]"""
    return max(0.0, pack.cautious[0] * min(amps * pack.kw_per_a, pack.most_wall_kw) - pack.cautious[1]) * slot.hours


@kernel
def _bridge(values: Floats, need: float, dearest: float, levels: Levels) -> None:
    """Levels from which something must be missed: dearer by the dearest price, so that no value is blurred across; but the
    first of them goes on as the levels above, for what lies between is enough."""
    at = min(levels.past - 2, _place(need - 1e-8, levels))
    for phase in range(values.shape[0]):
        row = values[phase]
        if at > levels.first:
            row[at - 1] = row[at] + min(dearest * levels.step_kwh, max(0.0, row[at] - row[at + 1]))
        for k in range(levels.first, at - 1):
            row[k] = row[at - 1] + dearest * levels.step_kwh * (at - 1 - k)


@kernel
def _missed(values: Floats, never: float, wanted: float, levels: Levels) -> None:
    """Count what each level misses of what is wanted; at the two below it little.

    What lies above the first of them may be enough, and where a trip or less current leads between the two, what is looked
    for is between what can be had and what can not: it is what is truly missed that ways count.
    """
    if wanted <= 0:  # the lowest level lies below an empty battery, and misses nothing
        return
    at = _place(wanted - NOTHING, levels)
    for phase in range(values.shape[0]):
        row = values[phase]
        for k in range(levels.first, at):
            row[k] += (never if k < at - 2 else never * _LITTLE) * (wanted - levels.floor_kwh - levels.step_kwh * k)


@kernel
def _before_trip(values: Floats, after: Floats, kwh: float, levels: Levels) -> None:
    """Move values from after a trip to before it. after : room to reckon in, shape (n_levels,)."""
    for phase in range(values.shape[0]):
        row = values[phase]
        copied(after, row)
        for k in range(levels.first, levels.past):
            level = max(0.0, levels.floor_kwh + levels.step_kwh * k - kwh)
            place = max(float(levels.first), (level - levels.floor_kwh) / levels.step_kwh)
            at = min(levels.past - 2, int(place))
            row[k] = after[at] + (place - at) * (after[at + 1] - after[at])


@kernel
def _swapped(row: Floats, other: Floats) -> None:
    for k in range(len(row)):
        row[k], other[k] = other[k], row[k]


@kernel
def _spared(t: int, worth: Worth) -> None:
    """Go on at an edge as the highest level there does, for the slot before it may lead above what can be reached."""
    values, past, until = worth.of[t], worth.past[t], worth.past[max(0, t - 1)] + worth.spare
    for layer in range(values.shape[0]):
        for phase in range(values.shape[1]):
            values[layer, phase, past:until] = values[layer, phase, past - 1]


@compiled
def managed_values(car: Managed) -> None:
    """Fill in the least cost to go for a car whose current may change every slot.

    Phases are OFF and ON: whether current was offered in the slot before.
    """
    _managed_backward(car, np.empty((2, car.worth.of.shape[3])))


@kernel
def _managed_backward(car: Managed, rows: Floats) -> None:
    """See `managed_values`. rows : room to reckon in, shape (2, n_levels)."""
    worth, steps_a, dearest, need_after_trips, slots, pack = car
    n, best, rest = len(slots.room_a), rows[0], rows[1]
    latest = n if worth.until == n else worth.until - 1
    nth = int(np.searchsorted(slots.trip_edge, latest, side="right")) - 1
    for t in range(latest, worth.since - 1, -1):
        values, here, leaves = worth.of[t], levels_at(t, worth), nth
        edge = min(n, t + 1)
        then, aheads = worth.of[edge] if edge < worth.until else worth.later[edge], worth.aheads[edge]
        for layer in range(len(values)):
            now, nth = values[layer], leaves
            if t < n:
                slot = slot_at(t, slots, worth.aheads[t, layer])
                _managed_choice(now, best, rest, t == 0 and pack.charging, steps_a, here, then, aheads, slot, pack)
            else:
                now[:] = 0.0
            if nth >= 0 and slots.trip_edge[nth] == t:
                _bridge(now, need_after_trips[t], dearest, here)
            while nth >= 0 and slots.trip_edge[nth] == t:
                _before_trip(now, rest, slots.trip_kwh[nth], here)
                nth -= 1
            _bridge(now, slots.need_kwh[t], dearest, here)
        _spared(t, worth)


@kernel
def _managed_choice(
    now: Floats,
    best: Floats,
    rest: Floats,
    charging: bool,
    steps_a: Floats,
    here: Levels,
    then: Floats,
    aheads: Floats,
    slot: Slot,
    pack: Pack,
) -> None:
    """Values before a slot of a car whose current may change every slot. charging : whether it does before the first."""
    boost = at_once_below(slot, pack) - slot.ahead_kwh if slot.room_a > 0 else -1.0
    pinned = not np.isnan(slot.pinned_a)
    _charging(best, steps_a, boost, here, then, aheads, slot, pack)
    _resting(rest, here, then, OFF, aheads, slot)
    may_rest = here.past if pinned else _place(max(boost, slot.need_kwh), here)
    start = 0.0 if charging else pack.start_price
    rest[here.first : may_rest] = _IMPOSSIBLE
    base, half_care = here.floor_kwh + here.step_kwh * here.first + slot.ahead_kwh - pack.rest_kwh, 0.5 * pack.care
    resting, charged_on = rest[here.first : here.past], best[here.first : here.past]
    on, off = now[ON, here.first : here.past], now[OFF, here.first : here.past]
    for j in range(len(resting)):
        care = half_care * max(0.0, base + here.step_kwh * j)
        stay, go = resting[j] + 2 * care, charged_on[j] + care
        on[j] = stay if stay < go else go
        off[j] = stay if stay < go + start else go + start


@compiled
def timer_values(timer: Timer) -> None:
    """Fill in the least cost to go for one session a night at one current.

    Phases are waiting, on at each of the currents, done for the night, and on at each of them since the night before: such
    a session leaves the new night its own. At the edge where a night begins the phases are those of the night that ends;
    what a session of the new one comes to from there on stands where one since the night before does elsewhere.
    """
    n_levels = timer.worth.of.shape[3]
    _timer_backward(timer, np.empty((2 * len(timer.currents), n_levels)), np.empty((2, n_levels)))


@kernel
def _timer_backward(timer: Timer, best: Floats, rest: Floats) -> None:
    """See `timer_values`. best, rest : room to reckon in, shapes (2 n_currents, n_levels) and (2, n_levels)."""
    worth, currents, never, may, slots, pack = timer
    n, on = len(slots.room_a), len(currents)
    done = on + 1
    latest = n if worth.until == n else worth.until - 1
    nth = int(np.searchsorted(slots.trip_edge, latest, side="right")) - 1
    for t in range(latest, worth.since - 1, -1):
        values, here, leaves = worth.of[t], levels_at(t, worth), nth
        edge = min(n, t + 1)
        then, aheads = worth.of[edge] if edge < worth.until else worth.later[edge], worth.aheads[edge]
        for layer in range(len(values)):
            now, nth = values[layer], leaves
            if t < n:
                slot = slot_at(t, slots, worth.aheads[t, layer])
                start = 0.0 if t == 0 and pack.charging else pack.start_price
                if slot.room_a > 0 or not np.isnan(slot.pinned_a):
                    best[:, here.first : here.past] = _IMPOSSIBLE
                if not np.isnan(slot.pinned_a):
                    going_on = t > 0 and not np.isnan(slots.pinned_a[t - 1])
                    phase = 0 if may.pinned_before[t] else done
                    _at_current(best[0], slot.pinned_a, here.first, True, here, then, phase, aheads, slot, pack)
                    _timer_pinned(now, 0.0 if going_on else start, best[0], here, slot, pack)
                else:
                    for i in range(2 * on if may.cross[t] else on):
                        if 0 < currents[i % on] <= slot.room_a + NOTHING:
                            ending = i < on or (edge < n and may.new_night[edge])
                            phase = i % on + (1 if ending else on + 2)
                            _at_current(
                                best[i], currents[i % on], here.first, True, here, then, phase, aheads, slot, pack, t
                            )
                    _resting(rest[0], here, then, 0, aheads, slot)
                    _resting(rest[1], here, then, done, aheads, slot)
                    # By hand a session may only end short of the limit while someone is up.
                    held_below = slots.limit_kwh[t - 1] - 1e-6 if t > 0 and not may.end[t - 1] else -1.0
                    choice = (may.start[t], may.cross[t], t > 0 and may.charge[t - 1])
                    _timer_choice(now, best, rest, currents, never, start, choice, held_below, here, slot, pack)
                if t > 0 and may.new_night[t]:
                    copied(now[done], now[0])
                    for i in range(on):
                        _swapped(now[on + 2 + i], now[i + 1])
            else:
                now[:] = 0.0
            _missed(now, never, slots.wants[t], here)
            while nth >= 0 and slots.trip_edge[nth] == t:
                _before_trip(now, rest[0], slots.trip_kwh[nth], here)
                _missed(now, never, slots.trip_wants[nth], here)
                nth -= 1
            _missed(now, never * WISHED, slots.wishes[t], here)
        _spared(t, worth)


@kernel
def _timer_pinned(now: Floats, start: float, charging: Floats, here: Levels, slot: Slot, pack: Pack) -> None:
    """A slot that a person pinned, whatever the phase before it."""
    for phase in range(now.shape[0]):
        for k in range(here.first, here.past):
            level = here.floor_kwh + here.step_kwh * k
            now[phase, k] = charging[k] + care_of(level + slot.ahead_kwh, pack) + start


@kernel
def _timer_choice(
    now: Floats,
    best: Floats,
    rest: Floats,
    currents: Floats,
    never: float,
    start: float,
    may: tuple[bool, bool, bool],
    held_below: float,
    here: Levels,
    slot: Slot,
    pack: Pack,
) -> None:
    """Values before a slot, from those of charging in it at each current and of not charging, while waiting and when done.

    may : whether a session may start, whether one can go on since the night before, and whether one can be on already.
    """
    on = len(best) // 2
    done = on + 1
    may_start, crosses, comes_on = may
    first, past = here.first, here.past
    step, mean, half_care = here.step_kwh, here.floor_kwh + here.step_kwh * first + slot.ahead_kwh, 0.5 * pack.care
    waiting, stop = rest[0, first:past], rest[1, first:past]
    not_yet, finished = now[0, first:past], now[done, first:past]
    low = _place(at_once_below(slot, pack) - slot.ahead_kwh, here) - first
    held_to = _place(held_below - 2 * step, here) - first
    for j in range(len(waiting)):
        spent = 2 * half_care * max(0.0, mean + step * j - pack.rest_kwh)
        waiting[j] += spent
        stop[j] += spent
    for j in range(low):
        waiting[j] += waiting_low(0.0, 0.0, never, slot, pack)
        stop[j] += waiting_low(0.0, 0.0, never, slot, pack)
    for j in range(len(waiting)):
        not_yet[j], finished[j] = waiting[j], stop[j]
    for j in range(held_to):
        waiting[j] += never * 1e3
        stop[j] += never * 1e3
    if slot.room_a <= 0:
        for i in range((2 * on if crosses else on) if comes_on else 0):
            otherwise, during = (stop if i < on else waiting), now[i + (1 if i < on else 2), first:past]
            for j in range(len(during)):
                during[j] = otherwise[j]
        return
    for i in range(2 * on if crosses else on):
        of_night = i < on
        otherwise, going_on = (stop if of_night else waiting), best[i, first:past]
        during, begin = now[i + (1 if of_night else 2), first:past], start if of_night and may_start else _IMPOSSIBLE
        for j in range(low):
            going_on[j] += waiting_low(currents[i % on], 0.0, never, slot, pack)
        for j in range(len(during)):
            go = going_on[j] + half_care * max(0.0, mean + step * j - pack.rest_kwh)
            during[j] = go if go < otherwise[j] else otherwise[j]
            not_yet[j] = go + begin if go + begin < not_yet[j] else not_yet[j]
