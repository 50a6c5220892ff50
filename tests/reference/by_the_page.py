"""A plan document checked from its setpoints alone, by docs/rules.md and docs/files.md and nothing of the program.

Plain and slow: clocks are read minute by minute, batteries run slot by slot.
"""

from collections.abc import Iterator
from copy import copy
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

MINUTE = timedelta(minutes=1)
DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
LEGS = ("L1", "L2", "L3")
ON_A_SOCKET_A = {10: 8, 13: 10, 15: 12, 16: 10, 20: 16}


def objections(household: dict[str, Any], plan: dict[str, Any]) -> list[str]:
    """Everything in which a plan is not what the page makes of its setpoints, or breaks a rule; empty for none."""
    house = House(household, datetime.fromisoformat(plan["end"]))
    cars = [Car(house, vehicle, told) for vehicle, told in zip(household["vehicles"], plan["vehicles"], strict=True)]
    _share_evenly(house, cars)
    return [
        *(f"{car.vehicle['id']}: {said}" for car in cars for said in (*_alone(car), *_figures(house, car, cars))),
        *_together(house, cars),
        *_totals(house, cars, plan),
    ]


class House:
    """The slots, and what the house is in each: prices, load, sun."""

    def __init__(self, household: dict[str, Any], end: datetime) -> None:
        self.given, self.zone = household, ZoneInfo(household["timezone"])
        self.now = datetime.fromisoformat(household["now"])
        self.length = timedelta(minutes=household.get("slot_minutes", 15))
        self.hours = self.length / timedelta(hours=1)
        epoch = datetime(1970, 1, 1, tzinfo=UTC)
        start = epoch - ((epoch - self.now) // self.length) * self.length
        noon = datetime.combine(self.now.astimezone(self.zone).date(), time(12), self.zone) + timedelta(
            days=household.get("horizon_nights", 1)
        )
        self.n = (noon.astimezone(UTC) - start) // self.length
        self.edges = [start + t * self.length for t in range(self.n + 1)]
        assert abs(end - self.edges[-1]) < MINUTE, (end, self.edges[-1])
        self.tariff, self.supply = household["tariff"], household["supply"]
        self.export = self.tariff.get("export_price", 0.0)
        told = [[self._line(at) for at in self.minutes(t)] for t in range(self.n)]
        self.price = [mean([price for price, _ in minutes]) for minutes in told]
        self.band = [minutes[0][1] for minutes in told]
        base, sun = household.get("base_load_kw", []), household.get("solar_kw", [])
        self.base = [mean([_by_clock(base, self.local(at)) for at in self.minutes(t)]) for t in range(self.n)]
        self.sun = [mean([_held(sun, at) or 0.0 for at in self.minutes(t)]) for t in range(self.n)]
        default = abs(self.tariff["default_price"])
        self.care_price = _or(household.get("care_price"), 0.0025 * default)
        self.start_price = _or(household.get("start_price"), 0.1 * default)

    def minutes(self, t: int) -> list[datetime]:
        return [self.edges[t] + m * MINUTE for m in range(self.length // MINUTE)]

    def local(self, at: datetime) -> datetime:
        return at.astimezone(self.zone)

    def night(self, at: datetime) -> date:
        """Noon to noon, by the day it begins."""
        local = self.local(at)
        return local.date() - timedelta(days=local.hour < 12)

    def awake(self, at: datetime) -> bool:
        clock = self.local(at).time()
        wake, bedtime = (_clock(self.given.get(key, usual)) for key, usual in (("wake", "06:30"), ("bedtime", "22:30")))
        return wake <= clock <= bedtime if wake <= bedtime else clock >= wake or clock <= bedtime

    def _line(self, at: datetime) -> tuple[float, str]:
        price = _held(self.tariff.get("series", []), at)
        if price is not None:
            return price, "series"
        local = self.local(at)
        for band in self.tariff.get("bands", []):
            begin, end, day = _clock(band["from"]), _clock(band["to"]), local.date()
            over_midnight = end <= begin
            if not (begin <= local.time() or local.time() < end if over_midnight else begin <= local.time() < end):
                continue
            if self.tariff.get("day_of", "clock") == "start" and over_midnight and local.time() < end:
                day -= timedelta(days=1)
            named = "sun" if day.isoformat() in self.tariff.get("holidays", []) else DAYS[day.weekday()]
            if named in (band.get("days") or DAYS) and day.month in (band.get("months") or range(1, 13)):
                return band["price"], band["name"]
        return self.tariff["default_price"], "default"


@dataclass
class Ran:
    """A battery under the setpoints. soc : at every edge [kWh]; before : just before each trip [kWh]."""

    soc: list[float]
    before: list[float]
    gained: list[float]
    wall: list[float]
    part: list[float]
    above: float


class Car:
    """A vehicle on its lead, with the setpoints that a plan gives it."""

    def __init__(self, house: House, vehicle: dict[str, Any], told: dict[str, Any]) -> None:
        given = house.given
        self.house, self.vehicle, self.told = house, vehicle, told
        self.lead = next(lead for lead in given["leads"] if lead["id"] == vehicle["lead"])
        self.circuit = next(circuit for circuit in given["circuits"] if circuit["id"] == self.lead["circuit"])
        self.control = min(
            vehicle.get("control", "hand"), self.lead.get("control", "managed"), key=["managed", "timer", "hand"].index
        )
        self.habit = vehicle.get("habit") or given.get("habit", "cheapest")
        self.usable = vehicle["usable_kwh"]
        at = {edge: t for t, edge in enumerate(house.edges)}
        self.amps = [0.0] * house.n
        for start, amps in told["setpoints"]:
            self.amps[at[datetime.fromisoformat(start).astimezone(UTC)]] = amps
        self.trips = sorted(
            (trip for trip in given.get("trips", []) if trip["vehicle"] == vehicle["id"]),
            key=lambda trip: _at(trip["leave"]),
        )
        end = house.local(house.edges[-1]).replace(hour=12, minute=0)
        self.leaving = [trip for trip in self.trips if house.now <= _at(trip["leave"]) < end]
        self.away_at_end = any(_at(trip["leave"]) < end < _at(trip["back"]) for trip in self.trips)
        self.overrides = {o["night"]: o for o in given.get("overrides", []) if o["vehicle"] == vehicle["id"]}
        self.mean_rate, self.cautious_rate, self.volts = self._rates()
        self.phases = min(
            self.circuit.get("phases", 1),
            self.lead.get("phases", 1),
            self.lead.get("cable_phases", 3),
            vehicle.get("onboard_phases", 1),
        )
        self.limit_a = [self._limit_a(t) for t in range(house.n)]
        self.limit_kwh = self._limits()
        self.mean, self.cautious = self.run(self.mean_rate), self.run(self.cautious_rate)

    @property
    def runs(self) -> list[tuple[int, int]]:
        """First slot and the one after the last of every gap-free run."""
        begins = [t for t in range(self.house.n) if self.amps[t] and not (t and self.amps[t - 1])]
        return [(t, next((u for u in range(t, self.house.n) if not self.amps[u]), self.house.n)) for t in begins]

    @property
    def sessions(self) -> list[tuple[int, int]]:
        return [run for run in self.runs if sum(self.mean.wall[run[0] : run[1]]) > 1e-9]

    def _rates(self) -> tuple[tuple[float, float], tuple[float, float], float]:
        nominal, pair = self.circuit["voltage_v"], (self.vehicle["id"], self.lead["id"])
        for rate in self.house.given.get("rates", []):
            if (rate["vehicle"], rate["lead"]) == pair:
                mean_rate = rate["efficiency"], rate["overhead_kw"]
                cautious = rate.get("cautious") or {
                    "efficiency": mean_rate[0] - 0.02,
                    "overhead_kw": mean_rate[1] + 0.06,
                }
                return mean_rate, (cautious["efficiency"], cautious["overhead_kw"]), rate.get("voltage_v") or nominal
        return (0.94, 0.25), (0.90, 0.40), nominal

    def _links(self, ceiling: float | None) -> list[float]:
        """Section 1."""
        circuit, lead, leg_v = self.circuit, self.lead, self.house.supply["leg_voltage_v"]
        factor = circuit["continuous_factor"]
        links = [circuit_link(circuit), lead["max_a"], lead.get("cable_a", 1e9)]
        if "outlet_a" in circuit:
            links.append(circuit["outlet_a"] * factor)
            if circuit.get("kind") == "socket":
                links.append(circuit.get("socket_a") or ON_A_SOCKET_A[circuit["outlet_a"]])
        links.append(self.onboard_a)
        return [*links, 1e9 if ceiling is None else ceiling, 1e9 * leg_v]

    @property
    def onboard_a(self) -> float:
        leg_v = self.house.supply["leg_voltage_v"]
        rated_v = 240 if 100 <= leg_v <= 127 else leg_v
        asked = self.vehicle["onboard_kw"] * 1000 / (rated_v * self.vehicle.get("onboard_phases", 1))
        return self.vehicle.get("onboard_a") or float(int(asked + 0.5))

    def offered(self, amps: float) -> float:
        """What the lead offers of a current."""
        least, steps = self.lead.get("min_a", 6), self.lead.get("steps_a", [])
        most = max((s for s in steps if s <= amps + 1e-9), default=0.0) if steps else int(amps * 100 + 1e-6) / 100
        return most if most >= least - 1e-9 else 0.0

    def _limit_a(self, t: int) -> float:
        house, override = self.house, self.overrides.get(self.house.night(self.house.edges[t]).isoformat(), {})
        if not override.get("plugged_in", True):
            return 0.0
        begin, end = house.edges[t], house.edges[t + 1]
        away = [(trip["leave"], trip["back"]) for trip in self.trips]
        barred = [
            (one["start"], one["end"]) for one in house.given.get("forbids", []) if one["vehicle"] == self.vehicle["id"]
        ]
        if any(_at(since) < end and begin < _at(until) for since, until in away + barred):
            return 0.0
        if hours := self.vehicle.get("plug_in_hours"):
            since, until = _clock(hours[0]), _clock(hours[1])
            for at in house.minutes(t):
                clock = house.local(at).time()
                inside = since <= clock < until if since < until else clock >= since or clock < until
                if not inside and since != until:
                    return 0.0
        return self.offered(min(self._links(override.get("ceiling_a", self.vehicle.get("ceiling_a")))))

    def energy(self, trip: dict[str, Any]) -> float:
        """Section 3. [kWh]"""
        cold = trip.get("temperature_c")
        weather = 1.0 if cold is None else min(1.35, 1 + 0.01 * max(0.0, 15 - cold))
        return max(0.0, trip["km"] * self.vehicle["use_kwh_per_100km"] / 100 * weather - trip.get("gain_kwh", 0.0))

    def required(self, trip: dict[str, Any]) -> float:
        """Section 3. [kWh]"""
        asked = self.energy(trip) / self.usable + self.vehicle.get("reserve_pct", 10) / 100
        return min(1.0, max(asked, trip.get("fill_to_pct", 100) / 100 if trip.get("fill") else 0.0)) * self.usable

    def _shows(self, trip: dict[str, Any]) -> int:
        """The first edge at or after a trip leaves."""
        return next((t for t, edge in enumerate(self.house.edges) if edge >= _at(trip["leave"])), self.house.n)

    def ready_by(self, nth: int) -> int | None:
        """The edge by which somebody wants the car ready before its nth departure, or before the end."""
        leaves = [self.house.now, *(_at(trip["leave"]) for trip in self.leaving), self.house.edges[-1]]
        asked = []
        for night, override in self.overrides.items():
            if clock := override.get("ready_by"):
                day = date.fromisoformat(night) + timedelta(days=_clock(clock) < time(12))
                asked.append(datetime.combine(day, _clock(clock), self.house.zone))
        between = [at for at in asked if leaves[nth] < at < leaves[nth + 1]]
        return max(0, (min(between) - self.house.edges[0]) // self.house.length) if between else None

    def would_be_ready(self, nth: int) -> datetime | None:
        """When it would have what its nth departure needs, alone at full current from its last return on, if it stayed."""
        house, leave, required = self.house, _at(self.leaving[nth]["leave"]), self.required(self.leaving[nth])
        stays = copy(self)
        stays.trips = [trip for trip in self.trips if _at(trip["leave"]) < leave]
        since = self._shows(self.leaving[nth - 1]) if nth else 0
        level = self.cautious.soc[since]
        for t in range(since, house.n):
            gained = self.power(stays._limit_a(t), level / self.usable, self.cautious_rate)[0] * house.hours
            if gained and level + gained >= required - 1e-6:
                return house.edges[t] + house.length * min(1.0, (required - level) / gained)
            level += gained
        return None

    def _limits(self) -> list[float]:
        """Section 3: the limit in force in each slot. [kWh]"""
        daily = self.vehicle.get("daily_limit_pct", 80) / 100 * self.usable
        limits, back_with = [daily] * self.house.n, 0.0
        for nth in reversed(range(len(self.leaving))):
            trip, since = self.leaving[nth], self._shows(self.leaving[nth - 1]) if nth else 0
            leave_with = min(self.usable, max(self.required(trip), back_with + self.energy(trip)))
            for t in range(since, self._shows(trip)):
                limits[t] = max(daily, leave_with)
            gains = (self.power(self.limit_a[t], 0.0, self.cautious_rate)[0] for t in range(since, self._shows(trip)))
            back_with = max(0.0, leave_with - sum(gains) * self.house.hours)
        for t in range(self.house.n):
            asked = self.overrides.get(self.house.night(self.house.edges[t]).isoformat(), {}).get("limit_pct")
            limits[t] = limits[t] if asked is None else asked / 100 * self.usable
        return limits

    def power(self, amps: float, soc: float, rate: tuple[float, float]) -> tuple[float, float]:
        """Section 2: battery and wall power at a current and a SoC (a fraction). [kW]"""
        efficiency, overhead = rate
        most = self.onboard_a * self.circuit["voltage_v"] * self.vehicle.get("onboard_phases", 1) / 1000
        wall = min(self.volts * amps * self.phases / 1000, most)
        battery = max(0.0, efficiency * wall - overhead)
        if not amps:
            return 0.0, 0.0
        taper_from = self.vehicle.get("taper_from_pct", 95) / 100
        if soc > taper_from + 1e-12:
            full = max(0.0, efficiency * self.vehicle["onboard_kw"] - overhead)
            accepts = full * (1 - 0.75 * (soc - taper_from) / (1 - taper_from))
            if accepts < battery:
                return accepts, (accepts + overhead) / efficiency
        return battery, wall

    def run(self, rate: tuple[float, float]) -> Ran:
        """Section 6: a car stops by itself at its limit; a trip's energy is taken at *leave*."""
        house, level = self.house, self.vehicle["soc_pct"] / 100 * self.usable
        rest, ran = self.vehicle.get("rest_pct", 80) / 100 * self.usable, Ran([], [], [], [], [], 0.0)
        waiting = list(self.leaving)
        for t in range(house.n + 1):
            while waiting and (t == house.n or _at(waiting[0]["leave"]) <= house.edges[t]):
                trip = waiting.pop(0)
                left = max(0.0, level - self.energy(trip))
                early_h = (house.edges[t] - _at(trip["leave"])) / timedelta(hours=1)
                ran.above -= early_h * (max(0.0, level - rest) - max(0.0, left - rest))
                ran.before.append(level)
                level = left
            ran.soc.append(level)
            if t == house.n:
                break
            battery, wall = self.power(self.amps[t], level / self.usable, rate)
            room = self.limit_kwh[t] - level
            part = 0.0 if room <= 0 or not wall else min(1.0, room / (battery * house.hours)) if battery else 1.0
            gained = part * battery * house.hours
            steps = [level + gained * min(1.0, (k + 0.5) / 400 / part if part else 0.0) for k in range(400)]
            ran.above += mean([max(0.0, soc - rest) for soc in steps]) * house.hours
            ran.gained.append(gained)
            ran.wall.append(part * wall * house.hours)
            ran.part.append(part)
            level += gained
        return ran


def circuit_link(circuit: dict[str, Any]) -> float:
    weakest = min(circuit["breaker_a"], circuit.get("wire_a", 1e9))
    return float(weakest * circuit["continuous_factor"] - circuit.get("other_load_a", 0))


def _share_evenly(house: House, cars: list[Car]) -> None:
    """Section 6: each lead has at most the circuit's link by the number of its cars that could charge."""
    for circuit in house.given["circuits"]:
        on_it = [car for car in cars if car.circuit is circuit]
        if circuit.get("sharing") == "even" and len({car.lead["id"] for car in on_it}) > 1:
            for t in range(house.n):
                could = [car for car in on_it if car.limit_a[t]]
                for car in could:
                    car.limit_a[t] = car.offered(min(car.limit_a[t], circuit_link(circuit) / len(could)))


def _alone(car: Car) -> Iterator[str]:
    """Section 6: what one car may be offered, and when its sessions may begin and end."""
    house, pins = car.house, [pin for pin in car.house.given.get("pins", []) if pin["vehicle"] == car.vehicle["id"]]
    for t, amps in enumerate(car.amps):
        if amps and (amps > car.limit_a[t] + 1e-6 or abs(car.offered(amps) - amps) > 1e-6):
            yield f"{amps} A at {house.edges[t]}, where {car.limit_a[t]} may be offered"
        for pin in pins:
            if _at(pin["start"]) <= house.edges[t] < _at(pin["end"]) and amps != pin["amps"]:
                yield f"{amps} A at {house.edges[t]} instead of the pinned {pin['amps']}"
    if car.control == "managed" or car.habit == "plug_and_go":
        return
    nights = [house.night(house.edges[first]) for first, _ in car.runs]
    if len(set(nights)) < len(nights):
        yield f"two sessions in a night of {nights}"
    for first, past in car.runs:
        begin, end = house.edges[first], house.edges[past]
        if max(car.amps[first:past]) > min(car.amps[first:past]):
            yield f"another current within the session of {begin}"
        if car.control == "timer" or any(_at(pin["start"]) <= begin < _at(pin["end"]) for pin in pins):
            continue
        arrives = any(timedelta(0) <= begin - _at(trip["back"]) < house.length for trip in car.trips)
        if not (house.awake(begin) or arrives or (first == 0 and car.vehicle.get("charging"))):
            yield f"nobody is up to begin at {begin}"
        full = car.cautious.soc[past] >= car.limit_kwh[past - 1] - 1e-6
        leaves = past == house.n or not car.limit_a[past]
        if not (house.awake(end) or full or leaves):
            yield f"nobody is up to end at {end}"


def _together(house: House, cars: list[Car]) -> Iterator[str]:
    """Section 6: what the cars share."""
    supply = house.supply
    for t, at in enumerate(house.edges[:-1]):
        on = [car for car in cars if car.amps[t]]
        for leg in LEGS[: supply["legs"]]:
            amps = sum(car.amps[t] for car in on if leg in _legs(car, supply)) / supply["continuous_factor"]
            base = house.base[t] * 1000 / supply["leg_voltage_v"] / supply["legs"] + supply.get("base_margin_a", 0)
            if amps and amps + base > supply["rating_a"] + 1e-5:
                yield f"{amps + base} A on {leg} at {at}"
        for feeder in house.given.get("feeders", []):
            for leg in feeder.get("legs", LEGS):
                amps = sum(
                    car.amps[t] for car in on if car.circuit.get("feeder") == feeder["id"] and leg in _legs(car, supply)
                )
                if amps and amps / feeder["continuous_factor"] + feeder.get("other_load_a", 0) > feeder["rating_a"] + 1e-5:
                    yield f"{amps} A on {leg} of {feeder['id']} at {at}"
        contracted, kw = house.tariff.get("contracted_kw"), sum(car.amps[t] * car.volts * car.phases / 1000 for car in on)
        if contracted is not None and kw > max(0, contracted - house.base[t]) + 1e-5:
            yield f"{kw} kW of the contracted at {at}"
        for circuit in house.given["circuits"]:
            yield from _on_circuit(circuit, [car for car in cars if car.circuit is circuit], t, at)
    for lead in house.given["leads"]:
        users = [car for car in cars if car.lead is lead]
        last: tuple[int, Car] | None = None
        for t in range(house.n):
            on = [car for car in users if car.amps[t]]
            if len(on) > 1:
                yield f"two cars on {lead['id']} at {house.edges[t]}"
            if (
                on
                and last
                and last[1] is not on[0]
                and not any(house.awake(house.edges[u]) for u in range(last[0] + 1, t + 1))
            ):
                yield f"{lead['id']} is changed over at night before {house.edges[t]}"
            last = (t, on[0]) if on else last


def _on_circuit(circuit: dict[str, Any], on_it: list[Car], t: int, at: datetime) -> Iterator[str]:
    if len({car.lead["id"] for car in on_it}) < 2:
        return
    usual = "free" if all(car.control == "managed" for car in on_it) else "none"
    sharing, link, on = circuit.get("sharing", usual), circuit_link(circuit), [car for car in on_it if car.amps[t]]
    if sharing == "none" and len(on) > 1 and sum(car.limit_a[t] for car in on) > link + 1e-6:
        yield f"two that do not fit together on {circuit['id']} at {at}"
    if sum(car.amps[t] for car in on) > link + 1e-6 and sharing != "none":
        yield f"more than {link} A on {circuit['id']} at {at}"


def _legs(car: Car, supply: dict[str, Any]) -> tuple[str, ...]:
    phases = car.circuit.get("phases", 1)
    across_two = phases == 1 and car.circuit["voltage_v"] == 2 * supply["leg_voltage_v"]
    legs = tuple(car.circuit.get("legs") or LEGS[: 2 if across_two else phases])
    return legs if phases == 1 else legs[: car.phases]


def _figures(house: House, car: Car, cars: list[Car]) -> Iterator[str]:
    """What the plan tells of a car, against its setpoints."""
    told = car.told
    for (at, pct), edge, kwh in zip(told["soc_pct"], house.edges, car.mean.soc, strict=True):
        yield from _differs(f"SoC at {at}", pct, 100 * kwh / car.usable)
        if _at(at) != edge:
            yield f"SoC told of {at} instead of {edge}"
    if len(told["departures"]) != len(car.leaving):
        yield f"{len(told['departures'])} departures instead of {len(car.leaving)}"
    for nth, (departure, trip) in enumerate(zip(told["departures"], car.leaving, strict=False)):
        required, at, aboard, ready = car.required(trip), trip["leave"], car.cautious.before[nth], car.ready_by(nth)
        short = max(0.0, required - aboard)
        yield from _differs(f"required at {at}", departure["required_pct"], 100 * required / car.usable)
        yield from _differs(f"planned at {at}", departure["planned_pct"], 100 * aboard / car.usable)
        yield from _differs(f"short at {at}", departure["short_kwh"], short)
        yield from _ready_earlier(house, car, departure, ready, required)
        yield from _differs(f"short km at {at}", departure["short_km"], 100 * short / car.vehicle["use_kwh_per_100km"])
        yield from _would_be_ready(departure, car.would_be_ready(nth) if departure["short_kwh"] else None)
    if (told["end"] is None) != car.away_at_end:
        yield f"at the end {told['end']}"
    if told["end"] is not None:
        wanted = car.vehicle.get("end_pct", car.vehicle.get("reserve_pct", 10))
        yield from _differs("required at the end", told["end"]["required_pct"], wanted)
        aboard, ready = car.cautious.soc[-1], car.ready_by(len(car.leaving))
        yield from _differs("planned at the end", told["end"]["planned_pct"], 100 * aboard / car.usable)
        yield from _differs("short at the end", told["end"]["short_kwh"], max(0.0, wanted / 100 * car.usable - aboard))
        yield from _ready_earlier(house, car, told["end"], ready, wanted / 100 * car.usable)
    if len(told["sessions"]) != len(car.sessions):
        yield f"{len(told['sessions'])} sessions instead of {len(car.sessions)}"
        return
    for session, (first, past) in zip(told["sessions"], car.sessions, strict=True):
        yield from _session(house, car, cars, session, range(first, past))


def _would_be_ready(departure: dict[str, Any], right: datetime | None) -> Iterator[str]:
    told = _at(departure["ready_at"]) if departure["ready_at"] else None
    if told is None or right is None:
        alike = told is right
    else:
        alike = abs(told - right) <= MINUTE
    if not alike:
        yield f"ready at {told} instead of {right} for {departure['leave']}"


def _ready_earlier(house: House, car: Car, told: dict[str, Any], ready: int | None, required: float) -> Iterator[str]:
    earlier = told["earlier"]
    if (earlier is None) != (ready is None):
        yield f"ready earlier {earlier}"
    elif ready is not None:
        aboard = car.cautious.soc[ready]
        if _at(earlier["by"]) != house.edges[ready]:
            yield f"ready by {earlier['by']} instead of {house.edges[ready]}"
        yield from _differs(f"ready by {earlier['by']}", earlier["planned_pct"], 100 * aboard / car.usable)
        yield from _differs(f"missing by {earlier['by']}", earlier["short_kwh"], max(0.0, required - aboard))


def _session(house: House, car: Car, cars: list[Car], told: dict[str, Any], slots: range) -> Iterator[str]:
    wall, battery = (sum(of[t] for t in slots) for of in (car.mean.wall, car.mean.gained))
    last = max(t for t in slots if car.mean.wall[t])
    done = house.edges[last] + car.mean.part[last] * house.length
    if _at(told["start"]) != house.edges[slots[0]] or abs(_at(told["end"]) - done) > timedelta(seconds=1):
        yield f"a session from {told['start']} to {told['end']} instead of {house.edges[slots[0]]} to {done}"
    bands: dict[str, float] = {}
    for t in slots:
        grid = car.mean.wall[t] - solar_kwh(house, cars, car, t)
        if grid > 1e-9:
            bands[house.band[t]] = bands.get(house.band[t], 0.0) + grid
    right = {
        "wall_kwh": wall,
        "battery_kwh": battery,
        "amps": sum(car.amps[t] * car.mean.wall[t] for t in slots) / wall,
        "solar_kwh": sum(solar_kwh(house, cars, car, t) for t in slots),
        "cost": sum(cost(house, cars, car, t) for t in slots),
        "range_km": 100 * battery / car.vehicle["use_kwh_per_100km"],
        "soc_from_pct": 100 * car.mean.soc[slots[0]] / car.usable,
        "soc_to_pct": 100 * (car.mean.soc[slots[0]] + battery) / car.usable,
    }
    for key, figure in right.items():
        yield from _differs(f"{key} from {told['start']}", told[key], figure, within=6e-3 if key == "amps" else 2e-3)
    for band in {*bands, *told["bands"]}:
        yield from _differs(f"{band} from {told['start']}", told["bands"].get(band, 0.0), bands.get(band, 0.0))


def cost(house: House, cars: list[Car], car: Car, t: int) -> float:
    """Section 5: a car's part of the bill with the cars less the bill without them."""
    ev = sum(one.mean.wall[t] for one in cars) / house.hours
    if not ev:
        return 0.0

    def bill(kw: float) -> float:
        return (house.price[t] * max(0.0, kw) - house.export * max(0.0, -kw)) * house.hours

    net = house.base[t] - house.sun[t]
    return (bill(net + ev) - bill(net)) * car.mean.wall[t] / house.hours / ev


def solar_kwh(house: House, cars: list[Car], car: Car, t: int) -> float:
    """Section 5: a car's part of what no longer leaves the house."""
    ev, net = sum(one.mean.wall[t] for one in cars) / house.hours, house.base[t] - house.sun[t]
    stays = max(0.0, -net) - max(0.0, -(net + ev))
    return stays * car.mean.wall[t] / ev if ev else 0.0


def _totals(house: House, cars: list[Car], plan: dict[str, Any]) -> Iterator[str]:
    totals, slots = plan["totals"], range(house.n)
    money = sum(cost(house, cars, car, t) for car in cars for t in slots)
    above = sum(car.mean.above for car in cars)
    running = sum(bool(car.vehicle.get("charging") and car.sessions and car.sessions[0][0] == 0) for car in cars)
    n_sessions = sum(len(car.sessions) for car in cars)
    short = sum(one["short_kwh"] for car in cars for one in (*car.told["departures"], car.told["end"] or {"short_kwh": 0}))
    right = {
        "wall_kwh": sum(sum(car.mean.wall) for car in cars),
        "battery_kwh": sum(sum(car.mean.gained) for car in cars),
        "solar_kwh": sum(solar_kwh(house, cars, car, t) for car in cars for t in slots),
        "cost": money,
        "sessions": n_sessions,
        "kwh_hours_above_rest": above,
        "short_kwh": short,
    }
    for key, figure in right.items():
        yield from _differs(f"total {key}", totals[key], figure, within=2e-3 + 1e-3 * abs(figure))
    care = house.care_price * sum(car.mean.above * (10 if car.habit == "low_soc" else 1) for car in cars)
    value = money + care + house.start_price * (n_sessions - running)
    yield from _differs("objective", plan["objective"]["value"], value, within=1e-3 + 1e-3 * abs(care))
    if plan["objective"]["bound"] is not None and plan["objective"]["bound"] > plan["objective"]["value"] + 1e-6:
        yield "a bound above the value"


def _differs(what: str, told: float, right: float, *, within: float = 2e-3) -> Iterator[str]:
    if abs(told - right) > within:
        yield f"{what}: {told} instead of {right}"


def mean(values: list[float]) -> float:
    return sum(values) / len(values)


def _at(text: str) -> datetime:
    return datetime.fromisoformat(text)


def _clock(text: str) -> time:
    return time.fromisoformat(text)


def _or(value: float | None, usual: float) -> float:
    return usual if value is None else value


def _held(series: list[list[Any]], at: datetime) -> float | None:
    """The value of a step series at an instant."""
    found = None
    for since, value in series:
        if _at(since) > at:
            break
        found = value
    return found


def _by_clock(profile: list[list[Any]], local: datetime) -> float:
    if not profile:
        return 0.0
    before = [kw for since, kw in profile if _clock(since) <= local.time()]
    return float(before[-1] if before else profile[-1][1])
