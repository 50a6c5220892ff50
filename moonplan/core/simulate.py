"""From setpoints to what happens: both trajectories, energy, and the car that stops by itself (rules, sections 2 and 6).

One simulator for plans and for the log: a plan's figures come from here and never from a solver's variables.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from moonplan.core.rates import Intake, Rate
from moonplan.core.timegrid import Floats, Grid

# A gap to a limit or a requirement below this is none. [kWh]
NOTHING_KWH = 1e-6


@dataclass(frozen=True, slots=True)
class Taking:
    """Energy that a trip takes at *leave*.

    at_s : *leave*. [s, UTC] edge : first slot edge at or after it. kwh : what the trip takes. [kWh]
    """

    at_s: float
    edge: int
    kwh: float


@dataclass(frozen=True, slots=True)
class Trajectory:
    """What one car's battery does under a run of setpoints.

    soc_kwh : shape (n_slots + 1,), at every slot edge; a trip shows from the first edge at or after *leave*. [kWh]
    gained_kwh, wall_kwh : shape (n_slots,), into the battery and out of the wall. [kWh]
    fraction : shape (n_slots,), the part of each slot in which the car draws.
    before_leaving_kwh : what is aboard just before each taking, in order. [kWh]
    kwh_hours_above : ∫ max(0, SoC − rest) dt over all slots, home and away. [kWh·h]
    """

    soc_kwh: Floats
    gained_kwh: Floats
    wall_kwh: Floats
    fraction: Floats
    before_leaving_kwh: tuple[float, ...]
    kwh_hours_above: float


def trajectory(
    amps: Floats,
    *,
    grid: Grid,
    intake: Intake,
    rate: Rate,
    usable_kwh: float,
    soc_kwh: float,
    limit_kwh: Floats,
    takings: Sequence[Taking] = (),
    rest_kwh: float = float("inf"),
) -> Trajectory:
    """Run one car through its setpoints.

    With p = battery kW after taper (judged at the slot's start), d = slot hours and h = limit − SoC, the car draws for
    the fraction min(1, h / (p·d)) of a slot and then stops by itself; at or above its limit it draws nothing. A trip's
    energy is taken at *leave*, down to 0.

    Parameters
    ----------
    amps : offered current of each slot, 0 for none, shape (n_slots,) [A]
    limit_kwh : limit in force in each slot, shape (n_slots,) [kWh]
    rest_kwh : level above which hours count as spent high. [kWh]
    """
    n, d = grid.n_slots, grid.hours
    soc = np.empty(n + 1)
    gained, wall, fraction = np.zeros(n), np.zeros(n), np.zeros(n)
    before: list[float] = []
    above = 0.0
    level, nth, filled = soc_kwh, 0, 0
    for t in sorted({*np.flatnonzero(amps > 0).tolist(), *(taking.edge for taking in takings)}):
        soc[filled:t] = level
        while nth < len(takings) and takings[nth].edge == t:
            before.append(level)
            after = max(0.0, level - takings[nth].kwh)
            if t > 0:  # the rest of the slot in which the car leaves is spent at the lower level
                rest_h = (float(grid.edges_s[t]) - takings[nth].at_s) / 3600
                above += (max(0.0, after - rest_kwh) - max(0.0, level - rest_kwh)) * rest_h
            level = after
            nth += 1
        soc[t], filled = level, t + 1
        if t == n or not amps[t] > 0 or (room := float(limit_kwh[t]) - level) <= 0:
            continue
        battery_kw, wall_kw = intake.accepted(float(amps[t]), level / usable_kwh, rate)
        part = min(1.0, room / (battery_kw * d)) if battery_kw > 0 else 1.0
        fraction[t], gained[t], wall[t] = part, part * battery_kw * d, part * wall_kw * d
        above += _area_above(level, gained[t], part, rest_kwh) * d
        level = float(limit_kwh[t]) if part < 1 else level + gained[t]
    soc[filled:] = level
    idle = fraction == 0
    above += float(np.maximum(0.0, soc[:-1][idle] - rest_kwh).sum()) * d
    return Trajectory(soc, gained, wall, fraction, tuple(before), above)


def _area_above(level: float, gained: float, fraction: float, rest: float) -> float:
    """Mean of max(0, SoC − rest) over a slot in which SoC rises for a fraction of it and then stays. [kWh]"""
    end = level + gained
    if end <= rest:
        return 0.0
    if level >= rest or gained <= 0:
        rising = (level + end) / 2 - rest
    else:
        rising = (end - rest) ** 2 / (2 * gained)
    return fraction * rising + (1 - fraction) * (end - rest)


@dataclass(frozen=True, slots=True)
class Run:
    """A gap-free run of setpoints: slots first to last, both included."""

    first: int
    last: int


def runs(amps: Floats) -> list[Run]:
    """The gap-free runs of offered current."""
    on = np.concatenate([[0], (amps > 0).astype(np.int8), [0]])
    turns = np.diff(on)
    firsts, ends = np.flatnonzero(turns == 1), np.flatnonzero(turns == -1)
    return [Run(int(first), int(end) - 1) for first, end in zip(firsts, ends, strict=True)]


def drawn(run: Run, mean: Trajectory) -> bool:
    """Whether the mean car draws anything in a run; one in which it draws nothing is no session."""
    return bool(mean.wall_kwh[run.first : run.last + 1].sum() > NOTHING_KWH)
