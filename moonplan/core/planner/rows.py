"""Loops over rows of numbers, or parts of them, compiled.

A kernel that goes on from somewhere in an array is handed the part from there, and goes over all of it: so it is done for
several places at a time. A loop that begins elsewhere than at the first place is not, for a place below 0 would count from
the end, and takes ten times as long.
"""

from moonplan.core.compiled import kernel
from moonplan.core.timegrid import Floats


@kernel
def copied(to: Floats, of: Floats) -> None:
    """One row as another is."""
    for t in range(len(to)):
        to[t] = of[t]


@kernel
def filled(to: Floats, value: float) -> None:
    """The same everywhere."""
    for t in range(len(to)):
        to[t] = value


@kernel
def added(to: Floats, many: float, of: Floats) -> None:
    """So many times another row more."""
    for t in range(len(to)):
        to[t] += many * of[t]


@kernel
def lowered(to: Floats, by: float) -> None:
    """So much less everywhere."""
    for t in range(len(to)):
        to[t] -= by


@kernel
def no_more(to: Floats, than: float) -> None:
    """No more anywhere than so much."""
    for t in range(len(to)):
        to[t] = min(to[t], than)
