"""Calendars: trips out of events, and what is written read back by another library."""

from datetime import datetime, time, timedelta
from zoneinfo import ZoneInfo

import icalendar
import pytest
import recurring_ical_events

from moonplan.core.calendars import Entry, Outing, Unfolded, distance_km, unfolded, written
from moonplan.core.mistakes import BadDocument

ZONE = ZoneInfo("Europe/Ljubljana")
SINCE = datetime(2026, 3, 23, tzinfo=ZONE)


def read(*events: str, days: int = 14) -> list[Outing]:
    return unfolding(calendar_of(*events), days).outings


def calendar_of(*events: str) -> str:
    body = "\r\n".join(f"BEGIN:VEVENT\r\n{event.strip()}\r\nEND:VEVENT" for event in events)
    return f"BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//a//b//EN\r\n{body}\r\nEND:VCALENDAR\r\n"


def unfolding(text: str, days: int = 14) -> Unfolded:
    until = SINCE + timedelta(days=days)
    return unfolded(text, since=SINCE, until=until, zone=ZONE, all_day=lambda _: (time(8), time(18)))


def local(one: Outing) -> tuple[str, str]:
    return f"{one.leave.astimezone(ZONE):%a %d %H:%M}", f"{one.back.astimezone(ZONE):%a %d %H:%M}"


def test_a_weekly_event_keeps_its_clock_time_over_the_clock_change():
    # Clocks go forward on Sunday 29 March 2026.
    weekly = """UID:work
SUMMARY:Office, 64 km
DTSTART;TZID=Europe/Ljubljana:20260302T072000
DTEND;TZID=Europe/Ljubljana:20260302T174000
RRULE:FREQ=WEEKLY;BYDAY=MO
EXDATE;TZID=Europe/Ljubljana:20260406T072000"""

    found = read(weekly, days=21)

    assert [local(one) for one in found] == [("Mon 23 07:20", "Mon 23 17:40"), ("Mon 30 07:20", "Mon 30 17:40")]
    assert [one.leave.utcoffset() for one in found] == [timedelta(hours=1), timedelta(hours=2)]
    assert {one.km for one in found} == {64}
    assert len({one.key for one in found}) == 2


def test_an_occurrence_that_was_moved_keeps_its_key():
    series = """UID:choir
SUMMARY:Choir
DTSTART;TZID=Europe/Ljubljana:20260324T190000
DTEND;TZID=Europe/Ljubljana:20260324T210000
RRULE:FREQ=WEEKLY;COUNT=2"""
    moved = """UID:choir
SUMMARY:Choir
RECURRENCE-ID;TZID=Europe/Ljubljana:20260331T190000
DTSTART;TZID=Europe/Ljubljana:20260401T200000
DTEND;TZID=Europe/Ljubljana:20260401T220000"""

    before, after = read(series), read(series, moved)

    assert [one.key for one in before] == [one.key for one in after]
    assert local(after[1]) == ("Wed 01 20:00", "Wed 01 22:00")


def test_an_event_that_is_called_off_is_no_outing_but_the_calendar_knows_it():
    event = "UID:choir\nSUMMARY:Choir\nDTSTART:20260324T190000\nDTEND:20260324T210000"
    later = "UID:fair\nSUMMARY:Fair\nDTSTART:20260901T090000\nDTEND:20260901T120000"

    found = unfolding(calendar_of(f"{event}\nSTATUS:CANCELLED", later))

    assert found == Unfolded([], frozenset({"choir", "fair"}), [])
    assert [one.uid for one in read(event)] == ["choir"]


def test_whole_days_leave_in_the_morning_of_the_first_and_are_back_on_the_last():
    # DTEND of whole days is the day after the last one.
    [found] = read("UID:x\nSUMMARY:Lake\nDTSTART;VALUE=DATE:20260327\nDTEND;VALUE=DATE:20260330")

    assert local(found) == ("Fri 27 08:00", "Sun 29 18:00")
    assert found.km is None


def test_whole_days_of_who_works_at_night_end_on_the_morning_after_the_last():
    text = calendar_of("UID:x\nSUMMARY:Ward\nDTSTART;VALUE=DATE:20260327\nDTEND;VALUE=DATE:20260328")
    until = SINCE + timedelta(days=14)
    [found] = unfolded(text, since=SINCE, until=until, zone=ZONE, all_day=lambda _: (time(21), time(6, 30))).outings

    assert local(found) == ("Fri 27 21:00", "Sat 28 06:30")


def test_a_time_without_a_zone_is_the_house_s_and_one_in_utc_is_not():
    floating, utc = read(
        "UID:a\nSUMMARY:A\nDTSTART:20260324T090000\nDTEND:20260324T100000",
        "UID:b\nSUMMARY:B\nDTSTART:20260324T090000Z\nDTEND:20260324T100000Z",
    )

    assert (local(floating)[0], local(utc)[0]) == ("Tue 24 09:00", "Tue 24 10:00")


@pytest.mark.parametrize(
    ("text", "km"),
    [
        ("Office 64 km", 64),
        ("to the sea (2x115,5 km)", None),
        ("115,5km there and back", 115.5),
        ("40 miles", 40 * 1.609344),
        ("dinner for 6", None),
        ("room 12 km/h", 12),
        ("the islands, 1,200 km", 1200),
        ("over the mountains 1.200km", 1200),
        ("round the block 0.500 km", 0.5),
        ("12,34 km", 12.34),
        ("Office, 30 mi each way", 60 * 1.609344),
        ("airport (45 km one-way)", 90),
        ("airport 45 km, one of the ways is 90 km", 45),
    ],
)
def test_a_distance_is_found_in_the_text(text: str, km: float | None):
    assert distance_km(text) == (None if km is None else pytest.approx(km))


def test_a_text_of_several_calendars_is_all_of_them_and_what_two_tell_is_one_event():
    fair = "UID:fair\r\nSUMMARY:Fair\r\nDTSTART:20260330T080000\r\nDTEND:20260330T100000"
    choir = fair.replace("fair", "choir").replace("Fair", "Choir").replace("0330", "0331")

    found = unfolding(calendar_of(fair) + calendar_of(choir, fair))

    assert [(one.summary, local(one)[0]) for one in found.outings] == [("Fair", "Mon 30 08:00"), ("Choir", "Tue 31 08:00")]


@pytest.mark.parametrize(
    ("lines", "wrong"),
    [
        ("DTEND:20260330T100000", "DTSTART: missing"),
        ("DTSTART:2026-03-30 08:00", 'DTSTART: "2026-03-30 08:00"'),
        ("DTSTART;VALUE=TIME:080000", 'DTSTART: "08:00:00"'),
        ("DTSTART:20260330T080000\nDTSTART:20260331T080000", 'DTSTART: "2 of them"'),
        ("UID:too\nDTSTART:20260330T080000", 'UID: "2 of them"'),
        ("DTSTART;TZID=Somewhere/Else:20260330T080000", 'DTSTART: "TZID=Somewhere/Else"'),
        ("DTSTART:20260330T080000\nDTEND:20260330T070000", "DTEND: 2026-03-30T07:00:00"),
        ("DTSTART:20260330T080000\nDTEND;VALUE=DATE:20260331", "DTEND: 2026-03-31"),
        ("DTSTART:20260330T080000\nDURATION:2h", 'DURATION: "2h"'),
        ("DTSTART:20260101T080000\nRRULE:FREQ=FORTNIGHTLY", 'RRULE: "FORTNIGHTLY"'),
        ("DTSTART:20260330T080000\nRRULE:FREQ=DAILY;INTERVAL=0", 'RRULE: "INTERVAL=0"'),
        ("DTSTART:20260101T080000\nRRULE:FREQ=HOURLY", 'RRULE: "FREQ=HOURLY"'),
        ("DTSTART:20260330T080000\nRRULE:COUNT=2", 'VEVENT: "odd"'),
    ],
)
def test_an_event_of_which_nobody_can_say_when_it_is_is_told_and_the_others_are_read(lines: str, wrong: str):
    fair = "UID:fair\nSUMMARY:Fair\nDTSTART:20260330T080000\nDTEND:20260330T100000"

    found = unfolding(calendar_of(f"UID:odd\nSUMMARY:Odd\n{lines}", fair))

    assert [one.uid for one in found.outings] == ["fair"]
    assert found.uids == {"fair"}  # a trip of the other stays, whatever became of its event
    [unread] = found.unread
    assert unread.summary == "Odd"
    assert str(unread.mistake).startswith(f"{wrong}, expected ")


def test_of_an_event_that_is_over_nobody_is_told_what_is_wrong_with_it():
    over = "UID:choir\nSUMMARY:Choir\nDTSTART:20260102T190000\nDTEND:20260102T180000"
    series = over.replace("0102T18", "0102T21") + "\nRRULE:FREQ=WEEKLY"

    found = unfolding(calendar_of(series, f"{over}\nRECURRENCE-ID:20260102T190000"))

    assert [local(one)[0] for one in found.outings] == ["Fri 27 19:00", "Fri 03 19:00"]
    assert found.unread == []


def test_a_single_day_may_end_on_itself_and_a_length_be_told_instead_of_an_end():
    day, evening = read(
        "UID:a\nDTSTART;VALUE=DATE:20260327\nDTEND;VALUE=DATE:20260327", "UID:b\nDTSTART:20260328T190000\nDURATION:PT2H"
    )

    assert local(day) == ("Fri 27 08:00", "Fri 27 18:00")
    assert local(evening) == ("Sat 28 19:00", "Sat 28 21:00")


@pytest.mark.parametrize("text", ["", "day,km\n2026-01-01,5", "BEGIN:VCALENDAR\nBEGIN:VEVENT\nEND:VCALENDAR"])
def test_what_is_no_calendar_is_refused(text: str):
    with pytest.raises(BadDocument) as refused:
        unfolding(text)
    assert refused.value.mistakes[0].path == "text"


def test_what_is_written_is_read_back_across_the_clock_change():
    # A session over the night in which 2:00 becomes 3:00: 23:00 to 5:00 are five hours.
    start, end = datetime(2026, 3, 28, 23, tzinfo=ZONE), datetime(2026, 3, 29, 5, tzinfo=ZONE)
    entry = Entry("s1", "Heron charges, 16 A; ready 05:00", "42 kWh", start, end, reminded=True)

    text = written("Alder Lane", [entry], stamp=SINCE)

    [event] = icalendar.Calendar.from_ical(text).walk("VEVENT")
    assert event["SUMMARY"] == "Heron charges, 16 A; ready 05:00"
    assert event["DTSTART"].dt == start
    assert event["DTEND"].dt - event["DTSTART"].dt == timedelta(hours=5)
    [alarm] = event.walk("VALARM")
    assert alarm["TRIGGER"].dt == timedelta(minutes=-30)
    [again] = recurring_ical_events.of(icalendar.Calendar.from_ical(text)).between(start, end)
    assert again["UID"] == "s1"
