"""One car against prices and what the others leave it: an exact dynamic programme over its battery (docs/planner.md).

Backward over the slots, on a grid of cautious SoC and a few phases (off, on; for a timer: not yet, on at a current,
done for the night), then forward with the true SoC. The mean car, which decides cost, runs ahead of the cautious one;
how far is taken from the pass before. A requirement that can't be met costs a price no electricity has.
"""

from dataclasses import dataclass

import numpy as np

from moonplan.core import hookup
from moonplan.core.planner.constraints import may_end, may_start
from moonplan.core.planner.problem import Car, Problem
from moonplan.core.rates import Rate
from moonplan.core.timegrid import Floats

_NODES_PER_SLOT = 24
_LEAST_NODES_PER_SLOT = 4
_USUAL_NODES = 1500
_MOST_NODES = 20_000
# Currents that a continuous lead is tried at within one timer session, as shares of the way from least to most.
_TIMER_SHARES = (1.0, 0.75, 0.5, 0.25, 0.0)
# Currents that a managed car is tried at where own sun is left; without sun the full current is never worse, but for
# the slot in which a requirement is met, which `improve` trims.
_SUN_SHARES = (1.0, 0.8, 0.6, 0.4, 0.2, 0.0)
_PASSES = 2
_OFF, _ON = 0, 1


@dataclass(frozen=True)
class Surroundings:
    """What the other cars leave in each slot, shapes (n_slots,).

    room_a : current that may be offered. [A] sun_kwh : own sun that nobody else takes. [kWh]
    """

    room_a: Floats
    sun_kwh: Floats


def plan_one(problem: Problem, car: Car, around: Surroundings, ahead: Floats | None = None) -> tuple[Floats, Floats]:
    """Setpoints of one car: least shortage, then least cost, care and starts.

    Parameters
    ----------
    ahead : how far the mean car is before the cautious one at each edge in an earlier plan of this car, if there is
        one, shape (n_slots + 1,). [kWh]

    Returns
    -------
    amps, ahead : shapes (n_slots,) [A] and (n_slots + 1,) [kWh]
    """
    room = np.array([hookup.stepped(float(a), steps_a=car.lead.steps_a, min_a=car.least_a) for a in around.room_a])
    room = np.where(car.chargeable, room, 0.0)
    room = np.where(np.isnan(car.pinned_a), room, car.pinned_a)
    if not room.any():
        return np.zeros(problem.grid.n_slots), np.zeros(problem.grid.n_slots + 1)
    amps = np.zeros(problem.grid.n_slots)
    for _ in range(_PASSES if ahead is None else 1):
        before = np.zeros(problem.grid.n_slots + 1) if ahead is None else ahead
        amps = _Programme(problem, car, room, around.sun_kwh, before).best()
        mean = car.run(amps, car.rate.mean, problem.grid).soc_kwh
        ahead = np.maximum(0.0, mean - car.run(amps, car.rate.cautious, problem.grid).soc_kwh)
    assert ahead is not None
    return amps, ahead


class _Programme:
    def __init__(self, problem: Problem, car: Car, room: Floats, sun_kwh: Floats, ahead: Floats) -> None:
        self.problem, self.car, self.room, self.sun_kwh, self.ahead = problem, car, room, sun_kwh, ahead
        self.d, self.n = problem.grid.hours, problem.grid.n_slots
        self.timed = car.control != "managed"
        self.price, self.export = problem.prices.price, problem.prices.export_price
        self.starts = may_start(problem, car)
        self.ends = may_end(problem, car)
        self.currents = self._currents()
        most = float(room.max())
        gain = max(self._gain(most, car.rate.cautious), 1e-6)
        usable = car.vehicle.usable_kwh
        step = min(max(gain / _NODES_PER_SLOT, usable / _USUAL_NODES), gain / _LEAST_NODES_PER_SLOT)
        step = max(step, usable / _MOST_NODES)
        anchor = car.departures[0].required_kwh if car.departures else (car.wanted_at_end_kwh or 0.0)
        even = anchor % step + step * np.arange(0, int(usable / step) + 1)
        # Limits and requirements are levels of their own: nothing is interpolated across them.
        wanted = [departure.required_kwh for departure in car.departures] + [car.wanted_at_end_kwh or 0.0]
        self.soc: Floats = np.union1d(np.round(even, 9), np.round([0.0, usable, *set(car.limit_kwh), *wanted], 9))
        self.never = 100 * (float(np.abs(self.price).max()) + 1.0)
        pinned_nights = {problem.grid.nights[t] for t in np.flatnonzero(~np.isnan(car.pinned_a))}
        self.barred = np.array([night in pinned_nights for night in problem.grid.nights]) if self.timed else None
        self.phases = 2 if not self.timed else len(self.currents) + 2
        self.done = self.phases - 1

    def _currents(self) -> list[float]:
        car, most = self.car, float(self.room.max())
        if car.steps_a:
            return [step for step in reversed(car.steps_a) if step <= most + 1e-9]
        shares = _TIMER_SHARES if self.timed else _SUN_SHARES
        return list(dict.fromkeys(round(car.least_a + share * (most - car.least_a), 2) for share in shares))

    def _gain(self, amps: float, rate: Rate) -> float:
        return rate.battery_kw(self.car.intake.wall_kw(amps)) * self.d

    def best(self) -> Floats:
        values = self._backward()
        return self._forward(values)

    # --- what a slot costs -------------------------------------------------------------------------------------------

    def _charged(self, t: int, amps: float, level: Floats) -> tuple[Floats, Floats]:
        """Cost of a slot at a current, and cautious SoC after it, from cautious SoC `level`."""
        car, limit = self.car, float(self.car.limit_kwh[t])
        wall_kwh: Floats | float = car.intake.wall_kw(amps) * self.d
        mean_gain: Floats | float
        gain: Floats | float
        mean_gain, gain = self._gain(amps, car.rate.mean), self._gain(amps, car.rate.cautious)
        ahead = np.minimum(level + self.ahead[t], max(limit, float(level.max())))
        if limit > car.intake.taper_from * car.vehicle.usable_kwh + 1e-9:
            mean_gain, wall_kwh = self._tapered(amps, ahead, car.rate.mean)
            gain, _ = self._tapered(amps, level, car.rate.cautious)
        room = np.maximum(0.0, limit - ahead)
        part = np.where(room > 0, np.minimum(1.0, room / np.maximum(mean_gain, 1e-9)), 0.0)
        drawn = part * wall_kwh
        own = np.minimum(drawn, self.sun_kwh[t])
        cost = self.export[t] * own + self.price[t] * (drawn - own)
        return cost, np.where(level < limit, np.minimum(limit, level + gain), level)

    def _tapered(self, amps: float, level: Floats, rate: Rate) -> tuple[Floats, Floats]:
        """Gain and wall energy of a slot that begins at `level`. [kWh]"""
        intake, usable = self.car.intake, self.car.vehicle.usable_kwh
        wall_kw = intake.wall_kw(amps)
        most = max(0.0, rate.efficiency * intake.onboard_kw - rate.overhead_kw)
        span = max(1e-9, 1 - intake.taper_from)
        accepted = most * (1 - 0.75 * np.maximum(0.0, level / usable - intake.taper_from) / span)
        battery = np.minimum(rate.battery_kw(wall_kw), np.maximum(0.0, accepted))
        limited = battery < rate.battery_kw(wall_kw) - 1e-12
        wall = np.where(limited, (battery + rate.overhead_kw) / rate.efficiency, wall_kw)
        return battery * self.d, wall * self.d

    def _care(self, t: int) -> Floats:
        """Care at a slot edge; each slot counts half of it at either end."""
        high = np.maximum(0.0, self.soc + self.ahead[t] - self.car.rest_kwh)
        return np.asarray(self.problem.care_price * self.d * high)

    # --- backward ----------------------------------------------------------------------------------------------------

    def _backward(self) -> Floats:
        car, n = self.car, self.n
        values = np.zeros((n + 1, self.phases, len(self.soc)))
        if car.wanted_at_end_kwh is not None and car.end_ready_edge is None:
            values[n] += self._missing(car.wanted_at_end_kwh)
        trips_at: dict[int, list[int]] = {}
        for nth, departure in enumerate(car.departures):
            trips_at.setdefault(departure.taking.edge, []).append(nth)
        asked_at: dict[int, float] = {}
        for departure in car.departures:
            if departure.ready_edge is not None:
                asked_at[departure.ready_edge] = departure.required_kwh
        if car.end_ready_edge is not None and car.wanted_at_end_kwh is not None:
            asked_at[car.end_ready_edge] = car.wanted_at_end_kwh
        for t in range(n, -1, -1):
            if t < n:
                values[t] = self._decide(t, values[t + 1])
            if t in asked_at:
                values[t] += self._missing(asked_at[t])
            for nth in reversed(trips_at.get(t, [])):
                departure = car.departures[nth]
                after = np.maximum(0.0, self.soc - departure.taking.kwh)
                values[t] = np.array([np.interp(after, self.soc, phase) for phase in values[t]])
                if departure.ready_edge is None:
                    values[t] += self._missing(departure.required_kwh)
        return values

    def _missing(self, required: float) -> Floats:
        return np.asarray(self.never * np.maximum(0.0, required - self.soc - 1e-9))

    def _decide(self, t: int, after: Floats) -> Floats:
        """Values at the start of slot t from those at its end."""
        value = np.empty_like(after)
        options = {phase: self._options(t, phase) for phase in range(self.phases)}
        charged: dict[tuple[float, int], Floats] = {}
        for phase in range(self.phases):
            best = np.full(len(self.soc), np.inf)
            for amps, price, to in options[phase]:
                if amps == 0:
                    worth = after[to] + self._must_go_on(t, phase)
                else:
                    if (amps, to) not in charged:
                        cost, soc = self._charged(t, amps, self.soc)
                        charged[amps, to] = cost + np.interp(soc, self.soc, after[to])
                    worth = charged[amps, to] + price
                best = np.minimum(best, worth)
            value[phase] = best
        return value + self._care(t)

    def _options(self, t: int, phase: int) -> list[tuple[float, float, int]]:
        """What may be done in a slot: current (0 for none), price of starting, phase afterwards."""
        pin = self.car.pinned_a[t]
        price = 0.0 if t == 0 and self.car.vehicle.charging else self.problem.start_price
        if not self.timed:
            if not np.isnan(pin):
                return [(float(pin), price if phase == _OFF else 0.0, _ON)]
            off = [(0.0, 0.0, _OFF)]
            return off + [(a, price if phase == _OFF else 0.0, _ON) for a in self._currents_in(t)]
        if not np.isnan(pin):
            first = t == 0 or np.isnan(self.car.pinned_a[t - 1])
            return [(float(pin), price if first else 0.0, self.done)]
        return self._timer_options(t, phase, price)

    def _currents_in(self, t: int) -> list[float]:
        """Currents worth trying for a managed car: the most there is, and lower ones where there is sun to follow."""
        most = float(self.room[t])
        if not most:
            return []
        lower = [a for a in self.currents if a < most - 1e-9]
        if self.car.steps_a:
            return [most, *lower]
        if not self.sun_kwh[t]:
            return [most]
        per_amp = self.car.intake.volts * self.car.intake.phases / 1000 * self.d
        follow = np.floor(self.sun_kwh[t] / per_amp * 100) / 100
        return [most, *([follow] if self.car.least_a <= follow < most else []), *lower]

    def _timer_options(self, t: int, phase: int, price: float) -> list[tuple[float, float, int]]:
        nights = self.problem.grid.nights
        new_night = t > 0 and nights[t] != nights[t - 1]
        if phase == self.done and new_night:
            phase = 0
        if phase == self.done:
            return [(0.0, 0.0, self.done)]
        if phase == 0:
            free = self.starts[t] or (t == 0 and self.car.vehicle.charging and self.car.chargeable[0])
            waiting = [(0.0, 0.0, 0)]
            if not free or self.barred is None or self.barred[t]:
                return waiting
            return waiting + [(a, price, i) for i, a in self._possible(t)]
        going_on = [(a, 0.0, i) for i, a in self._possible(t) if i == phase]
        return [*going_on, (0.0, 0.0, self.done)]

    def _possible(self, t: int) -> list[tuple[int, float]]:
        if not self.room[t]:
            return []
        return [(i, a) for i, a in enumerate(self.currents, start=1) if a <= self.room[t] + 1e-9]

    def _must_go_on(self, t: int, phase: int) -> Floats | float:
        """What it costs not to charge where one may not stop: by hand while nobody is up, or below the boost level."""
        price: Floats | float = 0.0
        if self.timed and 0 < phase < self.done and t > 0 and not self.ends[t - 1]:
            price = np.where(self.soc < self.car.limit_kwh[t - 1] - 1e-6, self.never * 1e3, 0.0)
        boost = self.car.vehicle.boost_pct / 100 * self.car.vehicle.usable_kwh
        if boost > 0 and self.room[t]:
            price = price + np.where(self.soc + self.ahead[t] < boost - 1e-6, self.never / 100, 0.0)
        return price

    # --- forward -----------------------------------------------------------------------------------------------------

    def _forward(self, values: Floats) -> Floats:
        """Follow the values with the true SoC; of equal choices the earlier start."""
        car = self.car
        amps = np.zeros(self.n)
        level = np.array([car.soc_kwh])
        phase, nth = 0, 0
        for t in range(self.n):
            while nth < len(car.departures) and car.departures[nth].taking.edge <= t:
                level = np.maximum(0.0, level - car.departures[nth].taking.kwh)
                nth += 1
            best, choice = np.inf, (0.0, phase)
            for current, price, to in self._options(t, phase):
                if current == 0:
                    held = self._must_go_on(t, phase)
                    held_here = float(np.interp(level, self.soc, held)[0]) if isinstance(held, np.ndarray) else held
                    worth, soc = self._value(values, t + 1, to, level, nth) + held_here, level
                else:
                    cost, soc = self._charged(t, current, level)
                    worth = float(cost[0]) + price + self._value(values, t + 1, to, soc, nth)
                if worth < best - 1e-9 or (current > 0 and worth <= best + 1e-9):
                    best, choice = worth, (current, to)
            if choice[0] > 0:
                amps[t] = choice[0]
                level = self._charged(t, choice[0], level)[1]
            phase = choice[1]
        return amps

    def _value(self, values: Floats, t: int, phase: int, level: Floats, nth: int) -> float:
        return float(np.interp(level, self.soc, values[t, phase])[0])


def nothing_left(car: Car, amps: Floats, problem: Problem) -> Floats:
    """The same setpoints without trailing slots in which neither trajectory draws."""
    mean = car.run(amps, car.rate.mean, problem.grid)
    cautious = car.run(amps, car.rate.cautious, problem.grid)
    keep = (mean.wall_kwh > 0) | (cautious.wall_kwh > 0) | ~np.isnan(car.pinned_a)
    return np.where(keep, amps, 0.0)
