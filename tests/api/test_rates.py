"""Readings of charge rates: what they say before they are kept, what is kept, and what planning makes of them."""

from typing import Any

import pytest

from moonplan.household.models import Person
from tests.api.conftest import Browser, car_of


def hookup(told: dict[str, Any], name: str) -> dict[str, Any]:
    return next(one for one in told["hookups"] if one["vehicle_name"] == name)


def path_of(signed_in: Browser, name: str) -> str:
    _, told = signed_in.get("/hookups")
    one = hookup(told, name)
    return f"/hookups/{one['vehicle']}/{one['lead']}"


GOOD = {"kind": "display", "at": "2026-01-14T18:00:00+01:00", "minutes": 20, "amps": 10, "volts": 228}


def test_every_hookup_has_its_chain_its_rate_and_its_currents(signed_in: Browser):
    status, told = signed_in.get("/hookups")

    assert status == 200
    heron, wren = hookup(told, "Heron"), hookup(told, "Wren")
    assert heron["source"] == "measured"
    assert {r["cause"] for r in heron["readings"]} == {None, "ramping", "cabin", "cold", "taper", "voltage"}
    assert [r["not_fitted"] for r in heron["readings"] if not r["fitted"]] == [
        "still ramping",
        "cabin on",
        "above the taper",
    ]
    # Wren's readings cannot be fitted, so what is assumed still holds: 0.94 and 0.25 kW.
    assert (wren["source"], wren["efficiency"], wren["overhead_kw"]) == ("assumed", 0.94, 0.25)
    assert [row["amps"] for row in wren["currents"]] == [6, 8, 10]
    # At 6 A: 1.38 kW at the wall, 0.94 × 1.38 − 0.25 = 1.0472 in the battery; at 10 A 2.3 and 1.912.
    six, ten = wren["currents"][0], wren["currents"][-1]
    assert six["battery_kw"] == pytest.approx(1.0472)
    assert six["extra_kwh_per_100km"] == pytest.approx((1.38 / 1.0472 - 2.3 / 1.912) * 14.1)
    assert ten["extra_kwh_per_100km"] == pytest.approx(0)
    # 10 A of a 16 A socket are under three quarters of it.
    assert ten["recommended"]


def test_a_reading_says_what_it_says_before_it_is_kept(signed_in: Browser):
    # 14 km/h at 14.1 kWh per 100 km (no rated figure) are 1.974 kW of 2.28 at the wall.
    status, told = signed_in.send("post", f"{path_of(signed_in, 'Wren')}/preview", GOOD | {"range_per_h": 14})

    assert status == 200
    assert told["battery_kw"] == pytest.approx(1.974)
    assert told["lost"] == pytest.approx(1 - 1.974 / 2.28, abs=1e-3)
    assert told["range_km_per_h"] == pytest.approx(14)
    assert told["cause"] is None
    _, after = signed_in.get("/hookups")
    assert hookup(after, "Wren")["source"] == "assumed"


def test_a_kept_reading_reaches_tonight_s_plan_and_undo_takes_it_back(signed_in: Browser):
    _, before = signed_in.get("/tonight")
    status, told = signed_in.send("post", f"{path_of(signed_in, 'Wren')}/readings", GOOD | {"range_per_h": 11, "volts": 226})

    assert status == 200
    assert hookup(told, "Wren")["source"] == "measured"
    assert told["undo"] == "Wren: reading"
    _, after = signed_in.get("/tonight")
    wren = car_of(after, "Wren")
    assert wren["rate_source"] == "measured"
    assert wren["sessions"][0]["expect"]["volts"] == 226
    # Less reaches the battery than was assumed, so the same charge takes more off the wall.
    assert wren["wall_kwh"] > car_of(before, "Wren")["wall_kwh"]

    signed_in.send("post", "/undo", {})
    _, again = signed_in.get("/tonight")
    assert car_of(again, "Wren")["rate_source"] == "assumed"


def test_a_reading_is_set_aside_with_a_note_and_taken_back(signed_in: Browser):
    _, told = signed_in.get("/hookups")
    reading = hookup(told, "Heron")["readings"][0]

    status, aside = signed_in.send(
        "patch", f"/readings/{reading['id']}?version={reading['version']}", {"excluded": True, "note": "wrong car"}
    )
    again = hookup(aside, "Heron")["readings"][0]
    assert status == 200
    assert (again["fitted"], again["not_fitted"], again["note"]) == (False, "set aside by hand", "wrong car")

    # Somebody else still has the older version on the screen.
    status, conflict = signed_in.send(
        "patch", f"/readings/{reading['id']}?version={reading['version']}", {"excluded": False}
    )
    assert (status, conflict["code"]) == (409, "conflict")


@pytest.mark.parametrize(
    ("given", "field"),
    [
        ({"kind": "display", "at": "2026-01-14T18:00:00+01:00"}, "kw"),
        ({"kind": "display", "at": "2026-01-14T19:00:00+01:00", "amps": 10}, "at"),
        ({"kind": "meter", "wall_kwh": 3, "soc_from_pct": 20, "soc_to_pct": 40}, "start"),
        ({"kind": "estimate", "at": "2026-01-14T18:00:00+01:00", "soc_pct": 90, "to_pct": 80, "hours": 1}, "to_pct"),
        (GOOD | {"volts": 12, "range_per_h": 12}, "volts"),
    ],
)
def test_a_reading_that_cannot_be_is_refused_at_its_field(signed_in: Browser, given: dict[str, Any], field: str):
    status, told = signed_in.send("post", f"{path_of(signed_in, 'Wren')}/readings", given)

    assert status == 422
    assert told["mistakes"][0]["field"] == field


def test_another_household_s_hookup_and_readings_are_not_there(signed_in: Browser, stranger: Browser):
    _, told = signed_in.get("/hookups")
    reading = hookup(told, "Heron")["readings"][0]

    assert stranger.send("post", f"{path_of(signed_in, 'Wren')}/readings", GOOD | {"range_per_h": 15})[0] == 404
    assert stranger.send("patch", f"/readings/{reading['id']}?version=1", {"excluded": True})[0] == 404
    _, after = signed_in.get("/hookups")
    assert hookup(after, "Heron")["readings"][0]["excluded"] is False


TABLE = """kind;at;minutes;amps;volts;range_per_h;note
display;2026-01-12T22:00:00+01:00;20;10;228;13,5;after work
display;2026-01-13T22:00:00+01:00;20;10;12;13;
display;2026-01-13T22:30:00+01:00;25;6;229;7;
"""


def test_a_table_is_looked_at_first_and_twice_brings_nothing(signed_in: Browser):
    path = path_of(signed_in, "Wren")

    _, looked = signed_in.bring(f"{path}/table", TABLE)
    assert (looked["new"], looked["again"], looked["kept"]) == (2, 0, False)
    assert looked["refused"] == [{"line": 3, "reason": "volts: 12, expected 50 to 1000"}]
    _, still = signed_in.get("/hookups")
    assert hookup(still, "Wren")["source"] == "assumed"

    _, brought = signed_in.bring(f"{path}/table", TABLE, keep=True)
    assert (brought["new"], brought["kept"]) == (2, True)
    _, again = signed_in.bring(f"{path}/table", TABLE, keep=True)
    assert (again["new"], again["again"]) == (0, 2)
    _, told = signed_in.get("/hookups")
    assert hookup(told, "Wren")["source"] == "measured"
    assert [r["note"] for r in hookup(told, "Wren")["readings"]][-2:] == ["after work", ""]


def test_a_long_table_is_brought_whole_and_is_one_step_of_undo(signed_in: Browser):
    path = path_of(signed_in, "Wren")
    before = len(hookup(signed_in.get("/hookups")[1], "Wren")["readings"])
    rows = [f"2026-01-{1 + n // 24:02}T{n % 24:02}:00:00+01:00,20,10,228,{9 + n % 3}" for n in range(200)]

    _, brought = signed_in.bring(f"{path}/table", "at,minutes,amps,volts,range_per_h\n" + "\n".join(rows), keep=True)
    assert (brought["new"], brought["refused"]) == (200, [])
    assert len(hookup(signed_in.get("/hookups")[1], "Wren")["readings"]) == before + 200
    signed_in.send("post", "/undo")
    assert len(hookup(signed_in.get("/hookups")[1], "Wren")["readings"]) == before


@pytest.mark.parametrize("unit", ["km", "mi"])
def test_what_is_taken_away_can_be_brought_again(signed_in: Browser, person: Person, unit: str):
    path = path_of(signed_in, "Heron")
    signed_in.send("patch", f"/household?version={person.household.version}", {"distance_unit": unit})
    text = signed_in.client.get(f"/api{path}/readings.csv").content.decode()

    assert len(text.splitlines()) == 11
    _, again = signed_in.bring(f"{path}/table", text, keep=True)
    assert (again["new"], again["again"], again["refused"]) == (0, 10, [])


def test_a_file_that_is_no_table_of_readings_is_refused_in_plain_words(signed_in: Browser):
    status, told = signed_in.bring(f"{path_of(signed_in, 'Wren')}/table", "colour,size\nred,3")

    assert status == 422
    assert told["mistakes"][0]["field"] == "line 1"


def test_what_if_the_socket_were_a_dedicated_circuit(signed_in: Browser):
    path = path_of(signed_in, "Wren")
    status, told = signed_in.send("post", f"{path}/what_if", {"dedicated": True, "ceiling_a": 16})

    assert status == 200
    assert (told["now"]["amps"], told["now"]["bottleneck"]) == (10, "outlet")
    # 16 A of circuit, 13 of lead: 2.99 kW at the wall, 0.94 × 2.99 − 0.25 in the battery.
    assert (told["then"]["amps"], told["then"]["bottleneck"]) == (13, "lead")
    assert told["then"]["battery_kw"] == pytest.approx(0.94 * 2.99 - 0.25, abs=0.001)
    # Nothing of it is kept.
    assert hookup(signed_in.get("/hookups")[1], "Wren")["limit_a"] == 10
    assert signed_in.send("post", f"{path}/what_if", {"lead_a": 5000})[0] == 422
