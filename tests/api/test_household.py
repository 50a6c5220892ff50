"""The household's rows: edited, kept apart from other households', and taken back."""

from typing import Any

import pytest

from moonplan.household.models import Person, Vehicle
from moonplan.household.models import Trip as TripRow
from tests.api.conftest import Browser, versions


def row(signed_in: Browser, kind: str, name: str) -> dict:
    return next(each for each in signed_in.get("/household")[1][f"{kind}s"] if each["name"] == name)


def test_the_drawing_tells_what_every_link_lets_through(signed_in: Browser):
    told = signed_in.get("/household")[1]["drawing"]
    wren = told["vehicles"][1]

    assert told["supply"]["kw"] == pytest.approx(25 * 3 * 230 / 1000)
    assert (wren["bottleneck"], wren["next"], wren["amps"]) == ("outlet", "ceiling", 10)
    assert wren["km_per_h"] == pytest.approx(1.912 / 0.141, abs=0.01)


def test_a_change_is_seen_at_every_link_that_follows(signed_in: Browser):
    shed = row(signed_in, "circuit", "shed socket")

    _, told = signed_in.send("patch", f"/circuits/{shed['id']}?version={shed['version']}", {"socket_a": 8})

    assert told["drawing"]["vehicles"][1]["amps"] == 8
    assert told["undo"] == "shed socket"


def test_a_row_is_added_changed_and_removed_and_all_of_it_undone(signed_in: Browser, person: Person):
    brick = row(signed_in, "lead", "portable lead")
    gull = {"name": "Gull", "lead_id": brick["id"], "usable_kwh": 30, "onboard_kw": 3.6, "use_kwh_per_100km": 13}
    _, told = signed_in.send("post", "/vehicles/", gull)
    added = next(v for v in told["vehicles"] if v["name"] == "Gull")

    _, told = signed_in.send("patch", f"/vehicles/{added['id']}?version={added['version']}", {"usable_kwh": 31})
    added = next(v for v in told["vehicles"] if v["name"] == "Gull")
    signed_in.send("delete", f"/vehicles/{added['id']}?version={added['version']}")
    assert not Vehicle.objects.filter(name="Gull").exists()

    signed_in.send("post", "/undo")
    assert Vehicle.objects.get(name="Gull").usable_kwh == 31
    signed_in.send("post", "/undo")
    assert Vehicle.objects.get(name="Gull").usable_kwh == 30
    signed_in.send("post", "/undo")
    assert not Vehicle.objects.filter(name="Gull").exists()


def test_what_others_hang_on_is_not_removed(signed_in: Browser):
    shed = row(signed_in, "circuit", "shed socket")

    status, told = signed_in.send("delete", f"/circuits/{shed['id']}?version={shed['version']}")

    assert status == 422
    assert "portable lead" in told["mistakes"][0]["expected"]


def test_prices_keep_every_decimal(signed_in: Browser):
    night = row(signed_in, "band", "night")

    _, told = signed_in.send("patch", f"/bands/{night['id']}?version={night['version']}", {"price": "0.0651234"})

    assert next(b for b in told["bands"] if b["name"] == "night")["price"] == "0.0651234"


@pytest.mark.parametrize(
    ("kind", "name", "fields", "field", "expected"),
    [
        ("vehicle", "Wren", {"usable_kwh": 0}, "usable_kwh", "a number above 0 and up to 1000"),
        ("vehicle", "Wren", {"control": "magic"}, "control", "one of managed, timer, hand"),
        ("circuit", "shed socket", {"outlet_a": None}, "outlet_a", "the rating of the socket in A"),
        ("band", "night", {"start": "25:00"}, "start", "HH:MM"),
        ("band", "night", {"price": "-2000"}, "price", "-1000 to 1000"),
        ("lead", "wall unit", {"max_a": None}, "max_a", "a value"),
        ("lead", "wall unit", {"steps_a": [6, -8]}, "steps_a", "a number above 0"),
    ],
)
def test_what_core_refuses_is_told_at_its_field(signed_in: Browser, kind, name, fields, field, expected):
    given = row(signed_in, kind, name)

    status, told = signed_in.send("patch", f"/{kind}s/{given['id']}?version={given['version']}", fields)

    assert status == 422
    assert told["mistakes"][0]["field"] == field
    assert expected in told["mistakes"][0]["expected"]
    assert row(signed_in, kind, name) == given


def test_what_stands_in_another_part_s_way_is_told_by_its_name(signed_in: Browser):
    wren = next(car for car in signed_in.get("/tonight")[1]["cars"] if car["name"] == "Wren")
    pins = {"pins": [{"start": "22:00", "end": "23:00", "amps": 10}], "versions": versions(wren)}
    assert signed_in.send("patch", f"/tonight/{wren['id']}", pins)[0] == 200
    house = signed_in.get("/household")[1]["household"]

    def refused(kind: str, name: str, **fields: Any) -> str:
        given = row(signed_in, kind, name)
        status, told = signed_in.send("patch", f"/{kind}s/{given['id']}?version={given['version']}", fields)
        assert status == 422
        whose, expected = told["message"].split(": expected ")
        assert told["mistakes"][0]["expected"] == f"{expected} ({whose})"
        return str(told["message"])

    session = "Wren's pinned session of Wed 14 Jan, 22:00 to 23:00 at 10 A: expected "
    assert refused("circuit", "shed socket", socket_a=8) == f"{session}at most 8 A"
    told = refused("vehicle", "Wren", plug_in_from="23:30", plug_in_to="07:00")
    assert told == f"{session}a time in which Wren can charge: it is plugged in from 23:30 to 07:00"
    assert refused("feeder", "Garage panel", legs=["L1"]) == "carport, phases 3: expected legs of feeder Garage panel: L1"
    # The house takes 1.6 kW on three legs, and 1 A is kept free: 6.68 A are left of 10.
    status, told = signed_in.send("patch", f"/household?version={house['version']}", {"rating_a": 10})
    assert status == 422
    assert told["message"] == (
        f"{session}what fits beside the rest: leg L2 of the supply carries 10.00 of 6.68 A at Wed 14 Jan, 22:00"
    )


def test_half_of_the_hours_at_the_socket_asks_for_the_other_half(signed_in: Browser):
    wren = row(signed_in, "vehicle", "Wren")

    status, told = signed_in.send("patch", f"/vehicles/{wren['id']}?version={wren['version']}", {"plug_in_from": "17:00"})

    assert status == 422
    assert [(mistake["field"], mistake["expected"]) for mistake in told["mistakes"]] == [("plug_in_to", "HH:MM")]


def test_a_time_zone_that_does_not_exist(signed_in: Browser):
    version = signed_in.get("/household")[1]["household"]["version"]

    status, told = signed_in.send("patch", f"/household?version={version}", {"timezone": "Mars/Olympus"})

    assert status == 422
    assert told["mistakes"][0]["field"] == "timezone"


def test_a_lead_of_80_a_on_a_16_a_breaker_works_with_a_caution(signed_in: Browser):
    unit = row(signed_in, "lead", "wall unit")

    status, told = signed_in.send("patch", f"/leads/{unit['id']}?version={unit['version']}", {"max_a": 80})

    assert status == 200
    assert told["drawing"]["vehicles"][0]["bottleneck"] == "circuit"
    assert "lead-above-circuit" in [caution["code"] for caution in told["drawing"]["cautions"]]


def test_two_windows_on_the_same_car(signed_in: Browser, other_person: Person):
    other = Browser(other_person)
    wren = row(signed_in, "vehicle", "Wren")
    path = f"/vehicles/{wren['id']}?version={wren['version']}"

    assert other.send("patch", path, {"usable_kwh": 23})[0] == 200
    status, told = signed_in.send("patch", path, {"usable_kwh": 24})

    assert status == 409
    assert (told["current"]["usable_kwh"], told["by"], told["version"]) == (23, "robin", wren["version"] + 1)


def test_a_page_goes_on_from_what_it_did_itself_and_nobody_else_did(person: Person, other_person: Person):
    here, there = Browser(person, "this page"), Browser(other_person, "another page")
    wren = row(here, "vehicle", "Wren")

    def told_of(browser: Browser, behind: int = 0, **fields: Any) -> int:
        """The answer to an edit that was made on what the page showed at first, or so many edits later."""
        return int(browser.send("patch", f"/vehicles/{wren['id']}?version={wren['version'] + behind}", fields)[0])

    assert told_of(here, usable_kwh=23) == 200
    assert told_of(here, reserve_pct=15) == 200
    # The same person elsewhere has not seen these.
    assert told_of(Browser(person, "a second page"), reserve_pct=12) == 409
    assert told_of(Browser(person), reserve_pct=12) == 409
    assert told_of(there, behind=2, usable_kwh=24) == 200
    assert told_of(here, behind=2, usable_kwh=25) == 409
    assert told_of(here, behind=3, usable_kwh=26) == 200
    assert told_of(here, behind=4, reserve_pct=16) == 200
    there.send("post", "/undo")
    # That somebody took it back, the page has not seen.
    assert told_of(here, behind=5, reserve_pct=17) == 409
    by_now = row(here, "vehicle", "Wren")
    assert (by_now["usable_kwh"], by_now["reserve_pct"]) == (26, 15)


@pytest.mark.parametrize("kind", ["feeder", "circuit", "lead", "vehicle", "trip", "band"])
def test_another_household_s_rows_can_be_neither_read_nor_changed_by_id(signed_in: Browser, stranger: Browser, kind: str):
    mine = signed_in.get("/household")[1][f"{kind}s"][0]
    before = signed_in.get("/household")[1]

    assert stranger.get("/household")[1][f"{kind}s"] == []
    assert stranger.send("patch", f"/{kind}s/{mine['id']}?version={mine['version']}", {})[0] == 404
    assert stranger.send("delete", f"/{kind}s/{mine['id']}?version={mine['version']}")[0] == 404
    assert stranger.send("patch", f"/tonight/{mine['id']}", {"soc_pct": 5})[0] == 404
    assert signed_in.get("/household")[1] == before


def test_a_row_cannot_be_hung_on_another_household_s(signed_in: Browser, stranger: Browser):
    unit = row(signed_in, "lead", "wall unit")
    car = {"name": "Cuckoo", "lead_id": unit["id"], "usable_kwh": 30, "onboard_kw": 3.6, "use_kwh_per_100km": 13}

    status, told = stranger.send("post", "/vehicles/", car)

    assert status == 422
    assert told["mistakes"][0]["expected"] == "a lead of this household"


def test_nothing_without_signing_in(person: Person):
    nobody = Browser(None)

    assert nobody.get("/tonight")[0] == 401
    assert nobody.get("/household")[0] == 401
    assert nobody.send("patch", "/tonight/1", {"soc_pct": 5})[0] in (401, 403)


@pytest.mark.parametrize("body", ["", "{", "[]", "nothing"])
def test_an_empty_or_broken_body_is_refused_in_the_one_shape(signed_in: Browser, body: str):
    response = signed_in.client.generic("POST", "/api/vehicles/", body, content_type="application/json")

    assert response.status_code in (400, 422)
    assert response.json()["code"] in ("refused", "failed")


@pytest.mark.parametrize(
    ("method", "path", "body", "message"),
    [
        (
            "patch",
            "/household?version=1",
            {"currency": "euro"},
            'currency: "euro", expected a currency code of three capitals',
        ),
        ("patch", "/household?version=1", {"wake": "7:30 am"}, 'wake: "7:30 am", expected HH:MM'),
        (
            "patch",
            "/household?version=1",
            {"distance_unit": "miles"},
            'distance_unit: "miles", expected one of km, mi',
        ),
        (
            "patch",
            "/leads/1?version=1",
            {"control": "by hand, mostly"},
            'control: "by hand, mostly", expected one of managed, timer, hand',
        ),
        (
            "patch",
            "/circuits/1?version=1",
            {"kind": "a plain socket"},
            'kind: "a plain socket", expected one of dedicated, socket',
        ),
        ("patch", "/leads/1?version=1", {"max_a": "ten"}, 'max_a: "ten", expected a number'),
        ("patch", "/leads/1?version=1", {"steps_a": [6, "x"]}, 'steps_a: "x", expected a number'),
        ("patch", "/leads/1?version=1", {"colour": 1}, "colour: 1, expected a known field"),
        ("patch", "/days/nights/1/2026-01-14?version=0", {}, "plugged_in: missing, expected a value"),
        ("post", "/days/trips/1/copies", {"days": []}, "days: [], expected a list of at least 1"),
        ("post", "/usual/1/odometer", {"km": 123456789}, "km: 123456789, expected 0 to 5000000 km"),
        ("get", "/days?nights=99", None, 'nights: "99", expected at most 14'),
        ("get", "/habits?nights=99", None, 'nights: "99", expected at most 14'),
        ("patch", "/vehicles/1?version=1", {"usable_kwh": float("nan")}, "usable_kwh: nan, expected a number"),
        ("patch", "/vehicles/1?version=1", {"usable_kwh": "Infinity"}, 'usable_kwh: "Infinity", expected a number'),
        ("patch", "/tonight/1", {"km": float("inf")}, "km: inf, expected a number"),
        (
            "patch",
            "/tonight/1",
            {"leave": "0001-01-01"},
            'leave: "0001-01-01", expected a time in the years 1990 to 2200',
        ),
        (
            "post",
            "/days/trips",
            {"back": "9999-12-31T23:59-12:00"},
            'back: "9999-12-31T23:59-12:00", expected a time in the years 1990 to 2200',
        ),
        (
            "patch",
            "/tariffs/1?version=1",
            {"since": "0026-01-01"},
            'since: "0026-01-01", expected a date in the years 1990 to 2200',
        ),
        (
            "get",
            "/prices/tariffs/1/paid?at=1131-10-18T09:06Z",
            None,
            'at: "1131-10-18T09:06Z", expected a time in the years 1990 to 2200',
        ),
    ],
)
def test_a_refusal_names_the_field_the_value_and_what_would_be_right(
    signed_in: Browser, method: str, path: str, body: Any, message: str
):
    status, told = signed_in.get(path) if method == "get" else signed_in.send(method, path, body)

    assert (status, told["message"]) == (422, message)
    assert told["mistakes"][0]["field"] == message.split(":")[0]


@pytest.mark.parametrize("price", [1000.01, 99999.99999999, 100000, -1e300])
def test_a_price_of_too_many_digits_is_refused_and_the_others_can_still_be_read(signed_in: Browser, price: float):
    tariff, band = (signed_in.get("/household")[1][kind][0] for kind in ("tariffs", "bands"))
    for path, field in ((f"tariffs/{tariff['id']}", "default_price"), (f"bands/{band['id']}", "price")):
        status, told = signed_in.send("patch", f"/{path}?version=1", {field: price})

        assert (status, told["mistakes"][0]["field"], told["mistakes"][0]["expected"]) == (422, field, "-1000 to 1000")
    assert signed_in.get("/household")[1]["tariffs"][0] == tariff


@pytest.mark.parametrize("phases", [-1, 2**63])
def test_a_count_that_no_column_holds_is_refused_at_its_field(signed_in: Browser, phases: int):
    lead = signed_in.get("/household")[1]["leads"][0]
    status, told = signed_in.send("patch", f"/leads/{lead['id']}?version={lead['version']}", {"phases": phases})

    assert (status, told["mistakes"][0]["field"]) == (422, "phases")
    assert signed_in.get("/household")[1]["leads"][0] == lead


@pytest.mark.parametrize(
    ("typed", "kept"),
    [
        ("  Gull ", "Gull"),
        ("Zoë's\tcar", "Zoë's car"),
        ("👩\u200d👧", "👩\u200d👧"),
        (" ", None),
        ("\u200b", None),
        ("a\x07", None),
    ],
)
def test_a_name_is_one_line_with_something_to_read(signed_in: Browser, typed: str, kept: str | None):
    lead = signed_in.get("/household")[1]["leads"][0]
    status, told = signed_in.send("patch", f"/leads/{lead['id']}?version={lead['version']}", {"name": typed})

    if kept is None:
        assert (status, told["mistakes"][0]["field"]) == (422, "name")
        assert told["mistakes"][0]["expected"] == "a name that can be read"
    else:
        assert told["leads"][0]["name"] == kept


def test_half_a_character_is_refused(signed_in: Browser):
    lead = signed_in.get("/household")[1]["leads"][0]
    path, cut_in_two = f"/api/leads/{lead['id']}?version={lead['version']}", '{"name": "lead \\ud83d"}'

    response = signed_in.client.generic("PATCH", path, cut_in_two, content_type="application/json")

    assert (response.status_code, response.json()["code"]) == (400, "failed")
    assert signed_in.get("/household")[1]["leads"][0] == lead


def test_nobody_s_password_is_told(signed_in: Browser):
    signed_in.get("/session")
    token = {"HTTP_X_CSRFTOKEN": "a" * 32}
    signed_in.client.cookies["csrftoken"] = "a" * 32
    given = {"token": "x", "username": "kim", "password": "s3cret" * 50}
    answer = signed_in.client.post("/api/join", given, content_type="application/json", **token)

    assert (answer.status_code, answer.json()["mistakes"][0]["field"]) == (422, "password")
    assert "s3cret" not in answer.content.decode()


def test_a_body_of_five_megabytes_is_refused(signed_in: Browser):
    response = signed_in.client.generic("POST", "/api/vehicles/", "x" * 5_000_000, content_type="application/json")

    assert response.status_code == 413
    assert response.json()["code"] == "too_large"


def test_a_trip_typed_by_the_clock_is_on_the_household_s_clock(signed_in: Browser):
    wren = row(signed_in, "vehicle", "Wren")
    trip = {"vehicle_id": wren["id"], "leave": "2026-01-18T09:00", "back": "2026-01-18T10:00", "km": 12}

    assert signed_in.send("post", "/trips/", trip)[0] == 200
    assert TripRow.objects.get(km=12).leave.isoformat() == "2026-01-18T08:00:00+00:00"
