"""The problem of a household: its document turned into the numbers of its slots (rules, sections 3 and 6)."""

from collections.abc import Mapping
from dataclasses import replace
from datetime import date, datetime, timedelta

import numpy as np

from moonplan.core import hookup, mileage
from moonplan.core.hookup import DoesNotCharge
from moonplan.core.household import Circuit, Household, Lead, Override, Trip, Vehicle
from moonplan.core.mistakes import BadDocument, Mistake
from moonplan.core.planner.hindrances import chain_a, chargeable_slots, hindrances_of, overrides_of
from moonplan.core.planner.problem import CONTROLS, Car, Departure, Problem
from moonplan.core.rates import Intake, Rate, hookup_rate
from moonplan.core.simulate import Taking
from moonplan.core.sun import base_load_kw, solar_kw
from moonplan.core.tariff import household_prices
from moonplan.core.timegrid import Floats, Grid, grid_for, in_night, is_awake, noon
from moonplan.core.values import Control, Sharing


def build(household: Household) -> Problem:
    """The problem of a household.

    Raises
    ------
    BadDocument
        If a pin asks for what its hook-up cannot do.
    """
    zone = household.zone
    grid = grid_for(household.now, nights=household.horizon_nights, slot_minutes=household.slot_minutes, zone=zone)
    cars = tuple(_car(household, vehicle, grid) for vehicle in household.vehicles)
    sharing = {circuit.id: _sharing(household, circuit, cars) for circuit in household.circuits}
    cars = tuple(_evenly(car, cars, sharing, grid) for car in cars)
    problem = Problem(
        household=household,
        grid=grid,
        prices=household_prices(household, grid),
        base_kw=base_load_kw(household, grid),
        sun_kw=solar_kw(household, grid),
        awake=np.array([is_awake(edge, zone, household.wake, household.bedtime) for edge in grid.starts]),
        sharing=sharing,
        cars=cars,
        care_price=household.care_price_per_kwh_h,
        start_price=household.price_of_a_start,
    )
    mistakes = _impossible_pins(problem)
    if mistakes:
        raise BadDocument(mistakes)
    return problem


def end_of(household: Household) -> datetime:
    """The horizon's end: the noon after the last night."""
    day = household.now.astimezone(household.zone).date() + timedelta(days=household.horizon_nights)
    return noon(day, household.zone)


def control_of(vehicle: Vehicle, lead: Lead) -> Control:
    """The better of what car and lead can carry out."""
    return min(vehicle.control, lead.control, key=CONTROLS.index)


def _car(h: Household, vehicle: Vehicle, grid: Grid) -> Car:
    lead = h.lead(vehicle.lead)
    circuit = h.circuit(lead.circuit)
    overrides = overrides_of(h, vehicle)
    rate = hookup_rate(h.rate_of(vehicle), nominal_v=circuit.voltage_v)
    phases = hookup.phases_of(circuit, lead, vehicle)
    intake = Intake(
        volts=rate.volts,
        phases=phases,
        most_wall_kw=hookup.onboard_amps(vehicle, h.supply) * circuit.voltage_v * vehicle.onboard_phases / 1000,
        onboard_kw=vehicle.onboard_kw,
        taper_from=vehicle.taper_from_pct / 100,
    )
    try:
        delivery, no_charge = hookup.delivery_of(h, vehicle), None
    except DoesNotCharge as error:
        delivery, no_charge = None, error
    chargeable = chargeable_slots(h, vehicle, grid)
    limit_a = np.where(chargeable, chain_a(h, vehicle, grid), 0.0)
    end = end_of(h)
    trips = [trip for trip in h.trips_of(vehicle.id) if h.now <= trip.leave < end]
    away_at_end = any(trip.leave < end < trip.back for trip in h.trips_of(vehicle.id))
    departures = _departures(h, vehicle, trips, overrides, grid)
    wanted_pct = None if away_at_end else vehicle.wanted_at_end_pct
    last_leave = trips[-1].leave if trips else h.now
    return Car(
        vehicle=vehicle,
        lead=lead,
        circuit=circuit,
        control=control_of(vehicle, lead),
        delivery=delivery,
        no_charge=no_charge,
        rate=rate,
        intake=intake,
        chargeable=chargeable & (limit_a > 0),
        could_charge=chargeable & (limit_a > 0),
        limit_a=limit_a,
        full_a=limit_a,
        least_a=lead.min_a,
        limit_kwh=_limits(vehicle, departures, limit_a, rate.cautious, intake, overrides, grid),
        pinned_a=_pinned(h, vehicle, grid),
        departures=departures,
        wanted_at_end_kwh=None if wanted_pct is None else wanted_pct / 100 * vehicle.usable_kwh,
        end_ready_edge=_ready_edge(h, overrides, last_leave, end, grid),
        soc_kwh=vehicle.soc_pct / 100 * vehicle.usable_kwh,
        rest_kwh=vehicle.rest_pct / 100 * vehicle.usable_kwh,
    )


def _ready_edge(
    h: Household, overrides: Mapping[date, Override], since: datetime, until: datetime, grid: Grid
) -> int | None:
    """The earliest edge between two instants by which someone asked for a car to be ready."""
    asked = [in_night(night, o.ready_by, h.zone) for night, o in overrides.items() if o.ready_by is not None]
    return min((grid.edge_before(ready) for ready in asked if since < ready < until), default=None)


def _departures(
    h: Household, vehicle: Vehicle, trips: list[Trip], overrides: Mapping[date, Override], grid: Grid
) -> tuple[Departure, ...]:
    departures = []
    for nth, trip in enumerate(trips):
        since = trips[nth - 1].leave if nth else h.now
        taking = Taking.of(trip.leave, mileage.trip_kwh(trip, vehicle), grid)
        departures.append(
            Departure(
                trip=trip,
                taking=taking,
                required_kwh=mileage.required_soc(trip, vehicle) * vehicle.usable_kwh,
                needed_kwh=mileage.needed_soc(trip, vehicle) * vehicle.usable_kwh,
                ready_edge=_ready_edge(h, overrides, since, trip.leave, grid),
                on_the_way_kwh=mileage.on_the_way_kwh(trip, vehicle),
            )
        )
    return tuple(departures)


def _limits(
    vehicle: Vehicle,
    departures: tuple[Departure, ...],
    limit_a: Floats,
    cautious: Rate,
    intake: Intake,
    overrides: Mapping[date, Override],
    grid: Grid,
) -> Floats:
    """The limit in force in each slot. [kWh]

    The larger of the daily limit and what must be aboard at the next departure, later ones reckoned in: going back
    from the last departure, a return needs the next requirement less what the cautious rate gains alone in between.
    """
    usable = vehicle.usable_kwh
    daily = vehicle.daily_limit_pct / 100 * usable
    gain_kwh = np.array([cautious.battery_kw(intake.wall_kw(a)) if a > 0 else 0.0 for a in limit_a]) * grid.hours
    limit = np.full(grid.n_slots, daily)
    aboard_at_next = 0.0
    for nth in reversed(range(len(departures))):
        departure = departures[nth]
        since = departures[nth - 1].taking.edge if nth else 0
        aboard = min(usable, max(departure.required_kwh, aboard_at_next + departure.taking.kwh))
        limit[since : departure.taking.edge] = max(daily, aboard)
        aboard_at_next = max(0.0, aboard - float(gain_kwh[since : departure.taking.edge].sum()))
    for t, night in enumerate(grid.nights):
        if night in overrides and (pct := overrides[night].limit_pct) is not None:
            limit[t] = pct / 100 * usable
    return limit


def _sharing(h: Household, circuit: Circuit, cars: tuple[Car, ...]) -> Sharing:
    """How a circuit is shared: as given, else freely where every hook-up on it is managed."""
    if circuit.sharing is not None:
        return circuit.sharing
    on_it = [car for car in cars if car.circuit.id == circuit.id]
    return "free" if all(car.control == "managed" for car in on_it) else "none"


def _evenly(car: Car, cars: tuple[Car, ...], sharing: Mapping[str, Sharing], grid: Grid) -> Car:
    """The car with its share of a circuit that splits its link among the cars that could charge."""
    on_it = [other for other in cars if other.circuit.id == car.circuit.id]
    if sharing[car.circuit.id] != "even" or len({other.lead.id for other in on_it}) < 2:
        return car
    could = np.sum([other.chargeable for other in on_it], axis=0)
    link = hookup.circuit_amps(car.circuit)
    limit_a = car.limit_a.copy()
    for t in np.flatnonzero(car.chargeable):
        allowed = min(limit_a[t], link / could[t])
        limit_a[t] = hookup.stepped(allowed, steps_a=car.lead.steps_a, min_a=car.lead.min_a)
    chargeable = car.chargeable & (limit_a > 0)
    return replace(car, limit_a=limit_a, chargeable=chargeable, could_charge=chargeable)


def _pinned(h: Household, vehicle: Vehicle, grid: Grid) -> Floats:
    amps = np.full(grid.n_slots, np.nan)
    for pin in h.pins:
        if pin.vehicle == vehicle.id:
            amps[grid.overlaps(pin.start, pin.end)] = pin.amps
    return amps


def _impossible_pins(problem: Problem) -> list[Mistake]:
    cars = {car.id: car for car in problem.cars}
    slot_s = problem.grid.slot_minutes * 60
    mistakes = []
    for i, pin in enumerate(problem.household.pins):
        car = cars[pin.vehicle]
        inside = problem.grid.overlaps(pin.start, pin.end)
        for key in ("start", "end"):
            if getattr(pin, key).timestamp() % slot_s:
                expected = f"a slot edge, every {problem.grid.slot_minutes} min"
                mistakes.append(Mistake(f"pins[{i}].{key}", getattr(pin, key), expected))
        if (inside & ~car.chargeable).any():
            hindrances = hindrances_of(problem.household, car.vehicle, problem.grid)
            lacking = str(car.no_charge or "no current is left for it")
            because = next((told for told, slots in hindrances.items() if (slots & inside).any()), lacking)
            mistakes.append(Mistake(f"pins[{i}].start", pin.start, f"a time in which {car.name} can charge: {because}"))
            continue
        most = float(car.limit_a[inside].min()) if inside.any() else pin.amps
        if pin.amps > most + 1e-9:
            mistakes.append(Mistake(f"pins[{i}].amps", pin.amps, f"at most {most:g} A"))
        elif abs(hookup.stepped(pin.amps, steps_a=car.lead.steps_a, min_a=car.lead.min_a) - pin.amps) > 1e-9:
            offered = ", ".join(f"{step:g}" for step in car.steps_a) or f"{car.least_a:g} A or more, to two decimals"
            mistakes.append(Mistake(f"pins[{i}].amps", pin.amps, f"a current that the lead offers: {offered}"))
    return mistakes
