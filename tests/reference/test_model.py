"""The model builder and HiGHS behind it, on problems that can be solved in the head."""

import numpy as np
import pytest

from tests.reference.model import Effort, Model

EXACT = Effort(nodes=1000, relative_gap=0.0, absolute_gap=1e-9)


def a_knapsack(capacity: float) -> Model:
    """Worth 6, 5 and 4 for weights 3, 2 and 2; all or nothing of each."""
    model = Model()
    taken = model.columns(3, high=1, cost=np.array([-6.0, -5.0, -4.0]), whole=True)
    model.row(taken, np.array([3.0, 2.0, 2.0]), high=capacity)
    return model


def test_whole_things_are_taken_or_left():
    # Of 4 units: 5 + 4 beats 6 with one unit left over.
    found = a_knapsack(4).minimise(EXACT)

    assert found is not None
    assert found.objective == pytest.approx(-9)
    assert list(found.values.round()) == [0, 1, 1]
    assert found.bound == pytest.approx(-9)


def test_the_relaxation_is_a_bound_and_no_plan():
    # In fractions: 5 whole for 2 units, then two thirds of 6 or a whole 4: 5 + 4 = 9 either way.
    assert a_knapsack(4).relaxed_bound() == pytest.approx(-9)
    # Of 3 units: 5 and a third of 6 (or half of 4) make 7, where whole things make 6.
    assert a_knapsack(3).relaxed_bound() == pytest.approx(-7)
    assert a_knapsack(3).minimise(EXACT).objective == pytest.approx(-6)


def test_other_costs_may_be_asked_for_without_building_anew():
    model = a_knapsack(4)

    assert model.minimise(EXACT, cost=np.array([-9.0, 0.0, 0.0])).objective == pytest.approx(-9)
    assert model.minimise(EXACT).objective == pytest.approx(-9)


def test_a_block_of_rows_is_a_row_for_each_element():
    model = Model()
    x = model.columns(3, cost=1.0)
    model.rows([(x, np.array([1.0, 2.0, 4.0]))], low=8.0)

    assert list(model.minimise(EXACT).values) == pytest.approx([8, 4, 2])
    assert (model.n_columns, model.n_whole) == (3, 0)


def test_what_cannot_be_has_no_solution():
    model = Model()
    x = model.columns(1, high=1.0)
    model.rows([(x, 1.0)], low=2.0)

    assert model.minimise(EXACT) is None
    assert model.relaxed_bound() is None


def test_nothing_is_printed(capfd: pytest.CaptureFixture[str]):
    a_knapsack(4).minimise(EXACT)
    a_knapsack(4).relaxed_bound()

    captured = capfd.readouterr()
    assert captured.out == captured.err == ""
