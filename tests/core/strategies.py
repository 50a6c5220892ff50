"""Random parts of documents, and whole ones, for properties."""

import json
from datetime import UTC, datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
from hypothesis import assume
from hypothesis import strategies as st

from moonplan.core.household import Band, read
from moonplan.core.planner.building import build
from moonplan.core.planner.candidates import pinned
from moonplan.core.planner.constraints import broken_rules
from moonplan.core.values import HABITS, WEEKDAYS

clocks = st.builds(time, st.integers(0, 23), st.sampled_from([0, 7, 15, 30, 50]))
bands = st.builds(
    Band,
    name=st.sampled_from(["a", "b", "c"]),
    price=st.sampled_from([0.05, 0.1, 0.2, -0.02]),
    from_=clocks,
    to=clocks,
    days=st.lists(st.sampled_from(WEEKDAYS), min_size=1, max_size=7, unique=True).map(tuple),
    months=st.one_of(st.none(), st.lists(st.integers(1, 12), min_size=1, max_size=6, unique=True).map(tuple)),
)

# Some of these nights have a clock change.
_DATES = ["2026-01-14", "2026-03-07", "2026-03-28", "2026-04-04", "2026-10-03", "2026-10-24", "2026-10-31"]
_ZONES = ["Europe/Ljubljana", "America/New_York", "Australia/Lord_Howe", "Asia/Kathmandu"]
_CLOCKS = ["00:20", "03:00", "11:50", "12:00", "18:10", "20:37", "23:59"]


def _after(when: datetime, **passed: float) -> datetime:
    """An instant so much time later: added to a clock on the night of a change, it would be an hour off or before."""
    return (when.astimezone(UTC) + timedelta(**passed)).astimezone(when.tzinfo)


def _maybe(draw: st.DrawFn, into: dict[str, Any], **choices: list[Any]) -> None:
    """Leave out each key, or give it one of some values."""
    for key, values in choices.items():
        if draw(st.booleans()):
            into[key] = draw(st.sampled_from(values))


@st.composite
def odd_households(draw: st.DrawFn) -> dict[str, Any]:
    """A household document with a little of everything that one may say: one or two cars for one or two nights."""

    def one_of(*values: Any) -> Any:
        return draw(st.sampled_from(values))

    zone = ZoneInfo(one_of(*_ZONES))
    now = datetime.fromisoformat(f"{one_of(*_DATES)}T{one_of(*_CLOCKS)}").replace(tzinfo=zone)
    split = one_of(False, False, True)
    legs, volts = (2, 120) if split else (3, 230)
    household: dict[str, Any] = {
        "format": "moonplan-household/1",
        "timezone": str(zone),
        "now": now.isoformat(),
        "horizon_nights": one_of(1, 1, 2),
        "slot_minutes": one_of(15, 15, 20, 60),
        "bedtime": one_of("22:30", "00:30"),
        "habit": one_of("cheapest", *HABITS),
        "set_nights": ["thu", "sun"],
        "supply": {
            "leg_voltage_v": volts,
            "legs": legs,
            "rating_a": one_of(20, 35, 63),
            "continuous_factor": one_of(0.8, 1.0),
        },
        "feeders": [{"id": "panel", "rating_a": one_of(16, 32), "continuous_factor": one_of(0.8, 1.0), "other_load_a": 2}],
        "base_load_kw": [["00:00", 0.35], ["06:30", 1.1], ["17:05", one_of(1.6, 3.0)], ["22:40", 0.4]],
        "tariff": {"default_price": one_of(0.21437, 0.3), "export_price": one_of(0, 0.04, 0.28), "bands": []},
        **{kind: [] for kind in ("circuits", "leads", "vehicles", "rates", "trips", "overrides", "forbids")},
    }
    _maybe(draw, household, care_price=[0, 0.01], start_price=[0, 0.2], solar_kw=[_a_sunny_day(now)])
    _maybe(draw, household["supply"], base_margin_a=[1, 3])
    _maybe(draw, household["tariff"], contracted_kw=[4, 9], day_of=["start"], holidays=[[now.date().isoformat()]])
    for name in ("a", "b")[: one_of(0, 1, 2)]:
        band = {"name": name, "price": one_of(-0.02, 0.07, 0.25), "from": one_of("22:00", "23:07", "02:30"), "to": "06:00"}
        _maybe(draw, band, days=[["thu", "sun"], ["mon", "tue", "wed", "fri"]], months=[[1, 3, 10], [4]])
        household["tariff"]["bands"].append(band)
    for i in range(one_of(1, 2)):
        if not i or one_of(True, False):
            circuit = {
                "id": f"circuit {i}",
                "breaker_a": one_of(16, 20, 32),
                "voltage_v": 240 if split else 230,
                "continuous_factor": 0.8 if split else 1.0,
                **(one_of({"legs": ["L1", "L2"]}, {}) if split else {"phases": one_of(1, 3)}),
            }
            _maybe(draw, circuit, sharing=["free", "even", "none"], feeder=["panel"], wire_a=[25], other_load_a=[1, 3])
            if one_of(False, False, True):
                circuit |= {"kind": "socket", "outlet_a": one_of(10, 16)}
            household["circuits"].append(circuit)
        _an_odd_car(draw, household, f"car {i}", now)
    return household


def _a_sunny_day(now: datetime) -> list[list[Any]]:
    morning = (now + timedelta(days=now.hour > 9)).replace(hour=9, minute=5)
    return [[(morning + timedelta(hours=h)).isoformat(), kw] for h, kw in ((0, 1.3), (2, 5.1), (5, 0.4), (7, 0))]


def _an_odd_car(draw: st.DrawFn, household: dict[str, Any], car: str, now: datetime) -> None:
    def one_of(*values: Any) -> Any:
        return draw(st.sampled_from(values))

    lead: dict[str, Any] = {
        "id": f"lead of {car}",
        "circuit": household["circuits"][-1]["id"],
        "max_a": one_of(10, 16, 32),
        "phases": one_of(1, 3),
        "control": one_of("managed", "timer", "hand"),
    }
    _maybe(draw, lead, steps_a=[[6, 8, 10, 13], [5, 7.5, 12]], min_a=[8], cable_a=[16], cable_phases=[1])
    household["leads"].append(lead)
    onboard_kw = one_of(3.6, 7.4, 11)
    vehicle: dict[str, Any] = {
        "id": car,
        "lead": one_of(lead["id"], lead["id"], household["leads"][0]["id"]),
        "usable_kwh": one_of(14.5, 38, 64),
        "onboard_kw": onboard_kw,
        "onboard_phases": 3 if onboard_kw == 11 else 1,
        "use_kwh_per_100km": one_of(14.1, 21),
        "soc_pct": one_of(0, 25, 50, 79.5, 100),
        "control": one_of("hand", "hand", "timer", "managed"),
    }
    _maybe(
        draw,
        vehicle,
        daily_limit_pct=[60, 100],
        end_pct=[50, 95],
        rest_pct=[50],
        taper_from_pct=[60, 100],
        boost_pct=[30, 90],
    )
    _maybe(
        draw, vehicle, plug_in_hours=[["17:00", "08:00"], ["09:00", "15:10"]], cutoff=[True], charging=[True], ceiling_a=[8]
    )
    household["vehicles"].append(vehicle)
    if one_of(True, False):
        rate: dict[str, Any] = {"vehicle": car, "lead": vehicle["lead"], "efficiency": 0.91, "overhead_kw": one_of(0.1, 0.5)}
        _maybe(draw, rate, cautious=[{"efficiency": 0.8, "overhead_kw": 0.6}], voltage_v=[221.5, 243])
        household["rates"].append(rate)
    leave = _after(now, hours=one_of(-3, 2, 8, 13, 17), minutes=one_of(0, 7, 20))
    for _ in range(one_of(0, 1, 2)):
        back = _after(leave, minutes=one_of(40, 555, 1500))
        trip = {"vehicle": car, "leave": leave.isoformat(), "back": back.isoformat(), "km": one_of(0, 35, 90, 220, 480)}
        _maybe(draw, trip, temperature_c=[-12, 18], gain_kwh=[3, 40], fill=[True])
        household["trips"].append(trip)
        leave = _after(back, minutes=one_of(0, 50, 700))
    if one_of(False, False, True):
        hours = {key: _after(now, hours=h).isoformat() for key, h in (("start", 3), ("end", 6))}
        household["forbids"].append({"vehicle": car, **hours})
    if one_of(False, False, True):
        decided = one_of({"limit_pct": 50}, {"ceiling_a": 7}, {"plugged_in": False}, {"ready_by": "05:30"})
        night = (now - timedelta(hours=12)).date().isoformat()
        household["overrides"].append({"vehicle": car, "night": night, **decided})


@st.composite
def pinned_households(draw: st.DrawFn) -> dict[str, Any]:
    """An odd household in which somebody pinned a session that a car can have, often over noon."""
    household = draw(odd_households())
    problem = build(read(json.dumps(household)))
    grid, car = problem.grid, draw(st.sampled_from(problem.cars))
    free = np.flatnonzero(car.chargeable).tolist()
    before_noon = [t for t in free if grid.new_night[t + 1 : t + 4].any()]
    assume(free)
    first = draw(st.sampled_from(before_noon if before_noon and draw(st.booleans()) else free))
    past, at_most = first + 1, min(grid.n_slots, first + draw(st.integers(1, 12)))
    while past < at_most and car.chargeable[past]:
        past += 1
    amps = draw(st.sampled_from([a for a in car.steps_a if a >= car.least_a] if car.steps_a else [car.least_a]))
    assume(amps <= car.limit_a[first:past].min())
    start, end = grid.instant(first, 0.0), grid.instant(past - 1, 1.0)
    pin = {"id": "pin", "vehicle": car.id, "start": start.isoformat(), "end": end.isoformat(), "amps": amps}
    household["pins"] = [pin]
    beside = build(read(json.dumps(household)))
    assume(not broken_rules(beside, [pinned(one) for one in beside.cars]))
    return household
