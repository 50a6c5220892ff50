"""What a car's slots offer it and ask of it while it stands alone, in the arrays that its recursions read."""

from collections.abc import Iterable

import numpy as np

from moonplan.core.planner.constraints import may_begin, may_end, of_pinned_nights
from moonplan.core.planner.outcome import Wanted
from moonplan.core.planner.problem import Car, Problem
from moonplan.core.planner.slots import May, Pack, Slots, needs
from moonplan.core.simulate import runs
from moonplan.core.timegrid import Floats

# Of plans that come to the same the one with fewer sessions: so much does a session count besides, in default prices.
_TIE = 1e-3


def needed(problem: Problem, car: Car, most_a: Floats, wanted: Iterable[Wanted]) -> Floats:
    """What the cautious car must have aboard after the trips at each edge so that it can still have what is wanted, charging
    at the most from then on, shape (n_slots + 1,). [kWh]

    most_a : the most current of each slot, shape (n_slots,). [A]
    """
    alone = slots_alone(problem, car, most_a)
    at_edge, before_trip = np.zeros(len(alone.wants)), np.zeros(len(alone.trip_wants))
    for one in wanted:
        asked, at = (at_edge, one.edge) if one.trip < 0 else (before_trip, one.trip)
        asked[at] = max(asked[at], one.kwh)
    _, after_trips = needs(alone._replace(wants=at_edge, trip_wants=before_trip), pack_of(problem, car))
    return after_trips


def slots_alone(problem: Problem, car: Car, most_a: Floats) -> Slots:
    """What the slots offer and ask while nobody else takes or leaves anything.

    most_a : the most current of each slot, shape (n_slots,). [A]
    """
    n = problem.grid.n_slots
    at_edge, before_trip = _asked(problem, car)
    wishes = np.zeros(n + 1)
    for wish in car.wishes:
        wishes[wish.edge] = max(wishes[wish.edge], wish.kwh)
    return Slots(
        hours=problem.grid.hours,
        room_a=most_a,
        pinned_a=car.pinned_a,
        limit_kwh=car.limit_kwh,
        price=problem.prices.price + car.grid_counts,
        own_price=problem.prices.export_price + car.sun_counts,
        sun_kwh=np.zeros(n),
        toll=np.zeros(n),
        trip_edge=np.array([departure.taking.edge for departure in car.departures], dtype=np.int64),
        trip_kwh=np.array([departure.taking.kwh for departure in car.departures], dtype=np.float64),
        need_kwh=np.zeros(n + 1),
        wants=at_edge,
        trip_wants=before_trip,
        wishes=wishes,
    )


def wishes_asked_for(slots: Slots) -> Slots:
    """The slots with wishes among what is asked for. A wish is for before the trips at its edge; where there are any, the
    first of them asks for it."""
    leaves = np.zeros(len(slots.wishes), dtype=np.bool_)
    leaves[slots.trip_edge] = True
    first = np.diff(slots.trip_edge, prepend=-1) > 0
    trip_wishes = np.where(first, slots.wishes[slots.trip_edge], 0.0)
    return slots._replace(
        wants=np.maximum(slots.wants, np.where(leaves, 0.0, slots.wishes)),
        trip_wants=np.maximum(slots.trip_wants, trip_wishes),
    )


def pack_of(problem: Problem, car: Car) -> Pack:
    """The car's battery and what it does with a current."""
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
        boost_kwh=car.boost_kwh,
        start_price=problem.start_price + car.session_counts + _TIE * abs(problem.household.tariff.default_price),
        charging=car.vehicle.charging,
        any_current=not car.steps_a,
    )


def _asked(problem: Problem, car: Car) -> tuple[Floats, Floats]:
    """What is asked for at each edge, and before each trip. [kWh]"""
    at_edge = np.zeros(problem.grid.n_slots + 1)
    before_trip = np.zeros(len(car.departures))
    for nth, departure in enumerate(car.departures):
        before_trip[nth] = departure.required_kwh
        if departure.ready_edge is not None:
            at_edge[departure.ready_edge] = max(at_edge[departure.ready_edge], departure.required_kwh)
    if car.wanted_at_end_kwh is not None:
        for edge in (car.end_ready_edge, problem.grid.n_slots):
            if edge is not None:
                at_edge[edge] = max(at_edge[edge], car.wanted_at_end_kwh)
    return at_edge, before_trip


def that_can_be_met(slots: Slots, most_at_edge: Floats, most_before_trip: Floats) -> Slots:
    """The slots with what is wanted as far as always charging at the most brings it (`fully`)."""
    return slots._replace(
        wants=np.minimum(slots.wants, most_at_edge), trip_wants=np.minimum(slots.trip_wants, most_before_trip)
    )


def timer_currents(car: Car, most: float, many: int) -> Floats:
    """The currents that a timer is tried at, from the most down, about so many where the lead is continuous. [A]"""
    if car.steps_a:
        return np.array([step for step in reversed(car.steps_a) if step <= most + 1e-9] or [0.0])
    tried = [round(float(amps), 2) for amps in np.linspace(most, car.least_a, many)]
    return np.array(list(dict.fromkeys(tried)) if most else [0.0])


def may_of(problem: Problem, car: Car) -> May:
    """When a timer may charge, begin and end, and where its nights begin."""
    new_night, nights = problem.grid.new_night, problem.grid.nights
    crossing = new_night.copy()
    for t in range(1, len(crossing)):
        crossing[t] |= crossing[t - 1] and car.chargeable[t - 1]
    starts = may_begin(problem, car) & ~of_pinned_nights(problem, car)
    pinned_before = np.zeros(len(crossing), dtype=np.bool_)
    for run in runs(np.nan_to_num(car.pinned_a)):
        for t in range(run.first, run.last + 1):
            pinned_before[t] = nights[t] != nights[run.first]
    return May(car.chargeable, starts, may_end(problem, car), new_night, crossing, pinned_before)
