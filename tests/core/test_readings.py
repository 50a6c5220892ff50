"""What readings measure, why they are off, and the document that they come in."""

import json
from pathlib import Path
from typing import Any

import pytest

from moonplan.cli import main
from moonplan.core.explanation import learn, rate_document
from moonplan.core.mistakes import BadDocument
from moonplan.core.readings import Reading, measured, read

EXAMPLE = str(Path(__file__).parents[1] / "examples" / "readings.json")
AT = "2026-01-10T22:20:00+01:00"


def a_display(**changes: Any) -> dict[str, Any]:
    """10 A at 230 V, ten minutes and more after plugging in."""
    return {"kind": "display", "at": AT, "minutes": 20, "volts": 230, "amps": 10, "soc_pct": 50} | changes


def a_document(*readings: dict[str, Any], **changes: Any) -> dict[str, Any]:
    return {
        "format": "moonplan-readings/1",
        "hookup": {"voltage_v": 230, "limit_a": 13, "links": {"circuit": 16, "outlet": 10, "lead": 13, "car": 16}},
        "vehicle": {"usable_kwh": 20, "onboard_kw": 3.6, "use_kwh_per_100km": 14, "rated_kwh_per_100km": 12.5},
        "readings": list(readings),
    } | changes


def one(**changes: Any) -> tuple[Reading, Any]:
    document = read(json.dumps(a_document(a_display(**changes))))
    return document.readings[0], measured(document.readings[0], document.hookup, document.vehicle)


def cause(*readings: dict[str, Any]) -> str | None:
    return learn(read(json.dumps(a_document(*readings)))).readings[-1].cause


def test_range_per_hour_is_converted_with_the_car_s_rated_consumption():
    # 16 km/h at 12.5 kWh per 100 km are 2 kW, whatever the household itself uses; 10 mph are 16.09 km/h.
    assert one(range_per_h=16)[1].battery_kw == pytest.approx(2.0)
    assert one(range_per_h=10, range_unit="mi")[1].battery_kw == pytest.approx(10 * 1.609344 * 0.125)
    assert one(range_per_h=16)[1].wall_kw == pytest.approx(2.3)


def test_a_meter_reading_is_energy_over_time_on_both_sides():
    # 17.4 kWh in 7 h 45 min, and 64 % of 22 kWh.
    told = json.loads(Path(EXAMPLE).read_text())
    document = read(json.dumps(told))
    found = measured(document.readings[1], document.hookup, document.vehicle)

    assert found.wall_kw == pytest.approx(17.4 / 7.75)
    assert found.battery_kw == pytest.approx(0.64 * 22 / 7.75)
    # Either SoC is rounded to 1 %: the difference of two even errors has a deviation of 1/√6 of a digit.
    assert found.noise_kw == pytest.approx(0.01 * 22 / 7.75 / 6**0.5)


def test_an_estimate_is_the_energy_to_the_limit_over_its_hours():
    document = read(Path(EXAMPLE).read_bytes())
    assert measured(document.readings[3], document.hookup, document.vehicle).battery_kw == pytest.approx(0.3 * 22 / 3.5)


@pytest.mark.parametrize(
    ("changes", "why"),
    [
        ({"minutes": 4}, "ramping"),
        ({"cabin_on": True}, "cabin"),
        ({"soc_pct": 97}, "taper"),
        ({"range_per_h": None}, "nothing measured"),
        ({}, None),
    ],
)
def test_what_is_kept_but_not_fitted_says_why(changes: dict[str, Any], why: str | None):
    assert one(**{"range_per_h": 15} | changes)[1].not_fitted == why


# Expected at 10 A: 0.94 × 2.3 − 0.25 = 1.91 kW, or 15.3 km/h; a tenth of it is 1.5 km/h.
@pytest.mark.parametrize(
    ("reading", "told"),
    [
        (a_display(range_per_h=12.5, amps=8.5), None),
        (a_display(range_per_h=8, minutes=3), "ramping"),
        (a_display(range_per_h=11, amps=12, cabin_on=True), "cabin"),
        (a_display(range_per_h=11, amps=12, soc_pct=97), "taper"),
        (a_display(range_per_h=11, amps=12, temperature_c=-4), "cold"),
        # The lead should give 13 A, 2.56 kW; 10 A are what the outlet lets through.
        (a_display(range_per_h=15), "link:outlet"),
        (a_display(range_per_h=14, amps=12, volts=205), "voltage"),
        (a_display(range_per_h=9, amps=12), "unexplained"),
    ],
)
def test_a_reading_is_explained_by_the_first_cause_that_fits(reading: dict[str, Any], told: str | None):
    assert cause(reading) == told


def test_a_cold_pack_does_not_explain_more_than_was_expected():
    assert cause(a_display(range_per_h=26, amps=12, temperature_c=-4)) == "unexplained"


def test_readings_at_one_current_ask_for_one_at_another():
    advice = rate_document(read(json.dumps(a_document(a_display(range_per_h=15), a_display(range_per_h=15)))))["advice"]

    assert "at one current" in advice
    assert "6 A" in advice


def test_an_excluded_reading_is_kept_and_does_not_count():
    with_it = rate_document(read(json.dumps(a_document(a_display(range_per_h=9, amps=12)))))
    without = rate_document(read(json.dumps(a_document(a_display(range_per_h=9, amps=12, excluded=True)))))

    assert with_it["efficiency"] < without["efficiency"]
    assert without["readings"][0]["fitted"] is False


def test_volts_under_load_are_those_of_the_fitted_readings():
    readings = [a_display(range_per_h=15, volts=volts) for volts in (224, 226, 228)]
    document = read(json.dumps(a_document(*readings, a_display(range_per_h=9, volts=190, cabin_on=True))))

    assert rate_document(document)["voltage_v"] == 226


@pytest.mark.parametrize(
    ("reading", "path", "expected"),
    [
        (
            {"kind": "meter", "start": AT, "end": AT, "wall_kwh": 3, "soc_from_pct": 20, "soc_to_pct": 40},
            "end",
            "after start",
        ),
        ({"kind": "meter", "wall_kwh": 3, "soc_from_pct": 20, "soc_to_pct": 40}, "start", "when it began"),
        ({"kind": "display", "at": AT}, "kw", "kW, range per hour or amps"),
        ({"kind": "estimate", "at": AT, "soc_pct": 90, "to_pct": 80, "hours": 1}, "to_pct", "more than soc_pct (90)"),
        ({"kind": "display", "at": AT, "kw": 2, "volts": 12}, "volts", "50 to 1000"),
        ({"kind": "guess", "at": AT}, "kind", "display"),
    ],
)
def test_a_reading_that_cannot_be_is_refused_by_its_path(reading: dict[str, Any], path: str, expected: str):
    with pytest.raises(BadDocument) as refused:
        read(json.dumps(a_document(a_display(range_per_h=15), reading)))

    assert refused.value.mistakes[0].path == f"readings[1].{path}"
    assert expected in refused.value.mistakes[0].expected


def test_the_command_line_answers_a_readings_document(capfd: pytest.CaptureFixture[str]):
    assert main(["rates", EXAMPLE, "--json"]) == 0
    told = json.loads(capfd.readouterr().out)

    assert told["format"] == "moonplan-rate/1"
    assert [p["wall_kw"] for p in told["predictions"]] == [1.4, 2.3, 2.9]
    assert all(p["low_kw"] < p["mean_kw"] < p["high_kw"] for p in told["predictions"])
    assert [r["fitted"] for r in told["readings"]] == [True] * 4
    assert main(["rates", EXAMPLE]) == 0
    assert "battery kW = " in capfd.readouterr().out
