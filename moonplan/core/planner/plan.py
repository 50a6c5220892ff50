"""The plan: problem, setpoints, and the document that leaves the core (docs/files.md).

`plan` is the one way to a plan. Whatever found the setpoints, every figure is the simulator's, and setpoints that
break a rule never leave.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from functools import cached_property
from typing import Any

import numpy as np

from moonplan.core.cautions import Caution, cautions
from moonplan.core.household import Household
from moonplan.core.mistakes import BadDocument, Mistake
from moonplan.core.planner.at_once import at_once
from moonplan.core.planner.bound import bound
from moonplan.core.planner.building import build
from moonplan.core.planner.candidates import Candidate, candidate, pinned
from moonplan.core.planner.constraints import broken_rules
from moonplan.core.planner.habits import with_habits
from moonplan.core.planner.outcome import Outcome, Readiness, ready_at
from moonplan.core.planner.planned_session import PlannedSession
from moonplan.core.planner.problem import Car, Problem
from moonplan.core.planner.reasons import reason
from moonplan.core.planner.together import plan_together, refined
from moonplan.core.planner.what_binds import binds
from moonplan.core.rates import range_km
from moonplan.core.simulate import NOTHING_KWH, Run
from moonplan.core.timegrid import Floats, nearest_minute

FORMAT = "moonplan-plan/1"

# How often the prices behind the bound are sharpened.
_SHARPENED = 16
# A plan is good within this part of its objective, or this part of the default price.
_GOOD, _COIN = 0.001, 0.05
# How many changes of a session's current are told one by one.
_CHANGES_TOLD = 2


@dataclass(frozen=True)
class Session:
    """A gap-free run of charging. SoC as fractions on the mean trajectory; range at the household's own consumption.

    amps : on average, by the energy. currents : what is offered from each instant on at which it changes. [A]
    cost_sun_free : the cost if own sun counts as free. [currency]
    bands : grid energy by the line of the tariff it was bought on. [kWh]
    """

    first: int
    start: datetime
    end: datetime
    amps: float
    currents: tuple[tuple[datetime, float], ...]
    wall_kwh: float
    battery_kwh: float
    solar_kwh: float
    cost: float
    cost_sun_free: float
    bands: Mapping[str, float]
    range_km: float
    soc_from: float
    soc_to: float
    planned: PlannedSession = field(compare=False, repr=False)

    @cached_property
    def reason(self) -> str:
        """Why it is there. Most plans are only compared, and nobody asks."""
        return reason(self.planned)

    @property
    def stop_at(self) -> datetime:
        """The minute nearest its end, at which a car without a limit of its own is stopped."""
        return nearest_minute(self.end)

    @property
    def first_amps(self) -> float:
        return self.currents[0][1]

    @property
    def last_amps(self) -> float:
        """What is offered when it ends. [A]"""
        return [amps for at, amps in self.currents if at < self.end][-1]

    @property
    def current(self) -> str:
        """What is offered from when on, in words; what comes after its end is for a car that takes longer than expected."""
        (_, first), *later = self.currents
        until_s = self.end.timestamp()
        told = _current_in_words(first, [(at, amps) for at, amps in later if at.timestamp() < until_s])
        longer = [(at, amps) for at, amps in later if at.timestamp() >= until_s]
        return f"{told} (if it takes longer, {_changes_in_words(longer)})" if longer else told


@dataclass(frozen=True)
class Plan:
    """A plan that breaks no rule.

    bound : below which no plan's objective can lie that misses, and waits below a boost level, as little under the same
        habits; None where it was not asked for, or where a habit makes something else least than the objective.
    """

    problem: Problem
    outcome: Outcome
    sessions: tuple[tuple[Session, ...], ...]
    bound: float | None
    cautions: tuple[Caution, ...]

    @property
    def setpoints(self) -> list[Floats]:
        """What each car is offered, shapes (n_slots,). [A]"""
        return [car.amps for car in self.outcome.cars]

    @property
    def saves_at_most(self) -> float | None:
        """By how much another plan can be better at most, by its objective; None where nothing is claimed. [currency]"""
        return None if self.bound is None else self.outcome.value - self.bound

    @property
    def tight(self) -> bool:
        """Whether the bound proves the plan to be as good as any, within what counts as good."""
        if self.saves_at_most is None:
            return False
        return self.saves_at_most <= max(_GOOD * abs(self.outcome.value), coin(self.problem))


def plan(household: Household, *, prove: bool = True, like: Sequence[Floats] | None = None, fully: bool = False) -> Plan:
    """The plan of a household.

    prove : whether to search on, and to ask for a bound: many times the work. like : setpoints of a plan of nearly the same
        household, per car, shape (n_slots,) [A], which the search begins with where they fit, so that the two differ by what
        the households do. fully : whether it is searched for as long as without them: where another habit asks for another.

    Raises
    ------
    BadDocument
        If what a person pinned cannot be carried out.
    """
    problem = problem_of(household)
    found, least = soon(problem, like, fully=fully), None
    if prove:
        found = later(problem, found)
        least = least_of(problem, found)
    return _plan_of(problem, found.outcome, least)


def check_pins(household: Household) -> None:
    """That what a person pinned can be carried out: all that a plan refuses besides a document that does not fit together.

    Raises
    ------
    BadDocument
        As `plan`.
    """
    _pinned_only(problem_of(household))


def coin(problem: Problem) -> float:
    """By how much a plan must be better to take another's place. [currency]"""
    return _COIN * abs(problem.household.tariff.default_price)


def clearly_better(one: Outcome, other: Outcome) -> bool:
    """Whether a plan misses less than another of the same problem, or is better by more than a coin."""
    if one.missed_by_all != other.missed_by_all:
        return one.rank < other.rank
    return one.weighed < other.weighed - coin(one.problem)


def problem_of(household: Household, known: Sequence[Car] | None = None) -> Problem:
    """What a household's plan is found for: what the document asks, as its habits change it.

    known : the cars as habits change them, where that was found for the same question before; cars that share can take long.
    """
    problem = build(household)
    return with_habits(problem) if known is None else problem.with_cars([car.anew() for car in known])


def carried_out(problem: Problem, amps: Sequence[Floats], least: float | None = None) -> Plan | None:
    """The plan that setpoints make (per car, shape (n_slots,) [A]); None where they break a rule or do not fit.

    least : what no plan's objective is below, where that is known.
    """
    if len(amps) != len(problem.cars) or any(len(a) != problem.grid.n_slots for a in amps) or broken_rules(problem, amps):
        return None
    return _plan_of(problem, candidate(problem, amps).outcome, least)


def better(one: Plan, other: Plan) -> Plan:
    """A plan, or what another of nearly the same household makes of its problem, if that breaks no rule and is better."""
    if not candidate(one.problem, other.setpoints).outcome.rank < one.outcome.rank:
        return one
    return carried_out(one.problem, other.setpoints) or one


def soon(problem: Problem, like: Sequence[Floats] | None = None, *, fully: bool = False) -> Candidate:
    """A good plan at once. like, fully : as for `plan`."""
    together = _pinned_only(problem)
    if not problem.cars or not problem.grid.n_slots:
        return together
    found = plan_together(problem, like, fully=fully)
    if not broken_rules(problem, found.amps):
        return found
    return _carried_out(problem, [candidate(problem, at_once(problem)), together])


def later(problem: Problem, found: Candidate, *, again: int = 0) -> Candidate:
    """The best plan that a longer search finds from another. again : how often one went over it before."""
    if not problem.cars or not problem.grid.n_slots:
        return found
    return _carried_out(problem, [refined(problem, found, again=again), found])


def least_of(problem: Problem, found: Candidate) -> float | None:
    """What the objective of no plan that misses as little is below; None where that is not claimed."""
    if not problem.cars or not problem.grid.n_slots or problem.weighs_own_sun:
        return None
    return bound(problem, found.outcome, steps=_SHARPENED)


def _plan_of(problem: Problem, found: Outcome, least: float | None) -> Plan:
    return Plan(
        problem=problem,
        outcome=found,
        sessions=tuple(tuple(_session(problem, found, i, run) for run in car.sessions) for i, car in enumerate(found.cars)),
        bound=None if least is None else min(least, found.value),
        cautions=tuple(cautions(problem.household)),
    )


def _carried_out(problem: Problem, found: Sequence[Candidate]) -> Candidate:
    """The best that breaks no rule."""
    for one in sorted(found, key=lambda one: one.outcome.rank):
        if not broken_rules(problem, one.amps):
            return one
    return found[-1]


def _pinned_only(problem: Problem) -> Candidate:
    """Nothing but what a person pinned: always possible, or the pins are refused."""
    amps = [pinned(car) for car in problem.cars]
    broken = broken_rules(problem, amps)
    if broken:
        pins, nth = problem.household.pins, _first_that_does_not_fit(problem.household)
        raise BadDocument([Mistake(f"pins[{nth}].amps", pins[nth].amps, f"what fits beside the rest: {broken[0]}")])
    return candidate(problem, amps)


def _first_that_does_not_fit(household: Household) -> int:
    """Which of the pinned sessions is the first that does not fit beside those before it."""
    for nth in range(len(household.pins) - 1):
        so_far = build(replace(household, pins=household.pins[: nth + 1]))
        if broken_rules(so_far, [pinned(car) for car in so_far.cars]):
            return nth
    return len(household.pins) - 1


def _session(problem: Problem, plan_outcome: Outcome, i: int, run: Run) -> Session:
    car, mine, grid = problem.cars[i], plan_outcome.cars[i], problem.grid
    inside = slice(run.first, run.last + 1)
    wall, gained = mine.mean.wall_kwh[inside], mine.mean.gained_kwh[inside]
    solar = plan_outcome.costs[i].solar_kwh[inside]
    last = run.first + int(np.flatnonzero(wall > 0)[-1])
    bands: dict[str, float] = {}
    for band, kwh in zip(problem.prices.band[inside], wall - solar, strict=True):
        if kwh > 0:
            bands[band] = bands.get(band, 0.0) + float(kwh)
    usable = car.vehicle.usable_kwh
    return Session(
        first=run.first,
        start=grid.starts[run.first],
        end=grid.instant(last, float(mine.mean.fraction[last])),
        amps=float(np.average(mine.amps[inside], weights=wall)),
        currents=_currents(grid.starts, mine.amps, run),
        wall_kwh=float(wall.sum()),
        battery_kwh=float(gained.sum()),
        solar_kwh=float(solar.sum()),
        cost=float(plan_outcome.costs[i].cost[inside].sum()),
        cost_sun_free=float(plan_outcome.costs[i].cost_sun_free[inside].sum()),
        bands=bands,
        range_km=range_km(float(gained.sum()), car.vehicle.use_kwh_per_100km),
        soc_from=float(mine.mean.soc_kwh[run.first]) / usable,
        soc_to=(float(mine.mean.soc_kwh[run.first]) + float(gained.sum())) / usable,
        planned=PlannedSession(problem, plan_outcome, i, run),
    )


def _currents(starts: Sequence[datetime], amps: Floats, run: Run) -> tuple[tuple[datetime, float], ...]:
    offered = [round(float(a), 2) for a in amps[run.first : run.last + 1]]
    changes = [n for n in range(len(offered)) if n == 0 or offered[n] != offered[n - 1]]
    return tuple((starts[run.first + n], offered[n]) for n in changes)


def _current_in_words(first: float, later: Sequence[tuple[datetime, float]]) -> str:
    """A current and what it changes to. [A]"""
    if not later:
        return f"{first:g} A"
    if len(later) > _CHANGES_TOLD:
        return f"{first:g} A at first, {_changes_in_words(later)} later"
    return f"{first:g} A, {_changes_in_words(later)}"


def _changes_in_words(changes: Sequence[tuple[datetime, float]]) -> str:
    """From when on there is what; of many changes how far they go. [A]"""
    if len(changes) > _CHANGES_TOLD:
        low, high = (end(amps for _, amps in changes) for end in (min, max))
        return f"{low:g} to {high:g} A"
    return ", ".join(f"from {at:%H:%M} {amps:g} A" for at, amps in changes)


# --- the document ------------------------------------------------------------------------------------------------------


def document(plan: Plan) -> dict[str, Any]:
    """The plan as the JSON document of docs/files.md: percent, km, and numbers rounded once, on the way out."""
    problem, found = plan.problem, plan.outcome
    sessions = [session for of_car in plan.sessions for session in of_car]
    return {
        "format": FORMAT,
        "habit": problem.household.habit,
        "slot_minutes": problem.grid.slot_minutes,
        "start": problem.grid.starts[0].isoformat(),
        "end": problem.grid.starts[-1].isoformat(),
        "currency": problem.household.currency,
        "vehicles": [_vehicle(plan, i) for i in range(len(problem.cars))],
        "totals": {
            "wall_kwh": _kwh(sum(float(car.mean.wall_kwh.sum()) for car in found.cars)),
            "battery_kwh": _kwh(sum(float(car.mean.gained_kwh.sum()) for car in found.cars)),
            "solar_kwh": _kwh(sum(float(part.solar_kwh.sum()) for part in found.costs)),
            "cost": round(found.cost, 5),
            "cost_sun_free": round(float(found.together.cost_sun_free.sum()), 5),
            "range_km": round(sum(session.range_km for session in sessions), 3),
            "sessions": len(sessions),
            "kwh_hours_above_rest": _kwh(sum(car.mean.kwh_hours_above for car in found.cars)),
            "short_kwh": _kwh(found.short_in_time_kwh),
        },
        "objective": {
            "value": round(found.value, 6),
            "bound": None if plan.bound is None else round(plan.bound, 6),
            "tight": plan.tight,
        },
        "cautions": [{"code": c.code, "subject": c.subject, "text": c.text} for c in plan.cautions],
    }


def _ready_at(plan: Plan, i: int, nth: int, ready: Readiness) -> str | None:
    found = ready_at(plan.problem, plan.outcome, i, nth) if ready.short_kwh else None
    return None if found is None else found.isoformat()


def _vehicle(plan: Plan, i: int) -> dict[str, Any]:
    problem, car, mine, sessions = plan.problem, plan.problem.cars[i], plan.outcome.cars[i], plan.sessions[i]
    usable = car.vehicle.usable_kwh
    starts = problem.grid.starts
    delivered = car.delivery
    told: dict[str, Any] = {
        "id": car.id,
        "lead": car.lead.id,
        "limit_a": 0 if delivered is None else delivered.amps,
        "phases": car.intake.phases,
        "bottleneck": delivered.bottleneck if delivered else car.no_charge.link if car.no_charge else None,
    }
    if car.no_charge is not None:
        told["no_charge"] = str(car.no_charge)
    told |= {
        "setpoints": [[starts[t].isoformat(), round(float(mine.amps[t]), 2)] for t in np.flatnonzero(mine.amps > 0)],
        "stop": [[session.stop_at.isoformat(), _kwh(session.wall_kwh)] for session in sessions if car.vehicle.cutoff],
        "soc_pct": [[at.isoformat(), _pct(kwh, usable)] for at, kwh in zip(starts, mine.mean.soc_kwh, strict=True)],
        "sessions": [_session_document(car, session) for session in sessions],
        "departures": [
            {
                "leave": departure.trip.leave.isoformat(),
                **_readiness_document(plan, i, nth, ready),
                "needed_pct": _pct(departure.needed_kwh, usable),
                "wants_more": departure.wants_more,
                "can_leave": ready.planned_kwh >= departure.needed_kwh - NOTHING_KWH,
                "ready_at": _ready_at(plan, i, nth, ready),
            }
            for nth, (departure, ready) in enumerate(zip(car.departures, mine.departures, strict=True))
        ],
        "end": None if mine.end is None else _readiness_document(plan, i, len(car.departures), mine.end),
    }
    return told


def _session_document(car: Car, session: Session) -> dict[str, Any]:
    expected = expectation(car, session.first_amps)
    return {
        "start": session.start.isoformat(),
        "end": session.end.isoformat(),
        "amps": round(session.amps, 2),
        "currents": [{"at": at.isoformat(), "amps": amps} for at, amps in session.currents],
        "current": session.current,
        "wall_kwh": _kwh(session.wall_kwh),
        "battery_kwh": _kwh(session.battery_kwh),
        "solar_kwh": _kwh(session.solar_kwh),
        "cost": round(session.cost, 5),
        "cost_sun_free": round(session.cost_sun_free, 5),
        "bands": {band: _kwh(kwh) for band, kwh in session.bands.items()},
        "range_km": round(session.range_km, 3),
        "soc_from_pct": round(session.soc_from * 100, 3),
        "soc_to_pct": round(session.soc_to * 100, 3),
        "expect": {
            "amps": session.first_amps,
            "volts": expected.volts,
            "wall_kw": round(expected.wall_kw, 3),
            "range_km_per_h": round(expected.range_km_per_h, 1),
        },
        "reason": session.reason,
    }


@dataclass(frozen=True, slots=True)
class Expectation:
    """What car and lead should show after ten minutes; range as the car's own display reckons it."""

    volts: float
    wall_kw: float
    battery_kw: float
    range_km_per_h: float


def expectation(car: Car, amps: float) -> Expectation:
    """What to see at an offered current once the session has settled."""
    wall_kw = car.intake.wall_kw(amps)
    battery_kw = car.rate.mean.battery_kw(wall_kw)
    rated = car.vehicle.rated_kwh_per_100km or car.vehicle.use_kwh_per_100km
    return Expectation(car.intake.volts, wall_kw, battery_kw, range_km(battery_kw, rated))


def _readiness_document(plan: Plan, i: int, nth: int, ready: Readiness) -> dict[str, Any]:
    """nth : which of car i's departures; after the last of them the end."""
    problem, vehicle = plan.problem, plan.problem.cars[i].vehicle
    usable = vehicle.usable_kwh
    told: dict[str, Any] = {
        "required_pct": _pct(ready.required_kwh, usable),
        "planned_pct": _pct(ready.planned_kwh, usable),
        "short_kwh": _kwh(ready.short_kwh),
        "short_km": round(range_km(ready.short_kwh, vehicle.use_kwh_per_100km), 3),
        "binds": list(binds(problem, plan.outcome, i, nth)) if ready.short_kwh else [],
        "earlier": None,
    }
    if (earlier := ready.earlier) is not None:
        by = datetime.fromtimestamp(earlier.at_s, problem.grid.zone).isoformat()
        asked = plan.outcome.cars[i].asked
        later = next(n for n in range(asked.n[1], len(asked.of)) if asked.of[n] == nth)
        told["earlier"] = {
            "by": by,
            "planned_pct": _pct(earlier.planned_kwh, usable),
            "short_kwh": _kwh(earlier.short_kwh),
            "binds": list(binds(problem, plan.outcome, i, later)) if earlier.short_kwh else [],
        }
    return told


def _kwh(value: float) -> float:
    return round(float(value), 6)


def _pct(kwh: float, usable: float) -> float:
    return round(float(kwh) / usable * 100, 4)
