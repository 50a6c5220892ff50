"""Tariffs: the price of every slot, and the line of the tariff sheet it comes from (rules, section 4)."""

from dataclasses import dataclass

import numpy as np

from moonplan.core.household import WEEKDAYS, Band, Tariff
from moonplan.core.timegrid import Flags, Floats, Grid, clock_window, minutes_of

DEFAULT = "default"
SERIES = "series"
_SUNDAY = 6
# A mean over a slot is kept to this, far beyond any tariff sheet, so that equal prices compare equal.
_DECIMALS = 10


@dataclass(frozen=True, slots=True)
class Prices:
    """Prices of the slots of a grid.

    price, export_price : shape (n_slots,) [currency/kWh]
    band : the name of the line that holds at each slot's start, "default" or "series" among them
    """

    price: Floats
    export_price: Floats
    band: list[str]


def prices(tariff: Tariff, grid: Grid) -> Prices:
    """Price, export price and band of every slot; a slot that a line cuts takes the time-weighted mean."""
    lines = np.full(len(grid.minutes_s), -1, dtype=np.int64)
    for i in reversed(range(len(tariff.bands))):
        lines[_in_band(tariff.bands[i], tariff, grid)] = i
    line_prices = np.array([*(band.price for band in tariff.bands), tariff.default_price])
    names = [*(band.name for band in tariff.bands), DEFAULT]
    per_minute = line_prices[lines]
    starts = lines[:: grid.slot_minutes]
    band = [names[i] for i in starts]
    price = grid.means(per_minute) if grid.n_slots else np.zeros(0)
    if tariff.series:
        price, band = _with_series(tariff, grid, per_minute, band)
    return Prices(np.round(price, _DECIMALS), np.full(grid.n_slots, tariff.export_price), band)


def _in_band(band: Band, tariff: Tariff, grid: Grid) -> Flags:
    """Which minutes of the grid a band claims, whatever stands before it in the list."""
    local = grid.local
    day = local.day
    inside = clock_window(local.minute, band.from_, band.to)
    if tariff.day_of == "start" and band.to <= band.from_:
        day = day - (local.minute < minutes_of(band.from_))
    holidays = np.array([holiday.toordinal() for holiday in tariff.holidays], dtype=np.int64)
    owner = type(local)(day, local.minute)
    weekday = np.where(np.isin(day, holidays), _SUNDAY, owner.weekday)
    inside = inside & np.isin(weekday, [WEEKDAYS.index(name) for name in band.days])
    return inside if band.months is None else inside & np.isin(owner.month, band.months)


def _with_series(tariff: Tariff, grid: Grid, per_minute: Floats, band: list[str]) -> tuple[Floats, list[str]]:
    """Dated prices over bands; `None` is a gap, in which the bands hold.

    Dated prices may start at any second, so both are integrated over the union of their steps.
    """
    at = np.array([start.timestamp() for start, _ in tariff.series])
    dated = np.array([np.nan if price is None else price for _, price in tariff.series])
    cuts = np.union1d(grid.minutes_s.astype(float), at[(at > grid.edges_s[0]) & (at < grid.edges_s[-1])])
    behind = np.searchsorted(at, cuts, side="right") - 1
    from_series = np.where(behind >= 0, dated[np.maximum(behind, 0)], np.nan)
    from_bands = per_minute[((cuts - grid.start_s) // 60).astype(np.int64)]
    value = np.where(np.isnan(from_series), from_bands, from_series)
    ends = np.append(cuts[1:], float(grid.edges_s[-1]))
    area = np.concatenate([[0.0], np.cumsum(value * (ends - cuts))])
    means = np.diff(np.interp(grid.edges_s.astype(float), np.append(cuts, ends[-1]), area)) / (grid.slot_minutes * 60)
    at_start = np.searchsorted(at, grid.edges_s[:-1], side="right") - 1
    dated_start = (at_start >= 0) & ~np.isnan(dated[np.maximum(at_start, 0)])
    return means, [SERIES if dated_start[i] else name for i, name in enumerate(band)]


def gaps(tariff: Tariff, grid: Grid) -> int:
    """How many slots of the grid start in a gap of the dated prices, and so fall back to the bands."""
    if not tariff.series:
        return 0
    return sum(1 for name in prices(tariff, grid).band if name != SERIES)
