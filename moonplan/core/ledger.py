"""The log: what a session that somebody wrote down came to, what it cost, and a month's statement (rules, section 8).

Between its clock times a session's power is taken for even: nobody wrote down more than where it began and ended.
"""

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import timedelta
from functools import cache
from typing import Any, Self

import numpy as np
from pydantic import TypeAdapter

from moonplan.core.costing import EvCost, ev_cost
from moonplan.core.household import Tariff
from moonplan.core.mistakes import BadDocument, Mistake, validated
from moonplan.core.rates import Rate
from moonplan.core.readings import Kwh
from moonplan.core.tables import number
from moonplan.core.tariff import Prices
from moonplan.core.timegrid import Floats, Grid
from moonplan.core.values import STRICT, Instant, Percent

# What lasts longer was written down with a wrong day.
_LONGEST = timedelta(hours=72)


@dataclass(frozen=True, slots=True, kw_only=True)
class LoggedSession:
    """A session as it was written down, with what meter and car said; what nobody read is None.

    One that did not charge is of 0 kWh.
    """

    start: Instant
    end: Instant
    wall_kwh: Kwh | None = None
    soc_from_pct: Percent | None = None
    soc_to_pct: Percent | None = None

    __pydantic_config__ = STRICT

    @property
    def hours(self) -> float:
        """How long it lasted. [h]"""
        return (self.end - self.start).total_seconds() / 3600


_NUMBERS = ("wall_kwh", "soc_from_pct", "soc_to_pct")
COLUMNS: Mapping[str, str] = {name: name for name in ("vehicle", "start", "end", *_NUMBERS)}


@cache
def _adapter() -> TypeAdapter[LoggedSession]:
    return TypeAdapter(LoggedSession)


def session_of(values: Mapping[str, Any]) -> LoggedSession:
    """A logged session from its keys and values, times as ISO 8601.

    Raises
    ------
    BadDocument
        With every mistake, by its key.
    """
    session = validated(_adapter(), json.dumps(dict(values)), _adapter().json_schema())
    mistakes = _mistakes_in(session)
    if mistakes:
        raise BadDocument(mistakes)
    return session


def session_of_row(cells: Mapping[str, str]) -> tuple[str, LoggedSession]:
    """A row of a table, its cells by column: whose session, and the session.

    Raises
    ------
    BadDocument
        With every mistake of the row, by its column.
    """
    values = {key: number(text) if key in _NUMBERS else text for key, text in cells.items() if key != "vehicle"}
    return cells.get("vehicle", ""), session_of(values)


def _mistakes_in(session: LoggedSession) -> list[Mistake]:
    first, last = session.soc_from_pct, session.soc_to_pct
    found = []
    if session.end <= session.start:
        found.append(Mistake("end", session.end, "a time after start"))
    elif session.end - session.start > _LONGEST:
        found.append(Mistake("end", session.end, "at most three days after start"))
    if first is not None and last is not None and last < first:
        found.append(Mistake("soc_to_pct", last, f"no less than soc_from_pct ({first:g})"))
    if session.wall_kwh is None and (first is None or last is None):
        found.append(Mistake("wall_kwh", "missing", "what the meter counted, or the SoC before and after"))
    return found


@dataclass(frozen=True, slots=True)
class Charged:
    """What a logged session came to.

    wall_kwh, battery_kwh : out of the wall and into the battery. [kWh]
    soc_from_pct, soc_to_pct : None where neither was read. [%] derived : those of these four that nobody read.
    """

    session: LoggedSession
    wall_kwh: float
    battery_kwh: float
    soc_from_pct: float | None
    soc_to_pct: float | None
    derived: frozenset[str]

    @classmethod
    def of(cls, session: LoggedSession, *, usable_kwh: float, rate: Rate) -> Self:
        """What is missing follows from what was read.

        The battery's kWh are ΔSoC × usable where both SoCs were read, else efficiency × wall − overhead × hours; without
        a meter the wall's are (battery + overhead × hours) / efficiency (rules, section 2, over the hours of the session).
        """
        first, last, wall_kwh = session.soc_from_pct, session.soc_to_pct, session.wall_kwh
        burnt_kwh = rate.overhead_kw * session.hours
        if first is not None and last is not None:
            battery_kwh = (last - first) / 100 * usable_kwh
        else:
            assert wall_kwh is not None
            battery_kwh = max(0.0, rate.efficiency * wall_kwh - burnt_kwh)
        if wall_kwh is None:
            wall_kwh = (battery_kwh + burnt_kwh) / rate.efficiency if battery_kwh else 0.0
        gained_pct = battery_kwh / usable_kwh * 100
        reads = {"wall_kwh": session.wall_kwh, "soc_from_pct": first, "soc_to_pct": last}
        derived = {key for key, value in reads.items() if value is None} | {"battery_kwh"}
        if first is None and last is not None:
            first = max(0.0, last - gained_pct)
        elif last is None and first is not None:
            last = min(100.0, first + gained_pct)
        return cls(session, wall_kwh, battery_kwh, first, last, frozenset(derived))

    @property
    def wall_kw(self) -> float:
        """Mean power at the wall. [kW]"""
        return self.wall_kwh / self.session.hours

    def mean_kw(self, grid: Grid) -> Floats:
        """Its mean power at the wall in each slot, shape (n_slots,). [kW]"""
        start, end = self.session.start.timestamp(), self.session.end.timestamp()
        edges = grid.edges_s.astype(float)
        inside_s = np.minimum(edges[1:], end) - np.maximum(edges[:-1], start)
        return np.asarray(np.clip(inside_s, 0.0, None) / (grid.slot_minutes * 60) * self.wall_kw)

    def at_once(self, arrived: Instant, wall_kw: float) -> Self:
        """The same kWh charged at once on arrival, at the hook-up's full power [kW]."""
        end = arrived + timedelta(hours=max(self.wall_kwh / wall_kw, 1 / 60))
        session = LoggedSession(start=arrived, end=end, wall_kwh=self.wall_kwh)
        return type(self)(session, self.wall_kwh, self.battery_kwh, self.soc_from_pct, self.soc_to_pct, self.derived)


@dataclass(frozen=True, slots=True)
class Bought:
    """What came from the grid on one line of a tariff. [kWh, currency]"""

    kwh: float
    cost: float


@dataclass(frozen=True, slots=True)
class Cost:
    """What a session cost.

    cost : by the cost with the cars less without them. [currency] cost_sun_free : own sun counted as free.
    solar_kwh : of own sun. [kWh] bought : from the grid, by the line of the tariff.
    """

    cost: float
    cost_sun_free: float
    solar_kwh: float
    bought: Mapping[str, Bought]


def costs(charged: Sequence[Charged], *, grid: Grid, prices: Prices, base_kw: Floats, sun_kw: Floats) -> list[Cost]:
    """What sessions of one household cost, with the prices in force then (rules, section 5).

    What of a session lies outside the grid is left out.

    Parameters
    ----------
    base_kw, sun_kw : house and own sun, shape (n_slots,) [kW]
    """
    powers = [one.mean_kw(grid) for one in charged]
    ev_kw = np.sum(powers, axis=0) if powers else np.zeros(grid.n_slots)
    together = ev_cost(
        ev_kw,
        base_kw=base_kw,
        solar_kw=sun_kw,
        price=prices.price,
        export_price=prices.export_price,
        hours=grid.hours,
    )
    return [_cost(together.share(kw, ev_kw), kw * grid.hours, prices) for kw in powers]


def _cost(mine: EvCost, wall_kwh: Floats, prices: Prices) -> Cost:
    bought: dict[str, Bought] = {}
    grid_kwh = wall_kwh - mine.solar_kwh
    for t in np.flatnonzero(grid_kwh > 0).tolist():
        so_far = bought.get(prices.band[t], Bought(0.0, 0.0))
        bought[prices.band[t]] = Bought(so_far.kwh + float(grid_kwh[t]), so_far.cost + float(mine.cost_sun_free[t]))
    return Cost(float(mine.cost.sum()), float(mine.cost_sun_free.sum()), float(mine.solar_kwh.sum()), bought)


@dataclass(frozen=True, slots=True)
class Statement:
    """What was charged in some days.

    wall_kwh, battery_kwh, solar_kwh : [kWh] cost, cost_sun_free : as of a session, fixed charges apart. [currency]
    bought : from the grid by the tariff's lines, the dearest sum first. fixed : charges that the days have anyway.
    at_once : what the same kWh had cost if every car had charged at once on arrival.
    """

    n_sessions: int
    wall_kwh: float
    battery_kwh: float
    solar_kwh: float
    cost: float
    cost_sun_free: float
    bought: Mapping[str, Bought]
    fixed: float
    at_once: float

    def per_100km(self, km: float) -> float | None:
        """The cost of a hundred of the km that were driven; None where there are none. [currency]"""
        return self.cost / km * 100 if km > 0 else None


def fuel_cost(km: float, *, per_100km: float, price: float) -> float:
    """What a distance would have cost on fuel. [currency] per_100km, price : of the same measure of fuel."""
    return km / 100 * per_100km * price


def statement(charged: Sequence[Charged], paid: Sequence[Cost], *, at_once: Sequence[Cost], fixed: float) -> Statement:
    """Sessions with what each cost, and would have at once on arrival, added up."""
    bought: dict[str, Bought] = {}
    for one in paid:
        for band, more in one.bought.items():
            so_far = bought.get(band, Bought(0.0, 0.0))
            bought[band] = Bought(so_far.kwh + more.kwh, so_far.cost + more.cost)
    return Statement(
        n_sessions=sum(1 for one in charged if one.wall_kwh > 0),
        wall_kwh=sum(one.wall_kwh for one in charged),
        battery_kwh=sum(one.battery_kwh for one in charged),
        solar_kwh=sum(one.solar_kwh for one in paid),
        cost=sum(one.cost for one in paid),
        cost_sun_free=sum(one.cost_sun_free for one in paid),
        bought=dict(sorted(bought.items(), key=lambda item: -item[1].cost)),
        fixed=fixed,
        at_once=sum(one.cost for one in at_once),
    )


def fixed_charges(in_force: Sequence[Tariff], *, days_of_month: int) -> float:
    """Daily and contracted charges of some days of a month. [currency]

    in_force : the tariff of each of these days.
    """
    monthly = sum(tariff.monthly_per_kw * (tariff.contracted_kw or 0.0) for tariff in in_force) / days_of_month
    return sum(tariff.daily_charge for tariff in in_force) + monthly
