"""Two plans put together: of each night the cheaper of both, where the one can go over into the other."""

import numpy as np
import pytest

from moonplan.core.planner.building import build
from moonplan.core.planner.candidates import Candidate, candidate
from moonplan.core.planner.effort import COARSE
from moonplan.core.planner.here import Here
from moonplan.core.planner.problem import Problem
from moonplan.core.planner.splice import spliced
from tests.core.factories import LOSSLESS, a_car, a_household, a_lead, at

CHEAP, DEAR = "22:00", "18:00"


@pytest.fixture
def three_nights() -> Problem:
    # 16 A × 230 V for two hours are 7.36 kWh: 0.74 in the cheap hours, 2.21 before them.
    return build(
        a_household(
            horizon_nights=3,
            leads=[a_lead(steps_a=[16]), a_lead(id="second", steps_a=[16])],
            vehicles=[a_car(soc_pct=30), a_car(id="wren", lead="second", soc_pct=30)],
            rates=[LOSSLESS, LOSSLESS | {"vehicle": "wren", "lead": "second"}],
        )
    )


def charging(problem: Problem, *cars: list[str | None]) -> Candidate:
    """A plan in which each car charges for two hours from a time on in each night, or not at all."""
    amps = []
    for times in cars:
        mine = np.zeros(problem.grid.n_slots)
        for nth, time in enumerate(times):
            if time is not None:
                start = problem.grid.first_at_or_after(at(f"2026-01-{14 + nth}T{time}:00+01:00"))
                mine[start : start + round(2 / problem.grid.hours)] = 16
        amps.append(mine)
    return candidate(problem, amps)


def test_each_night_is_taken_from_the_plan_in_which_it_is_cheaper(three_nights: Problem):
    one = charging(three_nights, [CHEAP, DEAR, CHEAP], [DEAR, DEAR, DEAR])
    other = charging(three_nights, [DEAR, CHEAP, DEAR], [DEAR, CHEAP, DEAR])

    nights = spliced(three_nights, one, other)

    # Only Thursday is cheaper in the other plan.
    assert nights is not None
    expected = charging(three_nights, [CHEAP, CHEAP, CHEAP], [DEAR, CHEAP, DEAR])
    assert [a.tolist() for a in nights] == [a.tolist() for a in expected.amps]
    assert candidate(three_nights, nights).outcome.cost == pytest.approx(2 * 3.68 * (4 * 0.10 + 2 * 0.30))


def test_a_plan_that_is_cheaper_throughout_is_left_whole(three_nights: Problem):
    cheap = charging(three_nights, [CHEAP, CHEAP, CHEAP], [CHEAP, CHEAP, CHEAP])
    dear = charging(three_nights, [CHEAP, DEAR, CHEAP], [DEAR, CHEAP, DEAR])

    assert spliced(three_nights, cheap, dear) is None
    assert spliced(three_nights, dear, cheap) is None


def test_no_plan_is_gone_over_into_with_less_aboard_than_it_has(three_nights: Problem):
    # Without Thursday's 7.36 kWh of Wren's a night is saved, but then Friday begins with less than the dear plan has.
    dear = charging(three_nights, [DEAR, DEAR, DEAR], [CHEAP, CHEAP, None])
    lazy = charging(three_nights, [DEAR, DEAR, DEAR], [CHEAP, None, CHEAP])

    assert spliced(three_nights, dear, lazy) is None
    assert spliced(three_nights, lazy, dear) is None


def test_with_more_aboard_it_is_gone_over_but_what_was_paid_counts(three_nights: Problem):
    # Early: two nights' worth in the first two; late: in the last two. From early into late all three would be paid for.
    early = charging(three_nights, [DEAR, CHEAP, None], [CHEAP, CHEAP, CHEAP])
    late = charging(three_nights, [None, CHEAP, CHEAP], [CHEAP, CHEAP, DEAR])

    assert spliced(three_nights, early, late) is None


def test_a_search_keeps_the_nights_that_a_try_is_better_in(three_nights: Problem):
    # The try saves 1.47 on Thursday and loses as much on each other night: no better as a whole, and yet not for nothing.
    before = charging(three_nights, [CHEAP, DEAR, CHEAP], [None, None, None])
    tried = charging(three_nights, [DEAR, CHEAP, DEAR], [None, None, None])
    assert not tried.better_than(before)

    found = Here(three_nights, before, COARSE).or_better(tried.amps).plan

    assert found.outcome.cost == pytest.approx(3 * 2 * 3.68 * 0.10)
