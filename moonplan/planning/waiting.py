"""Whether to wait for a day's sun, for a stored household."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from typing import Any

from moonplan.core.mistakes import Mistake
from moonplan.core.planner.wait import Waiting, waiting
from moonplan.devices import SKY
from moonplan.household import editing
from moonplan.household.models import Household
from moonplan.planning.documents import core_household, night_now
from moonplan.planning.sun import roof_of, surplus_of
from moonplan.planning.usual import zone_of

# The days that are asked about: from tomorrow on.
_DAYS = 6


def waiting_for_sun(household: Household, now: datetime, day: date | None) -> dict[str, Any]:
    """Charging without a day's sun beside waiting for it, car by car.

    day : None for the one with the most sun left over by the house.

    Raises
    ------
    Refused
        If the household has no roof, or the day is not one of those that are asked about.
    """
    roof = roof_of(household)
    today = now.astimezone(zone_of(household)).date()
    days = [today + timedelta(days=n) for n in range(1, _DAYS + 1)]
    if roof is None:
        raise editing.Refused([Mistake("arrays", "none", "an array, and where the house is")])
    chosen = day or max(days, key=lambda one: surplus_of(household, roof, today, one))
    if chosen not in days:
        raise editing.Refused([Mistake("day", chosen.isoformat(), f"a day from {days[0]} to {days[-1]}")])
    given = core_household(household, now, (chosen - night_now(household, now)).days + 1)
    sky = SKY.forecast(roof.place, chosen, today)
    return {
        "days": [one.isoformat() for one in days],
        "day": chosen.isoformat(),
        "sky": {"name": SKY.name, "simulated": SKY.simulated},
        "cars": [
            {"id": car.id, "name": car.name or car.id, "answer": _told(waiting(given, car.id, chosen, sky))}
            for car in given.vehicles
        ],
    }


def _told(found: Waiting | None) -> dict[str, Any] | None:
    return found and {
        **{key: round(getattr(found, key), 4) for key in ("cost_now", "cost_low", "cost_middle", "cost_high", "chance")},
        "worth_it": found.worth_it,
        "pays_from": None if found.pays_from is None else round(found.pays_from, 2),
        "solar_kwh": round(found.solar_kwh, 2),
        "short_kwh": round(found.short_kwh, 3),
        "sessions_now": [at.isoformat() for at in found.sessions_now],
        "sessions_waiting": [at.isoformat() for at in found.sessions_waiting],
    }
