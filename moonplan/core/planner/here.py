"""A plan that others are looked for around: what a car does once it is planned anew there, and in which nights cars stand in
each other's way."""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from moonplan.core.planner.candidates import Candidate, candidate, pinned, surroundings
from moonplan.core.planner.constraints import SLACK_A, broken_alone, broken_rules
from moonplan.core.planner.effort import Effort
from moonplan.core.planner.guide import shared_prices
from moonplan.core.planner.one_car import OneCar, Surroundings, Usual, nothing_left
from moonplan.core.planner.problem import Problem
from moonplan.core.planner.sharing import SharedPrices
from moonplan.core.planner.splice import spliced
from moonplan.core.timegrid import Flags, Floats

# After how many plans it is looked anew how much nights are regretted.
_PLANS_REGRETTED = 4


class Held(NamedTuple):
    """Slots in which a car leaves what is above a current to the others, shape (n_slots,). [-, A]"""

    slots: Flags
    most_a: float = 0.0


class _Regrets(NamedTuple):
    """What `Here.regrets` tells, and how many plans were found since that was so."""

    of_nights: Floats
    plans_since: int


class Here:
    """A plan that others are looked for around, and what each of its cars is around."""

    def __init__(self, problem: Problem, plan: Candidate, effort: Effort, regrets: _Regrets | None = None) -> None:
        self.problem, self.plan, self._effort, self._regrets = problem, plan, effort, regrets
        self._usual: dict[int, Usual] = {}

    def or_better(self, amps: Sequence[Floats]) -> "Here":
        """Other setpoints, or some nights of them, if they are better and break no rule."""
        found = candidate(self.problem, amps)
        nights = spliced(self.problem, self.plan, found)
        tried = [found] if nights is None else [found, candidate(self.problem, nights)]
        best = self.plan
        for one in tried:
            if one.better_than(best) and not broken_rules(self.problem, one.amps):
                best = one
        if best is self.plan:
            return self
        regrets = self._regrets and self._regrets._replace(plans_since=self._regrets.plans_since + 1)
        return Here(self.problem, best, self._effort, regrets)

    def elsewhere(self, amps: Sequence[Floats]) -> "Here":
        """Other setpoints, better or not."""
        return Here(self.problem, candidate(self.problem, amps), self._effort)

    def regrets(self) -> Floats:
        """By how much all cars together would come to less if each had a night for itself, or as it was a few plans before,
        shape (n_nights,). [currency]"""
        if self._regrets is None or self._regrets.plans_since >= _PLANS_REGRETTED:
            self._regrets = _Regrets(self._regrets_of_nights(), 0)
        return self._regrets.of_nights

    def planned(
        self, amps: list[Floats], i: int, nights: tuple[int, int], *, held: Held | None = None, toll: float = 0.0
    ) -> Floats:
        """Car i planned anew from one night on, against what the others do, shape (n_slots,). [A]

        Unless it is held or asked for a toll, it goes on with what it did where that comes to less: a plan that is made
        coarsely may be worse than the one before, and what others gain would be lost with it.

        nights : the first, and the one before which most of what others do is other than it was. toll : the part that it
            is asked for of what they would pay.
        """
        problem, car = self.problem, self.problem.cars[i]
        around = surroundings(problem, amps, i)
        one_car, usual, freely = self.one_car(i), self.usually(i), held is None and not toll
        if freely and usual.stays(around):
            return usual.amps
        room_a = around.room_a
        if held is not None:
            room_a = np.where(held.slots, np.minimum(room_a, held.most_a), room_a)
        asked = self.tolled(i, Surroundings(room_a, around.sun_kwh), toll)
        until = [*problem.grid.night_edges, problem.grid.n_slots][nights[1]]
        planned = nothing_left(car, one_car.other_than_usual(usual, asked, self.since(i, nights[0]), until), problem)
        return self._or_as_before(amps, i, planned, room_a) if freely else planned

    def tolled(self, i: int, around: Surroundings, toll: float) -> Surroundings:
        """The same surroundings for car i, in which it is asked for a part of what others would pay for what it takes."""
        if not toll:
            return around
        prices, export = _prices(self.problem), self.problem.prices.export_price
        dearer = np.maximum(0.0, prices.sun - export)
        return Surroundings(around.room_a, around.sun_kwh, toll * prices.toll(i), export + toll * dearer)

    def one_car(self, i: int) -> OneCar:
        return self.problem.once(
            ("one car", i, self._effort), lambda: OneCar(self.problem, self.problem.cars[i], self._effort)
        )

    def usually(self, i: int) -> Usual:
        if i not in self._usual:
            mine, around = self.plan.outcome.cars[i], surroundings(self.problem, self.plan.amps, i)
            self._usual[i] = self.one_car(i).usual(around, mine.amps, mine.mean, mine.cautious)
        return self._usual[i]

    def _or_as_before(self, amps: list[Floats], i: int, planned: Floats, room_a: Floats) -> Floats:
        """A car's new setpoints, or those it has or had in the plan, where they fit as well and come to less."""
        before = [a for a in (amps[i], self.plan.amps[i]) if not (a > room_a + SLACK_A).any()]
        others = {a.tobytes(): a for a in (planned, *before)}.values()
        if len(others) == 1:
            return planned
        found = sorted(
            (candidate(self.problem, [*amps[:i], a, *amps[i + 1 :]]) for a in others), key=lambda one: one.outcome.rank
        )
        # What was cut short may end when nobody is up.
        return next((a for a in (one.amps[i] for one in found) if self._may_be(i, a)), planned)

    def _may_be(self, i: int, amps: Floats) -> bool:
        return not any(broken_alone(self.problem, self.problem.cars[i], amps))

    def _regrets_of_nights(self) -> Floats:
        problem = self.problem
        edges, nobody = [*problem.grid.night_edges, problem.grid.n_slots], [pinned(car) for car in problem.cars]
        found = np.zeros(len(edges) - 1)
        for i in range(len(problem.cars)):
            usual, alone, one_car = self.usually(i), surroundings(problem, nobody, i), self.one_car(i)
            for night in range(len(found)):
                around = other_between(usual.around, alone, edges[night], edges[night + 1])
                if not usual.stays(around):
                    # From the night before on, which may leave to this one what it charges now.
                    until = edges[min(len(found), night + 2)]
                    found[night] += one_car.regret(usual, around, self.since(i, max(0, night - 1)), until)
        return found

    def since(self, i: int, night: int) -> int:
        """The edge at which a night begins, or an earlier one where a session goes on into it."""
        edges = self.problem.grid.night_edges
        while night > 0 and self.plan.amps[i][edges[night] - 1] > 0:
            night -= 1
        return edges[night]


def other_between(usual: Surroundings, other: Surroundings, since: int, until: int) -> Surroundings:
    """Surroundings that are others between two edges and as usual before and after."""
    room_a, sun_kwh = usual.room_a.copy(), usual.sun_kwh.copy()
    room_a[since:until], sun_kwh[since:until] = other.room_a[since:until], other.sun_kwh[since:until]
    return Surroundings(room_a, sun_kwh)


def _prices(problem: Problem) -> SharedPrices:
    return problem.once("shared prices", lambda: shared_prices(problem))
