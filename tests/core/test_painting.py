"""Painting a tariff's week: the hours that were painted change, every other hour stays, and the list stays short."""

from datetime import time

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from moonplan.core.household import Band, Tariff
from moonplan.core.painting import Stroke, painted
from moonplan.core.tariff import weeks
from moonplan.core.values import WEEKDAYS
from tests.core.strategies import bands

NIGHT = Band(name="night", price=0.1, from_=time(22), to=time(6))
PEAK = Band(name="peak", price=0.4, from_=time(17), to=time(20), days=WEEKDAYS[:5], months=(11, 12, 1, 2))
SHEET = Tariff(default_price=0.3, bands=(NIGHT, PEAK))
WEEKDAYS_ONLY = (0, 1, 2, 3, 4)


def by_month(tariff: Tariff) -> dict[int, np.ndarray]:
    return {month: week.price for week in weeks(tariff) for month in week.months}


def repainted(tariff: Tariff, line: int, stroke: Stroke) -> Tariff:
    return Tariff(default_price=tariff.default_price, bands=painted(tariff, line, stroke), day_of=tariff.day_of)


def told(found: tuple[Band, ...]) -> list[tuple[str, str, str, int]]:
    return [(band.name, f"{band.from_:%H:%M}", f"{band.to:%H:%M}", len(band.days)) for band in found]


def test_a_quiet_noon_at_the_weekend_is_a_line_more():
    found = painted(SHEET, 0, Stroke((5, 6), time(12), time(15)))

    assert told(found) == [("night", "12:00", "15:00", 2), ("night", "22:00", "06:00", 7), ("peak", "17:00", "20:00", 5)]


def test_an_hour_more_of_the_peak_makes_its_line_longer():
    found = painted(SHEET, 1, Stroke(WEEKDAYS_ONLY, time(20), time(21), (1, 2, 11, 12)))

    assert sorted(told(found)) == [("night", "22:00", "06:00", 7), ("peak", "17:00", "21:00", 5)]


def test_the_same_hours_on_another_day_join_the_days():
    found = painted(SHEET, 1, Stroke((5,), time(17), time(20), (1, 2, 11, 12)))

    assert ("peak", "17:00", "20:00", 6) in told(found)
    assert len(found) == 2


def test_what_is_painted_over_wholly_goes():
    found = painted(SHEET, 0, Stroke(WEEKDAYS_ONLY, time(17), time(20)))

    assert [band.name for band in found] == ["night", "night"]


def test_painting_what_is_there_already_changes_nothing():
    assert painted(SHEET, 0, Stroke((0, 1, 2, 3, 4, 5, 6), time(0), time(6))) == SHEET.bands


def test_the_default_price_takes_the_hours_out_of_the_lines():
    found = painted(SHEET, 2, Stroke((2,), time(23), time(0)))

    assert told(found) == [
        ("night", "22:00", "06:00", 6),
        ("night", "00:00", "06:00", 1),
        ("night", "22:00", "23:00", 1),
        ("peak", "17:00", "20:00", 5),
    ]


def test_months_that_were_not_painted_keep_their_line():
    found = repainted(SHEET, 2, Stroke(WEEKDAYS_ONLY, time(17), time(20), (1,)))

    after = by_month(found)
    assert after[1][0, 34] == 0.3
    assert after[2][0, 34] == after[12][0, 34] == 0.4


@pytest.mark.parametrize("line", [0, 2])
def test_a_line_that_belongs_to_the_day_it_began_on_is_cut_by_the_clock(line: int):
    friday = Band(name="friday night", price=0.1, from_=time(22), to=time(6), days=("fri",))
    sheet = Tariff(default_price=0.3, bands=(friday, PEAK), day_of="start")
    before = by_month(sheet)[6]
    after = by_month(repainted(sheet, line, Stroke((5,), time(2), time(3))))[6]

    changed = {(int(day), int(at)) for day, at in np.argwhere(before != after)}
    assert changed == ({(5, 4), (5, 5)} if line == 2 else set())


strokes = st.builds(
    lambda days, start, long, months: Stroke(
        tuple(sorted(days)),
        time(start // 2, start % 2 * 30),
        time((start + long) % 48 // 2, (start + long) % 2 * 30),
        tuple(sorted(months)),
    ),
    st.sets(st.integers(0, 6), min_size=1),
    st.integers(0, 40),
    st.integers(1, 8),
    st.one_of(st.just(set(range(1, 13))), st.sets(st.integers(1, 12), min_size=1, max_size=4)),
)


@settings(max_examples=12)
@given(found=st.lists(bands, min_size=1, max_size=4), stroke=strokes, pick=st.integers(0, 9))
def test_whatever_the_sheet_only_the_painted_hours_change(found: list[Band], stroke: Stroke, pick: int):
    # Band edges on quarter hours: painting is by the half hour.
    quarters = [
        Band(
            name=b.name,
            price=b.price,
            days=b.days,
            months=b.months,
            from_=b.from_.replace(minute=b.from_.minute // 15 * 15),
            to=b.to.replace(minute=b.to.minute // 15 * 15),
        )
        for b in found
    ]
    sheet = Tariff(default_price=0.3, bands=tuple(quarters))
    line = pick % (len(quarters) + 1)
    wanted = quarters[line].price if line < len(quarters) else 0.3
    first = stroke.start.hour * 2 + stroke.start.minute // 30
    last = stroke.end.hour * 2 + stroke.end.minute // 30 or 48

    expected = by_month(sheet)
    for month in stroke.months:
        expected[month] = expected[month].copy()
        expected[month][list(stroke.days), first:last] = wanted
    after = by_month(repainted(sheet, line, stroke))

    for month in range(1, 13):
        assert after[month] == pytest.approx(expected[month])
