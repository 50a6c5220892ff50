"""Tonight's decision: what a person is told to do with each car."""

from datetime import date
from typing import Any

import pytest

from moonplan.core.planner.plan import plan
from moonplan.core.planner.planned_session import PlannedSession
from moonplan.core.planner.tonight import Decision, decide, the_night
from tests.core.factories import LOSSLESS, NIGHT_BAND, a_car, a_circuit, a_household, a_lead, a_trip

MORNING = ("2026-01-15T07:00:00+01:00", "2026-01-15T18:00:00+01:00")


def decided(*, plugged_in: bool = False, **changes: Any) -> Decision:
    return decide(plan(a_household(**changes), prove=False), 0, hanging={"heron"} if plugged_in else ())


def clock(moment: Any) -> str:
    return f"{moment:%H:%M}"


def test_plug_in_before_bed_for_a_session_that_starts_while_all_sleep():
    late = {"name": "late", "price": 0.05, "from": "01:00", "to": "05:00"}
    decision = decided(trips=[a_trip(*MORNING, 150)], tariff={"default_price": 0.3, "bands": [late]}, bedtime="22:45")

    assert decision.action == "plug_in"
    assert clock(decision.sessions[0].start) >= "01:00"
    assert clock(decision.plug_in_by) == "22:45"
    assert decision.readiness.short_kwh == 0


def test_who_looks_after_bedtime_plugs_in_now():
    late = {"name": "late", "price": 0.05, "from": "01:00", "to": "05:00"}
    decision = decided(
        now="2026-01-14T23:10:00+01:00",
        trips=[a_trip(*MORNING, 150)],
        tariff={"default_price": 0.3, "bands": [late]},
        bedtime="22:45",
    )

    assert (decision.action, decision.plug_in_by) == ("plug_in", None)


def test_a_car_that_comes_home_when_all_sleep_is_plugged_in_by_whoever_brings_it():
    late = {"name": "late", "price": 0.05, "from": "01:00", "to": "05:00"}
    out = a_trip("2026-01-14T19:00:00+01:00", "2026-01-14T23:40:00+01:00", 10)
    decision = decided(trips=[out, a_trip(*MORNING, 150)], tariff={"default_price": 0.3, "bands": [late]}, bedtime="22:45")

    assert clock(decision.sessions[0].start) >= "01:00"
    assert clock(decision.plug_in_by) == "23:40"


def test_plug_in_by_the_start_where_someone_is_up():
    decision = decided(trips=[a_trip(*MORNING, 150)], bedtime="23:30")

    assert clock(decision.plug_in_by) == clock(decision.sessions[0].start) == "22:00"


def test_a_car_that_is_out_between_two_sessions_is_plugged_in_again():
    # Two hours from 18:00 on for 36 km at 20:00, and the rest of the night's need once it is home again.
    out = a_trip("2026-01-14T20:00:00+01:00", "2026-01-14T23:40:00+01:00", 36)
    decision = decided(vehicles=[a_car(soc_pct=15)], trips=[out, a_trip(*MORNING, 100)], bedtime="22:45")

    assert (decision.action, decision.plug_in_by) == ("plug_in", None)
    assert [clock(by) for by in decision.plug_in_again] == ["23:40"]
    # Out all evening, it is only plugged in when it comes home; and where all sleep then, before they go to bed.
    early = a_trip("2026-01-14T18:00:00+01:00", "2026-01-14T21:00:00+01:00", 10)
    once = decided(trips=[early, a_trip(*MORNING, 150)], bedtime="21:30")
    assert (clock(once.plug_in_by), once.plug_in_again) == ("21:30", ())


def test_a_car_that_hangs_on_its_lead_and_leaves_before_it_charges_on_is_plugged_in_again():
    out = a_trip("2026-01-14T19:00:00+01:00", "2026-01-14T20:00:00+01:00", 10)
    decision = decided(plugged_in=True, trips=[out, a_trip(*MORNING, 150)])

    assert (decision.action, clock(decision.plug_in_by), decision.leaves_first) == ("plug_in", "22:00", True)
    at_home = decided(plugged_in=True, trips=[a_trip(*MORNING, 150)])
    assert (at_home.action, at_home.leaves_first) == ("keep_plugged_in", False)


def test_leave_it_unplugged_and_why():
    decision = decided(trips=[a_trip(*MORNING, 50)])

    # 10 kWh and 5 in reserve are needed, 25 are aboard.
    assert decision.action == "leave_unplugged"
    assert decision.why == "50 % is aboard and the next trip needs 30 %"


def test_a_cheaper_night_to_come_is_named():
    # Needed on Friday morning, and the small hours of Friday are cheaper than tonight.
    bands = [NIGHT_BAND | {"name": "cheap", "price": 0.02, "days": ["fri"]}]
    trip = a_trip("2026-01-16T07:00:00+01:00", "2026-01-16T18:00:00+01:00", 150)
    decision = decided(trips=[trip], horizon_nights=2, tariff={"default_price": 0.3, "bands": bands})

    assert decision.action == "leave_unplugged"
    # 30 kWh and 5 in reserve are needed.
    assert decision.why == "50 % is aboard and the next trip needs 70 %, and the night to Friday is cheaper"


def test_a_night_is_told_by_its_morning_before_midnight_as_well():
    # The last hour of Thursday is the cheapest, when everybody sleeps.
    bands = [NIGHT_BAND | {"name": "cheap", "price": 0.02, "from": "23:00", "to": "00:00", "days": ["thu"]}]
    trip = a_trip("2026-01-16T07:00:00+01:00", "2026-01-16T18:00:00+01:00", 110)
    decision = decided(trips=[trip], horizon_nights=2, tariff={"default_price": 0.3, "bands": bands})

    # 22 kWh and 5 in reserve are needed: 2 kWh more, half an hour.
    assert decision.why == "50 % is aboard and the next trip needs 54 %, and the night to Friday is cheaper"


def test_a_later_night_that_is_no_cheaper_is_soon_enough():
    # Both nights cost 0.10, and to have them aboard a day before counts as care.
    trip = a_trip("2026-01-16T07:00:00+01:00", "2026-01-16T18:00:00+01:00", 150)
    decision = decided(trips=[trip], horizon_nights=2, care_price=0.001, vehicles=[a_car(rest_pct=40)])

    assert decision.why == "50 % is aboard and the next trip needs 70 %, and the night to Friday is soon enough"


def test_a_later_day_may_have_the_sun():
    # 3 kW from noon on, 5 of 10 kWh more for Friday than now, and the grid at one price all along.
    sun = [["2026-01-15T12:00:00+01:00", 3.0], ["2026-01-15T16:00:00+01:00", 0]]
    trip = a_trip("2026-01-16T07:00:00+01:00", "2026-01-16T18:00:00+01:00", 125)
    decision = decided(trips=[trip], horizon_nights=2, solar_kw=sun, tariff={"default_price": 0.3})

    assert decision.why == "50 % is aboard and the next trip needs 60 %, and Thursday has the sun for it"


def test_a_car_at_its_limit():
    assert decided(vehicles=[a_car(soc_pct=80, daily_limit_pct=80)]).why == "80 % is aboard, which is its limit"
    assert decided(vehicles=[a_car(soc_pct=95, daily_limit_pct=80)]).why == "95 % is aboard, above its limit of 80 %"


def test_a_car_at_its_limit_that_drives_tonight_is_not_at_it_all_night():
    # 20 km and the reserve of 10 % are 9 of 50 kWh.
    trip = a_trip("2026-01-14T19:00:00+01:00", "2026-01-14T20:00:00+01:00", 20)
    decision = decided(trips=[trip], vehicles=[a_car(soc_pct=80, daily_limit_pct=80)])

    assert decision.why == "80 % is aboard and the next trip needs 18 %"


def test_a_car_that_is_short_and_can_have_nothing_tonight_says_so():
    # Wren has the circuit all night; from Thursday 12:00 to 13:00 there are 3.68 of the 25 kWh that are missing.
    pin = {"id": "p", "vehicle": "wren", "amps": 16}
    decision = decided(
        horizon_nights=2,
        circuits=[a_circuit(sharing="none")],
        leads=[a_lead(), a_lead(id="second")],
        vehicles=[a_car(reserve_pct=0), a_car(id="wren", lead="second")],
        rates=[LOSSLESS, LOSSLESS | {"vehicle": "wren", "lead": "second"}],
        trips=[a_trip("2026-01-15T13:00:00+01:00", "2026-01-16T13:00:00+01:00", 250)],
        pins=[pin | {"start": "2026-01-14T18:00:00+01:00", "end": "2026-01-15T12:00:00+01:00"}],
    )

    assert decision.why == "50 % is aboard and the next trip needs 100 %, and nothing more can be charged tonight"


def test_a_habit_may_leave_tonight_out():
    decision = decided(habit="set_nights", set_nights=["thu"], horizon_nights=2, trips=[a_trip(*MORNING, 50)])

    enough = "50 % is aboard and the next trip needs 30 %"
    assert decision.why == f"{enough}, its habit leaves tonight out, and Thursday is soon enough"
    # Of one night nobody knows what comes after it.
    assert decided(habit="set_nights", set_nights=["thu"], trips=[a_trip(*MORNING, 50)]).why == (
        f"{enough}, and its habit leaves tonight out"
    )


@pytest.mark.parametrize(
    ("back", "why"),
    [
        ("2026-01-14T20:00:00+01:00", "nothing more can be charged before it leaves"),
        ("2026-01-15T13:00:00+01:00", "it leaves before it could charge"),
    ],
)
def test_a_car_that_leaves_at_once(back: str, why: str):
    # 18:10 is before the end of the first quarter of an hour, and nothing is wanted of it after the trip.
    trip = a_trip("2026-01-14T18:10:00+01:00", back, 150)

    assert decided(trips=[trip], vehicles=[a_car(reserve_pct=0, end_pct=0)]).why == why


def test_not_plugged_in_tonight():
    override = {"vehicle": "heron", "night": "2026-01-14", "plugged_in": False}

    assert decided(overrides=[override]).why == "not plugged in tonight"


@pytest.mark.parametrize("trips", [[], [a_trip("2026-01-14T18:10:00+01:00", "2026-01-14T20:00:00+01:00", 20)]])
def test_kept_off_all_night(trips: list[dict[str, Any]]):
    forbid = {"vehicle": "heron", "start": "2026-01-14T18:00:00+01:00", "end": "2026-01-15T12:00:00+01:00"}

    assert decided(forbids=[forbid], trips=trips).why == "you keep it off all night"


def test_kept_off_in_all_hours_in_which_it_is_plugged_in():
    forbid = {"vehicle": "heron", "start": "2026-01-14T22:00:00+01:00", "end": "2026-01-15T06:00:00+01:00"}

    assert decided(forbids=[forbid], vehicles=[a_car(plug_in_hours=["23:00", "05:00"])]).why == "you keep it off all night"


def test_back_in_the_night_and_not_plugged_in_then():
    trip = a_trip("2026-01-14T17:00:00+01:00", "2026-01-14T22:00:00+01:00", 20)
    override = {"vehicle": "heron", "night": "2026-01-14", "plugged_in": False}

    decision = decided(trips=[trip], overrides=[override])

    assert (decision.action, decision.why) == ("leave_unplugged", "not plugged in tonight")


def test_out_all_night():
    trip = a_trip("2026-01-14T08:00:00+01:00", "2026-01-15T14:00:00+01:00", 50)

    assert decided(trips=[trip]).action == "away"


def test_a_car_that_cannot_charge():
    decision = decided(leads=[a_lead(min_a=20)])

    assert (decision.action, decision.why) == ("cannot_charge", "the circuit leaves 16 A, and charging starts at 20 A")


def test_a_session_that_runs_already_goes_on():
    trip = a_trip("2026-01-14T21:00:00+01:00", "2026-01-14T23:00:00+01:00", 130)

    assert decided(trips=[trip], vehicles=[a_car(charging=True)]).action == "go_on"


@pytest.mark.parametrize(
    ("now", "night"),
    [
        ("2026-01-14T18:00:00+01:00", date(2026, 1, 14)),
        ("2026-01-15T02:00:00+01:00", date(2026, 1, 14)),
        ("2026-01-15T06:29:00+01:00", date(2026, 1, 14)),
        ("2026-01-15T06:30:00+01:00", date(2026, 1, 15)),
        ("2026-01-15T12:00:00+01:00", date(2026, 1, 15)),
    ],
)
def test_the_night_that_is_asked_about(now: str, night: date):
    assert the_night(a_household(now=now)) == night


def test_a_session_serves_the_first_departure_that_would_be_short_without_it():
    trips = [a_trip(*MORNING, 50), a_trip("2026-01-16T07:00:00+01:00", "2026-01-16T18:00:00+01:00", 150)]
    made = plan(a_household(trips=trips, horizon_nights=2), prove=False)

    served = {PlannedSession(made.problem, made.outcome, 0, run).serves for run in made.outcome.cars[0].sessions}
    assert served == {1}
    assert "Friday 07:00 (150 km)" in made.sessions[0][0].reason


def test_why_it_is_there_when_it_is_the_sun():
    sun = [["2026-01-15T09:00:00+01:00", 4.0], ["2026-01-15T12:00:00+01:00", 0]]
    made = plan(a_household(solar_kw=sun, vehicles=[a_car(end_pct=60)], tariff={"default_price": 0.3}), prove=False)

    assert made.sessions[0][0].reason.startswith("to have 60 % by Thursday 12:00; on your own sun")


@pytest.mark.parametrize("forbids", [[], [{"start": "2026-01-14T22:00:00+01:00", "end": "2026-01-15T06:00:00+01:00"}]])
def test_why_it_is_there_when_it_is_the_boost(forbids: list[dict[str, Any]]):
    # Whether it is kept off in the cheaper hours or not, it looks at none.
    kept_off = [forbid | {"vehicle": "heron"} for forbid in forbids]
    made = plan(a_household(vehicles=[a_car(soc_pct=8, boost_pct=15, end_pct=5)], forbids=kept_off), prove=False)

    told = made.sessions[0][0].reason
    assert told.startswith("back above 15 % at once; the default price, 0.3 a kWh; ")
    assert "cheaper" not in told


def test_why_it_is_there_when_a_person_pinned_it():
    pin = {
        "id": "p",
        "vehicle": "heron",
        "start": "2026-01-14T19:00:00+01:00",
        "end": "2026-01-14T20:00:00+01:00",
        "amps": 10,
    }
    made = plan(a_household(pins=[pin]), prove=False)

    assert made.sessions[0][0].reason.startswith("as you pinned it; ")


def test_a_car_that_has_charged_and_still_hangs_there_is_neither_plugged_in_nor_left_unplugged():
    done = decided(plugged_in=True, trips=[a_trip(*MORNING, 50)])
    later = decided(plugged_in=True, trips=[a_trip(*MORNING, 150)])
    # Taken off by hand for the rest of the night.
    off = {"vehicle": "heron", "night": "2026-01-14", "plugged_in": False}

    assert (done.action, done.why) == ("has_charged", "50 % is aboard and the next trip needs 30 %")
    assert (later.action, clock(later.sessions[0].start)) == ("keep_plugged_in", "22:00")
    # By hand a session is begun by plugging in.
    by_hand = {"leads": [a_lead(control="hand")], "vehicles": [a_car(control="hand")]}
    assert decided(plugged_in=True, trips=[a_trip(*MORNING, 150)], **by_hand).action == "plug_in"
    assert decided(plugged_in=True, overrides=[off]).action == "leave_unplugged"
    soon = a_trip("2026-01-14T21:00:00+01:00", "2026-01-14T23:00:00+01:00", 130)
    assert decided(plugged_in=True, trips=[soon], vehicles=[a_car(charging=True)]).action == "go_on"


def test_a_car_that_has_charged_is_told_so_until_it_leaves():
    soon = a_trip("2026-01-14T18:10:00+01:00", "2026-01-15T14:00:00+01:00", 50)
    over = {"trips": [a_trip(*MORNING, 50)], "vehicles": [a_car(plug_in_hours=["09:00", "18:00"])]}
    forbid = {"vehicle": "heron", "start": "2026-01-14T18:00:00+01:00", "end": "2026-01-15T12:00:00+01:00"}

    for told in (decided(plugged_in=True, trips=[soon]), decided(plugged_in=True, **over)):
        assert (told.action, told.why) == ("has_charged", "50 % is aboard and the next trip needs 30 %")
    assert decided(trips=[soon]).why == "it leaves before it could charge"
    assert decided(**over).why == "not plugged in tonight"
    assert decided(plugged_in=True, forbids=[forbid]).why == "you keep it off all night"


def on_one_lead(dunlin: dict[str, Any] | None = None, *trips: dict[str, Any], hanging: str = "dunlin") -> Decision:
    """What is to be done with Dunlin, which can have the lead from 5:30 on, when all are up; Heron has it from 22:00 on.

    hanging : which of them hung on it before.
    """
    later = {"plug_in_hours": ["05:30", "08:00"], "end_pct": 55} | (dunlin or {})
    return decide(
        plan(
            a_household(
                vehicles=[a_car(end_pct=80, plug_in_hours=["22:00", "05:00"]), a_car(id="dunlin", name="Dunlin", **later)],
                rates=[LOSSLESS, LOSSLESS | {"vehicle": "dunlin"}],
                trips=trips,
                wake="05:00",
            ),
            prove=False,
        ),
        1,
        hanging={hanging},
    )


def test_a_car_takes_the_lead_from_the_one_that_has_it_until_then():
    decision = on_one_lead()

    # It hung on the lead earlier in the night, and Heron since.
    assert (decision.action, decision.in_place_of.id) == ("plug_in", "heron")
    assert clock(decision.plug_in_by) == "05:30"


def test_a_car_whose_lead_the_other_has_left_takes_it_from_nobody():
    away = a_trip("2026-01-15T05:15:00+01:00", "2026-01-15T18:00:00+01:00", 10)

    assert on_one_lead(None, away).in_place_of is None


def test_a_car_that_has_the_lead_first_takes_it_from_nobody():
    decision = on_one_lead({"plug_in_hours": ["18:00", "21:00"]})

    assert (decision.action, decision.in_place_of) == ("keep_plugged_in", None)


def test_a_car_takes_the_lead_from_the_one_that_hangs_on_it_since_before_the_plan_began():
    early, away = {"plug_in_hours": ["19:00", "21:00"]}, a_trip("2026-01-14T18:05:00+01:00", "2026-01-14T23:00:00+01:00", 10)

    decision = on_one_lead(early, hanging="heron")

    assert (decision.action, decision.in_place_of.id) == ("plug_in", "heron")
    # Gone before Dunlin's session, it leaves the lead free.
    assert on_one_lead(early, away, hanging="heron").in_place_of is None


@pytest.mark.parametrize(
    ("later_a", "last_a", "current"),
    [(10, 10, "16 A, from 02:00 10 A"), (16, 16, "16 A"), (16, 6, "16 A, from 03:00 6 A")],
)
def test_what_a_later_session_is_offered_is_told_where_it_is_something_else(later_a: float, last_a: float, current: str):
    at_ten = {"start": "2026-01-14T22:00:00+01:00", "end": "2026-01-14T23:00:00+01:00", "amps": 16}
    at_two = {"start": "2026-01-15T02:00:00+01:00", "end": "2026-01-15T03:00:00+01:00", "amps": later_a}
    at_three = {"start": "2026-01-15T03:00:00+01:00", "end": "2026-01-15T04:00:00+01:00", "amps": last_a}
    pins = [{"id": pin["start"], "vehicle": "heron"} | pin for pin in (at_ten, at_two, at_three)]

    assert decided(pins=pins).current == current


def test_in_the_morning_what_comes_after_the_night_is_told_with_its_day():
    # At 6:50 all are up, and the night that is asked about ends at noon of the next day.
    at_ten = {"start": "2026-01-14T22:00:00+01:00", "end": "2026-01-14T23:00:00+01:00", "amps": 16}
    at_eight = {"start": "2026-01-15T08:00:00+01:00", "end": "2026-01-15T09:00:00+01:00", "amps": 10}
    pins = [{"id": pin["start"], "vehicle": "heron"} | pin for pin in (at_ten, at_eight)]

    decision = decided(now="2026-01-14T06:50:00+01:00", wake="06:30", horizon_nights=2, pins=pins)

    assert decision.current == "16 A, from Thursday 08:00 10 A"


def test_a_car_that_is_left_unplugged_is_offered_nothing():
    assert decided(vehicles=[a_car(soc_pct=80)]).current is None
