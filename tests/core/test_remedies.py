"""Ways out of a shortage, each found by planning again."""

from typing import Any

import pytest

from moonplan.core.household import Household
from moonplan.core.planner.plan import Plan, document, plan
from moonplan.core.planner.remedies import Remedy, applied, remedies
from tests.core.factories import LOSSLESS, a_car, a_circuit, a_household, a_lead, a_trip

LEAVE, BACK = "2026-01-15T07:00:00+01:00", "2026-01-15T18:00:00+01:00"


def a_short_thursday(km: float = 170, **changes: Any) -> Household:
    """25 kWh aboard, 13 h at home: 170 km and the reserve want 39 kWh at 7:00."""
    return a_household(**{"trips": [a_trip(LEAVE, BACK, km)]} | changes)


def short(made: Plan) -> float:
    return made.outcome.cars[0].departures[0].short_kwh


def ways_out(household: Household) -> tuple[Plan, dict[str, Remedy]]:
    made = plan(household, prove=False)
    return made, {remedy.told: remedy for remedy in remedies(made, 0, 0)}


def test_a_departure_that_is_ready_needs_no_way_out():
    assert ways_out(a_short_thursday())[1] == {}


def test_one_step_more_of_current_closes_it():
    # 14 kWh in 13 h: at 6 A only 1.38 kW × 13 h = 17.9; the ceiling of tonight leaves 6 A for five hours only.
    household = a_short_thursday(
        leads=[a_lead(steps_a=[6, 10, 16])],
        vehicles=[a_car(ceiling_a=6, plug_in_hours=["22:00", "07:00"])],
    )
    # 9 h × 1.38 kW = 12.42 of 14 kWh: 1.58 short. 10 A give 20.7.
    made, found = ways_out(household)

    assert short(made) == pytest.approx(1.58)
    step = found["10 A instead of 6"]
    assert step.closes
    assert short(plan(applied(household, step.edits), prove=False)) == 0
    assert "16 A instead of 6" not in found, "the smaller step does already"


def test_of_a_lead_with_many_steps_a_few_are_tried():
    # Every whole ampere from 6 to 16. 170 km want 14 kWh, and nine hours at 7 A, 1.61 kW, are 14.49: the next step closes
    # it. 180 km want 16, which takes 7.73 A: 7 A leave some of it, and of the ten steps above 6 A the one in the middle
    # closes it.
    lead, car = a_lead(steps_a=list(range(6, 17))), a_car(ceiling_a=6, plug_in_hours=["22:00", "07:00"])

    near, far = (ways_out(a_short_thursday(km, leads=[lead], vehicles=[car]))[1] for km in (170, 180))

    assert [told for told in near if " A " in told] == ["7 A instead of 6"]
    assert [told for told in far if " A " in told] == ["12 A instead of 6", "7 A instead of 6"]


def test_more_current_the_night_before_is_tried_before_more_every_night():
    # Two nights of 22:00 to 7:00 at 6 A, 12.42 kWh each. Thursday's 100 km leave 25 + 12.42 − 20 = 17.42 kWh; Friday's
    # 150 km and the reserve want 35: 5.16 are short after another 12.42, and 10 A for that one night, 20.7 kWh, close it.
    trips = [a_trip(LEAVE, BACK, 100), a_trip("2026-01-16T07:00:00+01:00", "2026-01-16T18:00:00+01:00", 150)]
    car = a_car(ceiling_a=6, plug_in_hours=["22:00", "07:00"])
    household = a_household(horizon_nights=2, trips=trips, vehicles=[car], leads=[a_lead(steps_a=[6, 10, 16])])
    made = plan(household, prove=False)

    [step, *_] = remedies(made, 0, 1)

    assert made.outcome.cars[0].departures[1].short_kwh == pytest.approx(35 - 17.42 - 12.42)
    assert step.told == "10 A instead of 6 the night before"
    assert [edit.night.isoformat() for edit in step.edits] == ["2026-01-15"]


def test_more_current_closes_what_is_missing_when_the_nights_end():
    # Nobody leaves, and 80 % of 50 kWh are wanted at noon: 9 h × 1.38 kW leave 25 + 12.42 of 40, and 10 A give 20.7.
    household = a_household(
        leads=[a_lead(steps_a=[6, 10, 16])],
        vehicles=[a_car(ceiling_a=6, plug_in_hours=["22:00", "07:00"], end_pct=80)],
    )
    made, found = ways_out(household)

    assert made.outcome.short_kwh == pytest.approx(40 - 37.42)
    assert found["10 A instead of 6"].closes
    assert plan(applied(household, found["10 A instead of 6"].edits), prove=False).outcome.short_kwh == 0
    assert not any("trip" in told or "on the way" in told for told in found), "there is no trip"
    # 22:00 to 7:00 is 1.38 kW short of 2.58 kWh: an hour more leaves 1.2 of it, two hours none.
    assert found["plug it in from 21:00, 1 h earlier"].short_kwh == pytest.approx(2.58 - 1.38)
    assert found["plug it in from 20:00, 2 h earlier"].closes


def test_more_current_before_the_end_is_tried_in_the_last_nights_first():
    # Back on Thursday evening with 25 + 12.42 − 30 = 7.42 kWh. Two nights of 12.42 leave 7.74 missing of the 40 that are
    # wanted on Saturday; at 10 A, 20.7 kWh each, nothing, and one night more of it would not have been needed.
    household = a_household(
        horizon_nights=3,
        leads=[a_lead(steps_a=[6, 10, 16])],
        vehicles=[a_car(ceiling_a=6, plug_in_hours=["22:00", "07:00"], end_pct=80)],
        trips=[a_trip(LEAVE, BACK, 150)],
    )
    made = plan(household, prove=False)

    [step, *others] = remedies(made, 0, 1)

    assert made.outcome.cars[0].shorts_kwh[1] == pytest.approx(40 - 7.42 - 2 * 12.42)
    assert (step.told, step.closes) == ("10 A instead of 6 from Thursday night on", True)
    assert [edit.night.isoformat() for edit in step.edits] == ["2026-01-15", "2026-01-16"]
    # What is charged on Thursday's way is there at the end, too.
    [on_the_way] = [one for one in others if "on the way" in one.told]
    assert (on_the_way.told, on_the_way.closes) == ("charge 7.8 kWh on the way on Thursday", True)


def test_the_other_car_takes_the_last_trip_for_what_is_missing_when_the_nights_end():
    # Not plugged in after the trip, 25 − 20 kWh leave 5 of the 25 that are wanted at noon; Wren is full and wants nothing.
    household = a_household(
        horizon_nights=2,
        circuits=[a_circuit(), a_circuit(id="shed")],
        leads=[a_lead(), a_lead(id="second", circuit="shed")],
        vehicles=[
            a_car(plug_in_hours=["19:00", "19:15"], end_pct=50),
            a_car(id="wren", name="Wren", lead="second", soc_pct=100),
        ],
        rates=[LOSSLESS, LOSSLESS | {"vehicle": "wren", "lead": "second"}],
        trips=[a_trip(LEAVE, BACK, 100)],
    )
    made = plan(household, prove=False)

    found = {one.told: one for one in remedies(made, 0, 1)}

    assert found["take Wren for the trip on Thursday"].closes


def test_plugging_in_earlier_closes_it_by_the_smallest_hour_that_does():
    # From 5:00 on two hours at 3.68 kW give 7.36 of 14 kWh; an hour earlier 11.04, two hours 14.72.
    made, found = ways_out(a_short_thursday(vehicles=[a_car(plug_in_hours=["05:00", "09:00"])]))

    assert short(made) == pytest.approx(14 - 7.36)
    assert not found["plug it in from 04:00, 1 h earlier"].closes
    assert found["plug it in from 04:00, 1 h earlier"].short_kwh == pytest.approx(14 - 11.04)
    assert found["plug it in from 03:00, 2 h earlier"].closes
    assert "plug it in whenever it is home" not in found


def test_a_limit_that_somebody_lowered_is_raised():
    override = {"vehicle": "heron", "night": "2026-01-14", "limit_pct": 60}
    made, found = ways_out(a_short_thursday(overrides=[override]))

    assert short(made) == pytest.approx(39 - 30)
    assert found["a limit of 78 % instead of the one that was set"].closes


def test_the_other_car_takes_the_trip_where_it_is_at_home_and_has_enough():
    wren = a_car(id="wren", lead="second", soc_pct=80)
    household = a_short_thursday(
        km=250,
        circuits=[a_circuit(), a_circuit(id="shed")],
        leads=[a_lead(), a_lead(id="second", circuit="shed")],
        vehicles=[a_car(soc_pct=10, daily_limit_pct=100, plug_in_hours=["05:00", "07:00"]), wren],
        rates=[LOSSLESS, LOSSLESS | {"vehicle": "wren", "lead": "second"}],
    )
    made, found = ways_out(household)

    assert short(made) > 30
    assert found["take wren for that trip"].closes


def wanted_by(by: str, **tonight: Any) -> Household:
    """14 kWh are missing at 18:00 for Thursday 7:00, and somebody wants them sooner; cheap is only the time from 2:00 on."""
    bands = [{"name": "night", "price": 0.1, "days": ["wed", "thu"], "from": "02:00", "to": "06:00"}]
    overrides = [{"vehicle": "heron", "night": "2026-01-14", "ready_by": by} | tonight]
    return a_short_thursday(overrides=overrides, tariff={"default_price": 0.3, "bands": bands})


def when_earlier(household: Household) -> tuple[Plan, dict[str, Remedy]]:
    made = plan(household, prove=False)
    [_, earlier] = made.outcome.cars[0].asked.at_s.tolist()
    assert earlier < made.outcome.cars[0].asked.at_s[0]
    return made, {remedy.told: remedy for remedy in remedies(made, 0, 1)}


def test_a_car_that_is_wanted_too_early_can_be_ready_when_it_could_be_alone():
    # From 18:00 to 20:00 it gets 2 × 3.68 of 14 kWh; all of them take 3.8 h, to 21:48.
    household = wanted_by("20:00")
    made, found = when_earlier(household)

    missing = made.outcome.cars[0].departures[0].earlier
    assert missing is not None
    assert missing.short_kwh == pytest.approx(14 - 2 * 3.68)
    assert short(made) == 0
    assert [told for told, one in found.items() if one.closes] == [
        "ready by 22:00 instead of 20:00",
        "charge 6.7 kWh on the way",
    ]
    after = plan(applied(household, found["ready by 22:00 instead of 20:00"].edits), prove=False)
    assert after.outcome.short_kwh == 0


def test_one_step_more_of_current_has_it_ready_when_it_is_wanted():
    # 5 h at 10 A, 2.3 kW, are 11.5 of 14 kWh by 23:00; 11 A make 12.65, and 13 A 14.95.
    made, found = when_earlier(wanted_by("23:00", ceiling_a=10))

    assert document(made)["vehicles"][0]["departures"][0]["earlier"]["binds"] == ["ceiling"]
    assert {told: (one.closes, round(one.short_kwh, 2)) for told, one in found.items() if " A " in told} == {
        "13 A instead of 10": (True, 0.0),
        "11 A instead of 10": (False, 1.35),
    }


def test_what_only_moves_the_shortage_to_another_car_does_not_close_it():
    # Heron lacks much; Wren has little more than its own drive on Friday wants, and cannot charge between.
    friday = a_trip("2026-01-16T07:00:00+01:00", "2026-01-16T18:00:00+01:00", 150, vehicle="wren")
    household = a_short_thursday(
        horizon_nights=2,
        circuits=[a_circuit(), a_circuit(id="shed")],
        leads=[a_lead(), a_lead(id="second", circuit="shed")],
        vehicles=[
            a_car(soc_pct=10, plug_in_hours=["05:00", "07:00"]),
            a_car(id="wren", lead="second", soc_pct=80, plug_in_hours=["05:00", "06:00"]),
        ],
        rates=[LOSSLESS, LOSSLESS | {"vehicle": "wren", "lead": "second"}],
        trips=[a_trip(LEAVE, BACK, 170), friday],
    )
    # Heron: 5 + 7.36 of 39 kWh, 26.64 short. Wren in its place: 40 + 3.68 − 34 + 3.68 = 13.36 of the 35 that Friday wants.
    made, found = ways_out(household)

    assert made.outcome.short_kwh == pytest.approx(26.64)
    assert found["take wren for that trip"].short_kwh == pytest.approx(35 - 13.36)
    assert not found["take wren for that trip"].closes


def test_a_car_that_is_out_itself_is_not_offered():
    household = a_short_thursday(
        km=250,
        vehicles=[a_car(soc_pct=10, plug_in_hours=["05:00", "07:00"]), a_car(id="wren", soc_pct=80)],
        trips=[
            a_trip(LEAVE, BACK, 250),
            a_trip("2026-01-15T09:00:00+01:00", "2026-01-15T10:00:00+01:00", 5, vehicle="wren"),
        ],
    )

    assert not any("wren" in told for told in ways_out(household)[1])


def test_a_car_that_is_pinned_to_charge_meanwhile_is_not_offered_and_the_others_are():
    household = a_short_thursday(
        km=250,
        circuits=[a_circuit(), a_circuit(id="shed"), a_circuit(id="yard")],
        leads=[a_lead(), a_lead(id="second", circuit="shed"), a_lead(id="third", circuit="yard")],
        vehicles=[
            a_car(soc_pct=10, plug_in_hours=["05:00", "07:00"]),
            a_car(id="wren", lead="second", soc_pct=80),
            a_car(id="finch", lead="third", soc_pct=80),
        ],
        pins=[
            {
                "id": "p",
                "vehicle": "wren",
                "start": "2026-01-15T09:00:00+01:00",
                "end": "2026-01-15T10:00:00+01:00",
                "amps": 10,
            }
        ],
    )

    assert [told for told in ways_out(household)[1] if told.startswith("take")] == ["take finch for that trip"]


def test_what_is_missing_may_be_charged_on_the_way():
    # 2 h at 3.68 kW: 6.64 kWh are missing; 6.7 on the way close it, and cost nothing at home.
    _, found = ways_out(a_short_thursday(vehicles=[a_car(plug_in_hours=["05:00", "07:00"])]))

    on_the_way = found["charge 6.7 kWh on the way"]
    assert on_the_way.closes
    assert on_the_way.cost == pytest.approx(0, abs=0.05)


def test_a_trip_beyond_a_full_battery_says_all_that_is_to_be_charged_on_the_way():
    # 300 km want 60 kWh and 5 of reserve, and 50 fit; 3.68 kW × 13 h fill it, so 15 are for the way and nothing is short.
    made, found = ways_out(a_short_thursday(km=300, vehicles=[a_car(plug_in_hours=["05:00", "07:00"])]))

    # 32.36 kWh aboard at 7:00: 50 − 32.36 short, and 15 beyond: 32.7 on the way.
    assert short(made) == pytest.approx(50 - 32.36)
    assert found["charge 32.7 kWh on the way"].closes


def test_what_is_wanted_at_the_end_is_less_by_what_is_charged_on_the_way():
    # 100 km, 20 kWh, and away when the nights end, for which it is to leave with 90 % of 50 kWh: 25 and 2 h at 3.68 kW are
    # 12.64 less. With 12.7 on the way 45 − 12.7 = 32.3 are enough, and the trip needs no more.
    trip = a_trip(LEAVE, BACK, 100, fill=True, fill_to_pct=90)
    made = plan(a_household(trips=[trip], vehicles=[a_car(plug_in_hours=["05:00", "07:00"])]), prove=False)

    [on_the_way] = [one for one in remedies(made, 0, 0, at_end_pct=90) if "on the way" in one.told]

    assert short(made) == pytest.approx(45 - 32.36)
    assert (on_the_way.told, on_the_way.closes) == ("charge 12.7 kWh on the way", True)


def test_the_reserve_cannot_be_charged_on_the_way():
    # 2 % of 50 kWh, not plugged in: 75 km want 15 kWh and the reserve 5. All 15 on the way leave 4 of the reserve missing.
    night = {"vehicle": "heron", "night": "2026-01-14", "plugged_in": False}
    made, found = ways_out(a_short_thursday(km=75, vehicles=[a_car(soc_pct=2)], overrides=[night]))

    assert short(made) == pytest.approx(20 - 1)
    on_the_way = found["charge 15.0 kWh on the way"]
    assert (on_the_way.closes, on_the_way.short_kwh) == (False, pytest.approx(4))
    assert found["plug it in on Wednesday night"].closes


def test_the_cheapest_hours_instead_of_a_habit():
    made, found = ways_out(a_short_thursday(km=200, habit="awake", bedtime="18:30", wake="06:30"))

    assert short(made) > 0
    assert found["the cheapest hours instead of its habit"].closes


def test_a_pinned_session_may_be_let_go():
    pin = {
        "id": "p",
        "vehicle": "heron",
        "start": "2026-01-14T19:00:00+01:00",
        "end": "2026-01-14T20:00:00+01:00",
        "amps": 6,
    }
    household = a_short_thursday(vehicles=[a_car(control="timer")], leads=[a_lead(control="timer")], pins=[pin])
    made, found = ways_out(household)

    # A timer's one session of the night is pinned to an hour at 1.38 kW.
    assert short(made) == pytest.approx(14 - 1.38)
    assert found["let the pinned session go"].closes


def test_those_that_close_it_come_first():
    made = plan(a_short_thursday(vehicles=[a_car(plug_in_hours=["05:00", "09:00"])]), prove=False)

    closes = [remedy.closes for remedy in remedies(made, 0, 0)]
    assert closes == sorted(closes, reverse=True)
    assert True in closes
    assert False in closes
