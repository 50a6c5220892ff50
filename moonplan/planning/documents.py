"""From stored rows to the household document that core reads, and the clock that planning goes by."""

from __future__ import annotations

import json
import os
from collections.abc import Iterable, Mapping
from datetime import date, datetime, timedelta
from functools import cache
from typing import Any
from zoneinfo import ZoneInfo

from django.db.models import Q
from django.utils import timezone

from moonplan.core import household as documents
from moonplan.core.mistakes import BadDocument, Mistake
from moonplan.core.planner.plan import check_pins
from moonplan.core.timegrid import night_asked_about, noon
from moonplan.core.usual_days import UsualDay
from moonplan.core.values import clock_of
from moonplan.household import editing
from moonplan.household.models import Circuit, Evening, Feeder, Household, Lead, Rate, Trip, Vehicle
from moonplan.logbook.models import RateReading
from moonplan.planning import usual
from moonplan.planning.aboard import Aboard, aboard, as_read, soc_of
from moonplan.planning.by_hand import forbids_of, no_clock_times, pins_of
from moonplan.planning.rates import measured_rates
from moonplan.planning.sun import sun_ahead
from moonplan.planning.tariffs import tariff_keys
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


Weeks = Mapping[Vehicle, list[UsualDay]]


@cache
def _fixed_now(text: str) -> datetime:
    return datetime.fromisoformat(text)


def planning_now() -> datetime:
    """The instant that planning goes by: MOONPLAN_NOW where set, else the machine's clock."""
    fixed = os.environ.get("MOONPLAN_NOW")
    return _fixed_now(fixed) if fixed else timezone.now()


def household_document(
    household: Household, now: datetime, nights: int | None = None, *, known: Mapping[Vehicle, Aboard] | None = None
) -> dict[str, Any]:
    """The document of a household as it stands, with the rates that its readings come to.

    nights : how many to plan from the one that is asked about on; None for as many as the household plans ahead.
    known : what is aboard now, where that was asked for before.
    """
    document = _without_readings(household, now, nights or usual.nights_ahead(household, now), known=known)
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
    household: Household,
    now: datetime,
    nights: int,
    *,
    every_trip: bool = False,
    known: Mapping[Vehicle, Aboard] | None = None,
) -> dict[str, Any]:
    zone = usual.zone_of(household)
    nights -= _begun(household, now)
    feeders, circuits = Feeder.objects.of(household), Circuit.objects.of(household)
    weeks = _weeks(household, now)
    end = now + timedelta(days=nights + 2)
    horizon_end = _horizon_end(household, now, nights)
    evenings = _evenings(household, now)
    known = _aboard(household, weeks, now) if known is None else known
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
        "vehicles": [_vehicle(vehicle, week, known[vehicle], horizon_end) for vehicle, week in weeks.items()],
        "rates": [_rate(rate) for rate in Rate.objects.of(household)],
        "trips": _trips(household, weeks, now, nights, every_trip=every_trip),
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
    mistakes = list(no_clock_times(_evenings(household, now)))
    try:
        # How much is aboard is no matter of what may be typed, but where a session is pinned.
        known = {vehicle: as_read(vehicle, now) for vehicle in Vehicle.objects.of(household)}
        document = _without_readings(household, now, usual.nights_ahead(household, now), every_trip=True, known=known)
        if isinstance(row, Trip):
            document["trips"] += _ended(row, now)
        as_core(document)
        if as_core(_with_readings(household, document)).pins:
            check_pins(core_household(household, now))
    except BadDocument as error:
        at = _evenings(household, now), now, usual.zone_of(household)
        by_hand = {"pins": pins_of(*at), "forbids": forbids_of(*at)}
        mistakes += [at_its_row(mistake, document, by_hand, household) for mistake in error.mistakes]
    return mistakes


def _evenings(household: Household, now: datetime) -> Iterable[Evening]:
    """What was decided for the last nights and those to come."""
    return Evening.objects.of(household).filter(night__gte=(now - timedelta(days=2)).date())


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


def aboard_now(household: Household, now: datetime) -> dict[Vehicle, Aboard]:
    """What is known to be aboard each car now."""
    return _aboard(household, _weeks(household, now), now)


def _aboard(household: Household, weeks: Weeks, now: datetime) -> dict[Vehicle, Aboard]:
    zone = usual.zone_of(household)

    def by_now(document: Mapping[str, Any]) -> dict[str, Any]:
        then = datetime.fromisoformat(document["now"])
        until_now = (now.astimezone(zone).date() - then.astimezone(zone).date()).days + 1
        nights = max(document["horizon_nights"], until_now)
        return {**document, "horizon_nights": nights, "trips": _trips(household, weeks, then, nights)}

    return aboard(household, weeks, now, by_now)


def _weeks(household: Household, now: datetime) -> Weeks:
    return {vehicle: usual.usual_week(vehicle, now) for vehicle in Vehicle.objects.of(household)}


def _horizon_end(household: Household, now: datetime, nights: int) -> datetime:
    zone = usual.zone_of(household)
    return noon(now.astimezone(zone).date() + timedelta(days=nights), zone)


def _trips(
    household: Household, weeks: Weeks, now: datetime, nights: int, *, every_trip: bool = False
) -> list[dict[str, Any]]:
    """The trips from an instant on, as they are known by now. every_trip : those beyond the plan too, all as typed."""
    zone, horizon_end = usual.zone_of(household), _horizon_end(household, now, nights)
    named = Trip.objects.of(household).filter(back__gt=now).select_related("vehicle")
    if not every_trip:
        named = named.filter(leave__lt=now + timedelta(days=nights + 2))
    return [
        *(_typed_trip(trip, zone) if every_trip else _trip(trip, weeks[trip.vehicle], horizon_end, zone) for trip in named),
        *(
            trip
            for vehicle, week in weeks.items()
            for trip in usual.usual_trips(vehicle, week, now, horizon_end, here=_read_at(vehicle, now))
        ),
    ]


def _read_at(vehicle: Vehicle, now: datetime) -> datetime | None:
    reading = soc_of(vehicle, now)
    return None if reading is None else reading.at


def _kept(row: Any, keys: list[str]) -> dict[str, Any]:
    return {key: value for key in keys if (value := getattr(row, key)) is not None}


def _feeder(feeder: Feeder) -> dict[str, Any]:
    legs = {"legs": feeder.legs} if feeder.legs else {}
    return {"id": str(feeder.pk), **legs, **_kept(feeder, ["name", "rating_a", "continuous_factor", "other_load_a"])}


def _link(key: str, pk: int | None) -> dict[str, str]:
    return {} if pk is None else {key: str(pk)}


def _vehicle(vehicle: Vehicle, week: list[UsualDay], known: Aboard, end: datetime) -> dict[str, Any]:
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


def _trip(trip: Trip, week: list[UsualDay], end: datetime, zone: ZoneInfo) -> dict[str, Any]:
    told = _typed_trip(trip, zone)
    if not trip.fill and trip.leave < end < trip.back:
        # A car that is away when the plan ends can't be asked for its end level then: it leaves with it, or with as much
        # less as is charged on the way.
        pct = _wanted_at_end(trip.vehicle, week, end) - trip.gain_kwh / trip.vehicle.usable_kwh * 100
        told |= {"fill": True, "fill_to_pct": max(0.0, pct)}
    return told


def _wanted_at_end(vehicle: Vehicle, week: list[UsualDay], end: datetime) -> float:
    """As typed, else the next usual need; a car whose days nobody knows is safest full."""
    if vehicle.end_pct is not None:
        return vehicle.end_pct
    need = usual.next_need_pct(vehicle, week, end)
    return vehicle.daily_limit_pct if need is None else need
