"""What a session's reason says, and what is said to bind where a departure is short."""

from typing import Any

import pytest

from moonplan.core.planner.plan import document, plan
from tests.core.factories import LOSSLESS, a_car, a_circuit, a_household, a_lead, a_trip

QUARTER = {
    "id": "p",
    "vehicle": "heron",
    "start": "2026-01-14T18:15:00+01:00",
    "end": "2026-01-14T18:30:00+01:00",
    "amps": 16,
}


def told(**changes: Any) -> dict[str, Any]:
    return document(plan(a_household(**changes), prove=False))


def reason(**changes: Any) -> str:
    return str(told(**changes)["vehicles"][0]["sessions"][0]["reason"])


def test_a_step_more_or_less_is_told_in_minutes():
    # 7.36 kWh: 2 h at 16 A (3.68 kW), 3 h 12 min at 10 A, 1 h at 32 A, which the circuit does not give.
    assert "10 A would take 1 h 12 min longer" in reason(
        leads=[a_lead(steps_a=[10, 16])], vehicles=[a_car(end_pct=64.72, daily_limit_pct=64.72)]
    )


def test_the_cheaper_hours_may_all_be_used():
    # 8 h at 3.68 kW are 29.4 kWh at the night price; 35 kWh are wanted, so some of them cost 0.30.
    assert "since every cheaper hour is used already" in reason(vehicles=[a_car(soc_pct=10, end_pct=80)])


def test_another_car_may_have_the_current_in_the_cheaper_hours():
    # Two hours at 0.10 for one car of two that both want 7 kWh.
    cheap = {"name": "cheap", "price": 0.1, "from": "22:00", "to": "00:00"}
    answer = told(
        leads=[a_lead(steps_a=[16]), a_lead(id="second", steps_a=[16])],
        circuits=[a_circuit(sharing="none")],
        vehicles=[a_car(end_pct=64), a_car(id="wren", name="Wren", lead="second", end_pct=64)],
        rates=[LOSSLESS, LOSSLESS | {"vehicle": "wren", "lead": "second"}],
        tariff={"default_price": 0.3, "bands": [cheap]},
    )
    reasons = [session["reason"] for vehicle in answer["vehicles"] for session in vehicle["sessions"]]

    assert any("has the current in the cheaper hours" in one for one in reasons)


def test_cheaper_hours_before_the_departure_that_a_session_is_for_are_not_said_to_come_too_late():
    # Heron is out for an hour in the evening; the session is for Thursday, and the cheap hours are before that.
    cheap = {"name": "cheap", "price": 0.1, "from": "02:00", "to": "04:00"}
    told_of_hand = reason(
        vehicles=[a_car(control="hand", soc_pct=30)],
        leads=[a_lead(control="hand")],
        trips=[
            a_trip("2026-01-14T18:15:00+01:00", "2026-01-14T19:00:00+01:00", 5),
            a_trip("2026-01-15T07:00:00+01:00", "2026-01-15T18:00:00+01:00", 60),
        ],
        tariff={"default_price": 0.3, "bands": [cheap]},
    )

    assert told_of_hand.startswith(
        "for Thursday 07:00 (60 km); the default price, 0.3 a kWh, since nobody is up to start it"
    )


def test_the_cheaper_hours_may_come_after_it_has_left():
    # 70 km are 14 kWh, half of them to be charged before 21:00; the cheap hours that are left after 03:00 come too late.
    told_of_heron = reason(
        vehicles=[a_car(soc_pct=24)], trips=[a_trip("2026-01-14T21:00:00+01:00", "2026-01-15T03:00:00+01:00", 70)]
    )

    assert told_of_heron.startswith(
        "for Wednesday 21:00 (70 km); the default price, 0.3 a kWh, since the cheaper hours come after it has left"
    )


def test_a_timer_has_one_session_and_the_cheap_hours_are_two():
    # An hour at 0.10, one at 0.30, an hour at 0.10: 7.36 kWh in one go take in the dear one, or come at 0.30 elsewhere.
    cheap = [{"name": "cheap", "price": 0.1, "from": f"{hour}:00", "to": f"{hour + 1}:00"} for hour in (20, 22)]
    told_of_timer = reason(
        vehicles=[a_car(control="timer", end_pct=64.72, daily_limit_pct=64.72)],
        leads=[a_lead(control="timer", steps_a=[16])],
        tariff={"default_price": 0.3, "bands": cheap},
    )

    assert "0.2 a kWh, since it has one session a night, at one current" in told_of_timer


def test_two_cars_have_what_a_third_would_like():
    # Wren and Teal are pinned at 6 A through the two cheap hours, and 3 A are no current to charge at.
    cheap = {"name": "cheap", "price": 0.1, "from": "22:00", "to": "00:00"}
    hours = {"start": "2026-01-14T22:00:00+01:00", "end": "2026-01-15T00:00:00+01:00", "amps": 6}
    names = {"wren": "Wren", "teal": "Teal"}
    told_of_heron = reason(
        supply=ONE_LEG,
        leads=[a_lead(), *(a_lead(id=f"{name} lead", circuit=name) for name in names)],
        circuits=[a_circuit(), *(a_circuit(id=name) for name in names)],
        vehicles=[
            a_car(end_pct=60),
            *(a_car(id=name, name=shown, lead=f"{name} lead") for name, shown in names.items()),
        ],
        rates=[LOSSLESS, *(LOSSLESS | {"vehicle": name, "lead": f"{name} lead"} for name in names)],
        pins=[hours | {"id": name, "vehicle": name} for name in names],
        tariff={"default_price": 0.3, "bands": [cheap]},
    )

    assert "since Wren and Teal have the current in the cheaper hours" in told_of_heron


ONE_LEG = {"leg_voltage_v": 230, "legs": 1, "rating_a": 16, "continuous_factor": 1.0, "base_margin_a": 1}


def test_who_has_the_rest_of_the_current_is_named_and_until_when():
    # 15 A on one leg, and Wren is pinned at 6 A for the first two of the eight cheap hours; Heron wants them all.
    answer = told(
        supply=ONE_LEG,
        leads=[a_lead(), a_lead(id="second", circuit="shed")],
        circuits=[a_circuit(), a_circuit(id="shed")],
        vehicles=[a_car(soc_pct=10, end_pct=80), a_car(id="wren", name="Wren", lead="second")],
        rates=[LOSSLESS, LOSSLESS | {"vehicle": "wren", "lead": "second"}],
        pins=[
            {
                "id": "p",
                "vehicle": "wren",
                "amps": 6,
                "start": "2026-01-14T22:00:00+01:00",
                "end": "2026-01-15T00:00:00+01:00",
            }
        ],
    )
    heron = answer["vehicles"][0]["sessions"][0]["reason"]

    assert "; from 22:00 until 00:00 no more, since Wren has the rest of leg L1 of the supply" in heron


def test_the_house_may_have_the_rest_of_the_current():
    # The house's 1.15 kW are 5 A of 16, and 1 A is kept free. 18 kWh are all but ten minutes of the cheap hours at 10 A.
    assert "; no more, since the house has the rest of leg L1 of the supply; 16 A would" in reason(
        supply=ONE_LEG,
        base_load_kw=[["00:00", 1.15]],
        leads=[a_lead(control="timer", steps_a=[6, 9, 10, 16])],
        vehicles=[a_car(end_pct=86, daily_limit_pct=90, control="timer")],
    )


def test_a_circuit_that_is_shared_evenly_is_named():
    # 16 A for two leads, wanted or not: 8 A each; 8 h of that are 14.7 kWh, and 14 are wanted.
    assert "; no more, since circuit carport is shared evenly" in reason(
        leads=[a_lead(), a_lead(id="second")],
        circuits=[a_circuit(sharing="even")],
        vehicles=[a_car(end_pct=78), a_car(id="wren", lead="second", soc_pct=80)],
        rates=[LOSSLESS, LOSSLESS | {"vehicle": "wren", "lead": "second"}],
    )


def test_a_habit_that_charges_slowly_is_named():
    # 7 kWh in the eight cheap hours: 6 A, the least there is, take 5 h.
    assert "; no more, as the habit asks" in reason(habit="low_current", vehicles=[a_car(end_pct=64)])


def test_a_session_at_all_that_its_chain_carries_needs_no_reason_for_no_more():
    assert "no more" not in reason(vehicles=[a_car(end_pct=64)])
    # At 240 V the on-board charger has its 3.68 kW at 15.34 A already.
    assert "no more" not in reason(vehicles=[a_car(end_pct=64)], rates=[LOSSLESS | {"voltage_v": 240}])


def test_the_habit_is_named_where_it_asks():
    assert reason(habit="nightly").startswith("up to 80%, as the habit asks")


@pytest.mark.parametrize(
    ("changes", "what"),
    [
        # Three hours until 21:00 give 11 kWh, and 20 are missing.
        ({}, "power"),
        # Plugged in from 20:00 on only: one hour of three, and 10 kWh are missing.
        ({"vehicles": [a_car(plug_in_hours=["20:00", "08:00"])], "km": 150}, "hours"),
        # Somebody set 55 % for tonight, and 33 kWh are needed.
        ({"overrides": [{"vehicle": "heron", "night": "2026-01-14", "limit_pct": 55}], "km": 140}, "limit"),
        # 5 kWh are missing, and while nobody is up, from 18:30 on, nothing may be charged.
        ({"habit": "awake", "bedtime": "18:30", "wake": "23:30", "km": 120}, "habit"),
        # A timer's one session is pinned to a quarter of an hour.
        ({"vehicles": [a_car(control="timer")], "leads": [a_lead(control="timer")], "pins": [QUARTER], "km": 120}, "pin"),
    ],
)
def test_what_binds_a_short_departure(changes: dict[str, Any], what: str):
    km = changes.pop("km", 200)
    trip = a_trip("2026-01-14T21:00:00+01:00", "2026-01-15T03:00:00+01:00", km)
    departure = told(trips=[trip], **changes)["vehicles"][0]["departures"][0]

    assert departure["short_kwh"] > 0
    assert departure["binds"] == what


def test_the_other_car_on_the_circuit_may_bind():
    # 16 A for both, and both need all three hours until 21:00.
    trips = [
        a_trip("2026-01-14T21:00:00+01:00", "2026-01-15T03:00:00+01:00", 150),
        a_trip("2026-01-14T21:00:00+01:00", "2026-01-15T03:00:00+01:00", 150) | {"vehicle": "wren"},
    ]
    answer = told(
        leads=[a_lead(), a_lead(id="second")],
        circuits=[a_circuit(sharing="none")],
        vehicles=[a_car(), a_car(id="wren", lead="second")],
        rates=[LOSSLESS, LOSSLESS | {"vehicle": "wren", "lead": "second"}],
        trips=trips,
    )

    short = [one for vehicle in answer["vehicles"] for one in vehicle["departures"] if one["short_kwh"] > 0]
    assert short
    assert all(one["binds"] == "shared current" for one in short)
    # 10 kWh for each, and 11.04 kWh for both: 8.96 are missing, and no plan can miss less.
    assert answer["totals"]["short_kwh"] == pytest.approx(20 - 11.04, abs=0.02)
