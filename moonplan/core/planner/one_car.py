"""One car against prices and what the others leave it: a recursion over its battery (docs/planner.md).

Backward over the slots, on levels of cautious SoC, a few layers of how far the mean car, which decides cost, is ahead of
it, and a few phases (off, on; for a timer: not yet, on at a current, done for the night); then forward with the true SoC of
both.
"""

from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np

from moonplan.core.planner import recursion
from moonplan.core.planner.car_slots import may_of, pack_of, slots_alone, that_can_be_met, timer_currents, wishes_asked_for
from moonplan.core.planner.constraints import SLACK_A
from moonplan.core.planner.effort import Effort
from moonplan.core.planner.joint_ways import Joined
from moonplan.core.planner.levels import layers_of, levels_of, most_gain
from moonplan.core.planner.managed_ways import managed_amps
from moonplan.core.planner.problem import Car, Problem
from moonplan.core.planner.room import room
from moonplan.core.planner.slots import (
    NOTHING,
    Managed,
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

# What a missed kWh counts in a regret, in highest prices.
_MISSED = 3.0
# How many kWh are paid at the most for one that reaches a battery.
_WASTED = 5.0


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
        self._pack, self._may = pack_of(problem, car), may_of(problem, car)
        self._steps_a = np.array(car.steps_a, dtype=np.float64)
        self._alone = slots_alone(problem, car, self._most_a)
        self._asks = wishes_asked_for(self._alone) if car.control == "managed" else self._alone
        self._aheads = layers_of(problem, car, self._alone, self._pack, effort.layers)
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
            never=_never(asked.slots, self._pack),
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
        currents = timer_currents(car, float(slots.room_a.max()), effort.currents) if timed else self._steps_a
        if self._kept is None or not np.array_equal(self._kept.currents, currents):
            states = effort.states // (len(currents) + 2) if timed else effort.states
            levels = levels_of(car, self._alone, states, effort.levels_per_slot)
            band = reachable(0, car.soc_kwh, *levels, self._alone, self._pack)
            phases = 2 * len(currents) + 2 if timed else 2
            spare = int(np.ceil(most_gain(car, self._alone) / levels[1])) + 2
            self._kept = _Kept(
                currents, levels, band, (len(slots.room_a) + 1, self._aheads.shape[1], phases, levels[2] + spare)
            )
        return self._kept

    def _worth(self, kept: "_Kept", since: int, until: int) -> Worth:
        return Worth(kept.values, kept.values, since, until, *kept.levels[:2], kept.spare, *kept.band, self._aheads)

    def _question(self, slots: Slots, since: int, aboard: tuple[float, float]) -> "_Question":
        """What the recursion is asked, with wants that can be met."""
        slots = that_can_be_met(slots, *fully(since, aboard[0], slots, self._pack))
        if self._car.control != "managed":
            return _Question(slots, _never(slots, self._pack), slots.need_kwh)
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


def _never(slots: Slots, pack: Pack) -> float:
    """What a missed kWh counts where it counts more than any price and care, in whatever currency. [currency/kWh]"""
    dearest = _WASTED * float(np.abs(slots.price).max()) + pack.care * len(slots.price)
    return 100 * dearest if dearest > 0 else 1.0


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
