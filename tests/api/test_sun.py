"""The roof over the API: panels, forecast, measured output, the house's load, and whether to wait for the sun."""

from datetime import UTC, datetime, timedelta
from itertools import pairwise
from typing import Any

import pytest

from moonplan.household.models import Person
from moonplan.logbook.models import SeriesDay, SeriesImport
from moonplan.planning.documents import core_household, planning_now
from tests.api.conftest import Browser
from tests.core.test_green_button import IN, a_file

MIDNIGHT = datetime(2026, 1, 13, 23, tzinfo=UTC)  # of 14 January, in Ljubljana


def sun_of(signed_in: Browser) -> dict[str, Any]:
    return signed_in.get("/sun")[1]


def test_the_days_ahead_are_between_nothing_and_a_clear_sky(signed_in: Browser):
    told = sun_of(signed_in)

    # In the evening today's sun is over: the week begins with tomorrow.
    assert [day["day"] for day in told["days"]][::6] == ["2026-01-15", "2026-01-21"]
    for day in told["days"]:
        assert 0 < day["low_kwh"] <= day["middle_kwh"] <= day["high_kwh"] <= 1.06 * day["clear_kwh"]
        assert 0 <= day["surplus_kwh"] < day["middle_kwh"]
        assert day["middle_kwh"] == pytest.approx(day["clear_kwh"] * day["middle"], abs=0.02)
    assert told["sky"] == {"name": "simulated sky", "simulated": True}


def test_the_forecast_s_middle_is_what_is_planned_with(signed_in: Browser, person: Person):
    tomorrow = sun_of(signed_in)["days"][0]
    steps = core_household(person.household, planning_now(), 2).solar_kw

    kwh = sum(
        kw * (later - at).total_seconds() / 3600
        for (at, kw), (later, _) in pairwise(steps)
        if at.isoformat()[:10] == tomorrow["day"]
    )
    assert kwh == pytest.approx(tomorrow["middle_kwh"], abs=0.02)
    assert steps[-1][1] == 0


def test_panels_are_drawn_changed_and_undone(signed_in: Browser):
    before = sun_of(signed_in)
    west = {"name": "west", "kwp": 3.2, "tilt_deg": 20, "azimuth_deg": 260}
    assert signed_in.send("post", "/arrays/", west)[0] == 200

    # Half of the roof more, and less of it each day since it looks away from noon.
    more = sun_of(signed_in)["days"][0]["clear_kwh"] / before["days"][0]["clear_kwh"]
    assert 1.1 < more < 1.5
    signed_in.send("post", "/undo")
    assert sun_of(signed_in)["days"] == before["days"]


@pytest.mark.parametrize(
    ("fields", "field"),
    [
        ({"kwp": -1}, "kwp"),
        ({"tilt_deg": 120}, "tilt_deg"),
        ({"azimuth_deg": 400}, "azimuth_deg"),
        ({"losses_pct": 99}, "losses_pct"),
        ({"losses_pct": 130}, "losses_pct"),
        ({"kwp": 1e9}, "kwp"),
    ],
)
def test_panels_that_cannot_be_are_refused_at_their_field(signed_in: Browser, fields: dict[str, Any], field: str):
    array = sun_of(signed_in)["arrays"][0]
    status, told = signed_in.send("patch", f"/arrays/{array['id']}?version={array['version']}", fields)

    assert (status, [mistake["field"] for mistake in told["mistakes"]]) == (422, [field])


def test_measured_and_modelled_suggest_a_correction_that_is_taken_with_one_press(signed_in: Browser):
    told = sun_of(signed_in)
    # The demo's roof gives 92 % of what it should.
    assert told["correction"]["factor"] == pytest.approx(0.92, abs=0.03)
    assert len(told["measured"]) == 60

    status, after = signed_in.send("post", "/sun/correction")
    assert status == 200
    assert after["arrays"][0]["correction"] == pytest.approx(told["correction"]["factor"], abs=0.001)
    assert after["correction"]["factor"] == pytest.approx(1.0, abs=0.005)
    assert after["days"][0]["clear_kwh"] == pytest.approx(
        told["days"][0]["clear_kwh"] * told["correction"]["factor"], rel=0.01
    )
    signed_in.send("post", "/undo")
    assert sun_of(signed_in)["arrays"][0]["correction"] == 1


def test_the_house_s_load_is_learned_and_planned_with(signed_in: Browser, person: Person):
    told = sun_of(signed_in)
    learned = told["learned_load"]
    assert (learned["cars_known"], learned["n_days"]) == (True, 56)
    # The demo's house, give or take: 0.35 kW at night and 1.6 in the evening, although a car often charges at ten.
    by_clock = dict(learned["profile"])
    assert by_clock["00:00"] == pytest.approx(0.35, abs=0.05)
    assert by_clock["17:00"] == pytest.approx(1.6, abs=0.1)

    status, after = signed_in.send("post", f"/sun/house_load?version={told['household_version']}")
    assert (status, after["base_load_kw"]) == (200, learned["profile"])
    assert signed_in.send("post", f"/sun/house_load?version={told['household_version']}")[0] == 409


def test_meter_data_comes_as_csv_with_its_unit_and_zone(signed_in: Browser):
    text = "start,wh\n2026-01-13T22:00,250\n2026-01-13T22:15,500\n"
    status, seen = signed_in.bring("/series/grid", text, unit="Wh", zone="UTC")

    assert status == 200
    assert (seen["rows"], seen["first"], seen["step_minutes"]) == (2, "2026-01-13T22:00:00Z", 15)
    signed_in.bring("/series/grid", text, keep=True, unit="Wh", zone="UTC")
    day = SeriesDay.objects.get(kind="grid", day="2026-01-13")
    # 250 Wh in a quarter of an hour is one kW.
    assert day.values[88:90] == [1.0, 2.0]


def test_meter_data_comes_as_green_button(signed_in: Browser):
    start = int((MIDNIGHT + timedelta(days=1)).timestamp())
    file = a_file((IN, [(900, start, 250), (900, start + 900, 500)])).getvalue()
    status, seen = signed_in.bring("/series/grid", file, name="meter.xml", green_button="true", keep=True)

    assert (status, seen["new"], seen["kept"]) == (200, 2, True)
    status, told = signed_in.bring("/series/grid", b"start,kwh\n", name="meter.xml", green_button="true")
    assert (status, told["mistakes"][0]["field"]) == (422, "file")


def test_a_file_over_what_is_there_is_undone_to_what_was_there(signed_in: Browser):
    day = SeriesDay.objects.get(kind="sun", day="2026-01-10")
    before = list(day.values)
    text = "start,kw\n2026-01-10T10:00Z,9\n2026-01-10T10:15Z,9\n2026-02-10T10:00Z,9\n2026-02-10T10:15Z,9\n"

    signed_in.bring("/series/sun", text, keep=True, unit="kW")
    assert SeriesDay.objects.get(pk=day.pk).values[40:42] == [9, 9]
    assert SeriesDay.objects.filter(kind="sun", day="2026-02-10").exists()
    assert SeriesImport.objects.count() == 1
    _, again = signed_in.bring("/series/sun", text, keep=True, unit="kW")
    assert (again["new"], SeriesImport.objects.count()) == (0, 1)
    signed_in.send("post", "/undo")
    assert SeriesDay.objects.get(pk=day.pk).values == before
    assert not SeriesDay.objects.filter(kind="sun", day="2026-02-10").exists()


@pytest.mark.parametrize(
    ("text", "form", "said"),
    [
        (b"\xff\xfe\x00\x01binary", {}, "text"),
        ("start,kwh\n2026-01-13 22:00,1\n", {"unit": "furlongs"}, "one of kWh"),
        ("start,kwh\n2026-01-13 22:00,1\n", {"zone": "Moon/Tycho"}, "a time zone"),
        ("colour,size\nred,3\n", {}, "a heading"),
    ],
)
def test_a_file_that_is_not_what_it_says_keeps_nothing(signed_in: Browser, text: Any, form: dict[str, str], said: str):
    kept = SeriesDay.objects.count()
    status, told = signed_in.bring("/series/grid", text, keep=True, **form)

    assert status == 422
    assert said in told["message"]
    assert SeriesDay.objects.count() == kept


def test_what_comes_with_a_file_is_refused_at_its_field(signed_in: Browser):
    _, told = signed_in.bring("/series/grid", "start,kWh\n2026-01-10 00:00,1\n", green_button="maybe")
    assert told["message"] == 'green_button: "maybe", expected true or false'
    told = signed_in.client.post("/api/series/grid", {"keep": "true"}).json()
    assert told["message"] == "file: missing, expected a value"


def test_a_long_file_is_brought_whole(signed_in: Browser):
    # A year of quarter hours, with three rows that cannot be used.
    at, rows = MIDNIGHT - timedelta(days=800), ["start,kwh"]
    rows += [f"{(at + timedelta(minutes=15 * n)).isoformat()},{n % 9 / 10}" for n in range(35_040)]
    for line in (100, 200, 300):
        rows[line] = rows[line].replace("T", " at ")
    _, told = signed_in.bring("/series/grid", "\n".join(rows), keep=True)

    assert (told["rows"], [row["line"] for row in told["refused"]]) == (35_037, [101, 201, 301])
    assert told["gaps_in_all"] == 3
    assert told["new"] == 35_037


def test_waiting_is_answered_car_by_car_for_the_day_asked(signed_in: Browser):
    status, told = signed_in.get("/sun/waiting?day=2026-01-18")

    assert status == 200
    assert (told["day"], [car["name"] for car in told["cars"]]) == ("2026-01-18", ["Heron", "Wren"])
    wren = told["cars"][1]["answer"]
    assert wren["cost_high"] <= wren["cost_middle"] <= wren["cost_low"]
    assert wren["worth_it"] == (wren["cost_middle"] <= wren["cost_now"])
    assert 0 <= wren["chance"] <= 1
    status, refused = signed_in.get("/sun/waiting?day=2026-03-01")
    assert (status, refused["mistakes"][0]["field"]) == (422, "day")


def test_after_midnight_the_whole_of_a_day_s_sun_is_waited_for_too(signed_in: Browser, monkeypatch: pytest.MonkeyPatch):
    def sun_of_wren(now: str) -> float:
        monkeypatch.setenv("MOONPLAN_NOW", f"2026-01-15T{now}:00+01:00")
        status, told = signed_in.get("/sun/waiting?day=2026-01-18")
        assert status == 200
        return float(told["cars"][1]["answer"]["solar_kwh"])

    # Before anybody is up the night that runs counts as one of those ahead; the day's afternoon is planned for all the same.
    assert sun_of_wren("00:40") == pytest.approx(sun_of_wren("06:20"), abs=0.05)


def test_without_panels_nothing_is_forecast_and_the_typed_day_is_planned_with(signed_in: Browser, person: Person):
    array = sun_of(signed_in)["arrays"][0]
    signed_in.send("delete", f"/arrays/{array['id']}?version={array['version']}")

    told = sun_of(signed_in)
    assert (told["days"], told["measured"], told["correction"]) == ([], [], None)
    assert signed_in.get("/tonight")[1]["simulated"] == []
    assert signed_in.get("/sun/waiting")[0] == 422
    assert signed_in.send("post", "/sun/correction")[0] == 422


def test_sun_in_the_car_is_counted_both_ways(signed_in: Browser):
    _, days = signed_in.get("/days?nights=7")
    sunny = [s for car in days["cars"] for s in car["sessions"] if s["solar_kwh"] > 0.5]

    assert sunny
    for session in sunny:
        # What was given up is 0.04 for each kWh of it.
        assert session["cost"] - session["cost_sun_free"] == pytest.approx(0.04 * session["solar_kwh"], abs=1e-4)


def test_a_stranger_sees_and_brings_only_their_own(signed_in: Browser, stranger: Browser, person: Person):
    array = sun_of(signed_in)["arrays"][0]
    kept = SeriesDay.objects.filter(household=person.household).count()

    assert stranger.get("/sun")[1]["arrays"] == []
    assert stranger.send("patch", f"/arrays/{array['id']}?version=1", {"kwp": 1})[0] == 404
    stranger.bring("/series/sun", "start,kw\n2026-01-10T10:00Z,9\n", keep=True, unit="kW")
    assert SeriesDay.objects.filter(household=person.household).count() == kept
    assert SeriesDay.objects.count() == kept + 1
    assert stranger.send("post", "/series/gold", {})[0] == 422
