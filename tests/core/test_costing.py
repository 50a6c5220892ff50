"""The cost of charging: with the cars less without them."""

import numpy as np
import pytest

from moonplan.core.costing import ev_cost
from moonplan.core.sun import base_load_kw, solar_kw
from moonplan.core.timegrid import grid_for
from tests.core.factories import a_household


def cost_of(ev: float, *, base: float, sun: float, price: float = 0.3, export: float = 0.04):
    one = np.ones(1)
    return ev_cost(one * ev, base_kw=one * base, solar_kw=one * sun, price=one * price, export_price=one * export, hours=1.0)


def test_own_sun_costs_the_export_price_it_gave_up():
    # 3 kW of sun over a house of 1: 2 are left. A car of 2.5 takes those 2 and 0.5 from the grid.
    got = cost_of(2.5, base=1, sun=3)

    assert got.solar_kwh[0] == pytest.approx(2)
    assert got.cost[0] == pytest.approx(2 * 0.04 + 0.5 * 0.3)


def test_without_sun_every_kwh_is_bought():
    assert cost_of(2, base=1, sun=0).cost[0] == pytest.approx(0.6)


def test_a_price_below_zero_pays_for_charging():
    assert cost_of(2, base=1, sun=0, price=-0.05).cost[0] == pytest.approx(-0.10)


def test_two_cars_split_cost_and_sun_by_their_share_of_wall_energy():
    got = cost_of(4, base=0, sun=2)
    small = got.share(np.array([1.0]), np.array([4.0]))

    assert small.cost[0] == pytest.approx(got.cost[0] / 4)
    assert small.solar_kwh[0] == pytest.approx(0.5)


def test_the_house_by_the_clock_and_its_last_step_before_the_first():
    household = a_household(
        base_load_kw=[["06:30", 1.0], ["22:30", 0.4]],
        solar_kw=[["2026-01-15T08:30:00+01:00", 2], ["2026-01-15T10:00:00+01:00", 0]],
    )
    grid = grid_for(household.now, nights=1, slot_minutes=60, zone=household.zone)
    hour = {start.hour: i for i, start in enumerate(grid.starts[:-1])}
    base, sun = base_load_kw(household, grid), solar_kw(household, grid)

    assert base[hour[21]] == pytest.approx(1.0)
    assert base[hour[22]] == pytest.approx((1.0 + 0.4) / 2)
    assert base[hour[3]] == pytest.approx(0.4)
    assert [sun[hour[8]], sun[hour[9]], sun[hour[10]]] == pytest.approx([1.0, 2.0, 0.0])
