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

from moonplan.core.planner.bound_recursion import Alone, Counts, least
from moonplan.core.planner.bound_stories import Stories, one_story, parts, stories_of
from moonplan.core.planner.constraints import may_end, may_start
from moonplan.core.planner.guide import shared_prices
from moonplan.core.planner.outcome import Outcome, car_outcome
from moonplan.core.planner.problem import Car, Problem, Wish
from moonplan.core.planner.sharing import SharedPrices
from moonplan.core.rates import Rate
from moonplan.core.simulate import Trajectory
from moonplan.core.timegrid import Flags, Floats

# Units to a slot's gain: for the figure that is given, and while the prices are sharpened.
_UNITS_PER_SLOT = 40
_COARSE_UNITS = 8
_MOST_AHEAD = 1.6
_MOST_STATES = 1_500_000
# At which prices of a missed kWh the prices of what is shared are looked for, in times of the dearest.
_MISSED_TIMES = (0.3, 0.5, 0.8, 1.2, 2.5)
# Into how many windows the span of a continuous timer's currents is cut.
_TIMER_WINDOWS = 3
_NOTHING = 1e-9


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
        mine, amps = max((one.least(prices, i, missed_price) for one in car if one.tells), key=lambda told: told[0])
        value += mine
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
        mean_at_most = car.run(most_a, car.rate.mean, problem.grid)
        fully, highest = at_most.soc_kwh, np.maximum(at_most.soc_kwh, mean_at_most.soc_kwh)
        least_part, most_part = parts(car, most_a)
        least_base, base = _uncharged(car, at_most, missed.surely_kwh[i], missed.besides_kwh)
        least_before, before = (np.concatenate([[car.soc_kwh], one[:-1]]) for one in (least_base, base))
        end = may_end(problem, car) | pinned
        if least_part < 1:
            # The mean car may have less aboard than the cautious one: it is emptied where that is not, and a session ends
            # since that is full.
            base, end = np.full(n + 1, car.soc_kwh), np.ones(n, dtype=np.bool_)
        range_kwh = float((np.maximum(fully[1:], fully[:-1]) - before[:-1]).max())
        per_slot = int(min(units_per_slot, full / max(range_kwh / (_MOST_STATES // n), 1e-9)))
        unit = full / max(2, per_slot)
        if rate is car.rate.cautious:
            least_part, most_part = 1.0, 1.0
        stories = stories_of(car, before, least_before) if most_part < 1 else one_story(car)
        wishes = () if any(one.unwished_kwh for one in found.cars) else car.wishes
        asks, must_have = _asks(
            car, wishes, before, missed.surely_kwh[i] + missed.besides_kwh, stories, least_part, most_part
        )
        high = np.array([int(np.ceil(gains[a] / unit - 1e-6)) if a > 0 else 0 for a in most_a], dtype=np.int64)
        asked, needed = (np.maximum(0, np.floor(kwh / unit + 1e-6) - 1).astype(np.int64) for kwh in (asks, must_have))
        story_of = stories.of_slot
        wanted = _weakest(needed, story_of)
        if units_per_slot <= _COARSE_UNITS:
            asked, needed, story_of = _weakest(asked, story_of)[None], wanted[None].copy(), np.zeros_like(story_of)
        for t in range(n - 1, -1, -1):
            wanted[t] = max(wanted[t], wanted[t + 1] - high[t] - 1)
        wanted = np.maximum.accumulate(wanted)
        wanted[0] = 0
        # A total is no more than what always charging at the most comes to, or than its limits let in.
        most = np.ceil(np.maximum(0.0, fully - least_base) / unit).astype(np.int64) + 2
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
            story_of=story_of,
            full_from=np.floor(np.minimum((stories.full_kwh - before[1:]) / unit, 1e9) + 1e-6).astype(np.int64) - 1,
            needed=needed,
            asked=asked,
            per_missed=0.0,
            start=_may_begin(problem, car),
            end=end,
            new_night=np.array([t > 0 and nights[t] != nights[t - 1] for t in range(n)]),
            timed=car.control != "managed",
            start_price=problem.start_price,
            charging=car.vehicle.charging,
        )
        # The rest of the slot in which a car leaves is spent at the lower level.
        self.care_spared = sum(
            self.alone.care / d * taking.rest_h * min(taking.kwh, max(0.0, float(aboard) - car.rest_kwh))
            for taking, aboard in zip(
                (departure.taking for departure in car.departures), mean_at_most.before_leaving_kwh, strict=True
            )
        )

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
        value, gained = least(alone)
        battery_kw = np.maximum(0, gained) * self.alone.unit_kwh / self.d
        amps = (battery_kw + self.rate.overhead_kw) / efficiency / self.kw_per_a
        return float(value) - self.care_spared, np.where(gained >= 0, np.minimum(amps, self.car.limit_a), 0.0)


def _most_a(car: Car) -> Floats:
    """The most current of each slot, shape (n_slots,). [A]"""
    pinned = ~np.isnan(car.pinned_a)
    return np.where(pinned, np.nan_to_num(car.pinned_a), np.where(car.chargeable, car.limit_a, 0.0))


def _uncharged(car: Car, at_most: Trajectory, surely_kwh: Floats, besides_kwh: float) -> tuple[Floats, Floats]:
    """SoC of a car without what it charges, after the trips at each edge, at the least and at the most, shapes
    (n_slots + 1,), which may be negative. [kWh]

    A battery that is emptied on the way gives no more than it has. at_most : what the car does that always charges.
    surely_kwh, besides_kwh : what it misses of each that is asked, and may miss besides.
    """
    least = np.full(len(at_most.soc_kwh), car.soc_kwh)
    most, besides = least.copy(), np.zeros(len(least))
    for departure, aboard, surely in zip(car.departures, at_most.before_leaving_kwh, surely_kwh, strict=False):
        edge, takes = departure.taking.edge, departure.taking.kwh
        has = departure.required_kwh - surely
        gives = min(takes, has)
        least[edge:] -= min(takes, aboard)
        most[edge:] -= gives
        besides[edge:] += max(0.0, min(gives, besides_kwh - max(0.0, has - takes)))
    return least, most + np.minimum(besides, besides_kwh)


def _asks(
    car: Car,
    wishes: Sequence[Wish],
    before: Floats,
    may_miss_kwh: Floats,
    stories: Stories,
    least_part: float,
    most_part: float,
) -> tuple[Floats, Floats]:
    """What is asked to have been charged at each edge, in each story, and what must have been, shapes (n_stories,
    n_slots + 1). [kWh]

    before : SoC without any charge. may_miss_kwh : of each that is asked, in the order of `Asked`.
    """
    asks, must_have = np.zeros((len(stories.least_kwh), len(before))), np.zeros((len(stories.least_kwh), len(before)))
    asked = [(*told, may_miss) for told, may_miss in zip(_asked(car, len(before) - 1), may_miss_kwh, strict=True)]
    for edge, kwh, may_miss in [*asked, *((wish.edge, wish.kwh, 0.0) for wish in wishes)]:
        # A little less, since what is missing by less than that is not missed.
        to_charge = least_part * stories.mean_to_charge(kwh - 1e-5 - before[edge], most_part)
        asks[:, edge] = np.maximum(asks[:, edge], to_charge)
        must_have[:, edge] = np.maximum(must_have[:, edge], to_charge - may_miss / most_part)
    return asks, must_have


def _weakest(units: Counts, story_of: Counts) -> Counts:
    """What is asked at each edge in that story which asks for least, of those that have begun, shape (n_slots + 1,)."""
    begun = np.arange(len(units))[:, None] <= np.concatenate([[0], story_of])
    return np.asarray(np.where(begun, units, units.max()).min(axis=0))


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
