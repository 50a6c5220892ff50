"""The evening question for one household: its plan, what the screen draws of it, and the evening's inputs."""

from __future__ import annotations

import time
from collections.abc import Mapping
from datetime import datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
from django.db import transaction

from moonplan.core import hookup
from moonplan.core import household as core_documents
from moonplan.core.almanac import sky_of
from moonplan.core.distance import in_unit
from moonplan.core.listed import listed
from moonplan.core.mistakes import Mistake
from moonplan.core.percent import percent_told
from moonplan.core.planner.habits import SENTENCES
from moonplan.core.planner.plan import Plan, Session, document, expectation
from moonplan.core.planner.problem import Car
from moonplan.core.planner.tonight import Decision, decide, the_night
from moonplan.core.rates import range_km
from moonplan.core.timegrid import in_night, is_awake, noon, told_clock
from moonplan.core.values import clock_of
from moonplan.household import editing
from moonplan.household.models import Change, Evening, Person, Trip, Vehicle
from moonplan.logbook.models import SocReading
from moonplan.planning import cautions, refining, usual
from moonplan.planning.aboard import Aboard, last_read
from moonplan.planning.documents import core_household, household_document, how_it_stands, planning_now
from moonplan.planning.evenings import set_evening
from moonplan.planning.heading import heading
from moonplan.planning.shown import goes_on, hanging_on_their_leads, keep
from moonplan.planning.standins import simulated
from moonplan.planning.tariffs import DEPTHS, without_dated_price

# Into how many pins a session is pinned at most.
_PINNED_AT_MOST = 3


def tonight(person: Person) -> dict[str, Any]:
    """Everything the evening's screen shows."""
    household = person.household
    began = time.perf_counter()
    now = planning_now()
    stands = how_it_stands(household, now)
    given = household_document(household, now, stands=stands)
    made = refining.best_known(given, goes_on(household))
    answer = document(made)
    asked = made.problem.household
    night, zone = the_night(asked), asked.zone
    sky = sky_of(night, zone, household.latitude, household.longitude)
    hanging = hanging_on_their_leads(household, asked)
    decisions = [decide(made, i, hanging=hanging) for i in range(len(made.problem.cars))]
    until = _last_leave(made, decisions)
    revision = keep(household, given, answer, stands.aboard)
    vehicles = {str(vehicle.pk): (vehicle, aboard) for vehicle, aboard in stands.aboard.items()}
    return {
        "revision": revision,
        **heading(household, now),
        "night": night.isoformat(),
        "bedtime": household.bedtime,
        "wake": household.wake,
        "start": now.astimezone(zone).isoformat(),
        "end": until.isoformat(),
        "dusk": sky.dusk.isoformat() if sky.dusk else None,
        "dawn": sky.dawn.isoformat() if sky.dawn else None,
        "moon_age": sky.moon_age,
        "moon_name": sky.moon_name,
        "prices": _prices(made, until),
        "house": _house(made, until),
        "circuits": _circuits(made, until),
        "cars": [
            _car(made, i, decisions[i], answer["vehicles"][i], *vehicles[car.id], until)
            for i, car in enumerate(made.problem.cars)
        ],
        "totals": answer["totals"],
        "without_dated_price": without_dated_price(made.problem),
        "simulated": simulated(household, now),
        "cautions": [caution | {"cars": _cars_of(made, decisions, caution)} for caution in cautions.shown(person, asked)],
        "server_ms": round((time.perf_counter() - began) * 1000),
    }


def _last_leave(made: Plan, decisions: list[Decision]) -> datetime:
    """Where the night sheet ends: the night's last departure, or noon where nobody leaves."""
    zone = made.problem.household.zone
    ends = noon(the_night(made.problem.household) + timedelta(days=1), zone)
    leaves = [d.departure.trip.leave.astimezone(zone) for d in decisions if d.departure and d.departure.trip.leave <= ends]
    sessions = [s.end for d in decisions for s in d.sessions]
    last = max([*leaves, *sessions], default=ends)
    last = max(last, min(ends, made.problem.household.now.astimezone(zone) + timedelta(hours=6)))
    return (last + timedelta(minutes=59)).replace(minute=0, second=0, microsecond=0)


def _shown(made: Plan, until: datetime) -> int:
    """How many slots the sheet shows."""
    return sum(1 for start in made.problem.grid.starts[:-1] if start < until)


def _prices(made: Plan, until: datetime) -> list[dict[str, Any]]:
    """Runs of slots at one price and on one line, with their depth among the household's prices, 0 cheapest."""
    problem, told = made.problem, []
    price, band, starts = problem.prices.price, problem.prices.band, problem.grid.starts
    low, high = float(price.min()), float(price.max())
    first = 0
    shown = _shown(made, until)
    for t in range(1, shown + 1):
        if t < shown and price[t] == price[first] and band[t] == band[first]:
            continue
        share = 0.0 if high <= low else (float(price[first]) - low) / (high - low)
        told.append(
            {
                "start": starts[first].isoformat(),
                "end": starts[t].isoformat(),
                "price": round(float(price[first]), 6),
                "band": band[first],
                "depth": min(DEPTHS - 1, round(share * (DEPTHS - 1))),
            }
        )
        first = t
    return told


def _house(made: Plan, until: datetime) -> list[dict[str, Any]]:
    problem = made.problem
    ev_kw = np.sum([car.mean.wall_kwh for car in made.outcome.cars], axis=0) / problem.grid.hours
    ev_kw = np.broadcast_to(ev_kw, problem.grid.n_slots)
    surplus = problem.surplus_kw
    return [
        {
            "at": problem.grid.starts[t].isoformat(),
            "base_kw": round(float(problem.base_kw[t]), 3),
            "sun_kw": round(float(problem.sun_kw[t]), 3),
            "cars_kw": round(float(ev_kw[t]), 3),
            "surplus_kw": round(float(surplus[t]), 3),
        }
        for t in range(_shown(made, until))
    ]


def _circuits(made: Plan, until: datetime) -> list[dict[str, Any]]:
    """Offered amps on each circuit that a car hangs on, against the circuit's link."""
    problem, told = made.problem, []
    for circuit in problem.household.circuits:
        mine = [i for i, car in enumerate(problem.cars) if car.circuit.id == circuit.id]
        if not mine:
            continue
        load = np.sum([made.outcome.cars[i].amps for i in mine], axis=0)
        told.append(
            {
                "id": circuit.id,
                "name": circuit.name or circuit.id,
                "limit_a": round(hookup.circuit_amps(circuit), 2),
                "load": [_point(problem.grid.starts[t], load[t]) for t in range(_shown(made, until))],
            }
        )
    return told


def _point(at: datetime, value: float) -> dict[str, Any]:
    return {"at": at.isoformat(), "value": round(float(value), 2)}


def _car(
    made: Plan, i: int, decision: Decision, told: dict[str, Any], vehicle: Vehicle, known: Aboard, until: datetime
) -> dict[str, Any]:
    problem, car = made.problem, made.problem.cars[i]
    shown = _shown(made, until)
    usable = car.vehicle.usable_kwh
    sessions = decision.sessions
    departures = told["departures"]
    inputs = _inputs(car, vehicle, known, problem.household)
    pinnable = [_pinnable(made, i, session, inputs["pins"]) for session in sessions]
    return {
        "id": car.id,
        "name": car.name,
        "place": car.circuit.name or car.circuit.id,
        "lead": car.lead.name or car.lead.id,
        "control": car.control,
        "rate_source": car.rate.source,
        "action": decision.action,
        "plug_in_by": None if decision.plug_in_by is None else decision.plug_in_by.isoformat(),
        "plug_in_again": [by.isoformat() for by in decision.plug_in_again],
        "in_place_of": None if decision.in_place_of is None else decision.in_place_of.name,
        "current": decision.current,
        "ready_at": None if decision.ready_at is None else decision.ready_at.isoformat(),
        "leaves_first": decision.leaves_first,
        "why": decision.why,
        "departure": departures[0] | _trip_of(decision, usable) if departures else None,
        "not_ready": _not_ready([*departures[:1], told["end"]], car),
        "short_end": _short_end(made, told["end"]),
        "soc_from_pct": round(float(problem.cars[i].soc_kwh) / usable * 100, 1),
        **_night_of(made, i, decision, told, until),
        "solar_kwh": round(sum(s.solar_kwh for s in sessions), 3),
        "cost_sun_free": round(sum(s.cost_sun_free for s in sessions), 5),
        "range_km": round(sum(s.range_km for s in sessions), 2),
        "limit": [_point(problem.grid.starts[t], car.limit_kwh[t] / usable * 100) for t in range(shown)],
        "reserve_pct": car.vehicle.reserve_pct,
        "limit_a": told["limit_a"],
        "bottleneck": told["bottleneck"],
        "sessions": told["sessions"][: len(sessions)],
        "pinnable": pinnable,
        "to_key_in": _to_key_in(car, decision, _offered(decision, pinnable, problem.household.now), problem.household),
        "inputs": inputs,
    }


def _night_of(made: Plan, i: int, decision: Decision, told: dict[str, Any], until: datetime) -> dict[str, Any]:
    """What a car's night comes to, and its SoC through it."""
    car, sessions = made.problem.cars[i], decision.sessions
    return {
        "soc_to_pct": round((sessions[-1].soc_to if sessions else car.soc_kwh / car.vehicle.usable_kwh) * 100, 1),
        "wall_kwh": round(sum(s.wall_kwh for s in sessions), 3),
        "cost": round(sum(s.cost for s in sessions), 5),
        "tide": [{"at": at, "value": pct} for at, pct in told["soc_pct"][: _shown(made, until) + 1]],
    }


def _pinnable(made: Plan, i: int, session: Session, pins: list[dict[str, Any]]) -> dict[str, Any]:
    """A session as it would be pinned: whole slots, a pin for each current; with many, as where it follows own sun, one at
    its first.

    pins : what is pinned in the night.
    """
    household, starts = made.problem.household, made.problem.grid.starts
    run = next(run for run in made.outcome.cars[i].sessions if run.first == session.first)
    start, end = starts[run.first], starts[run.last + 1]
    currents = session.currents if len(session.currents) <= _PINNED_AT_MOST else session.currents[:1]
    edges = [*(at for at, _ in currents), end]

    def instant(clock: str) -> datetime:
        return in_night(the_night(household), clock_of(clock), household.zone)

    return {
        "start": f"{start:%H:%M}",
        "end": f"{end:%H:%M}",
        "pins": [
            {"start": f"{first:%H:%M}", "end": f"{last:%H:%M}", "amps": amps}
            for (first, amps), last in zip(currents, edges[1:], strict=True)
        ],
        "current": session.current if len(currents) == len(session.currents) else f"{session.first_amps:g} A",
        "parts": [n for n, pin in enumerate(pins) if instant(pin["start"]) < end and instant(pin["end"]) > start],
    }


def _trip_of(decision: Decision, usable: float) -> dict[str, Any]:
    departure = decision.departure
    assert departure is not None
    return {
        "km": departure.trip.km,
        "fill": departure.trip.fill,
        "trip_kwh": round(departure.taking.kwh, 2),
        "on_the_way_kwh": round(departure.on_the_way_kwh, 2),
    }


def _not_ready(asked: list[dict[str, Any] | None], car: Car) -> dict[str, Any] | None:
    """What is missing when somebody asked to have the car ready earlier. asked : its next departure, if any, and the end."""
    for one in asked:
        if one is not None and one["earlier"] is not None and one["earlier"]["short_kwh"]:
            short_km = range_km(one["earlier"]["short_kwh"], car.vehicle.use_kwh_per_100km)
            return one["earlier"] | {"required_pct": one["required_pct"], "short_km": round(short_km, 3)}
    return None


def _short_end(made: Plan, end: dict[str, Any] | None) -> dict[str, Any] | None:
    """What is missing when tonight ends, of what is wanted then; None where nothing is, and where the plan goes on."""
    household, at = made.problem.household, made.problem.grid.starts[-1]
    if end is None or not end["short_kwh"] or at > noon(the_night(household) + timedelta(days=1), household.zone):
        return None
    return end | {"by": at.isoformat()}


def _offered(decision: Decision, pinnable: list[dict[str, Any]], now: datetime) -> list[str]:
    """From when to when there is current, also for a car that takes longer than expected; of what runs, until when.

    pinnable : the decision's sessions as they would be pinned.
    """
    told = zip(decision.sessions, pinnable, strict=True)
    runs = decision.action == "go_on"
    return [
        f"until {one['end']}" if runs and not nth else f"{told_clock(session.start, now=now)}–{one['end']}"
        for nth, (session, one) in enumerate(told)
    ]


def _to_key_in(car: Car, decision: Decision, offered: list[str], asked: core_documents.Household) -> list[dict[str, str]]:
    """The settings for car and lead, in the order a person walks past them.

    offered : from when to when there is current, a session each. asked : as core took it.
    """
    if decision.current is None:
        return []
    first, now, unit = decision.sessions[0], asked.now, asked.distance_unit
    limit = float(car.limit_kwh[first.first]) / car.vehicle.usable_kwh
    lead = car.lead.name or car.lead.id
    # Who steers the session: where both can, a lead manages better, and a timer of the car's own is no other car's.
    by_lead = car.lead.control == car.control and (car.control == "managed" or car.vehicle.control != car.control)
    steers = lead if by_lead else car.name
    told = [{"where": lead, "what": "current", "value": decision.current}]
    if not car.vehicle.cutoff:
        told.append({"where": car.name, "what": "charge limit", "value": percent_told(limit)})
    if car.control == "managed":
        told.insert(1, {"where": steers, "what": "on", "value": listed(offered)})
    elif car.control == "timer" and decision.action != "go_on":
        told.append({"where": steers, "what": "timer", "value": f"start {told_clock(first.start, now=now)}"})
    elif decision.action == "plug_in":
        told.append({"where": car.name, "what": "plug in", "value": f"at {told_clock(first.start, now=now)}"})
    if car.vehicle.cutoff:
        told.append({"where": steers if car.control == "managed" else car.name, **_stop(car, decision, asked)})
    expected = expectation(car, first.first_amps)
    range_per_h = f"{in_unit(expected.range_km_per_h, unit):.0f} {unit} per hour"
    after = f"{expected.volts:g} V, {expected.wall_kw:.1f} kW, {range_per_h}"
    return [*told, {"where": "after ten minutes", "what": "you should see", "value": after}]


def _stop(car: Car, decision: Decision, asked: core_documents.Household) -> dict[str, str]:
    """When and after how much to stop a car that has no limit of its own."""
    by_itself = car.control == "managed"
    told, all_up = [], True
    for session in decision.sessions:
        up = by_itself or is_awake(session.stop_at, asked.zone, asked.wake, asked.bedtime)
        when = f"{told_clock(session.stop_at, now=asked.now)}, {session.wall_kwh:.1f} kWh"
        told.append(when if up else f"{when}: nobody is up then")
        all_up &= up
    return {"what": "stop by hand at" if all_up and not by_itself else "stop at", "value": listed(told)}


def _inputs(car: Car, vehicle: Vehicle, known: Aboard, asked: core_documents.Household) -> dict[str, Any]:
    """What changes every evening, as it stands, with the versions that an edit must come with. asked : as core took it."""
    night, reading = the_night(asked), known.reading
    trip = _named_trip(vehicle, asked.now)
    usual_trip = _usual_trip(vehicle, asked, trip)
    shown = usual_trip or trip
    evening = Evening.objects.of(vehicle.household).filter(vehicle=vehicle, night=night).first()
    return {
        "soc_pct": round(known.pct, 1),
        "soc_read": None if reading is None else {"at": reading.at.isoformat(), "pct": reading.soc_pct},
        "soc_reckoned": known.reckoned,
        "soc_version": 0 if reading is None else reading.pk,
        "trip_version": trip.version if trip is not None and usual_trip is None else 0,
        "leave": None if shown is None else shown.leave.isoformat(),
        "km": None if shown is None else shown.km,
        "is_usual": usual_trip is not None,
        "evening_version": 0 if evening is None else evening.version,
        "limit_pct": None if evening is None else evening.limit_pct,
        "daily_limit_pct": car.vehicle.daily_limit_pct,
        "ceiling_a": None if evening is None else evening.ceiling_a,
        "steps_a": list(car.steps_a),
        "least_a": car.least_a,
        "ready_by": None if evening is None else evening.ready_by,
        "plugged_in": True if evening is None else evening.plugged_in,
        "habit": vehicle.habit,
        "habit_sentence": SENTENCES[car.vehicle.habit or asked.habit],
        "vehicle_version": vehicle.version,
        **{key: [] if evening is None else getattr(evening, key) for key in _BY_HAND},
    }


def _named_trip(vehicle: Vehicle, now: datetime) -> Trip | None:
    """The next trip that somebody named."""
    return Trip.objects.of(vehicle.household).filter(vehicle=vehicle, leave__gt=now).first()


def _usual_trip(vehicle: Vehicle, asked: core_documents.Household, named: Trip | None) -> core_documents.Trip | None:
    """The drive of a usual day, where that is the next one. asked : the household as core took it. named : the next trip
    that somebody named."""
    coming = [trip for trip in asked.trips_of(str(vehicle.pk)) if trip.leave > asked.now]
    first = min(coming, key=lambda trip: trip.leave, default=None)
    return None if first is None or (named is not None and named.leave <= first.leave) else first


def _cars_of(made: Plan, decisions: list[Decision], caution: Mapping[str, str]) -> list[str]:
    """Ids of the cars that a caution speaks of, by their lead or circuit; the supply's is told once, where one charges."""
    about, subject = caution["about"], caution["subject"]
    cars = made.problem.cars
    if about == "supply":
        return [car.id for car, one in zip(cars, decisions, strict=True) if one.sessions][:1]
    return [car.id for car in cars if subject == (car.lead.id if about == "lead" else car.circuit.id)]


# --- the evening's edits ------------------------------------------------------------------------------------------------


_TRIP_FIELDS = ("leave", "km")
_BY_HAND = ("pins", "keep_off")
_EVENING_FIELDS = ("limit_pct", "ceiling_a", "ready_by", "plugged_in", *_BY_HAND)


@transaction.atomic
def edit_evening(person: Person, vehicle: Vehicle, given: Mapping[str, Any], versions: Mapping[str, int]) -> None:
    """Change what changes every evening: SoC now, the next trip, tonight's limit, ceiling and readiness.

    Raises
    ------
    Conflict, Refused
        As `editing.change`; a leaving time that has passed is refused too.
    """
    now = planning_now()
    if "soc_pct" in given:
        _soc(person, vehicle, given["soc_pct"], versions.get("soc", 0), now)
    trip_fields = {key: given[key] for key in _TRIP_FIELDS if key in given}
    if trip_fields:
        _trip(person, vehicle, trip_fields, versions.get("trip", 0), now)
    if "habit" in given:
        fields = {"habit": given["habit"] or None}
        editing.change(person, vehicle, fields, version=versions.get("vehicle", 0), what=f"{vehicle.name}: habit")
    if (day := given.get("at_home")) is not None:
        usual.stay_at_home(person, vehicle, day, at_home=True)
    evening_fields = {key: given[key] for key in _EVENING_FIELDS if key in given}
    if evening_fields:
        _evening(person, vehicle, evening_fields, versions.get("evening", 0), now)


def night_with(person: Person, vehicle: Vehicle, given: Mapping[str, Any], versions: Mapping[str, int]) -> dict[str, Any]:
    """What a car's night would come to with an edit, of which nothing is kept.

    Raises
    ------
    Conflict, Refused
        As `edit_evening`.
    """
    with transaction.atomic():
        edit_evening(person, vehicle, given, versions)
        given = household_document(person.household, planning_now())
        # Nothing but an edit takes the place of what is shown.
        shown = goes_on(person.household)
        transaction.set_rollback(True)
    made = refining.best_known(given, shown)
    decisions = [decide(made, nth) for nth in range(len(made.problem.cars))]
    i = next(nth for nth, car in enumerate(made.problem.cars) if car.id == str(vehicle.pk))
    return _night_of(made, i, decisions[i], document(made)["vehicles"][i], _last_leave(made, decisions))


def _soc(person: Person, vehicle: Vehicle, pct: float | None, version: int, now: datetime) -> None:
    if pct is None:
        raise editing.Refused([Mistake("soc_pct", None, "a value")])
    last = last_read(person.household, now).get(vehicle.pk)
    if last is not None and last.pk != version and not _read_by_this_page(vehicle, version):
        raise editing.Conflict("soc", {"soc_pct": last.soc_pct}, last.pk, editing.last_editor("soc", row=last.pk))
    editing.add(person, "soc", {"vehicle_id": vehicle.pk, "at": now, "soc_pct": pct}, what=f"{vehicle.name}: SoC {pct:g} %")


def _read_by_this_page(vehicle: Vehicle, version: int) -> bool:
    """Whether every reading since one was typed into the page that asks."""
    since = set(SocReading.objects.filter(vehicle=vehicle, pk__gt=version).values_list("pk", flat=True))
    typed = dict(Change.objects.filter(kind="soc", row__in=since, undone=False).values_list("row", "page"))
    return set(typed) == since and editing.made_by_this_page(typed.values())


def _trip(person: Person, vehicle: Vehicle, fields: Mapping[str, Any], version: int, now: datetime) -> None:
    fields = {key: editing.on_the_clock(vehicle.household, value) for key, value in fields.items()}
    leave = fields.get("leave")
    if leave is not None and leave <= now:
        zone = ZoneInfo(vehicle.household.timezone)
        expected = f"a time after now ({now.astimezone(zone):%H:%M})"
        raise editing.Refused([Mistake("leave", leave.astimezone(zone), expected)])
    what = f"{vehicle.name}: next trip"
    # A page that shows a named trip comes with its version.
    trip = _named_trip(vehicle, now)
    usual_trip = None if version else _usual_trip(vehicle, core_household(vehicle.household, now), trip)
    if usual_trip is not None:
        given = {key: fields.get(key, getattr(usual_trip, key)) for key in _TRIP_FIELDS}
        back = usual_trip.back + (given["leave"] - usual_trip.leave)
        editing.add(person, "trip", {"vehicle_id": vehicle.pk, "back": back} | given, what=what)
        return
    if trip is None:
        if leave is None or fields.get("km") is None:
            missing = "leave" if leave is None else "km"
            raise editing.Refused([Mistake(missing, "missing", "leaving time and distance of the trip")])
        values = {"vehicle_id": vehicle.pk, "leave": leave, "back": leave + timedelta(hours=9), "km": fields["km"]}
        editing.add(person, "trip", values, what=what)
        return
    changed = dict(fields)
    if leave is not None:  # the trip keeps its length
        changed["back"] = trip.back + (leave - trip.leave)
    editing.change(person, trip, changed, version=version, what=what)


def _evening(person: Person, vehicle: Vehicle, fields: Mapping[str, Any], version: int, now: datetime) -> None:
    night = the_night(core_household(vehicle.household, now))
    set_evening(person, vehicle, night, fields, what=f"{vehicle.name}: tonight", version=version)
