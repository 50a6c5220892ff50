"""What is outside the house, behind ports, with the simulated stand-ins that ship with the program.

A real device or service takes a stand-in's place by having the same methods; whatever is shown of a stand-in says that
it is simulated.
"""

from moonplan.devices.prices import PriceFeed, SimulatedDayAhead
from moonplan.devices.sky import SimulatedSky, Sky

SKY: Sky = SimulatedSky()
FEEDS: dict[str, PriceFeed] = {"simulated": SimulatedDayAhead()}
