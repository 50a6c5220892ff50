"""A search among plans of several cars that stand in each other's way (docs/planner.md).

A part of a plan is given up (a car kept off a night or a few slots, or held to less current there; some cars taken out of
some nights), and the cars are planned anew around it, the first of them at the prices that what they share is worth to
the others, or held to less than they could have; what comes out is kept if it is better. The choices are drawn from a
seeded generator and counted, so that the same household gives the same plan.
"""

from collections.abc import Callable, Iterator, Sequence
from itertools import combinations, islice
from random import Random

import numpy as np
from numpy.typing import ArrayLike

from moonplan.core.planner.candidates import Candidate, pinned, surroundings
from moonplan.core.planner.constraints import sharing_with
from moonplan.core.planner.effort import Effort
from moonplan.core.planner.here import Held, Here
from moonplan.core.planner.jointly import jointly_planned, may_be_joined
from moonplan.core.planner.outcome import CarOutcome, wanted_of
from moonplan.core.planner.problem import Car, Problem
from moonplan.core.simulate import NOTHING_KWH, Run, runs
from moonplan.core.timegrid import Flags, Floats

_SEED = 20
# For how many nights, and for how many slots of a session, a car is kept off; how many nights cars are taken out of.
_NIGHTS_OFF = (1, 1, 2)
_SLOTS_OFF = (1, 2, 4, 8, 16)
_NIGHTS_EMPTIED = (1, 1, 1, 2, 3, 31)
# From how many nights before a change on the cars are planned anew.
_NIGHTS_BEFORE = (0, 0, 1, 2)
# How often a night is one in which cars want more than there is.
_CONTENDED = 0.7
# How often one car is kept off, of two; of more less often. How often it then is for a few slots only.
_KEPT_OFF, _FEW_SLOTS = 0.6, 0.75
# How often cars taken out of nights are, as far as there are any, cars that charge there; how often the first of them is to
# have one of its sessions at another time.
_CHARGING_THERE, _ELSEWHERE = 0.7, 0.4
# At how many edges, where the price changes most, such a time begins or ends.
_PRICE_EDGES = 6
# How often a night is one in which cars would come to less by themselves.
_REGRETTED = 0.8
# How often a car that is kept off may still charge at less; how often cars taken out of nights are held to less there, and
# then how often each but the last of them.
_HELD_TO_LESS, _SOME_HELD, _HELD = 0.4, 0.5, 0.7
# What a car misses more than alone before others make way for it [kWh, A·h that wait], for how many nights, and how often at
# most.
MISSED_MORE = 0.01
_NIGHTS_RELIEVED = 3
_MOST_RELIEFS = 20
# How many of them in which one makes way in turn are tried after each.
_MOST_IN_TURN = 4
# In how many even steps a continuous lead is held to less.
_LESS = 3
# How often all nights are planned anew around a change, and not only those near it.
_WIDELY = 0.3
# For how many nights two cars are planned together, and which part of what others would pay their values ask for then.
_NIGHTS_TOGETHER, _TOLLS_TOGETHER = (1, 1, 2), (0.4, 0.6, 0.7, 0.8, 1.0)
# Which part of what others would pay the first of the cars is asked for.
_TOLL = (0.2, 1.3)

_Reliefs = Callable[[Here, Candidate], Iterator[list[Floats]]]
# How much more than alone is missed, which car misses it, and by which edge it is wanted.
_Miss = tuple[float, int, int]


def searched(
    problem: Problem,
    best: Candidate,
    *,
    tries: int,
    effort: Effort,
    together: float = 0.0,
    contended: Flags | None = None,
    again: int = 0,
) -> Candidate:
    """The best plan that a number of tries lead to from another.

    together : in which part of the tries two cars are planned together. contended : slots that are looked at more often.
    again : how often a longer search went over it before, with other tries.
    """
    chance = problem.once(("chance", again), lambda: Random(_SEED + again))
    here = Here(problem, best, effort)
    for _ in range(tries):
        amps = _two_together(here, contended, chance) if together and chance.random() < together else None
        amps = amps or _another(here, contended, chance)
        if amps is None:
            continue
        here = here.or_better(amps)
    return here.plan


def swept(problem: Problem, best: Candidate, *, effort: Effort) -> Candidate:
    """The best plan that comes of keeping each car off each night in turn."""
    here, n_nights = Here(problem, best, effort), len(problem.grid.night_edges)
    for night in range(n_nights):
        keep_off = _slots_of(problem, night, night + 1)
        for i in range(len(problem.cars)):
            amps = list(here.plan.amps)
            if not (amps[i][keep_off] > 0).any():
                continue
            others = [j for j in range(len(amps)) if j != i]
            nights = max(0, night - 1), min(n_nights, night + 3)
            here = here.or_better(_held(here, amps, (i, *others), Held(keep_off), nights))
    return here.plan


def shifted(problem: Problem, best: Candidate, *, effort: Effort) -> Candidate:
    """The best plan that comes of each session in turn taking another time of its night before the others have any of it."""
    here = Here(problem, best, effort)
    for i in range(len(problem.cars)):
        others = [j for j in range(len(problem.cars)) if j != i]
        for run in runs(here.plan.amps[i]):
            for night, held in _elsewhere(here, i, run):
                amps = [np.where(night, pinned(car), a) for car, a in zip(problem.cars, here.plan.amps, strict=True)]
                here = here.or_better(_held(here, amps, (i, *others), held, _nights_of(problem, night)))
    return here.plan


def relieved(problem: Problem, best: Candidate, alone: Candidate, *, effort: Effort) -> Candidate:
    """The best plan that comes of others making way for a car that misses more than it does alone: of what is asked of it,
    below its boost level, or of what its habit wishes.

    alone : what each car would do by itself. For what is missed the others leave the car the time since the trip before, or
    the last nights, all of them and each in turn, and take what is left of it; then one of them leaves it all but one of its
    lesser currents.
    """
    here = Here(problem, best, effort)
    for reliefs in (_reliefs, _partial_reliefs):
        ways = _in_turn(reliefs, here, alone)
        for _ in range(_MOST_RELIEFS):
            amps = next(ways, None)
            if amps is None:
                break
            before, here = here, here.or_better(amps)
            if here is not before:
                ways = _in_turn(reliefs, here, alone)
    return here.plan


def contended_slots(problem: Problem, wanted: Sequence[Floats]) -> Flags:
    """Slots in which cars together want more current than there is, or the same sun, shape (n_slots,).

    wanted : setpoints that each would have if it were alone, shape (n_slots,). [A]
    """
    many = np.zeros(problem.grid.n_slots, dtype=np.bool_)
    nobody = [pinned(car) for car in problem.cars]
    for i, amps in enumerate(wanted):
        around, alone = surroundings(problem, wanted, i), surroundings(problem, nobody, i)
        many |= (amps > around.room_a + 1e-9) | ((amps > 0) & (around.sun_kwh < alone.sun_kwh - 1e-9))
    return many


def _another(here: Here, contended: Flags | None, chance: Random) -> list[Floats] | None:
    amps = list(here.plan.amps)
    cars = chance.sample(range(len(amps)), len(amps))
    if chance.random() < 2 * _KEPT_OFF / len(cars):
        return _one_kept_off(here, amps, cars, contended, chance, few=chance.random() < _FEW_SLOTS)
    first, past, emptied = _some_nights(here, contended, chance, _NIGHTS_EMPTIED)
    nights = _around(here.problem, first, past, chance)
    if chance.random() < _CHARGING_THERE:
        cars = sorted(cars, key=lambda i: not (amps[i][emptied] > 0).any())
    cars = cars[: chance.choice((2, 2, 2, 3, len(cars)))]
    for i in cars:
        amps[i] = np.where(emptied, pinned(here.problem.cars[i]), amps[i])
    toll = chance.choice((0.0, chance.uniform(*_TOLL)))
    some_held, elsewhere = chance.random() < _SOME_HELD, chance.random() < _ELSEWHERE
    for nth, i in enumerate(cars):
        held = None
        if elsewhere and nth == 0:
            held = _some_time_else(here, i, emptied, chance)
        elif some_held and i != cars[-1] and chance.random() < _HELD:
            held = _held_to_less(here.problem.cars[i], emptied, np.inf, chance)
        amps[i] = here.planned(amps, i, nights, held=held, toll=toll * (len(cars) - 1 - nth) / (len(cars) - 1))
    for i in cars[:-1]:
        amps[i] = here.planned(amps, i, nights)
    return amps


def _two_together(here: Here, contended: Flags | None, chance: Random) -> list[Floats] | None:
    """Two cars planned together for some nights; None where no two share what both can have."""
    amps = here.plan.amps
    first, past, inside = _some_nights(here, contended, chance, _NIGHTS_TOGETHER)
    cars = chance.sample(range(len(amps)), len(amps))
    if chance.random() < _CHARGING_THERE:
        cars = sorted(cars, key=lambda i: not (amps[i][inside] > 0).any())
    pair = next((pair for pair in combinations(cars, 2) if may_be_joined(here, pair)), None)
    return pair and jointly_planned(here, pair, (first, past), toll=chance.choice(_TOLLS_TOGETHER))


def _some_time_else(here: Here, i: int, nights: Flags, chance: Random) -> Held | None:
    """One of the car's sessions in some nights held to another time of its night."""
    found = [run for run in runs(here.plan.amps[i]) if nights[run.first]]
    times = list(_elsewhere(here, i, chance.choice(found))) if found else []
    return chance.choice(times)[1] if times else None


def _one_kept_off(
    here: Here, amps: list[Floats], cars: list[int], contended: Flags | None, chance: Random, *, few: bool
) -> list[Floats] | None:
    """One car kept off some slots, or held to less there; None where it does not charge in them."""
    if contended is not None and chance.random() < _CONTENDED:
        cars = sorted(cars, key=lambda i: not (amps[i][contended] > 0).any())
    first = cars[0]
    if few:
        keep_off = _some_slots(here, amps[first], contended, chance)
    else:
        *_, keep_off = _some_nights(here, contended, chance, _NIGHTS_OFF)
    if not (amps[first][keep_off] > 0).any():
        return None
    held = None
    if chance.random() < _HELD_TO_LESS:
        held = _held_to_less(here.problem.cars[first], keep_off, float(amps[first][keep_off].max()), chance)
    nights = _around(here.problem, *_nights_of(here.problem, keep_off), chance)
    return _held(here, amps, cars, held or Held(keep_off), nights)


def _held_to_less(car: Car, slots: Flags, than_a: float, chance: Random) -> Held | None:
    """The car held in some slots to one of its lesser currents, None where it has no less than one."""
    less = [current for current in _lesser_currents(car) if current < than_a - 1e-9]
    return Held(slots, chance.choice(less)) if less else None


def _lesser_currents(car: Car) -> Sequence[float]:
    """Currents to which a car may be held so that others have more. [A]"""
    return car.steps_a or np.linspace(car.least_a, float(car.limit_a.max()), _LESS + 1)[:-1].tolist()


def _held(here: Here, amps: list[Floats], cars: Sequence[int], held: Held, nights: tuple[int, int]) -> list[Floats]:
    """The first of the cars planned anew with less in some slots, then the others, then it again with all there is left."""
    first, *others = cars
    amps[first] = here.planned(amps, first, nights, held=held)
    for i in (*others, first):
        amps[i] = here.planned(amps, i, nights)
    return amps


def _in_turn(reliefs: _Reliefs, here: Here, alone: Candidate) -> Iterator[list[Floats]]:
    """Setpoints of all cars where others make way, and after each of them where somebody makes way in turn for one that did
    and is short for it."""
    for amps in reliefs(here, alone):
        yield amps
        yield from islice(reliefs(here.elsewhere(amps), alone), _MOST_IN_TURN)


def _reliefs(here: Here, alone: Candidate) -> Iterator[list[Floats]]:
    """Setpoints of all cars where others make way, first for the car that is short of most more than it is alone."""
    for i, first, past in _missed(here, alone):
        those = _in_the_way(here.problem, here.plan.amps, i, first, past)
        for others in dict.fromkeys([those, *((j,) for j in those)]) if those else ():
            yield _made_way(here, i, others, first, past)


def _partial_reliefs(here: Here, alone: Candidate) -> Iterator[list[Floats]]:
    """The same where one car leaves all but one of its lesser currents."""
    for i, first, past in _missed(here, alone):
        for j in _in_the_way(here.problem, here.plan.amps, i, first, past):
            for less_a in _lesser_currents(here.problem.cars[j]):
                yield _made_way(here, i, (j,), first, past, all_but_a=less_a)


def _missed(here: Here, alone: Candidate) -> Iterator[tuple[int, int, int]]:
    """Cars that miss more than alone, each with times that others could leave it: where something asked for is missing, then
    where they wait below their boost levels, then where a wish is missed; of each those that miss most first."""
    problem, shorts, waits, unwished = here.problem, list[_Miss](), list[_Miss](), list[_Miss]()
    for i, (mine, by_itself) in enumerate(zip(here.plan.outcome.cars, alone.outcome.cars, strict=True)):
        edges, asked = [wanted.edge for wanted in wanted_of(problem, problem.cars[i])], len(mine.shorts_kwh)
        shorts += _missed_more(i, edges[:asked], mine.shorts_kwh, by_itself.shorts_kwh)
        unwished += _missed_more(i, edges[asked:], mine.unwished_kwh, by_itself.unwished_kwh)
        over_boost = {edge: None for one in (by_itself, mine) for edge in _over_boost(problem.cars[i], one)}
        waits += _missed_more(i, list(over_boost), mine.waited_ah, by_itself.waited_ah)
    for misses in (shorts, waits, unwished):
        for _, i, until in sorted(misses, key=lambda miss: -miss[0]):
            for first, past in _times_for(problem, i, until):
                yield i, first, past


def _over_boost(car: Car, outcome: CarOutcome) -> list[int]:
    """Edges at which a car comes over its boost level."""
    soc_kwh, level_kwh = outcome.mean.soc_kwh, car.at_once_below_kwh - NOTHING_KWH
    edges: list[int] = (1 + np.flatnonzero((soc_kwh[:-1] < level_kwh) & (soc_kwh[1:] >= level_kwh))).tolist()
    return edges


def _missed_more(i: int, edges: Sequence[int], mine: ArrayLike, by_itself: ArrayLike) -> list[_Miss]:
    """Of a car by which of some edges it misses more than by itself, with how much."""
    more = np.broadcast_to(np.subtract(mine, by_itself), len(edges))
    return [(much, i, edge) for much, edge in zip(more.tolist(), edges, strict=True) if much > MISSED_MORE]


def _in_the_way(problem: Problem, amps: Sequence[Floats], i: int, first: int, past: int) -> tuple[int, ...]:
    """The cars that charge between two edges and leave car i less then."""
    return tuple(j for j in sorted(sharing_with(problem, i)) if (amps[j][first:past] > 0).any())


def _times_for(problem: Problem, i: int, until: int) -> list[tuple[int, int]]:
    """Times, from one edge to another, to leave to car i for what is asked of it at the latter."""
    trips = (departure.taking.edge for departure in problem.cars[i].departures)
    since = max((edge for edge in trips if edge < until), default=0)
    last_nights = [edge for edge in problem.grid.night_edges if edge < until][-_NIGHTS_RELIEVED:]
    return [(first, until) for first in dict.fromkeys([since, *reversed(last_nights)])]


def _made_way(here: Here, i: int, others: Sequence[int], first: int, past: int, *, all_but_a: float = 0.0) -> list[Floats]:
    """Setpoints of all cars where others leave some slots to car i, all but a current each, and then have what it leaves."""
    amps, edges = list(here.plan.amps), here.problem.grid.night_edges
    inside = np.zeros(here.problem.grid.n_slots, dtype=np.bool_)
    inside[first:past] = True
    for j in others:
        car = here.problem.cars[j]
        leaves_a = np.maximum(pinned(car), np.where(car.chargeable, all_but_a, 0.0))
        amps[j] = np.where(inside, leaves_a, amps[j])
    night, next_night = _nights_of(here.problem, inside)
    nights = max(0, night - 1), min(len(edges), next_night + 1)
    for j in (i, *others, i):
        amps[j] = here.planned(amps, j, nights)
    return amps


def _around(problem: Problem, first: int, past: int, chance: Random) -> tuple[int, int]:
    """Some nights with a few before them, or all."""
    if chance.random() < _WIDELY:
        return 0, len(problem.grid.night_edges)
    return max(0, first - chance.choice(_NIGHTS_BEFORE)), past


def _nights_of(problem: Problem, slots: Flags) -> tuple[int, int]:
    """Of some slots the first night, and the one after the last."""
    inside = np.flatnonzero(slots)
    first, last = (int(np.searchsorted(problem.grid.night_edges, t, side="right")) for t in (inside[0], inside[-1]))
    return first - 1, last


def _regretted(here: Here, chance: Random) -> int | None:
    """A night in which cars stand in each other's way, the more often the more that costs them; None for any night."""
    if len(here.problem.grid.night_edges) < 2 or chance.random() >= _REGRETTED:
        return None
    sums = np.cumsum(here.regrets())
    return int(np.searchsorted(sums, chance.random() * sums[-1], side="right")) if sums[-1] > 0 else None


def _some_nights(here: Here, contended: Flags | None, chance: Random, lengths: tuple[int, ...]) -> tuple[int, int, Flags]:
    """Some nights in a row: which is the first, which the first after them, and their slots."""
    problem, regretted = here.problem, _regretted(here, chance)
    edges = [*problem.grid.night_edges, problem.grid.n_slots]
    first, length = chance.randrange(len(edges) - 1), chance.choice(lengths)
    if regretted is not None:
        first = regretted - chance.randrange(length)
    elif contended is not None and contended.any() and chance.random() < _CONTENDED:
        at = chance.choice(np.flatnonzero(contended).tolist())
        first = int(np.searchsorted(edges, at, side="right")) - 1 - chance.randrange(length)
    first = max(0, min(first, len(edges) - 1 - length))
    past = min(first + length, len(edges) - 1)
    return first, past, _slots_of(problem, first, past)


def _slots_of(problem: Problem, first: int, past: int) -> Flags:
    """The slots of the nights from one to before another, shape (n_slots,)."""
    edges, chosen = [*problem.grid.night_edges, problem.grid.n_slots], np.zeros(problem.grid.n_slots, dtype=np.bool_)
    chosen[edges[first] : edges[past]] = True
    return chosen


def _elsewhere(here: Here, i: int, run: Run) -> Iterator[tuple[Flags, Held]]:
    """The night of a car's session, and the session held to another time in it: as long, and from or until an edge at which
    the price changes most, or which of the cars charge, or whether this one can."""
    problem, amps = here.problem, here.plan.amps
    edges = [*problem.grid.night_edges, problem.grid.n_slots]
    nth = int(np.searchsorted(edges, run.first, side="right"))
    begins, ends, length = edges[nth - 1], edges[nth], run.last - run.first + 1
    night = np.zeros(problem.grid.n_slots, dtype=np.bool_)
    night[begins:ends] = True
    on = np.stack([problem.cars[i].chargeable, *(a > 0 for a in amps)])[:, begins:ends]
    steps = np.abs(np.diff(problem.prices.price[begins:ends]))
    prices = [t for t in np.argsort(-steps, kind="stable")[:_PRICE_EDGES] if steps[t] > 0]
    changes = {*np.flatnonzero((on[:, 1:] != on[:, :-1]).any(axis=0)).tolist(), *prices}
    at = {begins + 1 + int(t) for t in changes}
    for first in sorted({*at, *(edge - length for edge in at)} - {run.first}):
        off = night.copy()
        off[max(begins, first) : max(begins, first + length)] = False
        yield night, Held(off)


def _some_slots(here: Here, amps: Floats, contended: Flags | None, chance: Random) -> Flags:
    """Some slots in which a car charges: a few, or a session's beginning or end."""
    chosen = np.zeros(len(amps), dtype=np.bool_)
    regretted = _regretted(here, chance)
    if regretted is not None:
        of_night = np.where(_slots_of(here.problem, regretted, regretted + 1), amps, 0.0)
        amps = of_night if of_night.any() else amps
    charging = np.flatnonzero(amps > 0)
    if contended is not None and contended[charging].any() and chance.random() < _CONTENDED:
        charging = charging[contended[charging]]
    if len(charging):
        at = int(chance.choice(charging.tolist()))
        run = next(run for run in runs(amps) if run.first <= at <= run.last)
        few = chance.choice(_SLOTS_OFF)
        first, past = chance.choice(((at, at + few), (run.first, at), (at, run.last + 1)))
        chosen[first:past] = True
    return chosen
