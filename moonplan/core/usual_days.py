"""Usual days: what a car drives on each weekday, learned from its odometer and its trips (rules, section 3).

*Typical* is the median of a weekday's km, *careful* the 80th percentile; a weekday with under three entries borrows from
its kind, working days or the weekend. A typed figure stands above both.
"""

import json
import re
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from functools import cache
from itertools import pairwise
from typing import Annotated, Any, Literal
from zoneinfo import ZoneInfo

import numpy as np
from pydantic import Field, TypeAdapter

from moonplan.core.distance import DistanceUnit, in_km, in_unit
from moonplan.core.mileage import weather_factor
from moonplan.core.mistakes import BadDocument, Mistake, shown, validated
from moonplan.core.tables import number
from moonplan.core.timegrid import instant_at
from moonplan.core.values import STRICT, WEEKDAYS, Day, Percent, Weekday

_ENOUGH_ENTRIES = 3
_CAREFUL_PERCENTILE = 80
# An odometer that was not read for longer than this says nothing of single days. [days]
_LONGEST_GAP = 7
_WEEKEND = (5, 6)
# Consumption is believed from this many kilometres on.
_ENOUGH_KM = 50.0
# No car is driven further than this, day after day. [km]
_FARTHEST_A_DAY_KM = 2500.0


@dataclass(frozen=True, slots=True)
class Odometer:
    """An odometer reading: what it showed when the day was over.

    soc_pct : SoC then, where it was read. charged_kwh : into the battery since the reading before, where that is known.
    temperature_c : outside, on the drives since the reading before.
    """

    day: Day
    km: Annotated[float, Field(ge=0, le=5_000_000)]
    soc_pct: Percent | None = None
    charged_kwh: Annotated[float, Field(ge=0, le=10_000)] | None = None
    temperature_c: Annotated[float, Field(ge=-60, le=60)] | None = None

    __pydantic_config__ = STRICT


def columns(unit: DistanceUnit) -> Mapping[str, str]:
    """The columns of a table of odometer readings, to the key each stands for: `km` or `mi` for what the odometer shows.

    unit : of an odometer whose column names none.
    """
    return {
        **{name: name for name in ("day", "km", "mi", "soc_pct", "charged_kwh", "temperature_c")},
        "date": "day",
        "odometer": unit,
        "odometer_km": "km",
        "odometer_mi": "mi",
        "odometer_miles": "mi",
        "miles": "mi",
        "soc": "soc_pct",
    }


def odometer_of(values: Mapping[str, Any]) -> Odometer:
    """An odometer reading from its keys and values, the day as ISO 8601.

    Raises
    ------
    BadDocument
        With every mistake, by its key.
    """
    return validated(_adapter(), json.dumps(dict(values)), _adapter().json_schema())


# No odometer shows thousandths of a kilometre.
_THOUSANDS = re.compile(r"\d{1,3}[.,]\d{3}")


def odometer_of_row(cells: Mapping[str, str]) -> Odometer:
    """An odometer reading from a row of a table, its cells by column.

    Raises
    ------
    BadDocument
        As `odometer_of`.
    """
    for key, unit in (("km", "kilometres"), ("mi", "miles")):
        if _THOUSANDS.fullmatch(cells.get(key, "")):
            raise BadDocument([Mistake(key, cells[key], f"{unit}, with no mark between the thousands")])
    values = {key: text if key == "day" else number(text) for key, text in cells.items()}
    if (miles := values.pop("mi", None)) is not None:
        values["km"] = in_km(miles, "mi") if isinstance(miles, float) else miles
    return odometer_of(values)


def beside_others(reading: Odometer, others: Collection[Odometer], unit: DistanceUnit = "km") -> Mistake | None:
    """What is wrong with a reading beside the others of its car: an odometer never goes back, and what a digit too many
    makes of it is further than a car is driven.

    unit : in which the odometer is told.
    """
    before = max((one for one in others if one.day < reading.day), key=lambda one: one.day, default=None)
    after = min((one for one in others if one.day > reading.day), key=lambda one: one.day, default=None)
    least, most = before.km if before else 0.0, after.km if after else float("inf")
    if least <= reading.km <= most:
        nearest = after.km - _farthest_km(reading, after) if after else least
        farthest = before.km + _farthest_km(before, reading) if before else most
        # Where those two are further apart than a car is driven it is not this one that is wrong.
        if max(least, nearest) <= min(most, farthest):
            least, most = max(least, nearest), min(most, farthest)
    if least <= reading.km <= most:
        return None
    known = " and ".join(f"{_told(one.km, unit)} on {one.day.isoformat()}" for one in (before, after) if one)
    expected = f"at least {_told(least, unit)}" if most == float("inf") else f"{_told(least, unit)} to {_told(most, unit)}"
    return Mistake("km", round(in_unit(reading.km, unit), 1), f"{expected} {unit}, as it showed {known}")


def _told(km: float, unit: DistanceUnit) -> str:
    """What an odometer shows, to the tenth."""
    return shown(round(in_unit(km, unit), 1))


def _farthest_km(one: Odometer, other: Odometer) -> float:
    return _FARTHEST_A_DAY_KM * abs((other.day - one.day).days)


@cache
def _adapter() -> TypeAdapter[Odometer]:
    return TypeAdapter(Odometer)


@dataclass(frozen=True, slots=True)
class UsualDay:
    """What a car drives on a weekday.

    typical_km, careful_km : None where nothing is known. entries : days that it stands on. source : the weekday's own
    entries, those of its kind, or a typed figure.
    """

    weekday: Weekday
    typical_km: float | None
    careful_km: float | None
    entries: int
    source: Literal["own", "kind", "typed", "nothing"]


@dataclass(frozen=True, slots=True)
class LearnedUse:
    """Consumption as driven, in mild weather.

    use_kwh_per_100km : over all the km that it stands on, the weather factor taken out where a temperature was noted.
    spread_kwh_per_100km : of single stretches.
    """

    use_kwh_per_100km: float
    km: float
    stretches: int
    spread_kwh_per_100km: float


def driven(odometer: Sequence[Odometer], trips: Mapping[date, float]) -> dict[date, float]:
    """Km of each day that is known.

    Between two odometer readings up to a week apart km are spread evenly over the days; elsewhere a day's trips count, and
    days without a trip between the first and the last trip count as not driven.

    Parameters
    ----------
    trips : km of all trips that left on a day. [km]
    """
    told = dict.fromkeys(_days(min(trips), max(trips)), 0.0) | dict(trips) if trips else {}
    for before, after in pairwise(sorted(odometer, key=lambda reading: reading.day)):
        days = (after.day - before.day).days
        if 0 < days <= _LONGEST_GAP:
            each = (after.km - before.km) / days
            told |= dict.fromkeys(_days(before.day + timedelta(days=1), after.day), each)
    return told


def _days(first: date, last: date) -> Iterable[date]:
    return (first + timedelta(days=n) for n in range((last - first).days + 1))


def usual_days(km_by_day: Mapping[date, float], typed: Mapping[Weekday, float | None] | None = None) -> list[UsualDay]:
    """The usual day of every weekday, Monday first.

    Parameters
    ----------
    km_by_day : km of each day that is known. [km]
    typed : km of a weekday that somebody typed instead; None for not typed. [km]
    """
    return [_usual(nth, weekday, km_by_day, (typed or {}).get(weekday)) for nth, weekday in enumerate(WEEKDAYS)]


def _usual(nth: int, weekday: Weekday, km_by_day: Mapping[date, float], typed: float | None) -> UsualDay:
    own = [km for day, km in km_by_day.items() if day.weekday() == nth]
    if typed is not None:
        return UsualDay(weekday, typed, typed, len(own), "typed")
    kind = [km for day, km in km_by_day.items() if (day.weekday() in _WEEKEND) == (nth in _WEEKEND)]
    entries, source = (own, "own") if len(own) >= _ENOUGH_ENTRIES else (kind, "kind")
    if not entries:
        return UsualDay(weekday, None, None, 0, "nothing")
    typical, careful = np.percentile(entries, [50, _CAREFUL_PERCENTILE])
    return UsualDay(weekday, float(typical), float(careful), len(entries), "own" if source == "own" else "kind")


def ends_the_day_after(leave: time, back: time) -> bool:
    """Whether a usual drive goes on past midnight, as to a night shift: it ends no later by the clock than it begins."""
    return back <= leave


def hours_out(day: date, leave: time, back: time, zone: ZoneInfo) -> tuple[datetime, datetime]:
    """When a usual drive that begins on a day is under way."""
    ends = day + timedelta(days=1 if ends_the_day_after(leave, back) else 0)
    return instant_at(day, leave, zone), instant_at(ends, back, zone)


def learned_use(odometer: Sequence[Odometer], usable_kwh: float) -> LearnedUse | None:
    """Consumption between odometer readings with a SoC each: what left the battery over the km driven.

    kWh used = (SoC before − SoC after) × usable + what was charged between; each km counts as many as the weather factor
    makes of it (rules, section 3), so that a cold week is not taken for a thirsty car. A stretch over which SoC rose and
    nobody noted what was charged says nothing. None until enough has been driven.
    """
    stretches = []
    for before, after in pairwise(sorted(odometer, key=lambda reading: reading.day)):
        if before.soc_pct is None or after.soc_pct is None or after.km <= before.km:
            continue
        if after.charged_kwh is None and after.soc_pct >= before.soc_pct:
            continue
        kwh = (before.soc_pct - after.soc_pct) / 100 * usable_kwh + (after.charged_kwh or 0.0)
        if kwh > 0:
            km = after.km - before.km
            stretches.append((km, km * weather_factor(after.temperature_c), kwh))
    driven_km = sum(km for km, _, _ in stretches)
    if driven_km < _ENOUGH_KM:
        return None
    counted = np.array([km for _, km, _ in stretches])
    kwhs = np.array([kwh for _, _, kwh in stretches])
    mean = 100 * float(kwhs.sum() / counted.sum())
    spread = float(np.sqrt(np.average((100 * kwhs / counted - mean) ** 2, weights=counted)))
    return LearnedUse(mean, driven_km, len(stretches), spread)
