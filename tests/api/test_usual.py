"""Usual days as people type and bring them: odometer readings, typed figures, consumption as driven."""

from collections.abc import Callable
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

import pytest

from moonplan.core.values import WEEKDAYS
from moonplan.household.models import Person, Trip
from tests.api.conftest import Browser, versions

ZONE = ZoneInfo("Europe/Ljubljana")


def car(told: dict[str, Any], name: str) -> dict[str, Any]:
    return next(one for one in told["cars"] if one["name"] == name)


def usual(browser: Browser, name: str = "Wren") -> dict[str, Any]:
    status, told = browser.get("/usual")
    assert status == 200
    return car(told, name)


def test_three_weeks_of_odometer_readings_make_a_usual_week(signed_in: Browser):
    wren = usual(signed_in)

    # Wednesdays: 52 and 58 are two entries only, so they borrow from the 14 working days; Sundays were 0 three times.
    week = {day["weekday"]: day for day in wren["week"]}
    assert (week["wed"]["source"], week["wed"]["entries"]) == ("kind", 14)
    assert (week["sun"]["typical_km"], week["sun"]["careful_km"], week["sun"]["source"]) == (0, 0, "own")
    # Saturdays 34, 37 and 28: the middle one is 34.
    assert week["sat"]["typical_km"] == 34
    assert wren["learned"] is None


def test_an_odometer_reading_is_kept_changed_the_same_day_and_undone(signed_in: Browser):
    wren = usual(signed_in)
    last = wren["odometer"][0]["km"]
    path = f"/usual/{wren['id']}/odometer"

    _, told = signed_in.send("post", path, {"km": last + 20})
    _, told = signed_in.send("post", path, {"km": last + 22, "soc_pct": 57})

    newest = car(told, "Wren")["odometer"][0]
    assert (newest["day"], newest["km"], newest["soc_pct"]) == ("2026-01-14", last + 22, 57)
    assert car(told, "Wren")["readings"] == wren["readings"] + 1
    signed_in.send("post", "/undo")
    signed_in.send("post", "/undo")
    assert usual(signed_in)["readings"] == wren["readings"]


@pytest.mark.parametrize(
    ("given", "field"),
    [
        ({"km": 5}, "km"),
        ({"km": 99_999, "day": "2026-01-15"}, "day"),
        ({"km": -1}, "km"),
        ({"soc_pct": 50}, "km"),
        ({"km": 42_000, "soc_pct": 130}, "soc_pct"),
    ],
)
def test_an_odometer_that_cannot_be_is_refused_at_its_field(signed_in: Browser, given: dict[str, Any], field: str):
    wren = usual(signed_in)

    status, told = signed_in.send("post", f"/usual/{wren['id']}/odometer", given)

    assert (status, told["mistakes"][0]["field"]) == (422, field)
    assert usual(signed_in)["readings"] == wren["readings"]


def test_a_typed_usual_day_takes_the_learned_one_s_place(signed_in: Browser):
    wren = usual(signed_in)
    path = f"/vehicles/{wren['id']}?version={wren['version']}"
    assert signed_in.send("patch", path, {"usual_km": {"mon": 90}})[0] == 200

    monday = usual(signed_in)["week"][0]
    assert (monday["careful_km"], monday["source"]) == (90, "typed")

    path = f"/vehicles/{wren['id']}?version={wren['version'] + 1}"
    for wrong in ({"usual_km": {"mon": -3}}, {"usual_leave": "25:00"}):
        status, told = signed_in.send("patch", path, wrong)
        assert (status, told["mistakes"][0]["field"]) == (422, next(iter(wrong)))


def test_a_household_in_miles_reads_its_mistakes_in_miles(signed_in: Browser, person: Person):
    # 5000 km are 3106.9 miles, and 1000 kWh per 100 km 1609.3 per 100 miles.
    signed_in.send("patch", f"/household?version={person.household.version}", {"distance_unit": "mi"})
    wren = usual(signed_in)
    path = f"/vehicles/{wren['id']}?version={wren['version']}"
    for fields, value, expected in (
        ({"usual_km": {"mon": 9000 * 1.609344}}, "9000.0", "0 to 3106 mi for a weekday"),
        ({"use_kwh_per_100km": 0}, "0.0", "a number above 0 and up to 1609 kWh per 100 mi"),
    ):
        _, told = signed_in.send("patch", path, fields)
        assert told["mistakes"][0] | {"value": value, "expected": expected} == told["mistakes"][0]
    [trip] = [trip for trip in named_trips(signed_in) if trip["km"] == 38]
    _, told = signed_in.send("patch", f"/days/trips/{trip['id']}?version={trip['version']}", {"km": 9000 * 1.609344})
    assert told["mistakes"] == [{"field": "km", "value": "9000.0", "expected": "0 to 3106 mi"}]


def named_trips(browser: Browser) -> list[dict[str, Any]]:
    return [trip for one in browser.get("/days")[1]["cars"] for trip in one["trips"] if trip["id"] is not None]


def test_a_household_in_miles_brings_its_odometer_in_miles(signed_in: Browser, person: Person):
    wren = usual(signed_in)
    signed_in.send("patch", f"/household?version={person.household.version}", {"distance_unit": "mi"})
    # The demo's first day stands at 41 250 km, 25 632 miles: 25 400 are before it, 26 000 are not.
    text = "date;odometer\n2025-12-20;25400\n2025-12-21;26000\n"

    _, seen = signed_in.bring(f"/usual/{wren['id']}/table", text)

    assert seen["new"] == 1
    assert seen["refused"][0]["line"] == 3
    assert seen["refused"][0]["reason"].startswith("mi: 26000, expected 25400 to ")


def test_usual_days_typed_faster_than_they_are_kept_are_all_kept(person: Person):
    page = Browser(person, "this page")
    wren = usual(page)
    # All go by the row as it was before the first of them: what one does not name stays.
    path = f"/vehicles/{wren['id']}?version={wren['version']}"
    for typed in ({"mon": 90}, {"tue": 35}, {"wed": 12}, {"tue": None}):
        assert page.send("patch", path, {"usual_km": typed})[0] == 200

    assert usual(page)["usual_km"] == {"mon": 90, "wed": 12}
    assert [day["source"] == "typed" for day in usual(page)["week"][:3]] == [True, False, True]
    page.send("post", "/undo", {})
    assert usual(page)["usual_km"] == {"mon": 90, "tue": 35, "wed": 12}


def test_a_table_of_odometer_readings_is_looked_at_then_brought_in_once(signed_in: Browser):
    wren = usual(signed_in)
    # The odometer stood at 41 250 before the demo's first day.
    text = "date;odometer;soc\n2025-12-20;41000;80\n2025-12-21;41100;60\n2025-12-22;39000;50\n2025-13-01;1;2\n"
    path = f"/usual/{wren['id']}/table"

    status, seen = signed_in.bring(path, text)
    assert status == 200
    assert (seen["new"], seen["again"], [row["line"] for row in seen["refused"]]) == (2, 0, [4, 5])
    assert "39000, expected 41100 to" in seen["refused"][0]["reason"]
    assert usual(signed_in)["readings"] == wren["readings"]

    signed_in.bring(path, text, keep=True)
    after = usual(signed_in)
    assert after["readings"] == wren["readings"] + 2
    # 20 % of 22 kWh over 100 km.
    assert after["learned"]["use_kwh_per_100km"] == pytest.approx(4.4)

    _, again = signed_in.bring(path, text, keep=True)
    assert (again["new"], again["again"]) == (0, 2)
    signed_in.send("post", "/undo")
    assert usual(signed_in)["readings"] == wren["readings"]


def test_a_file_that_is_no_table_is_refused(signed_in: Browser):
    status, _ = signed_in.send("post", f"/usual/{usual(signed_in)['id']}/table", {"text": "PK\x03\x04 nothing"})

    assert status == 422


def test_a_stranger_reads_and_writes_no_odometer(signed_in: Browser, stranger: Browser):
    wren = usual(signed_in)

    assert stranger.get("/usual")[1]["cars"] == []
    assert stranger.send("post", f"/usual/{wren['id']}/odometer", {"km": 99_999})[0] == 404
    assert stranger.bring(f"/usual/{wren['id']}/table", "day,km\n")[0] == 404
    assert stranger.send("delete", f"/usual/odometer/{wren['odometer'][0]['id']}?version=1")[0] == 404


def test_a_week_is_planned_once_usual_days_are_known_unless_somebody_typed_otherwise(signed_in: Browser):
    _, whole = signed_in.get("/household")
    assert signed_in.get("/days")[1]["nights_of_tonight"] == 1

    path = f"/household?version={whole['household']['version']}"
    assert signed_in.send("patch", path, {"horizon_nights": None})[0] == 200

    assert signed_in.get("/days")[1]["nights_of_tonight"] == 7
    signed_in.send("patch", f"/vehicles/{usual(signed_in)['id']}?version={usual(signed_in)['version']}", {"end_pct": None})
    # Three nights end on a Saturday; nothing is driven on Sundays, and on Mondays 24.4 km, carefully: they and the reserve
    # are wanted at the end, 24.4 × 0.141 kWh of 22 and 20 %.
    wren = car(signed_in.get("/days?nights=3")[1], "Wren")
    assert wren["end"]["required_pct"] == pytest.approx(100 * 24.4 * 0.141 / 22 + 20, abs=0.01)
    # Where it is at home on that Monday, Tuesday's are: at most 22 and a tenth of it, of an odometer of whole kilometres.
    _, told = signed_in.send("put", f"/days/at_home/{wren['id']}/2026-01-19?nights=3", {"at_home": True})
    assert car(told, "Wren")["end"]["required_pct"] < wren["end"]["required_pct"] - 0.5


def days_at_home(told: dict[str, Any]) -> dict[str, str]:
    """On which day Wren stays at home, by the night in which it would leave."""
    return {night["night"]: night["at_home"] for night in car(told, "Wren")["nights"] if night["at_home"]}


def test_a_car_stays_at_home_on_a_day_on_which_it_usually_drives(signed_in: Browser, stranger: Browser):
    def leaving() -> tuple[bool, str]:
        inputs = car(signed_in.get("/tonight")[1], "Wren")["inputs"]
        return inputs["is_usual"], f"{datetime.fromisoformat(inputs['leave']).astimezone(ZONE):%d %H:%M}"

    _, told = signed_in.get("/days")
    wren = car(told, "Wren")
    named = wren["trips"][0]
    signed_in.send("delete", f"/days/trips/{named['id']}?version={named['version']}")
    assert leaving() == (True, "15 08:00")

    # On Friday it leaves for a trip that is named.
    tonight = car(signed_in.get("/tonight")[1], "Wren")
    edit = {"at_home": "2026-01-15", "versions": versions(tonight)}
    for _ in range(2):  # pressed twice it is one day all the same
        assert signed_in.send("patch", f"/tonight/{wren['id']}", edit)[0] == 200
    assert leaving() == (False, "16 08:05")
    assert days_at_home(signed_in.get("/days")[1]) == {"2026-01-14": "2026-01-15"}

    # Named after all, a trip of that day counts, and at home it is no more.
    trip = {"vehicle_id": int(wren["id"]), "leave": "2026-01-15T10:00", "back": "2026-01-15T12:00", "km": 12}
    assert days_at_home(signed_in.send("post", "/days/trips", trip)[1]) == {}
    assert leaving() == (False, "15 10:00")
    signed_in.send("post", "/undo")

    path = f"/days/at_home/{wren['id']}/2026-01-15"
    assert stranger.send("put", path, {"at_home": False})[0] == 404
    status, told = signed_in.send("put", path, {"at_home": False})
    assert (status, days_at_home(told), told["undo"]) == (200, {}, "Wren: Thursday as usual")
    assert leaving() == (True, "15 08:00")
    signed_in.send("post", "/undo")
    assert leaving() == (False, "16 08:05")
    signed_in.send("post", "/undo")
    assert leaving() == (True, "15 08:00")


@pytest.fixture
def wren_drives(signed_in: Browser):
    """Wren without any trip that is named, and what it usually does typed."""
    Trip.objects.filter(vehicle__name="Wren").delete()

    def typed(km: dict[str, float], leave: str, back: str) -> None:
        wren = usual(signed_in)
        fields = {"usual_km": dict.fromkeys(WEEKDAYS, 0) | km, "usual_leave": leave, "usual_back": back}
        assert signed_in.send("patch", f"/vehicles/{wren['id']}?version={wren['version']}", fields)[0] == 200

    return typed


def out_this_week(browser: Browser) -> list[str]:
    """When Wren is out in the coming week, usual days marked with a star."""
    trips = car(browser.get("/days?nights=5")[1], "Wren")["trips"]
    local = [[datetime.fromisoformat(trip[end]).astimezone(ZONE) for end in ("leave", "back")] for trip in trips]
    return [
        f"{leave:%a %H:%M}–{back:%a %H:%M}{'*' if trip['id'] is None else ''}"
        for trip, (leave, back) in zip(trips, local, strict=True)
    ]


def test_a_night_shift_ends_on_the_day_after(
    signed_in: Browser, wren_drives: Callable[..., None], monkeypatch: pytest.MonkeyPatch
):
    wren_drives({"wed": 30, "thu": 30, "sun": 12}, "21:30", "06:30")

    assert usual(signed_in)["ends_the_day_after"]
    assert out_this_week(signed_in) == ["Wed 21:30–Thu 06:30*", "Thu 21:30–Fri 06:30*", "Sun 21:30–Mon 06:30*"]
    assert car(signed_in.get("/tonight")[1], "Wren")["inputs"]["km"] == 30
    # One that is changed is a trip of its own, and takes nothing from the next night's.
    wren = car(signed_in.get("/tonight")[1], "Wren")
    assert signed_in.send("patch", f"/tonight/{wren['id']}", {"km": 44, "versions": versions(wren)})[0] == 200
    assert out_this_week(signed_in) == ["Wed 21:30–Thu 06:30", "Thu 21:30–Fri 06:30*", "Sun 21:30–Mon 06:30*"]
    signed_in.send("post", "/undo")

    # At home for once, that is told of the night in which it would have left.
    wren = usual(signed_in)
    signed_in.send("put", f"/days/at_home/{wren['id']}/2026-01-15", {"at_home": True})
    assert days_at_home(signed_in.get("/days")[1]) == {"2026-01-15": "2026-01-15"}
    assert out_this_week(signed_in) == ["Wed 21:30–Thu 06:30*", "Sun 21:30–Mon 06:30*"]

    # Past midnight it is out.
    monkeypatch.setenv("MOONPLAN_NOW", "2026-01-15T02:00:00+01:00")
    assert out_this_week(signed_in)[0] == "Wed 21:30–Thu 06:30*"
    assert car(signed_in.get("/tonight")[1], "Wren")["plug_in_by"] == "2026-01-15T06:30:00+01:00"


def test_an_evening_that_ends_past_midnight_leaves_the_usual_day_after_it(
    signed_in: Browser, wren_drives: Callable[..., None]
):
    wren_drives({"thu": 22, "fri": 22, "sat": 22}, "08:00", "17:00")
    wren = usual(signed_in)
    assert not wren["ends_the_day_after"]

    out = {"vehicle_id": wren["id"], "leave": "2026-01-14T19:00", "back": "2026-01-15T00:30", "km": 20}
    assert signed_in.send("post", "/days/trips", out)[0] == 200
    assert out_this_week(signed_in)[:2] == ["Wed 19:00–Thu 00:30", "Thu 08:00–Thu 17:00*"]

    # A journey of two days takes the place of both.
    journey = {"vehicle_id": wren["id"], "leave": "2026-01-15T06:00", "back": "2026-01-16T20:00", "km": 90}
    assert signed_in.send("post", "/days/trips", journey)[0] == 200
    assert out_this_week(signed_in) == ["Wed 19:00–Thu 00:30", "Thu 06:00–Fri 20:00", "Sat 08:00–Sat 17:00*"]
