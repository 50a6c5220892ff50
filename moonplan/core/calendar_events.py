"""Events of a calendar (RFC 5545): when one begins, and why nobody can say when it is."""

from collections.abc import Iterator
from datetime import date, datetime, time
from typing import Any
from zoneinfo import ZoneInfo

from icalendar import Component

from moonplan.core.mistakes import Mistake, shown
from moonplan.core.timegrid import instant_at

_TOO_OFTEN = ("SECONDLY", "MINUTELY", "HOURLY")
_A_TIME = "a date, or a date and a time as 20260330T080000"
# What says when an event is, and what it would be.
_SAYS_WHEN = {
    "DTSTART": _A_TIME,
    "DTEND": _A_TIME,
    "DURATION": "a duration as PT2H30M",
    "RRULE": "a rule as FREQ=WEEKLY;BYDAY=MO",
    "RDATE": _A_TIME,
    "EXDATE": _A_TIME,
    "RECURRENCE-ID": _A_TIME,
}


def mistake_in(event: Component, zone: ZoneInfo) -> Mistake | None:
    """Why nobody can say when an event is, if that is so."""
    return next(_mistakes_of(event, zone), None)


def _mistakes_of(event: Component, zone: ZoneInfo) -> Iterator[Mistake]:
    """In an order in which one stands on there being none before."""
    for name, error in event.errors:
        if name in _SAYS_WHEN:  # the parser leaves out what it cannot read, and ends its message with that
            yield Mistake(name, error.rpartition(": ")[2].strip("'"), _SAYS_WHEN[name])
    for name in ("UID", "DTSTART", "DTEND", "DURATION", "RECURRENCE-ID"):
        if isinstance(event.get(name), list):
            yield Mistake(name, f"{len(event[name])} of them", "one")
    if "DTSTART" not in event:
        yield Mistake("DTSTART", "missing", _A_TIME)
    for name in ("DTSTART", "DTEND"):
        if name not in event:
            continue
        value, told = event[name].dt, event[name].params
        if not isinstance(value, date):
            yield Mistake(name, str(value), _A_TIME)
        if "TZID" in told and isinstance(value, datetime) and value.tzinfo is None:
            yield Mistake(name, f"TZID={told['TZID']}", "a time zone that is known or told in the file")
    for rule in _rules(event):
        how_often = next((freq for freq in map(str.upper, rule.get("FREQ", [])) if freq in _TOO_OFTEN), None)
        if how_often is not None:
            yield Mistake("RRULE", f"FREQ={how_often}", "an event that comes daily or less often")
        elif (every := min(rule.get("INTERVAL", [1]))) < 1:
            yield Mistake("RRULE", f"INTERVAL={every}", "at least 1")
    yield from _ends_before_it_begins(event, zone)


def _rules(event: Component) -> list[Any]:
    rules = event.get("RRULE", [])
    return rules if isinstance(rules, list) else [rules]


def _ends_before_it_begins(event: Component, zone: ZoneInfo) -> Iterator[Mistake]:
    if "DTEND" not in event:
        return
    start, end = event["DTSTART"].dt, event["DTEND"].dt
    if is_day(start) != is_day(end):
        yield Mistake("DTEND", end, f"{'a date' if is_day(start) else 'a date and a time'}, as DTSTART is")
    elif instant(end, zone) < instant(start, zone):
        yield Mistake("DTEND", end, f"at or after DTSTART, {shown(start)}")


def is_day(value: date | datetime) -> bool:
    """Whether an event's start or end is a whole day."""
    return not isinstance(value, datetime)


def instant(value: date | datetime, zone: ZoneInfo) -> datetime:
    """When a time is, or a day begins. zone : of times that name none."""
    if not isinstance(value, datetime):
        return instant_at(value, time(), zone)
    return instant_at(value.date(), value.time(), zone) if value.tzinfo is None else value
