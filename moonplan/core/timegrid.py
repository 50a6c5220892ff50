"""Time as the plan sees it: slots aligned to UTC, nights from noon to noon, clock times that survive a clock change.

Everything here takes and returns aware datetimes or arrays of UTC seconds since the epoch; local clocks are looked up
in the household's own time zone, so that a night in which the clocks change really has 23 or 25 hours.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from functools import cached_property
from zoneinfo import ZoneInfo

import numpy as np
import numpy.typing as npt

Seconds = npt.NDArray[np.int64]
Counts = npt.NDArray[np.int64]
Floats = npt.NDArray[np.float64]
Flags = npt.NDArray[np.bool_]

_DAY_S = 86_400
_EPOCH_ORDINAL = date(1970, 1, 1).toordinal()


@dataclass(frozen=True, slots=True)
class LocalTimes:
    """Local calendar days and clock times of an array of instants.

    day : shape of the instants, proleptic Gregorian ordinal of the local day
    minute : same shape, minutes since local midnight as the clock shows them, 0 to 1439
    """

    day: Seconds
    minute: Seconds

    @property
    def weekday(self) -> Seconds:
        """0 for Monday to 6 for Sunday."""
        return (self.day - 1) % 7

    @property
    def month(self) -> Seconds:
        """1 to 12."""
        days, inverse = np.unique(self.day, return_inverse=True)
        months = np.array([date.fromordinal(int(day)).month for day in days], dtype=np.int64)
        return months[inverse]


def utc_offsets(first_s: int, last_s: int, zone: ZoneInfo) -> tuple[Seconds, Seconds]:
    """The zone's offsets from UTC between two instants.

    Returns
    -------
    starts, offsets : shape (n,) [s]
        From each start on, the offset that holds; the first start is `first_s`.
    """

    def offset(second: int) -> int:
        delta = datetime.fromtimestamp(second, zone).utcoffset()
        return int(delta.total_seconds()) if delta is not None else 0

    starts, offsets = [first_s], [offset(first_s)]
    at = first_s
    while at < last_s:
        after = min(at + _DAY_S, last_s)
        if offset(after) != offsets[-1]:
            low, high = at, after
            while high - low > 1:
                middle = (low + high) // 2
                low, high = (middle, high) if offset(middle) == offsets[-1] else (low, middle)
            starts.append(high)
            offsets.append(offset(high))
        at = after
    return np.array(starts, dtype=np.int64), np.array(offsets, dtype=np.int64)


def local_times(instants_s: Seconds, zone: ZoneInfo) -> LocalTimes:
    """Local days and clock minutes of instants in ascending order (shape (n,), UTC seconds)."""
    if not len(instants_s):
        return LocalTimes(instants_s, instants_s)
    starts, offsets = utc_offsets(int(instants_s[0]), int(instants_s[-1]), zone)
    local = instants_s + offsets[np.searchsorted(starts, instants_s, side="right") - 1]
    return LocalTimes(local // _DAY_S + _EPOCH_ORDINAL, local % _DAY_S // 60)


def minutes_of(clock: time) -> int:
    """Minutes since midnight."""
    return clock.hour * 60 + clock.minute


def clock_window(minute: Seconds, start: time, end: time) -> Flags:
    """Which clock minutes lie in [start, end), wrapping midnight; equal ends mean always."""
    first, last = minutes_of(start), minutes_of(end)
    if first == last:
        return np.ones(minute.shape, dtype=np.bool_)
    if first < last:
        return (minute >= first) & (minute < last)
    return (minute >= first) | (minute < last)


def is_awake(instant: datetime, zone: ZoneInfo, wake: time, bedtime: time) -> bool:
    """Whether someone is up: from `wake` to `bedtime`, both included (rules, section 6)."""
    local = instant.astimezone(zone)
    seconds = local.hour * 3600 + local.minute * 60 + local.second
    first, last = minutes_of(wake) * 60, minutes_of(bedtime) * 60
    return first <= seconds <= last if first <= last else seconds >= first or seconds <= last


def instant_at(day: date, clock: time, zone: ZoneInfo) -> datetime:
    """The instant of a clock time on a local day: the first of two, or the first instant after one that is skipped."""
    naive = datetime.combine(day, clock)
    early, late = (naive.replace(tzinfo=zone, fold=fold).astimezone(UTC) for fold in (1, 0))
    if late.astimezone(zone).replace(tzinfo=None) == naive:
        return late.astimezone(zone)
    starts, _ = utc_offsets(int(early.timestamp()), int(late.timestamp()), zone)
    return datetime.fromtimestamp(int(starts[-1]), zone)


def nearest_minute(instant: datetime) -> datetime:
    """The minute nearest an instant, as clock times are told: a session ends between two."""
    return datetime.fromtimestamp(round(instant.timestamp() / 60) * 60, instant.tzinfo)


def told_clock(local: datetime, *, now: datetime | None = None) -> str:
    """The clock time of a local instant, and which one it is in a night in which the clock shows it twice; with its weekday
    where that is over a day from now."""
    is_twice = local.replace(fold=0).utcoffset() != local.replace(fold=1).utcoffset()
    told = f"{local:%H:%M}" + (f", the {'second' if local.fold else 'first'} time" if is_twice else "")
    return f"{local:%A} {told}" if now is not None and local - now > timedelta(days=1) else told


def told_day(day: date, today: date) -> str:
    """A day by its weekday; a week from today or more, where that could be another, with its date."""
    return f"{day:%A}" if abs(day - today) < timedelta(days=7) else f"{day:%A} {day.day} {day:%B}"


def noon(day: date, zone: ZoneInfo) -> datetime:
    """Local noon, where a night begins and the one before it ends."""
    return instant_at(day, time(12), zone)


def night_of(instant: datetime, zone: ZoneInfo) -> date:
    """The night, named by the day it begins, that an instant belongs to."""
    local = instant.astimezone(zone)
    return local.date() if local.hour >= 12 else local.date() - timedelta(days=1)


def night_asked_about(instant: datetime, zone: ZoneInfo, wake: time) -> date:
    """The night that people ask about: before anyone is up the one that runs, from then on the coming one."""
    local = instant.astimezone(zone)
    return local.date() if local.hour < 12 and local.time() >= wake else night_of(instant, zone)


def in_night(night: date, clock: time, zone: ZoneInfo) -> datetime:
    """The instant of a clock time within a night."""
    return instant_at(night if clock.hour >= 12 else night + timedelta(days=1), clock, zone)


@dataclass(frozen=True)
class Grid:
    """The slots of a plan.

    start_s : start of the first slot, a multiple of the slot length since the epoch. [s, UTC]
    slot_minutes : length of a slot. [min]
    n_slots : how many slots there are.
    zone : the household's time zone.
    """

    start_s: int
    slot_minutes: int
    n_slots: int
    zone: ZoneInfo

    @property
    def hours(self) -> float:
        """Length of a slot. [h]"""
        return self.slot_minutes / 60

    @cached_property
    def edges_s(self) -> Seconds:
        """Shape (n_slots + 1,): starts of the slots and the end of the last. [s, UTC]"""
        return self.start_s + np.arange(self.n_slots + 1, dtype=np.int64) * (self.slot_minutes * 60)

    @cached_property
    def starts(self) -> list[datetime]:
        """The n_slots + 1 edges as local datetimes."""
        return [datetime.fromtimestamp(int(second), self.zone) for second in self.edges_s]

    def instant(self, edge: int, part: float) -> datetime:
        """The local instant at which a part of the slot after an edge has passed, by real and not by clock time."""
        return (self.starts[edge].astimezone(UTC) + timedelta(hours=part * self.hours)).astimezone(self.zone)

    @cached_property
    def minutes_s(self) -> Seconds:
        """Shape (n_slots × slot_minutes,): every minute of the plan. [s, UTC]"""
        return self.start_s + np.arange(self.n_slots * self.slot_minutes, dtype=np.int64) * 60

    @cached_property
    def local(self) -> LocalTimes:
        """Local times of every minute of the plan."""
        return local_times(self.minutes_s, self.zone)

    @cached_property
    def nights(self) -> list[date]:
        """The night that each slot starts in, n_slots of them."""
        return [night_of(start, self.zone) for start in self.starts[:-1]]

    @cached_property
    def night_edges(self) -> list[int]:
        """The edges at which a night begins, the present one's first."""
        return [t for t, night in enumerate(self.nights) if not t or night != self.nights[t - 1]]

    @cached_property
    def new_night(self) -> Flags:
        """Slots with which a night begins, but for the first, shape (n_slots,)."""
        begins = np.zeros(self.n_slots, dtype=np.bool_)
        begins[self.night_edges[1:]] = True
        return begins

    def wholly(self, minutes: Flags) -> Flags:
        """Slots (shape (n_slots,)) in which every minute is flagged."""
        return np.asarray(minutes.reshape(self.n_slots, self.slot_minutes).all(axis=1), dtype=np.bool_)

    def means(self, minutes: Floats) -> Floats:
        """Mean over each slot (shape (n_slots,)) of a value given for every minute."""
        return np.asarray(minutes.reshape(self.n_slots, self.slot_minutes).mean(axis=1), dtype=np.float64)

    def first_at_or_after(self, instant: datetime) -> int:
        """Index of the first edge at or after an instant, at most n_slots."""
        behind = instant.timestamp() - self.start_s
        slot_s = self.slot_minutes * 60
        return int(min(max(0, -(-behind // slot_s)), self.n_slots))

    @property
    def end_s(self) -> int:
        """End of the last slot. [s, UTC]"""
        return self.start_s + self.n_slots * self.slot_minutes * 60

    def is_followed_by(self, later: "Grid") -> bool:
        """Whether another grid has slots of the same length and begins within this one."""
        return self.slot_minutes == later.slot_minutes and self.start_s <= later.start_s < self.end_s

    def moved(self, values: Floats, later: "Grid") -> Floats:
        """Values of these slots for those of a grid that follows, shape (later.n_slots,); 0 after the end of these."""
        passed = (later.start_s - self.start_s) // (self.slot_minutes * 60)
        left = values[passed : passed + later.n_slots]
        return np.pad(left, (0, later.n_slots - len(left)))

    def edge_before(self, instant: datetime) -> int:
        """Index of the last edge at or before an instant, 0 to n_slots."""
        passed = (instant.timestamp() - self.start_s) // (self.slot_minutes * 60)
        return int(min(max(0, passed), self.n_slots))

    def overlaps(self, start: datetime, end: datetime) -> Flags:
        """Slots (shape (n_slots,)) that share time with [start, end)."""
        return (self.edges_s[:-1] < end.timestamp()) & (self.edges_s[1:] > start.timestamp())

    def step_means(self, steps: Sequence[tuple[datetime, float]]) -> Floats:
        """Mean over each slot of a step series; 0 before its first entry.

        steps : starts in ascending order and the value that holds from there to the next.
        """
        if not steps:
            return np.zeros(self.n_slots)
        at = np.array([start.timestamp() for start, _ in steps])
        values = np.array([value for _, value in steps])
        last = max(float(self.edges_s[-1]), float(at[-1])) + 1.0
        known = np.concatenate([at, [last]])
        area = np.concatenate([[0.0], np.cumsum(values * np.diff(known))])
        return np.asarray(np.diff(np.interp(self.edges_s.astype(float), known, area)) / (self.slot_minutes * 60))


def grid_for(now: datetime, *, nights: int, slot_minutes: int, zone: ZoneInfo) -> Grid:
    """Slots from `now`, rounded up to a slot edge, to the noon after the last night.

    Before noon the rest of the present night is planned besides, and the count starts with the coming one.
    """
    slot_s = slot_minutes * 60
    start_s = int(-(-now.timestamp() // slot_s) * slot_s)
    end = noon(now.astimezone(zone).date() + timedelta(days=nights), zone)
    return Grid(start_s, slot_minutes, max(0, int((end.timestamp() - start_s) // slot_s)), zone)
