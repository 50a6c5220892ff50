"""Tonight's decision for each car: plug in where, by when, at what current, or leave it and why.

The evening question is answered from the plan's sessions in one night; everything here is read off the plan.
"""

from collections.abc import Collection
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from itertools import pairwise
from typing import Literal

import numpy as np

from moonplan.core.household import Household
from moonplan.core.percent import percent_told
from moonplan.core.planner.hindrances import at_home, chargeable_slots
from moonplan.core.planner.outcome import Readiness
from moonplan.core.planner.plan import Plan, Session
from moonplan.core.planner.problem import Car, Departure
from moonplan.core.planner.why_then import MOSTLY, NO_DIFFERENCE
from moonplan.core.simulate import NOTHING_KWH
from moonplan.core.timegrid import Flags, is_awake, night_asked_about, night_of, noon, told_clock, told_day

# What part of a battery makes no difference that is told.
_SAME_SHARE = 0.005

Action = Literal["plug_in", "go_on", "keep_plugged_in", "leave_unplugged", "has_charged", "cannot_charge", "away"]


@dataclass(frozen=True)
class Decision:
    """What to do with one car tonight.

    plug_in_by : the last time someone is up before the first session; None where that is now. in_place_of : the car that has
        the lead until then. plug_in_again : by when it is plugged in again, having been away between two sessions.
    ready_at : when the last session is through.
    departure, readiness : the next departure after now, and whether the car is ready for it. leaves_first : whether that is
        before the first session.
    why : for a car to be plugged in, the first session's reason; else why it is left, in one clause.
    """

    action: Action
    sessions: tuple[Session, ...]
    plug_in_by: datetime | None
    in_place_of: Car | None
    plug_in_again: tuple[datetime, ...]
    ready_at: datetime | None
    departure: Departure | None
    readiness: Readiness | None
    why: str

    @property
    def leaves_first(self) -> bool:
        return bool(self.sessions) and self.departure is not None and self.departure.trip.leave <= self.sessions[0].start

    @property
    def current(self) -> str | None:
        """What is offered, and of a later session from when on, where that is something else; None where nothing is."""
        if not self.sessions:
            return None
        told = self.sessions[0].current
        for before, session in pairwise(self.sessions):
            changes = session.current.removeprefix(f"{before.last_amps:g} A")
            if changes == session.current or changes.startswith(" at first"):
                now = session.planned.problem.household.now
                changes = f", from {told_clock(session.start, now=now)} {session.current}"
            told += changes
        return told


def the_night(household: Household) -> date:
    """The night that a household asks about now."""
    return night_asked_about(household.now, household.zone, household.wake)


def decide(plan: Plan, i: int, *, hanging: Collection[str] = ()) -> Decision:
    """Tonight's decision for car i of the plan.

    hanging : ids of the cars that hang on their leads since they charged earlier in the night.
    """
    problem = plan.problem
    car, mine, h = problem.cars[i], plan.outcome.cars[i], problem.household
    plugged_in = car.id in hanging
    until = noon(the_night(h) + timedelta(days=1), h.zone)
    sessions = tuple(session for session in plan.sessions[i] if session.start < until)
    departure = car.departures[0] if car.departures else None
    readiness = mine.departures[0] if car.departures else None
    if not sessions:
        action, why = _nothing(plan, i, until, "has_charged" if plugged_in else "leave_unplugged")
        return Decision(action, (), None, None, (), None, departure, readiness, why)
    first, other = sessions[0], in_place_of(plan, car, sessions[0], hanging)
    stays = plugged_in and other is None and not is_out_between(plan, car, problem.household.now, first.start)
    again = [
        plug_in_by(plan, car, after.start) or after.start
        for before, after in pairwise(sessions)
        if is_out_between(plan, car, before.start, after.start)
    ]
    return Decision(
        action=action_of(car, first, plugged_in=stays),
        sessions=sessions,
        plug_in_by=plug_in_by(plan, car, first.start),
        in_place_of=other,
        plug_in_again=tuple(again),
        ready_at=sessions[-1].end,
        departure=departure,
        readiness=readiness,
        why=first.reason,
    )


def action_of(car: Car, session: Session, *, plugged_in: bool = False) -> Action:
    """What to do for a car's next session. plugged_in : whether it hangs on its lead already, and nobody has it since."""
    if car.vehicle.charging and session.first == 0:
        return "go_on"
    # By hand a session is begun by plugging in.
    return "keep_plugged_in" if plugged_in and car.control != "hand" else "plug_in"


def plug_in_by(plan: Plan, car: Car, start: datetime) -> datetime | None:
    """The last moment up to a start at which someone is up to plug a car in, or brings it home; None where that is now."""
    h = plan.problem.household
    moment = start
    while moment > h.now and not is_awake(moment, h.zone, h.wake, h.bedtime):
        moment -= timedelta(minutes=1)
    moment = max([moment, *(trip.back for trip in h.trips_of(car.id) if trip.back <= start)])
    return moment if moment > h.now else None


def is_out_between(plan: Plan, car: Car, since: datetime, until: datetime) -> bool:
    """Whether a car leaves and comes home between two times."""
    return any(since <= trip.leave and trip.back <= until for trip in plan.problem.household.trips_of(car.id))


def in_place_of(plan: Plan, car: Car, session: Session, hanging: Collection[str] = ()) -> Car | None:
    """The other car that has a car's lead before its session, and is still at home then; None where the lead is free.

    hanging : as for `decide`.
    """
    planned = zip(plan.problem.cars, plan.sessions, strict=True)
    of_lead = [(one, mine) for one, mine in planned if one.lead.id == car.lead.id]
    before = [(plan.problem.household.now, one) for one, _ in of_lead if one.id in hanging]
    before += [(s.end, one) for one, mine in of_lead for s in mine if s.start < session.start]
    end, last = max(before, key=lambda before: before[0], default=(session.start, car))
    leaves = (trip.leave for trip in plan.problem.household.trips_of(last.id))
    return None if last is car or any(end <= leave <= session.start for leave in leaves) else last


def _nothing(plan: Plan, i: int, until: datetime, otherwise: Action) -> tuple[Action, str]:
    """What to do with a car that does not charge tonight, and why. otherwise : where it could."""
    problem = plan.problem
    car, mine = problem.cars[i], plan.outcome.cars[i]
    if car.no_charge is not None:
        return "cannot_charge", str(car.no_charge)
    inside = np.array([start < until for start in problem.grid.starts[:-1]], dtype=np.bool_)
    tonight = car.could_charge & inside
    share = mine.aboard_now_kwh / car.vehicle.usable_kwh
    if not tonight.any():
        by_itself = replace(problem.household, forbids=(), overrides=())
        held_off = (chargeable_slots(by_itself, car.vehicle, problem.grid) & inside).any()
        if otherwise == "has_charged" and not held_off:  # its hours are over, or it is about to leave
            return otherwise, _enough(car, share)
        return _not_at_all(plan, car, inside)
    if (mine.mean.soc_kwh[:-1] >= car.limit_kwh - NOTHING_KWH)[tonight].all():
        over = share - car.limit_kwh[tonight].max() / car.vehicle.usable_kwh
        told = "which is its limit" if over < _SAME_SHARE else f"above its limit of {percent_told(share - over)}"
        return otherwise, f"{percent_told(share)} is aboard, {told}"
    later = next((s for s in plan.sessions[i] if s.start >= until), None)
    enough = _enough(car, share)
    if any(r.short_kwh for r in mine.departures[:1]):
        before = later is not None and later.start < car.departures[0].trip.leave
        nothing_more = "nothing more can be charged"
        return otherwise, f"{enough}, and {nothing_more} tonight" if before else f"{nothing_more} before it leaves"
    left_out = not car.chargeable[tonight].any()
    if later is None:
        return otherwise, f"{enough}, and its habit leaves tonight out" if left_out else enough
    because = f"{enough}, its habit leaves tonight out" if left_out else enough
    return otherwise, f"{because}, and {_why_later(plan, later, tonight)}"


def _not_at_all(plan: Plan, car: Car, tonight: Flags) -> tuple[Action, str]:
    """Why a car cannot charge in any slot of the night."""
    h, grid = plan.problem.household, plan.problem.grid
    home, soon = at_home(h, car.vehicle, grid) & tonight, grid.starts[min(1, grid.n_slots)]
    if not home.any():
        if any(trip.leave <= h.now < trip.back for trip in h.trips_of(car.id)):
            return "away", "out all night"
        if any(h.now <= departure.trip.leave < soon for departure in car.departures[:1]):
            return "leave_unplugged", "it leaves before it could charge"
    plugged_in = chargeable_slots(replace(h, forbids=()), car.vehicle, grid) & tonight
    return "leave_unplugged", "you keep it off all night" if plugged_in.any() else "not plugged in tonight"


def _why_later(plan: Plan, later: Session, tonight: Flags) -> str:
    """Why a car that could charge tonight does so in a later session."""
    session, h = later.planned, plan.problem.household
    local, morning = later.start.astimezone(h.zone), night_of(later.start, h.zone) + timedelta(days=1)
    by_day, today = is_awake(later.start, h.zone, h.wake, h.bedtime), h.now.astimezone(h.zone).date()
    then = told_day(local.date(), today) if by_day else f"the night to {told_day(morning, today)}"
    if session.own_share > MOSTLY:
        return f"{then} has the sun for it"
    cheaper = session.paid < plan.problem.prices.price[tonight].min() - NO_DIFFERENCE
    return f"{then} is cheaper" if cheaper else f"{then} is soon enough"


def _enough(car: Car, share: float) -> str:
    """What is aboard, as a share, and what the next trip needs."""
    if car.departures:
        departure = car.departures[0]
        told = "it is to leave with" if departure.wants_more else "the next trip needs"
        return f"{percent_told(share)} is aboard and {told} {percent_told(departure.required_kwh / car.vehicle.usable_kwh)}"
    return f"{percent_told(share)} is aboard and no trip is planned"
