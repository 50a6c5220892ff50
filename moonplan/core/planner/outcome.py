"""What setpoints come to: energy, cost, shortages and the objective, all from the simulator (rules, sections 5 and 6)."""

import dataclasses
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import cached_property
from typing import NamedTuple

import numpy as np

from moonplan.core.compiled import compiled
from moonplan.core.costing import EvCost, ev_cost
from moonplan.core.planner.hindrances import chain_a, chargeable_slots
from moonplan.core.planner.problem import Car, Problem
from moonplan.core.simulate import NOTHING_KWH, Given, Run, Trajectory, ran, sessions
from moonplan.core.timegrid import Counts, Flags, Floats

# To which digit of a kWh plans are told apart by what they miss of habits' wishes.
UNWISHED_DIGITS = 4
# What one more session than a habit allows counts. [currency]
_MORE_THAN_IS_EVER_SAVED = 1e6


@dataclass(frozen=True, slots=True)
class Readiness:
    """Whether a requirement is met, on the cautious trajectory.

    at_s : when the car leaves, or the horizon ends. [s, UTC]
    required_kwh, planned_kwh, short_kwh : what is required then, what is aboard, and what is missing. [kWh]
    earlier : the same for when someone asked to have it earlier, None where nobody did.
    """

    at_s: float
    required_kwh: float
    planned_kwh: float
    short_kwh: float
    earlier: "Readiness | None" = None

    @property
    def margin_kwh(self) -> float:
        """What is aboard beyond what is required, when it is to be ready. [kWh]"""
        ready = self.earlier or self
        return ready.planned_kwh - ready.required_kwh


class Asked(NamedTuple):
    """What is asked of a car: at its departures in order, then at the end unless it is away then, and then wherever someone
    asked to have one of these earlier. Shapes (n_asked,).

    n : how many departures there are, and how many with the end. of : for each that is asked, which of these it is for.
    at_s : when. [s, UTC] edge : slot edge by which it must be aboard, −1 for just before *leave*. kwh : how much. [kWh]
    """

    n: tuple[int, int]
    of: Counts
    at_s: Floats
    edge: Counts
    kwh: Floats


class Wanted(NamedTuple):
    """What is wanted aboard at an edge, after its trips or just before one of them (−1 for none). [kWh]"""

    edge: int
    trip: int
    kwh: float

    def aboard(self, run: Trajectory) -> float:
        """What is aboard then. [kWh]"""
        return float(run.soc_kwh[self.edge] if self.trip < 0 else run.before_leaving_kwh[self.trip])


@dataclass(frozen=True)
class CarOutcome:
    """One car under its setpoints, whatever the others do.

    aboard_kwh : of the cautious car at what is asked, in the order of `Asked`, shape (n_asked,). [kWh]
    waited_ah : current not offered, times hours, while the car could charge below its boost level. [A·h]
    unwished_kwh : what is missing of each wish of the car's habit. [kWh]
    """

    amps: Floats
    mean: Trajectory
    cautious: Trajectory
    sessions: list[Run]
    starts: int
    asked: Asked
    aboard_kwh: Floats
    waited_ah: float
    unwished_kwh: tuple[float, ...]

    @cached_property
    def shorts_kwh(self) -> Floats:
        """What is missing of each that is asked, shape (n_asked,). [kWh]"""
        return _missing(self.asked, self.aboard_kwh)

    @cached_property
    def short_kwh(self) -> float:
        return float(self.shorts_kwh.sum())

    @cached_property
    def _ready(self) -> tuple[Readiness, ...]:
        asked = zip(self.asked.at_s, self.asked.kwh, self.aboard_kwh, self.shorts_kwh, strict=True)
        ready = [Readiness(float(at), float(kwh), float(aboard), float(short)) for at, kwh, aboard, short in asked]
        _, past = self.asked.n
        for nth, earlier in zip(self.asked.of[past:], ready[past:], strict=True):
            ready[nth] = dataclasses.replace(ready[nth], earlier=earlier)
        return tuple(ready[:past])

    @property
    def departures(self) -> tuple[Readiness, ...]:
        """Of each departure whether it is ready."""
        return self._ready[: self.asked.n[0]]

    @property
    def end(self) -> Readiness | None:
        """Whether what is asked for at the end is there; None where nothing is."""
        departures, past = self.asked.n
        return self._ready[departures] if past > departures else None

    @property
    def aboard_now_kwh(self) -> float:
        """What is aboard now. [kWh]"""
        return float(self.mean.soc_kwh[0])


@dataclass(frozen=True)
class Outcome:
    """All cars under their setpoints.

    part_kw : each car's mean wall power, shapes (n_slots,). [kW] cost : what charging costs. [currency]
    habits : what the cars' habits add when plans are weighed. [currency]
    """

    problem: Problem
    cars: tuple[CarOutcome, ...]
    part_kw: tuple[Floats, ...]
    cost: float
    care: float
    starts: float
    habits: float

    @cached_property
    def together(self) -> EvCost:
        """What all cars cost together, slot by slot."""
        problem = self.problem
        return ev_cost(
            _total(self.part_kw, problem.grid.n_slots),
            base_kw=problem.base_kw,
            solar_kw=problem.sun_kw,
            price=problem.prices.price,
            export_price=problem.prices.export_price,
            hours=problem.grid.hours,
        )

    @cached_property
    def costs(self) -> tuple[EvCost, ...]:
        """Each car's part of the money and the sun, slot by slot."""
        ev_kw = np.sum(self.part_kw, axis=0)
        return tuple(self.together.share(part, ev_kw) for part in self.part_kw)

    @property
    def short_kwh(self) -> float:
        """What is missing of all that is asked; of what someone wants earlier twice, where it comes too late. [kWh]"""
        return sum(car.short_kwh for car in self.cars)

    @property
    def short_in_time_kwh(self) -> float:
        """What is missing at departures and at the end. [kWh]"""
        return sum(float(car.shorts_kwh[: car.asked.n[1]].sum()) for car in self.cars)

    @property
    def unwished_kwh(self) -> float:
        """What is missing of all that the cars' habits want aboard. [kWh]"""
        return sum(sum(car.unwished_kwh) for car in self.cars)

    @property
    def value(self) -> float:
        """What the planner makes least once shortage is least: money, care and starts. [currency]"""
        return self.cost + self.care + self.starts

    @cached_property
    def missed(self) -> tuple[float, tuple[float, ...], float]:
        """What counts before any money: total shortage, the earlier one shorter, then waiting below a boost level."""
        if not self.cars:
            return 0.0, (), 0.0
        times, waited_ah = _times(self.problem, self.cars), round(sum(car.waited_ah for car in self.cars), 5)
        if not any(car.short_kwh for car in self.cars):
            return 0.0, times.nothing, waited_ah
        shorts = np.concatenate([car.shorts_kwh for car in self.cars])
        by_time = np.bincount(times.nth, weights=shorts)
        return round(float(shorts.sum()), 5), tuple(np.round(by_time, 5).tolist()), waited_ah

    @cached_property
    def missed_by_all(self) -> tuple[float, tuple[float, ...], float, float]:
        """What counts before any money: what is missed, then what the habits miss. [kWh]"""
        return *self.missed, round(self.unwished_kwh, UNWISHED_DIGITS)

    @property
    def weighed(self) -> float:
        """The objective as the habits weigh it. [currency]"""
        return self.value + self.habits

    @cached_property
    def rank(self) -> tuple[float, tuple[float, ...], float, float, float, int, int]:
        """Smaller is better: what is missed, the objective as the habits weigh it, fewer sessions, and the smaller sum of
        start times.

        Quantised, so that equal plans compare equal.
        """
        firsts = [run.first for car in self.cars for run in car.sessions]
        return *self.missed_by_all, round(self.weighed, 7), len(firsts), sum(firsts)


def outcome(problem: Problem, amps: Sequence[Floats]) -> Outcome:
    """Run the simulator over setpoints (per car, shape (n_slots,) [A])."""
    grid, prices = problem.grid, problem.prices
    cars = tuple(_car_outcome(problem, i, a) for i, a in enumerate(amps))
    part_kw = tuple(car.mean.wall_kwh / grid.hours for car in cars)
    ev_kw = _total(part_kw, grid.n_slots)
    return Outcome(
        problem=problem,
        cars=cars,
        part_kw=part_kw,
        cost=_cost(ev_kw, problem.base_kw, problem.sun_kw, prices.price, prices.export_price, grid.hours),
        care=problem.care_price
        * sum(car.care_factor * mine.mean.kwh_hours_above for car, mine in zip(problem.cars, cars, strict=True)),
        starts=problem.start_price * sum(car.starts for car in cars),
        habits=_weighed(problem, part_kw, ev_kw) + _too_many(problem, cars),
    )


def _total(part_kw: Sequence[Floats], n_slots: int) -> Floats:
    total = np.zeros(n_slots)
    for part in part_kw:
        total += part
    return total


class _Times(NamedTuple):
    """nth : of each that is asked of the cars in turn, the how-manieth of all times at which something is asked, shape
    (n_asked,). nothing : of each of the times that nothing is missed."""

    nth: Counts
    nothing: tuple[float, ...]


def _times(problem: Problem, cars: Sequence[CarOutcome]) -> _Times:
    def found() -> _Times:
        times, nth = np.unique(np.concatenate([car.asked.at_s for car in cars]), return_inverse=True)
        return _Times(nth, (0.0,) * len(times))

    return problem.once("times", found)


def _too_many(problem: Problem, cars: Sequence[CarOutcome]) -> float:
    """What sessions beyond those that the cars' habits allow count when plans are weighed. [currency]"""
    return _MORE_THAN_IS_EVER_SAVED * sum(
        max(0, len(mine.sessions) - car.most_sessions)
        for car, mine in zip(problem.cars, cars, strict=True)
        if car.most_sessions is not None
    )


def _weighed(problem: Problem, part_kw: Sequence[Floats], ev_kw: Floats) -> float:
    """What the cars' habits add when plans are weighed. [currency]"""
    if not problem.weighs_own_sun:
        return 0.0
    own_kw = np.minimum(ev_kw, problem.surplus_kw)
    own_part = np.divide(own_kw, ev_kw, out=np.zeros_like(ev_kw), where=ev_kw > 0)
    added = 0.0
    for car, part in zip(problem.cars, part_kw, strict=True):
        own_kwh = float((part * own_part).sum()) * problem.grid.hours
        added += car.sun_counts * own_kwh + car.grid_counts * (float(part.sum()) * problem.grid.hours - own_kwh)
    return added


def _car_outcome(problem: Problem, i: int, amps: Floats) -> CarOutcome:
    return problem.lately(("outcome", i, amps.tobytes()), lambda: car_outcome(problem, problem.cars[i], amps))


def car_outcome(problem: Problem, car: Car, amps: Floats) -> CarOutcome:
    """One car under its setpoints."""
    mean = car.run(amps, car.rate.mean, problem.grid)
    cautious = car.run(amps, car.rate.cautious, problem.grid)
    found = sessions(amps, mean)
    going_on = car.vehicle.charging and bool(found) and found[0].first == 0
    asked = asked_of(problem, car)
    return CarOutcome(
        amps,
        mean,
        cautious,
        found,
        len(found) - going_on,
        asked,
        _aboard(asked, cautious.soc_kwh, cautious.before_leaving_kwh),
        _waited_ah(amps, mean.soc_kwh, _judged(problem, car)),
        tuple(max(0.0, wish.kwh - _before_trips(car, cautious, wish.edge)) for wish in car.wishes),
    )


class _Judged(NamedTuple):
    """What a car is asked for and by what it is run, in the shapes that compiled code takes.

    chargeable, limit_a, boost_kwh : see `_waited_ah`; nothing waits below a level of 0.
    """

    asked: Asked
    cautious: Given
    mean: Given
    chargeable: Flags
    limit_a: Floats
    boost_kwh: float


def missed_by(problem: Problem, car: Car, amps: Floats) -> tuple[float, tuple[float, ...], float]:
    """What `Outcome.missed` tells, of one car under its setpoints and without the rest of its outcome."""
    total, *of_each, waited_ah = (_missed(amps, _judged(problem, car)) / 1e5).tolist()
    return total, tuple(of_each), waited_ah


def least_current(problem: Problem, car: Car, amps: Floats, first: int, last: int) -> float | None:
    """The least current in some slots with which a car misses no more, in hundredths of an ampere; None where a hundredth
    less is too little. [A]"""
    low, high = round(car.least_a * 100), round(float(amps[first]) * 100)
    least = _least_that_does(amps, first, last + 1, low, high, _judged(problem, car)) if low < high else high
    return least / 100 if least < high else None


def _judged(problem: Problem, car: Car) -> _Judged:
    cautious, mean = (car.given(rate, problem.grid) for rate in (car.rate.cautious, car.rate.mean))
    return car.once(
        "judged", lambda: _Judged(asked_of(problem, car), cautious, mean, car.chargeable, car.limit_a, car.boost_kwh)
    )


@compiled
def _missed(amps: Floats, judged: _Judged) -> Floats:
    """What is missed in all, then of each that is asked, and at last what waits, in hundred-thousandths of a kWh and an A·h,
    shape (n_asked + 2,)."""
    found = np.zeros(len(judged.asked.kwh) + 2)
    soc_kwh, _, _, _, before_leaving_kwh, _ = ran(amps, judged.cautious)
    found[1:-1] = _missing(judged.asked, _aboard(judged.asked, soc_kwh, before_leaving_kwh))
    found[0] = found[1:-1].sum()
    if judged.boost_kwh > 0:
        found[-1] = _waited_ah(amps, ran(amps, judged.mean)[0], judged)
    for k in range(len(found)):
        found[k] = np.rint(found[k] * 1e5)
    return found


@compiled
def _least_that_does(amps: Floats, first: int, past: int, low: int, high: int, judged: _Judged) -> int:
    """See `least_current`: the least of the hundredths from `low` to before `high`, else `high`."""
    at_most, trial = _missed(amps, judged), amps.copy()
    too_little = low - 1
    tried = high - 1
    while too_little < high - 1:
        trial[first:past] = tried / 100
        if _is_more(_missed(trial, judged), at_most):
            too_little = tried
        else:
            high = tried
        tried = (too_little + high) // 2
    return high


@compiled
def _is_more(missed: Floats, other: Floats) -> bool:
    for k in range(len(missed)):
        if missed[k] != other[k]:
            return bool(missed[k] > other[k])
    return False


def asked_of(problem: Problem, car: Car) -> Asked:
    """What is asked of a car."""
    return car.once("asked", lambda: _asked_of(problem, car))


def wanted_of(problem: Problem, car: Car) -> list[Wanted]:
    """What is asked of a car, in the order of `Asked`, and then what its habit wishes for."""
    asked = asked_of(problem, car)
    leaves = {departure.taking.edge: nth for nth, departure in reversed(list(enumerate(car.departures)))}
    return [
        *(
            Wanted(edge, -1, kwh) if edge >= 0 else Wanted(car.departures[nth].taking.edge, nth, kwh)
            for nth, edge, kwh in zip(asked.of.tolist(), asked.edge.tolist(), asked.kwh.tolist(), strict=True)
        ),
        *(Wanted(wish.edge, leaves.get(wish.edge, -1), wish.kwh) for wish in car.wishes),
    ]


def _asked_of(problem: Problem, car: Car) -> Asked:
    edges_s = problem.grid.edges_s.astype(np.float64)
    told = [(nth, d.taking.at_s, -1, d.required_kwh) for nth, d in enumerate(car.departures)]
    earlier = [d.ready_edge for d in car.departures]
    if car.wanted_at_end_kwh is not None:
        told.append((len(told), edges_s[-1], problem.grid.n_slots, car.wanted_at_end_kwh))
        earlier.append(car.end_ready_edge)
    n = len(car.departures), len(told)
    asked = [(nth, edges_s[edge], edge, told[nth][-1]) for nth, edge in enumerate(earlier) if edge is not None]
    of, at_s, edges, kwh = zip(*told, *asked, strict=True) if told else ((), (), (), ())
    return Asked(n, np.array(of, np.int64), np.array(at_s, np.float64), np.array(edges, np.int64), np.array(kwh, np.float64))


@compiled
def _aboard(asked: Asked, soc_kwh: Floats, before_leaving_kwh: Floats) -> Floats:
    """What is aboard of the cautious car at each that is asked. [kWh] soc_kwh, before_leaving_kwh : see `Trajectory`."""
    aboard = np.empty(len(asked.kwh))
    for nth in range(len(aboard)):
        aboard[nth] = before_leaving_kwh[nth] if asked.edge[nth] < 0 else soc_kwh[asked.edge[nth]]
    return aboard


@compiled
def _missing(asked: Asked, aboard_kwh: Floats) -> Floats:
    short = asked.kwh - aboard_kwh
    return np.where(short > NOTHING_KWH, short, 0.0)


@compiled
def _cost(ev_kw: Floats, base_kw: Floats, sun_kw: Floats, price: Floats, export_price: Floats, hours: float) -> float:
    """What `costing.ev_cost` comes to in all, without its parts slot by slot. [currency]"""
    cost = 0.0
    for t in range(len(ev_kw)):
        if ev_kw[t] > 0:
            own_kw = min(ev_kw[t], max(0.0, sun_kw[t] - base_kw[t]))
            cost += export_price[t] * own_kw + price[t] * (ev_kw[t] - own_kw)
    return cost * hours


def _before_trips(car: Car, cautious: Trajectory, edge: int) -> float:
    """Cautious SoC at an edge, before any trip there. [kWh]"""
    for departure, aboard in zip(car.departures, cautious.before_leaving_kwh, strict=True):
        if departure.taking.edge == edge:
            return float(aboard)
    return float(cautious.soc_kwh[edge])


@compiled
def _waited_ah(amps: Floats, mean_kwh: Floats, judged: _Judged) -> float:
    """Current not offered, times hours, while the car could charge below its boost level. [A·h] mean_kwh : SoC of the mean
    car at every slot edge."""
    waited = 0.0
    for t in range(len(amps)):
        at_once_below = min(judged.boost_kwh, judged.mean.limit_kwh[t])
        if judged.chargeable[t] and mean_kwh[t] < at_once_below - NOTHING_KWH:
            waited += (judged.limit_a[t] - amps[t]) * judged.mean.hours
    return waited


def ready_at(problem: Problem, plan: Outcome, i: int, nth: int) -> datetime | None:
    """When car i, alone at full current from its last return on, has aboard what its nth departure requires, if ever."""
    grid, car, cautious = problem.grid, problem.cars[i], plan.cars[i].cautious
    required = car.departures[nth].required_kwh
    since = car.departures[nth - 1].taking.edge if nth else 0
    if since >= grid.n_slots:
        return None
    leave = car.departures[nth].trip.leave
    kept = tuple(trip for trip in problem.household.trips if trip.vehicle != car.id or trip.leave < leave)
    staying = dataclasses.replace(problem.household, trips=kept)
    free = chargeable_slots(staying, car.vehicle, grid) & (np.arange(grid.n_slots) >= since)
    full = np.where(free, chain_a(problem.household, car.vehicle, grid), 0.0)
    alone = car.filled((float(cautious.soc_kwh[since]), required), full, car.rate.cautious, grid)
    reached = np.flatnonzero(alone.soc_kwh >= required - NOTHING_KWH)
    if not len(reached) or not reached[0]:
        return None
    last = int(reached[0]) - 1
    return grid.instant(last, float(alone.fraction[last]))
