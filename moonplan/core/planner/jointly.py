"""Two cars that share planned together for some nights (docs/planner.md)."""

import numpy as np

from moonplan.core.planner.candidates import pinned, surroundings
from moonplan.core.planner.constraints import (
    SLACK_A,
    SharedLimit,
    left_by_others,
    one_lead_groups,
    shared_limits,
    sun_for,
)
from moonplan.core.planner.here import Here, other_between
from moonplan.core.planner.joint_ways import Shared, joint_amps
from moonplan.core.planner.one_car import Loads, nothing_left
from moonplan.core.planner.problem import CONTROLS, Problem
from moonplan.core.timegrid import Floats

# How many ways of both cars are followed side by side.
_WIDTH = 64
# By how much what is aboard may be other than usual so that a car goes on as usual. [kWh]
_SAME_KWH = 1e-6


def may_be_joined(here: Here, pair: tuple[int, int]) -> bool:
    """Whether two cars can charge, and share something that both can have at once, which a lead is not."""
    problem = here.problem
    if any(here.one_car(i).idle for i in pair) or any(set(pair) <= set(group) for group in one_lead_groups(problem)):
        return False
    return bool(problem.surplus_kw.any()) or bool(_shared_by(here, pair))


def jointly_planned(here: Here, pair: tuple[int, int], nights: tuple[int, int], *, toll: float) -> list[Floats]:
    """Setpoints of all cars where two that may be joined are planned together for some nights, and then all around that.

    nights : the first, and the one after the last. toll : which part of what others would pay the values of both ask for:
        each is planned as if the other were not there.
    """
    problem, edges = here.problem, [*here.problem.grid.night_edges, here.problem.grid.n_slots]
    since = _none_goes_on(here, pair, nights[0])
    until = edges[nights[1]]
    amps = list(here.plan.amps)
    for i, joint in zip(pair, _together(here, pair, since, until, toll), strict=True):
        amps[i] = joint
    for i in pair:
        amps[i] = _gone_on(here, amps, i, until)
    around = edges.index(since), min(len(edges) - 1, nights[1] + 1)
    for i in sorted(range(len(amps)), key=lambda i: CONTROLS.index(problem.cars[i].control)):
        amps[i] = here.planned(amps, i, around)
    return amps


def _none_goes_on(here: Here, pair: tuple[int, int], night: int) -> int:
    """The edge at which a night begins, or an earlier one where a session of either car goes on into it."""
    edges = here.problem.grid.night_edges
    while (earlier := min(edges.index(here.since(i, night)) for i in pair)) < night:
        night = earlier
    return edges[night]


def _shared_by(here: Here, pair: tuple[int, int]) -> list[SharedLimit]:
    """The capacities of which two cars at their most would take more than the others leave."""
    problem, most = here.problem, [car.limit_a for car in here.problem.cars]
    found = []
    for limit in shared_limits(problem):
        if set(pair) <= limit.weights.keys():
            wanted = np.sum([limit.load(problem, most, i) for i in pair], axis=0)
            if (wanted > left_by_others(limit, problem, here.plan.amps, pair) + SLACK_A).any():
                found.append(limit)
    return found


def _together(here: Here, pair: tuple[int, int], since: int, until: int, toll: float) -> list[Floats]:
    """Setpoints of both cars, between two edges together and else as they are, shapes (n_slots,). [A]"""
    problem, n = here.problem, here.problem.grid.n_slots
    limits = _shared_by(here, pair)
    others = [np.zeros(n) if i in pair else a for i, a in enumerate(here.plan.amps)]
    of_others = [pinned(car) if i in pair else others[i] for i, car in enumerate(problem.cars)]
    first, second = (
        here.one_car(i).joined(
            here.usually(i),
            here.tolled(i, other_between(here.usually(i).around, surroundings(problem, of_others, i), since, until), toll),
            since,
            until,
            _loads(problem, limits, i),
        )
        for i in pair
    )
    capacity = np.array([left_by_others(limit, problem, others, pair) for limit in limits]).reshape(len(limits), n)
    found = np.array([here.plan.amps[i] for i in pair])
    aboard = np.array([first[1], second[1]])
    joint_amps(
        found, (first[0], second[0]), Shared(capacity, sun_for(problem, others, pair[0])), since, until, aboard, _WIDTH
    )
    return list(found)


def _loads(problem: Problem, limits: list[SharedLimit], i: int) -> Loads:
    n = problem.grid.n_slots
    per_a = [0.0 if limit.of_full_limits else limit.weights[i] for limit in limits]
    when_on = [limit.weights[i] * problem.cars[i].full_a if limit.of_full_limits else np.zeros(n) for limit in limits]
    return Loads(np.array(per_a), np.array(when_on).reshape(len(limits), n))


def _gone_on(here: Here, amps: list[Floats], i: int, edge: int) -> Floats:
    """A car's setpoints as they are up to an edge, and then as usual if as much is aboard, or else planned anew."""
    problem, car, usual = here.problem, here.problem.cars[i], here.usually(i)
    if edge == problem.grid.n_slots:
        return amps[i]
    runs = car.run(amps[i], car.rate.cautious, problem.grid), car.run(amps[i], car.rate.mean, problem.grid)
    same = all(abs(now.soc_kwh[edge] - was.soc_kwh[edge]) < _SAME_KWH for now, was in zip(runs, usual.runs, strict=True))
    if same and (car.control == "managed" or not amps[i][edge - 1] > 0):
        return amps[i]
    around = surroundings(problem, amps, i)
    return nothing_left(car, here.one_car(i).other_than_usual(usual, around, edge, edge, amps[i]), problem)
