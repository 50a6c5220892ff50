"""The demo household's last nights: planned each evening as they would have been, and written down in the morning after."""

from __future__ import annotations

import json
from collections.abc import Mapping
from datetime import datetime, time, timedelta
from typing import Any, NamedTuple

from moonplan.core.planner.plan import document, plan
from moonplan.core.timegrid import instant_at
from moonplan.household.models import Household, Vehicle
from moonplan.logbook.models import LoggedSession
from moonplan.planning.demo import HERON, WREN
from moonplan.planning.documents import as_core, household_document
from moonplan.planning.models import ShownPlan
from moonplan.planning.sun import past_steps
from moonplan.planning.tariffs import tariff_keys
from moonplan.planning.usual import zone_of

_LOOKED_AT = time(18, 10)


class _Night(NamedTuple):
    """How a night went. soc_pct : what was read in the evening. power : what was drawn, as a part of what was planned.

    later : how much later it began. is_read : whether somebody read meter and SoC. charged : whether it charged at all.
    """

    soc_pct: float
    power: float = 1.0
    later: timedelta = timedelta()
    is_read: bool = True
    charged: bool = True


# Of each car: nights ago, and how it went; of last night only Heron's is written down.
_NIGHTS: dict[str, dict[int, _Night]] = {
    "Heron": {
        6: _Night(42, is_read=False),
        5: _Night(44),
        4: _Night(45, later=timedelta(minutes=35)),
        3: _Night(57),
        2: _Night(42, is_read=False),
        1: _Night(43),
    },
    "Wren": {
        6: _Night(74, is_read=False),
        5: _Night(58, power=0.8),
        4: _Night(66),
        3: _Night(74, charged=False),
        2: _Night(60),
        1: _Night(74),
    },
}
# To what their people fill them up for every day. [%]
_FILLED_TO = {"Heron": 60, "Wren": 90}
_NOT_WRITTEN_DOWN = ("Wren", 1)


def demo_log(household: Household, now: datetime) -> None:
    """The nights behind, where nothing has been planned or written down yet."""
    if ShownPlan.objects.filter(household=household).exists() or LoggedSession.objects.of(household).exists():
        return
    vehicles = {vehicle.name: vehicle for vehicle in Vehicle.objects.of(household)}
    if not set(_NIGHTS) <= set(vehicles):
        return
    for ago in range(6, 0, -1):
        planned = _planned(household, vehicles, now, ago)
        for name, nights in _NIGHTS.items():
            if (name, ago) != _NOT_WRITTEN_DOWN:
                _write_down(vehicles[name], nights[ago], planned[str(vehicles[name].pk)])


def _planned(household: Household, vehicles: Mapping[str, Vehicle], now: datetime, ago: int) -> dict[str, Any]:
    """An evening's plan as it was shown: each car's part of it, by the car."""
    zone = zone_of(household)
    evening = instant_at(now.astimezone(zone).date() - timedelta(days=ago), _LOOKED_AT, zone)
    end = evening + timedelta(days=2)
    given = household_document(household, now, 1)
    given |= {"now": evening.isoformat(), "solar_kw": past_steps(household, evening, end)}
    given |= tariff_keys(household, evening, end)
    given["trips"] = [trip for name, vehicle in vehicles.items() if (trip := _trip(name, vehicle, evening)) is not None]
    by_id = {str(vehicle.pk): _NIGHTS[name][ago] for name, vehicle in vehicles.items() if name in _NIGHTS}
    given["vehicles"] = [
        car | ({"soc_pct": by_id[car["id"]].soc_pct} if car["id"] in by_id else {}) for car in given["vehicles"]
    ]
    answer = json.loads(json.dumps(document(plan(as_core(given), prove=False))))
    ShownPlan.objects.create(
        household=household,
        revision=f"{evening:%Y-%m-%d}",
        begins=datetime.fromisoformat(answer["start"]),
        document=given,
        plan=answer,
        current=False,
    )
    return {car["id"]: car for car in answer["vehicles"]}


def _trip(name: str, vehicle: Vehicle, evening: datetime) -> dict[str, Any] | None:
    """What the car did on the day after."""
    day = evening.date() + timedelta(days=1)
    usual = {"Heron": HERON, "Wren": WREN}[name][day.weekday()] if name in _NIGHTS else None
    if usual is None:
        return None
    leave, back = (instant_at(day, time.fromisoformat(clock), zone_of(vehicle.household)) for clock in usual[:2])
    told = {"vehicle": str(vehicle.pk), "leave": leave.isoformat(), "back": back.isoformat()}
    return told | {"km": usual[2], "fill": True, "fill_to_pct": 100 if usual[3] else _FILLED_TO[name]}


def _write_down(vehicle: Vehicle, night: _Night, planned: Mapping[str, Any]) -> None:
    for session in planned["sessions"]:
        start, end = (datetime.fromisoformat(session[key]) for key in ("start", "end"))
        fields = {key: session[key] for key in ("wall_kwh", "soc_from_pct", "soc_to_pct")}
        if not night.charged:
            fields = {"wall_kwh": 0.0}
        elif night.is_read:
            began = min(start + night.later, end - timedelta(minutes=10))
            part = night.power * (end - began) / (end - start)
            start, end = _whole_minute(began), _whole_minute(end)
            gained = (session["soc_to_pct"] - session["soc_from_pct"]) * part
            fields = {
                "wall_kwh": round(session["wall_kwh"] * part, 1),
                "soc_from_pct": round(session["soc_from_pct"]),
                "soc_to_pct": round(session["soc_from_pct"] + gained),
            }
        LoggedSession.objects.create(
            household=vehicle.household,
            vehicle=vehicle,
            lead=vehicle.lead,
            start=start,
            end=end,
            as_planned=not night.is_read,
            **fields,
        )


def _whole_minute(at: datetime) -> datetime:
    return at.replace(second=0, microsecond=0)
