"""The stand-ins: the same for the same day, saying that they are made up, and like what they stand in for."""

from datetime import date, datetime, timedelta
from itertools import pairwise
from statistics import mean
from zoneinfo import ZoneInfo

import pytest

from moonplan.core.sun import Place
from moonplan.devices import FEEDS, SKY
from moonplan.devices.prices import SimulatedDayAhead
from moonplan.devices.sky import SimulatedSky

HERE = ZoneInfo("Europe/Ljubljana")
PLACE = Place(46.1, 14.6)
DAYS = [date(2026, 1, 1) + timedelta(days=n) for n in range(365)]


def test_they_say_that_they_are_made_up():
    assert SKY.simulated
    assert "simulated" in SKY.name
    assert all(feed.simulated and "simulated" in feed.name for feed in FEEDS.values())


def test_a_day_is_the_same_whenever_it_is_asked_for():
    assert SimulatedSky().was(PLACE, DAYS[40]) == SimulatedSky().was(PLACE, DAYS[40])
    assert SimulatedSky().forecast(PLACE, DAYS[40], DAYS[38]) == SimulatedSky().forecast(PLACE, DAYS[40], DAYS[38])
    assert SimulatedDayAhead().prices(DAYS[40], HERE) == SimulatedDayAhead().prices(DAYS[40], HERE)
    assert SimulatedDayAhead("another seed").prices(DAYS[40], HERE) != SimulatedDayAhead().prices(DAYS[40], HERE)


def test_the_forecast_s_points_are_in_order_and_spread_with_the_days():
    for day in DAYS[::9]:
        near, far = (SKY.forecast(PLACE, day, day - timedelta(days=n)) for n in (1, 6))
        for sky in (near, far):
            assert 0 < sky.low <= sky.middle <= sky.high <= 1.05
        assert far.high - far.low >= near.high - near.low - 0.05


@pytest.mark.parametrize("ahead", [1, 4])
def test_about_eight_days_of_ten_lie_between_the_outer_points(ahead: int):
    inside = [
        sky.low <= SKY.was(PLACE, day) <= sky.high
        for day in DAYS
        for sky in [SKY.forecast(PLACE, day, day - timedelta(days=ahead))]
    ]

    assert 0.65 < mean(inside) < 0.95


def test_winter_is_duller_than_summer_on_both_sides_of_the_equator():
    assert SKY.usual(PLACE, 7) > SKY.usual(PLACE, 1)
    assert SKY.usual(Place(-33.9, 151.2), 7) < SKY.usual(Place(-33.9, 151.2), 1)


def test_tomorrow_s_prices_are_out_in_the_early_afternoon():
    feed = FEEDS["simulated"]

    assert feed.published_until(datetime(2026, 1, 14, 12, 59, tzinfo=HERE), HERE) == date(2026, 1, 14)
    assert feed.published_until(datetime(2026, 1, 14, 13, 0, tzinfo=HERE), HERE) == date(2026, 1, 15)


@pytest.mark.parametrize(("day", "hours"), [(date(2026, 3, 29), 23), (date(2026, 10, 25), 25), (date(2026, 1, 14), 24)])
def test_a_day_has_a_price_for_every_hour_that_it_has(day: date, hours: int):
    told = FEEDS["simulated"].prices(day, HERE)

    assert len(told) == hours
    steps = {later[0].timestamp() - earlier[0].timestamp() for earlier, later in pairwise(told)}
    assert steps == {3600}


def test_evenings_are_dearer_than_nights():
    by_hour: dict[int, list[float]] = {}
    for day in DAYS[::5]:
        for at, price in FEEDS["simulated"].prices(day, HERE):
            by_hour.setdefault(at.hour, []).append(price)

    assert mean(by_hour[18]) > 1.8 * mean(by_hour[3])
