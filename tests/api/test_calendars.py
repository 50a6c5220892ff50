"""Calendars in and out: trips from a file, asked for once, and the plan as a feed at a secret address."""

from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

import icalendar
import pytest
from django.test import Client

from moonplan.household.models import Person
from tests.api.conftest import Browser, car_of, versions
from tests.api.test_days import car, days


def a_calendar(*events: str) -> str:
    body = "".join(f"BEGIN:VEVENT\r\nUID:{n}\r\n{event}\r\nEND:VEVENT\r\n" for n, event in enumerate(events))
    return f"BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//a//b//EN\r\n{body}END:VCALENDAR\r\n"


def event(summary: str, start: str, end: str, more: str = "") -> str:
    zone = "TZID=Europe/Ljubljana"
    return f"SUMMARY:{summary}\r\nDTSTART;{zone}:{start}\r\nDTEND;{zone}:{end}{more}"


LAKE = event("Lake with Heron, 48 km", "20260118T100000", "20260118T160000")
CHOIR = event("Choir", "20260117T190000", "20260117T210000", "\r\nRRULE:FREQ=WEEKLY;COUNT=3")


def bring(browser: Browser, text: str, **more: Any) -> dict[str, Any]:
    status, told = browser.send("post", "/calendar", {"text": text} | more)
    assert status == 200
    return dict(told)


def named(browser: Browser, name: str, summary: str) -> list[dict[str, Any]]:
    return [trip for trip in car(days(browser, 14), name)["trips"] if trip["summary"] == summary]


def test_an_event_that_names_car_and_distance_becomes_a_trip_once(signed_in: Browser):
    seen = bring(signed_in, a_calendar(LAKE))
    assert (seen["new"], seen["asks"], seen["kept"]) == (1, [], False)
    assert named(signed_in, "Heron", "Lake with Heron, 48 km") == []

    bring(signed_in, a_calendar(LAKE), keep=True)
    [trip] = named(signed_in, "Heron", "Lake with Heron, 48 km")
    assert trip["km"] == 48

    again = bring(signed_in, a_calendar(LAKE), keep=True)
    assert (again["new"], again["again"]) == (0, 1)
    signed_in.send("post", "/undo")
    assert named(signed_in, "Heron", "Lake with Heron, 48 km") == []


def test_a_summary_without_distance_is_asked_for_once_and_remembered(signed_in: Browser):
    seen = bring(signed_in, a_calendar(CHOIR))
    [asked] = seen["asks"]
    assert (asked["summary"], asked["times"], asked["km"]) == ("Choir", 3, None)

    wren = car(days(signed_in), "Wren")["id"]
    answer = {"summary": "Choir", "vehicle_id": int(wren), "km": 9}
    kept = bring(signed_in, a_calendar(CHOIR), answers=[answer], keep=True)
    assert (kept["new"], kept["asks"]) == (3, [])

    more = event("Choir", "20260119T190000", "20260119T210000")
    assert bring(signed_in, a_calendar(CHOIR, more))["new"] == 1
    # All of it, with what was remembered, is one step of undo.
    signed_in.send("post", "/undo")
    assert bring(signed_in, a_calendar(more))["asks"][0]["summary"] == "Choir"


def at(trip: dict[str, Any]) -> tuple[str, str]:
    leave, back = (datetime.fromisoformat(trip[end]).astimezone(ZoneInfo("Europe/Ljubljana")) for end in ("leave", "back"))
    return f"{leave:%Y-%m-%d %H:%M}", f"{back:%Y-%m-%d %H:%M}"


def test_a_trip_moves_with_its_event_by_as_much_and_goes_with_it(signed_in: Browser):
    bring(signed_in, a_calendar(LAKE), keep=True)
    [trip] = named(signed_in, "Heron", "Lake with Heron, 48 km")
    # They leave a quarter of an hour before the event begins: the same calendar changes nothing of that.
    path = f"/days/trips/{trip['id']}?version={trip['version']}"
    signed_in.send("patch", path, {"leave": "2026-01-18T09:45:00+01:00", "km": 52})
    same = bring(signed_in, a_calendar(LAKE), keep=True)
    assert (same["again"], same["changed"], same["gone"]) == (1, 0, 0)

    later = event("Lake with Heron, 48 km", "20260118T120000", "20260118T190000")
    seen = bring(signed_in, a_calendar(later))
    assert (seen["new"], seen["changed"]) == (0, 1)
    assert at(named(signed_in, "Heron", "Lake with Heron, 48 km")[0]) == ("2026-01-18 09:45", "2026-01-18 16:00")
    bring(signed_in, a_calendar(later), keep=True)
    [moved] = named(signed_in, "Heron", "Lake with Heron, 48 km")
    assert (at(moved), moved["km"]) == (("2026-01-18 11:45", "2026-01-18 19:00"), 52)
    assert bring(signed_in, a_calendar(later))["again"] == 1

    # A calendar that knows nothing of the event leaves its trip alone; one in which it is called off takes it away.
    assert bring(signed_in, a_calendar())["gone"] == 0
    off = bring(signed_in, a_calendar(f"{later}\r\nSTATUS:CANCELLED"), keep=True)
    assert (off["gone"], off["changed"], off["again"]) == (1, 0, 0)
    assert named(signed_in, "Heron", "Lake with Heron, 48 km") == []
    signed_in.send("post", "/undo")
    assert len(named(signed_in, "Heron", "Lake with Heron, 48 km")) == 1


def test_a_trip_that_leaves_after_its_event_began_stays(signed_in: Browser, monkeypatch: pytest.MonkeyPatch):
    bring(signed_in, a_calendar(LAKE), keep=True)
    [trip] = named(signed_in, "Heron", "Lake with Heron, 48 km")
    path = f"/days/trips/{trip['id']}?version={trip['version']}"
    signed_in.send("patch", path, {"leave": "2026-01-18T10:30:00+01:00"})

    monkeypatch.setenv("MOONPLAN_NOW", "2026-01-18T10:10:00+01:00")

    assert bring(signed_in, a_calendar(LAKE), keep=True)["gone"] == 0


def test_of_a_series_one_evening_moves_and_one_goes(signed_in: Browser):
    wren = car(days(signed_in), "Wren")["id"]
    answer = {"summary": "Choir", "vehicle_id": int(wren), "km": 9}
    bring(signed_in, a_calendar(CHOIR), answers=[answer], keep=True)
    zone = "TZID=Europe/Ljubljana"
    changed = f"{CHOIR}\r\nEXDATE;{zone}:20260117T190000"
    sunday = f"{event('Choir', '20260125T170000', '20260125T190000')}\r\nRECURRENCE-ID;{zone}:20260124T190000"
    series = a_calendar(changed, sunday).replace("UID:1", "UID:0")

    told = bring(signed_in, series, keep=True)

    assert (told["new"], told["changed"], told["gone"], told["again"]) == (0, 1, 1, 1)
    assert [at(trip)[0] for trip in named(signed_in, "Wren", "Choir")] == ["2026-01-25 17:00"]


def test_whole_days_begin_when_the_car_that_drives_usually_leaves(signed_in: Browser):
    wren = car(days(signed_in), "Wren")
    hours = {"usual_leave": "09:40", "usual_back": "18:20"}
    assert signed_in.send("patch", f"/vehicles/{wren['id']}?version={wren['version']}", hours)[0] == 200
    whole = "SUMMARY:Fair with Wren, 30 km\r\nDTSTART;VALUE=DATE:20260118\r\nDTEND;VALUE=DATE:20260119"

    bring(signed_in, a_calendar(whole), keep=True)

    [trip] = named(signed_in, "Wren", "Fair with Wren, 30 km")
    assert at(trip) == ("2026-01-18 09:40", "2026-01-18 18:20")


def test_an_event_that_overlaps_a_trip_is_refused_and_the_others_are_kept(signed_in: Browser):
    clash = event("Heron to the fair, 20 km", "20260119T090000", "20260119T120000")

    told = bring(signed_in, a_calendar(clash, LAKE), keep=True)

    assert told["new"] == 1
    [refused] = told["refused"]
    assert refused["summary"] == "Heron to the fair, 20 km"
    assert len(named(signed_in, "Heron", "Lake with Heron, 48 km")) == 1


def test_an_event_that_comes_every_second_is_refused_and_the_others_are_kept(signed_in: Browser):
    drink = event("Drink some water", "20250101T080000", "20250101T080000", "\r\nRRULE:FREQ=SECONDLY")

    told = bring(signed_in, a_calendar(drink, LAKE), keep=True)

    [refused] = told["refused"]
    assert (refused["summary"], refused["when"]) == ("Drink some water", None)
    assert refused["reason"] == 'RRULE: "FREQ=SECONDLY", expected an event that comes daily or less often'
    assert (told["new"], told["asks"]) == (1, [])


def test_an_event_that_cannot_be_read_is_told_and_its_trip_stays(signed_in: Browser):
    bring(signed_in, a_calendar(LAKE), keep=True)

    told = bring(signed_in, a_calendar(LAKE.replace("20260118T100000", "on Sunday")), keep=True)

    [refused] = told["refused"]
    assert (refused["summary"], refused["when"]) == ("Lake with Heron, 48 km", None)
    assert refused["reason"].startswith('DTSTART: "on Sunday", expected a date')
    assert (told["gone"], len(named(signed_in, "Heron", "Lake with Heron, 48 km"))) == (0, 1)


@pytest.mark.parametrize("path", ["/days/trips/", "/trips/"])
def test_a_trip_that_was_taken_away_does_not_come_again_unless_asked(signed_in: Browser, path: str):
    bring(signed_in, a_calendar(LAKE), keep=True)
    [trip] = named(signed_in, "Heron", "Lake with Heron, 48 km")
    assert signed_in.send("delete", f"{path}{trip['id']}?version={trip['version']}")[0] == 200

    # Also where the event was moved meanwhile.
    moved = a_calendar(LAKE.replace("20260118T160000", "20260118T170000"))
    again = bring(signed_in, moved, keep=True)
    assert (again["new"], again["again"], again["dropped"]) == (0, 0, 1)

    # Where it cannot be brought in again, it stays away.
    other = {"leave": "2026-01-18T15:00:00+01:00", "back": "2026-01-18T18:00:00+01:00", "km": 9}
    assert signed_in.send("post", "/days/trips", {"vehicle_id": int(car(days(signed_in), "Heron")["id"]), **other})[0] == 200
    assert len(bring(signed_in, moved, keep=True, dropped_too=True)["refused"]) == 1
    assert bring(signed_in, moved)["dropped"] == 1
    signed_in.send("post", "/undo")

    asked = bring(signed_in, moved, keep=True, dropped_too=True)
    assert (asked["new"], asked["dropped"]) == (1, 0)
    [back] = named(signed_in, "Heron", "Lake with Heron, 48 km")
    assert at(back)[1] == "2026-01-18 17:00"
    assert bring(signed_in, moved)["again"] == 1

    signed_in.send("post", "/undo")
    assert bring(signed_in, moved)["dropped"] == 1
    # Taking it away is undone as one.
    signed_in.send("post", "/undo")
    assert bring(signed_in, a_calendar(LAKE))["again"] == 1


def test_text_distance_and_car_of_a_trip_change_with_its_event_but_for_what_was_typed(signed_in: Browser):
    fair = event("Fair with Wren, 30 km", "20260120T190000", "20260120T210000")
    bring(signed_in, a_calendar(LAKE, fair), keep=True)
    [lake], [to_fair] = (
        named(signed_in, "Heron", "Lake with Heron, 48 km"),
        named(signed_in, "Wren", "Fair with Wren, 30 km"),
    )
    assert signed_in.send("patch", f"/days/trips/{lake['id']}?version={lake['version']}", {"km": 55})[0] == 200
    typed = {"summary": "the big fair"}
    assert signed_in.send("patch", f"/days/trips/{to_fair['id']}?version={to_fair['version']}", typed)[0] == 200

    told = bring(signed_in, a_calendar(LAKE.replace("48", "60"), fair.replace("Wren, 30", "Heron, 34")), keep=True)

    assert (told["changed"], told["again"]) == (2, 0)
    assert [trip["km"] for trip in named(signed_in, "Heron", "Lake with Heron, 60 km")] == [55]
    assert [trip["km"] for trip in named(signed_in, "Heron", "the big fair")] == [34]
    assert named(signed_in, "Wren", "the big fair") == []


@pytest.mark.parametrize("text", ["", "day,km\n2026-01-20,5"])
def test_what_is_no_calendar_is_refused(signed_in: Browser, text: str):
    status, told = signed_in.send("post", "/calendar", {"text": text})

    assert (status, told["mistakes"][0]["field"]) == (422, "text")


def test_a_car_of_somebody_else_cannot_be_answered(signed_in: Browser, stranger: Browser):
    wren = car(days(signed_in), "Wren")["id"]
    answer = {"summary": "Choir", "vehicle_id": int(wren), "km": 9}

    status, _ = stranger.send("post", "/calendar", {"text": a_calendar(CHOIR), "answers": [answer], "keep": True})

    assert status == 422


def test_the_plan_can_be_subscribed_to_and_the_address_renewed(signed_in: Browser, person: Person):
    _, told = signed_in.get("/calendar")
    anyone = Client()
    answer = anyone.get(told["path"])

    assert answer.headers["Content-Type"] == "text/calendar; charset=utf-8"
    told_events = icalendar.Calendar.from_ical(answer.content).walk("VEVENT")
    summaries = [str(event["SUMMARY"]) for event in told_events]
    # Heron leaves on Thursday 7:20; somebody has to plug it in tonight, before the session starts or bedtime, 22:45 (21:45
    # UTC), whichever is first; and maybe again.
    plug_ins = [event for event in told_events if event["SUMMARY"].startswith("Plug Heron into the carport by ")]
    ends = [plug_in["DTEND"].dt for plug_in in plug_ins]
    assert "2026-01-14 17:10" < f"{min(ends):%Y-%m-%d %H:%M}" <= "2026-01-14 21:45"
    assert all(
        f"{end.astimezone(ZoneInfo('Europe/Ljubljana')):%H:%M}" == plug_in["SUMMARY"][-5:]
        for end, plug_in in zip(ends, plug_ins, strict=True)
    )
    assert all(len(plug_in.walk("VALARM")) == 1 for plug_in in plug_ins)
    charging = [summary for summary in summaries if summary.startswith("Heron charges")]
    assert len(charging) == len(car(days(signed_in), "Heron")["sessions"]) > 0

    _, renewed = signed_in.send("post", "/calendar/renewal")
    assert renewed["path"] != told["path"]
    assert anyone.get(told["path"]).status_code == 404
    assert anyone.get(renewed["path"]).status_code == 200


def test_a_calendar_tells_of_tonight_what_its_page_tells(signed_in: Browser):
    # One night is planned ahead there: with a week in view Wren would not be plugged in.
    _, told = signed_in.get("/tonight")
    on_the_page = {
        (f"{car['name']} charges at {car['current']}, {car['place']}", session[end][:19])
        for car in told["cars"]
        for session in car["sessions"]
        for end in ("start", "end")
    }
    assert len(on_the_page) == 4

    in_the_feed = icalendar.Calendar.from_ical(Client().get(signed_in.get("/calendar")[1]["path"]).content).walk("VEVENT")
    tonight = [event for event in in_the_feed if event["DTSTART"].dt < datetime.fromisoformat("2026-01-15T12:00:00+01:00")]

    assert {
        (str(event["SUMMARY"]), f"{event[end].dt.astimezone(ZoneInfo('Europe/Ljubljana')):%Y-%m-%dT%H:%M:%S}")
        for event in tonight
        if "charges" in event["SUMMARY"]
        for end in ("DTSTART", "DTEND")
    } == on_the_page
    assert {str(event["SUMMARY"]) for event in tonight if event["SUMMARY"].startswith("Plug")} == {
        f"Plug {car['name']} into the {car['place']} by {datetime.fromisoformat(car['plug_in_by']):%H:%M}"
        for car in told["cars"]
    }


def test_who_is_still_up_is_to_plug_in_now(signed_in: Browser, monkeypatch: pytest.MonkeyPatch):
    monkeypatch.setenv("MOONPLAN_NOW", "2026-01-14T23:10:00+01:00")
    _, told = signed_in.get("/tonight")
    assert [(car["action"], car["plug_in_by"]) for car in told["cars"]] == [("plug_in", None), ("plug_in", None)]

    feed = icalendar.Calendar.from_ical(Client().get(signed_in.get("/calendar")[1]["path"]).content)

    assert {str(event["SUMMARY"]) for event in feed.walk("VEVENT") if event["DTSTART"].dt.day == 14} >= {
        f"Plug {car['name']} into the {car['place']} by 23:10" for car in told["cars"]
    }


def test_who_is_out_between_two_sessions_is_to_plug_in_again(signed_in: Browser):
    # Of 64 kWh 18 % are aboard: 60 km in the evening take 10.5 of them and leave no reserve; tomorrow wants more again.
    heron = car_of(signed_in.get("/tonight")[1], "Heron")
    assert signed_in.send("patch", f"/tonight/{heron['id']}", {"soc_pct": 18, "versions": versions(heron)})[0] == 200
    out = {"leave": "2026-01-14T21:00:00+01:00", "back": "2026-01-14T23:30:00+01:00", "km": 60}
    assert signed_in.send("post", "/days/trips", {"vehicle_id": int(heron["id"]), **out})[0] == 200

    told = car_of(signed_in.get("/tonight")[1], "Heron")
    by = datetime.fromisoformat(told["plug_in_by"])
    assert (told["action"], by.day, told["plug_in_again"]) == ("plug_in", 14, ["2026-01-14T23:30:00+01:00"])

    feed = icalendar.Calendar.from_ical(Client().get(signed_in.get("/calendar")[1]["path"]).content).walk("VEVENT")
    reminders = [
        str(event["SUMMARY"]) for event in feed if event["DTSTART"].dt.day == 14 and "Plug Heron" in event["SUMMARY"]
    ]
    assert reminders == [f"Plug Heron into the carport by {then}" for then in (f"{by:%H:%M}", "23:30")]


def test_the_feed_tells_of_one_household_only(signed_in: Browser, stranger: Browser):
    _, mine = signed_in.get("/calendar")
    _, theirs = stranger.get("/calendar")

    assert mine["path"] != theirs["path"]
    assert b"Heron" not in Client().get(theirs["path"]).content


def test_who_takes_the_lead_from_another_car_is_told_on_the_page_and_in_the_feed(signed_in: Browser):
    _, whole = signed_in.get("/household")
    unit = next(lead for lead in whole["leads"] if lead["name"] == "wall unit")
    wren = next(car for car in whole["vehicles"] if car["name"] == "Wren")
    signed_in.send("patch", f"/vehicles/{wren['id']}?version={wren['version']}", {"lead_id": unit["id"]})

    _, told = signed_in.get("/tonight")
    first, second = sorted(told["cars"], key=lambda car: str(car["sessions"][0]["start"]))
    assert (first["in_place_of"], second["in_place_of"]) == (None, first["name"])

    feed = icalendar.Calendar.from_ical(Client().get(signed_in.get("/calendar")[1]["path"]).content).walk("VEVENT")
    by = f"{datetime.fromisoformat(second['plug_in_by']):%H:%M}"
    assert f"Plug {second['name']} into the carport by {by}, in place of {first['name']}" in {
        str(e["SUMMARY"]) for e in feed
    }
