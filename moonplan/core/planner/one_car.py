"""One car against prices and what the others leave it: a recursion over its battery (docs/planner.md).

Backward over the slots, on levels of cautious SoC, a few layers of how far the mean car, which decides cost, is ahead of
it, and a few phases (off, on; for a timer: not yet, on at a current, done for the night); then forward with the true SoC of
both.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import cast

import numpy as np

from moonplan.core.planner import recursion
from moonplan.core.planner.constraints import may_end, may_start
from moonplan.core.planner.problem import Car, Problem
from moonplan.core.planner.recursion import Counts, Pack, Slots
from moonplan.core.simulate import Trajectory
from moonplan.core.timegrid import Flags, Floats

# Levels to a slot's gain at full current; fewer where slots and levels together would be too many states to look at.
_LEVELS_PER_SLOT = 96
_MANY_STATES, _SOME_STATES, _FEW_STATES = 300_000, 100_000, 50_000
_LEAST_LEVELS_PER_SLOT, _LEAST_COARSELY = 4, 2
_MOST_LEVELS = 20_000
# By how much a car that gains little in a slot may have more states than others.
_MOST_TIMES = 8
# In how many layers it is reckoned how far the mean car is ahead of the cautious one.
_LAYERS = 3
# Of plans that come to the same the one with fewer sessions: so much does a session count besides, in default prices.
_TIE = 1e-3
# How far apart they are at the least, as a part of the battery.
_LEAST_APART = 1e-3
# Currents that a continuous lead is tried at within one timer session, as shares of the way from least to most.
_TIMER_SHARES, _COARSE_SHARES = (1.0, 0.75, 0.5, 0.25, 0.0), (1.0, 0.5, 0.0)


@dataclass(frozen=True)
class Surroundings:
    """What the other cars leave in each slot, shapes (n_slots,).

    room_a : current that may be offered. [A] sun_kwh : own sun that nobody else takes. [kWh]
    toll : what an offered ampere counts besides its cost, since others want it too; None for nothing. [currency/A]
    sun_price : what a kWh of own sun counts, the export price given up or more; None for that price. [currency/kWh]
    """

    room_a: Floats
    sun_kwh: Floats
    toll: Floats | None = None
    sun_price: Floats | None = None


@dataclass(frozen=True)
class Usual:
    """A plan of the car that is to be changed in part: its setpoints, shape (n_slots,) [A], what it is around, and what
    both cars do.

    asked : what its recursion is asked then.
    """

    amps: Floats
    mean: Trajectory
    cautious: Trajectory
    asked: "_Question"


class OneCar:
    """Plans one car against what the others leave: least shortage, then least cost, care and starts.

    What its recursion found is kept: where the others leave the same from some slot on, only what is before it is done
    anew.

    fine : whether to look at many levels, rather than at so few that the answer is good to look around with.
    """

    def __init__(self, problem: Problem, car: Car, *, fine: bool) -> None:
        n = problem.grid.n_slots
        self._problem, self._car, self._fine = problem, car, fine
        self._most_a = np.where(car.chargeable & np.isnan(car.pinned_a), car.offered(car.limit_a), 0.0)
        self._pack, self._may = _pack(problem, car), _timer_may(problem, car)
        self._steps_a = np.array(car.steps_a, dtype=np.float64)
        at_edge, before_trip = _asked(problem, car)
        wishes = np.zeros(n + 1)
        for wish in car.wishes:
            wishes[wish.edge] = max(wishes[wish.edge], wish.kwh)
        self._alone = Slots(
            hours=problem.grid.hours,
            room_a=self._most_a,
            pinned_a=car.pinned_a,
            limit_kwh=car.limit_kwh,
            price=problem.prices.price + car.grid_counts,
            own_price=problem.prices.export_price + car.sun_counts,
            sun_kwh=np.zeros(n),
            toll=np.zeros(n),
            trip_edge=np.array([departure.taking.edge for departure in car.departures], dtype=np.int64),
            trip_kwh=np.array([departure.taking.kwh for departure in car.departures], dtype=np.float64),
            need_kwh=np.zeros(n + 1),
            wants=at_edge,
            trip_wants=before_trip,
            wishes=wishes,
        )
        self._kept: _Kept | None = None

    @property
    def idle(self) -> bool:
        """Whether the car can do nothing at all."""
        return not self._most_a.any() and bool(np.isnan(self._car.pinned_a).all())

    @property
    def _layers(self) -> int:
        return _LAYERS if self._fine and self._car.rate.mean != self._car.rate.cautious else 1

    def whole(self, around: Surroundings) -> Floats:
        """Setpoints for the whole horizon, shape (n_slots,) [A]"""
        car, grid = self._car, self._problem.grid
        if self.idle:
            return np.zeros(grid.n_slots)
        slots, aboard = self._slots(around), (car.soc_kwh, car.soc_kwh)
        while True:
            last = cast(dict[int, Floats] | None, self._problem.done.get(("ahead", car.id)))
            fine = self._fine and last is not None
            kept = self._levels(slots, states=_MANY_STATES if fine else _FEW_STATES, layers=self._layers if fine else 1)
            aheads = np.zeros((grid.n_slots + 1, 1)) if last is None else last[self._layers]
            question = self._question(slots, aheads, 0, aboard)
            self._brought_up(kept, question, down_to=0)
            amps = np.zeros(grid.n_slots)
            self._followed(amps, aboard, kept, kept.values, (0, grid.n_slots), kept.band, question)
            if last is None or self._fine:
                mean, cautious = (car.run(amps, rate, grid) for rate in (car.rate.mean, car.rate.cautious))
                self._problem.done["ahead", car.id] = _aheads(car, amps, mean, cautious, grid.hours)
            if last is not None:
                return amps

    def usual(self, around: Surroundings, amps: Floats, mean: Trajectory, cautious: Trajectory) -> Usual:
        """A plan of the car with what its recursion is asked then."""
        car = self._car
        aheads = _aheads(car, amps, mean, cautious, self._problem.grid.hours)[self._layers]
        return Usual(amps, mean, cautious, self._question(self._slots(around), aheads, 0, (car.soc_kwh, car.soc_kwh)))

    def other_than_usual(self, usual: Usual, around: Surroundings, since: int, until: int) -> Floats:
        """Setpoints from an edge on, against surroundings that are other than usual mostly before another edge.

        Only between the two is the recursion done anew; after that its values are those of the usual plan, near enough to
        go by, and what the others leave is as it is now. since : where a night begins, and for a timer no session goes on.
        """
        if self.idle:
            return usual.amps
        kept = self._levels(usual.asked.slots, states=_SOME_STATES, layers=self._layers)
        aboard = _before_trips(usual, self._car, since)
        asked = self._question(self._slots(around), usual.asked.aheads, since, aboard)
        span = (since, max(since, min(until, asked.differs_until(usual.asked))))
        self._brought_up(kept, usual.asked, down_to=span[1])
        band = recursion.reachable(since, aboard[0], kept.levels, self._alone, self._pack)
        if span[1] > since:
            self._found(kept.scratch, kept, span, band, asked)
        amps = usual.amps.copy()
        self._followed(amps, aboard, kept, kept.scratch, span, band, asked)
        return amps

    def _slots(self, around: Surroundings) -> Slots:
        alone = self._alone
        return alone._replace(
            room_a=np.where(self._most_a > 0, self._car.offered(around.room_a), 0.0),
            own_price=alone.own_price if around.sun_price is None else around.sun_price + self._car.sun_counts,
            sun_kwh=around.sun_kwh,
            toll=alone.toll if around.toll is None else around.toll,
        )

    def _levels(self, slots: Slots, *, states: int, layers: int) -> "_Kept":
        """What is kept of the last time, if it has the levels that are wanted now."""
        car = self._car
        timed = car.control != "managed"
        currents = (
            _timer_currents(car, float(slots.room_a.max()), _TIMER_SHARES if self._fine else _COARSE_SHARES)
            if timed
            else self._steps_a
        )
        phases = 2 * len(currents) + 2 if timed else 2
        same = self._kept is not None and (self._kept.states, self._kept.values.shape[1]) == (states, layers)
        if self._kept is None or not same or not np.array_equal(self._kept.currents, currents):
            per_slot = _LEAST_LEVELS_PER_SLOT if states == _MANY_STATES else _LEAST_COARSELY
            levels = _levels(car, self._alone, states // (len(currents) + 2) if timed else states, per_slot)
            band = recursion.reachable(0, car.soc_kwh, levels, self._alone, self._pack)
            values = np.zeros((len(slots.room_a) + 1, layers, phases, len(levels)))
            self._kept = _Kept(states, currents, levels, band, values)
        return self._kept

    def _question(self, slots: Slots, aheads: Floats, since: int, aboard: tuple[float, float]) -> "_Question":
        """What the recursion is asked, with wants that can be met."""
        if self._car.control != "managed":
            return _Question(slots, aheads, 100 * (float(np.abs(slots.price).max()) + 1.0), slots.need_kwh)
        most_at_edge, most_before_trip = recursion.fully(since, aboard[0], slots, self._pack)
        # A wish is for before the trips at its edge; where there are any, the first of them asks for it.
        leaves = np.zeros(len(slots.wishes), dtype=np.bool_)
        leaves[slots.trip_edge] = True
        first = np.diff(slots.trip_edge, prepend=-1) > 0
        trip_wishes = np.where(first, slots.wishes[slots.trip_edge], 0.0)
        slots = slots._replace(
            wants=np.minimum(np.maximum(slots.wants, np.where(leaves, 0.0, slots.wishes)), most_at_edge),
            trip_wants=np.minimum(np.maximum(slots.trip_wants, trip_wishes), most_before_trip),
        )
        need, need_after_trips = recursion.needs(slots, self._pack)
        a_kwh = np.maximum(slots.price, slots.own_price) + slots.toll / (self._pack.kw_per_a * slots.hours)
        dearest = 1.02 * max(0.0, float(a_kwh.max())) / self._pack.cautious[0] + 1e-6
        return _Question(slots._replace(need_kwh=need), aheads, dearest, need_after_trips)

    def _brought_up(self, kept: "_Kept", asked: "_Question", *, down_to: int) -> None:
        """Fill in what is kept so that it answers what is asked at every edge from one on."""
        n = self._problem.grid.n_slots
        stale = n if kept.answers is None else max(asked.differs_until(kept.answers), kept.found_from)
        kept.answers, kept.found_from = asked, min(stale, down_to)
        if kept.found_from < stale:
            self._found(kept.values, kept, (kept.found_from, stale), kept.band, asked)

    def _found(
        self, values: Floats, kept: "_Kept", span: tuple[int, int], band: tuple[Counts, Counts], asked: "_Question"
    ) -> None:
        """Fill in values over a span, from what is kept at its end."""
        pack, slots = self._pack, asked.slots
        if self._car.control == "managed":
            recursion.managed_values(
                values,
                kept.values,
                span,
                kept.levels,
                asked.aheads,
                kept.currents,
                asked.dearest,
                asked.need_after_trips,
                band,
                slots,
                pack,
            )
        else:
            recursion.timer_values(
                values,
                kept.values,
                span,
                kept.levels,
                asked.aheads,
                kept.currents,
                asked.dearest,
                self._may,
                band,
                slots,
                pack,
            )

    def _followed(
        self,
        amps: Floats,
        aboard: tuple[float, float],
        kept: "_Kept",
        values: Floats,
        span: tuple[int, int],
        band: tuple[Counts, Counts],
        asked: "_Question",
    ) -> None:
        """Fill in the setpoints from the span's first edge on."""
        slots, pack = asked.slots, self._pack
        if self._car.control == "managed":
            recursion.managed_amps(
                amps, aboard, values, kept.values, span, kept.levels, asked.aheads, kept.currents, band, slots, pack
            )
            return
        recursion.timer_amps(
            amps,
            aboard,
            values,
            kept.values,
            span,
            kept.levels,
            asked.aheads,
            kept.currents,
            asked.dearest,
            self._may,
            band,
            slots,
            pack,
        )


def _before_trips(usual: Usual, car: Car, edge: int) -> tuple[float, float]:
    """Cautious and mean SoC at an edge before its trips. [kWh]"""
    nth = int(np.searchsorted([departure.taking.edge for departure in car.departures], edge))
    there = nth < len(car.departures) and car.departures[nth].taking.edge == edge
    runs = (usual.cautious, usual.mean)
    cautious, mean = (float(run.before_leaving_kwh[nth] if there else run.soc_kwh[edge]) for run in runs)
    return cautious, mean


@dataclass(frozen=True)
class _Question:
    """What a recursion is asked: the slots, the layers at each edge, what a missed kWh counts, and what must be aboard after
    each edge's trips."""

    slots: Slots
    aheads: Floats
    dearest: float
    need_after_trips: Floats

    def differs_until(self, other: "_Question") -> int:
        """The edge from which on the values of both are the same, 0 if all are."""
        n = len(self.slots.room_a)
        if self.dearest != other.dearest:
            return n
        now, then = self.slots, other.slots
        differs = (now.room_a != then.room_a) | (now.sun_kwh != then.sun_kwh)
        differs |= (now.toll != then.toll) | (now.own_price != then.own_price)
        edges = ((now.need_kwh, then.need_kwh), (now.wants, then.wants))
        for mine, its in (*edges, (self.need_after_trips, other.need_after_trips)):
            differs |= mine[1:] != its[1:]
        if self.aheads is not other.aheads:
            differs |= (self.aheads[1:] != other.aheads[1:]).any(axis=1)
        trips = now.trip_edge[now.trip_wants != then.trip_wants]
        last = np.flatnonzero(differs)
        return min(n, max(int(last[-1]) + 1 if len(last) else 0, int(trips.max()) + 1 if len(trips) else 0))


@dataclass
class _Kept:
    """What the recursion found at some levels, layers and currents, and of what.

    band : which of the levels the car can be at, at each edge. answers : what the values answer, from the edge
    `found_from` on. scratch : an array to find others in.
    """

    states: int
    currents: Floats
    levels: Floats
    band: tuple[Counts, Counts]
    values: Floats
    answers: _Question | None = None
    found_from: int = 0

    @cached_property
    def scratch(self) -> Floats:
        return np.zeros_like(self.values)


def _pack(problem: Problem, car: Car) -> Pack:
    usable = car.vehicle.usable_kwh
    return Pack(
        usable_kwh=usable,
        onboard_kw=car.intake.onboard_kw,
        taper_from=car.intake.taper_from,
        kw_per_a=car.intake.volts * car.intake.phases / 1000,
        most_wall_kw=car.intake.most_wall_kw,
        least_a=car.least_a,
        mean=(car.rate.mean.efficiency, car.rate.mean.overhead_kw),
        cautious=(car.rate.cautious.efficiency, car.rate.cautious.overhead_kw),
        rest_kwh=car.rest_kwh,
        care=problem.care_price * car.care_factor * problem.grid.hours,
        boost_kwh=car.vehicle.boost_pct / 100 * usable,
        start_price=problem.start_price + _TIE * abs(problem.household.tariff.default_price),
        charging=car.vehicle.charging,
    )


def _asked(problem: Problem, car: Car) -> tuple[Floats, Floats]:
    """What is asked for at each edge, and before each trip. [kWh]"""
    at_edge = np.zeros(problem.grid.n_slots + 1)
    before_trip = np.zeros(len(car.departures))
    for nth, departure in enumerate(car.departures):
        if departure.ready_edge is None:
            before_trip[nth] = departure.required_kwh
        else:
            at_edge[departure.ready_edge] = max(at_edge[departure.ready_edge], departure.required_kwh)
    if car.wanted_at_end_kwh is not None:
        edge = problem.grid.n_slots if car.end_ready_edge is None else car.end_ready_edge
        at_edge[edge] = max(at_edge[edge], car.wanted_at_end_kwh)
    return at_edge, before_trip


def _levels(car: Car, slots: Slots, most_states: int, least_per_slot: int) -> Floats:
    """Levels of cautious SoC: even steps, and every limit and requirement besides. [kWh]"""
    usable = car.vehicle.usable_kwh
    wanted = [*slots.trip_wants.tolist(), *slots.wants[slots.wants > 0].tolist()]
    most_a = float(np.fmax(slots.room_a, np.nan_to_num(slots.pinned_a)).max())
    gain = max(car.rate.cautious.battery_kw(car.intake.wall_kw(most_a)) * slots.hours, 1e-6)
    most = min(_MOST_LEVELS, most_states // max(1, len(slots.room_a)))
    step = min(max(gain / _LEVELS_PER_SLOT, usable / most), gain / least_per_slot)
    step = max(step, usable / min(_MOST_LEVELS, _MOST_TIMES * most))
    anchor = next((kwh for kwh in wanted if kwh > 0), 0.0)
    even = anchor % step + step * np.arange(0, int(usable / step) + 1)
    marks = [kwh for kwh in {0.0, usable, *car.limit_kwh.tolist(), *wanted} if 0 <= kwh <= usable]
    return np.union1d(np.round(even[even <= usable], 9), np.round(marks, 9))


def _aheads(car: Car, amps: Floats, mean: Trajectory, cautious: Trajectory, hours: float) -> dict[int, Floats]:
    """Layers of how far the mean car may be ahead of the cautious one at each edge, shape (n_slots + 1, n_layers), for one
    layer and for several: how far it is in a plan of the car; besides that nothing, and how far it were had no limit
    brought the two together, since other plans meet their limits elsewhere. [kWh]
    """
    wall_kw = np.minimum(amps * (car.intake.volts * car.intake.phases / 1000), car.intake.most_wall_kw)
    mean_kw, cautious_kw = (
        np.maximum(0.0, rate.efficiency * wall_kw - rate.overhead_kw) for rate in (car.rate.mean, car.rate.cautious)
    )
    apart = np.concatenate([[0.0], np.cumsum(np.where(amps > 0, mean_kw - cautious_kw, 0.0)) * hours])
    here = np.maximum(0.0, mean.soc_kwh - cautious.soc_kwh)
    least = _LEAST_APART * car.vehicle.usable_kwh
    far = np.maximum(np.maximum(apart, 1.25 * here), 2 * least)
    middle = np.where(here > least, np.minimum(here, far - least), far / 2)
    return {1: here[:, None], _LAYERS: np.column_stack([np.zeros(len(here)), middle, far])}


def _timer_currents(car: Car, most: float, shares: Sequence[float]) -> Floats:
    if car.steps_a:
        return np.array([step for step in reversed(car.steps_a) if step <= most + 1e-9] or [0.0])
    tried = [round(car.least_a + share * (most - car.least_a), 2) for share in shares]
    return np.array(list(dict.fromkeys(tried)) if most else [0.0])


def _timer_may(problem: Problem, car: Car) -> tuple[Flags, Flags, Flags, Flags]:
    """Slots that may begin a session, that may be its last, that begin a new night, and that may be in a session which
    began in the night before."""
    nights = problem.grid.nights
    starts = may_start(problem, car).copy()
    starts[0] |= car.vehicle.charging and bool(car.chargeable[0])
    pinned_nights = {nights[t] for t in np.flatnonzero(~np.isnan(car.pinned_a))}
    starts &= np.array([night not in pinned_nights for night in nights])
    new_night = np.array([t > 0 and nights[t] != nights[t - 1] for t in range(len(nights))])
    crossing = new_night.copy()
    for t in range(1, len(nights)):
        crossing[t] |= crossing[t - 1] and car.chargeable[t - 1]
    return starts, may_end(problem, car), new_night, crossing


def nothing_left(car: Car, amps: Floats, problem: Problem) -> Floats:
    """The same setpoints without those slots in which neither trajectory draws."""
    mean = car.run(amps, car.rate.mean, problem.grid)
    cautious = car.run(amps, car.rate.cautious, problem.grid)
    keep = (mean.wall_kwh > 0) | (cautious.wall_kwh > 0) | ~np.isnan(car.pinned_a)
    return np.where(keep, amps, 0.0)
