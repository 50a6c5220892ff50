"""What the house takes by itself, learned from its meter and its roof, the cars taken out (rules, section 5)."""

from dataclasses import dataclass
from datetime import time
from zoneinfo import ZoneInfo

import numpy as np

from moonplan.core.timegrid import Floats, Seconds, local_times

_STEP_MIN = 30
_STEPS = 24 * 60 // _STEP_MIN
_FEWEST_DAYS = 7
# Steps of the profile that differ by less than this are told as one. [kW]
_ALIKE_KW = 0.05


@dataclass(frozen=True, slots=True)
class LearnedLoad:
    """A usual day of the house.

    profile : from a clock time on, the usual load. [kW] n_days : it was learned from. cars_known : whether the cars' own
    charging could be taken out; where it could not, their nights stand in it as far as they are usual.
    kwh_a_day : of the profile.
    """

    profile: tuple[tuple[time, float], ...]
    n_days: int
    cars_known: bool
    kwh_a_day: float


def learned_load(
    edges_s: Seconds, zone: ZoneInfo, *, grid_kw: Floats, export_kw: Floats, sun_kw: Floats, cars_kw: Floats
) -> LearnedLoad | None:
    """The usual load of every half hour of the clock: the median over the days.

    Parameters
    ----------
    edges_s : shape (n + 1,), ascending UTC seconds.
    grid_kw : what came in, shape (n,), NaN where it is not known. [kW]
    export_kw, sun_kw, cars_kw : what went out, what the roof gave, what the cars took, shapes (n,), NaN where it is not
        known, which is taken as none. [kW]

    Returns
    -------
    None where the meter tells of fewer than seven days.
    """
    house = grid_kw - np.nan_to_num(export_kw) + np.nan_to_num(sun_kw) - np.nan_to_num(cars_kw)
    known = ~np.isnan(house)
    local = local_times(edges_s[:-1], zone)
    n_days = len(np.unique(local.day[known]))
    if n_days < _FEWEST_DAYS:
        return None
    step = local.minute // _STEP_MIN
    usual = np.zeros(_STEPS)
    for i in range(_STEPS):
        mine = house[known & (step == i)]
        usual[i] = max(0.0, float(np.median(mine))) if len(mine) else np.nan
    usual = np.where(np.isnan(usual), np.nanmean(usual), usual)
    return LearnedLoad(
        profile=_told(usual),
        n_days=n_days,
        cars_known=bool((~np.isnan(cars_kw)).any()),
        kwh_a_day=float(usual.sum()) * _STEP_MIN / 60,
    )


def _told(usual: Floats) -> tuple[tuple[time, float], ...]:
    """The profile in as few steps as tell it: neighbours that are alike stand together, at their mean."""
    runs: list[list[int]] = []
    for i in range(len(usual)):
        if runs and abs(usual[runs[-1]].mean() - usual[i]) < _ALIKE_KW:
            runs[-1].append(i)
        else:
            runs.append([i])
    return tuple(
        (time(run[0] * _STEP_MIN // 60, run[0] * _STEP_MIN % 60), round(float(usual[run].mean()), 3)) for run in runs
    )
