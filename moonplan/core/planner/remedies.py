"""Ways out of a shortage: the smallest changes that close it, each found by planning again with the change made.

Nothing is guessed: a remedy's shortage and cost are those of the plan with it, which goes on from the plan without. A
current above what the circuit or the socket is allowed is never offered.
"""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from datetime import date, datetime, time, timedelta
from typing import Literal

import numpy as np

from moonplan.core import hookup
from moonplan.core.household import Household, Override, Trip
from moonplan.core.mistakes import BadDocument
from moonplan.core.planner.outcome import Asked, ready_at
from moonplan.core.planner.plan import Plan, plan
from moonplan.core.planner.problem import Car
from moonplan.core.simulate import NOTHING_KWH
from moonplan.core.timegrid import in_night, night_of, noon, told_clock, told_day
from moonplan.core.values import Habit

# A change that takes less than this off the shortage is none. [kWh]
_WORTH_KWH = 0.05
_EARLIER_H = (1, 2, 4)
# Of a lead with more steps above what it is kept to, the next, the one in the middle and the last are tried.
_STEPS_TRIED = 4


@dataclass(frozen=True, slots=True)
class OfNight:
    """Changes what was decided for a car and a night; `unpin` takes its pins away."""

    vehicle: str
    night: date
    limit_pct: float | None = None
    ceiling_a: float | None = None
    ready_by: time | None = None
    plugged_in: bool | None = None
    unpin: bool = False


@dataclass(frozen=True, slots=True)
class OfTrip:
    """Changes a trip, known by its car and when it leaves: another car takes it, or more is charged on the way.

    fill_to_pct : what it is to leave with in place of the end's level, though nobody typed fill; follows from the gain.
    """

    vehicle: str
    leave: datetime
    other_vehicle: str | None = None
    gain_kwh: float | None = None
    fill: bool | None = None
    fill_to_pct: float | None = None


@dataclass(frozen=True, slots=True)
class OfVehicle:
    """Changes how a car is kept: its habit, or from when it is plugged in (None for always)."""

    vehicle: str
    habit: Habit | None = None
    plug_in_hours: tuple[time, time] | None | Literal["as it is"] = "as it is"


Edit = OfNight | OfTrip | OfVehicle


@dataclass(frozen=True, slots=True)
class Remedy:
    """A change and what the plan comes to with it.

    closes : whether what was short is so no longer, and nobody else shorter. short_kwh : what stays short in all; what
    someone wants earlier only where that is what was short. [kWh]
    cost : what charging costs more than without it. [currency]
    """

    told: str
    edits: tuple[Edit, ...]
    closes: bool
    short_kwh: float
    cost: float


def remedies(made: Plan, i: int, nth: int, *, at_end_pct: float | None = None) -> list[Remedy]:
    """The ways out for what is asked nth of car i, in the order of `Asked`: those that close it first, the smaller change
    before the larger.

    Empty where it is not short or nothing helps. at_end_pct : with what a car that is away when the nights end leaves on a
    trip of its own that nobody marked fill, in place of what is wanted then, and less by what more is charged on the way;
    None where it is home then.
    """
    household, before = made.problem.household, made.outcome
    if not (short_kwh := _short_kwh(made, i, nth)):
        return []
    found: list[Remedy] = []
    closed: set[str] = set()
    for kind, told, edits in _tried(made, i, nth, at_end_pct):
        if kind in closed:  # a smaller change of this kind does already
            continue
        try:
            after = plan(applied(household, edits), prove=False, like=made.setpoints)
        except BadDocument:  # another car may be pinned to a time in which it would be away
            continue
        short = after.outcome.short_kwh
        if short > before.short_kwh - _WORTH_KWH:
            continue
        # What closes one departure by opening another does not close it.
        nobody_else = short <= before.short_kwh - short_kwh + _WORTH_KWH
        stays_kwh = _still_short_kwh(after, made, i, nth, edits)
        closes = nobody_else and not stays_kwh
        in_all_kwh = after.outcome.short_in_time_kwh + (stays_kwh if _is_earlier(made, i, nth) else 0.0)
        found.append(Remedy(told, edits, closes, in_all_kwh, after.outcome.cost - before.cost))
        if closes:
            closed.add(kind)
    return sorted(found, key=lambda one: not one.closes)


def applied(household: Household, edits: tuple[Edit, ...]) -> Household:
    """The household with the changes made."""
    for edit in edits:
        if isinstance(edit, OfNight):
            household = _with_night(household, edit)
        elif isinstance(edit, OfTrip):
            household = replace(household, trips=tuple(_changed_trip(trip, edit) for trip in household.trips))
        else:
            household = _with_vehicle(household, edit)
    return household


def _tried(made: Plan, i: int, nth: int, at_end_pct: float | None) -> Iterator[tuple[str, str, tuple[Edit, ...]]]:
    """Changes worth trying, the smaller first: their kind, what they say, and the edits."""
    household, car = made.problem.household, made.problem.cars[i]
    nights = _nights_before(made, i, nth)
    last = [night for night in nights if night >= _since(made, i, nth)]
    overrides = {o.night: o for o in household.overrides if o.vehicle == car.id}
    is_end = _of(made, i, nth) == len(car.departures)
    if len(last) == len(nights):
        yield from _more_current(household, car, nights, "")
    else:
        lately = (
            (" the last night" if is_end else " the night before")
            if len(last) == 1
            else f" from {_day(last[0], household)} night on"
        )
        yield from _more_current(household, car, last, lately)
        yield from _more_current(household, car, nights, " every night" + ("" if is_end else " until then"))
    off = [night for night in nights if night in overrides and not overrides[night].plugged_in]
    if off:
        told = "plug it in every night" if len(off) > 1 else f"plug it in on {_day(off[0], household)} night"
        yield "plugged in", told, tuple(OfNight(car.id, night, plugged_in=True) for night in off)
    yield from _earlier(car)
    pct = min(100.0, round(float(_asked(made, i).kwh[nth]) / car.vehicle.usable_kwh * 100 + 0.5))
    lowered = [night for night in nights if night in overrides and (overrides[night].limit_pct or 100.0) < pct]
    if lowered:
        told = f"a limit of {pct:g} % instead of the one that was set"
        yield "limit", told, tuple(OfNight(car.id, night, limit_pct=pct) for night in lowered)
    pinned = {night_of(pin.start, household.zone) for pin in household.pins if pin.vehicle == car.id}
    if pinned & set(nights):
        unpinned = tuple(OfNight(car.id, night, unpin=True) for night in nights if night in pinned)
        yield "pin", "let the pinned session go", unpinned
    if made.problem.habit_of(car) != "cheapest":
        yield "habit", "the cheapest hours instead of its habit", (OfVehicle(car.id, habit="cheapest"),)
    if _is_earlier(made, i, nth):
        yield from _later(made, i, nth)
    if car.departures:
        yield from _other_cars(made, i, nth)
        yield from _on_the_last_way(made, i, nth) if is_end else _on_the_way(made, i, nth, at_end_pct)


def _other_cars(made: Plan, i: int, nth: int) -> Iterator[tuple[str, str, tuple[Edit, ...]]]:
    """The cars that are at home and could take the trip, or before the end the last one."""
    household, car = made.problem.household, made.problem.cars[i]
    of = _of(made, i, nth)
    trip, is_end = car.departures[min(of, len(car.departures) - 1)].trip, of == len(car.departures)
    which = f"the trip on {_leaving_day(trip, household)}" if is_end else "that trip"
    for other in household.vehicles:
        if other.id != car.id and not _is_out(household, other.id, trip):
            edits = (OfTrip(car.id, trip.leave, other_vehicle=other.id),)
            yield f"other car {other.id}", f"take {other.name or other.id} for {which}", edits


def _on_the_way(made: Plan, i: int, nth: int, at_end_pct: float | None) -> Iterator[tuple[str, str, tuple[Edit, ...]]]:
    """So much more charged on the way that it leaves with enough. at_end_pct : as for `remedies`."""
    car = made.problem.cars[i]
    departure, usable_kwh = car.departures[_of(made, i, nth)], car.vehicle.usable_kwh
    trip, short_kwh = departure.trip, _short_kwh(made, i, nth)
    # More makes it no shorter: the reserve is aboard when it leaves.
    most_kwh = departure.taking.kwh
    if at_end_pct is not None:
        aboard_kwh = float(_asked(made, i).kwh[nth]) - short_kwh
        short_kwh = max(short_kwh, at_end_pct / 100 * usable_kwh - aboard_kwh)
        most_kwh = max(most_kwh, (at_end_pct - car.vehicle.reserve_pct) / 100 * usable_kwh)
    gain_kwh = _tenths(trip.gain_kwh + min(short_kwh + departure.on_the_way_kwh, most_kwh))
    more_kwh = gain_kwh - trip.gain_kwh
    if more_kwh < _WORTH_KWH:
        return
    edit, told = OfTrip(car.id, trip.leave, gain_kwh=gain_kwh), f"charge {more_kwh:.1f} kWh on the way"
    if at_end_pct is not None:
        edit = replace(edit, fill_to_pct=max(0.0, at_end_pct - more_kwh / usable_kwh * 100))
    if trip.fill:
        told = told if trip.fill_to_pct == at_end_pct else f"{told} instead of leaving full"
        edit = replace(edit, fill=False)
    yield "on the way", told, (edit,)


def _on_the_last_way(made: Plan, i: int, nth: int) -> Iterator[tuple[str, str, tuple[Edit, ...]]]:
    """More charged on the way of the last trip, for the end: what is missing then, or where it leaves with less for that all
    that the trip takes."""
    car = made.problem.cars[i]
    last = car.departures[-1]
    short_kwh, most_kwh = _short_kwh(made, i, nth), last.taking.kwh
    for more_kwh in (short_kwh, most_kwh) if short_kwh < most_kwh else (most_kwh,):
        gain_kwh = _tenths(last.trip.gain_kwh + more_kwh)
        if (more_kwh := gain_kwh - last.trip.gain_kwh) >= _WORTH_KWH:
            told = f"charge {more_kwh:.1f} kWh on the way on {_leaving_day(last.trip, made.problem.household)}"
            yield "on the way", told, (OfTrip(car.id, last.trip.leave, gain_kwh=gain_kwh),)


def _later(made: Plan, i: int, nth: int) -> Iterator[tuple[str, str, tuple[Edit, ...]]]:
    """A later time for what someone wants earlier: when it could be ready alone, and when it is as planned."""
    household, car, grid = made.problem.household, made.problem.cars[i], made.problem.grid
    edge, of = _edge(made, i, nth), _of(made, i, nth)
    alone = ready_at(made.problem, made.outcome, i, of) if of < len(car.departures) else None
    enough_kwh = _asked(made, i).kwh[nth] - NOTHING_KWH
    planned = np.flatnonzero(made.outcome.cars[i].cautious.soc_kwh >= enough_kwh)
    edges = {*planned[planned > edge][:1].tolist(), *(() if alone is None else (grid.first_at_or_after(alone),))}
    asked = [(o.night, o.ready_by) for o in household.overrides if o.vehicle == car.id and o.ready_by is not None]
    for later in sorted(one for one in edges if edge < one < _edge(made, i, of)):
        at = grid.starts[later]
        for night, clock in asked:
            by = in_night(night, clock, grid.zone)
            if grid.edge_before(by) == edge and in_night(night, at.time(), grid.zone) == at:
                told = f"ready by {told_clock(at, now=household.now)} instead of {told_clock(by, now=household.now)}"
                yield "later", told, (OfNight(car.id, night, ready_by=at.time()),)


def _tenths(kwh: float) -> float:
    """The next tenth that is as much."""
    return -(-kwh * 10 // 1) / 10


def _more_current(
    household: Household, car: Car, nights: list[date], when: str
) -> Iterator[tuple[str, str, tuple[Edit, ...]]]:
    """The next steps of current, as far as the chain without its ceiling goes."""
    links = hookup.chain(car.circuit, car.lead, car.vehicle, household.supply)
    most = min(amps for link, amps in links.items() if link != "ceiling")
    now = float(car.limit_a.max())
    steps = [a for a in car.steps_a if now + 1e-9 < a <= most + 1e-9] if car.steps_a else _whole(now, most)
    for step in steps if len(steps) <= _STEPS_TRIED else (steps[0], steps[len(steps) // 2], steps[-1]):
        edits = tuple(OfNight(car.id, night, ceiling_a=step) for night in nights)
        yield "current", f"{step:g} A instead of {now:g}{when}", edits


def _whole(now: float, most: float) -> list[float]:
    """One whole ampere more, half the way, and all of it."""
    if most < now + 0.01:
        return []
    steps = {float(int(now) + 1), float(round((now + most) / 2)), most}
    return sorted(step for step in steps if now < step <= most)


def _earlier(car: Car) -> Iterator[tuple[str, str, tuple[Edit, ...]]]:
    hours = car.vehicle.plug_in_hours
    if hours is None:
        return
    start, end = hours
    for earlier in _EARLIER_H:
        at = (datetime.combine(date.min + timedelta(days=1), start) - timedelta(hours=earlier)).time()
        edits = (OfVehicle(car.id, plug_in_hours=(at, end)),)
        yield "earlier", f"plug it in from {at:%H:%M}, {earlier} h earlier", edits
    yield "earlier", "plug it in whenever it is home", (OfVehicle(car.id, plug_in_hours=None),)


def _nights_before(made: Plan, i: int, nth: int) -> list[date]:
    """Nights up to when what is asked nth of car i is to be aboard."""
    return list(dict.fromkeys(made.problem.grid.nights[: _edge(made, i, nth)]))


def _since(made: Plan, i: int, nth: int) -> date:
    """The night in which car i is back from the departure before what is asked nth; the first one where there is none."""
    car, grid, of = made.problem.cars[i], made.problem.grid, _of(made, i, nth)
    if of == 0:
        return grid.nights[0]
    return night_of(car.departures[of - 1].trip.back, grid.zone)


def _asked(made: Plan, i: int) -> Asked:
    return made.outcome.cars[i].asked


def _of(made: Plan, i: int, nth: int) -> int:
    """Which of car i's departures, or after the last of them the end, what is asked nth is for; the end also where nothing
    is asked."""
    asked = _asked(made, i)
    return int(asked.of[nth]) if nth < len(asked.of) else len(made.problem.cars[i].departures)


def _is_earlier(made: Plan, i: int, nth: int) -> bool:
    """Whether it is what someone wants earlier."""
    return nth >= _asked(made, i).n[1]


def _edge(made: Plan, i: int, nth: int) -> int:
    """Slot edge by which what is asked nth of car i is to be aboard."""
    asked = _asked(made, i)
    return int(asked.edge[nth]) if asked.edge[nth] >= 0 else made.problem.cars[i].departures[_of(made, i, nth)].taking.edge


def _short_kwh(made: Plan, i: int, nth: int) -> float:
    """What is missing of what is asked nth of car i; 0 where nothing is. [kWh]"""
    shorts_kwh = made.outcome.cars[i].shorts_kwh
    return float(shorts_kwh[nth]) if nth < len(shorts_kwh) else 0.0


def _day(day: date, household: Household) -> str:
    return told_day(day, household.now.astimezone(household.zone).date())


def _leaving_day(trip: Trip, household: Household) -> str:
    return _day(trip.leave.astimezone(household.zone).date(), household)


def _is_out(household: Household, vehicle: str, trip: Trip) -> bool:
    return any(other.leave < trip.back and trip.leave < other.back for other in household.trips_of(vehicle))


def _with_night(household: Household, edit: OfNight) -> Household:
    known = next((o for o in household.overrides if (o.vehicle, o.night) == (edit.vehicle, edit.night)), None)
    override = known or Override(vehicle=edit.vehicle, night=edit.night)
    for key in ("limit_pct", "ceiling_a", "ready_by", "plugged_in"):
        if (value := getattr(edit, key)) is not None:
            override = replace(override, **{key: value})
    others = tuple(o for o in household.overrides if o is not known)
    pins = household.pins
    if edit.unpin:
        begins, ends = noon(edit.night, household.zone), noon(edit.night + timedelta(days=1), household.zone)
        pins = tuple(p for p in pins if p.vehicle != edit.vehicle or not begins <= p.start < ends)
    return replace(household, overrides=(*others, override), pins=pins)


def _changed_trip(trip: Trip, edit: OfTrip) -> Trip:
    if (trip.vehicle, trip.leave) != (edit.vehicle, edit.leave):
        return trip
    return replace(
        trip,
        vehicle=edit.other_vehicle or trip.vehicle,
        gain_kwh=trip.gain_kwh if edit.gain_kwh is None else edit.gain_kwh,
        fill=edit.fill_to_pct is not None or (trip.fill if edit.fill is None else edit.fill),
        fill_to_pct=trip.fill_to_pct if edit.fill_to_pct is None else edit.fill_to_pct,
    )


def _with_vehicle(household: Household, edit: OfVehicle) -> Household:
    vehicles = []
    for vehicle in household.vehicles:
        if vehicle.id == edit.vehicle:
            vehicle = replace(vehicle, habit=edit.habit or vehicle.habit)
            if edit.plug_in_hours != "as it is":
                vehicle = replace(vehicle, plug_in_hours=edit.plug_in_hours)
        vehicles.append(vehicle)
    return replace(household, vehicles=tuple(vehicles))


def _still_short_kwh(after: Plan, made: Plan, i: int, nth: int, edits: tuple[Edit, ...]) -> float:
    """What is still missing of what was asked nth of car i in another plan, whoever takes the trip. [kWh]"""
    car, of, then = made.problem.cars[i], _of(made, i, nth), i
    if of < len(car.departures):
        takes = next((e.other_vehicle for e in edits if isinstance(e, OfTrip) and e.other_vehicle), car.id)
        then = next(n for n, one in enumerate(after.problem.cars) if one.id == takes)
        leaves = [one.trip.leave for one in after.problem.cars[then].departures]
        leave = car.departures[of].trip.leave
        if leave not in leaves:
            return 0.0
        of = leaves.index(leave)
    else:
        of = len(after.problem.cars[i].departures)
    past, asked_of = _asked(after, then).n[1], _asked(after, then).of.tolist()
    same = [n for n, one in enumerate(asked_of) if one == of and (n < past or _is_earlier(made, i, nth))]
    return sum(_short_kwh(after, then, n) for n in same)
