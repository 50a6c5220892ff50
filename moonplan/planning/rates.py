"""Hook-ups and their readings: what is shown of them, what a reading says before it is kept, and the rates to plan with."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterable, Mapping
from dataclasses import asdict, replace
from datetime import datetime
from functools import partial
from typing import Any

import numpy as np
from django.db import transaction
from django.utils.dateparse import parse_datetime

from moonplan.core import hookup as chain
from moonplan.core import household as core
from moonplan.core import readings as documents
from moonplan.core.cautions import cautions
from moonplan.core.currents import currents
from moonplan.core.explanation import Fitted, explain, fitted, learn
from moonplan.core.fit import fit, hookup_rate_of
from moonplan.core.mistakes import BadDocument, Mistake
from moonplan.core.rates import HookupRate, Intake, Rate, hookup_rate, range_km
from moonplan.core.readings import Hookup, Reading, Readings, ReadVehicle
from moonplan.core.tables import RefusedRow, rows_of
from moonplan.core.what_if import Change, changed, outlook
from moonplan.household import editing
from moonplan.household.models import Household, Lead, Option, Person, Vehicle
from moonplan.logbook.models import RateReading

_BAND_POINTS = 9


class HookupAt:
    """One vehicle on one lead, as core sees it."""

    def __init__(self, household: core.Household, vehicle_id: str, lead_id: str) -> None:
        self.supply = household.supply
        self.vehicle = next(v for v in household.vehicles if v.id == vehicle_id)
        self.lead = household.lead(lead_id)
        self.circuit = household.circuit(self.lead.circuit)
        self.links = chain.chain(self.circuit, self.lead, self.vehicle, household.supply)
        self.phases = chain.phases_of(self.circuit, self.lead, self.vehicle)
        allowed = min(self.links.values())
        self.limit_a = chain.stepped(allowed, steps_a=self.lead.steps_a, min_a=self.lead.min_a)

    def document(self, readings: tuple[Reading, ...]) -> Readings:
        """The hook-up's readings document."""
        v = self.vehicle
        return Readings(
            format=documents.FORMAT,
            hookup=Hookup(
                voltage_v=self.circuit.voltage_v, limit_a=self.limit_a, phases=self.phases, links=dict(self.links)
            ),
            vehicle=ReadVehicle(
                usable_kwh=v.usable_kwh,
                onboard_kw=v.onboard_kw,
                use_kwh_per_100km=v.use_kwh_per_100km,
                rated_kwh_per_100km=v.rated_kwh_per_100km,
                taper_from_pct=v.taper_from_pct,
            ),
            readings=readings,
        )

    def wall_kw(self, amps: float) -> float:
        return self.circuit.voltage_v * amps * self.phases / 1000

    def rate(self, read: Fitted) -> HookupRate:
        """Both rates as the readings have them, or as they are assumed."""
        if not read.fit.n_fitted or not self.limit_a:
            return hookup_rate(None, nominal_v=self.circuit.voltage_v)
        return hookup_rate_of(
            read.fit,
            least_wall_kw=self.wall_kw(min(self.lead.min_a, self.limit_a)),
            most_wall_kw=self.wall_kw(self.limit_a),
            volts=read.volts,
        )


def core_reading(row: RateReading) -> Reading:
    """A stored reading as core takes it."""
    return documents.reading_of(row.values | {"kind": row.kind, "excluded": row.excluded, "note": row.note})


def measured_rates(household: core.Household, rows: list[RateReading]) -> list[dict[str, Any]]:
    """Rates for the household document of every hook-up that has a fitted reading."""
    told = []
    for vehicle_id, lead_id in dict.fromkeys((str(row.vehicle_id), str(row.lead_id)) for row in rows):
        at = HookupAt(household, vehicle_id, lead_id)
        mine = tuple(core_reading(r) for r in rows if (str(r.vehicle_id), str(r.lead_id)) == (vehicle_id, lead_id))
        read = fitted(at.document(mine))
        if not read.fit.n_fitted or not at.limit_a:
            continue
        rate = at.rate(read)
        told.append(
            {
                "vehicle": vehicle_id,
                "lead": lead_id,
                "efficiency": round(rate.mean.efficiency, 6),
                "overhead_kw": round(rate.mean.overhead_kw, 6),
                "voltage_v": round(rate.volts, 2),
                "cautious": {
                    "efficiency": round(min(rate.cautious.efficiency, rate.mean.efficiency), 6),
                    "overhead_kw": round(rate.cautious.overhead_kw, 6),
                },
            }
        )
    return told


def hookups(household: Household, made: core.Household) -> list[dict[str, Any]]:
    """Every hook-up: each car on its usual lead, then on every other."""
    rows = list(RateReading.objects.of(household))
    usual = [(v.id, v.lead) for v in made.vehicles]
    read = [(str(row.vehicle_id), str(row.lead_id)) for row in rows]
    kept = list(Option.objects.of(household))
    others = [(v.id, lead.id) for v in made.vehicles for lead in made.leads if lead.id != v.lead]
    return [
        _told(
            made,
            pair,
            [row for row, at in zip(rows, read, strict=True) if at == pair],
            [option for option in kept if (str(option.vehicle_id), str(option.lead_id)) == pair],
        )
        for pair in usual + others
    ]


def _told(made: core.Household, pair: tuple[str, str], rows: list[RateReading], options: list[Option]) -> dict[str, Any]:
    at = HookupAt(made, *pair)
    learned = learn(at.document(tuple(core_reading(row) for row in rows)))
    rate = at.rate(learned)
    v = at.vehicle
    most = at.wall_kw(at.limit_a) if at.limit_a else 0.0
    least = at.wall_kw(min(at.lead.min_a, at.limit_a)) if at.limit_a else 0.0
    price = abs(made.tariff.default_price)
    to_charge = max(0.0, v.daily_limit_pct - v.soc_pct) / 100 * v.usable_kwh
    return {
        "vehicle": v.id,
        "vehicle_name": v.name or v.id,
        "lead": at.lead.id,
        "lead_name": at.lead.name or at.lead.id,
        "place": at.circuit.name or at.circuit.id,
        "voltage_v": at.circuit.voltage_v,
        "limit_a": at.limit_a,
        "phases": at.phases,
        "links": [{"link": link, "amps": amps} for link, amps in at.links.items()],
        "source": rate.source,
        "efficiency": round(rate.mean.efficiency, 4),
        "overhead_kw": round(rate.mean.overhead_kw, 3),
        "volts": round(rate.volts, 1),
        "advice": learned.advice,
        "soc_from_pct": v.soc_pct,
        "soc_to_pct": v.daily_limit_pct,
        "band": [
            {key: round(value, 4) for key, value in asdict(learned.fit.predict(float(kw))).items()}
            for kw in np.linspace(least, most, _BAND_POINTS)
        ]
        if at.limit_a
        else [],
        "readings": [
            {
                "id": row.pk,
                "version": row.version,
                "kind": row.kind,
                "at": row.at.isoformat(),
                "wall_kw": round(one.found.wall_kw, 3),
                "battery_kw": None if one.found.battery_kw is None else round(one.found.battery_kw, 3),
                "expected_kw": round(one.expected_kw, 3),
                "fitted": one.found.not_fitted is None and not row.excluded,
                "not_fitted": "set aside by hand" if row.excluded else _NOT_FITTED.get(one.found.not_fitted or ""),
                "cause": one.cause,
                "told": one.told,
                "excluded": row.excluded,
                "note": row.note,
            }
            for row, one in zip(rows, learned.readings, strict=True)
        ],
        "options": [
            {
                "id": option.pk,
                "version": option.version,
                "name": option.name,
                "outlook": _outlook(changed(made, *pair, Change(**option.links)), pair[0], rate.mean),
            }
            for option in options
        ],
        "currents": [
            asdict(row)
            | {"extra_cost": None if row.extra_kwh_per_100km is None else round(row.extra_kwh_per_100km * price, 4)}
            for row in currents(
                _offered(at),
                circuit=at.circuit,
                intake=_intake(at, made, rate),
                rate=rate.mean,
                use_kwh_per_100km=v.use_kwh_per_100km,
                to_charge_kwh=to_charge,
            )
        ],
    }


_NOT_FITTED = {
    "ramping": "still ramping",
    "cabin": "cabin on",
    "taper": "above the taper",
    "nothing measured": "tells nothing of the battery",
}


def _intake(at: HookupAt, made: core.Household, rate: HookupRate) -> Intake:
    v = at.vehicle
    most = chain.onboard_amps(v, made.supply) * at.circuit.voltage_v * v.onboard_phases / 1000
    return Intake(rate.volts, at.phases, most, v.onboard_kw, v.taper_from_pct / 100)


def _offered(at: HookupAt) -> list[float]:
    """Currents to compare: the lead's steps, or every whole ampere from the least to the limit."""
    if not at.limit_a:
        return []
    if at.lead.steps_a:
        return sorted(step for step in at.lead.steps_a if at.lead.min_a <= step <= at.limit_a + 1e-9)
    whole = [float(a) for a in range(int(np.ceil(at.lead.min_a)), int(at.limit_a) + 1)]
    return whole if whole and abs(whole[-1] - at.limit_a) < 1e-6 else [*whole, at.limit_a]


def what_if(household: Household, made: core.Household, pair: tuple[str, str], given: Mapping[str, Any]) -> dict[str, Any]:
    """The hook-up's chain as it is and as it would be with some links changed; nothing is stored.

    Raises
    ------
    Refused
        With every mistake of the changed household.
    """
    rows = [r for r in RateReading.objects.of(household) if (str(r.vehicle_id), str(r.lead_id)) == pair]
    at = HookupAt(made, *pair)
    rate = at.rate(fitted(at.document(tuple(core_reading(row) for row in rows)))).mean
    as_it_is = changed(made, *pair, Change())
    other = _with(made, pair, given)
    known = {caution.key for caution in cautions(as_it_is)}
    return {
        "now": _outlook(as_it_is, pair[0], rate),
        "then": _outlook(other, pair[0], rate),
        "cautions": [asdict(caution) for caution in cautions(other) if caution.key not in known],
    }


def _with(made: core.Household, pair: tuple[str, str], given: Mapping[str, Any]) -> core.Household:
    try:
        return core.checked(changed(made, *pair, Change(**given)))
    except BadDocument as error:
        # A link within its bounds is refused for one reason only: legs that are not there.
        raise editing.Refused([replace(m, path="phases", value=given.get("phases")) for m in error.mistakes]) from error


def keep_option(
    person: Person, made: core.Household, pair: tuple[Vehicle, Lead], name: str, given: Mapping[str, Any]
) -> None:
    """Keep a what-if for later, under its name, or one made of what it changes.

    Raises
    ------
    Refused
        As `what_if`, or where nothing is changed.
    """
    # None, and a circuit that is not to be a dedicated one, leave a link as it is.
    links = {link: value for link, value in given.items() if value}
    if not links:
        raise editing.Refused([Mistake("links", "none", "a link that is another one")])
    vehicle, lead = pair
    _with(made, (str(vehicle.pk), str(lead.pk)), links)
    words = ", ".join(_OPTION_WORDS[link].format(value) for link, value in links.items())
    fields = {"vehicle_id": vehicle.pk, "lead_id": lead.pk, "name": name.strip() or words, "links": links}
    editing.add(person, "option", fields, what=f"{vehicle.name}: option kept")


_OPTION_WORDS = {
    "breaker_a": "{:g} A breaker",
    "dedicated": "a dedicated circuit",
    "lead_a": "{:g} A lead",
    "cable_a": "{:g} A cable",
    "onboard_kw": "{:g} kW on board",
    "ceiling_a": "never above {:g} A",
    "phases": "{} phases",
}


def _outlook(made: core.Household, vehicle_id: str, rate: Rate) -> dict[str, Any]:
    told = outlook(made, vehicle_id, rate)
    got = told.delivery
    return {
        "links": [{"link": link, "amps": round(amps, 2)} for link, amps in told.links.items()],
        "amps": 0.0 if got is None else got.amps,
        "phases": 0 if got is None else got.phases,
        "wall_kw": 0.0 if got is None else round(got.wall_kw, 3),
        "bottleneck": None if got is None else got.bottleneck,
        "next": None if got is None else got.next_link,
        "costs_power": [] if got is None else list(got.costs_power),
        "no_charge": told.no_charge,
        "battery_kw": round(told.battery_kw, 3),
        "range_km_per_h": round(told.range_km_per_h, 2),
        "hours": None if told.hours is None else round(told.hours, 2),
        "night_km": round(told.night_km, 1),
    }


# --- taking a reading ----------------------------------------------------------------------------------------------------


def checked_reading(given: Mapping[str, Any]) -> Reading:
    """A reading as it was typed.

    Raises
    ------
    Refused
        With every mistake, at its field.
    """
    values = {key: value for key, value in given.items() if value is not None}
    try:
        return documents.reading_of({"kind": "display"} | values)
    except BadDocument as error:
        raise editing.Refused(error.mistakes) from error


def preview(household: Household, made: core.Household, pair: tuple[str, str], given: Mapping[str, Any]) -> dict[str, Any]:
    """What a reading says before it is kept: battery kW, share lost, range per hour, and why it is off, if it is."""
    at = HookupAt(made, *pair)
    rows = [r for r in RateReading.objects.of(household) if (str(r.vehicle_id), str(r.lead_id)) == pair]
    document = at.document(tuple(core_reading(row) for row in rows))
    learned = learn(document)
    rate = learned.fit.rate if learned.fit.n_fitted else fit([]).rate
    one = explain(checked_reading(given), document.hookup, document.vehicle, rate)
    battery = one.found.battery_kw
    use = at.vehicle.use_kwh_per_100km
    return {
        "wall_kw": round(one.found.wall_kw, 3),
        "battery_kw": None if battery is None else round(battery, 3),
        "lost": None if battery is None or not one.found.wall_kw else round(1 - battery / one.found.wall_kw, 4),
        "range_km_per_h": None if battery is None else round(range_km(battery, use), 2),
        "expected_kw": round(one.expected_kw, 3),
        "expected_range_km_per_h": round(range_km(one.expected_kw, use), 2),
        "fitted": one.found.not_fitted is None,
        "not_fitted": _NOT_FITTED.get(one.found.not_fitted or ""),
        "cause": one.cause,
        "told": one.told,
    }


def take(person: Person, vehicle: Vehicle, lead: Lead, given: Mapping[str, Any], now: datetime) -> None:
    """Keep a reading.

    Raises
    ------
    Refused
        With every mistake, at its field.
    """
    checked_reading(given)
    values = {key: value for key, value in given.items() if value is not None and key not in ("kind", "note")}
    at = parse_datetime(str(values.get("at") or values.get("end") or "")) or now
    if at > now:
        field = "at" if "at" in values else "end"
        raise editing.Refused([Mistake(field, at.isoformat(), "a time that has passed")])
    fields = {
        "vehicle_id": vehicle.pk,
        "lead_id": lead.pk,
        "kind": given.get("kind", "display"),
        "at": at,
        "values": values,
        "note": given.get("note") or "",
    }
    editing.add(person, "reading", fields, what=f"{vehicle.name}: reading")


# --- bringing and taking ---------------------------------------------------------------------------------------------------


@transaction.atomic
def bring(person: Person, vehicle: Vehicle, lead: Lead, lines: Iterable[str], *, keep: bool) -> dict[str, Any]:
    """Readings from CSV: which are new, which are known already, and which are refused, by line and reason.

    keep : whether the new ones are stored; without it nothing is.

    Raises
    ------
    Refused
        If the file is no table of readings.
    """
    known = {
        _content(row.kind, row.values) for row in RateReading.objects.of(person.household).filter(vehicle=vehicle, lead=lead)
    }
    new: list[dict[str, Any]] = []
    again, refused = 0, []
    make = partial(documents.reading_of_row, unit=person.household.distance_unit)
    try:
        for found in rows_of(lines, documents.COLUMNS, make):
            if isinstance(found, RefusedRow):
                refused += [{"line": found.line, "reason": str(mistake)} for mistake in found.mistakes]
                continue
            values = documents.values_of(found.row)
            content = _content(found.row.kind, values)
            if content in known:
                again += 1
            else:
                known.add(content)
                new.append(values)
    except BadDocument as error:
        raise editing.Refused(error.mistakes) from error
    if keep and new:
        with editing.as_one(checked_once=True):
            for values in new:
                kept = {key: value for key, value in values.items() if key not in ("kind", "note", "excluded")}
                editing.add(
                    person,
                    "reading",
                    {
                        "vehicle_id": vehicle.pk,
                        "lead_id": lead.pk,
                        "kind": values["kind"],
                        "at": parse_datetime(str(values.get("at") or values.get("end"))),
                        "values": kept,
                        "note": values.get("note", ""),
                        "excluded": values.get("excluded", False),
                    },
                    what=f"{vehicle.name}: readings brought in",
                )
    return {"new": len(new), "again": again, "refused": refused, "kept": keep}


def _content(kind: str, values: Mapping[str, Any]) -> str:
    """What makes a reading the same one: everything that was read."""
    reading = documents.reading_of(dict(values) | {"kind": kind})
    told = {key: value for key, value in asdict(reading).items() if key not in ("note", "excluded")}
    return json.dumps({key: v.timestamp() if isinstance(v, datetime) else v for key, v in told.items()}, sort_keys=True)


def as_csv(rows: list[RateReading]) -> str:
    """Readings as CSV, in the columns that `bring` takes."""
    out = io.StringIO()
    writer = csv.DictWriter(out, list(documents.COLUMNS), lineterminator="\n")
    writer.writeheader()
    for row in rows:
        told = {"range_unit": "km"} if "range_per_h" in row.values else {}
        told |= row.values | {"kind": row.kind, "note": row.note, "excluded": row.excluded or ""}
        writer.writerow({key: told.get(key, "") for key in documents.COLUMNS})
    return out.getvalue()
