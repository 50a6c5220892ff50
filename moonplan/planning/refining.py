"""The longer search for a better plan, in one process of its own while the screen already shows a good one.

It goes on step by step for the question that was looked at last, while somebody looks; another goes on from where it was
when somebody looks at it again. What was found is kept for the last few questions, and a plan is only replaced by one that
is better by more than a coin. The plan of another question of the same cars, as after an edit, begins with what was known of
the last one.
"""

from __future__ import annotations

import dataclasses
import hashlib
import json
import multiprocessing
from collections import OrderedDict
from collections.abc import Mapping
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from threading import Lock
from typing import Any, NamedTuple

from moonplan.core.household import Household
from moonplan.core.planner.longer import Searched, searched_on
from moonplan.core.planner.plan import Plan, carried_out, clearly_better, plan, problem_of
from moonplan.core.planner.problem import Car
from moonplan.core.planner.reckoning import gone_on_with
from moonplan.core.timegrid import Floats, Grid, grid_for
from moonplan.planning.documents import as_core
from moonplan.planning.search_process import begin

_KEPT = 8
_NOTHING_KNOWN = {"saves_at_most": None, "proven": False, "by_habit": False}


@dataclasses.dataclass
class _Search:
    """A question's search: what was found so far, and the step that is being taken."""

    found: Searched | None = None
    step: Future[Searched] | None = None
    failed: bool = False

    @property
    def over(self) -> bool:
        return self.failed or (self.found is not None and self.found.over)


class _First(NamedTuple):
    """A question's plan at once: the cars as their habits change them, and the setpoints of each. [A]

    stays : whether no better one takes its place.
    """

    grid: Grid
    cars: tuple[Car, ...]
    amps: list[Floats]
    stays: bool


_lock = Lock()
_searches: OrderedDict[str, _Search] = OrderedDict()
_first: OrderedDict[str, _First] = OrderedDict()
_pool: ProcessPoolExecutor | None = None


def question(given: Mapping[str, Any], household: Household) -> str:
    """What a household document asks, the same for every moment before the plan's first slot until a car leaves.

    household : as the document tells it.
    """
    ahead = [trip.leave >= household.now for trip in household.trips]
    text = json.dumps({**given, "now": _grid_of(household).start_s, "ahead": ahead}, sort_keys=True)
    return hashlib.sha256(text.encode()).hexdigest()


def _grid_of(household: Household) -> Grid:
    return grid_for(household.now, nights=household.horizon_nights, slot_minutes=household.slot_minutes, zone=household.zone)


def best_known(given: Mapping[str, Any], going_on: Mapping[str, Any] | None = None) -> Plan:
    """A household document's plan, or the better one that the search has found meanwhile.

    going_on : a plan document that was shown earlier. What is left of it stays unless another is better by more than a coin;
    while a session runs that a timer or somebody's hand has begun, unless another misses less.
    """
    household = as_core(given)
    asked = question(given, household)
    return _bettered(_soon(household, asked, going_on), asked)


def standing(given: Mapping[str, Any], going_on: Mapping[str, Any] | None = None) -> dict[str, Any]:
    """How the search for a better plan stands, begun where it has not begun: whether it has found one, after how many
    steps, and once it is over by how much any plan can be better at most. going_on : as for `best_known`."""
    household = as_core(given)
    asked = question(given, household)
    search = _looked_at(asked, given)
    steps = 0 if search.found is None else search.found.steps
    if not steps:
        return {"state": "settled" if search.over else "searching", "steps": 0, "better": False, **_NOTHING_KNOWN}
    first = _soon(household, asked, going_on)
    known = _bettered(first, asked)
    better = known.outcome is not first.outcome
    if not search.over:
        return {"state": "searching", "steps": steps, "better": better, **_NOTHING_KNOWN}
    return {"state": "settled", "steps": steps, "better": better, **_how_good(known)}


def _how_good(known: Plan) -> dict[str, Any]:
    habits = {known.problem.habit_of(car) for car in known.problem.cars}
    if known.saves_at_most is None or habits <= {"plug_and_go"}:  # which leaves nothing to choose
        return _NOTHING_KNOWN
    return {"saves_at_most": known.saves_at_most, "proven": known.tight, "by_habit": habits != {"cheapest"}}


def _looked_at(asked: str, given: Mapping[str, Any]) -> _Search:
    """A question's search, which goes on as the newest; the others wait."""
    with _lock:
        search = _searches.setdefault(asked, _Search())
        _searches.move_to_end(asked)
        while len(_searches) > _KEPT:
            _searches.popitem(last=False)
        for other in _searches.values():
            if other is not search and other.step is not None:
                other.step.cancel()
        _take_up(search)
        if search.step is None and not search.over:
            search.step = _begun(json.dumps(given), search.found or _from_the_first(asked))
    return search


def _from_the_first(asked: str) -> Searched | None:
    first = _first.get(asked)
    return None if first is None else Searched([amps.tolist() for amps in first.amps], None, steps=0, over=False)


def _begun(text: str, found: Searched | None) -> Future[Searched]:
    global _pool
    try:
        return _workers().submit(searched_on, text, found)
    except BrokenProcessPool:
        # The process was killed, as for want of memory: another takes its place.
        _pool = None
        return _workers().submit(searched_on, text, found)


def _take_up(search: _Search) -> None:
    """Take up what a step found that is done."""
    step = search.step
    if step is None or not step.done():
        return
    search.step = None
    if step.cancelled():
        return
    search.failed = step.exception() is not None
    if not search.failed:
        search.found = step.result()


def _soon(household: Household, asked: str, going_on: Mapping[str, Any] | None) -> Plan:
    """The plan at once, or the one that goes on; asked again, what was found then, carried out."""
    with _lock:
        first = _first.get(asked)
        if first is not None:
            _first.move_to_end(asked)
    kept = None if first is None else carried_out(problem_of(household, first.cars), first.amps)
    if kept is not None:
        return kept
    made, stays = plan(household, prove=False, like=_like(household)), False
    if going_on is not None:
        made, stays = gone_on_with(going_on, made)
    with _lock:
        cars = tuple(car.anew() for car in made.problem.cars)
        _first[asked] = _First(made.problem.grid, cars, made.setpoints, stays)
        while len(_first) > _KEPT:
            _first.popitem(last=False)
    return made


def _like(household: Household) -> list[Floats] | None:
    """The setpoints that a plan begins with: what is known of the plan that was looked at last, of those of the same cars
    that reach as far. [A]"""
    grid, ids = _grid_of(household), [vehicle.id for vehicle in household.vehicles]
    with _lock:
        of_these = [
            (first.grid, _found_of(asked) or first.amps)
            for asked, first in reversed(_first.items())
            if [car.id for car in first.cars] == ids and first.grid.is_followed_by(grid)
        ]
    if not of_these:
        return None
    known, amps = max(of_these, key=lambda one: min(one[0].end_s, grid.end_s))
    return [known.moved(of_car, grid) for of_car in amps]


def _found_of(asked: str) -> list[Floats] | None:
    search = _searches.get(asked)
    return None if search is None or search.found is None else search.found.setpoints


def _bettered(made: Plan, asked: str) -> Plan:
    """The plan that the search has found, where it is clearly better, or the plan itself, with what no plan is below."""
    with _lock:
        stays = asked in _first and _first[asked].stays
        search = _searches.get(asked, _Search())
        _take_up(search)
        found = search.found
    if found is None:
        return made
    better = carried_out(made.problem, found.setpoints, found.bound)
    if better is None:
        return made
    if clearly_better(better.outcome, made.outcome) and not stays:
        return better
    # The bound is of plans that miss as little as what was found.
    same = made.outcome.missed_by_all == better.outcome.missed_by_all
    return dataclasses.replace(made, bound=better.bound) if same else made


def _workers() -> ProcessPoolExecutor:
    global _pool
    if _pool is None:
        context = multiprocessing.get_context("spawn")
        _pool = ProcessPoolExecutor(max_workers=1, mp_context=context, initializer=begin)
    return _pool
