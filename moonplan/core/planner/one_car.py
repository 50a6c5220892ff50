"""One car against prices and what the others leave it: a recursion over its battery (docs/planner.md).

Backward over the slots, on levels of cautious SoC and a few phases (off, on; for a timer: not yet, on at a current,
done for the night), then forward with the true SoC. The mean car, which decides cost, runs ahead of the cautious one;
how far is taken from the pass before.
"""

from dataclasses import dataclass

import numpy as np

from moonplan.core.planner import recursion
from moonplan.core.planner.constraints import may_end, may_start
from moonplan.core.planner.problem import Car, Problem
from moonplan.core.planner.recursion import Pack, Slots
from moonplan.core.timegrid import Flags, Floats

# Levels to a slot's gain at full current; fewer where slots and levels together would be too many states to look at.
_LEVELS_PER_SLOT = 96
_MANY_STATES, _FEW_STATES = 600_000, 200_000
_LEAST_LEVELS_PER_SLOT = 4
_MOST_LEVELS = 20_000
# Currents that a continuous lead is tried at within one timer session, as shares of the way from least to most.
_TIMER_SHARES = (1.0, 0.75, 0.5, 0.25, 0.0)


@dataclass(frozen=True)
class Surroundings:
    """What the other cars leave in each slot, shapes (n_slots,).

    room_a : current that may be offered. [A] sun_kwh : own sun that nobody else takes. [kWh]
    toll : what an offered ampere counts besides its cost, since others want it too. [currency/A]
    sun_price : what a kWh of own sun counts, the export price given up or more. [currency/kWh]
    """

    room_a: Floats
    sun_kwh: Floats
    toll: Floats
    sun_price: Floats


def plan_one(
    problem: Problem, car: Car, around: Surroundings, ahead: Floats | None = None, *, fine: bool = True
) -> tuple[Floats, Floats]:
    """Setpoints of one car: least shortage, then least cost, care and starts.

    Parameters
    ----------
    fine : whether to look at many levels, rather than at so few that the answer is good to look around with.
    ahead : how far the mean car is before the cautious one at each edge in an earlier plan of this car, if there is
        one, shape (n_slots + 1,). [kWh]

    Returns
    -------
    amps, ahead : shapes (n_slots,) [A] and (n_slots + 1,) [kWh]
    """
    n = problem.grid.n_slots
    room = np.where(car.chargeable & np.isnan(car.pinned_a), car.offered(around.room_a), 0.0)
    amps = np.zeros(n)
    if not room.any() and np.isnan(car.pinned_a).all():
        return amps, np.zeros(n + 1)
    while True:
        last = ahead is not None
        slots = _slots(problem, car, around, room, np.zeros(n + 1) if ahead is None else ahead)
        states = _MANY_STATES if fine and last else _FEW_STATES
        if car.control == "managed":
            amps = _managed(problem, car, slots, _levels(car, slots, states))
        else:
            currents = _timer_currents(car, float(slots.room_a.max()))
            amps = _timed(problem, car, slots, _levels(car, slots, states // (len(currents) + 2)), currents)
        mean = car.run(amps, car.rate.mean, problem.grid).soc_kwh
        ahead = np.maximum(0.0, mean - car.run(amps, car.rate.cautious, problem.grid).soc_kwh)
        if last:
            return amps, ahead


def _slots(problem: Problem, car: Car, around: Surroundings, room: Floats, ahead: Floats) -> Slots:
    at_edge, before_trip = _asked(problem, car)
    wishes = np.zeros(problem.grid.n_slots + 1)
    for wish in car.wishes:
        wishes[wish.edge] = max(wishes[wish.edge], wish.kwh)
    return Slots(
        hours=problem.grid.hours,
        room_a=room,
        pinned_a=car.pinned_a,
        limit_kwh=car.limit_kwh,
        price=problem.prices.price + car.grid_counts,
        own_price=around.sun_price + car.sun_counts,
        sun_kwh=around.sun_kwh,
        toll=around.toll,
        ahead_kwh=ahead,
        trip_edge=np.array([departure.taking.edge for departure in car.departures], dtype=np.int64),
        trip_kwh=np.array([departure.taking.kwh for departure in car.departures], dtype=np.float64),
        need_kwh=np.zeros(len(at_edge)),
        wants=at_edge,
        trip_wants=before_trip,
        wishes=wishes,
    )


def _pack(problem: Problem, car: Car) -> Pack:
    usable = car.vehicle.usable_kwh
    return Pack(
        usable_kwh=usable,
        onboard_kw=car.intake.onboard_kw,
        taper_from=car.intake.taper_from,
        kw_per_a=car.intake.volts * car.intake.phases / 1000,
        most_wall_kw=car.intake.most_wall_kw,
        least_a=car.least_a,
        mean=(car.rate.mean.efficiency, car.rate.mean.overhead_kw),
        cautious=(car.rate.cautious.efficiency, car.rate.cautious.overhead_kw),
        rest_kwh=car.rest_kwh,
        care=problem.care_price * car.care_factor * problem.grid.hours,
        boost_kwh=car.vehicle.boost_pct / 100 * usable,
        start_price=problem.start_price,
        charging=car.vehicle.charging,
    )


def _asked(problem: Problem, car: Car) -> tuple[Floats, Floats]:
    """What is asked for at each edge, and before each trip. [kWh]"""
    at_edge = np.zeros(problem.grid.n_slots + 1)
    before_trip = np.zeros(len(car.departures))
    for nth, departure in enumerate(car.departures):
        if departure.ready_edge is None:
            before_trip[nth] = departure.required_kwh
        else:
            at_edge[departure.ready_edge] = max(at_edge[departure.ready_edge], departure.required_kwh)
    if car.wanted_at_end_kwh is not None:
        edge = problem.grid.n_slots if car.end_ready_edge is None else car.end_ready_edge
        at_edge[edge] = max(at_edge[edge], car.wanted_at_end_kwh)
    return at_edge, before_trip


def _levels(car: Car, slots: Slots, most_states: int) -> Floats:
    """Levels of cautious SoC: even steps, and every limit and requirement besides. [kWh]"""
    usable = car.vehicle.usable_kwh
    wanted = [*slots.trip_wants.tolist(), *slots.wants[slots.wants > 0].tolist()]
    most_a = float(np.fmax(slots.room_a, np.nan_to_num(slots.pinned_a)).max())
    gain = max(car.rate.cautious.battery_kw(car.intake.wall_kw(most_a)) * slots.hours, 1e-6)
    most = min(_MOST_LEVELS, most_states // max(1, len(slots.room_a)))
    step = min(max(gain / _LEVELS_PER_SLOT, usable / most), gain / _LEAST_LEVELS_PER_SLOT)
    step = max(step, usable / _MOST_LEVELS)
    anchor = next((kwh for kwh in wanted if kwh > 0), 0.0)
    even = anchor % step + step * np.arange(0, int(usable / step) + 1)
    marks = [kwh for kwh in {0.0, usable, *car.limit_kwh.tolist(), *wanted} if 0 <= kwh <= usable]
    return np.union1d(np.round(even[even <= usable], 9), np.round(marks, 9))


def _managed(problem: Problem, car: Car, slots: Slots, levels: Floats) -> Floats:
    pack = _pack(problem, car)
    most_at_edge, most_before_trip = recursion.fully(car.soc_kwh, slots, pack)
    # A wish is for before the trips at its edge; where there are any, the first of them asks for it.
    leaves = np.isin(np.arange(len(slots.wishes)), slots.trip_edge)
    first = np.concatenate([[True], np.diff(slots.trip_edge) > 0]) if len(slots.trip_edge) else np.zeros(0, dtype=np.bool_)
    trip_wishes = np.where(first, slots.wishes[slots.trip_edge], 0.0)
    slots = slots._replace(
        wants=np.minimum(np.maximum(slots.wants, np.where(leaves, 0.0, slots.wishes)), most_at_edge),
        trip_wants=np.minimum(np.maximum(slots.trip_wants, trip_wishes), most_before_trip),
    )
    need, need_after_trips = recursion.needs(slots, pack)
    slots = slots._replace(need_kwh=need)
    steps = np.array(car.steps_a, dtype=np.float64)
    a_kwh = np.maximum(slots.price, slots.own_price) + slots.toll / (pack.kw_per_a * slots.hours)
    dearest = 1.02 * max(0.0, float(a_kwh.max())) / pack.cautious[0] + 1e-6
    band = recursion.reachable(car.soc_kwh, levels, slots, pack)
    values = recursion.managed_values(levels, steps, dearest, need_after_trips, band, slots, pack)
    return recursion.managed_amps(values, levels, steps, band, car.soc_kwh, slots, pack)


def _timed(problem: Problem, car: Car, slots: Slots, levels: Floats, currents: Floats) -> Floats:
    pack = _pack(problem, car)
    never = 100 * (float(np.abs(slots.price).max()) + 1.0)
    may = _timer_may(problem, car)
    band = recursion.reachable(car.soc_kwh, levels, slots, pack)
    values = recursion.timer_values(levels, currents, never, may, band, slots, pack)
    return recursion.timer_amps(values, levels, currents, never, may, band, car.soc_kwh, slots, pack)


def _timer_currents(car: Car, most: float) -> Floats:
    if car.steps_a:
        return np.array([step for step in reversed(car.steps_a) if step <= most + 1e-9] or [0.0])
    tried = [round(car.least_a + share * (most - car.least_a), 2) for share in _TIMER_SHARES]
    return np.array(list(dict.fromkeys(tried)) if most else [0.0])


def _timer_may(problem: Problem, car: Car) -> tuple[Flags, Flags, Flags]:
    """Slots that may begin a session, that may be its last, and that begin a new night."""
    nights = problem.grid.nights
    starts = may_start(problem, car).copy()
    starts[0] |= car.vehicle.charging and bool(car.chargeable[0])
    pinned_nights = {nights[t] for t in np.flatnonzero(~np.isnan(car.pinned_a))}
    starts &= np.array([night not in pinned_nights for night in nights])
    new_night = np.array([t > 0 and nights[t] != nights[t - 1] for t in range(len(nights))])
    return starts, may_end(problem, car), new_night


def nothing_left(car: Car, amps: Floats, problem: Problem) -> Floats:
    """The same setpoints without those slots in which neither trajectory draws."""
    mean = car.run(amps, car.rate.mean, problem.grid)
    cautious = car.run(amps, car.rate.cautious, problem.grid)
    keep = (mean.wall_kwh > 0) | (cautious.wall_kwh > 0) | ~np.isnan(car.pinned_a)
    return np.where(keep, amps, 0.0)
