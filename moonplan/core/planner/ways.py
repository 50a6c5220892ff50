"""Ways to charge that are followed side by side, forward over the slots by the values of `recursion`, compiled.

Values between levels and layers are near enough to tell what is promising, and not what is best. So a number of ways to
charge are followed, each with the true SoC of both cars and at what it truly comes to so far; those are kept that promise
most, by that and the value of where they are, and of those that have come to nearly the same place one only. Of equal ways
the first is the one that charges earlier. `managed_ways` and `timer_ways` go on from slot to slot and from night to night.
"""

from typing import NamedTuple

import numpy as np

from moonplan.core.compiled import compiled, kernel
from moonplan.core.timegrid import Counts, Flags, Floats

# How many choices of one way in a slot are looked at further, and of all ways of a night for each that is kept.
CHOICES = 4
# Which part of the battery lies between two ways that are not nearly in the same place.
APART = 5e-4
# Ways that come to the same within this are equal. [currency]
EQUAL = 1e-8


class Ways(NamedTuple):
    """Ways to have charged up to an edge: cautious and mean SoC, and what each has come to. Shapes (width,)."""

    level: Floats
    mean: Floats
    paid: Floats


class Choices(NamedTuple):
    """How ways may go on. Shapes (n_choices,).

    way : which of them. amps : the current. level, mean, paid : see `Ways`, once chosen. rank : what all comes to by the
    values, in `EQUAL`. start, last : first and last slot of a timer's session, -1 for none. worst : the highest rank once
    there is no more room, shape (1,).
    """

    way: Counts
    amps: Floats
    level: Floats
    mean: Floats
    paid: Floats
    rank: Floats
    start: Counts
    last: Counts
    worst: Floats


@compiled
def ways_from(width: int, aboard: tuple[float, float]) -> Ways:
    """One way, with both levels as they are at the first edge, and room for others."""
    ways = Ways(np.zeros(width), np.zeros(width), np.zeros(width))
    ways.level[0], ways.mean[0] = aboard
    return ways


@compiled
def no_choices(most: int) -> Choices:
    """Room for choices."""
    return Choices(
        np.zeros(most, dtype=np.int64),
        np.zeros(most),
        np.zeros(most),
        np.zeros(most),
        np.zeros(most),
        np.zeros(most),
        np.zeros(most, dtype=np.int64),
        np.zeros(most, dtype=np.int64),
        np.zeros(1),
    )


@kernel
def rank_of(worth: float) -> float:
    """What a way comes to, such that equal ones rank alike."""
    return float(np.floor(worth / EQUAL + 0.5))


@kernel
def worst_of(choices: Choices, first: int, past: int) -> int:
    """The first of those choices that rank last."""
    worst = first
    for at in range(first + 1, past):
        if choices.rank[at] > choices.rank[worst]:
            worst = at
    return worst


@kernel
def is_near(ways: Ways, marks: Flags | Counts, mark: int, level: float, mean: float, apart: float) -> bool:
    """Whether one of the ways with the same mark has come to nearly the same place. marks : one for each way so far."""
    for w in range(len(marks)):
        if marks[w] == mark and abs(ways.level[w] - level) < apart and abs(ways.mean[w] - mean) < apart:
            return True
    return False
