"""Times and figures of the planner beside a plainly written MILP of the same problem, in one run.

    ./moon bench plan [--households N] [--seconds S] [--again N]

For each size of household: the first plan, the refined one, and what HiGHS finds of the MILP within some seconds. The best
that is known is the best of these and of what the same search finds when it goes on some times longer.
"""

import argparse
import json
import statistics
import time
from typing import Any

from moonplan.core.household import Household, read
from moonplan.core.planner.candidates import candidate
from moonplan.core.planner.outcome import outcome
from moonplan.core.planner.plan import Plan, plan
from moonplan.core.planner.problem import build
from moonplan.core.planner.together import refined
from tests.bench.families import a_family_household
from tests.reference import milp, model

SIZES = ((1, 1), (2, 1), (2, 7), (4, 7))
GROWTH = ((1, 1), (1, 7), (1, 14), (2, 14), (6, 14))


def timed(household: Household, *, prove: bool) -> tuple[Plan, float]:
    began = time.perf_counter()
    made = plan(household, prove=prove)
    return made, time.perf_counter() - began


def reference(household: Household, seconds: float, *, short: bool) -> tuple[float, float, float | None, float]:
    """Shortage and objective of the MILP's best solution, its bound, and the seconds it took."""
    model._OPTIONS["time_limit"] = seconds
    problem = build(household)
    began = time.perf_counter()
    solved = milp.solve(problem, model.Effort(10**7, 1e-4, 1e-4), may_be_short=short)
    took = time.perf_counter() - began
    if solved is None:
        return float("inf"), float("inf"), None, took
    best = min((outcome(problem, amps) for amps in (solved.amps, solved.more_amps)), key=lambda found: found.rank)
    return best.short_kwh, best.value, solved.bound, took


def searched_on(made: Plan, again: int) -> tuple[float, float]:
    """Shortage and objective of the best plan that the search comes to when it goes on from its own."""
    best = candidate(made.problem, [car.amps for car in made.outcome.cars])
    for _ in range(again):
        best = refined(made.problem, best)
    return best.outcome.short_kwh, best.outcome.value


def over(value: tuple[float, float], best: tuple[float, float]) -> str:
    """How far a plan is from the best known: in kWh missed where that differs, else in per cent of the objective."""
    if value[0] > best[0] + 1e-3:
        return f"+{value[0] - best[0]:.2f}kWh"
    return f"{100 * (value[1] - best[1]) / max(abs(best[1]), 0.2):.2f}%" if best[1] < float("inf") else "-"


def compare_size(cars: int, nights: int, households: int, seconds: float, again: int) -> None:
    print(f"\n{cars} × {nights}: cars × nights")
    print(
        f"{'seed':>4} {'first':>8} {'refined':>9} {'MILP':>8} | over best known: first, refined, MILP | bound under, MILP's"
    )
    first_ms: list[float] = []
    for seed in range(households):
        household = read(json.dumps(a_family_household(seed, cars=cars, nights=nights)))
        first, first_s = timed(household, prove=False)
        refined_plan, refined_s = timed(household, prove=True)
        short = refined_plan.outcome.short_kwh > 0
        *found, its_bound, milp_s = reference(household, seconds, short=short)
        plans: list[tuple[float, float]] = [(p.outcome.short_kwh, p.outcome.value) for p in (first, refined_plan)]
        plans.append((found[0], found[1]))
        best = min([*plans, searched_on(refined_plan, again)], key=lambda one: (round(one[0], 3), one[1]))
        under = [_under(best[1], bound) for bound in (refined_plan.bound, its_bound)]
        first_ms.append(first_s * 1000)
        figures = "  ".join(f"{over(one, best):>9}" for one in plans)
        times = f"{first_s * 1000:6.0f}ms {refined_s * 1000:7.0f}ms {milp_s:7.1f}s"
        print(f"{seed:4} {times} | {figures} | {under[0]:>8} {under[1]:>8}")
    print(f"first plan: median {statistics.median(first_ms):.0f} ms, longest {max(first_ms):.0f} ms")


def _under(value: float, bound: float | None) -> str:
    return "-" if bound is None else f"{100 * (value - bound) / max(abs(value), 0.2):.1f}%"


def growth() -> None:
    print("\nHow the first plan's time grows")
    for cars, nights in GROWTH:
        household = read(json.dumps(a_family_household(3, cars=cars, nights=nights)))
        made, seconds = timed(household, prove=False)
        print(f"{cars} cars × {nights:2} nights ({made.problem.grid.n_slots:4} slots): {seconds * 1000:6.0f} ms")


def main(given: list[str] | None = None) -> None:
    parser = argparse.ArgumentParser(prog="moon bench plan")
    parser.add_argument("--households", type=int, default=10)
    parser.add_argument("--seconds", type=float, default=10.0, help="how long the MILP may take for each")
    parser.add_argument("--again", type=int, default=2, help="how many times over the search goes on for the best known")
    options: Any = parser.parse_args(given)
    plan(read(json.dumps(a_family_household(0, cars=2, nights=1))))  # compiled before the clock starts
    for cars, nights in SIZES:
        compare_size(cars, nights, options.households, options.seconds, options.again)
    growth()


if __name__ == "__main__":
    main()
