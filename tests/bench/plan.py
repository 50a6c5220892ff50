"""Times and figures of the planner beside a plainly written MILP of the same problem, in one run.

    ./moon bench plan [--households N] [--seconds S] [--again N]

For each size of household: the first plan, the refined one with how much longer it took, its bound, and what HiGHS finds of
the MILP within some seconds. The best that is known is the best of these and of what the same search finds when it goes on
some times longer.
"""

import argparse
import json
import statistics
import time
from collections.abc import Callable
from typing import Any, ParamSpec, TypeVar

from moonplan.core.household import Household, read
from moonplan.core.planner.building import build
from moonplan.core.planner.candidates import Candidate
from moonplan.core.planner.constraints import broken_rules
from moonplan.core.planner.outcome import outcome
from moonplan.core.planner.plan import later, least_of, plan, problem_of, soon
from moonplan.core.planner.problem import Problem
from moonplan.core.planner.together import refined
from moonplan.planning.warming import warm
from tests.bench.families import a_family_household
from tests.reference import milp, model

Given = ParamSpec("Given")
Made = TypeVar("Made")

SIZES = ((1, 1), (2, 1), (2, 7), (4, 7))
GROWTH = ((1, 1), (1, 7), (1, 14), (2, 14), (6, 14))


def timed(make: Callable[Given, Made], *args: Given.args, **kwargs: Given.kwargs) -> tuple[Made, float]:
    """What is made, and the seconds it took."""
    began = time.perf_counter()
    return make(*args, **kwargs), time.perf_counter() - began


def reference(household: Household, seconds: float, *, short: bool) -> tuple[float, float, float | None, float]:
    """Shortage and objective of the MILP's best solution, its bound, and the seconds it took."""
    model._OPTIONS["time_limit"] = seconds
    problem = build(household)
    began = time.perf_counter()
    solved = milp.solve(problem, model.Effort(10**7, 1e-4, 1e-4), may_be_short=short)
    took = time.perf_counter() - began
    found = [] if solved is None else [solved.amps, solved.more_amps]
    # A hundredth of an ampere up may be more than there is.
    plans = [outcome(problem, amps) for amps in found if not broken_rules(problem, amps)]
    bound = None if solved is None else solved.bound
    if not plans:
        return float("inf"), float("inf"), bound, took
    best = min(plans, key=lambda plan: plan.rank)
    return best.short_kwh, best.value, bound, took


def searched_on(problem: Problem, found: Candidate, again: int) -> Candidate:
    """The best plan that the search comes to when it goes on from its own."""
    for _ in range(again):
        found = refined(problem, found)
    return found


def over(value: tuple[float, float], best: tuple[float, float]) -> str:
    """How far a plan is from the best known: in kWh missed where that differs, else in per cent of the objective."""
    if value[0] > best[0] + 1e-3:
        return f"+{value[0] - best[0]:.2f}kWh"
    return f"{100 * (value[1] - best[1]) / max(abs(best[1]), 0.2):.2f}%" if best[1] < float("inf") else "-"


def compare_size(cars: int, nights: int, households: int, seconds: float, again: int) -> None:
    print(f"\n{cars} × {nights}: cars × nights")
    print(
        f"{'seed':>4} {'first':>8} {'refined':>10} {'bound':>8} {'MILP':>8} | over best known: first, refined, MILP | bound "
        "under, MILP's"
    )
    family = [read(json.dumps(a_family_household(seed, cars=cars, nights=nights))) for seed in range(households)]
    # One after the other, as a server makes them: another process of it searches on.
    firsts = [timed(plan, household, prove=False) for household in family]
    took: list[tuple[float, float, float]] = []
    for seed, household in enumerate(family):
        first, first_s = firsts[seed]
        problem = problem_of(household)
        found = soon(problem)
        better, refined_s = timed(later, problem, found)
        least, bound_s = timed(least_of, problem, better)
        *of_milp, its_bound, milp_s = reference(household, seconds, short=better.outcome.short_kwh > 0)
        outcomes = [first.outcome, better.outcome, searched_on(problem, better, again).outcome]
        *plans, longest = [(float(one.short_kwh), one.value) for one in outcomes]
        plans.append((of_milp[0], of_milp[1]))
        best = min([*plans, longest], key=lambda one: (round(one[0], 3), one[1]))
        took.append((first_s, refined_s, bound_s))
        figures = "  ".join(f"{over(one, best):>9}" for one in plans)
        times = f"{first_s * 1000:6.0f}ms {refined_s * 1000:8.0f}ms {bound_s * 1000:6.0f}ms {milp_s:7.1f}s"
        print(f"{seed:4} {times} | {figures} | {_under(best[1], least):>8} {_under(best[1], its_bound):>8}")
    for what, seconds_of in zip(("first plan", "refined", "bound"), zip(*took, strict=True), strict=True):
        print(f"{what}: median {statistics.median(seconds_of) * 1000:.0f} ms, longest {max(seconds_of) * 1000:.0f} ms")


def _under(value: float, bound: float | None) -> str:
    return "-" if bound is None else f"{100 * (value - bound) / max(abs(value), 0.2):.1f}%"


def growth() -> None:
    print("\nHow the first plan's time grows")
    for cars, nights in GROWTH:
        household = read(json.dumps(a_family_household(3, cars=cars, nights=nights)))
        made, seconds = timed(plan, household, prove=False)
        print(f"{cars} cars × {nights:2} nights ({made.problem.grid.n_slots:4} slots): {seconds * 1000:6.0f} ms")


def main(given: list[str] | None = None) -> None:
    parser = argparse.ArgumentParser(prog="moon bench plan")
    parser.add_argument("--households", type=int, default=10)
    parser.add_argument("--seconds", type=float, default=10.0, help="how long the MILP may take for each")
    parser.add_argument("--again", type=int, default=2, help="how many times over the search goes on for the best known")
    options: Any = parser.parse_args(given)
    warm()
    for cars, nights in SIZES:
        compare_size(cars, nights, options.households, options.seconds, options.again)
    growth()


if __name__ == "__main__":
    main()
