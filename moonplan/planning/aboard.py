"""What is known to be aboard each car: what somebody read, and from then on what the plans that were shown come to."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Mapping
from datetime import datetime
from typing import Any, NamedTuple

from django.db.models import OuterRef, Subquery

from moonplan.core import household as documents
from moonplan.core.mistakes import BadDocument
from moonplan.core.planner.building import build
from moonplan.core.planner.problem import Problem
from moonplan.core.planner.reckoning import reckoned, setpoints
from moonplan.core.timegrid import Floats
from moonplan.household.models import Household, Vehicle
from moonplan.logbook.models import SocReading
from moonplan.planning.models import ShownPlan

# Taken for a car that nobody has read. [%]
_UNREAD_PCT = 50.0
# How many of the last plans are looked through at most.
LOOKED_THROUGH = 20
# To which digit of a percent it is told: the same again, whatever it was turned into between.
_DIGITS = 6


class Aboard(NamedTuple):
    """What is known to be aboard a car.

    reading : what that stands on; None where nobody has read the car. reckoned : whether it is no longer what was read.
    mean_pct : by the mean rate. pct : what is planned on with. [%] charging : whether a session runs that goes on.
    """

    reading: SocReading | None
    reckoned: bool
    mean_pct: float
    pct: float
    charging: bool


# The household document of a plan that was shown, up to now and with the trips as they are known by now.
ByNow = Callable[[Mapping[str, Any]], dict[str, Any]]


class _Shown(NamedTuple):
    """A plan that was shown, as its problem stands by now, and its setpoints by car. [A]"""

    plan: ShownPlan
    problem: Problem
    amps: list[Floats]


def last_read(household: Household, now: datetime) -> dict[int, SocReading]:
    """The last reading of each car's SoC up to now, by the car; none of a car that nobody has read."""
    of_car = SocReading.objects.of(household).filter(vehicle=OuterRef("pk"), at__lte=now).order_by("-at", "-pk")
    last = Vehicle.objects.of(household).annotate(last=Subquery(of_car.values("pk")[:1])).values("last")
    return {reading.vehicle_id: reading for reading in SocReading.objects.of(household).filter(pk__in=last)}


def aboard(household: Household, vehicles: Iterable[Vehicle], now: datetime, by_now: ByNow) -> dict[Vehicle, Aboard]:
    """What is known to be aboard each car now."""
    plans = list(ShownPlan.objects.filter(household=household).only("stands_on")[:LOOKED_THROUGH])
    looked_at: dict[int, _Shown | None] = {}

    def shown(plan: ShownPlan) -> _Shown | None:
        if plan.pk not in looked_at:
            looked_at[plan.pk] = _looked_at(plan, by_now)
        return looked_at[plan.pk]

    read = last_read(household, now)
    return {vehicle: _aboard(vehicle, read.get(vehicle.pk), plans, shown, now) for vehicle in vehicles}


def as_read(household: Household, vehicles: Iterable[Vehicle], now: datetime) -> dict[Vehicle, Aboard]:
    """What was aboard each car when somebody read it last."""
    read = last_read(household, now)
    return {vehicle: _as_read(read.get(vehicle.pk)) for vehicle in vehicles}


def _as_read(reading: SocReading | None) -> Aboard:
    pct = _UNREAD_PCT if reading is None else reading.soc_pct
    return Aboard(reading, False, pct, pct, charging=False)


def _aboard(
    vehicle: Vehicle,
    reading: SocReading | None,
    plans: list[ShownPlan],
    looked_at: Callable[[ShownPlan], _Shown | None],
    now: datetime,
) -> Aboard:
    unchanged = _as_read(reading)
    known = [plan for plan in plans if str(vehicle.pk) in plan.stands_on]
    if reading is None or not known:
        return unchanged
    standing = next((plan for plan in known if plan.stands_on[str(vehicle.pk)]["reading"] == reading.pk), None)
    shown = looked_at(standing or known[0])
    if shown is None:
        return unchanged
    planned = _as_planned(shown, vehicle, reading, now)
    # Whoever reads a car that was to be charging then does not stop it.
    return planned if standing else unchanged._replace(charging=planned.charging)


def _looked_at(plan: ShownPlan, by_now: ByNow) -> _Shown | None:
    try:
        problem = build(documents.read(json.dumps(by_now(plan.document))))
        return _Shown(plan, problem, setpoints(plan.plan, problem))
    except BadDocument:  # it lies too far behind, or its trips of by now would not have fitted
        return None


def _as_planned(shown: _Shown, vehicle: Vehicle, reading: SocReading, now: datetime) -> Aboard:
    i = next(nth for nth, car in enumerate(shown.problem.cars) if car.id == str(vehicle.pk))
    usable_kwh = shown.problem.cars[i].vehicle.usable_kwh
    stood_kwh = shown.plan.stands_on[str(vehicle.pk)]["mean_pct"] / 100 * usable_kwh
    found = reckoned(shown.problem, i, shown.amps[i], now, stood_kwh)
    mean_pct, pct = (round(kwh / usable_kwh * 100, _DIGITS) for kwh in (found.mean_kwh, found.planned_kwh))
    # What charges on a lead does not go on when the car is to hang on another.
    is_same_lead = shown.problem.cars[i].lead.id == str(vehicle.lead_id)
    return Aboard(reading, pct != reading.soc_pct, mean_pct, pct, found.charging and is_same_lead)
