"""The price of an instant, against a slow reading of the rule minute by minute."""

from datetime import UTC, date, datetime, timedelta
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from moonplan.core.household import Band, Tariff
from moonplan.core.tariff import gaps, prices
from moonplan.core.timegrid import grid_for
from moonplan.core.values import WEEKDAYS
from tests.core.factories import a_household, at
from tests.core.strategies import bands

NIGHTS = {"name": "night", "price": 0.1, "days": ["mon", "tue", "wed", "thu", "fri"], "from": "22:00", "to": "06:00"}


def price_at(moment: str, tariff: dict[str, Any]) -> tuple[float, str]:
    household = a_household(now=moment, tariff=tariff)
    grid = grid_for(household.now, nights=1, slot_minutes=15, zone=household.zone)
    found = prices(household.tariff, grid)
    return float(found.price[0]), found.band[0]


def test_by_the_clock_saturday_at_two_is_not_a_weekday_night_and_monday_at_two_is():
    tariff = {"default_price": 0.3, "bands": [NIGHTS]}

    assert price_at("2026-01-17T02:00:00+01:00", tariff) == (0.3, "default")
    assert price_at("2026-01-19T02:00:00+01:00", tariff) == (0.1, "night")


def test_by_the_start_it_is_the_day_on_which_the_band_began():
    tariff = {"default_price": 0.3, "bands": [NIGHTS], "day_of": "start"}

    assert price_at("2026-01-17T02:00:00+01:00", tariff) == (0.1, "night")
    assert price_at("2026-01-19T02:00:00+01:00", tariff) == (0.3, "default")


def test_the_first_band_that_matches_wins():
    first = NIGHTS | {"name": "first", "price": 0.05}

    assert price_at("2026-01-14T23:00:00+01:00", {"default_price": 0.3, "bands": [first, NIGHTS]}) == (0.05, "first")


def test_a_holiday_counts_as_a_sunday():
    tariff = {"default_price": 0.3, "bands": [NIGHTS], "holidays": ["2026-01-14"]}

    assert price_at("2026-01-14T23:00:00+01:00", tariff) == (0.3, "default")


def test_all_day_from_midnight_to_midnight_and_only_in_its_months():
    band = {"name": "winter", "price": 0.2, "from": "00:00", "to": "00:00", "months": [1]}

    assert price_at("2026-01-31T23:45:00+01:00", {"default_price": 0.3, "bands": [band]}) == (0.2, "winter")
    assert price_at("2026-02-01T00:00:00+01:00", {"default_price": 0.3, "bands": [band]}) == (0.3, "default")


def test_dated_prices_win_and_a_gap_falls_back_to_the_bands():
    series = [["2026-01-14T18:00:00+01:00", 0.5], ["2026-01-14T19:00:00+01:00", None], ["2026-01-14T20:00:00+01:00", -0.05]]
    household = a_household(tariff={"default_price": 0.3, "series": series})
    grid = grid_for(household.now, nights=1, slot_minutes=60, zone=household.zone)
    found = prices(household.tariff, grid)

    assert list(found.price[:3]) == pytest.approx([0.5, 0.3, -0.05])
    assert found.band[:3] == ["series", "default", "series"]
    assert gaps(household, grid) == [(at("2026-01-14T19:00:00+01:00"), at("2026-01-14T20:00:00+01:00"))]


def test_dated_prices_that_are_not_out_yet_are_a_gap_until_the_end_of_the_plan():
    series = [["2026-01-14T12:00:00+01:00", 0.5], ["2026-01-15T00:00:00+01:00", None]]
    household = a_household(tariff={"default_price": 0.3, "series": series})
    grid = grid_for(household.now, nights=2, slot_minutes=60, zone=household.zone)

    assert gaps(household, grid) == [(at("2026-01-15T00:00:00+01:00"), at("2026-01-16T12:00:00+01:00"))]


def test_a_tariff_without_dated_prices_has_no_gap():
    series = [["2026-01-14T12:00:00+01:00", 0.5], ["2026-01-15T00:00:00+01:00", None]]
    later = {"since": "2026-01-15", "tariff": {"default_price": 0.1}}
    plain = a_household(tariff={"default_price": 0.3})
    until_midnight = a_household(tariff={"default_price": 0.3, "series": series}, later_tariffs=[later])

    for household in (plain, until_midnight):
        assert gaps(household, grid_for(household.now, nights=2, slot_minutes=60, zone=household.zone)) == []


def test_a_slot_that_a_dated_price_cuts_takes_the_mean():
    series = [["2026-01-14T18:15:00+01:00", 0.7]]
    household = a_household(tariff={"default_price": 0.3, "series": series})
    grid = grid_for(household.now, nights=1, slot_minutes=60, zone=household.zone)

    assert float(prices(household.tariff, grid).price[0]) == pytest.approx(0.25 * 0.3 + 0.75 * 0.7)


def test_a_repeated_hour_is_priced_both_times():
    tariff = {"default_price": 0.3, "bands": [{"name": "two", "price": 0.1, "from": "02:00", "to": "03:00"}]}
    household = a_household(now="2026-10-25T00:00:00+02:00", tariff=tariff)
    grid = grid_for(household.now, nights=1, slot_minutes=60, zone=household.zone)

    assert list(prices(household.tariff, grid).band[:5]) == ["default", "default", "two", "two", "default"]


def slowly(tariff: Tariff, moment: datetime) -> float:
    """The rule read word for word for one local instant."""
    for band in tariff.bands:
        clock, day = moment.time(), moment.date()
        crossing = band.to <= band.from_
        inside = clock >= band.from_ or clock < band.to if crossing else band.from_ <= clock < band.to
        if not inside:
            continue
        if tariff.day_of == "start" and crossing and clock < band.from_:
            day -= timedelta(days=1)
        weekday = 6 if day in tariff.holidays else day.weekday()
        if WEEKDAYS[weekday] in band.days and (band.months is None or day.month in band.months):
            return band.price
    return tariff.default_price


@settings(max_examples=30)
@given(
    found=st.lists(bands, max_size=4),
    day_of=st.sampled_from(["clock", "start"]),
    zone=st.sampled_from(["Europe/Ljubljana", "America/New_York", "Asia/Kathmandu", "Australia/Lord_Howe"]),
    start=st.sampled_from(["2026-03-27", "2026-10-23", "2026-11-01", "2026-04-03", "2026-12-30"]),
)
def test_every_slot_agrees_with_the_rule_read_minute_by_minute(found: list[Band], day_of: Any, zone: str, start: str):
    tariff = Tariff(default_price=0.3, bands=tuple(found), day_of=day_of, holidays=(date(2026, 12, 31),))
    from zoneinfo import ZoneInfo

    place = ZoneInfo(zone)
    grid = grid_for(datetime.fromisoformat(f"{start}T00:00:00+00:00"), nights=3, slot_minutes=15, zone=place)
    got = prices(tariff, grid).price

    for t in range(0, grid.n_slots, 3):
        minutes = [datetime.fromtimestamp(int(grid.edges_s[t]) + 60 * m, UTC).astimezone(place) for m in range(15)]
        assert got[t] == pytest.approx(sum(slowly(tariff, m.replace(tzinfo=None)) for m in minutes) / 15)
