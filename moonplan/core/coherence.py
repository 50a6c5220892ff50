"""What must hold between the values of a household document: known ids, times in order, trips that do not overlap."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from itertools import pairwise
from typing import TYPE_CHECKING, Any

from moonplan.core.mistakes import Mistake
from moonplan.core.values import SOCKET_A_BY_OUTLET_A

if TYPE_CHECKING:
    from datetime import date

    from moonplan.core.household import Household, LaterTariff, Trip


def mistakes_between(h: Household) -> Iterator[Mistake]:
    """What does not fit together in a household whose values are right each by itself, by the document's paths."""
    for kind in ("feeders", "circuits", "leads", "vehicles", "pins"):
        yield from _twice(kind, [part.id for part in getattr(h, kind)])
    feeders = [feeder.id for feeder in h.feeders]
    circuits = [circuit.id for circuit in h.circuits]
    leads = [lead.id for lead in h.leads]
    vehicles = [vehicle.id for vehicle in h.vehicles]
    yield from _unknown("circuits", "feeder", h.circuits, feeders)
    yield from _unknown("leads", "circuit", h.leads, circuits)
    yield from _unknown("vehicles", "lead", h.vehicles, leads)
    yield from _unknown("rates", "lead", h.rates, leads)
    for kind in ("rates", "trips", "overrides", "pins", "forbids"):
        yield from _unknown(kind, "vehicle", getattr(h, kind), vehicles)
    yield from _legs(h)
    if not h.horizon_nights and h.now.astimezone(h.zone).hour >= 12:
        yield Mistake("horizon_nights", 0, "1 or more; before noon 0 is the rest of the present night")
    for i, circuit in enumerate(h.circuits):
        if circuit.kind == "socket":
            if circuit.outlet_a is None:
                yield Mistake(f"circuits[{i}].outlet_a", "missing", "the rating of the socket in A")
            elif circuit.socket_a is None and circuit.outlet_a not in SOCKET_A_BY_OUTLET_A:
                yield Mistake(
                    f"circuits[{i}].socket_a",
                    "missing",
                    f"the current you allow for hours on a socket of {circuit.outlet_a:g} A",
                )
    for kind, first, last in (("trips", "leave", "back"), ("pins", "start", "end"), ("forbids", "start", "end")):
        for i, part in enumerate(getattr(h, kind)):
            if getattr(part, last) <= getattr(part, first):
                yield Mistake(f"{kind}[{i}].{last}", getattr(part, last), f"a time after {first}")
    yield from _overlaps(h.trips)
    yield from in_order("solar_kw", [start for start, _ in h.solar_kw])
    if h.solar_kw and h.solar_kw[-1][1] != 0:
        yield Mistake(f"solar_kw[{len(h.solar_kw) - 1}][1]", h.solar_kw[-1][1], "0, so that the sun ends")
    yield from in_order("tariff.series", [start for start, _ in h.tariff.series])
    yield from _dates(h.later_tariffs)
    for i, later in enumerate(h.later_tariffs):
        yield from in_order(f"later_tariffs[{i}].tariff.series", [start for start, _ in later.tariff.series])
    yield from in_order("base_load_kw", [start for start, _ in h.base_load_kw])
    seen: set[tuple[str, date]] = set()
    for i, override in enumerate(h.overrides):
        if (override.vehicle, override.night) in seen:
            yield Mistake(f"overrides[{i}].night", override.night, f"one entry a night for {override.vehicle}")
        seen.add((override.vehicle, override.night))
    rated: set[tuple[str, str]] = set()
    for i, rate in enumerate(h.rates):
        if (rate.vehicle, rate.lead) in rated:
            yield Mistake(f"rates[{i}].lead", rate.lead, f"one rate for {rate.vehicle} on this lead")
        rated.add((rate.vehicle, rate.lead))


def _twice(kind: str, ids: Sequence[str]) -> Iterator[Mistake]:
    seen: set[str] = set()
    for i, id_ in enumerate(ids):
        if id_ in seen:
            yield Mistake(f"{kind}[{i}].id", id_, "an id that no other entry has")
        seen.add(id_)


def _unknown(kind: str, key: str, parts: Iterable[Any], known: Sequence[str]) -> Iterator[Mistake]:
    for i, part in enumerate(parts):
        value = getattr(part, key)
        if value is not None and value not in known:
            yield Mistake(f"{kind}[{i}].{key}", value, "one of " + ", ".join(known) if known else "an id that exists")


def _legs(h: Household) -> Iterator[Mistake]:
    present = h.supply_legs
    of_feeder = {feeder.id: h.legs_of(feeder) for feeder in h.feeders}
    named = {feeder.id: feeder.name or feeder.id for feeder in h.feeders}
    for i, feeder in enumerate(h.feeders):
        if not set(legs := h.legs_of(feeder)) <= set(present):
            yield Mistake(f"feeders[{i}].legs", list(legs), f"legs of the supply: {', '.join(present)}")
    for i, circuit in enumerate(h.circuits):
        legs, between = h.legs_on(circuit), circuit.lies_between_legs(h.supply)
        key = f"circuits[{i}].{'legs' if circuit.legs else 'voltage_v' if between else 'phases'}"
        value: object = list(circuit.legs) if circuit.legs else circuit.voltage_v if between else circuit.phases
        if between and len(set(legs) & set(present)) < 2:
            yield Mistake(key, value, f"two legs: {circuit.voltage_v:g} V lies between two of {h.supply.leg_voltage_v:g} V")
        elif not set(legs) <= set(present):
            yield Mistake(key, value, f"legs of the supply: {', '.join(present)}")
        elif len(set(legs)) < len(legs):
            yield Mistake(key, value, "each leg once")
        elif len(legs) != circuit.phases and (circuit.phases, len(legs)) != (1, 2):
            yield Mistake(key, value, f"{circuit.phases} legs for {circuit.phases} phases")
        elif circuit.feeder in of_feeder and not set(legs) <= set(of_feeder[circuit.feeder]):
            yield Mistake(key, value, f"legs of feeder {named[circuit.feeder]}: {', '.join(of_feeder[circuit.feeder])}")


def _overlaps(trips: Sequence[Trip]) -> Iterator[Mistake]:
    by_vehicle: dict[str, list[tuple[int, Trip]]] = {}
    for i, trip in enumerate(trips):
        by_vehicle.setdefault(trip.vehicle, []).append((i, trip))
    for numbered in by_vehicle.values():
        numbered.sort(key=lambda pair: (pair[1].leave, pair[1].back))
        for (_, earlier), (j, later) in pairwise(numbered):
            if later.leave < earlier.back:
                one, other = (f"{trip.leave:%Y-%m-%d %H:%M} to {trip.back:%Y-%m-%d %H:%M}" for trip in (earlier, later))
                yield Mistake(f"trips[{j}].leave", later.leave, f"one trip after the other: {one} and {other} overlap")


def _dates(later: Sequence[LaterTariff]) -> Iterator[Mistake]:
    for i, (one, other) in enumerate(pairwise(later), start=1):
        if other.since <= one.since:
            yield Mistake(f"later_tariffs[{i}].since", other.since, f"later than the entry before it ({one.since})")


def in_order(path: str, starts: Sequence[Any]) -> Iterator[Mistake]:
    """The entries of a list at a path that do not begin later than the one before them."""
    for i, (earlier, later) in enumerate(pairwise(starts), start=1):
        if later <= earlier:
            yield Mistake(f"{path}[{i}][0]", later, f"later than the entry before it ({earlier})")
