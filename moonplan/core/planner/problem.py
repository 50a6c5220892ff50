"""The problem: the numbers of a household's slots, as `building` makes them of its document (rules, sections 3 and 6).

Everything a planner may choose from and everything that binds it stands here once; the solver, the checker and the
reasons all read the same `Problem`.
"""

import dataclasses
from collections import OrderedDict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import TypeVar, cast

import numpy as np

from moonplan.core import hookup
from moonplan.core.hookup import Delivery, DoesNotCharge
from moonplan.core.household import Circuit, Household, Lead, Trip, Vehicle
from moonplan.core.rates import HookupRate, Intake, Rate
from moonplan.core.simulate import NOTHING_KWH, Given, Taking, Takings, Trajectory, trajectory
from moonplan.core.sun import surplus_kw
from moonplan.core.tariff import Prices
from moonplan.core.timegrid import Flags, Floats, Grid
from moonplan.core.values import Control, Habit, Sharing

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
    def at_once_below_kwh(self) -> Floats:
        """What it charges at once below in every slot: at its limit there is nothing to wait for. Shape (n_slots,). [kWh]"""
        return np.minimum(self.boost_kwh, self.limit_kwh)

    @property
    def id(self) -> str:
        return self.vehicle.id

    @property
    def name(self) -> str:
        return self.vehicle.name or self.vehicle.id

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
