"""Room that is used again: nobody shares it, and a plan does not depend on what was in it."""

import gc
import json
from typing import Any

import numpy as np
import pytest

from moonplan.core.household import read
from moonplan.core.planner import one_car, room
from moonplan.core.planner.plan import plan
from moonplan.core.timegrid import Floats
from tests.bench.families import a_family_household


class Owner:
    """Whoever needs room."""

    itself: "Owner"


@pytest.fixture(autouse=True)
def nothing_free(monkeypatch: pytest.MonkeyPatch):
    monkeypatch.setattr(room, "_free", {})


def test_the_next_one_has_the_room_of_one_that_is_gone():
    first = Owner()
    values = room.room(first, (3, 50))
    values[:] = 7.0
    where = values.ctypes.data
    del values, first

    again = room.room(Owner(), (2, 60))

    assert again.shape == (2, 60)
    assert again.ctypes.data == where


def test_two_at_a_time_have_room_of_their_own():
    owners = [Owner(), Owner()]
    one, other = (room.room(owner, (4, 25)) for owner in owners)

    one[:], other[:] = 1.0, 2.0

    assert (one == 1.0).all()
    assert (other == 2.0).all()


def test_little_is_not_kept_in_much_room_and_the_nearest_size_is_taken():
    # 100 and 150 numbers are free: 90 go into the 100, 60 into the 100 as well, and 40 into neither.
    owners = [Owner(), Owner()]
    small, large = (room.room(owner, (n,)).ctypes.data for owner, n in zip(owners, (100, 150), strict=True))
    del owners

    for n, expected in ((90, {small}), (60, {small}), (120, {large}), (40, set())):
        owner = Owner()
        at = room.room(owner, (n,)).ctypes.data
        assert {at} & {small, large} == expected
        del owner


def test_no_more_is_kept_than_there_may_be(monkeypatch: pytest.MonkeyPatch):
    monkeypatch.setattr(room, "_MOST_KEPT", 8 * 250)
    owners = [Owner() for _ in range(4)]
    for owner in owners:
        room.room(owner, (100,))
    owners.clear()
    del owner

    assert sum(len(flat) for flat in room._free.values()) == 200


class Midway(dict[int, Floats]):
    """Free room; while some of it is taken, the collector of garbage comes by."""

    def pop(self, *given: Any) -> Any:
        gc.collect()
        return super().pop(*given)


def test_an_owner_may_go_while_room_is_taken(monkeypatch: pytest.MonkeyPatch):
    gc.collect()  # what other tests left behind
    monkeypatch.setattr(room, "_free", Midway())
    one, other, third = Owner(), Owner(), Owner()
    first = room.room(one, (50,)).ctypes.data
    room.room(other, (50,))
    other.itself = other  # only the collector finds it
    del one, other

    taken = room.room(third, (50,))

    assert taken.ctypes.data == first
    assert [len(flat) for flat in room._free.values()] == [50]


@pytest.mark.parametrize("size", [(1, 2), (2, 3), (3, 2)])
def test_a_plan_is_the_same_whatever_was_in_its_room(monkeypatch: pytest.MonkeyPatch, size: tuple[int, int]):
    cars, nights = size
    households = [read(json.dumps(a_family_household(seed, cars=cars, nights=nights))) for seed in range(6)]
    usual = [plan(household, prove=False).outcome for household in households]

    for what in (np.nan, -1e9, 1e9):
        monkeypatch.setattr(one_car, "room", lambda owner, shape, what=what: np.full(shape, what))
        for household, before in zip(households, usual, strict=True):
            now = plan(household, prove=False).outcome
            assert now.rank == before.rank
            assert all((a.amps == b.amps).all() for a, b in zip(now.cars, before.cars, strict=True))


def test_a_finished_plan_keeps_no_room():
    household = read(json.dumps(a_family_household(0, cars=2, nights=2)))

    soon, refined = plan(household, prove=False), plan(household, prove=True)

    gc.collect()
    # To ask for the class of what other tests left to be made when it is needed would make it.
    assert not [one for one in gc.get_objects() if type(one) is one_car.OneCar]
    assert refined.outcome.rank <= soon.outcome.rank
