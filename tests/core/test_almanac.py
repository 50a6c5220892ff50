"""Dusk, dawn and the moon."""

from datetime import date
from zoneinfo import ZoneInfo

import pytest

from moonplan.core.almanac import sky_of

HERE = ZoneInfo("Europe/Ljubljana")


@pytest.mark.parametrize(
    ("night", "name"),
    # Full moon of 3 January 2026, 10:03 UTC; new moon of 18 January, 19:52 UTC.
    [(date(2026, 1, 2), "full moon"), (date(2026, 1, 18), "new moon"), (date(2026, 1, 10), "last quarter")],
)
def test_the_moon_is_the_true_one(night: date, name: str):
    assert sky_of(night, HERE, None, None).moon_name == name


def test_dusk_and_dawn_lie_within_the_night():
    sky = sky_of(date(2026, 1, 14), HERE, 46.1, 14.6)

    assert f"{sky.dusk:%H}" == "16"
    assert f"{sky.dawn:%H}" == "07"


def test_without_a_place_or_in_the_polar_night_there_is_none():
    assert sky_of(date(2026, 1, 14), HERE, None, None).dusk is None
    assert sky_of(date(2026, 1, 4), HERE, 78.2, 15.6).dusk is None
