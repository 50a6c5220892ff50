"""The problem: a household's document turned into the numbers of its slots (rules, sections 3 and 6).

Everything a planner may choose from and everything that binds it stands here once; the solver, the checker and the
reasons all read the same `Problem`.
"""

import dataclasses
from collections import OrderedDict
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from functools import cached_property
from typing import TypeVar, cast

import numpy as np

from moonplan.core import hookup, mileage
from moonplan.core.hookup import Delivery, DoesNotCharge
from moonplan.core.household import Circuit, Control, Habit, Household, Lead, Override, Sharing, Trip, Vehicle
from moonplan.core.mistakes import BadDocument, Mistake
from moonplan.core.rates import HookupRate, Intake, Rate, hookup_rate
from moonplan.core.simulate import NOTHING_KWH, Given, Taking, Takings, Trajectory, trajectory
from moonplan.core.sun import base_load_kw, solar_kw, surplus_kw
from moonplan.core.tariff import Prices, household_prices
from moonplan.core.timegrid import Flags, Floats, Grid, clock_window, grid_for, in_night, is_awake, noon

K = TypeVar("K")
T = TypeVar("T")

# Trajectories and plans of a car that are kept: some tens of megabytes for a week.
_KEPT_LATELY = 1000
# How many runs of a car are kept: about twenty kilobytes each for a week.
_RUNS_KEPT = 200

CONTROLS: tuple[Control, ...] = ("managed", "timer", "hand")


@dataclass(frozen=True, slots=True)
class Departure:
    """A trip as the plan sees it.

    taking : the trip's energy and the edge from which it shows.
    required_kwh, needed_kwh : what must be aboard just before *leave*, and what the trip itself needs of it. [kWh]
    ready_edge : slot edge by which it must be aboard where someone asked for it earlier; None for just before *leave*.
    on_the_way_kwh : what the trip needs beyond a full battery. [kWh]
    """

    trip: Trip
    taking: Taking
    required_kwh: float
    needed_kwh: float
    ready_edge: int | None
    on_the_way_kwh: float

    @property
    def wants_more(self) -> bool:
        """Whether more is to be aboard than the trip itself needs."""
        return self.required_kwh > self.needed_kwh + NOTHING_KWH


@dataclass(frozen=True, slots=True)
class Wish:
    """What a habit wants aboard at a slot edge, before any trip there: as far as can be, after every departure. [kWh]"""

    edge: int
    kwh: float


@dataclass(frozen=True)
class Car:
    """One vehicle on its lead: what it may be offered, slot by slot, and what is wanted of it.

    delivery : the chain's answer, None where it does not charge (`no_charge` says why).
    chargeable, could_charge : slots in which it may charge, and in which it might whatever its habit says, shapes (n_slots,)
    limit_a : most current that may be offered in each slot, after steps; 0 where not chargeable, shape (n_slots,) [A]
    full_a : the chain's limit in each slot, whatever less a habit holds the car to, shape (n_slots,) [A]
    least_a : least current that charges. [A]
    limit_kwh : SoC limit in force, shape (n_slots,) [kWh]
    pinned_a : current that a person pinned, nan where none, shape (n_slots,) [A]
    wanted_at_end_kwh : None where the car is away at the horizon's end. [kWh]
    end_ready_edge : slot edge by which it must be aboard where someone asked for it earlier; None for the end.
    wishes, care_factor : what its habit wants aboard, and how much more its hours spent high count.
    sun_counts, grid_counts : what its habit adds to a kWh of own sun and of grid when plans are weighed. [currency/kWh]
    most_sessions, session_counts : how many sessions its habit allows, None for any number, and what it adds to each where
        the car is planned by itself, so that it comes to no more. [currency]
    """

    vehicle: Vehicle
    lead: Lead
    circuit: Circuit
    control: Control
    delivery: Delivery | None
    no_charge: DoesNotCharge | None
    rate: HookupRate
    intake: Intake
    chargeable: Flags
    could_charge: Flags
    limit_a: Floats
    full_a: Floats
    least_a: float
    limit_kwh: Floats
    pinned_a: Floats
    departures: tuple[Departure, ...]
    wanted_at_end_kwh: float | None
    end_ready_edge: int | None
    soc_kwh: float
    rest_kwh: float
    wishes: tuple[Wish, ...] = ()
    care_factor: float = 1.0
    sun_counts: float = 0.0
    grid_counts: float = 0.0
    most_sessions: int | None = None
    session_counts: float = 0.0

    @property
    def boost_kwh(self) -> float:
        """What it charges at once below. [kWh]"""
        return self.vehicle.boost_pct / 100 * self.vehicle.usable_kwh

    @property
    def id(self) -> str:
        return self.vehicle.id

    @property
    def name(self) -> str:
        return self.vehicle.name or self.vehicle.id

    @property
    def legs(self) -> tuple[str, ...]:
        """Legs that the car loads: all of a one-phase circuit's, else the circuit's first ones."""
        legs = self.circuit.used_legs
        return legs if self.circuit.phases == 1 else legs[: self.intake.phases]

    @property
    def steps_a(self) -> tuple[float, ...]:
        """Currents that may be offered; empty for a continuous lead. [A]"""
        return tuple(sorted(step for step in set(self.lead.steps_a) if step >= self.least_a - 1e-9))

    def tapers_from_kwh(self, most_a: float) -> float:
        """SoC above which, by one rate or the other, less than what a current gives is accepted; the full battery where that
        is all of it up to there. [kWh]"""
        rates = (self.rate.mean, self.rate.cautious)
        return min(self.intake.tapers_from(most_a, rate) for rate in rates) * self.vehicle.usable_kwh

    @property
    def kw_per_a(self) -> float:
        """Wall power of an ampere. [kW]"""
        return self.intake.volts * self.intake.phases / 1000

    @property
    def useful_a(self) -> float:
        """The least current, in hundredths, that gives the on-board charger all it can use; no less than charges. [A]"""
        return max(self.least_a, float(np.ceil(self.intake.most_wall_kw / self.kw_per_a * 100 - 1e-6)) / 100)

    def offered(self, room_a: Floats) -> Floats:
        """What the lead offers where there is room for some current: a step, or two decimals; 0 below the least. [A]

        No current beyond what the on-board charger can use: it would only crowd out others.
        """
        return hookup.stepped_each(
            room_a if self.steps_a else np.minimum(room_a, self.useful_a), steps_a=self.steps_a, min_a=self.least_a
        )

    @cached_property
    def _done(self) -> dict[object, object]:
        return {}

    def once(self, key: object, make: Callable[[], T]) -> T:
        """What `make` gives of the car as it is, made the first time that it is asked for under a key.

        Kept with the car and not with a problem by the car's name, since a habit looks at several changes of one car.
        """
        return once(self._done, key, make)

    def anew(self) -> "Car":
        """The same car with nothing done yet: what was done takes up much room, and is one thread's."""
        return dataclasses.replace(self)

    @cached_property
    def _runs(self) -> OrderedDict[tuple[bytes, Rate], Trajectory]:
        """The last runs, the newest at the end."""
        return OrderedDict()

    def run(self, amps: Floats, rate: Rate, grid: Grid) -> Trajectory:
        """The car under a run of setpoints, at one of its rates. The last ones are kept: not to be changed."""
        key = amps.tobytes(), rate
        return lately(self._runs, key, lambda: trajectory(amps, self.given(rate, grid)), most=_RUNS_KEPT)

    def filled(self, levels_kwh: tuple[float, float], amps: Floats, rate: Rate, grid: Grid) -> Trajectory:
        """Its battery from one level up to another, with no trip and no other limit, at currents of slots in a row."""
        soc_kwh, up_to_kwh = levels_kwh
        return trajectory(
            amps,
            Given.of(
                grid=grid,
                intake=self.intake,
                rate=rate,
                usable_kwh=self.vehicle.usable_kwh,
                soc_kwh=soc_kwh,
                limit_kwh=np.full(len(amps), up_to_kwh),
            ),
        )

    def given(self, rate: Rate, grid: Grid) -> Given:
        """What is given of the car when it is run at one of its rates."""

        def made() -> Given:
            return Given.of(
                grid=grid,
                intake=self.intake,
                rate=rate,
                usable_kwh=self.vehicle.usable_kwh,
                soc_kwh=self.soc_kwh,
                limit_kwh=self.limit_kwh,
                takings=Takings.of([departure.taking for departure in self.departures]),
                rest_kwh=self.rest_kwh,
            )

        return self.once(("given", rate), made)


@dataclass(frozen=True)
class Problem:
    """The slots, what they cost, and the cars.

    base_kw, sun_kw : house and own sun without the cars, shape (n_slots,) [kW]
    awake : whether someone is up at each slot edge, shape (n_slots + 1,)
    sharing : how each circuit with several leads is shared.
    care_price : of an hour with a kWh above the rest level. [currency/(kWh·h)] start_price : of a session. [currency]
    done : work that is done once, by what it is. late : the last of the work of which there may be much.
    """

    household: Household
    grid: Grid
    prices: Prices
    base_kw: Floats
    sun_kw: Floats
    awake: Flags
    sharing: Mapping[str, Sharing]
    cars: tuple[Car, ...]
    care_price: float
    start_price: float
    done: dict[object, object] = field(default_factory=dict, compare=False, repr=False)
    late: OrderedDict[object, object] = field(default_factory=OrderedDict, compare=False, repr=False)

    @cached_property
    def surplus_kw(self) -> Floats:
        """Own sun that the house itself does not take, shape (n_slots,). [kW]"""
        return surplus_kw(self.base_kw, self.sun_kw)

    def habit_of(self, car: Car) -> Habit:
        """The car's own habit, or the household's."""
        return car.vehicle.habit or self.household.habit

    @property
    def weighs_own_sun(self) -> bool:
        """Whether some habit counts own sun and grid otherwise than by what they cost."""
        return any(car.sun_counts or car.grid_counts for car in self.cars)

    def with_cars(self, cars: Sequence[Car]) -> "Problem":
        """The same problem with other cars, and nothing done yet."""
        return dataclasses.replace(self, cars=tuple(cars), done={}, late=OrderedDict())

    def once(self, key: object, make: Callable[[], T]) -> T:
        """What `make` gives, made the first time that it is asked for under a key."""
        return once(self.done, key, make)

    def let_go(self, kind: str) -> None:
        """Let go of the work of a kind, the first part of its keys."""
        for key in [key for key in self.done if isinstance(key, tuple) and key[0] == kind]:
            del self.done[key]

    def lately(self, key: object, make: Callable[[], T]) -> T:
        """As `once`, for work of which only the last is kept, since a long search would fill the memory."""
        return cast(T, lately(self.late, key, make, most=_KEPT_LATELY))


def once(done: dict[K, object], key: K, make: Callable[[], T]) -> T:
    """What `make` gives, or what is kept of it."""
    if key not in done:
        done[key] = make()
    return cast(T, done[key])


def lately(kept: OrderedDict[K, T], key: K, make: Callable[[], T], *, most: int) -> T:
    """What `make` gives, or what is kept of it, of the last ones that were asked for as many as `most`."""
    if key in kept:
        kept.move_to_end(key)
    else:
        kept[key] = make()
        if len(kept) > most:
            kept.popitem(last=False)
    return kept[key]


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
    overrides = _overrides_of(h, vehicle)
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


def _overrides_of(h: Household, vehicle: Vehicle) -> dict[date, Override]:
    return {override.night: override for override in h.overrides if override.vehicle == vehicle.id}


def _ready_edge(
    h: Household, overrides: Mapping[date, Override], since: datetime, until: datetime, grid: Grid
) -> int | None:
    """The earliest edge between two instants by which someone asked for a car to be ready."""
    asked = [in_night(night, o.ready_by, h.zone) for night, o in overrides.items() if o.ready_by is not None]
    return min((_edge_before(ready, grid) for ready in asked if since < ready < until), default=None)


def _edge_before(instant: datetime, grid: Grid) -> int:
    """The last slot edge at or before an instant, 0 to n_slots."""
    passed = (instant.timestamp() - grid.start_s) // (grid.slot_minutes * 60)
    return int(min(max(0, passed), grid.n_slots))


def chain_a(h: Household, vehicle: Vehicle, grid: Grid) -> Floats:
    """The chain's limit in each slot after steps, with the ceiling of its night where there is one, whether the car is home
    or not; 0 where it would not charge, shape (n_slots,). [A]"""
    lead, overrides = h.lead(vehicle.lead), _overrides_of(h, vehicle)
    links = hookup.chain(h.circuit(lead.circuit), lead, vehicle, h.supply)

    def of_night(night: date) -> float:
        ceiling = overrides[night].ceiling_a if night in overrides else None
        amps = min((links if ceiling is None else {**links, "ceiling": ceiling}).values())
        return hookup.stepped(amps, steps_a=lead.steps_a, min_a=lead.min_a)

    by_night = {night: of_night(night) for night in dict.fromkeys(grid.nights)}
    return np.array([by_night[night] for night in grid.nights], dtype=np.float64)


def chargeable_slots(h: Household, vehicle: Vehicle, grid: Grid) -> Flags:
    """Slots in which the car is home and plugged in for all of it, and not forbidden to charge, shape (n_slots,)."""
    hindered: Flags = np.any(list(_hindrances(h, vehicle, grid).values()), axis=0)
    return ~hindered


def _hindrances(h: Household, vehicle: Vehicle, grid: Grid) -> dict[str, Flags]:
    """What keeps a car from charging whatever its hook-up gives, in words, each with its slots of shape (n_slots,)."""
    overrides = _overrides_of(h, vehicle)
    unplugged = [night in overrides and not overrides[night].plugged_in for night in grid.nights]
    hindrances = {
        "it is away then": ~at_home(h, vehicle, grid),
        "it is not plugged in that night": np.array(unplugged, dtype=np.bool_),
        "it is kept off then": kept_off(h, vehicle, grid),
    }
    if vehicle.plug_in_hours is not None and grid.n_slots:
        since, until = vehicle.plug_in_hours
        inside = grid.wholly(clock_window(grid.local.minute, since, until))
        hindrances[f"it is plugged in from {since:%H:%M} to {until:%H:%M}"] = ~inside
    return hindrances


def at_home(h: Household, vehicle: Vehicle, grid: Grid) -> Flags:
    """Slots in which the car is home for all of it, shape (n_slots,)."""
    return ~_in_any(((trip.leave, trip.back) for trip in h.trips_of(vehicle.id)), grid)


def kept_off(h: Household, vehicle: Vehicle, grid: Grid) -> Flags:
    """Slots in which somebody forbade the car to charge, shape (n_slots,)."""
    return _in_any(((one.start, one.end) for one in h.forbids if one.vehicle == vehicle.id), grid)


def _in_any(times: Iterable[tuple[datetime, datetime]], grid: Grid) -> Flags:
    """Slots that overlap one of some times, shape (n_slots,)."""
    inside = np.zeros(grid.n_slots, dtype=np.bool_)
    for start, end in times:
        inside |= grid.overlaps(start, end)
    return inside


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
    return dataclasses.replace(car, limit_a=limit_a, chargeable=chargeable, could_charge=chargeable)


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
            hindrances = _hindrances(problem.household, car.vehicle, problem.grid)
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
