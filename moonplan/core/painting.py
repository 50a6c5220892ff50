"""A tariff painted on its week: a stretch of hours given to one of its lines, and the list of bands that comes of it.

The list stays short and reads as it was typed: a stroke goes before everything else, lines that never hold any more are
dropped, and lines of one name and price are joined, each only where no hour of any week changes by it.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import time

import numpy as np

from moonplan.core.household import Band, Tariff
from moonplan.core.tariff import DEFAULT, weeks
from moonplan.core.timegrid import Floats, minutes_of
from moonplan.core.values import WEEKDAYS, Weekday

_A_DAY = 24 * 60
_EVERY_MONTH = tuple(range(1, 13))
# Band edges are compared at this. [min]
_COMPARED_AT = 15


@dataclass(frozen=True, slots=True)
class Stroke:
    """Hours of some days, in some months.

    days : 0 for Monday to 6 for Sunday. start, end : within a day; an end of 00:00 is the day's. months : 1 to 12.
    """

    days: tuple[int, ...]
    start: time
    end: time
    months: tuple[int, ...] = _EVERY_MONTH


def painted(tariff: Tariff, line: int, stroke: Stroke) -> tuple[Band, ...]:
    """The bands after a stroke with one of the tariff's lines.

    line : place in the list of bands; its length for the default price, which takes the hours out of every band.
    """
    if line >= len(tariff.bands):
        cut = tuple(piece for band in tariff.bands for piece in _cut(band, stroke, tariff.day_of))
        return _without_idle(tariff, cut, _hours(tariff, cut))
    source = tariff.bands[line]
    added = Band(
        name=source.name,
        price=source.price,
        from_=stroke.start,
        to=stroke.end,
        days=_weekdays(stroke.days),
        months=None if len(stroke.months) == len(_EVERY_MONTH) else stroke.months,
    )
    bands = (added, *tariff.bands)
    wanted = _hours(tariff, bands)
    bands = _without_idle(tariff, bands, wanted)
    at = next((i for i, band in enumerate(bands) if band is added), None)
    while at is not None and (joined := _one_join(tariff, bands, at, wanted)) is not None:
        bands, at = joined
    return bands


@dataclass(frozen=True)
class _Hours:
    """Every quarter hour of every month: what is paid, and under which name."""

    price: Floats
    names: list[list[str]]

    def same(self, other: "_Hours") -> bool:
        return self.names == other.names and bool((self.price == other.price).all())


def _hours(tariff: Tariff, bands: Sequence[Band]) -> _Hours:
    names = [*(band.name for band in bands), DEFAULT]
    found = weeks(replace(tariff, bands=tuple(bands)), slot_minutes=_COMPARED_AT)
    by_month = {month: week for week in found for month in week.months}
    year = [by_month[month] for month in _EVERY_MONTH]
    return _Hours(np.array([week.price for week in year]), [[names[i] for i in week.line.ravel()] for week in year])


def _without_idle(tariff: Tariff, bands: tuple[Band, ...], wanted: _Hours) -> tuple[Band, ...]:
    """The bands without those that nobody would miss, the last ones first."""
    for i in reversed(range(len(bands))):
        fewer = bands[:i] + bands[i + 1 :]
        if _hours(tariff, fewer).same(wanted):
            bands = fewer
    return bands


def _one_join(tariff: Tariff, bands: tuple[Band, ...], at: int, wanted: _Hours) -> tuple[tuple[Band, ...], int] | None:
    """The bands with the one at a place joined to another, and where it stands then; None where none can be."""
    for i, other in enumerate(bands):
        if i == at:
            continue
        rest = [band for j, band in enumerate(bands) if j not in (i, at)]
        for one in _joins(bands[at], other):
            for place in sorted({min(i, at), max(i, at) - 1}):
                candidate = (*rest[:place], one, *rest[place:])
                if _hours(tariff, candidate).same(wanted):
                    return candidate, place
    return None


def _joins(one: Band, other: Band) -> Iterable[Band]:
    """What two bands of one line could be as one: the same hours on the days of both, or hours that follow on."""
    if (one.name, one.price) != (other.name, other.price):
        return
    same_hours = (one.from_, one.to) == (other.from_, other.to)
    same_days = set(one.days) == set(other.days)
    same_months = set(one.months or _EVERY_MONTH) == set(other.months or _EVERY_MONTH)
    if same_hours and same_months:
        yield replace(one, days=tuple(day for day in WEEKDAYS if day in {*one.days, *other.days}))
    if same_hours and same_days and one.months and other.months:
        months = tuple(sorted({*one.months, *other.months}))
        yield replace(one, months=None if len(months) == len(_EVERY_MONTH) else months)
    if same_days and same_months:
        yield replace(one, to=other.to)
        yield replace(one, from_=other.from_)


def _cut(band: Band, stroke: Stroke, day_of: str) -> Iterable[Band]:
    """What is left of a band without the hours of a stroke."""
    months = band.months or _EVERY_MONTH
    within = tuple(month for month in months if month in stroke.months)
    if not within:
        yield band
        return
    if len(within) < len(months):
        yield replace(band, months=tuple(month for month in months if month not in within))
    in_months = None if len(within) == len(_EVERY_MONTH) else within
    for part in _by_clock_day(replace(band, months=in_months), day_of):
        inside = [WEEKDAYS.index(day) for day in part.days if WEEKDAYS.index(day) in stroke.days]
        outside = tuple(day for day in part.days if WEEKDAYS.index(day) not in inside)
        left = _less(_windows(part), minutes_of(stroke.start), minutes_of(stroke.end) or _A_DAY)
        if not inside or left == _windows(part):
            yield part
            continue
        if outside:
            yield replace(part, days=outside)
        for first, last in left:
            yield replace(part, days=_weekdays(inside), from_=_clock(first), to=_clock(last))


def _by_clock_day(band: Band, day_of: str) -> Iterable[Band]:
    """A band as bands whose days are those of the clock: under `start`, what crosses midnight falls in two."""
    if day_of == "clock" or band.to > band.from_ or band.to == time(0):
        yield band
        return
    yield replace(band, to=time(0))
    yield replace(band, from_=time(0), days=_weekdays((WEEKDAYS.index(day) + 1) % 7 for day in band.days))


def _windows(band: Band) -> list[tuple[int, int]]:
    """The band's minutes of a clock day."""
    first, last = minutes_of(band.from_), minutes_of(band.to)
    if first < last:
        return [(first, last)]
    return [(0, _A_DAY)] if first == last else [w for w in ((0, last), (first, _A_DAY)) if w[0] < w[1]]


def _less(windows: list[tuple[int, int]], first: int, last: int) -> list[tuple[int, int]]:
    pieces = [piece for start, end in windows for piece in ((start, min(end, first)), (max(start, last), end))]
    return [(start, end) for start, end in pieces if start < end]


def _clock(minutes: int) -> time:
    return time(minutes % _A_DAY // 60, minutes % 60)


def _weekdays(days: Iterable[int]) -> tuple[Weekday, ...]:
    return tuple(WEEKDAYS[day] for day in sorted(set(days)))
