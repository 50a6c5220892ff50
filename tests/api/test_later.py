"""What the screens say later in the night and on the days after, when nobody has read a car since."""

from datetime import datetime, timedelta
from typing import Any

import icalendar
import pytest
from django.test import Client

from moonplan.household.models import Person
from moonplan.planning.models import ShownPlan
from moonplan.planning.shown import keep
from tests.api.conftest import NOW, Browser, car_of, versions

# Wren, 22 kWh, is at 57 % and to leave at 90 %. At 10 A, 2.3 kW at the wall, 0.94 × 2.3 − 0.25 = 1.912 kW reach its battery,
# and carefully reckoned 0.90 × 2.3 − 0.40 = 1.67 kW. It charges from 22:00 to 01:47, or to 02:21 if it is slow.
USABLE_KWH, CAREFUL_KW = 22.0, 1.67


_WREN_AND_POST = (("vehicles", "Wren"), ("leads", "post unit"))


class Clock:
    """Lets time pass, with nobody at a screen."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self._monkeypatch = monkeypatch

    def set(self, day_and_clock: str) -> None:
        self._monkeypatch.setenv("MOONPLAN_NOW", f"2026-01-{day_and_clock}:00+01:00")


@pytest.fixture
def clock(monkeypatch: pytest.MonkeyPatch) -> Clock:
    return Clock(monkeypatch)


def tonight(browser: Browser, name: str) -> dict[str, Any]:
    status, told = browser.get("/tonight")
    assert status == 200
    return car_of(told, name)


def typed(browser: Browser, name: str, **fields: object) -> dict[str, Any]:
    car = tonight(browser, name)
    status, told = browser.send("patch", f"/tonight/{car['id']}", {**fields, "versions": versions(car)})
    assert status == 200
    return car_of(told, name)


def fed_until_noon(browser: Browser) -> set[str]:
    """What the calendar feed tells of the first night, by its first words."""
    feed = icalendar.Calendar.from_ical(Client().get(browser.get("/calendar")[1]["path"]).content)
    noon = datetime.fromisoformat("2026-01-15T12:00:00+01:00")
    return {str(event["SUMMARY"])[:13] for event in feed.walk("VEVENT") if event["DTEND"].dt < noon}


def test_a_night_that_ends_without_what_comes_next_says_so(signed_in: Browser, clock: Clock):
    # Nobody leaves on Sunday, and Wren is to end with 90 %: 85 % of 22 kWh are missing while it is not plugged in.
    clock.set("17T19:00")
    wren = typed(signed_in, "Wren", soc_pct=5, plugged_in=False)

    end = wren["short_end"]
    assert (wren["departure"], end["by"]) == (None, "2026-01-18T12:00:00+01:00")
    assert (end["required_pct"], end["planned_pct"], end["binds"]) == (90, 5, ["hours"])
    assert end["short_kwh"] == pytest.approx(0.85 * USABLE_KWH)

    by = end["by"].replace("+", "%2B")
    _, found = signed_in.get(f"/ways_out?vehicle={wren['id']}&by={by}")
    assert [(way["told"], way["closes"]) for way in found["ways"]] == [("plug it in on Saturday night", True)]
    taken = {"vehicle": int(wren["id"]), "by": end["by"], "told": "plug it in on Saturday night"}
    status, told = signed_in.send("post", "/tonight/ways_out", taken)
    assert (status, car_of(told, "Wren")["short_end"]) == (200, None)
    assert tonight(signed_in, "Wren")["inputs"]["plugged_in"]


def test_what_a_car_lacks_in_a_week_is_no_matter_of_tonight(signed_in: Browser, person: Person, clock: Clock):
    clock.set("17T19:00")
    wren = tonight(signed_in, "Wren")
    # Back an hour before the week is over, with what 110 km leave of 22 kWh.
    trip = {"vehicle_id": int(wren["id"]), "leave": "2026-01-23T18:00", "back": "2026-01-24T11:00", "km": 110}
    signed_in.send("post", "/days/trips", trip)
    signed_in.send("patch", f"/household?version={person.household.version}", {"horizon_nights": 7})

    _, days = signed_in.get("/days?nights=7")
    assert car_of(days, "Wren")["end"]["short_kwh"] > 5
    assert tonight(signed_in, "Wren")["short_end"] is None


def test_a_car_that_was_to_charge_meanwhile_goes_on_charging(signed_in: Browser, clock: Clock):
    before = tonight(signed_in, "Wren")
    clock.set("14T23:10")

    wren = tonight(signed_in, "Wren")

    # The plan that is made now begins at 23:15.
    aboard_kwh = 0.57 * USABLE_KWH + 1.25 * CAREFUL_KW
    assert wren["inputs"]["soc_pct"] == pytest.approx(aboard_kwh / USABLE_KWH * 100, abs=0.05)
    assert wren["inputs"]["soc_reckoned"]
    assert wren["inputs"]["soc_read"] == before["inputs"]["soc_read"]
    assert wren["inputs"]["soc_read"]["pct"] == 57
    assert wren["action"] == "go_on"
    assert [row["what"] for row in wren["to_key_in"]] == ["current", "charge limit", "you should see"]
    assert wren["departure"]["short_kwh"] == 0
    assert wren["pinnable"][0]["end"] == before["pinnable"][0]["end"] == "02:30"
    # Heron has not begun, and nothing has changed.
    heron = tonight(signed_in, "Heron")
    assert (heron["action"], heron["inputs"]["soc_pct"], heron["inputs"]["soc_reckoned"]) == ("plug_in", 41, False)

    clock.set("15T03:10")
    [on] = [row["value"] for row in tonight(signed_in, "Heron")["to_key_in"] if row["what"] == "on"]
    assert on == f"until {heron['pinnable'][0]['end']}"


def test_however_often_somebody_looks_a_session_comes_to_the_same(signed_in: Browser, clock: Clock):
    tonight(signed_in, "Wren")
    for minutes in range(0, 8 * 60, 25):
        at = datetime.fromisoformat(NOW) + timedelta(hours=3, minutes=minutes)
        clock.set(f"{at:%dT%H:%M}")
        wren = tonight(signed_in, "Wren")
        assert wren["departure"]["short_kwh"] == 0
        ends = [pinnable["end"] for pinnable in wren["pinnable"]]
        assert ends == (["02:30"] if at < datetime.fromisoformat("2026-01-15T02:15:00+01:00") else [])

    assert wren["inputs"]["soc_pct"] == 90
    assert not tonight(signed_in, "Heron")["departure"]["short_kwh"]


def test_the_next_evening_starts_with_what_the_trips_have_left(signed_in: Browser, clock: Clock):
    tonight(signed_in, "Wren")
    clock.set("15T18:10")

    # Charged to 100 % and to 90 %, then 230 km at 17.5 kWh of 64 and 22 km at 14.1 kWh of 22 kWh per 100 km.
    heron, wren = tonight(signed_in, "Heron"), tonight(signed_in, "Wren")

    assert heron["inputs"]["soc_pct"] == pytest.approx(100 - 230 * 17.5 / 64, abs=0.05)
    assert wren["inputs"]["soc_pct"] == pytest.approx(90 - 22 * 14.1 / 22, abs=0.05)


def test_trips_that_are_entered_elsewhere_after_the_plan_was_shown_count_too(signed_in: Browser, clock: Clock):
    wren = tonight(signed_in, "Wren")["id"]
    _, days = signed_in.get("/days?nights=1")
    trip = car_of(days, "Wren")["trips"][0]
    path = f"/days/trips/{trip['id']}?version={trip['version']}&nights=1"
    assert signed_in.send("patch", path, {"km": 60})[0] == 200
    # One more in the afternoon, when the plan that was shown was over.
    more = {"vehicle_id": int(wren), "leave": "2026-01-15T14:00", "back": "2026-01-15T15:00", "km": 10}
    assert signed_in.send("post", "/days/trips?nights=1", more)[0] == 200
    clock.set("15T16:00")

    assert tonight(signed_in, "Wren")["inputs"]["soc_pct"] == pytest.approx(90 - (60 + 10) * 14.1 / 22, abs=0.05)


def test_what_somebody_reads_counts_from_then_on(signed_in: Browser, clock: Clock):
    tonight(signed_in, "Wren")
    clock.set("14T23:10")

    read = typed(signed_in, "Wren", soc_pct=60)

    assert (read["inputs"]["soc_pct"], read["inputs"]["soc_reckoned"], read["action"]) == (60, False, "go_on")
    clock.set("15T00:10")
    later = tonight(signed_in, "Wren")
    assert later["inputs"]["soc_read"]["pct"] == 60
    assert later["inputs"]["soc_pct"] == pytest.approx(60 + CAREFUL_KW / USABLE_KWH * 100, abs=0.05)


def test_a_reading_that_is_the_same_again_leaves_the_plan_and_is_what_is_reckoned_from(signed_in: Browser, clock: Clock):
    tonight(signed_in, "Wren")
    assert typed(signed_in, "Wren", soc_pct=57)["inputs"]["soc_read"]["at"] == "2026-01-14T17:10:00Z"
    clock.set("15T03:10")

    inputs = tonight(signed_in, "Wren")["inputs"]

    assert inputs["soc_read"] == {"at": "2026-01-14T17:10:00Z", "pct": 57}
    assert (inputs["soc_pct"], inputs["soc_reckoned"]) == (90, True)


def test_a_reading_that_is_taken_back_later_is_as_if_it_had_never_been(signed_in: Browser, clock: Clock):
    untouched = tonight(signed_in, "Wren")
    typed(signed_in, "Wren", soc_pct=85)
    clock.set("14T23:10")
    assert tonight(signed_in, "Wren")["inputs"]["soc_read"]["pct"] == 85

    signed_in.send("post", "/undo")

    wren = tonight(signed_in, "Wren")
    assert wren["inputs"]["soc_read"] == untouched["inputs"]["soc_read"]
    aboard_kwh = 0.57 * USABLE_KWH + 1.25 * CAREFUL_KW
    assert wren["inputs"]["soc_pct"] == pytest.approx(aboard_kwh / USABLE_KWH * 100, abs=0.05)


def test_the_days_ahead_start_from_the_same(signed_in: Browser, clock: Clock):
    tonight(signed_in, "Wren")
    clock.set("15T03:10")

    _, days = signed_in.get("/days?nights=3")

    assert car_of(days, "Wren")["tide"][0]["value"] == 90


def test_nobody_is_reminded_to_plug_in_a_car_that_charges(signed_in: Browser, clock: Clock):
    tonight(signed_in, "Wren")
    assert {"Plug Heron in", "Heron charges"} <= fed_until_noon(signed_in)
    clock.set("15T02:10")
    assert "Heron charges" in fed_until_noon(signed_in)
    assert "Plug Heron in" not in fed_until_noon(signed_in)


def test_a_car_that_nobody_has_read_is_not_reckoned_on(signed_in: Browser, person: Person, clock: Clock):
    person.household.vehicles.get(name="Wren").soc_readings.all().delete()
    tonight(signed_in, "Wren")
    clock.set("14T23:10")

    inputs = tonight(signed_in, "Wren")["inputs"]

    assert (inputs["soc_pct"], inputs["soc_read"], inputs["soc_reckoned"]) == (50, None, False)


def test_a_car_that_was_drawn_since_stands_as_it_was_read(signed_in: Browser, person: Person, clock: Clock):
    tonight(signed_in, "Wren")
    wren = person.household.vehicles.get(name="Wren")
    shown = ShownPlan.objects.get(household=person.household)
    shown.stands_on.pop(str(wren.pk))
    shown.save()
    clock.set("14T23:10")

    assert tonight(signed_in, "Wren")["inputs"]["soc_pct"] == 57


def test_after_a_month_without_a_look_nothing_is_reckoned(signed_in: Browser, monkeypatch: pytest.MonkeyPatch):
    tonight(signed_in, "Wren")
    monkeypatch.setenv("MOONPLAN_NOW", "2026-03-20T18:10:00+01:00")

    assert tonight(signed_in, "Wren")["inputs"]["soc_pct"] == 57


def test_a_car_that_has_charged_hangs_on_its_lead_until_it_leaves(signed_in: Browser, clock: Clock):
    tonight(signed_in, "Wren")
    clock.set("15T03:10")
    wren = tonight(signed_in, "Wren")

    assert (wren["action"], wren["why"]) == ("has_charged", "90 % is aboard, which is its limit")
    # Whatever somebody reads then.
    assert typed(signed_in, "Wren", soc_pct=93)["action"] == "has_charged"

    clock.set("15T18:10")
    assert tonight(signed_in, "Wren")["action"] != "has_charged"


@pytest.mark.parametrize(("at", "action"), [("14T23:10", "plug_in"), ("15T03:10", "leave_unplugged")])
def test_a_car_that_is_to_hang_on_another_lead_hangs_on_neither_yet(signed_in: Browser, clock: Clock, at: str, action: str):
    tonight(signed_in, "Wren")
    clock.set(at)
    before = tonight(signed_in, "Wren")
    whole = signed_in.get("/household")[1]
    row, post = (next(one for one in whole[kind] if one["name"] == name) for kind, name in _WREN_AND_POST)

    signed_in.send("patch", f"/vehicles/{row['id']}?version={row['version']}", {"lead_id": post["id"]})

    wren = tonight(signed_in, "Wren")
    assert (wren["action"], wren["place"], wren["plug_in_by"]) == (action, "gate post", None)
    # What it has got by then it has.
    assert wren["inputs"]["soc_pct"] == before["inputs"]["soc_pct"] > 60


def test_between_two_sessions_of_a_night_a_car_is_kept_plugged_in(signed_in: Browser, clock: Clock):
    pins = [{"start": start, "end": end, "amps": 10} for start, end in (("19:00", "20:00"), ("23:00", "23:30"))]
    assert typed(signed_in, "Heron", pins=pins)["action"] == "plug_in"
    clock.set("14T21:10")

    heron = tonight(signed_in, "Heron")

    assert heron["action"] == "keep_plugged_in"
    assert "Heron charges" in fed_until_noon(signed_in)
    assert "Plug Heron in" not in fed_until_noon(signed_in)
    assert heron["sessions"][0]["start"] == "2026-01-14T23:00:00+01:00"


def test_a_page_that_stays_open_keeps_one_plan_while_that_goes_on(signed_in: Browser, clock: Clock):
    tonight(signed_in, "Wren")
    for look in ("14T18:40", "14T23:10", "15T01:10", "15T03:10"):
        clock.set(look)
        tonight(signed_in, "Wren")

    assert [plan.document["now"] for plan in ShownPlan.objects.all()] == [NOW]
    typed(signed_in, "Wren", limit_pct=95)
    assert ShownPlan.objects.count() == 2


def test_a_night_without_an_edit_is_the_one_that_goes_on(signed_in: Browser, clock: Clock):
    at_once = tonight(signed_in, "Heron")
    # As good a plan, a little slower in its first quarter of an hour than the one that comes at once.
    shown = ShownPlan.objects.get()
    told = next(one for one in shown.plan["vehicles"] if one["id"] == at_once["id"])
    told["setpoints"][0][1] -= 1
    shown.save()
    clock.set("14T21:10")

    heron = tonight(signed_in, "Heron")

    assert at_once["sessions"][0]["end"] < heron["sessions"][0]["end"]
    _, night = signed_in.send("post", f"/tonight/{heron['id']}/night", {"versions": versions(heron)})
    assert night == {key: heron[key] for key in night}


@pytest.mark.parametrize(
    ("start", "setpoints", "kept"),
    [
        ("2026-01-20T18:15:00+01:00", [], 1),
        ("2026-01-20T18:15:00+01:00", [["2026-01-20T22:00:00+01:00", 10.0]], 2),
        # A month later, SoC could not be reckoned from the first one any more.
        ("2026-01-21T18:15:00+01:00", [], 2),
    ],
)
def test_another_plan_is_kept_once_something_else_is_offered_or_after_a_week(
    person: Person, start: str, setpoints: list[Any], kept: int
):
    for at, offered in (("2026-01-14T18:15:00+01:00", []), (start, setpoints)):
        keep(person.household, {"now": at}, {"start": at, "vehicles": [{"id": "1", "setpoints": offered, "now": at}]}, {})

    assert ShownPlan.objects.count() == kept
