"""The limit chain: what a hook-up delivers, and which link decides it."""

from typing import Any

import pytest

from moonplan.core.hookup import DoesNotCharge, chain, delivery, delivery_of, onboard_amps
from tests.core.factories import a_car, a_circuit, a_household, a_lead


def test_an_old_cable_halves_a_good_wall_unit():
    # 32 A everywhere but the cable: 16 A × 230 V = 3.68 kW, and a bigger car converter would change nothing.
    links = {"circuit": 32.0, "lead": 32.0, "cable": 16.0, "car": 32.0}

    got = delivery(links, volts=230, phases=1)

    assert got.amps == 16
    assert got.wall_kw == pytest.approx(3.68)
    assert got.bottleneck == "cable"
    more = delivery(links | {"car": 48.0}, volts=230, phases=1)
    assert (more.amps, more.bottleneck) == (got.amps, got.bottleneck)


def test_a_breaker_carries_four_fifths_for_hours_where_the_rule_says_so():
    # 50 A × 0.8 = 40 A × 240 V = 9.6 kW; raise the breaker and the 48 A unit decides.
    got = delivery({"circuit": 50 * 0.8, "lead": 48.0, "car": 48.0}, volts=240, phases=1)

    assert got.wall_kw == pytest.approx(9.6)
    assert (got.bottleneck, got.next_link) == ("circuit", "lead")


def test_equal_links_name_the_first_in_the_table():
    assert delivery({"circuit": 16.0, "lead": 16.005, "car": 32.0}, volts=230, phases=1).bottleneck == "circuit"


def test_a_lead_with_steps_takes_the_largest_not_above():
    got = delivery({"circuit": 12.0, "lead": 13.0}, volts=230, phases=1, steps_a=(6, 8, 10, 13))

    assert got.amps == 10
    assert got.bottleneck == "circuit"
    assert got.lost_to_steps_a == pytest.approx(2)


def test_under_six_amps_a_car_does_not_charge_and_the_link_is_named():
    with pytest.raises(DoesNotCharge) as refused:
        delivery({"circuit": 5.0, "lead": 16.0}, volts=230, phases=1)

    assert (refused.value.link, refused.value.amps, refused.value.least_a) == ("circuit", 5.0, 6.0)


def test_a_circuit_on_which_other_things_take_more_than_it_carries_leaves_nothing():
    household = a_household(circuits=[a_circuit(other_load_a=40)])

    with pytest.raises(DoesNotCharge, match="the circuit leaves 0 A, and charging starts at 6 A"):
        delivery_of(household, household.vehicles[0])


def test_a_least_current_above_the_chain_is_an_answer_and_not_a_zero():
    household = a_household(leads=[a_lead(min_a=20)])

    with pytest.raises(DoesNotCharge, match="the circuit leaves 16 A, and charging starts at 20 A"):
        delivery_of(household, household.vehicles[0])


@pytest.mark.parametrize(
    ("leg_v", "onboard_kw", "phases", "amps"),
    [
        (230, 11, 3, 16),  # 11000 / 690 = 15.94
        (230, 3.6, 1, 16),  # 15.65
        (120, 7.7, 1, 32),  # rated at 240 V where the legs are 120 V: 32.08
        (230, 7.4, 1, 32),
    ],
)
def test_the_on_board_charger_in_whole_amps(leg_v: float, onboard_kw: float, phases: int, amps: float):
    household = a_household(
        supply={"leg_voltage_v": leg_v, "legs": 3, "rating_a": 63, "continuous_factor": 1.0},
        vehicles=[a_car(onboard_kw=onboard_kw, onboard_phases=phases)],
    )

    assert onboard_amps(household.vehicles[0], household.supply) == amps


def test_a_three_phase_charger_takes_no_more_on_one_phase():
    household = a_household(
        circuits=[a_circuit(breaker_a=32, phases=1)],
        leads=[a_lead(max_a=32, phases=1)],
        vehicles=[a_car(onboard_kw=11, onboard_phases=3)],
    )

    got = delivery_of(household, household.vehicles[0])

    assert (got.amps, got.phases, got.bottleneck) == (16, 1, "car")
    assert got.wall_kw == pytest.approx(16 * 230 / 1000)


def test_an_ordinary_socket_is_held_to_what_it_bears_for_hours():
    household = a_household(
        circuits=[a_circuit(kind="socket", breaker_a=20, outlet_a=16, other_load_a=3)], leads=[a_lead(max_a=13)]
    )
    car, lead, circuit = household.vehicles[0], household.leads[0], household.circuits[0]

    # breaker 20 − 3 of other things; a 16 A socket bears 10 A for hours.
    assert chain(circuit, lead, car, household.supply) == {"circuit": 17, "outlet": 10, "lead": 13, "car": 16}


def test_a_plugged_in_lead_on_a_dedicated_circuit_has_an_outlet_link():
    household = a_household(circuits=[a_circuit(breaker_a=40, wire_a=32, outlet_a=32, continuous_factor=0.8)])
    links = chain(household.circuits[0], household.leads[0], household.vehicles[0], household.supply)

    assert links["circuit"] == pytest.approx(32 * 0.8)
    assert links["outlet"] == pytest.approx(32 * 0.8)


def _costs_power(**changed: Any) -> tuple[str, ...]:
    circuit = a_circuit(breaker_a=32, phases=3) | changed.get("circuit", {})
    lead = a_lead(max_a=32, phases=3) | changed.get("lead", {})
    car = a_car(onboard_kw=22, onboard_phases=3) | changed.get("car", {})
    household = a_household(circuits=[circuit], leads=[lead], vehicles=[car])
    return delivery_of(household, household.vehicles[0]).costs_power


def test_what_steps_and_phases_cost_is_told():
    assert _costs_power() == ()
    assert _costs_power(circuit={"phases": 1}, lead={"phases": 1}, car={"onboard_phases": 1}) == ()
    assert _costs_power(circuit={"wire_a": 25}, lead={"steps_a": [10, 16, 32]}) == (
        "the lead's steps allow 16 A of the 25 A",
    )
    assert _costs_power(lead={"cable_phases": 1}) == ("1 of 3 phases, since the cable carries no more",)
    assert _costs_power(lead={"phases": 1}, car={"onboard_kw": 7.4, "onboard_phases": 1}) == (
        "1 of 3 phases, since the lead and the car carry no more",
    )
