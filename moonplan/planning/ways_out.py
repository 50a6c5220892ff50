"""The ways out of a shortage, at a departure or when the nights end: offered, and taken by their words."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Mapping
from datetime import datetime, timedelta
from threading import Lock
from typing import Any

from moonplan.core.mistakes import Mistake
from moonplan.core.planner.problem import Car, Problem
from moonplan.core.planner.remedies import Edit, OfNight, OfTrip, Remedy, remedies
from moonplan.household import editing
from moonplan.household.models import Household, Person, Trip, Vehicle
from moonplan.planning import refining, usual
from moonplan.planning.documents import as_core, household_document, leaves_with_pct, planning_now
from moonplan.planning.evenings import set_evening
from moonplan.planning.shown import goes_on

# The ways out that were offered last, by the question, the car and by when it is short.
_OFFERS_KEPT = 16
_offered: OrderedDict[tuple[str, int, datetime], list[Remedy]] = OrderedDict()
_offering = Lock()


def ways_out(person: Person, vehicle_id: int, by: datetime, nights: int | None) -> list[dict[str, Any]]:
    """The remedies for a shortage in the best plan that is known, known itself by its car and by when it is short.

    by : when the car leaves or was to be ready, or when the nights end. nights : as in `household_document`.
    """
    given = household_document(person.household, planning_now(), nights)
    found = _remedies(person.household, given, vehicle_id, by)
    with _offering:
        _offered[_asked(given, vehicle_id, by)] = found
        while len(_offered) > _OFFERS_KEPT:
            _offered.popitem(last=False)
    return [
        {
            "told": one.told,
            "closes": one.closes,
            "short_kwh": round(one.short_kwh, 3),
            "cost": round(one.cost, 5),
        }
        for one in found
    ]


def take_way_out(person: Person, vehicle_id: int, by: datetime, nights: int | None, told: str) -> None:
    """Apply a remedy by its words; all of its edits are one step of undo.

    What was offered can be taken, even if a better plan was found meanwhile.

    Raises
    ------
    Refused
        If there is no such way out any more.
    """
    given = household_document(person.household, planning_now(), nights)
    with _offering:
        offered = _offered.get(_asked(given, vehicle_id, by))
    ways = _remedies(person.household, given, vehicle_id, by) if offered is None else offered
    found = next((one for one in ways if one.told == told), None)
    if found is None:
        raise editing.Refused([Mistake("told", told, "a way out that still is one")])
    with editing.as_one():
        for edit in found.edits:
            _apply(person, edit, told)


def _asked(given: dict[str, Any], vehicle_id: int, by: datetime) -> tuple[str, int, datetime]:
    return refining.question(given, as_core(given)), vehicle_id, by


def _remedies(household: Household, given: dict[str, Any], vehicle_id: int, by: datetime) -> list[Remedy]:
    made = refining.best_known(given, goes_on(household))
    for i, car in enumerate(made.problem.cars):
        asked = made.outcome.cars[i].asked
        times = asked.at_s.tolist()
        if car.id == str(vehicle_id) and by.timestamp() in times:
            nth = times.index(by.timestamp())
            found = remedies(made, i, nth, at_end_pct=_at_end_pct(household, made.problem, car, int(asked.of[nth])))
            return [one for one in found if all(_can_be_made(household, edit) for edit in one.edits)]
    return []


def _can_be_made(household: Household, edit: Edit) -> bool:
    """A usual day's drive is nobody else's: with another car on it, it would still count for its own."""
    if not isinstance(edit, OfTrip) or edit.other_vehicle is None:
        return True
    return Trip.objects.of(household).filter(vehicle=int(edit.vehicle), leave=edit.leave).exists()


def _at_end_pct(household: Household, problem: Problem, car: Car, nth: int) -> float | None:
    """What `remedies` is told of a car's nth departure: what the document marks its trip fill to, or would if nobody had
    marked it, or if it were no usual drive but a trip of its own."""
    wanted_pct = car.vehicle.end_pct
    if nth == len(car.departures) or wanted_pct is None:
        return None
    trip = car.departures[nth].trip
    if not trip.leave < problem.grid.starts[-1] < trip.back:
        return None
    row = Trip.objects.of(household).filter(vehicle=int(car.id), leave=trip.leave).first()
    return wanted_pct if row is None else leaves_with_pct(row, row.vehicle, wanted_pct)


def _apply(person: Person, edit: Edit, told: str) -> None:
    vehicle = Vehicle.objects.of(person.household).get(pk=int(edit.vehicle))
    what = f"{vehicle.name}: {told}"
    if isinstance(edit, OfNight):
        fields: dict[str, Any] = {
            key: value for key in ("limit_pct", "ceiling_a", "plugged_in") if (value := getattr(edit, key)) is not None
        }
        if edit.ready_by is not None:
            fields |= {"ready_by": f"{edit.ready_by:%H:%M}"}
        if edit.unpin:
            fields |= {"pins": []}
        set_evening(person, vehicle, edit.night, fields, what=what)
    elif isinstance(edit, OfTrip):
        changes: dict[str, Any] = {
            "vehicle_id": None if edit.other_vehicle is None else int(edit.other_vehicle),
            "gain_kwh": edit.gain_kwh,
            "fill": edit.fill,
        }
        changes = {key: value for key, value in changes.items() if value is not None}
        trip = Trip.objects.of(person.household).filter(vehicle=vehicle, leave=edit.leave).first()
        if trip is not None:
            if edit.other_vehicle is not None:
                _leave_usual_days(person, trip, int(edit.other_vehicle), what=what)
            editing.change(person, trip, changes, version=trip.version, what=what)
        else:
            editing.add(person, "trip", _usual_trip(vehicle, edit.leave) | changes, what=what)
    else:
        hours: Mapping[str, Any] = {}
        if edit.plug_in_hours is None:
            hours = {"plug_in_from": None, "plug_in_to": None}
        elif edit.plug_in_hours != "as it is":
            hours = dict(zip(("plug_in_from", "plug_in_to"), (f"{at:%H:%M}" for at in edit.plug_in_hours), strict=True))
        fields = {**({"habit": edit.habit} if edit.habit else {}), **hours}
        editing.change(person, vehicle, fields, version=vehicle.version, what=what)


def _leave_usual_days(person: Person, trip: Trip, other_id: int, *, what: str) -> None:
    """See to it that a trip which is about to be another car's changes nothing of what both usually do around it: its own
    car has no drive more than before, and the other one none less."""
    now, until = planning_now(), trip.back + timedelta(days=2)
    other = Vehicle.objects.of(person.household).get(pk=other_id)
    weeks = {vehicle: usual.usual_week(vehicle, now) for vehicle in (trip.vehicle, other)}
    then = {trip.vehicle: [one for one in weeks[trip.vehicle].named if one != trip], other: [*weeks[other].named, trip]}
    for vehicle, week in weeks.items():
        before = usual.usual_trips(vehicle, week, now, until, here=now)
        after = usual.usual_trips(vehicle, week._replace(named=then[vehicle]), now, until, here=now)
        for one in after:
            if one not in before:
                day = datetime.fromisoformat(one["leave"]).date()
                usual.stay_at_home(person, vehicle, day, at_home=True)
        for one in before:
            if one not in after:
                editing.add(person, "trip", _as_row(vehicle, one), what=what)


def _usual_trip(vehicle: Vehicle, leave: datetime) -> dict[str, Any]:
    """A usual day's drive as a trip of its own."""
    now = planning_now()
    week = usual.usual_week(vehicle, now)
    trips = usual.usual_trips(vehicle, week, now, leave + timedelta(days=1), here=now)
    return _as_row(vehicle, next(trip for trip in trips if datetime.fromisoformat(trip["leave"]) == leave))


def _as_row(vehicle: Vehicle, told: dict[str, Any]) -> dict[str, Any]:
    """The fields of a trip of its own for what a car usually does. told : as by `usual.usual_trips`."""
    leave, back = (datetime.fromisoformat(told[key]) for key in ("leave", "back"))
    return {"vehicle_id": vehicle.pk, "leave": leave, "back": back, "km": told["km"]}
