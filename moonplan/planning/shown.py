"""The plan that is shown: kept as a person saw it, and gone on with until somebody changes something."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import Any

from django.db import transaction

from moonplan.core import household as core
from moonplan.core.planner.reckoning import offers, still_plugged_in
from moonplan.core.planner.tonight import the_night
from moonplan.core.timegrid import noon
from moonplan.household import editing
from moonplan.household.models import Household, Vehicle
from moonplan.planning.aboard import LOOKED_THROUGH, Aboard
from moonplan.planning.models import ShownPlan

# A plan in which nothing happens is kept anew after so long: SoC is not reckoned from a month ago.
_STAYS = timedelta(days=7)


def keep(household: Household, given: dict[str, Any], answer: dict[str, Any], known: Mapping[Vehicle, Aboard]) -> str:
    """Keep the plan as shown, unless it is the one that is shown already, or what is left of that.

    known : what is aboard each car, as the document was made with.
    """
    text = json.dumps([given | {"now": None}, answer["vehicles"]], sort_keys=True)
    revision = hashlib.sha256(text.encode()).hexdigest()
    stands_on = {str(vehicle.pk): _stood_on(one) for vehicle, one in known.items()}
    since = {"stands_on": stands_on, "edits": editing.edits_of(household)}
    with transaction.atomic():
        shown = ShownPlan.objects.filter(household=household, current=True)
        # What was read or edited meanwhile may have left the plan as it was.
        known_already = shown.filter(revision=revision).update(**since)
        if not known_already and not _is_what_is_left(answer, goes_on(household)):
            shown.update(current=False)
            begins = datetime.fromisoformat(answer["start"])
            ShownPlan.objects.create(
                household=household, revision=revision, document=given, plan=answer, begins=begins, **since
            )
    return revision


def _is_what_is_left(answer: Mapping[str, Any], shown: Mapping[str, Any] | None) -> bool:
    """Whether a plan is what is left of the one that is shown, which then stays: a page that stays open looks time and
    again."""
    if shown is None:
        return False
    began, start = (datetime.fromisoformat(plan["start"]) for plan in (shown, answer))
    return start - began < _STAYS and offers(shown, start) == offers(answer, start)


def _stood_on(known: Aboard) -> dict[str, Any]:
    return {"reading": None if known.reading is None else known.reading.pk, "mean_pct": known.mean_pct}


def goes_on(household: Household) -> dict[str, Any] | None:
    """The plan document that is shown, where nobody has changed anything since; else None."""
    shown = ShownPlan.objects.filter(household=household, current=True, edits=editing.edits_of(household)).first()
    return None if shown is None else dict(shown.plan)


def hanging_on_their_leads(household: Household, asked: core.Household) -> set[str]:
    """Cars that have charged in the night that is asked about, and hang on their leads. asked : as core takes it now."""
    plans = ShownPlan.objects.filter(household=household).only("document", "plan")[:LOOKED_THROUGH]
    shown = ((plan.document, plan.plan) for plan in plans.iterator())
    return still_plugged_in(asked, shown, since=noon(the_night(asked), asked.zone))
