"""The demo household: made up, and laid out from the day it is asked for."""

from __future__ import annotations

from datetime import date, datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from django.contrib.auth import get_user_model
from django.db import transaction

from moonplan.core.timegrid import instant_at
from moonplan.household.models import Circuit, Feeder, Household, Lead, Person, Trip, Vehicle
from moonplan.logbook.models import OdometerReading, RateReading, SocReading
from moonplan.planning.demo_prices_and_sun import measurements, prices_and_sun

ZONE = "Europe/Ljubljana"
_NAME = "Alder Lane"
_DAYS_AHEAD = 14
# weekday → (leave, back, km, fill) a car; None stays at home.
HERON: dict[int, tuple[str, str, float, bool] | None] = {
    0: ("07:20", "17:40", 64, False),
    1: ("07:20", "17:40", 64, False),
    2: ("07:20", "17:40", 64, False),
    3: ("06:40", "20:10", 230, True),
    4: ("07:20", "17:40", 64, False),
    5: ("10:00", "15:30", 38, False),
    6: None,
}
WREN: dict[int, tuple[str, str, float, bool] | None] = {
    0: ("08:05", "13:30", 22, False),
    1: ("08:05", "13:30", 22, False),
    2: ("08:05", "16:10", 58, False),
    3: ("08:05", "13:30", 22, False),
    4: ("08:05", "13:30", 22, False),
    5: ("14:00", "18:30", 34, False),
    6: None,
}

# Two long days in a row, on the second Wednesday and Thursday: one charge of the shed socket between them is too little.
_WREN_LATE_WEDNESDAY = ("08:05", "23:30", 120, False)
_WREN_LONG_THURSDAY = ("07:00", "19:00", 110, False)
# And a weekend away with Heron, with a charge there: leave and back by weekday, km, and kWh.
_LONG_WEEKEND = (4, "15:00", 6, "19:00", 410, 34)
_WEEKS_BEHIND = 3


# What the two of them read off the displays: days ago, a note, and the figures. Heron's are a good series at two currents,
# and most of what can be in the way of one.
_HERON_READ: list[tuple[int, str, dict[str, float | bool]]] = [
    (20, "", {"minutes": 15, "amps": 16, "volts": 228, "range_per_h": 63, "soc_pct": 44}),
    (18, "before it had settled", {"minutes": 4, "amps": 16, "volts": 229, "range_per_h": 38, "soc_pct": 52}),
    (17, "", {"minutes": 25, "amps": 8, "volts": 229, "range_per_h": 31, "soc_pct": 61}),
    (14, "warming it up before leaving", {"minutes": 40, "amps": 16, "volts": 228, "range_per_h": 49, "cabin_on": True}),
    (12, "frost", {"minutes": 20, "amps": 16, "volts": 228, "range_per_h": 53, "soc_pct": 35, "temperature_c": -8}),
    (10, "", {"minutes": 30, "amps": 16, "volts": 228, "range_per_h": 62, "soc_pct": 40}),
    (7, "before the long drive", {"minutes": 240, "amps": 16, "volts": 228, "range_per_h": 31, "soc_pct": 98}),
    (5, "oven and washing on", {"minutes": 20, "amps": 16, "volts": 204, "range_per_h": 55, "soc_pct": 47}),
    (3, "", {"minutes": 15, "amps": 8, "volts": 229, "range_per_h": 30, "soc_pct": 58}),
    (2, "", {"minutes": 20, "amps": 16, "volts": 227, "range_per_h": 63, "soc_pct": 39}),
]
# Heron at the gate post, whose old cable carries 10 A and decides.
_HERON_AT_THE_POST: list[tuple[int, str, dict[str, float | bool]]] = [
    (9, "the old cable: no more than 10 A", {"minutes": 25, "amps": 10, "volts": 229, "range_per_h": 12, "soc_pct": 50}),
    (8, "", {"minutes": 40, "amps": 10, "volts": 229, "range_per_h": 12, "soc_pct": 63}),
]
# Wren's cannot be fitted yet, so its rate still stands on what such cars usually do.
_WREN_READ: list[tuple[int, str, dict[str, float | bool]]] = [
    (6, "too early", {"minutes": 3, "amps": 10, "volts": 229, "range_per_h": 8, "soc_pct": 48}),
    (4, "", {"minutes": 35, "amps": 10, "volts": 228, "range_per_h": 9, "cabin_on": True, "soc_pct": 66}),
]


@transaction.atomic
def demo(now: datetime) -> Person:
    """The demo's person; what is there already stays, and trips are topped up from today on."""
    person = Person.objects.filter(user__username="demo").first()
    if person is None:
        household = _household()
        user = get_user_model().objects.create_user("demo")
        person = Person.objects.create(user=user, household=household)
        _rows(household, now)
        prices_and_sun(household)
    _trips(person.household, now)
    measurements(person.household, now)
    return person


def _household() -> Household:
    return Household.objects.create(
        name=_NAME,
        timezone=ZONE,
        latitude=46.1,
        longitude=14.6,
        currency="EUR",
        set_up=True,
        leg_voltage_v=230,
        legs=3,
        rating_a=25,
        continuous_factor=1.0,
        base_margin_a=1,
        bedtime="22:45",
        wake="06:15",
        base_load_kw=[["00:00", 0.35], ["06:30", 1.1], ["08:30", 0.5], ["17:00", 1.6], ["22:30", 0.4]],
        horizon_nights=1,
        fuel_per_100km=6.4,
        fuel_price="1.62",
    )


def _rows(household: Household, now: datetime) -> None:
    panel = Feeder.objects.create(
        household=household, name="Garage panel", legs=["L1", "L2", "L3"], rating_a=20, continuous_factor=1.0
    )
    carport = Circuit.objects.create(
        household=household,
        name="carport",
        feeder=panel,
        breaker_a=16,
        voltage_v=230,
        phases=3,
        continuous_factor=1.0,
        sharing="free",
        residual_current_protection=True,
    )
    shed = Circuit.objects.create(
        household=household,
        name="shed socket",
        kind="socket",
        breaker_a=16,
        outlet_a=16,
        socket_a=10,
        voltage_v=230,
        phases=1,
        legs=["L2"],
        continuous_factor=1.0,
    )
    unit = Lead.objects.create(
        household=household, name="wall unit", circuit=carport, max_a=16, phases=3, cable_a=20, cable_phases=3
    )
    brick = Lead.objects.create(
        household=household, name="portable lead", circuit=shed, max_a=13, steps_a=[6, 8, 10, 13], control="hand"
    )
    post = Circuit.objects.create(
        household=household,
        name="gate post",
        breaker_a=16,
        voltage_v=230,
        phases=1,
        legs=["L3"],
        continuous_factor=1.0,
        residual_current_protection=True,
    )
    at_the_post = Lead.objects.create(
        household=household, name="post unit", circuit=post, max_a=16, cable_a=10, cable_phases=1, outdoors=True
    )
    heron = Vehicle.objects.create(
        household=household,
        name="Heron",
        lead=unit,
        usable_kwh=64,
        onboard_kw=11,
        onboard_phases=3,
        use_kwh_per_100km=17.5,
        rated_kwh_per_100km=15.8,
        daily_limit_pct=80,
        reserve_pct=15,
        end_pct=80,
        boost_pct=12,
        control="timer",
    )
    wren = Vehicle.objects.create(
        household=household,
        name="Wren",
        lead=brick,
        usable_kwh=22,
        onboard_kw=3.6,
        use_kwh_per_100km=14.1,
        ceiling_a=10,
        daily_limit_pct=90,
        reserve_pct=20,
        end_pct=90,
        control="timer",
    )
    _odometers(household, ((heron, HERON, 18_400), (wren, WREN, 41_250)), now)
    for vehicle, pct in ((heron, 41), (wren, 57)):
        SocReading.objects.create(household=household, vehicle=vehicle, at=now - timedelta(minutes=20), soc_pct=pct)
    for vehicle, lead, days_ago, note, values in (
        *((heron, unit, days, note, values) for days, note, values in _HERON_READ),
        *((heron, at_the_post, days, note, values) for days, note, values in _HERON_AT_THE_POST),
        *((wren, brick, days, note, values) for days, note, values in _WREN_READ),
    ):
        at = now - timedelta(days=days_ago)
        RateReading.objects.create(
            household=household,
            vehicle=vehicle,
            lead=lead,
            kind="display",
            at=at,
            note=note,
            values={"at": at.isoformat()} | values,
        )


def _odometers(household: Household, cars: Any, now: datetime) -> None:
    """What the odometers showed on the evenings of three weeks, by what the cars usually do, give or take."""
    today = now.astimezone(ZoneInfo(ZONE)).date()
    for vehicle, week, km in cars:
        for ago in range(7 * _WEEKS_BEHIND, 0, -1):
            day = today - timedelta(days=ago)
            usual = week[day.weekday()]
            # Seldom quite the same: up to a fifth more or less, by the day of the month.
            km += 0 if usual is None else min(usual[2], 120) * (1 + (day.day % 5 - 2) / 10)
            OdometerReading.objects.create(household=household, vehicle=vehicle, day=day, km=round(km))


def _trips(household: Household, now: datetime) -> None:
    """Two weeks of trips from today on; days that have any trip of the car, edited or not, are left alone."""
    zone = ZoneInfo(ZONE)
    today = now.astimezone(zone).date()
    laid_out = household.trips.order_by("-leave").first()
    first = today if laid_out is None else max(today, laid_out.leave.astimezone(zone).date() + timedelta(days=1))
    for name, week in (("Heron", HERON), ("Wren", WREN)):
        vehicle = Vehicle.objects.of(household).filter(name=name).first()
        day = first
        while vehicle is not None and day <= today + timedelta(days=_DAYS_AHEAD):
            if (usual := _of_day(name, week, day, today)) is not None:
                leave, back = (instant_at(day, time.fromisoformat(clock), zone) for clock in usual[:2])
                if back > now:
                    Trip.objects.create(
                        household=household, vehicle=vehicle, leave=leave, back=back, km=usual[2], fill=usual[3]
                    )
            day += timedelta(days=1)
    _long_weekend(household, first, today, zone)


def _of_day(name: str, week: Any, day: date, today: date) -> tuple[str, str, float, bool] | None:
    """What a car does on a day ahead: the usual, but for two long days and a weekend away in the second week."""
    second_week = 7 <= (day - today).days < 14
    if second_week and name == "Wren" and day.weekday() in (2, 3):
        return _WREN_LATE_WEDNESDAY if day.weekday() == 2 else _WREN_LONG_THURSDAY
    if name == "Heron" and 0 <= (day - _away_from(today)).days <= 2:
        return None
    usual: tuple[str, str, float, bool] | None = week[day.weekday()]
    return usual


def _away_from(today: date) -> date:
    """The Friday, in a week or later, from which Heron is away for a weekend."""
    return today + timedelta(days=7 + (_LONG_WEEKEND[0] - today.weekday()) % 7)


def _long_weekend(household: Household, first: date, today: date, zone: ZoneInfo) -> None:
    leaves, leave, comes, back, km, kwh = _LONG_WEEKEND
    friday = _away_from(today)
    heron = Vehicle.objects.of(household).filter(name="Heron").first()
    if heron is not None and friday >= first:
        Trip.objects.create(
            household=household,
            vehicle=heron,
            leave=instant_at(friday, time.fromisoformat(leave), zone),
            back=instant_at(friday + timedelta(days=comes - leaves), time.fromisoformat(back), zone),
            km=km,
            gain_kwh=kwh,
            summary="weekend away",
        )
