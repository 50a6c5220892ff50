"""When a car may charge, at most at what current, and what keeps it from charging (rules, sections 3 and 6)."""

from collections.abc import Iterable
from datetime import date, datetime

import numpy as np

from moonplan.core import hookup
from moonplan.core.household import Household, Override, Vehicle
from moonplan.core.timegrid import Flags, Floats, Grid, clock_window


def chain_a(h: Household, vehicle: Vehicle, grid: Grid) -> Floats:
    """The chain's limit in each slot after steps, with the ceiling of its night where there is one, whether the car is home
    or not; 0 where it would not charge, shape (n_slots,). [A]"""
    lead, overrides = h.lead(vehicle.lead), overrides_of(h, vehicle)
    links = hookup.chain(h.circuit(lead.circuit), lead, vehicle, h.supply)

    def of_night(night: date) -> float:
        ceiling = overrides[night].ceiling_a if night in overrides else None
        amps = min((links if ceiling is None else {**links, "ceiling": ceiling}).values())
        return hookup.stepped(amps, steps_a=lead.steps_a, min_a=lead.min_a)

    by_night = {night: of_night(night) for night in dict.fromkeys(grid.nights)}
    return np.array([by_night[night] for night in grid.nights], dtype=np.float64)


def chargeable_slots(h: Household, vehicle: Vehicle, grid: Grid) -> Flags:
    """Slots in which the car is home and plugged in for all of it, and not forbidden to charge, shape (n_slots,)."""
    hindered: Flags = np.any(list(hindrances_of(h, vehicle, grid).values()), axis=0)
    return ~hindered


def hindrances_of(h: Household, vehicle: Vehicle, grid: Grid) -> dict[str, Flags]:
    """What keeps a car from charging whatever its hook-up gives, in words, each with its slots of shape (n_slots,)."""
    overrides = overrides_of(h, vehicle)
    unplugged = [night in overrides and not overrides[night].plugged_in for night in grid.nights]
    hindrances = {
        "it is away then": ~at_home(h, vehicle, grid),
        "it is not plugged in that night": np.array(unplugged, dtype=np.bool_),
        "it is kept off then": kept_off(h, vehicle, grid),
    }
    if vehicle.plug_in_hours is not None and grid.n_slots:
        since, until = vehicle.plug_in_hours
        inside = grid.wholly(clock_window(grid.local.minute, since, until))
        hindrances[f"it is plugged in from {since:%H:%M} to {until:%H:%M}"] = ~inside
    return hindrances


def at_home(h: Household, vehicle: Vehicle, grid: Grid) -> Flags:
    """Slots in which the car is home for all of it, shape (n_slots,)."""
    return ~_in_any(((trip.leave, trip.back) for trip in h.trips_of(vehicle.id)), grid)


def kept_off(h: Household, vehicle: Vehicle, grid: Grid) -> Flags:
    """Slots in which somebody forbade the car to charge, shape (n_slots,)."""
    return _in_any(((one.start, one.end) for one in h.forbids if one.vehicle == vehicle.id), grid)


def _in_any(times: Iterable[tuple[datetime, datetime]], grid: Grid) -> Flags:
    """Slots that overlap one of some times, shape (n_slots,)."""
    inside = np.zeros(grid.n_slots, dtype=np.bool_)
    for start, end in times:
        inside |= grid.overlaps(start, end)
    return inside


def overrides_of(h: Household, vehicle: Vehicle) -> dict[date, Override]:
    """What somebody asked of a car for single nights, by the evening."""
    return {override.night: override for override in h.overrides if override.vehicle == vehicle.id}
