"""The fit: a hook-up's rate from its readings (rules, section 2).

A Bayesian linear regression of battery kW on wall kW, `battery = efficiency × wall − overhead`, with truncated normal priors
on both and noise by the kind of reading. Two unknowns are few enough to add the posterior up on a grid, which needs no
approximation at the truncation (Gelman et al., Bayesian Data Analysis, section 3.7, does the same for two parameters).
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from moonplan.core.rates import ASSUMED, HookupRate, Rate, Source
from moonplan.core.timegrid import Floats

_PRIOR_SD = (0.03, 0.12)
_EFFICIENCY = np.linspace(0.80, 0.98, 145)
_OVERHEAD_KW = np.linspace(0.0, 1.0, 201)
# Night-to-night scatter of the same hook-up, as a share of the power: what it is before any reading, and how many readings
# that is worth.
_SCATTER, _SCATTER_WORTH = 0.03, 8.0
# The tenth and the ninetieth per cent of a normal distribution.
_TENTH = 1.2815515655446004


@dataclass(frozen=True, slots=True)
class Point:
    """A reading as it is fitted. wall_kw, battery_kw, noise_kw : [kW]"""

    wall_kw: float
    battery_kw: float
    noise_kw: float


@dataclass(frozen=True, slots=True)
class Prediction:
    """Battery power at a wall power: mean, and the 10 and 90 % of what a night will bring. [kW]"""

    wall_kw: float
    mean_kw: float
    low_kw: float
    high_kw: float


@dataclass(frozen=True)
class Fit:
    """The posterior of a hook-up's rate.

    rate : mean efficiency and overhead. weights : shape (n_efficiency, n_overhead), adding up to 1.
    scatter : night-to-night, as a share of the power. n_fitted : how many readings stand behind it.
    """

    rate: Rate
    weights: Floats
    scatter: float
    n_fitted: int

    def predict(self, wall_kw: float) -> Prediction:
        """What reaches the battery of a wall power, with the spread of rate and nights."""
        battery = np.maximum(0.0, _EFFICIENCY[:, None] * wall_kw - _OVERHEAD_KW[None, :])
        mean = float((self.weights * battery).sum())
        spread = float((self.weights * (battery - mean) ** 2).sum())
        sd = float(np.sqrt(spread + (self.scatter * mean) ** 2))
        return Prediction(wall_kw, mean, max(0.0, mean - _TENTH * sd), mean + _TENTH * sd)

    def cautious(self, lowest_wall_kw: float, highest_wall_kw: float) -> Rate:
        """The line through the predictive 10 % at a hook-up's lowest and highest wall power."""
        low, high = self.predict(lowest_wall_kw), self.predict(highest_wall_kw)
        if highest_wall_kw - lowest_wall_kw < 0.05:
            return Rate(self.rate.efficiency, max(0.0, self.rate.efficiency * highest_wall_kw - high.low_kw))
        efficiency = (high.low_kw - low.low_kw) / (highest_wall_kw - lowest_wall_kw)
        return Rate(efficiency, max(0.0, efficiency * highest_wall_kw - high.low_kw))


def fit(points: Sequence[Point]) -> Fit:
    """The posterior after some readings, in any order; with none it is the prior."""
    efficiency, overhead = _EFFICIENCY[:, None], _OVERHEAD_KW[None, :]
    log = -0.5 * ((efficiency - ASSUMED.efficiency) / _PRIOR_SD[0]) ** 2
    log = log - 0.5 * ((overhead - ASSUMED.overhead_kw) / _PRIOR_SD[1]) ** 2
    log = log + np.zeros((len(_EFFICIENCY), len(_OVERHEAD_KW)))
    prior, scatter = log, _SCATTER
    for _ in range(2):  # once with the usual scatter, and once with what the readings showed of it
        log = prior
        for point in points:
            expected = np.maximum(0.0, efficiency * point.wall_kw - overhead)
            variance = point.noise_kw**2 + (scatter * point.battery_kw) ** 2 + 1e-9
            log = log - 0.5 * (point.battery_kw - expected) ** 2 / variance
        weights = np.exp(log - log.max())
        weights /= weights.sum()
        rate = Rate(float((weights * efficiency).sum()), float((weights * overhead).sum()))
        scatter = _seen_scatter(points, rate)
    return Fit(rate, weights, scatter, len(points))


def _seen_scatter(points: Sequence[Point], rate: Rate) -> float:
    """The scatter, the usual one counting for some readings; what the readings' own noise explains is not scatter."""
    seen = [
        max(0.0, (point.battery_kw - rate.battery_kw(point.wall_kw)) ** 2 - point.noise_kw**2) / point.battery_kw**2
        for point in points
        if point.battery_kw > 0
    ]
    return float(np.sqrt((_SCATTER_WORTH * _SCATTER**2 + sum(seen)) / (_SCATTER_WORTH + len(seen))))


def hookup_rate_of(fitted: Fit, *, least_wall_kw: float, most_wall_kw: float, volts: float) -> HookupRate:
    """Both rates of a hook-up as its readings have them."""
    source: Source = "measured" if fitted.n_fitted else "assumed"
    return HookupRate(fitted.rate, fitted.cautious(least_wall_kw, most_wall_kw), volts, source)
