"""Which of the figures that a plan stands on come from a simulated stand-in: it is said wherever they are shown."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime

from moonplan.devices import FEEDS, SKY, PriceFeed, Sky
from moonplan.household.models import Household, Tariff
from moonplan.planning.sun import roof_of
from moonplan.planning.tariffs import in_force
from moonplan.planning.usual import zone_of


def simulated(household: Household, now: datetime) -> list[str]:
    """What is made up in a household's plans, by its name; nothing where all is real."""
    tariff = in_force(household, now.astimezone(zone_of(household)).date())
    return made_up(household, [] if tariff is None else [tariff])


def made_up(household: Household, tariffs: Iterable[Tariff]) -> list[str]:
    """What is made up where these tariffs and the household's roof are reckoned with."""
    sources: list[Sky | PriceFeed] = [] if roof_of(household) is None else [SKY]
    sources += [FEEDS[key] for key in dict.fromkeys(tariff.feed for tariff in tariffs) if key in FEEDS]
    return [source.name for source in sources if source.simulated]
