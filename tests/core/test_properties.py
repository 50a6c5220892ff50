"""What must hold of any plan when the world gets kinder, and of the parts that plans are made of."""

import json
from copy import deepcopy
from datetime import UTC, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from moonplan.core.costing import ev_cost
from moonplan.core.household import read
from moonplan.core.planner.plan import plan
from moonplan.core.rates import Intake, Rate
from moonplan.core.simulate import Given, trajectory
from moonplan.core.timegrid import grid_for, in_night, instant_at, local_times, night_of
from tests.core.factories import NIGHT_BAND, a_car, a_circuit, a_household, a_lead, a_trip, at
from tests.core.strategies import odd_households

EVENING: dict[str, Any] = {
    "slot_minutes": 30,
    "start_price": 0.02,
    "care_price": 0.0005,
    "trips": [a_trip("2026-01-15T06:40:00+01:00", "2026-01-15T18:00:00+01:00", 140)],
}


def value_and_shortage(**changes: Any) -> tuple[float, float]:
    made = plan(a_household(**EVENING | changes), prove=False)
    return made.outcome.value, made.outcome.short_kwh


@settings(max_examples=8)
@given(st.integers(10, 60), st.integers(6, 15), st.integers(1, 10))
def test_more_current_is_never_worse(soc: int, amps: int, more: int):
    # Lossless, so that a higher current wastes nothing that a lower one keeps.
    car = [a_car(soc_pct=soc, onboard_kw=7.4)]
    less = value_and_shortage(vehicles=car, leads=[a_lead(max_a=amps)], circuits=[a_circuit(breaker_a=32)])
    kinder = value_and_shortage(vehicles=car, leads=[a_lead(max_a=amps + more)], circuits=[a_circuit(breaker_a=32)])

    assert kinder[1] <= less[1] + 1e-5
    if kinder[1] == less[1]:
        assert kinder[0] <= less[0] + 0.05 * 0.30


@settings(max_examples=8)
@given(st.integers(10, 60), st.floats(0.01, 0.09))
def test_a_lower_price_is_never_dearer(soc: int, price: float):
    car = [a_car(soc_pct=soc)]
    ordinary = value_and_shortage(vehicles=car)
    cheaper = value_and_shortage(vehicles=car, tariff={"default_price": 0.30, "bands": [NIGHT_BAND | {"price": price}]})

    assert cheaper[1] == pytest.approx(ordinary[1], abs=1e-5)
    assert cheaper[0] <= ordinary[0] + 0.05 * 0.30


@settings(max_examples=8)
@given(st.integers(10, 60), st.integers(50, 90))
def test_a_higher_limit_is_never_shorter(soc: int, limit: int):
    low, high = (
        value_and_shortage(vehicles=[a_car(soc_pct=soc, daily_limit_pct=pct, end_pct=70)], trips=[])
        for pct in (limit, limit + 10)
    )

    assert high[1] <= low[1] + 1e-5


@settings(max_examples=25)
@given(odd_households())
def test_the_plan_is_the_same_in_a_currency_of_smaller_units(household: dict[str, Any]):
    # Sixty-four times as much of everything: a power of two, so that no figure is rounded otherwise.
    smaller = deepcopy(household)
    for priced, keys in ((smaller, ["care_price", "start_price"]), (smaller["tariff"], ["default_price", "export_price"])):
        priced.update({key: 64 * priced[key] for key in keys if key in priced})
    for band in smaller["tariff"]["bands"]:
        band["price"] *= 64

    here, there = (plan(read(json.dumps(one)), prove=False).outcome for one in (household, smaller))

    assert there.short_kwh == pytest.approx(here.short_kwh, abs=1e-3)
    assert there.unwished_kwh == pytest.approx(here.unwished_kwh, abs=1e-3)
    good = max(0.001 * abs(here.value), 0.05 * household["tariff"]["default_price"])
    assert there.value / 64 == pytest.approx(here.value, abs=good)


@settings(max_examples=10)
@given(st.integers(5, 60), st.integers(20, 150), st.integers(20, 150))
def test_a_shortage_that_is_reported_is_physical(soc: int, thursday: int, friday: int):
    # Without losses at 3.68 kW, home from 18:00 to 6:30 and from 20:00 to 6:30: 12.5 h and then 10.5 h, as far as 50 kWh
    # hold. Nobody can have more aboard, and less is no excuse.
    trips = [
        a_trip("2026-01-15T06:30:00+01:00", "2026-01-15T20:00:00+01:00", thursday),
        a_trip("2026-01-16T06:30:00+01:00", "2026-01-16T20:00:00+01:00", friday),
    ]
    made = plan(a_household(horizon_nights=2, vehicles=[a_car(soc_pct=soc, end_pct=0)], trips=trips), prove=False)

    most_first = min(50, soc / 2 + 12.5 * 3.68)
    most_second = min(50, max(0, most_first - thursday / 5) + 10.5 * 3.68)
    physical = max(0, min(50, thursday / 5 + 5) - most_first) + max(0, min(50, friday / 5 + 5) - most_second)
    assert made.outcome.short_kwh == pytest.approx(physical, abs=1e-3)


@settings(max_examples=40)
@given(
    ev=st.floats(0, 20),
    base=st.floats(0, 10),
    sun=st.floats(0, 10),
    price=st.floats(-0.2, 0.6),
    export=st.floats(0, 0.1),
)
def test_cost_is_the_bill_with_the_car_less_the_bill_without(
    ev: float, base: float, sun: float, price: float, export: float
):
    def bill(load: float) -> float:
        net = base - sun + load
        return price * max(0.0, net) - export * max(0.0, -net)

    one = np.ones(1)
    got = ev_cost(one * ev, base_kw=one * base, solar_kw=one * sun, price=one * price, export_price=one * export, hours=1.0)

    assert got.cost[0] == pytest.approx(bill(ev) - bill(0), abs=1e-9)
    assert 0 <= got.solar_kwh[0] <= ev + 1e-9


@settings(max_examples=40)
@given(
    amps=st.lists(st.sampled_from([0.0, 6.0, 10.5, 16.0]), min_size=18, max_size=18),
    soc=st.floats(0, 50),
    limit=st.floats(5, 50),
    efficiency=st.floats(0.8, 0.98),
    overhead=st.floats(0, 0.6),
    taper_from=st.sampled_from([0.8, 0.95, 1.0]),
)
def test_the_simulator_keeps_its_books(amps, soc, limit, efficiency, overhead, taper_from):
    grid = grid_for(at("2026-01-14T18:00:00+01:00"), nights=1, slot_minutes=60, zone=ZoneInfo("Europe/Ljubljana"))
    rate = Rate(efficiency, overhead)
    intake = Intake(volts=230, phases=1, most_wall_kw=3.68, onboard_kw=3.7, taper_from=taper_from)
    ran = trajectory(
        np.array(amps),
        Given.of(
            grid=grid,
            intake=intake,
            rate=rate,
            usable_kwh=50,
            soc_kwh=soc,
            limit_kwh=np.full(18, limit),
            rest_kwh=30,
        ),
    )

    # What is gained is what the SoC rose by; nobody is charged beyond the limit, or draws more than offered.
    assert ran.soc_kwh[-1] - soc == pytest.approx(ran.gained_kwh.sum(), abs=1e-6)
    assert ran.soc_kwh.max() <= max(limit, soc) + 1e-9
    assert (ran.wall_kwh <= np.minimum(np.array(amps) * 0.23, 3.68) + 1e-9).all()
    # The wall gives the battery's part and the overhead for as long as the car draws.
    assert ran.gained_kwh == pytest.approx(efficiency * ran.wall_kwh - overhead * ran.fraction, abs=1e-6)
    # Hours above rest, by an independent sum over a thousand steps of each slot.
    above = 0.0
    for t in range(18):
        part = np.linspace(0, 1, 1001)
        rising = np.minimum(1.0, part / ran.fraction[t]) if ran.fraction[t] > 0 else np.zeros_like(part)
        above += np.maximum(0, ran.soc_kwh[t] + ran.gained_kwh[t] * rising - 30).mean()
    assert ran.kwh_hours_above == pytest.approx(above, rel=0.01, abs=0.02)


moments = st.datetimes(
    min_value=at("2026-01-01T00:00:00").replace(tzinfo=None), max_value=at("2027-01-01T00:00:00").replace(tzinfo=None)
)
zones = st.sampled_from(["Europe/Ljubljana", "America/New_York", "Australia/Lord_Howe", "Asia/Kathmandu", "UTC"])


@settings(max_examples=60)
@given(moments, zones)
def test_a_clock_time_and_its_instant_belong_together(moment, name: str):
    zone = ZoneInfo(name)
    found = instant_at(moment.date(), moment.time().replace(second=0, microsecond=0), zone)

    # The clock shows that time then, or, where it was skipped, the first instant after it.
    shown = found.replace(tzinfo=None)
    asked = moment.replace(second=0, microsecond=0)
    assert shown == asked or (shown > asked and shown - asked <= timedelta(hours=1))


@settings(max_examples=60)
@given(moments, zones)
def test_every_instant_lies_in_the_night_it_is_said_to(moment, name: str):
    zone = ZoneInfo(name)
    instant = moment.replace(tzinfo=zone)
    night = night_of(instant, zone)
    clock = instant.time().replace(second=0, microsecond=0)

    assert abs((in_night(night, clock, zone) - instant).total_seconds()) <= 3600 + 60
    local = local_times(np.array([int(instant.timestamp())]), zone)
    there = instant.astimezone(UTC).astimezone(zone)
    assert (int(local.minute[0]), int(local.day[0])) == (there.hour * 60 + there.minute, there.toordinal())
    assert (int(local.weekday[0]), int(local.month[0])) == (there.weekday(), there.month)
