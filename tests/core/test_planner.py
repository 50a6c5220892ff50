"""Plans against every plan there is on small nights, against the same problem as a MILP, and against the rules."""

import json
import math
import random
from itertools import product
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from moonplan.core.household import read
from moonplan.core.mistakes import BadDocument
from moonplan.core.planner.bound import bound
from moonplan.core.planner.building import build
from moonplan.core.planner.constraints import broken_rules, room_for
from moonplan.core.planner.outcome import Outcome, least_current, missed_by, outcome
from moonplan.core.planner.plan import Plan, document, plan
from moonplan.core.planner.problem import CONTROLS, Problem
from moonplan.core.planner.together import plan_together
from moonplan.core.timegrid import Floats
from tests.core.factories import LOSSLESS, NIGHT_BAND, a_car, a_circuit, a_document, a_household, a_lead, a_trip, at
from tests.reference import milp
from tests.reference.model import Effort

GOOD = 0.001


def planned(**changes: Any) -> Plan:
    made = plan(a_household(**changes))
    assert broken_rules(made.problem, [car.amps for car in made.outcome.cars]) == []
    return made


def hours_on(made: Plan, car: int = 0) -> list[str]:
    """Start–end of every session, as clock times."""
    return [f"{session.start:%H:%M}–{session.end:%H:%M}" for session in made.sessions[car]]


def best_of_all(problem: Problem, currents: list[list[float]]) -> Outcome:
    """Every combination of currents in every chargeable slot that breaks no rule: the best of them."""
    at_slots = [np.flatnonzero(car.chargeable) for car in problem.cars]
    best: Outcome | None = None
    per_car = [product(currents[i], repeat=len(slots)) for i, slots in enumerate(at_slots)]
    for chosen in product(*per_car):
        amps = []
        for slots, values in zip(at_slots, chosen, strict=True):
            offered = np.zeros(problem.grid.n_slots)
            offered[slots] = values
            amps.append(offered)
        if broken_rules(problem, amps):
            continue
        found = outcome(problem, amps)
        if best is None or found.rank < best.rank:
            best = found
    assert best is not None
    return best


def is_as_good(made: Plan, best: Outcome) -> None:
    tolerance = max(GOOD * abs(best.value), 0.05 * made.problem.household.tariff.default_price)
    assert made.outcome.short_kwh == pytest.approx(best.short_kwh, abs=1e-4)
    assert made.outcome.value <= best.value + tolerance
    assert bound(made.problem, best, steps=4) <= best.value + 1e-6


# --- nights worked out by hand -----------------------------------------------------------------------------------------


def test_the_cheap_hours_are_used_and_the_rest_is_not():
    # 50 % to 80 %: 15 kWh at 3.68 kW are 4.08 h, all of it at 0.10 between 22:00 and 06:00.
    made = planned(vehicles=[a_car(end_pct=80)])

    assert made.outcome.cost == pytest.approx(1.50)
    assert hours_on(made) == ["22:00–02:04"]
    assert made.outcome.cars[0].end.short_kwh == 0


def test_a_car_that_has_enough_is_left_alone():
    made = planned(vehicles=[a_car(end_pct=50)])

    assert made.outcome.cost == 0
    assert made.sessions == ((),)


def test_a_departure_before_the_cheap_hours_is_met_all_the_same():
    # 100 km take 20 kWh, reserve 5: 25 aboard already; 110 km take 22, so 2 kWh are missing at 21:00.
    trip = a_trip("2026-01-14T21:00:00+01:00", "2026-01-14T23:00:00+01:00", 110)
    made = planned(trips=[trip], vehicles=[a_car()])

    ready = made.outcome.cars[0].departures[0]
    assert ready.short_kwh == 0
    assert 27 <= ready.planned_kwh < 27.02
    assert made.outcome.cost == pytest.approx(2 * 0.30, abs=0.01)


def test_a_shortage_is_told_in_kwh_with_the_time_it_would_be_ready():
    # 200 km take 40 kWh and 5 in reserve; 25 aboard, and 3 h at 3.68 kW give 11.04: short by 8.96 kWh.
    trip = a_trip("2026-01-14T21:00:00+01:00", "2026-01-15T03:00:00+01:00", 200)
    made = planned(trips=[trip])

    ready = made.outcome.cars[0].departures[0]
    assert ready.short_kwh == pytest.approx(20 - 3 * 3.68)
    told = document(made)["vehicles"][0]["departures"][0]
    # 20 kWh at 3.68 kW take 5 h 26 min from 18:00.
    assert told["ready_at"].startswith("2026-01-14T23:26")
    assert told["short_km"] == pytest.approx((20 - 11.04) / 0.2, abs=0.01)


def test_the_time_it_would_be_ready_keeps_to_the_ceiling_of_its_night():
    # As above, at 8 A until noon, and then at 16: 20 kWh at 1.84 kW take 10 h 52 min.
    trip = a_trip("2026-01-14T21:00:00+01:00", "2026-01-15T03:00:00+01:00", 200)
    made = planned(trips=[trip], overrides=[{"vehicle": "heron", "night": "2026-01-14", "ceiling_a": 8}])

    told = document(made)["vehicles"][0]["departures"][0]
    assert told["short_kwh"] == pytest.approx(20 - 3 * 1.84)
    assert told["ready_at"].startswith("2026-01-15T04:52")


def test_a_trip_that_empties_the_battery_leaves_nothing_to_charge_for_before_it():
    # 18 kWh at 06:00 on Friday, all of 18, and the trip takes 24. Back at 11:00 the car wants 12 at noon and gets 3.04:
    # neither more nor sooner aboard on Thursday would help. 9 kWh at 0.10 and 3.04 at 0.30, and nothing dear before.
    made = planned(
        horizon_nights=2,
        slot_minutes=15,
        rates=[LOSSLESS | {"efficiency": 0.83, "overhead_kw": 0.01, "cautious": {"efficiency": 0.83, "overhead_kw": 0.01}}],
        vehicles=[a_car(usable_kwh=18, soc_pct=50, end_pct=66)],
        trips=[a_trip("2026-01-16T06:00:00+01:00", "2026-01-16T11:00:00+01:00", 120)],
    )

    gained_kw = 0.83 * 3.68 - 0.01
    assert [round(one.short_kwh, 3) for one in made.outcome.cars[0].departures] == [0]
    assert made.outcome.short_kwh == pytest.approx(0.66 * 18 - gained_kw)
    assert made.outcome.cost == pytest.approx(9 / gained_kw * 3.68 * 0.10 + 3.68 * 0.30, rel=0.01)


def test_the_limit_rises_for_a_long_trip_and_falls_back():
    trip = a_trip("2026-01-15T07:00:00+01:00", "2026-01-15T08:00:00+01:00", 220)
    problem = build(a_household(trips=[trip]))
    limits = problem.cars[0].limit_kwh

    # 44 kWh and 5 in reserve until 07:00, then 80 % again.
    before, after = (
        problem.grid.first_at_or_after(at("2026-01-15T06:45:00+01:00")),
        problem.grid.first_at_or_after(at("2026-01-15T08:00:00+01:00")),
    )
    assert limits[before] == pytest.approx(49)
    assert limits[after] == pytest.approx(40)


def test_the_limit_rises_earlier_where_a_later_trip_would_come_up_short():
    # Back at 08:00, gone at 09:00 with 40 kWh needed: an hour gives 3.68, so 36.32 must be aboard at the return.
    trips = [
        a_trip("2026-01-15T07:00:00+01:00", "2026-01-15T08:00:00+01:00", 50),
        a_trip("2026-01-15T09:00:00+01:00", "2026-01-15T11:00:00+01:00", 175),
    ]
    problem = build(a_household(trips=trips))

    assert problem.cars[0].limit_kwh[0] == pytest.approx(40 - 3.68 + 10)
    assert problem.cars[0].departures[0].required_kwh == pytest.approx(15)


def test_being_ready_goes_by_the_cautious_rate_and_money_by_the_mean():
    cautious = LOSSLESS | {"cautious": {"efficiency": 0.8, "overhead_kw": 0.0}}
    trip = a_trip("2026-01-15T07:00:00+01:00", "2026-01-15T18:00:00+01:00", 150)
    made = planned(rates=[cautious], trips=[trip])

    # 35 kWh needed, 25 aboard: 10 at 80 % are 12.5 at the wall, and the mean car stores them all.
    mine = made.outcome.cars[0]
    assert mine.departures[0].planned_kwh == pytest.approx(35, abs=0.02)
    assert mine.mean.gained_kwh.sum() == pytest.approx(12.5, abs=0.03)


def test_two_cars_take_turns_where_the_circuit_bears_one():
    made = planned(
        leads=[a_lead(), a_lead(id="second")],
        vehicles=[a_car(end_pct=60), a_car(id="wren", lead="second", end_pct=60)],
        rates=[LOSSLESS, LOSSLESS | {"vehicle": "wren", "lead": "second"}],
        circuits=[a_circuit(sharing="none")],
    )

    first, second = made.outcome.cars
    assert not ((first.amps > 0) & (second.amps > 0)).any()
    assert made.outcome.cost == pytest.approx(1.0, abs=0.03)
    assert made.outcome.short_kwh == 0


def test_an_even_circuit_gives_each_its_half_wanting_to_or_not():
    problem = build(
        a_household(
            leads=[a_lead(), a_lead(id="second")],
            vehicles=[a_car(), a_car(id="wren", lead="second")],
            circuits=[a_circuit(sharing="even")],
        )
    )

    assert {float(a) for a in problem.cars[0].limit_a} == {8.0}


def test_the_supply_s_legs_hold_the_cars_back():
    # Base 4.6 kW over three legs is 6.67 A each; 16 − 6.67 − 1 leave 8.33 A.
    made = planned(
        supply={"leg_voltage_v": 230, "legs": 3, "rating_a": 16, "continuous_factor": 1.0, "base_margin_a": 1},
        base_load_kw=[["00:00", 4.6]],
        vehicles=[a_car(end_pct=60)],
    )

    assert made.outcome.cars[0].amps.max() == pytest.approx(8.33)


def test_own_sun_is_followed_where_it_is_cheaper_than_the_night():
    sun = [["2026-01-15T09:00:00+01:00", 3.0], ["2026-01-15T12:00:00+01:00", 0]]
    made = planned(solar_kw=sun, vehicles=[a_car(end_pct=60)], tariff={"default_price": 0.3, "export_price": 0.02})

    assert made.outcome.cost == pytest.approx(5 * 0.02, abs=0.01)


def test_a_timer_has_one_session_a_night_at_one_current():
    peaks = [{"name": "dear", "price": 0.5, "from": "23:00", "to": "00:00"}]
    made = planned(
        vehicles=[a_car(control="timer", end_pct=64)],
        leads=[a_lead(control="timer")],
        tariff={"default_price": 0.1, "bands": peaks},
    )

    assert len(made.sessions[0]) == 1
    assert 7 * 0.1 <= made.outcome.cost <= 7 * 0.1 + 0.02


@pytest.mark.parametrize("control", ["timer", "hand"])
def test_of_two_nights_the_cheaper_one_has_all_the_current(control: str):
    # One hour a night, at 0.10 and then at 0.20. 7 kWh are 3.68 in the first, at 16 A, and 3.32 in the second, at 14.44 A:
    # whatever the first has less costs twice as much in the second.
    made = plan(
        a_household(
            horizon_nights=2,
            slot_minutes=60,
            leads=[a_lead(control=control)],
            vehicles=[a_car(control=control, end_pct=64, plug_in_hours=["22:00", "23:00"])],
            tariff={"default_price": 0.20, "bands": [NIGHT_BAND | {"days": ["wed"]}]},
        ),
        prove=False,
    )

    amps = made.outcome.cars[0].amps
    assert amps[amps > 0].tolist() == [16, 14.44]
    assert made.outcome.cost == pytest.approx(3.68 * 0.10 + 3.32 * 0.20, abs=0.001)


@pytest.mark.parametrize("control", ["timer", "hand"])
def test_a_session_that_goes_on_past_noon_leaves_the_next_night_its_own(control: str):
    # 5 hours of 3.68 kW are wanted by 18:00, and five are cheap: 10 to 13 and 15 to 17. The first of them begin before
    # noon, in the night that ends there; the one session of the next night is still to be had.
    cheap = [("10:00", "13:00"), ("15:00", "17:00")]
    made = planned(
        now="2026-01-14T08:00:00+01:00",
        leads=[a_lead(control=control, steps_a=[16])],
        vehicles=[a_car(control=control, soc_pct=20, end_pct=56.8, plug_in_hours=["09:00", "18:00"])],
        tariff={"default_price": 0.30, "bands": [{"name": a, "price": 0.05, "from": a, "to": b} for a, b in cheap]},
    )

    assert hours_on(made) == ["10:00–13:00", "15:00–17:00"]
    assert made.outcome.cost == pytest.approx(5 * 3.68 * 0.05)


@pytest.mark.parametrize("control", ["timer", "hand"])
@pytest.mark.parametrize("seed", range(6))
def test_a_day_across_noon_is_planned_as_well_as_every_combination(control: str, seed: int):
    chance = random.Random(seed)
    bands = [
        {
            "name": f"b{hour}",
            "price": round(chance.uniform(0.02, 0.4), 3),
            "from": f"{hour:02d}:00",
            "to": f"{hour + 1:02d}:00",
        }
        for hour in range(8, 18)
    ]
    made = planned(
        now="2026-01-14T08:00:00+01:00",
        slot_minutes=60,
        start_price=chance.choice([0, 0.05]),
        leads=[a_lead(control=control, steps_a=[16])],
        vehicles=[a_car(control=control, soc_pct=20, end_pct=chance.choice([35, 45, 55]), plug_in_hours=["09:00", "17:00"])],
        tariff={"default_price": 0.30, "bands": bands},
    )

    is_as_good(made, best_of_all(made.problem, [[0.0, 16.0]]))


def test_by_hand_a_session_starts_while_someone_is_up():
    night = {"name": "night", "price": 0.1, "from": "01:00", "to": "05:00"}
    made = planned(
        leads=[a_lead(control="hand")],
        vehicles=[a_car(control="hand", end_pct=60)],
        tariff={"default_price": 0.3, "bands": [night]},
    )

    # Bed at 22:30: it starts by then, since otherwise it would only start at 06:30; it ends at its limit or in the morning.
    session = made.sessions[0][0]
    assert "18:00" <= f"{session.start:%H:%M}" <= "22:30" or f"{session.start:%H:%M}" >= "06:30"


def test_a_cutoff_car_is_told_when_to_stop():
    told = document(planned(vehicles=[a_car(cutoff=True, end_pct=80)]))["vehicles"][0]

    # 15 kWh at 3.68 kW from 22:00 take 4 h 4 min 34 s.
    assert told["stop"] == [["2026-01-15T02:05:00+01:00", pytest.approx(15, abs=0.01)]]


def test_below_the_boost_level_it_charges_at_once_whatever_the_price():
    made = planned(vehicles=[a_car(soc_pct=8, boost_pct=15, end_pct=15)])

    # 3.5 kWh at 3.68 kW: 57 minutes from 18:00 on, at the day's price; boost stops at 15 %, a whole slot counts.
    assert f"{made.sessions[0][0].start:%H:%M}" == "18:00"
    assert made.outcome.cars[0].mean.soc_kwh[4] >= 7.5


def test_up_to_a_limit_below_its_boost_level_it_charges_at_once_as_well():
    # 5 kWh up to the 60 % of the one night take 1 h 21 min 31 s at 3.68 kW; where it ends at noon there are 70 to be had.
    lower = {"vehicle": "heron", "night": "2026-01-14", "limit_pct": 60}
    made = planned(vehicles=[a_car(soc_pct=50, boost_pct=70)], overrides=[lower], horizon_nights=2)

    first, second = made.sessions[0]
    assert (f"{first.start:%d %H:%M}", f"{first.end:%H:%M:%S}", first.soc_to) == ("14 18:00", "19:21:31", pytest.approx(0.6))
    assert first.reason.startswith("back above 60 % at once")
    # 5 kWh more from noon on, in whole slots.
    assert (f"{second.end:%d %H:%M}", second.soc_to) == ("15 13:30", pytest.approx(0.6 + 1.5 * 3.68 / 50))
    assert second.reason.startswith("back above 70 % at once")
    assert made.outcome.cars[0].waited_ah == 0


@pytest.mark.parametrize("control", CONTROLS)
@pytest.mark.parametrize("steps_a", [(), (6, 10, 16)])
def test_below_the_boost_level_it_charges_at_the_most_though_nothing_asks_for_that_much(control: str, steps_a: list[int]):
    # Five hours at 16 A from 4 kWh on do not reach 25, and 2.5 would be enough for everything else: 6 A would cost less.
    made = planned(
        leads=[a_lead(control=control, steps_a=steps_a)],
        vehicles=[a_car(control=control, soc_pct=8, boost_pct=50, end_pct=5, plug_in_hours=["18:00", "23:00"])],
    )

    (session,) = made.sessions[0]
    assert (f"{session.start:%H:%M}", session.current) == ("18:00", "16 A")
    assert made.outcome.cost == pytest.approx(3.68 * (4 * 0.30 + 0.10))


def test_what_a_car_misses_and_waits_for():
    # 5 of 50 kWh aboard, and an hour at 6 A of 230 V: 6.38 of the 18 kWh that 40 km and 20 % reserve are. Below 20 % from
    # 18:00 to 06:00 it is not offered 10 A for an hour and 16 A for eleven.
    trip = a_trip("2026-01-15T06:00:00+01:00", "2026-01-15T18:00:00+01:00", 40)
    problem = build(a_household(vehicles=[a_car(soc_pct=10, boost_pct=20, reserve_pct=20)], trips=[trip]))
    amps = np.zeros(problem.grid.n_slots)
    amps[:4] = 6

    missed = missed_by(problem, problem.cars[0], amps)

    assert missed == (11.62, (11.62,), 186.0)
    assert missed == outcome(problem, [amps]).missed


@pytest.mark.parametrize("boost_pct", [0, 15])
def test_the_least_current_is_the_least_hundredth_of_an_ampere_with_which_no_more_is_missed(boost_pct: int):
    # 5 of 50 kWh aboard, and 18 wanted at 06:00: 40 km and a reserve of 20 %. Four hours at 16 A bring 14.72 of the 13 that
    # are missing, so that the last three of them may have less.
    trip = a_trip("2026-01-15T06:00:00+01:00", "2026-01-15T18:00:00+01:00", 40)
    problem = build(
        a_household(vehicles=[a_car(soc_pct=10, reserve_pct=20, boost_pct=boost_pct, ceiling_a=16)], trips=[trip])
    )
    amps = np.zeros(problem.grid.n_slots)
    amps[:16] = 16

    least_a = least_current(problem, problem.cars[0], amps, 4, 15)

    # The first hour's 3.68 kWh leave 9.32 for three at 230 V; after it the car is no longer below 15 %.
    assert least_a == pytest.approx(math.ceil(9.32 / 3 / 0.23 * 100) / 100)
    assert least_a == next(
        a / 100 for a in range(600, 1601) if missed_by(problem, problem.cars[0], held(amps, a)) == (0, (0.0,), 0)
    )
    assert least_current(problem, problem.cars[0], held(amps, round(100 * least_a)), 4, 15) is None


def held(amps: Floats, hundredths: int) -> Floats:
    """Setpoints with less in the fifth to sixteenth slot."""
    return np.concatenate([amps[:4], np.full(12, hundredths / 100), amps[16:]])


def test_below_its_boost_level_no_current_is_enough_but_all_there_is():
    problem = build(a_household(vehicles=[a_car(soc_pct=10, boost_pct=60, reserve_pct=20)]))
    amps = np.zeros(problem.grid.n_slots)
    amps[:16] = 16

    assert least_current(problem, problem.cars[0], amps, 4, 15) is None


def test_ready_by_asks_for_it_earlier():
    trip = a_trip("2026-01-15T09:00:00+01:00", "2026-01-15T18:00:00+01:00", 150)
    late = {"name": "late", "price": 0.05, "from": "05:00", "to": "09:00"}
    tariff = {"default_price": 0.3, "bands": [late]}
    override = {"vehicle": "heron", "night": "2026-01-14", "ready_by": "05:00"}

    free = planned(trips=[trip], tariff=tariff)
    asked = planned(trips=[trip], tariff=tariff, overrides=[override])

    assert f"{free.sessions[0][0].start:%H:%M}" >= "05:00"
    assert asked.outcome.cars[0].cautious.soc_kwh[11 * 4] >= 35 - 1e-6
    assert asked.outcome.cost > free.outcome.cost


def test_who_cannot_be_ready_earlier_is_told_so_and_is_ready_when_it_leaves():
    # 25 kWh aboard at 18:00 and 3.68 kW make 36.04 at 21:00; the other 8.96 of the 45 needed cost 0.10 from 22:00 on.
    trip = a_trip("2026-01-15T09:00:00+01:00", "2026-01-15T18:00:00+01:00", 200)
    by_nine = {"vehicle": "heron", "night": "2026-01-14", "ready_by": "21:00"}

    answer = document(planned(vehicles=[a_car(end_pct=0)], trips=[trip], overrides=[by_nine]))
    departure = answer["vehicles"][0]["departures"][0]

    assert departure["earlier"] == {
        "by": "2026-01-14T21:00:00+01:00",
        "planned_pct": pytest.approx(72.08),
        "short_kwh": pytest.approx(8.96),
        "binds": ["power"],
    }
    assert (departure["planned_pct"], departure["short_kwh"]) == (pytest.approx(90), 0)
    assert answer["totals"]["cost"] == pytest.approx(0.3 * 11.04 + 0.1 * 8.96, abs=0.001)
    free = document(planned(vehicles=[a_car(end_pct=0)], trips=[trip]))["vehicles"][0]["departures"][0]
    assert free["earlier"] is None


@pytest.mark.parametrize("seed", range(12))
def test_a_timer_misses_as_little_as_it_would_with_any_session(seed: int):
    # What the house leaves of 4 kW changes through the night; far more is wanted than one session can bring.
    chance = random.Random(seed)
    clocks = ["00:00", "01:30", "03:00", "04:30", "18:30", "20:00", "21:30", "23:00"]
    problem = build(
        a_household(
            slot_minutes=30,
            leads=[a_lead(control="timer")],
            vehicles=[a_car(control="timer", soc_pct=10, end_pct=0)],
            trips=[a_trip("2026-01-15T06:00:00+01:00", "2026-01-15T18:00:00+01:00", 300)],
            rates=[LOSSLESS | {"overhead_kw": 0.3, "cautious": {"efficiency": 0.9, "overhead_kw": 0.4}}],
            tariff={"default_price": 0.3, "contracted_kw": 4, "bands": [NIGHT_BAND]},
            base_load_kw=[[clock, round(chance.uniform(0.3, 2.9), 2)] for clock in clocks],
        )
    )
    car, n = problem.cars[0], problem.grid.n_slots
    room = car.offered(room_for(problem, [np.zeros(n)], 0))

    least = min(
        missed_by(
            problem, car, np.where((np.arange(n) >= first) & (np.arange(n) <= last), room[first : last + 1].min(), 0.0)
        )[0]
        for first in range(n)
        for last in range(first, n)
    )

    assert plan_together(problem).outcome.short_kwh == pytest.approx(least, abs=2e-5)


def test_a_car_that_stays_at_home_is_wanted_earlier_and_at_the_end():
    by_nine = {"vehicle": "heron", "night": "2026-01-14", "ready_by": "21:00"}

    end = document(planned(vehicles=[a_car(end_pct=80)], overrides=[by_nine]))["vehicles"][0]["end"]

    assert end["earlier"]["planned_pct"] == pytest.approx(72.08)
    assert (end["planned_pct"], end["short_kwh"]) == (pytest.approx(80), 0)


def test_a_trip_may_leave_in_the_last_minutes_of_the_plan():
    # Two cars want the cheap hours of one 16 A circuit, and Heron leaves ten minutes before noon, when the plan ends.
    trip = a_trip("2026-01-15T11:50:00+01:00", "2026-01-15T19:00:00+01:00", 150)
    made = plan(
        a_household(
            circuits=[a_circuit(sharing="free")],
            leads=[a_lead(), a_lead(id="second")],
            vehicles=[a_car(), a_car(id="wren", lead="second", end_pct=80)],
            rates=[LOSSLESS, LOSSLESS | {"vehicle": "wren", "lead": "second"}],
            trips=[trip],
        )
    )

    # 10 kWh for Heron's 35 and 15 for Wren's 40 fit into eight hours at 3.68 kW, 29.44 kWh at 0.10.
    assert made.outcome.short_kwh == 0
    assert made.outcome.cost == pytest.approx(2.5, abs=0.01)
    assert made.bound == pytest.approx(2.5, abs=0.01)


def test_what_was_decided_by_hand_is_kept():
    off = {"vehicle": "heron", "night": "2026-01-14", "plugged_in": False}
    assert planned(vehicles=[a_car(end_pct=80)], overrides=[off]).sessions == ((),)

    low = {"vehicle": "heron", "night": "2026-01-14", "limit_pct": 60, "ceiling_a": 8}
    made = planned(vehicles=[a_car(end_pct=80)], overrides=[low])
    assert made.outcome.cars[0].amps.max() == 8
    assert made.outcome.cars[0].mean.soc_kwh[-1] == pytest.approx(30)
    assert made.outcome.cars[0].end.short_kwh == pytest.approx(10)


def test_a_pin_stays_and_one_beyond_the_chain_is_refused():
    pin = {
        "id": "p",
        "vehicle": "heron",
        "start": "2026-01-14T19:00:00+01:00",
        "end": "2026-01-14T20:00:00+01:00",
        "amps": 10,
    }
    made = planned(pins=[pin])
    assert list(made.outcome.cars[0].amps[4:8]) == [10, 10, 10, 10]

    with pytest.raises(BadDocument, match=r"pins\[0\]\.amps: 20, expected at most 16 A"):
        plan(a_household(pins=[pin | {"amps": 20}]))
    with pytest.raises(BadDocument, match="a time in which heron can charge: it is plugged in from 21:00 to 07:00"):
        plan(a_household(pins=[pin], vehicles=[a_car(plug_in_hours=["21:00", "07:00"])]))
    with pytest.raises(BadDocument, match="a time in which heron can charge: the circuit leaves 16 A, and charging starts"):
        plan(a_household(pins=[pin], leads=[a_lead(min_a=20)]))


def test_the_pin_that_does_not_fit_beside_those_before_it_is_named():
    hour = {"start": "2026-01-14T19:00:00+01:00", "end": "2026-01-14T20:00:00+01:00"}
    pins = [{"id": "p", "vehicle": "wren", "amps": 6, **hour}, {"id": "q", "vehicle": "heron", "amps": 11, **hour}]
    leads = [a_lead(), a_lead(id="second")]

    with pytest.raises(BadDocument) as refused:
        plan(a_household(pins=pins, leads=leads, vehicles=[a_car(), a_car(id="wren", lead="second")]))

    assert str(refused.value) == (
        "pins[1].amps: 11, expected what fits beside the rest: circuit carport carries 17.00 of 16.00 A at Wed 14 Jan, 19:00"
    )


def test_a_car_that_cannot_charge_has_a_plan_that_says_why():
    told = document(planned(leads=[a_lead(min_a=20)], vehicles=[a_car(end_pct=80)]))["vehicles"][0]

    assert (told["limit_a"], told["bottleneck"]) == (0, "circuit")
    assert told["no_charge"] == "the circuit leaves 16 A, and charging starts at 20 A"


def test_a_household_without_cars_has_an_empty_plan():
    assert document(planned(vehicles=[], rates=[]))["totals"]["wall_kwh"] == 0


@pytest.mark.parametrize("now", ["2026-03-28T18:00:00+01:00", "2026-10-24T18:00:00+02:00"])
def test_nights_in_which_the_clocks_change_are_planned(now: str):
    made = planned(now=now, vehicles=[a_car(end_pct=80)])

    assert made.outcome.short_kwh == 0
    assert made.outcome.cost == pytest.approx(1.5, abs=0.01)


# --- against every plan there is ---------------------------------------------------------------------------------------

# Eight chargeable hours, 20:00 to 04:00, at prices that make the choice worth making.
SMALL: dict[str, Any] = {
    "slot_minutes": 60,
    "bedtime": "23:00",
    "wake": "03:00",
    "start_price": 0.02,
    "care_price": 0.001,
    "tariff": {
        "default_price": 0.30,
        "bands": [
            {"name": "a", "price": 0.21, "from": "21:00", "to": "23:00"},
            {"name": "b", "price": 0.12, "from": "00:00", "to": "01:00"},
            {"name": "c", "price": 0.15, "from": "02:00", "to": "04:00"},
        ],
    },
}
LOSSY = {"vehicle": "heron", "lead": "unit", "efficiency": 0.93, "overhead_kw": 0.27}


@pytest.mark.parametrize("control", ["managed", "timer", "hand"])
@pytest.mark.parametrize(("end_pct", "daily"), [(54, 80), (61, 61), (90, 85)])
def test_one_car_with_two_steps_is_planned_as_well_as_any_plan(control: str, end_pct: float, daily: float):
    car = a_car(end_pct=end_pct, daily_limit_pct=daily, control=control, plug_in_hours=["20:00", "04:00"])
    small = SMALL | {"leads": [a_lead(steps_a=[8, 16], control=control)], "vehicles": [car], "rates": [LOSSY]}
    made = planned(**small)

    is_as_good(made, best_of_all(made.problem, [[0, 8, 16]]))


@pytest.mark.parametrize("sharing", ["free", "none", "even"])
def test_two_cars_are_planned_as_well_as_any_plan(sharing: str):
    cars = [
        a_car(end_pct=57, plug_in_hours=["22:00", "03:00"]),
        a_car(id="wren", lead="second", end_pct=62, plug_in_hours=["21:00", "02:00"]),
    ]
    small = SMALL | {
        "circuits": [a_circuit(breaker_a=20, sharing=sharing)],
        "leads": [a_lead(steps_a=[10]), a_lead(id="second", steps_a=[10, 16])],
        "vehicles": cars,
        "rates": [LOSSY],
    }
    made = planned(**small)

    is_as_good(made, best_of_all(made.problem, [[0, 10], [0, 10] if sharing == "even" else [0, 10, 16]]))


def test_two_cars_on_one_lead_change_over_only_while_someone_is_up():
    cars = [
        a_car(end_pct=57, plug_in_hours=["22:00", "03:00"]),
        a_car(id="wren", end_pct=57, plug_in_hours=["21:00", "02:00"]),
    ]
    made = planned(**SMALL | {"leads": [a_lead(steps_a=[16])], "vehicles": cars, "rates": [LOSSY]})

    is_as_good(made, best_of_all(made.problem, [[0, 16], [0, 16]]))


@pytest.mark.parametrize("end_pct", [58, 66.6])
def test_the_same_night_as_a_milp_is_no_better(end_pct: float):
    small = SMALL | {"vehicles": [a_car(end_pct=end_pct, plug_in_hours=["20:00", "04:00"])], "rates": [LOSSY]}
    made = planned(**small)

    exact = milp.solve(made.problem, Effort(5000, 1e-6, 1e-6), may_be_short=False)

    assert exact is not None
    assert made.bound is not None
    assert made.bound <= exact.bound + 1e-6
    assert made.outcome.short_kwh == 0
    assert exact.bound - 1e-6 <= made.outcome.value <= exact.bound + 0.05 * 0.30


# --- whatever the household --------------------------------------------------------------------------------------------


# Below 27 A the cautious rate stores more of what is drawn.
BETTER_CAUTIOUSLY = {"efficiency": 0.96, "overhead_kw": 0.8, "cautious": {"efficiency": 0.85, "overhead_kw": 0.1}}


@st.composite
def households(draw: st.DrawFn) -> dict[str, Any]:
    controls = st.sampled_from(["managed", "timer", "hand"])
    cars, leads, trips = [], [], []
    for i in range(draw(st.integers(1, 2))):
        leads.append(
            a_lead(
                id=f"lead{i}",
                control=draw(controls),
                steps_a=draw(st.sampled_from([[], [6, 10, 13]])),
                max_a=draw(st.sampled_from([10, 13, 16, 32])),
            )
        )
        cars.append(
            a_car(
                id=f"car{i}",
                lead=f"lead{i}" if draw(st.booleans()) else "lead0",
                soc_pct=draw(st.integers(5, 100)),
                end_pct=draw(st.integers(0, 100)),
                daily_limit_pct=draw(st.integers(40, 100)),
                control=draw(controls),
                taper_from_pct=draw(st.sampled_from([95, 100])),
                boost_pct=draw(st.sampled_from([0, 15])),
                plug_in_hours=draw(st.sampled_from([None, ["19:00", "07:00"]])) or ["00:00", "00:00"],
            )
        )
        if draw(st.booleans()):
            leave = draw(st.sampled_from(["2026-01-14T20:10:00+01:00", "2026-01-15T07:05:00+01:00"]))
            trips.append(a_trip(leave, "2026-01-15T09:20:00+01:00", draw(st.integers(0, 400)), vehicle=f"car{i}"))
    return a_document(
        slot_minutes=30,
        leads=leads,
        vehicles=cars,
        trips=trips,
        rates=[
            BETTER_CAUTIOUSLY | {"vehicle": car["id"], "lead": lead["id"]}
            for car, lead in product(cars, leads)
            if draw(st.booleans())
        ],
        circuits=[
            a_circuit(sharing=draw(st.sampled_from(["free", "even", "none"])), breaker_a=draw(st.sampled_from([16, 20, 32])))
        ],
        base_load_kw=[["00:00", draw(st.sampled_from([0.3, 6.0]))]],
        tariff={
            "default_price": draw(st.sampled_from([0.3, 0.02])),
            "export_price": 0.04,
            "bands": [{"name": "night", "price": draw(st.sampled_from([0.1, -0.05])), "from": "23:00", "to": "04:00"}],
        },
        solar_kw=[["2026-01-15T09:00:00+01:00", 4.0], ["2026-01-15T12:00:00+01:00", 0]],
        start_price=0.02,
        care_price=0.0005,
    )


@settings(max_examples=25)
@given(households())
def test_no_plan_breaks_a_rule_and_each_is_as_good_as_its_bound_allows(given_document: dict[str, Any]):
    household = read(json.dumps(given_document))
    made = plan(household)
    amps = [car.amps for car in made.outcome.cars]

    assert broken_rules(made.problem, amps) == []
    # What is told is never above the plan itself: the bound has to be below it on its own.
    assert bound(made.problem, made.outcome, steps=4) <= made.outcome.value + 1e-6
    assert document(plan(household)) == document(made)
    assert made.outcome.short_kwh >= 0


def test_a_reason_names_the_departure_and_the_price():
    trip = a_trip("2026-01-15T07:00:00+01:00", "2026-01-15T18:00:00+01:00", 150)

    reason = planned(trips=[trip]).sessions[0][0].reason

    assert "Thursday 07:00 (150 km)" in reason
    assert "the night price, 0.1 a kWh, the lowest there is" in reason


@pytest.mark.parametrize("control", ["managed", "timer", "hand"])
def test_a_car_that_burns_all_it_draws_is_left_alone(control: str):
    # 3.68 kW × 0.9 are less than the 3.5 kW that the car burns while it charges: nothing would ever be aboard.
    burns = {"efficiency": 0.9, "overhead_kw": 3.5, "cautious": {"efficiency": 0.88, "overhead_kw": 3.6}}
    made = planned(vehicles=[a_car(end_pct=80, control=control)], leads=[a_lead(control=control)], rates=[LOSSLESS | burns])

    assert made.sessions == ((),)
    assert made.outcome.short_kwh == pytest.approx(15)


def test_the_document_can_be_checked_from_its_setpoints_alone():
    made = planned(vehicles=[a_car(end_pct=80)])
    told = document(made)
    vehicle = told["vehicles"][0]
    # Lossless 3.68 kW, quarter hours, up to the daily limit of 40 kWh: what the setpoints say is what the figures say.
    soc, wall = 25.0, 0.0
    for _, amps in vehicle["setpoints"]:
        gained = min(amps * 0.23 * 0.25, 40 - soc)
        soc, wall = soc + gained, wall + gained

    assert vehicle["soc_pct"][-1][1] == pytest.approx(soc / 50 * 100, abs=1e-3)
    assert told["totals"]["wall_kwh"] == pytest.approx(wall, abs=1e-4)
    assert told["totals"]["cost"] == pytest.approx(wall * 0.10, abs=1e-4)
    assert sum(vehicle["sessions"][0]["bands"].values()) == pytest.approx(wall, abs=1e-4)


@pytest.mark.parametrize("seed", range(6))
@pytest.mark.parametrize("control", ["managed", "timer"])
def test_a_small_week_is_planned_as_well_as_every_combination(control: str, seed: int):
    # Three nights with three chargeable hours each, on or off at 16 A: 512 weeks; a drive a day, another price every hour.
    chance = random.Random(seed)
    hours = [f"2026-01-{14 + n // 24:02d}T{n % 24:02d}:00:00+01:00" for n in range(18, 18 + 72)]
    trips = [
        a_trip(f"2026-01-{day}T08:00:00+01:00", f"2026-01-{day}T18:00:00+01:00", chance.randint(20, 70))
        for day in (15, 16, 17)
    ]
    household = a_household(
        slot_minutes=60,
        horizon_nights=3,
        leads=[a_lead(steps_a=[16], control=control)],
        vehicles=[a_car(control=control, soc_pct=35, end_pct=20, plug_in_hours=["22:00", "01:00"])],
        trips=trips,
        tariff={"default_price": 0.3, "series": [[at, round(chance.uniform(0.05, 0.3), 5)] for at in hours]},
        care_price=0.0005,
        start_price=0.02,
    )

    is_as_good(plan(household, prove=False), best_of_all(build(household), [[0.0, 16.0]]))
