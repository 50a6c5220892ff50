"""Usual days of stored cars: what is known of each day, what is learned of it, and the trips that it stands for."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date, datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from moonplan.core import household as documents
from moonplan.core.mistakes import BadDocument, Mistake
from moonplan.core.timegrid import instant_at
from moonplan.core.usual_days import LearnedUse, Odometer, UsualDay, driven, learned_use, usual_days
from moonplan.household.models import Household, Trip, Vehicle
from moonplan.logbook.models import OdometerReading

# A usual day shorter than this asks for no trip. [km]
_A_DRIVE_KM = 0.5
_MOST_KM = 5000
# How far back days are looked at. [days]
_LOOKS_BACK = 120


def zone_of(household: Household) -> ZoneInfo:
    """The household's zone, or UTC where core is about to refuse its name."""
    try:
        return ZoneInfo(household.timezone)
    except (KeyError, OSError, ValueError):
        return ZoneInfo("UTC")


def odometer_of(vehicle: Vehicle) -> list[Odometer]:
    """The car's odometer readings as core takes them."""
    return [
        Odometer(row.day, row.km, row.soc_pct, row.charged_kwh)
        for row in OdometerReading.objects.of(vehicle.household).filter(vehicle=vehicle)
    ]


def known_days(vehicle: Vehicle, now: datetime) -> dict[date, float]:
    """Km of every day behind that is known."""
    zone = zone_of(vehicle.household)
    today = now.astimezone(zone).date()
    trips: dict[date, float] = {}
    since = now - timedelta(days=_LOOKS_BACK)
    for trip in Trip.objects.of(vehicle.household).filter(vehicle=vehicle, back__lte=now, leave__gte=since):
        day = trip.leave.astimezone(zone).date()
        trips[day] = trips.get(day, 0.0) + trip.km
    days = driven(odometer_of(vehicle), trips)
    return {day: km for day, km in days.items() if today - timedelta(days=_LOOKS_BACK) <= day < today}


def usual_week(vehicle: Vehicle, now: datetime) -> list[UsualDay]:
    """The car's usual day of every weekday, Monday first.

    Raises
    ------
    BadDocument
        If a typed figure is none.
    """
    for weekday, km in vehicle.usual_km.items():
        if weekday not in documents.WEEKDAYS or (km is not None and not 0 <= km <= _MOST_KM):
            raise BadDocument([Mistake("vehicles.usual_km", km, f"0 to {_MOST_KM} for a weekday")])
    return usual_days(known_days(vehicle, now), vehicle.usual_km)


def use_of(vehicle: Vehicle) -> LearnedUse | None:
    """The car's consumption as driven, once enough is known."""
    return learned_use(odometer_of(vehicle), vehicle.usable_kwh)


def nights_ahead(household: Household, now: datetime) -> int:
    """How many nights are planned: as typed, else a week once usual days are known, and a night until then."""
    if household.horizon_nights is not None:
        return household.horizon_nights
    known = any(_is_known(usual_week(vehicle, now)) for vehicle in Vehicle.objects.of(household))
    return 7 if known else 1


def _is_known(week: Iterable[UsualDay]) -> bool:
    return any(day.careful_km is not None for day in week)


def usual_trips(vehicle: Vehicle, week: list[UsualDay], now: datetime, until: datetime) -> list[dict[str, Any]]:
    """Trips of the household document for the days ahead on which the car has none of its own, at careful km."""
    zone = zone_of(vehicle.household)
    clocks = [_clock(vehicle, field) for field in ("usual_leave", "usual_back")]
    named = list(Trip.objects.of(vehicle.household).filter(vehicle=vehicle, back__gt=now))
    told, day = [], now.astimezone(zone).date()
    while day <= until.astimezone(zone).date():
        leave, back = (instant_at(day, at, zone) for at in clocks)
        km = week[day.weekday()].careful_km
        taken = any(trip.leave.astimezone(zone).date() <= day <= trip.back.astimezone(zone).date() for trip in named)
        if km is not None and km >= _A_DRIVE_KM and not taken and now < leave < min(back, until):
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


def _clock(vehicle: Vehicle, field: str) -> time:
    text = getattr(vehicle, field)
    try:
        return documents.clock(text)
    except ValueError:
        raise BadDocument([Mistake(f"vehicles.{field}", text, "a clock time HH:MM")]) from None


def next_need_pct(vehicle: Vehicle, week: list[UsualDay], end: datetime) -> float | None:
    """What must be aboard when the plan ends for the next usual day after it; None where no day is known. [%]"""
    zone = zone_of(vehicle.household)
    day = end.astimezone(zone).date()
    for n in range(1, 8):
        km = week[(day + timedelta(days=n)).weekday()].careful_km
        if km is not None and km >= _A_DRIVE_KM:
            need = km * vehicle.use_kwh_per_100km / 100 / vehicle.usable_kwh * 100 + vehicle.reserve_pct
            return min(max(need, vehicle.reserve_pct), vehicle.daily_limit_pct)
    return None
