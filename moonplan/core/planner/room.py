"""Room for the values of a recursion, used again.

The system hands out memory page by page, each cleared first. A car's values take up to some hundred megabytes; in new
memory that was up to a quarter of the time of a plan of two cars for a week.
"""

from threading import Lock
from weakref import finalize

import numpy as np

from moonplan.core.timegrid import Floats

# How much is kept for the next plan. [bytes]
_MOST_KEPT = 256 * 2**20
# How much larger than what is wanted the room may be.
_TIMES_LARGER = 2

_free: list[Floats] = []
_lock = Lock()


def room(owner: object, shape: tuple[int, ...]) -> Floats:
    """An array for as long as its owner is there, with whatever numbers were in it."""
    wanted = int(np.prod(shape))
    flat = _taken(wanted)
    finalize(owner, _given_back, flat)
    return flat[:wanted].reshape(shape)


def _taken(wanted: int) -> Floats:
    with _lock:
        fitting = [at for at, flat in enumerate(_free) if wanted <= len(flat) <= _TIMES_LARGER * wanted]
        if fitting:
            return _free.pop(min(fitting, key=lambda at: len(_free[at])))
    return np.empty(wanted)


def _given_back(flat: Floats) -> None:
    with _lock:
        _free.append(flat)
        while sum(one.nbytes for one in _free) > _MOST_KEPT:
            _free.pop(0)
