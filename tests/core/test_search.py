"""The search among plans of cars in each other's way: it finds what no order of planning them does, and no worse."""

import json
from random import Random

import numpy as np
import pytest

from moonplan.core.household import read
from moonplan.core.planner.candidates import candidate, pinned, planned
from moonplan.core.planner.constraints import broken_rules
from moonplan.core.planner.habits import with_habits
from moonplan.core.planner.one_car import _Question
from moonplan.core.planner.problem import Problem, build
from moonplan.core.planner.search import searched
from moonplan.core.planner.together import plan_together, refined
from tests.bench.families import a_family_household
from tests.core.factories import LOSSLESS, a_car, a_circuit, a_household, a_lead, a_trip


def a_family(seed: int, *, cars: int, nights: int) -> Problem:
    return with_habits(build(read(json.dumps(a_family_household(seed, cars=cars, nights=nights)))))


def test_the_car_that_could_wait_gives_way():
    # One car at a time. Both are home for the four cheap hours; Wren leaves at 06:00 and must have three of them by then
    # (11.04 kWh), Heron wants as much by noon and could have it dearly in the morning, too. Planned first, Heron takes
    # the cheap hours and Wren is short or pays; the best is 3 h cheap for Wren, 1 h for Heron, and 2 h at 0.30.
    trips = [a_trip("2026-01-15T06:00:00+01:00", "2026-01-15T18:00:00+01:00", 80) | {"vehicle": "wren"}]
    problem = with_habits(
        build(
            a_household(
                leads=[a_lead(steps_a=[16]), a_lead(id="second", steps_a=[16])],
                circuits=[a_circuit(sharing="none")],
                vehicles=[
                    a_car(soc_pct=30, end_pct=52.08, plug_in_hours=["02:00", "12:00"]),
                    a_car(id="wren", lead="second", soc_pct=20, reserve_pct=10, plug_in_hours=["02:00", "12:00"]),
                ],
                rates=[LOSSLESS, LOSSLESS | {"vehicle": "wren", "lead": "second"}],
                trips=trips,
            )
        )
    )
    amps = [pinned(car) for car in problem.cars]
    for i in (0, 1):
        amps[i] = planned(problem, amps, i, fine=True)
    greedy = candidate(problem, amps)

    found = searched(problem, greedy, tries=40, fine=True)

    assert greedy.outcome.short_kwh > 1
    assert broken_rules(problem, found.amps) == []
    assert found.outcome.short_kwh == 0
    assert found.outcome.cost == pytest.approx(4 * 3.68 * 0.10 + 2 * 3.68 * 0.30, rel=0.001)


@pytest.mark.parametrize("seed", [1, 3, 9])
def test_a_search_never_makes_a_plan_worse_and_is_the_same_every_time(seed: int):
    def soon_and_long() -> list[tuple[float, float, bytes]]:
        problem = a_family(seed, cars=2, nights=2)
        soon = plan_together(problem)
        plans = (soon, searched(problem, soon, tries=30, fine=False), refined(problem, soon))
        assert all(broken_rules(problem, one.amps) == [] for one in plans)
        return [(round(p.outcome.short_kwh, 5), p.outcome.value, np.array(p.amps).tobytes()) for p in plans]

    first = soon_and_long()

    assert first[1][:2] <= first[0][:2]
    assert first[2][:2] <= first[0][:2]
    assert soon_and_long() == first


@pytest.mark.parametrize("seed", range(6))
def test_what_was_kept_of_earlier_plans_does_not_show_in_a_new_one(seed: int, monkeypatch: pytest.MonkeyPatch):
    # A car is kept off one stretch after another; once with what its recursion kept, and once done anew each time.
    def plans() -> list[list[float]]:
        problem, chance = a_family(seed, cars=2, nights=3), Random(seed)
        others = [pinned(car) for car in problem.cars]
        made = []
        for nth in range(8):
            keep_off = np.zeros(problem.grid.n_slots, dtype=np.bool_)
            first = chance.randrange(problem.grid.n_slots)
            keep_off[first : first + chance.choice([2, 12, 60])] = True
            made.append(planned(problem, others, nth % 2, fine=False, keep_off=keep_off).tolist())
        return made

    with_what_was_kept = plans()
    monkeypatch.setattr(_Question, "differs_until", lambda self, other: len(self.slots.room_a))

    assert with_what_was_kept == plans()


def test_of_much_work_only_the_last_is_kept():
    problem = a_family(2, cars=1, nights=1)
    for n in range(1500):
        problem.lately(n, lambda n=n: 2 * n)

    assert problem.lately(1499, lambda: -1) == 2998
    assert problem.lately(0, lambda: -1) == -1
    assert len(problem.late) == 1000
