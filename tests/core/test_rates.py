"""What reaches the battery of what the wall gives."""

import pytest

from moonplan.core.household import MeasuredRate
from moonplan.core.rates import ASSUMED, Intake, Rate, hookup_rate, range_km


def test_halving_the_current_more_than_halves_the_range():
    # 2.3 kW: 0.94 × 2.3 − 0.25 = 1.912 kW; 1.15 kW: 0.831 kW, well under half.
    assert ASSUMED.battery_kw(2.3) == pytest.approx(1.912)
    assert ASSUMED.battery_kw(1.15) < ASSUMED.battery_kw(2.3) / 2


def test_below_the_overhead_nothing_is_stored():
    assert ASSUMED.battery_kw(0.2) == 0


def test_the_wall_power_behind_a_battery_power_is_the_inverse():
    assert Rate(0.93, 0.27).wall_kw(Rate(0.93, 0.27).battery_kw(7.4)) == pytest.approx(7.4)


def test_a_measured_rate_without_a_cautious_end_loses_two_points_and_sixty_watts():
    measured = MeasuredRate(vehicle="heron", lead="unit", efficiency=0.93, overhead_kw=0.27, voltage_v=228)

    rate = hookup_rate(measured, nominal_v=230)

    assert rate.cautious.efficiency == pytest.approx(0.91)
    assert rate.cautious.overhead_kw == pytest.approx(0.33)
    assert (rate.volts, rate.source) == (228, "measured")


def test_unmeasured_is_marked_as_assumed():
    rate = hookup_rate(None, nominal_v=230)

    assert (rate.source, rate.volts) == ("assumed", 230)
    assert (rate.cautious.efficiency, rate.cautious.overhead_kw) == (0.90, 0.40)


def test_power_never_exceeds_the_on_board_charger_whatever_the_volts():
    # Measured 245 V × 16 A would be 3.92 kW; the charger's 16 A at nominal 230 V are 3.68 kW.
    intake = Intake(volts=245, phases=1, most_wall_kw=16 * 230 / 1000, onboard_kw=3.6, taper_from=1.0)

    assert intake.wall_kw(16) == pytest.approx(3.68)
    assert intake.wall_kw(10) == pytest.approx(2.45)


def test_the_pack_takes_less_near_full():
    # At 97.5 %, half-way from 95 to 100: (0.94 × 11 − 0.25) × (1 − 0.75 × 0.5) = 6.30625 kW.
    intake = Intake(volts=230, phases=3, most_wall_kw=11.04, onboard_kw=11, taper_from=0.95)

    battery_kw, wall_kw = intake.accepted(16, 0.975, ASSUMED)

    assert battery_kw == pytest.approx(6.30625)
    assert wall_kw == pytest.approx((6.30625 + 0.25) / 0.94)
    assert intake.accepted(16, 0.95, ASSUMED)[1] == pytest.approx(11.04)


def test_range_is_at_the_household_s_own_consumption():
    assert range_km(8.73, 14.1) == pytest.approx(61.9, abs=0.05)
