"""A session of a plan, with what explains it: what it serves, what it pays, and what else there was."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Self

import numpy as np

from moonplan.core.listed import listed
from moonplan.core.planner.constraints import room_for
from moonplan.core.planner.outcome import CarOutcome, Outcome, car_outcome
from moonplan.core.planner.problem import Car, Problem, Wish
from moonplan.core.simulate import NOTHING_KWH, Run
from moonplan.core.timegrid import Floats
from moonplan.core.values import Habit


@dataclass(frozen=True)
class PlannedSession:
    """The session `run` of car i, by index, in a plan."""

    problem: Problem
    outcome: Outcome
    i: int
    run: Run

    @property
    def car(self) -> Car:
        return self.problem.cars[self.i]

    @property
    def mine(self) -> CarOutcome:
        return self.outcome.cars[self.i]

    @property
    def habit(self) -> Habit:
        return self.problem.habit_of(self.car)

    @property
    def inside(self) -> slice:
        """The session's slots."""
        return slice(self.run.first, self.run.last + 1)

    @property
    def is_pinned(self) -> bool:
        """Whether somebody set it by hand, as the habit of charging at once on arrival does not."""
        return self.habit != "plug_and_go" and not np.isnan(self.car.pinned_a[self.run.first])

    @property
    def is_below_boost(self) -> bool:
        """Whether the car is below the level up to which it charges at once: when the session begins, and where there might
        have been another for the rest until the last slot in which it draws anything."""
        return bool(self.mine.mean.soc_kwh[self._judged] < self.car.at_once_below_kwh[self._judged])

    @property
    def is_for_boost(self) -> bool:
        """Whether the level up to which it charges at once is what it is for: the next departure could do without it."""
        return self.is_below_boost and not self.is_pinned and self.serves != 0

    @property
    def at_once_pct(self) -> float:
        """The level below which the car charges at once: its own, or its limit where that is lower."""
        limit_pct = round(float(self.car.limit_kwh[self._judged]) / self.car.vehicle.usable_kwh * 100, 1)
        return min(self.car.vehicle.boost_pct, limit_pct)

    @cached_property
    def _judged(self) -> int:
        """The slot by which it is told whether it charges at once."""
        drawn = np.flatnonzero(self.mine.mean.wall_kwh[self.inside] > NOTHING_KWH)
        return self.run.first + (int(drawn[-1]) if self.car.control == "managed" else 0)

    @property
    def beyond_boost(self) -> Self | None:
        """What of it comes after the level up to which the car charges at once; None where it begins there, or all does."""
        reached = self.mine.mean.soc_kwh[self.inside] >= self.car.at_once_below_kwh[self.inside]
        if reached[0] or not reached.any():
            return None
        beyond = replace(self, run=self.run._replace(first=self.run.first + int(reached.argmax())))
        return beyond if beyond.mine.mean.wall_kwh[beyond.inside].sum() > NOTHING_KWH else None

    @cached_property
    def without(self) -> CarOutcome:
        """The car without it."""
        amps = self.mine.amps.copy()
        amps[self.inside] = 0.0
        return car_outcome(self.problem, self.car, amps)

    @cached_property
    def serves(self) -> int | None:
        """Index of the first departure that would be short without it; None where it serves no departure."""
        for nth, (now, then) in enumerate(zip(self.mine.departures, self.without.departures, strict=True)):
            if then.short_kwh > now.short_kwh + NOTHING_KWH:
                return nth
        return None

    @property
    def serves_more(self) -> bool:
        """Whether it was chosen to store more than the departure that it serves requires, by more than a slot's worth."""
        if self.serves is None or not np.isnan(self.car.pinned_a[self.run.first]):
            return False
        car, departure = self.car, self.car.departures[self.serves]
        wall_kw = car.intake.wall_kw(float(self.mine.amps[self.inside].max()))
        slot_kwh = car.rate.mean.battery_kw(wall_kw) * self.problem.grid.hours
        return self.mine.departures[self.serves].planned_kwh > departure.required_kwh + slot_kwh

    @property
    def serves_the_end(self) -> bool:
        """Whether less than is wanted would be aboard at the end without it."""
        now, then = self.mine.end, self.without.end
        return now is not None and then is not None and then.short_kwh > now.short_kwh + NOTHING_KWH

    @property
    def wish(self) -> Wish | None:
        """The first wish of the car's habit after it, where the habit would miss more without it."""
        if sum(self.without.unwished_kwh) <= sum(self.mine.unwished_kwh) + NOTHING_KWH:
            return None
        return next((wish for wish in self.car.wishes if wish.edge > self.run.first), None)

    @cached_property
    def grid_kwh(self) -> Floats:
        """What it takes from the grid in each of its slots. [kWh]"""
        return np.asarray(self.mine.mean.wall_kwh[self.inside] - self.outcome.costs[self.i].solar_kwh[self.inside])

    @cached_property
    def own_share(self) -> float:
        """The part of its energy that is own sun."""
        return 1 - float(self.grid_kwh.sum() / self.mine.mean.wall_kwh[self.inside].sum())

    @cached_property
    def grid_shares(self) -> Floats:
        """The part of what it takes from the grid that it takes in each of its slots, where it takes some."""
        return np.asarray(self.grid_kwh / self.grid_kwh.sum())

    @cached_property
    def paid(self) -> float:
        """What a kWh from the grid costs it on average. [currency/kWh]"""
        return float(np.average(self.problem.prices.price[self.inside], weights=self.grid_shares))

    @cached_property
    def room_a(self) -> Floats:
        """What its lead could offer beside the others, shape (n_slots,). [A]"""
        return self.car.offered(room_for(self.problem, [one.amps for one in self.outcome.cars], self.i))


def have(names: Sequence[str]) -> str:
    """Who has something that a car would like: others, or where there are none the house."""
    return f"{listed(names)} have" if len(names) > 1 else f"{names[0] if names else 'the house'} has"
