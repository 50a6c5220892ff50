"""What binds where a departure, or the end, is short (rules, section 8)."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from itertools import chain, combinations, pairwise
from typing import Literal

import numpy as np

from moonplan.core import hookup
from moonplan.core.household import Household, Vehicle
from moonplan.core.planner.constraints import as_circuits_allow, room_for, sharing_with
from moonplan.core.planner.hindrances import chain_a, chargeable_slots, kept_off
from moonplan.core.planner.moves import longest_sessions
from moonplan.core.planner.outcome import Outcome, missed_by, wanted_of
from moonplan.core.planner.problem import Car, Problem
from moonplan.core.planner.together import missing_least
from moonplan.core.simulate import runs
from moonplan.core.timegrid import Flags, Floats
from moonplan.core.values import Habit

Binds = Literal[
    "pin", "one session", "by hand", "shared current", "supply", "ceiling", "habit", "limit", "kept off", "hours", "power"
]

# What differs by less than this is missed alike. [kWh]
_SAME_KWH = 0.05


def binds(problem: Problem, plan: Outcome, i: int, nth: int) -> tuple[Binds, ...]:
    """What makes short what is asked nth of car i, in the order of `Asked`; what costs it most first.

    The fewest of what limits the car that would all have to go for as little to be missed as without any of it, the others
    making way where they are short of no more for it; and `power` where something is missed even then, ahead of the rest
    where that is more than half.
    """
    short_kwh = float(plan.cars[i].shorts_kwh[nth])
    without = _Without(problem, plan, i)
    limits = tuple(_limits_of(problem, i))
    least_kwh = without.missed_kwh(limits, nth)
    if least_kwh > short_kwh - _SAME_KWH:
        return ("power",)
    fewest = _fewest(without, limits, nth, least_kwh)

    def missed_with_it(what: Binds) -> float:
        return without.missed_kwh([one for one in fewest if one != what], nth)

    those = sorted(fewest, key=lambda what: -round(missed_with_it(what) / _SAME_KWH))
    if least_kwh <= _SAME_KWH:
        return tuple(those)
    return ("power", *those) if least_kwh > short_kwh / 2 else (*those, "power")


def _limits_of(problem: Problem, i: int) -> list[Binds]:
    """What holds car i back beside what its hook-up gives while it is home."""
    car, h = problem.cars[i], problem.household
    pinned = any(pin.vehicle == car.id for pin in h.pins)
    ceilings = any(o.vehicle == car.id and o.ceiling_a is not None for o in h.overrides)
    there: dict[Binds, bool] = {
        "pin": pinned,
        "one session": car.control == "timer" and not pinned,
        "by hand": car.control == "hand" and not pinned,
        "shared current": bool(sharing_with(problem, i)) or problem.sharing[car.circuit.id] == "even",
        "supply": True,
        "ceiling": ceilings,
        "habit": _leaves_hours_out(problem.habit_of(car)),
        "limit": bool((car.limit_kwh < car.vehicle.usable_kwh).any()),
        "kept off": bool(kept_off(h, car.vehicle, problem.grid).any()),
        "hours": True,
    }
    return [what for what, is_there in there.items() if is_there]


def _leaves_hours_out(habit: Habit) -> bool:
    return habit not in ("cheapest", "plug_and_go")


def _fewest(without: "_Without", limits: Sequence[Binds], nth: int, least_kwh: float) -> tuple[Binds, ...]:
    """The fewest limits without which no more is missed than a least; of equally many the first."""
    for many in range(len(limits)):
        some = list(combinations(limits, many))
        enough = (those for those in some if without.missed_kwh(those, nth) <= least_kwh + _SAME_KWH)
        made_up = (those for those in some if without.is_made_up(those, nth, least_kwh))
        for those in chain(enough, made_up):
            return those
    return tuple(limits)


@dataclass(frozen=True)
class _Without:
    """Car i at all that it can have beside the others, without some of what limits it in a plan."""

    problem: Problem
    plan: Outcome
    i: int

    def missed_kwh(self, limits: Collection[Binds], nth: int) -> float:
        """What is missing of what is asked nth of it, beside the others as they are planned. [kWh]"""
        amps = [np.zeros_like(one.amps) if "shared current" in limits else one.amps for one in self.plan.cars]
        around = self._problem(limits)
        car = around.cars[self.i]
        room_a = car.offered(room_for(around, amps, self.i))
        car = replace(car, limit_a=np.where(np.isnan(car.pinned_a), room_a, car.pinned_a))
        run = car.run(self._most(car), car.rate.cautious, self.problem.grid)
        wanted = wanted_of(around, car)[nth]
        return max(0.0, wanted.kwh - wanted.aboard(run))

    def is_made_up(self, limits: Collection[Binds], nth: int, least_kwh: float) -> bool:
        """Whether the others can make way so that as little is missed of it, and of nothing else more than planned."""
        if not limits or "shared current" in limits or not sharing_with(self.problem, self.i):
            return False
        anew = missing_least(self._problem(limits)).outcome
        most_kwh, anew_kwh = ([car.shorts_kwh.copy() for car in plan.cars] for plan in (self.plan, anew))
        most_kwh[self.i][nth] = least_kwh
        return bool((np.concatenate(anew_kwh) <= np.concatenate(most_kwh) + _SAME_KWH).all())

    def _problem(self, limits: Collection[Binds]) -> Problem:
        car = self._car(limits)
        around = self.problem.with_cars([*self.problem.cars[: self.i], car, *self.problem.cars[self.i + 1 :]])
        return as_circuits_allow(around) if "supply" in limits else around

    def _car(self, limits: Collection[Binds]) -> Car:
        problem, car = self.problem, self.problem.cars[self.i]
        slots, most_a = self._slots_and_most(limits)
        at_once = problem.habit_of(car) == "plug_and_go"
        unpinned, unlimited_kwh = np.full(len(slots), np.nan), np.full(len(slots), car.vehicle.usable_kwh)
        return replace(
            car,
            control="managed" if {"pin", "one session", "by hand"} & set(limits) else car.control,
            chargeable=slots & (most_a > 0),
            limit_a=most_a,
            full_a=most_a,
            # What a car does at once, nobody pinned.
            pinned_a=unpinned if "pin" in limits or at_once else car.pinned_a,
            limit_kwh=unlimited_kwh if "limit" in limits else car.limit_kwh,
        )

    def _slots_and_most(self, limits: Collection[Binds]) -> tuple[Flags, Floats]:
        """Slots in which it may charge, and the most that its hook-up gives it then, shapes (n_slots,). [A]"""
        problem, car = self.problem, self.problem.cars[self.i]
        household, vehicle = _kept_otherwise(problem.household, car.vehicle, limits)
        slots = chargeable_slots(household, vehicle, problem.grid)
        if "habit" not in limits and _leaves_hours_out(problem.habit_of(car)):
            slots &= car.chargeable | ~car.could_charge
        most_a = chain_a(household, vehicle, problem.grid)
        if problem.sharing[car.circuit.id] == "even" and "shared current" not in limits:
            others = [one for one in problem.cars if one.circuit.id == car.circuit.id and one.id != car.id]
            part_a = hookup.circuit_amps(car.circuit) / (1 + np.sum([one.could_charge for one in others], axis=0))
            most_a = hookup.stepped_each(np.minimum(most_a, part_a), steps_a=car.lead.steps_a, min_a=car.least_a)
        return slots, np.where(slots, most_a, 0.0)

    def _most(self, car: Car) -> Floats:
        """All that it can be offered: with a timer or by hand, of each night the one session with which it misses least."""
        if car.control == "managed":
            return car.limit_a
        problem = self.problem
        most = np.nan_to_num(car.pinned_a)
        pinned = {problem.grid.nights[run.first] for run in runs(most)}
        for begins, ends in pairwise([*problem.grid.night_edges, problem.grid.n_slots]):
            if problem.grid.nights[begins] not in pinned:
                tried = longest_sessions(problem, car, most, car.limit_a, (begins, ends))
                most = min((most, *tried), key=lambda amps: missed_by(problem, car, amps))
        return most


def _kept_otherwise(household: Household, vehicle: Vehicle, limits: Collection[Binds]) -> tuple[Household, Vehicle]:
    """The household and one of its cars without what was decided for its nights, as far as that is among some limits."""
    overrides = [
        replace(
            one,
            ceiling_a=None if "ceiling" in limits else one.ceiling_a,
            plugged_in=one.plugged_in or "hours" in limits,
        )
        for one in household.overrides
        if one.vehicle == vehicle.id
    ]
    forbids = () if "kept off" in limits else household.forbids
    if "hours" in limits:
        vehicle = replace(vehicle, plug_in_hours=None)
    return replace(household, overrides=tuple(overrides), forbids=forbids), vehicle
