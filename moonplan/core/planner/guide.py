"""What the cars' sharing is worth: the problem without its yes-or-no choices, as a linear programme (docs/planner.md).

A car may take any part of its most current in every slot, as efficiently as at the most; that a session costs something
to start, a timer's one current, care and taper are left out. The programme is small and solved in some tens of
milliseconds; what its shared limits come to at the margin are the prices that the bound starts from.
"""

from collections.abc import Mapping, Sequence

import numpy as np

from moonplan.core.planner.problem import Car, Problem
from moonplan.core.planner.programme import Columns, Programme
from moonplan.core.planner.sharing import SharedPrices
from moonplan.core.timegrid import Floats

# What a missed kWh counts, in times of the highest price.
_SHORT_TIMES = 10


def shared_prices(problem: Problem, *, short_price: float | None = None) -> SharedPrices:
    """Prices of what the cars share, from the problem without its yes-or-no choices.

    short_price : what a missed kWh counts, else far more than any price. [currency/kWh]
    """
    if short_price is None:
        short_price = _SHORT_TIMES * (float(np.abs(problem.prices.price).max(initial=0.0)) + 0.01)
    prices = SharedPrices(problem)
    if len(problem.cars) < 2 or not (prices.limits or prices.groups or (prices.surplus_kwh > 0).any()):
        return prices
    programme = Programme()
    amps = [_car(programme, problem, car, short_price) for car in problem.cars]
    limit_rows = [shared_rows(programme, amps, limit.weights, prices.room(limit)) for limit in prices.limits]
    group_rows = [
        shared_rows(programme, amps, {i: 1 / max(1.0, float(problem.cars[i].limit_a.max())) for i in group}, 1.0)
        for group in prices.groups
    ]
    sun_row = _own_sun(programme, problem, prices, amps)
    least = programme.least()
    if least is None:
        return prices
    worth = np.append(np.maximum(0.0, least.worth), 0.0)  # row −1: none
    return prices.at(
        [worth[row] for row in limit_rows],
        [worth[row] for row in group_rows],
        np.where(sun_row >= 0, problem.prices.price - worth[sun_row], prices.sun),
    )


def _car(programme: Programme, problem: Problem, car: Car, short_price: float) -> Columns:
    """A car's amps, shape (n_slots,), −1 for no column; and what must be aboard when, by the cautious rate."""
    n, hours = problem.grid.n_slots, problem.grid.hours
    pinned = ~np.isnan(car.pinned_a)
    most_a = np.where(pinned, np.nan_to_num(car.pinned_a), car.offered(car.limit_a))
    at = np.flatnonzero(most_a > 0)
    kwh_per_a = car.intake.volts * car.intake.phases / 1000 * hours
    columns = np.full(n, -1)
    columns[at] = programme.columns(
        len(at), low=np.where(pinned, most_a, 0.0)[at], high=most_a[at], cost=(problem.prices.price * kwh_per_a)[at]
    )
    gains = {a: car.rate.cautious.battery_kw(car.intake.wall_kw(a)) * hours / a for a in set(most_a[at].tolist())}
    gain_per_a = np.array([gains.get(a, 0.0) for a in most_a.tolist()])
    since, before, left = 0, np.zeros(0, dtype=np.int64), car.soc_kwh
    for edge, wanted, takes in _wanted(car, n):
        inside = at[(at >= since) & (at < edge)]
        limit = float(car.limit_kwh[min(max(since, edge - 1), n - 1)])
        aboard = programme.columns(1, low=-np.inf, high=max(limit, car.soc_kwh))
        row = programme.rows(left)
        programme.put(row, aboard, 1.0)
        programme.put(row, columns[inside], -gain_per_a[inside])
        programme.put(row, before, -1.0)
        if wanted > 0:
            short = programme.columns(1, high=np.inf, cost=short_price)
            programme.put(programme.rows(-wanted), np.concatenate([aboard, short]), -1.0)
        since, before, left = edge, aboard, -takes
    return columns


def _wanted(car: Car, n_slots: int) -> list[tuple[int, float, float]]:
    """Edges, what is asked for or wished for by then, and what a trip takes there. [kWh]"""
    wishes = {wish.edge: wish.kwh for wish in car.wishes}
    # What a trip needs beyond a full battery is charged on the way.
    found = [
        (one.taking.edge, max(one.required_kwh, wishes.pop(one.taking.edge, 0.0)), min(one.taking.kwh, one.required_kwh))
        for one in car.departures
    ]
    found.append((n_slots, max(car.wanted_at_end_kwh or 0.0, wishes.pop(n_slots, 0.0)), 0.0))
    return sorted([*found, *((edge, kwh, 0.0) for edge, kwh in wishes.items())], key=lambda one: one[0])


def shared_rows(
    programme: Programme, amps: Sequence[Columns], weights: Mapping[int, float], most: Floats | float
) -> Columns:
    """Rows of a shared limit where it can bind, shape (n_slots,), −1 for none."""
    n = len(amps[0])
    most = np.broadcast_to(np.asarray(most, dtype=np.float64), n)
    high = np.concatenate(programme.high)
    takes = {i: np.where(amps[i] >= 0, weight * high[amps[i]], 0.0) for i, weight in weights.items()}
    binds = np.sum(list(takes.values()), axis=0) > np.maximum(0.0, most) + 1e-9
    rows = np.full(n, -1)
    at = np.flatnonzero(binds)
    rows[at] = programme.rows(np.maximum(0.0, most[at]), len(at))
    for i, weight in weights.items():
        mine = at[amps[i][at] >= 0]
        programme.put(rows[mine], amps[i][mine], weight)
    return rows


def _own_sun(programme: Programme, problem: Problem, prices: SharedPrices, amps: list[Columns]) -> Columns:
    """Rows that let the cars use no more own sun than they draw, shape (n_slots,), −1 for none."""
    drawing = np.any([columns >= 0 for columns in amps], axis=0)
    at = np.flatnonzero((prices.surplus_kwh > 0) & prices.convex & (prices.high > prices.low) & drawing)
    rows = np.full(problem.grid.n_slots, -1)
    saved = problem.prices.price[at] - problem.prices.export_price[at]
    used = programme.columns(len(at), high=prices.surplus_kwh[at], cost=-saved)
    rows[at] = programme.rows(0.0, len(at))
    programme.put(rows[at], used, 1.0)
    for car, columns in zip(problem.cars, amps, strict=True):
        mine = at[columns[at] >= 0]
        kwh_per_a = car.intake.volts * car.intake.phases / 1000 * problem.grid.hours
        programme.put(rows[mine], columns[mine], -kwh_per_a)
    return rows
