"""Stored tariffs: as core takes them, as the screen of prices shows them, and what is painted and typed into them."""

from __future__ import annotations

import json
from collections.abc import Mapping
from datetime import date, datetime, timedelta
from typing import Any

from moonplan.core import household as documents
from moonplan.core.mistakes import BadDocument, Mistake
from moonplan.core.painting import Stroke, painted
from moonplan.core.planner.problem import Problem
from moonplan.core.series import steps_of
from moonplan.core.tariff import Week, gaps, held, paid_at, weeks
from moonplan.core.values import WEEKDAYS, clock_of
from moonplan.devices import FEEDS
from moonplan.household import editing
from moonplan.household.models import Band, Household, Person, Tariff
from moonplan.logbook.models import SeriesDay
from moonplan.planning.heading import heading
from moonplan.planning.series import keep_up, span_of
from moonplan.planning.usual import zone_of

# Prices are drawn in this many steps of depth.
DEPTHS = 5
_MONEY = ("default_price", "export_price", "daily_charge", "monthly_per_kw")


def in_force(household: Household, day: date) -> Tariff | None:
    """The household's own tariff of a day: the last that has begun, else the first that will."""
    own = list(Tariff.objects.of(household).filter(rival=False))
    begun = [tariff for tariff in own if tariff.since is None or tariff.since <= day]
    return begun[-1] if begun else next(iter(own), None)


def tariff_keys(household: Household, now: datetime, end: datetime) -> dict[str, Any]:
    """`tariff` and `later_tariffs` of the household document, with the dated prices of the time to be planned."""
    zone = zone_of(household)
    first, last = now.astimezone(zone).date(), end.astimezone(zone).date()
    present = in_force(household, first)
    if present is None:
        return {"tariff": {"default_price": 0.0}}
    later = Tariff.objects.of(household).filter(rival=False, since__gt=max(first, present.since or first), since__lte=last)
    return {
        "tariff": tariff_document(present, now, now, end),
        "later_tariffs": [
            {"since": tariff.since.isoformat(), "tariff": tariff_document(tariff, now, now, end)} for tariff in later
        ],
    }


def tariff_document(tariff: Tariff, now: datetime, start: datetime, end: datetime) -> dict[str, Any]:
    """A tariff as the household document has it, with its dated prices between two instants."""
    keep_up(tariff, now)
    days = SeriesDay.objects.of(tariff.household, "price", tariff)
    first = (start - timedelta(days=1)).date()
    series = steps_of(days.between(first, end.date()))
    if not series and days.filter(day__lt=first).exists():
        series = [(start, None)]  # they have run out: a gap, that is told as one
    return sheet(tariff) | {"series": [[at.isoformat(), price] for at, price in series]}


def without_dated_price(problem: Problem) -> list[dict[str, str]]:
    """From when until when a plan counts with a tariff's lines, since its dated prices say nothing."""
    missing = gaps(problem.household, problem.grid)
    return [{"start": start.isoformat(), "end": end.isoformat()} for start, end in missing]


def sheet(tariff: Tariff) -> dict[str, Any]:
    """A tariff as the household document has it, without dated prices."""
    return {
        **{key: float(getattr(tariff, key)) for key in _MONEY},
        **({} if tariff.contracted_kw is None else {"contracted_kw": tariff.contracted_kw}),
        "day_of": tariff.day_of,
        "holidays": tariff.holidays,
        "bands": [_band(band) for band in tariff.bands.all()],
    }


def _band(band: Band) -> dict[str, Any]:
    return {
        "name": band.name,
        "price": float(band.price),
        "days": band.days,
        "from": band.start,
        "to": band.end,
        **({} if band.months is None else {"months": band.months}),
    }


def core_tariff(tariff: Tariff, now: datetime, start: datetime, end: datetime) -> documents.Tariff:
    """A stored tariff as core takes it, with its dated prices between two instants.

    Raises
    ------
    BadDocument
        With every mistake.
    """
    return documents.read_tariff(json.dumps(tariff_document(tariff, now, start, end)))


def core_sheet(tariff: Tariff) -> documents.Tariff:
    """A stored tariff as core takes it, by its bands alone.

    Raises
    ------
    BadDocument
        With every mistake.
    """
    return documents.read_tariff(json.dumps(sheet(tariff)))


@editing.checked_by
def _core_takes_every_tariff(household: Household, _row: editing.Row | None) -> list[Mistake]:
    """Rivals and tariffs to come are checked like the one in force, which the household's own document checks."""
    mistakes: list[Mistake] = []
    for tariff in Tariff.objects.of(household):
        try:
            core_sheet(tariff)
        except BadDocument as error:
            mistakes += error.mistakes
        if tariff.feed and tariff.feed not in FEEDS:
            mistakes.append(Mistake("feed", tariff.feed, f"one of {', '.join(FEEDS)}, or nothing"))
    return mistakes


# --- the screen -----------------------------------------------------------------------------------------------------------


def prices_screen(household: Household, now: datetime) -> dict[str, Any]:
    """Every tariff of the household, with its weeks as they come out."""
    zone = zone_of(household)
    present = in_force(household, now.astimezone(zone).date())
    return {
        **heading(household, now),
        "feeds": [
            {"key": key, "name": feed.name, "simulated": feed.simulated, "step_minutes": feed.step_minutes}
            for key, feed in FEEDS.items()
        ],
        "tariffs": [_told(tariff, now, present) for tariff in Tariff.objects.of(household)],
    }


def _told(tariff: Tariff, now: datetime, present: Tariff | None) -> dict[str, Any]:
    keep_up(tariff, now)
    core = core_sheet(tariff)
    bands = list(tariff.bands.all())
    fares = held(core)
    return {
        "id": tariff.pk,
        "version": tariff.version,
        "in_force": present is not None and tariff.pk == present.pk,
        "name": tariff.name,
        "since": tariff.since,
        "rival": tariff.rival,
        **{key: getattr(tariff, key) for key in _MONEY},
        "contracted_kw": tariff.contracted_kw,
        "day_of": tariff.day_of,
        "holidays": tariff.holidays,
        "feed": tariff.feed,
        "bands": [_line(band, fare) for band, fare in zip(bands, fares, strict=False)],
        "default_hours_a_week": round(fares[-1].hours_a_week, 2),
        "depths": _depths([*(band.price for band in core.bands), core.default_price]),
        "weeks": [_week(week, bands) for week in weeks(core)],
        "dated": span_of(tariff.household, "price", tariff),
        "ahead": _ahead(tariff, now),
    }


def _line(band: Band, fare: Any) -> dict[str, Any]:
    return {
        "id": band.pk,
        "version": band.version,
        **{key: getattr(band, key) for key in ("name", "price", "start", "end", "days", "months")},
        "hours_a_week": round(fare.hours_a_week, 2),
        "claimed_hours_a_week": round(fare.claimed_hours_a_week, 2),
        "beaten_by": list(fare.beaten_by),
    }


def _depths(prices: list[float]) -> list[int]:
    """How deep each line is drawn, 0 for the cheapest."""
    low, high = min(prices), max(prices)
    return [0 if high <= low else round((price - low) / (high - low) * (DEPTHS - 1)) for price in prices]


def _week(week: Week, bands: list[Band]) -> dict[str, Any]:
    return {
        "months": list(week.months),
        "line": week.line.tolist(),
        "price": week.price.round(7).tolist(),
        # Of every half hour, the bands that match there too, but stand further down.
        "beaten": [
            [
                [i for i in range(len(bands)) if week.claims[i, day, at] and i != week.line[day, at]]
                for at in range(week.line.shape[1])
            ]
            for day in range(7)
        ],
    }


def _ahead(tariff: Tariff, now: datetime) -> list[dict[str, Any]]:
    """The dated prices that are known from now on."""
    days = SeriesDay.objects.of(tariff.household, "price", tariff).between(now.date(), now.date() + timedelta(days=3))
    return [{"at": at.isoformat(), "price": price} for at, price in steps_of(days) if at >= now - timedelta(hours=1)]


def paid(tariff: Tariff, at: datetime, now: datetime) -> dict[str, Any]:
    """What is paid at an instant, and by which line."""
    zone = zone_of(tariff.household)
    core = core_tariff(tariff, now, at, at + timedelta(days=1))
    found = paid_at(core, at, zone)
    day = at.astimezone(zone).date()
    return {
        "at": at.astimezone(zone).isoformat(),
        "price": found.price,
        "name": found.name,
        "line": found.line,
        "beaten": [core.bands[i].name for i in found.beaten],
        "dated": found.dated,
        "holiday": day in core.holidays,
    }


# --- editing --------------------------------------------------------------------------------------------------------------


def add_tariff(person: Person, given: Mapping[str, Any], *, like: int | None) -> None:
    """A new tariff, with the bands of another where one is named; one step of undo.

    Raises
    ------
    Refused
        As `editing.add`.
    """
    source = None if like is None else Tariff.objects.of(person.household).get(pk=like)
    with editing.as_one():
        fields = dict(given)
        if source is not None:
            kept = editing.values_of(source)
            fields = {key: kept[key] for key in (*_MONEY, "contracted_kw", "day_of", "holidays")} | fields
        name = fields.get("name") or "tariff"
        change = editing.add(person, "tariff", fields, what=f"{name} added")
        for position, band in enumerate([] if source is None else source.bands.all()):
            values = editing.values_of(band) | {"tariff_id": change.row, "position": position}
            editing.add(person, "band", values, what=f"{name} added")


def remove_tariff(person: Person, tariff: Tariff, *, version: int) -> None:
    """A tariff with its bands; one step of undo. Its dated prices go for good.

    Raises
    ------
    Conflict
        As `editing.remove`.
    """
    with editing.as_one():
        for band in tariff.bands.all():
            editing.remove(person, band, version=band.version, what=f"{tariff.name} removed")
        editing.remove(person, tariff, version=version, what=f"{tariff.name} removed")


def paint(person: Person, tariff: Tariff, given: Mapping[str, Any], versions: Mapping[str, int]) -> None:
    """Give hours of the week to one line; the list of bands that comes of it is stored as one step of undo.

    given : `line`, its place in the list, `days`, `start`, `end` and `months`. versions : of the bands as they are shown.

    Raises
    ------
    Refused
        If the stroke is none. Conflict
        If somebody changed the bands meanwhile.
    """
    rows = list(tariff.bands.all())
    _as_shown(person.household, rows, versions)
    core = core_sheet(tariff)
    try:
        line = given["line"]
        if not 0 <= line <= len(rows):
            raise BadDocument([Mistake("line", line, f"0 to {len(rows)}")])
        stroke = _stroke(given)
    except BadDocument as error:
        raise editing.Refused(error.mistakes) from error
    name = rows[line].name if line < len(rows) else "the default price"
    _store(person, tariff, rows, painted(core, line, stroke), what=f"painted {name}")


def _stroke(given: Mapping[str, Any]) -> Stroke:
    mistakes = []
    days, months = tuple(given["days"]), tuple(given["months"])
    if not days or not set(days) <= set(range(7)):
        mistakes.append(Mistake("days", list(days), "days from 0, Monday, to 6"))
    if not months or not set(months) <= set(range(1, 13)):
        mistakes.append(Mistake("months", list(months), "months from 1 to 12"))
    clocks = []
    for key in ("start", "end"):
        try:
            clocks.append(clock_of(given[key]))
        except ValueError:
            mistakes.append(Mistake(key, given[key], "a clock time HH:MM"))
    if len(clocks) == 2 and clocks[1] <= clocks[0] and clocks[1] != clock_of("00:00"):
        mistakes.append(Mistake("end", given["end"], "a time after start, or 00:00 for the day's end"))
    if mistakes:
        raise BadDocument(mistakes)
    return Stroke(tuple(sorted(set(days))), clocks[0], clocks[1], tuple(sorted(set(months))))


def _as_shown(household: Household, rows: list[Band], versions: Mapping[str, int]) -> None:
    there = {str(row.pk): row.version for row in rows}
    if there != dict(versions):
        changed = next((row for row in rows if versions.get(str(row.pk)) != row.version), rows[0] if rows else None)
        by = editing.last_editor("band", household=household)
        raise editing.Conflict("band", editing.values_of(changed) if changed else {}, changed.version if changed else 0, by)


def _store(person: Person, tariff: Tariff, rows: list[Band], bands: tuple[documents.Band, ...], *, what: str) -> None:
    """Rows as the bands have them: those that are alike stay, others of a line are changed, the rest comes and goes."""
    left = list(rows)
    alike = [_take(left, "says", _fields(band)) for band in bands]
    with editing.as_one():
        for position, (band, same) in enumerate(zip(bands, alike, strict=True)):
            row = same or _take(left, "name", band.name)
            fields = _fields(band) | {"position": position}
            if row is None:
                editing.add(person, "band", fields | {"tariff_id": tariff.pk}, what=what)
            elif _says(row) | {"position": row.position} != fields:
                editing.change(person, row, fields, version=row.version, what=what)
        for row in left:
            editing.remove(person, row, version=row.version, what=what)


def _take(rows: list[Band], by: str, wanted: Any) -> Band | None:
    """The first row that says the same, or has the same name; it is taken out of the list."""
    found = next((row for row in rows if (_says(row) if by == "says" else row.name) == wanted), None)
    if found is not None:
        rows.remove(found)
    return found


def _fields(band: documents.Band) -> dict[str, Any]:
    return {
        "name": band.name,
        "price": str(band.price),
        "start": f"{band.from_:%H:%M}",
        "end": f"{band.to:%H:%M}",
        "days": [day for day in WEEKDAYS if day in band.days],
        "months": None if band.months is None else sorted(band.months),
    }


def _says(row: Band) -> dict[str, Any]:
    return {
        "name": row.name,
        "price": str(float(row.price)),
        "start": row.start,
        "end": row.end,
        "days": [day for day in WEEKDAYS if day in row.days],
        "months": None if row.months is None else sorted(row.months),
    }


def move_band(person: Person, band: Band, to: int, version: int) -> None:
    """Give a band another place in the list; one step of undo.

    Raises
    ------
    Conflict
        If somebody changed it meanwhile.
    """
    rows = list(band.tariff.bands.all())
    others = [row for row in rows if row.pk != band.pk]
    to = max(0, min(to, len(others)))
    with editing.as_one():
        for position, row in enumerate([*others[:to], band, *others[to:]]):
            if row.pk == band.pk or row.position != position:
                known = version if row.pk == band.pk else row.version
                editing.change(person, row, {"position": position}, version=known, what=f"{band.name}: order")
