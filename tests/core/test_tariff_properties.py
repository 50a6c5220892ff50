"""What must hold of every tariff: its hours add up, and whichever way it is asked, it says the same."""

from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from moonplan.core.household import Band, Tariff
from moonplan.core.tariff import held, paid_at, prices, weeks
from moonplan.core.timegrid import Grid
from tests.core.strategies import bands

HERE = ZoneInfo("Europe/Ljubljana")
sheets = st.builds(
    lambda found, day_of: Tariff(default_price=0.3, bands=tuple(found), day_of=day_of),
    st.lists(bands, max_size=5),
    st.sampled_from(["clock", "start"]),
)


@settings(max_examples=40)
@given(tariff=sheets)
def test_the_hours_of_all_lines_and_the_gaps_are_a_week(tariff: Tariff):
    fares = held(tariff)

    assert sum(fare.hours_a_week for fare in fares) == pytest.approx(168)
    for fare in fares[:-1]:
        assert 0 <= fare.hours_a_week <= fare.claimed_hours_a_week + 1e-9
        # A line loses hours if and only if it says to whom.
        assert bool(fare.beaten_by) == (fare.hours_a_week < fare.claimed_hours_a_week - 1e-9)


@settings(max_examples=40)
@given(tariff=sheets)
def test_every_month_has_exactly_one_week(tariff: Tariff):
    months = [month for week in weeks(tariff) for month in week.months]

    assert sorted(months) == list(range(1, 13))


@settings(max_examples=40)
@given(tariff=sheets, minute=st.integers(0, 365 * 24 * 60))
def test_a_moment_costs_what_its_slot_costs(tariff: Tariff, minute: int):
    at = datetime(2026, 1, 1, tzinfo=HERE) + timedelta(minutes=minute)
    grid = Grid(int(at.timestamp()) // 60 * 60, 1, 1, HERE)
    found = paid_at(tariff, at, HERE)

    assert prices(tariff, grid).price[0] == pytest.approx(found.price)
    assert prices(tariff, grid).band[0] == found.name
    matching = () if found.line is None else (found.line, *found.beaten)
    assert list(matching) == sorted(matching)


@settings(max_examples=25)
@given(tariff=sheets, extra=bands)
def test_a_line_put_last_only_takes_what_was_the_default_s(tariff: Tariff, extra: Band):
    longer = Tariff(default_price=0.3, bands=(*tariff.bands, extra), day_of=tariff.day_of)
    start = int(datetime(2026, 1, 1, tzinfo=HERE).timestamp())
    grid = Grid(start, 60, 24 * 20, HERE)
    before, after = prices(tariff, grid), prices(longer, grid)

    for t in range(grid.n_slots):
        if before.band[t] != "default":
            assert after.band[t] == before.band[t]
