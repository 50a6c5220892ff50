"""One car's recursion: what its values are at levels that can be reckoned by hand, and the ways that go by them."""

import json
from dataclasses import replace
from itertools import product
from random import Random
from typing import Any

import numpy as np
import pytest

from moonplan.core.household import read
from moonplan.core.planner.bound import bound
from moonplan.core.planner.building import build
from moonplan.core.planner.candidates import candidate, pinned, surroundings
from moonplan.core.planner.constraints import broken_alone
from moonplan.core.planner.effort import CLOSER, COARSE, FINE, FINEST, Effort
from moonplan.core.planner.habits import with_habits
from moonplan.core.planner.one_car import OneCar, Surroundings, nothing_left
from moonplan.core.planner.outcome import Outcome, outcome
from moonplan.core.planner.problem import Problem
from moonplan.core.planner.search import contended_slots
from moonplan.core.planner.slots import OFF, ON, Worth, differ_until, fully, needs, value_at
from moonplan.core.planner.timer_ways import _waits, _with_sessions
from moonplan.core.planner.ways import no_choices
from moonplan.core.timegrid import Floats
from tests.bench.families import a_family_household
from tests.core.factories import LOSSLESS, a_car, a_household, a_lead, a_trip, at

FULL_KW, SLOT_H = 3.68, 0.25
TWO_RATES = LOSSLESS | {"efficiency": 0.9, "cautious": {"efficiency": 0.8, "overhead_kw": 0.1}}


def a_problem(**changes: Any) -> Problem:
    return with_habits(build(a_household(**changes)))


def alone_in(problem: Problem) -> Surroundings:
    return surroundings(problem, [pinned(problem.cars[0])], 0)


def planned_alone(problem: Problem, effort: Effort) -> tuple[OneCar, Floats]:
    one_car = OneCar(problem, problem.cars[0], effort)
    return one_car, nothing_left(problem.cars[0], one_car.whole(alone_in(problem)), problem)


def values_of(one_car: OneCar) -> Worth:
    assert one_car._kept is not None
    return one_car._worth(one_car._kept, 0, len(one_car._most_a))


def value(worth: Worth, edge: int, phase: int, level: float, mean: float | None = None) -> float:
    return float(value_at(edge, phase, level, level if mean is None else mean, worth))


def a_single_car(seed: int, cars: int, vehicle: str) -> Problem:
    """One car of a family household, as if it had the house to itself."""
    document = a_family_household(seed, cars=cars, nights=7)
    mine = {
        key: [one for one in document[key] if one.get("vehicle", one.get("id")) == vehicle] for key in ("trips", "rates")
    }
    vehicles = [one for one in document["vehicles"] if one["id"] == vehicle]
    return with_habits(build(read(json.dumps(document | mine | {"vehicles": vehicles}))))


# --- by hand -----------------------------------------------------------------------------------------------------------


def test_what_must_be_aboard_rises_by_a_slot_at_a_time_towards_a_departure():
    # 31 kWh wanted at 06:00 (a trip of 80 km and 30 % reserve): an hour of charging earlier 3.68 kWh less will do.
    problem = a_problem(
        vehicles=[a_car(reserve_pct=30)], trips=[a_trip("2026-01-15T06:00:00+01:00", "2026-01-15T18:00:00+01:00", 80)]
    )
    one_car, _ = planned_alone(problem, FINE)
    slots, edge = one_car._slots(alone_in(problem)), problem.cars[0].departures[0].taking.edge
    wanted = problem.cars[0].departures[0].required_kwh

    need, after_trips = needs(slots, one_car._pack)

    assert wanted == pytest.approx(0.2 * 80 + 15)
    assert need[edge] == pytest.approx(wanted)
    assert after_trips[edge] == 0
    for hours in (1, 2, 5):
        assert need[edge - 4 * hours] == pytest.approx(wanted - hours * FULL_KW)


def test_always_charging_stops_at_the_limit_and_begins_again_after_the_trip():
    problem = a_problem(
        vehicles=[a_car(soc_pct=70, daily_limit_pct=80, end_pct=80)],
        horizon_nights=2,
        trips=[a_trip("2026-01-15T08:00:00+01:00", "2026-01-15T16:00:00+01:00", 50)],
    )
    one_car, _ = planned_alone(problem, COARSE)
    edge = problem.cars[0].departures[0].taking.edge

    at_edge, at_trip = fully(0, problem.cars[0].soc_kwh, one_car._slots(alone_in(problem)), one_car._pack)

    assert at_edge[4] == pytest.approx(35 + FULL_KW)
    assert at_edge[edge] == at_trip[0] == pytest.approx(40)
    assert at_edge[edge + 1] == pytest.approx(30)
    assert at_edge[-1] == pytest.approx(40)


@pytest.mark.parametrize("effort", [COARSE, FINE])
def test_a_missing_kwh_is_worth_what_it_costs_in_the_cheapest_hours_left(effort: Effort):
    # Without loss, starts or care: 40 kWh wanted at the end, 0.10 from 22:00 to 06:00 and 0.30 after that until noon.
    problem = a_problem(vehicles=[a_car(end_pct=80)])
    one_car, _ = planned_alone(problem, effort)
    worth = values_of(one_car)
    ten, five, six = (
        problem.grid.starts.index(at(f"2026-01-{time}:00+01:00")) for time in ("14T22:00", "15T05:00", "15T06:00")
    )

    # Values between levels are near, not exact.
    assert value(worth, ten, OFF, 40) == pytest.approx(0, abs=0.03)
    assert value(worth, ten, OFF, 30) == pytest.approx(10 * 0.10, abs=0.03)
    assert value(worth, six, OFF, 30) == pytest.approx(10 * 0.30, abs=0.03)
    # An hour of night is left: 3.68 kWh of the ten at 0.10.
    assert value(worth, five, ON, 30) == pytest.approx(FULL_KW * 0.10 + (10 - FULL_KW) * 0.30, abs=0.03)


def test_own_sun_comes_first_and_the_rest_is_bought():
    # 2 kW more than the house takes, from 10:00 to noon, is worth nothing else: 4 of the 6 kWh wanted cost nothing.
    problem = a_problem(vehicles=[a_car(soc_pct=50, end_pct=62, plug_in_hours=["10:00", "12:00"])])
    sun = np.zeros(problem.grid.n_slots)
    first = problem.grid.starts.index(at("2026-01-15T10:00:00+01:00"))
    sun[first : first + 8] = 2 * SLOT_H
    one_car = OneCar(problem, problem.cars[0], FINE)
    around = Surroundings(alone_in(problem).room_a, sun)

    amps = one_car.whole(around)

    assert value(values_of(one_car), first, OFF, 25) == pytest.approx(2 * 0.30, abs=0.02)
    drawn = problem.cars[0].run(amps, problem.cars[0].rate.mean, problem.grid).wall_kwh
    assert drawn.sum() == pytest.approx(6, abs=0.05)
    assert np.minimum(drawn, sun).sum() == pytest.approx(4, abs=0.05)


def test_a_full_car_by_hand_is_worth_the_same_however_long_it_stays_plugged_in():
    # The limit, 83.3 %, rises to 97.1 % for the trip, between two levels: no slot may bring in what is above it.
    problem = a_problem(
        vehicles=[a_car(control="hand", soc_pct=60, daily_limit_pct=83.3, reserve_pct=5, end_pct=83)],
        horizon_nights=2,
        trips=[a_trip("2026-01-15T07:00:00+01:00", "2026-01-15T17:00:00+01:00", 230.25)],
    )
    one_car, _ = planned_alone(problem, FINE)
    worth, full = values_of(one_car), problem.cars[0].limit_kwh.max()
    edge = problem.cars[0].departures[0].taking.edge
    place = (full - worth.floor_kwh) / worth.step_kwh
    assert full == pytest.approx(48.55, abs=0.01)
    assert abs(place - round(place)) > 0.01

    at_the_end = value(worth, edge - 1, ON, full)

    assert value(worth, edge, OFF, full - 1) > at_the_end + 0.05
    assert value(worth, edge - 24, ON, full) == pytest.approx(at_the_end, abs=0.02)


@pytest.mark.parametrize("effort", [COARSE, FINE])
@pytest.mark.parametrize("control", ["timer", "hand"])
def test_a_session_below_full_current_is_seen_to_take_no_longer_than_it_does(control: str, effort: Effort):
    # Cheap from 22:00 to 02:00, when 10 A are left: 2.3 kW for four hours are the 9.2 kWh that are wanted, to the watt hour.
    # Before that 16 A are, at three times the price.
    problem = a_problem(
        bedtime="23:00",
        wake="01:45",
        leads=[a_lead(control=control, steps_a=[10, 16])],
        vehicles=[a_car(control=control, soc_pct=50, end_pct=68.4, plug_in_hours=["18:00", "02:00"])],
        tariff={"default_price": 0.30, "bands": [{"name": "night", "price": 0.10, "from": "22:00", "to": "02:00"}]},
    )
    cheap = np.array([start.hour in (22, 23, 0, 1) for start in problem.grid.starts[:-1]])
    left = Surroundings(np.where(cheap, 10.0, 16.0) * problem.cars[0].chargeable, np.zeros(problem.grid.n_slots))

    one_car = OneCar(problem, problem.cars[0], effort)
    found = candidate(problem, [one_car.whole(left)]).outcome

    assert found.short_kwh == 0
    assert found.cost == pytest.approx(9.2 * 0.10)
    begins, at_10_a = problem.grid.starts.index(at("2026-01-14T22:00:00+01:00")), 2
    assert value(values_of(one_car), begins, at_10_a, 25.0) == pytest.approx(9.2 * 0.10, abs=0.1)


@pytest.mark.parametrize("effort", [COARSE, CLOSER, FINE])
def test_a_night_that_could_begin_with_a_session_at_noon_is_not_taken_for_better_than_it_is(effort: Effort):
    # By hand for a week; at home over noon more than once, when the session of the night before could still go on.
    problem = a_single_car(12, 1, "v0")

    _, amps = planned_alone(problem, effort)

    assert candidate(problem, [amps]).outcome.short_kwh == 0


def test_more_ways_do_not_hide_the_cheaper_one_of_two_that_come_to_the_same_place():
    # Full by the first trip, the evening before it or the one before that: sixteen ways have both, and one the cheaper.
    problem = a_single_car(62, 4, "v2")

    one, sixteen = (
        candidate(problem, [planned_alone(problem, replace(FINE, ways=ways))[1]]).outcome.value for ways in (1, 16)
    )

    assert sixteen <= one * 1.001


def test_what_nothing_can_meet_is_not_wanted_of_a_timer():
    # 25 kWh at 18:00, and 2 h at 3.68 kW until the trip that would have 50: 32.36 kWh are what can be aboard.
    trip = a_trip("2026-01-14T20:00:00+01:00", "2026-01-15T02:00:00+01:00", 200)
    vehicles = [a_car(control="timer", daily_limit_pct=100, reserve_pct=20)]
    problem = a_problem(leads=[a_lead(control="timer", steps_a=[16])], vehicles=vehicles, trips=[trip])
    one_car, _ = planned_alone(problem, FINE)

    asked = one_car._question(one_car._slots(alone_in(problem)), 0, (25.0, 25.0))

    assert problem.cars[0].departures[0].required_kwh == pytest.approx(50)
    assert asked.slots.trip_wants == pytest.approx([25 + 2 * 3.68])


def test_values_at_the_edge_where_something_else_is_wanted_are_stale_too():
    problem = a_problem(vehicles=[a_car(control="timer")], leads=[a_lead(control="timer")])
    one_car, _ = planned_alone(problem, FINE)
    asked = one_car._question(one_car._slots(alone_in(problem)), 0, (25.0, 25.0))
    wants = asked.slots.wants.copy()
    wants[40] += 1

    other = replace(asked, slots=asked.slots._replace(wants=wants))

    assert asked.differs_until(asked) == 0
    assert asked.differs_until(other) == 41  # from there on they are the same


@pytest.mark.parametrize("field", ["room_a", "sun_kwh", "toll", "own_price", "need_kwh", "wants", "trip_wants", "needed"])
def test_values_are_done_anew_up_to_the_last_slot_or_edge_that_is_other_than_it_was(field: str):
    trip = a_trip("2026-01-15T08:00:00+01:00", "2026-01-15T16:00:00+01:00", 50)
    problem = a_problem(horizon_nights=2, trips=[trip])
    one_car, _ = planned_alone(problem, COARSE)
    slots, needed = one_car._slots(alone_in(problem)), np.zeros(problem.grid.n_slots + 1)
    leaves = problem.cars[0].departures[0].taking.edge

    assert differ_until(slots, slots, needed, needed) == 0
    places = (0,) if field == "trip_wants" else (0, 1, leaves, problem.grid.n_slots - 1)
    for at_place in places:
        before = needed if field == "needed" else getattr(slots, field)
        changed = before.copy()
        changed[at_place] += 0.5
        other = slots if field == "needed" else slots._replace(**{field: changed})

        until = differ_until(other, slots, changed if field == "needed" else needed, needed)

        assert until == (leaves if field == "trip_wants" else at_place) + 1


def test_of_sessions_that_promise_the_same_no_more_are_looked_at_than_there_is_room_for():
    # Three days at home at one price: a session is worth the same whenever it begins.
    problem = a_problem(
        leads=[a_lead(control="timer")],
        vehicles=[a_car(control="timer", soc_pct=20, end_pct=60)],
        horizon_nights=3,
        tariff={"default_price": 0.3},
    )
    one_car, _ = planned_alone(problem, COARSE)
    slots = one_car._slots(alone_in(problem))
    kept, asked = one_car._levels(slots), one_car._question(slots, 0, (10.0, 10.0))
    timer = one_car._timer(values_of(one_car), asked, kept.currents)
    many = len(slots.room_a)
    waits = _waits(1, many, len(kept.currents))
    waits.promise[:] = 5.0
    waits.promise[0, 7, 0], waits.paid[0, 7], waits.promise[0, 30:, 1] = 4.0, -1.0, 6.0
    waits.level[:] = waits.mean[:] = 10.0
    choices = no_choices(10_000)

    found = _with_sessions(choices, 0, 1, (0, many), waits, timer)

    begun = {(int(t), float(a)) for t, a in zip(choices.start[:found], choices.amps[:found], strict=True)}
    alike = sorted(t for t, _ in begun if t != 7)
    assert (7, kept.currents[0]) in begun
    assert 2 <= len(begun) <= 4
    assert alike[-1] > many / 2
    assert not any(t >= 30 and a == kept.currents[1] for t, a in begun)


def test_an_empty_battery_misses_nothing_of_what_is_not_wanted():
    # 25 kWh taken off 25 at 22:00, and nothing is wanted: what comes of an empty battery is nothing, at every edge.
    trip = a_trip("2026-01-14T22:00:00+01:00", "2026-01-15T02:00:00+01:00", 125)
    vehicles = [a_car(control="timer", reserve_pct=0, end_pct=0, daily_limit_pct=83)]
    problem = a_problem(leads=[a_lead(control="timer", steps_a=[16])], vehicles=vehicles, trips=[trip])
    one_car, _ = planned_alone(problem, FINE)

    worth, edge = values_of(one_car), problem.cars[0].departures[0].taking.edge

    assert worth.floor_kwh < 0
    assert value(worth, edge + 1, 0, 0.0) == pytest.approx(0.0, abs=1e-9)


# --- as good as any ----------------------------------------------------------------------------------------------------


def best_of_every_choice(problem: Problem) -> Outcome:
    """The best of every start, length and current in each night, and of none."""
    car, grid = problem.cars[0], problem.grid
    nights = sorted(set(grid.nights))
    choices: list[list[tuple[int, int, float]]] = []
    for night in nights:
        inside = [t for t in np.flatnonzero(car.chargeable) if grid.nights[t] == night]
        sessions = [(a, b, step) for a in inside for b in inside if a <= b for step in car.steps_a]
        choices.append([(0, -1, 0.0), *sessions])
    best: Outcome | None = None
    for chosen in product(*choices):
        amps = np.zeros(grid.n_slots)
        for first, last, current in chosen:
            amps[first : last + 1] = current
        if any(broken_alone(problem, car, amps)):
            continue
        found = outcome(problem, [amps])
        if best is None or found.rank < best.rank:
            best = found
    assert best is not None
    return best


@pytest.mark.parametrize("control", ["timer", "hand"])
@pytest.mark.parametrize("seed", [1, 2])
def test_two_nights_at_two_rates_are_planned_as_well_as_every_choice_of_sessions(control: str, seed: int):
    chance = Random(seed)
    hours = (("22:00", "23:00"), ("23:00", "00:00"), ("00:00", "00:15"))
    bands = [
        {"name": f"p{i}", "price": round(chance.uniform(0.05, 0.4), 3), "from": start, "to": end}
        for i, (start, end) in enumerate(hours)
    ]
    problem = a_problem(
        horizon_nights=2,
        bedtime="22:30",
        leads=[a_lead(control=control, steps_a=[10, 16])],
        vehicles=[
            a_car(
                soc_pct=50,
                reserve_pct=40,
                end_pct=50 + chance.randrange(4),
                daily_limit_pct=60,
                plug_in_hours=["22:00", "00:15"],
            )
            | {"control": control}
        ],
        rates=[TWO_RATES],
        trips=[a_trip("2026-01-15T08:00:00+01:00", "2026-01-15T17:00:00+01:00", 10 + 10 * chance.randrange(3))],
        tariff={"default_price": 0.30, "bands": bands},
        start_price=0.01,
    )

    _, amps = planned_alone(problem, FINE)
    found, best = candidate(problem, [amps]).outcome, best_of_every_choice(problem)

    assert not any(broken_alone(problem, problem.cars[0], amps))
    assert best.value > 0
    assert found.short_kwh == pytest.approx(best.short_kwh, abs=1e-4)
    assert found.value <= best.value + max(0.001 * best.value, 0.05 * 0.30)


def test_several_ways_find_what_one_does_not():
    # The same values, gone by one way or sixteen at a time, over weeks of a car.
    which = ((7, 2, "v0"), (22, 4, "v3"), (33, 2, "v1"), (56, 4, "v0"), (56, 4, "v1"))
    weeks = [a_single_car(*one) for one in which]

    def values(ways: int) -> list[float]:
        return [candidate(week, [planned_alone(week, replace(FINE, ways=ways))[1]]).outcome.value for week in weeks]

    one, sixteen = values(1), values(16)

    assert all(many <= few * 1.001 for many, few in zip(sixteen, one, strict=True))
    assert sum(sixteen) < 0.97 * sum(one)


@pytest.mark.parametrize("which", [(0, 4, "v3"), (1, 4, "v1"), (2, 4, "v1"), (4, 4, "v0")])
def test_what_is_kept_of_a_plan_with_less_room_does_not_show_in_one_with_more(which: tuple[int, int, str]):
    # The others take the last three hours before a departure whole, then leave them: as if they never had.
    week = a_single_car(*which)
    car, free = week.cars[0], alone_in(week)
    fresh = planned_alone(week, COARSE)[1]
    one_car = OneCar(week, car, COARSE)

    for departure in car.departures:
        taken = np.zeros(week.grid.n_slots, dtype=np.bool_)
        taken[max(0, departure.taking.edge - 12) : departure.taking.edge] = True
        one_car.whole(replace(free, room_a=np.where(taken, 0.0, free.room_a)))
        assert nothing_left(car, one_car.whole(free), week) == pytest.approx(fresh, abs=1e-9)


@pytest.mark.parametrize("which", [(1, 2, "v1"), (4, 2, "v1"), (6, 4, "v1"), (9, 4, "v0")])
def test_more_effort_is_at_least_as_good(which: tuple[int, int, str]):
    week = a_single_car(*which)
    coarse, fine, finest = (candidate(week, [planned_alone(week, effort)[1]]).outcome for effort in (COARSE, FINE, FINEST))

    assert fine.short_kwh <= coarse.short_kwh + 1e-3
    assert finest.short_kwh <= fine.short_kwh + 1e-3
    assert fine.value <= coarse.value * 1.002
    assert finest.value <= fine.value * 1.002


@pytest.mark.parametrize("which", [(0, 2, "v1"), (2, 4, "v3"), (4, 2, "v0"), (7, 2, "v0")])
def test_at_its_most_current_the_mean_car_gets_no_further_ahead_than_the_layers_reach(which: tuple[int, int, str]):
    week = a_single_car(*which)
    car = week.cars[0]
    one_car, _ = planned_alone(week, CLOSER)
    always = np.where(car.chargeable, car.offered(alone_in(week).room_a), 0.0)

    mean, cautious = (car.run(always, rate, week.grid).soc_kwh for rate in (car.rate.mean, car.rate.cautious))

    assert (mean - cautious).max() > 0.1
    assert (mean - cautious <= one_car._aheads[:, -1] + 1e-6).all()


def test_layers_reach_no_further_than_a_filled_battery_leaves_the_mean_car():
    # 40 of 50 kWh, the limit, must be aboard at 06:00: neither car can be ahead there. Before, 21:00 to midnight in a band
    # of its own brings the cautious car 3 × 2.844 kWh and the mean one 3 × 3.312; the trip takes all but 5 kWh.
    problem = a_problem(
        slot_minutes=15,
        horizon_nights=2,
        vehicles=[a_car(soc_pct=50, plug_in_hours=["21:00", "06:00"])],
        rates=[TWO_RATES],
        trips=[a_trip("2026-01-15T06:00:00+01:00", "2026-01-15T18:00:00+01:00", 175)],
    )
    one_car, _ = planned_alone(problem, FINE)

    edge = problem.grid.first_at_or_after(at("2026-01-15T00:00:00+01:00"))
    leaves = problem.cars[0].departures[0].taking.edge
    nearly_nothing = 0.002 * 50
    assert one_car._aheads[edge, -1] == pytest.approx(3 * (3.312 - 2.844))
    assert one_car._aheads[leaves, -1] == pytest.approx(nearly_nothing)
    # What it gets ahead in the second night, here in an hour of it, begins with nothing.
    assert one_car._aheads[leaves + 16 * 4, -1] == pytest.approx(3.312 - 2.844)


def test_a_car_that_is_filled_again_and_again_is_planned_nearly_as_well_as_can_be():
    # 8 A for 22 kWh, two trips that take more than that: with layers as wide as if it never were full, plans came out 4 %
    # above what no plan can be below, and closer ones no better.
    week = a_single_car(36, 2, "v0")

    for effort in (CLOSER, FINE, FINEST):
        _, amps = planned_alone(week, effort)
        found = outcome(week, [amps])
        assert found.value <= 1.02 * bound(week, found, steps=0)


# --- where cars stand in each other's way -------------------------------------------------------------------------------


def test_cars_that_want_the_same_sun_stand_in_each_other_s_way_and_others_do_not():
    # 4 kW of sun from 10:00 to noon, on circuits of their own: both charge from 10:00, one more hour by night.
    sun = [["2026-01-15T10:00:00+01:00", 4.0], ["2026-01-15T12:00:00+01:00", 0]]
    problem = a_problem(
        circuits=[{"id": name, "breaker_a": 16, "voltage_v": 230, "continuous_factor": 1.0} for name in ("carport", "shed")],
        leads=[a_lead(), a_lead(id="second", circuit="shed")],
        vehicles=[a_car(), a_car(id="wren", lead="second")],
        rates=[LOSSLESS, LOSSLESS | {"vehicle": "wren", "lead": "second"}],
        solar_kw=sun,
    )
    heron, wren = np.zeros(problem.grid.n_slots), np.zeros(problem.grid.n_slots)
    sunny = problem.grid.overlaps(at("2026-01-15T10:00:00+01:00"), at("2026-01-15T11:00:00+01:00"))
    dark = problem.grid.overlaps(at("2026-01-15T02:00:00+01:00"), at("2026-01-15T03:00:00+01:00"))
    for amps in (heron, wren):
        amps[sunny], amps[dark] = 10, 10

    assert (contended_slots(problem, [heron, wren]) == sunny).all()
    assert not contended_slots(problem, [np.where(sunny, 0, heron), wren]).any()
