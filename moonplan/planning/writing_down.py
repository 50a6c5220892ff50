"""How sessions get into the log: typed, as planned, corrected and taken out."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import asdict
from datetime import date, datetime
from typing import Any

from moonplan.core import ledger
from moonplan.core.ledger import LoggedSession
from moonplan.core.mistakes import BadDocument, Mistake
from moonplan.core.timegrid import told_clock
from moonplan.household import editing
from moonplan.household.models import Person, Vehicle
from moonplan.logbook import models as rows
from moonplan.planning.frozen import planned_nights
from moonplan.planning.ledger import FIELDS
from moonplan.planning.usual import zone_of


def write_down(person: Person, vehicle: Vehicle, given: Mapping[str, Any], now: datetime) -> None:
    """Write a session down; the SoC at its end is a reading of the car at that time.

    Raises
    ------
    Refused
        With every mistake, at its field.
    """
    session = _checked(person, vehicle, given, now)
    with editing.as_one():
        _read_at_end(person, vehicle, session)
        fields = {"vehicle_id": vehicle.pk, "lead_id": vehicle.lead_id, **asdict(session)}
        editing.add(person, "session", fields, what=f"{vehicle.name}: session written down")


def went_as_planned(person: Person, vehicle: Vehicle, night: date, now: datetime) -> None:
    """Write down what was planned for a night as what happened.

    Raises
    ------
    Refused
        If nothing was planned, or not all of it is over.
    """
    with editing.as_one():
        for session in _planned(person, vehicle, night):
            known = _checked(person, vehicle, {key: session[key] for key in FIELDS}, now)
            fields = {"vehicle_id": vehicle.pk, "lead_id": vehicle.lead_id, **asdict(known), "as_planned": True}
            editing.add(person, "session", fields, what=f"{vehicle.name}: as planned")


def did_not_charge(person: Person, vehicle: Vehicle, night: date, now: datetime) -> None:
    """Write down that a car did not charge when it was to.

    Raises
    ------
    Refused
        As `went_as_planned`.
    """
    planned = _planned(person, vehicle, night)
    given = {"start": planned[0]["start"], "end": planned[-1]["end"], "wall_kwh": 0.0}
    nothing = asdict(_checked(person, vehicle, given, now))
    fields = {"vehicle_id": vehicle.pk, "lead_id": vehicle.lead_id, **nothing}
    editing.add(person, "session", fields, what=f"{vehicle.name}: did not charge")


def change(person: Person, row: rows.LoggedSession, given: Mapping[str, Any], *, version: int, now: datetime) -> None:
    """Correct a session that was written down.

    Raises
    ------
    Refused, Conflict
        As `write_down` and `editing.change`.
    """
    known = {key: getattr(row, key) for key in FIELDS}
    session = _checked(person, row.vehicle, known | dict(given), now, but_for=row)
    with editing.as_one():
        if given.get("soc_to_pct") is not None:
            _read_at_end(person, row.vehicle, session)
        fields = {**asdict(session), "as_planned": False}
        editing.change(person, row, fields, version=version, what=f"{row.vehicle.name}: session corrected")


def remove(person: Person, row: rows.LoggedSession, *, version: int) -> None:
    """Take a session out of the log."""
    editing.remove(person, row, version=version, what=f"{row.vehicle.name}: session taken out")


def _planned(person: Person, vehicle: Vehicle, night: date) -> list[dict[str, Any]]:
    planned = planned_nights(person.household, night, night).get(night, {}).get(str(vehicle.pk))
    if not planned:
        raise editing.Refused([Mistake("night", night.isoformat(), f"a night that {vehicle.name} was to charge in")])
    return planned


def _checked(
    person: Person,
    vehicle: Vehicle,
    given: Mapping[str, Any],
    now: datetime,
    *,
    but_for: rows.LoggedSession | None = None,
) -> LoggedSession:
    """A session as it may stand in the log.

    Raises
    ------
    Refused
        With every mistake, at its field.
    """
    values = {key: _iso(editing.on_the_clock(person.household, value)) for key, value in given.items() if value is not None}
    try:
        session = ledger.session_of(values)
    except BadDocument as error:
        raise editing.Refused(error.mistakes) from error
    others = rows.LoggedSession.objects.of(person.household).filter(vehicle=vehicle)
    if but_for is not None:
        others = others.exclude(pk=but_for.pk)
    wrong = beside_others(session, others.filter(start__lt=session.end, end__gt=session.start), vehicle, now)
    if wrong is not None:
        raise editing.Refused([wrong])
    return session


def _iso(value: Any) -> Any:
    return value.isoformat() if isinstance(value, datetime) else value


def beside_others(
    session: LoggedSession, at_that_time: Iterable[rows.LoggedSession], vehicle: Vehicle, now: datetime
) -> Mistake | None:
    """Why a session cannot stand in the log beside others of its car; None where it can."""
    if session.end > now:
        return Mistake("end", session.end.isoformat(), "a time that has passed")
    other = next(iter(at_that_time), None)
    if other is None:
        return None
    zone = zone_of(vehicle.household)
    when = f"{told_clock(other.start.astimezone(zone))} to {told_clock(other.end.astimezone(zone))}"
    return Mistake("start", session.start.isoformat(), f"a time at which {vehicle.name} has no other session ({when})")


def _read_at_end(person: Person, vehicle: Vehicle, session: LoggedSession) -> None:
    if session.soc_to_pct is not None:
        fields = {"vehicle_id": vehicle.pk, "at": session.end, "soc_pct": session.soc_to_pct}
        editing.add(person, "soc", fields, what=f"{vehicle.name}: SoC {session.soc_to_pct:g} %")
