"""Habits: the schools a household may belong to, and what each changes in the problem of a car (rules, section 7).

A habit that bars nights or holds a car to less never costs a departure: as much is allowed again as that takes, of a car by
itself and of cars that share.
"""

from bisect import bisect_left
from collections.abc import Callable, Mapping
from dataclasses import replace
from datetime import date

import numpy as np

from moonplan.core import hookup
from moonplan.core.planner.candidates import pinned, surroundings
from moonplan.core.planner.effort import COARSE, FINE_OF_MANY, Effort
from moonplan.core.planner.one_car import OneCar, nothing_left
from moonplan.core.planner.outcome import CarOutcome, Outcome, car_outcome
from moonplan.core.planner.plug_and_go import plug_and_go
from moonplan.core.planner.problem import Car, Problem, Wish
from moonplan.core.planner.together import missing_least
from moonplan.core.simulate import NOTHING_KWH
from moonplan.core.timegrid import Flags
from moonplan.core.values import WEEKDAYS, Habit

# What each habit does, in a sentence.
SENTENCES: Mapping[Habit, str] = {
    "cheapest": "Charges in the cheapest hours of all nights together; some nights nothing needs to be plugged in.",
    "nightly": "Plugged in every night, and up to the daily limit by the next departure in that night's cheapest hours.",
    "set_nights": "As nightly, on the chosen weekdays only, and whenever a departure would be short without.",
    "when_low": "Waits until the next day would end under the reserve, then charges to the daily limit.",
    "low_soc": "Spends few hours high: finishes just before leaving.",
    "low_current": "Uses the smallest current that meets the needs without an extra session.",
    "sun_first": "Takes all the sun there is, and the grid only where a departure would be short.",
    "awake": "Charges only while someone is up.",
    "plug_and_go": "Charges at full current from arrival until the limit, as if nobody planned: the yardstick.",
}
_HIGH_CARE = 10.0
# So much dearer than sun does the grid count under `sun_first`, in highest prices: enough that little of it is taken along
# with sun, and not so much that its own prices no longer matter.
_GRID_COUNTS = 10.0
# What a session counts more under `low_current`, in batteries charged full at the highest price: as little as it takes, and
# at the most so much that no hour is cheap enough to stop for.
_COUNTED = (0.0, 0.01, 0.1, 1.0)
# What cars that share must miss more under their habits before these ask less of them. [kWh]
_MISSING_MORE_KWH = 0.05


def with_habits(problem: Problem) -> Problem:
    """The problem as each car's habit changes it."""
    hurried = [i for i, car in enumerate(problem.cars) if problem.habit_of(car) == "plug_and_go"]
    if hurried:
        problem = plug_and_go(problem, hurried)
    cars = list(problem.cars)
    for i, car in enumerate(problem.cars):
        change = _CHANGES.get(problem.habit_of(car))
        if change is not None and problem.grid.n_slots:
            cars[i] = change(problem, car)
    return _eased(problem, problem.with_cars(cars))


def _eased(problem: Problem, held: Problem) -> Problem:
    """The problem as its habits change it, and less where cars that share would miss more together than without."""
    eases = {
        i: _EASES[habit]
        for i, car in enumerate(problem.cars)
        if (habit := problem.habit_of(car)) in _EASES and held.cars[i] is not car
    }
    if len(problem.cars) < 2 or not eases or not (lived := missing_least(held).outcome).short_kwh:
        return held
    free = [problem.cars[i] if i in eases else car for i, car in enumerate(held.cars)]
    needed = missing_least(held.with_cars(free)).outcome
    best, best_kwh = held, lived.short_kwh
    while lived.short_kwh > needed.short_kwh + _MISSING_MORE_KWH:
        easier = _easier(problem, held, eases, lived, needed)
        if easier is None:
            break
        lived, held = easier
        if lived.short_kwh < best_kwh - NOTHING_KWH:
            best, best_kwh = held, lived.short_kwh
    return best


def _easier(
    problem: Problem, held: Problem, eases: Mapping[int, "Ease"], lived: Outcome, needed: Outcome
) -> tuple[Outcome, Problem] | None:
    """What comes of asking less of the first car that misses more and can be asked for less, or where that does not help of
    another one; None where nothing less can be asked for."""
    for at_s, first in _missing_more(lived, needed):
        found: list[tuple[Outcome, Problem]] = []
        for i in sorted(eases, key=lambda i: i != first):
            car = eases[i](problem, problem.cars[i], held.cars[i], at_s)
            if car is not None:
                easier = held.with_cars([*held.cars[:i], car, *held.cars[i + 1 :]])
                found.append((missing_least(easier).outcome, easier))
                if found[-1][0].short_kwh < lived.short_kwh - _MISSING_MORE_KWH:
                    return found[-1]
        if found:
            # What does not help by itself may still do so with the next.
            return min(found, key=lambda one: round(one[0].short_kwh, 4))
    return None


def _missing_more(lived: Outcome, needed: Outcome) -> list[tuple[float, int]]:
    """When cars, by index, miss more than they need to, the earliest first."""
    return sorted(
        (at_s, i)
        for i, (mine, least) in enumerate(zip(lived.cars, needed.cars, strict=True))
        for at_s in _when_missing_more(mine, least)
    )


def _when_missing_more(lived: CarOutcome, needed: CarOutcome) -> list[float]:
    """When a car misses more than it needs to, the earliest first. [s, UTC]"""
    more = lived.shorts_kwh > needed.shorts_kwh + NOTHING_KWH
    return sorted(lived.asked.at_s[more].tolist())


def _nightly(problem: Problem, car: Car) -> Car:
    return _filled_on(problem, car, set(problem.grid.nights))


def _set_nights(problem: Problem, car: Car) -> Car:
    chosen = {night for night in problem.grid.nights if WEEKDAYS[night.weekday()] in problem.household.set_nights}
    return _allowed_where_short(problem, car, _filled_on(problem, car, chosen | _begun_in(problem, car)))


def _when_low(problem: Problem, car: Car) -> Car:
    chosen = _begun_in(problem, car)
    reserve_kwh = car.vehicle.reserve_pct / 100 * car.vehicle.usable_kwh
    for night in dict.fromkeys(problem.grid.nights):
        waiting = _only_on(problem, car, chosen)
        lived = _alone(problem, waiting).cautious
        # The next day ends where the one after it begins, at midnight; its trips are those that have left by then.
        past = next((t for t, day in enumerate(problem.grid.starts) if day.date() > _day_after(night)), problem.grid.n_slots)
        if float(lived.soc_kwh[past]) < reserve_kwh - NOTHING_KWH:
            chosen.add(night)
    return _allowed_where_short(problem, car, _filled_on(problem, car, chosen))


def _begun_in(problem: Problem, car: Car) -> set[date]:
    """The night in which the car charges already: once begun it is filled, though what is aboard by then would be enough."""
    return set(problem.grid.nights[:1]) if car.vehicle.charging and car.chargeable[0] else set()


def _day_after(night: date) -> date:
    return date.fromordinal(night.toordinal() + 1)


def _allowed_where_short(problem: Problem, car: Car, held: Car) -> Car:
    """The held car, filled on those nights as well that it takes to miss no more than it would without the habit."""
    needed, lived = _alone(problem, car), _alone(problem, held)
    best, best_kwh = held, lived.short_kwh
    while lived.short_kwh > needed.short_kwh + NOTHING_KWH:
        eased = (_one_night_more(problem, car, held, at_s) for at_s in _when_missing_more(lived, needed))
        more = next((one for one in eased if one is not None), None)
        if more is None:
            break
        held, lived = more, _alone(problem, more)
        if lived.short_kwh < best_kwh - NOTHING_KWH:
            best, best_kwh = held, lived.short_kwh
    return best


def _one_night_more(problem: Problem, car: Car, held: Car, at_s: float) -> Car | None:
    """The held car, filled on one more of the nights that it is kept off, if there is any.

    That is the last one before a time, or where there is none the next one after it: a timer's one session of a night can
    then be before that time instead of after it.
    """
    nights = np.array([night.toordinal() for night in problem.grid.nights])
    kept_off = car.chargeable & ~held.chargeable
    before = problem.grid.edges_s[:-1] < at_s
    more = (*nights[kept_off & before][::-1], *nights[kept_off & ~before])
    if not more:
        return None
    allowed = {night for night in problem.grid.nights if night.toordinal() not in nights[kept_off]}
    return _filled_on(problem, car, {*allowed, date.fromordinal(int(more[0]))})


def _low_soc(problem: Problem, car: Car) -> Car:
    return replace(car, care_factor=_HIGH_CARE)


def _low_current(problem: Problem, car: Car) -> Car:
    """The car held to the least current that misses nothing more and needs no session more.

    Both closely: a coarse plan has sessions that nobody needs. Whoever holds a car to less can only need as many sessions or
    more, so the least current is found by halving.
    """
    usual = _alone(problem, car, FINE_OF_MANY)
    held = replace(car, most_sessions=len(usual.sessions))

    def does(slower: Car) -> bool:
        tried = _alone(problem, slower, FINE_OF_MANY)
        return tried.short_kwh <= usual.short_kwh + NOTHING_KWH and len(tried.sessions) <= len(usual.sessions)

    most = _COUNTED[-1] * _what_a_charge_costs(problem, car)
    currents = _currents(car)
    first = bisect_left(currents, True, key=lambda amps: does(_held_to(replace(held, session_counts=most), amps)))
    if first == len(currents):
        return car
    slower = _held_to(held, currents[first])
    counted = (replace(slower, session_counts=part * _what_a_charge_costs(problem, car)) for part in _COUNTED)
    return next(one for one in counted if one.session_counts == most or does(one))


def _what_a_charge_costs(problem: Problem, car: Car) -> float:
    """A full battery at the dearest price, in one direction or the other. [currency]"""
    return max(float(np.abs(problem.prices.price).max()), NOTHING_KWH) * car.vehicle.usable_kwh


def _a_step_more(problem: Problem, car: Car, held: Car, at_s: float) -> Car | None:
    """The car held to the next current above the one that it is held to, if there is any."""
    most = float(held.limit_a[np.isnan(car.pinned_a)].max(initial=0.0))
    return next((_held_to(car, amps) for amps in _currents(car) if amps > most), car if held is not car else None)


def _currents(car: Car) -> list[float]:
    """Currents that the car can be held to, the least first. [A]"""
    most = float(car.limit_a.max())
    return [step for step in car.steps_a if step <= most] or [
        float(amps) for amps in range(int(np.ceil(car.least_a)), int(np.ceil(most)))
    ]


def _held_to(car: Car, amps: float) -> Car:
    held = hookup.stepped_each(np.minimum(car.limit_a, amps), steps_a=car.steps_a, min_a=car.least_a)
    return replace(car, limit_a=np.where(np.isnan(car.pinned_a), held, car.limit_a), chargeable=car.chargeable & (held > 0))


def _sun_first(problem: Problem, car: Car) -> Car:
    highest = max(float(np.abs(problem.prices.price).max()), NOTHING_KWH)
    return replace(car, sun_counts=-highest, grid_counts=_GRID_COUNTS * highest)


def _awake(problem: Problem, car: Car) -> Car:
    up = problem.awake[:-1] & problem.awake[1:]
    return _barred(car, ~up)


_CHANGES: Mapping[Habit, Callable[[Problem, Car], Car]] = {
    "nightly": _nightly,
    "set_nights": _set_nights,
    "when_low": _when_low,
    "low_soc": _low_soc,
    "low_current": _low_current,
    "sun_first": _sun_first,
    "awake": _awake,
}

# The car as it would be without its habit, as it is held, and a time before which it misses something [s, UTC]; what
# it is with a little less asked of it, None where that is no less.
Ease = Callable[[Problem, Car, Car, float], Car | None]
_EASES: Mapping[Habit, Ease] = {
    "set_nights": _one_night_more,
    "when_low": _one_night_more,
    "low_current": _a_step_more,
}


def _barred(car: Car, slots: Flags) -> Car:
    free = car.chargeable & (~slots | ~np.isnan(car.pinned_a))
    return replace(car, chargeable=free, limit_a=np.where(free, car.limit_a, 0.0))


def _only_on(problem: Problem, car: Car, nights: set[date]) -> Car:
    return _barred(car, np.array([night not in nights for night in problem.grid.nights], dtype=np.bool_))


def _filled_on(problem: Problem, car: Car, nights: set[date]) -> Car:
    """The car that charges on some nights only, then up to the limit in force by the next departure or noon."""
    wishes = []
    for night in dict.fromkeys(problem.grid.nights):
        inside = [t for t, own in enumerate(problem.grid.nights) if own == night]
        if night not in nights:
            continue
        leaving = [d.taking.edge for d in car.departures if inside[0] < d.taking.edge <= inside[-1] + 1]
        edge = leaving[0] if leaving else inside[-1] + 1
        home = car.chargeable[inside[0] : edge]
        if home.any():
            wishes.append(Wish(edge, float(car.limit_kwh[edge - 1])))
    return replace(_only_on(problem, car, nights), wishes=tuple(wishes))


def _alone(problem: Problem, car: Car, effort: Effort = COARSE) -> CarOutcome:
    """The car's plan in what the house leaves it, while the others do no more than somebody pinned."""
    i = next(nth for nth, one in enumerate(problem.cars) if one.id == car.id)
    house = problem.with_cars([*problem.cars[:i], car, *problem.cars[i + 1 :]])
    around = surroundings(house, [pinned(one) for one in house.cars], i)
    amps = OneCar(house, car, effort).whole(around)
    return car_outcome(house, car, nothing_left(car, amps, house))
