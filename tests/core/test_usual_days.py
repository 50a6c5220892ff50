"""Usual days: typical and careful km of a weekday, and consumption, from few entries."""

from datetime import date, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from moonplan.core.mistakes import BadDocument
from moonplan.core.tables import rows_of
from moonplan.core.usual_days import Odometer, beside_others, columns, driven, learned_use, odometer_of_row, usual_days

MONDAY = date(2026, 1, 5)


def weeks(*km_by_weekday: list[float]) -> dict[date, float]:
    """Weeks of seven days each, from Monday on."""
    return {MONDAY + timedelta(days=7 * w + d): km for w, week in enumerate(km_by_weekday) for d, km in enumerate(week)}


def test_a_weekday_with_three_entries_stands_on_its_own():
    # Thursdays 60, 230 and 64: the median is 64; the 80th percentile lies 0.6 of the way from 64 to 230.
    usual = usual_days(weeks([50, 50, 50, 60, 50, 20, 0], [50, 50, 50, 230, 50, 30, 0], [50, 50, 50, 64, 50, 40, 0]))

    thursday = usual[3]
    assert (thursday.typical_km, thursday.source, thursday.entries) == (64, "own", 3)
    assert thursday.careful_km == pytest.approx(64 + 0.6 * (230 - 64))


def test_a_weekday_with_fewer_borrows_from_its_kind():
    usual = usual_days(weeks([40, 50, 60, 70, 80, 10, 30]))

    # One entry a weekday: working days together are 40 to 80, the weekend 10 and 30.
    assert [(day.typical_km, day.source) for day in usual[:5]] == [(60, "kind")] * 5
    assert usual[0].careful_km == pytest.approx(72)  # 0.2 of the way from 70 to 80
    assert (usual[6].typical_km, usual[6].entries) == (20, 2)


def test_a_typed_figure_stands_above_what_was_learned():
    usual = usual_days(weeks([50] * 7, [50] * 7, [50] * 7), {"fri": 12})

    assert (usual[4].typical_km, usual[4].careful_km, usual[4].source) == (12, 12, "typed")
    assert usual[3].source == "own"


def test_nothing_is_made_up_where_nothing_is_known():
    assert {day.source for day in usual_days({})} == {"nothing"}
    assert usual_days({})[0].careful_km is None


def test_an_odometer_spreads_its_km_over_the_days_between():
    readings = [
        Odometer(MONDAY, 1000),
        Odometer(MONDAY + timedelta(days=1), 1040),
        Odometer(MONDAY + timedelta(days=4), 1100),
    ]

    # Tuesday 40; Wednesday to Friday 20 each.
    assert list(driven(readings, {}).values()) == [40, 20, 20, 20]


def test_a_long_gap_says_nothing_of_single_days():
    assert driven([Odometer(MONDAY, 1000), Odometer(MONDAY + timedelta(days=20), 2000)], {}) == {}


def test_the_odometer_stands_above_the_trips_and_days_between_trips_are_not_driven():
    tuesday = MONDAY + timedelta(days=1)
    told = driven([Odometer(MONDAY, 0), Odometer(tuesday, 33)], {MONDAY: 20, tuesday: 30, MONDAY + timedelta(days=3): 10})

    assert [told[MONDAY + timedelta(days=n)] for n in range(4)] == [20, 33, 0, 10]


def test_consumption_is_what_left_the_battery_over_the_km():
    # 80 → 60 % of 50 kWh over 60 km, then 60 → 70 % with 13 kWh charged over 40 km: 10 + 8 kWh over 100 km.
    readings = [
        Odometer(MONDAY, 0, 80),
        Odometer(MONDAY + timedelta(days=1), 60, 60),
        Odometer(MONDAY + timedelta(days=2), 100, 70, charged_kwh=13),
    ]

    got = learned_use(readings, 50)

    assert got is not None
    assert (got.use_kwh_per_100km, got.km, got.stretches) == (pytest.approx(18), 100, 2)
    # 16.67 over 60 km and 20 over 40 km: the weighted spread about 18 is √(0.6 × 1.33² + 0.4 × 2²).
    assert got.spread_kwh_per_100km == pytest.approx((0.6 * (4 / 3) ** 2 + 0.4 * 4) ** 0.5)


def test_a_cold_week_is_not_taken_for_a_thirsty_car():
    # At −5 °C each km counts 1.20: 12 kWh over 100 km are 10 kWh per 100 km in mild weather.
    readings = [Odometer(MONDAY, 0, 80), Odometer(MONDAY + timedelta(days=1), 100, 56, temperature_c=-5)]

    got = learned_use(readings, 50)

    assert got is not None
    assert (got.use_kwh_per_100km, got.km) == (pytest.approx(10), 100)


def test_a_row_of_a_table_is_read_and_its_mistakes_are_told():
    assert odometer_of_row({"day": "2026-01-05", "km": "18400,5", "soc_pct": "62"}) == Odometer(MONDAY, 18400.5, 62)
    with pytest.raises(BadDocument) as refused:
        odometer_of_row({"day": "5 January", "km": "far", "soc_pct": "130"})
    assert {mistake.path for mistake in refused.value.mistakes} == {"day", "km", "soc_pct"}


def test_an_odometer_in_miles_is_read_and_told_in_miles():
    # 10,000 miles of 1.609344 km; a column that names no unit is in the household's.
    heading, row = "day,odometer,SoC", "2026-01-05,10000,62"

    [miles] = rows_of([heading, row], columns("mi"), odometer_of_row)
    [km] = rows_of([heading, row], columns("km"), odometer_of_row)
    [named] = rows_of(["day,miles", row[:-3]], columns("km"), odometer_of_row)

    assert [taken.row.km for taken in (miles, km, named)] == pytest.approx([16093.44, 10000, 16093.44])
    with pytest.raises(BadDocument, match='mi: "10,000", expected miles, with no mark between the thousands'):
        odometer_of_row({"day": "2026-01-05", "mi": "10,000"})
    with pytest.raises(BadDocument, match='km: "far", expected 0 to 5000000 km'):
        odometer_of_row({"day": "2026-01-05", "mi": "far"})
    wrong = beside_others(Odometer(MONDAY + timedelta(days=1), 16000), [miles.row], "mi")
    assert str(wrong) == "km: 9941.9, expected at least 10000 mi, as it showed 10000 on 2026-01-05"


def test_an_odometer_does_not_go_back():
    known = [Odometer(MONDAY, 1000), Odometer(MONDAY + timedelta(days=2), 1100)]

    assert beside_others(Odometer(MONDAY + timedelta(days=1), 1050), known) is None
    wrong = beside_others(Odometer(MONDAY + timedelta(days=1), 1200), known)
    assert str(wrong) == "km: 1200, expected 1000 to 1100 km, as it showed 1000 on 2026-01-05 and 1100 on 2026-01-07"
    assert beside_others(Odometer(MONDAY + timedelta(days=3), 900), known) is not None


def test_a_digit_too_many_is_further_than_a_car_is_driven():
    known = [Odometer(MONDAY, 41_786), Odometer(MONDAY + timedelta(days=9), 64_000)]

    # 2,500 km a day: three days on from the first, and six back from the last.
    on_the_third = {
        km: beside_others(Odometer(MONDAY + timedelta(days=3), km), known) for km in (48_999, 49_000, 49_286, 49_287)
    }
    assert [km for km, wrong in on_the_third.items() if wrong is None] == [49_000, 49_286]
    wrong = beside_others(Odometer(MONDAY + timedelta(days=1), 63_786), known[:1])
    assert str(wrong) == "km: 63786, expected 41786 to 44286 km, as it showed 41786 on 2026-01-05"
    # Between two that are themselves too far apart nothing more is known.
    apart = [Odometer(MONDAY, 41_786), Odometer(MONDAY + timedelta(days=2), 63_786)]
    assert beside_others(Odometer(MONDAY + timedelta(days=1), 41_850), apart) is None
    assert beside_others(Odometer(MONDAY + timedelta(days=1), 41_700), apart) is not None
    assert beside_others(Odometer(MONDAY - timedelta(days=1), 39_000), known) is not None
    assert beside_others(Odometer(MONDAY - timedelta(days=1), 39_300), known) is None


def test_a_stretch_with_a_charge_that_nobody_noted_says_nothing():
    assert learned_use([Odometer(MONDAY, 0, 50), Odometer(MONDAY + timedelta(days=1), 200, 80)], 50) is None


@given(st.lists(st.floats(0, 400), min_size=14, max_size=28))
def test_careful_is_never_below_typical_and_both_lie_among_what_was_driven(km: list[float]):
    days = {MONDAY + timedelta(days=n): one for n, one in enumerate(km)}

    for usual in usual_days(days):
        assert usual.typical_km is not None
        assert usual.careful_km is not None
        assert min(km) - 1e-9 <= usual.typical_km <= usual.careful_km + 1e-9 <= max(km) + 2e-9


@pytest.mark.parametrize("km", ["18.400", "18,400", "1.234"])
def test_a_mark_between_thousands_is_not_taken_for_a_decimal_one(km: str):
    with pytest.raises(BadDocument, match=f'km: "{km}", expected kilometres, with no mark between the thousands'):
        odometer_of_row({"day": "2026-01-05", "km": km})
    assert odometer_of_row({"day": "2026-01-05", "km": "18400.125"}).km == 18400.125


def test_an_odometer_that_goes_back_is_told_to_the_tenth():
    wrong = beside_others(Odometer(MONDAY, 123456.1), [Odometer(MONDAY - timedelta(days=1), 123456.4)])

    assert str(wrong) == "km: 123456.1, expected at least 123456.4 km, as it showed 123456.4 on 2026-01-04"
