"""A timer's sessions moved a little: into the cheap hours, to no more than is wanted, and never against a rule."""

from typing import Any

import numpy as np
import pytest

from moonplan.core.planner import one_car as planning
from moonplan.core.planner.building import build
from moonplan.core.planner.candidates import candidate, pinned, surroundings
from moonplan.core.planner.constraints import broken_alone
from moonplan.core.planner.effort import COARSE
from moonplan.core.planner.habits import with_habits
from moonplan.core.planner.moves import brought_forward
from moonplan.core.planner.one_car import OneCar, Surroundings
from moonplan.core.planner.problem import Problem
from moonplan.core.planner.timer_moves import moved_a_little
from moonplan.core.simulate import runs
from moonplan.core.timegrid import Floats
from tests.core.factories import LOSSLESS, a_car, a_household, a_lead, a_trip, at
from tests.core.test_ways import a_single_car

# 9 A at 230 V: 2.07 kW, seven hours of which are 14.49 kWh.
AMPS, WANTED_PCT = 9.0, 100 * (25 + 14.49) / 50


def a_problem(control: str = "timer", **changes: Any) -> Problem:
    vehicle = a_car(control=control, end_pct=round(WANTED_PCT, 4), daily_limit_pct=90)
    given = {"vehicles": [vehicle], "leads": [a_lead(control=control)], "rates": [LOSSLESS]}
    return with_habits(build(a_household(**given | changes)))


def around(problem: Problem, most_a: float) -> Surroundings:
    alone = surroundings(problem, [pinned(problem.cars[0])], 0)
    return Surroundings(np.minimum(alone.room_a, most_a), alone.sun_kwh)


def a_session(problem: Problem, start: str, hours: float) -> Floats:
    amps = np.zeros(problem.grid.n_slots)
    first = problem.grid.starts.index(at(start))
    amps[first : first + int(4 * hours)] = AMPS
    return amps


def moved(problem: Problem, amps: Floats) -> Floats:
    """The setpoints moved, where no more than 9 A is left."""
    one_car, car = OneCar(problem, problem.cars[0], COARSE), problem.cars[0]
    slots = one_car._slots(around(problem, AMPS))
    kept, aboard = one_car._levels(slots), (car.soc_kwh, car.soc_kwh)
    timer = one_car._timer(one_car._worth(kept, 0, len(amps)), one_car._question(slots, 0, aboard), kept.currents)
    after = amps.copy()
    moved_a_little(after, aboard, timer)
    return after


def told(problem: Problem, amps: Floats) -> list[tuple[str, str]]:
    starts = problem.grid.starts
    return [(f"{starts[run.first]:%H:%M}", f"{starts[run.last + 1]:%H:%M}") for run in runs(amps)]


@pytest.mark.parametrize(("start", "cost"), [("2026-01-14T20:30:00+01:00", 1.449), ("2026-01-15T02:00:00+01:00", 1.449)])
def test_a_session_is_moved_into_the_cheap_hours(start: str, cost: float):
    # Seven hours of the eight from 22:00 to 06:00: 14.49 kWh at 0.10.
    problem = a_problem()

    amps = moved(problem, a_session(problem, start, 7))

    assert candidate(problem, [amps]).outcome.cost == pytest.approx(cost)
    assert amps.sum() == pytest.approx(28 * AMPS)


def test_a_session_ends_when_there_is_enough():
    problem = a_problem()

    amps = moved(problem, a_session(problem, "2026-01-14T19:00:00+01:00", 11))

    assert candidate(problem, [amps]).outcome.cost == pytest.approx(1.449)


def test_a_session_gives_as_much_in_less_time_at_more():
    # Ten and a half hours at 6 A are as much as 28 slots at 9 A. In the 32 cheap ones it takes 7.88 A, or more in fewer.
    problem = a_problem()

    amps = moved(problem, a_session(problem, "2026-01-14T20:30:00+01:00", 10.5) * 6 / AMPS)

    assert candidate(problem, [amps]).outcome.cost == pytest.approx(1.449, abs=2e-3)
    assert candidate(problem, [amps]).outcome.short_kwh == 0
    assert 6 < amps.max() <= AMPS


def test_a_session_that_misses_something_is_made_longer():
    # Five hours are 4.14 kWh too few; the eight cheap ones have room for them.
    problem = a_problem()

    found = candidate(problem, [moved(problem, a_session(problem, "2026-01-14T23:00:00+01:00", 5))]).outcome

    assert found.short_kwh == 0
    assert found.cost == pytest.approx(1.449)


def test_by_hand_it_begins_and_ends_while_somebody_is_up():
    # In bed from 22:15 to 05:00. Ten hours are three too many, those before the cheap ones.
    problem = a_problem("hand", bedtime="22:15", wake="05:00")

    amps = moved(problem, a_session(problem, "2026-01-14T19:00:00+01:00", 10))

    assert told(problem, amps) == [("22:00", "05:00")]


def test_by_hand_a_session_that_ends_full_in_the_night_still_does_when_the_one_before_could_be_shorter():
    # 8.28 kWh on the first evening, at 0.30; 11.72 are left to the limit of 45 kWh, which it comes to in the second night
    # before 03:45. With less on the first evening it would have to be stopped then.
    problem = a_problem("hand", bedtime="22:15", wake="05:00", horizon_nights=2)
    amps = a_session(problem, "2026-01-14T18:00:00+01:00", 4) + a_session(problem, "2026-01-15T22:00:00+01:00", 5.75)
    assert not any(broken_alone(problem, problem.cars[0], amps))

    assert not any(broken_alone(problem, problem.cars[0], moved(problem, amps)))


def test_a_session_stays_in_its_night_and_clear_of_the_other():
    # Home for two nights, 7 hours wanted by the second morning: both sessions are in cheap hours after the move.
    problem = a_problem(horizon_nights=2)
    amps = a_session(problem, "2026-01-14T19:30:00+01:00", 4) + a_session(problem, "2026-01-15T18:00:00+01:00", 3)

    after = moved(problem, amps)

    assert [problem.grid.starts[run.first].day for run in runs(after)] == [14, 15]
    assert candidate(problem, [after]).outcome.cost == pytest.approx(1.449)


def test_a_session_that_misses_something_takes_all_there_is_before_a_trip_and_goes_no_further():
    # Away from 21:00: of the two hours of this session three can be made, from now until then.
    trip = a_trip("2026-01-14T21:00:00+01:00", "2026-01-14T23:30:00+01:00", 20)
    problem = a_problem(trips=[trip])

    amps = moved(problem, a_session(problem, "2026-01-14T18:30:00+01:00", 2))

    assert told(problem, amps) == [("18:00", "21:00")]
    assert not any(broken_alone(problem, problem.cars[0], amps))


def test_a_session_takes_all_the_current_that_is_left_while_it_lasts_and_is_shorter():
    # 21 kWh, and 11.68 A are left from 22:00 to 06:00, when it is cheap: 2.686 kW for 32 quarter hours are 21.49. At the
    # 11 A that are among the currents tried, eight hours are 20.24, and the rest would be had at 0.30.
    problem = a_problem(vehicles=[a_car(control="timer", end_pct=92, daily_limit_pct=95)])
    night = np.array([start.hour >= 22 or start.hour < 6 for start in problem.grid.starts[:-1]])
    left = Surroundings(np.where(night, 11.68, 16.0), np.zeros(problem.grid.n_slots))

    amps = OneCar(problem, problem.cars[0], COARSE).whole(left)
    found = candidate(problem, [amps]).outcome

    assert (amps <= left.room_a).all()
    assert found.short_kwh == 0
    assert (amps > 0).sum() == 32  # a quarter hour less would be 20.82
    assert found.cost == pytest.approx(32 / 4 * 0.230 * 11.68 * 0.10)


def test_a_pinned_session_stays_at_its_current():
    problem = a_problem(
        pins=[
            {
                "id": "p",
                "vehicle": "heron",
                "start": "2026-01-15T02:00:00+01:00",
                "end": "2026-01-15T03:00:00+01:00",
                "amps": 9,
            }
        ]
    )
    amps = np.where(np.isnan(problem.cars[0].pinned_a), 0.0, problem.cars[0].pinned_a)

    assert moved(problem, amps).tolist() == amps.tolist()


def test_weeks_planned_roughly_are_never_worse_with_the_moves_and_often_better(monkeypatch: pytest.MonkeyPatch):
    which = ((4, 4, "v0"), (5, 4, "v3"), (0, 2, "v0"), (6, 2, "v1"), (9, 2, "v1"))
    weeks = [a_single_car(*one) for one in which]

    def planned() -> list[Floats]:
        return [OneCar(week, week.cars[0], COARSE).whole(around(week, 10.0)) for week in weeks]

    with_moves = planned()
    monkeypatch.setattr(planning, "moved_a_little", lambda *_: None)
    ranks = [
        [(*found.missed, round(found.value, 6)) for found in (candidate(week, [amps]).outcome for amps in both)]
        for week, both in zip(weeks, zip(with_moves, planned(), strict=True), strict=True)
    ]

    assert not any(
        broken for week, amps in zip(weeks, with_moves, strict=True) for broken in broken_alone(week, week.cars[0], amps)
    )
    assert all(moved <= as_it_was for moved, as_it_was in ranks)
    assert sum(moved < as_it_was for moved, as_it_was in ranks) >= 2


TO_KEEP_OFF = {"vehicle": "heron", "start": "2026-01-14T21:00:00+01:00", "end": "2026-01-15T00:30:00+01:00"}
PINNED = {"start": "2026-01-15T01:00:00+01:00", "end": "2026-01-15T05:00:00+01:00", "amps": 9}


@pytest.mark.parametrize(
    ("changes", "begins"),
    [({}, "22:00"), ({"forbids": [TO_KEEP_OFF]}, "00:30"), ({"pins": [{"id": "p", "vehicle": "heron"} | PINNED]}, "01:00")],
)
def test_of_hours_at_one_price_a_session_has_the_first(changes: dict[str, Any], begins: str):
    # Cheap from 22:00 on: four hours from 1:00 cost what they cost from 22:00.
    problem = build(a_household(leads=[a_lead(control="timer")], vehicles=[a_car(control="timer")], **changes))
    late = candidate(problem, [a_session(problem, "2026-01-15T01:00:00+01:00", 4)])

    early = brought_forward(problem, late)

    assert told(problem, early.amps[0])[0][0] == begins
    assert early.outcome.value == pytest.approx(late.outcome.value)
