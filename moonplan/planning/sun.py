"""The roof and the house: the sun to plan with, what was measured beside what was modelled, and what the house takes."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from functools import lru_cache
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np

from moonplan.core import sun as core
from moonplan.core.house_load import LearnedLoad, learned_load
from moonplan.core.mistakes import Mistake
from moonplan.core.series import means
from moonplan.core.sun import Array, Correction, Place
from moonplan.core.timegrid import Floats, Grid, instant_at
from moonplan.core.values import clock_of
from moonplan.devices import SKY
from moonplan.household import editing
from moonplan.household import models as rows
from moonplan.household.models import Household, Person
from moonplan.logbook.models import SeriesDay
from moonplan.planning.heading import heading
from moonplan.planning.series import TITLES, span_of
from moonplan.planning.usual import zone_of

_SLOT_MIN = 15
_DAYS_AHEAD = 7
# How far back measured days are laid beside the model.
_DAYS_BEHIND = 60
_MEASURED = ("sun", "grid", "export", "cars")


@dataclass(frozen=True)
class Roof:
    """Where the panels are, and how they stand."""

    place: Place
    arrays: tuple[Array, ...]


def roof_of(household: Household) -> Roof | None:
    """The household's panels; None where it has none, or has not said where it is, or they can't be."""
    arrays = list(rows.Array.objects.of(household))
    if not arrays or household.latitude is None or household.longitude is None or _impossible(household, arrays):
        return None
    return Roof(Place(household.latitude, household.longitude), tuple(_array(row) for row in arrays))


def _array(row: rows.Array) -> Array:
    return Array(row.kwp, row.tilt_deg, row.azimuth_deg, row.losses_pct / 100, row.inverter_kw, row.correction)


_LIMITS = {
    "kwp": (0.01, 1000, "0.01 to 1000 kW"),
    "tilt_deg": (0, 90, "0, flat, to 90, upright"),
    "azimuth_deg": (0, 360, "0 to 360: 90 is east, 180 south"),
    "losses_pct": (0, 90, "0 to 90 %"),
    "inverter_kw": (0.01, 1000, "0.01 to 1000 kW"),
    "correction": (0.1, 3, "0.1 to 3"),
}


@editing.checked_by
def _arrays_can_be(household: Household, _row: editing.Row | None) -> list[Mistake]:
    return _impossible(household, rows.Array.objects.of(household))


def _impossible(household: Household, arrays: Iterable[rows.Array]) -> list[Mistake]:
    mistakes = [
        Mistake(key, getattr(row, key), expected)
        for row in arrays
        for key, (least, most, expected) in _LIMITS.items()
        if getattr(row, key) is not None and not least <= getattr(row, key) <= most
    ]
    for key, most in (("latitude", 90), ("longitude", 180)):
        value = getattr(household, key)
        if value is not None and not -most <= value <= most:
            mistakes.append(Mistake(key, value, f"−{most} to {most}"))
    return mistakes


def clear_day_kw(roof: Roof, day: date, zone: ZoneInfo) -> Floats:
    """A clear day's output of the roof, quarter hour by quarter hour of the local day. [kW]"""
    return clear_days_kw(roof, [day], zone)[0]


def clear_days_kw(roof: Roof, days: Sequence[date], zone: ZoneInfo) -> list[Floats]:
    """Clear days' output of the roof; those that are not known yet are worked out in one go. [kW]"""
    known = _known_days(roof, zone)
    missing = [day for day in days if day not in known]
    if missing:
        grid = _grid_of(missing[0], zone, missing[-1])
        output = core.clear_output_kw(roof.arrays, roof.place, grid)
        at = 0
        for n in range((missing[-1] - missing[0]).days + 1):
            day = missing[0] + timedelta(days=n)
            slots = _grid_of(day, zone).n_slots
            known[day] = output[at : at + slots]
            at += slots
    return [known[day] for day in days]


@lru_cache(maxsize=64)
def _known_days(roof: Roof, zone: ZoneInfo) -> dict[date, Floats]:
    return {}


def _grid_of(first: date, zone: ZoneInfo, last: date | None = None) -> Grid:
    """Quarter hours of a local day, or of the days from one to another, both included."""
    after = (last or first) + timedelta(days=1)
    start, end = (int(instant_at(day, time(0), zone).timestamp()) for day in (first, after))
    return Grid(start, _SLOT_MIN, (end - start) // (_SLOT_MIN * 60), zone)


def sun_ahead(household: Household, now: datetime, end: datetime) -> list[list[Any]]:
    """`solar_kw` of the household document: the roof under the forecast's middle, else the typed day, clock by clock."""
    zone = zone_of(household)
    first, last = now.astimezone(zone).date(), end.astimezone(zone).date()
    days = [first + timedelta(days=n) for n in range((last - first).days + 1)]
    roof = roof_of(household)
    if roof is None:
        return _typed_days(household, days, zone)
    return roof_steps(roof, [(day, SKY.forecast(roof.place, day, first).middle) for day in days], zone)


def roof_steps(roof: Roof, days: Sequence[tuple[date, float]], zone: ZoneInfo) -> list[list[Any]]:
    """Steps of the roof's output on days with a sky factor each; the last one ends in 0."""
    steps: list[list[Any]] = []
    clear = clear_days_kw(roof, [day for day, _ in days], zone)
    for (day, factor), output in zip(days, clear, strict=True):
        for at, kw in zip(_grid_of(day, zone).starts, output.tolist(), strict=False):
            value = round(kw * factor, 4)
            if (steps[-1][1] if steps else 0.0) != value:
                steps.append([at.isoformat(), value])
    if steps and steps[-1][1]:
        steps.append([instant_at(days[-1][0] + timedelta(days=1), time(0), zone).isoformat(), 0.0])
    return steps


def past_steps(household: Household, start: datetime, end: datetime) -> list[list[Any]]:
    """`solar_kw` for a time that is over: as it was measured, else the roof under the sky that was, else the typed day."""
    zone = zone_of(household)
    first, last = start.astimezone(zone).date(), end.astimezone(zone).date()
    days = [first + timedelta(days=n) for n in range((last - first).days + 1)]
    roof = roof_of(household)
    stored = SeriesDay.objects.of(household, "sun").between(first - timedelta(days=1), last + timedelta(days=1))
    if roof is None and not stored:
        return _typed_days(household, days, zone)
    steps: list[list[Any]] = []
    for day in days:
        grid = _grid_of(day, zone)
        measured = means(stored, grid.edges_s)
        if np.isnan(measured).any() and roof is not None:
            modelled = clear_day_kw(roof, day, zone) * SKY.was(roof.place, day)
            measured = np.where(np.isnan(measured), modelled, measured)
        for at, kw in zip(grid.starts, np.nan_to_num(measured).tolist(), strict=False):
            if (steps[-1][1] if steps else 0.0) != round(kw, 4):
                steps.append([at.isoformat(), round(kw, 4)])
    if steps and steps[-1][1]:
        steps.append([instant_at(days[-1] + timedelta(days=1), time(0), zone).isoformat(), 0.0])
    return steps


def _typed_days(household: Household, days: Sequence[date], zone: ZoneInfo) -> list[list[Any]]:
    """The household's sun by clock, laid over every day of the plan."""
    return [[instant_at(day, clock_of(clock), zone).isoformat(), kw] for day in days for clock, kw in household.sun_day_kw]


# --- the screen -----------------------------------------------------------------------------------------------------------


def sun_screen(household: Household, now: datetime) -> dict[str, Any]:
    """The roof, the days ahead under the forecast, what was measured, and what the house takes."""
    zone = zone_of(household)
    today = now.astimezone(zone).date()
    roof = roof_of(household)
    behind = None if roof is None else _Behind(household, roof, today, zone)
    found = None if behind is None else behind.correction
    load = learned(household, now)
    return {
        **heading(household, now),
        "latitude": household.latitude,
        "longitude": household.longitude,
        "household_version": household.version,
        "arrays": list(rows.Array.objects.of(household)),
        "sky": {"name": SKY.name, "simulated": SKY.simulated},
        "typed_day": household.sun_day_kw,
        "days": [] if roof is None else _days_ahead(household, roof, now, zone),
        "measured": [] if behind is None else behind.told(),
        "correction": None
        if found is None
        else {"factor": round(found.factor, 4), "n_days": found.n_days, "spread": round(found.spread, 4)},
        "base_load_kw": household.base_load_kw,
        "learned_load": None
        if load is None
        else {
            "profile": _profile(load),
            "n_days": load.n_days,
            "cars_known": load.cars_known,
            "kwh_a_day": round(load.kwh_a_day, 2),
        },
        "series": [{"kind": kind, "title": TITLES[kind], "span": span_of(household, kind)} for kind in _MEASURED],
    }


def _days_ahead(household: Household, roof: Roof, now: datetime, zone: ZoneInfo) -> list[dict[str, Any]]:
    """A week of days with sun to come: today counts as long as it has some."""
    today = now.astimezone(zone).date()
    to_come = [
        kw for at, kw in zip(_grid_of(today, zone).starts, clear_day_kw(roof, today, zone), strict=False) if at >= now
    ]
    first = 0 if sum(to_come) > 0 else 1
    return [_day_ahead(household, roof, today, n, zone) for n in range(first, first + _DAYS_AHEAD)]


def _day_ahead(household: Household, roof: Roof, today: date, n: int, zone: ZoneInfo) -> dict[str, Any]:
    day = today + timedelta(days=n)
    sky = SKY.forecast(roof.place, day, today)
    clear = clear_day_kw(roof, day, zone)
    base = _base_of(household, day, zone)
    quarter = _SLOT_MIN / 60
    starts = _grid_of(day, zone).starts
    return {
        "day": day.isoformat(),
        "low": round(sky.low, 4),
        "middle": round(sky.middle, 4),
        "high": round(sky.high, 4),
        "clear_kwh": round(float(clear.sum()) * quarter, 2),
        "low_kwh": round(float(clear.sum()) * quarter * sky.low, 2),
        "middle_kwh": round(float(clear.sum()) * quarter * sky.middle, 2),
        "high_kwh": round(float(clear.sum()) * quarter * sky.high, 2),
        "surplus_kwh": round(surplus_of(household, roof, today, day), 2),
        "curve": [
            {"at": starts[t].isoformat(), "clear_kw": round(float(clear[t]), 3), "house_kw": round(float(base[t]), 3)}
            for t in range(len(clear))
        ],
    }


def _base_of(household: Household, day: date, zone: ZoneInfo) -> Floats:
    profile = [(clock_of(clock), float(kw)) for clock, kw in household.base_load_kw]
    return core.profile_kw(profile, _grid_of(day, zone))


def surplus_of(household: Household, roof: Roof, today: date, day: date) -> float:
    """Sun of a day ahead that the house itself does not take, in the middle of the forecast. [kWh]"""
    zone = zone_of(household)
    sun_kw = clear_day_kw(roof, day, zone) * SKY.forecast(roof.place, day, today).middle
    return float(core.surplus_kw(_base_of(household, day, zone), sun_kw).sum()) * _SLOT_MIN / 60


class _Behind:
    """The days behind for which the roof was measured, beside the model under the sky that was."""

    def __init__(self, household: Household, roof: Roof, today: date, zone: ZoneInfo) -> None:
        self.days = [today - timedelta(days=n) for n in range(_DAYS_BEHIND, 0, -1)]
        stored = SeriesDay.objects.of(household, "sun").between(self.days[0] - timedelta(days=1), today)
        quarter = _SLOT_MIN / 60
        self.measured = np.array(
            [float(means(stored, _grid_of(day, zone).edges_s).sum()) * quarter if stored else np.nan for day in self.days]
        )
        clear = np.array([float(kw.sum()) * quarter for kw in clear_days_kw(roof, self.days, zone)])
        self.modelled = clear * np.array([SKY.was(roof.place, day) for day in self.days])
        self.clear = clear

    @property
    def correction(self) -> Correction | None:
        return core.correction(self.measured, self.modelled)

    def told(self) -> list[dict[str, Any]]:
        return [
            {
                "day": day.isoformat(),
                "measured_kwh": round(float(measured), 2),
                "modelled_kwh": round(float(modelled), 2),
                "clear_kwh": round(float(clear), 2),
            }
            for day, measured, modelled, clear in zip(self.days, self.measured, self.modelled, self.clear, strict=True)
            if not np.isnan(measured)
        ]


def learned(household: Household, now: datetime) -> LearnedLoad | None:
    """The house's usual load as its meter tells it."""
    zone = zone_of(household)
    today = now.astimezone(zone).date()
    first = today - timedelta(days=_DAYS_BEHIND)
    start, end = (int(instant_at(day, time(0), zone).timestamp()) for day in (first, today))
    edges = np.arange(start, end + 1, 1800, dtype=np.int64)
    kw = {
        kind: means(SeriesDay.objects.of(household, kind).between(first - timedelta(days=1), today), edges)
        for kind in _MEASURED
    }
    return learned_load(edges, zone, grid_kw=kw["grid"], export_kw=kw["export"], sun_kw=kw["sun"], cars_kw=kw["cars"])


def _profile(load: LearnedLoad) -> list[list[Any]]:
    return [[f"{at:%H:%M}", kw] for at, kw in load.profile]


# --- taking over what was learned -----------------------------------------------------------------------------------------


def take_correction(person: Person, now: datetime) -> None:
    """Correct every array by what measurement suggests; one step of undo.

    Raises
    ------
    Refused
        If too few days are measured.
    """
    household = person.household
    roof, zone = roof_of(household), zone_of(household)
    found = None if roof is None else _Behind(household, roof, now.astimezone(zone).date(), zone).correction
    if found is None:
        raise editing.Refused([Mistake("correction", "nothing", "measured output of five bright days or more")])
    with editing.as_one():
        for row in rows.Array.objects.of(household):
            fields = {"correction": round(row.correction * found.factor, 4)}
            editing.change(person, row, fields, version=row.version, what="the roof corrected by what was measured")


def take_load(person: Person, now: datetime, version: int) -> None:
    """Plan with the house's load as learned.

    Raises
    ------
    Refused
        If the meter tells too little. Conflict
        If somebody changed the household meanwhile.
    """
    found = learned(person.household, now)
    if found is None:
        raise editing.Refused([Mistake("base_load_kw", "nothing", "meter data of seven days or more")])
    fields = {"base_load_kw": _profile(found)}
    editing.change(person, person.household, fields, version=version, what="the house's load learned from its meter")
