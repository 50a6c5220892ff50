"""Where a car's recursion looks: levels of cautious SoC, and layers of how far the mean car is ahead (docs/planner.md)."""

import numpy as np

from moonplan.core.planner.car_slots import that_can_be_met
from moonplan.core.planner.problem import Car, Problem
from moonplan.core.planner.slots import Pack, Slots, fully, needs
from moonplan.core.timegrid import Floats

# Levels to a slot's gain at full current, where slots and levels together are not too many states to look at.
_LEVELS_PER_SLOT = 96
_MOST_LEVELS = 20_000
# By how much a car that gains little in a slot may have more states than others.
_MOST_TIMES = 8
# How far apart the outermost layers are at the least, as a part of the battery.
_LEAST_APART = 2e-3


def levels_of(car: Car, slots: Slots, most_states: int, least_per_slot: int) -> tuple[float, float, int]:
    """Levels of cautious SoC, even steps of which one is the usual limit: the lowest, the step, how many.
    [kWh, kWh]"""
    usable = car.vehicle.usable_kwh
    gain = most_gain(car, slots)
    most = min(_MOST_LEVELS, most_states // max(1, len(slots.room_a)))
    step = min(max(gain / _LEVELS_PER_SLOT, usable / most), gain / least_per_slot)
    step = max(step, usable / min(_MOST_LEVELS, _MOST_TIMES * most))
    if gain > step:
        # A slot at full current then leads from level to level, and nothing is blurred between.
        step = float(gain / np.ceil(gain / step - 1e-6))
    anchor = float(np.median(car.limit_kwh))
    floor = anchor % step - step if anchor % step > 1e-9 else 0.0
    return floor, step, int(np.ceil((usable - floor) / step - 1e-9)) + 3


def most_gain(car: Car, slots: Slots) -> float:
    """What the cautious car gains in a slot at its most. [kWh]"""
    most_a = float(np.fmax(slots.room_a, np.nan_to_num(slots.pinned_a)).max())
    return max(car.rate.cautious.battery_kw(car.intake.wall_kw(most_a)) * slots.hours, 1e-6)


def layers_of(problem: Problem, car: Car, alone: Slots, pack: Pack, n_layers: int) -> Floats:
    """Layers of how far the mean car may be ahead of the cautious one at each edge, before its trips, shape (n_slots + 1,
    n_layers). [kWh]

    Even steps up to how far it can be. A single layer is half as far as it would be once the car has charged, at its most,
    all that it can hold and has driven, with no limit that brought the two together.
    At less current it may get further ahead, and the outermost layer counts: layers that reached as far as that would lie
    further apart, and nothing is gained by it.
    """
    if car.rate.mean == car.rate.cautious:
        return np.zeros((problem.grid.n_slots + 1, 1))
    wall_kw = np.minimum(alone.room_a * pack.kw_per_a, pack.most_wall_kw)
    mean_kw, cautious_kw = (
        np.maximum(0.0, rate.efficiency * wall_kw - rate.overhead_kw) for rate in (car.rate.mean, car.rate.cautious)
    )
    ahead = ((mean_kw - cautious_kw) / np.maximum(cautious_kw, 1e-9)).max()
    gains_kwh = cautious_kw * alone.hours
    driven_kwh = np.zeros(len(gains_kwh) + 1)
    for departure in car.departures:
        driven_kwh[departure.taking.edge :] += departure.taking.kwh
    holds_kwh = np.maximum(0.0, car.limit_kwh.max() - car.soc_kwh + driven_kwh)
    far, parts = ahead * np.minimum(np.concatenate([[0.0], np.cumsum(gains_kwh)]), holds_kwh), np.array([0.5])
    if n_layers > 1:
        far = np.minimum(far, _farthest_ahead(problem, car, ahead * gains_kwh, alone, pack))
        parts = np.linspace(0.0, 1.0, n_layers)
    return np.outer(np.maximum(far, _LEAST_APART * car.vehicle.usable_kwh), parts)


def _farthest_ahead(problem: Problem, car: Car, gets_kwh: Floats, alone: Slots, pack: Pack) -> Floats:
    """How far ahead the mean car can be at each edge, before its trips, shape (n_slots + 1,): no further than it gets in
    each slot, and than from what the cautious car must have aboard to what it has itself at the most. [kWh]

    gets_kwh : how far it gets in each slot, shape (n_slots,).
    """
    run = car.run(alone.room_a, car.rate.mean, problem.grid)
    most_before, most_after = run.soc_kwh.copy(), run.soc_kwh
    for departure, aboard in reversed(list(zip(car.departures, run.before_leaving_kwh.tolist(), strict=True))):
        most_before[departure.taking.edge] = aboard
    at_edge, before_trip = fully(0, car.soc_kwh, alone, pack)
    need_before, need_after = needs(that_can_be_met(alone, at_edge, before_trip), pack)
    far = np.zeros(len(gets_kwh) + 1)
    for t in range(len(gets_kwh)):
        after_trips = min(far[t], max(0.0, most_after[t] - need_after[t]))
        far[t + 1] = min(after_trips + gets_kwh[t], max(0.0, most_before[t + 1] - need_before[t + 1]))
    return far
