"""The cost of charging: with the cars less without them (rules, section 5). One function for plans and for the log."""

from dataclasses import dataclass

import numpy as np

from moonplan.core.timegrid import Floats


@dataclass(frozen=True, slots=True)
class EvCost:
    """What charging costs, slot by slot, shapes (n_slots,).

    cost : cost with the cars less cost without them. [currency]
    solar_kwh : own sun that went into the cars instead of out of the house. [kWh]
    cost_sun_free : the cost as some households count it, own sun free instead of at the export price given up. [currency]
    """

    cost: Floats
    solar_kwh: Floats
    cost_sun_free: Floats

    def share(self, part_kw: Floats, ev_kw: Floats) -> "EvCost":
        """One car's part: cost and sun split by the share of wall energy in each slot."""
        share = np.divide(part_kw, ev_kw, out=np.zeros_like(part_kw), where=ev_kw > 0)
        return EvCost(self.cost * share, self.solar_kwh * share, self.cost_sun_free * share)


def ev_cost(
    ev_kw: Floats, *, base_kw: Floats, solar_kw: Floats, price: Floats, export_price: Floats, hours: float
) -> EvCost:
    """Cost of the cars' mean power.

    Parameters
    ----------
    ev_kw : mean wall power of all cars, shape (n_slots,) [kW]
    base_kw, solar_kw : house and sun without the cars, shape (n_slots,) [kW]
    price, export_price : shape (n_slots,) [currency/kWh]
    hours : length of a slot. [h]
    """
    net = base_kw - solar_kw
    import_kwh = (np.maximum(0, net + ev_kw) - np.maximum(0, net)) * hours
    export_kwh = (np.maximum(0, -net) - np.maximum(0, -(net + ev_kw))) * hours
    return EvCost(price * import_kwh + export_price * export_kwh, export_kwh, price * import_kwh)
