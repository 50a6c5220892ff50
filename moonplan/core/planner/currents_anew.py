"""All currents of a plan set anew at once (docs/planner.md).

Cars that are planned one after the other do not find what several of them gain where each gives up a little. With every
choice of when to charge left as it is, what continuous leads are offered is nearly a linear programme: the cautious car has
no more aboard than it gains, and no more than its limit; what the mean car draws costs money; and what is shared goes round.
What comes of it is for the simulator to judge.
"""

from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import partial
from itertools import chain, pairwise
from typing import NamedTuple

import numpy as np

from moonplan.core.planner.candidates import Candidate, candidate
from moonplan.core.planner.constraints import SLACK_A, SharedLimit, broken_rules, may_end, room_for, shared_limits
from moonplan.core.planner.outcome import CarOutcome, Outcome, asked_of
from moonplan.core.planner.problem import Car, Problem
from moonplan.core.planner.programme import Columns, Programme
from moonplan.core.rates import Rate
from moonplan.core.simulate import NOTHING_KWH, Run, Trajectory, runs
from moonplan.core.timegrid import Floats

_ROUNDS = 3
# How often more is asked for than is wanted, by what rounding currents took of it, and how much more besides. [kWh]
_ASKED_AGAIN, _SPARE_KWH = 5, 3e-4
# What a missed kWh counts, in times of the highest price.
_SHORT_TIMES = 50
# Which part of the way to other currents is gone, where all of it does not help.
_PARTS = (1.0, 0.5, 0.25)
# A current that would change by less stays. [A]
_NEARLY_A = 0.006


class _Level(NamedTuple):
    """SoC: what a column of the programme says (−1 for none), and what is known besides. [kWh]"""

    column: int
    kwh: float


class _At(NamedTuple):
    """SoC at an edge, after its trips or just before one of them (−1 for none), and what it is in the plan. [kWh]"""

    edge: int
    trip: int
    level: _Level
    now_kwh: float


class _Asked(NamedTuple):
    """What is wanted aboard at an edge, after its trips or just before one of them (−1 for none). [kWh]"""

    edge: int
    trip: int
    kwh: float

    def aboard(self, run: Trajectory) -> float:
        """What is aboard then. [kWh]"""
        return float(run.soc_kwh[self.edge] if self.trip < 0 else run.before_leaving_kwh[self.trip])


class _Drawn(NamedTuple):
    """What the cars draw: so much in each slot, shape (n_slots,), and so much of a column in a slot. [kWh]"""

    known_kwh: Floats
    of_columns: list[tuple[Columns, Columns, Floats]]


def set_anew(problem: Problem, best: Candidate, *, rounds: int = _ROUNDS) -> Candidate:
    """The plan with all its currents set anew, as long as that helps, in a few rounds at most."""
    if problem.weighs_own_sun:
        return best
    for _ in range(rounds):
        better = _once_anew(problem, best)
        if better is None:
            break
        best = better
    return best


def _once_anew(problem: Problem, best: Candidate) -> Candidate | None:
    """A better plan with its currents set anew once; None where there is none."""
    programme = Programme()
    offers = [_offers(programme, problem, car, a) for car, a in zip(problem.cars, best.amps, strict=True)]
    if not programme.n_columns:
        return None
    wanted = [_wanted(problem, car) for car in problem.cars]
    rows = _asked_and_paid(programme, problem, best, offers, wanted)
    for limit in shared_limits(problem):
        _goes_round(programme, problem, limit, best.amps, offers)
    less, order = np.zeros(programme.n_rows), list(range(len(offers)))
    for _ in range(_ASKED_AGAIN):
        least = programme.least(less)
        if least is None:
            return None
        found = _towards(problem, best, offers, least.values, order)
        if _is_better(problem, found, best):
            return found
        # What rounding took of a car, or what is not as straight as it was taken to be, is asked for besides.
        gaps = [_gaps(*of_car) for of_car in zip(wanted, best.outcome.cars, found.outcome.cars, strict=True)]
        if not any(map(any, gaps)):
            return None
        for row, gap_kwh in zip(chain(*rows), chain(*gaps), strict=True):
            if row >= 0 and gap_kwh > 0:
                less[row] += gap_kwh + _SPARE_KWH
        order.sort(key=lambda i: -max(gaps[i], default=0.0))
    return None


def _is_better(problem: Problem, found: Candidate, best: Candidate) -> bool:
    return found.better_than(best) and not broken_rules(problem, found.amps)


def _towards(
    problem: Problem, best: Candidate, offers: Sequence[Columns], values: Floats, order: Sequence[int]
) -> Candidate:
    """The plan with its currents gone all the way to others, or as far as is better; all the way where it misses more."""
    found = best
    for part in _PARTS:
        amps = [_on_the_way(a, c, values, part) for a, c in zip(best.amps, offers, strict=True)]
        found = candidate(problem, _in_hundredths(problem, amps, offers, order))
        if _is_better(problem, found, best) or found.outcome.missed_by_all > best.outcome.missed_by_all:
            break
    return found


def _gaps(wanted: Sequence[_Asked], before: CarOutcome, after: CarOutcome) -> list[float]:
    """What is missing more than before of each that is wanted. [kWh]"""
    return [max(0.0, min(one.kwh, one.aboard(before.cautious)) - one.aboard(after.cautious)) for one in wanted]


def _wanted(problem: Problem, car: Car) -> list[_Asked]:
    """What is asked of a car, and what its habit wishes for."""
    asked = asked_of(problem, car)
    at = [(edge, nth if edge < 0 else -1) for nth, edge in enumerate(asked.edge.tolist())]
    leaves = {departure.taking.edge: nth for nth, departure in reversed(list(enumerate(car.departures)))}
    return [
        *(_Asked(edge, trip, kwh) for (edge, trip), kwh in zip(at, asked.kwh.tolist(), strict=True)),
        *(_Asked(wish.edge, leaves.get(wish.edge, -1), wish.kwh) for wish in car.wishes),
    ]


def _offers(programme: Programme, problem: Problem, car: Car, amps: Floats) -> Columns:
    """A column for each current that may change, shape (n_slots,), −1 where it stays as it is.

    It does where a person pinned it, where the car waits for its boost level, in the taper of one whose current may change
    every slot, and where a session by hand lasts until its limit.
    """
    columns = np.full(len(amps), -1)
    if car.steps_a:
        return columns
    mean, cautious = (car.run(amps, rate, problem.grid).soc_kwh[:-1] for rate in (car.rate.mean, car.rate.cautious))
    free = np.isnan(car.pinned_a) & (mean >= car.vehicle.boost_pct / 100 * car.vehicle.usable_kwh)
    tapers = np.maximum(mean, cautious) > car.intake.taper_from * car.vehicle.usable_kwh
    most, ends = car.offered(car.limit_a), may_end(problem, car)
    for run in runs(amps):
        slots = np.arange(run.first, run.last + 1)
        if car.control == "managed":
            slots = slots[free[slots] & ~tapers[slots]]
            columns[slots] = programme.columns(len(slots), low=car.least_a, high=most[slots])
        elif free[slots].all() and ends[run.last]:
            columns[slots] = programme.columns(1, low=car.least_a, high=float(most[slots].min()))
    return columns


def _asked_and_paid(
    programme: Programme, problem: Problem, best: Candidate, offers: Sequence[Columns], wanted: Sequence[list[_Asked]]
) -> list[list[int]]:
    """What is wanted aboard, and what is paid. Rows of what is wanted of each car, −1 for none."""
    rows, drawn = [], _Drawn(np.zeros(problem.grid.n_slots), [])
    short_price = _SHORT_TIMES * (float(np.abs(problem.prices.price).max()) + 0.01)
    for car, mine, columns, of_car in zip(problem.cars, best.outcome.cars, offers, wanted, strict=True):
        if (columns < 0).all():
            drawn.known_kwh[:] += mine.mean.wall_kwh
            rows.append([-1] * len(of_car))
            continue
        pieces = list(_pieces(car, mine.amps, of_car))
        cautious = _Battery(programme, problem, car, mine.amps, car.rate.cautious, columns)
        at = cautious.followed(pieces, cautious.charged)
        rows.append([_ask(programme, one, at, short_price) for one in of_car])
        mean = _Battery(programme, problem, car, mine.amps, car.rate.mean, columns)
        _care(programme, problem, car, mean.followed(pieces, partial(mean.drawn, drawn)))
    _money(programme, problem, best.outcome, drawn)
    return rows


def _pieces(car: Car, amps: Floats, wanted: Iterable[_Asked]) -> Iterator[Run]:
    """Parts of sessions in which nothing is wanted and no limit changes."""
    cuts = {*(one.edge for one in wanted), *(np.flatnonzero(np.diff(car.limit_kwh)) + 1).tolist()}
    for run in runs(amps):
        edges = [run.first, *sorted(cut for cut in cuts if run.first < cut <= run.last), run.last + 1]
        yield from (Run(first, past - 1) for first, past in pairwise(edges))


class _Battery:
    """One of a car's two batteries, and what it gains of currents that may change."""

    def __init__(self, programme: Programme, problem: Problem, car: Car, amps: Floats, rate: Rate, columns: Columns) -> None:
        self._programme, self._car, self._amps, self._rate, self._columns = programme, car, amps, rate, columns
        self._hours, self._run = problem.grid.hours, car.run(amps, rate, problem.grid)
        self._free = (columns >= 0) & (self._run.soc_kwh[:-1] <= car.intake.taper_from * car.vehicle.usable_kwh)
        # A slot's draw is so much of each ampere, and its gain is that at the rate's efficiency less the overhead.
        self._kwh_per_a = car.intake.volts * car.intake.phases / 1000 * self._hours

    def followed(self, pieces: Sequence[Run], charge: Callable[[Run, _Level], list[_At]]) -> list[_At]:
        """SoC at the beginning, around trips and around pieces of sessions."""
        level, nth, n = _Level(-1, self._car.soc_kwh), 0, len(self._amps)
        found = [_At(0, -1, level, self._car.soc_kwh)]
        for piece in (*pieces, Run(n, n)):
            while nth < len(self._car.departures) and (taking := self._car.departures[nth].taking).edge <= piece.first:
                before = float(self._run.before_leaving_kwh[nth])
                found.append(_At(taking.edge, nth, level, before))
                # A trip that empties the battery leaves nothing, whatever was aboard.
                level = _Level(-1, 0.0) if before <= taking.kwh else level._replace(kwh=level.kwh - taking.kwh)
                found.append(_At(taking.edge, -1, level, max(0.0, before - taking.kwh)))
                nth += 1
            found.append(_At(piece.first, -1, level, float(self._run.soc_kwh[piece.first])))
            if piece.first < n:
                found += charge(piece, level)
                level = found[-1].level
        return found

    def charged(self, piece: Run, level: _Level) -> list[_At]:
        """SoC after a piece of a session: no more than what is gained, and than the limit."""
        limit = float(self._car.limit_kwh[piece.last])
        if self._run.soc_kwh[piece.first] < limit:
            after = self._programme.columns(1, high=limit)
            self._gained(piece.first, piece.last + 1, level, after, 1.0)
            level = _Level(int(after[0]), 0.0)
        return [_At(piece.last + 1, -1, level, float(self._run.soc_kwh[piece.last + 1]))]

    def drawn(self, drawn: _Drawn, piece: Run, level: _Level) -> list[_At]:
        """SoC after a piece of a session, just what is gained or the limit where it gets there; and what is drawn."""
        run, limit, end = self._run, float(self._car.limit_kwh[piece.last]), piece.last + 1
        if run.soc_kwh[piece.first] > limit + NOTHING_KWH:
            return [_At(end, -1, level, float(run.soc_kwh[end]))]
        full = np.flatnonzero(run.fraction[piece.first : end] < 1)
        past = piece.first + int(full[0]) if len(full) else end
        slots = np.arange(piece.first, past)
        free, stays = slots[self._free[slots]], slots[~self._free[slots]]
        drawn.of_columns.append((free, self._columns[free], np.full(len(free), self._kwh_per_a)))
        drawn.known_kwh[stays] += run.wall_kwh[stays]
        battery_kwh, wall_kwh = self._accepted(past) if len(full) else (0.0, 0.0)
        after = self._programme.columns(1, low=limit - battery_kwh if len(full) else 0.0, high=limit)
        self._gained(piece.first, past, level, after, 1.0)
        self._gained(piece.first, past, level, after, -1.0)
        level = _Level(int(after[0]), 0.0)
        if not len(full):
            return [_At(end, -1, level, float(run.soc_kwh[end]))]
        if battery_kwh > 0:
            # The slot in which it gets there gives what is left to the limit.
            drawn.known_kwh[past] += limit * wall_kwh / battery_kwh
            drawn.of_columns.append((np.array([past]), after, np.array([-wall_kwh / battery_kwh])))
        return [_At(past, -1, level, float(run.soc_kwh[past])), _At(end, -1, _Level(-1, limit), limit)]

    def _gained(self, first: int, past: int, level: _Level, after: Columns, sign: float) -> None:
        """A row: SoC after some slots is no more than what was there and what is gained; no less, by the sign."""
        slots = np.arange(first, past)
        free, stays = slots[self._free[slots]], slots[~self._free[slots]]
        known = sum(self._accepted(t)[0] for t in stays.tolist()) - len(free) * self._rate.overhead_kw * self._hours
        row = self._programme.rows(sign * (level.kwh + known))
        self._programme.put(row, after, sign)
        if level.column >= 0:
            self._programme.put(row, np.array([level.column]), -sign)
        self._programme.put(row, self._columns[free], -sign * self._rate.efficiency * self._kwh_per_a)

    def _accepted(self, t: int) -> tuple[float, float]:
        """What a whole slot gives the battery at its current, and draws. [kWh]"""
        soc = float(self._run.soc_kwh[t]) / self._car.vehicle.usable_kwh
        battery_kw, wall_kw = self._car.intake.accepted(float(self._amps[t]), soc, self._rate)
        return battery_kw * self._hours, wall_kw * self._hours


def _ask(programme: Programme, asked: _Asked, at: Sequence[_At], short_price: float) -> int:
    """A row for what is wanted aboard, −1 where nothing can change it."""
    there = [point for point in at if point.trip == asked.trip and (asked.trip >= 0 or point.edge <= asked.edge)]
    level = there[-1].level
    if level.column < 0:
        return -1
    row = programme.rows(level.kwh - asked.kwh)
    programme.put(row, np.array([level.column]), -1.0)
    programme.put(row, programme.columns(1, high=np.inf, cost=short_price), -1.0)
    return int(row[0])


def _care(programme: Programme, problem: Problem, car: Car, at: Sequence[_At]) -> None:
    """Hours that are spent high."""
    price = problem.care_price * car.care_factor * problem.grid.hours
    for one, other in pairwise(at):
        for there in (one, other):
            if there.level.column >= 0 and there.now_kwh > car.rest_kwh and other.edge > one.edge:
                programme.charge(np.array([there.level.column]), np.array([price * (other.edge - one.edge) / 2]))


def _money(programme: Programme, problem: Problem, now: Outcome, drawn: _Drawn) -> None:
    """What is drawn costs its price, and as far as own sun goes what that would have earned."""
    price, export = problem.prices.price, problem.prices.export_price
    surplus_kwh = problem.surplus_kw * problem.grid.hours
    # Where own sun is worth more than the grid's price, a slot stays on the side on which it is.
    within = (surplus_kwh > 0) & ((export <= price) | (sum(now.part_kw) <= problem.surplus_kw))
    slots, columns, kwh = (np.concatenate(parts) for parts in zip(*drawn.of_columns, strict=True))
    programme.charge(columns, np.where(within, export, price)[slots] * kwh)
    bends = np.zeros(problem.grid.n_slots, dtype=np.bool_)
    bends[slots] = True
    at = np.flatnonzero(bends & (surplus_kwh > 0) & (export < price))
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
    high = np.append(np.concatenate(programme.high), 0.0)
    left, most = limit.capacity, np.zeros(problem.grid.n_slots)
    for i, weight in limit.weights.items():
        left = left - np.where(offers[i] < 0, weight * amps[i], 0.0)
        most += np.where(offers[i] >= 0, weight * high[offers[i]], 0.0)
    if len(weights := set(limit.weights.values())) == 1:
        left = _hundredths(left / min(weights), np.floor) * min(weights)
    at = np.flatnonzero(most > left + SLACK_A)
    rows = np.full(problem.grid.n_slots, -1)
    rows[at] = programme.rows(np.maximum(left[at], 0.0), len(at))
    for i, weight in limit.weights.items():
        here = at[offers[i][at] >= 0]
        programme.put(rows[here], offers[i][here], weight)


def _on_the_way(amps: Floats, columns: Columns, values: Floats, part: float) -> Floats:
    """A car's currents with those that change by so much gone a part of the way. [A]"""
    changes = (columns >= 0) & (np.abs(values[columns] - amps) > _NEARLY_A)
    return np.where(changes, amps + part * (values[columns] - amps), amps)


def _in_hundredths(
    problem: Problem, amps: Sequence[Floats], offers: Sequence[Columns], order: Sequence[int]
) -> list[Floats]:
    """Currents in hundredths of an ampere, down, and one car after the other up where there is room. [A]"""
    found = [np.where(c >= 0, _hundredths(a, np.floor), a) for a, c in zip(amps, offers, strict=True)]
    for i in order:
        room = _hundredths(room_for(problem, found, i), np.floor)
        up = np.where(offers[i] >= 0, np.minimum(_hundredths(amps[i], np.ceil), room), amps[i])
        for column in np.unique(offers[i][offers[i] >= 0]):
            up[offers[i] == column] = up[offers[i] == column].min()
        found[i] = up
    return found


def _hundredths(amps: Floats, to_whole: Callable[[Floats], Floats]) -> Floats:
    return to_whole(np.round(amps * 100, 4)) / 100
