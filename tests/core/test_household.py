"""The household document: what it takes, and what it says of what it does not take."""

import json
import re
from pathlib import Path
from typing import Any

import pytest

from moonplan.core.household import json_schema, read, write
from moonplan.core.mistakes import BadDocument
from tests.core.factories import a_car, a_circuit, a_document, a_lead, a_trip

SPLIT = {"leg_voltage_v": 120, "legs": 2, "rating_a": 100, "continuous_factor": 0.8}
EXAMPLE = Path(__file__).parents[1] / "examples" / "two_cars.json"


def mistakes(document: dict[str, Any]) -> list[str]:
    with pytest.raises(BadDocument) as refused:
        read(json.dumps(document))
    return [str(mistake) for mistake in refused.value.mistakes]


def test_the_example_reads_and_writes_without_loss():
    household = read(EXAMPLE.read_bytes())

    assert [vehicle.name for vehicle in household.vehicles] == ["Heron", "Wren"]
    assert read(json.dumps(write(household))) == household


def test_every_mistake_is_told_at_once_with_its_path():
    told = mistakes(
        a_document(
            vehicles=[a_car(soc_pct=130, sock_pct=4)],
            timezone="Mars/Olympus",
            horizon_nights=40,
            tariff={"bands": [{"name": "night", "price": 0.1, "from": "25:00", "to": "06:00"}]},
        )
    )

    assert "vehicles[0].soc_pct: 130, expected 0 to 100" in told
    assert any(line.startswith("vehicles[0].sock_pct: 4, expected a known key (did you mean soc_pct?)") for line in told)
    assert 'timezone: "Mars/Olympus", expected an IANA time zone such as Europe/Ljubljana' in told
    assert "horizon_nights: 40, expected a whole number 0 to 31" in told
    assert "tariff.default_price: missing, expected -1000 to 1000" in told
    assert 'tariff.bands[0].from: "25:00", expected HH:MM' in told


def test_a_year_that_is_out_of_this_world_is_told_as_such():
    assert mistakes(a_document(now="0026-01-14T18:00:00+01:00")) == [
        'now: "0026-01-14T18:00:00+01:00", expected an ISO 8601 time with an offset, 1990 to 2200'
    ]


@pytest.mark.parametrize(
    ("changes", "path"),
    [
        ({"now": "2026-01-14T18:00:00"}, "now"),
        ({"slot_minutes": 7}, "slot_minutes"),
        ({"wake": "٠٦:٣٠"}, "wake"),
        ({"tariff": {"default_price": 0.2, "holidays": ["1889-12-25"]}}, "tariff.holidays[0]"),
        ({"horizon_nights": 0}, "horizon_nights"),
        ({"currency": "euro"}, "currency"),
        ({"vehicles": [a_car(usable_kwh=1200)]}, "vehicles[0].usable_kwh"),
        ({"vehicles": [a_car(soc_pct=True)]}, "vehicles[0].soc_pct"),
        ({"vehicles": [a_car(soc_pct="57")]}, "vehicles[0].soc_pct"),
        ({"vehicles": [a_car(lead="nowhere")]}, "vehicles[0].lead"),
        ({"vehicles": [a_car(), a_car()]}, "vehicles[1].id"),
        ({"circuits": [a_circuit(kind="socket")]}, "circuits[0].outlet_a"),
        ({"circuits": [a_circuit(phases=3, legs=["L1", "L2"])]}, "circuits[0].legs"),
        ({"supply": SPLIT, "circuits": [a_circuit(voltage_v=240, legs=["L2"])]}, "circuits[0].legs"),
        ({"supply": SPLIT | {"legs": 1}, "circuits": [a_circuit(voltage_v=240)]}, "circuits[0].voltage_v"),
        ({"supply": SPLIT, "circuits": [a_circuit(voltage_v=240)]}, None),
        ({"supply": {"leg_voltage_v": 230, "legs": 1, "rating_a": 25, "continuous_factor": 1}}, None),
        ({"solar_kw": [["2026-01-15T09:00:00+01:00", 1.0]]}, "solar_kw[0][1]"),
        ({"trips": [a_trip("2026-01-15T09:00:00+01:00", "2026-01-15T08:00:00+01:00", 5)]}, "trips[0].back"),
        ({"trips": [a_trip("2026-01-15T09:00:00+01:00", "2026-01-15T10:00:00+01:00", 6000)]}, "trips[0].km"),
    ],
)
def test_what_cannot_be_is_refused_at_its_key(changes: dict[str, Any], path: str | None):
    document = a_document(**changes)
    if path is None:
        document["circuits"] = [a_circuit(phases=3)]
        path = "circuits[0].phases"

    assert [line.split(":")[0] for line in mistakes(document)] == [path]


def test_trips_may_touch_but_not_overlap():
    first = a_trip("2026-01-15T07:00:00+01:00", "2026-01-15T09:00:00+01:00", 10)
    touching = a_trip("2026-01-15T09:00:00+01:00", "2026-01-15T10:00:00+01:00", 10)
    overlapping = a_trip("2026-01-15T08:59:00+01:00", "2026-01-15T10:00:00+01:00", 10)

    read(json.dumps(a_document(trips=[touching, first])))
    assert mistakes(a_document(trips=[overlapping, first]))[0] == (
        "trips[0].leave: 2026-01-15T08:59:00+01:00, expected one trip after the other: "
        "2026-01-15 07:00 to 2026-01-15 09:00 and 2026-01-15 08:59 to 2026-01-15 10:00 overlap"
    )


@pytest.mark.parametrize("text", ["", "{", "null", "[]", "7", '"x"', '{"now": NaN}'])
def test_what_is_no_household_is_refused_without_a_traceback(text: str):
    with pytest.raises(BadDocument):
        read(text)


def test_nan_is_refused_where_it_stands():
    text = json.dumps(a_document()).replace('"soc_pct": 50', '"soc_pct": NaN')

    with pytest.raises(BadDocument, match=r"vehicles\[0\]\.soc_pct: nan, expected 0 to 100"):
        read(text)


def test_a_lead_above_its_breaker_is_taken():
    household = read(json.dumps(a_document(leads=[a_lead(max_a=80)])))

    assert household.leads[0].max_a == 80


def test_the_schema_names_what_is_required():
    schema = json_schema()

    assert set(schema["required"]) == {
        *("format", "timezone", "now", "supply", "circuits", "leads", "vehicles", "tariff"),
    }
    assert schema["$defs"]["Band"]["required"] == ["name", "price", "from", "to"]


def test_a_clock_time_by_default_is_one_that_the_schema_allows():
    bedtime = json_schema()["properties"]["bedtime"]

    assert bedtime["default"] == "22:30"
    assert re.fullmatch(bedtime["pattern"], bedtime["default"])


def test_true_is_no_number_of_phases():
    with pytest.raises(BadDocument, match=r"leads\[0\]\.phases: true, expected one of 1, 2, 3"):
        read(json.dumps(a_document(leads=[a_lead(phases=True)])))
