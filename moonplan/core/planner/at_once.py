"""A plan without a solver: every car at full current from arrival on, as far as what is shared allows.

It is where shortage is first seen, what a plan falls back to when the solver gives none, and never optimal but by luck.
"""

import numpy as np

from moonplan.core import hookup
from moonplan.core.planner.constraints import may_start, room_for
from moonplan.core.planner.problem import Car, Problem
from moonplan.core.simulate import NOTHING_KWH
from moonplan.core.timegrid import Flags, Floats


def at_once(problem: Problem) -> list[Floats]:
    """Setpoints per car, shape (n_slots,) [A], that break no rule; pins stay, other cars are served in order."""
    amps = [np.where(np.isnan(car.pinned_a), 0.0, car.pinned_a) for car in problem.cars]
    for i, car in enumerate(problem.cars):
        room = room_for(problem, amps, i)
        amps[i] = (
            _managed(problem, car, amps[i], room) if car.control == "managed" else _one_a_night(problem, car, amps[i], room)
        )
    return amps


def _offer(car: Car, room: float) -> float:
    return hookup.stepped(room, steps_a=car.lead.steps_a, min_a=car.least_a)


def _managed(problem: Problem, car: Car, pinned: Floats, room: Floats) -> Floats:
    offered = car.offered(room)
    return until_full(problem, car, np.where(pinned > 0, pinned, offered), keep=pinned > 0)


def _one_a_night(problem: Problem, car: Car, pinned: Floats, room: Floats) -> Floats:
    grid = problem.grid
    amps = pinned.copy()
    starts = may_start(problem, car)
    taken = {grid.nights[t] for t in np.flatnonzero(pinned > 0)}
    t = 0
    while t < grid.n_slots:
        going_on = t == 0 and car.vehicle.charging and bool(car.chargeable[0])
        if not (starts[t] or going_on) or grid.nights[t] in taken or not _offer(car, float(room[t])):
            t += 1
            continue
        end = t
        while end < grid.n_slots and car.chargeable[end] and not pinned[end]:
            end += 1
        after_pin = (t > 0 and amps[t - 1] > 0) or (end < grid.n_slots and pinned[end] > 0)
        current = _offer(car, float(room[t:end].min())) if end > t and not after_pin else 0.0
        if not current:
            t += 1
            continue
        trial = amps.copy()
        trial[t:end] = current
        trial = until_full(problem, car, trial, keep=pinned > 0)
        drawing = trial[t:end] > 0
        if drawing[0]:
            # What it draws once more after it was full, where its limit rises with a night, is another session.
            stop = t + int(np.argmin(drawing)) if not drawing.all() else end
            trial[stop:end] = 0.0
            amps = trial
            taken.add(grid.nights[t])
            t = stop
        else:
            t = t + int(np.argmax(drawing)) if drawing.any() else end
    return amps


def until_full(problem: Problem, car: Car, amps: Floats, *, keep: Flags) -> Floats:
    """The same setpoints without those in which even the cautious car draws nothing."""
    cautious = car.run(amps, car.rate.cautious, problem.grid)
    mean = car.run(amps, car.rate.mean, problem.grid)
    draws = (cautious.wall_kwh > NOTHING_KWH) | (mean.wall_kwh > NOTHING_KWH)
    return np.where(draws | keep, amps, 0.0)
