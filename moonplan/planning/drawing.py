"""The household's drawing: what every link from the supply to the cars lets through."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from moonplan.core import hookup
from moonplan.core.household import Household as Document
from moonplan.core.household import Lead, Vehicle
from moonplan.core.rates import hookup_rate, range_km
from moonplan.household.models import Person
from moonplan.planning.cautions import shown
from moonplan.planning.documents import core_household, planning_now


def drawing(person: Person) -> dict[str, Any]:
    """Amps and kW after the supply, each circuit and each lead, and each car's chain with its bottleneck, on its usual
    lead (`vehicles`) and on every other (`reach`)."""
    document = core_household(person.household, planning_now())
    supply = document.supply
    amps = supply.rating_a * supply.continuous_factor
    return {
        "supply": {"amps": amps, "kw": amps * supply.leg_voltage_v * supply.legs / 1000},
        "circuits": [
            {
                "id": int(circuit.id),
                "amps": hookup.circuit_amps(circuit),
                "kw": hookup.circuit_amps(circuit) * circuit.voltage_v * circuit.phases / 1000,
            }
            for circuit in document.circuits
        ],
        "leads": [_lead(document, lead) for lead in document.leads],
        "vehicles": [_vehicle(document, vehicle) for vehicle in document.vehicles],
        "reach": [
            _vehicle(document, replace(vehicle, lead=lead.id))
            for lead in document.leads
            for vehicle in document.vehicles
            if vehicle.lead != lead.id
        ],
        "cautions": shown(person, document),
    }


def _lead(document: Document, lead: Lead) -> dict[str, Any]:
    circuit = document.circuit(lead.circuit)
    amps = min(hookup.before_the_car(circuit, lead).values())
    offered = hookup.stepped(amps, steps_a=lead.steps_a, min_a=lead.min_a)
    phases = min(circuit.phases, lead.phases, lead.cable_phases or 3)
    return {"id": int(lead.id), "amps": offered, "kw": offered * circuit.voltage_v * phases / 1000}


def _vehicle(document: Document, vehicle: Vehicle) -> dict[str, Any]:
    lead, circuit = document.lead(vehicle.lead), document.circuit_of(vehicle)
    rate = hookup_rate(document.rate_of(vehicle), nominal_v=circuit.voltage_v)
    told: dict[str, Any] = {
        "id": int(vehicle.id),
        "lead": int(lead.id),
        "links": [
            {"link": link, "amps": amps} for link, amps in hookup.chain(circuit, lead, vehicle, document.supply).items()
        ],
        "phases": hookup.phases_of(circuit, lead, vehicle),
        "rate_source": rate.source,
    }
    try:
        got = hookup.delivery_of(document, vehicle)
    except hookup.DoesNotCharge as error:
        nothing = {"amps": 0.0, "wall_kw": 0.0, "battery_kw": 0.0, "km_per_h": 0.0, "next": None, "costs_power": []}
        return told | nothing | {"bottleneck": error.link, "no_charge": str(error)}
    battery_kw = rate.mean.battery_kw(got.wall_kw)
    return told | {
        "amps": got.amps,
        "wall_kw": got.wall_kw,
        "battery_kw": battery_kw,
        "km_per_h": range_km(battery_kw, vehicle.use_kwh_per_100km),
        "bottleneck": got.bottleneck,
        "next": got.next_link,
        "costs_power": list(got.costs_power),
        "no_charge": None,
    }
