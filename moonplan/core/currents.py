"""Every current of a hook-up side by side: power, loss, range and time, and what slowness costs (rules, sections 1 to 3)."""

from collections.abc import Sequence
from dataclasses import dataclass

from moonplan.core.household import Circuit
from moonplan.core.rates import Intake, Rate, range_km

# A socket is not run near its rating for hours where a lower step will do.
_OF_SOCKET = 0.75


@dataclass(frozen=True, slots=True)
class Current:
    """One current of a hook-up.

    lost : share of the wall's energy that does not reach the battery. hours : from one SoC to another; None for never.
    extra_kwh_per_100km : wall energy beyond what the highest current takes for the same distance. [kWh]
    recommended : the highest that may be left on for hours with nothing to add.
    """

    amps: float
    wall_kw: float
    battery_kw: float
    lost: float
    range_km_per_h: float
    hours: float | None
    extra_kwh_per_100km: float | None
    recommended: bool


def currents(
    offered: Sequence[float],
    *,
    circuit: Circuit,
    intake: Intake,
    rate: Rate,
    use_kwh_per_100km: float,
    to_charge_kwh: float,
) -> list[Current]:
    """The table of a hook-up.

    Parameters
    ----------
    offered : currents to compare, ascending, the chain's limit last. [A]
    to_charge_kwh : between the two SoC that `hours` is about, below the taper. [kWh]
    """
    if not offered:
        return []
    highest = _wall_per_kwh(intake.wall_kw(offered[-1]), rate)
    gentle = [a for a in offered if circuit.kind != "socket" or a <= _OF_SOCKET * (circuit.outlet_a or 0.0) + 1e-9]
    best = max(gentle, default=offered[0])
    rows = []
    for amps in offered:
        wall_kw = intake.wall_kw(amps)
        battery_kw = rate.battery_kw(wall_kw)
        here = _wall_per_kwh(wall_kw, rate)
        extra = None if here is None or highest is None else (here - highest) * use_kwh_per_100km
        rows.append(
            Current(
                amps=amps,
                wall_kw=wall_kw,
                battery_kw=battery_kw,
                lost=1 - battery_kw / wall_kw if wall_kw > 0 else 0.0,
                range_km_per_h=range_km(battery_kw, use_kwh_per_100km),
                hours=to_charge_kwh / battery_kw if battery_kw > 0 else None,
                extra_kwh_per_100km=extra,
                recommended=amps == best,
            )
        )
    return rows


def _wall_per_kwh(wall_kw: float, rate: Rate) -> float | None:
    battery_kw = rate.battery_kw(wall_kw)
    return wall_kw / battery_kw if battery_kw > 0 else None
