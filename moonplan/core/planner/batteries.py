"""What a car has aboard and draws, in a linear programme over its currents: see `currents_anew`."""

from collections.abc import Callable, Iterable, Iterator, Sequence
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from moonplan.core.planner.outcome import Wanted
from moonplan.core.planner.problem import Car, Problem
from moonplan.core.planner.programme import Columns, Programme
from moonplan.core.rates import Rate
from moonplan.core.simulate import NOTHING_KWH, Run, runs
from moonplan.core.timegrid import Floats


class Level(NamedTuple):
    """SoC: what a column of the programme says, if there is one, and what is known besides. Shape (0,) or (1,), [kWh]"""

    column: Columns
    kwh: float


_KNOWN = np.zeros(0, dtype=np.int64)


class At(NamedTuple):
    """SoC at an edge, after its trips or just before one of them (−1 for none), and what it is in the plan. [kWh]"""

    edge: int
    trip: int
    level: Level
    now_kwh: float


class Drawn(NamedTuple):
    """What the cars draw: what is known of it, shape (n_slots,) [kWh], and which slots draw how much of which columns."""

    known_kwh: Floats
    of_columns: list[tuple[Columns, Columns, Floats]]


def pieces_of(car: Car, amps: Floats, wanted: Iterable[Wanted]) -> Iterator[Run]:
    """Parts of sessions in which nothing is wanted and no limit changes."""
    cuts = {*(one.edge for one in wanted), *(np.flatnonzero(np.diff(car.limit_kwh)) + 1).tolist()}
    for run in runs(amps):
        edges = [run.first, *sorted(cut for cut in cuts if run.first < cut <= run.last), run.last + 1]
        yield from (Run(first, past - 1) for first, past in pairwise(edges))


class Battery:
    """One of a car's two batteries, and what it gains of currents that may change.

    care : what an hour with a kWh above the rest level costs. [currency/(kWh·h)]
    """

    def __init__(
        self,
        programme: Programme,
        problem: Problem,
        car: Car,
        amps: Floats,
        rate: Rate,
        columns: Columns,
        *,
        care: float = 0.0,
    ) -> None:
        self._programme, self._car, self._amps, self._rate, self._columns = programme, car, amps, rate, columns
        self._hours, self._run = problem.grid.hours, car.run(amps, rate, problem.grid)
        self._free = (columns >= 0) & (self._run.soc_kwh[:-1] <= car.tapers_from_kwh(float(car.limit_a.max())))
        self._care = care * self._hours
        # A slot's draw is so much of each ampere, and its gain is that at the rate's efficiency less the overhead.
        self._kwh_per_a = car.intake.volts * car.intake.phases / 1000 * self._hours

    def followed(self, pieces: Sequence[Run], charge: Callable[[Run, Level], list[At]]) -> list[At]:
        """SoC at the beginning, around trips and around pieces of sessions."""
        level, nth, n = Level(_KNOWN, self._car.soc_kwh), 0, len(self._amps)
        found = [At(0, -1, level, self._car.soc_kwh)]
        for piece in (*pieces, Run(n, n)):
            while nth < len(self._car.departures) and (taking := self._car.departures[nth].taking).edge <= piece.first:
                before = float(self._run.before_leaving_kwh[nth])
                self._kept_high(found[-1], taking.edge)
                found.append(At(taking.edge, nth, level, before))
                # A trip that empties the battery leaves nothing, whatever was aboard.
                level = Level(_KNOWN, 0.0) if before <= taking.kwh else level._replace(kwh=level.kwh - taking.kwh)
                found.append(At(taking.edge, -1, level, max(0.0, before - taking.kwh)))
                nth += 1
            self._kept_high(found[-1], piece.first)
            found.append(At(piece.first, -1, level, float(self._run.soc_kwh[piece.first])))
            if piece.first < n:
                found += charge(piece, level)
                level = found[-1].level
        return found

    def charged(self, piece: Run, level: Level) -> list[At]:
        """SoC after a piece of a session: no more than what is gained, and than the limit."""
        limit = float(self._car.limit_kwh[piece.last])
        if self._run.soc_kwh[piece.first] < limit:
            after = self._programme.columns(1, high=limit)
            self._gained(piece.first, piece.last + 1, level, after, 1.0)
            level = Level(after, 0.0)
        return [At(piece.last + 1, -1, level, float(self._run.soc_kwh[piece.last + 1]))]

    def drawing(self, drawn: Drawn, piece: Run, level: Level) -> list[At]:
        """SoC after a piece of a session, just what is gained or the limit where it gets there; and what is drawn."""
        run, limit, end = self._run, float(self._car.limit_kwh[piece.last]), piece.last + 1
        if run.soc_kwh[piece.first] > limit + NOTHING_KWH:
            return [At(end, -1, level, float(run.soc_kwh[end]))]
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
        self._brought_high(piece.first, past, level)
        level = Level(after, 0.0)
        if not len(full):
            return [At(end, -1, level, float(run.soc_kwh[end]))]
        if battery_kwh > 0:
            # The slot in which it gets there gives what is left to the limit.
            drawn.known_kwh[past] += limit * wall_kwh / battery_kwh
            drawn.of_columns.append((np.array([past]), after, np.array([-wall_kwh / battery_kwh])))
        return [At(past, -1, level, float(run.soc_kwh[past])), At(end, -1, Level(_KNOWN, limit), limit)]

    def _kept_high(self, since: At, until: int) -> None:
        """What is aboard from an edge on costs care until another."""
        if since.now_kwh > self._car.rest_kwh:
            self._programme.charge(since.level.column, self._care * (until - since.edge))

    def _brought_high(self, first: int, past: int, level: Level) -> None:
        """What is aboard, and what is gained, while a car charges costs care until the last of its slots."""
        above = (self._run.soc_kwh[first + 1 : past + 1] > self._car.rest_kwh).astype(np.float64)
        free = self._free[first:past]
        # A slot's gain is there from its middle on.
        slots_high = np.cumsum(above[::-1])[::-1] - above / 2
        self._programme.charge(level.column, self._care * float(above.sum()))
        gain_kwh = self._rate.efficiency * self._kwh_per_a
        self._programme.charge(self._columns[first:past][free], self._care * gain_kwh * slots_high[free])

    def _gained(self, first: int, past: int, level: Level, after: Columns, sign: float) -> None:
        """A row: SoC after some slots is no more than what was there and what is gained; no less, by the sign."""
        slots = np.arange(first, past)
        free, stays = slots[self._free[slots]], slots[~self._free[slots]]
        known = sum(self._accepted(t)[0] for t in stays.tolist()) - len(free) * self._rate.overhead_kw * self._hours
        row = self._programme.rows(sign * (level.kwh + known))
        self._programme.put(row, after, sign)
        self._programme.put(row, level.column, -sign)
        self._programme.put(row, self._columns[free], -sign * self._rate.efficiency * self._kwh_per_a)

    def _accepted(self, t: int) -> tuple[float, float]:
        """What a whole slot gives the battery at its current, and draws. [kWh]"""
        soc = float(self._run.soc_kwh[t]) / self._car.vehicle.usable_kwh
        battery_kw, wall_kw = self._car.intake.accepted(float(self._amps[t]), soc, self._rate)
        return battery_kw * self._hours, wall_kw * self._hours


def ask(programme: Programme, wanted: Wanted, at: Sequence[At], short_price: float) -> int:
    """A row for what is wanted aboard."""
    there = [point for point in at if point.trip == wanted.trip and (wanted.trip >= 0 or point.edge <= wanted.edge)]
    level = there[-1].level
    row = programme.rows(level.kwh - wanted.kwh)
    programme.put(row, level.column, -1.0)
    programme.put(row, programme.columns(1, high=np.inf, cost=short_price), -1.0)
    return int(row[0])
