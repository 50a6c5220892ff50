"""One car alone at prices, over the energy that it has charged so far: the recursion of `bound`, compiled."""

from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from moonplan.core.compiled import compiled, kernel
from moonplan.core.rates import TAPERS_BY
from moonplan.core.timegrid import Counts, Flags, Floats

_WAITING = 0


class Alone(NamedTuple):
    """One car for the recursion; arrays of shape (n_slots,) but where told.

    unit_kwh : of charge. high : units gained at the most; 0 where it can't charge.
    windows : least and most units of each range of currents, shape (n_slots, n_windows, 2), −1 for none: a step of the
        lead, or part of a continuous one's span. A timer stays within one of them through a session.
    per_unit, per_slot : price of a unit, and of a slot with current, as far as own sun goes. beyond_unit,
        beyond_slot : the same beyond it. sun_units : the last whole unit before its end, −1 where there is none. bend : what
        that unit and the next are cheaper by, so that what lies between two whole units is no dearer than it is.
        sun_saves : what all the own sun of a slot saves.
    must : whether it must charge.
    price : of a wall kWh, own sun's where there is some. mean : efficiency of the mean car. aheads : how far it can get
        ahead for every kWh charged within each window, shape (n_windows,). one_session : for how many slots all that a timer
        has charged is of the session that goes on.
    base_kwh : SoC without any charge, after trips at each edge, shape (n_slots + 1,), may be negative. empty_from : the
        total at which nothing is aboard after trips at each edge, shape (n_slots + 1,); −1 where there is something for
        certain. A battery that is emptied on the way gives no more than it has: it counts as charged up to there.
    highest : SoC of either car at the most, at each edge. limit_kwh : limit in force. rest_kwh, care : as in the plan.
    boost_kwh : mean SoC below which a car that is clear of limit and taper charges at its most; 0 for none.
    taper_kwh : above it less is accepted than `accepted_kwh` a slot, at `usable_kwh` a quarter of it. tapers_from_kwh :
        above it less is accepted than there is.
    wanted, most : units that must, and can, have been charged at each edge, shapes (n_slots + 1,).
    story_of : the story in which a car goes on that is at its limit or its taper at a slot's end, never lower than the one
        before. full_from : units from which it can be there. Shapes (n_slots,). See `bound_stories`.
    needed, asked : units that must have been charged in each story, and units of which fewer may have been, at the price of
        a unit that is missed. Shapes (n_stories, n_slots + 1).
    start, end, new_night : may a session start, may it end, does a night begin. timed : one session a night.
    of_mean : whether it is the energy of the mean car.
    """

    unit_kwh: float
    high: Counts
    windows: Counts
    per_unit: Floats
    per_slot: Floats
    sun_units: Counts
    beyond_unit: Floats
    beyond_slot: Floats
    bend: Floats
    sun_saves: Floats
    must: Flags
    price: Floats
    mean: float
    aheads: Floats
    one_session: int
    base_kwh: Floats
    empty_from: Counts
    highest: Floats
    limit_kwh: Floats
    taper_kwh: float
    tapers_from_kwh: float
    accepted_kwh: float
    usable_kwh: float
    rest_kwh: float
    boost_kwh: float
    care: float
    wanted: Counts
    most: Counts
    story_of: Counts
    full_from: Counts
    needed: Counts
    asked: Counts
    per_missed: float
    start: Flags
    end: Flags
    new_night: Flags
    timed: bool
    of_mean: bool
    start_price: float
    charging: bool


class _Gains(NamedTuple):
    """Room to find the best gain of a slot from every total, and what it comes to, shapes (n_totals,): the one that is paid
    for, and that which is hardly drawn where the mean car is near its limit."""

    best: Floats
    chosen: npt.NDArray[np.int16]
    little: Floats
    little_chosen: npt.NDArray[np.int16]
    queue: Counts


@compiled
def least(car: Alone) -> tuple[float, Counts]:
    """The least cost of a car alone; and the units gained in each slot of a plan that comes to it, −1 for no current, where
    there is one story only.

    Phases are waiting and charging; for a timer waiting, charging within each window, charging so since the night before,
    and done for the night.
    """
    n, many, stories = len(car.high), int(car.most.max()) + 2, len(car.needed)
    on = car.windows.shape[1] if car.timed else 1
    done = 2 * on + 1 if car.timed else _WAITING
    phases = 2 * on + 2 if car.timed else 2
    choice = np.full((n if stories == 1 else 1, phases, many), -1, dtype=np.int16)
    into = np.zeros((n if stories == 1 else 1, many), dtype=np.int8)
    now, then = np.full((stories, phases, many), np.inf), np.full((stories, phases, many), np.inf)
    gains = _Gains(
        np.empty(many),
        np.empty(many, dtype=np.int16),
        np.empty(many),
        np.empty(many, dtype=np.int16),
        np.empty(many + 1, dtype=np.int64),
    )
    then[:, :, car.wanted[n] : car.most[n] + 1] = 0.0
    _ask(then, n, car)
    crossing = np.zeros(n, dtype=np.bool_)
    for t in range(1, n):
        crossing[t] = car.new_night[t] or (crossing[t - 1] and car.high[t - 1] > 0)
    for t in range(n - 1, -1, -1):
        at = t if stories == 1 else 0
        now[:, :, :] = np.inf
        for story in range((car.story_of[t - 1] if t else 0) + 1):
            _before_slot(now[story], then[story], t, crossing[t], choice[at], into[at], gains, car)
        _empty(now, t, car)
        _ask(now, t, car)
        if car.timed and car.must[t]:
            now[:, done] = now[:, _WAITING]
        if car.timed and car.new_night[t]:
            now[:, done] = now[:, _WAITING]
            now[:, 1 : on + 1] = now[:, on + 1 : done]
            choice[at, done] = choice[at, _WAITING]
            choice[at, 1 : on + 1] = choice[at, on + 1 : done]
        now, then = then, now
    gained = _follow(choice, into, done, car) if stories == 1 else np.full(n, -1, dtype=np.int64)
    return float(then[0, _WAITING, 0]), gained


@kernel
def _before_slot(
    now: Floats,
    then: Floats,
    t: int,
    crossing: bool,
    choice: npt.NDArray[np.int16],
    into: npt.NDArray[np.int8],
    gains: _Gains,
    car: Alone,
) -> None:
    """Fill in what each total comes to before a slot, in one story, from what it does after it."""
    on = car.windows.shape[1] if car.timed else 1
    done = 2 * on + 1 if car.timed else _WAITING
    start = 0.0 if t == 0 and car.charging else car.start_price
    may_start, may_rest = car.start[t] or car.must[t], not car.must[t]
    held = t > 0 and not car.end[t - 1]
    hurried = _hurried_until(t, car)
    for k in range(car.wanted[t], car.most[t] + 1):
        now[_WAITING, k] = then[_WAITING, k] + _care(t, k, car) if may_rest and k >= hurried else np.inf
        if car.timed and k >= hurried:
            now[done, k] = then[done, k] + _care(t, k, car)
    for phase in range(1, 2 * on + 1 if car.timed and crossing else on + 1):
        windows = ((phase - 1) % on, (phase - 1) % on + 1) if car.timed else (0, car.windows.shape[1])
        # A session that began in the night before leaves the new night its own.
        rests = _WAITING if phase > on else done
        _best_gain(gains, t, windows, hurried, then[phase], car)
        for k in range(car.wanted[t], car.most[t] + 1):
            care = _care(t, k, car)
            charging = gains.best[k] + care
            full = t > 0 and car.base_kwh[t] + (k + 1) * car.unit_kwh >= car.limit_kwh[t - 1]
            stop = then[rests, k] + care if may_rest and k >= hurried and (full or not held) else np.inf
            now[phase, k], choice[phase, k] = (charging, gains.chosen[k]) if charging < stop else (stop, -1)
            begun = charging + (0.0 if car.must[t] and _can_be_full(t, k, car) else start)
            if phase <= on and may_start and begun < now[_WAITING, k]:
                now[_WAITING, k], choice[_WAITING, k], into[k] = begun, gains.chosen[k], phase


@kernel
def _empty(values: Floats, t: int, car: Alone) -> None:
    """Let a car whose battery is emptied by the trips at an edge go on with nothing, which is one of two whole units."""
    empty = car.empty_from[t]
    if empty < 0:
        return
    for story in range((car.story_of[t - 1] if t else 0) + 1):
        for phase in range(values.shape[1]):
            least = min(values[story, phase, empty], values[story, phase, empty + 1])
            for k in range(car.wanted[t], empty + 1):
                values[story, phase, k] = least


@kernel
def _ask(values: Floats, t: int, car: Alone) -> None:
    """Count at an edge what is missed in each story; then let the car that can be at its limit go on in a later one."""
    last = car.story_of[t - 1] if t else 0
    for story in range(last + 1):
        for k in range(car.wanted[t], min(car.asked[story, t], car.most[t] + 1)):
            missed = car.per_missed * (car.asked[story, t] - k) if k >= car.needed[story, t] else np.inf
            for phase in range(values.shape[1]):
                values[story, phase, k] += missed
    if not t:
        return
    for story in range(last):
        for k in range(max(car.wanted[t], car.full_from[t - 1]), car.most[t] + 1):
            for phase in range(values.shape[1]):
                values[story, phase, k] = min(values[story, phase, k], values[last, phase, k])


@kernel
def _care(t: int, k: int, car: Alone) -> float:
    return float(car.care * max(0.0, car.base_kwh[t] + (k - 1) * car.unit_kwh - car.rest_kwh))


@compiled
def _follow(choice: npt.NDArray[np.int16], into: npt.NDArray[np.int8], done: int, car: Alone) -> Counts:
    n, on = len(car.high), car.windows.shape[1]
    gained = np.full(n, -1, dtype=np.int64)
    phase, k = _WAITING, 0
    for t in range(n):
        if car.timed and car.new_night[t]:
            phase = _WAITING if phase == done else phase + on if _WAITING < phase <= on else phase
        k = max(k, car.empty_from[t])
        units = choice[t, phase, k]
        if units >= 0:
            gained[t] = units
            phase = into[t, k] if phase == _WAITING else phase
            k = min(k + units, choice.shape[2] - 1)
        elif phase != _WAITING:
            phase = _WAITING if car.timed and phase > on else done
    return gained


@kernel
def _best_gain(gains: _Gains, t: int, windows: tuple[int, int], hurried: int, after: Floats, car: Alone) -> None:
    """The best gain of a slot with current within some windows, from every total, and its cost.

    hurried : the first total from which the car need not charge at its most.
    """
    best, chosen, little, little_chosen, queue = gains
    first, last = car.wanted[t], car.most[t]
    past = min(car.most[t + 1], len(after) - 1)
    of_session = windows if t < car.one_session else (0, len(car.aheads))
    ahead = _most_ahead(of_session, car)
    plain, own_plain = _plain_until(t, first, last, ahead, car), _plain_until(t, first, last, 0.0, car)
    best[first : last + 1], chosen[first : last + 1] = np.inf, 0
    little[plain : last + 1], little_chosen[plain : last + 1] = np.inf, 0
    least, high = len(after), -1
    for i in range(windows[0], windows[1]):
        low, most = car.windows[t, i]
        if most < 0:
            continue
        least, high = min(least, low), max(high, most)
        at_most = max(low, car.high[t] - 1)
        if hurried > first and most >= at_most:
            _at_its_price(best, chosen, t, (first, hurried - 1, past), (at_most, most), after, queue, car)
        _at_its_price(best, chosen, t, (hurried, own_plain - 1, past), (low, most), after, queue, car)
        _sliding(little, little_chosen, (plain, own_plain - 1, past), (low, most), 0.0, 0.0, after, queue)
    if high < 0:
        return
    if car.of_mean:
        _near_full(best, chosen, t, (own_plain, last, past), (least, high), after, car)
        return
    # Where its own limit or taper are near a car may gain less than its least in a slot; where those of the mean car are
    # it may draw little or nothing.
    _sliding(best, chosen, (own_plain, last, past), (0, high), car.per_unit[t], 0.0, after, queue)
    _sliding(little, little_chosen, (own_plain, last, past), (0, high), 0.0, 0.0, after, queue)
    for k in range(own_plain, last + 1):
        best[k] += car.per_slot[t] if car.price[t] < 0 else min(0.0, car.per_slot[t])
    dear = min(0.0, car.per_unit[t] * high + car.per_slot[t]) if car.price[t] < 0 else np.inf
    for k in range(plain, last + 1):
        drawn = min(dear, _drawn_at_least(t, k, ahead, car) * car.price[t] if car.price[t] > 0 else 0.0)
        if little[k] + drawn < best[k]:
            best[k], chosen[k] = little[k] + drawn, little_chosen[k]


@kernel
def _at_its_price(
    best: Floats,
    chosen: npt.NDArray[np.int16],
    t: int,
    rows: tuple[int, int, int],
    window: tuple[int, int],
    after: Floats,
    queue: Counts,
    car: Alone,
) -> None:
    """Lower `best` to the least over gains within a window, clear of limit and taper, as far as own sun goes and beyond."""
    (low, most), sun = window, car.sun_units[t]
    if low <= sun:
        _sliding(best, chosen, rows, (low, min(most, sun)), car.per_unit[t], car.per_slot[t], after, queue)
    if most > sun:
        _sliding(best, chosen, rows, (max(low, sun + 1), most), car.beyond_unit[t], car.beyond_slot[t], after, queue)
    if car.bend[t] > 0:
        _around_bend(best, chosen, t, rows, window, after, car)


@kernel
def _around_bend(
    best: Floats,
    chosen: npt.NDArray[np.int16],
    t: int,
    rows: tuple[int, int, int],
    window: tuple[int, int],
    after: Floats,
    car: Alone,
) -> None:
    """Lower `best` by the two whole units around the end of own sun."""
    first, last, past = rows
    for gain in range(max(window[0], car.sun_units[t]), min(window[1], car.sun_units[t] + 1) + 1):
        on_sun = gain == car.sun_units[t]
        slope, besides = (car.per_unit[t], car.per_slot[t]) if on_sun else (car.beyond_unit[t], car.beyond_slot[t])
        cost = slope * gain + besides - car.bend[t]
        for k in range(first, min(last, past - gain) + 1):
            if after[k + gain] + cost < best[k]:
                best[k], chosen[k] = after[k + gain] + cost, gain


@kernel
def _near_full(
    best: Floats,
    chosen: npt.NDArray[np.int16],
    t: int,
    rows: tuple[int, int, int],
    gains: tuple[int, int],
    after: Floats,
    car: Alone,
) -> None:
    """The best gain, and its cost, where limit or taper of the mean car itself are near: it pays for what it gains.

    In its taper it gains no more than it accepts. Where it gets to its limit within the slot it may gain less than its least
    in a slot, and its overhead counts for as long as that takes: at the least that is how long its gain takes at the most
    current; where drawing more earns money, how long it takes at the least. gains : the least and the most of a slot.
    """
    first, last, past = rows
    low, high = gains
    sure = car.per_slot[t] >= 0
    all_beyond = car.beyond_slot[t] + car.sun_saves[t]
    for k in range(first, last + 1):
        least, most = car.base_kwh[t] + (k - 1) * car.unit_kwh, _at_most(t, k, 0.0, car)
        accepted = int(min(float(high), np.ceil(_accepted_kwh(least, car) / car.unit_kwh)))
        gains_least = int(min(float(low), np.floor(_accepted_kwh(most, car) / car.unit_kwh)))
        to_limit = int(np.ceil((car.limit_kwh[t] - car.base_kwh[t]) / car.unit_kwh)) - 1 - k
        for gain in range(max(0, min(gains_least, to_limit)), min(accepted, past - k) + 1):
            part = gain / high if sure else min(1.0, (gain + 1) / max(1, gains_least))
            part = part if gain >= to_limit else 1.0
            cost = car.per_unit[t] * gain + part * car.per_slot[t]
            if sure:
                beyond = car.beyond_unit[t] * gain + part * all_beyond - car.sun_saves[t]
                # Between whole units the straight line through the bend is no more than a quarter of its turn below them.
                turn = car.beyond_unit[t] - car.per_unit[t] + (all_beyond - car.per_slot[t]) / high
                cost = max(cost, beyond) - (turn / 4 if abs(cost - beyond) < turn else 0.0)
            if after[k + gain] + cost < best[k]:
                best[k], chosen[k] = after[k + gain] + cost, gain


@kernel
def _sliding(
    best: Floats,
    chosen: npt.NDArray[np.int16],
    rows: tuple[int, int, int],
    window: tuple[int, int],
    slope: float,
    besides: float,
    after: Floats,
    queue: Counts,
) -> None:
    """Lower `best` to the least, over gains within a window, of what follows, a price a unit, and what is paid besides."""
    first, last, past = rows
    head, tail, pushed = 0, 0, first + window[0]
    for k in range(first, last + 1):
        while pushed <= min(past, k + window[1]):
            worth = after[pushed] + slope * pushed
            while tail > head and after[queue[tail - 1]] + slope * queue[tail - 1] >= worth:
                tail -= 1
            queue[tail] = pushed
            tail += 1
            pushed += 1
        while head < tail and queue[head] < k + window[0]:
            head += 1
        if head < tail:
            j = queue[head]
            worth = after[j] + slope * (j - k) + besides
            if worth < best[k]:
                best[k], chosen[k] = worth, j - k


@kernel
def _plain_until(t: int, first: int, last: int, ahead: float, car: Alone) -> int:
    """The first total from which limit or taper can be in the way of a car that gets ahead so far for every kWh charged."""
    k = first
    nearest = min(car.limit_kwh[t], car.tapers_from_kwh)
    while k <= last and _at_most(t, k, ahead, car) + car.high[t] * car.unit_kwh * (1 + ahead) < nearest:
        k += 1
    return k


@kernel
def _most_ahead(windows: tuple[int, int], car: Alone) -> float:
    """How far the mean car can get ahead for every kWh charged within some windows."""
    ahead = 0.0
    for i in range(windows[0], windows[1]):
        ahead = max(ahead, car.aheads[i])
    return ahead


@kernel
def _hurried_until(t: int, car: Alone) -> int:
    """The first total from which the mean car can be at its boost level, or near limit or taper, when it can charge."""
    first = car.wanted[t]
    if car.boost_kwh <= 0 or car.high[t] == 0:
        return int(first)
    ahead, k = _most_ahead((0, len(car.aheads)), car), int(first)
    clear = _plain_until(t, first, car.most[t], ahead, car)
    while k < clear and _at_most(t, k, ahead, car) < car.boost_kwh:
        k += 1
    return k


@kernel
def _can_be_full(t: int, k: int, car: Alone) -> bool:
    """Whether the mean car can be at its limit before a slot, so that what somebody pinned there may be no session."""
    return bool(_at_most(t, k, _most_ahead((0, len(car.aheads)), car), car) >= car.limit_kwh[t])


@kernel
def _at_most(t: int, k: int, ahead: float, car: Alone) -> float:
    """SoC at the most of a car that gets ahead so far for every kWh charged. [kWh]"""
    return float(min(car.base_kwh[t] + (k + 1) * car.unit_kwh * (1 + ahead), car.highest[t] + 1e-6))


@kernel
def _drawn_at_least(t: int, k: int, ahead: float, car: Alone) -> float:
    """At least what the mean car draws in a slot with current, by how near it can be to its limit and its taper. [kWh]"""
    mean = _at_most(t, k, ahead, car)
    return float(min(max(0.0, car.limit_kwh[t] - mean), _accepted_kwh(mean, car)) / car.mean)


@kernel
def _accepted_kwh(soc_kwh: float, car: Alone) -> float:
    """What the mean car accepts in a slot that begins at a SoC, at the most. [kWh]"""
    if soc_kwh <= car.taper_kwh:
        return np.inf
    return float(
        car.accepted_kwh * max(0.0, 1 - TAPERS_BY * (soc_kwh - car.taper_kwh) / max(1e-9, car.usable_kwh - car.taper_kwh))
    )
