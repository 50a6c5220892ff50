"""Stored tariffs on the household's own nights: the year behind, month by month, planned again under each."""

from __future__ import annotations

import hashlib
import json
from calendar import monthrange
from dataclasses import replace
from datetime import date, datetime, time, timedelta
from itertools import combinations
from typing import Any
from zoneinfo import ZoneInfo

from django.core.cache import cache

from moonplan.core import household as documents
from moonplan.core.mistakes import Mistake
from moonplan.core.planner.tariff_comparison import Bill, bill_of_month, stretches, turn
from moonplan.core.usual_days import hours_out
from moonplan.core.values import clock_of
from moonplan.household import editing
from moonplan.household.models import Array, Household, Tariff, Trip, Vehicle
from moonplan.logbook.models import SeriesImport
from moonplan.planning import series, usual
from moonplan.planning.documents import core_household
from moonplan.planning.standins import made_up
from moonplan.planning.sun import past_steps
from moonplan.planning.tariffs import core_tariff, sheet

MONTHS = 12
_KEPT_S = 24 * 3600
Drive = tuple[time, time, float]


def comparison(household: Household, now: datetime, ids: list[int], months: int) -> dict[str, Any]:
    """What each tariff would have cost in the first so many months of the year behind.

    months : how many of the twelve to work out now; those that have been asked for before are at hand.

    Raises
    ------
    Refused
        If fewer than two tariffs are named, or no drive is known.
    """
    if not 1 <= months <= MONTHS:
        raise editing.Refused([Mistake("months", months, f"1 to {MONTHS}")])
    tariffs = [tariff for tariff in Tariff.objects.of(household) if tariff.pk in ids]
    if len(tariffs) < 2:
        raise editing.Refused([Mistake("tariffs", ids, "two tariffs or more")])
    weeks = {str(vehicle.pk): week_of(vehicle, now) for vehicle in Vehicle.objects.of(household)}
    if not any(weeks.values()):
        raise editing.Refused([Mistake("trips", "none known", "usual days, or trips in the week ahead")])
    base = core_household(household, now)
    behind = months_behind(now.astimezone(base.zone).date())
    for tariff in tariffs:
        series.keep_up(tariff, now, since=date(*behind[0], 1))
    stamp = _stamp(household, base, weeks, tariffs, now)
    told, totals = [], [Bill() for _ in tariffs]
    for year, month in behind[:months]:
        bills = [_bill(household, base, weeks, tariff, now, year, month, stamp) for tariff in tariffs]
        totals = [total + bill for total, bill in zip(totals, bills, strict=True)]
        told.append({"month": f"{year}-{month:02}", "bills": [_told(bill, 1) for bill in bills]})
    n = len(told)
    return {
        "tariffs": [{"id": tariff.pk, "name": tariff.name, "dated": bool(tariff.feed)} for tariff in tariffs],
        "of": MONTHS,
        "simulated": made_up(household, tariffs),
        "months": told,
        "totals": [_told(total, n) for total in totals],
        "turns": [
            _turn(tariffs, totals, one, other, n) for one, other in combinations(range(len(tariffs)), 2) if n == MONTHS
        ],
    }


def months_behind(today: date) -> list[tuple[int, int]]:
    """The twelve whole months before a day, the oldest first."""
    first = today.year * 12 + today.month - 1 - MONTHS
    return [(n // 12, n % 12 + 1) for n in range(first, first + MONTHS)]


def week_of(vehicle: Vehicle, now: datetime) -> dict[int, Drive]:
    """What a car drives by weekday: its typical usual days, else its trips of the week ahead."""
    week = usual.usual_week(vehicle, now).days
    clocks = clock_of(vehicle.usual_leave), clock_of(vehicle.usual_back)
    typical = {n: (*clocks, day.typical_km) for n, day in enumerate(week) if day.typical_km}
    if typical or any(day.typical_km is not None for day in week):
        return typical
    zone = usual.zone_of(vehicle.household)
    ahead = Trip.objects.of(vehicle.household).filter(vehicle=vehicle, leave__gt=now, leave__lt=now + timedelta(days=7))
    drives: dict[int, Drive] = {}
    for trip in ahead:
        leave, back = trip.leave.astimezone(zone), trip.back.astimezone(zone)
        if hours_out(leave.date(), leave.time(), back.time(), zone) == (leave, back):
            drives.setdefault(leave.weekday(), (leave.time(), back.time(), trip.km))
    return drives


def _bill(
    household: Household,
    base: documents.Household,
    weeks: dict[str, dict[int, Drive]],
    tariff: Tariff,
    now: datetime,
    year: int,
    month: int,
    stamp: str,
) -> Bill:
    key = f"bill-{stamp}-{tariff.pk}-{year}-{month}"
    found: Bill | None = cache.get(key)
    if found is None:
        parts = [_part(household, base, weeks, start, nights) for start, nights in stretches(year, month, base.zone)]
        end = parts[-1].now + timedelta(days=parts[-1].horizon_nights + 1)
        found = bill_of_month(parts, core_tariff(tariff, now, parts[0].now, end), days=monthrange(year, month)[1])
        cache.set(key, found, _KEPT_S)
    return found


def _stamp(
    household: Household, base: documents.Household, weeks: dict[str, dict[int, Drive]], tariffs: list[Tariff], now: datetime
) -> str:
    """What the bills stand on, in short: as long as it is the same, they are."""
    brought = SeriesImport.objects.of(household).order_by("pk").last()
    today = now.replace(hour=0, minute=0, second=0)
    lasting = replace(base, now=today, solar_kw=(), trips=(), overrides=(), pins=(), forbids=(), vehicles=_rested(base))
    told = [
        documents.write(lasting),
        weeks,
        [sheet(tariff) | {"feed": tariff.feed} for tariff in tariffs],
        [editing.values_of(row) for row in Array.objects.of(household)],
        None if brought is None else brought.pk,
    ]
    return hashlib.sha256(json.dumps(told, default=str, sort_keys=True).encode()).hexdigest()


def _part(
    household: Household, base: documents.Household, weeks: dict[str, dict[int, Drive]], start: datetime, nights: int
) -> documents.Household:
    """The household as it is, in a stretch of the year behind: its usual drives, and the sun that was."""
    end = start + timedelta(days=nights, hours=1)
    vehicles = _rested(base)
    steps = past_steps(household, start, end)
    return replace(
        base,
        now=start,
        horizon_nights=nights,
        vehicles=vehicles,
        trips=tuple(trip for v in vehicles for trip in _trips(v, weeks[v.id], start, nights, base.zone)),
        solar_kw=tuple((datetime.fromisoformat(at), kw) for at, kw in steps),
        overrides=(),
        pins=(),
        forbids=(),
        later_tariffs=(),
    )


def _rested(base: documents.Household) -> tuple[documents.Vehicle, ...]:
    """The cars as a month begins with them: at what they are to have when a plan ends."""
    return tuple(replace(vehicle, soc_pct=vehicle.wanted_at_end_pct, charging=False) for vehicle in base.vehicles)


def _trips(
    vehicle: documents.Vehicle, week: dict[int, Drive], start: datetime, nights: int, zone: ZoneInfo
) -> list[documents.Trip]:
    found = []
    for n in range(-1, nights + 1):
        day = start.astimezone(zone).date() + timedelta(days=n)
        if day.weekday() in week:
            leave, back, km = week[day.weekday()]
            left, came = hours_out(day, leave, back, zone)
            if start < came and left < came:
                found.append(documents.Trip(vehicle=vehicle.id, leave=left, back=came, km=round(km, 1)))
    return found


def _told(bill: Bill, months: int) -> dict[str, Any]:
    return {
        **{key: round(getattr(bill, key), 4) for key in ("cars", "plug_and_go", "house", "fixed", "together")},
        **{key: round(getattr(bill, key), 2) for key in ("wall_kwh", "solar_kwh", "km", "short_kwh")},
        "a_month": round(bill.together / months, 4) if months else 0.0,
        "cars_per_100km": round(bill.cars_per_km * 100, 4),
        "undated_part": round(bill.undated / bill.slots, 4) if bill.slots else 0.0,
    }


def _turn(tariffs: list[Tariff], totals: list[Bill], one: int, other: int, months: int) -> dict[str, Any]:
    found = turn(totals[one], totals[other], months=months)
    names = [tariffs[one].name, tariffs[other].name]
    return {
        "km_a_month": None if found.km_a_month is None else round(found.km_a_month, 1),
        "below": names[found.below],
        "above": names[found.above],
        "now_km_a_month": round(totals[one].km / months, 1),
        "cheaper_now": names[found.cheaper],
        "saves_a_year": round(found.saves, 4),
    }
