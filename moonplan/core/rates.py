"""Rates: what reaches the battery of what the wall gives (rules, section 2).

    battery_kw = max(0, efficiency × wall_kw − overhead_kw)

The mean rate gives energy and cost, the cautious rate decides whether a car is ready.
"""

from dataclasses import dataclass
from typing import Literal

from moonplan.core.compiled import compiled
from moonplan.core.household import MeasuredRate

Source = Literal["measured", "assumed"]

# By which part less is accepted by a full pack than by one at its taper.
TAPERS_BY = 0.75
# A SoC typed as that at which the taper begins is not above it, whatever became of its last digits.
_SAME_SOC = 1e-9


@compiled
def stored_kw(wall_kw: float, efficiency: float, overhead_kw: float) -> float:
    """Power that reaches the battery of a wall power. [kW]"""
    return max(0.0, efficiency * wall_kw - overhead_kw)


@compiled
def accepted_kw(
    wall_kw: float, soc: float, efficiency: float, overhead_kw: float, onboard_kw: float, taper_from: float
) -> tuple[float, float]:
    """Battery and wall power where the wall offers `wall_kw` at a SoC (fraction), taper included. [kW, kW]"""
    battery_kw = stored_kw(wall_kw, efficiency, overhead_kw)
    if soc > taper_from + _SAME_SOC:
        most = max(0.0, (efficiency * onboard_kw - overhead_kw) * (1 - TAPERS_BY * (soc - taper_from) / (1 - taper_from)))
        if battery_kw > most:
            return most, (most + overhead_kw) / efficiency
    return battery_kw, wall_kw


@dataclass(frozen=True, slots=True)
class Rate:
    """efficiency : share of the wall's power above the overhead that is stored. overhead_kw : what the car burns. [kW]"""

    efficiency: float
    overhead_kw: float

    def battery_kw(self, wall_kw: float) -> float:
        """Power stored at a wall power. [kW]"""
        return stored_kw(wall_kw, self.efficiency, self.overhead_kw)

    def wall_kw(self, battery_kw: float) -> float:
        """Wall power behind a battery power. [kW]"""
        return (battery_kw + self.overhead_kw) / self.efficiency


@dataclass(frozen=True, slots=True)
class HookupRate:
    """Both rates of a hook-up, the volts to reckon with, and where they come from.

    volts : per phase under load where measured, else nominal. [V]
    """

    mean: Rate
    cautious: Rate
    volts: float
    source: Source


ASSUMED = Rate(0.94, 0.25)
ASSUMED_CAUTIOUS = Rate(0.90, 0.40)
# What a measured rate without a cautious end of its own loses: efficiency, overhead. [-, kW]
CAUTION = (0.02, 0.06)


def hookup_rate(measured: MeasuredRate | None, *, nominal_v: float) -> HookupRate:
    """The rates of a hook-up, measured or assumed."""
    if measured is None:
        return HookupRate(ASSUMED, ASSUMED_CAUTIOUS, nominal_v, "assumed")
    if measured.cautious is not None:
        cautious = Rate(measured.cautious.efficiency, measured.cautious.overhead_kw)
    else:
        cautious = Rate(measured.efficiency - CAUTION[0], measured.overhead_kw + CAUTION[1])
    mean = Rate(measured.efficiency, measured.overhead_kw)
    return HookupRate(mean, cautious, measured.voltage_v or nominal_v, "measured")


@dataclass(frozen=True, slots=True)
class Intake:
    """How a car takes what a hook-up offers.

    volts : per phase, as reckoned with. [V] phases : phases that carry the charge.
    most_wall_kw : on-board charger at nominal voltage; power never exceeds it, whatever the volts. [kW]
    onboard_kw : rated power of the on-board charger, from which the taper falls. [kW]
    taper_from : SoC above which the pack accepts less; 1.0 for none. [fraction]
    """

    volts: float
    phases: int
    most_wall_kw: float
    onboard_kw: float
    taper_from: float

    def wall_kw(self, amps: float) -> float:
        """Wall power at an offered current, below the taper. [kW]"""
        return min(self.volts * amps * self.phases / 1000, self.most_wall_kw)

    def accepted(self, amps: float, soc: float, rate: Rate) -> tuple[float, float]:
        """Battery and wall power at an offered current and a SoC (fraction), taper included. [kW, kW]"""
        return accepted_kw(self.wall_kw(amps), soc, rate.efficiency, rate.overhead_kw, self.onboard_kw, self.taper_from)

    def tapers_from(self, amps: float, rate: Rate) -> float:
        """SoC (fraction) above which less than what a current gives is accepted; 1.0 where that is all of it up to there."""
        most_kw = rate.efficiency * self.onboard_kw - rate.overhead_kw
        offered_kw = rate.battery_kw(self.wall_kw(amps))
        if offered_kw >= most_kw:
            return self.taper_from
        return self.taper_from + min(1.0, (1 - offered_kw / most_kw) / TAPERS_BY) * (1 - self.taper_from)


def range_km(battery_kwh: float, use_kwh_per_100km: float) -> float:
    """Distance that an energy carries, at the household's own consumption (rules, section 3). [km]"""
    return battery_kwh / use_kwh_per_100km * 100
