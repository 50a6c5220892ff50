"""What the cars share, and the check that no plan leaves without (rules, section 6).

Circuits, legs, feeders and the contracted power are all of one form: a weighted sum of offered amps (or of full chain
limits) may not exceed a capacity that varies from slot to slot.
"""

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from moonplan.core import hookup
from moonplan.core.planner.problem import Car, Problem
from moonplan.core.simulate import NOTHING_KWH, runs
from moonplan.core.tariff import household_contracted_kw
from moonplan.core.timegrid import Flags, Floats, Grid
from moonplan.core.values import Leg

# Rounding of currents to two decimals and of capacities in floating point. [A]
SLACK_A = 1e-6


@dataclass(frozen=True)
class SharedLimit:
    """A capacity that several cars share.

    subject : what it belongs to, in words. weights : per car index, load per offered amp.
    capacity : shape (n_slots,), what the cars may load together, in the unit of weight × A.
    of_full_limits : whether a running car counts with its full chain limit instead of what it is offered.
    unit : of capacity.
    """

    subject: str
    weights: dict[int, float]
    capacity: Floats
    of_full_limits: bool = False
    unit: str = "A"

    def load(self, problem: Problem, amps: Sequence[Floats], i: int) -> Floats:
        """What car i loads it with at its setpoints, shape (n_slots,), in the unit of weight × A."""
        loading_a = np.where(amps[i] > 0, problem.cars[i].full_a, 0.0) if self.of_full_limits else amps[i]
        return np.asarray(self.weights[i] * loading_a)


def shared_limits(problem: Problem) -> list[SharedLimit]:
    """Every capacity that the problem's cars share."""
    return problem.once(
        "shared limits", lambda: [*_circuits(problem), *_legs(problem), *_feeders(problem), *_contract(problem)]
    )


def as_circuits_allow(problem: Problem) -> Problem:
    """The same problem with nothing done yet, in a house that leaves its cars all that their circuits carry."""
    around = problem.with_cars(problem.cars)
    around.once("shared limits", lambda: list(_circuits(problem)))
    return around


def _circuits(problem: Problem) -> Iterator[SharedLimit]:
    for circuit in problem.household.circuits:
        on_it = {i: 1.0 for i, car in enumerate(problem.cars) if car.circuit.id == circuit.id}
        if len({problem.cars[i].lead.id for i in on_it}) < 2:
            continue
        link = np.full(problem.grid.n_slots, hookup.circuit_amps(circuit))
        yield SharedLimit(
            f"circuit {circuit.name or circuit.id}", on_it, link, of_full_limits=problem.sharing[circuit.id] == "none"
        )


def base_amps(problem: Problem) -> Floats:
    """Current of the house on each leg, spread evenly and with the sun not credited, shape (n_slots,) [A]"""
    supply = problem.household.supply
    return problem.base_kw * 1000 / supply.leg_voltage_v / supply.legs


def loaded_legs(problem: Problem, car: Car) -> tuple[Leg, ...]:
    """Legs that a car loads: all of a one-phase circuit's, else the circuit's first ones."""
    legs = problem.household.legs_on(car.circuit)
    return legs if car.circuit.phases == 1 else legs[: car.intake.phases]


def _legs(problem: Problem) -> Iterator[SharedLimit]:
    supply = problem.household.supply
    free = supply.rating_a - supply.base_margin_a - base_amps(problem)
    for leg in problem.household.supply_legs:
        weights = {i: 1 / supply.continuous_factor for i, car in enumerate(problem.cars) if leg in loaded_legs(problem, car)}
        if weights:
            yield SharedLimit(f"leg {leg} of the supply", weights, free)


def _feeders(problem: Problem) -> Iterator[SharedLimit]:
    for feeder in problem.household.feeders:
        free = np.full(problem.grid.n_slots, feeder.rating_a - feeder.other_load_a)
        for leg in problem.household.legs_of(feeder):
            weights = {
                i: 1 / feeder.continuous_factor
                for i, car in enumerate(problem.cars)
                if car.circuit.feeder == feeder.id and leg in loaded_legs(problem, car)
            }
            if weights:
                yield SharedLimit(f"leg {leg} of {feeder.name or feeder.id}", weights, free)


def _contract(problem: Problem) -> Iterator[SharedLimit]:
    contracted_kw = household_contracted_kw(problem.household, problem.grid)
    if contracted_kw is not None and problem.cars:
        weights = {i: car.intake.volts * car.intake.phases / 1000 for i, car in enumerate(problem.cars)}
        left_kw = np.maximum(0.0, contracted_kw - problem.base_kw)
        yield SharedLimit("the contracted power", weights, left_kw, unit="kW")


def one_lead_groups(problem: Problem) -> list[list[int]]:
    """Cars, by index, that share a lead: one at a time, changed over only while someone is awake."""
    by_lead: dict[str, list[int]] = {}
    for i, car in enumerate(problem.cars):
        by_lead.setdefault(car.lead.id, []).append(i)
    return [group for group in by_lead.values() if len(group) > 1]


def sharing_with(problem: Problem, i: int) -> set[int]:
    """Cars, by index, that share a capacity or a lead with car i."""
    shared = (*(limit.weights for limit in shared_limits(problem)), *one_lead_groups(problem))
    return {j for together in shared if i in together for j in together} - {i}


def asleep_stretches(problem: Problem) -> list[range]:
    """Runs of slots within which no lead can be changed over, since nobody is up at any edge between them."""
    return problem.once("asleep", lambda: _asleep_stretches(problem))


def _asleep_stretches(problem: Problem) -> list[range]:
    stretches, asleep = [], ~problem.awake
    t = 0
    while t <= problem.grid.n_slots:
        if asleep[t]:
            first = t
            while t + 1 <= problem.grid.n_slots and asleep[t + 1]:
                t += 1
            stretches.append(range(max(0, first - 1), min(t, problem.grid.n_slots - 1) + 1))
        t += 1
    return stretches


def room_for(problem: Problem, amps: Sequence[Floats], i: int) -> Floats:
    """What the others leave a car in each slot, shape (n_slots,) [A]"""
    car = problem.cars[i]
    room = car.once("room", lambda: np.where(car.chargeable & ~beside_a_pin(car), car.limit_a, 0.0)).copy()
    for limit in shared_limits(problem):
        if i in limit.weights:
            left = left_of(limit, problem, amps, i)
            room = np.where(left >= car.full_a - 1e-9, room, 0.0) if limit.of_full_limits else np.minimum(room, left)
    for group in one_lead_groups(problem):
        if i in group:
            taken_by_others = np.any([amps[j] > 0 for j in group if j != i], axis=0)
            room[taken_by_others] = 0.0
            for stretch in asleep_stretches(problem):
                if taken_by_others[stretch.start : stretch.stop].any():
                    room[stretch.start : stretch.stop] = 0.0
    return np.maximum(0.0, room)


def most_alone(problem: Problem, i: int) -> Floats:
    """The most that a car can be offered whatever the others do, or what a person pinned, shape (n_slots,). [A]

    Nothing in a slot that no session can have reached.
    """
    return problem.once(("most alone", i), lambda: _most_alone(problem, i))


def _most_alone(problem: Problem, i: int) -> Floats:
    car, only_pinned = problem.cars[i], [np.nan_to_num(other.pinned_a) for other in problem.cars]
    room = np.where(car.chargeable & ~beside_a_pin(car), car.limit_a, 0.0)
    for limit in shared_limits(problem):
        if i in limit.weights and not limit.of_full_limits:
            room = np.minimum(room, left_of(limit, problem, only_pinned, i))
    pinned = ~np.isnan(car.pinned_a)
    most = np.where(pinned, np.nan_to_num(car.pinned_a), car.offered(np.maximum(0.0, room)))
    begins = may_start(problem, car) & ~of_pinned_nights(problem, car) | pinned
    going_on = car.vehicle.charging
    for t in range(len(most)):
        going_on = bool(most[t] > 0 and (begins[t] or going_on))
        most[t] = most[t] if going_on else 0.0
    return most


def of_pinned_nights(problem: Problem, car: Car) -> Flags:
    """Slots of nights in which somebody pinned the one session that a timer has, shape (n_slots,)."""
    pinned = {problem.grid.nights[run.first] for run in runs(np.nan_to_num(car.pinned_a)) if car.control != "managed"}
    return np.array([night in pinned for night in problem.grid.nights], dtype=np.bool_)


def left_of(limit: SharedLimit, problem: Problem, amps: Sequence[Floats], i: int) -> Floats:
    """What the others leave a car of one capacity that it shares, shape (n_slots,) [A]"""
    return left_by_others(limit, problem, amps, (i,)) / limit.weights[i]


def left_by_others(limit: SharedLimit, problem: Problem, amps: Sequence[Floats], cars: Collection[int]) -> Floats:
    """What others than these cars leave of a capacity, shape (n_slots,), in the unit of weight × A."""
    left = limit.capacity
    for j in limit.weights:
        if j not in cars:
            left = left - limit.load(problem, amps, j)
    return left


def beside_a_pin(car: Car) -> Flags:
    """Slots in which a timer would lengthen the session that somebody pinned, shape (n_slots,)."""
    if car.control == "managed":
        return np.zeros(len(car.pinned_a), dtype=np.bool_)
    pinned = np.concatenate([[False], ~np.isnan(car.pinned_a), [False]])
    return np.asarray((pinned[:-2] | pinned[2:]) & ~pinned[1:-1], dtype=np.bool_)


def sun_for(problem: Problem, amps: Sequence[Floats], i: int) -> Floats:
    """Own sun that the other cars leave, shape (n_slots,). [kWh]"""
    left = problem.surplus_kw * problem.grid.hours
    if left.any():
        for j, car in enumerate(problem.cars):
            if j != i and amps[j].any():
                left -= car.run(amps[j], car.rate.mean, problem.grid).wall_kwh
    return np.maximum(0.0, left)


def may_start(problem: Problem, car: Car) -> Flags:
    """Slots in which a session of the car may start, shape (n_slots,).

    By hand: while someone is up, or at the arrival of a car that comes home later. The array is the car's own: not to
    be changed.
    """
    return car.once("may start", lambda: _may_start(problem, car))


def _may_start(problem: Problem, car: Car) -> Flags:
    if car.control != "hand":
        return car.chargeable
    arrives = np.zeros(problem.grid.n_slots, dtype=np.bool_)
    for trip in problem.household.trips_of(car.id):
        edge = problem.grid.first_at_or_after(trip.back)
        if edge < problem.grid.n_slots and trip.back.timestamp() >= problem.grid.start_s - problem.grid.slot_minutes * 60:
            arrives[edge] = True
    return car.chargeable & (problem.awake[:-1] | arrives)


def may_begin(problem: Problem, car: Car) -> Flags:
    """Slots in which a session of the car may start, or go on as one that runs already, shape (n_slots,)."""
    begins = may_start(problem, car).copy()
    begins[0] |= car.vehicle.charging and bool(car.chargeable[0])
    return begins


def may_end(problem: Problem, car: Car) -> Flags:
    """Slots after which a session of the car may end short of its limit, shape (n_slots,).

    By hand: while someone is up, or because the car leaves or is unplugged.
    """
    if car.control != "hand":
        return np.ones(problem.grid.n_slots, dtype=np.bool_)
    leaves = np.append(~car.chargeable[1:], True)
    return np.asarray(problem.awake[1:] | leaves, dtype=np.bool_)


def broken_rules(problem: Problem, amps: Sequence[Floats]) -> list[str]:
    """Every rule that the setpoints break, in words; empty for a plan that can be carried out.

    amps : per car, shape (n_slots,) [A]
    """
    return [
        *(told for car, a in zip(problem.cars, amps, strict=True) for told in broken_alone(problem, car, a)),
        *_broken_together(problem, amps),
    ]


def broken_alone(problem: Problem, car: Car, amps: Floats) -> Iterator[str]:
    grid = problem.grid
    on = amps > 0
    stepped = hookup.stepped_each(amps, steps_a=car.lead.steps_a, min_a=car.least_a)
    for broken, how in (
        (on & ~car.chargeable, "when it cannot"),
        (on & beside_a_pin(car), "and its pinned session would last longer"),
        (on & (amps > np.where(car.chargeable, car.limit_a, np.inf) + SLACK_A), "above its limit"),
        (on & (np.abs(stepped - amps) > SLACK_A), "which its lead cannot"),
    ):
        for t in np.flatnonzero(broken)[:1]:
            yield f"{car.name} is offered {amps[t]:g} A at {_moment(grid, t)}, {how}"
    pinned = ~np.isnan(car.pinned_a)
    if (np.abs(amps[pinned] - car.pinned_a[pinned]) > SLACK_A).any():
        yield f"{car.name}: a pinned session was moved"
    if car.control == "managed":
        return
    started: set[object] = set()
    cautious = car.run(amps, car.rate.cautious, grid)
    starts, ends = may_start(problem, car), may_end(problem, car)
    for run in runs(amps):
        night = grid.nights[run.first]
        if night in started:
            yield f"{car.name} starts twice in the night of {night}"
        started.add(night)
        if np.ptp(amps[run.first : run.last + 1]) > SLACK_A:
            yield f"{car.name} changes its current within the session that begins at {_moment(grid, run.first)}"
        going_on = run.first == 0 and car.vehicle.charging
        if not (starts[run.first] or going_on or pinned[run.first]):
            yield f"{car.name} starts at {_moment(grid, run.first)}, when nobody is up"
        full = cautious.soc_kwh[run.last + 1] >= car.limit_kwh[run.last] - NOTHING_KWH
        if not (ends[run.last] or full or pinned[run.last]):
            yield f"{car.name} is stopped at {_moment(grid, run.last + 1)}, when nobody is up"


def _broken_together(problem: Problem, amps: Sequence[Floats]) -> Iterator[str]:
    grid = problem.grid
    for limit in shared_limits(problem):
        load = np.zeros(grid.n_slots)
        for i in limit.weights:
            load += limit.load(problem, amps, i)
        running = np.sum([amps[i] > 0 for i in limit.weights], axis=0)
        over = (load > limit.capacity + SLACK_A) & (running > (1 if limit.of_full_limits else 0))
        for t in np.flatnonzero(over)[:1]:
            carries = f"{load[t]:.2f} of {max(0.0, limit.capacity[t]):.2f} {limit.unit}"
            yield f"{limit.subject} carries {carries} at {_moment(grid, t)}"
    for group in one_lead_groups(problem):
        lead, together = problem.cars[group[0]].lead, np.sum([amps[i] > 0 for i in group], axis=0) > 1
        for t in np.flatnonzero(together)[:1]:
            yield f"two cars are on {lead.name or lead.id} at {_moment(grid, t)}"
        for stretch in asleep_stretches(problem):
            if sum(bool((amps[i][stretch.start : stretch.stop] > 0).any()) for i in group) > 1:
                yield f"{lead.name or lead.id} changes cars while nobody is up, after {_moment(grid, stretch.start)}"


def _moment(grid: Grid, edge: int) -> str:
    return f"{grid.starts[edge]:%a %d %b, %H:%M}"
