"""What binds where a departure is short (rules, section 8)."""

from collections.abc import Iterator, Sequence
from dataclasses import replace
from typing import Literal

import numpy as np

from moonplan.core.planner.constraints import room_for
from moonplan.core.planner.outcome import Outcome
from moonplan.core.planner.problem import Car, Problem, at_home, chain_a
from moonplan.core.simulate import NOTHING_KWH
from moonplan.core.timegrid import Flags, Floats

Binds = Literal["pin", "one session", "shared current", "supply", "habit", "limit", "hours", "power"]

# What differs by less than this is missed alike. [kWh]
_SAME_KWH = 0.05


def binds(problem: Problem, plan: Outcome, i: int, nth: int) -> Binds:
    """What makes car i's nth departure short: what, relaxed alone, would close it or else most of it; where nothing does
    that alone, the last of what would together."""
    car = problem.cars[i]

    def missed_kwh(one: Car) -> float:
        most_kwh = one.run(one.limit_a, one.rate.cautious, problem.grid).before_leaving_kwh[nth]
        return max(0.0, car.departures[nth].required_kwh - float(most_kwh))

    alone = {what: missed_kwh(one) for what, one in _relaxed_alone(problem, plan, i)}
    closest = min(alone, key=lambda what: round(alone[what] / _SAME_KWH))
    if alone[closest] < plan.cars[i].departures[nth].short_kwh / 2:
        return closest
    return next((what for what, one in _relaxed_together(problem, i) if missed_kwh(one) <= NOTHING_KWH), "power")


def _relaxed_alone(problem: Problem, plan: Outcome, i: int) -> Iterator[tuple[Binds, Car]]:
    """The car with all that the others leave it, and one thing less in its way."""
    car, amps = problem.cars[i], [one.amps for one in plan.cars]

    def beside_the_others(one: Car) -> Car:
        return _with_what_is_left(problem, i, one, amps)

    yield "one session" if np.isnan(car.pinned_a).all() else "pin", beside_the_others(car)
    yield "shared current", _without_the_others(problem, i)
    yield "supply", _unshared(problem, car)
    if problem.habit_of(car) != "cheapest":
        yield "habit", beside_the_others(_plugged_in(problem, car, car.could_charge))
    yield "limit", beside_the_others(_unlimited(car))
    yield "hours", beside_the_others(_plugged_in(problem, car, at_home(problem.household, car.vehicle, problem.grid)))


def _relaxed_together(problem: Problem, i: int) -> Iterator[tuple[Binds, Car]]:
    """The car without the others, and with one thing after the other less in its way."""
    yield "shared current", _without_the_others(problem, i)
    car = _unshared(problem, problem.cars[i])
    yield "supply", car
    if problem.habit_of(car) != "cheapest":
        car = _plugged_in(problem, car, car.could_charge)
        yield "habit", car
    car = _unlimited(car)
    yield "limit", car
    yield "hours", _plugged_in(problem, car, at_home(problem.household, car.vehicle, problem.grid))


def _without_the_others(problem: Problem, i: int) -> Car:
    """Car i with all that the house leaves it."""
    nothing = [np.zeros(problem.grid.n_slots)] * len(problem.cars)
    return _with_what_is_left(problem, i, _unshared(problem, problem.cars[i]), nothing)


def _with_what_is_left(problem: Problem, i: int, one: Car, amps: Sequence[Floats]) -> Car:
    """A car in the place of car i, at what the others leave it under their setpoints (per car, shape (n_slots,) [A])."""
    around = problem.with_cars([*problem.cars[:i], one, *problem.cars[i + 1 :]])
    return replace(one, limit_a=one.offered(room_for(around, amps, i)))


def _unshared(problem: Problem, car: Car) -> Car:
    """The car at its whole chain where its circuit is split evenly."""
    return _plugged_in(problem, car, car.chargeable) if problem.sharing[car.circuit.id] == "even" else car


def _plugged_in(problem: Problem, car: Car, slots: Flags) -> Car:
    """The car at all that its chain carries in some slots."""
    carried_a = chain_a(problem.household, car.vehicle, problem.grid)
    return replace(car, chargeable=slots, limit_a=np.where(slots, carried_a, 0.0))


def _unlimited(car: Car) -> Car:
    return replace(car, limit_kwh=np.full(len(car.limit_kwh), car.vehicle.usable_kwh))
