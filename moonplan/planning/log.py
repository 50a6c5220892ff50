"""The log: what a household's nights came to, each beside the plan that was shown in the evening."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, datetime, timedelta
from typing import Any

from moonplan.core.as_planned import Stretch, beside_the_plan
from moonplan.core.timegrid import night_of, noon
from moonplan.household.models import Household, Person, Vehicle
from moonplan.logbook import models as rows
from moonplan.logbook.models import RateReading
from moonplan.planning.documents import night_now
from moonplan.planning.frozen import Planned, planned_nights
from moonplan.planning.heading import heading
from moonplan.planning.ledger import Ledger, told_bought
from moonplan.planning.models import ShownPlan
from moonplan.planning.usual import zone_of

NIGHTS = 7


def log(person: Person, now: datetime, until: date | None = None) -> dict[str, Any]:
    """Nights that are over, the last one first, each car's beside what was planned.

    until : the last night to tell of; None for the last one that is over.
    """
    household = person.household
    last_over = night_now(household, now) - timedelta(days=1)
    last = min(until or last_over, last_over)
    earliest = _earliest(household)
    first = min(last, max(earliest or last, last - timedelta(days=NIGHTS - 1)))
    kept = Ledger(household, now, first, last)
    planned = planned_nights(household, first, last)
    vehicles = list(Vehicle.objects.of(household))
    taken = _taken_readings(household)
    nights = [last - timedelta(days=n) for n in range((last - first).days + 1)]
    return {
        **heading(household, now),
        "last": last.isoformat(),
        "is_last": last == last_over,
        "is_first": earliest is None or first <= earliest,
        "nights": [
            {
                "night": night.isoformat(),
                "start": noon(night, kept.zone).isoformat(),
                "end": noon(night + timedelta(days=1), kept.zone).isoformat(),
                "cars": [_car(kept, vehicle, night, planned.get(night), taken) for vehicle in vehicles],
            }
            for night in nights
        ],
        "months": _months(household, now),
    }


def _earliest(household: Household) -> date | None:
    """The first night that anything is known of; None where nothing is."""
    zone = zone_of(household)
    plan = (
        ShownPlan.objects.filter(household=household, begins__isnull=False).order_by("begins").values_list("begins").first()
    )
    session = rows.LoggedSession.objects.of(household).order_by("start").values_list("start").first()
    return min((night_of(at, zone) for found in (plan, session) if found for at in found), default=None)


def unwritten(household: Household, now: datetime) -> dict[str, Any]:
    """Which cars were to charge in the last night that is over, and have nothing written down of it."""
    night, zone = night_now(household, now) - timedelta(days=1), zone_of(household)
    planned = planned_nights(household, night, night).get(night, {})
    since, until = noon(night, zone), noon(night + timedelta(days=1), zone)
    told = set(rows.LoggedSession.objects.of(household).filter(start__gte=since, start__lt=until).values_list("vehicle_id"))
    vehicles = Vehicle.objects.of(household)
    return {
        "night": night.isoformat(),
        "cars": [one.name for one in vehicles if planned.get(str(one.pk)) and (one.pk,) not in told],
    }


def _months(household: Household, now: datetime) -> list[str]:
    """Months that a statement can be made of, the present one first."""
    zone, earliest = zone_of(household), rows.LoggedSession.objects.of(household).first()
    if earliest is None:
        return []
    first, today = night_of(earliest.start, zone), now.astimezone(zone).date()
    return [f"{n // 12}-{n % 12 + 1:02}" for n in range(_nth(today), _nth(first) - 1, -1)]


def _nth(day: date) -> int:
    return day.year * 12 + day.month - 1


def _taken_readings(household: Household) -> set[tuple[int, datetime]]:
    """By car and end what is kept as a reading of the charge rate."""
    read = RateReading.objects.of(household).filter(kind__in=("meter", "span"))
    return set(read.values_list("vehicle_id", "at"))


def _car(
    kept: Ledger, vehicle: Vehicle, night: date, planned: Planned | None, taken: set[tuple[int, datetime]]
) -> dict[str, Any]:
    wanted = None if planned is None else planned.get(str(vehicle.pk))
    mine = [row for row in kept.mine if row.vehicle_id == vehicle.pk and night_of(row.start, kept.zone) == night]
    verdict = beside_the_plan(
        None if wanted is None else [_planned_stretch(one, kept) for one in wanted],
        [
            Stretch(row.start.astimezone(kept.zone), row.end.astimezone(kept.zone), kept.charged[row.pk].wall_kwh)
            for row in mine
        ],
    )
    return {
        "id": vehicle.pk,
        "name": vehicle.name,
        "planned": None if wanted is None else [_told_planned(one) for one in wanted],
        "sessions": [told_session(kept, row, taken) for row in mine],
        "cause": verdict.cause,
        "told": verdict.told,
    }


def _planned_stretch(session: Mapping[str, Any], kept: Ledger) -> Stretch:
    start, end = (datetime.fromisoformat(session[key]).astimezone(kept.zone) for key in ("start", "end"))
    return Stretch(start, end, session["wall_kwh"])


def _told_planned(session: Mapping[str, Any]) -> dict[str, Any]:
    keys = ("start", "end", "amps", "wall_kwh", "battery_kwh", "cost", "soc_from_pct", "soc_to_pct")
    return {key: session[key] for key in keys}


def told_session(kept: Ledger, row: rows.LoggedSession, taken: set[tuple[int, datetime]]) -> dict[str, Any]:
    """A session with what it came to and cost. taken : by car and end what is kept as a reading already."""
    came_to, cost = kept.charged[row.pk], kept.costs[row.pk]
    # Both SoCs that somebody read tell what reached the battery.
    tells = not row.as_planned and row.soc_from_pct is not None and row.soc_to_pct is not None
    return {
        "id": row.pk,
        "version": row.version,
        "start": row.start.astimezone(kept.zone).isoformat(),
        "end": row.end.astimezone(kept.zone).isoformat(),
        "wall_kwh": round(came_to.wall_kwh, 3),
        "battery_kwh": round(came_to.battery_kwh, 3),
        "soc_from_pct": _rounded(came_to.soc_from_pct),
        "soc_to_pct": _rounded(came_to.soc_to_pct),
        "read": {key: getattr(row, key) for key in ("wall_kwh", "soc_from_pct", "soc_to_pct")},
        "as_planned": row.as_planned,
        "derived": sorted(came_to.derived),
        "solar_kwh": round(cost.solar_kwh, 3),
        "cost": round(cost.cost, 5),
        "cost_sun_free": round(cost.cost_sun_free, 5),
        "bought": told_bought(cost.bought),
        "reading": None
        if row.lead_id is None or not tells or row.soc_to_pct <= row.soc_from_pct
        else {"lead": row.lead_id, "kept": (row.vehicle_id, row.end) in taken},
    }


def _rounded(pct: float | None) -> float | None:
    return None if pct is None else round(pct, 1)
