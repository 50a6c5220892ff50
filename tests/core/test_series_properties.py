"""Whatever a meter or a price list says comes out again as it went in, and bringing it twice changes nothing."""

from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from moonplan.core.series import Brought, from_csv, means, merged, says_again, settled, steps_of

START = datetime(2026, 3, 27, tzinfo=UTC)
steps_min = st.sampled_from([15, 30, 60])
figures = st.lists(st.one_of(st.none(), st.integers(0, 5000).map(lambda n: n / 1000)), min_size=4, max_size=150)
zones = st.sampled_from(["Europe/Ljubljana", "America/New_York", "Asia/Kathmandu", "UTC"])


def brought(values: list[float | None], minutes: int, first: datetime = START) -> Brought | None:
    """A series with a row for every value that is known; None for one without any."""
    at = [int((first + timedelta(minutes=minutes * n)).timestamp()) for n, value in enumerate(values) if value is not None]
    if not at:
        return None
    kept = [value for value in values if value is not None]
    ends = [second + minutes * 60 for second in at]
    return settled(at, kept, ends, measure="power", unit="kW", refused=[])


@settings(max_examples=60)
@given(values=figures, minutes=steps_min)
def test_every_value_comes_out_where_it_went_in(values: list[float | None], minutes: int):
    found = brought(values, minutes)
    if found is None:
        return
    edges = np.array([int((START + timedelta(minutes=minutes * n)).timestamp()) for n in range(len(values) + 1)])

    wanted = np.array([np.nan if value is None else value for value in values])
    assert means(found.days, edges) == pytest.approx(wanted, nan_ok=True)
    # And what is known has its energy: kW times hours, step by step.
    kwh = sum(value * minutes / 60 for value in values if value is not None)
    stored = sum(value * day.minutes / 60 for day in found.days for value in day.values if value is not None)
    assert stored == pytest.approx(kwh)


@settings(max_examples=60)
@given(values=figures, minutes=steps_min)
def test_gaps_are_exactly_where_nothing_is_known(values: list[float | None], minutes: int):
    found = brought(values, minutes)
    if found is None:
        return
    known = [n for n, value in enumerate(values) if value is not None]
    missing = [n for n in range(known[0], known[-1]) if values[n] is None]

    told = sum((gap.end - gap.start).total_seconds() / 60 for gap in found.gaps)
    assert told == len(missing) * minutes
    assert (found.first, found.last) == (
        START + timedelta(minutes=minutes * known[0]),
        START + timedelta(minutes=minutes * (known[-1] + 1)),
    )


@settings(max_examples=40)
@given(one=figures, other=figures, fine=steps_min, coarse=steps_min)
def test_a_second_file_lays_its_known_values_over_the_first(one, other, fine: int, coarse: int):
    first, second = brought(one, coarse), brought(other, fine)
    if first is None or second is None:
        return
    under = {day.day: day for day in first.days}
    for day in second.days:
        if day.day not in under:
            continue
        both = merged(under[day.day], day)
        # What the second says holds; what it does not say is as it was; brought again, nothing changes.
        assert says_again(both, day)
        assert merged(both, day) == both
        for quarter in range(96):
            theirs = day.values[quarter * 15 // day.minutes]
            mine = under[day.day].values[quarter * 15 // under[day.day].minutes]
            assert both.values[quarter * 15 // both.minutes] == (mine if theirs is None else theirs)


@settings(max_examples=25)
@given(zone=zones, minutes=steps_min)
def test_rows_on_any_clock_land_on_the_same_instants(zone: str, minutes: int):
    # Four days around the spring change of the clocks, written on the house's clock and read again.
    place = ZoneInfo(zone)
    rows = range(4 * 24 * 60 // minutes)
    at = [START + timedelta(minutes=minutes * n) for n in rows]
    table = ["start,kw", *(f"{one.astimezone(place):%Y-%m-%d %H:%M},{n}" for n, one in enumerate(at))]
    found = from_csv(table, measure="power", unit="kW", zone=place)

    edges = np.array([int(one.timestamp()) for one in [*at, at[-1] + timedelta(minutes=minutes)]])
    assert means(found.days, edges) == pytest.approx(np.arange(len(at)))
    assert (found.gaps, found.refused) == ((), ())


def test_steps_without_anything_known_are_none():
    assert steps_of([]) == []
    assert np.isnan(means([], np.array([0, 900]))).all()
