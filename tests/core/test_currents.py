"""Every current side by side, worked out by hand."""

import pytest

from moonplan.core.currents import currents
from moonplan.core.household import Circuit
from moonplan.core.rates import Intake, Rate


def table(offered: list[float], kind: str = "dedicated", outlet_a: float | None = None):
    circuit = Circuit(id="c", kind=kind, breaker_a=32, outlet_a=outlet_a, voltage_v=230, continuous_factor=1.0)
    intake = Intake(volts=230, phases=1, most_wall_kw=7.36, onboard_kw=7.4, taper_from=1.0)
    return currents(offered, circuit=circuit, intake=intake, rate=Rate(0.9, 0.3), use_kwh_per_100km=20, to_charge_kwh=10)


def test_halving_the_current_more_than_halves_the_range():
    # 16 A: 3.68 kW, 3.012 in the battery; 8 A: 1.84 and 1.356.
    eight, sixteen = table([8, 16])

    assert sixteen.battery_kw == pytest.approx(3.012)
    assert eight.battery_kw == pytest.approx(1.356)
    assert eight.range_km_per_h < sixteen.range_km_per_h / 2
    assert sixteen.hours == pytest.approx(10 / 3.012)
    assert eight.lost == pytest.approx(1 - 1.356 / 1.84)
    # Per 100 km, 20 kWh aboard: 27.14 off the wall at 8 A, 24.44 at 16 A.
    assert eight.extra_kwh_per_100km == pytest.approx(20 * (1.84 / 1.356 - 3.68 / 3.012))
    assert sixteen.extra_kwh_per_100km == 0


def test_on_a_dedicated_circuit_the_highest_may_stay_on():
    assert [row.recommended for row in table([8, 16])] == [False, True]


def test_on_a_socket_a_step_under_three_quarters_of_it_is_recommended():
    # Three quarters of 13 A are 9.75.
    assert [row.recommended for row in table([6, 8, 10], "socket", 13)] == [False, True, False]


def test_a_current_that_the_overhead_eats_never_charges():
    row = table([1.0, 16])[0]

    assert (row.battery_kw, row.hours, row.extra_kwh_per_100km) == (0, None, None)


def test_a_hookup_that_does_not_charge_has_no_table():
    assert table([]) == []
