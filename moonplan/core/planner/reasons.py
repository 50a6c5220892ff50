"""Why a session is there: what it serves, and why then (rules, section 8)."""

from datetime import datetime

import numpy as np

from moonplan.core.planner.outcome import Outcome, outcome
from moonplan.core.planner.problem import Problem
from moonplan.core.simulate import NOTHING_KWH, Run
from moonplan.core.timegrid import Floats


def reason(problem: Problem, plan: Outcome, i: int, run: Run) -> str:
    """One sentence without its full stop: what the session of car i serves, then why it stands where it stands."""
    return f"{_serves(problem, plan, i, run)}; {_why_then(problem, plan, i, run)}"


def served_departure(problem: Problem, plan: Outcome, i: int, run: Run) -> int | None:
    """Index of the first departure that would be short without the session; None where it serves no departure."""
    without = plan.cars[i].amps.copy()
    without[run.first : run.last + 1] = 0.0
    amps = [car.amps for car in plan.cars]
    amps[i] = without
    missed = outcome(problem, amps).cars[i]
    for nth, (now, then) in enumerate(zip(plan.cars[i].departures, missed.departures, strict=True)):
        if then.short_kwh > now.short_kwh + NOTHING_KWH:
            return nth
    return None


def _serves(problem: Problem, plan: Outcome, i: int, run: Run) -> str:
    car = problem.cars[i]
    if (nth := served_departure(problem, plan, i, run)) is not None:
        trip = car.departures[nth].trip
        return f"for {_day_and_time(trip.leave, problem)} ({trip.km:g} km)"
    if not np.isnan(car.pinned_a[run.first]):
        return "as you pinned it"
    if plan.cars[i].mean.soc_kwh[run.first] < car.vehicle.boost_pct / 100 * car.vehicle.usable_kwh:
        return f"back above {car.vehicle.boost_pct:g} % at once"
    if car.wanted_at_end_kwh is not None:
        share = car.wanted_at_end_kwh / car.vehicle.usable_kwh
        return f"to have {share:.0%} by {_day_and_time(problem.grid.starts[-1], problem)}"
    return "for the days after"


def _why_then(problem: Problem, plan: Outcome, i: int, run: Run) -> str:
    inside = slice(run.first, run.last + 1)
    wall, own = plan.cars[i].mean.wall_kwh[inside], plan.costs[i].solar_kwh[inside]
    if own.sum() > 0.5 * wall.sum():
        return "on your own sun"
    bands = problem.prices.band[inside]
    by_band: dict[str, float] = {}
    for band, kwh in zip(bands, wall, strict=True):
        by_band[band] = by_band.get(band, 0.0) + float(kwh)
    main = max(by_band, key=by_band.__getitem__)
    price = _mean_price(problem.prices.price[inside], wall)
    line = "the default price" if main == "default" else "the day's prices" if main == "series" else f"the {main} price"
    cheaper = problem.cars[i].chargeable & (problem.prices.price < price - 1e-9)
    return f"{line}, {price:.5g} a kWh" + ("" if cheaper.any() else ", the lowest there is")


def _mean_price(price: Floats, weights: Floats) -> float:
    return float(np.average(price, weights=weights)) if weights.sum() > 0 else float(price.mean())


def _day_and_time(instant: datetime, problem: Problem) -> str:
    return instant.astimezone(problem.household.zone).strftime("%A %H:%M")
