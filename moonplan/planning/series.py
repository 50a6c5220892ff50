"""Stored series: files that are brought into them, and the feeds that dated prices come from."""

from __future__ import annotations

import io
from collections.abc import Iterable, Iterator
from datetime import UTC, date, datetime, time, timedelta
from typing import IO, Any
from zoneinfo import ZoneInfo

from django.db import transaction

from moonplan.core import series
from moonplan.core.green_button import from_green_button
from moonplan.core.mistakes import BadDocument, Mistake
from moonplan.core.series import Brought, Day
from moonplan.core.timegrid import instant_at
from moonplan.devices import FEEDS
from moonplan.household import editing
from moonplan.household.models import Household, Person, Tariff
from moonplan.logbook.models import SeriesDay

# What is measured, and the direction in which a Green Button file holds it.
MEASURED = {"grid": "delivered", "export": "received", "sun": "received", "cars": "delivered"}
TITLES = {"price": "prices", "grid": "house meter", "export": "fed in", "sun": "roof", "cars": "cars' meter"}
_AT_ONCE = 1000
# A file with more gaps than this has them counted, not told.
_GAPS_TOLD = 1000
_LARGEST_FILE = 200_000_000


def text_of(file: IO[bytes]) -> Iterator[str]:
    """The lines of a file, one after the other.

    Raises
    ------
    BadDocument
        If it is no text.
    """
    try:
        yield from io.TextIOWrapper(file, encoding="utf-8-sig", newline="")
    except UnicodeDecodeError as error:
        raise BadDocument([Mistake("file", "not text", "a text file in UTF-8")]) from error


def bring(
    person: Person,
    kind: str,
    file: IO[bytes],
    *,
    name: str,
    now: datetime,
    keep: bool,
    tariff: Tariff | None = None,
    unit: str = "",
    zone: str = "",
    green_button: bool = False,
) -> dict[str, Any]:
    """What a file brings to a series, and with `keep` brings it in: all of it or nothing, as one step of undo.

    Raises
    ------
    Refused
        If the file is not what it says.
    """
    household = person.household
    if file.seekable() and (size := file.seek(0, io.SEEK_END)) > _LARGEST_FILE:
        raise editing.Refused([Mistake("file", f"{size / 1e6:.0f} MB", f"at most {_LARGEST_FILE / 1e6:.0f} MB")])
    file.seek(0)
    measure: series.Measure = "price" if kind == "price" else "power"
    try:
        place = _zone(zone or household.timezone)
        if green_button:
            brought = from_green_button(file, direction=MEASURED.get(kind, "delivered"))
        else:
            unit = unit or next(iter(series.UNITS[measure]))
            if unit not in series.UNITS[measure]:
                raise BadDocument([Mistake("unit", unit, f"one of {', '.join(series.UNITS[measure])}")])
            brought = series.from_csv(text_of(file), measure=measure, unit=unit, zone=place)
    except BadDocument as error:
        raise editing.Refused(error.mistakes) from error
    stored = SeriesDay.objects.of(household, kind, tariff)
    known = {row.day: row for row in stored.filter(day__gte=brought.first.date(), day__lte=brought.last.date())}
    laid = [(day, known.get(day.day)) for day in brought.days]
    changes = [(day, row) for day, row in laid if row is None or not series.says_again(row.as_core(), day)]
    if keep and changes:
        _keep(person, kind, tariff, changes, name=name, now=now)
    new = sum(_n_known(day) for day, _ in changes)
    return {
        "new": new,
        "again": sum(_n_known(day) for day, _ in laid) - new,
        "kept": keep,
        "refused": [{"line": row.line, "reason": str(mistake)} for row in brought.refused for mistake in row.mistakes],
        **_shown(brought, place),
    }


def _zone(name: str) -> ZoneInfo:
    try:
        return ZoneInfo(name)
    except (KeyError, OSError, ValueError):
        raise BadDocument([Mistake("zone", name, "a time zone such as Europe/Ljubljana or UTC")]) from None


def _n_known(day: Day) -> int:
    return sum(1 for value in day.values if value is not None)


def _shown(brought: Brought, zone: ZoneInfo) -> dict[str, Any]:
    return {
        "rows": brought.n_rows,
        "step_minutes": brought.step_minutes,
        "first": brought.first.astimezone(zone).isoformat(),
        "last": brought.last.astimezone(zone).isoformat(),
        "gaps": [
            {"start": gap.start.astimezone(zone).isoformat(), "end": gap.end.astimezone(zone).isoformat()}
            for gap in brought.gaps[:_GAPS_TOLD]
        ],
        "gaps_in_all": len(brought.gaps),
        "repeated": [at.isoformat() for at in brought.repeated],
    }


@transaction.atomic
def _keep(
    person: Person, kind: str, tariff: Tariff | None, changes: list[tuple[Day, Any]], *, name: str, now: datetime
) -> None:
    household = person.household
    before = {day.day.isoformat(): None if row is None else [row.minutes, row.values] for day, row in changes}
    fresh, changed = [], []
    for day, row in changes:
        if row is None:
            fresh.append(_row(household, kind, tariff, day))
        else:
            merged = series.merged(row.as_core(), day)
            row.minutes, row.values = merged.minutes, list(merged.values)
            changed.append(row)
    SeriesDay.objects.bulk_create(fresh, batch_size=_AT_ONCE)
    SeriesDay.objects.bulk_update(changed, ["minutes", "values"], batch_size=_AT_ONCE)
    fields = {"kind": kind, "name": name[:200], "at": now, "before": before}
    if tariff is not None:
        fields["tariff_id"] = tariff.pk
    editing.add(person, "series", fields, what=f"{TITLES[kind]} brought in")


def _row(household: Household, kind: str, tariff: Tariff | None, day: Day) -> SeriesDay:
    return SeriesDay(
        household=household, kind=kind, tariff=tariff, day=day.day, minutes=day.minutes, values=list(day.values)
    )


def span_of(household: Household, kind: str, tariff: Tariff | None = None) -> dict[str, Any] | None:
    """From which day to which a series reaches; None where there is none."""
    rows = SeriesDay.objects.of(household, kind, tariff)
    first, last = rows.first(), rows.last()
    if first is None or last is None:
        return None
    return {"first": first.day.isoformat(), "last": last.day.isoformat(), "days": rows.count()}


# --- feeds ----------------------------------------------------------------------------------------------------------------


def keep_up(tariff: Tariff, now: datetime, *, since: date | None = None) -> None:
    """Fetch what a tariff's feed has published and is not stored yet.

    since : how far back; yesterday where nothing is said.
    """
    feed = FEEDS.get(tariff.feed)
    if feed is None:
        return
    zone = ZoneInfo(tariff.household.timezone)
    last = feed.published_until(now, zone)
    first = since or now.astimezone(zone).date() - timedelta(days=1)
    stored = SeriesDay.objects.of(tariff.household, "price", tariff)
    if _reaches_over(stored.between(first, last + timedelta(days=1)), first, last, zone):
        return
    rows = [price for n in range((last - first).days + 1) for price in feed.prices(first + timedelta(days=n), zone)]
    ends = [int(at.timestamp()) for at, _ in rows]
    found = series.settled(
        ends,
        [price for _, price in rows],
        [at + feed.step_minutes * 60 for at in ends],
        measure="price",
        unit="per kWh",
        refused=[],
    )
    with transaction.atomic():
        known = {row.day: row for row in stored.filter(day__gte=first - timedelta(days=1))}
        fresh = []
        for day in found.days:
            row = known.get(day.day)
            if row is None:
                fresh.append(_row(tariff.household, "price", tariff, day))
            elif not series.says_again(row.as_core(), day):
                merged = series.merged(row.as_core(), day)
                stored.filter(pk=row.pk).update(minutes=merged.minutes, values=list(merged.values))
        SeriesDay.objects.bulk_create(fresh, batch_size=_AT_ONCE, ignore_conflicts=True)


def _reaches_over(days: Iterable[Day], first: date, last: date, zone: ZoneInfo) -> bool:
    """Whether a price is known on every day of a stretch of local days, from its first quarter hour to its last."""
    start = int(instant_at(first, time(0), zone).timestamp())
    end = int(instant_at(last + timedelta(days=1), time(0), zone).timestamp())
    known = {day.day: day for day in days}
    if any(first + timedelta(days=n) not in known for n in range((last - first).days + 1)):
        return False
    return all(_at(known, second) is not None for second in (start, end - 1))


def _at(days: dict[date, Day], second: int) -> float | None:
    at = datetime.fromtimestamp(second, UTC)
    day = days.get(at.date())
    return None if day is None else day.values[(at.hour * 60 + at.minute) // day.minutes]
