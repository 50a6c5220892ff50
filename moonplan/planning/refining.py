"""The longer search for a better plan, in one process of its own while the screen already shows a good one.

The newest question wins: what was asked before and has not begun is dropped. Answers are kept for the last few questions,
and a plan is only replaced by one that is better by more than a coin.
"""

from __future__ import annotations

import dataclasses
import hashlib
import json
import multiprocessing
from collections import OrderedDict
from collections.abc import Mapping
from concurrent.futures import Future, ProcessPoolExecutor
from threading import Lock
from typing import Any

import numpy as np

from moonplan.core.household import Household
from moonplan.core.planner.plan import Plan, Searched, carried_out, plan, searched_thoroughly
from moonplan.core.timegrid import Floats, grid_for
from moonplan.planning.documents import as_core
from moonplan.planning.search_process import begin

_KEPT = 8
# A plan that the person sees stays unless another is better by this part of the default price.
_COIN = 0.05

_lock = Lock()
_asked: OrderedDict[str, Future[Searched]] = OrderedDict()
_pool: ProcessPoolExecutor | None = None


def question(given: Mapping[str, Any], household: Household) -> str:
    """What a household document asks, the same for every moment before the plan's first slot.

    household : as the document tells it.
    """
    grid = grid_for(household.now, nights=household.horizon_nights, slot_minutes=household.slot_minutes, zone=household.zone)
    text = json.dumps({**given, "now": grid.start_s}, sort_keys=True)
    return hashlib.sha256(text.encode()).hexdigest()


def best_known(given: Mapping[str, Any]) -> Plan:
    """A household document's plan, or the better one that the search has found meanwhile."""
    household = as_core(given)
    return _bettered(plan(household, prove=False), question(given, household))


def standing(given: Mapping[str, Any]) -> dict[str, Any]:
    """How the search for a better plan stands, begun where it has not begun; whether it has found one, and by how much
    any plan can be better at most."""
    household = as_core(given)
    asked = question(given, household)
    with _lock:
        if asked not in _asked or _asked[asked].cancelled():
            for earlier in _asked.values():
                earlier.cancel()
            _asked[asked] = _workers().submit(searched_thoroughly, json.dumps(given))
            _asked.move_to_end(asked)
            while len(_asked) > _KEPT:
                _asked.popitem(last=False)
        if not _asked[asked].done():
            return {"state": "searching", "better": False, "saves_at_most": None, "proven": False}
    quick = plan(household, prove=False)
    known = _bettered(quick, asked)
    return _settled(known, better=known.outcome is not quick.outcome)


def _settled(known: Plan, *, better: bool) -> dict[str, Any]:
    # Under another habit than the cheapest, less may well be saved, but by plans that nobody asked for.
    claimed = all(known.problem.habit_of(car) == "cheapest" for car in known.problem.cars)
    return {
        "state": "settled",
        "better": better,
        "saves_at_most": known.saves_at_most if claimed else None,
        "proven": claimed and known.tight,
    }


def _bettered(made: Plan, asked: str) -> Plan:
    """The plan that the search has found, where it is clearly better, or the plan itself, with what no plan is below."""
    with _lock:
        future = _asked.get(asked)
    if future is None or not future.done() or future.cancelled() or future.exception() is not None:
        return made
    found = future.result()
    amps: list[Floats] = [np.array(of_car) for of_car in found.amps]
    better = carried_out(made.problem, amps, found.bound)
    if better is None:
        return made
    if _clearly_better(better, made):
        return better
    # The bound is of plans that miss as little as what was found.
    same = made.outcome.missed_by_all == better.outcome.missed_by_all
    return dataclasses.replace(made, bound=better.bound) if same else made


def _clearly_better(better: Plan, made: Plan) -> bool:
    if better.outcome.missed_by_all != made.outcome.missed_by_all:
        return better.outcome.rank < made.outcome.rank
    coin = _COIN * abs(made.problem.household.tariff.default_price)
    return better.outcome.weighed < made.outcome.weighed - coin


def _workers() -> ProcessPoolExecutor:
    global _pool
    if _pool is None:
        context = multiprocessing.get_context("spawn")
        _pool = ProcessPoolExecutor(max_workers=1, mp_context=context, initializer=begin)
    return _pool
