"""From setpoints to what happens: both trajectories, energy, and the car that stops by itself (rules, sections 2 and 6).

One simulator for plans and for the log: a plan's figures come from here and never from a solver's variables.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import NamedTuple

import numpy as np

from moonplan.core.compiled import compiled
from moonplan.core.rates import Intake, Rate, accepted_kw
from moonplan.core.timegrid import Counts, Floats, Grid

# A gap to a limit or a requirement below this is none. [kWh]
NOTHING_KWH = 1e-6


@dataclass(frozen=True, slots=True)
class Taking:
    """Energy that a trip takes at *leave*.

    at_s : *leave*. [s, UTC] edge : first slot edge at or after it. kwh : what the trip takes. [kWh]
    rest_h : hours from *leave* to that edge, the rest of the slot in which the car leaves.
    """

    at_s: float
    edge: int
    kwh: float
    rest_h: float

    @classmethod
    def of(cls, leave: datetime, kwh: float, grid: Grid) -> "Taking":
        """What a trip takes, on a grid."""
        at_s, edge = leave.timestamp(), grid.first_at_or_after(leave)
        return cls(at_s, edge, kwh, (float(grid.edges_s[edge]) - at_s) / 3600 if edge else 0.0)


class Takings(NamedTuple):
    """Takings in order of time, as arrays of shape (n_takings,): see `Taking`."""

    edge: Counts
    kwh: Floats
    rest_h: Floats

    @classmethod
    def of(cls, takings: Sequence[Taking]) -> "Takings":
        """The same takings, side by side."""
        return cls(
            np.array([taking.edge for taking in takings], dtype=np.int64),
            np.array([taking.kwh for taking in takings], dtype=np.float64),
            np.array([taking.rest_h for taking in takings], dtype=np.float64),
        )


@dataclass(frozen=True, slots=True)
class Trajectory:
    """What one car's battery does under a run of setpoints.

    soc_kwh : shape (n_slots + 1,), at every slot edge; a trip shows from the first edge at or after *leave*. [kWh]
    gained_kwh, wall_kwh : shape (n_slots,), into the battery and out of the wall. [kWh]
    fraction : shape (n_slots,), the part of each slot in which the car draws.
    before_leaving_kwh : what is aboard just before each taking, in order, shape (n_takings,). [kWh]
    kwh_hours_above : ∫ max(0, SoC − rest) dt over all slots, home and away. [kWh·h]
    """

    soc_kwh: Floats
    gained_kwh: Floats
    wall_kwh: Floats
    fraction: Floats
    before_leaving_kwh: Floats
    kwh_hours_above: float


class Given(NamedTuple):
    """What is given of a car that is run, in the shapes that compiled code takes.

    limit_kwh : limit in force in each slot, shape (n_slots,) [kWh] soc_kwh : SoC at the first edge. [kWh]
    kw_per_a, most_wall_kw : wall power of an ampere, and the most. efficiency, overhead_kw : of the rate.
    rest_kwh : level above which hours count as spent high. [kWh]
    """

    limit_kwh: Floats
    takings: Takings
    soc_kwh: float
    hours: float
    usable_kwh: float
    rest_kwh: float
    kw_per_a: float
    most_wall_kw: float
    efficiency: float
    overhead_kw: float
    onboard_kw: float
    taper_from: float

    @classmethod
    def of(
        cls,
        *,
        grid: Grid,
        intake: Intake,
        rate: Rate,
        usable_kwh: float,
        soc_kwh: float,
        limit_kwh: Floats,
        takings: Takings | None = None,
        rest_kwh: float = float("inf"),
    ) -> "Given":
        """What is given of a car with some intake at some rate, on a grid."""
        return cls(
            limit_kwh,
            Takings.of(()) if takings is None else takings,
            float(soc_kwh),
            grid.hours,
            float(usable_kwh),
            float(rest_kwh),
            intake.volts * intake.phases / 1000,
            float(intake.most_wall_kw),
            rate.efficiency,
            rate.overhead_kw,
            float(intake.onboard_kw),
            float(intake.taper_from),
        )


def trajectory(amps: Floats, given: Given) -> Trajectory:
    """Run one car through its setpoints (offered current of each slot, 0 for none, shape (n_slots,) [A]).

    With p = battery kW after taper (judged at the slot's start), d = slot hours and h = limit − SoC, the car draws for
    the fraction min(1, h / (p·d)) of a slot and then stops by itself; at or above its limit it draws nothing. A trip's
    energy is taken at *leave*, down to 0.
    """
    return Trajectory(*ran(amps, given))


@compiled
def draw(battery_kw: float, wall_kw: float, level_kwh: float, limit_kwh: float, hours: float) -> tuple[float, float, float]:
    """What a car draws in a slot before it stops by itself: part of the slot, and kWh into the battery and off the wall."""
    room = limit_kwh - level_kwh
    if room <= 0 or wall_kw <= 0:
        return 0.0, 0.0, 0.0
    if battery_kw * hours <= room:
        return 1.0, battery_kw * hours, wall_kw * hours
    part = room / (battery_kw * hours)
    return part, part * battery_kw * hours, part * wall_kw * hours


@compiled
def ran(amps: Floats, given: Given) -> tuple[Floats, Floats, Floats, Floats, Floats, float]:
    """What a `Trajectory` tells."""
    limit_kwh, takings, level, hours, usable_kwh, rest_kwh, kw_per_a, most_wall_kw = given[:8]
    efficiency, overhead_kw, onboard_kw, taper_from = given[8:]
    n = len(amps)
    soc, before = np.empty(n + 1), np.empty(len(takings.edge))
    gained, wall, fraction = np.zeros(n), np.zeros(n), np.zeros(n)
    above, nth = 0.0, 0
    for t in range(n + 1):
        while nth < len(takings.edge) and takings.edge[nth] == t:
            before[nth] = level
            after = max(0.0, level - takings.kwh[nth])
            # The rest of the slot in which the car leaves is spent at the lower level.
            above += (max(0.0, after - rest_kwh) - max(0.0, level - rest_kwh)) * takings.rest_h[nth]
            level = after
            nth += 1
        soc[t] = level
        if t == n:
            break
        if amps[t] > 0:
            wall_kw = min(kw_per_a * amps[t], most_wall_kw)
            battery_kw, drawn_kw = accepted_kw(wall_kw, level / usable_kwh, efficiency, overhead_kw, onboard_kw, taper_from)
            fraction[t], gained[t], wall[t] = draw(battery_kw, drawn_kw, level, limit_kwh[t], hours)
        above += area_above(level, gained[t], fraction[t], rest_kwh) * hours
        if 0 < fraction[t] < 1:
            level = limit_kwh[t]
        else:
            level += gained[t]
    return soc, gained, wall, fraction, before, above


@compiled
def area_above(level: float, gained: float, fraction: float, rest: float) -> float:
    """Mean of max(0, SoC − rest) over a slot in which SoC rises for a fraction of it and then stays. [kWh]"""
    end = level + gained
    if end <= rest:
        return 0.0
    if level >= rest or gained <= 0:
        rising = (level + end) / 2 - rest
    else:
        rising = (end - rest) ** 2 / (2 * gained)
    return fraction * rising + (1 - fraction) * (end - rest)


class Run(NamedTuple):
    """A gap-free run of setpoints: slots first to last, both included."""

    first: int
    last: int


def runs(amps: Floats) -> list[Run]:
    """The gap-free runs of offered current."""
    return [Run(first, last) for first, last in _runs(amps, amps).tolist()]


def sessions(amps: Floats, mean: Trajectory) -> list[Run]:
    """The runs in which the mean car draws something; one in which it draws nothing is no session."""
    return [Run(first, last) for first, last in _runs(amps, mean.wall_kwh).tolist()]


@compiled
def _runs(amps: Floats, drawn: Floats) -> Counts:
    """First and last slot of the runs of offered current in which something is drawn, shape (n_runs, 2)."""
    found = np.empty((len(amps) // 2 + 1, 2), dtype=np.int64)
    many, t = 0, 0
    while t < len(amps):
        if amps[t] <= 0:
            t += 1
            continue
        first, in_all = t, 0.0
        while t < len(amps) and amps[t] > 0:
            in_all += drawn[t]
            t += 1
        if in_all > NOTHING_KWH:
            found[many] = first, t - 1
            many += 1
    return found[:many]
