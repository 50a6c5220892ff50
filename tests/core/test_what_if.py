"""One link changed at a time: what it gives, and what decides then."""

import pytest

from moonplan.core.household import checked
from moonplan.core.rates import Rate
from moonplan.core.what_if import Change, changed, outlook
from tests.core.factories import a_car, a_circuit, a_household, a_lead, a_trip

RATE = Rate(1.0, 0.0)


def seen(change: Change, **household: object):
    return outlook(changed(a_household(**household), "heron", "unit", change), "heron", RATE)


def test_a_better_link_that_is_not_the_bottleneck_changes_nothing():
    as_it_is, cable = seen(Change()), seen(Change(cable_a=32))

    assert as_it_is.delivery.amps == cable.delivery.amps == 16
    assert as_it_is.battery_kw == pytest.approx(3.68)


def test_a_bigger_circuit_and_lead_leave_the_car_to_decide():
    # 32 A everywhere, and a 3.68 kW converter takes 16 A of them.
    got = seen(Change(breaker_a=32, lead_a=32))
    assert (got.delivery.amps, got.delivery.bottleneck) == (16, "car")
    # With 7.36 kW it is 32 A: twice the range, half the hours.
    bigger = seen(Change(breaker_a=32, lead_a=32, onboard_kw=7.36))
    assert bigger.battery_kw == pytest.approx(7.36)
    assert bigger.hours == pytest.approx(got.hours / 2)


def test_a_dedicated_circuit_does_away_with_the_socket():
    socket = [a_circuit(kind="socket", outlet_a=16)]

    assert seen(Change(), circuits=socket).delivery.amps == 10
    assert seen(Change(dedicated=True), circuits=socket).delivery.amps == 16


def test_range_in_the_night_lasts_until_the_next_departure_and_no_further_than_full():
    # 18:00 to 06:00 at 3.68 kW are 44 kWh, 220 km; half of 50 kWh is free, 125 km.
    trip = [a_trip("2026-01-15T06:00:00+01:00", "2026-01-15T18:00:00+01:00", 10)]
    assert seen(Change(), trips=trip).night_km == pytest.approx(125)
    # At 6 A, 1.38 kW, it is 16.56 kWh: 82.8 km.
    assert seen(Change(ceiling_a=6), trips=trip).night_km == pytest.approx(82.8)


def test_too_little_current_says_so():
    got = seen(Change(lead_a=5))

    assert (got.delivery, got.battery_kw, got.hours) == (None, 0, None)
    assert "charging starts at 6 A" in got.no_charge


def test_three_phases_on_a_one_phase_car_change_nothing():
    assert seen(Change(phases=3)).delivery.phases == 1
    three = seen(Change(phases=3), vehicles=[a_car(onboard_phases=3, onboard_kw=11)], leads=[a_lead()])
    assert three.delivery.wall_kw == pytest.approx(3 * 3.68)


@pytest.mark.parametrize(
    ("legs", "phases", "asked", "then"),
    [(["L2"], 1, 3, ("L2", "L1", "L3")), (["L1", "L2", "L3"], 3, 1, ("L1",)), (["L3"], 1, 2, ("L3", "L1"))],
)
def test_other_phases_take_the_circuits_own_legs_first(legs: list[str], phases: int, asked: int, then: tuple[str, ...]):
    household = a_household(circuits=[a_circuit(legs=legs, phases=phases)], leads=[a_lead(phases=phases)])
    circuit = checked(changed(household, "heron", "unit", Change(phases=asked))).circuit("carport")

    assert (circuit.phases, circuit.legs) == (asked, then)


def test_a_circuit_across_two_legs_stays_on_both():
    supply = {"leg_voltage_v": 120, "legs": 2, "rating_a": 100, "continuous_factor": 0.8}
    household = a_household(supply=supply, circuits=[a_circuit(voltage_v=240, legs=["L1", "L2"])])

    assert changed(household, "heron", "unit", Change(phases=1)).circuit("carport").legs == ("L1", "L2")
