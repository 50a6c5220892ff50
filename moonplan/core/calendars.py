"""Calendars in and out as iCalendar (RFC 5545): trips read from events, sessions and reminders written as events.

Recurring events, their exceptions and their time zones are unfolded by recurring-ical-events; an event's distance stands in
its summary, place or description, as "64 km" or "40 miles", there and back, or as "20 miles each way".
"""

import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from zoneinfo import ZoneInfo

import recurring_ical_events
from icalendar import Alarm, Calendar, Component
from icalendar import Event as CalendarEvent

from moonplan.core.calendar_events import instant, is_day, mistake_in
from moonplan.core.distance import in_km
from moonplan.core.mistakes import BadDocument, Mistake
from moonplan.core.usual_days import hours_out

PRODUCT = "-//Moon Plan//Moon Plan//EN"
# Three figures after a point or a comma are thousands: nobody writes metres so.
_THOUSANDS = r"[1-9]\d{0,2}(?:[.,]\d{3})+"
_DISTANCE = re.compile(
    rf"(?<![\w.,])(?:({_THOUSANDS})|(\d+(?:[.,]\d+)?))\s*(km|kilomet(?:er|re)s?|mi|miles?)\b(\W+(?:each|one)[ -]way\b)?",
    re.IGNORECASE,
)
_REMINDED_BEFORE = timedelta(minutes=30)


@dataclass(frozen=True, slots=True)
class Outing:
    """An event as a trip would be: one occurrence of it.

    key : what tells it from every other, also when the file comes again. uid : of the event that it is an occurrence of.
    km : None where none is told.
    """

    key: str
    uid: str
    summary: str
    leave: datetime
    back: datetime
    km: float | None


@dataclass(frozen=True, slots=True)
class Unread:
    """An event of which nobody can say when it is, and what is wrong there. when : it first is, where that can be read."""

    summary: str
    when: datetime | None
    may_come_again: bool
    mistake: Mistake


@dataclass(frozen=True, slots=True)
class Unfolded:
    """What a calendar says of some days.

    uids : of all events that could be read, also of those that are called off, over, or further ahead. unread : those that
    could not, but for what is over.
    """

    outings: list[Outing]
    uids: frozenset[str]
    unread: list[Unread]


@dataclass(frozen=True, slots=True)
class Entry:
    """Something to write into a calendar. reminded : half an hour before it begins."""

    key: str
    summary: str
    description: str
    start: datetime
    end: datetime
    reminded: bool = False


def unfolded(
    text: str, *, since: datetime, until: datetime, zone: ZoneInfo, all_day: Callable[[str], tuple[time, time]]
) -> Unfolded:
    """Every occurrence that begins between two instants and is not called off, in order; one that a text of several
    calendars tells twice, once.

    Parameters
    ----------
    zone : of times that name none. all_day : by its summary, when an outing of whole days leaves on the first and is back on
        the last.

    Raises
    ------
    BadDocument
        If the text is no iCalendar.
    """
    uids: set[str] = set()
    by_key: dict[str, Outing] = {}
    unread: list[Unread] = []
    for uid, parts in _by_uid(text).items():
        readable, wrong = _readable(parts, since, zone)
        try:
            found = [] if wrong else _occurrences(readable, since, until)
            told = [_outing(one, zone, all_day) for one in found if str(one.get("STATUS", "")).upper() != "CANCELLED"]
        except Exception as error:  # the library raises whatever a rule nobody foresaw makes of it
            wrong = [_unread(parts[0], Mistake("VEVENT", uid, f"an event ({error})"), zone)]
        if wrong:
            unread += wrong
        else:
            uids.add(uid)
            by_key |= {one.key: one for one in told if since <= one.leave < until}
    ahead = sorted(by_key.values(), key=lambda one: (one.leave, one.key))
    return Unfolded(ahead, frozenset(uids), unread)


def distance_km(text: str) -> float | None:
    """The first distance that a text names, there and back. [km]"""
    found = _DISTANCE.search(text)
    if found is None:
        return None
    thousands, plain, unit, each_way = found.groups()
    value = float(re.sub(r"[.,]", "", thousands)) if thousands else float(plain.replace(",", "."))
    return in_km(value, "km" if unit.lower().startswith("k") else "mi") * (2 if each_way else 1)


def written(name: str, entries: Iterable[Entry], *, stamp: datetime) -> str:
    """Entries as an iCalendar text that calendars can subscribe to.

    stamp : when it was made; the same entries at the same instant make the same text.
    """
    calendar = Calendar()
    calendar.add("prodid", PRODUCT)
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", name)
    for entry in entries:
        event = CalendarEvent()
        event.add("uid", entry.key)
        event.add("dtstamp", stamp.astimezone(ZoneInfo("UTC")))
        event.add("summary", entry.summary)
        event.add("description", entry.description)
        event.add("dtstart", entry.start.astimezone(ZoneInfo("UTC")))
        event.add("dtend", entry.end.astimezone(ZoneInfo("UTC")))
        if entry.reminded:
            alarm = Alarm()
            alarm.add("action", "DISPLAY")
            alarm.add("description", entry.summary)
            alarm.add("trigger", -_REMINDED_BEFORE)
            event.add_component(alarm)
        calendar.add_component(event)
    return str(calendar.to_ical().decode())


def _by_uid(text: str) -> dict[str, list[Component]]:
    """The events of a text: of a series, its rule and the occurrences that were moved."""
    try:
        calendars = Calendar.from_ical(text, multiple=True)
        if not calendars:
            raise ValueError("nothing between BEGIN:VCALENDAR and END:VCALENDAR")
    except Exception as error:  # the parser raises whatever a broken line makes of it
        raise BadDocument([Mistake("text", text.strip()[:40] or "nothing", f"an iCalendar file ({error})")]) from error
    found: dict[str, list[Component]] = {}
    for event in (event for calendar in calendars for event in calendar.walk("VEVENT")):
        found.setdefault(_uid(event), []).append(event)
    return found


def _occurrences(event: list[Component], since: datetime, until: datetime) -> list[Component]:
    alone = Calendar()
    for part in event:
        alone.add_component(part)
    return list(recurring_ical_events.of(alone).between(since, until))


def _uid(event: Component) -> str:
    return str(event.get("UID", event.get("SUMMARY", "")))


def _summary(event: Component) -> str:
    return str(event.get("SUMMARY", "")).strip()


def _readable(parts: list[Component], since: datetime, zone: ZoneInfo) -> tuple[list[Component], list[Unread]]:
    """The parts of an event that can be read, and those that can't and are not over."""
    mistakes = [mistake_in(part, zone) for part in parts]
    wrong = [_unread(part, mistake, zone) for part, mistake in zip(parts, mistakes, strict=True) if mistake is not None]
    return (
        [part for part, mistake in zip(parts, mistakes, strict=True) if mistake is None],
        [one for one in wrong if one.when is None or one.when >= since or one.may_come_again],
    )


def _unread(event: Component, mistake: Mistake, zone: ZoneInfo) -> Unread:
    start = getattr(event.get("DTSTART"), "dt", None)
    when = instant(start, zone) if isinstance(start, date) else None
    comes_again = "RRULE" in event or "RDATE" in event or mistake.path in ("RRULE", "RDATE")
    return Unread(_summary(event), when, comes_again, mistake)


def _outing(event: Component, zone: ZoneInfo, all_day: Callable[[str], tuple[time, time]]) -> Outing:
    summary = _summary(event)
    start = event["DTSTART"].dt
    end = event["DTEND"].dt if "DTEND" in event else start + timedelta(days=1) if is_day(start) else start
    recurrence = event["RECURRENCE-ID"].dt if "RECURRENCE-ID" in event else start
    told = " ".join(str(event.get(key, "")) for key in ("SUMMARY", "LOCATION", "DESCRIPTION"))
    if is_day(start):
        hours = all_day(summary)
        last = max(start, end - timedelta(days=1))  # some say of a single day that it ends on itself
        (leave, _), (_, back) = (hours_out(day, *hours, zone) for day in (start, last))
    else:
        leave, back = instant(start, zone), instant(end, zone)
    uid = _uid(event)
    return Outing(f"{uid}/{recurrence.isoformat()}", uid, summary, leave, back, distance_km(told))
