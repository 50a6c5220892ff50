"""Spells of the quick search: for some time a car is asked for more than it needs, or kept off a night.

Charged to its limit once, a car may draw less for the rest of a week, and where it leaves a night to others all of them may
come to less. But on the way there most plans come to more, and no small change leads to it. So the search goes on for a
spell as if that were asked, in which the other cars make room and find what they gain by it; then for as long as it is
really asked; and what comes of both is kept if it is better (iterated local search, Lourenço, Martin and Stützle 2003, in
which what disturbs a plan lasts for a while).
"""

from collections.abc import Iterator
from random import Random

import numpy as np

from moonplan.core.planner.candidates import Candidate
from moonplan.core.planner.problem import Problem
from moonplan.core.planner.quick.course import NEAR_KWH, Course, course_of
from moonplan.core.planner.quick.field import Field, field_of
from moonplan.core.planner.quick.search import Tries, as_it_is, or_better
from moonplan.core.simulate import runs
from moonplan.core.timegrid import Flags, Floats

_SEED = 21
# How often a car is asked for more, where one can be; else one is kept off a night.
_ASKED_MORE = 0.6
# How much worse than before a plan at the end of a spell may be, or else what was asked cannot be had; and one that is kept
# with a chance of 1 in e after it, at first. [default price]
_OUT_OF_REACH, _COOL = 5.0, 0.02
# How far below its limit a car is that can be asked for more. [kWh]
_BELOW_KWH = 1e-3
# From how much less on a plan is better. [currency]
_BETTER = 1e-7


def searched_in_spells(
    problem: Problem, best: Candidate, *, spells: int, each: int, contended: Flags, again: int = 0
) -> Candidate:
    """The best plan that a number of spells lead to from another.

    each : how many tries a spell has, and as many after it. contended, again : as of `quickly_searched`.
    """
    if not spells or as_it_is(problem, best):
        return best
    amps = in_spells(np.stack(best.amps), field_of(problem), spells, each, Tries(problem, contended, again=again + 1), again)
    return or_better(problem, best, amps)


def in_spells(amps: Floats, field: Field, spells: int, each: int, search: Tries, again: int) -> Floats:
    """The best setpoints that a number of spells lead to from others, shape (C, N). [A]"""
    chance, comes_to = Random(_SEED + again), search.comes_to(amps, field)
    for _ in range(spells):
        other = _in_a_spell(amps, field, chance)
        if other is None:
            break
        found, then = search.made(*other, each)
        if then > comes_to + _OUT_OF_REACH * search.price:
            continue
        found, then = search.made(found, field, each, warm=_COOL)
        if then < comes_to - _BETTER:
            amps, comes_to = found, then
    return amps


def _in_a_spell(amps: Floats, field: Field, chance: Random) -> tuple[Floats, Field] | None:
    """What a spell begins with, shape (C, N) [A], and what is given in it; None where there is nothing to ask."""
    course = course_of(amps, field)
    more, nights = list(can_have_more(field, course)), list(could_be_left(field, course))
    if more and (not nights or chance.random() < _ASKED_MORE):
        i, q, least, most = chance.choice(more)
        asked_kwh = field.asked_kwh.copy()
        # To its limit half the time: only there does the mean car wait for the cautious one.
        asked_kwh[i, q] = least + (most - least) * max(chance.random(), chance.randrange(2))
        return amps, field._replace(asked_kwh=asked_kwh)
    return _kept_off(*chance.choice(nights), amps, field) if nights else None


def can_have_more(field: Field, course: Course) -> Iterator[tuple[int, int, float, float]]:
    """Which car can be asked for more by which of what is asked of it, with what it has aboard then and could have. [kWh]"""
    for i, asked in enumerate(field.asked):
        for q in range(asked):
            limit_kwh = float(field.limit_kwh[i, max(0, field.asked_edge[i, q] - 1)])
            least = max(float(course.aboard_kwh[i, q]), float(field.asked_kwh[i, q]))
            if least < limit_kwh - _BELOW_KWH:
                yield i, q, least, limit_kwh - NEAR_KWH


def could_be_left(field: Field, course: Course) -> Iterator[tuple[int, int]]:
    """Which car charges in which night, and nobody pinned that."""
    for i, amps in enumerate(course.amps):
        for night, (first, past) in enumerate(zip(field.nights[:-1], field.nights[1:], strict=True)):
            if (amps[first:past] > 0).any() and not field.fixed[i, first:past].any():
                yield i, night


def _kept_off(i: int, night: int, amps: Floats, field: Field) -> tuple[Floats, Field]:
    """Setpoints without what car i charges in a night, a timer without its session; that night is not free for it."""
    inside = np.zeros(amps.shape[1], dtype=np.bool_)
    inside[field.nights[night] : field.nights[night + 1]] = True
    amps, free_a = amps.copy(), field.free_a.copy()
    amps[i, inside if field.managed[i] else _sessions_in(amps[i], inside, field.fixed[i])] = 0.0
    free_a[i, inside] = 0.0
    return amps, field._replace(free_a=free_a)


def _sessions_in(amps: Floats, inside: Flags, fixed: Flags) -> Flags:
    """The slots of sessions that are in some slots, but for what somebody pinned, shape (N,)."""
    of = np.zeros(len(amps), dtype=np.bool_)
    for run in runs(amps):
        session = slice(run.first, run.last + 1)
        if inside[session].any() and not fixed[session].any():
            of[session] = True
    return of
