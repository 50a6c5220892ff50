"""Tariffs: the price of every slot, and the line of the tariff sheet it comes from (rules, section 4).

A tariff is first laid out as the steps in which one line holds; slots, weeks and single instants are read off those.
"""

from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from zoneinfo import ZoneInfo

import numpy as np

from moonplan.core.household import Band, Household, Tariff
from moonplan.core.timegrid import (
    Flags,
    Floats,
    Grid,
    LocalTimes,
    Seconds,
    clock_window,
    instant_at,
    minutes_of,
    utc_offsets,
)
from moonplan.core.values import WEEKDAYS

DEFAULT = "default"
SERIES = "series"
_SUNDAY = 6
_DAY_S = 86_400
_EPOCH_ORDINAL = date(1970, 1, 1).toordinal()
# A mean over a slot is kept to this, far beyond any tariff sheet, so that equal prices compare equal.
_DECIMALS = 10
_NO_CONTRACT_KW = 1e6
# Stands for the dated prices where lines are numbered as in the list, the default price being the last.
DATED = -1


@dataclass(frozen=True, slots=True)
class Prices:
    """Prices of the slots of a grid.

    price, export_price : shape (n_slots,) [currency/kWh]
    band : the name of the line that holds at each slot's start, "default" or "series" among them
    """

    price: Floats
    export_price: Floats
    band: list[str]


@dataclass(frozen=True, slots=True)
class Steps:
    """A tariff over time: from each step's start on, what is paid, and by which line.

    at_s : shape (n_steps,), ascending. [s, UTC]
    price : shape (n_steps,) [currency/kWh]
    line : shape (n_steps,), place in the list of bands, its length for the default price, `DATED` for a dated one
    """

    at_s: Floats
    price: Floats
    line: Seconds


@dataclass(frozen=True, slots=True)
class Paid:
    """What is paid at an instant.

    line : place in the list of bands; None where no band matches and the default price holds.
    beaten : places of the bands that match too, but stand further down.
    dated : a dated price holds over all of them.
    """

    price: float
    name: str
    line: int | None
    beaten: tuple[int, ...]
    dated: bool


def prices(tariff: Tariff, grid: Grid) -> Prices:
    """Price, export price and band of every slot; a slot that a line cuts takes the time-weighted mean."""
    if not grid.n_slots:
        return Prices(np.zeros(0), np.zeros(0), [])
    found = steps(tariff, int(grid.edges_s[0]), int(grid.edges_s[-1]), grid.zone)
    ends = np.append(found.at_s[1:], float(grid.edges_s[-1]))
    area = np.concatenate([[0.0], np.cumsum(found.price * (ends - found.at_s))])
    edges = grid.edges_s.astype(float)
    means = np.diff(np.interp(edges, np.append(found.at_s, ends[-1]), area)) / (grid.slot_minutes * 60)
    at_start = np.searchsorted(found.at_s, edges[:-1], side="right") - 1
    names = [*(band.name for band in tariff.bands), DEFAULT, SERIES]
    # Slots that no line cuts take its price as it stands on the sheet, free of the sum's rounding.
    whole = np.searchsorted(found.at_s, edges[1:], side="left") - 1 == at_start
    price: Floats = np.where(whole, found.price[at_start], means)
    band = [names[line] for line in found.line[at_start].tolist()]
    return Prices(np.round(price, _DECIMALS).astype(np.float64), np.full(grid.n_slots, tariff.export_price), band)


def household_prices(household: Household, grid: Grid) -> Prices:
    """Prices of a household's slots: its tariff, and from their dates on those that follow it."""
    (_, present), *later = _in_force(household, grid)
    found = prices(present, grid)
    for first, tariff in later:
        if first < grid.n_slots:
            then = prices(tariff, grid)
            found = Prices(
                np.concatenate([found.price[:first], then.price[first:]]),
                np.concatenate([found.export_price[:first], then.export_price[first:]]),
                [*found.band[:first], *then.band[first:]],
            )
    return found


def household_contracted_kw(household: Household, grid: Grid) -> Floats | None:
    """The power that is contracted in each slot, shape (n_slots,), beyond any house where there is no contract. [kW]

    None where no tariff has one.
    """
    in_force = _in_force(household, grid)
    if all(tariff.contracted_kw is None for _, tariff in in_force):
        return None
    found = np.full(grid.n_slots, _NO_CONTRACT_KW)
    for first, tariff in in_force:
        found[first:] = _NO_CONTRACT_KW if tariff.contracted_kw is None else tariff.contracted_kw
    return found


def _in_force(household: Household, grid: Grid) -> list[tuple[int, Tariff]]:
    """The household's tariffs, each with the slot that it holds from."""
    later = household.later_tariffs
    since = [grid.first_at_or_after(instant_at(one.since, time(0), grid.zone)) for one in later]
    return [(0, household.tariff), *zip(since, (one.tariff for one in later), strict=True)]


def steps(tariff: Tariff, start_s: int, end_s: int, zone: ZoneInfo) -> Steps:
    """The tariff's steps between two instants (UTC seconds); the first one starts at `start_s`."""
    banded = _steps_of_bands(tariff, start_s, end_s, zone)
    return _under_dated_prices(tariff, banded, end_s) if tariff.series else banded


def _steps_of_bands(tariff: Tariff, start_s: int, end_s: int, zone: ZoneInfo) -> Steps:
    """Local days are cut at every clock time that a band names; each piece belongs wholly to one line."""
    clocks = sorted({0, *(minutes_of(clock) for band in tariff.bands for clock in (band.from_, band.to))})
    since, offsets = utc_offsets(start_s, end_s, zone)
    pieces = []
    for i, (first, offset) in enumerate(zip(since.tolist(), offsets.tolist(), strict=True)):
        last = int(since[i + 1]) if i + 1 < len(since) else end_s
        days = np.arange((first + offset) // _DAY_S, (last + offset) // _DAY_S + 1, dtype=np.int64)
        cuts = (days[:, None] * _DAY_S + np.array(clocks, dtype=np.int64)[None, :] * 60).ravel()
        within = cuts[(cuts > first + offset) & (cuts < last + offset)]
        starts = np.concatenate([[first + offset], within])
        pieces.append((starts - offset, starts))
    at_s = np.concatenate([at for at, _ in pieces])
    local_s = np.concatenate([starts for _, starts in pieces])
    local = LocalTimes(local_s // _DAY_S + _EPOCH_ORDINAL, local_s % _DAY_S // 60)
    line = np.full(len(at_s), len(tariff.bands), dtype=np.int64)
    for i in reversed(range(len(tariff.bands))):
        line[in_band(tariff.bands[i], tariff, local)] = i
    price = np.array([*(band.price for band in tariff.bands), tariff.default_price])
    return Steps(at_s.astype(float), price[line], line)


def in_band(band: Band, tariff: Tariff, local: LocalTimes) -> Flags:
    """Which local times (shape as given) a band claims, whatever stands before it in the list."""
    day = local.day
    inside = clock_window(local.minute, band.from_, band.to)
    if tariff.day_of == "start" and band.to <= band.from_:
        day = day - (local.minute < minutes_of(band.from_))
    owner = LocalTimes(day, local.minute)
    weekday = owner.weekday
    if tariff.holidays:
        holidays = np.array([holiday.toordinal() for holiday in tariff.holidays], dtype=np.int64)
        weekday = np.where(np.isin(day, holidays), _SUNDAY, weekday)
    inside = inside & np.isin(weekday, [WEEKDAYS.index(name) for name in band.days])
    return inside if band.months is None else inside & np.isin(owner.month, band.months)


def _under_dated_prices(tariff: Tariff, banded: Steps, end_s: int) -> Steps:
    """Dated prices over bands; `None` is a gap, in which the bands hold."""
    at = np.array([start.timestamp() for start, _ in tariff.series])
    dated = np.array([np.nan if price is None else price for _, price in tariff.series])
    cuts = np.union1d(banded.at_s, at[(at > banded.at_s[0]) & (at < end_s)])
    behind = np.searchsorted(at, cuts, side="right") - 1
    value = np.where(behind >= 0, dated[np.maximum(behind, 0)], np.nan)
    under = np.searchsorted(banded.at_s, cuts, side="right") - 1
    gap = np.isnan(value)
    return Steps(cuts, np.where(gap, banded.price[under], value), np.where(gap, banded.line[under], DATED))


def in_gap(household: Household, grid: Grid) -> Flags:
    """Slots that start in a gap of the dated prices, and so fall back to the bands, shape (n_slots,).

    None where the tariff in force has no dated prices at all.
    """
    has_dated = np.zeros(grid.n_slots, dtype=np.bool_)
    for first, tariff in _in_force(household, grid):
        has_dated[first:] = bool(tariff.series)
    return has_dated & np.array([name != SERIES for name in household_prices(household, grid).band], dtype=np.bool_)


def gaps(household: Household, grid: Grid) -> list[tuple[datetime, datetime]]:
    """From when until when dated prices are missing, in whole slots."""
    edges = np.flatnonzero(np.diff(np.concatenate([[False], in_gap(household, grid), [False]]))).tolist()
    return [(grid.starts[first], grid.starts[end]) for first, end in zip(edges[::2], edges[1::2], strict=True)]


def paid_at(tariff: Tariff, instant: datetime, zone: ZoneInfo) -> Paid:
    """What is paid at an instant, and by which line of the sheet."""
    second = int(instant.timestamp())
    found = steps(tariff, second, second + 1, zone)
    local = instant.astimezone(zone)
    times = LocalTimes(np.array([local.toordinal()]), np.array([local.hour * 60 + local.minute]))
    claims = [i for i, band in enumerate(tariff.bands) if in_band(band, tariff, times)[0]]
    dated = int(found.line[0]) == DATED
    names = [*(band.name for band in tariff.bands), DEFAULT, SERIES]
    return Paid(
        price=float(found.price[0]),
        name=names[int(found.line[0])],
        line=claims[0] if claims else None,
        beaten=tuple(claims[1:]),
        dated=dated,
    )


# --- a tariff as a week ---------------------------------------------------------------------------------------------------


# A year in which no clock changes (it is read in UTC) whose months all hold a whole week from a Monday on.
_ANY_YEAR = 2024


@dataclass(frozen=True, slots=True)
class Week:
    """A tariff's bands over an ordinary week of some months: no holiday, no dated price, no clock change.

    months : in which the week looks like this, 1 to 12
    line : shape (7, slots a day), Monday first: place in the list of bands, its length for the default price
    claims : shape (n_bands, 7, slots a day): whether a band matches there, winning or not
    price : shape (7, slots a day) [currency/kWh], the time-weighted mean where a line cuts the slot
    """

    months: tuple[int, ...]
    line: Seconds
    claims: Flags
    price: Floats


def weeks(tariff: Tariff, *, slot_minutes: int = 30) -> list[Week]:
    """The different weeks of a year, in the order of their first months: months that look alike stand together."""
    found: list[Week] = []
    for month in range(1, 13):
        week = _week(tariff, month, slot_minutes)
        alike = next((i for i, one in enumerate(found) if _alike(one, week)), None)
        if alike is None:
            found.append(week)
        else:
            one = found[alike]
            found[alike] = Week((*one.months, month), one.line, one.claims, one.price)
    return found


def _alike(one: Week, other: Week) -> bool:
    return bool((one.line == other.line).all() and (one.price == other.price).all())


def _week(tariff: Tariff, month: int, slot_minutes: int) -> Week:
    # The second Monday, so that a band that began the day before began in the same month.
    first = date(_ANY_YEAR, month, 8)
    monday = first + timedelta(days=(7 - first.weekday()) % 7)
    ordinary = Tariff(default_price=tariff.default_price, bands=tariff.bands, day_of=tariff.day_of)
    utc = ZoneInfo("UTC")
    start_s = (monday.toordinal() - _EPOCH_ORDINAL) * _DAY_S
    a_day = 24 * 60 // slot_minutes
    grid = Grid(start_s, slot_minutes, 7 * a_day, utc)
    found = steps(ordinary, start_s, start_s + 7 * _DAY_S, utc)
    at_start = np.searchsorted(found.at_s, grid.edges_s[:-1], side="right") - 1
    minutes = grid.edges_s[:-1] // 60
    local = LocalTimes(minutes // (24 * 60) + _EPOCH_ORDINAL, minutes % (24 * 60))
    claims = [in_band(band, ordinary, local) for band in tariff.bands]
    return Week(
        months=(month,),
        line=found.line[at_start].reshape(7, a_day),
        claims=np.array(claims, dtype=np.bool_).reshape(len(claims), 7, a_day),
        price=prices(ordinary, grid).price.reshape(7, a_day),
    )


@dataclass(frozen=True, slots=True)
class Held:
    """How a line of the sheet fares in the weeks of a year.

    hours_a_week : in which it is paid, mean over the months. claimed_hours_a_week : in which it matches.
    beaten_by : names of the lines before it that take some of its hours.
    """

    hours_a_week: float
    claimed_hours_a_week: float
    beaten_by: tuple[str, ...]


def held(tariff: Tariff) -> list[Held]:
    """How every band of the list fares, and last the default price, which holds in the gaps between them."""
    quarter = 15
    by_month = [(len(week.months), week) for week in weeks(tariff, slot_minutes=quarter)]
    hours = quarter / 60 / 12
    told = []
    for i, _ in enumerate(tariff.bands):
        takers: dict[int, None] = {}
        for _, week in by_month:
            takers |= dict.fromkeys(week.line[week.claims[i] & (week.line != i)].tolist())
        told.append(
            Held(
                hours_a_week=float(sum(n * (week.line == i).sum() for n, week in by_month) * hours),
                claimed_hours_a_week=float(sum(n * week.claims[i].sum() for n, week in by_month) * hours),
                beaten_by=tuple(dict.fromkeys(tariff.bands[taker].name for taker in sorted(takers))),
            )
        )
    default = float(sum(n * (week.line == len(tariff.bands)).sum() for n, week in by_month) * hours)
    return [*told, Held(default, 7 * 24.0, ())]
