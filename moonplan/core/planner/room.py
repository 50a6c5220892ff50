"""Room for the values of a recursion, used again.

The system hands out memory page by page, each cleared first. A car's values take up to some hundred megabytes; in new
memory that was up to a quarter of the time of a plan of two cars for a week.
"""

from weakref import finalize

import numpy as np

from moonplan.core.timegrid import Floats

# How much is kept for the next plan. [bytes]
_MOST_KEPT = 256 * 2**20
# How much larger than what is wanted the room may be.
_TIMES_LARGER = 2

# What is free, the newest last. The collector of garbage may find an owner gone in the midst of anything here: so nothing
# waits for a lock, and nothing counts on what was there a step before.
_free: dict[int, Floats] = {}


def room(owner: object, shape: tuple[int, ...]) -> Floats:
    """An array for as long as its owner is there, with whatever numbers were in it."""
    wanted = int(np.prod(shape))
    flat = _taken(wanted)
    finalize(owner, _given_back, flat)
    return flat[:wanted].reshape(shape)


def _taken(wanted: int) -> Floats:
    sizes = {key: len(_free.get(key, ())) for key in list(_free)}
    for key in sorted(sizes, key=sizes.__getitem__):
        if wanted <= sizes[key] <= _TIMES_LARGER * wanted:
            flat = _free.pop(key, None)
            if flat is not None:
                return flat
    return np.empty(wanted)


def _given_back(flat: Floats) -> None:
    _free[id(flat)] = flat
    kept = 0
    for key in reversed(list(_free)):
        kept += len(_free.get(key, ())) * flat.itemsize
        if kept > _MOST_KEPT:
            _free.pop(key, None)
