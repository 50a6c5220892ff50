"""A figure that no plan's objective can be below (docs/planner.md).

What the cars share is priced instead of forbidden: an ampere of a shared capacity, a slot of a shared lead, a kWh of own
sun. Then each car stands alone, and what it comes to at least is found by a recursion over the energy that it has
charged so far, in units of a part of a slot's gain. Rounding a plan's running total to such units with a random offset
changes no linear cost on average, so some rounding costs no more than the plan; requirements are lowered and limits raised
by the one unit that rounding can be out. The prices are sharpened by subgradient steps.
"""

from collections.abc import Sequence
from itertools import pairwise
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from moonplan.core.compiled import compiled
from moonplan.core.planner.constraints import may_end, may_start
from moonplan.core.planner.guide import shared_prices
from moonplan.core.planner.outcome import Outcome, car_outcome
from moonplan.core.planner.problem import Car, Problem
from moonplan.core.planner.sharing import SharedPrices
from moonplan.core.rates import Rate
from moonplan.core.timegrid import Flags, Floats

Counts = npt.NDArray[np.int64]

# Units to a slot's gain: for the figure that is given, and while the prices are sharpened.
_UNITS_PER_SLOT = 40
_COARSE_UNITS = 8
_MOST_AHEAD = 1.6
_MOST_STATES = 1_500_000
# At which prices of a missed kWh the prices of what is shared are looked for, in times of the dearest.
_MISSED_TIMES = (0.3, 0.5, 0.8, 1.2, 2.5)
_WAITING = 0
# Into how many windows the span of a continuous timer's currents is cut.
_TIMER_WINDOWS = 3
_NOTHING = 1e-9


class Alone(NamedTuple):
    """One car for the recursion; arrays of shape (n_slots,) but where told.

    unit_kwh : of charge. high : units gained at the most; 0 where it can't charge.
    windows : least and most units of each range of currents, shape (n_slots, n_windows, 2), −1 for none: a step of the
        lead, or part of a continuous one's span. A timer stays within one of them through a session.
    per_unit, per_slot : price of a unit, and of a slot with current, as far as own sun goes. sun_units : how far that is.
    beyond_unit, beyond_slot : the same beyond it. must : whether it must charge.
    price : of a wall kWh, own sun's where there is some. mean : efficiency of the mean car. ahead : how far it can be
        ahead for every kWh charged.
    base_kwh, least_base_kwh : SoC without any charge, before trips at each edge, at the most and at the least, shape
        (n_slots + 1,), may be negative.
    highest : mean SoC at the most, at each edge. limit_kwh : limit in force. rest_kwh, care : as in the plan.
    taper_kwh : above it less is accepted than `accepted_kwh` a slot, at `usable_kwh` a quarter of it.
    wanted, most : units that must, and can, have been charged at each edge. asked : units of which fewer may have been
        charged, at the price of a unit that is missed. Shapes (n_slots + 1,).
    start, end, new_night : may a session start, may it end, does a night begin. timed : one session a night.
    """

    unit_kwh: float
    high: Counts
    windows: Counts
    per_unit: Floats
    per_slot: Floats
    sun_units: Counts
    beyond_unit: Floats
    beyond_slot: Floats
    must: Flags
    price: Floats
    mean: float
    ahead: float
    base_kwh: Floats
    least_base_kwh: Floats
    highest: Floats
    limit_kwh: Floats
    taper_kwh: float
    accepted_kwh: float
    usable_kwh: float
    rest_kwh: float
    care: float
    wanted: Counts
    most: Counts
    asked: Counts
    per_missed: float
    start: Flags
    end: Flags
    new_night: Flags
    timed: bool
    start_price: float
    charging: bool


@compiled
def _least(car: Alone) -> tuple[float, Counts]:
    """The least cost of a car alone, and the units gained in each slot of a plan that comes to it, −1 for no current.

    Phases are waiting, charging (for a timer one for each window) and, for a timer, done for the night.
    """
    n, many = len(car.high), int(car.most.max()) + 2
    on = car.windows.shape[1] if car.timed else 1
    done = on + 1 if car.timed else _WAITING
    phases = on + 2 if car.timed else 2
    choice = np.full((n, phases, many), -1, dtype=np.int16)
    into = np.zeros((n, many), dtype=np.int8)
    now, then = np.full((phases, many), np.inf), np.full((phases, many), np.inf)
    queue = np.empty(many + 1, dtype=np.int64)
    best, chosen = np.empty(many), np.empty(many, dtype=np.int16)
    for k in range(car.wanted[n], car.most[n] + 1):
        then[:, k] = _missed(n, k, car)
    crossing = np.zeros(n, dtype=np.bool_)
    for t in range(1, n):
        crossing[t] = car.new_night[t] or (crossing[t - 1] and car.high[t - 1] > 0)
    for t in range(n - 1, -1, -1):
        now[:, :] = np.inf
        start = 0.0 if t == 0 and car.charging else car.start_price
        may_start, may_rest = car.start[t] or car.must[t], not car.must[t]
        held = t > 0 and not car.end[t - 1]
        # A session that began in the night before leaves the new night its own.
        crosses = car.timed and crossing[t]
        for k in range(car.wanted[t], car.most[t] + 1):
            now[_WAITING, k] = then[_WAITING, k] + _care(t, k, car) if may_rest else np.inf
            if car.timed:
                now[done, k] = then[done, k] + _care(t, k, car)
        for phase in range(1, on + 1):
            windows = (phase - 1, phase) if car.timed else (0, car.windows.shape[1])
            _best_gain(best, chosen, t, windows, then[phase], car, queue)
            for k in range(car.wanted[t], car.most[t] + 1):
                care = _care(t, k, car)
                charging = best[k] + care
                full = t > 0 and car.base_kwh[t] + (k + 1) * car.unit_kwh >= car.limit_kwh[t - 1]
                rested = min(then[done, k], then[_WAITING, k]) if crosses else then[done, k]
                stop = rested + care if may_rest and (full or not held) else np.inf
                now[phase, k], choice[t, phase, k] = (charging, chosen[k]) if charging < stop else (stop, -1)
                if may_start and charging + start < now[_WAITING, k]:
                    now[_WAITING, k], choice[t, _WAITING, k], into[t, k] = charging + start, chosen[k], phase
        for k in range(car.wanted[t], min(car.asked[t], car.most[t] + 1)):
            now[:, k] += _missed(t, k, car)
        if car.timed and car.must[t]:
            now[done] = now[_WAITING]
        if car.timed and car.new_night[t]:
            now[done] = now[_WAITING]
            choice[t, done] = choice[t, _WAITING]
        now, then = then, now
    return float(then[_WAITING, 0]), _follow(choice, into, done, car)


@compiled
def _care(t: int, k: int, car: Alone) -> float:
    return float(car.care * max(0.0, car.least_base_kwh[t] + (k - 1) * car.unit_kwh - car.rest_kwh))


@compiled
def _missed(t: int, k: int, car: Alone) -> float:
    return float(car.per_missed * max(0, car.asked[t] - k))


@compiled
def _follow(choice: npt.NDArray[np.int16], into: npt.NDArray[np.int8], done: int, car: Alone) -> Counts:
    n = len(car.high)
    gained = np.full(n, -1, dtype=np.int64)
    phase, k = _WAITING, 0
    for t in range(n):
        if car.timed and phase == done and car.new_night[t]:
            phase = _WAITING
        units = choice[t, phase, k]
        if units >= 0:
            gained[t] = units
            phase = into[t, k] if phase == _WAITING else phase
            k = min(k + units, choice.shape[2] - 1)
        elif phase != _WAITING:
            phase = done
    return gained


@compiled
def _best_gain(
    best: Floats,
    chosen: npt.NDArray[np.int16],
    t: int,
    windows: tuple[int, int],
    after: Floats,
    car: Alone,
    queue: Counts,
) -> None:
    """The best gain of a slot with current within some windows, from every total, and its cost."""
    first, last = car.wanted[t], car.most[t]
    best[first : last + 1] = np.inf
    chosen[first : last + 1] = 0
    past = min(car.most[t + 1], len(after) - 1)
    plain = _plain_until(t, first, last, car)
    high = -1
    for i in range(windows[0], windows[1]):
        low, most = car.windows[t, i]
        if most < 0:
            continue
        high = max(high, most)
        rows, sun = (first, plain - 1, past), car.sun_units[t]
        if low < sun:
            _sliding(best, chosen, rows, (low, min(most, sun)), car.per_unit[t], car.per_slot[t], after, queue)
        if most >= sun:
            _sliding(best, chosen, rows, (max(low, sun), most), car.beyond_unit[t], car.beyond_slot[t], after, queue)
    if high < 0:
        return
    if plain > last:
        return
    # Where limit or taper are near, a slot may gain less than its least, and the mean car may draw little or nothing.
    _sliding(best, chosen, (plain, last, past), (0, high), car.per_unit[t], 0.0, after, queue)
    little, little_chosen = np.full(last + 1, np.inf), np.zeros(last + 1, dtype=np.int16)
    _sliding(little, little_chosen, (plain, last, past), (0, high), 0.0, 0.0, after, queue)
    dear = car.per_unit[t] * high if car.price[t] < 0 else np.inf
    for k in range(plain, last + 1):
        best[k] += car.per_slot[t] if car.price[t] < 0 else min(0.0, car.per_slot[t])
        least = min(dear, _drawn_at_least(t, k, car) * car.price[t] if car.price[t] > 0 else 0.0)
        if little[k] + least < best[k]:
            best[k], chosen[k] = little[k] + least, little_chosen[k]


@compiled
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


@compiled
def _plain_until(t: int, first: int, last: int, car: Alone) -> int:
    """The first total from which limit or taper can be in the way of either car."""
    k = first
    nearest = min(car.limit_kwh[t], car.taper_kwh)
    while k <= last and _mean_at_most(t, k, car) + car.high[t] * car.unit_kwh * (1 + car.ahead) < nearest:
        k += 1
    return k


@compiled
def _mean_at_most(t: int, k: int, car: Alone) -> float:
    charged = (k + 1) * car.unit_kwh
    return float(min(car.base_kwh[t] + charged * (1 + car.ahead), car.highest[t] + 1e-6))


@compiled
def _drawn_at_least(t: int, k: int, car: Alone) -> float:
    """At least what the mean car draws in a slot with current, by how near it can be to its limit and its taper. [kWh]"""
    mean = _mean_at_most(t, k, car)
    room = max(0.0, car.limit_kwh[t] - mean)
    if mean > car.taper_kwh:
        left = max(0.0, 1 - 0.75 * (mean - car.taper_kwh) / max(1e-9, car.usable_kwh - car.taper_kwh))
        room = min(room, car.accepted_kwh * left)
    return float(room / car.mean)


class _Missed(NamedTuple):
    """What is missed in all, what each car misses of each that is asked of it however it charges, shapes (n_asked,), and
    what is left of all besides. [kWh]"""

    kwh: float
    surely_kwh: tuple[Floats, ...]
    besides_kwh: float


def bound(problem: Problem, found: Outcome, *, steps: int) -> float:
    """A figure that no plan is below which misses as little as `found`, of what is asked and what habits wish. [currency]

    steps : how often the prices of what is shared are sharpened.
    """
    missed = _missed_by_all(problem, found)
    coarse = [[_Car(problem, i, found, missed, car.rate.mean, _COARSE_UNITS)] for i, car in enumerate(problem.cars)]
    prices, missed_price = _first_prices(problem, missed, coarse)
    best, best_value, reach = prices, -np.inf, 1.0
    for _ in range(steps):
        value, gained = _least_together(coarse, prices, missed, missed_price)
        if value > best_value + 1e-9:
            best, best_value = prices, value
        else:
            reach *= 0.7
        gap = found.value - value
        sharper = prices.sharpened(gained, reach * gap)
        if gap <= max(1e-6, 1e-4 * abs(found.value)) or sharper is None:
            break
        prices = sharper
    fine = [
        [_Car(problem, i, found, missed, rate, _UNITS_PER_SLOT) for rate in (car.rate.mean, car.rate.cautious)]
        for i, car in enumerate(problem.cars)
    ]
    value, _ = _least_together(fine, best, missed, missed_price)
    return max(value, best_value)


def _missed_by_all(problem: Problem, found: Outcome) -> _Missed:
    surely = tuple(car_outcome(problem, car, _most_a(car)).shorts_kwh for car in problem.cars)
    return _Missed(found.short_kwh, surely, max(0.0, found.short_kwh - sum(float(one.sum()) for one in surely)) + 1e-5)


def _first_prices(problem: Problem, missed: _Missed, cars: Sequence[Sequence["_Car"]]) -> tuple[SharedPrices, float]:
    """The prices to start from, of what is shared and of a kWh that is missed: where something is, those that tell most."""
    if not missed.kwh:
        return shared_prices(problem), 0.0
    dearest = float(np.abs(problem.prices.price).max(initial=0.0)) + 0.01
    tried = [(shared_prices(problem, short_price=times * dearest), times * dearest) for times in _MISSED_TIMES]
    return max(tried, key=lambda one: _least_together(cars, one[0], missed, one[1])[0])


def _least_together(
    cars: Sequence[Sequence["_Car"]], prices: SharedPrices, missed: _Missed, missed_price: float
) -> tuple[float, list[Floats]]:
    """What all cars come to at least at some prices, and the current that each then takes, shapes (n_slots,). [A]"""
    value = prices.given_away() - missed_price * missed.kwh
    gained: list[Floats] = []
    for i, car in enumerate(cars):
        least, amps = max((one.least(prices, i, missed_price) for one in car if one.tells), key=lambda told: told[0])
        value += least
        gained.append(amps)
    return value, gained


class _Car:
    """One car's part of the bound: what does not change with the prices, and the least cost at given ones.

    It goes by the energy that one of the car's two rates has stored. By the mean rate cost is exact, and what is required
    asks for a little less than it does of the cautious car; by the cautious rate it is the other way round near a limit.
    """

    def __init__(self, problem: Problem, i: int, found: Outcome, missed: _Missed, rate: Rate, units_per_slot: int) -> None:
        self.problem, self.car, self.rate = problem, problem.cars[i], rate
        car, d, n = self.car, problem.grid.hours, problem.grid.n_slots
        self.kw_per_a = car.intake.volts * car.intake.phases / 1000
        pinned = ~np.isnan(car.pinned_a)
        most_a = _most_a(car)
        least_a = np.where(pinned, most_a, np.minimum(car.least_a, most_a))
        usable = most_a > 0
        gains = {a: rate.battery_kw(car.intake.wall_kw(a)) * d for a in {*most_a, *least_a, *car.steps_a}}
        full = max([gains[a] for a in most_a[usable]], default=0.0)
        self.idle = full <= _NOTHING
        self.tells = True
        if self.idle:
            return
        at_most = car.run(most_a, rate, problem.grid)
        fully, highest = at_most.soc_kwh, car.run(most_a, car.rate.mean, problem.grid).soc_kwh
        taken, least_base, besides = np.zeros(n + 1), np.full(n + 1, car.soc_kwh), np.zeros(n + 1)
        base = least_base.copy()
        for departure, aboard, surely in zip(car.departures, at_most.before_leaving_kwh, missed.surely_kwh[i], strict=False):
            edge, takes = departure.taking.edge, departure.taking.kwh
            taken[edge:] += takes
            # A battery that is emptied on the way gives no more than it has.
            least_base[edge:] -= min(takes, float(aboard))
            gives = min(takes, departure.required_kwh - float(surely))
            base[edge:] -= gives
            besides[edge:] += max(0.0, min(gives, missed.besides_kwh - max(0.0, departure.required_kwh - surely - takes)))
        base += np.minimum(besides, missed.besides_kwh)
        least_before, before = (np.concatenate([[car.soc_kwh], one[:-1]]) for one in (least_base, base))
        range_kwh = float((np.maximum(fully[1:], fully[:-1]) - before[:-1]).max())
        per_slot = int(min(units_per_slot, full / max(range_kwh / (_MOST_STATES // n), 1e-9)))
        unit = full / max(2, per_slot)
        least_part, most_part = self._parts(most_a) if rate is car.rate.mean else (1.0, 1.0)
        asks, must_have = np.zeros(n + 1), np.zeros(n + 1)
        departures = zip(_asked(car, n), missed.surely_kwh[i] + missed.besides_kwh, strict=True)
        # What a habit wishes counts where all of that is met.
        wishes = [] if any(one.unwished_kwh for one in found.cars) else [((w.edge, w.kwh), 0.0) for w in car.wishes]
        for (edge, asked_kwh), may_miss in [*departures, *wishes]:
            to_charge = asked_kwh - 1e-5 - before[edge]
            if rate is car.rate.mean:
                to_charge = least_part * self._mean_to_charge(edge, to_charge, before, least_before, most_part)
            asks[edge] = max(asks[edge], to_charge)
            must_have[edge] = max(must_have[edge], to_charge - may_miss / most_part)
        high = np.array([int(np.ceil(gains[a] / unit - 1e-6)) if a > 0 else 0 for a in most_a], dtype=np.int64)
        asked, wanted = (np.maximum(0, np.floor(kwh / unit + 1e-6) - 1).astype(np.int64) for kwh in (asks, must_have))
        for t in range(n - 1, -1, -1):
            wanted[t] = max(wanted[t], wanted[t + 1] - high[t] - 1)
        wanted = np.maximum.accumulate(wanted)
        wanted[0] = 0
        # A total is no more than what always charging at the most comes to, or than its limits let in.
        most = np.ceil(np.maximum(0.0, fully + taken - car.soc_kwh) / unit).astype(np.int64) + 2
        most = np.minimum(np.maximum.accumulate(most), np.concatenate([[0], np.cumsum(high + 1)]))
        most = np.maximum(most, wanted)
        ratios = [
            car.rate.mean.battery_kw(car.intake.wall_kw(a)) * d / gains[a] if gains[a] > 0 else 1e3
            for a in {*most_a[usable], *least_a[usable], *(step for step in car.steps_a if step <= most_a.max())}
        ]
        # By the cautious rate a car that gains next to nothing at its least current tells nothing.
        self.tells = rate is car.rate.mean or max(ratios) < _MOST_AHEAD
        nights = problem.grid.nights
        self.d, self.missed_part = d, most_part
        self.overhead_kwh = np.where(
            usable,
            np.minimum(
                rate.overhead_kw / rate.efficiency,
                np.minimum(least_a * self.kw_per_a, car.intake.most_wall_kw),
            )
            * d,
            0.0,
        )
        zeros = np.zeros(n)
        self.alone = Alone(
            unit_kwh=unit,
            high=high,
            windows=self._windows(most_a, least_a, unit, pinned),
            per_unit=zeros,
            per_slot=zeros,
            sun_units=np.zeros(n, dtype=np.int64),
            beyond_unit=zeros,
            beyond_slot=zeros,
            must=pinned,
            price=zeros,
            mean=car.rate.mean.efficiency,
            ahead=max(0.0, max(ratios) - 1),
            base_kwh=base,
            least_base_kwh=least_base,
            highest=highest,
            limit_kwh=car.limit_kwh,
            taper_kwh=car.intake.taper_from * car.vehicle.usable_kwh if car.intake.taper_from < 1 else np.inf,
            accepted_kwh=car.rate.mean.battery_kw(car.intake.onboard_kw) * d,
            usable_kwh=car.vehicle.usable_kwh,
            rest_kwh=car.rest_kwh,
            care=problem.care_price * car.care_factor * d if rate is car.rate.mean or min(ratios) >= 1 else 0.0,
            wanted=wanted,
            most=most,
            asked=asked,
            per_missed=0.0,
            start=_may_begin(problem, car),
            end=may_end(problem, car) | pinned,
            new_night=np.array([t > 0 and nights[t] != nights[t - 1] for t in range(n)]),
            timed=car.control != "managed",
            start_price=problem.start_price,
            charging=car.vehicle.charging,
        )

    def _parts(self, most_a: Floats) -> tuple[float, float]:
        """Clear of limit and taper: at least what the mean car stores of a kWh that the cautious one does, no more than 1;
        and at most what the cautious one stores of a kWh of the mean one."""
        car = self.car
        # Between two currents the parts lie between theirs, whichever end they are larger at.
        least_a = min(car.least_a, float(most_a[most_a > 0].min(initial=np.inf)))
        walls_kw = {car.intake.onboard_kw, *(car.intake.wall_kw(a) for a in {*most_a[most_a > 0].tolist(), least_a})}
        stored = [(car.rate.mean.battery_kw(wall_kw), car.rate.cautious.battery_kw(wall_kw)) for wall_kw in walls_kw]
        least = min((mean / cautious for mean, cautious in stored if cautious > 0), default=1.0)
        most = max((cautious / mean if mean > 0 else 1.0 for mean, cautious in stored if cautious > 0), default=1.0)
        return min(1.0, least), min(1.0, most)

    def _mean_to_charge(self, edge: int, to_charge: float, before: Floats, least_before: Floats, most_part: float) -> float:
        """What the mean car has charged at least by an edge at which the cautious one has charged so much. [kWh]

        Clear of its limit and its taper it charges more than the cautious one in every slot. Where it last was at either,
        it had charged what that takes, and the cautious one no more than that.

        before, least_before : SoC without any charge, before trips, at the most and at the least, shapes (n_slots + 1,).
        """
        car = self.car
        if to_charge <= 0 or most_part >= 1 or not edge:
            return to_charge
        taper_kwh = car.intake.taper_from * car.vehicle.usable_kwh
        least = np.minimum(car.limit_kwh[:edge], taper_kwh) - before[1 : edge + 1]
        highest = np.maximum.accumulate(np.maximum(car.limit_kwh[:edge], car.soc_kwh) - least_before[1 : edge + 1])
        charged = np.maximum(least, np.minimum(highest, to_charge))
        after_it = charged + np.maximum(0.0, to_charge - charged) / most_part
        return max(to_charge, min(to_charge / most_part, float(after_it.min())))

    def _windows(self, most_a: Floats, least_a: Floats, unit: float, pinned: Flags) -> Counts:
        """Ranges of currents, in units gained, shape (n_slots, n_windows, 2); −1 for none."""
        car, n = self.car, len(most_a)
        highest = float(most_a.max())
        if car.steps_a:
            spans = [(step, step) for step in car.steps_a if step <= highest + 1e-9]
        elif car.control == "managed":
            spans = [(0.0, highest)]
        else:
            cuts = np.linspace(min(car.least_a, highest), highest, _TIMER_WINDOWS + 1)
            spans = list(pairwise(cuts.tolist()))
        windows = np.full((n, len(spans), 2), -1, dtype=np.int64)

        def units(amps: float) -> float:
            return self.rate.battery_kw(car.intake.wall_kw(amps)) * self.d / unit

        for nth, (low, high) in enumerate(spans):
            for t in np.flatnonzero(most_a > 0):
                least, most = (most_a[t], most_a[t]) if pinned[t] else (max(low, least_a[t]), min(high, most_a[t]))
                if least <= most + 1e-9:
                    windows[t, nth] = int(units(least) + 1e-6), int(np.ceil(units(most) - 1e-6))
        return windows

    def least(self, prices: SharedPrices, i: int, missed_price: float) -> tuple[float, Floats]:
        """The least cost at the prices, and the amps of a plan that comes to about that.

        missed_price : of a kWh that is missed of what is asked.
        """
        if self.idle:
            return 0.0, np.zeros(self.problem.grid.n_slots)
        per_a, per_slot = prices.of_car(i)
        a_kwh, efficiency = per_a / (self.kw_per_a * self.d), self.rate.efficiency
        unit_kwh = self.alone.unit_kwh / efficiency
        # Rounding to whole units may not make a bend dearer: own sun is taken to reach to the next whole unit.
        sun_units = np.maximum(0, np.ceil((prices.surplus_kwh - self.overhead_kwh) / unit_kwh - 1e-9))
        sun_kwh = np.where(sun_units > 0, sun_units * unit_kwh + self.overhead_kwh, prices.surplus_kwh)
        alone = self.alone._replace(
            per_unit=(prices.sun + a_kwh) * unit_kwh,
            per_slot=(prices.sun + a_kwh) * self.overhead_kwh + per_slot,
            sun_units=sun_units.astype(np.int64),
            beyond_unit=(prices.high + a_kwh) * unit_kwh,
            beyond_slot=(prices.high + a_kwh) * self.overhead_kwh + per_slot - (prices.high - prices.sun) * sun_kwh,
            price=prices.sun,
            per_missed=missed_price * self.missed_part * self.alone.unit_kwh,
        )
        value, gained = _least(alone)
        battery_kw = np.maximum(0, gained) * self.alone.unit_kwh / self.d
        amps = (battery_kw + self.rate.overhead_kw) / efficiency / self.kw_per_a
        return float(value), np.where(gained >= 0, np.minimum(amps, self.car.limit_a), 0.0)


def _most_a(car: Car) -> Floats:
    """The most current of each slot, shape (n_slots,). [A]"""
    pinned = ~np.isnan(car.pinned_a)
    return np.where(pinned, np.nan_to_num(car.pinned_a), np.where(car.chargeable, car.limit_a, 0.0))


def _asked(car: Car, n_slots: int) -> list[tuple[int, float]]:
    """The edges by which something must be aboard, and how much. [kWh]"""
    asked = [
        (departure.taking.edge if departure.ready_edge is None else departure.ready_edge, departure.required_kwh)
        for departure in car.departures
    ]
    if car.wanted_at_end_kwh is not None:
        asked.append((n_slots if car.end_ready_edge is None else car.end_ready_edge, car.wanted_at_end_kwh))
    return asked


def _may_begin(problem: Problem, car: Car) -> Flags:
    starts = may_start(problem, car).copy()
    starts[0] |= car.vehicle.charging and bool(car.chargeable[0])
    return starts
