"""The days ahead: trips, nights, shortages and the ways out of them."""

from datetime import UTC, datetime
from typing import Any

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext

from moonplan.household.models import Person
from tests.api.conftest import Browser

MONDAY = "2026-01-19T08:05:00+01:00"


def days(browser: Browser, nights: int = 7) -> dict[str, Any]:
    status, told = browser.get(f"/days?nights={nights}")
    assert status == 200
    return dict(told)


def car(told: dict[str, Any], name: str) -> dict[str, Any]:
    return next(one for one in told["cars"] if one["name"] == name)


def trip(told: dict[str, Any], name: str, leave: str) -> dict[str, Any]:
    at = datetime.fromisoformat(leave)
    return next(one for one in car(told, name)["trips"] if datetime.fromisoformat(one["leave"]) == at)


def test_the_coming_week_has_a_row_a_night_and_the_week_s_trips(signed_in: Browser):
    told = days(signed_in)

    heron = car(told, "Heron")
    assert [row["night"] for row in heron["nights"]] == [f"2026-01-{day}" for day in range(14, 21)]
    thursday = heron["nights"][0]
    # 230 km at 17.5 kWh per 100 km, and a full battery before it.
    assert thursday["need_kwh"] == pytest.approx(40.25)
    assert thursday["charged_to_pct"] == pytest.approx(100)
    # Nobody leaves on Sunday: nothing is needed in Saturday's night, and nothing need be plugged in.
    assert (heron["nights"][3]["need_kwh"], heron["nights"][3]["plugged_in"]) == (0, False)
    # What goes in over the week goes out on the road, or is aboard at its end.
    charged = sum(row["recovered_kwh"] for row in heron["nights"])
    driven = sum(row["need_kwh"] for row in heron["nights"])
    aboard = (heron["tide"][-1]["value"] - heron["tide"][0]["value"]) / 100 * 64
    assert charged - driven == pytest.approx(aboard, abs=0.02)


def test_fewer_than_one_night_or_more_than_a_fortnight_is_refused(signed_in: Browser):
    for nights in (0, 15):
        status, told = signed_in.get(f"/days?nights={nights}")
        assert (status, told["mistakes"][0]["field"]) == (422, "nights")


def test_more_nights_and_more_trips_ask_the_database_no_more_often(signed_in: Browser, django_assert_num_queries):
    with CaptureQueriesContext(connection) as asked:
        told = days(signed_in, nights=2)
        few = len(asked)
    wren = int(car(told, "Wren")["id"])
    for day in (25, 26, 27):
        body = {"vehicle_id": wren, "leave": f"2026-01-{day}T06:00", "back": f"2026-01-{day}T06:30", "km": 5}
        assert signed_in.send("post", "/days/trips", body)[0] == 200

    with django_assert_num_queries(few):
        days(signed_in, nights=14)


def test_a_trip_is_added_moved_and_taken_away_and_undo_takes_each_back(signed_in: Browser):
    before = days(signed_in)
    wren = car(before, "Wren")["id"]
    body = {"vehicle_id": int(wren), "leave": "2026-01-18T10:00", "back": "2026-01-18T12:00", "km": 30}
    status, told = signed_in.send("post", "/days/trips", body)
    assert status == 200
    added = trip(told, "Wren", "2026-01-18T10:00:00+01:00")
    assert added["trip_kwh"] == pytest.approx(30 * 0.141)

    path = f"/days/trips/{added['id']}?version={added['version']}"
    _, told = signed_in.send("patch", path, {"leave": "2026-01-18T11:00", "back": "2026-01-18T13:00"})
    moved = trip(told, "Wren", "2026-01-18T11:00:00+01:00")
    assert signed_in.send("patch", path, {"km": 5})[0] == 409

    _, told = signed_in.send("delete", f"/days/trips/{added['id']}?version={moved['version']}")
    assert len(car(told, "Wren")["trips"]) == len(car(before, "Wren")["trips"])
    for left in ("2026-01-18T11:00:00+01:00", "2026-01-18T10:00:00+01:00"):
        signed_in.send("post", "/undo")
        assert trip(days(signed_in), "Wren", left)["km"] == 30
    signed_in.send("post", "/undo")
    assert car(days(signed_in), "Wren")["trips"] == car(before, "Wren")["trips"]


def test_a_trip_that_overlaps_another_is_refused_and_nothing_is_kept(signed_in: Browser):
    before = days(signed_in)
    body = {"vehicle_id": int(car(before, "Wren")["id"]), "leave": MONDAY, "back": "2026-01-19T20:00:00+01:00", "km": 5}

    status, told = signed_in.send("post", "/days/trips", body)

    assert status == 422
    # By the household's clock, as it was typed.
    assert told["mistakes"][0]["expected"] == (
        "one trip after the other: 2026-01-19 08:05 to 2026-01-19 13:30 and 2026-01-19 08:05 to 2026-01-19 20:00 overlap"
    )
    assert car(days(signed_in), "Wren")["trips"] == car(before, "Wren")["trips"]


def test_a_trip_without_its_parts_is_refused_at_each(signed_in: Browser):
    status, told = signed_in.send("post", "/days/trips", {"summary": "lake"})

    assert status == 422
    assert {mistake["field"] for mistake in told["mistakes"]} == {"vehicle_id", "leave", "back", "km"}


@pytest.mark.parametrize(
    ("leave", "fields", "field", "expected"),
    [
        # A week's trip that would be over already, by a slip of the year, and one that has been over for days.
        (MONDAY, {"back": "2025-01-19T13:30:00+01:00"}, "back", "a time after leave"),
        (MONDAY, {"leave": "2026-01-09T08:00", "back": "2026-01-09T09:00", "km": 9000}, "km", "0 to 5000 km"),
        (MONDAY, {"leave": "2026-01-10T08:00", "back": "2026-01-12T10:00"}, "leave", "one trip after the other"),
        # Away when tonight's plan ends: what it is to leave with then is not what was typed.
        ("2026-01-15T08:05:00+01:00", {"fill_to_pct": 900}, "fill_to_pct", "0 to 100"),
    ],
)
def test_what_no_plan_asks_of_a_trip_is_checked_too(signed_in: Browser, leave: str, fields: dict, field: str, expected: str):
    before = days(signed_in)
    over = {"vehicle_id": int(car(before, "Wren")["id"]), "leave": "2026-01-12T09:00", "back": "2026-01-12T11:00", "km": 5}
    assert signed_in.send("post", "/days/trips", over)[0] == 200
    given = trip(before, "Wren", leave)

    status, told = signed_in.send("patch", f"/days/trips/{given['id']}?version={given['version']}", fields)

    assert (status, [mistake["field"] for mistake in told["mistakes"]]) == (422, [field])
    assert expected in told["mistakes"][0]["expected"]
    assert trip(days(signed_in), "Wren", leave) == given


def test_an_edit_for_too_many_nights_keeps_nothing(signed_in: Browser):
    before = days(signed_in)
    body = {"vehicle_id": int(car(before, "Wren")["id"]), "leave": "2026-01-18T10:00", "back": "2026-01-18T12:00", "km": 30}

    assert signed_in.send("post", "/days/trips?nights=99", body)[0] == 422

    assert car(days(signed_in), "Wren")["trips"] == car(before, "Wren")["trips"]


def test_a_trip_is_repeated_on_free_days_as_one_step_of_undo(signed_in: Browser):
    told = days(signed_in, 14)
    saturday = trip(told, "Heron", "2026-01-17T10:00:00+01:00")
    path = f"/days/trips/{saturday['id']}/copies?nights=14"

    status, told = signed_in.send("post", path, {"days": ["2026-01-18", "2026-02-01"]})
    assert status == 200
    sunday = trip(told, "Heron", "2026-01-18T10:00:00+01:00")
    assert sunday["km"] == saturday["km"]
    assert datetime.fromisoformat(sunday["back"]) == datetime.fromisoformat("2026-01-18T15:30:00+01:00")

    signed_in.send("post", "/undo")
    assert [t["id"] for t in car(days(signed_in, 14), "Heron")["trips"]].count(sunday["id"]) == 0

    # On Monday it would overlap the drive to work: neither copy is kept.
    status, _ = signed_in.send("post", path, {"days": ["2026-01-18", "2026-01-19"]})
    assert status == 422
    assert len(car(days(signed_in, 14), "Heron")["trips"]) == len(car(told, "Heron")["trips"]) - 1


def test_two_long_days_in_a_row_come_up_short_and_there_is_a_way_out(signed_in: Browser):
    told = days(signed_in, 14)
    thursday = "2026-01-22T07:00:00+01:00"
    short = trip(told, "Wren", thursday)
    # Full on Wednesday, 22 kWh, less 120 km × 0.141 = 5.08 aboard at 23:30. 7.5 h at 10 A × 230 V, cautiously
    # 0.90 × 2.3 − 0.40 = 1.67 kW, are 12.53 kWh: 17.61 of the 110 km × 0.141 + 20 % of 22 = 19.91 that Thursday wants.
    assert short["short_kwh"] == pytest.approx(19.91 - 17.605, abs=1e-3)
    assert short["binds"] == ["power"]

    wren = car(told, "Wren")["id"]
    query = f"vehicle={wren}&by={thursday.replace('+', '%2B')}&nights=14"
    _, found = signed_in.get(f"/ways_out?{query}")
    [way] = [one for one in found["ways"] if "on the way" in one["told"]]
    assert way["told"] == "charge 2.4 kWh on the way"
    assert way["closes"]

    _, told = signed_in.send("post", "/days/ways_out?nights=14", {"vehicle": int(wren), "by": thursday, "told": way["told"]})
    taken = trip(told, "Wren", thursday)
    assert (taken["short_kwh"], taken["gain_kwh"]) == (0, 2.4)
    assert told["totals"]["short_kwh"] == 0
    signed_in.send("post", "/undo")
    assert trip(days(signed_in, 14), "Wren", thursday)["short_kwh"] > 0


def test_another_car_is_offered_for_a_named_trip_and_not_for_a_usual_day(signed_in: Browser):
    thursday = "2026-01-22T07:00:00+01:00"

    def removed(name: str, leave: str) -> None:
        gone = trip(days(signed_in, 14), name, leave)
        assert signed_in.send("delete", f"/days/trips/{gone['id']}?version={gone['version']}")[0] == 200

    def typed(name: str, **fields: object) -> None:
        row = car(days(signed_in), name)
        assert signed_in.send("patch", f"/vehicles/{row['id']}?version={row['version']}", fields)[0] == 200

    def ways() -> set[str]:
        by, wren = thursday.replace("+", "%2B"), car(days(signed_in, 14), "Wren")["id"]
        _, found = signed_in.get(f"/ways_out?vehicle={wren}&by={by}&nights=14")
        return {way["told"] for way in found["ways"]}

    def driven(name: str) -> list[tuple[str, float]]:
        trips = car(days(signed_in, 14), name)["trips"]
        leaves = [(datetime.fromisoformat(one["leave"]).astimezone(UTC), one["km"]) for one in trips]
        return sorted((f"{leave:%H:%M}", km) for leave, km in leaves if f"{leave:%F}" == "2026-01-22")

    # Heron is at home by day on the Thursday on which Wren comes up short, and goes out in the evening; Wren drives no less
    # on such a day when it has no trip of its own.
    typed("Heron", usual_km={"thu": 30}, usual_leave="20:00", usual_back="21:00")
    removed("Heron", "2026-01-22T06:40:00+01:00")
    typed("Wren", usual_km={"thu": 110})
    [(_, km)] = driven("Wren")
    assert "take Heron for that trip" in ways()
    taken = {"vehicle": int(car(days(signed_in), "Wren")["id"]), "by": thursday, "told": "take Heron for that trip"}
    assert signed_in.send("post", "/days/ways_out?nights=14", taken)[0] == 200
    assert (driven("Heron"), driven("Wren")) == ([("06:00", km), ("19:00", 30)], [])
    signed_in.send("post", "/undo")
    assert (driven("Heron"), driven("Wren")) == ([("19:00", 30)], [("06:00", km)])

    # As a usual day it would still count for Wren, whoever else drives as far.
    typed("Wren", usual_km={"thu": 110}, usual_leave="07:00", usual_back="19:00")
    removed("Wren", thursday)
    assert trip(days(signed_in, 14), "Wren", thursday)["id"] is None
    assert ways() == {"charge 2.4 kWh on the way"}


def test_what_was_offered_can_be_taken_though_a_better_plan_was_found_meanwhile(
    signed_in: Browser, monkeypatch: pytest.MonkeyPatch
):
    thursday = "2026-01-22T07:00:00+01:00"
    wren = car(days(signed_in, 14), "Wren")["id"]
    query = f"vehicle={wren}&by={thursday.replace('+', '%2B')}&nights=14"
    _, found = signed_in.get(f"/ways_out?{query}")
    monkeypatch.setattr("moonplan.planning.ways_out.remedies", lambda *_, **__: [])

    taken = {"vehicle": int(wren), "by": thursday, "told": found["ways"][0]["told"]}
    status, told = signed_in.send("post", "/days/ways_out?nights=14", taken)

    assert status == 200
    assert trip(told, "Wren", thursday)["short_kwh"] == 0
    signed_in.send("post", "/undo")


def test_a_way_out_that_is_none_any_more_is_refused(signed_in: Browser):
    wren = car(days(signed_in), "Wren")["id"]

    status, told = signed_in.send("post", "/days/ways_out", {"vehicle": int(wren), "by": MONDAY, "told": "a miracle"})

    assert (status, told["mistakes"][0]["field"]) == (422, "told")


def test_a_night_away_is_planned_around(signed_in: Browser):
    told = days(signed_in)
    wren = car(told, "Wren")
    charging = next(row for row in wren["nights"] if row["plugged_in"])
    path = f"/days/nights/{wren['id']}/{charging['night']}?version={charging['evening_version']}"

    status, told = signed_in.send("patch", path, {"plugged_in": False})

    assert status == 200
    row = next(row for row in car(told, "Wren")["nights"] if row["night"] == charging["night"])
    assert (row["kept_unplugged"], row["plugged_in"]) == (True, False)
    assert signed_in.send("patch", path.replace("version=0", "version=7"), {"plugged_in": True})[0] == 409


def test_two_people_editing_the_same_trip_lose_nothing(signed_in: Browser, other_person: Person):
    monday = trip(days(signed_in), "Wren", MONDAY)
    path = f"/days/trips/{monday['id']}?version={monday['version']}"
    assert Browser(other_person).send("patch", path, {"km": 44})[0] == 200

    status, told = signed_in.send("patch", path, {"km": 55})

    assert (status, told["by"], told["current"]["km"]) == (409, "robin", 44)
    assert trip(days(signed_in), "Wren", MONDAY)["km"] == 44


def test_a_stranger_reaches_no_trip_night_or_way_out(signed_in: Browser, stranger: Browser):
    told = days(signed_in, 14)
    monday = trip(told, "Wren", MONDAY)
    wren = car(told, "Wren")["id"]

    assert stranger.send("patch", f"/days/trips/{monday['id']}?version=1", {"km": 1})[0] == 404
    assert stranger.send("delete", f"/days/trips/{monday['id']}?version=1")[0] == 404
    assert stranger.send("post", f"/days/trips/{monday['id']}/copies", {"days": ["2026-01-25"]})[0] == 404
    assert stranger.send("patch", f"/days/nights/{wren}/2026-01-15?version=0", {"plugged_in": False})[0] == 404
    body = {"vehicle_id": int(wren), "leave": "2026-01-18T10:00", "back": "2026-01-18T12:00", "km": 30}
    assert stranger.send("post", "/days/trips", body)[0] == 422


def test_usual_days_stand_in_where_no_trip_is_named(signed_in: Browser):
    told = days(signed_in)
    monday = trip(told, "Wren", MONDAY)

    _, told = signed_in.send("delete", f"/days/trips/{monday['id']}?version={monday['version']}")

    [usual] = [t for t in car(told, "Wren")["trips"] if t["id"] is None]
    assert datetime.fromisoformat(usual["leave"]) == datetime.fromisoformat("2026-01-19T08:00:00+01:00")
    # On the Mondays of three weeks the odometer moved by 26, 18 and 22 km; four fifths of the way up lie 24.4.
    assert usual["km"] == pytest.approx(24.4)


def test_the_habits_are_compared_on_as_many_nights(signed_in: Browser):
    _, told = signed_in.get("/habits?nights=2")

    nightly = next(one for one in told["habits"] if one["habit"] == "nightly")
    assert nightly["nights"] == ["2026-01-14", "2026-01-15"]


def test_a_trip_that_is_under_way_can_still_be_changed(signed_in: Browser, monkeypatch: pytest.MonkeyPatch):
    monkeypatch.setenv("MOONPLAN_NOW", "2026-01-15T10:10:00+01:00")
    told = days(signed_in)
    out = trip(told, "Wren", "2026-01-15T08:05:00+01:00")

    # In the first row, which is what is left of the night that it left in.
    assert out["night"] == car(told, "Wren")["nights"][0]["night"] == "2026-01-14"
    path = f"/days/trips/{out['id']}?version={out['version']}"
    assert signed_in.send("patch", path, {"back": "2026-01-15T21:00"})[0] == 200
    monkeypatch.setenv("MOONPLAN_NOW", "2026-01-15T18:10:00+01:00")
    later = trip(days(signed_in), "Wren", "2026-01-15T08:05:00+01:00")
    assert datetime.fromisoformat(later["back"]) == datetime.fromisoformat("2026-01-15T21:00:00+01:00")
    assert later["night"] == "2026-01-15"


def test_a_usual_day_that_is_under_way_is_told_and_can_be_named(signed_in: Browser, monkeypatch: pytest.MonkeyPatch):
    # On Mondays Wren usually leaves at 08:00 and is back at 17:00; this one's trip is taken away.
    monday = trip(days(signed_in), "Wren", MONDAY)
    signed_in.send("delete", f"/days/trips/{monday['id']}?version={monday['version']}")
    monkeypatch.setenv("MOONPLAN_NOW", "2026-01-19T10:10:00+01:00")
    out = trip(days(signed_in), "Wren", "2026-01-19T08:00:00+01:00")
    assert (out["id"], out["night"]) == (None, "2026-01-18")

    body = {"vehicle_id": int(car(days(signed_in), "Wren")["id"]), "km": 40, "back": "2026-01-19T14:00"}
    status, told = signed_in.send("post", "/days/trips", {**body, "leave": "2026-01-19T08:00"})
    assert status == 200
    [named] = [one for one in car(told, "Wren")["trips"] if one["leave"] < "2026-01-19T12"]
    assert (named["id"] is not None, named["km"]) == (True, 40)
