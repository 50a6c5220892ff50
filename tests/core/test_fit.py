"""The fit against cars whose efficiency and overhead are known, and against what must hold of any fit."""

from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from moonplan.core.fit import Point, fit, hookup_rate_of
from moonplan.core.rates import ASSUMED

efficiencies, overheads = st.floats(0.87, 0.97), st.floats(0.10, 0.45)
WALLS = np.linspace(1.38, 3.68, 12)


def clean(efficiency: float, overhead: float, walls: list[float], noise: float = 0.01) -> list[Point]:
    """Readings without error, that say of themselves how fine they are."""
    return [Point(wall, efficiency * wall - overhead, noise * wall) for wall in walls]


def furthest_off(points: list[Point], efficiency: float, overhead: float) -> float:
    """The largest relative error of the mean rate over the whole range of the hook-up."""
    rate = fit(points).rate
    return max(abs(rate.battery_kw(w) - (efficiency * w - overhead)) / (efficiency * w - overhead) for w in WALLS)


def test_without_readings_it_is_what_is_assumed():
    # A normal prior cut at 0.98 and at 0 moves its mean a little inward.
    assert fit([]).rate.efficiency == pytest.approx(ASSUMED.efficiency, abs=0.01)
    assert fit([]).rate.overhead_kw == pytest.approx(ASSUMED.overhead_kw, abs=0.02)


@settings(max_examples=25)
@given(efficiencies, overheads)
def test_six_clean_readings_at_two_currents_come_within_three_per_cent(efficiency: float, overhead: float):
    assert furthest_off(clean(efficiency, overhead, [1.38, 1.38, 1.38, 3.68, 3.68, 3.68]), efficiency, overhead) < 0.03


@settings(max_examples=25)
@given(efficiencies, overheads)
def test_twenty_come_within_one_per_cent(efficiency: float, overhead: float):
    assert furthest_off(clean(efficiency, overhead, [1.38] * 10 + [3.68] * 10, 0.005), efficiency, overhead) < 0.01 + 1e-3


@settings(max_examples=25)
@given(st.floats(1.4, 3.6), st.floats(0.5, 0.97) | st.floats(1.03, 1.5))
def test_one_reading_moves_the_rate_towards_itself_and_never_outside_physics(wall: float, part: float):
    # One that is off by its own noise or more: one that is as expected only narrows the cut-off prior, which shifts its
    # mean by a thousandth.
    before = fit([]).rate.battery_kw(wall)
    seen = part * before
    rate = fit([Point(wall, seen, 0.03 * seen)]).rate

    assert (rate.battery_kw(wall) - before) * (seen - before) >= -1e-9
    assert 0.80 <= rate.efficiency <= 0.98
    assert 0 <= rate.overhead_kw <= 1


@settings(max_examples=20)
@given(st.lists(st.tuples(st.floats(1.4, 3.6), st.floats(0.9, 1.1)), min_size=2, max_size=6), st.randoms())
def test_the_order_of_readings_does_not_matter(seen: list[tuple[float, float]], chance: Any):
    points = [Point(wall, part * (0.94 * wall - 0.25), 0.05) for wall, part in seen]
    mixed = list(points)
    chance.shuffle(mixed)

    assert fit(mixed).rate.efficiency == pytest.approx(fit(points).rate.efficiency, abs=1e-9)


def test_the_band_covers_a_night_in_about_four_of_five_households():
    # 500 households off the prior, eight readings each at two currents, with 3 % scatter from night to night and 2 % noise.
    chance = np.random.default_rng(7)
    inside = 0
    for _ in range(500):
        efficiency = float(np.clip(chance.normal(0.94, 0.03), 0.80, 0.98))
        overhead = float(np.clip(chance.normal(0.25, 0.12), 0.0, 1.0))
        points = []
        for wall in (1.38, 3.68) * 4:
            truth = (efficiency * wall - overhead) * (1 + chance.normal(0, 0.03))
            points.append(Point(wall, float(truth + chance.normal(0, 0.02 * truth)), 0.02 * truth))
        wall = float(chance.uniform(1.38, 3.68))
        night = (efficiency * wall - overhead) * (1 + chance.normal(0, 0.03))
        told = fit(points).predict(wall)
        inside += told.low_kw <= night <= told.high_kw

    assert 0.75 <= inside / 500 <= 0.85


def test_a_rogue_reading_moves_the_rate_by_no_more_than_its_weight():
    good = clean(0.93, 0.27, [1.38, 2.3, 3.68] * 4, 0.03)
    usual = fit(good).rate.battery_kw(3.0)
    rogue = fit([*good, Point(3.0, 1.2, 0.09)]).rate.battery_kw(3.0)

    # One of thirteen readings for two unknowns, 1.3 kW off: on average a reading has two thirteenths of the say.
    assert 0 < usual - rogue < 1.32 * 2 / 13


def test_the_cautious_line_is_below_the_mean_at_both_ends():
    found = hookup_rate_of(fit(clean(0.93, 0.27, [1.38, 3.68] * 3, 0.03)), least_wall_kw=1.38, most_wall_kw=3.68, volts=228)

    assert found.source == "measured"
    for wall in (1.38, 3.68):
        assert found.cautious.battery_kw(wall) < found.mean.battery_kw(wall)
        assert found.cautious.battery_kw(wall) > 0.9 * found.mean.battery_kw(wall)
