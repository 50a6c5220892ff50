"""A timer's sessions of several nights, beside every pair of sessions that there is."""

from datetime import timedelta
from itertools import product
from random import Random
from typing import Any

import numpy as np
import pytest

from moonplan.core.planner.one_car import nothing_left
from moonplan.core.planner.plan import later, problem_of, soon
from moonplan.core.planner.problem import Problem
from moonplan.core.simulate import runs
from tests.core.factories import LOSSLESS, a_car, a_household, a_lead, at

NOW = "2026-01-14T18:00:00+01:00"
LEAST_A, MOST_A, KW_PER_A = 6.0, 16.0, 0.23
EFFICIENCY, OVERHEAD_KW = 0.9, 0.3
# Plugged in from 22:00 to 06:00, of slots of an hour from 18:00 on.
NIGHTS = [range(4, 12), range(28, 36)]


def a_timer_of_two_nights(seed: int) -> tuple[dict[str, Any], list[float], float]:
    """A household with a price of its own in every hour, these prices, and what is to be charged. [kWh]"""
    chance = Random(seed)
    prices = [round(chance.uniform(0.05, 0.35), 5) for _ in range(42)]
    kwh = chance.uniform(6, 32)
    car = a_car(
        control="timer",
        soc_pct=10,
        end_pct=10 + 2 * kwh,
        daily_limit_pct=100,
        rest_pct=100,
        plug_in_hours=["22:00", "06:00"],
    )
    rate = {"efficiency": EFFICIENCY, "overhead_kw": OVERHEAD_KW}
    given = {
        "now": NOW,
        "horizon_nights": 2,
        "slot_minutes": 60,
        "vehicles": [car],
        "leads": [a_lead(control="timer")],
        "rates": [{"vehicle": "heron", "lead": "unit", "cautious": rate, **rate}],
        "tariff": {"default_price": 0.2, "series": [[hour(t), price] for t, price in enumerate(prices)]},
    }
    return given, prices, kwh


def hour(t: int) -> str:
    return (at(NOW) + timedelta(hours=t)).isoformat()


def least_cost(prices: list[float], kwh: float) -> float:
    """Of every pair of sessions the cheapest: all at the least current, then more of it where the hours cost less."""
    nothing = (0, 0.0)
    ways = [
        [nothing] + [(past - t, sum(prices[t:past])) for t in night for past in range(t + 1, night.stop + 1)]
        for night in NIGHTS
    ]
    return min(cost for pair in product(*ways) if (cost := _cost(pair, kwh)) is not None)


def _cost(pair: tuple[tuple[int, float], ...], kwh: float) -> float | None:
    at_least = sum(hours * (EFFICIENCY * LEAST_A * KW_PER_A - OVERHEAD_KW) for hours, _ in pair)
    cost, wanted = sum(LEAST_A * KW_PER_A * prices for _, prices in pair), max(0.0, kwh - at_least)
    for hours, prices in sorted((one for one in pair if one[0]), key=lambda one: one[1] / one[0]):
        more = min(wanted, hours * EFFICIENCY * (MOST_A - LEAST_A) * KW_PER_A)
        cost, wanted = cost + more / EFFICIENCY * prices / hours, wanted - more
    return cost if wanted < 1e-9 else None


@pytest.mark.parametrize("seed", [0, 3, 17, 20, 26, 47])
def test_two_nights_of_a_timer_cost_what_the_best_pair_of_sessions_does(seed: int):
    given, prices, kwh = a_timer_of_two_nights(seed)
    least = least_cost(prices, kwh)
    problem = problem_of(a_household(**given))

    first = soon(problem)
    refined = later(problem, first)

    for found, within in ((first, 0.005), (refined, 0.001)):
        assert found.outcome.short_kwh == 0
        # Setpoints have two decimals.
        assert least - 1e-6 <= found.outcome.cost <= least * (1 + within)


def held_to_half_until_noon(soc_pct: float) -> Problem:
    """Half full is enough until noon; then there are two cheap hours, at once and at two in the night, wanted both."""
    cheap = [[hour(t), 0.05 if t in (18, 32) else 0.30] for t in range(42)]
    return problem_of(
        a_household(
            horizon_nights=2,
            slot_minutes=60,
            vehicles=[a_car(control="timer", soc_pct=soc_pct, end_pct=50 + 2 * 2 * MOST_A * KW_PER_A)],
            leads=[a_lead(control="timer")],
            rates=[LOSSLESS],
            overrides=[{"vehicle": "heron", "night": "2026-01-14", "limit_pct": 50}],
            tariff={"default_price": 0.30, "series": cheap},
        )
    )


def test_a_session_that_waits_for_the_limit_to_rise_at_noon_is_of_the_night_before():
    found = soon(held_to_half_until_noon(50))

    assert found.outcome.short_kwh == 0
    assert found.outcome.cost == pytest.approx(2 * MOST_A * KW_PER_A * 0.05)
    waiting, at_night = runs(found.amps[0])
    assert waiting.first < 18 == waiting.last
    assert (at_night.first, at_night.last) == (32, 32)


@pytest.mark.parametrize(
    ("soc_pct", "begun", "left"),
    [
        # At its limit all the while: the hour before noon is enough to be of the night before.
        (50, 14, [17, 18, 32]),
        # Two hours to its limit, then it waits: what goes on at noon is still the same session.
        (40, 0, [*range(19), 32]),
    ],
)
def test_hours_in_which_nothing_is_drawn_are_left_out_but_for_those_before_such_a_noon(
    soc_pct: float, begun: int, left: list[int]
):
    problem = held_to_half_until_noon(soc_pct)
    amps = np.zeros(problem.grid.n_slots)
    amps[begun:19] = amps[32] = MOST_A
    bare = nothing_left(problem.cars[0], amps, problem)

    assert np.flatnonzero(bare).tolist() == left
