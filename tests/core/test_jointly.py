"""Two cars planned together: each gives up what is worth more to the other, which neither does planned after the other."""

import random
from itertools import product
from typing import Any

import numpy as np
import pytest

from moonplan.core.planner.building import build
from moonplan.core.planner.candidates import Candidate, candidate, pinned, planned
from moonplan.core.planner.constraints import broken_rules
from moonplan.core.planner.effort import FINE
from moonplan.core.planner.habits import with_habits
from moonplan.core.planner.here import Here
from moonplan.core.planner.jointly import _gone_on, _together, jointly_planned, may_be_joined
from moonplan.core.planner.problem import Problem
from moonplan.core.planner.search import searched
from moonplan.core.timegrid import Floats
from tests.core.factories import LOSSLESS, a_car, a_circuit, a_household, a_lead

# What 16 A on one phase give in an hour.
AN_HOUR_KWH = 3.68
WIDE = {"leg_voltage_v": 230, "legs": 3, "rating_a": 63, "continuous_factor": 1.0}


def prices(from_hour: int, *of_hours: float) -> list[list[Any]]:
    """A price for each hour from one of the evening of 14 January on."""
    return [
        [f"2026-01-{14 + (from_hour + k) // 24}T{(from_hour + k) % 24:02d}:00:00+01:00", p] for k, p in enumerate(of_hours)
    ]


def two_cars(heron: dict[str, Any], wren: dict[str, Any], wren_lead: str = "second", **changes: Any) -> Problem:
    """Heron and Wren on one circuit that has enough for one of them at a time; hourly slots."""
    document: dict[str, Any] = {
        "slot_minutes": 60,
        "leads": [a_lead(steps_a=[16]), a_lead(id="second", steps_a=[16])],
        "circuits": [a_circuit(sharing="none")],
        "vehicles": [a_car(reserve_pct=0, **heron), a_car(id="wren", lead=wren_lead, reserve_pct=0, **wren)],
        "rates": [LOSSLESS, LOSSLESS | {"vehicle": "wren", "lead": wren_lead}],
    }
    return with_habits(build(a_household(**document | changes)))


def at_hours(problem: Problem, *of_cars: dict[int, float]) -> Here:
    """The plan in which each car has a current in some hours after 18:00."""
    amps = [pinned(car) for car in problem.cars]
    for a, hours in zip(amps, of_cars, strict=True):
        a[list(hours)] = list(hours.values())
    return Here(problem, candidate(problem, amps), FINE)


def hours_of(amps: Floats) -> list[int]:
    return np.flatnonzero(amps).tolist()


def pct(hours: float) -> float:
    """SoC that many hours above 20 %."""
    return 20 + 100 * hours * AN_HOUR_KWH / 50


def test_a_car_gives_up_a_cheap_hour_that_is_worth_more_to_the_other():
    # An hour each. Heron has the one at 0.10 and would pay 0.12 for the next, in which Wren is not plugged in: Wren pays
    # 0.40. Neither does better around what the other does; together they pay 0.22 and not 0.50.
    problem = two_cars(
        {"soc_pct": 20, "end_pct": pct(1), "plug_in_hours": ["22:00", "00:00"]},
        {"soc_pct": 20, "end_pct": pct(1), "plug_in_hours": ["21:00", "23:00"]},
        tariff={"default_price": 0.40, "export_price": 0, "series": prices(18, *[0.40] * 4, 0.10, 0.12, *[0.40] * 14)},
    )
    here = at_hours(problem, {4: 16.0}, {3: 16.0})

    assert here.planned(list(here.plan.amps), 0, (0, 1)).tolist() == here.plan.amps[0].tolist()
    assert here.planned(list(here.plan.amps), 1, (0, 1)).tolist() == here.plan.amps[1].tolist()
    together = jointly_planned(here, (0, 1), (0, 1), toll=0.0)

    assert [hours_of(amps) for amps in together] == [[5], [4]]
    assert candidate(problem, together).outcome.cost == pytest.approx(AN_HOUR_KWH * (0.12 + 0.10))


def test_a_search_in_which_two_are_planned_together_finds_it_at_once_and_else_tries_what_it_can():
    # The same on a circuit that both share, and then on one lead, which somebody who is still up changes over at 23:00: two
    # cars on that cannot be planned together, and the search goes on by other tries.
    cars = (
        {"soc_pct": 20, "end_pct": pct(1), "plug_in_hours": ["22:00", "00:00"]},
        {"soc_pct": 20, "end_pct": pct(1), "plug_in_hours": ["21:00", "23:00"]},
    )
    awake = {"bedtime": "01:00", "wake": "05:00"}
    tariff = {"default_price": 0.40, "export_price": 0, "series": prices(18, *[0.40] * 4, 0.10, 0.12, *[0.40] * 14)}
    on_a_circuit = at_hours(two_cars(*cars, tariff=tariff), {4: 16.0}, {3: 16.0})
    one_lead = two_cars(*cars, tariff=tariff, leads=[a_lead(steps_a=[16])], wren_lead="unit", **awake)
    on_a_lead = at_hours(one_lead, {4: 16.0}, {3: 16.0})

    found = searched(on_a_circuit.problem, on_a_circuit.plan, tries=1, effort=FINE, together=1.0)
    by_other_tries = searched(on_a_lead.problem, on_a_lead.plan, tries=20, effort=FINE, together=1.0)

    assert not may_be_joined(on_a_lead, (0, 1))
    for plan in (found, by_other_tries):
        assert plan.outcome.cost == pytest.approx(AN_HOUR_KWH * (0.12 + 0.10))


def test_a_car_goes_on_anew_after_the_nights_in_which_it_gave_way():
    # Heron needs an hour by the second noon: it has the one at 0.10 tonight, and there is one at 0.11 tomorrow. Wren leaves
    # at 11:00 and pays 0.40 for its hour, since Heron has the other one. Only the first night is planned together.
    wren_leaves = {
        "vehicle": "wren",
        "leave": "2026-01-15T11:00:00+01:00",
        "back": "2026-01-16T20:00:00+01:00",
        "km": (10 + AN_HOUR_KWH) / 20 * 100,
    }
    dear = 0.40
    problem = two_cars(
        {"soc_pct": 20, "end_pct": pct(1)},
        {"soc_pct": 20, "end_pct": 0, "plug_in_hours": ["21:00", "23:00"]},
        horizon_nights=2,
        trips=[wren_leaves],
        tariff={
            "default_price": dear,
            "export_price": 0,
            "series": prices(18, *[dear] * 4, 0.10, *[dear] * 23, 0.11, *[dear] * 13),
        },
    )
    here = at_hours(problem, {4: 16.0}, {3: 16.0})
    assert here.plan.outcome.short_kwh == 0

    together = jointly_planned(here, (0, 1), (0, 1), toll=0.0)
    next_noon = here.problem.grid.night_edges[1]
    gave_way = _gone_on(here, [np.zeros(problem.grid.n_slots), here.plan.amps[1]], 0, next_noon)
    did_not = _gone_on(here, list(here.plan.amps), 0, next_noon)

    assert [hours_of(amps) for amps in together] == [[28], [4]]
    assert hours_of(gave_way) == [28]
    assert did_not is here.plan.amps[0]


@pytest.mark.parametrize(
    ("heron", "wren"), [("managed", "managed"), ("managed", "timer"), ("hand", "timer"), ("timer", "managed")]
)
@pytest.mark.parametrize("seed", [1, 2, 3])
def test_a_night_of_two_cars_is_as_good_as_the_best_of_all_ways_to_share_it(seed: int, heron: str, wren: str):
    # Nine hours, of which each is Heron's, Wren's or nobody's: some of 19,683 ways break a rule, and of the others the best
    # is looked for. Sessions cost something, and what the prices are is by chance.
    chance = random.Random(seed)
    problem = two_cars(
        {"soc_pct": 20, "end_pct": pct(chance.randint(2, 3)), "plug_in_hours": ["21:00", "05:00"], "control": heron},
        {"soc_pct": 20, "end_pct": pct(chance.randint(2, 4)), "plug_in_hours": ["22:00", "06:00"], "control": wren},
        leads=[a_lead(steps_a=[16], control=heron), a_lead(id="second", steps_a=[16], control=wren)],
        start_price=0.05,
        bedtime="23:00",
        wake="04:00",
        tariff={
            "default_price": 0.30,
            "export_price": 0,
            "series": prices(18, *[round(chance.uniform(0.05, 0.4), 2) for _ in range(18)]),
        },
    )

    assert [car.control for car in problem.cars] == [heron, wren]
    best = _best_of_all(problem, list(range(3, 12)))
    amps = [pinned(car) for car in problem.cars]
    for i in (0, 1):
        amps[i] = planned(problem, amps, i, FINE)
    here = Here(problem, candidate(problem, amps), FINE)
    for toll in (0.0, 0.7):
        here = here.or_better(jointly_planned(here, (0, 1), (0, 1), toll=toll))

    assert here.plan.outcome.short_kwh == pytest.approx(best.outcome.short_kwh)
    assert here.plan.outcome.value == pytest.approx(best.outcome.value)


def _best_of_all(problem: Problem, slots: list[int]) -> Candidate:
    found: Candidate | None = None
    for whose in product((0, 1, 2), repeat=len(slots)):
        amps = [np.zeros(problem.grid.n_slots) for _ in problem.cars]
        for t, i in zip(slots, whose, strict=True):
            if i < 2:
                amps[i][t] = 16.0
        one = candidate(problem, amps)
        if one.better_than(found) and not broken_rules(problem, amps):
            found = one
    assert found is not None
    return found


def test_a_car_by_hand_is_not_stopped_while_everybody_sleeps():
    # Heron needs two hours, and 22:00 to midnight would be cheap; but from 23:00 to 04:00 nobody is up to stop it, and until
    # then four hours at 0.40 would follow. So it starts at 04:00.
    problem = two_cars(
        {"soc_pct": 20, "end_pct": pct(2), "plug_in_hours": ["22:00", "06:00"], "control": "hand"},
        {"soc_pct": 20, "end_pct": 0},
        leads=[a_lead(steps_a=[16], control="hand"), a_lead(id="second", steps_a=[16])],
        bedtime="23:00",
        wake="04:00",
        tariff={"default_price": 0.40, "export_price": 0, "series": prices(18, *[0.40] * 4, 0.10, 0.10, *[0.40] * 13)},
    )
    here = at_hours(problem, {10: 16.0, 11: 16.0}, {})

    heron, wren = _together(here, (0, 1), 0, problem.grid.n_slots, 0.0)

    assert (hours_of(heron), hours_of(wren)) == ([10, 11], [])


@pytest.mark.parametrize("control", ["managed", "timer"])
def test_a_car_below_its_boost_level_has_the_most_beside_the_other(control: str):
    # Heron is below half all five hours, and nothing asks for what it charges: 6 A would cost less. Wren has the rest of
    # 22 A.
    problem = two_cars(
        {"soc_pct": 8, "end_pct": 5, "boost_pct": 50, "control": control, "plug_in_hours": ["18:00", "23:00"]},
        {"soc_pct": 20, "end_pct": 22, "plug_in_hours": ["18:00", "23:00"]},
        leads=[a_lead(steps_a=[6, 16], control=control), a_lead(id="second", steps_a=[6, 16])],
        circuits=[a_circuit(sharing="free", breaker_a=22)],
    )
    here = at_hours(problem, dict.fromkeys(range(5), 6.0), {4: 6.0})

    heron, wren = _together(here, (0, 1), 0, problem.grid.n_slots, 0.0)

    assert heron[:5].tolist() == [16] * 5
    assert wren[:5].max() == 6


def test_own_sun_goes_to_the_car_that_has_no_cheap_night():
    # 3.68 kW of sun for an hour before noon; each needs an hour. Heron could have it at 0.10 in the night, but has the
    # sun; Wren, plugged in by day only, pays 0.30. On circuits of their own: it is the sun alone that they share.
    problem = two_cars(
        {"soc_pct": 20, "end_pct": pct(1)},
        {"soc_pct": 20, "end_pct": pct(1), "plug_in_hours": ["08:00", "12:00"]},
        circuits=[a_circuit(), a_circuit(id="shed")],
        leads=[a_lead(steps_a=[16]), a_lead(id="second", circuit="shed", steps_a=[16])],
        solar_kw=[["2026-01-15T10:00:00+01:00", AN_HOUR_KWH], ["2026-01-15T11:00:00+01:00", 0.0]],
        base_load_kw=[["00:00", 0.0]],
    )
    here = at_hours(problem, {16: 16.0}, {15: 16.0})
    assert here.plan.outcome.cost == pytest.approx(AN_HOUR_KWH * 0.30)

    together = jointly_planned(here, (0, 1), (0, 1), toll=1.0)

    assert hours_of(together[1]) == [16]
    assert candidate(problem, together).outcome.cost == pytest.approx(AN_HOUR_KWH * 0.10)


def test_a_pinned_session_stays_and_around_it_the_other_car_gives_way():
    # Somebody pinned Wren at 22:00. Until midnight, when it is unplugged, it needs another hour and pays 0.40 for that,
    # since Heron has the one at 0.12; Heron could have the next at 0.13.
    problem = two_cars(
        {"soc_pct": 20, "end_pct": pct(1)},
        {"soc_pct": 20, "end_pct": pct(2), "plug_in_hours": ["21:00", "00:00"]},
        pins=[
            {
                "id": "pin",
                "vehicle": "wren",
                "start": "2026-01-14T22:00:00+01:00",
                "end": "2026-01-14T23:00:00+01:00",
                "amps": 16,
            }
        ],
        tariff={
            "default_price": 0.40,
            "export_price": 0,
            "series": prices(18, *[0.40] * 4, 0.05, 0.12, 0.13, *[0.40] * 13),
        },
    )
    here = at_hours(problem, {5: 16.0}, {3: 16.0, 4: 16.0})

    together = jointly_planned(here, (0, 1), (0, 1), toll=0.0)

    assert [hours_of(amps) for amps in together] == [[6], [4, 5]]


@pytest.mark.parametrize(
    ("joined", "changes"),
    [
        (True, {}),
        (False, {"leads": [a_lead(steps_a=[16])], "wren": {"lead": "unit"}}),
        (False, {"circuits": [a_circuit(), a_circuit(id="shed")], "supply": WIDE}),
        (False, {"wren": {"ceiling_a": 4}}),
        (
            False,
            {"wren": {"ceiling_a": 4}, "solar_kw": [["2026-01-15T10:00:00+01:00", 3.0], ["2026-01-15T11:00:00+01:00", 0.0]]},
        ),
    ],
    ids=["a circuit", "a lead, which one can have", "nothing but a wide supply", "one cannot charge", "nor from own sun"],
)
def test_two_cars_are_planned_together_where_both_can_have_of_what_they_share(joined: bool, changes: dict[str, Any]):
    circuits = changes.get("circuits", [a_circuit()])
    second = a_lead(id="second", circuit=circuits[-1]["id"], steps_a=[16])
    wren = {"soc_pct": 20, "end_pct": 40} | changes.get("wren", {})
    document = {
        "circuits": circuits,
        "leads": changes.get("leads", [a_lead(steps_a=[16]), second]),
        "supply": changes.get("supply", WIDE | {"rating_a": 25}),
        "solar_kw": changes.get("solar_kw", []),
    }
    cars = [a_car(soc_pct=20, end_pct=40), a_car(id="wren", **{"lead": "second"} | wren)]
    problem = with_habits(build(a_household(vehicles=cars, rates=[LOSSLESS], **document)))
    here = Here(problem, candidate(problem, [pinned(car) for car in problem.cars]), FINE)

    assert may_be_joined(here, (0, 1)) is joined
