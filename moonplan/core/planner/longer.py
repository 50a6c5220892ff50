"""The longer search for a better plan, in steps between which another question can come first."""

from dataclasses import dataclass

import numpy as np

from moonplan.core.household import read
from moonplan.core.planner.candidates import Candidate, candidate
from moonplan.core.planner.plan import carried_out, clearly_better, later, least_of, problem_of, soon
from moonplan.core.planner.problem import Problem
from moonplan.core.timegrid import Floats

# A plan and its bound; where cars are searched among, a plan twice more.
_STEPS_OF_ONE, _STEPS_OF_MORE = 2, 4


@dataclass(frozen=True)
class Searched:
    """How far the search has come.

    amps : setpoints per car of the best plan so far, each of n_slots. [A] bound : as in a plan. steps : how many were taken.
    over : whether nothing is left to be done.
    """

    amps: list[list[float]]
    bound: float | None
    steps: int
    over: bool

    @property
    def setpoints(self) -> list[Floats]:
        return [np.array(of_car) for of_car in self.amps]


def searched_on(text: str, so_far: Searched | None = None) -> Searched:
    """One step on for a household document: a better plan, then what no plan can be below, then a better plan still.

    so_far : where it goes on from, or after no step the plan that it begins with; None to begin with one of its own. What
    was found stays unless another is better by more than a coin, as on a screen.
    """
    problem = problem_of(read(text))
    if so_far is None:
        return _told(problem, later(problem, soon(problem)), None, steps=1)
    found = candidate(problem, so_far.setpoints)
    if not so_far.steps:
        return _told(problem, later(problem, found), None, steps=1)
    if so_far.steps == 1:
        return _told(problem, found, least_of(problem, found), steps=2)
    better = later(problem, found, again=so_far.steps - 1)
    found = better if clearly_better(better.outcome, found.outcome) else found
    return _told(problem, found, so_far.bound, steps=so_far.steps + 1)


def _told(problem: Problem, found: Candidate, least: float | None, *, steps: int) -> Searched:
    made = carried_out(problem, found.amps, least)
    proven = made is not None and made.tight
    most = _STEPS_OF_MORE if len(problem.cars) > 1 else _STEPS_OF_ONE
    return Searched([amps.tolist() for amps in found.amps], least, steps, over=proven or steps >= most)
