"""The currents that a car may be offered when it is bounded, in windows (docs/planner.md)."""

from collections.abc import Callable
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from moonplan.core.planner.problem import Car
from moonplan.core.rates import Rate
from moonplan.core.timegrid import Counts, Floats

# What counts as the part that the mean car stores where another stores nothing.
_FAR_AHEAD = 1e3


class Currents(NamedTuple):
    """least_a, most_a : the ends of what may be offered in each slot, shapes (n_slots,). [A]
    windows_a : the same within each step of the lead, or each part of a continuous one's span, shape (n_slots, n_windows,
        2); nan for nothing. [A]
    """

    least_a: Floats
    most_a: Floats
    windows_a: Floats

    def units(self, car: Car, rate: Rate, unit_kwh: float, hours: float) -> Counts:
        """The windows in units gained, shape (n_slots, n_windows, 2); −1 for none."""
        gained = _of_each(self.windows_a, lambda amps: rate.battery_kw(car.intake.wall_kw(amps)) * hours / unit_kwh)
        least, most = np.floor(gained[..., 0] + 1e-6), np.ceil(gained[..., 1] - 1e-6)
        return np.asarray(np.nan_to_num(np.stack([least, most], axis=-1), nan=-1.0), dtype=np.int64)

    def mean_parts(self, car: Car, rate: Rate) -> tuple[Floats, Floats]:
        """At least and at most what the mean car stores of a kWh that one at `rate` does, in each window, shapes
        (n_windows,)."""

        def part(amps: float) -> float:
            wall_kw = car.intake.wall_kw(amps)
            stored_kw = rate.battery_kw(wall_kw)
            return car.rate.mean.battery_kw(wall_kw) / stored_kw if stored_kw > 0 else _FAR_AHEAD

        # Between two currents the part lies between theirs.
        parts = _of_each(self.windows_a, part)
        some = ~np.isnan(parts)
        return np.min(parts, axis=(0, 2), where=some, initial=_FAR_AHEAD), np.max(
            parts, axis=(0, 2), where=some, initial=0.0
        )


def currents_of(car: Car, most_a: Floats, timer_windows: int) -> Currents:
    """What a car may be offered.

    most_a : at the most in each slot, shape (n_slots,). [A] timer_windows : into how many windows the span of a continuous
        timer's currents is cut.
    """
    pinned = ~np.isnan(car.pinned_a)
    least_a = np.where(pinned, most_a, np.minimum(car.least_a, most_a))
    spans = _spans(car, float(most_a.max(initial=0.0)), timer_windows)
    windows_a = np.full((len(most_a), len(spans), 2), np.nan)
    for nth, (low, high) in enumerate(spans):
        least, most = np.where(pinned, most_a, np.maximum(low, least_a)), np.where(pinned, most_a, np.minimum(high, most_a))
        some = (most_a > 0) & (least <= most + 1e-9)
        windows_a[some, nth] = np.stack([least, most], axis=-1)[some]
    return Currents(least_a, most_a, windows_a)


def _of_each(amps: Floats, told: Callable[[float], float]) -> Floats:
    """What is told of each current, worked out once for each that there is; nan stays."""
    values, where = np.unique(amps, return_inverse=True)
    return np.array([told(a) if not np.isnan(a) else a for a in values.tolist()])[where].reshape(amps.shape)


def _spans(car: Car, highest_a: float, timer_windows: int) -> list[tuple[float, float]]:
    """From which current to which each window goes. [A]"""
    if car.steps_a:
        return [(step, step) for step in car.steps_a if step <= highest_a + 1e-9]
    if car.control == "managed":
        return [(0.0, highest_a)]
    return list(pairwise(np.linspace(min(car.least_a, highest_a), highest_a, timer_windows + 1).tolist()))
