"""The longer search, step by step: a plan, its bound, and for several cars a plan twice more."""

import json

import numpy as np
import pytest

from moonplan.core.household import read
from moonplan.core.planner import longer
from moonplan.core.planner.at_once import at_once
from moonplan.core.planner.candidates import Candidate, candidate
from moonplan.core.planner.longer import Searched, searched_on
from moonplan.core.planner.outcome import Outcome
from moonplan.core.planner.plan import clearly_better, later, plan, problem_of
from moonplan.core.planner.problem import Problem
from tests.bench.families import a_family_household
from tests.core.factories import LOSSLESS, NIGHT_BAND, a_car, a_circuit, a_document, a_household, a_lead


def steps_of(text: str) -> list[Searched]:
    """What every step comes to until the search is over."""
    taken = [searched_on(text)]
    while not taken[-1].over:
        taken.append(searched_on(text, taken[-1]))
    return taken


def test_the_steps_come_to_the_plan_that_the_command_line_shows():
    text = json.dumps(a_family_household(3, cars=2, nights=2))
    made = plan(read(text))

    first, known, *_ = steps_of(text)

    assert first.bound is None
    assert [amps.tolist() for amps in (car.amps for car in made.outcome.cars)] == first.amps == known.amps
    assert known.bound is not None
    assert min(known.bound, made.outcome.value) == pytest.approx(made.bound)


def test_a_plan_that_is_proven_is_not_searched_on_whatever_the_number_of_cars():
    # Three cars with a circuit each and enough cheap hours: each has what it has alone.
    cars = [a_car(id=f"car{i}", lead=f"lead{i}", soc_pct=50, end_pct=60) for i in range(3)]
    text = json.dumps(
        a_document(
            leads=[a_lead(id=f"lead{i}", circuit=f"circuit{i}") for i in range(3)],
            circuits=[a_circuit(id=f"circuit{i}", legs=[f"L{i + 1}"]) for i in range(3)],
            vehicles=cars,
            rates=[LOSSLESS | {"vehicle": f"car{i}", "lead": f"lead{i}"} for i in range(3)],
        )
    )

    *_, last = steps_of(text)

    assert last.steps == 2
    # 5 kWh each, at 0.10, to within a coin of a twentieth of 0.30.
    assert last.bound == pytest.approx(3 * 5 * 0.10, abs=0.015)


def test_a_plan_is_looked_for_twice_more_with_other_tries(monkeypatch: pytest.MonkeyPatch):
    # Three cars that want more than there is for two nights.
    text = json.dumps(a_family_household(56, cars=3, nights=2))
    tries: list[int] = []

    def noted(problem: Problem, found: Candidate, *, again: int = 0) -> Candidate:
        tries.append(again)
        return later(problem, found, again=again)

    monkeypatch.setattr(longer, "later", noted)
    first, known, third, last = steps_of(text)

    problem = problem_of(read(text))
    soon, then = (candidate(problem, one.setpoints).outcome for one in (first, last))
    assert tries == [0, 1, 2]
    assert known.amps == first.amps
    assert third.bound == last.bound == known.bound
    assert then.rank <= soon.rank


def test_a_poor_plan_gives_way_to_a_better_one_of_a_later_step():
    # All three charge as soon as they can, dearly, and the search is told that this is the best so far.
    text = json.dumps(a_family_household(56, cars=3, nights=2))
    problem = problem_of(read(text))
    poor = candidate(problem, at_once(problem))

    third = searched_on(text, Searched([amps.tolist() for amps in poor.amps], bound=0.0, steps=2, over=False))

    assert (third.steps, third.bound, third.over) == (3, 0.0, False)
    assert clearly_better(candidate(problem, third.setpoints).outcome, poor.outcome)


def a_night_with_two_prices(amps_at: dict[int, float]) -> Outcome:
    """Half an hour of charging at 0.10 until 06:00 or 0.11 from then on."""
    morning = NIGHT_BAND | {"name": "morning", "price": 0.11, "from": "06:00", "to": "12:00"}
    problem = problem_of(
        a_household(vehicles=[a_car(end_pct=50)], tariff={"default_price": 0.30, "bands": [NIGHT_BAND, morning]})
    )
    amps = np.zeros(problem.grid.n_slots)
    for slot, of_slot in amps_at.items():
        amps[slot] = of_slot
    return candidate(problem, [amps]).outcome


def test_a_plan_takes_another_s_place_when_it_is_better_by_more_than_a_coin():
    # 18:00 is slot 0, 06:00 slot 48. A slot at 16 A is 0.92 kWh: at 0.11 instead of 0.10, 0.0092 dearer; at 0.30, 0.184.
    # A coin is a twentieth of the default price, 0.015.
    cheap = a_night_with_two_prices({46: 16, 47: 16})
    little_dearer = a_night_with_two_prices({47: 16, 48: 16})
    twice_that = a_night_with_two_prices({48: 16, 49: 16})
    evening = a_night_with_two_prices({0: 16, 47: 16})

    assert not clearly_better(cheap, little_dearer)
    assert clearly_better(cheap, twice_that)
    assert clearly_better(cheap, evening)
    assert not clearly_better(evening, cheap)


def test_what_misses_less_is_better_at_any_price():
    ready = a_night_with_two_prices({0: 16, 1: 16})
    wanted = problem_of(a_household(vehicles=[a_car(end_pct=52)]))
    nothing, something = (candidate(wanted, [amps]).outcome for amps in (np.zeros(wanted.grid.n_slots), ready.cars[0].amps))

    # 1 kWh is wanted; without a kWh aboard the night costs nothing, with it half an hour at 0.30.
    assert (nothing.short_kwh, something.short_kwh) == (pytest.approx(1.0), 0)
    assert clearly_better(something, nothing)
    assert not clearly_better(nothing, something)
