"""What is aboard by now when nobody has read a car since a plan was shown."""

import json
from datetime import datetime, timedelta
from typing import Any

import numpy as np
import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from moonplan.core.household import read
from moonplan.core.planner.building import build
from moonplan.core.planner.constraints import broken_rules
from moonplan.core.planner.outcome import outcome
from moonplan.core.planner.plan import document, plan
from moonplan.core.planner.problem import Problem
from moonplan.core.planner.reckoning import Reckoned, reckoned, setpoints, still_plugged_in
from moonplan.core.timegrid import Floats
from tests.core.factories import LOSSLESS, a_car, a_household, a_trip, at
from tests.core.strategies import odd_households

# 16 A at 230 V: without loss a slot of a quarter of an hour brings 0.92 kWh.
SLOT_KWH = 3.68 / 4
SLOW = LOSSLESS | {"cautious": {"efficiency": 0.75, "overhead_kw": 0.0}}


def a_night(**changes: Any) -> tuple[Problem, Floats]:
    """From 18:00 on with 25 kWh aboard; 16 A from 22:00 to 02:00."""
    problem = build(a_household(**changes))
    amps = np.zeros(problem.grid.n_slots)
    amps[16:32] = 16
    return problem, amps


def reckoned_at(clock: str, mean_kwh: float = 25.0, **changes: Any) -> Reckoned:
    problem, amps = a_night(**changes)
    return reckoned(problem, 0, amps, at(f"2026-01-{clock}:00+01:00"), mean_kwh)


@pytest.mark.parametrize(
    ("clock", "slots", "charging"),
    [
        ("14T18:00", 0, False),
        ("14T21:59", 0, False),
        ("14T22:01", 1, True),  # a plan that is made now begins at 22:15
        ("15T00:00", 8, True),
        ("15T01:50", 16, False),
        ("15T09:00", 16, False),
        ("16T09:00", 16, False),  # the plan ended at noon
    ],
)
def test_a_car_gains_what_was_planned_to_be_charged_by_then(clock: str, slots: int, charging: bool):
    aboard_kwh = 25 + slots * SLOT_KWH

    found = reckoned_at(clock)

    assert found.charging is charging
    assert found.mean_kwh == pytest.approx(aboard_kwh)
    assert found.planned_kwh == pytest.approx(aboard_kwh)


def test_a_session_that_runs_is_planned_on_by_the_cautious_rate_and_one_that_is_over_by_the_mean():
    running, over = reckoned_at("15T00:00", rates=[SLOW]), reckoned_at("15T02:00", rates=[SLOW])

    assert running.mean_kwh == pytest.approx(25 + 8 * SLOT_KWH)
    assert running.planned_kwh == pytest.approx(25 + 8 * 0.75 * SLOT_KWH)
    assert over.mean_kwh == over.planned_kwh == pytest.approx(25 + 16 * SLOT_KWH)


def test_looking_in_between_changes_nothing_of_what_a_session_comes_to():
    # At midnight somebody looked: a plan was made with 25 + 8 × 0.69 kWh, where by the mean rate there were 25 + 8 × 0.92.
    looked_kwh, mean_kwh = 25 + 8 * 0.75 * SLOT_KWH, 25 + 8 * SLOT_KWH
    car = a_car(soc_pct=looked_kwh / 50 * 100, charging=True)
    problem = build(a_household(now="2026-01-15T00:00:00+01:00", vehicles=[car], rates=[SLOW]))
    amps = np.zeros(problem.grid.n_slots)
    amps[:8] = 16

    at_once = reckoned(problem, 0, amps, at("2026-01-15T00:00:00+01:00"), mean_kwh)
    running = reckoned(problem, 0, amps, at("2026-01-15T01:00:00+01:00"), mean_kwh)
    over = reckoned(problem, 0, amps, at("2026-01-15T02:00:00+01:00"), mean_kwh)

    assert at_once == Reckoned(mean_kwh, pytest.approx(looked_kwh), True)
    assert running == Reckoned(pytest.approx(25 + 12 * SLOT_KWH), pytest.approx(25 + 12 * 0.75 * SLOT_KWH), True)
    assert over == Reckoned(pytest.approx(25 + 16 * SLOT_KWH), pytest.approx(25 + 16 * SLOT_KWH), False)


def test_a_car_that_is_full_gains_no_more():
    # 80 % of 50 kWh are its limit, and four hours would bring 14.7 kWh.
    car = a_car(soc_pct=70)

    assert reckoned_at("15T09:00", 35.0, vehicles=[car]).mean_kwh == pytest.approx(40)


def test_a_trip_is_off_once_the_car_has_left_and_still_ahead_until_then():
    # 35 km at 20 kWh per 100 km.
    trip = a_trip("2026-01-15T08:05:00+01:00", "2026-01-15T17:00:00+01:00", 35)
    charged_kwh = 25 + 16 * SLOT_KWH

    # A plan that is made at 08:03 begins at 08:15, and takes the trip off itself.
    assert reckoned_at("15T08:03", trips=[trip]).mean_kwh == pytest.approx(charged_kwh)
    assert reckoned_at("15T08:06", trips=[trip]).mean_kwh == pytest.approx(charged_kwh - 7)


def test_the_setpoints_of_a_plan_document_are_laid_on_the_slots_of_a_later_plan():
    wants_more = [a_car(end_pct=70)]
    told = document(plan(a_household(vehicles=wants_more), prove=False))
    first = datetime.fromisoformat(told["vehicles"][0]["setpoints"][0][0])
    later = build(a_household(now=(first + timedelta(minutes=20)).isoformat(), horizon_nights=2, vehicles=wants_more))

    (amps,) = setpoints(told, later)

    # The first two slots are over by the next edge.
    assert np.count_nonzero(amps) == len(told["vehicles"][0]["setpoints"]) - 2
    assert amps[0] == told["vehicles"][0]["setpoints"][2][1]
    with pytest.raises(KeyError):
        setpoints(told, build(a_household(vehicles=[a_car(id="other")], rates=[])))


@given(odd_households(), st.data())
def test_what_is_left_of_a_plan_can_go_on_at_any_time_of_the_night_and_misses_no_more(
    doc: dict[str, Any], data: st.DataObject
):
    doc["habit"] = "cheapest"
    made = plan(read(json.dumps(doc)), prove=False)
    problem, grid = made.problem, made.problem.grid
    # From midnight on a day more is planned, and from noon on a session that runs could be the new night's.
    night, today = grid.nights[0], problem.household.now.date()
    tonight = [t for t, start in enumerate(grid.starts[:-1]) if start.date() == today and grid.nights[t] == night]
    assume(tonight)
    t = data.draw(st.sampled_from(tonight))
    now = grid.starts[t]
    aboard = [reckoned(problem, i, car.amps, now, problem.cars[i].soc_kwh) for i, car in enumerate(made.outcome.cars)]
    vehicles = [
        told | {"soc_pct": min(100.0, one.planned_kwh / told["usable_kwh"] * 100), "charging": one.charging}
        for told, one in zip(doc["vehicles"], aboard, strict=True)
    ]

    later = build(read(json.dumps(doc | {"now": now.isoformat(), "vehicles": vehicles})))
    left = setpoints(document(made), later)

    assert later.grid.n_slots == grid.n_slots - t
    assert not broken_rules(later, left)
    assert outcome(later, left).short_kwh <= made.outcome.short_kwh + 0.01


TWO_ON_ONE_LEAD: dict[str, Any] = {"vehicles": [a_car(), a_car(id="wren")]}


def shown(begins: str, *, trips: Any = (), lead: str = "unit", **on: list[str]) -> tuple[dict[str, Any], dict[str, Any]]:
    """The documents of a plan that begins at a clock time of Wednesday, and of its household: when which car is on."""
    setpoints = {car: [[f"2026-01-14T{clock}:00+01:00", 16.0] for clock in clocks] for car, clocks in on.items()}
    told = [{"id": car, "lead": lead, "setpoints": setpoints.get(car, [])} for car in ("heron", "wren")]
    return {"trips": list(trips)}, {"start": f"2026-01-14T{begins}:00+01:00", "vehicles": told}


@pytest.mark.parametrize(
    ("plans", "hanging"),
    [
        ([shown("18:15", heron=["19:00"])], {"heron"}),
        ([shown("18:15", heron=["21:00"])], set()),  # it has not begun
        ([shown("11:00", heron=["11:45"])], set()),  # that was the night before
        ([shown("18:15")], set()),
        ([shown("18:15", heron=["19:00"], lead="post")], set()),  # it is to hang on another lead since
        ([shown("19:15"), shown("18:15", heron=["19:00"], lead="post")], set()),
        # The one that charged last hangs on the lead.
        ([shown("18:15", heron=["19:00"], wren=["20:00"])], {"wren"}),
        ([shown("18:15", heron=["20:00"], wren=["19:00"])], {"heron"}),
        # Planned otherwise at 19:10, what was planned for later never came about.
        ([shown("19:15"), shown("18:15", heron=["19:00"], wren=["20:00"])], {"heron"}),
        ([shown("19:15"), shown("18:15", heron=["19:15"])], set()),
        ([shown("19:15", wren=["19:15"]), shown("18:15", heron=["19:00"])], {"wren"}),
        # Away in between, by what was known then.
        (
            [
                shown(
                    "18:15",
                    heron=["19:00"],
                    trips=[a_trip("2026-01-14T19:20:00+01:00", "2026-01-14T20:00:00+01:00", 9)],
                )
            ],
            set(),
        ),
        (
            [
                shown(
                    "18:15",
                    heron=["19:00"],
                    trips=[a_trip("2026-01-14T18:20:00+01:00", "2026-01-14T18:50:00+01:00", 9)],
                )
            ],
            {"heron"},
        ),
    ],
)
def test_a_car_hangs_on_its_lead_once_it_has_charged_until_it_leaves_or_makes_way(plans: Any, hanging: set[str]):
    ahead = [a_trip("2026-01-14T21:00:00+01:00", "2026-01-14T23:00:00+01:00", 9, vehicle=car) for car in ("heron", "wren")]
    asked = a_household(now="2026-01-14T20:30:00+01:00", trips=ahead, **TWO_ON_ONE_LEAD)

    assert still_plugged_in(asked, plans, at("2026-01-14T12:00:00+01:00")) == hanging


def test_a_car_that_is_out_by_what_is_known_now_hangs_on_no_lead():
    trips = [a_trip("2026-01-14T20:00:00+01:00", "2026-01-14T23:00:00+01:00", 9)]
    asked = a_household(now="2026-01-14T20:30:00+01:00", trips=trips, **TWO_ON_ONE_LEAD)

    assert still_plugged_in(asked, [shown("18:15", heron=["19:00"])], at("2026-01-14T12:00:00+01:00")) == set()
