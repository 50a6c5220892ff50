"""What cars share and who may do what when: each rule broken on purpose, and told."""

from typing import Any

import numpy as np
import pytest

from moonplan.core.planner.at_once import at_once
from moonplan.core.planner.building import build, control_of
from moonplan.core.planner.constraints import (
    asleep_stretches,
    base_amps,
    broken_rules,
    loaded_legs,
    may_end,
    may_start,
    room_for,
    shared_limits,
    sun_for,
)
from moonplan.core.planner.outcome import outcome
from moonplan.core.planner.problem import Problem
from moonplan.core.simulate import runs
from moonplan.core.timegrid import Floats
from tests.core.factories import a_car, a_circuit, a_household, a_lead, a_trip


def two_cars(**changes: Any) -> Problem:
    """Two cars, each on a lead of its own, on one circuit; slots of an hour from 18:00."""
    ordinary = {
        "slot_minutes": 60,
        "leads": [a_lead(), a_lead(id="second")],
        "vehicles": [a_car(), a_car(id="wren", lead="second")],
        "rates": [],
    }
    return build(a_household(**ordinary | changes))


def offers(problem: Problem, *per_car: dict[int, float]) -> list[Floats]:
    """Setpoints from {slot: amps} for each car."""
    amps = [np.zeros(problem.grid.n_slots) for _ in problem.cars]
    for offered, wanted in zip(amps, per_car, strict=False):
        for slot, current in wanted.items():
            offered[slot] = current
    return amps


def told(problem: Problem, *per_car: dict[int, float]) -> str:
    return " / ".join(broken_rules(problem, offers(problem, *per_car)))


def test_nothing_offered_breaks_nothing():
    assert told(two_cars()) == ""


def test_more_than_the_chain_lets_through():
    assert "is offered 17 A" in told(two_cars(), {0: 17})


def test_a_current_between_the_steps():
    problem = two_cars(leads=[a_lead(steps_a=[6, 10]), a_lead(id="second")])

    assert "which its lead cannot" in told(problem, {0: 8})
    assert told(problem, {0: 10}) == ""


def test_charging_while_away():
    trip = a_trip("2026-01-14T20:00:00+01:00", "2026-01-14T21:30:00+01:00", 10)
    problem = two_cars(trips=[trip])

    # Home until 20:00 and again for all of the slot from 22:00.
    assert [bool(flag) for flag in problem.cars[0].chargeable[:5]] == [True, True, False, False, True]
    assert "when it cannot" in told(problem, {2: 10})


def test_a_circuit_is_shared_by_what_is_offered():
    problem = two_cars(circuits=[a_circuit(sharing="free")])

    assert told(problem, {0: 8}, {0: 8}) == ""
    assert "circuit carport carries 18.00 of 16.00" in told(problem, {0: 10}, {0: 8})


def test_without_sharing_two_leads_run_together_only_if_their_full_limits_fit():
    tight = two_cars(circuits=[a_circuit(sharing="none")])
    supply = {"leg_voltage_v": 230, "legs": 3, "rating_a": 40, "continuous_factor": 1.0}
    roomy = two_cars(circuits=[a_circuit(sharing="none", breaker_a=32)], supply=supply)

    assert "circuit carport" in told(tight, {0: 6}, {0: 6})
    assert told(roomy, {0: 16}, {0: 16}) == ""


def test_the_default_is_free_where_every_hook_up_is_managed():
    by_hand = two_cars(
        vehicles=[a_car(), a_car(id="wren", lead="second", control="hand")],
        leads=[a_lead(), a_lead(id="second", control="hand")],
    )

    assert two_cars().sharing["carport"] == "free"
    assert by_hand.sharing["carport"] == "none"


@pytest.mark.parametrize(
    ("car", "lead", "control"), [("hand", "timer", "timer"), ("managed", "hand", "managed"), ("hand", "hand", "hand")]
)
def test_the_better_of_car_and_lead_says_what_can_be_carried_out(car: str, lead: str, control: str):
    household = a_household(leads=[a_lead(control=lead)], vehicles=[a_car(control=car)])

    assert control_of(household.vehicles[0], household.leads[0]) == control


def test_a_leg_carries_cars_house_and_margin():
    # 6.9 kW over three legs of 230 V are 10 A each; 25 − 10 − 1 = 14 A are left, × 0.8 for hours = 11.2 A for cars.
    problem = two_cars(
        supply={"leg_voltage_v": 230, "legs": 3, "rating_a": 25, "continuous_factor": 0.8, "base_margin_a": 1},
        base_load_kw=[["00:00", 6.9]],
        circuits=[a_circuit(breaker_a=32)],
    )

    assert base_amps(problem)[0] == pytest.approx(10)
    assert told(problem, {0: 11.2}) == ""
    assert "leg L1 of the supply" in told(problem, {0: 11.3})


def test_a_car_on_one_phase_loads_the_circuit_s_first_leg_and_a_two_leg_circuit_both():
    three = build(a_household(circuits=[a_circuit(phases=3, legs=["L2", "L3", "L1"])]))
    split = build(
        a_household(
            supply={"leg_voltage_v": 120, "legs": 2, "rating_a": 100, "continuous_factor": 0.8},
            circuits=[a_circuit(voltage_v=240, legs=["L1", "L2"])],
        )
    )

    assert loaded_legs(three, three.cars[0]) == ("L2",)
    assert loaded_legs(split, split.cars[0]) == ("L1", "L2")


def test_240_volts_between_legs_of_120_load_both_though_nobody_named_them():
    # A car on 240 V, and one at 15 A on 120 V of L2, of 50 A there: 32 + 15 are not too much for L2, and 40 + 15 are.
    problem = two_cars(
        supply={"leg_voltage_v": 120, "legs": 2, "rating_a": 50, "continuous_factor": 1.0},
        circuits=[a_circuit(breaker_a=40, voltage_v=240), a_circuit(id="shed", voltage_v=120, breaker_a=20, legs=["L2"])],
        leads=[a_lead(max_a=40), a_lead(id="second", circuit="shed")],
        vehicles=[a_car(onboard_kw=9.6), a_car(id="wren", lead="second")],
    )

    assert loaded_legs(problem, problem.cars[0]) == ("L1", "L2")
    assert told(problem, {0: 32}, {0: 15}) == ""
    assert "leg L2 of the supply" in told(problem, {0: 40}, {0: 15})


def test_a_feeder_holds_back_the_circuits_behind_it():
    problem = two_cars(
        feeders=[{"id": "panel", "rating_a": 20, "continuous_factor": 1.0, "other_load_a": 6}],
        circuits=[a_circuit(feeder="panel", breaker_a=32)],
    )

    assert told(problem, {0: 14}) == ""
    assert "leg L1 of panel" in told(problem, {0: 8}, {0: 7})


def test_a_feeder_that_says_nothing_else_has_the_legs_of_the_supply_and_is_told_by_its_name():
    panel = {"id": "7", "name": "Garage panel", "rating_a": 20, "continuous_factor": 0.8}
    problem = two_cars(
        supply={"leg_voltage_v": 120, "legs": 2, "rating_a": 100, "continuous_factor": 0.8},
        feeders=[panel],
        circuits=[a_circuit(feeder="7", breaker_a=40, voltage_v=240, legs=["L1", "L2"])],
    )

    # 20 A × 0.8 are 16 A for hours, on each of the two legs.
    assert told(problem, {0: 10}, {0: 6}) == ""
    assert "leg L2 of Garage panel carries 21.25 of 20.00 A at Wed 14 Jan, 18:00" in told(problem, {0: 10}, {0: 7})


def test_contracted_power_is_what_the_house_leaves():
    problem = two_cars(tariff={"default_price": 0.3, "contracted_kw": 5}, base_load_kw=[["00:00", 3.0]])

    # 5 − 3 kW leave 2 kW: 8.69 A at 230 V.
    assert told(problem, {0: 8.69}) == ""
    assert "the contracted power" in told(problem, {0: 8.70})


def test_a_house_beyond_its_contract_leaves_nothing_and_not_less():
    problem = two_cars(tariff={"default_price": 0.3, "contracted_kw": 2}, base_load_kw=[["00:00", 3.0]])

    contract = next(limit for limit in shared_limits(problem) if limit.subject == "the contracted power")
    assert set(contract.capacity) == {0.0}
    assert told(problem) == ""


# --- by timer and by hand ----------------------------------------------------------------------------------------------


def one_car(control: str, **changes: Any) -> Problem:
    ordinary = {
        "slot_minutes": 60,
        "leads": [a_lead(control=control)],
        "vehicles": [a_car(control=control)],
        "rates": [],
        "bedtime": "22:00",
        "wake": "07:00",
    }
    return build(a_household(**ordinary | changes))


def test_a_timer_starts_once_a_night_at_one_current():
    problem = one_car("timer")

    assert told(problem, {5: 10, 6: 10}) == ""
    assert "starts twice" in told(problem, {2: 10, 5: 10})
    assert "changes its current" in told(problem, {5: 10, 6: 12})


def test_the_next_night_may_start_again():
    # Slot 18 is noon: a new night.
    assert told(one_car("timer", horizon_nights=2), {5: 10, 19: 10}) == ""


def test_by_hand_it_starts_and_stops_while_someone_is_up():
    problem = one_car("hand")

    # 18:00 is slot 0, 22:00 slot 4 (bedtime counts), 07:00 slot 13.
    assert told(problem, {2: 10, 3: 10}) == ""
    assert told(problem, dict.fromkeys(range(4, 13), 10)) == ""
    assert "when nobody is up" in told(problem, {5: 10})
    assert "is stopped" in told(problem, {4: 10, 5: 10})


def test_by_hand_it_may_end_asleep_where_the_car_is_full():
    full = one_car("hand", vehicles=[a_car(control="hand", soc_pct=78)])

    # 1 kWh short of the limit: full within the first hour, whatever the rate.
    assert told(full, {4: 16}) == ""


def test_a_car_that_comes_home_after_bedtime_starts_at_its_arrival():
    trip = a_trip("2026-01-14T19:00:00+01:00", "2026-01-14T23:30:00+01:00", 10)
    problem = one_car("hand", trips=[trip])
    starts = may_start(problem, problem.cars[0])

    # Home from 23:30: the first whole slot is midnight, slot 6.
    assert [slot for slot in range(4, 14) if starts[slot]] == [6, 13]


def test_a_session_ends_where_the_car_leaves():
    trip = a_trip("2026-01-15T05:30:00+01:00", "2026-01-15T06:00:00+01:00", 10)
    problem = one_car("hand", trips=[trip])

    # 05:30 lies in slot 11, so slot 10 is the last.
    assert may_end(problem, problem.cars[0])[10]
    assert told(problem, dict.fromkeys(range(4, 11), 10)) == ""


# --- two cars on one lead ----------------------------------------------------------------------------------------------


def on_one_lead() -> Problem:
    return two_cars(vehicles=[a_car(), a_car(id="wren")], leads=[a_lead()], bedtime="22:00", wake="07:00")


def test_one_at_a_time():
    assert "two cars are on unit at Wed 14 Jan, 19:00" in told(on_one_lead(), {1: 10}, {1: 6})


def test_changed_over_only_while_someone_is_up():
    problem = on_one_lead()

    assert told(problem, {2: 10, 3: 10}, {4: 10, 5: 10}) == ""
    assert "unit changes cars while nobody is up" in told(problem, {5: 10}, {7: 10})
    assert told(problem, {5: 10}, {13: 10}) == ""


def test_asleep_from_bedtime_to_wake():
    # Edges 5 (23:00) to 12 (06:00) are asleep; the slots that touch them are 4 to 12.
    assert asleep_stretches(on_one_lead()) == [range(4, 13)]


# --- what is left ------------------------------------------------------------------------------------------------------


def test_what_the_others_leave_of_a_circuit_and_of_the_sun():
    problem = two_cars(
        circuits=[a_circuit(sharing="free")],
        solar_kw=[["2026-01-15T09:00:00+01:00", 4.0], ["2026-01-15T12:00:00+01:00", 0]],
    )
    amps = offers(problem, {0: 10, 15: 10}, {})

    assert list(room_for(problem, amps, 1)[:2]) == [6, 16]
    # 4 kWh in the hour from 09:00, less 2.3 kWh that the other car draws.
    assert sun_for(problem, amps, 1)[15] == pytest.approx(1.7)


def test_at_once_a_car_that_draws_again_from_noon_on_has_had_the_session_of_the_next_night():
    # 5 kWh up to tonight's 30 %: six quarters of an hour. From noon on it may have more, and is out from one to two.
    problem = build(
        a_household(
            now="2026-01-15T00:00:00+01:00",
            leads=[a_lead(control="timer")],
            vehicles=[a_car(control="timer", soc_pct=20)],
            overrides=[{"vehicle": "heron", "night": "2026-01-14", "limit_pct": 30}],
            trips=[a_trip("2026-01-15T13:00:00+01:00", "2026-01-15T14:00:00+01:00", 50)],
        )
    )
    (amps,) = at_once(problem)

    assert broken_rules(problem, [amps]) == []
    assert [(run.first, run.last) for run in runs(amps)] == [(0, 5), (48, 51)]


@pytest.mark.parametrize("control", ["managed", "timer", "hand"])
@pytest.mark.parametrize("sharing", ["free", "even", "none"])
def test_at_once_breaks_no_rule_and_fills_what_it_can(control: str, sharing: str):
    problem = two_cars(
        circuits=[a_circuit(sharing=sharing)],
        leads=[a_lead(control=control), a_lead(id="second", control=control)],
        vehicles=[a_car(control=control), a_car(id="wren", lead="second", control=control)],
    )
    amps = at_once(problem)

    assert broken_rules(problem, amps) == []
    assert outcome(problem, amps).cars[0].mean.soc_kwh[-1] == pytest.approx(40)
