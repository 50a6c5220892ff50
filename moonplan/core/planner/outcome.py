"""What setpoints come to: energy, cost, shortages and the objective, all from the simulator (rules, sections 5 and 6)."""

import dataclasses
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import cached_property

import numpy as np

from moonplan.core.costing import EvCost, ev_cost
from moonplan.core.planner.problem import Car, Problem, chargeable_slots
from moonplan.core.simulate import NOTHING_KWH, Run, Trajectory, drawn, runs, trajectory
from moonplan.core.timegrid import Floats


@dataclass(frozen=True, slots=True)
class Readiness:
    """Whether a requirement is met, on the cautious trajectory.

    at_s : when it is asked for. [s, UTC] required_kwh, planned_kwh, short_kwh : [kWh]
    """

    at_s: float
    required_kwh: float
    planned_kwh: float
    short_kwh: float


@dataclass(frozen=True)
class CarOutcome:
    """One car under its setpoints, whatever the others do.

    waited_ah : current not offered, times hours, while the car could charge below its boost level. [A·h]
    unwished_kwh : what is missing of what the car's habit wants aboard. [kWh]
    """

    amps: Floats
    mean: Trajectory
    cautious: Trajectory
    sessions: list[Run]
    starts: int
    departures: tuple[Readiness, ...]
    end: Readiness | None
    waited_ah: float
    unwished_kwh: float

    @property
    def aboard_now_kwh(self) -> float:
        """What is aboard now. [kWh]"""
        return float(self.mean.soc_kwh[0])

    @property
    def short_kwh(self) -> float:
        return sum(r.short_kwh for r in self.departures) + (self.end.short_kwh if self.end else 0.0)


@dataclass(frozen=True)
class Outcome:
    """All cars under their setpoints.

    part_kw : each car's mean wall power, shapes (n_slots,). [kW] together : what all of them cost, slot by slot.
    habits : what the cars' habits add when plans are weighed. [currency]
    """

    cars: tuple[CarOutcome, ...]
    part_kw: tuple[Floats, ...]
    together: EvCost
    care: float
    starts: float
    habits: float

    @cached_property
    def costs(self) -> tuple[EvCost, ...]:
        """Each car's part of the money and the sun, slot by slot."""
        ev_kw = np.sum(self.part_kw, axis=0)
        return tuple(self.together.share(part, ev_kw) for part in self.part_kw)

    @cached_property
    def cost(self) -> float:
        """What charging costs. [currency]"""
        return float(self.together.cost.sum())

    @property
    def short_kwh(self) -> float:
        return sum(car.short_kwh for car in self.cars)

    @property
    def value(self) -> float:
        """What the planner makes least once shortage is least: money, care and starts. [currency]"""
        return self.cost + self.care + self.starts

    @cached_property
    def missed(self) -> tuple[float, tuple[float, ...], float]:
        """What counts before any money: total shortage, the earlier one shorter, then waiting below a boost level."""
        asked = [ready for car in self.cars for ready in (*car.departures, *([car.end] if car.end else []))]
        by_time: dict[float, float] = {}
        for ready in sorted(asked, key=lambda ready: ready.at_s):
            by_time[ready.at_s] = by_time.get(ready.at_s, 0.0) + ready.short_kwh
        waited_ah = round(sum(car.waited_ah for car in self.cars), 5)
        return round(self.short_kwh, 5), tuple(round(short, 5) for short in by_time.values()), waited_ah

    @cached_property
    def missed_by_all(self) -> tuple[float, tuple[float, ...], float, float]:
        """What counts before any money: what is missed, then what the habits miss. [kWh]"""
        return *self.missed, round(sum(car.unwished_kwh for car in self.cars), 4)

    @property
    def weighed(self) -> float:
        """The objective as the habits weigh it. [currency]"""
        return self.value + self.habits

    @property
    def rank(self) -> tuple[float, tuple[float, ...], float, float, float, int, int]:
        """Smaller is better: what is missed, the objective as the habits weigh it, fewer sessions, and the smaller sum of
        start times.

        Quantised, so that equal plans compare equal.
        """
        firsts = [run.first for car in self.cars for run in car.sessions]
        return *self.missed_by_all, round(self.weighed, 7), len(firsts), sum(firsts)


def outcome(problem: Problem, amps: Sequence[Floats]) -> Outcome:
    """Run the simulator over setpoints (per car, shape (n_slots,) [A])."""
    grid = problem.grid
    cars = tuple(_car_outcome(problem, i, a) for i, a in enumerate(amps))
    part_kw = tuple(car.mean.wall_kwh / grid.hours for car in cars)
    ev_kw = np.sum(part_kw, axis=0) if part_kw else np.zeros(grid.n_slots)
    together = ev_cost(
        ev_kw,
        base_kw=problem.base_kw,
        solar_kw=problem.sun_kw,
        price=problem.prices.price,
        export_price=problem.prices.export_price,
        hours=grid.hours,
    )
    return Outcome(
        cars=cars,
        part_kw=part_kw,
        together=together,
        care=problem.care_price
        * sum(car.care_factor * mine.mean.kwh_hours_above for car, mine in zip(problem.cars, cars, strict=True)),
        starts=problem.start_price * sum(car.starts for car in cars),
        habits=_weighed(problem, part_kw, ev_kw, together),
    )


def _weighed(problem: Problem, part_kw: Sequence[Floats], ev_kw: Floats, together: EvCost) -> float:
    added = 0.0
    for car, part in zip(problem.cars, part_kw, strict=True):
        if car.sun_counts or car.grid_counts:
            own_kwh = float(together.share(part, ev_kw).solar_kwh.sum())
            added += car.sun_counts * own_kwh + car.grid_counts * (float(part.sum()) * problem.grid.hours - own_kwh)
    return added


def _car_outcome(problem: Problem, i: int, amps: Floats) -> CarOutcome:
    return problem.lately(("outcome", i, amps.tobytes()), lambda: car_outcome(problem, problem.cars[i], amps))


def car_outcome(problem: Problem, car: Car, amps: Floats) -> CarOutcome:
    """One car under its setpoints."""
    mean = car.run(amps, car.rate.mean, problem.grid)
    cautious = _cautiously(problem, car, amps)
    sessions = [run for run in runs(amps) if drawn(run, mean)]
    going_on = car.vehicle.charging and any(run.first == 0 for run in sessions)
    departures, end = _ready(problem, car, cautious)
    return CarOutcome(
        amps,
        mean,
        cautious,
        sessions,
        len(sessions) - going_on,
        departures,
        end,
        _waited_ah(problem, car, amps, mean),
        sum(max(0.0, wish.kwh - _before_trips(car, cautious, wish.edge)) for wish in car.wishes),
    )


def short_kwh(problem: Problem, car: Car, amps: Floats) -> float:
    """What one car under its setpoints is short of in all, without the rest of its outcome. [kWh]"""
    departures, end = _ready(problem, car, _cautiously(problem, car, amps))
    return sum(ready.short_kwh for ready in departures) + (end.short_kwh if end else 0.0)


def _cautiously(problem: Problem, car: Car, amps: Floats) -> Trajectory:
    return problem.lately(("cautiously", car.id, amps.tobytes()), lambda: car.run(amps, car.rate.cautious, problem.grid))


def _ready(problem: Problem, car: Car, cautious: Trajectory) -> tuple[tuple[Readiness, ...], Readiness | None]:
    """What is aboard at each departure, and at the end unless the car is away then."""
    departures = []
    for nth, departure in enumerate(car.departures):
        aboard = cautious.before_leaving_kwh[nth]
        if departure.ready_edge is not None:
            aboard = float(cautious.soc_kwh[departure.ready_edge])
        departures.append(_readiness(departure.taking.at_s, departure.required_kwh, aboard))
    if car.wanted_at_end_kwh is None:
        return tuple(departures), None
    edge = problem.grid.n_slots if car.end_ready_edge is None else car.end_ready_edge
    end = _readiness(float(problem.grid.edges_s[-1]), car.wanted_at_end_kwh, float(cautious.soc_kwh[edge]))
    return tuple(departures), end


def _before_trips(car: Car, cautious: Trajectory, edge: int) -> float:
    """Cautious SoC at an edge, before any trip there. [kWh]"""
    for departure, aboard in zip(car.departures, cautious.before_leaving_kwh, strict=True):
        if departure.taking.edge == edge:
            return aboard
    return float(cautious.soc_kwh[edge])


def _waited_ah(problem: Problem, car: Car, amps: Floats, mean: Trajectory) -> float:
    if car.vehicle.boost_pct == 0:
        return 0.0
    boost_kwh = car.vehicle.boost_pct / 100 * car.vehicle.usable_kwh
    low = car.chargeable & (mean.soc_kwh[:-1] < boost_kwh - NOTHING_KWH)
    return float((car.limit_a - amps)[low].sum()) * problem.grid.hours


def _readiness(at_s: float, required: float, planned: float) -> Readiness:
    short = max(0.0, required - planned)
    return Readiness(at_s, required, planned, short if short > NOTHING_KWH else 0.0)


def ready_at(problem: Problem, plan: Outcome, i: int, nth: int) -> datetime | None:
    """When car i, alone at full current from its last return on, has aboard what its nth departure requires, if ever."""
    grid, car, cautious = problem.grid, problem.cars[i], plan.cars[i].cautious
    required = car.departures[nth].required_kwh
    since = car.departures[nth - 1].taking.edge if nth else 0
    if car.delivery is None or since >= grid.n_slots:
        return None
    leave = car.departures[nth].trip.leave
    kept = tuple(trip for trip in problem.household.trips if trip.vehicle != car.id or trip.leave < leave)
    staying = dataclasses.replace(problem.household, trips=kept)
    free = chargeable_slots(staying, car.vehicle, grid)
    full = np.where(free & (np.arange(grid.n_slots) >= since), car.delivery.amps, 0.0)
    alone = trajectory(
        full,
        grid=grid,
        intake=car.intake,
        rate=car.rate.cautious,
        usable_kwh=car.vehicle.usable_kwh,
        soc_kwh=float(cautious.soc_kwh[since]),
        limit_kwh=np.full(grid.n_slots, required),
    )
    reached = np.flatnonzero(alone.soc_kwh >= required - NOTHING_KWH)
    if not len(reached) or not reached[0]:
        return None
    last = int(reached[0]) - 1
    return grid.starts[last] + timedelta(hours=float(alone.fraction[last]) * grid.hours)
