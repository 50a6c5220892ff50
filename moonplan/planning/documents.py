"""From stored rows to the household document that core reads, and the clock that planning goes by."""

from __future__ import annotations

import json
import os
from collections.abc import Mapping
from datetime import date, datetime, timedelta
from functools import cache
from typing import Any, NamedTuple
from zoneinfo import ZoneInfo

from django.db.models import Q
from django.utils import timezone

from moonplan.core import household as documents
from moonplan.core.distance import told_in
from moonplan.core.mistakes import BadDocument, Mistake
from moonplan.core.planner.plan import check_pins
from moonplan.core.timegrid import night_asked_about, noon
from moonplan.core.values import clock_of
from moonplan.household import editing
from moonplan.household.models import Circuit, Feeder, Household, Lead, Rate, Trip, Vehicle
from moonplan.logbook.models import RateReading, SocReading
from moonplan.planning import usual
from moonplan.planning.aboard import Aboard, aboard, as_read, last_read
from moonplan.planning.by_hand import forbids_of, no_clock_times, pins_of
from moonplan.planning.evenings import evenings_of
from moonplan.planning.rates import measured_rates
from moonplan.planning.sun import sun_ahead
from moonplan.planning.tariffs import tariff_keys
from moonplan.planning.usual import UsualWeek
from moonplan.planning.whose import at_its_row

_VEHICLE_KEYS = [
    *("usable_kwh", "onboard_kw", "onboard_phases", "onboard_a", "ceiling_a", "use_kwh_per_100km"),
    *("rated_kwh_per_100km", "daily_limit_pct", "reserve_pct", "rest_pct", "taper_from_pct", "boost_pct"),
    *("control", "cutoff", "habit"),
]
_CIRCUIT_KEYS = [
    *("kind", "breaker_a", "wire_a", "outlet_a", "socket_a", "voltage_v", "phases", "legs", "continuous_factor"),
    *("other_load_a", "sharing", "residual_current_protection", "inspected", "new_work"),
]
_LEAD_KEYS = [
    *("max_a", "min_a", "steps_a", "phases", "cable_a", "cable_phases", "control"),
    *("extension", "combines_outlets", "across", "outdoors", "weather_rated", "restarts"),
]


Weeks = Mapping[Vehicle, UsualWeek]


class Stands(NamedTuple):
    """How every car of a household stands: what it usually does, and what is known to be aboard."""

    weeks: Weeks
    aboard: Mapping[Vehicle, Aboard]


@cache
def _fixed_now(text: str) -> datetime:
    return datetime.fromisoformat(text)


def planning_now() -> datetime:
    """The instant that planning goes by: MOONPLAN_NOW where set, else the machine's clock."""
    fixed = os.environ.get("MOONPLAN_NOW")
    return _fixed_now(fixed) if fixed else timezone.now()


def household_document(
    household: Household, now: datetime, nights: int | None = None, *, stands: Stands | None = None
) -> dict[str, Any]:
    """The document of a household as it stands, with the rates that its readings come to.

    nights : how many to plan from the one that is asked about on; None for as many as the household plans ahead.
    stands : how the cars stand now, where that was asked for before.
    """
    stands = stands or how_it_stands(household, now)
    document = _without_readings(household, stands, now, nights or usual.nights_ahead(household, stands.weeks))
    return _with_readings(household, document)


def _with_readings(household: Household, document: dict[str, Any]) -> dict[str, Any]:
    rows = list(RateReading.objects.of(household))
    if rows:
        try:
            read = measured_rates(as_core(document), rows)
        except BadDocument:  # told when the document itself is read
            return document
        measured = {(rate["vehicle"], rate["lead"]) for rate in read}
        given = [rate for rate in document["rates"] if (rate["vehicle"], rate["lead"]) not in measured]
        return document | {"rates": given + read}
    return document


def _without_readings(
    household: Household, stands: Stands, now: datetime, nights: int, *, every_trip: bool = False
) -> dict[str, Any]:
    zone = usual.zone_of(household)
    nights -= _begun(household, now)
    feeders, circuits = Feeder.objects.of(household), Circuit.objects.of(household)
    end = now + timedelta(days=nights + 2)
    horizon_end = _horizon_end(zone, now, nights)
    evenings = evenings_of(household, now)
    readings = {vehicle.pk: known.reading for vehicle, known in stands.aboard.items()}
    return {
        "format": documents.FORMAT,
        "timezone": household.timezone,
        "currency": household.currency,
        "distance_unit": household.distance_unit,
        "now": now.isoformat(),
        "horizon_nights": nights,
        "habit": household.habit,
        "set_nights": household.set_nights,
        "bedtime": household.bedtime,
        "wake": household.wake,
        "supply": _kept(household, ["leg_voltage_v", "legs", "rating_a", "continuous_factor", "base_margin_a"]),
        "base_load_kw": household.base_load_kw,
        "feeders": [_feeder(feeder) for feeder in feeders],
        "circuits": [
            {"id": str(c.pk), "name": c.name, **_link("feeder", c.feeder_id), **_kept(c, _CIRCUIT_KEYS)} for c in circuits
        ],
        "leads": [
            {"id": str(lead.pk), "name": lead.name, "circuit": str(lead.circuit_id), **_kept(lead, _LEAD_KEYS)}
            for lead in Lead.objects.of(household)
        ],
        "vehicles": [_vehicle(vehicle, week, stands.aboard[vehicle], horizon_end) for vehicle, week in stands.weeks.items()],
        "rates": [_rate(rate) for rate in Rate.objects.of(household)],
        "trips": _trips(stands.weeks, readings, now, nights, zone, every_trip=every_trip),
        **tariff_keys(household, now, end),
        "solar_kw": sun_ahead(household, now, end),
        "overrides": [
            {
                "vehicle": str(e.vehicle_id),
                "night": e.night.isoformat(),
                "plugged_in": e.plugged_in,
                **_kept(e, ["limit_pct", "ceiling_a", "ready_by"]),
            }
            for e in evenings
        ],
        "pins": [pin for _, _, pin in pins_of(evenings, now, zone)],
        "forbids": [forbid for _, _, forbid in forbids_of(evenings, now, zone)],
    }


def core_household(household: Household, now: datetime, nights: int | None = None) -> documents.Household:
    """The household as core takes it; nights as in `household_document`.

    Raises
    ------
    BadDocument
        With every mistake, by the document's paths.
    """
    return as_core(household_document(household, now, nights))


def as_core(document: dict[str, Any]) -> documents.Household:
    """A household document as core takes it.

    Raises
    ------
    BadDocument
        As `core_household`.
    """
    return documents.read(json.dumps(document))


@editing.checked_by
def _core_takes_it(household: Household, row: editing.Row | None) -> list[Mistake]:
    now, document = planning_now(), dict[str, Any]()
    mistakes = list(no_clock_times(evenings_of(household, now)))
    try:
        # How much is aboard is no matter of what may be typed, but where a session is pinned.
        weeks = usual.usual_weeks(household, now)
        stands, nights = Stands(weeks, as_read(household, weeks, now)), usual.nights_ahead(household, weeks)
        document = _without_readings(household, stands, now, nights, every_trip=True)
        if isinstance(row, Trip):
            document["trips"] += _ended(row, now)
        as_core(document)
        if as_core(_with_readings(household, document)).pins:
            check_pins(core_household(household, now))
    except BadDocument as error:
        at = evenings_of(household, now), now, usual.zone_of(household)
        by_hand = {"pins": pins_of(*at), "forbids": forbids_of(*at)}
        told = [told_in(mistake, household.distance_unit) for mistake in error.mistakes]
        mistakes += [at_its_row(mistake, document, by_hand, household) for mistake in told]
    return mistakes


def night_now(household: Household, now: datetime) -> date:
    """The night that a household asks about now: before anybody is up the one that runs."""
    zone = usual.zone_of(household)
    try:
        return night_asked_about(now, zone, clock_of(household.wake))
    except ValueError:  # core tells of it
        return now.astimezone(zone).date()


def _begun(household: Household, now: datetime) -> int:
    """How many nights, one or none, core is not to count, since they run already.

    So the plan ends through the night where it did in the evening, and puts nothing off that is to be aboard by morning.
    """
    return (now.astimezone(usual.zone_of(household)).date() - night_now(household, now)).days


def how_it_stands(household: Household, now: datetime) -> Stands:
    """How every car stands now."""
    zone, weeks = usual.zone_of(household), usual.usual_weeks(household, now)

    def by_now(document: Mapping[str, Any]) -> dict[str, Any]:
        then = datetime.fromisoformat(document["now"])
        until_now = (now.astimezone(zone).date() - then.astimezone(zone).date()).days + 1
        nights = max(document["horizon_nights"], until_now)
        return {**document, "horizon_nights": nights, "trips": _trips(weeks, last_read(household, then), then, nights, zone)}

    return Stands(weeks, aboard(household, weeks, now, by_now))


def _horizon_end(zone: ZoneInfo, now: datetime, nights: int) -> datetime:
    return noon(now.astimezone(zone).date() + timedelta(days=nights), zone)


def _trips(
    weeks: Weeks,
    readings: Mapping[int, SocReading | None],
    now: datetime,
    nights: int,
    zone: ZoneInfo,
    *,
    every_trip: bool = False,
) -> list[dict[str, Any]]:
    """The trips from an instant on, as they are known by now.

    readings : the last of each car's SoC before that instant. every_trip : those beyond the plan too, all as typed.
    """
    horizon_end = _horizon_end(zone, now, nights)
    last = None if every_trip else now + timedelta(days=nights + 2)
    told, usually = list[tuple[Trip, dict[str, Any]]](), list[dict[str, Any]]()
    for vehicle, week in weeks.items():
        for trip in week.named:
            if trip.back > now and (last is None or trip.leave < last):
                told.append((trip, _typed_trip(trip, zone) if every_trip else _trip(trip, vehicle, week, horizon_end, zone)))
        reading = readings.get(vehicle.pk)
        here = None if reading is None else reading.at
        usually += usual.usual_trips(vehicle, week, now, horizon_end, here=here)
    told.sort(key=lambda one: (one[0].leave, one[0].pk))
    return [*(trip for _, trip in told), *usually]


def _kept(row: Any, keys: list[str]) -> dict[str, Any]:
    return {key: value for key in keys if (value := getattr(row, key)) is not None}


def _feeder(feeder: Feeder) -> dict[str, Any]:
    legs = {"legs": feeder.legs} if feeder.legs else {}
    return {"id": str(feeder.pk), **legs, **_kept(feeder, ["name", "rating_a", "continuous_factor", "other_load_a"])}


def _link(key: str, pk: int | None) -> dict[str, str]:
    return {} if pk is None else {key: str(pk)}


def _vehicle(vehicle: Vehicle, week: UsualWeek, known: Aboard, end: datetime) -> dict[str, Any]:
    return {
        "id": str(vehicle.pk),
        "name": vehicle.name,
        "lead": str(vehicle.lead_id),
        "soc_pct": known.pct,
        "charging": known.charging,
        "end_pct": _wanted_at_end(vehicle, week, end),
        **_plug_in_hours(vehicle),
        **_kept(vehicle, _VEHICLE_KEYS),
    }


def _plug_in_hours(vehicle: Vehicle) -> dict[str, list[str | None]]:
    hours = [vehicle.plug_in_from, vehicle.plug_in_to]
    return {"plug_in_hours": hours} if any(hours) else {}


def _rate(rate: Rate) -> dict[str, Any]:
    told: dict[str, Any] = {
        "vehicle": str(rate.vehicle_id),
        "lead": str(rate.lead_id),
        **_kept(rate, ["efficiency", "overhead_kw", "voltage_v"]),
    }
    if rate.cautious_efficiency is not None and rate.cautious_overhead_kw is not None:
        told["cautious"] = {"efficiency": rate.cautious_efficiency, "overhead_kw": rate.cautious_overhead_kw}
    return told


def _ended(trip: Trip, now: datetime) -> list[dict[str, Any]]:
    """A trip that is over, with those that it overlaps, as typed; a plan has no more to do with them."""
    over = Trip.objects.of(trip.household).filter(vehicle=trip.vehicle_id, back__lte=now)
    with_it = over.filter(Q(pk=trip.pk) | Q(leave__lt=trip.back, back__gt=trip.leave))
    return [_typed_trip(one, usual.zone_of(trip.household)) for one in with_it]


def _typed_trip(trip: Trip, zone: ZoneInfo) -> dict[str, Any]:
    return {
        "vehicle": str(trip.vehicle_id),
        "leave": trip.leave.astimezone(zone).isoformat(),
        "back": trip.back.astimezone(zone).isoformat(),
        **_kept(trip, ["km", "temperature_c", "gain_kwh", "fill", "fill_to_pct"]),
    }


def _trip(trip: Trip, vehicle: Vehicle, week: UsualWeek, end: datetime, zone: ZoneInfo) -> dict[str, Any]:
    told = _typed_trip(trip, zone)
    if not trip.fill and trip.leave < end < trip.back:
        told |= {"fill": True, "fill_to_pct": leaves_with_pct(trip, vehicle, _wanted_at_end(vehicle, week, end))}
    return told


def leaves_with_pct(trip: Trip, vehicle: Vehicle, wanted_pct: float) -> float:
    """What a car leaves with that is away when the plan ends, and can't be asked for what is wanted then: so much, or
    as much less as is charged on the way."""
    return max(0.0, wanted_pct - trip.gain_kwh / vehicle.usable_kwh * 100)


def _wanted_at_end(vehicle: Vehicle, week: UsualWeek, end: datetime) -> float:
    """As typed, else the next usual need; a car whose days nobody knows is safest full."""
    if vehicle.end_pct is not None:
        return vehicle.end_pct
    need = usual.next_need_pct(vehicle, week, end)
    return vehicle.daily_limit_pct if need is None else need
