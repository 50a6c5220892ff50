"""Which plan a night is compared with: the one that was shown when its first session began, or at bedtime."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from datetime import date, datetime, timedelta
from typing import Any, NamedTuple
from zoneinfo import ZoneInfo

from moonplan.core.timegrid import in_night, night_of, noon
from moonplan.core.values import clock_of
from moonplan.household.models import Household
from moonplan.planning.models import ShownPlan
from moonplan.planning.usual import zone_of

# A plan that is older than this when a night begins says nothing of it any more.
_HOLDS = timedelta(days=2)

# Of each car by its id: its sessions as the plan document has them.
Planned = Mapping[str, list[dict[str, Any]]]


class _Begun(NamedTuple):
    begins: datetime
    sessions: Planned
    end: datetime


def planned_nights(household: Household, first: date, last: date) -> dict[date, Planned]:
    """What was planned for each night from one to another, both included; a night that nobody planned is left out.

    A plan freezes when the first session that it has in the night begins, or at bedtime, whichever is first: what was
    planned later was planned knowing how the night went.
    """
    zone = zone_of(household)
    since, until = noon(first, zone) - _HOLDS, noon(last + timedelta(days=1), zone)
    plans = ShownPlan.objects.filter(household=household, begins__gte=since, begins__lt=until)
    shown = [_begun(plan) for plan in plans.only("begins", "plan").order_by("begins", "pk").iterator()]
    nights = (first + timedelta(days=n) for n in range((last - first).days + 1))
    frozen = ((night, _frozen(shown, night, household, zone)) for night in nights)
    return {night: _of_night(plan, night, zone) for night, plan in frozen if plan is not None}


def _begun(plan: ShownPlan) -> _Begun:
    assert plan.begins is not None
    sessions = {car["id"]: car["sessions"] for car in plan.plan["vehicles"]}
    return _Begun(plan.begins, sessions, datetime.fromisoformat(plan.plan["end"]))


def _frozen(shown: list[_Begun], night: date, household: Household, zone: ZoneInfo) -> _Begun | None:
    begins, ends = noon(night, zone), noon(night + timedelta(days=1), zone)
    bedtime = in_night(night, clock_of(household.bedtime), zone)
    found: _Begun | None = None
    for plan in shown:
        if not begins - _HOLDS <= plan.begins < ends or plan.end <= begins:
            continue
        if found is not None and plan.begins > min([bedtime, *_starts(found, night, zone)]):
            break
        found = plan
    return found


def _starts(plan: _Begun, night: date, zone: ZoneInfo) -> Iterator[datetime]:
    for sessions in _of_night(plan, night, zone).values():
        yield from (datetime.fromisoformat(session["start"]) for session in sessions)


def _of_night(plan: _Begun, night: date, zone: ZoneInfo) -> Planned:
    return {
        car: [one for one in sessions if night_of(datetime.fromisoformat(one["start"]), zone) == night]
        for car, sessions in plan.sessions.items()
    }
