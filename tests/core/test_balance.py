"""Need against what is recovered, a night at a time."""

from datetime import date

import pytest

from moonplan.core.planner.balance import nights_of, under_reserve_from
from moonplan.core.planner.plan import plan
from tests.core.factories import a_car, a_household, a_trip, at


def test_each_night_has_what_leaves_in_it_and_what_was_charged_in_it():
    # Thursday 100 km and Friday 150 km, 20 and 30 kWh; 25 aboard now, 5 kWh kept in reserve.
    trips = [
        a_trip("2026-01-15T08:00:00+01:00", "2026-01-15T17:00:00+01:00", 100),
        a_trip("2026-01-16T08:00:00+01:00", "2026-01-16T17:00:00+01:00", 150),
    ]
    made = plan(a_household(horizon_nights=2, trips=trips, vehicles=[a_car(end_pct=10)]), prove=False)

    first, second = nights_of(made, 0)

    assert (first.night, second.night) == (date(2026, 1, 14), date(2026, 1, 15))
    assert (first.need_kwh, first.need_km, second.need_km) == (20, 100, 150)
    # 25 kWh and what is charged, less 20 and 30, leave the reserve of 5: 30 kWh, at 0.10.
    assert first.recovered_kwh + second.recovered_kwh == pytest.approx(30)
    assert first.cost + second.cost == pytest.approx(3.0)
    assert second.margin_km == pytest.approx(0, abs=0.01)
    assert (first.short_kwh, second.short_kwh) == (0, 0)


def test_a_night_on_which_nobody_leaves_has_no_margin():
    [night] = nights_of(plan(a_household(vehicles=[a_car(end_pct=50)]), prove=False), 0)

    assert night.margin_km is None
    assert not night.plugged_in
    assert night.charged_to_pct is None


def test_a_night_of_which_a_car_sees_nothing_is_one_away():
    trip = a_trip("2026-01-15T08:00:00+01:00", "2026-01-17T13:00:00+01:00", 50)
    nights = nights_of(plan(a_household(horizon_nights=4, trips=[trip])), 0)

    # It leaves on Thursday morning and comes home on Saturday afternoon, in the night to Sunday.
    assert [night.away for night in nights] == [False, True, True, False]


def test_a_night_tells_the_level_it_charges_to_not_the_one_it_begins_with():
    # 90 % aboard; 200 km tonight take 40 of the 45 kWh. Then 15 kWh are wanted by Thursday's end: from 10 % up to 30 %.
    trip = a_trip("2026-01-14T19:00:00+01:00", "2026-01-14T23:00:00+01:00", 200)
    made = plan(a_household(trips=[trip], vehicles=[a_car(soc_pct=90, end_pct=30)]), prove=False)

    [night] = nights_of(made, 0)

    assert night.charged_to_pct == pytest.approx(30, abs=0.01)


def test_a_session_that_goes_on_past_noon_is_told_whole_in_the_night_it_starts_in():
    # Plugged in from 10:00 to 14:00 only: 4 h at 3.68 kW are 14.72 of 50 kWh, 29.44 %. All of it is driven at 15:00:
    # 25 aboard, 14.72 charged, 5 kept in reserve, at 20 kWh per 100 km 173.6 km.
    trip = a_trip("2026-01-15T15:00:00+01:00", "2026-01-15T18:00:00+01:00", 173.6)
    house = a_household(horizon_nights=2, trips=[trip], vehicles=[a_car(plug_in_hours=["10:00", "14:00"])])

    first, second = nights_of(plan(house, prove=False), 0)

    assert first.recovered_kwh == pytest.approx(14.72)
    assert first.charged_to_pct == pytest.approx(79.44)
    assert (second.need_km, second.charged_to_pct) == (173.6, None)


def test_the_reserve_is_reached_when_a_trip_takes_more_than_there_is_to_spare():
    # 25 kWh aboard and nothing charged from 18:00 to 7:00 but 2 h at 3.68 kW: 32.36 less 30 is under the reserve of 5.
    trips = [a_trip("2026-01-15T07:00:00+01:00", "2026-01-15T18:00:00+01:00", 150)]
    short = plan(a_household(trips=trips, vehicles=[a_car(plug_in_hours=["05:00", "07:00"])]), prove=False)
    ready = plan(a_household(trips=trips, vehicles=[a_car()]), prove=False)

    assert under_reserve_from(short, 0) == at("2026-01-15T07:00:00+01:00")
    assert under_reserve_from(ready, 0) is None
