"""Loops over rows of numbers, or parts of them, compiled.

A kernel that goes on from somewhere in an array is handed the part from there, and goes over all of it: so it is done for
several places at a time. A loop that begins elsewhere than at the first place is not, for a place below 0 would count from
the end, and takes ten times as long.

What is looked for in a row is looked for in a few places at a time, too: of each such piece it is only counted how often it
is there, and only a piece that has some is gone through.
"""

import numpy as np

from moonplan.core.compiled import kernel
from moonplan.core.timegrid import Floats

# How many places of a row make a piece.
_PIECE = 16


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


@kernel
def without(row: Floats) -> int:
    """How many there are from the first on that are not above nothing."""
    t, n = 0, len(row)
    while t < n:
        piece, found = row[t : t + _PIECE], 0
        for k in range(len(piece)):
            found += piece[k] > 0
        if found > 0:
            break
        t += len(piece)
    while t < n and row[t] <= 0:
        t += 1
    return t


@kernel
def alike(one: Floats, other: Floats) -> int:
    """How many there are from the first on that are the same in both rows."""
    t, n = 0, len(one)
    while t < n:
        mine, theirs, differ = one[t : t + _PIECE], other[t : t + _PIECE], 0
        for k in range(len(mine)):
            differ += mine[k] != theirs[k]
        if differ > 0:
            break
        t += len(mine)
    while t < n and one[t] == other[t]:
        t += 1
    return t


@kernel
def alike_to_the_last(one: Floats, other: Floats) -> int:
    """From which place on both rows are the same."""
    n = len(one)
    while n > 0:
        first = max(0, n - _PIECE)
        mine, theirs, differ = one[first:n], other[first:n], 0
        for k in range(len(mine)):
            differ += mine[k] != theirs[k]
        if differ > 0:
            break
        n = first
    while n > 0 and one[n - 1] == other[n - 1]:
        n -= 1
    return n


@kernel
def most_below(row: Floats, below: float) -> float:
    """The most of a row that is below something; 0 where there is none above nothing."""
    most, t = 0.0, 0
    while t < len(row):
        piece, found = row[t : t + _PIECE], 0
        for k in range(len(piece)):
            found += (piece[k] > most) & (piece[k] < below)
        if found > 0:
            for k in range(len(piece)):
                if most < piece[k] < below:
                    most = piece[k]
        t += len(piece)
    return most


@kernel
def least_from(row: Floats) -> None:
    """Each the least of all from it on."""
    least, n = np.inf, len(row)
    while n > 0:
        first = max(0, n - _PIECE)
        piece, found = row[first:n], 0
        for k in range(len(piece)):
            found += piece[k] < least
        if found > 0:
            for k in range(len(piece) - 1, -1, -1):
                least = min(least, piece[k])
                piece[k] = least
        else:
            for k in range(len(piece)):
                piece[k] = least
        n = first
