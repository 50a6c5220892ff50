"""Each caution fires where it should, and only there."""

from typing import Any

import pytest

from moonplan.core.cautions import RULES, cautions
from tests.core.factories import LOSSLESS, a_car, a_circuit, a_household, a_lead

HOUSE = {"base_load_kw": [["00:00", 0.5]]}
SAFE: dict[str, Any] = {"circuits": [a_circuit(residual_current_protection=True)]} | HOUSE
SUPPLY = {"leg_voltage_v": 230, "legs": 3, "rating_a": 25, "continuous_factor": 1.0}


def codes(**changes: Any) -> set[str]:
    return {caution.code for caution in cautions(a_household(**SAFE | changes))}


def circuit(**changes: Any) -> dict[str, Any]:
    return {"circuits": [a_circuit(residual_current_protection=True, **changes)]}


def lead(**changes: Any) -> dict[str, Any]:
    return {"leads": [a_lead(**changes)]}


def unknown_house(rating_a: float, **changes: Any) -> dict[str, Any]:
    return {"base_load_kw": [], "supply": SUPPLY | {"rating_a": rating_a} | changes}


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
        # 40 A for hours are 80 % of a 50 A breaker: a unit set to 48 A asks for more.
        (
            "lead-above-circuit",
            circuit(breaker_a=50, continuous_factor=0.8) | lead(max_a=48),
            circuit(breaker_a=60, continuous_factor=0.8) | lead(max_a=48),
        ),
        ("lead-above-circuit", circuit(kind="socket", outlet_a=10), circuit(kind="socket", outlet_a=16)),
        (
            "uninspected-socket",
            circuit(kind="socket", outlet_a=16),
            circuit(kind="socket", outlet_a=16, inspected=True),
        ),
        ("new-work", circuit(new_work=True), circuit(new_work=False)),
        ("combined-outlets", lead(combines_outlets=True), lead(combines_outlets=False)),
        ("extension-lead", lead(extension=True), lead()),
        ("cable-route", lead(across="window"), lead()),
        ("weather-rating", lead(outdoors=True), lead(outdoors=True, weather_rated=True)),
        ("no-restart", lead(restarts=False), lead(restarts=True)),
        # 16 A for the car and 6.9 kW over three legs of 230 V, 10 A: 26 of 25 A; half the house leaves 21 of them.
        (
            "supply-near-limit",
            {"base_load_kw": [["00:00", 6.9]], "supply": SUPPLY},
            {"base_load_kw": [["00:00", 3.45]], "supply": SUPPLY},
        ),
        # 16 A for the car alone are more than half of 25 A; of 35 A they are not, and 5 A kept free are for the house.
        ("house-load-unknown", unknown_house(25), unknown_house(35)),
        ("house-load-unknown", unknown_house(25), unknown_house(25, base_margin_a=5)),
        ("house-load-unknown", unknown_house(25), unknown_house(25) | HOUSE),
        ("socket-daily", circuit(kind="socket", outlet_a=16, socket_a=10), circuit()),
        ("breaker-above-wire", circuit(wire_a=13), circuit(wire_a=20)),
        ("low-voltage", {"rates": [LOSSLESS | {"voltage_v": 215}]}, {"rates": [LOSSLESS | {"voltage_v": 225}]}),
        ("no-residual-current-protection", {"circuits": [a_circuit()]}, circuit()),
        ("other-loads", circuit(other_load_a=4), circuit(other_load_a=0)),
        (
            "continuous-rule",
            {"supply": SUPPLY | {"continuous_factor": 0.8}},
            {"supply": SUPPLY},
        ),
    ],
)
def test_a_caution_fires_where_it_should_and_not_elsewhere(code: str, fires: dict[str, Any], stays_quiet: dict[str, Any]):
    assert code in codes(**fires)
    assert code not in codes(**stays_quiet)


def test_leads_that_share_count_toward_the_supply_with_what_their_circuit_and_feeder_carry():
    # Two leads of 16 A on a circuit of 20 A, and 10 A of the house: 30 A on a leg of a supply of 32 A is near, of 34 not.
    # Behind a feeder of 18 A, on which another load takes 2 A, it is 26 A.
    leads = {"leads": [a_lead(), a_lead(id="second")]}
    cars = {"vehicles": [a_car(), a_car(id="other", lead="second")]}
    shared = circuit(breaker_a=20, sharing="free") | leads | cars | {"base_load_kw": [["00:00", 6.9]]}
    feeder = {"id": "carport-panel", "rating_a": 18, "continuous_factor": 1.0, "other_load_a": 2}
    behind = shared | {"feeders": [feeder]} | circuit(breaker_a=20, sharing="free", feeder="carport-panel")

    def near(rating_a: float, of: dict[str, Any]) -> bool:
        return "supply-near-limit" in codes(**of | {"supply": SUPPLY | {"rating_a": rating_a}})

    assert [near(amps, shared) for amps in (32, 34)] == [True, False]
    assert [near(amps, behind) for amps in (28, 29.5)] == [True, False]
    # With more than it bears behind the feeder already the leads get nothing from it, and take nothing off the house's 10 A.
    laden = behind | {"feeders": [feeder | {"other_load_a": 30}]}
    assert [near(amps, laden) for amps in (11, 12)] == [True, False]


def test_a_circuit_that_no_car_hangs_on_is_not_spoken_of():
    spare = a_circuit(id="spare", other_load_a=3)

    assert codes(circuits=[*SAFE["circuits"], spare]) == set()


def test_a_caution_gives_the_figures_and_defers_to_an_electrician():
    told = cautions(a_household(**SAFE | circuit(kind="socket", outlet_a=16, socket_a=13)))[0]

    assert (told.about, told.subject) == ("lead", "unit")
    assert "13 A" in told.because
    assert "16 A socket" in told.text
    assert "electrician" in told.text


def test_every_rule_has_a_night_on_which_it_fires():
    tried = {case[0] for case in test_a_caution_fires_where_it_should_and_not_elsewhere.pytestmark[0].args[1]}

    assert tried == {rule.code for rule in RULES}


def test_a_changed_figure_is_another_reason():
    # What was read of 13 A does not cover 16 A.
    first, second = (
        next(
            c
            for c in cautions(a_household(**circuit(kind="socket", outlet_a=16, socket_a=a)))
            if c.code == "socket-continuous"
        )
        for a in (13, 15)
    )
    assert (first.code, first.subject) == (second.code, second.subject)
    assert first.because != second.because
