"""All currents of a plan set anew at once (docs/planner.md).

Cars that are planned one after the other do not find what several of them gain where each gives up a little. With every
choice of when to charge left as it is, what continuous leads are offered is nearly a linear programme: the cautious car has
no more aboard than it gains, and no more than its limit; what the mean car draws costs money; and what is shared goes round.
What comes of it is for the simulator to judge.
"""

from collections.abc import Sequence
from functools import partial
from itertools import chain

import numpy as np

from moonplan.core import hookup
from moonplan.core.planner.batteries import Battery, Drawn, ask, pieces_of
from moonplan.core.planner.candidates import Candidate, candidate
from moonplan.core.planner.constraints import SLACK_A, SharedLimit, broken_rules, may_end, room_for, shared_limits
from moonplan.core.planner.guide import shared_rows
from moonplan.core.planner.outcome import CarOutcome, Outcome, Wanted, wanted_of
from moonplan.core.planner.problem import Car, Problem
from moonplan.core.planner.programme import Columns, Programme
from moonplan.core.simulate import runs
from moonplan.core.timegrid import Floats

# How often all currents are set anew.
_ROUNDS = 4
# How often more is asked for than is wanted, by what rounding currents took of it, and how much more besides. [kWh]
_ASKED_AGAIN, _SPARE_KWH = 5, 3e-4
# What a missed kWh counts, in times of the highest price.
_SHORT_TIMES = 50
# A current that would change by less stays. [A]
_NEARLY_A = 0.006
# What leads up to the next hundredth of an ampere, and from one of them not to the next. [A]
_NEARLY_ONE_MORE_A = 0.01 - SLACK_A


def set_anew(problem: Problem, best: Candidate) -> Candidate:
    """The plan with all its currents set anew while that is better: in which slot the mean car is full, and which hours are
    spent high, is taken as it is, and is other afterwards.

    Where a habit weighs own sun, which part of it each car takes counts, and that is not linear: such a plan stays.
    """
    if problem.weighs_own_sun:
        return best
    for _ in range(_ROUNDS):
        found = _set_anew_once(problem, best)
        if found is best:
            break
        best = found
    return best


def _set_anew_once(problem: Problem, best: Candidate) -> Candidate:
    programme = Programme()
    offers = [_offers(programme, problem, car, a) for car, a in zip(problem.cars, best.amps, strict=True)]
    if not programme.n_columns:
        return best
    wanted = [wanted_of(problem, car) if (c >= 0).any() else [] for car, c in zip(problem.cars, offers, strict=True)]
    rows = _asked_and_paid(programme, problem, best, offers, wanted)
    for limit in shared_limits(problem):
        _goes_round(programme, problem, limit, best.amps, offers)
    less, order = np.zeros(programme.n_rows), list(range(len(offers)))
    for _ in range(_ASKED_AGAIN):
        least = programme.least(less)
        if least is None:
            return best
        amps = [_changed(a, columns, least.values) for a, columns in zip(best.amps, offers, strict=True)]
        found = candidate(problem, _in_hundredths(problem, amps, offers, order))
        if found.better_than(best) and not broken_rules(problem, found.amps):
            return found
        # What rounding took of a car, or what is not as straight as it was taken to be, is asked for besides.
        gaps = [_gaps(*of_car) for of_car in zip(wanted, best.outcome.cars, found.outcome.cars, strict=True)]
        if not any(map(any, gaps)):
            return best
        for row, gap_kwh in zip(chain(*rows), chain(*gaps), strict=True):
            if gap_kwh > 0:
                less[row] += gap_kwh + _SPARE_KWH
        order.sort(key=lambda i: -max(gaps[i], default=0.0))
    return best


def _gaps(wanted: Sequence[Wanted], before: CarOutcome, after: CarOutcome) -> list[float]:
    """What is missing more than before of each that is wanted. [kWh]"""
    return [max(0.0, min(one.kwh, one.aboard(before.cautious)) - one.aboard(after.cautious)) for one in wanted]


def _offers(programme: Programme, problem: Problem, car: Car, amps: Floats) -> Columns:
    """A column for each current that may change, shape (n_slots,), −1 where it stays as it is.

    It does where a person pinned it, where the car waits for its boost level, in the taper of one whose current may change
    every slot, and where a session by hand lasts until its limit.
    """
    columns = np.full(len(amps), -1)
    if car.steps_a:
        return columns
    mean, cautious = (car.run(amps, rate, problem.grid).soc_kwh[:-1] for rate in (car.rate.mean, car.rate.cautious))
    free = np.isnan(car.pinned_a) & (mean >= car.at_once_below_kwh)
    most, ends = car.offered(car.limit_a), may_end(problem, car)
    tapers = np.maximum(mean, cautious) > car.tapers_from_kwh(float(most.max(initial=0.0)))
    for run in runs(amps):
        slots = np.arange(run.first, run.last + 1)
        if car.control == "managed":
            slots = slots[free[slots] & ~tapers[slots]]
            columns[slots] = programme.columns(len(slots), low=car.least_a, high=most[slots])
        elif free[slots].all() and ends[run.last]:
            columns[slots] = programme.columns(1, low=car.least_a, high=float(most[slots].min()))
    return columns


def _asked_and_paid(
    programme: Programme, problem: Problem, best: Candidate, offers: Sequence[Columns], wanted: Sequence[list[Wanted]]
) -> list[list[int]]:
    """What is wanted aboard, and what is paid. Rows of what is wanted of each car."""
    rows: list[list[int]] = []
    drawn = Drawn(np.zeros(problem.grid.n_slots), [])
    short_price = _SHORT_TIMES * (float(np.abs(problem.prices.price).max()) + 0.01)
    for car, mine, columns, of_car in zip(problem.cars, best.outcome.cars, offers, wanted, strict=True):
        if (columns < 0).all():
            drawn.known_kwh[:] += mine.mean.wall_kwh
            rows.append([])
            continue
        pieces = list(pieces_of(car, mine.amps, of_car))
        cautious = Battery(programme, problem, car, mine.amps, car.rate.cautious, columns)
        at = cautious.followed(pieces, cautious.charged)
        rows.append([ask(programme, one, at, short_price) for one in of_car])
        mean = Battery(programme, problem, car, mine.amps, car.rate.mean, columns, care=problem.care_price * car.care_factor)
        mean.followed(pieces, partial(mean.drawing, drawn))
    _money(programme, problem, best.outcome, drawn)
    return rows


def _money(programme: Programme, problem: Problem, now: Outcome, drawn: Drawn) -> None:
    """What is drawn costs its price, and as far as own sun goes what that would have earned."""
    price, export = problem.prices.price, problem.prices.export_price
    surplus_kwh = problem.surplus_kw * problem.grid.hours
    # Where own sun is worth more than the grid's price, a slot stays on the side on which it is.
    within = (surplus_kwh > 0) & ((export <= price) | (sum(now.part_kw) <= problem.surplus_kw))
    slots, columns, kwh = (np.concatenate(parts) for parts in zip(*drawn.of_columns, strict=True))
    programme.charge(columns, np.where(within, export, price)[slots] * kwh)
    at = np.unique(slots[((surplus_kwh > 0) & (export < price))[slots]])
    rows = np.full(problem.grid.n_slots, -1)
    rows[at] = programme.rows((surplus_kwh - drawn.known_kwh)[at], len(at))
    programme.put(rows[at], programme.columns(len(at), high=np.inf, cost=(price - export)[at]), -1.0)
    here = rows[slots] >= 0
    programme.put(rows[slots[here]], columns[here], kwh[here])


def _goes_round(
    programme: Programme, problem: Problem, limit: SharedLimit, amps: Sequence[Floats], offers: Sequence[Columns]
) -> None:
    """What is shared goes round, in hundredths of an ampere where an ampere weighs the same for all."""
    if limit.of_full_limits:
        return
    left = limit.capacity
    for i, weight in limit.weights.items():
        left = left - np.where(offers[i] < 0, weight * amps[i], 0.0)
    weight = min(limit.weights.values())
    if weight == max(limit.weights.values()):
        left = hookup.stepped_each(left / weight, steps_a=(), min_a=0.0) * weight
    shared_rows(programme, offers, limit.weights, left)


def _changed(amps: Floats, columns: Columns, values: Floats) -> Floats:
    """A car's currents as the programme has them, but for those that it would hardly change. [A]"""
    return np.where((columns >= 0) & (np.abs(values[columns] - amps) > _NEARLY_A), values[columns], amps)


def _in_hundredths(
    problem: Problem, amps: Sequence[Floats], offers: Sequence[Columns], order: Sequence[int]
) -> list[Floats]:
    """Currents in hundredths of an ampere, down, and one car after the other up where there is room. [A]"""
    found = [np.where(c >= 0, car.offered(a), a) for car, a, c in zip(problem.cars, amps, offers, strict=True)]
    for i in order:
        car, columns = problem.cars[i], offers[i]
        up = car.offered(np.minimum(amps[i] + _NEARLY_ONE_MORE_A, room_for(problem, found, i)))
        for column in np.unique(columns[columns >= 0]):
            found[i] = np.where(columns == column, up[columns == column].min(), found[i])
    return found
