"""Loops over rows of numbers: in pieces they find what a look at each place finds."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from moonplan.core.planner.rows import alike, alike_to_the_last, least_from, most_below, without
from moonplan.core.timegrid import Floats

# Few different numbers, and rows of up to some pieces and a part of one.
few = st.sampled_from([0.0, 0.0, 0.0, 6.0, 9.5, 16.0])


def row(numbers: list[float]) -> Floats:
    return np.array(numbers, dtype=np.float64)


@given(st.integers(0, 60), st.lists(few, max_size=60))
def test_slots_without_current_are_counted_up_to_the_first_that_has_some(idle: int, then: list[float]):
    found = without(row([0.0] * idle + then))

    assert found == next((idle + k for k, amps in enumerate(then) if amps > 0), idle + len(then))


@given(st.lists(few, max_size=60), st.lists(few, max_size=60), st.lists(few, max_size=60))
def test_rows_are_alike_up_to_where_they_first_differ_and_from_where_they_last_do(
    before: list[float], between: list[float], after: list[float]
):
    one, other = row(before + between + after), row(before + [amps + 1 for amps in between] + after)

    if between:
        assert alike(one, other) == len(before)
        assert alike_to_the_last(one, other) == len(before) + len(between)
    else:
        assert alike(one, other) == len(one)
        assert alike_to_the_last(one, other) == 0


@given(st.lists(few, max_size=60), few)
def test_the_next_lower_current_is_the_most_of_all_that_are_lower(currents: list[float], below: float):
    assert most_below(row(currents), below) == max((amps for amps in currents if amps < below), default=0.0)


@given(st.lists(st.floats(0, 50) | st.just(float("inf")), max_size=60))
def test_room_at_each_edge_is_the_least_of_all_after_it(room: list[float]):
    least = row(room)

    least_from(least)

    assert least == pytest.approx(row([min(room[k:]) for k in range(len(room))]))
