"""The house and its sun: load without the cars, and the output of the roof, slot by slot (rules, section 5)."""

import numpy as np

from moonplan.core.household import Household
from moonplan.core.timegrid import Floats, Grid, minutes_of


def base_load_kw(household: Household, grid: Grid) -> Floats:
    """Load of the house without the cars, shape (n_slots,). [kW]

    A step profile by local clock time; before its first entry the last one holds.
    """
    if not household.base_load_kw:
        return np.zeros(grid.n_slots)
    starts = np.array([minutes_of(clock) for clock, _ in household.base_load_kw])
    values = np.array([kw for _, kw in household.base_load_kw])
    behind = np.searchsorted(starts, grid.local.minute, side="right") - 1  # −1, the last entry, before the first
    return grid.means(values[behind])


def solar_kw(household: Household, grid: Grid) -> Floats:
    """Output of the household's own sun, shape (n_slots,). [kW]"""
    return grid.step_means(household.solar_kw)
