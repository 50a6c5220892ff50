"""The demo household's tariffs, its roof with a season of output, and its meters: made up, like the rest of it."""

from __future__ import annotations

import random
from datetime import date, datetime, timedelta
from functools import lru_cache
from zoneinfo import ZoneInfo

import numpy as np

from moonplan.core import series
from moonplan.core.series import Day
from moonplan.core.sun import Array as CoreArray
from moonplan.core.sun import Place
from moonplan.core.timegrid import Floats, Grid, instant_at
from moonplan.core.values import clock_of
from moonplan.devices import SKY
from moonplan.household.models import Array, Band, Household, Tariff
from moonplan.logbook.models import SeriesDay
from moonplan.planning.sun import Roof, clear_days_kw

_EVERY_DAY = ["mon", "tue", "wed", "thu", "fri", "sat", "sun"]
_ROOF = {"kwp": 6.4, "tilt_deg": 35.0, "azimuth_deg": 165.0, "losses_pct": 14.0, "inverter_kw": 6.0}
# What the panels really give of what the model says: a chimney stands in the morning sun.
_REALLY = 0.92
_SEASON_DAYS = 92
_METER_DAYS = 56
_QUARTER = 15
# The cars' own nights, by weekday: from hour, for hours, at kW.
_CHARGED = {0: (22, 3, 10.9), 1: (22, 2, 2.3), 3: (22, 5, 10.9), 5: (22, 4, 2.3)}


def prices_and_sun(household: Household) -> None:
    """Lay out the household's tariffs and its roof."""
    _tariffs(household)
    Array.objects.create(household=household, name="south roof", **_ROOF)


def measurements(household: Household, now: datetime) -> None:
    """What roof and meters counted up to yesterday; days that are there already stay as they are."""
    today = now.astimezone(ZoneInfo(household.timezone)).date()
    if SeriesDay.objects.of(household, "sun").filter(day=today - timedelta(days=1)).exists():
        return
    load = tuple((at, kw) for at, kw in household.base_load_kw)
    for kind, days in _measured(_roof(household), today, household.timezone, load).items():
        rows = [
            SeriesDay(household=household, kind=kind, day=day.day, minutes=day.minutes, values=list(day.values))
            for day in days
        ]
        SeriesDay.objects.bulk_create(rows, ignore_conflicts=True)


def _tariffs(household: Household) -> None:
    own = Tariff.objects.create(
        household=household,
        name="Three bands",
        default_price="0.21437",
        export_price="0.04",
        daily_charge="0.31",
        monthly_per_kw="1.42",
        contracted_kw=14,
    )
    for position, band in enumerate(
        (
            {"name": "night", "price": "0.08912", "days": _EVERY_DAY, "start": "22:00", "end": "06:00"},
            {
                "name": "evening peak",
                "price": "0.29871",
                "days": _EVERY_DAY[:5],
                "start": "17:00",
                "end": "20:00",
                "months": [1, 2, 11, 12],
            },
        )
    ):
        Band.objects.create(household=household, tariff=own, position=position, **band)
    Tariff.objects.create(
        household=household,
        name="By the hour",
        rival=True,
        default_price="0.19",
        export_price="0.035",
        daily_charge="0.52",
        monthly_per_kw="1.42",
        contracted_kw=14,
        feed="simulated",
    )


def _roof(household: Household) -> Roof:
    array = CoreArray(_ROOF["kwp"], _ROOF["tilt_deg"], _ROOF["azimuth_deg"], _ROOF["losses_pct"] / 100, _ROOF["inverter_kw"])
    return Roof(Place(household.latitude or 0.0, household.longitude or 0.0), (array,))


@lru_cache(maxsize=4)
def _measured(roof: Roof, today: date, timezone: str, load: tuple[tuple[str, float], ...]) -> dict[str, list[Day]]:
    """Every quarter hour of the season behind: the roof's output, and of its last weeks what the meters counted."""
    zone = ZoneInfo(timezone)
    first = today - timedelta(days=_SEASON_DAYS)
    start, end = (int(instant_at(day, clock_of("00:00"), zone).timestamp()) for day in (first, today))
    grid = Grid(start, _QUARTER, (end - start) // (_QUARTER * 60), zone)
    chance = random.Random(f"meters until {today}")
    season = [first + timedelta(days=n) for n in range(_SEASON_DAYS)]
    clear = clear_days_kw(roof, season, zone)
    sun = np.concatenate([_sun_of(roof, day, output) for day, output in zip(season, clear, strict=True)])
    house, cars = np.zeros(grid.n_slots), np.zeros(grid.n_slots)
    for t, at in enumerate(grid.starts[:-1]):
        usual = [kw for clock_, kw in load if clock_ <= f"{at:%H:%M}"] or [load[-1][1]]
        house[t] = usual[-1] * chance.uniform(0.75, 1.25) + (chance.random() < 0.02) * 1.2
        began = _CHARGED.get((at - timedelta(hours=12)).weekday())
        if began and began[0] <= at.hour + (24 if at.hour < 12 else 0) < began[0] + began[1]:
            cars[t] = began[2]
    net = house + cars - sun
    of_season = {"sun": sun}
    of_weeks = {"grid": np.maximum(0, net), "export": np.maximum(0, -net), "cars": cars}
    weeks_from = int(instant_at(today - timedelta(days=_METER_DAYS), clock_of("00:00"), zone).timestamp())
    told = {}
    for kind, kw in (of_season | of_weeks).items():
        kept = grid.edges_s[:-1] >= (start if kind in of_season else weeks_from)
        at_s = grid.edges_s[:-1][kept]
        found = series.settled(at_s, kw[kept].round(3), at_s + 900, measure="power", unit="kW", refused=[])
        told[kind] = list(found.days)
    return told


def _sun_of(roof: Roof, day: date, clear: Floats) -> Floats:
    """A day's real output: the clear day under the sky that was, clouds coming and going."""
    chance = random.Random(f"clouds of {day}")
    clouds = np.clip([chance.gauss(1, 0.25) for _ in clear], 0.3, 1.5)
    wanted = clear.sum() * SKY.was(roof.place, day) * _REALLY * chance.gauss(1, 0.03)
    shape = clear * clouds
    return shape * (wanted / shape.sum()) if shape.sum() else clear
