"""A year of prices against the rule read word for word, minute by minute, through both clock changes."""

import os
from dataclasses import replace
from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from moonplan.core.household import Band, Tariff
from moonplan.core.planner.plan import plan
from moonplan.core.tariff import household_contracted_kw, household_prices, prices
from moonplan.core.timegrid import Grid, grid_for
from tests.core.factories import a_household
from tests.core.strategies import bands
from tests.core.test_tariff import slowly


def year_of(zone: ZoneInfo) -> Grid:
    start, end = (int(datetime(year, 1, 1, tzinfo=zone).timestamp()) // 900 * 900 for year in (2026, 2027))
    return Grid(start, 15, (end - start) // 900, zone)


def minute_by_minute(tariff: Tariff, grid: Grid) -> np.ndarray:
    """The mean price of every slot, one minute after the other; what a minute costs is looked up by its clock and day."""
    known: dict[tuple[date, time], float] = {}
    told = np.empty(grid.n_slots)
    for t in range(grid.n_slots):
        total = 0.0
        for minute in range(15):
            local = datetime.fromtimestamp(int(grid.edges_s[t]) + 60 * minute, grid.zone).replace(tzinfo=None, fold=0)
            key = (local.date(), local.time())
            if key not in known:
                known[key] = slowly(tariff, local)
            total += known[key]
        told[t] = total / 15
    return told


# A year takes seconds word for word: a few here, and as many as one likes by hand.
@settings(max_examples=int(os.environ.get("MOONPLAN_EXAMPLES", "2")))
@given(
    found=st.lists(bands, min_size=1, max_size=4),
    day_of=st.sampled_from(["clock", "start"]),
    zone=st.sampled_from(["Europe/Ljubljana", "America/New_York", "Australia/Lord_Howe"]),
)
def test_a_whole_year_agrees_with_the_rule_read_minute_by_minute(found: list[Band], day_of, zone: str):
    tariff = Tariff(default_price=0.3, bands=tuple(found), day_of=day_of, holidays=(date(2026, 5, 1), date(2026, 12, 25)))
    grid = year_of(ZoneInfo(zone))

    assert prices(tariff, grid).price == pytest.approx(minute_by_minute(tariff, grid), abs=1e-9)


def test_a_year_has_one_hour_less_in_spring_and_one_more_in_autumn():
    # 02:00 to 03:00 is skipped on 29 March and comes twice on 25 October: 365 hours of it in the year, one lost and one won.
    two = Band(name="two", price=1.0, from_=time(2), to=time(3))
    grid = year_of(ZoneInfo("Europe/Ljubljana"))
    found = prices(Tariff(default_price=0.0, bands=(two,)), grid)

    assert found.price.sum() / 4 == pytest.approx(365)
    march = [t for t in range(grid.n_slots) if grid.starts[t].date() == date(2026, 3, 29)]
    october = [t for t in range(grid.n_slots) if grid.starts[t].date() == date(2026, 10, 25)]
    assert (len(march), found.price[march].sum()) == (92, 0)
    assert (len(october), found.price[october].sum()) == (100, 8)


def test_dated_prices_of_a_year_win_hour_by_hour():
    zone = ZoneInfo("Europe/Ljubljana")
    grid = year_of(zone)
    night = Band(name="night", price=0.1, from_=time(22), to=time(6))
    first = datetime(2026, 7, 1, tzinfo=UTC)
    # A price for every even hour of July, and nothing for the odd ones.
    series = tuple((first + timedelta(hours=n), None if n % 2 else n / 1000) for n in range(31 * 24))
    found = prices(Tariff(default_price=0.3, bands=(night,), series=series), grid).price
    plain = prices(Tariff(default_price=0.3, bands=(night,)), grid).price

    for t in range(0, grid.n_slots, 7):
        behind = (grid.edges_s[t] - first.timestamp()) / 3600
        n = int(behind // 1)
        dated = 0 <= n < 31 * 24 and n % 2 == 0
        assert found[t] == pytest.approx(n / 1000 if dated else plain[t])


def test_a_later_tariff_holds_from_its_midnight_on():
    later = {"since": "2026-01-15", "tariff": {"default_price": 0.5, "export_price": 0.07, "contracted_kw": 9}}
    household = a_household(tariff={"default_price": 0.3, "export_price": 0.02}, later_tariffs=[later])
    grid = grid_for(household.now, nights=1, slot_minutes=60, zone=household.zone)
    found = household_prices(household, grid)

    # From 18:00: six hours at the old price, then the new one.
    assert list(found.price[4:8]) == [0.3, 0.3, 0.5, 0.5]
    assert list(found.export_price[5:7]) == [0.02, 0.07]
    contracted = household_contracted_kw(household, grid)
    assert contracted is not None
    assert contracted[5] > 1000
    assert contracted[6] == 9


def test_what_is_planned_across_a_change_of_tariff_goes_by_both():
    # Until midnight 0.30 a kWh and 0.10 from then on: ten kWh are bought after midnight.
    later = {"since": "2026-01-15", "tariff": {"default_price": 0.1}}
    household = a_household(tariff={"default_price": 0.3}, later_tariffs=[later])
    made = plan(household_with_need(household))

    assert made.outcome.cost == pytest.approx(0.1 * 10, rel=1e-3)


def household_with_need(household):
    car = replace(household.vehicles[0], end_pct=70.0)
    return replace(household, vehicles=(car,))
