"""How far the mean car is ahead of the cautious one when it is bounded (docs/planner.md).

Clear of limit and taper the mean car charges more than the cautious one in every slot, and stays ahead by as much. Once it
is at either, the other may have caught up. A car's *story* is since when it was not: story 0 never was, and one begins with
each time between two trips in which it can have been last.
"""

from typing import NamedTuple

import numpy as np

from moonplan.core.planner.problem import Car
from moonplan.core.timegrid import Counts, Floats


class Stories(NamedTuple):
    """of_slot : the story in which a car goes on that is at its limit or its taper at a slot's end. full_kwh : what it has
    aboard there at least. Shapes (n_slots,).
    least_kwh, most_kwh : what the mean car had charged in all when each story began, shapes (n_stories,).
    """

    of_slot: Counts
    full_kwh: Floats
    least_kwh: Floats
    most_kwh: Floats

    def mean_to_charge(self, to_charge: Floats, most_part: float, since_kwh: Floats) -> Floats:
        """What the mean car has charged at least, in each story, by when the cautious one has charged so much, shape
        (n_stories, n_edges). [kWh]

        When its story began it had charged what that took, and the cautious one no more than that.

        to_charge : at some edges. since_kwh : what both had charged when their battery can have been empty last. Shapes
            (n_edges,). [kWh] most_part : see `parts`.
        """
        charged = np.maximum(self.least_kwh[:, None], np.minimum(self.most_kwh[:, None], to_charge))
        charged = np.maximum(charged, np.minimum(since_kwh, to_charge))
        after_it = charged + np.maximum(0.0, to_charge - charged) / most_part
        return np.maximum(to_charge, np.minimum(np.maximum(to_charge, to_charge / most_part), after_it))


def stories_of(car: Car, most_a: Floats, before: Floats) -> Stories:
    """The stories of a car.

    most_a : the most current of each slot, shape (n_slots,). [A]
    before : SoC without any charge, before trips at each edge, shape (n_slots + 1,). [kWh]
    """
    full_kwh = np.minimum(car.limit_kwh, car.tapers_from_kwh(float(most_a.max())))
    leaves = np.unique([departure.taking.edge for departure in car.departures])
    of_slot = 1 + np.searchsorted(leaves, np.arange(len(full_kwh)), side="right")
    least, most = full_kwh - before[1:], np.maximum(car.limit_kwh, car.soc_kwh) - before[1:]
    begun = range(1, int(of_slot.max()) + 1)
    return Stories(
        of_slot,
        full_kwh,
        np.array([0.0, *(float(least[of_slot == story].min(initial=np.inf)) for story in begun)]),
        np.array([0.0, *(float(most[of_slot == story].max(initial=-np.inf)) for story in begun)]),
    )


def one_story(car: Car) -> Stories:
    """Nothing but one story, for a car that is not bounded by how far it is ahead."""
    n = len(car.limit_kwh)
    return Stories(np.zeros(n, dtype=np.int64), np.full(n, np.inf), np.zeros(1), np.zeros(1))


def parts(car: Car, most_a: Floats) -> tuple[float, float]:
    """Clear of limit and taper: at least what the mean car stores of a kWh that the cautious one does, no more than 1;
    and at most what the cautious one stores of a kWh of the mean one.

    most_a : the most current of each slot, shape (n_slots,). [A]
    """
    offered = most_a[most_a > 0]
    # Between two currents the parts lie between theirs, whichever end they are larger at.
    walls_kw = [car.intake.wall_kw(a) for a in {*offered.tolist(), min(car.least_a, float(offered.min(initial=np.inf)))}]
    stored = [(car.rate.mean.battery_kw(wall_kw), car.rate.cautious.battery_kw(wall_kw)) for wall_kw in walls_kw]
    most = max((cautious / mean if mean > 0 else 1.0 for mean, cautious in stored if cautious > 0), default=1.0)
    tapering = car.rate.mean.battery_kw(car.intake.onboard_kw), car.rate.cautious.battery_kw(car.intake.onboard_kw)
    least = min((mean / cautious for mean, cautious in [*stored, tapering] if cautious > 0), default=1.0)
    return min(1.0, least), min(1.0, most)
