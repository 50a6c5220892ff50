"""Day-ahead prices: hour by hour, published for tomorrow in the early afternoon."""

import math
import random
from datetime import UTC, date, datetime, time, timedelta
from typing import Protocol
from zoneinfo import ZoneInfo

from moonplan.core.timegrid import instant_at


class PriceFeed(Protocol):
    """The port for a price service.

    name : as it is shown beside its prices. simulated : whether they are made up. step_minutes : how long a price holds.
    """

    name: str
    simulated: bool
    step_minutes: int

    def published_until(self, now: datetime, zone: ZoneInfo) -> date:
        """The last local day that prices are out for."""

    def prices(self, day: date, zone: ZoneInfo) -> list[tuple[datetime, float]]:
        """The prices of a local day, each from its start on. [currency/kWh]"""


class SimulatedDayAhead:
    """Made-up prices, the same for the same day: dear evenings, cheap nights, a dip at summer noons."""

    name = "simulated day-ahead feed"
    simulated = True
    step_minutes = 60
    published_at = time(13, 0)

    def __init__(self, seed: str = "made-up prices") -> None:
        self._seed = seed

    def published_until(self, now: datetime, zone: ZoneInfo) -> date:
        local = now.astimezone(zone)
        return local.date() + timedelta(days=1 if local.time() >= self.published_at else 0)

    def prices(self, day: date, zone: ZoneInfo) -> list[tuple[datetime, float]]:
        chance = random.Random(f"{self._seed} {day}")
        level = 0.235 + 0.03 * math.cos((day.timetuple().tm_yday - 15) / 365 * 2 * math.pi) + chance.gauss(0, 0.035)
        summer = (1 - math.cos(day.timetuple().tm_yday / 365 * 2 * math.pi)) / 2
        weekend = 0.82 if day.weekday() >= 5 else 1.0
        start, end = (instant_at(day + timedelta(days=n), time(0), zone) for n in (0, 1))
        told, at = [], start
        while at < end:
            hour = at.hour
            shape = (
                0.36
                + 0.50 * math.exp(-(((hour - 8) / 2.2) ** 2))
                + 0.75 * math.exp(-(((hour - 18.5) / 2.4) ** 2))
                + 0.22 * math.exp(-(((hour - 13) / 5) ** 2))
                - 0.75 * summer * math.exp(-(((hour - 13.5) / 2.6) ** 2))
            )
            told.append((at, round(level * weekend * shape + chance.gauss(0, 0.006), 5)))
            at = (at.astimezone(UTC) + timedelta(hours=1)).astimezone(zone)
        return told
