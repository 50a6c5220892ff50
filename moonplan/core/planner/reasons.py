"""Why a session is there: what it serves, why then, and what one step more or less would change (rules, section 8);
and what binds where a departure is short."""

from collections.abc import Sequence
from dataclasses import replace
from datetime import datetime
from typing import Literal

import numpy as np

from moonplan.core.planner.constraints import left_of, room_for, shared_limits
from moonplan.core.planner.outcome import Outcome, outcome
from moonplan.core.planner.problem import Car, Problem, chargeable_slots
from moonplan.core.simulate import NOTHING_KWH, Run
from moonplan.core.timegrid import Counts, Flags, Floats

# Currents nearer than this are the same. [A]
_SAME_A = 0.005


def reason(problem: Problem, plan: Outcome, i: int, run: Run) -> str:
    """One sentence without its full stop: what the session of car i serves, then why it stands where it stands
    and at no more, and what another current would change."""
    told = (_serves, _why_then, _why_no_more, _a_step_away)
    parts = [part(problem, plan, i, run) for part in told]
    return "; ".join(part for part in parts if part)


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


def _served_wish(problem: Problem, plan: Outcome, i: int, run: Run) -> float | None:
    """What the first wish asks for that the session helps to meet. [kWh]"""
    wishes = [wish.kwh for wish in problem.cars[i].wishes if wish.edge > run.first]
    return wishes[0] if wishes else None


def _serves(problem: Problem, plan: Outcome, i: int, run: Run) -> str:
    car = problem.cars[i]
    if (nth := served_departure(problem, plan, i, run)) is not None:
        trip = car.departures[nth].trip
        return f"for {_day_and_time(trip.leave, problem)} ({trip.km:g} km)"
    if not np.isnan(car.pinned_a[run.first]):
        return "as you pinned it"
    if plan.cars[i].mean.soc_kwh[run.first] < car.vehicle.boost_pct / 100 * car.vehicle.usable_kwh:
        return f"back above {car.vehicle.boost_pct:g} % at once"
    if (wish := _served_wish(problem, plan, i, run)) is not None:
        return f"up to {wish / car.vehicle.usable_kwh:.0%}, as the habit asks"
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
    told = f"{line}, {price:.5g} a kWh"
    cheaper = problem.cars[i].chargeable & (problem.prices.price < price - 1e-9)
    if not cheaper.any():
        return f"{told}, the lowest there is"
    because = _why_not_cheaper(problem, plan, i, run, cheaper)
    return told if because is None else f"{told}, since {because}"


def _why_not_cheaper(problem: Problem, plan: Outcome, i: int, run: Run, cheaper: Flags) -> str | None:
    """Why the cheaper slots are not used, or not more than they are."""
    car, mine = problem.cars[i], plan.cars[i]
    unused = cheaper & (mine.amps <= 0)
    if not unused.any():
        return "every cheaper hour is used already"
    nth = served_departure(problem, plan, i, run)
    in_time = unused.copy()
    in_time[problem.grid.n_slots if nth is None else car.departures[nth].taking.edge :] = False
    if not in_time.any():
        return "the cheaper hours come after it has left"
    taken = in_time & (room_for(problem, [one.amps for one in plan.cars], i) < car.least_a - 1e-9)
    if (taken == in_time).all():
        names = [other.name for j, other in enumerate(problem.cars) if j != i and (plan.cars[j].amps[taken] > 0).any()]
        return f"{_have(names)} the current in the cheaper hours"
    if car.control == "hand" and not (in_time & problem.awake[:-1]).any():
        return "nobody is up to start it in the cheaper hours"
    nights = problem.grid.nights
    with_session = {nights[session.first] for session in mine.sessions}
    if car.control != "managed" and all(nights[t] in with_session for t in np.flatnonzero(in_time & ~taken)):
        return "it has one session a night, at one current"
    return None


def _have(names: Sequence[str]) -> str:
    """Who has something that a car would like: others, or where there are none the house."""
    return f"{' and '.join(names)} have" if len(names) > 1 else f"{names[0] if names else 'the house'} has"


def _why_no_more(problem: Problem, plan: Outcome, i: int, run: Run) -> str | None:
    """Why the session is at no more where it is at its least: others have the rest, or it is held to less than its chain
    carries."""
    car, all_amps = problem.cars[i], [one.amps for one in plan.cars]
    if car.delivery is None or not np.isnan(car.pinned_a[run.first]):
        return None
    # In its last slot a session may have less, to end where it should.
    inside = slice(run.first, max(run.last, run.first + 1))
    amps, most = all_amps[i][inside], car.offered(car.limit_a)[inside]
    room = car.offered(room_for(problem, all_amps, i))[inside]
    squeezed = (amps > room - _SAME_A) & (room < most - _SAME_A)
    held = (amps > most - _SAME_A) & (car.limit_a[inside] < car.delivery.amps - _SAME_A)
    where = squeezed if squeezed.any() else held
    if not where.any():
        return None
    tight = where & (amps < amps[where].min() + _SAME_A)
    if squeezed.any():
        why = f"since {_who_has_the_rest(problem, all_amps, i, run.first + np.flatnonzero(tight))}"
    elif problem.habit_of(car) == "low_current":
        why = "as the habit asks"
    else:
        why = f"since circuit {car.circuit.name or car.circuit.id} is shared evenly"
    return f"{_when(problem, run, amps, tight)}no more, {why}"


def _who_has_the_rest(problem: Problem, amps: Sequence[Floats], i: int, slots: Counts) -> str:
    """Of what car i shares, that which leaves it least in some slots, and who else charges by it there."""
    binding = min(
        (limit for limit in shared_limits(problem) if i in limit.weights and not limit.of_full_limits),
        key=lambda limit: float(left_of(limit, problem, amps, i)[slots].mean()),
    )
    names = [problem.cars[j].name for j in binding.weights if j != i and (amps[j][slots] > 0).any()]
    return f"{_have(names)} the rest of {binding.subject}"


def _when(problem: Problem, run: Run, amps: Floats, tight: Flags) -> str:
    """When a session is at no more, with a space behind; nothing where it never has more."""
    inside, more = np.flatnonzero(tight), amps > amps[tight].max() + _SAME_A
    first, past = int(inside[0]), int(inside[-1]) + 1
    if more[first:past].any():
        return "at times "
    since = f"from {_time(problem.grid.starts[run.first + first], problem)} " if more[:first].any() else ""
    return since + (f"until {_time(problem.grid.starts[run.first + past], problem)} " if more[past:].any() else "")


def _a_step_away(problem: Problem, plan: Outcome, i: int, run: Run) -> str | None:
    """How much sooner or later the session would be through at the next step of current, up and down, all along."""
    car, mine = problem.cars[i], plan.cars[i]
    offered = mine.amps[run.first : run.last + 1]
    # In its last slot a session may have less, to end where it should.
    at_one = float(np.ptp(offered[:-1])) < _SAME_A if len(offered) > 1 else True
    offered = offered[:1] if at_one else offered
    gained = float(mine.mean.gained_kwh[run.first : run.last + 1].sum())
    here = _hours_for(car, gained, offered)
    told = []
    for way, word in ((1, "more"), (-1, "less")):
        stepped = [_next_step(car, float(a), way, float(car.limit_a[run.first])) for a in offered]
        there = None if None in stepped else _hours_for(car, gained, np.array(stepped))
        if here is not None and there is not None and abs(there - here) > 1 / 60:
            what = f"{stepped[0]:g} A" if at_one else f"a step {word}" if car.steps_a else f"1 A {word}"
            told.append(f"{what} would take {_duration(abs(there - here))} {'less' if there < here else 'longer'}")
    return ", ".join(told) or None


def _next_step(car: Car, amps: float, way: int, most: float) -> float | None:
    """The next current up (1) or down (−1), None where there is none."""
    steps = [a for a in car.steps_a or (amps - 1, amps + 1) if car.least_a <= a <= most + 1e-9 and way * (a - amps) > 0]
    return min(steps, key=lambda a: abs(a - amps), default=None)


def _hours_for(car: Car, kwh: float, amps: Floats) -> float | None:
    """How long an energy takes at currents of equal time, clear of taper and limit."""
    battery_kw = float(np.mean([car.rate.mean.battery_kw(car.intake.wall_kw(a)) for a in amps]))
    return kwh / battery_kw if battery_kw > 0 else None


def _duration(hours: float) -> str:
    minutes = round(hours * 60)
    return f"{minutes} min" if minutes < 60 else f"{minutes // 60} h {minutes % 60:02d} min"


Binds = Literal["pin", "one session", "shared current", "habit", "limit", "hours", "power"]


def binds(problem: Problem, plan: Outcome, i: int, nth: int) -> Binds:
    """What makes car i's nth departure short: what, relaxed alone, would close it or comes closest to that.

    In turn: a pin or the one session a night of its control, the others on the same current, its habit, the limit in force,
    the hours in which it may charge, the power of its chain.
    """
    car = problem.cars[i]
    required = car.departures[nth].required_kwh

    def reaches(one: Car) -> bool:
        most = one.run(one.limit_a, one.rate.cautious, problem.grid).before_leaving_kwh[nth]
        return bool(most >= required - NOTHING_KWH)

    if reaches(replace(car, limit_a=car.offered(room_for(problem, [one.amps for one in plan.cars], i)))):
        return "one session" if np.isnan(car.pinned_a).all() else "pin"
    if reaches(car):
        return "shared current"
    amps = 0.0 if car.delivery is None else car.delivery.amps
    if problem.habit_of(car) != "cheapest":
        free = chargeable_slots(problem.household, car.vehicle, problem.grid)
        if reaches(replace(car, limit_a=np.where(free, amps, 0.0))):
            return "habit"
    unlimited = replace(car, limit_kwh=np.full(problem.grid.n_slots, car.vehicle.usable_kwh))
    if reaches(unlimited):
        return "limit"
    if reaches(replace(unlimited, limit_a=np.where(_at_home(problem, car), amps, 0.0))):
        return "hours"
    return "power"


def _at_home(problem: Problem, car: Car) -> Flags:
    home = np.ones(problem.grid.n_slots, dtype=np.bool_)
    for trip in problem.household.trips_of(car.id):
        home &= ~problem.grid.overlaps(trip.leave, trip.back)
    return home


def _mean_price(price: Floats, weights: Floats) -> float:
    return float(np.average(price, weights=weights)) if weights.sum() > 0 else float(price.mean())


def _time(instant: datetime, problem: Problem) -> str:
    return instant.astimezone(problem.household.zone).strftime("%H:%M")


def _day_and_time(instant: datetime, problem: Problem) -> str:
    return instant.astimezone(problem.household.zone).strftime("%A %H:%M")
