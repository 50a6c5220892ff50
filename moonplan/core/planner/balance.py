"""The balance: need against what is recovered, night by night (rules, section 3)."""

from dataclasses import dataclass
from datetime import date, datetime

import numpy as np

from moonplan.core.planner.hindrances import at_home
from moonplan.core.planner.plan import Plan
from moonplan.core.rates import range_km
from moonplan.core.simulate import NOTHING_KWH


@dataclass(frozen=True, slots=True)
class NightOfCar:
    """One car from noon to noon.

    need_kwh, need_km : of the trips that leave in it. recovered_kwh, wall_kwh, solar_kwh, cost : of the sessions that start
    in it. margin_km : least left over at a departure; None where none leaves. short_kwh : missed at its departures.
    charged_to_pct : the highest mean SoC that these sessions end at, also where one goes on past noon; None without any.
    away : whether it is never home in it.
    """

    night: date
    need_kwh: float
    need_km: float
    recovered_kwh: float
    wall_kwh: float
    solar_kwh: float
    cost: float
    cost_sun_free: float
    margin_km: float | None
    short_kwh: float
    charged_to_pct: float | None
    away: bool

    @property
    def plugged_in(self) -> bool:
        """Whether anything is charged."""
        return self.wall_kwh > 0


def under_reserve_from(plan: Plan, i: int) -> datetime | None:
    """When car i first falls below its reserve, with the energy of a trip taken as it leaves; None where it never does."""
    car, mine = plan.problem.cars[i], plan.outcome.cars[i]
    reserve = car.vehicle.reserve_pct / 100 * car.vehicle.usable_kwh
    below = np.flatnonzero(mine.cautious.soc_kwh < reserve - NOTHING_KWH)
    return plan.problem.grid.starts[int(below[0])] if len(below) else None


def nights_of(plan: Plan, i: int) -> list[NightOfCar]:
    """Every night of car i."""
    nights = plan.problem.grid.nights
    return [_night(plan, i, night, [t for t, n in enumerate(nights) if n == night]) for night in dict.fromkeys(nights)]


def _night(plan: Plan, i: int, night: date, slots: list[int]) -> NightOfCar:
    problem, car, mine = plan.problem, plan.problem.cars[i], plan.outcome.cars[i]
    use = car.vehicle.use_kwh_per_100km
    first, last = slots[0], slots[-1]
    sessions = [session for session in plan.sessions[i] if first <= session.first <= last]
    leaving = [
        (departure, ready)
        for departure, ready in zip(car.departures, mine.departures, strict=True)
        if problem.grid.edges_s[first] <= departure.taking.at_s < problem.grid.edges_s[last + 1]
    ]
    return NightOfCar(
        night=night,
        need_kwh=sum(departure.taking.kwh for departure, _ in leaving),
        need_km=sum(departure.trip.km for departure, _ in leaving),
        recovered_kwh=sum(session.battery_kwh for session in sessions),
        wall_kwh=sum(session.wall_kwh for session in sessions),
        solar_kwh=sum(session.solar_kwh for session in sessions),
        cost=sum(session.cost for session in sessions),
        cost_sun_free=sum(session.cost_sun_free for session in sessions),
        margin_km=min((range_km(ready.margin_kwh, use) for _, ready in leaving), default=None),
        short_kwh=sum(ready.short_kwh for _, ready in leaving),
        charged_to_pct=max((session.soc_to * 100 for session in sessions), default=None),
        away=not at_home(problem.household, car.vehicle, problem.grid)[slots].any(),
    )
