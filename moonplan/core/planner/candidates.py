"""Candidates: setpoints of all cars with what they come to, and one car planned anew against the others."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from moonplan.core.planner.constraints import room_for, sun_for
from moonplan.core.planner.effort import Effort
from moonplan.core.planner.one_car import OneCar, Surroundings, nothing_left
from moonplan.core.planner.outcome import Outcome, outcome
from moonplan.core.planner.problem import Car, Problem
from moonplan.core.timegrid import Floats


@dataclass(frozen=True)
class Candidate:
    """Setpoints per car, shape (n_slots,) [A], and what they come to."""

    amps: tuple[Floats, ...]
    outcome: Outcome

    def better_than(self, other: "Candidate | None") -> bool:
        return other is None or self.outcome.rank < other.outcome.rank


def candidate(problem: Problem, amps: Sequence[Floats]) -> Candidate:
    """Setpoints with their outcome."""
    return Candidate(tuple(amps), outcome(problem, amps))


def pinned(car: Car) -> Floats:
    """Nothing but what a person pinned."""
    return np.where(np.isnan(car.pinned_a), 0.0, car.pinned_a)


def planned(problem: Problem, amps: Sequence[Floats], i: int, effort: Effort) -> Floats:
    """Car i planned anew against what the others do, shape (n_slots,). [A]"""
    around = surroundings(problem, amps, i)

    def anew() -> Floats:
        one_car = problem.once(("one car", i, effort), lambda: OneCar(problem, problem.cars[i], effort))
        return nothing_left(problem.cars[i], one_car.whole(around), problem)

    return problem.lately(("plan", i, effort, around.room_a.tobytes(), around.sun_kwh.tobytes()), anew)


def surroundings(problem: Problem, amps: Sequence[Floats], i: int) -> Surroundings:
    """What the other cars' setpoints leave to car i."""
    return Surroundings(room_for(problem, amps, i), sun_for(problem, amps, i))
