"""Sessions as they were written down: what follows from what was read, what they cost, and a month of them."""

from collections.abc import Sequence
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
import pytest

from moonplan.core.household import Tariff
from moonplan.core.ledger import (
    Charged,
    Cost,
    costs,
    fixed_charges,
    fuel_cost,
    session_of,
    session_of_row,
    statement,
)
from moonplan.core.mistakes import BadDocument
from moonplan.core.rates import Rate
from moonplan.core.tariff import Prices
from moonplan.core.timegrid import Grid

ZONE = ZoneInfo("Europe/Ljubljana")
RATE = Rate(efficiency=0.9, overhead_kw=0.5)


def at(clock: str, day: int = 14) -> datetime:
    return datetime.fromisoformat(f"2026-01-{day:02}T{clock}:00+01:00")


def charged(start: datetime, end: datetime, **read: float) -> Charged:
    session = session_of({"start": start.isoformat(), "end": end.isoformat(), **read})
    return Charged.of(session, usable_kwh=50, rate=RATE)


def test_all_that_was_read_stands_as_it_was_read():
    one = charged(at("22:00"), at("02:00", 15), wall_kwh=12, soc_from_pct=40, soc_to_pct=60)

    # 20 % of 50 kWh; the meter says what it took.
    assert (one.wall_kwh, one.battery_kwh, one.derived) == (12, 10, {"battery_kwh"})


def test_without_a_meter_the_wall_gave_what_the_rate_takes_for_it():
    one = charged(at("22:00"), at("02:00", 15), soc_from_pct=40, soc_to_pct=60)

    # 10 kWh stored and four hours at half a kW, of which nine tenths arrive.
    assert one.wall_kwh == pytest.approx((10 + 4 * 0.5) / 0.9)
    assert "wall_kwh" in one.derived


def test_a_meter_and_one_soc_tell_the_other():
    after = charged(at("22:00"), at("02:00", 15), wall_kwh=10, soc_to_pct=60)
    before = charged(at("22:00"), at("02:00", 15), wall_kwh=10, soc_from_pct=95)
    alone = charged(at("22:00"), at("02:00", 15), wall_kwh=10)

    # 0.9 × 10 − 4 × 0.5 = 7 kWh are 14 % of 50.
    assert (after.battery_kwh, after.soc_from_pct) == pytest.approx((7, 46))
    assert before.soc_to_pct == 100, "a battery is full at most"
    assert (alone.soc_from_pct, alone.soc_to_pct) == (None, None)


def test_nothing_charged_burns_nothing():
    one = charged(at("22:00"), at("02:00", 15), soc_from_pct=60, soc_to_pct=60)

    assert (one.wall_kwh, one.battery_kwh) == (0, 0)


@pytest.mark.parametrize(
    ("given", "path", "expected"),
    [
        ({"end": "2026-01-14T21:00:00+01:00"}, "end", "a time after start"),
        ({"end": "2026-01-18T22:01:00+01:00"}, "end", "at most three days after start"),
        ({"soc_to_pct": 30}, "soc_to_pct", "no less than soc_from_pct (40)"),
        ({"soc_to_pct": None}, "wall_kwh", "what the meter counted, or the SoC before and after"),
        ({"soc_to_pct": 130}, "soc_to_pct", "0 to 100"),
        ({"wall_kwh": -1}, "wall_kwh", "0 to 1000"),
    ],
)
def test_what_cannot_be_is_refused_at_its_field(given: dict[str, Any], path: str, expected: str):
    values = {"start": at("22:00").isoformat(), "end": at("02:00", 15).isoformat(), "soc_from_pct": 40, "soc_to_pct": 60}

    with pytest.raises(BadDocument) as refused:
        session_of(values | given)

    assert [(mistake.path, mistake.expected) for mistake in refused.value.mistakes] == [(path, expected)]


def test_a_row_of_a_table_says_whose_session_it_is():
    cells = {"vehicle": "Wren", "start": at("22:00").isoformat(), "end": at("23:00").isoformat(), "wall_kwh": "2,5"}

    name, session = session_of_row(cells)

    assert (name, session.wall_kwh, session.soc_to_pct) == ("Wren", 2.5, None)


HOUR_GRID = Grid(int(at("21:00").timestamp()), 60, 4, ZONE)


def priced(sessions: Sequence[Charged], *, sun_kw: Sequence[float] = (0, 0, 0, 0)) -> list[Cost]:
    """The cost from 21:00 to 01:00: 0.30 until 22:00 and 0.10 after, 0.04 for what is fed in, half a kW for the house."""
    prices = Prices(np.array([0.3, 0.1, 0.1, 0.1]), np.full(4, 0.04), ["day", "night", "night", "night"])
    return costs(sessions, grid=HOUR_GRID, prices=prices, base_kw=np.full(4, 0.5), sun_kw=np.array(sun_kw))


def test_a_session_pays_the_prices_of_its_hours():
    # Half an hour before ten and one after it, at 4 kW: 2 kWh at 0.30 and 4 at 0.10.
    [cost] = priced([charged(at("21:30"), at("23:00"), wall_kwh=6)])

    assert cost.cost == pytest.approx(0.6 + 0.4)
    assert {band: (one.kwh, one.cost) for band, one in cost.bought.items()} == pytest.approx(
        {"day": (2, 0.6), "night": (4, 0.4)}
    )


def test_own_sun_costs_what_it_would_have_brought():
    # 2.5 kW of sun less the house's half: 2 of the 3 kW are own sun, at 0.04, one is bought at 0.30.
    [cost] = priced([charged(at("21:00"), at("22:00"), wall_kwh=3)], sun_kw=(2.5, 0, 0, 0))

    assert (cost.solar_kwh, cost.cost, cost.cost_sun_free) == pytest.approx((2, 2 * 0.04 + 0.3, 0.3))


def test_cars_share_sun_and_cost_by_what_they_took():
    one, other = priced(
        [charged(at("21:00"), at("22:00"), wall_kwh=3), charged(at("21:00"), at("22:00"), wall_kwh=1)], sun_kw=(2.5, 0, 0, 0)
    )

    # 4 kWh together, 2 of sun: 0.68 in all, three quarters of it the first car's.
    assert (one.cost, other.cost) == pytest.approx((0.51, 0.17))
    assert (one.solar_kwh, other.solar_kwh) == pytest.approx((1.5, 0.5))


def test_what_lies_outside_the_hours_known_is_left_out():
    [cost] = priced([charged(at("00:00", 15), at("02:00", 15), wall_kwh=2)])

    assert cost.cost == pytest.approx(0.1)


def test_a_month_adds_up_and_says_what_charging_at_once_had_cost():
    late = charged(at("22:00"), at("00:00", 15), wall_kwh=4)
    none = charged(at("22:00"), at("00:00", 15), wall_kwh=0)
    # At 4 kW from nine on: an hour at 0.30.
    at_once = late.at_once(at("21:00"), 4.0)

    found = statement([late, none], priced([late, none]), at_once=priced([at_once]), fixed=9.0)

    assert (found.n_sessions, found.wall_kwh, found.cost, found.at_once) == pytest.approx((1, 4, 0.4, 1.2))
    assert found.per_100km(20) == pytest.approx(2.0)
    assert found.per_100km(0) is None


def test_fixed_charges_go_by_the_days():
    # Ten days at 0.30, and a third of a month of 4 kW at 1.50.
    tariff = Tariff(default_price=0.2, daily_charge=0.3, monthly_per_kw=1.5, contracted_kw=4)

    assert fixed_charges([tariff] * 10, days_of_month=30) == pytest.approx(3 + 2)


def test_the_same_distance_on_fuel():
    # 250 km at 6.4 l per 100 km are 16 l.
    assert fuel_cost(250, per_100km=6.4, price=1.5) == pytest.approx(24)
