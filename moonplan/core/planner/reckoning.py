"""What a plan that was shown comes to by now, while nobody reads a car or changes anything (rules, section 6).

Energy is reckoned by the mean rate. Only a session that still runs is planned on by the cautious one, as it was told: by the
mean it would end the earlier the more often somebody looks, and a slow car would not be ready.
"""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

import numpy as np

from moonplan.core.household import Household
from moonplan.core.planner.outcome import CarOutcome
from moonplan.core.planner.plan import Plan, carried_out, clearly_better
from moonplan.core.planner.problem import Car, Problem
from moonplan.core.simulate import trajectory
from moonplan.core.timegrid import Floats, Grid

_EVER = datetime.max.replace(tzinfo=UTC)


@dataclass(frozen=True, slots=True)
class Reckoned:
    """What is reckoned to be aboard.

    mean_kwh : by the mean rate. planned_kwh : what is planned on with. [kWh] charging : whether a session runs that goes on.
    """

    mean_kwh: float
    planned_kwh: float
    charging: bool


def reckoned(problem: Problem, i: int, amps: Floats, now: datetime, mean_kwh: float) -> Reckoned:
    """What is aboard where a plan that is made now begins, its trips from now on still ahead.

    problem : of the plan that was shown. amps : its setpoints of car i, shape (n_slots,). [A]
    mean_kwh : aboard by the mean rate when that plan began. [kWh]
    """
    car, grid = problem.cars[i], problem.grid
    t = _edge(car, grid, now)
    if not t:
        return Reckoned(mean_kwh, car.soc_kwh, car.vehicle.charging)
    begun = _begun(amps, t)
    mean = trajectory(amps, car.given(car.rate.mean, grid)._replace(soc_kwh=mean_kwh)).soc_kwh
    if begun is None:
        return Reckoned(float(mean[t]), float(mean[t]), charging=False)
    cautious = car.run(amps, car.rate.cautious, grid).soc_kwh
    since_kwh = float(cautious[t] - cautious[begun])
    planned_kwh = (float(mean[begun]) if begun else car.soc_kwh) + since_kwh
    return Reckoned(float(mean[t]), min(planned_kwh, float(mean[t])), charging=True)


def _edge(car: Car, grid: Grid, now: datetime) -> int:
    """The slot edge at which a plan that is made now begins, or the one before a trip that begins by then."""
    passed = -(-(now.timestamp() - grid.start_s) // (grid.slot_minutes * 60))
    ahead = [one.taking.edge - 1 for one in car.departures if one.trip.leave >= now]
    return int(min(max(0, min([passed, *ahead])), grid.n_slots))


def _begun(amps: Floats, t: int) -> int | None:
    """In which slot the session began that runs at an edge after the first and goes on; None where none does."""
    if t == len(amps) or amps[t - 1] <= 0 or amps[t] <= 0:
        return None
    off = np.flatnonzero(amps[:t] <= 0)
    return int(off[-1]) + 1 if len(off) else 0


def offers(told: Mapping[str, Any], since: datetime, until: datetime = _EVER) -> dict[str, dict[datetime, float]]:
    """What a plan document offers each of its cars in the slots that begin between two times. [A]"""
    return {
        one["id"]: {at: a for told_at, a in one["setpoints"] if since <= (at := datetime.fromisoformat(told_at)) < until}
        for one in told["vehicles"]
    }


def setpoints(told: Mapping[str, Any], problem: Problem) -> list[Floats]:
    """What a plan document offers each car of a problem from its first slot on, shapes (n_slots,). [A]

    Raises
    ------
    KeyError
        If the plan is not of these cars.
    """
    grid = problem.grid
    of_car = offers(told, grid.starts[0], grid.starts[-1])
    found = []
    for car in problem.cars:
        amps = np.zeros(grid.n_slots)
        for at, offered in of_car[car.id].items():
            slot, between = divmod(at.timestamp() - grid.start_s, grid.slot_minutes * 60)
            if not between:
                amps[int(slot)] = offered
        found.append(amps)
    return found


def still_plugged_in(
    asked: Household, shown: Iterable[tuple[Mapping[str, Any], Mapping[str, Any]]], since: datetime
) -> set[str]:
    """Cars that have charged since a time on their leads, by the plans that were shown, and then neither left nor made way.

    asked : the household as it is now. shown : household documents, each with that of its plan, the newest first.
    """
    last_on: dict[str, datetime] = {}
    hung_on: dict[str, str] = {}
    leaves = [(trip.vehicle, trip.leave) for trip in asked.trips]
    until = asked.now
    for document, told in shown:
        began = datetime.fromisoformat(told["start"])
        leads = {one["id"]: one["lead"] for one in told["vehicles"]}
        for car, offered in offers(told, max(began, since), until).items():
            if offered:
                last_on.setdefault(car, max(offered))
                hung_on.setdefault(car, leads[car])
        leaves += [(trip["vehicle"], datetime.fromisoformat(trip["leave"])) for trip in document["trips"]]
        until = min(until, began)
        if began <= since:
            break
    gone = {car for car, leave in leaves if car in last_on and last_on[car] <= leave <= asked.now}
    in_turn = sorted((car for car in asked.vehicles if hung_on.get(car.id) == car.lead), key=lambda car: last_on[car.id])
    return set({car.lead: car.id for car in in_turn}.values()) - gone


def gone_on_with(told: Mapping[str, Any], made: Plan) -> tuple[Plan, bool]:
    """What is left of a plan that was shown, or a new one that is better; and whether it stays whatever is found later.

    told : the document of the plan that was shown. made : a new one, of what is asked now.
    """
    try:
        left = carried_out(made.problem, setpoints(told, made.problem))
    except KeyError:  # of other cars
        return made, False
    if left is None:
        return made, False
    if left.outcome.missed_by_all <= made.outcome.missed_by_all and any(
        map(_runs_as_set, left.outcome.cars, made.problem.cars)
    ):
        return left, True
    return (made if clearly_better(made.outcome, left.outcome) else left), False


def _runs_as_set(mine: CarOutcome, car: Car) -> bool:
    """Whether a session goes on that nobody can change from afar."""
    return car.vehicle.charging and car.control != "managed" and bool(mine.amps[:1].any())
