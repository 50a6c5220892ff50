"""The log: nights beside the plan of their evening, sessions written down, corrected and brought in, and the month."""

from datetime import UTC, datetime
from io import BytesIO
from typing import Any

import pytest
from openpyxl import load_workbook

from moonplan.household.models import Person, Trip, Vehicle
from moonplan.logbook.models import LoggedSession, SocReading
from moonplan.planning.documents import planning_now
from moonplan.planning.frozen import planned_nights
from moonplan.planning.log import log
from moonplan.planning.models import ShownPlan
from tests.api.conftest import Browser, car_of, versions

EVENING, MORNING = "2026-01-14T18:10:00+01:00", "2026-01-15T07:00:00+01:00"
NIGHT = "2026-01-14"
WROTE = {"start": "2026-01-14T22:00", "end": "2026-01-15T01:50", "wall_kwh": 8.7, "soc_from_pct": 57, "soc_to_pct": 90}


@pytest.fixture
def in_the_morning(signed_in: Browser, monkeypatch: pytest.MonkeyPatch) -> Browser:
    """Somebody who looked at Tonight in the evening, and now at the log."""
    assert signed_in.get("/tonight")[0] == 200
    monkeypatch.setenv("MOONPLAN_NOW", MORNING)
    return signed_in


def car(told: dict[str, Any], name: str = "Wren", night: str = NIGHT) -> dict[str, Any]:
    [found] = [one for each in told["nights"] if each["night"] == night for one in each["cars"] if one["name"] == name]
    return found


def wren(browser: Browser) -> int:
    return int(car(browser.get("/log")[1])["id"])


def write(browser: Browser, **other: Any) -> tuple[int, Any]:
    status, told = browser.send("post", f"/log/cars/{wren(browser)}/sessions", WROTE | other)
    return status, told


def drove(person: Person) -> None:
    """Wren was out for 58 km on that Wednesday, and home at 17:00."""
    vehicle, back = Vehicle.objects.get(name="Wren"), datetime.fromisoformat("2026-01-14T17:00:00+01:00")
    Trip.objects.filter(vehicle=vehicle, leave__lt=back).delete()
    Trip.objects.create(household=person.household, vehicle=vehicle, leave=back.replace(hour=8), back=back, km=58)


def test_in_the_morning_the_plan_of_the_evening_stands_there(in_the_morning: Browser):
    _, told = in_the_morning.get("/log")

    [planned] = car(told)["planned"]
    # As Tonight had it: 8.7 kWh at ten amperes, from ten in the evening on.
    assert (planned["start"], planned["amps"]) == ("2026-01-14T22:00:00+01:00", 10)
    assert round(planned["wall_kwh"], 1) == 8.7
    assert car(told)["told"] == "Nothing is written down yet."
    assert in_the_morning.get("/log/unwritten")[1] == {"night": NIGHT, "cars": ["Heron", "Wren"]}
    # Of nights before that nothing is known, and none is asked for.
    assert [night["night"] for night in told["nights"]] == [NIGHT]
    assert (told["is_first"], told["is_last"], told["months"]) == (True, True, [])


def test_what_is_written_down_is_reckoned_and_stands_beside_the_plan(in_the_morning: Browser):
    status, told = write(in_the_morning)

    assert status == 200
    [session] = car(told)["sessions"]
    # 33 % of 22 kWh, and 8.7 kWh at the night price of 0.08912.
    assert (session["battery_kwh"], session["derived"]) == (7.26, ["battery_kwh"])
    assert session["cost"] == pytest.approx(8.7 * 0.08912, abs=1e-4)
    assert session["bought"] == [{"band": "night", "kwh": 8.7, "cost": session["cost"]}]
    assert (car(told)["told"], told["undo"]) == ("As planned.", "Wren: session written down")
    assert in_the_morning.get("/log/unwritten")[1]["cars"] == ["Heron"]


def test_the_soc_at_its_end_is_what_is_aboard_and_goes_with_an_undo(in_the_morning: Browser, person: Person):
    write(in_the_morning, soc_to_pct=84)

    last = SocReading.objects.filter(vehicle__name="Wren").last()
    assert last is not None
    assert (last.soc_pct, last.at) == (84, datetime(2026, 1, 15, 0, 50, tzinfo=UTC))

    in_the_morning.send("post", "/undo")

    assert not LoggedSession.objects.exists()
    assert not SocReading.objects.filter(vehicle__name="Wren", soc_pct=84).exists()


def test_a_reading_since_counts_for_more(in_the_morning: Browser, person: Person):
    vehicle = Vehicle.objects.get(name="Wren")
    at = datetime.fromisoformat("2026-01-15T06:30:00+01:00")
    SocReading.objects.create(household=person.household, vehicle=vehicle, at=at, soc_pct=88)

    write(in_the_morning)

    assert car_of(in_the_morning.get("/tonight")[1], "Wren")["inputs"]["soc_pct"] == 88


def test_a_whole_night_is_told_with_one_press(in_the_morning: Browser):
    path = f"/log/cars/{wren(in_the_morning)}/nights"
    _, told = in_the_morning.send("post", path, {"night": NIGHT, "charged": True})

    [session] = car(told)["sessions"]
    assert (session["as_planned"], car(told)["told"]) == (True, "As planned.")
    assert session["wall_kwh"] == pytest.approx(car(told)["planned"][0]["wall_kwh"], abs=1e-3)
    # Said twice is said at a time at which it has a session already.
    status, problem = in_the_morning.send("post", path, {"night": NIGHT, "charged": False})
    assert (status, problem["mistakes"][0]["field"]) == (422, "start")

    in_the_morning.send("post", "/undo")
    _, told = in_the_morning.send("post", path, {"night": NIGHT, "charged": False})

    assert car(told)["told"] == "It did not charge: 8.7 kWh less than planned."


def test_a_night_that_nothing_was_planned_for_cannot_be_as_planned(in_the_morning: Browser):
    status, problem = in_the_morning.send(
        "post", f"/log/cars/{wren(in_the_morning)}/nights", {"night": "2026-01-10", "charged": True}
    )

    assert (status, problem["mistakes"][0]["expected"]) == (422, "a night that Wren was to charge in")


@pytest.mark.parametrize(
    ("given", "field", "expected"),
    [
        ({"end": "2026-01-15T08:00"}, "end", "a time that has passed"),
        ({"end": "2026-01-14T21:00"}, "end", "a time after start"),
        ({"soc_to_pct": 140}, "soc_to_pct", "0 to 100"),
        ({"wall_kwh": None, "soc_to_pct": None}, "wall_kwh", "what the meter counted, or the SoC before and after"),
        ({"start": "2026-01-14T23:00"}, "start", "a time at which Wren has no other session (22:00 to 01:50)"),
    ],
)
def test_what_cannot_have_been_is_refused_at_its_field(
    in_the_morning: Browser, given: dict[str, Any], field: str, expected: str
):
    if field == "start":
        write(in_the_morning)

    status, problem = write(in_the_morning, **given)

    assert status == 422
    assert [(one["field"], one["expected"]) for one in problem["mistakes"]] == [(field, expected)]
    assert LoggedSession.objects.count() == (1 if field == "start" else 0)


def test_a_session_is_corrected_by_who_saw_it_last_and_taken_out(in_the_morning: Browser):
    session = car(write(in_the_morning)[1])["sessions"][0]
    path = f"/log/sessions/{session['id']}"

    _, told = in_the_morning.send(
        "patch", f"{path}?version=1", {"end": "2026-01-15T00:30", "wall_kwh": 5.7, "soc_to_pct": 78}
    )

    assert car(told)["told"] == "3.0 kWh less than planned: it ended at 00:30 instead of 01:48."
    status, problem = in_the_morning.send("patch", f"{path}?version=1", {"wall_kwh": 6})
    assert (status, problem["current"]["wall_kwh"]) == (409, 5.7)
    _, told = in_the_morning.send("delete", f"{path}?version=2")
    assert car(told)["sessions"] == []


def test_a_session_is_kept_as_a_reading_once(in_the_morning: Browser):
    session = car(write(in_the_morning)[1])["sessions"][0]
    assert session["reading"]["kept"] is False
    reading = {"kind": "meter", "start": session["start"], "end": session["end"], **session["read"]}

    status, _ = in_the_morning.send(
        "post", f"/hookups/{wren(in_the_morning)}/{session['reading']['lead']}/readings", reading
    )

    assert status == 200
    assert car(in_the_morning.get("/log")[1])["sessions"][0]["reading"]["kept"] is True


def test_sessions_go_out_and_come_back(in_the_morning: Browser):
    write(in_the_morning)
    text = in_the_morning.client.get("/api/log/sessions.csv").content.decode()
    assert text.splitlines() == [
        "vehicle,start,end,wall_kwh,soc_from_pct,soc_to_pct",
        "Wren,2026-01-14T22:00:00+01:00,2026-01-15T01:50:00+01:00,8.7,57.0,90.0",
    ]
    more = "\n".join(
        [
            "wren,2026-01-13T22:00:00+01:00,2026-01-13T23:00:00+01:00,2.3,,",
            "wren,2026-01-13T22:30:00+01:00,2026-01-13T23:30:00+01:00,2.3,,",
            "Kite,2026-01-13T22:00:00+01:00,2026-01-13T23:00:00+01:00,2.3,,",
            "Wren,2026-01-13T22:00,2026-01-13T23:00:00+01:00,2.3,,",
        ]
    )

    _, seen = in_the_morning.bring("/log/table", f"{text}{more}\n")
    _, kept = in_the_morning.bring("/log/table", f"{text}{more}\n", keep=True)

    assert (seen["new"], seen["again"], [row["line"] for row in seen["refused"]]) == (1, 1, [4, 5, 6])
    assert "one of Heron, Wren" in seen["refused"][1]["reason"]
    assert (kept["kept"], LoggedSession.objects.count()) == (True, 2)
    in_the_morning.send("post", "/undo")
    assert LoggedSession.objects.count() == 1


def test_a_month_says_what_charging_at_once_had_cost(in_the_morning: Browser, person: Person):
    # Home at 17:00, at 10 A and 230 V the 8.7 kWh take until 20:47: three hours of the evening peak, and the rest after it.
    drove(person)
    write(in_the_morning)

    status, told = in_the_morning.get("/log/statements/2026/1")

    assert (status, told["sessions"], told["wall_kwh"]) == (200, 1, 8.7)
    assert told["at_once"] == pytest.approx(6.9 * 0.29871 + 1.8 * 0.21437, abs=1e-3)
    assert told["cost"] == pytest.approx(8.7 * 0.08912, abs=1e-4)
    assert [one["band"] for one in told["bought"]] == ["night"]
    # Fifteen days at 0.31, and fifteen thirty-firsts of 14 kW at 1.42.
    assert told["fixed"] == pytest.approx(15 * 0.31 + 15 / 31 * 14 * 1.42, abs=1e-3)
    assert told["first"] == told["last"] == NIGHT
    assert (told["km"], told["per_100km"]) == pytest.approx((58, 8.7 * 0.08912 / 58 * 100), abs=1e-3)
    lines = in_the_morning.client.get("/api/log/statements/2026/1.csv").content.decode().splitlines()
    assert lines[1].startswith("2026-01-14,Wren,2026-01-14T22:00:00+01:00,2026-01-15T01:50:00+01:00,8.7,7.26,57.0,90.0,0.0,")


def test_a_month_says_what_fuel_had_cost_and_goes_into_a_workbook(in_the_morning: Browser, person: Person):
    drove(person)
    Vehicle.objects.filter(name="Wren").update(name="=Wren")
    _, told = in_the_morning.get("/log")
    in_the_morning.send("post", f"/log/cars/{car(told, '=Wren')['id']}/sessions", WROTE)
    _, before = in_the_morning.get("/log/statements/2026/1")
    version = before["household_version"]

    status, problem = in_the_morning.send(
        "patch", f"/household?version={version}", {"fuel_per_100km": 640, "fuel_price": 1.62}
    )
    assert (status, problem["mistakes"][0]["field"]) == (422, "fuel_per_100km")
    in_the_morning.send("patch", f"/household?version={version}", {"fuel_per_100km": 6, "fuel_price": 1.5})

    _, told = in_the_morning.get("/log/statements/2026/1")
    assert told["on_fuel"] == pytest.approx(58 / 100 * 6 * 1.5)
    book = load_workbook(BytesIO(in_the_morning.client.get("/api/log/statements/2026/1.xlsx").content))
    sums = {row[0]: row[1:] for row in book["Month"].iter_rows(values_only=True)}
    assert sums["night"] == sums["together"] == (8.7, told["cost"])
    assert sums["the same distance on fuel"] == (None, told["on_fuel"])
    heading, line = book["Sessions"].iter_rows()
    assert dict(zip((cell.value for cell in heading), (cell.value for cell in line), strict=True))["wall_kwh"] == 8.7
    assert (line[1].value, line[1].data_type) == ("=Wren", "s")


def test_old_sessions_keep_the_old_prices(in_the_morning: Browser, person: Person):
    write(in_the_morning)
    tariff = person.household.tariffs.get(rival=False)
    dearer = {"name": "Dearer", "since": "2026-01-15", "default_price": 0.9, "rival": False}

    status, _ = in_the_morning.send("post", "/tariffs/", dearer)

    assert status == 200
    assert tariff.since is None
    [session] = car(in_the_morning.get("/log")[1])["sessions"]
    # Two hours of it before midnight at the night price, the rest at the new tariff's.
    assert session["cost"] == pytest.approx(8.7 * (120 * 0.08912 + 110 * 0.9) / 230, abs=1e-3)


def test_a_plan_freezes_when_its_first_session_begins_or_at_bedtime(
    signed_in: Browser, person: Person, monkeypatch: pytest.MonkeyPatch
):
    """Shown at 18:10, again at 22:30, when Wren charges already, and at 23:00, with other SoCs."""
    night = datetime.fromisoformat(EVENING).date()

    def first_of_wren() -> float:
        planned = planned_nights(person.household, night, night)[night]
        return float(planned[str(Vehicle.objects.get(name="Wren").pk)][0]["soc_from_pct"])

    for now, soc in (("18:10", 57), ("21:50", 60), ("22:30", 40), ("23:00", 30)):
        monkeypatch.setenv("MOONPLAN_NOW", f"2026-01-14T{now}:00+01:00")
        wren = car_of(signed_in.get("/tonight")[1], "Wren")
        status, _ = signed_in.send("patch", f"/tonight/{wren['id']}", {"soc_pct": soc, "versions": versions(wren)})
        assert status == 200
    assert ShownPlan.objects.count() >= 4

    assert first_of_wren() == 60


def test_nobody_sees_the_log_of_others(in_the_morning: Browser, stranger: Browser):
    session = car(write(in_the_morning)[1])["sessions"][0]

    assert stranger.send("patch", f"/log/sessions/{session['id']}?version=1", {"wall_kwh": 1})[0] == 404
    assert stranger.send("post", f"/log/cars/{wren(in_the_morning)}/sessions", WROTE)[0] == 404
    assert stranger.client.get("/api/log/sessions.csv").content.decode().count("\n") == 1


def test_a_clock_change_takes_nothing_and_adds_nothing(person: Person):
    """From one to four on the night that goes from summer to winter time are four hours; in all 2 kW of them."""
    vehicle = Vehicle.objects.get(name="Wren")
    start, end = (datetime.fromisoformat(f"2025-10-26T{at}") for at in ("01:00:00+02:00", "04:00:00+01:00"))
    LoggedSession.objects.create(
        household=person.household, vehicle=vehicle, lead=vehicle.lead, start=start, end=end, wall_kwh=8
    )

    told = log(person, planning_now(), datetime(2025, 10, 25).date())

    [session] = car(told, night="2025-10-25")["sessions"]
    assert session["cost"] == pytest.approx(8 * 0.08912, abs=1e-4)
