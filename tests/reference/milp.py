"""The whole problem as a mixed-integer linear programme on HiGHS (docs/planner.md).

A binary says for each car and slot whether current is offered; another whether the mean car is at its limit at the
slot's end, the only case in which a started slot may be left unfinished. Every plan is a solution of it, so what its
relaxation comes to is a bound that no plan can be below. Boost levels are not in it: they only cost. Solved whole it
is exact, for a few slots quickly, and far too slowly for an evening's question. Shortage is settled first, money second.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from moonplan.core.planner.constraints import (
    asleep_stretches,
    may_end,
    may_start,
    one_lead_groups,
    shared_limits,
)
from moonplan.core.planner.problem import Car, Problem
from moonplan.core.rates import Rate
from moonplan.core.timegrid import Flags, Floats
from tests.reference.model import Columns, Effort, Model, Term

# Between equal total shortages the earlier one is to be the shorter: how much more an earlier kWh weighs than the next.
_EARLIER_WEIGHS = 1e-4
# Chargeable slots, over all cars, up to which a bound is worth its time.
_MOST_SLOTS = 6000


@dataclass(frozen=True)
class Offered:
    """Setpoints per car, shape (n_slots,) [A], and a bound below which no plan's objective can lie.

    amps, more_amps : continuous currents rounded down and up to two decimals; the solver's lie between them.
    """

    amps: list[Floats]
    more_amps: list[Floats]
    bound: float


@dataclass
class _Slots:
    """A car's columns, one per chargeable slot, in the order of `at`."""

    car: Car
    at: Columns
    on: Columns
    amps: Columns
    start: Columns
    steps: list[tuple[float, Columns]]
    wall_kw: list[tuple[Columns, Floats | float]]
    gained: Columns = field(default_factory=lambda: np.zeros(0, dtype=np.int64))
    hours: Columns = field(default_factory=lambda: np.zeros(0, dtype=np.int64))
    full: Columns = field(default_factory=lambda: np.zeros(0, dtype=np.int64))


@dataclass(frozen=True, slots=True)
class _Level:
    """SoC from a slot edge on, until the next level: a column, or known. [kWh]"""

    edge: int
    column: Columns | None
    known: float


def solve(problem: Problem, effort: Effort, *, may_be_short: bool, when: Sequence[Floats] | None = None) -> Offered | None:
    """Setpoints that are least short and then cheapest; None where HiGHS found none within the effort.

    may_be_short : whether some requirement may turn out beyond reach; without it none is allowed to be missed.
    when : setpoints per car, shape (n_slots,) [A], whose sessions are kept, and the steps that they are at.
    """
    programme = _Programme(problem, may_be_short)
    if when is not None:
        programme.keep(when)
    return programme.solve(effort)


def bound(problem: Problem, *, may_be_short: bool) -> float | None:
    """A figure that no plan's objective can be below; None where the problem is too large to ask. [currency]"""
    chargeable = sum(int(car.chargeable.sum()) for car in problem.cars)
    if not chargeable or chargeable > _MOST_SLOTS:
        return None
    programme = _Programme(problem, may_be_short)
    least = programme.model.relaxed_bound()
    return None if least is None else programme.without_ties(least)


class _Programme:
    def __init__(self, problem: Problem, may_be_short: bool) -> None:
        self.problem = problem
        self.model = Model()
        self.may_be_short = may_be_short
        self.d = problem.grid.hours
        self.shortages: list[tuple[float, Columns]] = []
        self.tie = _tie_price(problem)
        self.slots = [self._car(car) for car in problem.cars]
        self._together()
        self._money()

    def solve(self, effort: Effort) -> Offered | None:
        if self.may_be_short and self.shortages:
            weights, columns = self._shortage_weights()
            cost = np.zeros(self.model.n_columns)
            cost[columns] = weights
            least = self.model.minimise(replace(effort, relative_gap=0.0, absolute_gap=1e-6), cost=cost)
            if least is None:
                return None
            self.model.row(columns, weights, high=least.objective + 1e-6)
        best = self.model.minimise(effort)
        if best is None:
            return None
        down, up = ([self._setpoints(slots, best.values, round_) for slots in self.slots] for round_ in (np.floor, np.ceil))
        return Offered(down, up, self.without_ties(best.bound))

    def keep(self, when: Sequence[Floats]) -> None:
        """Charge when these setpoints do, and at a step that they are at."""
        for slots, amps in zip(self.slots, when, strict=True):
            on = (amps[slots.at] > 0).astype(float)
            self.model.rows([(slots.on, 1.0)], low=on, high=on)
            if slots.steps:
                self.model.rows([(slots.amps, 1.0)], low=amps[slots.at], high=amps[slots.at])

    def _setpoints(self, slots: _Slots, values: Floats, round_: Callable[[Floats], Floats]) -> Floats:
        offered = np.zeros(self.problem.grid.n_slots)
        offered[slots.at] = np.where(values[slots.on] > 0.5, self._offered(slots, values, round_), 0.0)
        return offered

    def without_ties(self, bound: float) -> float:
        """A bound less all that the tie prices can have added to it."""
        return bound - self.tie * 2 * sum(len(slots.at) for slots in self.slots)

    def _shortage_weights(self) -> tuple[Floats, Columns]:
        columns = np.concatenate([column for _, column in self.shortages])
        times, nth = np.unique([at_s for at_s, _ in self.shortages], return_inverse=True)
        return 1 + _EARLIER_WEIGHS * (len(times) - nth) / len(times), columns

    @staticmethod
    def _offered(slots: _Slots, values: Floats, round_: Callable[[Floats], Floats]) -> Floats:
        if slots.steps:
            steps = np.array([step for step, _ in slots.steps])
            chosen = np.argmax([values[columns] for _, columns in slots.steps], axis=0)
            return np.asarray(steps[chosen])
        rounded = round_(np.round(values[slots.amps] * 100, 4)) / 100
        return np.clip(rounded, slots.car.least_a, slots.car.limit_a[slots.at])

    # --- one car ---------------------------------------------------------------------------------------------------

    def _car(self, car: Car) -> _Slots:
        at = np.flatnonzero(car.chargeable)
        slots = self._offers(car, at)
        pinned = ~np.isnan(car.pinned_a[at])
        if pinned.any():
            self.model.rows([(slots.on[pinned], 1.0)], low=1.0)
            self.model.rows([(slots.amps[pinned], 1.0)], low=car.pinned_a[at][pinned], high=car.pinned_a[at][pinned])
        if car.control != "managed":
            self._one_session_a_night(slots, pinned)
        self._mean_battery(slots)
        self._cautious_battery(slots)
        return slots

    def _offers(self, car: Car, at: Columns) -> _Slots:
        model, n = self.model, len(at)
        most = car.limit_a[at]
        on = model.columns(n, high=1, whole=True, cost=self.tie)
        amps = model.columns(n, high=most)
        steps: list[tuple[float, Columns]] = []
        wall_kw: list[tuple[Columns, Floats | float]] = []
        if car.steps_a:
            usable = [step for step in car.steps_a if n and step <= most.max() + 1e-9]
            for step in usable:
                chosen = model.columns(n, high=(step <= most + 1e-9).astype(float), whole=len(usable) > 1)
                steps.append((step, chosen))
                wall_kw.append((chosen, car.intake.wall_kw(step)))
            model.rows([(on, -1.0), *((chosen, 1.0) for _, chosen in steps)], low=0, high=0)
            model.rows([(amps, -1.0), *((chosen, step) for step, chosen in steps)], low=0, high=0)
        else:
            # No current beyond what the on-board charger can use: it would only crowd out others.
            per_amp = car.intake.volts * car.intake.phases / 1000
            useful = np.minimum(most, np.maximum(car.least_a, np.ceil(car.intake.most_wall_kw / per_amp * 100) / 100))
            model.rows([(amps, 1.0), (on, -useful)], high=0)
            model.rows([(amps, 1.0), (on, -car.least_a)], low=0)
            wall_kw.append((amps, per_amp))
        adjacent = np.diff(at, prepend=-2) == 1
        start_price = np.full(n, self.problem.start_price) + self.tie * np.arange(n) / max(1, n)
        start = model.columns(n, high=1, cost=start_price)
        if adjacent.any():
            before = np.flatnonzero(adjacent) - 1
            model.rows([(start[adjacent], 1.0), (on[adjacent], -1.0), (on[before], 1.0)], low=0)
            model.rows([(start[adjacent], 1.0), (on[before], 1.0)], high=1)
        fresh = ~adjacent
        if n and at[0] == 0 and car.vehicle.charging:
            fresh[0] = False
        model.rows([(start[fresh], 1.0), (on[fresh], -1.0)], low=0)
        return _Slots(car, at, on, amps, start, steps, wall_kw)

    def _one_session_a_night(self, slots: _Slots, pinned: Flags) -> None:
        model, car, at = self.model, slots.car, slots.at
        nights = [self.problem.grid.nights[t] for t in at]
        running = len(at) and at[0] == 0 and car.vehicle.charging
        for night in dict.fromkeys(nights):
            inside = np.array([k for k, own in enumerate(nights) if own == night])
            columns, ones = slots.start[inside], np.ones(len(inside))
            if running and inside[0] == 0:  # the session that runs already is this night's, if it goes on
                columns, ones = np.append(columns, slots.on[0]), np.append(ones, 1.0)
            model.row(columns, ones, high=1)
        adjacent = np.flatnonzero(np.diff(at, prepend=-2) == 1)
        before = adjacent - 1
        if slots.steps:
            for _, chosen in slots.steps:
                model.rows([(chosen[adjacent], 1.0), (chosen[before], -1.0), (slots.start[adjacent], -1.0)], high=0)
        else:
            most = float(car.limit_a[at].max()) if len(at) else 0.0
            model.rows([(slots.amps[adjacent], 1.0), (slots.amps[before], -1.0), (slots.start[adjacent], -most)], high=0)
            model.rows([(slots.amps[before], 1.0), (slots.amps[adjacent], -1.0), (slots.on[adjacent], most)], high=most)
        if car.control == "hand":
            barred = ~may_start(self.problem, car)[at] & ~pinned
            model.rows([(slots.start[barred], 1.0)], high=0)

    def _edges(self, slots: _Slots, *, rate: Rate, cautious: bool) -> tuple[Columns, Columns]:
        """SoC columns at the end of each chargeable slot and gains in it, chained through trips."""
        model, car, at, n = self.model, slots.car, slots.at, len(slots.at)
        limit = car.limit_kwh[at]
        soc, gained = model.columns(n), model.columns(n)
        highest, level_most = np.empty(n), car.soc_kwh
        levels = [_Level(0, None, car.soc_kwh)]
        before_trip: list[int] = []
        previous: Columns | None = None
        known = car.soc_kwh
        nth = 0
        rest_price = 0.0 if cautious else self.problem.care_price
        from_s = float(self.problem.grid.edges_s[0])

        def pass_trips(until_edge: int) -> None:
            """Take the trips up to an edge off, checking each requirement, and count the hours spent high."""
            nonlocal previous, known, nth, level_most, from_s
            while nth < len(car.departures) and car.departures[nth].taking.edge <= until_edge:
                departure = car.departures[nth]
                self._rest(previous, known, level_most, rest_price, departure.taking.at_s - from_s, car)
                from_s = max(from_s, departure.taking.at_s)
                before_trip.append(len(levels))
                previous, known, level_most = self._drive(
                    previous, known, level_most, departure.taking.kwh, departure.required_kwh, rate
                )
                levels.append(_Level(departure.taking.edge, previous, known))
                nth += 1

        for k in range(n):
            t = int(at[k])
            pass_trips(t)
            here_s = float(self.problem.grid.edges_s[t])
            self._rest(previous, known, level_most, rest_price, here_s - from_s, car)
            from_s = here_s + self.d * 3600
            one = slice(k, k + 1)
            if previous is None:
                model.rows([(soc[one], 1.0), (gained[one], -1.0)], low=known, high=known)
            else:
                model.rows([(soc[one], 1.0), (gained[one], -1.0), (previous, -1.0)], low=0, high=0)
            highest[k] = max(limit[k], level_most)
            if highest[k] > limit[k] + 1e-9:  # above the limit in force nothing is drawn
                model.rows([(soc[one], 1.0), (slots.on[one], highest[k] - limit[k])], high=highest[k])
            else:
                model.rows([(soc[one], 1.0)], high=limit[k])
            if car.limit_kwh[t] > car.intake.taper_from * car.vehicle.usable_kwh + 1e-9:
                self._taper(car, rate, gained[one], previous, known)
            self._care_while_charging(soc[one], previous, known, highest[k], rest_price, car)
            previous, known, level_most = soc[one], 0.0, highest[k]
            levels.append(_Level(t + 1, previous, known))
        pass_trips(self.problem.grid.n_slots)
        self._rest(previous, known, level_most, rest_price, float(self.problem.grid.edges_s[-1]) - from_s, car)
        if cautious:
            self._requirements(car, levels, before_trip)
        return soc, gained

    def _drive(
        self, previous: Columns | None, known: float, most: float, kwh: float, required: float, rate: Rate
    ) -> tuple[Columns | None, float, float]:
        """SoC after a trip: less its energy, down to 0."""
        if previous is None:
            return None, max(0.0, known - kwh), max(0.0, most - kwh)
        if kwh >= most:
            return None, 0.0, 0.0
        after = self.model.columns(1, high=most - kwh)
        if self.may_be_short or required < kwh:
            emptied = self.model.columns(1, high=1, whole=True)
            self.model.rows([(after, 1.0), (previous, -1.0)], low=-kwh)
            self.model.rows([(after, 1.0), (previous, -1.0), (emptied, -kwh)], high=-kwh)
            self.model.rows([(after, 1.0), (emptied, most)], high=most)
        else:
            self.model.rows([(after, 1.0), (previous, -1.0)], low=-kwh, high=-kwh)
        return after, 0.0, most - kwh

    def _rest(self, previous: Columns | None, known: float, most: float, price: float, seconds: float, car: Car) -> None:
        """Care for hours in which the SoC stays as it is."""
        if price <= 0 or seconds <= 0 or most <= car.rest_kwh + 1e-9:
            return
        cost = price * seconds / 3600
        if previous is None:
            self.model.columns(1, low=max(0.0, known - car.rest_kwh), cost=cost)
        else:
            above = self.model.columns(1, cost=cost)
            self.model.rows([(above, 1.0), (previous, -1.0)], low=-car.rest_kwh)

    def _care_while_charging(
        self, soc: Columns, previous: Columns | None, known: float, most: float, price: float, car: Car
    ) -> None:
        """Care in a slot that may charge: at least the SoC half-way through it."""
        if price <= 0 or most <= car.rest_kwh + 1e-9:
            return
        above = self.model.columns(1, cost=price * self.d)
        if previous is None:
            self.model.rows([(above, 1.0), (soc, -0.5)], low=known / 2 - car.rest_kwh)
        else:
            self.model.rows([(above, 1.0), (soc, -0.5), (previous, -0.5)], low=-car.rest_kwh)

    def _taper(self, car: Car, rate: Rate, gained: Columns, previous: Columns | None, known: float) -> None:
        """What the pack accepts above the taper, by the SoC at the slot's start."""
        most_kw = max(0.0, rate.efficiency * car.vehicle.onboard_kw - rate.overhead_kw)
        slope = 0.75 * most_kw / ((1 - car.intake.taper_from) * car.vehicle.usable_kwh)
        from_kwh = car.intake.taper_from * car.vehicle.usable_kwh
        if previous is None:
            self.model.rows([(gained, 1.0)], high=self.d * (most_kw - slope * max(0.0, known - from_kwh)))
        else:
            self.model.rows([(gained, 1.0), (previous, self.d * slope)], high=self.d * (most_kw + slope * from_kwh))

    def _mean_battery(self, slots: _Slots) -> None:
        model, car, at, n, d = self.model, slots.car, slots.at, len(slots.at), self.d
        if not n:
            return
        mean = car.rate.mean
        soc, gained = self._edges(slots, rate=mean, cautious=False)
        hours = model.columns(n, high=d)
        full = model.columns(n, high=1, whole=True)
        limit = car.limit_kwh[at]
        model.rows([(hours, 1.0), (slots.on, -d)], high=0)
        model.rows([(hours, 1.0), (slots.on, -d), (full, d)], low=0)
        model.rows([(soc, 1.0), (full, -limit)], low=0)
        # Energy drawn, (gained + overhead × hours) / efficiency, is what is offered, less only where the car is full.
        per_hour = mean.overhead_kw / mean.efficiency
        drawn: list[Term] = [(gained, 1 / mean.efficiency), (hours, per_hour)]
        offered = [(columns, -d * kw) for columns, kw in slots.wall_kw]
        most_kw = np.array([car.intake.wall_kw(a) for a in car.limit_a[at]])
        least_kw = min(car.intake.wall_kw(car.least_a), float(most_kw.min()))
        model.rows([*drawn, *offered], high=0)
        model.rows([drawn[0], (hours, per_hour - most_kw)], high=0)
        tapered = self._tapered(slots, soc)
        model.rows([*drawn, *offered, (full, d * most_kw), (tapered, d * most_kw)], low=0)
        model.rows([drawn[0], (hours, per_hour - least_kw), (tapered, d * least_kw)], low=0)
        slots.gained, slots.hours, slots.full = gained, hours, full

    def _tapered(self, slots: _Slots, soc: Columns) -> Columns:
        """Whether a slot begins above the taper, where less is drawn than offered."""
        car, at, n = slots.car, slots.at, len(slots.at)
        from_kwh = car.intake.taper_from * car.vehicle.usable_kwh
        possible = car.limit_kwh[at] > from_kwh + 1e-9
        tapered = self.model.columns(n, high=possible.astype(float), whole=bool(possible.any()))
        inside = np.flatnonzero(possible & (np.diff(at, prepend=-2) == 1))
        self.model.rows([(tapered[inside], -from_kwh), (soc[inside - 1], 1.0)], low=0)
        return tapered

    def _cautious_battery(self, slots: _Slots) -> None:
        model, car, at, n, d = self.model, slots.car, slots.at, len(slots.at), self.d
        cautious = car.rate.cautious
        if not n:
            return
        soc, gained = self._edges(slots, rate=cautious, cautious=True)
        offered = [(columns, -d * kw * cautious.efficiency) for columns, kw in slots.wall_kw]
        model.rows([(gained, 1.0), *offered, (slots.on, d * cautious.overhead_kw)], high=0)
        if car.control == "hand":
            ends = may_end(self.problem, car)[at] | ~np.isnan(car.pinned_a[at])
            followed = np.flatnonzero((np.diff(at, append=at[-1] + 2) == 1) & ~ends)
            if len(followed):
                full = model.columns(len(followed), high=1, whole=True)
                model.rows([(soc[followed], 1.0), (full, -car.limit_kwh[at][followed])], low=0)
                model.rows([(slots.on[followed], 1.0), (slots.on[followed + 1], -1.0), (full, -1.0)], high=0)

    def _requirements(self, car: Car, levels: list["_Level"], before_trip: list[int]) -> None:
        """What must be aboard at each departure and at the end, on the cautious trajectory."""
        for departure, known_levels in zip(car.departures, before_trip, strict=True):
            self._require(car, levels[:known_levels], departure.ready_edge, departure.required_kwh, departure.taking.at_s)
        if car.wanted_at_end_kwh is not None:
            end_s = float(self.problem.grid.edges_s[-1])
            self._require(car, levels, car.end_ready_edge, car.wanted_at_end_kwh, end_s)

    def _require(self, car: Car, levels: list["_Level"], ready_edge: int | None, required: float, at_s: float) -> None:
        level = [level for level in levels if ready_edge is None or level.edge <= ready_edge][-1]
        if level.column is None:
            return  # nothing can change it
        short = self.model.columns(1, high=car.vehicle.usable_kwh if self.may_be_short else 0.0)
        self.model.rows([(level.column, 1.0), (short, 1.0)], low=required)
        self.shortages.append((at_s, short))

    # --- the cars together -----------------------------------------------------------------------------------------

    def _together(self) -> None:
        n_slots = self.problem.grid.n_slots
        column_at = np.full((2, len(self.slots), n_slots), -1, dtype=np.int64)
        for i, slots in enumerate(self.slots):
            column_at[0, i, slots.at], column_at[1, i, slots.at] = slots.on, slots.amps
        for limit in shared_limits(self.problem):
            kind = 0 if limit.of_full_limits else 1
            for t in range(n_slots):
                cars = [i for i in limit.weights if column_at[0, i, t] >= 0]
                full = np.array([limit.weights[i] * self.slots[i].car.limit_a[t] for i in cars])
                if len(cars) and full.sum() > limit.capacity[t] + 1e-9:
                    weights = full if limit.of_full_limits else np.array([limit.weights[i] for i in cars])
                    self.model.row(column_at[kind, cars, t], weights, high=max(0.0, float(limit.capacity[t])))
        for group in one_lead_groups(self.problem):
            self._one_lead(group, column_at[0])

    def _one_lead(self, group: list[int], on_at: Columns) -> None:
        for t in range(self.problem.grid.n_slots):
            cars = [i for i in group if on_at[i, t] >= 0]
            if len(cars) > 1:
                self.model.row(on_at[cars, t], np.ones(len(cars)), high=1)
        for stretch in asleep_stretches(self.problem):
            holds = {}
            for i in group:
                columns = on_at[i, stretch.start : stretch.stop]
                columns = columns[columns >= 0]
                if len(columns):
                    holds[i] = self.model.columns(1, high=1, whole=True)
                    self.model.rows([(columns, 1.0), (np.repeat(holds[i], len(columns)), -1.0)], high=0)
            if len(holds) > 1:
                self.model.row(np.concatenate(list(holds.values())), np.ones(len(holds)), high=1)

    def _money(self) -> None:
        """Cost of what the cars draw: own sun first, at the export price given up, then the grid."""
        problem, model, d = self.problem, self.model, self.d
        surplus_kwh = np.maximum(0, problem.sun_kw - problem.base_kw) * d
        terms: dict[int, list[tuple[int, float]]] = {}
        for slots in self.slots:
            mean = slots.car.rate.mean
            for gained, hours, t in zip(slots.gained, slots.hours, slots.at, strict=True):
                terms.setdefault(int(t), []).extend(
                    [(int(gained), 1 / mean.efficiency), (int(hours), mean.overhead_kw / mean.efficiency)]
                )
        for t, drawn in sorted(terms.items()):
            price, export = float(problem.prices.price[t]), float(problem.prices.export_price[t])
            imported = model.columns(1, cost=price)
            most = sum(slots.car.intake.wall_kw(float(slots.car.limit_a[t])) for slots in self.slots) * d
            columns = [column for column, _ in drawn] + [int(imported[0])]
            weights = [weight for _, weight in drawn] + [-1.0]
            if surplus_kwh[t] > 0:
                own = model.columns(1, high=surplus_kwh[t], cost=export)
                columns, weights = [*columns, int(own[0])], [*weights, -1.0]
                if price < export:  # the grid would be taken first: own sun must be used up before it
                    beyond = model.columns(1, high=1, whole=True)
                    model.rows([(imported, 1.0), (beyond, -most)], high=0)
                    model.rows([(own, 1.0), (beyond, -surplus_kwh[t])], low=0)
            model.row(np.array(columns), np.array(weights), low=0, high=0)


def _tie_price(problem: Problem) -> float:
    """A price so small that all of it together stays far below what counts as a difference between plans."""
    n = max(1, sum(int(car.chargeable.sum()) for car in problem.cars))
    return 0.002 * abs(problem.household.tariff.default_price) / n / 2 + 1e-9 / n
