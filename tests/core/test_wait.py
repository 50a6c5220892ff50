"""Waiting for a day's sun: what it costs if it comes and if it doesn't, worked out by hand, and the chance that it pays."""

from dataclasses import replace
from datetime import date

import pytest

from moonplan.core.household import Household
from moonplan.core.planner.wait import waiting
from moonplan.core.sun import SkyFactor
from tests.core.factories import a_car, a_household, a_lead

THURSDAY = date(2026, 1, 15)


def a_sunny_thursday(**changes) -> Household:
    """A lossless 50 kWh car at half that, which stops at 60 %, is to have 5 kWh more by Friday noon.

    A kWh costs 0.10 by night and 0.30 by day, and earns 0.04.

    On Thursday from 10:00 to 14:00 the roof leaves exactly what the car takes at 16 A: 3.68 kW.
    """
    return a_household(
        horizon_nights=2,
        leads=[a_lead(steps_a=[16])],
        vehicles=[a_car(end_pct=60, daily_limit_pct=60)],
        tariff={
            "default_price": 0.30,
            "export_price": 0.04,
            "bands": [{"name": "night", "price": 0.10, "from": "22:00", "to": "06:00"}],
        },
        solar_kw=[["2026-01-15T10:00:00+01:00", 3.68], ["2026-01-15T14:00:00+01:00", 0.0]],
        **changes,
    )


SKY = SkyFactor(low=0.3, middle=0.6, high=0.9)


def test_five_kwh_of_sun_cost_what_they_would_have_earned():
    found = waiting(a_sunny_thursday(), "heron", THURSDAY, SKY)

    assert found is not None
    assert found.solar_kwh == pytest.approx(5, abs=0.01)
    # Without the sun five kWh at night: 0.50. With it, five that would have earned 0.04 each: 0.20.
    assert found.cost_now == pytest.approx(0.50, abs=0.01)
    assert found.cost_middle == pytest.approx(0.20, abs=0.01)
    # If the day brings half of what is forecast, half of five whole slots (4.6 kWh) come from the grid at 0.30; the last
    # 0.4 kWh are little enough for the sun alone.
    assert found.cost_low == pytest.approx(2.3 * 0.30 + 2.7 * 0.04, abs=0.001)
    assert (found.short_kwh, found.worth_it) == (0, True)


def test_it_pays_from_where_grid_and_sun_together_cost_the_night_s_price():
    found = waiting(a_sunny_thursday(), "heron", THURSDAY, SKY)

    # A part x of 4.6 kWh from the sun: 4.6 (0.04 x + 0.30 (1 − x)) + 0.4 × 0.04 = 0.50, so x = 0.896 / 1.196 of the
    # middle's 0.6; factors are looked at by the hundredth.
    assert found is not None
    assert found.pays_from == pytest.approx(0.6 * 0.896 / 1.196, abs=0.011)
    assert found.chance == pytest.approx(SKY.chance_of_at_least(found.pays_from))
    assert 0.5 < found.chance < 0.9


def test_where_feeding_in_earns_more_than_the_night_costs_no_sun_pays():
    dear = a_sunny_thursday()
    dear = replace(dear, tariff=replace(dear.tariff, export_price=0.12))
    found = waiting(dear, "heron", THURSDAY, SKY)

    assert found is not None
    assert (found.pays_from, found.chance) == (None, 0.0)
    assert found.cost_middle > found.cost_now
    assert not found.worth_it


def test_a_car_that_is_out_all_day_has_nothing_to_wait_for():
    trip = {"vehicle": "heron", "leave": "2026-01-15T07:00:00+01:00", "back": "2026-01-15T18:00:00+01:00", "km": 10}

    assert waiting(a_sunny_thursday(trips=[trip]), "heron", THURSDAY, SKY) is None


def test_the_other_car_keeps_to_its_habit():
    two = a_sunny_thursday()
    other = replace(two.vehicles[0], id="wren", soc_pct=60.0, end_pct=60.0)
    found = waiting(replace(two, vehicles=(*two.vehicles, other)), "wren", THURSDAY, SKY)

    # Wren has what it wants: nothing to charge, nothing to wait for.
    assert found is None
