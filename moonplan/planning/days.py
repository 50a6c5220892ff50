"""The days ahead: the coming nights of every car as one tide, their trips, and a row a night."""

from __future__ import annotations

import time
from collections.abc import Iterable, Mapping
from dataclasses import asdict
from datetime import date, datetime, timedelta
from typing import Any, NamedTuple
from zoneinfo import ZoneInfo

from django.db import transaction

from moonplan.core import household as core_documents
from moonplan.core.mistakes import Mistake
from moonplan.core.planner.balance import NightOfCar, nights_of, under_reserve_from
from moonplan.core.planner.plan import Plan, document
from moonplan.core.timegrid import night_of
from moonplan.household import editing
from moonplan.household.models import Evening, Person, Trip, Vehicle
from moonplan.planning import refining, usual
from moonplan.planning.documents import household_document, how_it_stands, planning_now
from moonplan.planning.evenings import evenings_of
from moonplan.planning.heading import heading
from moonplan.planning.shown import goes_on
from moonplan.planning.standins import simulated
from moonplan.planning.tariffs import without_dated_price

FEWEST, MOST = 1, 14
# How far a trip can be repeated. [days]
_REPEATED_AT_MOST = 60


def days(person: Person, nights: int) -> dict[str, Any]:
    """What the screen of the coming nights shows."""
    began = time.perf_counter()
    household, now = person.household, planning_now()
    stands = how_it_stands(household, now)
    given = household_document(household, now, nights, stands=stands)
    made = refining.best_known(given, goes_on(household))
    answer = document(made)
    end = made.problem.grid.starts[-1]
    evenings = list(evenings_of(household, now))
    stored = {
        str(vehicle.pk): _Stored(
            vehicle,
            [trip for trip in week.named if now < trip.back and trip.leave < end],
            week.at_home,
            {evening.night: evening for evening in evenings if evening.vehicle_id == vehicle.pk},
        )
        for vehicle, week in stands.weeks.items()
    }
    return {
        **heading(household, now),
        "revision": refining.question(given, made.problem.household),
        "nights": nights,
        "household_version": household.version,
        "habit": household.habit,
        "nights_of_tonight": usual.nights_ahead(household, stands.weeks),
        "start": made.problem.grid.starts[0].isoformat(),
        "end": end.isoformat(),
        "cars": [_car(made, i, answer["vehicles"][i], stored[car.id]) for i, car in enumerate(made.problem.cars)],
        "totals": answer["totals"],
        "without_dated_price": without_dated_price(made.problem),
        "simulated": simulated(household, now),
        "server_ms": round((time.perf_counter() - began) * 1000),
    }


class _Stored(NamedTuple):
    """What is stored of a car: its trips within the plan, days at home, and what was decided for its nights."""

    vehicle: Vehicle
    trips: list[Trip]
    at_home: set[date]
    evenings: Mapping[date, Evening]


def _car(made: Plan, i: int, told: dict[str, Any], stored: _Stored) -> dict[str, Any]:
    problem, car = made.problem, made.problem.cars[i]
    usable = car.vehicle.usable_kwh
    trips = {trip.leave: trip for trip in stored.trips}
    starts = problem.grid.starts
    # A trip that somebody named counts, whatever was said of its day before.
    days_at_home = stored.at_home - _days_of(stored.trips, problem.household.zone)
    at_home = {night_of(usual.usually_leaves(stored.vehicle, day), problem.household.zone): day for day in days_at_home}
    under_way = [trip for trip in problem.household.trips_of(car.id) if trip.leave <= problem.household.now]
    return {
        "id": car.id,
        "version": stored.vehicle.version,
        "name": car.name,
        "place": car.circuit.name or car.circuit.id,
        "habit": car.vehicle.habit,
        "reserve_pct": car.vehicle.reserve_pct,
        "under_reserve_from": None if (below := under_reserve_from(made, i)) is None else below.isoformat(),
        "daily_limit_pct": car.vehicle.daily_limit_pct,
        "tide": _thinned([(starts[t], kwh / usable * 100) for t, kwh in enumerate(made.outcome.cars[i].mean.soc_kwh)]),
        "limit": _thinned([(starts[t], kwh / usable * 100) for t, kwh in enumerate(car.limit_kwh)]),
        "sessions": told["sessions"],
        "trips": [
            *(_under_way(made, trip, trips.get(trip.leave)) for trip in under_way),
            *(
                _trip(made, i, nth, departure, trips.get(car.departures[nth].trip.leave))
                for nth, departure in enumerate(told["departures"])
            ),
        ],
        "nights": [
            _night(night, stored.evenings.get(night.night), at_home.get(night.night)) for night in nights_of(made, i)
        ],
        "end": told["end"],
    }


def _days_of(trips: Iterable[Trip], zone: ZoneInfo) -> set[date]:
    return {trip.leave.astimezone(zone).date() for trip in trips}


def _thinned(points: list[tuple[datetime, float]]) -> list[dict[str, Any]]:
    """A line without the points that lie on it anyway."""
    kept = [
        point
        for n, point in enumerate(points)
        if n in (0, len(points) - 1) or abs((points[n - 1][1] + points[n + 1][1]) / 2 - point[1]) > 0.01
    ]
    return [{"at": at.isoformat(), "value": round(float(value), 2)} for at, value in kept]


def _under_way(made: Plan, trip: core_documents.Trip, row: Trip | None) -> dict[str, Any]:
    """A trip that has begun, told with the first of the nights that are shown."""
    return _told(trip, row) | {
        "nth": None,
        "night": made.problem.grid.nights[0].isoformat(),
        "required_pct": None,
        "needed_pct": None,
        "wants_more": False,
        "can_leave": True,
        "planned_pct": None,
        "short_kwh": 0.0,
        "short_km": 0.0,
        "ready_at": None,
        "binds": [],
        "on_the_way_kwh": 0.0,
        "trip_kwh": 0.0,
    }


def _trip(made: Plan, i: int, nth: int, departure: dict[str, Any], row: Trip | None) -> dict[str, Any]:
    planned = made.problem.cars[i].departures[nth]
    return _told(planned.trip, row) | {
        "nth": nth,
        "night": night_of(planned.trip.leave, made.problem.household.zone).isoformat(),
        "trip_kwh": round(planned.taking.kwh, 3),
        "on_the_way_kwh": round(planned.on_the_way_kwh, 3),
        **{key: departure[key] for key in _READINESS},
    }


_READINESS = (
    "required_pct",
    "needed_pct",
    "wants_more",
    "can_leave",
    "planned_pct",
    "short_kwh",
    "short_km",
    "ready_at",
    "binds",
)


def _told(trip: core_documents.Trip, row: Trip | None) -> dict[str, Any]:
    """A trip as it is stored, or one of a usual day, which nobody has stored. row : the stored one."""
    known = trip if row is None else row
    return {
        "id": None if row is None else row.pk,
        "version": 0 if row is None else row.version,
        "leave": known.leave.isoformat(),
        "back": known.back.isoformat(),
        **{key: getattr(known, key) for key in ("km", "temperature_c", "gain_kwh", "fill", "fill_to_pct")},
        "summary": "" if row is None else row.summary,
    }


def _night(night: NightOfCar, evening: Evening | None, at_home: date | None) -> dict[str, Any]:
    """at_home : the day whose usual drive would leave in it, where the car stays at home."""
    told = {key: round(value, 3) if isinstance(value, float) else value for key, value in asdict(night).items()}
    return told | {
        "night": night.night.isoformat(),
        "plugged_in": night.plugged_in,
        "kept_unplugged": evening is not None and not evening.plugged_in,
        "at_home": None if at_home is None else at_home.isoformat(),
        "evening_version": 0 if evening is None else evening.version,
    }


# --- trips ---------------------------------------------------------------------------------------------------------------


@transaction.atomic
def save_trip(person: Person, trip_id: int | None, version: int, given: Mapping[str, Any]) -> None:
    """Add a trip, or change one.

    Raises
    ------
    Refused, Conflict
        As `editing.add` and `editing.change`.
    """
    fields = dict(given)
    if trip_id is None:
        vehicle = Vehicle.objects.of(person.household).filter(pk=fields.get("vehicle_id")).first()
        editing.add(person, "trip", fields, what=f"{vehicle.name if vehicle else 'a car'}: trip added")
        return
    trip = Trip.objects.of(person.household).get(pk=trip_id)
    editing.change(person, trip, fields, version=version, what=f"{trip.vehicle.name}: trip")


def remove_trip(person: Person, trip_id: int, version: int) -> None:
    """Take a trip away; one of a calendar so that it doesn't come again with it.

    Raises
    ------
    Conflict
        As `editing.remove`.
    """
    trip = Trip.objects.of(person.household).get(pk=trip_id)
    what = f"{trip.vehicle.name}: trip removed"
    with editing.as_one():
        editing.remove(person, trip, version=version, what=what)
        if trip.event:
            editing.add(person, "dropped event", {"event": trip.event}, what=what)


def repeat_trip(person: Person, trip_id: int, on: Iterable[date]) -> None:
    """Copy a trip to other days, at the same clock times; one step of undo.

    Raises
    ------
    Refused
        If a day is not after today or too far, or the copy overlaps another trip.
    """
    trip = Trip.objects.of(person.household).get(pk=trip_id)
    zone = ZoneInfo(person.household.timezone)
    now = planning_now().astimezone(zone)
    leave, back = trip.leave.astimezone(zone), trip.back.astimezone(zone)
    with editing.as_one():
        for day in on:
            if not now.date() <= day <= now.date() + timedelta(days=_REPEATED_AT_MOST):
                expected = f"a day from today on, within {_REPEATED_AT_MOST} days"
                raise editing.Refused([Mistake("days", day.isoformat(), expected)])
            later = day - leave.date()
            fields = editing.values_of(trip) | {
                "leave": editing.on_the_clock(person.household, leave.replace(tzinfo=None) + later),
                "back": editing.on_the_clock(person.household, back.replace(tzinfo=None) + later),
                "event": "",
                "event_start": None,
                "event_end": None,
                "event_summary": "",
                "event_km": None,
            }
            editing.add(person, "trip", fields, what=f"{trip.vehicle.name}: trip copied")
