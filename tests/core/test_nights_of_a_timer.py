"""A timer's sessions of several nights, beside every pair of sessions that there is."""

from datetime import timedelta
from itertools import product
from random import Random

import numpy as np
import pytest

from moonplan.core.planner.candidates import candidate
from moonplan.core.planner.moves import improved
from moonplan.core.planner.one_car import nothing_left
from moonplan.core.planner.plan import later, problem_of, soon
from moonplan.core.planner.problem import Problem
from moonplan.core.simulate import runs
from tests.core.factories import LOSSLESS, a_car, a_circuit, a_household, a_lead, a_trip, at

NOW = "2026-01-14T18:00:00+01:00"
LEAST_A, MOST_A, KW_PER_A = 6.0, 16.0, 0.23
EFFICIENCY, OVERHEAD_KW = 0.9, 0.3
# Plugged in from 22:00 to 06:00, of slots of an hour from 18:00 on.
NIGHTS = [range(4, 12), range(28, 36)]


def timers_of_two_nights(seed: int, cars: int = 1) -> tuple[Problem, list[float], float]:
    """Cars with a circuit each and a price of its own in every hour, these prices, and what each is to charge. [kWh]"""
    chance = Random(seed)
    prices = [round(chance.uniform(0.05, 0.35), 5) for _ in range(42)]
    kwh = chance.uniform(6, 32)
    rate = {"efficiency": EFFICIENCY, "overhead_kw": OVERHEAD_KW}
    household = a_household(
        horizon_nights=2,
        slot_minutes=60,
        circuits=[a_circuit(id=f"circuit {i}", legs=[f"L{i + 1}"]) for i in range(cars)],
        leads=[a_lead(id=f"unit {i}", circuit=f"circuit {i}", control="timer") for i in range(cars)],
        vehicles=[
            a_car(
                id=f"car {i}",
                lead=f"unit {i}",
                control="timer",
                soc_pct=10,
                end_pct=10 + 2 * kwh,
                daily_limit_pct=100,
                rest_pct=100,
                plug_in_hours=["22:00", "06:00"],
            )
            for i in range(cars)
        ],
        rates=[{"vehicle": f"car {i}", "lead": f"unit {i}", "cautious": rate, **rate} for i in range(cars)],
        tariff={"default_price": 0.2, "series": [[hour(t), price] for t, price in enumerate(prices)]},
    )
    return problem_of(household), prices, kwh


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


@pytest.mark.parametrize(("seed", "cars"), [(0, 1), (3, 1), (17, 1), (20, 1), (26, 1), (47, 1), (26, 2), (47, 2)])
def test_two_nights_of_a_timer_cost_what_the_best_pair_of_sessions_does(seed: int, cars: int):
    problem, prices, kwh = timers_of_two_nights(seed, cars)
    least = cars * least_cost(prices, kwh)

    first = soon(problem)
    refined = later(problem, first)

    for found, within in ((first, 0.005), (refined, 0.001)):
        assert found.outcome.short_kwh == 0
        # Setpoints have two decimals.
        assert least - 1e-6 <= found.outcome.cost <= least * (1 + within)


def pinned_over_noon(nights: int, control: str, prices: list[float], pinned: range, hours: int) -> Problem:
    """A car with a pinned session that wants some hours besides, at the one current there is; somebody is up all night."""
    return problem_of(
        a_household(
            horizon_nights=nights,
            slot_minutes=60,
            wake="00:00",
            bedtime="23:59",
            leads=[a_lead(control=control, steps_a=[MOST_A])],
            vehicles=[
                a_car(
                    control=control,
                    usable_kwh=100,
                    soc_pct=10,
                    end_pct=10 + (len(pinned) + hours) * MOST_A * KW_PER_A,
                    daily_limit_pct=100,
                    rest_pct=100,
                )
            ],
            rates=[LOSSLESS],
            pins=[{"id": "p", "vehicle": "heron", "start": hour(pinned.start), "end": hour(pinned.stop), "amps": MOST_A}],
            tariff={"default_price": 0.2, "series": [[hour(t), price] for t, price in enumerate(prices)]},
        )
    )


def cheapest(prices: list[float], starts: range, until: int, hours: int) -> float:
    """So many hours in a row, from one of some hours on and before another."""
    return min((sum(prices[t : t + hours]) for t in starts if t + hours <= until), default=float("inf")) if hours else 0.0


@pytest.mark.parametrize("control", ["timer", "hand"])
@pytest.mark.parametrize(("seed", "hours"), [(0, 2), (1, 3), (2, 5), (3, 3)])
def test_a_session_pinned_over_noon_leaves_the_next_night_its_own(control: str, seed: int, hours: int):
    # Pinned from 11:00 to 13:00; the hours that are wanted besides may not be beside it.
    chance = Random(seed)
    prices = [round(chance.uniform(0.05, 0.35), 3) for _ in range(42)]

    first = soon(pinned_over_noon(2, control, prices, range(17, 19), hours))

    least = sum(prices[17:19]) + cheapest(prices, range(20, 42), 42, hours)
    assert first.outcome.short_kwh == 0
    assert first.outcome.cost == pytest.approx(least * MOST_A * KW_PER_A)


@pytest.mark.parametrize("control", ["timer", "hand"])
@pytest.mark.parametrize(("seed", "hours"), [(2, 5), (5, 7), (10, 3), (13, 7)])
def test_what_that_night_can_still_have_counts_in_the_night_before_the_pinned_session(control: str, seed: int, hours: int):
    # Pinned on the second day; of the hours besides some may be in the first night and the others in the third.
    chance = Random(seed)
    prices = [round(chance.uniform(0.05, 0.4), 3) for _ in range(66)]

    first = soon(pinned_over_noon(3, control, prices, range(41, 43), hours))

    of_both = [
        cheapest(prices, range(18), 41, early) + cheapest(prices, range(44, 66), 66, hours - early)
        for early in range(hours + 1)
    ]
    assert first.outcome.short_kwh == 0
    assert first.outcome.cost == pytest.approx((sum(prices[41:43]) + min(of_both)) * MOST_A * KW_PER_A)


@pytest.mark.parametrize(("charging", "value"), [(True, 2 * 2.49 * 0.30), (False, 1.5 * 3.22 * 0.30 + 0.20)])
def test_a_session_that_runs_already_goes_on_at_less_where_another_counts_more(charging: bool, value: float):
    # 4.38 kWh are wanted; of what is drawn 0.3 kW are lost. Of 4 kW the house leaves 2.5 until 22:00: two hours at 2.49 give
    # that. After that 16 A are left, of which a quarter of an hour gives 0.845: it takes six, at 14 A, and 0.20 to begin.
    household = a_household(
        start_price=0.20,
        leads=[a_lead(control="timer")],
        vehicles=[a_car(control="timer", charging=charging, soc_pct=50, end_pct=58.76)],
        rates=[LOSSLESS | {"overhead_kw": 0.3, "cautious": {"efficiency": 1.0, "overhead_kw": 0.3}}],
        base_load_kw=[["00:00", 0], ["17:00", 1.5], ["22:00", 0]],
        tariff={"default_price": 0.30, "contracted_kw": 4},
    )

    found = soon(problem_of(household))

    assert found.outcome.value == pytest.approx(value, rel=1e-3)
    assert (np.flatnonzero(found.amps[0]).tolist() == list(range(8))) is charging


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


def test_a_session_that_lasts_past_noon_may_be_at_what_the_house_leaves_it_there():
    # The house takes 8 of 20 A until 17:00, and 10 then. From 6:30 on 10.5 h at 12 A are 28.98 kWh, and 13.5 h at 10 A, to
    # leaving, 31.05 of the 50 that are wanted. Another session after noon would be the next night's, which needs its own.
    trips = [
        a_trip("2026-01-15T20:00:00+01:00", "2026-01-15T20:30:00+01:00", 0, fill=True),
        a_trip("2026-01-16T08:00:00+01:00", "2026-01-16T18:00:00+01:00", 0, fill=True),
    ]
    household = a_household(
        now="2026-01-15T06:00:00+01:00",
        supply={"leg_voltage_v": 230, "legs": 1, "rating_a": 20, "continuous_factor": 1.0},
        base_load_kw=[["00:00", 1.84], ["17:00", 2.3], ["20:15", 0.5]],
        vehicles=[a_car(soc_pct=0, control="hand", daily_limit_pct=100)],
        leads=[a_lead(control="hand")],
        trips=trips,
    )
    problem = problem_of(household)
    amps = np.zeros(problem.grid.n_slots)
    for start, end, current in (("15T06:30", "15T17:00", 12.0), ("15T20:30", "16T08:00", 16.0)):
        first, past = (problem.grid.starts.index(at(f"2026-01-{clock}:00+01:00")) for clock in (start, end))
        amps[first:past] = current
    start = candidate(problem, [amps])

    assert start.outcome.short_kwh == pytest.approx(50 - 28.98)
    assert improved(problem, start, moves=1).outcome.short_kwh == pytest.approx(50 - 31.05)


def test_a_session_may_last_past_noon_so_that_the_night_after_has_one_later():
    # 15 of 40 kWh until 10:05, when somebody's limit is reached, and 3.68 from noon on, when it is lifted, to leaving. As a
    # session of its own that would be the next night's, and nothing more would be charged for the day after.
    leaves = ["2026-01-15T13:00:00+01:00", "2026-01-16T08:00:00+01:00"]
    back = ["2026-01-15T14:00:00+01:00", "2026-01-16T18:00:00+01:00"]
    problem = problem_of(
        a_household(
            now="2026-01-15T06:00:00+01:00",
            vehicles=[a_car(soc_pct=20, control="timer")],
            leads=[a_lead(control="timer")],
            rates=[LOSSLESS],
            overrides=[{"vehicle": "heron", "night": "2026-01-14", "limit_pct": 50}],
            trips=[a_trip(leave, back, 0, fill=True) for leave, back in zip(leaves, back, strict=True)],
        )
    )
    amps = np.zeros(problem.grid.n_slots)
    amps[: 4 * 4 + 1] = amps[6 * 4 : 7 * 4] = MOST_A
    start = candidate(problem, [amps])
    missing = 50 - 25 - MOST_A * KW_PER_A

    assert start.outcome.short_kwh == pytest.approx(2 * missing)
    assert improved(problem, start, moves=1).outcome.short_kwh == pytest.approx(missing)
    assert soon(problem).outcome.short_kwh == pytest.approx(missing)
