"""One car against prices and what the others leave it: a recursion over its battery (docs/planner.md).

Backward over the slots, on levels of cautious SoC, a few layers of how far the mean car, which decides cost, is ahead of
it, and a few phases (off, on; for a timer: not yet, on at a current, done for the night); then forward with the true SoC of
both.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np

from moonplan.core.planner import recursion
from moonplan.core.planner.constraints import SLACK_A, may_begin, may_end
from moonplan.core.planner.joint_ways import Joined
from moonplan.core.planner.managed_ways import managed_amps
from moonplan.core.planner.outcome import Wanted
from moonplan.core.planner.problem import Car, Problem
from moonplan.core.planner.room import room
from moonplan.core.planner.slots import (
    NOTHING,
    Managed,
    May,
    Pack,
    Slots,
    Timer,
    Worth,
    differ_until,
    fully,
    needs,
    reachable,
    start_value,
)
from moonplan.core.planner.timer_moves import moved_a_little
from moonplan.core.planner.timer_ways import timer_amps
from moonplan.core.simulate import Trajectory
from moonplan.core.timegrid import Counts, Flags, Floats

# Levels to a slot's gain at full current, where slots and levels together are not too many states to look at.
_LEVELS_PER_SLOT = 96
_MOST_LEVELS = 20_000
# By how much a car that gains little in a slot may have more states than others.
_MOST_TIMES = 8
# Of plans that come to the same the one with fewer sessions: so much does a session count besides, in default prices.
_TIE = 1e-3
# What a missed kWh counts in a regret, in highest prices.
_MISSED = 3.0
# How far apart the outermost layers are at the least, as a part of the battery.
_LEAST_APART = 2e-3


@dataclass(frozen=True)
class Effort:
    """How closely a car is planned.

    states : slots and levels together, about. levels_per_slot : the fewest to a slot's gain at full current. layers : in
        how many it is reckoned how far the mean car is ahead. ways : how many are followed side by side. currents : at how
        many, from the least to the most, a timer on a continuous lead is tried.
    """

    states: int
    levels_per_slot: int
    layers: int
    ways: int
    currents: int = 5


COARSE = Effort(states=50_000, levels_per_slot=3, layers=1, ways=4)
CLOSER = Effort(states=100_000, levels_per_slot=3, layers=3, ways=8)
FINE_OF_MANY = Effort(states=100_000, levels_per_slot=4, layers=4, ways=16)
FINE = Effort(states=300_000, levels_per_slot=4, layers=4, ways=16)
FINEST = Effort(states=300_000, levels_per_slot=4, layers=6, ways=32, currents=9)
CLOSEST = Effort(states=1_200_000, levels_per_slot=4, layers=4, ways=64, currents=17)
MANY_CURRENTS = Effort(states=1_200_000, levels_per_slot=4, layers=4, ways=64, currents=51)


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
    """A plan of the car that is to be changed in part: what the others leave it, its setpoints, shape (n_slots,) [A], what
    both cars do, and what its recursion is asked."""

    around: Surroundings
    amps: Floats
    mean: Trajectory
    cautious: Trajectory
    asked: "_Question"

    @property
    def runs(self) -> tuple[Trajectory, Trajectory]:
        """What the cautious and the mean car do."""
        return self.cautious, self.mean

    def stays(self, around: Surroundings) -> bool:
        """Whether the plan fits into other surroundings, at the same cost, which offer nothing more."""
        usual = self.around
        more = (around.room_a > usual.room_a + SLACK_A) | (around.sun_kwh > usual.sun_kwh + NOTHING)
        dearer = (around.sun_kwh < usual.sun_kwh - NOTHING) & (self.amps > 0)
        return not (more | dearer | (self.amps > around.room_a + SLACK_A)).any()


class Loads(NamedTuple):
    """What a car loads each capacity with that it shares with another, for each offered ampere and while it charges, shapes
    (n_limits,) and (n_limits, n_slots)."""

    per_a: Floats
    when_on: Floats


class OneCar:
    """Plans one car against what the others leave: least shortage, then least cost, care and starts.

    What its recursion found is kept: where the others leave the same from some slot on, only what is before it is done
    anew.
    """

    def __init__(self, problem: Problem, car: Car, effort: Effort) -> None:
        self._problem, self._car, self._effort = problem, car, effort
        self._most_a = np.where(car.chargeable & np.isnan(car.pinned_a), car.offered(car.limit_a), 0.0)
        self._pack, self._may = _pack(problem, car), _timer_may(problem, car)
        self._steps_a = np.array(car.steps_a, dtype=np.float64)
        self._alone = _slots_alone(problem, car, self._most_a)
        self._asks = _wishes_asked_for(self._alone) if car.control == "managed" else self._alone
        self._aheads = _aheads(problem, car, self._alone, self._pack, effort.layers)
        self._kept: _Kept | None = None

    @property
    def idle(self) -> bool:
        """Whether the car can do nothing at all."""
        return not self._most_a.any() and bool(np.isnan(self._car.pinned_a).all())

    def whole(self, around: Surroundings) -> Floats:
        """Setpoints for the whole horizon, shape (n_slots,) [A]"""
        n, aboard = self._problem.grid.n_slots, (self._car.soc_kwh, self._car.soc_kwh)
        amps = np.zeros(n)
        if self.idle:
            return amps
        slots = self._slots(around)
        kept, question = self._levels(slots), self._question(slots, 0, aboard)
        self._brought_up(kept, question, down_to=0)
        self._followed(amps, aboard, self._worth(kept, 0, n), question, kept.currents)
        return amps

    def usual(self, around: Surroundings, amps: Floats, mean: Trajectory, cautious: Trajectory) -> Usual:
        """A plan of the car with what its recursion is asked then."""
        aboard = (self._car.soc_kwh, self._car.soc_kwh)
        return Usual(around, amps, mean, cautious, self._question(self._slots(around), 0, aboard))

    def other_than_usual(
        self, usual: Usual, around: Surroundings, since: int, until: int, amps: Floats | None = None
    ) -> Floats:
        """Setpoints from an edge on, against surroundings that are other than usual mostly before another edge.

        Only between the two is the recursion done anew; after that its values are those of the usual plan, near enough to
        go by, and what the others leave is as it is now. since : where a night begins, and for a timer no session goes on.
        amps : what the car does until then, else as usual, shape (n_slots,). [A]
        """
        if self.idle:
            return usual.amps
        runs = usual.runs if amps is None else self._runs(amps)
        aboard = _before_trips(runs, self._car, since)
        worth, asked, currents = self._anew(usual, around, since, until, aboard)
        amps = usual.amps.copy() if amps is None else amps.copy()
        self._followed(amps, aboard, worth, asked, currents)
        return amps

    def joined(self, usual: Usual, around: Surroundings, since: int, until: int, loads: Loads) -> tuple[Joined, Floats]:
        """The car as one of two that are planned together between two edges, and its cautious and mean SoC at the first.

        around : what is left there while the other car does nothing. since : as in `other_than_usual`.
        """
        aboard = _before_trips(usual.runs, self._car, since)
        worth, asked, currents = self._anew(usual, around, since, until, aboard)
        timed = self._car.control != "managed"
        joined = Joined(
            worth=worth,
            currents=_with_usual(currents, usual.amps[since:until]) if timed else currents,
            timed=timed,
            never=_never(asked.slots),
            may=self._may,
            slots=asked.slots._replace(own_price=self._alone.own_price, toll=self._alone.toll),
            pack=self._pack,
            per_a=loads.per_a,
            when_on=loads.when_on,
            usual_a=usual.amps,
        )
        return joined, np.array(aboard)

    def _anew(
        self, usual: Usual, around: Surroundings, since: int, until: int, aboard: tuple[float, float]
    ) -> tuple[Worth, "_Question", Floats]:
        """Values, what they answer and at which currents, done anew between two edges."""
        kept = self._levels(usual.asked.slots)
        asked = self._question(self._slots(around), since, aboard)
        band = reachable(since, aboard[0], *kept.levels, self._alone, self._pack)
        return self._found_anew(kept, usual, asked, (since, until), band), asked, kept.currents

    def _runs(self, amps: Floats) -> tuple[Trajectory, Trajectory]:
        """What the cautious and the mean car do at setpoints."""
        car, grid = self._car, self._problem.grid
        return car.run(amps, car.rate.cautious, grid), car.run(amps, car.rate.mean, grid)

    def regret(self, usual: Usual, around: Surroundings, since: int, until: int) -> float:
        """By how much the plan would come to less in better surroundings between two edges, as far as values tell.
        [currency]

        What could be had besides of what is missed counts more than its price. since : as in `other_than_usual`.
        """
        if self.idle:
            return 0.0
        kept = self._levels(usual.asked.slots)
        asked = self._question(self._slots(around), 0, (self._car.soc_kwh, self._car.soc_kwh))
        now, then = asked.slots, usual.asked.slots
        more_kwh = (now.wants - then.wants).max() + (now.trip_wants - then.trip_wants).max(initial=0.0)
        if more_kwh > NOTHING:
            return float(_MISSED * np.abs(now.price).max() * more_kwh)
        self._brought_up(kept, usual.asked, down_to=since)
        better = self._found_anew(kept, usual, asked, (since, until), kept.band)
        aboard = _before_trips(usual.runs, self._car, since)
        as_usual = self._worth(kept, since, len(usual.amps))
        return max(0.0, start_value(since, *aboard, as_usual) - start_value(since, *aboard, better))

    def _found_anew(
        self, kept: "_Kept", usual: Usual, asked: "_Question", between: tuple[int, int], band: tuple[Counts, Counts]
    ) -> Worth:
        """Values that are other than usual between two edges at the most, and after that those of the usual plan."""
        since, until = between
        until = max(since, min(until, asked.differs_until(usual.asked)))
        self._brought_up(kept, usual.asked, down_to=until)
        later = kept.values if until < len(usual.amps) else kept.scratch
        worth = Worth(kept.scratch, later, since, until, *kept.levels[:2], kept.spare, *band, self._aheads)
        if until > since:
            self._found(worth, asked, kept.currents)
        return worth

    def _slots(self, around: Surroundings) -> Slots:
        alone = self._alone
        return self._asks._replace(
            room_a=np.where(self._most_a > 0, self._car.offered(around.room_a), 0.0),
            own_price=alone.own_price if around.sun_price is None else around.sun_price + self._car.sun_counts,
            sun_kwh=around.sun_kwh,
            toll=alone.toll if around.toll is None else around.toll,
        )

    def _levels(self, slots: Slots) -> "_Kept":
        """What is kept of the last time, if it has the currents that are wanted now."""
        car, effort = self._car, self._effort
        timed = car.control != "managed"
        currents = _timer_currents(car, float(slots.room_a.max()), effort.currents) if timed else self._steps_a
        if self._kept is None or not np.array_equal(self._kept.currents, currents):
            states = effort.states // (len(currents) + 2) if timed else effort.states
            levels = _levels(car, self._alone, states, effort.levels_per_slot)
            band = reachable(0, car.soc_kwh, *levels, self._alone, self._pack)
            phases = 2 * len(currents) + 2 if timed else 2
            spare = int(np.ceil(_most_gain(car, self._alone) / levels[1])) + 2
            self._kept = _Kept(
                currents, levels, band, (len(slots.room_a) + 1, self._aheads.shape[1], phases, levels[2] + spare)
            )
        return self._kept

    def _worth(self, kept: "_Kept", since: int, until: int) -> Worth:
        return Worth(kept.values, kept.values, since, until, *kept.levels[:2], kept.spare, *kept.band, self._aheads)

    def _question(self, slots: Slots, since: int, aboard: tuple[float, float]) -> "_Question":
        """What the recursion is asked, with wants that can be met."""
        slots = _that_can_be_met(slots, *fully(since, aboard[0], slots, self._pack))
        if self._car.control != "managed":
            return _Question(slots, _never(slots), slots.need_kwh)
        need, need_after_trips = needs(slots, self._pack)
        a_kwh = np.maximum(slots.price, slots.own_price) + slots.toll / (self._pack.kw_per_a * slots.hours)
        dearest = 1.02 * max(0.0, float(a_kwh.max())) / self._pack.cautious[0] + 1e-6
        return _Question(slots._replace(need_kwh=need), dearest, need_after_trips)

    def _brought_up(self, kept: "_Kept", asked: "_Question", *, down_to: int) -> None:
        """Fill in what is kept so that it answers what is asked at every edge from one on."""
        n = self._problem.grid.n_slots
        stale = n if kept.answers is None else max(asked.differs_until(kept.answers), kept.found_from)
        kept.answers, kept.found_from = asked, min(stale, down_to)
        if kept.found_from < stale:
            self._found(self._worth(kept, kept.found_from, stale), asked, kept.currents)

    def _found(self, worth: Worth, asked: "_Question", currents: Floats) -> None:
        """Fill in the values."""
        if self._car.control == "managed":
            recursion.managed_values(self._managed(worth, asked, currents))
        else:
            recursion.timer_values(self._timer(worth, asked, currents))

    def _followed(
        self, amps: Floats, aboard: tuple[float, float], worth: Worth, asked: "_Question", currents: Floats
    ) -> None:
        """Fill in the setpoints from the values' first edge on."""
        width = self._effort.ways
        if self._car.control == "managed":
            managed_amps(amps, aboard, width, self._managed(worth, asked, currents))
        else:
            timer = self._timer(worth, asked, currents)
            timer_amps(amps, aboard, width, timer)
            moved_a_little(amps, aboard, timer)

    def _managed(self, worth: Worth, asked: "_Question", currents: Floats) -> Managed:
        return Managed(worth, currents, asked.dearest, asked.need_after_trips, asked.slots, self._pack)

    def _timer(self, worth: Worth, asked: "_Question", currents: Floats) -> Timer:
        return Timer(worth, currents, asked.dearest, self._may, asked.slots, self._pack)


def _before_trips(runs: tuple[Trajectory, Trajectory], car: Car, edge: int) -> tuple[float, float]:
    """Cautious and mean SoC at an edge before its trips. [kWh]"""
    nth = int(np.searchsorted([departure.taking.edge for departure in car.departures], edge))
    there = nth < len(car.departures) and car.departures[nth].taking.edge == edge
    cautious, mean = (float(run.before_leaving_kwh[nth] if there else run.soc_kwh[edge]) for run in runs)
    return cautious, mean


def _never(slots: Slots) -> float:
    """What a missed kWh counts where it counts more than any price. [currency/kWh]"""
    return 100 * (float(np.abs(slots.price).max()) + 1.0)


def _with_usual(currents: Floats, usual_a: Floats) -> Floats:
    """A timer's currents, those nearest to what it does in the plan so far replaced by that."""
    currents = currents.copy()
    for amps in np.unique(usual_a[usual_a > 0]):
        currents[np.argmin(np.abs(currents - amps))] = amps
    return currents


@dataclass(frozen=True)
class _Question:
    """What a recursion is asked: the slots, what a missed kWh counts, and what must be aboard after each edge's trips."""

    slots: Slots
    dearest: float
    need_after_trips: Floats

    def differs_until(self, other: "_Question") -> int:
        """The edge from which on the values of both are the same, 0 if all are."""
        if self is other:
            return 0
        if self.dearest != other.dearest:
            return len(self.slots.room_a)
        return differ_until(self.slots, other.slots, self.need_after_trips, other.need_after_trips)


@dataclass
class _Kept:
    """What the recursion found at some levels and currents, and of what.

    levels : the lowest and the step between them in kWh, and how many. band : which of them the car can be at, at each
    edge. shape : see `Worth`. answers : what the values answer, from the edge `found_from` on.
    """

    currents: Floats
    levels: tuple[float, float, int]
    band: tuple[Counts, Counts]
    shape: tuple[int, int, int, int]
    answers: _Question | None = None
    found_from: int = 0

    @property
    def spare(self) -> int:
        """Levels there is room for above those that the car can be at."""
        return self.shape[3] - self.levels[2]

    @cached_property
    def values(self) -> Floats:
        return room(self, self.shape)

    @cached_property
    def scratch(self) -> Floats:
        """An array to find other values in."""
        return room(self, self.shape)


def needed(problem: Problem, car: Car, most_a: Floats, wanted: Iterable[Wanted]) -> Floats:
    """What the cautious car must have aboard after the trips at each edge so that it can still have what is wanted, charging
    at the most from then on, shape (n_slots + 1,). [kWh]

    most_a : the most current of each slot, shape (n_slots,). [A]
    """
    alone = _slots_alone(problem, car, most_a)
    at_edge, before_trip = np.zeros(len(alone.wants)), np.zeros(len(alone.trip_wants))
    for one in wanted:
        asked, at = (at_edge, one.edge) if one.trip < 0 else (before_trip, one.trip)
        asked[at] = max(asked[at], one.kwh)
    _, after_trips = needs(alone._replace(wants=at_edge, trip_wants=before_trip), _pack(problem, car))
    return after_trips


def _slots_alone(problem: Problem, car: Car, most_a: Floats) -> Slots:
    """What the slots offer and ask while nobody else takes or leaves anything."""
    n = problem.grid.n_slots
    at_edge, before_trip = _asked(problem, car)
    wishes = np.zeros(n + 1)
    for wish in car.wishes:
        wishes[wish.edge] = max(wishes[wish.edge], wish.kwh)
    return Slots(
        hours=problem.grid.hours,
        room_a=most_a,
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


def _wishes_asked_for(slots: Slots) -> Slots:
    """The slots with wishes among what is asked for. A wish is for before the trips at its edge; where there are any, the
    first of them asks for it."""
    leaves = np.zeros(len(slots.wishes), dtype=np.bool_)
    leaves[slots.trip_edge] = True
    first = np.diff(slots.trip_edge, prepend=-1) > 0
    trip_wishes = np.where(first, slots.wishes[slots.trip_edge], 0.0)
    return slots._replace(
        wants=np.maximum(slots.wants, np.where(leaves, 0.0, slots.wishes)),
        trip_wants=np.maximum(slots.trip_wants, trip_wishes),
    )


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
        boost_kwh=car.boost_kwh,
        start_price=problem.start_price + car.session_counts + _TIE * abs(problem.household.tariff.default_price),
        charging=car.vehicle.charging,
        any_current=not car.steps_a,
    )


def _asked(problem: Problem, car: Car) -> tuple[Floats, Floats]:
    """What is asked for at each edge, and before each trip. [kWh]"""
    at_edge = np.zeros(problem.grid.n_slots + 1)
    before_trip = np.zeros(len(car.departures))
    for nth, departure in enumerate(car.departures):
        before_trip[nth] = departure.required_kwh
        if departure.ready_edge is not None:
            at_edge[departure.ready_edge] = max(at_edge[departure.ready_edge], departure.required_kwh)
    if car.wanted_at_end_kwh is not None:
        for edge in (car.end_ready_edge, problem.grid.n_slots):
            if edge is not None:
                at_edge[edge] = max(at_edge[edge], car.wanted_at_end_kwh)
    return at_edge, before_trip


def _levels(car: Car, slots: Slots, most_states: int, least_per_slot: int) -> tuple[float, float, int]:
    """Levels of cautious SoC, even steps of which one is the usual limit: the lowest, the step, how many.
    [kWh, kWh]"""
    usable = car.vehicle.usable_kwh
    gain = _most_gain(car, slots)
    most = min(_MOST_LEVELS, most_states // max(1, len(slots.room_a)))
    step = min(max(gain / _LEVELS_PER_SLOT, usable / most), gain / least_per_slot)
    step = max(step, usable / min(_MOST_LEVELS, _MOST_TIMES * most))
    if gain > step:
        # A slot at full current then leads from level to level, and nothing is blurred between.
        step = float(gain / np.ceil(gain / step - 1e-6))
    anchor = float(np.median(car.limit_kwh))
    floor = anchor % step - step if anchor % step > 1e-9 else 0.0
    return floor, step, int(np.ceil((usable - floor) / step - 1e-9)) + 3


def _most_gain(car: Car, slots: Slots) -> float:
    """What the cautious car gains in a slot at its most. [kWh]"""
    most_a = float(np.fmax(slots.room_a, np.nan_to_num(slots.pinned_a)).max())
    return max(car.rate.cautious.battery_kw(car.intake.wall_kw(most_a)) * slots.hours, 1e-6)


def _that_can_be_met(slots: Slots, most_at_edge: Floats, most_before_trip: Floats) -> Slots:
    """The slots with what is wanted as far as always charging at the most brings it (`fully`)."""
    return slots._replace(
        wants=np.minimum(slots.wants, most_at_edge), trip_wants=np.minimum(slots.trip_wants, most_before_trip)
    )


def _aheads(problem: Problem, car: Car, alone: Slots, pack: Pack, n_layers: int) -> Floats:
    """Layers of how far the mean car may be ahead of the cautious one at each edge, before its trips, shape (n_slots + 1,
    n_layers). [kWh]

    Even steps up to how far it can be. A single layer is half as far as it would be once the car has charged, at its most,
    all that it can hold and has driven, with no limit that brought the two together.
    At less current it may get further ahead, and the outermost layer counts: layers that reached as far as that would lie
    further apart, and nothing is gained by it.
    """
    if car.rate.mean == car.rate.cautious:
        return np.zeros((problem.grid.n_slots + 1, 1))
    wall_kw = np.minimum(alone.room_a * pack.kw_per_a, pack.most_wall_kw)
    mean_kw, cautious_kw = (
        np.maximum(0.0, rate.efficiency * wall_kw - rate.overhead_kw) for rate in (car.rate.mean, car.rate.cautious)
    )
    ahead = ((mean_kw - cautious_kw) / np.maximum(cautious_kw, 1e-9)).max()
    gains_kwh = cautious_kw * alone.hours
    driven_kwh = np.zeros(len(gains_kwh) + 1)
    for departure in car.departures:
        driven_kwh[departure.taking.edge :] += departure.taking.kwh
    holds_kwh = np.maximum(0.0, car.limit_kwh.max() - car.soc_kwh + driven_kwh)
    far, parts = ahead * np.minimum(np.concatenate([[0.0], np.cumsum(gains_kwh)]), holds_kwh), np.array([0.5])
    if n_layers > 1:
        far = np.minimum(far, _farthest_ahead(problem, car, ahead * gains_kwh, alone, pack))
        parts = np.linspace(0.0, 1.0, n_layers)
    return np.outer(np.maximum(far, _LEAST_APART * car.vehicle.usable_kwh), parts)


def _farthest_ahead(problem: Problem, car: Car, gets_kwh: Floats, alone: Slots, pack: Pack) -> Floats:
    """How far ahead the mean car can be at each edge, before its trips, shape (n_slots + 1,): no further than it gets in
    each slot, and than from what the cautious car must have aboard to what it has itself at the most. [kWh]

    gets_kwh : how far it gets in each slot, shape (n_slots,).
    """
    run = car.run(alone.room_a, car.rate.mean, problem.grid)
    most_before, most_after = run.soc_kwh.copy(), run.soc_kwh
    for departure, aboard in reversed(list(zip(car.departures, run.before_leaving_kwh.tolist(), strict=True))):
        most_before[departure.taking.edge] = aboard
    at_edge, before_trip = fully(0, car.soc_kwh, alone, pack)
    need_before, need_after = needs(_that_can_be_met(alone, at_edge, before_trip), pack)
    far = np.zeros(len(gets_kwh) + 1)
    for t in range(len(gets_kwh)):
        after_trips = min(far[t], max(0.0, most_after[t] - need_after[t]))
        far[t + 1] = min(after_trips + gets_kwh[t], max(0.0, most_before[t + 1] - need_before[t + 1]))
    return far


def _timer_currents(car: Car, most: float, many: int) -> Floats:
    if car.steps_a:
        return np.array([step for step in reversed(car.steps_a) if step <= most + 1e-9] or [0.0])
    tried = [round(float(amps), 2) for amps in np.linspace(most, car.least_a, many)]
    return np.array(list(dict.fromkeys(tried)) if most else [0.0])


def _timer_may(problem: Problem, car: Car) -> May:
    nights = problem.grid.nights
    starts = may_begin(problem, car)
    pinned_nights = {nights[t] for t in np.flatnonzero(~np.isnan(car.pinned_a))}
    starts &= np.array([night not in pinned_nights for night in nights])
    new_night = problem.grid.new_night
    crossing = new_night.copy()
    for t in range(1, len(nights)):
        crossing[t] |= crossing[t - 1] and car.chargeable[t - 1]
    return May(car.chargeable, starts, may_end(problem, car), new_night, crossing)


def nothing_left(car: Car, amps: Floats, problem: Problem) -> Floats:
    """The same setpoints without those slots in which neither trajectory draws.

    Kept are those before noon by which a timer's session belongs to the night before, where without them it would be a
    second one in the night that begins there.
    """
    mean = car.run(amps, car.rate.mean, problem.grid)
    cautious = car.run(amps, car.rate.cautious, problem.grid)
    keep = (mean.wall_kwh > 0) | (cautious.wall_kwh > 0) | ~np.isnan(car.pinned_a)
    if car.control != "managed":
        keep |= _before_noon(amps, keep, car.limit_kwh, problem.grid.new_night)
    return np.where(keep, amps, 0.0)


def _before_noon(amps: Floats, draws: Flags, limit_kwh: Floats, new_night: Flags) -> Flags:
    """Slots in which a session waits at the limit for the noon at which that rises, shape (n_slots,)."""
    waits = np.zeros(len(amps), dtype=np.bool_)
    for noon in np.flatnonzero(new_night[1:] & (np.diff(limit_kwh) > 0)) + 1:
        since = noon
        while since > 0 and amps[since - 1] > 0 and not draws[since - 1]:
            since -= 1
        if draws[noon] and since < noon:
            began_before = since > 0 and amps[since - 1] > 0
            waits[since if began_before else noon - 1 : noon] = True
    return waits
