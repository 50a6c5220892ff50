"""The limit chain: the current that a hook-up can deliver, and the link that decides it (rules, section 1)."""

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from moonplan.core.compiled import compiled
from moonplan.core.household import Circuit, Household, Lead, Supply, Vehicle
from moonplan.core.timegrid import Floats
from moonplan.core.values import SOCKET_A_BY_OUTLET_A

Link = Literal["circuit", "outlet", "lead", "cable", "car", "ceiling"]

# Two links this close decide together; the first in the table's order is named. [A]
SAME_A = 0.01


@dataclass(frozen=True, slots=True)
class Delivery:
    """What a hook-up delivers.

    links : amps per phase of every link present, in the table's order. [A]
    amps : offered current per phase, after the lead's steps. [A]
    phases : phases that carry it, 1 to 3.
    volts : nominal voltage per phase. [V]
    wall_kw : power drawn at the wall at nominal voltage. [kW]
    bottleneck : the first link at the minimum, before steps.
    next_link : the link that would decide if the bottleneck were raised; None for a chain of one.
    lost_to_steps_a : current lost because the lead has no step nearer to the minimum. [A]
    costs_power : what steps and phases cost beside the bottleneck, in words; nothing where they cost nothing.
    """

    links: Mapping[Link, float]
    amps: float
    phases: int
    volts: float
    wall_kw: float
    bottleneck: Link
    next_link: Link | None
    lost_to_steps_a: float
    costs_power: tuple[str, ...] = ()


class DoesNotCharge(Exception):
    """No allowed current is left.

    link : the link that leaves too little. amps : what it leaves. [A] least_a : the least that would do. [A]
    """

    def __init__(self, link: Link, amps: float, least_a: float) -> None:
        self.link: Link = link
        self.amps = amps
        self.least_a = least_a
        super().__init__(f"the {link} leaves {amps:g} A, and charging starts at {least_a:g} A")


def onboard_amps(vehicle: Vehicle, supply: Supply) -> float:
    """Current per phase that the on-board charger takes. [A]

    As given, else from its rated power at its rated voltage: 240 V where the legs are 100–127 V, else the leg voltage.
    """
    if vehicle.onboard_a is not None:
        return vehicle.onboard_a
    rated_v = 240.0 if 100 <= supply.leg_voltage_v <= 127 else supply.leg_voltage_v
    return float(math.floor(vehicle.onboard_kw * 1000 / (rated_v * vehicle.onboard_phases) + 0.5))


def circuit_amps(circuit: Circuit) -> float:
    """The circuit's link: breaker or wire under the continuous-load rule, less its other loads; never below nothing. [A]"""
    weakest = circuit.breaker_a if circuit.wire_a is None else min(circuit.breaker_a, circuit.wire_a)
    return max(0.0, weakest * circuit.continuous_factor - circuit.other_load_a)


def before_the_car(circuit: Circuit, lead: Lead) -> dict[Link, float]:
    """Amps per phase of every link from the circuit to the plug, in the order of the rules page. [A]"""
    links: dict[Link, float] = {"circuit": circuit_amps(circuit)}
    if circuit.outlet_a is not None:
        links["outlet"] = circuit.outlet_a * circuit.continuous_factor
        if circuit.kind == "socket":
            allowed_a = circuit.socket_a or SOCKET_A_BY_OUTLET_A[int(circuit.outlet_a)]
            links["outlet"] = min(links["outlet"], allowed_a)
    links["lead"] = lead.max_a
    if lead.cable_a is not None:
        links["cable"] = lead.cable_a
    return links


def chain(circuit: Circuit, lead: Lead, vehicle: Vehicle, supply: Supply) -> dict[Link, float]:
    """Amps per phase of every link of a hook-up, in the order of the rules page. [A]"""
    links = before_the_car(circuit, lead)
    links["car"] = onboard_amps(vehicle, supply)
    if vehicle.ceiling_a is not None:
        links["ceiling"] = vehicle.ceiling_a
    return links


def phases_by_link(circuit: Circuit, lead: Lead, vehicle: Vehicle) -> dict[Link, int]:
    """Phases that every link carries, in the order of the rules page."""
    phases: dict[Link, int] = {"circuit": circuit.phases, "lead": lead.phases}
    if lead.cable_phases is not None:
        phases["cable"] = lead.cable_phases
    return phases | {"car": vehicle.onboard_phases}


def phases_of(circuit: Circuit, lead: Lead, vehicle: Vehicle) -> int:
    """Phases that carry the charge: the fewest of circuit, lead, cable and on-board charger."""
    return min(phases_by_link(circuit, lead, vehicle).values())


def stepped(amps: float, *, steps_a: tuple[float, ...], min_a: float) -> float:
    """The largest current not above `amps` that the lead can offer; 0.0 where that is none. [A]

    A lead without steps offers any current from `min_a` on, to two decimals.
    """
    return float(stepped_each(np.array([amps], dtype=np.float64), steps_a=steps_a, min_a=min_a)[0])


def stepped_each(amps: Floats, *, steps_a: tuple[float, ...], min_a: float) -> Floats:
    """`stepped` for every element of an array."""
    return _stepped_each(amps, np.array(steps_a, dtype=np.float64), float(min_a))


@compiled
def _stepped_each(amps: Floats, steps_a: Floats, min_a: float) -> Floats:
    offered = np.zeros(len(amps))
    for t in range(len(amps)):
        if len(steps_a):
            for step in steps_a:
                if step <= amps[t] + 1e-9:
                    offered[t] = max(offered[t], step)
        else:
            offered[t] = np.floor(amps[t] * 100 + 1e-6) / 100
        if offered[t] < min_a - 1e-9:
            offered[t] = 0.0
    return offered


def delivery(
    links: Mapping[Link, float], *, volts: float, phases: int, steps_a: tuple[float, ...] = (), min_a: float = 6.0
) -> Delivery:
    """Current, power and bottleneck of a chain.

    Parameters
    ----------
    links : amps per phase of every link present, in the order of the rules page. [A]
    volts : nominal voltage per phase. [V]
    steps_a : currents that the lead can be set to; empty for a continuous lead. [A]
    min_a : least current at which an EV charges (IEC 61851-1: 6 A). [A]

    Raises
    ------
    DoesNotCharge
        If no allowed current is left; it names the link and the least current that was missing.
    """
    least = min(links.values())
    bottleneck = next(link for link, amps in links.items() if amps <= least + SAME_A)
    others = {link: amps for link, amps in links.items() if link != bottleneck}
    in_order: list[Link] = sorted(others, key=others.__getitem__)
    offered = stepped(least, steps_a=steps_a, min_a=min_a)
    if offered <= 0:
        raise DoesNotCharge(bottleneck, least, min((s for s in steps_a if s >= min_a), default=min_a))
    return Delivery(
        links=dict(links),
        amps=offered,
        phases=phases,
        volts=volts,
        wall_kw=volts * offered * phases / 1000,
        bottleneck=bottleneck,
        next_link=in_order[0] if in_order else None,
        lost_to_steps_a=max(0.0, least - offered) if steps_a else 0.0,
    )


def delivery_of(household: Household, vehicle: Vehicle) -> Delivery:
    """What a vehicle gets on its lead.

    Raises
    ------
    DoesNotCharge
        As `delivery`.
    """
    lead = household.lead(vehicle.lead)
    circuit = household.circuit(lead.circuit)
    got = delivery(
        chain(circuit, lead, vehicle, household.supply),
        volts=circuit.voltage_v,
        phases=phases_of(circuit, lead, vehicle),
        steps_a=lead.steps_a,
        min_a=lead.min_a,
    )
    return replace(got, costs_power=tuple(_costs_power(got, phases_by_link(circuit, lead, vehicle))))


def _costs_power(got: Delivery, phases: Mapping[Link, int]) -> Iterator[str]:
    if got.lost_to_steps_a:
        yield f"the lead's steps allow {got.amps:g} A of the {got.amps + got.lost_to_steps_a:g} A"
    most = max(phases.values())
    if got.phases < most:
        *others, last = (f"the {link}" for link, carried in phases.items() if carried == got.phases)
        carry = f"{', '.join(others)} and {last} carry" if others else f"{last} carries"
        yield f"{got.phases} of {most} phases, since {carry} no more"
