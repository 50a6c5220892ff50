"""What setpoints do: the car that stops by itself, trips, and hours spent high."""

from dataclasses import replace
from zoneinfo import ZoneInfo

import numpy as np
import pytest

from moonplan.core.rates import Intake, Rate
from moonplan.core.simulate import Given, Taking, Takings, Trajectory, runs, trajectory
from moonplan.core.timegrid import grid_for
from tests.core.factories import at

LOSSLESS = Rate(1.0, 0.0)
INTAKE = Intake(volts=200, phases=1, most_wall_kw=10, onboard_kw=10, taper_from=1.0)


def ran(
    amps: list[float],
    *,
    soc: float = 10,
    limit: float = 40,
    rate: Rate = LOSSLESS,
    takings: tuple[tuple[str, float], ...] = (),
    rest: float = 1e9,
    usable: float = 50,
    intake: Intake = INTAKE,
) -> Trajectory:
    """Slots of an hour from 18:00; 10 A are 2 kW, so 2 kWh a slot."""
    grid = grid_for(at("2026-01-14T18:00:00+01:00"), nights=1, slot_minutes=60, zone=ZoneInfo("Europe/Ljubljana"))
    offered = np.zeros(grid.n_slots)
    offered[: len(amps)] = amps
    return trajectory(
        offered,
        Given.of(
            grid=grid,
            intake=intake,
            rate=rate,
            usable_kwh=usable,
            soc_kwh=soc,
            limit_kwh=np.full(grid.n_slots, limit),
            takings=Takings.of([Taking.of(at(leave), kwh, grid) for leave, kwh in takings]),
            rest_kwh=rest,
        ),
    )


def test_a_started_slot_runs_whole_short_of_the_limit():
    got = ran([10, 10])

    assert list(got.soc_kwh[:4]) == pytest.approx([10, 12, 14, 14])
    assert got.wall_kwh.sum() == pytest.approx(4)


def test_a_car_stops_by_itself_at_its_limit():
    # 39 of 40: half of the second slot's 2 kWh fit, so it draws for half an hour, overhead for that half only.
    got = ran([10, 10, 10], soc=37, rate=Rate(1.0, 0.5), limit=39.25)

    # 2 kW at the wall store 1.5 kW: 37 → 38.5 → 39.25 after half a slot, and then nothing.
    assert list(got.fraction[:3]) == pytest.approx([1, 0.5, 0])
    assert list(got.wall_kwh[:3]) == pytest.approx([2, 1, 0])
    assert got.soc_kwh[-1] == pytest.approx(39.25)


def test_a_car_above_its_limit_draws_nothing():
    assert ran([10], soc=45).wall_kwh.sum() == 0


def test_a_car_at_the_level_at_which_its_taper_begins_is_not_above_it():
    # 95 % typed, and a taper from 95 %: 1.9 of 2 kW at the wall would be all that a 1.9 kW charger accepts just above.
    tapering = replace(INTAKE, onboard_kw=1.9, taper_from=0.95)
    gained = [ran([10], soc=0.95 * kwh, usable=kwh, limit=kwh, intake=tapering).gained_kwh[0] for kwh in range(41, 120)]

    assert gained == pytest.approx([2] * len(gained))


def test_a_trip_takes_its_energy_at_leaving_and_empties_to_nought():
    got = ran([10], takings=(("2026-01-14T19:50:00+01:00", 5.0), ("2026-01-14T20:00:00+01:00", 30.0)))

    assert got.before_leaving_kwh == pytest.approx((12, 7))
    assert list(got.soc_kwh[:4]) == pytest.approx([10, 12, 0, 0])


def test_hours_spent_high_are_counted_to_the_minute():
    # Rest level 11. From 10 to 12 within the first hour: over 11 for half of it, 0.5 on average: 0.25 kWh·h.
    # Then 12 for an hour (1), and leaving at 20:30 with 5 kWh gone: half an hour more at 12 (0.5).
    got = ran([10], takings=(("2026-01-14T20:30:00+01:00", 5.0),), rest=11)

    assert got.kwh_hours_above == pytest.approx(0.25 + 1 + 0.5)


def test_runs_are_gap_free():
    assert [(run.first, run.last) for run in runs(np.array([0, 6, 8, 0, 6.0]))] == [(1, 2), (4, 4)]
