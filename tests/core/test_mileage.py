"""What a trip takes, and what must be aboard."""

import pytest

from moonplan.core.mileage import needed_soc, on_the_way_kwh, required_soc, trip_kwh, weather_factor
from tests.core.factories import a_car, a_household, a_trip


def the_trip(km: float, car: dict[str, object] | None = None, **changes: object):
    trip = a_trip("2026-01-15T07:00:00+01:00", "2026-01-15T18:00:00+01:00", km, **changes)
    household = a_household(vehicles=[a_car(**(car or {}))], trips=[trip])
    return household.trips[0], household.vehicles[0]


@pytest.mark.parametrize(("celsius", "factor"), [(None, 1), (20, 1), (15, 1), (5, 1.1), (-3, 1.18), (-40, 1.35)])
def test_cold_costs_one_per_cent_a_degree_at_most_35(celsius: float | None, factor: float):
    assert weather_factor(celsius) == pytest.approx(factor)


def test_need_is_the_trip_plus_the_reserve():
    # 100 km × 20 kWh/100 km × 1.18 − 3 kWh charged at work = 20.6 kWh of 50, and 10 % reserve.
    trip, car = the_trip(100, temperature_c=-3, gain_kwh=3)

    assert trip_kwh(trip, car) == pytest.approx(20.6)
    assert required_soc(trip, car) == pytest.approx(20.6 / 50 + 0.10)


def test_a_fill_trip_wants_what_it_is_filled_to():
    trip, car = the_trip(10, fill=True, fill_to_pct=95)

    assert required_soc(trip, car) == pytest.approx(0.95)
    # 2 of 50 kWh, and 10 % in reserve.
    assert needed_soc(trip, car) == pytest.approx(0.14)


def test_beyond_a_full_battery_it_is_charged_on_the_way():
    # 300 km take 60 kWh; with 5 kWh reserve 65 are needed and 50 fit.
    trip, car = the_trip(300)

    assert required_soc(trip, car) == 1
    assert on_the_way_kwh(trip, car) == pytest.approx(15)


def test_gains_never_make_a_trip_negative():
    trip, car = the_trip(10, gain_kwh=30)

    assert trip_kwh(trip, car) == 0
