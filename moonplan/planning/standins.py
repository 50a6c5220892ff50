"""Which of the figures that a plan stands on come from a simulated stand-in: it is said wherever they are shown."""

from __future__ import annotations

from datetime import datetime

from moonplan.devices import FEEDS, SKY
from moonplan.household.models import Household
from moonplan.planning.sun import roof_of
from moonplan.planning.tariffs import in_force
from moonplan.planning.usual import zone_of


def simulated(household: Household, now: datetime) -> list[str]:
    """What is made up in a household's plans, by its name; nothing where all is real."""
    tariff = in_force(household, now.astimezone(zone_of(household)).date())
    feed = None if tariff is None else FEEDS.get(tariff.feed)
    sources = [SKY] if roof_of(household) is not None else []
    return [source.name for source in (*sources, *([feed] if feed else [])) if source.simulated]
