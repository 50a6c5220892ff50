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

from moonplan.core.distance import in_km
from moonplan.core.mistakes import BadDocument, Mistake
from moonplan.core.timegrid import instant_at
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
class Unfolded:
    """What a calendar says of some days.

    uids : of all its events, also of those that are called off, over, or further ahead. refused : the first occurrence of
    an event that comes too often to be unfolded, and what is wrong with it.
    """

    outings: list[Outing]
    uids: frozenset[str]
    refused: list[tuple[Outing, Mistake]]


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
        If the text is no iCalendar, or one whose events cannot be unfolded.
    """
    try:
        calendars = Calendar.from_ical(text, multiple=True)
        if not calendars:
            raise ValueError("nothing between BEGIN:VCALENDAR and END:VCALENDAR")
        events = [event for calendar in calendars for event in calendar.walk("VEVENT")]
        refused = [(_outing(one, zone, all_day), mistake) for one in events if (mistake := _too_often(one)) is not None]
        for calendar in calendars:
            calendar.subcomponents = [one for one in calendar.subcomponents if _too_often(one) is None]
        found = [event for calendar in calendars for event in recurring_ical_events.of(calendar).between(since, until)]
        told = [_outing(event, zone, all_day) for event in found if str(event.get("STATUS", "")).upper() != "CANCELLED"]
        uids = frozenset(_uid(event) for event in events)
    except BadDocument:
        raise
    except Exception as error:  # the parsers raise whatever a broken line makes of them
        raise BadDocument([Mistake("text", text.strip()[:40] or "nothing", f"an iCalendar file ({error})")]) from error
    by_key = {one.key: one for one in told if since <= one.leave < until}
    ahead = sorted(by_key.values(), key=lambda one: (one.leave, one.key))
    return Unfolded(ahead, uids, refused)


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


def _uid(event: Component) -> str:
    return str(event.get("UID", event.get("SUMMARY", "")))


def _outing(event: Component, zone: ZoneInfo, all_day: Callable[[str], tuple[time, time]]) -> Outing:
    summary = str(event.get("SUMMARY", "")).strip()
    start = event["DTSTART"].dt
    end = event["DTEND"].dt if "DTEND" in event else start + timedelta(days=1) if _is_day(start) else start
    recurrence = event["RECURRENCE-ID"].dt if "RECURRENCE-ID" in event else start
    told = " ".join(str(event.get(key, "")) for key in ("SUMMARY", "LOCATION", "DESCRIPTION"))
    if _is_day(start):
        hours = all_day(summary)
        (leave, _), (_, back) = (hours_out(day, *hours, zone) for day in (start, end - timedelta(days=1)))
    else:
        leave, back = _instant(start, zone), _instant(end, zone)
    uid = _uid(event)
    return Outing(f"{uid}/{recurrence.isoformat()}", uid, summary, leave, back, distance_km(told))


def _too_often(event: Component) -> Mistake | None:
    """Nobody drives every minute, and a rule that says so comes to more than can be unfolded."""
    rules = event.get("RRULE", [])
    how_often = [
        str(freq).upper() for rule in (rules if isinstance(rules, list) else [rules]) for freq in rule.get("FREQ", [])
    ]
    found = next((freq for freq in how_often if freq in ("MINUTELY", "SECONDLY")), None)
    return None if found is None else Mistake("RRULE", f"FREQ={found}", "an event that comes hourly or less often")


def _is_day(value: date | datetime) -> bool:
    return not isinstance(value, datetime)


def _instant(value: datetime, zone: ZoneInfo) -> datetime:
    return instant_at(value.date(), value.time(), zone) if value.tzinfo is None else value
