"""Cautions: what may hurt a person or a house, said where the decision is made, with the reason (rules, section 9).

Each defers to local code and a licensed electrician; none forbids.
"""

from collections.abc import Iterator
from dataclasses import dataclass

from moonplan.core import hookup
from moonplan.core.household import Household, Vehicle

# A socket counts as run near its limit from this share of its rating on.
_NEAR_RATING = 0.75
# Volts under load this far below nominal are low.
_LOW_VOLTAGE = 0.95


@dataclass(frozen=True, slots=True)
class Caution:
    """code : what kind. subject : id of the circuit, lead or vehicle it speaks of. text : plain words, with the reason."""

    code: str
    subject: str
    text: str


def cautions(household: Household) -> list[Caution]:
    """Every caution that the household's hook-ups call for, once each."""
    found = [caution for vehicle in household.vehicles for caution in _of_hookup(household, vehicle)]
    found += list(_of_circuits(household))
    return list(dict.fromkeys(found))


def _of_hookup(h: Household, vehicle: Vehicle) -> Iterator[Caution]:
    lead = h.lead(vehicle.lead)
    circuit = h.circuit(lead.circuit)
    link = hookup.circuit_amps(circuit)
    where = circuit.name or circuit.id
    if lead.max_a > link + hookup.SAME_A:
        yield Caution(
            "lead-above-circuit",
            lead.id,
            f"{lead.name or lead.id} can draw {lead.max_a:g} A and {where} carries {link:g} A for hours: set the lead to "
            f"{link:g} A or less, so that a breaker is not what holds it back.",
        )
    try:
        amps = hookup.delivery_of(h, vehicle).amps
    except hookup.DoesNotCharge:
        return
    if circuit.kind == "socket" and circuit.outlet_a and amps >= _NEAR_RATING * circuit.outlet_a * circuit.continuous_factor:
        yield Caution(
            "socket-continuous",
            lead.id,
            f"{amps:g} A for hours is near what a {circuit.outlet_a:g} A socket is made for: feel plug and socket after an "
            "hour, take a lower step if they are warm, and ask an electrician for a dedicated circuit for daily use.",
        )
    elif circuit.kind == "socket":
        yield Caution(
            "socket-daily",
            lead.id,
            "An ordinary socket is not made for charging night after night: have an electrician look at it once, and use "
            "no extension lead.",
        )
    if circuit.wire_a is not None and circuit.wire_a < circuit.breaker_a:
        yield Caution(
            "breaker-above-wire",
            circuit.id,
            f"The breaker of {where} ({circuit.breaker_a:g} A) is larger than its wire ({circuit.wire_a:g} A): the wire is "
            "not protected. Have an electrician put that right.",
        )
    rate = h.rate_of(vehicle)
    if rate is not None and rate.voltage_v is not None and rate.voltage_v < _LOW_VOLTAGE * circuit.voltage_v:
        yield Caution(
            "low-voltage",
            circuit.id,
            f"{rate.voltage_v:g} V under load where {circuit.voltage_v:g} V is nominal: a long or thin wire, or a poor "
            "contact that warms. Take less current until an electrician has looked.",
        )


def _of_circuits(h: Household) -> Iterator[Caution]:
    used = {h.circuit_of(vehicle).id for vehicle in h.vehicles}
    for circuit in h.circuits:
        if circuit.id not in used:
            continue
        where = circuit.name or circuit.id
        if circuit.residual_current_protection is not True:
            yield Caution(
                "no-residual-current-protection",
                circuit.id,
                f"No residual-current protection is recorded for {where}: ask an electrician whether it has any.",
            )
        if circuit.other_load_a > 0:
            yield Caution(
                "other-loads",
                circuit.id,
                f"Other things on {where} take {circuit.other_load_a:g} A of it: more than that while a car charges, and "
                "the breaker trips.",
            )
        if circuit.continuous_factor > h.supply.continuous_factor:
            yield Caution(
                "continuous-rule",
                circuit.id,
                f"{where} is loaded to {circuit.continuous_factor:.0%} of its breaker for hours, and your region's rule is "
                f"{h.supply.continuous_factor:.0%}: check with your local code or an electrician.",
            )
