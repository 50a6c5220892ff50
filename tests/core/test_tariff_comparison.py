"""A month under two tariffs: what is driven is what is paid for, fixed charges apart, and where the order turns."""

from dataclasses import replace
from datetime import datetime, time, timedelta
from itertools import pairwise
from zoneinfo import ZoneInfo

import pytest

from moonplan.core.household import Band, Household, Tariff, Trip
from moonplan.core.planner.tariff_comparison import Bill, bill_of_month, stretches, turn
from tests.core.factories import a_car, a_household

HERE = ZoneInfo("Europe/Ljubljana")
NIGHT = Band(name="night", price=0.10, from_=time(22), to=time(6))
CHEAP_NIGHT = Tariff(default_price=0.30, bands=(NIGHT,), daily_charge=0.20, monthly_per_kw=1.5, contracted_kw=8)
FLAT = Tariff(default_price=0.20, daily_charge=0.10)


def february() -> list[Household]:
    """A lossless car that drives 40 km, 8 kWh, on every day of February 2026."""
    parts = []
    for start, nights in stretches(2026, 2, HERE):
        days = [start.date() + timedelta(days=n) for n in range(nights + 1)]
        trips = tuple(
            Trip(
                vehicle="heron",
                leave=datetime.combine(day, time(8), HERE),
                back=datetime.combine(day, time(17), HERE),
                km=40.0,
            )
            for day in days
            if datetime.combine(day, time(17), HERE) > start
        )
        plain = a_household(vehicles=[a_car(end_pct=60, soc_pct=60)])
        parts.append(replace(plain, now=start, horizon_nights=nights, trips=trips))
    return parts


def test_a_month_is_cut_into_weeks_from_noon_to_noon():
    found = stretches(2026, 2, HERE)
    assert [nights for _, nights in found] == [7, 7, 7, 7]
    # The clocks go forward on 29 March: noon stays noon.
    march = stretches(2026, 3, HERE)
    assert [nights for _, nights in march] == [7, 7, 7, 7, 3]
    assert {start.hour for start, _ in march} == {12}
    # And the stretches follow on.
    assert all(a + timedelta(days=n) == b for (a, n), (b, _) in pairwise(march))


def test_what_is_driven_is_what_is_paid_for():
    bill = bill_of_month(february(), CHEAP_NIGHT, days=28)

    # 28 days of 8 kWh at night, and nothing lost.
    assert bill.km == 28 * 40
    assert bill.cars == pytest.approx(28 * 8 * 0.10, rel=0.01)
    assert bill.fixed == pytest.approx(28 * 0.20 + 1.5 * 8)
    # Plugged in at 17:00 and charged at once, until five past seven: at 0.30.
    assert bill.plug_and_go == pytest.approx(28 * 8 * 0.30, rel=0.05)
    assert bill.cars_per_km * 100 == pytest.approx(2.0, rel=0.01)
    assert bill.short_kwh == 0


def test_the_house_is_paid_for_too_and_what_it_feeds_in_is_not():
    parts = [
        replace(part, base_load_kw=((time(0), 0.5),), solar_kw=((part.now, 1.5), (part.now + timedelta(hours=2), 0.0)))
        for part in february()
    ]
    bill = bill_of_month(parts, replace(FLAT, export_price=0.05), days=28)

    # Half a kW all month at 0.20; on four afternoons two hours of one kW left over, and none of it bought.
    bought = (28 * 24 - 4 * 2) * 0.5
    assert bill.house == pytest.approx(bought * 0.20 - 4 * 2 * 1.0 * 0.05, rel=1e-6)


def test_hours_without_a_dated_price_are_counted():
    parts = february()[:1]
    start = parts[0].now
    dated = replace(FLAT, series=((start, 0.05), (start + timedelta(days=1), None)))
    bill = bill_of_month(parts, dated, days=7)

    assert bill.undated / bill.slots == pytest.approx(6 / 7)


def test_the_order_turns_where_standing_and_driving_costs_meet():
    # 12 a month more for the first, and 2 instead of 4 per 100 km: even at 600 km a month.
    one = Bill(cars=20 * 12, fixed=22 * 12, km=1000 * 12)
    other = Bill(cars=40 * 12, fixed=10 * 12, km=1000 * 12)

    found = turn(one, other, months=12)
    assert found.km_a_month == pytest.approx(600)
    # At 1000 km a month the first is cheaper, by 20 a month more driving less 12 more standing: 8.
    assert (found.below, found.above, found.cheaper, found.saves) == (1, 0, 0, pytest.approx(8 * 12))
    back = turn(other, one, months=12)
    assert (back.km_a_month, back.below, back.above, back.cheaper) == (pytest.approx(600), 0, 1, 1)
    # Dearer standing and driving: no distance helps.
    dearer = turn(replace(one, cars=50 * 12), other, months=12)
    assert (dearer.km_a_month, dearer.cheaper) == (None, 1)
    assert turn(one, replace(one, fixed=0), months=12).km_a_month is None


def test_two_tariffs_are_weighed_on_the_same_nights():
    night, flat = (bill_of_month(february(), tariff, days=28) for tariff in (CHEAP_NIGHT, FLAT))

    assert flat.cars == pytest.approx(28 * 8 * 0.20, rel=0.01)
    found = turn(night, flat, months=1)
    # (28 × 0.20 + 12 − 28 × 0.10) over 2 per 100 km.
    assert found.km_a_month == pytest.approx((28 * 0.20 + 12 - 28 * 0.10) / 0.02, rel=0.02)
