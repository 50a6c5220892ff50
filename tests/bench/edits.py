"""What an edit answers with: a plan that goes on from the one that was known before, beside one made from nothing.

    ./moon bench edits [--households N]

Each household is planned with a longer search; then a car has another SoC, a trip is longer, or leaves half an hour sooner.
The best that is known after an edit is the best of both plans and of what a longer search makes of each.
"""

import argparse
import json
import statistics
from collections.abc import Iterator
from dataclasses import replace
from datetime import timedelta
from random import Random

from moonplan.core.household import Household, read
from moonplan.core.planner.candidates import candidate
from moonplan.core.planner.plan import Plan, later, plan
from moonplan.planning.warming import warm
from tests.bench.families import a_family_household
from tests.bench.plan import over, timed

SIZES = ((2, 7), (4, 7))


def edited(household: Household, chance: Random) -> Iterator[tuple[str, Household]]:
    """The household after each of three edits."""
    cars, trips = household.vehicles, household.trips
    i, longer, sooner = chance.randrange(len(cars)), chance.randrange(len(trips)), chance.randrange(len(trips))
    soc_pct = min(95.0, max(8.0, cars[i].soc_pct + chance.choice((-6, -3, 3, 6))))
    another_soc = replace(cars[i], soc_pct=soc_pct)
    further = replace(trips[longer], km=trips[longer].km + chance.choice((10, 20)))
    earlier = replace(trips[sooner], leave=trips[sooner].leave - timedelta(minutes=30))
    yield "SoC", replace(household, vehicles=(*cars[:i], another_soc, *cars[i + 1 :]))
    yield "km", replace(household, trips=(*trips[:longer], further, *trips[longer + 1 :]))
    yield "leaves", replace(household, trips=(*trips[:sooner], earlier, *trips[sooner + 1 :]))


def searched_on(made: Plan) -> tuple[float, float]:
    found = later(made.problem, candidate(made.problem, made.setpoints)).outcome
    return found.short_kwh, found.value


def compare_size(cars: int, nights: int, households: int) -> None:
    print(f"\n{cars} × {nights}: cars × nights")
    print(f"{'seed':>4} {'edit':>8} | over best known, and how long it takes: from nothing, going on")
    told: list[list[tuple[str, float]]] = [[], []]
    for seed in range(households):
        household = read(json.dumps(a_family_household(seed, cars=cars, nights=nights)))
        known = plan(household).setpoints
        for what, after in edited(household, Random(seed)):
            answers = [timed(plan, after, prove=False, like=like) for like in (None, known)]
            plans = [(made.outcome.short_kwh, made.outcome.value) for made, _ in answers]
            best = min([*plans, *(searched_on(made) for made, _ in answers)], key=lambda one: (round(one[0], 3), one[1]))
            figures = [over(one, best) for one in plans]
            for mine, figure, (_, seconds) in zip(told, figures, answers, strict=True):
                mine.append((figure, seconds))
            times = "  ".join(f"{f:>9} {s * 1000:6.0f}ms" for f, (_, s) in zip(figures, answers, strict=True))
            print(f"{seed:4} {what:>8} | {times}", flush=True)
    for what, mine in zip(("from nothing", "going on"), told, strict=True):
        per_cent = [float(figure[:-1]) for figure, _ in mine if figure.endswith("%")]
        within = ", ".join(f"{sum(f <= most for f in per_cent)} within {most} %" for most in (0.1, 0.5))
        seconds = statistics.mean(s for _, s in mine)
        print(f"{what}: {statistics.mean(per_cent):.2f} % on average; of {len(mine)} {within}; {seconds * 1000:.0f} ms")


def main(given: list[str] | None = None) -> None:
    parser = argparse.ArgumentParser(prog="moon bench edits")
    parser.add_argument("--households", type=int, default=10)
    options = parser.parse_args(given)
    warm()
    for cars, nights in SIZES:
        compare_size(cars, nights, options.households)


if __name__ == "__main__":
    main()
