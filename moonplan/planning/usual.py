"""Usual days of stored cars: what is known of each day, what is learned of it, and the trips that it stands for."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import asdict, replace
from datetime import date, datetime, time, timedelta
from typing import Any, NamedTuple
from zoneinfo import ZoneInfo

from moonplan.core import usual_days as days
from moonplan.core.mistakes import BadDocument, Mistake
from moonplan.core.tables import RefusedRow, rows_of
from moonplan.core.usual_days import (
    LearnedUse,
    Odometer,
    UsualDay,
    driven,
    ends_the_day_after,
    hours_out,
    learned_use,
    usual_days,
)
from moonplan.core.values import LONGEST_KM, WEEKDAYS, clock_of
from moonplan.household import editing
from moonplan.household.models import DayAtHome, Household, Person, Trip, Vehicle
from moonplan.logbook.models import OdometerReading

# A usual day shorter than this asks for no trip. [km]
_A_DRIVE_KM = 0.5
# How far back days are looked at. [days]
_LOOKS_BACK = 120


class UsualWeek(NamedTuple):
    """What a car usually does in a week, and where it does something else.

    days : its usual day of every weekday, Monday first. named : its trips of the last months and those to come.
    at_home : days on which it stays at home, whatever it usually does.
    """

    days: list[UsualDay]
    named: list[Trip]
    at_home: set[date]


def zone_of(household: Household) -> ZoneInfo:
    """The household's zone, or UTC where core is about to refuse its name."""
    try:
        return ZoneInfo(household.timezone)
    except (KeyError, OSError, ValueError):
        return ZoneInfo("UTC")


def odometer_of(vehicle: Vehicle) -> list[Odometer]:
    """The car's odometer readings as core takes them."""
    return _odometers(vehicle.household, [vehicle])[vehicle.pk]


def _odometers(household: Household, vehicles: Iterable[Vehicle]) -> dict[int, list[Odometer]]:
    found: dict[int, list[Odometer]] = {vehicle.pk: [] for vehicle in vehicles}
    for row in OdometerReading.objects.of(household).filter(vehicle__in=found):
        found[row.vehicle_id].append(_reading(row))
    return found


def _reading(row: OdometerReading) -> Odometer:
    return Odometer(row.day, row.km, row.soc_pct, row.charged_kwh, row.temperature_c)


def usual_weeks(household: Household, now: datetime) -> dict[Vehicle, UsualWeek]:
    """The usual week of every car of a household.

    Raises
    ------
    BadDocument
        If a typed figure is none.
    """
    return _weeks(household, list(Vehicle.objects.of(household).select_related("household")), now)


def usual_week(vehicle: Vehicle, now: datetime) -> UsualWeek:
    """The usual week of a car.

    Raises
    ------
    BadDocument
        As `usual_weeks`.
    """
    return _weeks(vehicle.household, [vehicle], now)[vehicle]


def _weeks(household: Household, vehicles: list[Vehicle], now: datetime) -> dict[Vehicle, UsualWeek]:
    zone, since = zone_of(household), now - timedelta(days=_LOOKS_BACK)
    named: dict[int, list[Trip]] = {vehicle.pk: [] for vehicle in vehicles}
    for trip in Trip.objects.of(household).filter(vehicle__in=named, back__gte=since):
        named[trip.vehicle_id].append(trip)
    at_home: dict[int, set[date]] = {pk: set() for pk in named}
    for row in DayAtHome.objects.of(household).filter(vehicle__in=named):
        at_home[row.vehicle_id].add(row.day)
    odometers = _odometers(household, vehicles)
    weeks = {}
    for vehicle in vehicles:
        pk = vehicle.pk
        over = [trip for trip in named[pk] if since <= trip.leave and trip.back <= now]
        days = _usual_days(vehicle, _known_days(odometers[pk], over, now.astimezone(zone).date(), zone))
        weeks[vehicle] = UsualWeek(days, named[pk], at_home[pk])
    return weeks


def driven_days(odometer: list[Odometer], over: Iterable[Trip], zone: ZoneInfo) -> dict[date, float]:
    """Km of every day that is known of a car, by its odometer and its trips. over : those that are over."""
    trips: dict[date, float] = {}
    for trip in over:
        day = trip.leave.astimezone(zone).date()
        trips[day] = trips.get(day, 0.0) + trip.km
    return driven(odometer, trips)


def _known_days(odometer: list[Odometer], over: Iterable[Trip], today: date, zone: ZoneInfo) -> dict[date, float]:
    """Km of every day of the last months that is known. over : the car's trips that are over."""
    days = driven_days(odometer, over, zone)
    return {day: km for day, km in days.items() if today - timedelta(days=_LOOKS_BACK) <= day < today}


def _usual_days(vehicle: Vehicle, known: Mapping[date, float]) -> list[UsualDay]:
    for weekday, km in vehicle.usual_km.items():
        if weekday not in WEEKDAYS or (km is not None and not 0 <= km <= LONGEST_KM):
            raise BadDocument([Mistake("vehicles.usual_km", km, f"0 to {LONGEST_KM} km for a weekday")])
    return usual_days(known, vehicle.usual_km)


def use_of(vehicle: Vehicle) -> LearnedUse | None:
    """The car's consumption as driven, once enough is known."""
    return learned_use(odometer_of(vehicle), vehicle.usable_kwh)


def nights_ahead(household: Household, weeks: Mapping[Vehicle, UsualWeek]) -> int:
    """How many nights are planned: as typed, else a week once usual days are known, and a night until then."""
    if household.horizon_nights is not None:
        return household.horizon_nights
    return 7 if any(day.careful_km is not None for week in weeks.values() for day in week.days) else 1


def usual_trips(
    vehicle: Vehicle, week: UsualWeek, now: datetime, until: datetime, *, here: datetime | None
) -> list[dict[str, Any]]:
    """Trips of the household document for the days ahead, and those under way, on which the car has none of its own, at
    careful km. A trip of its own takes the place of what is usual on the day it begins, and of what it goes on through.

    here : when somebody last read the car: where it was after it usually leaves, it has not left that day.
    """
    zone = zone_of(vehicle.household)
    clocks = _usual_clocks(vehicle)
    named = [trip for trip in week.named if trip.back > now - timedelta(days=2)]
    told, day = [], now.astimezone(zone).date() - timedelta(days=1)
    while day <= until.astimezone(zone).date():
        leave, back = hours_out(day, *clocks, zone)
        km = week.days[day.weekday()].careful_km
        taken = any(trip.leave.astimezone(zone).date() == day or (trip.leave < back and leave < trip.back) for trip in named)
        stays = leave <= (here or now) or leave >= until
        stays |= day in week.at_home
        if km is not None and km >= _A_DRIVE_KM and not taken and not stays and max(now, leave) < back:
            told.append(
                {
                    "vehicle": str(vehicle.pk),
                    "leave": leave.isoformat(),
                    "back": back.isoformat(),
                    "km": round(km, 1),
                }
            )
        day += timedelta(days=1)
    return told


def usually_leaves(vehicle: Vehicle, day: date) -> datetime:
    """When a usual drive begins on a day."""
    leave, _ = hours_out(day, *_usual_clocks(vehicle), zone_of(vehicle.household))
    return leave


def stay_at_home(person: Person, vehicle: Vehicle, day: date, *, at_home: bool) -> None:
    """Let a car stay at home on a day, or do again what it usually does.

    Raises
    ------
    Refused, Conflict
        As `editing.add` and `editing.remove`.
    """
    row = DayAtHome.objects.of(person.household).filter(vehicle=vehicle, day=day).first()
    if at_home and row is None:
        fields = {"vehicle_id": vehicle.pk, "day": day.isoformat()}
        editing.add(person, "day at home", fields, what=f"{vehicle.name}: at home on {day:%A}")
    elif not at_home and row is not None:
        editing.remove(person, row, version=row.version, what=f"{vehicle.name}: {day:%A} as usual")


def _usual_clocks(vehicle: Vehicle) -> tuple[time, time]:
    """When a usual day's drive begins, and ends."""
    return _clock(vehicle, "usual_leave"), _clock(vehicle, "usual_back")


def _clock(vehicle: Vehicle, field: str) -> time:
    text = getattr(vehicle, field)
    try:
        return clock_of(text)
    except ValueError:
        raise BadDocument([Mistake(f"vehicles.{field}", text, "a clock time HH:MM")]) from None


def next_need_pct(vehicle: Vehicle, week: UsualWeek, end: datetime) -> float | None:
    """What must be aboard when the plan ends for the next usual day after it; None where no day is known. [%]"""
    zone = zone_of(vehicle.household)
    for n in range(1, 8):
        day = end.astimezone(zone).date() + timedelta(days=n)
        km = week.days[day.weekday()].careful_km
        if km is not None and km >= _A_DRIVE_KM and day not in week.at_home:
            need = km * vehicle.use_kwh_per_100km / 100 / vehicle.usable_kwh * 100 + vehicle.reserve_pct
            return min(max(need, vehicle.reserve_pct), vehicle.daily_limit_pct)
    return None


# --- what is shown of it, and what is typed ------------------------------------------------------------------------------

_SHOWN = 10


def usual_of(household: Household, now: datetime) -> dict[str, Any]:
    """Every car's usual week with what it stands on, its consumption as driven, and its last odometer readings."""
    return {"cars": [_told(vehicle, now) for vehicle in Vehicle.objects.of(household)]}


def _told(vehicle: Vehicle, now: datetime) -> dict[str, Any]:
    use = use_of(vehicle)
    rows = OdometerReading.objects.of(vehicle.household).filter(vehicle=vehicle)
    return {
        "id": vehicle.pk,
        "version": vehicle.version,
        "name": vehicle.name,
        "usual_km": vehicle.usual_km,
        "usual_leave": vehicle.usual_leave,
        "usual_back": vehicle.usual_back,
        "ends_the_day_after": ends_the_day_after(*_usual_clocks(vehicle)),
        "use_kwh_per_100km": vehicle.use_kwh_per_100km,
        "week": [asdict(day) for day in usual_week(vehicle, now).days],
        "learned": None if use is None else asdict(use),
        "readings": rows.count(),
        "odometer": [
            {"id": row.pk, "version": row.version, **asdict(_reading(row))} for row in rows.order_by("-day")[:_SHOWN]
        ],
    }


def read_odometer(person: Person, vehicle: Vehicle, given: Mapping[str, Any], now: datetime) -> None:
    """Keep what the odometer shows; a second reading of a day takes the first one's place.

    Raises
    ------
    Refused
        With every mistake, at its field.
    """
    today = now.astimezone(zone_of(person.household)).date()
    values = {"day": today.isoformat()} | {key: value for key, value in given.items() if value is not None}
    try:
        reading = days.odometer_of(values)
    except BadDocument as error:
        raise editing.Refused(error.mistakes) from error
    if reading.day > today:
        raise editing.Refused([Mistake("day", reading.day.isoformat(), "a day that has come")])
    others = [one for one in odometer_of(vehicle) if one.day != reading.day]
    if (wrong := days.beside_others(reading, others, vehicle.household.distance_unit)) is not None:
        raise editing.Refused([wrong])
    _keep(person, vehicle, reading, what=f"{vehicle.name}: odometer")


def _keep(person: Person, vehicle: Vehicle, reading: Odometer, *, what: str) -> None:
    row = OdometerReading.objects.of(person.household).filter(vehicle=vehicle, day=reading.day).first()
    if row is None:
        editing.add(person, "odometer", {"vehicle_id": vehicle.pk, **asdict(reading)}, what=what)
    else:
        editing.change(person, row, asdict(reading), version=row.version, what=what)


def bring_odometer(person: Person, vehicle: Vehicle, lines: Iterable[str], *, keep: bool) -> dict[str, Any]:
    """Odometer readings from CSV: which are new, which are known already, and which are refused, by line and reason.

    keep : whether the new ones are stored, as one step of undo; without it nothing is.

    Raises
    ------
    Refused
        If the file is no table of odometer readings.
    """
    known = {one.day: one for one in odometer_of(vehicle)}
    unit = person.household.distance_unit
    new: list[Odometer] = []
    again, refused = 0, []
    try:
        for found in rows_of(lines, days.columns(unit), days.odometer_of_row):
            if isinstance(found, RefusedRow):
                refused += [{"line": found.line, "reason": str(mistake)} for mistake in found.mistakes]
            elif known.get(found.row.day) == found.row:
                again += 1
            elif (wrong := days.beside_others(found.row, known.values(), unit)) is not None:
                refused.append({"line": found.line, "reason": str(replace(wrong, path=unit))})
            else:
                known[found.row.day] = found.row
                new.append(found.row)
    except BadDocument as error:
        raise editing.Refused(error.mistakes) from error
    if keep and new:
        with editing.as_one(checked_once=True):
            for reading in new:
                _keep(person, vehicle, reading, what=f"{vehicle.name}: odometer brought in")
    return {"new": len(new), "again": again, "refused": refused, "kept": keep}
