"""A car's night beside its plan: the sentence that stands there in the morning."""

from datetime import datetime, timedelta

import pytest

from moonplan.core.as_planned import Stretch, beside_the_plan

TEN = datetime.fromisoformat("2026-01-14T22:00:00+01:00")


def stretch(wall_kwh: float, *, begins: int = 0, minutes: int = 240) -> Stretch:
    """So much in so many minutes, from so many after ten in the evening."""
    start = TEN + timedelta(minutes=begins)
    return Stretch(start, start + timedelta(minutes=minutes), wall_kwh)


PLANNED = [stretch(9.2)]


@pytest.mark.parametrize(
    ("happened", "cause", "told"),
    [
        ([], "not written down", "Nothing is written down yet."),
        ([stretch(0)], "did not charge", "It did not charge: 9.2 kWh less than planned."),
        ([stretch(9.0)], "as planned", "As planned."),
        ([stretch(9.2, begins=90)], "as planned", "As much as planned, from 23:30 instead of 22:00."),
        ([stretch(7.4)], "power", "1.8 kWh less than planned: 1.9 kW at the wall instead of 2.3."),
        ([stretch(6.9, begins=60, minutes=180)], "began", "2.3 kWh less than planned: it began at 23:00 instead of 22:00."),
        ([stretch(6.9, minutes=180)], "ended", "2.3 kWh less than planned: it ended at 01:00 instead of 02:00."),
        ([stretch(11.5, minutes=300)], "ended", "2.3 kWh more than planned: it ended at 03:00 instead of 02:00."),
        # Slower, but for longer: what is more comes of its end.
        ([stretch(10.0, minutes=300)], "ended", "0.8 kWh more than planned: it ended at 03:00 instead of 02:00."),
        ([stretch(4, minutes=105), stretch(4, begins=135, minutes=105)], "otherwise", "1.2 kWh less than planned."),
    ],
)
def test_what_explains_the_difference_first_is_told(happened: list[Stretch], cause: str, told: str):
    verdict = beside_the_plan(PLANNED, happened)

    assert (verdict.cause, verdict.told) == (cause, told)


def test_a_night_that_needed_no_charge_says_so():
    assert beside_the_plan([], []).told == "It needed no charge."
    assert beside_the_plan([], [stretch(0)]).told == "It needed no charge."
    assert beside_the_plan([], [stretch(3)]).told == "It needed no charge, and took 3.0 kWh."


def test_a_night_that_nobody_planned_is_judged_by_nothing():
    assert beside_the_plan(None, [stretch(3)]).cause == "not planned"
