"""What if a link of a hook-up were another one: the same chain with that link changed (rules, sections 1 and 10)."""

from dataclasses import dataclass, replace
from datetime import timedelta

from moonplan.core import hookup
from moonplan.core.hookup import Delivery, DoesNotCharge, Link
from moonplan.core.household import Circuit, Household, Vehicle
from moonplan.core.rates import Rate, range_km
from moonplan.core.values import LEGS, Leg, Phases


@dataclass(frozen=True, slots=True)
class Change:
    """Links as they might be; None leaves one as it is.

    breaker_a : of the circuit; dedicated : a circuit of its own for charging instead of a socket.
    lead_a, cable_a, onboard_kw, ceiling_a : of lead, cable, car and household. phases : of circuit, lead and cable.
    """

    breaker_a: float | None = None
    dedicated: bool | None = None
    lead_a: float | None = None
    cable_a: float | None = None
    onboard_kw: float | None = None
    ceiling_a: float | None = None
    phases: Phases | None = None


@dataclass(frozen=True, slots=True)
class Outlook:
    """What a chain gives. links : amps of each. no_charge : why it does not charge, where it does not.

    hours : from the SoC now to the daily limit; None for never. night_km : range gained until the next departure, or noon.
    """

    links: dict[Link, float]
    delivery: Delivery | None
    no_charge: str | None
    battery_kw: float
    range_km_per_h: float
    hours: float | None
    night_km: float


def changed(household: Household, vehicle_id: str, lead_id: str, change: Change) -> Household:
    """The household with the vehicle on the lead and the links changed."""
    lead = household.lead(lead_id)
    circuit = household.circuit(lead.circuit)
    if change.dedicated:
        circuit = replace(circuit, kind="dedicated", outlet_a=None, socket_a=None, wire_a=None, other_load_a=0.0)
    if change.breaker_a is not None:
        circuit = replace(circuit, breaker_a=change.breaker_a, wire_a=None)
    if change.lead_a is not None:
        lead = replace(lead, max_a=change.lead_a, steps_a=())
    if change.cable_a is not None:
        lead = replace(lead, cable_a=change.cable_a)
    if change.phases is not None:
        circuit = replace(circuit, phases=change.phases, legs=_legs(household, circuit, change.phases))
        lead = replace(lead, phases=change.phases, cable_phases=change.phases if lead.cable_phases else None)
    if circuit != household.circuit(lead.circuit):
        circuit = replace(circuit, new_work=True)

    def of(vehicle: Vehicle) -> Vehicle:
        if vehicle.id != vehicle_id:
            return vehicle
        onboard_kw = vehicle.onboard_kw if change.onboard_kw is None else change.onboard_kw
        ceiling_a = vehicle.ceiling_a if change.ceiling_a is None else change.ceiling_a
        onboard_a = vehicle.onboard_a if change.onboard_kw is None else None
        return replace(vehicle, lead=lead_id, onboard_kw=onboard_kw, onboard_a=onboard_a, ceiling_a=ceiling_a)

    return replace(
        household,
        circuits=tuple(circuit if one.id == circuit.id else one for one in household.circuits),
        leads=tuple(lead if one.id == lead.id else one for one in household.leads),
        vehicles=tuple(of(vehicle) for vehicle in household.vehicles),
    )


def _legs(household: Household, circuit: Circuit, phases: Phases) -> tuple[Leg, ...] | None:
    """The legs that a circuit would be on: as many of its own as it needs, and the others after them."""
    if phases == circuit.phases:
        return circuit.legs
    used = household.legs_on(circuit)
    return (*used, *(leg for leg in LEGS if leg not in used))[:phases]


def outlook(household: Household, vehicle_id: str, rate: Rate) -> Outlook:
    """What the vehicle's chain gives at a rate, at nominal volts."""
    vehicle = next(v for v in household.vehicles if v.id == vehicle_id)
    lead = household.lead(vehicle.lead)
    links = hookup.chain(household.circuit(lead.circuit), lead, vehicle, household.supply)
    try:
        delivery, no_charge = hookup.delivery_of(household, vehicle), None
    except DoesNotCharge as error:
        delivery, no_charge = None, str(error)
    battery_kw = 0.0 if delivery is None else rate.battery_kw(delivery.wall_kw)
    per_hour = range_km(battery_kw, vehicle.use_kwh_per_100km)
    to_charge = max(0.0, vehicle.daily_limit_pct - vehicle.soc_pct) / 100 * vehicle.usable_kwh
    leaves = [trip.leave for trip in household.trips_of(vehicle_id) if trip.leave > household.now]
    hours = (min(leaves) - household.now) / timedelta(hours=1) if leaves else 12.0
    room_km = range_km(vehicle.usable_kwh * (1 - vehicle.soc_pct / 100), vehicle.use_kwh_per_100km)
    return Outlook(
        links=dict(links),
        delivery=delivery,
        no_charge=no_charge,
        battery_kw=battery_kw,
        range_km_per_h=per_hour,
        hours=to_charge / battery_kw if battery_kw > 0 else None,
        night_km=min(room_km, per_hour * min(hours, 24.0)),
    )
