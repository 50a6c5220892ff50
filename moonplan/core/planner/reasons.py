"""Why a session is there: what it serves, why then, and what one step more or less would change (rules, section 8)."""

from datetime import datetime
from math import ceil
from typing import NamedTuple

import numpy as np

from moonplan.core.distance import distance_told
from moonplan.core.percent import percent_told
from moonplan.core.planner.constraints import left_of, may_end, shared_limits
from moonplan.core.planner.planned_session import PlannedSession, have
from moonplan.core.planner.problem import Car, Problem
from moonplan.core.planner.why_then import why_then
from moonplan.core.simulate import NOTHING_KWH
from moonplan.core.timegrid import Counts, Flags, Floats, told_day

# Currents nearer than this are the same. [A]
_SAME_A = 0.005
# Energy worth a word. [kWh]
_TOLD_KWH = 0.05
# What part of a slot is none.
_SAME_SLOT = 1e-6
# How many times as long as it takes a session is followed at less current.
_AS_LONG = 10


def reason(session: PlannedSession) -> str:
    """One sentence without its full stop: what a session serves, then why it stands where it stands and at no more, and
    what another current would change."""
    parts = [told(session) for told in (_serves, why_then, _why_no_more, _a_step_away)]
    return "; ".join(part for part in parts if part)


def _serves(session: PlannedSession) -> str:
    problem, car, run = session.problem, session.car, session.run

    def filled(kwh: float) -> str:
        return percent_told(kwh / car.vehicle.usable_kwh)

    if session.is_for_boost and session.habit != "plug_and_go":
        return f"back above {session.at_once_pct:g} % at once"
    if session.serves is not None:
        departure = car.departures[session.serves]
        km = distance_told(departure.trip.km, problem.household.distance_unit)
        told = f"for {_day_and_time(departure.trip.leave, problem)} ({km})"
        told += f", to leave with {filled(departure.required_kwh)}" if departure.wants_more else ""
        more = "the days after" if session.wish is None else f"up to {filled(session.wish.kwh)}, as the habit asks"
        return f"{told} and {more}" if session.serves_more else told
    if session.habit == "plug_and_go":
        return f"up to {filled(car.limit_kwh[run.last])}"
    if session.is_pinned:
        return "as you pinned it"
    if session.wish is not None:
        return f"up to {filled(session.wish.kwh)}, as the habit asks"
    if session.serves_the_end and car.wanted_at_end_kwh is not None:
        return f"to have {filled(car.wanted_at_end_kwh)} by {_day_and_time(problem.grid.starts[-1], problem)}"
    return "for the days after"


def _why_no_more(session: PlannedSession) -> str | None:
    """Why the session is at no more where it is at its least: others have the rest, or it is held to less than its chain
    carries, by somebody for the night, by its habit, or since a circuit is shared evenly."""
    car, run = session.car, session.run
    if car.delivery is None or session.is_pinned:
        return None
    carries_a = car.delivery.amps
    # In its last slot a session may have less, to end where it should.
    inside = slice(run.first, max(run.last, run.first + 1))
    amps, room, most = session.mine.amps[inside], session.room_a[inside], car.offered(car.limit_a)[inside]
    squeezed = (amps > room - _SAME_A) & (room < most - _SAME_A)
    held = (amps > most - _SAME_A) & (car.limit_a[inside] < carries_a - _SAME_A)
    where = squeezed if squeezed.any() else held
    if not where.any():
        return None
    tight = where & (amps < amps[where].min() + _SAME_A)
    if squeezed.any():
        why = f"since {_who_has_the_rest(session, run.first + np.flatnonzero(tight))}"
    elif (car.limit_a > car.full_a - _SAME_A)[inside][tight].all():
        why = "as you set it for the night"
    elif session.habit == "low_current":
        why = f"as the habit asks{_what_slowness_costs(session, carries_a)}"
    else:
        why = f"since circuit {car.circuit.name or car.circuit.id} is shared evenly"
    return f"{_when(session, amps, tight)}no more, {why}"


def _what_slowness_costs(session: PlannedSession, most_a: float) -> str:
    """What the session takes from the wall more than it would at the most current that its chain carries."""
    mean, inside = session.mine.mean, session.inside
    swift = _through(session, np.array([most_a]))
    more_kwh = 0.0 if swift is None else float(mean.wall_kwh[inside].sum()) - swift.wall_kwh
    return f", which takes {more_kwh:.1f} kWh more than {most_a:g} A would" if more_kwh >= _TOLD_KWH else ""


def _who_has_the_rest(session: PlannedSession, slots: Counts) -> str:
    """Of what the car shares, that which leaves it least in some slots, and who else charges by it there."""
    problem, amps, i = session.problem, [one.amps for one in session.outcome.cars], session.i
    binding = min(
        (limit for limit in shared_limits(problem) if i in limit.weights and not limit.of_full_limits),
        key=lambda limit: float(left_of(limit, problem, amps, i)[slots].mean()),
    )
    names = [problem.cars[j].name for j in binding.weights if j != i and (amps[j][slots] > 0).any()]
    return f"{have(names)} the rest of {binding.subject}"


def _when(session: PlannedSession, amps: Floats, tight: Flags) -> str:
    """When a session is at no more, with a space behind; nothing where it never has more."""
    inside, more, starts = np.flatnonzero(tight), amps > amps[tight].max() + _SAME_A, session.problem.grid.starts
    first, past = int(inside[0]), int(inside[-1]) + 1
    if more[first:past].any():
        return "at times "
    since = f"from {_time(starts[session.run.first + first], session.problem)} " if more[:first].any() else ""
    return since + (f"until {_time(starts[session.run.first + past], session.problem)} " if more[past:].any() else "")


def _a_step_away(session: PlannedSession) -> str | None:
    """How much sooner or later the session would be through at the next step of current, up and down, all along, and what
    it would take from the wall less or more."""
    car, mine, run = session.car, session.mine, session.run
    offered = mine.amps[session.inside]
    # In its last slot a session may have less, to end where it should.
    at_one = float(np.ptp(offered[:-1])) < _SAME_A if len(offered) > 1 else True
    offered = offered[:1] if at_one else offered
    here = _through(session, offered)
    told = []
    for way, word in ((1, "more"), (-1, "less")):
        stepped = [_next_step(car, float(a), way, float(car.limit_a[run.first])) for a in offered]
        there = None if None in stepped else _through(session, np.array(stepped))
        if here is not None and there is not None and abs(there.hours - here.hours) > 1 / 60:
            nameable = at_one and (car.steps_a or offered[0] == round(offered[0]))
            what = f"{stepped[0]:g} A" if nameable else f"a step {word}" if car.steps_a else f"1 A {word}"
            told.append(f"{what} would take {_otherwise(here, there)}{_if_nobody_ends_it(session, there)}")
    return ", ".join(told) or None


class _Through(NamedTuple):
    """How long a session takes, and what off the wall."""

    hours: float
    wall_kwh: float


def _through(session: PlannedSession, amps: Floats) -> _Through | None:
    """What the session's energy takes at the currents of its slots, and on at the last of them; None where that stores it
    at no time, or not in many times as long."""
    car, mean, grid = session.car, session.mine.mean, session.problem.grid
    n_slots = _AS_LONG * (session.run.last + 1 - session.run.first)
    offered = np.concatenate([amps, np.full(max(0, n_slots - len(amps)), amps[-1])])
    from_kwh, gained_kwh = float(mean.soc_kwh[session.run.first]), float(mean.gained_kwh[session.inside].sum())
    lived = car.filled((from_kwh, from_kwh + gained_kwh), offered, car.rate.mean, grid)
    if lived.soc_kwh[-1] < from_kwh + gained_kwh - NOTHING_KWH:
        return None
    return _Through(float(lived.fraction.sum()) * grid.hours, float(lived.wall_kwh.sum()))


def _otherwise(here: _Through, there: _Through) -> str:
    """How much longer or shorter another current takes, and what more or less off the wall."""
    more_h, more_kwh = there.hours - here.hours, there.wall_kwh - here.wall_kwh
    told = f"{_duration(abs(more_h))} {'less' if more_h < 0 else 'longer'}"
    if abs(more_kwh) < _TOLD_KWH:
        return told
    return f"{told} and {abs(more_kwh):.1f} kWh {'less' if more_kwh < 0 else 'more'}"


def _if_nobody_ends_it(session: PlannedSession, there: _Through) -> str:
    """That all sleep when another current would be through, of a session by hand that does not end at the car's limit."""
    car, run, grid = session.car, session.run, session.problem.grid
    last = run.first + ceil(there.hours / grid.hours - _SAME_SLOT) - 1
    ends_itself = session.mine.mean.soc_kwh[run.last + 1] > car.limit_kwh[run.last] - NOTHING_KWH
    if ends_itself or not car.chargeable[last : last + 1].any() or may_end(session.problem, car)[last]:
        return ""
    return ", but nobody would be up to end it"


def _next_step(car: Car, amps: float, way: int, most: float) -> float | None:
    """The next current up (1) or down (−1), None where there is none."""
    steps = [a for a in car.steps_a or (amps - 1, amps + 1) if car.least_a <= a <= most + 1e-9 and way * (a - amps) > 0]
    return min(steps, key=lambda a: abs(a - amps), default=None)


def _duration(hours: float) -> str:
    minutes = round(hours * 60)
    return f"{minutes} min" if minutes < 60 else f"{minutes // 60} h {minutes % 60:02d} min"


def _time(instant: datetime, problem: Problem) -> str:
    return instant.astimezone(problem.household.zone).strftime("%H:%M")


def _day_and_time(instant: datetime, problem: Problem) -> str:
    local, now = (one.astimezone(problem.household.zone) for one in (instant, problem.household.now))
    return f"{told_day(local.date(), now.date())} {local:%H:%M}"
