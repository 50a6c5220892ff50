"""Whole plan documents against a second reading of the rules page (tests/reference/by_the_page.py)."""

import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings

from moonplan.core.household import read
from moonplan.core.planner.plan import document, plan
from tests.core.factories import a_car, a_circuit, a_document, a_lead, a_trip
from tests.core.strategies import odd_households, pinned_households
from tests.reference.by_the_page import objections

EXAMPLES = Path(__file__).parent.parent / "examples"
# One car with three phases and some sun, another that somebody plugs into a socket by hand.
EVENING = a_document(
    circuits=[a_circuit(phases=3, sharing="none"), a_circuit(id="shed")],
    leads=[a_lead(phases=3), a_lead(id="brick", circuit="shed", steps_a=[6, 10], control="hand")],
    vehicles=[
        a_car(onboard_kw=11, onboard_phases=3, end_pct=85),
        a_car(id="wren", lead="brick", control="hand", end_pct=60),
    ],
    trips=[a_trip("2026-01-15T07:20:00+01:00", "2026-01-15T10:40:00+01:00", 64, temperature_c=-3)],
    solar_kw=[["2026-01-15T08:15:00+01:00", 3.1], ["2026-01-15T11:00:00+01:00", 0]],
    start_price=0.02,
    care_price=0.001,
)


def told(household: dict[str, Any], *, prove: bool = False) -> dict[str, Any]:
    answer = document(plan(read(json.dumps(household)), prove=prove))
    return dict(json.loads(json.dumps(answer, allow_nan=False)))


@settings(max_examples=60)
@given(odd_households())
def test_every_plan_is_what_the_page_makes_of_its_setpoints(household: dict[str, Any]):
    assert objections(household, told(household)) == []


@settings(max_examples=40)
@given(pinned_households())
def test_so_is_one_beside_a_pinned_session(household: dict[str, Any]):
    assert objections(household, told(household)) == []


@pytest.mark.parametrize("name", ["two_cars", "three_cars"])
def test_so_is_a_refined_plan_with_its_bound(name: str):
    household = json.loads((EXAMPLES / f"{name}.json").read_text(encoding="utf-8"))

    assert objections(household, told(household, prove=True)) == []


def _later_by_hand(answer: dict[str, Any]) -> None:
    # In the middle of the night, when nobody is up to plug in.
    wren = answer["vehicles"][1]
    wren["setpoints"] = [["2026-01-15T02:00:00+01:00", 10.0]]


def _beyond_the_lead(answer: dict[str, Any]) -> None:
    answer["vehicles"][1]["setpoints"][0][1] = 8.0


def _off(figure: str) -> Callable[[dict[str, Any]], None]:
    def change(answer: dict[str, Any]) -> None:
        answer["vehicles"][0]["sessions"][0][figure] += 0.1

    return change


@pytest.mark.parametrize(
    ("change", "objection"),
    [
        (_later_by_hand, "wren: nobody is up to begin at 2026-01-15 01:00:00+00:00"),
        (_beyond_the_lead, "wren: 8.0 A at"),
        (_off("wall_kwh"), "heron: wall_kwh from"),
        (_off("cost"), "heron: cost from"),
        (_off("soc_to_pct"), "heron: soc_to_pct from"),
        (lambda answer: answer["vehicles"][0]["departures"][0].update(planned_pct=99), "heron: planned at"),
        (lambda answer: answer["vehicles"][0]["soc_pct"][40].__setitem__(1, 12), "heron: SoC at"),
        (lambda answer: answer["totals"].update(cost=answer["totals"]["cost"] + 0.1), "total cost"),
        (lambda answer: answer["objective"].update(value=0.1), "objective: 0.1 instead of"),
    ],
)
def test_a_plan_that_is_not_is_objected_to(change: Callable[[dict[str, Any]], None], objection: str):
    answer = told(EVENING)
    assert objections(EVENING, answer) == []

    change(answer)

    assert any(said.startswith(objection) for said in objections(EVENING, answer))
