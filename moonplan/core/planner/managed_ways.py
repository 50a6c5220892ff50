"""Ways of a car whose current may change every slot, followed from slot to slot, compiled."""

import numpy as np

from moonplan.core.compiled import compiled, kernel
from moonplan.core.planner.slots import (
    NOTHING,
    OFF,
    ON,
    Levels,
    Managed,
    Pack,
    Slot,
    at_once_below,
    care_of,
    charged,
    levels_at,
    slot_at,
    value_at,
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


@compiled
def managed_amps(amps: Floats, aboard: tuple[float, float], width: int, car: Managed) -> None:
    """Currents of a car whose current may change every slot, shape (n_slots,). [A]

    amps : filled in from the values' first edge on, those before it standing already. aboard : cautious and mean SoC there,
        before any trip. width : how many ways are followed side by side.
    """
    worth, slots, pack = car.worth, car.slots, car.pack
    n, since = len(slots.room_a), worth.since
    came, chosen = np.zeros((n, width), dtype=np.int64), np.zeros((n, width))
    ways, many = ways_from(width, aboard), 1
    flows = np.zeros(width, dtype=np.bool_)
    flows[0] = since > 0 and amps[since - 1] > 0
    nth = int(np.searchsorted(slots.trip_edge, since))
    tried = np.empty(worth.of.shape[3] + 8)
    choices = no_choices((CHOICES + 1) * width)
    order = np.empty(len(choices.rank), dtype=np.int64)
    for t in range(since, n):
        while nth < len(slots.trip_edge) and slots.trip_edge[nth] == t:
            for w in range(many):
                ways.level[w] = max(0.0, ways.level[w] - slots.trip_kwh[nth])
                ways.mean[w] = max(0.0, ways.mean[w] - slots.trip_kwh[nth])
            nth += 1
        if slots.room_a[t] <= 0 and np.isnan(slots.pinned_a[t]):
            for w in range(many):
                ways.paid[w] += 2 * care_of(ways.mean[w], pack)
                came[t, w], flows[w] = w, False
            continue
        found = _choices(choices, t, ways, many, flows, tried, car)
        _sorted(choices, found, order)
        many = _kept(choices, order, found, ways, came[t], chosen[t], flows, APART * pack.usable_kwh)
    best, way = np.inf, 0
    for w in range(many):
        found_worth = ways.paid[w] + value_at(n, OFF, ways.level[w], ways.mean[w], worth)
        if found_worth < best - EQUAL:
            best, way = found_worth, w
    for t in range(n - 1, since - 1, -1):
        amps[t] = chosen[t, way]
        way = came[t, way]


@kernel
def _choices(choices: Choices, t: int, ways: Ways, many: int, flows: Flags, tried: Floats, car: Managed) -> int:
    """Fill in the best choices of each way in a slot; how many there are."""
    found = 0
    for w in range(many):
        start = 0.0 if flows[w] or (t == 0 and car.pack.charging) else car.pack.start_price
        found = _way_choices(choices, found, t, w, ways, start, tried, car)
    return found


@kernel
def _way_choices(choices: Choices, found: int, t: int, w: int, ways: Ways, start: float, tried: Floats, car: Managed) -> int:
    """Add the best choices of one way in a slot to those found so far; how many there are then."""
    worth, steps_a, _, _, slots, pack = car
    level, mean, paid = ways.level[w], ways.mean[w], ways.paid[w]
    slot = slot_at(t, slots, mean - level)
    many = _to_try(tried, level, levels_at(t + 1, worth), steps_a, slot, pack)
    care = care_of(mean, pack)
    boost = mean < at_once_below(slot, pack)
    if boost:
        many = min(many, 1)
    needed, of_way = slot.need_kwh, found
    if level < needed:  # at the most there is, if no current is enough
        highest = 0.0
        for i in range(many):
            _, after, _ = charged(tried[i], level, mean, slot, pack)
            highest = max(highest, after)
        needed = min(needed, highest - 1e-12)
    for i in range(many):
        cost, after, mean_after = charged(tried[i], level, mean, slot, pack)
        if after < needed:
            continue
        cost += paid + start + care + care_of(mean_after, pack)
        rank = rank_of(cost + value_at(t + 1, ON, after, mean_after, worth))
        at = found
        if found - of_way == CHOICES:
            at = worst_of(choices, of_way, found)
            if rank >= choices.rank[at]:
                continue
        else:
            found += 1
        choices.way[at], choices.amps[at], choices.rank[at] = w, tried[i], rank
        choices.level[at], choices.mean[at], choices.paid[at] = after, mean_after, cost
    if np.isnan(slot.pinned_a) and not boost and (level >= slot.need_kwh or many == 0):
        cost = paid + 2 * care
        choices.way[found], choices.amps[found] = w, 0.0
        choices.rank[found] = rank_of(cost + value_at(t + 1, OFF, level, mean, worth))
        choices.level[found], choices.mean[found], choices.paid[found] = level, mean, cost
        found += 1
    return found


@kernel
def _sorted(choices: Choices, found: int, order: Counts) -> None:
    """Fill in which choices promise most, in their order; of equal ones the first comes first."""
    for nth in range(found):
        at = nth
        while at > 0 and choices.rank[order[at - 1]] > choices.rank[nth]:
            order[at] = order[at - 1]
            at -= 1
        order[at] = nth


@kernel
def _kept(
    choices: Choices,
    order: Counts,
    found: int,
    ways: Ways,
    came: Counts,
    chosen: Floats,
    flows: Flags,
    apart: float,
) -> int:
    """Go on with those choices that promise most, as many as there is room for; how many these are."""
    many = 0
    for nth in range(found):
        at = order[nth]
        level, mean, flowing = choices.level[at], choices.mean[at], choices.amps[at] > 0
        if is_near(ways, flows[:many], flowing, level, mean, apart):
            continue
        ways.level[many], ways.mean[many], ways.paid[many] = level, mean, choices.paid[at]
        came[many], chosen[many], flows[many] = choices.way[at], choices.amps[at], flowing
        many += 1
        if many == len(flows):
            break
    return many


@kernel
def _to_try(tried: Floats, level: float, there: Levels, steps_a: Floats, slot: Slot, pack: Pack) -> int:
    """Currents worth trying from a true level, the most first; how many there are."""
    if not np.isnan(slot.pinned_a):
        tried[0] = slot.pinned_a
        return 1
    most, many = slot.room_a, 0
    if len(steps_a):
        for nth in range(len(steps_a) - 1, -1, -1):
            if steps_a[nth] <= most + NOTHING:
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
    at = int((level - there.floor_kwh) / there.step_kwh)
    while many < len(tried):
        amps = np.ceil(amps_for(there.floor_kwh + there.step_kwh * at - level, slot, pack) * 100 - 1e-6) / 100
        if amps >= most:
            break
        if amps > pack.least_a:
            tried[many] = amps
            many += 1
        at += 1
    amps = np.ceil(amps_for(slot.need_kwh - level, slot, pack) * 100 - 1e-6) / 100
    if pack.least_a < amps < most and many < len(tried):
        tried[many] = amps
        many += 1
    return many


@kernel
def amps_for(gain_kwh: float, slot: Slot, pack: Pack) -> float:
    """The current at which the cautious car gains this much in a whole slot."""
    return (gain_kwh / slot.hours + pack.cautious[1]) / pack.cautious[0] / pack.kw_per_a
