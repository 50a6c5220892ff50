"""The longer search for a better plan, in one process of its own while the screen already shows a good one.

The newest question wins: what was asked before and has not begun is dropped. Answers are kept for the last few questions,
and a plan is only replaced by one that is better by more than a coin.
"""

from __future__ import annotations

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
from moonplan.core.planner.plan import Plan, carried_out, plan, refined_setpoints
from moonplan.core.timegrid import Floats, grid_for
from moonplan.planning.documents import as_core
from moonplan.planning.search_process import begin

_KEPT = 8
# A plan that the person sees stays unless another is better by this part of the default price.
_COIN = 0.05

_lock = Lock()
_asked: OrderedDict[str, Future[list[list[float]]]] = OrderedDict()
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
    """How the search for a better plan stands, begun where it has not begun, and whether it has found one."""
    household = as_core(given)
    if len(household.vehicles) * household.horizon_nights < 2:
        return {"state": "settled", "better": False}  # one night of a car alone is planned as well as can be at once
    asked = question(given, household)
    with _lock:
        if asked not in _asked or _asked[asked].cancelled():
            for earlier in _asked.values():
                earlier.cancel()
            _asked[asked] = _workers().submit(refined_setpoints, json.dumps(given))
            _asked.move_to_end(asked)
            while len(_asked) > _KEPT:
                _asked.popitem(last=False)
        if not _asked[asked].done():
            return {"state": "searching", "better": False}
    quick = plan(household, prove=False)
    return {"state": "settled", "better": _bettered(quick, asked) is not quick}


def _bettered(made: Plan, asked: str) -> Plan:
    with _lock:
        found = _asked.get(asked)
    if found is None or not found.done() or found.cancelled() or found.exception() is not None:
        return made
    amps: list[Floats] = [np.array(of_car) for of_car in found.result()]
    better = carried_out(made.problem, amps)
    return made if better is None or not _clearly_better(better, made) else better


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
