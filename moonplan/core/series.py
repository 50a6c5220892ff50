"""Series that people bring: prices by time, and kWh by time from meters and roofs, with their gaps and their clock changes.

A series is a step function on the days of UTC: each day has one resolution and a value for every step, or none. Energy is
kept as mean power, so that a finer resolution is the same values repeated.
"""

from array import array
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta
from math import gcd
from typing import Literal
from zoneinfo import ZoneInfo

import numpy as np

from moonplan.core.mistakes import BadDocument, Mistake
from moonplan.core.tables import RefusedRow, number, rows_of
from moonplan.core.timegrid import Floats, Seconds
from moonplan.core.values import of_this_world

_DAY_S = 86_400
_DAY_MIN = 1440
# What a step may be. [min]
RESOLUTIONS = (5, 10, 15, 20, 30, 60, 120, 180, 240, 360, 480, 720, 1440)
FINEST_PRICE_MIN = 15
# More refused rows than this, and the file is not what it says.
_MOST_REFUSED = 10_000

Measure = Literal["price", "power"]

UNITS: Mapping[Measure, Mapping[str, float]] = {
    # What a figure of the file is times, to be a price a kWh.
    "price": {"per kWh": 1.0, "hundredths per kWh": 0.01, "per MWh": 0.001, "per 100 kWh": 0.01},
    # And to be kWh of a step, or kW on the mean of it.
    "power": {"kWh": 1.0, "Wh": 0.001, "kW": 1.0, "W": 0.001},
}
_POWERS = ("kW", "W")
_LARGEST = 1e6
# What a price a kWh or a mean power in kW may come to, as in the household document.
_MOST = 1000.0

TIMES = {"start": "start", "from": "start", "time": "start", "at": "start", "timestamp": "start", "datetime": "start"}
ENDS = {"end": "end", "until": "end", "to": "end"}
VALUES: Mapping[Measure, Mapping[str, str]] = {
    "price": {"price": "value", "value": "value"},
    "power": {"kwh": "value", "wh": "value", "kw": "value", "w": "value", "energy": "value", "power": "value"}
    | {"value": "value", "usage": "value"},
}


@dataclass(frozen=True, slots=True)
class Day:
    """One UTC day of a series: `values` has 1440 ÷ `minutes` entries, None where nothing is known."""

    day: date
    minutes: int
    values: tuple[float | None, ...]


@dataclass(frozen=True, slots=True)
class Gap:
    """From when until when a series says nothing, between its first and its last row."""

    start: datetime
    end: datetime


@dataclass(frozen=True)
class Brought:
    """What a file came to.

    step_minutes : its usual step. first, last : where it begins and ends. repeated : clock hours that a clock change let
    come twice, as they were taken.
    """

    days: tuple[Day, ...]
    n_rows: int
    step_minutes: int
    first: datetime
    last: datetime
    gaps: tuple[Gap, ...]
    repeated: tuple[datetime, ...]
    refused: tuple[RefusedRow, ...]


def from_csv(lines: Iterable[str], *, measure: Measure, unit: str, zone: ZoneInfo) -> Brought:
    """A series from a CSV file with a time and a figure in each row.

    Parameters
    ----------
    lines : the file's lines, read once from the first to the last.
    unit : one of `UNITS` of the measure.
    zone : the clock that times without an offset go by; an hour that a clock change repeats counts both times, in the
        order of the rows, newest first or last, and one that it skips is refused.

    Raises
    ------
    BadDocument
        If the file is no such table, or has no row that can be used.
    """
    reader = _Rows(measure, zone)
    refused: list[RefusedRow] = []
    known = {**TIMES, **ENDS, **VALUES[measure]}
    for found in rows_of(lines, known, reader.take, needs=("start", "value")):
        if isinstance(found, RefusedRow):
            _refuse(refused, found)
        else:
            reader.keep(found.row)
    return settled(
        reader.at_s, reader.values, reader.ends_s, measure=measure, unit=unit, refused=refused, repeated=reader.repeated
    )


def settled(
    at_s: Iterable[int],
    values: Iterable[float],
    ends_s: Iterable[int],
    *,
    measure: Measure,
    unit: str,
    refused: list[RefusedRow],
    repeated: Iterable[datetime] = (),
) -> Brought:
    """A series from its rows, in whatever order they came.

    at_s, ends_s : UTC seconds, an end of 0 where the file gives none. values : in the file's unit.

    Raises
    ------
    BadDocument
        If there is no row, the steps are none that a day can be cut into, or a figure is not of this world.
    """
    starts = np.asarray(at_s, dtype=np.int64)
    ends = np.asarray(ends_s, dtype=np.int64)
    figures = np.asarray(values, dtype=np.float64)
    if not len(starts):
        reason = str(refused[0].mistakes[0]) if refused else "no row"
        raise BadDocument([Mistake("file", reason, "at least one row that can be used")])
    order = np.argsort(starts, kind="stable")
    starts, ends, figures = starts[order], ends[order], figures[order]
    # What stands twice holds as it stands last.
    last_of = np.append(starts[1:] != starts[:-1], True)
    starts, ends, figures = starts[last_of], ends[last_of], figures[last_of]
    step_s = _usual_step(starts, ends, measure)
    following = np.append(starts[1:], starts[-1] + step_s)
    ends = np.where(ends > starts, np.minimum(ends, following), np.minimum(following, starts + step_s))
    scale = UNITS[measure][unit]
    hours = (ends - starts) / 3600
    figures = figures * scale / (hours if measure == "power" and unit not in _POWERS else 1.0)
    _of_this_world(figures, measure)
    open_ = ends[:-1] < starts[1:]
    gaps = tuple(
        Gap(_instant(first), _instant(last)) for first, last in zip(ends[:-1][open_], starts[1:][open_], strict=True)
    )
    return Brought(
        days=tuple(_days(starts, ends, figures)),
        n_rows=len(starts),
        step_minutes=int(step_s // 60),
        first=_instant(int(starts[0])),
        last=_instant(int(ends[-1])),
        gaps=gaps,
        repeated=tuple(repeated),
        refused=tuple(refused),
    )


def _of_this_world(figures: Floats, measure: Measure) -> None:
    worst = float(figures[np.argmax(np.abs(figures))])
    if abs(worst) > _MOST:
        found = f"{worst:g} {'a kWh' if measure == 'price' else 'kW'}"
        raise BadDocument([Mistake("value", found, f"at most {_MOST:g}: is the unit of the figures right?")])


def _refuse(refused: list[RefusedRow], row: RefusedRow) -> None:
    refused.append(row)
    if len(refused) > _MOST_REFUSED:
        told = f"line {refused[0].line}: {refused[0].mistakes[0]}"
        raise BadDocument(
            [Mistake("file", f"{_MOST_REFUSED} rows that cannot be used, the first in {told}", "another file")]
        )


@dataclass
class _Rows:
    """Rows as they are read, 24 bytes each; clock times are put on UTC one after the other."""

    measure: Measure
    zone: ZoneInfo
    at_s: "array[int]" = field(default_factory=lambda: array("q"))
    ends_s: "array[int]" = field(default_factory=lambda: array("q"))
    values: "array[float]" = field(default_factory=lambda: array("d"))
    repeated: list[datetime] = field(default_factory=list)
    last_clock: datetime | None = None
    # Of a clock hour that comes twice: whether its rows come newest first, and are of its second time; None out of it.
    newest_first: bool = False
    second_time: bool | None = None

    def take(self, cells: dict[str, str]) -> tuple[int, int, float]:
        """When the row begins and ends (0 where it doesn't say), in UTC seconds, and its figure.

        Raises
        ------
        BadDocument
            If one of them is none.
        """
        mistakes = [Mistake(key, "missing", "a value") for key in ("start", "value") if key not in cells]
        if mistakes:
            raise BadDocument(mistakes)
        value = number(cells["value"])
        if isinstance(value, str) or not -_LARGEST <= value <= _LARGEST:
            raise BadDocument([Mistake("value", cells["value"], "a number")])
        if self.measure == "power" and value < 0:
            raise BadDocument([Mistake("value", cells["value"], "0 or more")])
        start = _time(cells["start"], "start")
        at_s = self._on_utc(start)
        if "end" not in cells:
            return at_s, 0, value
        # Within a step no clock changes but by an hour, which its length tells.
        length = _time(cells["end"], "end").replace(tzinfo=None) - start.replace(tzinfo=None)
        return at_s, at_s + int(length.total_seconds()), value

    def keep(self, row: tuple[int, int, float]) -> None:
        at_s, end_s, value = row
        self.at_s.append(at_s)
        self.ends_s.append(end_s)
        self.values.append(value)

    def _on_utc(self, at: datetime) -> int:
        if at.tzinfo is not None:
            return int(at.timestamp())
        last, self.last_clock = self.last_clock, at
        early, late = (int(at.replace(tzinfo=self.zone, fold=fold).timestamp()) for fold in (0, 1))
        if early == late:
            self.second_time = None
            return early
        if early > late:
            expected = f"a time that the clocks of {self.zone} show: they go forward there"
            raise BadDocument([Mistake("start", at.isoformat(sep=" "), expected)])
        if self.second_time is None or last is None:
            self.newest_first = last is not None and at < last
            self.second_time = self.newest_first
        elif at >= last if self.newest_first else at <= last:
            self.second_time = not self.newest_first
        if not self.second_time:
            return early
        if at.minute == 0:
            self.repeated.append(at.replace(tzinfo=self.zone, fold=1))
        return late


def _time(text: str, key: str) -> datetime:
    try:
        found = datetime.fromisoformat(text)
    except ValueError:
        raise BadDocument([Mistake(key, text, "a time such as 2026-01-14 18:00 or 2026-01-14T18:00+01:00")]) from None
    try:
        return of_this_world(found)
    except ValueError as error:
        raise BadDocument([Mistake(key, text, str(error))]) from None


def _usual_step(starts: Seconds, ends: Seconds, measure: Measure) -> int:
    lengths = np.where(ends > starts, ends - starts, np.append(np.diff(starts), 0))
    lengths = lengths[lengths > 0]
    if not len(lengths):
        return 3600
    found, counts = np.unique(lengths, return_counts=True)
    step = int(found[np.argmax(counts)])
    least = FINEST_PRICE_MIN if measure == "price" else RESOLUTIONS[0]
    if step // 60 not in RESOLUTIONS or step % 60 or step // 60 < least:
        expected = f"steps of {least} minutes or more that a day can be cut into"
        raise BadDocument([Mistake("start", f"steps of {step / 60:g} minutes", expected)])
    return step


def _days(starts: Seconds, ends: Seconds, values: Floats) -> Iterator[Day]:
    first_day, last_day = int(starts[0] // _DAY_S), int((ends[-1] - 1) // _DAY_S)
    cuts = np.searchsorted(starts, np.arange(first_day, last_day + 2) * _DAY_S)
    for n, day in enumerate(range(first_day, last_day + 1)):
        # One row may reach over midnight from the day before.
        low, high = max(0, int(cuts[n]) - 1), int(cuts[n + 1])
        begin = day * _DAY_S
        from_ = np.clip(starts[low:high] - begin, 0, _DAY_S) // 60
        to = np.clip(ends[low:high] - begin, 0, _DAY_S) // 60
        inside = to > from_
        if not inside.any():
            continue
        from_, to, figures = from_[inside], to[inside], values[low:high][inside]
        edges = [int(edge) for edge in np.union1d(from_, to)]
        minutes = gcd(_DAY_MIN, *edges)
        steps: list[float | None] = [None] * (_DAY_MIN // minutes)
        for a, b, value in zip((from_ // minutes).tolist(), (to // minutes).tolist(), figures.tolist(), strict=True):
            kept = round(value, 7)
            for i in range(a, b):
                steps[i] = kept
        yield Day(date(1970, 1, 1) + timedelta(days=day), minutes, tuple(steps))


def merged(under: Day, over: Day) -> Day:
    """A day with the known values of another laid over it, at the finer of both resolutions."""
    minutes = gcd(under.minutes, over.minutes)
    values = [new if new is not None else old for old, new in zip(_at(under, minutes), _at(over, minutes), strict=True)]
    return Day(under.day, minutes, tuple(values))


def says_again(known: Day, brought: Day) -> bool:
    """Whether a day brings nothing that is not known already."""
    return merged(known, brought) == known or _at(merged(known, brought), 1) == _at(known, 1)


def _at(day: Day, minutes: int) -> list[float | None]:
    times = day.minutes // minutes
    return [value for value in day.values for _ in range(times)]


def steps_of(days: Iterable[Day]) -> list[tuple[datetime, float | None]]:
    """Days in ascending order as one step series; None where nothing is known, the last one included."""
    found: list[tuple[datetime, float | None]] = []
    until: datetime | None = None
    for day in days:
        midnight = datetime(day.day.year, day.day.month, day.day.day, tzinfo=UTC)
        if until is not None and midnight > until and found and found[-1][1] is not None:
            found.append((until, None))
        for i, value in enumerate(day.values):
            if not found or found[-1][1] != value:
                found.append((midnight + timedelta(minutes=i * day.minutes), value))
        until = midnight + timedelta(days=1)
    if until is not None and found and found[-1][1] is not None:
        found.append((until, None))
    return found


def means(days: Iterable[Day], edges_s: Seconds) -> Floats:
    """Mean of a series between edges (shape (n + 1,), ascending UTC seconds), NaN wherever a part is not known."""
    steps = steps_of(days)
    wanted = np.full(len(edges_s) - 1, np.nan)
    if not steps:
        return wanted
    at = np.array([start.timestamp() for start, _ in steps])
    value = np.array([np.nan if v is None else v for _, v in steps])
    cuts = np.union1d(at, edges_s.astype(float))
    behind = np.searchsorted(at, cuts, side="right") - 1
    held = np.where(behind >= 0, value[np.maximum(behind, 0)], np.nan)
    spans = np.diff(cuts)
    known = np.concatenate([[0.0], np.cumsum(np.where(np.isnan(held[:-1]), 0.0, spans))])
    area = np.concatenate([[0.0], np.cumsum(np.nan_to_num(held[:-1]) * spans)])
    where = np.searchsorted(cuts, edges_s)
    length = np.diff(edges_s).astype(float)
    whole = np.diff(known[where]) >= length - 0.5
    return np.asarray(np.where(whole, np.diff(area[where]) / length, np.nan), dtype=np.float64)


def _instant(second: int) -> datetime:
    return datetime.fromtimestamp(int(second), UTC)
