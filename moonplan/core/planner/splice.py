"""Two plans put together, night by night (docs/planner.md)."""

from collections.abc import Sequence

import numpy as np

from moonplan.core.planner.candidates import Candidate
from moonplan.core.planner.problem import Problem
from moonplan.core.timegrid import Floats

# How much less may be aboard where one plan goes over into the other. [kWh]
_LESS_KWH = 0.02
# By how much it must be cheaper to go over. [currency]
_CHEAPER = 1e-6


def spliced(problem: Problem, one: Candidate, other: Candidate) -> tuple[Floats, ...] | None:
    """Setpoints per car, shape (n_slots,) [A], that are those of one or the other plan in each night, at the least cost;
    None where that is one of the plans whole.

    A plan goes over into the other where a night begins and no car has less aboard than it has there. What it comes to is
    only looked at in money: whether it is better, and breaks no rule, is for the caller to see.
    """
    edges = [edge for edge in problem.grid.night_edges if edge > 0]
    plans = (one, other)
    night_costs = [np.add.reduceat(plan.outcome.together.cost, [0, *edges]).tolist() for plan in plans]
    aboard = [np.array([car.cautious.soc_kwh[edges] for car in plan.outcome.cars]) for plan in plans]
    goes_over = [np.all(aboard[k] >= aboard[1 - k] - _LESS_KWH, axis=0).tolist() for k in (0, 1)]
    costs, came_from = [night_costs[0][0], night_costs[1][0]], []
    for nth in range(len(edges)):
        came = [_cheaper(costs, k, over=goes_over[1 - k][nth]) for k in (0, 1)]
        costs = [costs[came[k]] + night_costs[k][nth + 1] for k in (0, 1)]
        came_from.append(came)
    of_night = [int(costs[1] < costs[0])]
    for came in reversed(came_from):
        of_night.append(came[of_night[-1]])
    if len(set(of_night)) == 1:
        return None
    return tuple(_by_night(amps, edges, of_night[::-1]) for amps in zip(one.amps, other.amps, strict=True))


def _cheaper(costs: Sequence[float], k: int, *, over: bool) -> int:
    """The plan to have followed until plan k: itself, or the other where it may go over and is cheaper until then."""
    return 1 - k if over and costs[1 - k] < costs[k] - _CHEAPER else k


def _by_night(amps: Sequence[Floats], edges: Sequence[int], of_night: Sequence[int]) -> Floats:
    """A car's setpoints, of each night those of one plan."""
    parts = [np.split(a, edges) for a in amps]
    return np.concatenate([parts[k][nth] for nth, k in enumerate(of_night)])
