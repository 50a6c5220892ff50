"""What was decided for one car and one night."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from datetime import date, datetime, timedelta
from typing import Any

from moonplan.household import editing
from moonplan.household.models import Evening, Household, Person, Vehicle


def evenings_of(household: Household, now: datetime) -> Iterable[Evening]:
    """What was decided for the last nights and those to come."""
    return Evening.objects.of(household).filter(night__gte=(now - timedelta(days=2)).date())


def set_evening(
    person: Person, vehicle: Vehicle, night: date, fields: Mapping[str, Any], *, what: str, version: int | None = None
) -> None:
    """Change what was decided for a car and a night, whether or not anything was decided yet.

    version : of what was decided; None where it was read just now.
    """
    evening = Evening.objects.of(person.household).filter(vehicle=vehicle, night=night).first()
    if evening is None:
        editing.add(person, "evening", {"vehicle_id": vehicle.pk, "night": night, **fields}, what=what)
    else:
        seen = evening.version if version is None else version
        editing.change(person, evening, fields, version=seen, what=what)
