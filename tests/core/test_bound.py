"""The bound is below every plan there is, and close to the best where a car stands alone."""

import dataclasses
import json
from datetime import timedelta
from typing import Any

import numpy as np
import pytest

from moonplan.core.household import Household, read
from moonplan.core.planner.bound import bound
from moonplan.core.planner.bound_stories import stories_of
from moonplan.core.planner.building import build
from moonplan.core.planner.candidates import candidate
from moonplan.core.planner.constraints import broken_rules
from moonplan.core.planner.guide import shared_prices
from moonplan.core.planner.plan import document, plan
from tests.bench.families import a_family_household
from tests.core.factories import LOSSLESS, a_car, a_circuit, a_household, a_lead, a_trip, at
from tests.reference import milp
from tests.reference.model import Effort


def test_a_car_alone_without_losses_is_bounded_to_the_cent():
    # 15 kWh, all of them at 0.10.
    made = plan(a_household(vehicles=[a_car(end_pct=80)]))

    assert made.outcome.cost == pytest.approx(1.50)
    assert made.bound == pytest.approx(1.50, abs=0.02)
    assert document(made)["objective"]["tight"] is True


def test_nothing_to_do_costs_nothing_and_is_proven():
    made = plan(a_household())

    assert (made.outcome.value, made.bound) == (0, pytest.approx(0, abs=1e-9))


def two_cars_on(breaker_a: float) -> Household:
    """Two cars that each want 17.5 kWh, which take 4.76 of the eight cheap hours at 16 A."""
    car = {"end_pct": 85, "daily_limit_pct": 90}
    return a_household(
        leads=[a_lead(), a_lead(id="second")],
        circuits=[a_circuit(sharing="free", breaker_a=breaker_a)],
        vehicles=[a_car(**car), a_car(id="wren", lead="second", **car)],
        rates=[LOSSLESS, LOSSLESS | {"vehicle": "wren", "lead": "second"}],
    )


def test_two_cars_that_cannot_both_have_the_cheap_hours_are_bounded_by_priced_amps():
    # With 32 A both have the cheap hours: 35 kWh at 0.10. With 16 A those hold 8 × 3.68 = 29.44 kWh, the rest is at 0.30.
    apart, together = two_cars_on(32), two_cars_on(16)

    assert plan(apart).bound == pytest.approx(3.50, rel=0.01)
    assert plan(together).outcome.cost == pytest.approx(29.44 * 0.10 + 5.56 * 0.30, rel=0.002)
    assert plan(together).bound == pytest.approx(29.44 * 0.10 + 5.56 * 0.30, rel=0.01)


def test_an_ampere_of_a_shared_circuit_is_worth_what_it_saves():
    # Another ampere in a cheap quarter of an hour is 0.23 × 0.25 kWh that cost 0.10 instead of 0.30.
    problem = build(two_cars_on(16))

    cheap = problem.prices.price < 0.2
    for i in (0, 1):
        per_a, _ = shared_prices(problem).of_car(i)
        assert per_a[cheap] == pytest.approx(0.20 * 0.23 * 0.25)
        assert per_a[~cheap] == pytest.approx(0)
        assert not shared_prices(build(two_cars_on(32))).of_car(i)[0].any()


def test_own_sun_is_priced_between_what_it_earns_and_what_the_grid_costs():
    # Both cars could take 7.36 kW by day; there are 2 kW of sun, so that one more kWh saves 0.30 − 0.05.
    household = dataclasses.replace(
        two_cars_on(32),
        solar_kw=((at("2026-01-15T09:00:00+01:00"), 2.0), (at("2026-01-15T12:00:00+01:00"), 0.0)),
    )
    household = dataclasses.replace(household, tariff=dataclasses.replace(household.tariff, export_price=0.05))
    problem = build(household)
    prices = shared_prices(problem)

    sunny = problem.sun_kw > 0
    assert ((prices.sun[sunny] >= 0.05 - 1e-9) & (prices.sun[sunny] <= 0.30 + 1e-9)).all()
    # 35 kWh are wanted and the night has them at 0.10: a kWh of sun is worth no more than that.
    assert prices.sun[sunny] == pytest.approx(0.10)


def test_what_must_be_aboard_cautiously_bounds_what_the_mean_car_pays():
    # 15 kWh by the cautious rate, which stores 0.90 of a kWh; the mean car draws the same 16.67 kWh, all at 0.10.
    rate = {"efficiency": 0.96, "overhead_kw": 0.0, "cautious": {"efficiency": 0.90, "overhead_kw": 0.0}}
    made = plan(a_household(vehicles=[a_car(end_pct=60, soc_pct=30, daily_limit_pct=100)], rates=[LOSSLESS | rate]))

    assert made.outcome.cost == pytest.approx(1.667, abs=0.001)
    assert made.bound == pytest.approx(1.667, rel=0.01)


@pytest.mark.parametrize("seed", range(6))
def test_no_plan_that_a_milp_finds_is_below_the_bound(seed: int):
    household = read(json.dumps(a_family_household(seed, cars=2, nights=1)))
    made = plan(household)
    assert made.bound is not None
    assert bound(made.problem, made.outcome, steps=4) <= made.outcome.value + 1e-6

    solved = milp.solve(build(household), Effort(30, 1e-3, 1e-3), may_be_short=made.outcome.short_kwh > 0)
    for amps in (solved.amps, solved.more_amps) if solved else ():
        found = candidate(made.problem, amps)
        if not broken_rules(made.problem, amps) and found.outcome.short_kwh <= made.outcome.short_kwh + 1e-6:
            assert made.bound <= found.outcome.value + 1e-6


def test_a_cautious_rate_that_is_the_better_one_at_little_current_bounds_no_plan_too_high():
    # At 6 A the cautious car stores 0.80 × 1.38 = 1.104 kW and the mean one 0.96 × 1.38 − 0.5 = 0.825. 15 kWh aboard cost
    # the 18.75 kWh that the cautious car draws at any current; no plan is cheaper, and at 6 A all night none is dearer.
    rate = {"efficiency": 0.96, "overhead_kw": 0.5, "cautious": {"efficiency": 0.80, "overhead_kw": 0.0}}
    made = plan(a_household(vehicles=[a_car(end_pct=60, soc_pct=30, daily_limit_pct=100)], rates=[LOSSLESS | rate]))

    assert made.bound is not None
    assert made.bound <= 18.75 * 0.10 + 1e-6
    assert made.outcome.cost == pytest.approx(1.875, abs=0.001)


def test_a_car_at_the_one_current_at_which_its_cautious_rate_is_the_better_one_is_bounded_by_what_it_draws():
    # 10 kWh aboard at 1.104 kW take 37 quarter-hours of 0.345 kWh: all 32 of the night, and five more at 0.30. By the mean
    # rate, which stores 0.825 kW, they would take 49.
    rate = {"efficiency": 0.96, "overhead_kw": 0.5, "cautious": {"efficiency": 0.80, "overhead_kw": 0.0}}
    made = plan(
        a_household(leads=[a_lead(max_a=6)], vehicles=[a_car(soc_pct=30, end_pct=50)], rates=[LOSSLESS | rate]), prove=False
    )

    assert made.outcome.cost == pytest.approx((32 * 0.10 + 5 * 0.30) * 0.345)
    least = bound(made.problem, made.outcome, steps=0)
    assert made.outcome.cost - 0.02 <= least <= made.outcome.cost + 1e-6


def test_care_ends_when_the_car_leaves_and_not_with_the_slot():
    # 47.5 kWh are 7.5 above the rest level until 20:10, and 39.1 after 42 km; nothing has to be charged.
    made = plan(
        a_household(
            slot_minutes=30,
            care_price=0.0005,
            vehicles=[a_car(soc_pct=95, end_pct=42, daily_limit_pct=60)],
            trips=[a_trip("2026-01-14T20:10:00+01:00", "2026-01-15T09:20:00+01:00", 42)],
        ),
        prove=False,
    )

    care = 7.5 * (2 + 10 / 60) * 0.0005
    assert made.outcome.value == pytest.approx(care)
    assert 0.99 * care <= bound(made.problem, made.outcome, steps=0) <= care + 1e-9


def test_a_car_that_cannot_charge_costs_the_care_of_its_hours_spent_high():
    # Not one of its nights. 47.5 kWh are 7.5 above the rest level for 18 hours.
    made = plan(
        a_household(
            habit="set_nights", set_nights=["tue"], care_price=0.001, vehicles=[a_car(soc_pct=95, daily_limit_pct=100)]
        )
    )

    assert made.outcome.value == pytest.approx(7.5 * 18 * 0.001)
    assert bound(made.problem, made.outcome, steps=0) == pytest.approx(7.5 * 18 * 0.001)


def test_what_a_car_misses_however_it_charges_loosens_no_bound():
    # 45 kWh wanted at 23:00; five hours of 3.68 kW bring 25 to 43.4, four of them at 0.30. The trip takes 40, and for 15 at
    # the end 11.6 more are charged at 0.10.
    made = plan(
        a_household(
            vehicles=[a_car(end_pct=30, reserve_pct=10, daily_limit_pct=100)],
            trips=[a_trip("2026-01-14T23:00:00+01:00", "2026-01-15T02:00:00+01:00", 200)],
        )
    )

    assert made.outcome.short_kwh == pytest.approx(1.6)
    assert made.bound == pytest.approx(4 * 3.68 * 0.30 + (3.68 + 11.6) * 0.10, rel=0.005)


def test_what_two_cars_miss_since_they_share_a_circuit_is_priced():
    # Both are to have 41 kWh at 02:00 and have 25. A shared 16 A gives 29.44 kWh until then, half of it at 0.30: 2.56 are
    # missing, and then 1.28 more of each reserve at the end, which the trip has used up.
    car = {"daily_limit_pct": 100, "reserve_pct": 10}
    trip = a_trip("2026-01-15T02:00:00+01:00", "2026-01-15T12:00:00+01:00", 180)
    made = plan(
        a_household(
            leads=[a_lead(), a_lead(id="second")],
            circuits=[a_circuit(sharing="free", breaker_a=16)],
            vehicles=[a_car(**car), a_car(id="wren", lead="second", **car)],
            rates=[LOSSLESS, LOSSLESS | {"vehicle": "wren", "lead": "second"}],
            trips=[trip, trip | {"vehicle": "wren"}],
        )
    )

    assert made.outcome.short_kwh == pytest.approx(2 * 2.56)
    assert made.bound == pytest.approx(14.72 * 0.30 + 14.72 * 0.10, rel=0.02)


def test_a_mean_car_that_was_never_at_its_limit_is_ahead_by_all_that_it_charged():
    # 24.5 kWh aboard in two nights, 12.5 and 12. At 16 A the cautious car stores 0.91 × 3.68 − 0.60 = 2.7488 kW, so that it
    # draws 3.68 / 2.7488 kWh for each, all at 0.10; to fill the mean one up to its limit would take dear hours.
    rate = {"efficiency": 0.95, "overhead_kw": 0.20, "cautious": {"efficiency": 0.91, "overhead_kw": 0.60}}
    made = plan(
        a_household(
            horizon_nights=2,
            vehicles=[a_car(soc_pct=30, end_pct=55, reserve_pct=31, daily_limit_pct=85)],
            rates=[LOSSLESS | rate],
            trips=[a_trip("2026-01-15T08:00:00+01:00", "2026-01-15T16:00:00+01:00", 60)],
        )
    )

    drawn_kwh = 24.5 / 2.7488 * 3.68
    assert made.outcome.cost == pytest.approx(drawn_kwh * 0.10, rel=0.005)
    assert made.bound == pytest.approx(drawn_kwh * 0.10, rel=0.005)


def test_what_a_mean_car_must_have_charged_depends_on_when_it_was_last_full():
    # The cautious car stores at most 0.9 of what the mean one does, 10 kWh fill the car before its trip, and 14 after it.
    # 18 kWh of the cautious car: 20 of the mean one that never was full, 8 / 0.9 more than 10, or 4 / 0.9 more than 14.
    trip = a_trip("2026-01-14T20:00:00+01:00", "2026-01-14T21:00:00+01:00", 20)
    problem = build(a_household(vehicles=[a_car(soc_pct=70, daily_limit_pct=90)], trips=[trip]))
    car = problem.cars[0]
    before = np.where(np.arange(problem.grid.n_slots + 1) <= car.departures[0].taking.edge, 35.0, 31.0)
    stories = stories_of(car, car.limit_a, before)
    to_charge = np.array([9.0, 12.0, 18.0])

    assert stories.of_slot[[0, -1]].tolist() == [1, 2]
    never_full, full_before, full_after = stories.mean_to_charge(to_charge, 0.9, np.full(3, -np.inf))
    assert never_full == pytest.approx([10, 12 / 0.9, 20])
    assert full_before == pytest.approx([10, 10 + 2 / 0.9, 10 + 8 / 0.9])
    assert full_after == pytest.approx([10, 12 / 0.9, 14 + 4 / 0.9])
    # A battery that was empty once both had charged 10 brings them together as well.
    emptied, _, _ = stories.mean_to_charge(to_charge, 0.9, np.full(3, 10.0))
    assert emptied == pytest.approx([9, 10 + 2 / 0.9, 10 + 8 / 0.9])


def test_a_taper_that_no_current_feels_fills_no_car():
    # 3.68 kW of 11 are accepted up to (1 - 3.68 / 11) / 0.75 of the way from half full to full: 47 of 50 kWh.
    problem = build(a_household(vehicles=[a_car(onboard_kw=11, taper_from_pct=50, daily_limit_pct=90)]))
    car = problem.cars[0]

    assert car.tapers_from_kwh(16) == pytest.approx(25 + (1 - 3.68 / 11) / 0.75 * 25)
    assert (stories_of(car, car.limit_a, np.full(problem.grid.n_slots + 1, 25.0)).full_kwh == 45).all()


def test_the_hours_that_the_cautious_car_needs_bound_what_the_mean_one_pays():
    # 15 kWh up to the limit by 06:00. The mean car has them in 4.08 h at 3.68 kW, 4 of which are cheap. The cautious car
    # stores 0.6 kW less and needs 4.87 h, so that both begin before 02:00: the mean one draws for 0.87 h at 0.30, and what
    # is left to its limit at 0.10. At less current it would be further ahead, and full no sooner.
    made = plan(
        a_household(
            slot_minutes=15,
            vehicles=[a_car(soc_pct=50, daily_limit_pct=80)],
            rates=[LOSSLESS | {"cautious": {"efficiency": 1.0, "overhead_kw": 0.6}}],
            trips=[a_trip("2026-01-15T06:00:00+01:00", "2026-01-15T18:00:00+01:00", 175)],
            tariff={"default_price": 0.30, "bands": [{"name": "night", "price": 0.10, "from": "02:00", "to": "06:00"}]},
        )
    )

    dear_hours = 15 / (3.68 - 0.6) - 4
    cost = dear_hours * 3.68 * 0.30 + (15 - dear_hours * 3.68) * 0.10
    assert made.outcome.cost == pytest.approx(cost, rel=0.01)
    assert bound(made.problem, made.outcome, steps=0) == pytest.approx(made.outcome.value, rel=0.01)


def test_what_the_house_leaves_bounds_a_car_that_is_alone_on_its_lead():
    # A 32 A lead, a 25 A supply, one of which is kept back and ten of which the house has: 14 A or 3.22 kW. 40 kWh take 12.4
    # hours, eight of them cheap. At the 7.36 kW of the lead all of it would be cheap.
    made = plan(
        a_household(
            supply={"leg_voltage_v": 230, "legs": 1, "rating_a": 25, "continuous_factor": 1.0, "base_margin_a": 1},
            base_load_kw=[["00:00", 2.3]],
            circuits=[a_circuit(breaker_a=32)],
            leads=[a_lead(max_a=32, phases=1)],
            vehicles=[a_car(onboard_kw=7.4, soc_pct=10, end_pct=90, daily_limit_pct=90)],
        )
    )

    assert made.outcome.cost == pytest.approx(8 * 3.22 * 0.10 + (40 - 8 * 3.22) * 0.30, rel=0.001)
    assert bound(made.problem, made.outcome, steps=0) == pytest.approx(made.outcome.value, rel=0.005)


def test_the_last_of_the_sun_before_the_limit_is_no_more_than_there_is():
    # 5 kWh up to the limit by day: 1.5 kW of own sun at 0.05, the rest at 0.30. Following the sun at 6.53 A takes three
    # hours and a third, and there are two: 3 kWh of sun, and 2 kWh at 0.30 besides. Near its limit a car may charge for a
    # part of a slot, but no kWh of what the grid gives then is sun.
    household = dataclasses.replace(
        a_household(
            now="2026-01-14T09:00:00+01:00",
            slot_minutes=15,
            vehicles=[a_car(soc_pct=70, daily_limit_pct=80, plug_in_hours=["09:00", "11:00"])],
            trips=[a_trip("2026-01-14T11:00:00+01:00", "2026-01-15T12:00:00+01:00", 175)],
        ),
        solar_kw=((at("2026-01-14T09:00:00+01:00"), 1.5), (at("2026-01-14T11:00:00+01:00"), 0.0)),
    )
    household = dataclasses.replace(household, tariff=dataclasses.replace(household.tariff, export_price=0.05))
    made = plan(household)

    assert made.outcome.cost == pytest.approx(3 * 0.05 + 2 * 0.30, rel=0.01)
    assert bound(made.problem, made.outcome, steps=0) == pytest.approx(made.outcome.value, rel=0.01)


def test_a_car_that_is_filled_through_its_taper_is_proven():
    # 55 kWh at 3.44 kW into the battery in any case, then 5 ever more slowly, while the wall gives little more than what the
    # car burns: what the mean car pays for the end of the charge is told apart from what it pays for a full slot.
    rate = {"vehicle": "heron", "lead": "unit", "efficiency": 0.94, "overhead_kw": 0.25}
    made = plan(
        a_household(
            vehicles=[a_car(usable_kwh=64, soc_pct=50, taper_from_pct=90)],
            rates=[rate | {"cautious": {"efficiency": 0.94, "overhead_kw": 0.25}}],
            trips=[a_trip("2026-01-15T10:00:00+01:00", "2026-01-15T18:00:00+01:00", 300)],
        )
    )

    assert made.outcome.cars[0].cautious.before_leaving_kwh[0] == pytest.approx(64)
    assert bound(made.problem, made.outcome, steps=0) == pytest.approx(made.outcome.value, rel=0.005)


def test_a_session_by_hand_that_began_in_the_night_before_leaves_the_new_night_its_own_and_no_other_does():
    # Home by day, one session a night by hand; cheap from 13 to 15 and from 19 to 21. Four hours are wanted by the next
    # morning. Who begins before noon, in the night before, may have both cheap times: 1.25 h dear, then 2.75 h cheap. Two
    # sessions that begin after noon would have four cheap hours, and are not to be had.
    cheap = [{"name": "cheap", "price": 0.10, "from": f"{hour}:00", "to": f"{hour + 2}:00"} for hour in (13, 19)]
    made = plan(
        a_household(
            now="2026-01-15T11:00:00+01:00",
            horizon_nights=2,
            slot_minutes=15,
            leads=[a_lead(steps_a=[16], control="hand")],
            vehicles=[a_car(soc_pct=20, control="hand", reserve_pct=10)],
            trips=[a_trip("2026-01-16T06:00:00+01:00", "2026-01-16T18:00:00+01:00", 98)],
            tariff={"default_price": 0.50, "bands": cheap},
        )
    )

    assert made.outcome.short_kwh == 0
    assert made.outcome.cost == pytest.approx(3.68 * (1.25 * 0.50 + 2.75 * 0.10), rel=0.01)
    assert bound(made.problem, made.outcome, steps=0) == pytest.approx(made.outcome.value, rel=0.01)


def test_a_timer_s_night_is_bounded_by_how_far_ahead_its_own_current_gets():
    # Assumed rates. At 16 A the mean car stores 1.10 of what the cautious one does, 1.24 at 6 A. The 8.16 kWh that the
    # cautious one needs take 12 quarters of an hour at 16 A, and bring the mean one from 7.0 to 16.7 of its 17.6 kWh; only
    # at 6 A would it nearly have been full, and have drawn less at last.
    made = plan(
        a_household(
            leads=[a_lead(steps_a=[6, 10, 13, 16], control="timer")],
            vehicles=[a_car(usable_kwh=22, soc_pct=32, control="timer", reserve_pct=20, daily_limit_pct=80)],
            rates=[],
            trips=[a_trip("2026-01-15T08:00:00+01:00", "2026-01-15T18:00:00+01:00", 54)],
        )
    )

    assert made.outcome.cost == pytest.approx(12 * 0.92 * 0.10)
    assert bound(made.problem, made.outcome, steps=0) == pytest.approx(made.outcome.value, rel=0.005)


def test_a_car_that_nobody_can_start_costs_nothing_and_is_proven():
    # Plugged in from midnight to five, while everybody sleeps: the 5 kWh that are wanted are missing whatever is done.
    made = plan(
        a_household(
            bedtime="23:00",
            leads=[a_lead(control="hand")],
            vehicles=[a_car(control="hand", end_pct=60, plug_in_hours=["00:00", "05:00"])],
        )
    )

    assert made.outcome.short_kwh == pytest.approx(5)
    assert made.outcome.value == 0
    assert bound(made.problem, made.outcome, steps=0) == pytest.approx(0, abs=1e-6)


def test_a_car_below_its_boost_level_is_bounded_by_what_it_charges_at_once():
    # From 5 kWh up to 10 it charges at once, six quarters of an hour of 0.92 kWh at 0.30; the rest of 7 kWh is had at 0.10.
    made = plan(a_household(vehicles=[a_car(soc_pct=10, boost_pct=20, end_pct=24)]))

    cost = 5.52 * 0.30 + 1.48 * 0.10
    assert made.outcome.cost == pytest.approx(cost, abs=0.005)
    assert bound(made.problem, made.outcome, steps=0) == pytest.approx(cost, rel=0.01)


def test_a_car_that_waits_below_its_boost_level_since_it_must_is_bounded_by_what_it_then_charges():
    # The house leaves 10 A of 16 until 20:00: the 4.6 kWh of those two hours are charged at 0.30, and a quarter of an hour's
    # 0.92 more.
    made = plan(
        a_household(
            supply={"leg_voltage_v": 230, "legs": 1, "rating_a": 20, "continuous_factor": 1.0},
            base_load_kw=[["00:00", 0.0], ["18:00", 2.3], ["20:00", 0.0]],
            vehicles=[a_car(soc_pct=10, boost_pct=20, end_pct=24)],
        )
    )

    cost = (4.6 + 0.92) * 0.30 + 1.48 * 0.10
    assert made.outcome.cost == pytest.approx(cost, abs=0.005)
    assert bound(made.problem, made.outcome, steps=0) == pytest.approx(cost, rel=0.01)


def test_a_taper_that_no_current_feels_does_not_bring_both_cars_together():
    # 28 kWh of 40 are aboard, and 4 leave with the first trip. 6 more for the second are 4.7 hours at 8 A, cautiously, and
    # 2.1 at 16 A: so five hours at 1.84 kW, 9.2 kWh, or three at 3.68. An 11 kW charger takes a quarter of that when full,
    # and 3.68 kW up to 39 kWh: a mean car that was above 80 % is ahead of the cautious one all the same.
    cautious = {"efficiency": 0.88, "overhead_kw": 0.35}
    made = plan(
        a_household(
            horizon_nights=2,
            slot_minutes=60,
            leads=[a_lead(control="hand", steps_a=[8, 16])],
            vehicles=[
                a_car(
                    usable_kwh=40,
                    soc_pct=70,
                    reserve_pct=10,
                    daily_limit_pct=100,
                    control="hand",
                    onboard_kw=11,
                    taper_from_pct=80,
                    plug_in_hours=["20:00", "06:00"],
                )
            ],
            rates=[LOSSLESS | {"efficiency": 0.92, "overhead_kw": 0.25, "cautious": cautious}],
            trips=[
                a_trip("2026-01-15T06:00:00+01:00", "2026-01-15T15:00:00+01:00", 20),
                a_trip("2026-01-16T08:00:00+01:00", "2026-01-16T15:00:00+01:00", 130),
            ],
            tariff={"default_price": 0.20},
        )
    )

    assert made.outcome.cost == pytest.approx(5 * 1.84 * 0.20)
    assert bound(made.problem, made.outcome, steps=0) == pytest.approx(5 * 1.84 * 0.20, rel=0.01)


def test_a_battery_that_is_emptied_on_the_way_gives_no_more_than_it_has():
    # One session a night. The ten hours before the trip are 36.8 kWh of 45, and leave nothing for the 11 wanted at noon:
    # 2 are aboard and 40 taken. Missing 11 more of the trip instead, of the dear hours, would leave as little.
    made = plan(
        a_household(
            leads=[a_lead(control="timer")],
            vehicles=[a_car(control="timer", soc_pct=4, reserve_pct=10, end_pct=22)],
            trips=[a_trip("2026-01-15T04:00:00+01:00", "2026-01-15T05:00:00+01:00", 200)],
        )
    )

    cost = 3.68 * (4 * 0.30 + 6 * 0.10)
    assert made.outcome.short_kwh == pytest.approx(45 - 38.8 + 11)
    assert made.outcome.cost == pytest.approx(cost)
    assert bound(made.problem, made.outcome, steps=0) == pytest.approx(cost, rel=0.01)


def test_an_empty_battery_is_the_same_by_both_rates():
    # The trip takes 40 kWh of the 20.4 that the cautious car has at best, and of 38.8: both come back with nothing. The
    # cautious one's 11 at noon are 22 of the mean one from then on, an hour of it at 0.10, whatever it had charged before.
    cautious = {"efficiency": 0.5, "overhead_kw": 0}
    made = plan(
        a_household(
            vehicles=[a_car(soc_pct=4, reserve_pct=10, end_pct=22)],
            rates=[LOSSLESS | {"cautious": cautious}],
            trips=[a_trip("2026-01-15T04:00:00+01:00", "2026-01-15T05:00:00+01:00", 200)],
        )
    )

    cost = 3.68 * (4 * 0.30 + 6 * 0.10) + 3.68 * 0.10 + (22 - 3.68) * 0.30
    assert made.outcome.short_kwh == pytest.approx(45 - 20.4)
    assert made.outcome.cost == pytest.approx(cost, rel=0.001)
    assert bound(made.problem, made.outcome, steps=0) == pytest.approx(cost, rel=0.01)


def test_a_car_that_is_paid_for_what_it_burns_burns_no_more_than_until_it_is_full():
    # 4 kWh to the limit, slowly, since every kWh earns 0.05: at 8 A 1.84 kW are drawn, of which 1.4428 are stored.
    burning = {"efficiency": 0.92, "overhead_kw": 0.25}
    made = plan(
        a_household(
            slot_minutes=60,
            leads=[a_lead(steps_a=[8, 16])],
            vehicles=[a_car(usable_kwh=40, soc_pct=70, daily_limit_pct=80)],
            rates=[LOSSLESS | burning | {"cautious": burning}],
            tariff={"default_price": -0.05},
        )
    )

    earned = 0.05 * 4 / (0.92 * 1.84 - 0.25) * 1.84
    assert made.outcome.cost == pytest.approx(-earned)
    assert bound(made.problem, made.outcome, steps=0) == pytest.approx(-earned, rel=0.03)


def pinned_at_23(*, hours: int, amps: float) -> dict[str, Any]:
    start = at("2026-01-14T23:00:00+01:00")
    end = start + timedelta(hours=hours)
    return {"id": "p", "vehicle": "heron", "start": start.isoformat(), "end": end.isoformat(), "amps": amps}


def test_what_somebody_pinned_for_a_car_that_is_full_is_no_session():
    made = plan(a_household(vehicles=[a_car(soc_pct=80)], pins=[pinned_at_23(hours=2, amps=16)], start_price=0.01))

    assert made.outcome.value == 0
    assert bound(made.problem, made.outcome, steps=0) == pytest.approx(0, abs=1e-9)


def test_the_session_that_somebody_pinned_is_a_timer_s_only_one_that_night():
    # An hour at 8 A, 1.84 kWh of the 20 that its habit wishes for: nothing else can be had, and nothing else is missed.
    made = plan(
        a_household(
            habit="nightly",
            leads=[a_lead(control="timer")],
            vehicles=[a_car(control="timer", daily_limit_pct=90, plug_in_hours=["21:00", "06:00"])],
            pins=[pinned_at_23(hours=1, amps=8)],
        )
    )

    assert made.outcome.unwished_kwh == pytest.approx(20 - 1.84)
    assert bound(made.problem, made.outcome, steps=0) == pytest.approx(1.84 * 0.10)


def test_parts_of_the_prices_of_what_is_shared():
    # Two cars on one 16 A circuit; at no part of the prices nothing is given away, and own sun costs what it would earn.
    problem = build(two_cars_on(16))
    whole = shared_prices(problem)

    none, half = whole.part(0.0, 0.0), whole.part(0.5, 1.0)

    assert whole.limit_prices[0].max() > 0
    assert none.given_away() == 0
    assert (none.sun == whole.low).all()
    assert np.allclose(half.limit_prices[0], whole.limit_prices[0] / 2)
    assert (half.sun == whole.sun).all()
    # Nobody has own sun: there are no parts of its price to try.
    assert len(whole.parts((1.0, 0.5, 0.0))) == 3


def test_under_another_habit_the_bound_is_of_plans_under_that_habit():
    # From 50 to 80 % of 50 kWh every night: 15 kWh, all at 0.10, where the cheapest plan has nothing to do.
    told = document(plan(a_household(habit="nightly", rates=[LOSSLESS])))

    assert told["habit"] == "nightly"
    assert told["objective"]["value"] == pytest.approx(1.50, abs=0.001)
    assert told["objective"]["bound"] == pytest.approx(1.50, abs=0.02)


def test_a_car_near_its_limit_has_no_less_than_its_least_current_of_the_sun():
    # 0.4 kWh are wanted and 0.8 are left to the limit. Half a kW of own sun at 0.05, the grid at 0.30; at 6 A the car takes
    # 1.38 kW. Best is one slot of 0.4 kWh, 0.125 of them sun; four slots of nothing but sun are not to be had.
    household = dataclasses.replace(
        a_household(
            now="2026-01-14T09:00:00+01:00",
            slot_minutes=15,
            vehicles=[a_car(soc_pct=78.4, end_pct=79.2, daily_limit_pct=80)],
            tariff={"default_price": 0.30, "export_price": 0.05},
        ),
        solar_kw=((at("2026-01-14T09:00:00+01:00"), 0.5), (at("2026-01-14T12:00:00+01:00"), 0.0)),
    )
    made = plan(household)

    assert made.outcome.cost == pytest.approx(0.125 * 0.05 + 0.275 * 0.30, rel=0.01)
    assert bound(made.problem, made.outcome, steps=0) == pytest.approx(made.outcome.value, rel=0.05)


@pytest.mark.parametrize(("km", "short_kwh"), [(60, 0), (175, 30 - 7 * 3.68)])
def test_what_a_habit_cannot_have_of_a_night_loosens_no_bound(km: float, short_kwh: float):
    # 30 kWh up to the daily limit by 01:00, and seven hours of 3.68 kW: four at 0.30, three at 0.10. A trip of 60 km needs 7
    # kWh of them; what is missing for one of 175 km, which needs all, is missing of the daily limit, too, and counted once.
    made = plan(
        a_household(
            habit="nightly",
            vehicles=[a_car(soc_pct=20)],
            trips=[a_trip("2026-01-15T01:00:00+01:00", "2026-01-15T18:00:00+01:00", km)],
        )
    )

    assert made.outcome.short_kwh == pytest.approx(short_kwh)
    assert made.outcome.unwished_kwh == pytest.approx(30 - 7 * 3.68)
    assert bound(made.problem, made.outcome, steps=0) == pytest.approx(3.68 * (4 * 0.30 + 3 * 0.10), rel=0.005)


@pytest.mark.parametrize("km", [20, 200])
def test_what_two_cars_habits_cannot_have_together_is_priced(km: float):
    # Both up to 45 of 50 kWh by 02:00, 20 more each; a shared 16 A gives 29.44, half of it at 0.30. 10.56 are missing, whose
    # is open. A trip of 20 km asks for none of it; one of 200 km needs 45 kWh, and misses what the habit does.
    trip = a_trip("2026-01-15T02:00:00+01:00", "2026-01-15T18:00:00+01:00", km)
    made = plan(
        a_household(
            habit="nightly",
            leads=[a_lead(), a_lead(id="second")],
            circuits=[a_circuit(sharing="free", breaker_a=16)],
            vehicles=[a_car(daily_limit_pct=90), a_car(id="wren", lead="second", daily_limit_pct=90)],
            rates=[LOSSLESS, LOSSLESS | {"vehicle": "wren", "lead": "second"}],
            trips=[trip, trip | {"vehicle": "wren"}],
        )
    )

    assert made.outcome.unwished_kwh == pytest.approx(10.56, abs=0.01)
    assert made.outcome.short_kwh == pytest.approx(0 if km == 20 else 10.56, abs=0.01)
    assert bound(made.problem, made.outcome, steps=20) == pytest.approx(14.72 * 0.30 + 14.72 * 0.10, rel=0.02)


def test_under_sun_first_nothing_is_claimed():
    told = document(plan(a_household(habit="sun_first")))

    assert told["objective"]["bound"] is None
    assert told["objective"]["tight"] is False


def test_a_car_that_follows_its_own_sun_is_bounded_closely_and_not_too_high():
    # 15 kWh; the night costs 0.10, and own sun for six hours 0.05. The car may follow it from 1.38 kW on: 12.075 kWh of sun
    # and 2.925 kWh of night. A slot's sun is 87.5 of the 160 units that its most is reckoned in: whole units alone would
    # leave half a unit of it in each of 24 slots, 0.0029 kWh at 0.05.
    household = dataclasses.replace(
        a_household(vehicles=[a_car(end_pct=80)]),
        solar_kw=((at("2026-01-15T06:00:00+01:00"), 2.0125), (at("2026-01-15T12:00:00+01:00"), 0.0)),
    )
    household = dataclasses.replace(household, tariff=dataclasses.replace(household.tariff, export_price=0.05))
    made = plan(household)

    cost = 12.075 * 0.05 + 2.925 * 0.10
    assert made.outcome.cost == pytest.approx(cost, rel=0.001)
    assert cost - 0.007 <= bound(made.problem, made.outcome, steps=0) <= cost + 1e-6


@pytest.mark.parametrize("seed", range(3))
def test_the_same_household_gives_the_same_plan(seed: int):
    text = json.dumps(a_family_household(seed, cars=2, nights=2))

    assert document(plan(read(text))) == document(plan(read(text)))


def test_a_fortnight_of_six_cars_ends_with_a_plan():
    made = plan(read(json.dumps(a_family_household(3, cars=6, nights=14))), prove=False)

    assert broken_rules(made.problem, [car.amps for car in made.outcome.cars]) == []
    assert sum(len(of_car) for of_car in made.sessions) > 20
