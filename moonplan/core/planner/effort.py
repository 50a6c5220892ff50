"""How closely a car is planned (docs/planner.md)."""

from dataclasses import dataclass


@dataclass(frozen=True)
class Effort:
    """How closely a car is planned.

    states : slots and levels together, about. levels_per_slot : the fewest to a slot's gain at full current. layers : in
        how many it is reckoned how far the mean car is ahead. ways : how many are followed side by side. currents : at how
        many, from the least to the most, a timer on a continuous lead is tried.
    """

    states: int
    levels_per_slot: int
    layers: int
    ways: int
    currents: int = 5


COARSE = Effort(states=50_000, levels_per_slot=3, layers=1, ways=4)
CLOSER = Effort(states=100_000, levels_per_slot=3, layers=3, ways=8)
FINE_OF_MANY = Effort(states=100_000, levels_per_slot=4, layers=4, ways=16)
FINE = Effort(states=300_000, levels_per_slot=4, layers=4, ways=16)
FINEST = Effort(states=300_000, levels_per_slot=4, layers=6, ways=32, currents=9)
CLOSEST = Effort(states=1_200_000, levels_per_slot=4, layers=4, ways=64, currents=17)
MANY_CURRENTS = Effort(states=1_200_000, levels_per_slot=4, layers=4, ways=64, currents=51)
