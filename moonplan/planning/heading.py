"""What every screen is told besides its own matter: whose clock, money and distances, and what can be undone."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from moonplan.household.models import Change, Household
from moonplan.planning.usual import zone_of


def heading(household: Household, now: datetime) -> dict[str, Any]:
    """Clock, currency and unit of distance, now on the household's clock, and the edit that undo would take back."""
    last = Change.objects.filter(household=household, undone=False).first()
    return {
        "now": now.astimezone(zone_of(household)).isoformat(),
        "timezone": household.timezone,
        "currency": household.currency,
        "distance_unit": household.distance_unit,
        "undo": None if last is None else last.what,
    }
