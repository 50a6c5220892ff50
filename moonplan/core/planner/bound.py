"""A figure that no plan's objective can be below (docs/planner.md).

What the cars share is priced instead of forbidden: an ampere of a shared capacity, a slot of a shared lead, a kWh of own
sun. Then each car stands alone, and what it comes to at least is found by a recursion over the energy that it has
charged so far, in units of a part of a slot's gain. Rounding a plan's running total to such units with a random offset
changes no linear cost on average, so some rounding costs no more than the plan; requirements are lowered and limits raised
by the one unit that rounding can be out. The prices are sharpened by subgradient steps.
"""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from moonplan.core.planner.bound_currents import currents_of
from moonplan.core.planner.bound_recursion import Alone, least
from moonplan.core.planner.bound_stories import Stories, one_story, parts, stories_of
from moonplan.core.planner.car_slots import needed
from moonplan.core.planner.constraints import may_begin, may_end, most_alone
from moonplan.core.planner.guide import shared_prices
from moonplan.core.planner.outcome import UNWISHED_DIGITS, Outcome, Wanted, car_outcome, wanted_of
from moonplan.core.planner.problem import Car, Problem
from moonplan.core.planner.sharing import SharedPrices
from moonplan.core.rates import Rate
from moonplan.core.simulate import Trajectory
from moonplan.core.timegrid import Counts, Flags, Floats

# Units to a slot's gain, and windows that a continuous timer's currents are cut into: for the figure that is given, and
# while the prices are sharpened.
_UNITS_PER_SLOT, _COARSE_UNITS = 160, 8
_WINDOWS, _COARSE_WINDOWS = 6, 3
_MOST_AHEAD = 1.6
# Slots times totals at most, of all cars together, as far as their current may change, and where they charge in sessions.
_MOST_STATES, _MOST_OF_SESSIONS = 6_000_000, 3_000_000
# At which prices of a missed kWh the prices of what is shared are looked for, in times of the dearest.
_MISSED_TIMES = (0.3, 0.5, 0.8, 1.2, 2.5)
# Which parts of the prices of what is shared, and of own sun, are tried at first: without its yes-or-no choices a car could
# take sun at less than its least current, and sun is worth much more then than it is.
_PARTS = (1.0, 0.5, 0.0)
# What cars together may miss besides what each misses for certain, so that no price of it is looked for. [kWh]
_OPEN_KWH = 1e-3
_NOTHING = 1e-9
# What is not waited below a boost level. [A·h]
_NO_WAIT_AH = 1e-4


class _Missed(NamedTuple):
    """What is missed of what is asked, and of what habits wish. [kWh]

    may_miss_kwh : what each car may miss of each that is wanted, shapes (n_wanted,).
    kwh : at most all that is missed, of a wish and what is asked at its edge only the wish, which is more.
    open : whether any car may miss more than it does for certain.
    waits_least : whether no car waits longer below its boost level than it does that charges at the most.
    """

    may_miss_kwh: tuple[Floats, ...]
    kwh: float
    open: bool
    waits_least: bool


def bound(problem: Problem, found: Outcome, *, steps: int) -> float:
    """A figure that no plan is below which misses as little as `found`, of what is asked and what habits wish, and waits no
    longer below a boost level. [currency]

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
    at_most = [car_outcome(problem, car, most_alone(problem, i)) for i, car in enumerate(problem.cars)]
    besides = (
        max(0.0, found.short_kwh - sum(one.short_kwh for one in at_most)),
        max(0.0, found.unwished_kwh - sum(sum(one.unwished_kwh) for one in at_most)),
    )
    slack_kwh, unwished_slack_kwh = besides[0] + 1e-5, besides[1] + 10.0**-UNWISHED_DIGITS
    may_miss = [
        np.concatenate([one.shorts_kwh + slack_kwh, np.array(one.unwished_kwh) + unwished_slack_kwh]) for one in at_most
    ]
    apart = [_apart_from_wishes(problem, car, len(one.shorts_kwh)) for car, one in zip(problem.cars, at_most, strict=True)]
    surely_within = sum(float(one.shorts_kwh[~alone].sum()) for one, alone in zip(at_most, apart, strict=True))
    may_miss_apart = sum(float(may[: len(alone)][alone].sum()) for may, alone in zip(may_miss, apart, strict=True))
    return _Missed(
        tuple(may_miss),
        found.unwished_kwh + min(found.short_kwh - surely_within, may_miss_apart),
        max(besides) > _OPEN_KWH,
        sum(one.waited_ah for one in found.cars) <= sum(one.waited_ah for one in at_most) + _NO_WAIT_AH,
    )


def _apart_from_wishes(problem: Problem, car: Car, n_asked: int) -> Flags:
    """Of each that is asked of a car, whether its habit does not wish for at least as much then, shape (n_asked,)."""
    wanted = wanted_of(problem, car)
    wishes = {(one.edge, one.trip): one.kwh for one in wanted[n_asked:]}
    return np.array([wishes.get((one.edge, one.trip), 0.0) < one.kwh for one in wanted[:n_asked]], dtype=np.bool_)


def _first_prices(problem: Problem, missed: _Missed, cars: Sequence[Sequence["_Car"]]) -> tuple[SharedPrices, float]:
    """The prices to start from, of what is shared and of a kWh that is missed: those that tell most."""

    def told(prices: SharedPrices, missed_price: float) -> float:
        return _least_together(cars, prices, missed, missed_price)[0]

    tried = [(shared_prices(problem), 0.0)]
    if missed.open:
        dearest = float(np.abs(problem.prices.price).max(initial=0.0)) + 0.01
        tried = [(shared_prices(problem, short_price=times * dearest), times * dearest) for times in _MISSED_TIMES]
    prices, missed_price = max(tried, key=lambda one: told(*one)) if len(tried) > 1 else tried[0]
    parts = prices.parts(_PARTS)
    return max(parts, key=lambda one: told(one, missed_price)) if len(parts) > 1 else prices, missed_price


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
        car, self.hours, n = self.car, problem.grid.hours, problem.grid.n_slots
        self.kw_per_a = car.intake.volts * car.intake.phases / 1000
        most_a, pinned = most_alone(problem, i), ~np.isnan(car.pinned_a)
        coarse = units_per_slot <= _COARSE_UNITS
        currents = currents_of(car, most_a, _COARSE_WINDOWS if coarse else _WINDOWS)
        gains_kwh = np.array([rate.battery_kw(car.intake.wall_kw(a)) * self.hours if a > 0 else 0.0 for a in most_a])
        full = float(gains_kwh.max(initial=0.0))
        self.idle = full <= _NOTHING
        self.most_a = most_a
        self.tells = True
        mean_at_most = car.run(most_a, car.rate.mean, problem.grid)
        self.idle_care = problem.care_price * car.care_factor * mean_at_most.kwh_hours_above
        if self.idle:
            return
        at_most = car.run(most_a, rate, problem.grid)
        least_part, most_part = parts(car, most_a)
        base = _uncharged(problem, car)
        before = np.concatenate([[car.soc_kwh], base[:-1]])
        # A session may end since the cautious car is full, which the mean one may have less aboard than.
        end = may_end(problem, car) | pinned if least_part >= 1 else np.ones(n, dtype=np.bool_)
        range_kwh = float((np.maximum(at_most.soc_kwh[1:], at_most.soc_kwh[:-1]) - before[:-1]).max())
        most_states = _MOST_STATES if car.control == "managed" else _MOST_OF_SESSIONS
        unit = _unit_kwh(full, range_kwh, most_states // (n * len(problem.cars)), units_per_slot)
        if rate is car.rate.cautious:
            least_part, most_part = 1.0, 1.0
        stories = stories_of(car, most_a, before) if most_part < 1 else one_story(car)
        asks, must_have, emptied = _asks(
            problem, car, most_a, base, missed.may_miss_kwh[i].tolist(), stories, (least_part, most_part)
        )
        empty_from = np.where(emptied, np.floor(-base / unit + 1e-6), -1.0).astype(np.int64)
        high = np.ceil(gains_kwh / unit - 1e-6).astype(np.int64)
        asked, must, wanted = _in_units(asks, must_have, unit, stories.of_slot)
        story_of = stories.of_slot
        if coarse:
            asked, must, story_of = _weakest(asked, story_of)[None], wanted[None].copy(), np.zeros_like(story_of)
        can_kwh = np.maximum(0.0, at_most.soc_kwh - base)
        wanted, most = _least_and_most(wanted, high, np.ceil(can_kwh / unit).astype(np.int64) + 2, empty_from)
        mean_least, mean_most = currents.mean_parts(car, rate)
        # By the cautious rate a car that gains next to nothing at its least current tells nothing.
        self.tells = rate is car.rate.mean or float(mean_most.max()) < _MOST_AHEAD
        self.missed_part = most_part
        least_wall_kw = np.minimum(currents.least_a * self.kw_per_a, car.intake.most_wall_kw)
        overhead_kw = np.minimum(rate.overhead_kw / rate.efficiency, least_wall_kw)
        self.overhead_kwh = np.where(most_a > 0, overhead_kw * self.hours, 0.0)
        zeros, timed = np.zeros(n), car.control != "managed"
        first_night = [*problem.grid.night_edges, n][1]
        self.alone = Alone(
            unit_kwh=unit,
            high=high,
            windows=currents.units(car, rate, unit, self.hours),
            per_unit=zeros,
            per_slot=zeros,
            sun_units=np.zeros(n, dtype=np.int64),
            beyond_unit=zeros,
            beyond_slot=zeros,
            bend=zeros,
            sun_saves=zeros,
            must=pinned,
            price=zeros,
            mean=car.rate.mean.efficiency,
            aheads=np.maximum(0.0, mean_most - 1),
            one_session=first_night if timed and not pinned.any() else 0,
            base_kwh=base,
            empty_from=empty_from,
            highest=np.maximum(at_most.soc_kwh, mean_at_most.soc_kwh),
            limit_kwh=car.limit_kwh,
            taper_kwh=car.intake.taper_from * car.vehicle.usable_kwh if car.intake.taper_from < 1 else np.inf,
            tapers_from_kwh=car.tapers_from_kwh(float(most_a.max())),
            accepted_kwh=car.rate.mean.battery_kw(car.intake.onboard_kw) * self.hours,
            usable_kwh=car.vehicle.usable_kwh,
            rest_kwh=car.rest_kwh,
            boost_kwh=car.boost_kwh - _NOTHING if missed.waits_least else 0.0,
            care=problem.care_price * car.care_factor * self.hours
            if rate is car.rate.mean or float(mean_least.min()) >= 1
            else 0.0,
            wanted=wanted,
            most=most,
            story_of=story_of,
            full_from=np.floor(np.minimum((stories.full_kwh - before[1:]) / unit, 1e9) + 1e-6).astype(np.int64) - 1,
            needed=must,
            asked=asked,
            per_missed=0.0,
            start=may_begin(problem, car),
            end=end,
            new_night=problem.grid.new_night,
            timed=timed,
            of_mean=rate is car.rate.mean,
            start_price=problem.start_price,
            charging=car.vehicle.charging,
        )
        self.care_spared = _care_spared(car, self.alone.care / self.hours, mean_at_most)

    def least(self, prices: SharedPrices, i: int, missed_price: float) -> tuple[float, Floats]:
        """The least cost at the prices, and the amps of a plan that comes to about that.

        missed_price : of a kWh that is missed of what is asked.
        """
        if self.idle:
            return self.idle_care, np.zeros(self.problem.grid.n_slots)
        per_a, per_slot = prices.of_car(i)
        a_kwh, efficiency = per_a / (self.kw_per_a * self.hours), self.rate.efficiency
        unit_kwh = self.alone.unit_kwh / efficiency
        sun = np.maximum(-1.0, (prices.surplus_kwh - self.overhead_kwh) / unit_kwh)
        last = np.where(sun >= 0, np.floor(sun + 1e-9), -1.0)
        # Rounding to whole units may not make a bend dearer: between those around it the straight line through it counts.
        part = np.clip(sun - last, 0.0, 1.0)
        bend = np.where(last >= 0, part * (1 - part) * (prices.high - prices.sun) * unit_kwh, 0.0)
        sun_saves = (prices.high - prices.sun) * prices.surplus_kwh
        alone = self.alone._replace(
            per_unit=(prices.sun + a_kwh) * unit_kwh,
            per_slot=(prices.sun + a_kwh) * self.overhead_kwh + per_slot,
            sun_units=last.astype(np.int64),
            beyond_unit=(prices.high + a_kwh) * unit_kwh,
            beyond_slot=(prices.high + a_kwh) * self.overhead_kwh + per_slot - sun_saves,
            bend=bend,
            sun_saves=sun_saves,
            price=prices.sun,
            per_missed=missed_price * self.missed_part * self.alone.unit_kwh,
        )
        value, gained = least(alone)
        battery_kw = np.maximum(0, gained) * self.alone.unit_kwh / self.hours
        amps = (battery_kw + self.rate.overhead_kw) / efficiency / self.kw_per_a
        return float(value) - self.care_spared, np.where(gained >= 0, np.minimum(amps, self.most_a), 0.0)


def _unit_kwh(full_kwh: float, range_kwh: float, most_totals: int, units_per_slot: int) -> float:
    """A part of a slot's gain at the most, larger where there would be too many totals. [kWh]

    range_kwh : from nothing charged to as much as can be.
    """
    fits = full_kwh / max(range_kwh / most_totals, 1e-9)
    return full_kwh / max(2, int(min(units_per_slot, fits)))


def _least_and_most(wanted: Counts, high: Counts, can: Counts, empty_from: Counts) -> tuple[Counts, Counts]:
    """Totals that must, and that can, have been charged at each edge, shapes (n_slots + 1,).

    wanted : by then. high : gained in a slot at the most. can : what always charging at the most comes to, or limits let in.
    empty_from : see `Alone`.
    """
    least, most, can = wanted.copy(), np.zeros_like(can), np.maximum.accumulate(can)
    for t in range(len(high) - 1, -1, -1):
        before = least[t + 1] - high[t] - 1
        least[t] = max(least[t], before if before > empty_from[t] + 1 else 0)
    least = np.maximum.accumulate(least)
    least[0] = 0
    for t in range(len(high) + 1):
        most[t] = max(min(can[t], most[t - 1] + high[t - 1] + 1) if t else 0, empty_from[t] + 1)
    return least, np.maximum(most, least)


def _uncharged(problem: Problem, car: Car) -> Floats:
    """SoC of a car without what it charges, after the trips at each edge, shape (n_slots + 1,), which may be negative. [kWh]

    As if a battery gave what a trip takes even where it is emptied before: it counts as charged by so much then.
    """
    taken = np.zeros(problem.grid.n_slots + 1)
    for departure in car.departures:
        taken[departure.taking.edge] += departure.taking.kwh
    return car.soc_kwh - np.cumsum(taken)


def _asks(
    problem: Problem,
    car: Car,
    most_a: Floats,
    base: Floats,
    may_miss_kwh: Sequence[float],
    stories: Stories,
    parts: tuple[float, float],
) -> tuple[Floats, Floats, Flags]:
    """What is asked to have been charged at each edge, in each story, and what must have been, shapes (n_stories,
    n_slots + 1) [kWh]; and whether the battery can be emptied there, shape (n_slots + 1,).

    Where nothing more may be missed, what must be aboard later is only to be had with so much aboard before.

    most_a : the most current of each slot, shape (n_slots,). [A] base : see `_uncharged`. may_miss_kwh : of each that is
        wanted. parts : see `bound_stories.parts`.
    """
    least_part, most_part = parts
    # A little less, since what is missing by less than that is not missed.
    wanted = [one._replace(kwh=one.kwh - 1e-5) for one in wanted_of(problem, car)]
    certain = [one._replace(kwh=one.kwh - may_miss) for one, may_miss in zip(wanted, may_miss_kwh, strict=True)]
    least_kwh = needed(problem, car, most_a, certain)
    emptied = _emptied(car, certain, least_kwh) if least_part >= 1 else _leaves(car, len(base))
    # The last time that a battery was emptied both cars had nothing aboard.
    since_kwh = np.maximum.accumulate(np.where(emptied, -base, -np.inf))
    to_have = np.where(least_kwh > _NOTHING, least_kwh - base, 0.0)
    must_have = least_part * stories.mean_to_charge(to_have, most_part, since_kwh)
    asks = must_have.copy()
    for one, may_miss in zip(wanted, may_miss_kwh, strict=True):
        has_kwh, since = (base[one.edge - 1], since_kwh[one.edge - 1]) if one.edge else (car.soc_kwh, -np.inf)
        to_have = np.array([one.kwh - has_kwh])
        to_charge = least_part * stories.mean_to_charge(to_have, most_part, np.array([since]))[:, 0]
        asks[:, one.edge] = np.maximum(asks[:, one.edge], to_charge)
        must_have[:, one.edge] = np.maximum(must_have[:, one.edge], to_charge - may_miss / most_part)
    return asks, must_have, emptied


def _leaves(car: Car, n_edges: int) -> Flags:
    """Whether a car leaves at each edge, shape (n_edges,)."""
    leaves = np.zeros(n_edges, dtype=np.bool_)
    leaves[[departure.taking.edge for departure in car.departures]] = True
    return leaves


def _emptied(car: Car, certain: Sequence[Wanted], least_kwh: Floats) -> Flags:
    """Whether a trip can empty the cautious car's battery at each edge, shape (n_slots + 1,).

    certain : what it has aboard whatever it misses. least_kwh : what it needs after the trips at each edge.
    """
    aboard = {one.trip: one.kwh for one in certain if one.trip >= 0}
    emptied = np.zeros(len(least_kwh), dtype=np.bool_)
    for nth, departure in enumerate(car.departures):
        emptied[departure.taking.edge] |= aboard.get(nth, 0.0) < departure.taking.kwh
    return emptied & (least_kwh <= _NOTHING)


def _in_units(asks: Floats, must_have: Floats, unit: float, story_of: Counts) -> tuple[Counts, Counts, Counts]:
    """What is asked and what must have been charged at each edge in each story, and the latter in the weakest story, in
    whole units, lowered by the one that rounding can be out."""
    asked, needed = (np.maximum(0, np.floor(kwh / unit + 1e-6) - 1).astype(np.int64) for kwh in (asks, must_have))
    return asked, needed, _weakest(needed, story_of)


def _care_spared(car: Car, care: float, at_most: Trajectory) -> float:
    """What care a plan may have less than by its edges, since a car that leaves within a slot spends the rest of it at the
    lower level. care : of an hour with a kWh above the rest level. [currency/(kWh·h)]"""
    leaving = zip((departure.taking for departure in car.departures), at_most.before_leaving_kwh, strict=True)
    return sum(care * taking.rest_h * min(taking.kwh, max(0.0, float(aboard) - car.rest_kwh)) for taking, aboard in leaving)


def _weakest(units: Counts, story_of: Counts) -> Counts:
    """What is asked at each edge in that story which asks for least, of those that have begun, shape (n_slots + 1,)."""
    begun = np.arange(len(units))[:, None] <= np.concatenate([[0], story_of])
    return np.asarray(np.where(begun, units, units.max()).min(axis=0))
