"""All cars of a problem and what they share, in arrays: what the quick search reads.

C cars, N slots, L shared capacities, M nights; what cars have different numbers of is filled up to the most of any.
"""

from collections.abc import Iterable, Sequence
from typing import NamedTuple

import numpy as np

from moonplan.core.planner.constraints import (
    asleep_stretches,
    beside_a_pin,
    may_begin,
    may_end,
    of_pinned_nights,
    one_lead_groups,
    shared_limits,
)
from moonplan.core.planner.outcome import Wanted, wanted_of
from moonplan.core.planner.problem import Car, Problem
from moonplan.core.timegrid import Counts, Flags, Floats

# What a missed kWh of a departure, and one of a habit's wish, counts in highest prices. However many cars wait for how long,
# what is missed comes first.
_MISSED, _UNWISHED = 1000.0, 10.0
# What an A·h counts that waits below a boost level, in highest prices.
_WAITED = 5.0


class Field(NamedTuple):
    """What is given of all cars.

    price, export_price, sun_kwh : of each slot, own sun that the house leaves, shape (N,). [currency/kWh, kWh]
    start_price : of a session. care : of an hour with a kWh above the rest level, shape (C,). [currency]
    managed, charging : whether a car's current may change in every slot, and whether it charges already, shape (C,).
    limit_a, full_a, limit_kwh : see `Car`, shape (C, N). most_kwh : limit_kwh where a car may charge, else infinite.
    free_a : limit_a where nobody pinned anything, else 0. fixed : slots of what somebody pinned. begins, ends : slots that
        may begin or end a session. All of shape (C, N).
    steps_a : shape (C, most steps), infinite beyond a car's last. steps : how many, 0 for a continuous lead, shape (C,).
    least_a, useful_a : least current, and the least that the on-board charger can't use more than, shape (C,). [A]
    mean, cautious : efficiency and overhead, shape (C, 2). [-, kW]
    trip_edge, trip_kwh, trip_rest_h : see `Takings`, shape (C, most trips), the edge beyond the horizon where none is.
    asked_trip, asked_edge, asked_kwh, asked_counts : what must be aboard before which trip (-1: at the edge), by which edge,
        and what a missing kWh counts, in order of time; shape (C, most asked). asked : how much is asked, shape (C,).
    weights, capacity, of_full_limits : see `SharedLimit`, shapes (L, C), (L, N), (L,).
    lead : which lead, shape (C,). stretches : slots from and to before which no lead can be changed over, shape (n, 2).
    nights : first slots of the nights, and the horizon's end, shape (M + 1,).
    waited : what an A·h counts that waits below the boost level. [currency]
    """

    hours: float
    price: Floats
    export_price: Floats
    sun_kwh: Floats
    start_price: float
    waited: float
    care: Floats
    managed: Flags
    charging: Flags
    limit_a: Floats
    full_a: Floats
    free_a: Floats
    limit_kwh: Floats
    most_kwh: Floats
    fixed: Flags
    begins: Flags
    ends: Flags
    steps_a: Floats
    steps: Counts
    least_a: Floats
    useful_a: Floats
    kw_per_a: Floats
    most_wall_kw: Floats
    mean: Floats
    cautious: Floats
    onboard_kw: Floats
    taper_from: Floats
    usable_kwh: Floats
    soc_kwh: Floats
    rest_kwh: Floats
    boost_kwh: Floats
    trip_edge: Counts
    trip_kwh: Floats
    trip_rest_h: Floats
    asked: Counts
    asked_trip: Counts
    asked_edge: Counts
    asked_kwh: Floats
    asked_counts: Floats
    weights: Floats
    capacity: Floats
    of_full_limits: Flags
    lead: Counts
    stretches: Counts
    nights: Counts


def field_of(problem: Problem) -> Field:
    """The field of a problem, made once."""
    return problem.once("field", lambda: _field_of(problem))


def _field_of(problem: Problem) -> Field:
    cars, grid, prices, limits = problem.cars, problem.grid, problem.prices, shared_limits(problem)
    dearest = max(problem.household.tariff.default_price, float(np.abs(prices.price).max()))
    pinned = [~np.isnan(car.pinned_a) for car in cars]
    trips = [[departure.taking for departure in car.departures] for car in cars]
    asked = [_asked(problem, car, dearest) for car in cars]
    return Field(
        hours=grid.hours,
        price=prices.price,
        export_price=prices.export_price,
        sun_kwh=problem.surplus_kw * grid.hours,
        start_price=problem.start_price,
        waited=_WAITED * dearest,
        care=problem.care_price * _each(car.care_factor for car in cars),
        managed=np.array([car.control == "managed" for car in cars]),
        charging=np.array([car.vehicle.charging for car in cars]),
        limit_a=np.stack([np.where(car.chargeable, car.limit_a, 0.0) for car in cars]),
        full_a=np.stack([car.full_a for car in cars]),
        free_a=np.stack([_free_a(car, pin) for car, pin in zip(cars, pinned, strict=True)]),
        limit_kwh=np.stack([car.limit_kwh for car in cars]),
        most_kwh=np.stack([np.where(car.chargeable & (car.limit_a > 0), car.limit_kwh, np.inf) for car in cars]),
        fixed=np.stack(pinned),
        begins=np.stack([may_begin(problem, car) & ~of_pinned_nights(problem, car) for car in cars]),
        ends=np.stack([may_end(problem, car) for car in cars]),
        steps_a=_filled([car.steps_a for car in cars], np.inf),
        steps=np.array([len(car.steps_a) for car in cars]),
        least_a=_each(car.least_a for car in cars),
        useful_a=_each(car.useful_a for car in cars),
        kw_per_a=_each(car.kw_per_a for car in cars),
        most_wall_kw=_each(car.intake.most_wall_kw for car in cars),
        mean=np.array([(car.rate.mean.efficiency, car.rate.mean.overhead_kw) for car in cars]),
        cautious=np.array([(car.rate.cautious.efficiency, car.rate.cautious.overhead_kw) for car in cars]),
        onboard_kw=_each(car.intake.onboard_kw for car in cars),
        taper_from=_each(car.intake.taper_from for car in cars),
        usable_kwh=_each(car.vehicle.usable_kwh for car in cars),
        soc_kwh=_each(car.soc_kwh for car in cars),
        rest_kwh=_each(car.rest_kwh for car in cars),
        boost_kwh=_each(car.boost_kwh for car in cars),
        trip_edge=_filled([[trip.edge for trip in of] for of in trips], grid.n_slots + 1).astype(np.int64),
        trip_kwh=_filled([[trip.kwh for trip in of] for of in trips], 0.0),
        trip_rest_h=_filled([[trip.rest_h for trip in of] for of in trips], 0.0),
        asked=np.array([len(of) for of in asked]),
        asked_trip=_filled([[one.trip for one, _ in of] for of in asked], -1).astype(np.int64),
        asked_edge=_filled([[one.edge for one, _ in of] for of in asked], 0).astype(np.int64),
        asked_kwh=_filled([[one.kwh for one, _ in of] for of in asked], 0.0),
        asked_counts=_filled([[counts for _, counts in of] for of in asked], 0.0),
        weights=np.array([[limit.weights.get(i, 0.0) for i in range(len(cars))] for limit in limits]).reshape(-1, len(cars)),
        capacity=np.array([limit.capacity for limit in limits]).reshape(-1, grid.n_slots),
        of_full_limits=np.array([limit.of_full_limits for limit in limits], dtype=np.bool_),
        lead=_leads(problem),
        stretches=np.array([(at.start, at.stop) for at in asleep_stretches(problem)], dtype=np.int64).reshape(-1, 2),
        nights=np.array([*grid.night_edges, grid.n_slots], dtype=np.int64),
    )


def _asked(problem: Problem, car: Car, dearest: float) -> list[tuple[Wanted, float]]:
    """What is asked of a car and what its habit wishes, in order of time, and what a missing kWh of it counts."""
    wanted, wishes = wanted_of(problem, car), len(car.wishes)
    counts = [_MISSED * dearest] * (len(wanted) - wishes) + [_UNWISHED * dearest] * wishes
    return sorted(zip(wanted, counts, strict=True), key=lambda one: one[0].edge)


def _each(values: Iterable[float]) -> Floats:
    return np.array(list(values), dtype=np.float64)


def _filled(rows: Sequence[Sequence[float]], beyond: float) -> Floats:
    """Rows of different lengths, filled up to one of the longest, which is one at the least."""
    most = max(1, *(len(row) for row in rows))
    return np.array([[*row, *[beyond] * (most - len(row))] for row in rows], dtype=np.float64)


def _free_a(car: Car, pinned: Flags) -> Floats:
    return np.where(car.chargeable & ~beside_a_pin(car) & ~pinned, car.limit_a, 0.0)


def _leads(problem: Problem) -> Counts:
    """Of each car a number that it has in common with those that share its lead, shape (C,)."""
    numbers = np.arange(len(problem.cars))
    for group in one_lead_groups(problem):
        numbers[group] = group[0]
    return numbers
