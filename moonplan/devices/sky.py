"""The sky: what part of a clear day's sun a day is forecast to bring, and what part a day that is over brought."""

import math
import random
from datetime import date, timedelta
from typing import Protocol

from moonplan.core.sun import Place, SkyFactor

_LEAST, _MOST = 0.03, 1.05


class Sky(Protocol):
    """The port for a weather service.

    name : as it is shown beside its figures. simulated : whether they are made up.
    """

    name: str
    simulated: bool

    def forecast(self, place: Place, day: date, asked_on: date) -> SkyFactor:
        """What a day is forecast to bring, as known on another."""

    def was(self, place: Place, day: date) -> float:
        """What part of a clear day's output a day that is over brought."""

    def usual(self, place: Place, month: int) -> float:
        """What part a day of a month (1 to 12) usually brings."""


class SimulatedSky:
    """A made-up sky, the same for the same place and day: dull spells and bright ones, duller in winter."""

    name = "simulated sky"
    simulated = True

    def __init__(self, seed: str = "a made-up sky") -> None:
        self._seed = seed

    def forecast(self, place: Place, day: date, asked_on: date) -> SkyFactor:
        ahead = max(0, (day - asked_on).days)
        # What is known fades within a week towards what is usual.
        known = math.exp(-ahead / 5)
        middle = known * self.was(place, day) + (1 - known) * self.usual(place, day.month)
        miss = self._chance(place, f"miss {day}").gauss(0, 0.04 + 0.015 * ahead)
        middle = min(0.97, max(0.08, middle + miss))
        spread = 0.08 + 0.035 * ahead
        return SkyFactor(max(_LEAST, middle - 1.3 * spread), middle, min(_MOST, middle + 1.1 * spread))

    def was(self, place: Place, day: date) -> float:
        near = [self._chance(place, f"day {day + timedelta(days=n)}").random() for n in (-1, 0, 1)]
        bright = 0.3 * near[0] + 0.5 * near[1] + 0.2 * near[2]
        return min(0.98, max(0.06, self.usual(place, day.month) + 1.5 * (bright - 0.5)))

    def usual(self, place: Place, month: int) -> float:
        season = math.cos((month - 1) / 12 * 2 * math.pi)
        return 0.56 - 0.14 * (season if place.latitude >= 0 else -season)

    def _chance(self, place: Place, what: str) -> random.Random:
        return random.Random(f"{self._seed} {place.latitude:.1f} {place.longitude:.1f} {what}")
