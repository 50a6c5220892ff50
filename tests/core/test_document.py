"""The plan document: every figure follows from the setpoints and the rules."""

from dataclasses import replace
from datetime import timedelta
from typing import Any

import numpy as np
import pytest

from moonplan.core.household import Household
from moonplan.core.planner.candidates import candidate
from moonplan.core.planner.moves import improved
from moonplan.core.planner.plan import Plan, document, plan, problem_of
from moonplan.core.planner.problem import Problem
from moonplan.core.planner.together import plan_together
from moonplan.core.simulate import runs
from tests.core.factories import LOSSLESS, NIGHT_BAND, a_car, a_circuit, a_household, a_lead, a_trip, at


def told(**changes: Any) -> dict[str, Any]:
    return document(plan(a_household(**changes)))


def test_a_session_s_figures_add_up():
    answer = told(vehicles=[a_car(end_pct=80, rated_kwh_per_100km=16)])
    vehicle, totals = answer["vehicles"][0], answer["totals"]
    session = vehicle["sessions"][0]

    assert session["battery_kwh"] == pytest.approx(15)
    assert (session["soc_from_pct"], session["soc_to_pct"]) == (50, 80)
    assert session["range_km"] == pytest.approx(15 / 20 * 100)
    assert session["cost"] == pytest.approx(1.5)
    assert session["bands"] == {"night": pytest.approx(15)}
    # After ten minutes the car reckons with its own rated consumption: 3.68 kW / 16 kWh per 100 km.
    assert session["expect"] == {"amps": 16, "volts": 230, "wall_kw": 3.68, "range_km_per_h": 23.0}
    assert totals["sessions"] == 1
    assert totals["cost"] == pytest.approx(session["cost"])


def an_hour_free_of_the_house() -> Plan:
    # 20 A on the one leg, of which the house takes 6 A (1.38 kW) but for the hour from 22:00: 16 A then, 14 A after it.
    # 5.29 kWh are missing: 3.68 in that hour, and 1.61 in half an hour at 3.22 kW.
    return plan(
        a_household(
            supply={"leg_voltage_v": 230, "legs": 1, "rating_a": 20, "continuous_factor": 1.0},
            base_load_kw=[["00:00", 1.38], ["22:00", 0], ["23:00", 1.38]],
            vehicles=[a_car(end_pct=60.58)],
        )
    )


def test_what_a_session_is_offered_is_told_from_each_change_on():
    (session,) = document(an_hour_free_of_the_house())["vehicles"][0]["sessions"]

    assert session["currents"] == [
        {"at": "2026-01-14T22:00:00+01:00", "amps": 16},
        {"at": "2026-01-14T23:00:00+01:00", "amps": 14},
    ]
    assert session["current"] == "16 A, from 23:00 14 A"
    # All along 1 A less: 3.45 kWh in an hour, and the 1.84 that are left at 2.99 kW in 36.9 min instead of 30.
    assert session["reason"].endswith("; 1 A less would take 7 min longer")
    # On average, by the energy.
    assert session["amps"] == pytest.approx((3.68 * 16 + 1.61 * 14) / 5.29, abs=0.005)


def test_a_session_has_less_only_at_its_end_where_its_last_slot_cannot_have_so_little():
    # 14 kWh at 8 A (0.46 kWh a quarter of an hour) are 30 quarters and 0.2 kWh, less than 6 A give in a 31st. At one price
    # all ways to have them come to the same. 0.01 A give 0.575 Wh a quarter: 31 quarters at 8 A have 452 hundredths too many
    # (24,800 of 24,347.8). Off two quarters that would be 5.74 A, off three no whole hundredths, off four 1.13 A each.
    answer = document(plan(a_household(leads=[a_lead(max_a=8)], vehicles=[a_car(end_pct=78)]), prove=False))

    (session,) = answer["vehicles"][0]["sessions"]
    assert session["currents"] == [
        {"at": "2026-01-14T22:00:00+01:00", "amps": 8},
        {"at": "2026-01-15T04:45:00+01:00", "amps": 6.87},
    ]
    assert session["battery_kwh"] == pytest.approx(24_348 * 0.000575, abs=1e-4)


def test_a_session_that_would_take_longer_for_the_same_money_is_done_at_its_most():
    # The same 5.29 kWh at one price: half an hour at 16 A and then 6 A come to no less than 16 A and then 14 A.
    problem = an_hour_free_of_the_house().problem
    ten = problem.grid.starts.index(at("2026-01-14T22:00:00+01:00"))
    amps = np.zeros(problem.grid.n_slots)
    amps[ten : ten + 2], amps[ten + 2 : ten + 13] = 16, 6

    made = improved(problem, candidate(problem, [amps]), moves=0)

    assert made.amps[0][ten : ten + 6].tolist() == [16, 16, 16, 16, 14, 14]
    assert not made.amps[0][ten + 6 :].any()


def test_a_session_that_ends_in_a_cheap_hour_has_less_at_its_beginning():
    # From 21:00 on, dear until 22:00: of four quarters of an hour three at 16 A and one at 6. Whichever has the
    # 6 A, it comes to the same, and only of the first is it not a change and back; less from 22:00 on costs more.
    problem = problem_of(a_household(vehicles=[a_car(end_pct=63.57, plug_in_hours=["21:00", "23:00"])]))
    nine = problem.grid.starts.index(at("2026-01-14T21:00:00+01:00"))
    amps = np.zeros(problem.grid.n_slots)
    amps[nine : nine + 8] = [16, 16, 6, 16, 16, 16, 16, 16]

    made = improved(problem, candidate(problem, [amps]), moves=0)

    assert made.amps[0][nine : nine + 8].tolist() == [6, 16, 16, 16, 16, 16, 16, 16]


def test_a_session_that_may_as_well_be_later_goes_later_by_hours_in_few_moves():
    # 5.52 kWh from 78 % on, at one price until 06:00, and hours above 80 % count: the later the better. A session that is to
    # be moved has had six other moves tried first, so that twenty moves are two times an hour.
    problem = problem_of(a_household(care_price=0.01, vehicles=[a_car(soc_pct=78, end_pct=89.04, daily_limit_pct=100)]))
    ten = problem.grid.starts.index(at("2026-01-14T22:00:00+01:00"))
    amps = np.zeros(problem.grid.n_slots)
    amps[ten : ten + 6] = 16

    made = improved(problem, candidate(problem, [amps]), moves=20)

    (run,) = runs(made.amps[0])
    assert problem.grid.starts[run.first] == at("2026-01-15T00:00:00+01:00")
    # Two hours less of 4.52 kWh above the 80 %.
    assert candidate(problem, [amps]).outcome.care - made.outcome.care == pytest.approx(2 * 4.52 * 0.01)


OVERHEAD = {"vehicle": "heron", "lead": "unit", "efficiency": 1.0, "overhead_kw": 0.5}
OVERHEAD["cautious"] = {"efficiency": 1.0, "overhead_kw": 0.5}


def in_one_session(car: dict[str, Any], **changes: Any) -> Household:
    """A car that has one session a night, at one current; hours, at one price unless it is said otherwise."""
    lead = a_lead(**{"control": "timer"} | changes.pop("lead", {}))
    usual = {"slot_minutes": 60, "leads": [lead], "rates": [OVERHEAD], "tariff": {"default_price": 0.3}}
    return a_household(**usual | {"vehicles": [a_car(**{"control": "timer", "end_pct": 0} | car)]} | changes)


def test_a_session_may_be_begun_later_and_ended_earlier_at_once():
    # From 22:00 to 06:00 a kWh earns 0.02, before that it costs 0.30 and after it 0.10. The cautious car gains 0.8 of each,
    # and wants 29.44 kWh: ten hours of 3.68 kW. The mean one gains 0.92, and has drawn its 32 kWh after 8 h 42 min.
    problem = problem_of(
        a_household(
            vehicles=[a_car(soc_pct=20, end_pct=78.88, daily_limit_pct=78.88)],
            rates=[LOSSLESS | {"efficiency": 0.92, "cautious": {"efficiency": 0.8, "overhead_kw": 0.0}}],
            tariff={
                "default_price": 0.30,
                "bands": [
                    NIGHT_BAND | {"price": -0.02},
                    {"name": "morning", "price": 0.10, "from": "06:00", "to": "12:00"},
                ],
            },
        )
    )
    amps = np.zeros(problem.grid.n_slots)
    # From 21:45 to 08:30, as many ampere-hours as ten hours at 16 A.
    amps[15:58] = 16
    amps[48:53] = [6, 6, 6, 6, 8]

    better = improved(problem, candidate(problem, [amps]), moves=0)

    assert [(run.first, run.last) for run in runs(better.amps[0])] == [(16, 55)]
    assert better.outcome.cost == pytest.approx(8 * 3.68 * -0.02 + (32 - 8 * 3.68) * 0.10)


def test_a_session_that_cannot_end_before_somebody_is_up_begins_later_at_more_current():
    # 17 kWh by hand, plugged in by 21:00 and out from 07:00 on: ten hours at least. An hour more burns 0.5 kWh for nothing.
    trip = a_trip("2026-01-15T09:00:00+01:00", "2026-01-15T18:00:00+01:00", 185)
    made = plan(
        in_one_session(
            {"control": "hand", "daily_limit_pct": 100}, lead={"control": "hand", "max_a": 10}, bedtime="21:00", trips=[trip]
        ),
        prove=False,
    )
    (session,) = made.sessions[0]

    assert f"{session.start:%H:%M}–{session.end:%H:%M}" == "21:00–07:00"
    # (1.7 + 0.5) kW of 230 V are 9.565 A.
    assert session.first_amps == 9.57
    assert session.cost == pytest.approx(0.3 * (17 + 10 * 0.5), abs=0.01)


def test_a_session_that_runs_goes_on_at_less_current_rather_than_with_another_that_starts_later():
    # 14.08 kWh at the same price all day: eleven hours at 7.74 A, one session that runs already.
    made = plan(
        in_one_session(
            {"charging": True, "end_pct": 78.16}, lead={"max_a": 8}, now="2026-01-14T07:00:00+01:00", start_price=0.03
        ),
        prove=False,
    )

    assert [session.current for session in made.sessions[0]] == ["7.74 A"]
    assert made.outcome.starts == 0


def test_a_little_more_than_the_least_current_may_be_cheaper():
    # 9 kWh take the cautious car four hours at 12.23 A or more, the last of them dear; at 13.05 A the mean car is full after
    # three, and with more it would take more in the first two, which cost twice the third.
    cheap = [
        {"name": "cheap", "price": 0.1, "from": "01:00", "to": "03:00"},
        {"name": "cheapest", "price": 0.05, "from": "03:00", "to": "04:00"},
    ]
    trip = a_trip("2026-01-15T05:30:00+01:00", "2026-01-15T18:00:00+01:00", 20, fill=True, fill_to_pct=80)
    made = plan(
        in_one_session(
            {"soc_pct": 62},
            rates=[LOSSLESS | {"cautious": {"efficiency": 0.8, "overhead_kw": 0.0}}],
            trips=[trip],
            tariff={"default_price": 0.3, "bands": cheap},
        ),
        prove=False,
    )

    assert made.sessions[0][0].first_amps == pytest.approx(13.05, abs=0.011)
    assert made.outcome.cost == pytest.approx(3 * 0.1 + 3 * 0.1 + 3 * 0.05, abs=0.002)
    assert made.outcome.short_kwh == 0


def the_house_leaves(first_kw: float, until: str, then_kw: float, *, soc_pct: float, trips: list[dict[str, Any]]) -> Problem:
    """A timer's evening, with 4 kW contracted."""
    return problem_of(
        in_one_session(
            {"soc_pct": soc_pct, "daily_limit_pct": 100},
            trips=trips,
            tariff={"default_price": 0.3, "contracted_kw": 4},
            base_load_kw=[["00:00", 4 - then_kw], ["17:00", 4 - first_kw], [until, 4 - then_kw]],
        )
    )


def test_a_session_is_shorter_and_at_more_current_where_the_house_leaves_it():
    # Home at 22:00, and 18.08 kWh by 06:00: eight hours at the 12 A that are left at first, or six from 23:00 on at 15.28 A.
    trips = [
        a_trip("2026-01-14T17:00:00+01:00", "2026-01-14T22:00:00+01:00", 10),
        a_trip("2026-01-15T06:00:00+01:00", "2026-01-15T18:00:00+01:00", 190.4),
    ]
    problem = the_house_leaves(2.76, "23:00", 3.68, soc_pct=50, trips=trips)
    amps = np.zeros(problem.grid.n_slots)
    amps[4:12] = 12.0

    made = improved(problem, candidate(problem, [amps]), moves=20)

    assert made.amps[0].max() == pytest.approx(15.28)
    assert made.outcome.cost == pytest.approx(0.3 * (18.08 + 6 * 0.5), abs=0.01)


def test_a_session_that_has_more_than_is_needed_is_shorter_at_a_little_less():
    # 10.8 kWh for the cautious car by 02:30: six hours at 16 A are far too much, and four at 3.6 kW enough, 0.9 × 3.6 − 0.54
    # each. At the least current that does in six hours, 11.31 A, the mean car would burn two more times 0.5 kWh.
    trips = [
        a_trip("2026-01-14T17:00:00+01:00", "2026-01-14T20:00:00+01:00", 10),
        a_trip("2026-01-15T02:30:00+01:00", "2026-01-15T18:00:00+01:00", 154),
    ]
    problem = problem_of(
        in_one_session(
            {"daily_limit_pct": 78},
            rates=[OVERHEAD | {"cautious": {"efficiency": 0.9, "overhead_kw": 0.54}}],
            trips=trips,
        )
    )
    amps = np.zeros(problem.grid.n_slots)
    amps[2:8] = 16.0

    made = improved(problem, candidate(problem, [amps]), moves=0)

    assert made.amps[0].tolist() == pytest.approx([0.0] * 2 + [15.66] * 4 + [0.0] * 12)


def test_a_session_that_misses_something_lasts_longer_at_the_current_that_is_left():
    # Ten hours until 04:00, 15.65 A in the first and 16 A then: all of them are 31 kWh, and nine at 16 A only 28.6.
    trip = a_trip("2026-01-15T04:00:00+01:00", "2026-01-15T18:00:00+01:00", 300)
    problem = the_house_leaves(3.6, "19:00", 3.68, soc_pct=10, trips=[trip])

    made = plan_together(problem)

    assert [int(t) for t in np.flatnonzero(made.amps[0])] == list(range(10))
    assert made.outcome.cars[0].departures[0].planned_kwh == pytest.approx(5 + 10 * (0.23 * 15.65 - 0.5))


def test_a_session_that_runs_goes_on_rather_than_another_starting_where_that_saves_more_than_care():
    # 3.18 kWh are an hour at 16 A, now or at any hour until 05:00; later they would be aboard for less care, but start anew.
    trip = a_trip("2026-01-15T05:00:00+01:00", "2026-01-15T18:00:00+01:00", 115.9)
    problem = problem_of(
        in_one_session(
            {"charging": True, "rest_pct": 50},
            now="2026-01-14T11:00:00+01:00",
            trips=[trip],
            care_price=0.0005,
            start_price=0.05,
        )
    )
    amps = np.zeros(problem.grid.n_slots)
    amps[17] = 16.0

    made = improved(problem, candidate(problem, [amps]), moves=20)

    # 17 hours with 3.18 kWh more aboard are 0.027, and a start 0.05.
    assert np.flatnonzero(made.amps[0]).tolist() == [0]
    assert made.outcome.starts == 0


def test_in_the_hour_that_a_clock_change_repeats_a_session_ends_after_it_began():
    # Back to 02:00 at 03:00. Pinned to the second of the two hours, and full after half of it: 1.84 kWh at 3.68 kW.
    hour = {"start": "2026-10-25T02:00:00+01:00", "end": "2026-10-25T03:00:00+01:00"}
    changes: dict[str, Any] = {
        "now": "2026-10-24T18:00:00+02:00",
        "vehicles": [a_car(control="timer", daily_limit_pct=53.68, cutoff=True)],
        "leads": [a_lead(control="timer")],
        "pins": [{"id": "p", "vehicle": "heron", "amps": 16, **hour}],
    }
    made = plan(a_household(**changes), prove=False)
    session, told_of = made.sessions[0][0], document(made)["vehicles"][0]

    assert told_of["sessions"][0]["start"] == "2026-10-25T02:00:00+01:00"
    assert told_of["sessions"][0]["end"] == "2026-10-25T02:30:00+01:00"
    assert told_of["stop"] == [["2026-10-25T02:30:00+01:00", pytest.approx(1.84)]]
    assert session.current == "16 A"


def test_two_slots_at_little_are_one_at_the_most():
    # Two quarters of an hour at 6 A, 0.69 kWh, are one at 12 A.
    problem = problem_of(a_household(vehicles=[a_car(end_pct=51.38)]))
    ten = problem.grid.starts.index(at("2026-01-14T22:00:00+01:00"))
    amps = np.zeros(problem.grid.n_slots)
    amps[ten : ten + 2] = 6

    made = improved(problem, candidate(problem, [amps]), moves=0)

    assert made.amps[0][ten : ten + 2].tolist() == [12, 0]


def test_of_many_changes_it_is_told_how_far_they_go():
    ((session,),) = an_hour_free_of_the_house().sessions
    (at, _), _ = session.currents

    following_the_sun = replace(session, currents=((at, 6.0), (at, 7.25), (at, 9.5), (at, 8.0)))

    assert following_the_sun.current == "6 A at first, 7.25 to 9.5 A later"


def test_what_is_offered_once_the_car_is_expected_to_be_done_is_for_one_that_takes_longer():
    # It is expected to be done at 23:30.
    ((session,),) = an_hour_free_of_the_house().sessions
    ten, eleven, half_past_eleven, midnight = (session.start + timedelta(minutes=15 * n) for n in (0, 4, 6, 8))
    assert session.end == half_past_eleven

    one_change = replace(session, currents=((ten, 16.0), (midnight, 8.0)))
    at_its_end = replace(session, currents=((ten, 16.0), (eleven, 14.0), (half_past_eleven, 8.0), (midnight, 10.0)))
    many = replace(at_its_end, currents=(*at_its_end.currents, (midnight + timedelta(minutes=15), 6.0)))

    assert one_change.current == "16 A (if it takes longer, from 00:00 8 A)"
    assert at_its_end.current == "16 A, from 23:00 14 A (if it takes longer, from 23:30 8 A, from 00:00 10 A)"
    assert many.current == "16 A, from 23:00 14 A (if it takes longer, 6 to 10 A)"


def test_own_sun_and_the_grid_together_are_what_the_wall_gave():
    sun = [["2026-01-15T09:00:00+01:00", 2.0], ["2026-01-15T12:00:00+01:00", 0]]
    answer = told(solar_kw=sun, vehicles=[a_car(end_pct=70)], tariff={"default_price": 0.3, "export_price": 0.05})

    for session in answer["vehicles"][0]["sessions"]:
        assert sum(session["bands"].values()) + session["solar_kwh"] == pytest.approx(session["wall_kwh"], abs=1e-5)
    assert answer["totals"]["solar_kwh"] > 0


def test_hours_above_the_rest_level_are_told_and_not_charged_as_money():
    quiet, careful = (told(vehicles=[a_car(soc_pct=90, end_pct=50)], care_price=price) for price in (0, 0.01))

    # 5 kWh above 80 % of 50 kWh for the 18 hours to noon.
    assert quiet["totals"]["kwh_hours_above_rest"] == pytest.approx(90)
    assert careful["totals"]["cost"] == quiet["totals"]["cost"] == 0
    assert careful["objective"]["value"] == pytest.approx(0.9)


def test_starts_shape_the_plan_and_are_not_money():
    answer = told(vehicles=[a_car(end_pct=60)], start_price=0.5)

    assert answer["objective"]["value"] == pytest.approx(answer["totals"]["cost"] + 0.5)


def test_soc_is_told_at_every_edge_and_a_trip_from_the_first_edge_after_leaving():
    trip = a_trip("2026-01-14T20:05:00+01:00", "2026-01-14T22:00:00+01:00", 50)
    soc = dict(told(trips=[trip], vehicles=[a_car(end_pct=0)])["vehicles"][0]["soc_pct"])

    assert soc["2026-01-14T20:00:00+01:00"] == 50
    # 50 km at 20 kWh/100 km are 10 kWh, 20 % of 50.
    assert soc["2026-01-14T20:15:00+01:00"] == 30
    assert "2026-01-15T12:00:00+01:00" in soc


@pytest.mark.parametrize(("soc_pct", "can_leave"), [(20, True), (2, False)])
def test_who_cannot_have_all_that_is_wanted_may_have_what_the_trip_needs(soc_pct: float, can_leave: bool):
    # An hour at 3.68 kW until 19:00. 10 km take 2 of 50 kWh and the reserve is 5: 14 %.
    trip = a_trip("2026-01-14T19:00:00+01:00", "2026-01-14T20:00:00+01:00", 10, fill=True, fill_to_pct=80)
    (departure,) = told(trips=[trip], vehicles=[a_car(soc_pct=soc_pct)])["vehicles"][0]["departures"]

    assert (departure["required_pct"], departure["needed_pct"], departure["wants_more"]) == (80, 14, True)
    assert departure["short_kwh"] == pytest.approx(40 - soc_pct / 2 - 3.68)
    assert departure["can_leave"] == can_leave


def test_a_trip_beyond_the_battery_empties_it_and_is_short_once():
    trips = [
        a_trip("2026-01-14T19:00:00+01:00", "2026-01-14T20:00:00+01:00", 400),
        a_trip("2026-01-15T10:00:00+01:00", "2026-01-15T11:00:00+01:00", 20),
    ]
    first, second = told(trips=trips)["vehicles"][0]["departures"]

    # 25 aboard and an hour at 3.68: 28.68 of 50.
    assert first["required_pct"] == 100
    assert first["short_kwh"] == pytest.approx(50 - 28.68, abs=0.001)
    assert second["short_kwh"] == 0


def test_who_is_away_at_the_end_is_not_asked_for_its_end_level():
    trip = a_trip("2026-01-15T07:00:00+01:00", "2026-01-15T18:00:00+01:00", 10)

    assert told(trips=[trip], vehicles=[a_car(end_pct=100)])["vehicles"][0]["end"] is None


def test_a_car_that_is_out_has_its_soc_when_it_comes_home():
    trip = a_trip("2026-01-14T08:00:00+01:00", "2026-01-14T21:00:00+01:00", 100)
    vehicle = told(trips=[trip], vehicles=[a_car(end_pct=60)])["vehicles"][0]

    assert vehicle["departures"] == []
    assert vehicle["soc_pct"][0][1] == 50
    assert min(at for at, _ in vehicle["setpoints"]) >= "2026-01-14T21:00:00+01:00"


def test_a_price_below_zero_is_taken_up_to_the_limit():
    answer = told(
        tariff={"default_price": 0.3, "bands": [{"name": "windy", "price": -0.05, "from": "01:00", "to": "07:00"}]}
    )

    # Nothing is needed, but the 15 kWh up to the daily limit earn 0.75.
    assert answer["totals"]["cost"] == pytest.approx(-0.75)


def test_a_three_phase_car_in_a_household_of_miles_and_dollars_is_the_same_arithmetic():
    answer = told(
        currency="USD",
        circuits=[a_circuit(phases=3)],
        leads=[a_lead(phases=3)],
        vehicles=[a_car(onboard_kw=11, onboard_phases=3, end_pct=80)],
    )

    assert answer["currency"] == "USD"
    assert answer["vehicles"][0]["phases"] == 3
    # 15 kWh at 11.04 kW take 1 h 21 min 31 s.
    session = answer["vehicles"][0]["sessions"][0]
    assert (session["start"][11:16], session["end"][11:19]) == ("22:00", "23:21:31")
