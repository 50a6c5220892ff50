"""What is fixed by hand for a night, by its clock: sessions that stay as they are, and times to keep off."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from datetime import date, datetime
from typing import Any

from moonplan.core.mistakes import Mistake
from moonplan.core.timegrid import in_night
from moonplan.core.values import clock_of
from moonplan.household import editing
from moonplan.household.models import Evening


def pins_of(evenings: Iterable[Evening], now: datetime, zone: Any) -> list[tuple[Evening, int, dict[str, Any]]]:
    """What is pinned, each with its evening and its place there."""
    return [
        (e, nth, {"id": f"{e.vehicle_id}/{e.night}/{nth}", "vehicle": str(e.vehicle_id), "amps": pin["amps"], **span})
        for e in evenings
        for nth, pin in enumerate(e.pins)
        if (span := _span(e.night, pin["start"], pin["end"], now, zone)) is not None
    ]


def forbids_of(evenings: Iterable[Evening], now: datetime, zone: Any) -> list[tuple[Evening, int, dict[str, Any]]]:
    """When cars keep off, each with its evening and its place there."""
    return [
        (e, nth, {"vehicle": str(e.vehicle_id), **span})
        for e in evenings
        for nth, kept in enumerate(e.keep_off)
        if (span := _span(e.night, kept["start"], kept["end"], now, zone)) is not None
    ]


def _span(night: date, start: str | None, end: str | None, now: datetime, zone: Any) -> dict[str, str] | None:
    """From one clock time of a night to another; None where it is over, or one of them is none."""
    try:
        first, last = (in_night(night, clock_of(clock), zone) for clock in (start, end))
    except ValueError:
        return None
    return None if last <= now else {"start": first.isoformat(), "end": last.isoformat()}


def no_clock_times(evenings: Iterable[Evening]) -> Iterator[Mistake]:
    """What is given by hand for a clock time and is none."""
    for evening in evenings:
        for field in ("pins", "keep_off"):
            for nth, entry in enumerate(getattr(evening, field)):
                for end in ("start", "end"):
                    # A time to keep off is nothing until both its ends are given.
                    if (entry[end] is not None or field == "pins") and not _is_clock(entry[end]):
                        path, told = f"{field}[{nth}].{end}", f"{evening.vehicle}'s night of {evening.night:%a %d %b}"
                        yield editing.MistakeOfRow(path, entry[end], "a clock time as HH:MM", evening, told)


def _is_clock(text: object) -> bool:
    try:
        clock_of(text)
    except ValueError:
        return False
    return True
