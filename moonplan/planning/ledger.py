"""The ledger of a household: what the sessions of some nights came to and cost, with the prices and the sun of then."""

from __future__ import annotations

from calendar import monthrange
from collections.abc import Mapping, Sequence
from datetime import date, datetime, timedelta
from functools import cached_property
from typing import Any

from moonplan.core import household as documents
from moonplan.core import ledger
from moonplan.core.ledger import Charged, Cost, LoggedSession
from moonplan.core.mistakes import Mistake
from moonplan.core.rates import Rate, hookup_rate
from moonplan.core.sun import base_load_kw, solar_kw
from moonplan.core.tariff import Prices, household_prices
from moonplan.core.timegrid import Floats, Grid, night_of, noon
from moonplan.core.usual_days import hours_out
from moonplan.core.values import clock_of
from moonplan.household import editing
from moonplan.household.models import Household, Trip, Vehicle
from moonplan.logbook import models as rows
from moonplan.planning.aboard import as_read
from moonplan.planning.documents import Stands, as_core, household_document
from moonplan.planning.rates import HookupAt
from moonplan.planning.sun import past_steps
from moonplan.planning.tariffs import core_sheet, in_force, tariff_keys
from moonplan.planning.usual import driven_days, odometer_of, usual_weeks, zone_of

# A session may last so long, and another that it shares own sun with as long before it and after it.
_AROUND = timedelta(days=3)
# What a session is made of, as it was written down.
FIELDS = ("start", "end", "wall_kwh", "soc_from_pct", "soc_to_pct")
# A car that came home longer ago than this charged for another reason than having come.
_CAME_HOME = timedelta(hours=24)


class Ledger:
    """The sessions of a household that began in some nights, with what each came to and cost."""

    def __init__(self, household: Household, now: datetime, first: date, last: date) -> None:
        self.household, self.now = household, now
        self.zone = zone_of(household)
        self.since, self.until = noon(first, self.zone), noon(last + timedelta(days=1), self.zone)
        beside = rows.LoggedSession.objects.of(household).filter(
            end__gt=self.since - _AROUND, start__lt=self.until + _AROUND
        )
        self._around = list(beside.select_related("vehicle"))
        self.mine = [row for row in self._around if self.since <= row.start < self.until]

    @cached_property
    def _core(self) -> documents.Household:
        """The household in that time: its cars, leads and rates as they are, its prices and its sun as they were."""
        weeks = usual_weeks(self.household, self.now)
        stands = Stands(weeks, as_read(self.household, weeks, self.now))
        document = household_document(self.household, self.now, 1, stands=stands)
        start, end = self.since - _AROUND, self.until + _AROUND
        nothing: dict[str, Any] = {key: [] for key in ("trips", "overrides", "pins", "forbids")}
        was = {"now": start.isoformat(), "solar_kw": past_steps(self.household, start, end)}
        return as_core(document | nothing | was | tariff_keys(self.household, start, end))

    @cached_property
    def _grid(self) -> Grid:
        slot_s = self._core.slot_minutes * 60
        first, last = (int(at.timestamp()) // slot_s for at in (self.since - _AROUND, self.until + _AROUND))
        return Grid(first * slot_s, self._core.slot_minutes, last - first, self.zone)

    @cached_property
    def _then(self) -> tuple[Prices, Floats, Floats]:
        grid = self._grid
        return household_prices(self._core, grid), base_load_kw(self._core, grid), solar_kw(self._core, grid)

    @cached_property
    def charged(self) -> dict[int, Charged]:
        """What each session came to, by its key."""
        return {row.pk: self._charged(row) for row in self._around}

    @cached_property
    def costs(self) -> dict[int, Cost]:
        """What each session cost, by its key."""
        return dict(zip(self.charged, self._costs(list(self.charged.values())), strict=True))

    @cached_property
    def at_once(self) -> list[Cost]:
        """What the sessions of these nights had cost if every car had charged at once on arrival."""
        return self._costs([self._at_once(row) for row in self.mine])

    def _costs(self, charged: Sequence[Charged]) -> list[Cost]:
        prices, base_kw, sun_kw = self._then
        return ledger.costs(charged, grid=self._grid, prices=prices, base_kw=base_kw, sun_kw=sun_kw)

    def _charged(self, row: rows.LoggedSession) -> Charged:
        session = LoggedSession(**{key: getattr(row, key) for key in FIELDS})
        return Charged.of(session, usable_kwh=row.vehicle.usable_kwh, rate=self._rate(row))

    def _rate(self, row: rows.LoggedSession) -> Rate:
        lead = str(row.lead_id or row.vehicle.lead_id)
        pair = (str(row.vehicle_id), lead)
        measured = next((one for one in self._core.rates if (one.vehicle, one.lead) == pair), None)
        nominal_v = self._core.circuit(self._core.lead(lead).circuit).voltage_v
        return hookup_rate(measured, nominal_v=nominal_v).mean

    def _at_once(self, row: rows.LoggedSession) -> Charged:
        at = HookupAt(self._core, str(row.vehicle_id), str(row.lead_id or row.vehicle.lead_id))
        mine = self.charged[row.pk]
        arrived = self._arrived(row).astimezone(self.zone)
        return mine.at_once(arrived, max(at.wall_kw(at.limit_a), mine.wall_kw) or 1.0)

    def _arrived(self, row: rows.LoggedSession) -> datetime:
        """When its car had come home: from its last trip, else as it usually does; no later than it charged."""
        since = row.start - _CAME_HOME
        trips = Trip.objects.of(self.household).filter(vehicle=row.vehicle, back__gt=since, back__lte=row.start)
        last = trips.order_by("-back").first()
        if last is not None:
            return last.back
        day = night_of(row.start, self.zone)
        vehicle = row.vehicle
        _, back = hours_out(day, clock_of(vehicle.usual_leave), clock_of(vehicle.usual_back), self.zone)
        return back if since < back < row.start else row.start

    @property
    def span(self) -> tuple[date, date] | None:
        """The first and the last night in which something is written down; None where nothing is."""
        nights = [night_of(row.start, self.zone) for row in self.mine]
        return (min(nights), max(nights)) if nights else None

    def driven_km(self, first: date, last: date) -> float | None:
        """What the cars drove on some days, by odometers and trips; None where nothing is known of them. [km]"""
        km = []
        for vehicle in Vehicle.objects.of(self.household):
            over = Trip.objects.of(self.household).filter(vehicle=vehicle, back__lte=self.now)
            known = driven_days(odometer_of(vehicle), over, self.zone)
            km += [each for day, each in known.items() if first <= day <= last]
        return sum(km) if km else None


def statement(household: Household, now: datetime, year: int, month: int) -> dict[str, Any]:
    """What a month's nights came to, as far as they are written down."""
    first, last = days_of(year, month)
    kept = Ledger(household, now, first, last)
    days = [first + timedelta(days=n) for n in range((min(last, now.astimezone(kept.zone).date()) - first).days + 1)]
    tariffs = [core_sheet(tariff) for day in days if (tariff := in_force(household, day)) is not None]
    found = ledger.statement(
        [kept.charged[row.pk] for row in kept.mine],
        [kept.costs[row.pk] for row in kept.mine],
        at_once=kept.at_once,
        fixed=ledger.fixed_charges(tariffs, days_of_month=last.day),
    )
    span = kept.span
    km = None if span is None else kept.driven_km(*span)
    per_100km = None if km is None else found.per_100km(km)
    on_fuel = None if km is None else _on_fuel(household, km)
    return {
        "month": f"{year}-{month:02}",
        "sessions": found.n_sessions,
        **{key: round(getattr(found, key), 3) for key in ("wall_kwh", "battery_kwh", "solar_kwh")},
        **{key: round(getattr(found, key), 5) for key in ("cost", "cost_sun_free", "fixed", "at_once")},
        "bought": told_bought(found.bought),
        "first": None if span is None else span[0].isoformat(),
        "last": None if span is None else span[1].isoformat(),
        "km": None if km is None else round(km, 1),
        "per_100km": None if per_100km is None else round(per_100km, 5),
        "on_fuel": None if on_fuel is None else round(on_fuel, 5),
        "fuel_per_100km": household.fuel_per_100km,
        "fuel_price": household.fuel_price,
        "household_version": household.version,
    }


def _on_fuel(household: Household, km: float) -> float | None:
    """What a distance would have cost on fuel; None where the household has not said what that takes and costs."""
    if household.fuel_per_100km is None or household.fuel_price is None:
        return None
    return ledger.fuel_cost(km, per_100km=household.fuel_per_100km, price=float(household.fuel_price))


_FUEL_LIMITS = {"fuel_per_100km": 100, "fuel_price": 1000}


@editing.checked_by
def _fuel_can_be(household: Household, _row: editing.Row | None) -> list[Mistake]:
    return [
        Mistake(key, value, f"0 to {most}")
        for key, most in _FUEL_LIMITS.items()
        if (value := getattr(household, key)) is not None and not 0 <= value <= most
    ]


def days_of(year: int, month: int) -> tuple[date, date]:
    """The first and the last day of a month."""
    return date(year, month, 1), date(year, month, monthrange(year, month)[1])


def told_bought(bought: Mapping[str, ledger.Bought]) -> list[dict[str, Any]]:
    """What came from the grid, by the lines of the tariff."""
    return [{"band": band, "kwh": round(one.kwh, 3), "cost": round(one.cost, 5)} for band, one in bought.items()]
