"""What the cars share, priced instead of forbidden: an ampere of a shared capacity, a slot of a shared lead, a kWh of own
sun. With such prices each car can be planned, or bounded, as if it stood alone (docs/planner.md).
"""

from collections.abc import Sequence
from copy import copy
from itertools import product

import numpy as np

from moonplan.core.planner.constraints import SharedLimit, one_lead_groups, shared_limits
from moonplan.core.planner.problem import Problem
from moonplan.core.timegrid import Floats


class SharedPrices:
    """Prices of what the cars share."""

    def __init__(self, problem: Problem) -> None:
        self.problem = problem
        self.limits: list[SharedLimit] = []
        most = [car.limit_a for car in problem.cars]
        for limit in shared_limits(problem):
            full = np.sum([weight * most[i] for i, weight in limit.weights.items()], axis=0)
            if len(limit.weights) > 1 and (full > limit.capacity + 1e-9).any():
                self.limits.append(limit)
        self.limit_prices = [np.zeros(problem.grid.n_slots) for _ in self.limits]
        self.groups = one_lead_groups(problem)
        self.group_prices = [np.zeros(problem.grid.n_slots) for _ in self.groups]
        self.surplus_kwh = problem.surplus_kw * problem.grid.hours
        most_kwh = np.sum([car.intake.most_wall_kw * (a > 0) for car, a in zip(problem.cars, most, strict=True)], axis=0)
        most_kwh = np.asarray(most_kwh * problem.grid.hours)
        price, export = problem.prices.price, problem.prices.export_price
        # Where own sun is worth more than the grid's price, the cost of a slot is concave, and its chord is below it.
        used = np.minimum(self.surplus_kwh, most_kwh)
        chord = np.where(most_kwh > 0, (export * used + price * (most_kwh - used)) / np.maximum(most_kwh, 1e-9), price)
        self.convex = price >= export
        self.low = np.where(self.surplus_kwh > 0, np.where(self.convex, export, chord), price)
        self.high = np.where(self.convex, price, self.low)
        # A kWh of sun is scarce where several cars could take more than there is; else it is what the sun costs.
        enough = self.surplus_kwh >= most_kwh if len(problem.cars) > 1 else self.surplus_kwh > 0
        self.sun = np.where(enough, self.low, self.high)

    def toll(self, i: int) -> Floats:
        """What an ampere offered to car i costs besides, a slot's price spread over its most amps. [currency/A]"""
        per_a, per_slot = self.of_car(i)
        return per_a + per_slot / max(1.0, float(self.problem.cars[i].limit_a.max()))

    def of_car(self, i: int) -> tuple[Floats, Floats]:
        """What an offered ampere of car i costs besides, and a slot with current."""
        per_a, per_slot = np.zeros(self.problem.grid.n_slots), np.zeros(self.problem.grid.n_slots)
        for limit, price in zip(self.limits, self.limit_prices, strict=True):
            if i in limit.weights and limit.of_full_limits:
                per_slot = per_slot + price * limit.weights[i] * self.problem.cars[i].full_a
            elif i in limit.weights:
                per_a = per_a + price * limit.weights[i]
        for group, price in zip(self.groups, self.group_prices, strict=True):
            if i in group:
                per_slot = per_slot + price
        return per_a, per_slot

    def given_away(self) -> float:
        """What the prices count too much for a plan that just fits."""
        value = -float(((self.sun - self.low) * self.surplus_kwh)[self.convex].sum())
        for limit, price in zip(self.limits, self.limit_prices, strict=True):
            value -= float((price * np.maximum(0.0, self.room(limit))).sum())
        for price in self.group_prices:
            value -= float(price.sum())
        return value

    def room(self, limit: SharedLimit) -> Floats:
        """What the cars may take together; with full limits counted, one car alone always may."""
        if not limit.of_full_limits:
            return limit.capacity
        largest = np.max([w * self.problem.cars[i].full_a for i, w in limit.weights.items()], axis=0)
        return np.asarray(np.maximum(limit.capacity, largest))

    def sharpened(self, amps: Sequence[Floats], gap: float) -> "SharedPrices | None":
        """Each price a step along what the cars take too much or too little; None where all fits."""
        problem = self.problem
        kwh = np.zeros(problem.grid.n_slots)
        for car, a in zip(problem.cars, amps, strict=True):
            wall_kw = np.minimum(a * car.intake.volts * car.intake.phases / 1000, car.intake.most_wall_kw)
            kwh += np.minimum(wall_kw * problem.grid.hours, self.surplus_kwh)
        sun = np.where(self.convex & (self.high > self.low), kwh - self.surplus_kwh, 0.0)
        sun = np.where((sun > 0) & (self.sun >= self.high) | (sun < 0) & (self.sun <= self.low), 0.0, sun)
        over = []
        for limit, price in zip(self.limits, self.limit_prices, strict=True):
            taken = [limit.load(problem, amps, i) for i in limit.weights]
            much = np.sum(taken, axis=0) - np.maximum(0.0, self.room(limit))
            over.append(np.where((much < 0) & (price <= 0), 0.0, much))
        together = []
        for group, price in zip(self.groups, self.group_prices, strict=True):
            much = np.sum([amps[i] > 0 for i in group], axis=0) - 1.0
            together.append(np.where((much < 0) & (price <= 0), 0.0, much))
        length = float((sun**2).sum() + sum((g**2).sum() for g in (*over, *together)))
        if length <= 1e-12:
            return None
        step = gap / length
        return self.at(
            [p + step * g for p, g in zip(self.limit_prices, over, strict=True)],
            [p + step * g for p, g in zip(self.group_prices, together, strict=True)],
            self.sun + step * sun,
        )

    def parts(self, parts: Sequence[float]) -> list["SharedPrices"]:
        """Each part of the prices of limits and leads with each of own sun's; only the first of what costs nothing."""
        limited = any(price.any() for price in (*self.limit_prices, *self.group_prices))
        scarce = bool((self.sun > self.low).any())
        return [
            self.part(of_limits, of_sun)
            for of_limits, of_sun in product(parts if limited else parts[:1], parts if scarce else parts[:1])
        ]

    def part(self, of_limits: float, of_sun: float) -> "SharedPrices":
        """Parts of the prices of limits and leads, and of what own sun costs besides what it costs in any case."""
        limits, groups = ([of_limits * price for price in prices] for prices in (self.limit_prices, self.group_prices))
        return self.at(limits, groups, self.low + of_sun * (self.sun - self.low))

    def at(self, limit_prices: Sequence[Floats], group_prices: Sequence[Floats], sun: Floats) -> "SharedPrices":
        """Other prices of the same things, none below nothing, and own sun between what it and the grid cost."""
        other = copy(self)
        other.limit_prices = [np.maximum(0.0, price) for price in limit_prices]
        other.group_prices = [np.maximum(0.0, price) for price in group_prices]
        other.sun = np.clip(sun, self.low, self.high)
        return other
