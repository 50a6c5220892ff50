"""Each caution fires where it should, and only there."""

from typing import Any

import pytest

from moonplan.core.cautions import cautions
from tests.core.factories import LOSSLESS, a_circuit, a_household, a_lead

SAFE: dict[str, Any] = {"circuits": [a_circuit(residual_current_protection=True)]}


def codes(**changes: Any) -> set[str]:
    return {caution.code for caution in cautions(a_household(**SAFE | changes))}


def circuit(**changes: Any) -> dict[str, Any]:
    return {"circuits": [a_circuit(residual_current_protection=True, **changes)]}


def test_an_ordinary_good_circuit_calls_for_none():
    assert codes() == set()


@pytest.mark.parametrize(
    ("code", "fires", "stays_quiet"),
    [
        ("lead-above-circuit", {"leads": [a_lead(max_a=80)]}, {"leads": [a_lead(max_a=16)]}),
        (
            "socket-continuous",
            circuit(kind="socket", outlet_a=16, socket_a=13),
            circuit(kind="socket", outlet_a=16, socket_a=10),
        ),
        ("socket-daily", circuit(kind="socket", outlet_a=16, socket_a=10), circuit()),
        ("breaker-above-wire", circuit(wire_a=13), circuit(wire_a=20)),
        ("low-voltage", {"rates": [LOSSLESS | {"voltage_v": 215}]}, {"rates": [LOSSLESS | {"voltage_v": 225}]}),
        ("no-residual-current-protection", {"circuits": [a_circuit()]}, circuit()),
        ("other-loads", circuit(other_load_a=4), circuit(other_load_a=0)),
        (
            "continuous-rule",
            {"supply": {"leg_voltage_v": 230, "legs": 3, "rating_a": 25, "continuous_factor": 0.8}},
            {"supply": {"leg_voltage_v": 230, "legs": 3, "rating_a": 25, "continuous_factor": 1.0}},
        ),
    ],
)
def test_a_caution_fires_where_it_should_and_not_elsewhere(code: str, fires: dict[str, Any], stays_quiet: dict[str, Any]):
    assert code in codes(**fires)
    assert code not in codes(**stays_quiet)


def test_a_circuit_that_no_car_hangs_on_is_not_spoken_of():
    spare = a_circuit(id="spare", other_load_a=3)

    assert codes(circuits=[*SAFE["circuits"], spare]) == set()


def test_a_caution_gives_the_figures_and_defers_to_an_electrician():
    told = cautions(a_household(**SAFE | circuit(kind="socket", outlet_a=16, socket_a=13)))[0]

    assert "13 A" in told.text
    assert "16 A socket" in told.text
    assert "electrician" in told.text
