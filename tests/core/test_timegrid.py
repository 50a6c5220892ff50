"""Slots and nights, also when the clocks change."""

from dataclasses import replace
from datetime import date, time, timedelta
from zoneinfo import ZoneInfo

import numpy as np
import pytest

from moonplan.core.timegrid import (
    Grid,
    clock_window,
    grid_for,
    in_night,
    instant_at,
    is_awake,
    night_of,
    told_clock,
    told_day,
)
from tests.core.factories import at

HERE = ZoneInfo("Europe/Ljubljana")


def test_slots_start_at_the_next_edge_and_end_at_the_noon_after_the_last_night():
    grid = grid_for(at("2026-01-14T18:10:00+01:00"), nights=2, slot_minutes=15, zone=HERE)

    assert grid.starts[0] == at("2026-01-14T18:15:00+01:00")
    assert grid.starts[-1] == at("2026-01-16T12:00:00+01:00")
    assert grid.n_slots == 4 * (24 + 17) + 3


def test_before_noon_the_rest_of_the_present_night_comes_besides():
    grid = grid_for(at("2026-01-14T07:00:00+01:00"), nights=1, slot_minutes=60, zone=HERE)

    assert grid.starts[-1] == at("2026-01-15T12:00:00+01:00")
    assert grid.nights[0] == date(2026, 1, 13)
    assert grid.nights[-1] == date(2026, 1, 14)


@pytest.mark.parametrize(("day", "hours"), [("2026-03-28", 23), ("2026-10-24", 25), ("2026-06-10", 24)])
def test_a_night_in_which_the_clocks_change_is_shorter_or_longer(day: str, hours: int):
    offset = "+01:00" if day.startswith("2026-03") else "+02:00"
    grid = grid_for(at(f"{day}T12:00:00{offset}"), nights=1, slot_minutes=15, zone=HERE)

    assert grid.n_slots == hours * 4
    assert len(set(grid.nights)) == 1


def test_a_skipped_clock_time_means_the_first_instant_after_it():
    assert instant_at(date(2026, 3, 29), time(2, 30), HERE) == at("2026-03-29T03:00:00+02:00")


def test_a_repeated_clock_time_counts_both_times():
    grid = grid_for(at("2026-10-25T00:00:00+02:00"), nights=1, slot_minutes=60, zone=HERE)
    inside = grid.wholly(clock_window(grid.local.minute, time(2), time(3)))

    # 02:00 summer time and 02:00 winter time on the 25th, then once on the 26th.
    assert [start.isoformat()[:19] for start, flag in zip(grid.starts, inside, strict=False) if flag] == [
        "2026-10-25T02:00:00",
        "2026-10-25T02:00:00",
        "2026-10-26T02:00:00",
    ]


@pytest.mark.parametrize(
    ("instant", "told"),
    [
        ("2026-10-25T00:00:00+00:00", "02:00, the first time"),
        ("2026-10-25T01:00:00+00:00", "02:00, the second time"),
        ("2026-10-25T02:00:00+00:00", "03:00"),
        ("2026-03-29T01:00:00+00:00", "03:00"),
    ],
)
def test_of_a_clock_time_that_comes_twice_it_is_told_which(instant: str, told: str):
    assert told_clock(at(instant).astimezone(HERE)) == told


@pytest.mark.parametrize(
    ("instant", "told"), [("2026-01-15T06:45:00+01:00", "06:45"), ("2026-01-15T07:00:00+01:00", "Thursday 07:00")]
)
def test_a_clock_time_over_a_day_from_now_is_told_with_its_weekday(instant: str, told: str):
    assert told_clock(at(instant).astimezone(HERE), now=at("2026-01-14T06:50:00+01:00")) == told


def test_nights_run_from_noon_to_noon():
    assert night_of(at("2026-01-15T11:59:00+01:00"), HERE) == date(2026, 1, 14)
    assert night_of(at("2026-01-15T12:00:00+01:00"), HERE) == date(2026, 1, 15)
    assert in_night(date(2026, 1, 14), time(6, 30), HERE) == at("2026-01-15T06:30:00+01:00")


def test_awake_from_wake_to_bedtime_both_included():
    def up(text: str, bedtime: time = time(22, 45)) -> bool:
        return is_awake(at(f"2026-01-14T{text}+01:00"), HERE, time(6, 15), bedtime)

    assert [up("06:15:00"), up("22:45:00")] == [True, True]
    assert [up("06:14:00"), up("22:46:00")] == [False, False]
    assert up("00:20:00", bedtime=time(0, 30))


def test_a_step_series_is_averaged_over_the_slots_it_cuts():
    grid = grid_for(at("2026-01-14T18:00:00+01:00"), nights=1, slot_minutes=60, zone=HERE)
    steps = [(at("2026-01-14T18:30:00+01:00"), 4.0), (at("2026-01-14T19:15:00+01:00"), 0.0)]

    # Half of the first hour at 4, a quarter of the second.
    assert grid.step_means(steps)[:3] == pytest.approx([2.0, 1.0, 0.0])


def test_a_band_cut_by_a_slot_counts_by_the_minute():
    grid = grid_for(at("2026-01-14T18:00:00+01:00"), nights=1, slot_minutes=60, zone=HERE)
    minutes = clock_window(grid.local.minute, time(18, 40), time(20, 0)).astype(float)

    assert grid.means(minutes)[:2] == pytest.approx([20 / 60, 1.0])
    assert grid.starts[1] - grid.starts[0] == timedelta(hours=1)


@pytest.mark.parametrize(
    ("day", "told"), [("2026-01-15", "Thursday"), ("2026-01-21", "Wednesday"), ("2026-01-22", "Thursday 22 January")]
)
def test_a_day_is_told_with_its_date_where_its_weekday_could_be_another(day: str, told: str):
    assert told_day(date.fromisoformat(day), date(2026, 1, 15)) == told


def test_values_of_slots_go_on_in_a_grid_that_begins_later_and_reaches_further():
    evening = Grid(1_768_410_000, 15, 8, HERE)
    later = Grid(evening.start_s + 30 * 60, 15, 8, HERE)

    assert evening.moved(np.arange(8.0), later).tolist() == [2, 3, 4, 5, 6, 7, 0, 0]
    assert evening.is_followed_by(later)
    assert not later.is_followed_by(evening)
    assert not evening.is_followed_by(replace(later, slot_minutes=30))
    assert not evening.is_followed_by(replace(later, start_s=evening.end_s))


def test_the_edge_before_an_instant_lies_within_the_grid():
    evening = Grid(1_768_410_000, 15, 8, HERE)

    passed = [-20, 0, 14, 15, 121]

    assert [evening.edge_before(evening.starts[0] + timedelta(minutes=n)) for n in passed] == [0, 0, 0, 1, 8]
