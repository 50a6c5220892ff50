"""Files of the log: sessions brought in and taken away as CSV, and a month's statement as CSV and XLSX."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import asdict
from datetime import datetime
from typing import Any

from openpyxl import Workbook

from moonplan.core import ledger
from moonplan.core.mistakes import BadDocument, Mistake
from moonplan.core.tables import RefusedRow, rows_of
from moonplan.core.timegrid import night_of
from moonplan.household import editing
from moonplan.household.models import Household, Person, Vehicle
from moonplan.logbook import models as rows
from moonplan.planning.ledger import FIELDS, Ledger, days_of, statement
from moonplan.planning.log import told_session
from moonplan.planning.usual import zone_of
from moonplan.planning.writing_down import beside_others


def bring(person: Person, lines: Iterable[str], now: datetime, *, keep: bool) -> dict[str, Any]:
    """Sessions from CSV: which are new, which are known already, and which are refused, by line and reason.

    keep : whether the new ones are stored, as one step of undo; without it nothing is.

    Raises
    ------
    Refused
        If the file is no table of sessions.
    """
    vehicles = {vehicle.name.casefold(): vehicle for vehicle in Vehicle.objects.of(person.household)}
    stored = rows.LoggedSession.objects.of(person.household).select_related("vehicle")
    known: dict[int, list[rows.LoggedSession]] = {vehicle.pk: [] for vehicle in vehicles.values()}
    for row in stored:
        known[row.vehicle_id].append(row)
    new: list[rows.LoggedSession] = []
    again, refused = 0, []
    try:
        for found in rows_of(lines, ledger.COLUMNS, ledger.session_of_row, needs=("vehicle", "start", "end")):
            if isinstance(found, RefusedRow):
                refused += [{"line": found.line, "reason": str(mistake)} for mistake in found.mistakes]
                continue
            name, session = found.row
            vehicle = vehicles.get(name.casefold())
            if vehicle is None:
                wrong = Mistake("vehicle", name or "missing", f"one of {', '.join(v.name for v in vehicles.values())}")
                refused.append({"line": found.line, "reason": str(wrong)})
                continue
            row = rows.LoggedSession(vehicle=vehicle, lead_id=vehicle.lead_id, **asdict(session))
            mine = known[vehicle.pk]
            beside = [one for one in mine if one.start < session.end and session.start < one.end]
            if any(all(getattr(one, key) == getattr(row, key) for key in FIELDS) for one in beside):
                again += 1
            elif (mistake := beside_others(session, beside, vehicle, now)) is not None:
                refused.append({"line": found.line, "reason": str(mistake)})
            else:
                mine.append(row)
                new.append(row)
    except BadDocument as error:
        raise editing.Refused(error.mistakes) from error
    if keep and new:
        with editing.as_one(checked_once=True):
            for row in new:
                fields = {key: getattr(row, key) for key in ("vehicle_id", "lead_id", *FIELDS)}
                editing.add(person, "session", fields, what=f"{row.vehicle.name}: sessions brought in")
    return {"new": len(new), "again": again, "refused": refused, "kept": keep}


def as_csv(household: Household) -> str:
    """Every session as it was written down, in the columns that `bring` takes."""
    zone = zone_of(household)
    stored = rows.LoggedSession.objects.of(household).select_related("vehicle")
    told = (
        {"vehicle": row.vehicle.name}
        | {key: getattr(row, key).astimezone(zone).isoformat() for key in ("start", "end")}
        | {key: getattr(row, key) for key in ("wall_kwh", "soc_from_pct", "soc_to_pct")}
        for row in stored
    )
    return _table(list(ledger.COLUMNS), told)


def _table(columns: Sequence[str], lines: Iterable[Mapping[str, Any]]) -> str:
    out = io.StringIO()
    writer = csv.DictWriter(out, columns, lineterminator="\n")
    writer.writeheader()
    writer.writerows(lines)
    return out.getvalue()


# --- a month's statement ---------------------------------------------------------------------------------------------------

_COLUMNS = (
    *("night", "vehicle", "start", "end", "wall_kwh", "battery_kwh", "soc_from_pct", "soc_to_pct", "solar_kwh"),
    *("cost", "currency", "derived"),
)


def statement_csv(household: Household, now: datetime, year: int, month: int) -> str:
    """A month's sessions, a line each, with what it came to and cost."""
    return _table(_COLUMNS, _lines(Ledger(household, now, *days_of(year, month))))


def statement_xlsx(household: Household, now: datetime, year: int, month: int) -> bytes:
    """The same as a workbook, with what the month came to on a sheet of its own."""
    book = Workbook()
    sums, sessions = book.active, book.create_sheet("Sessions")
    sums.title = "Month"
    for line in _sums(statement(household, now, year, month), household.currency):
        _append(sums, line)
    _append(sessions, _COLUMNS)
    for line in _lines(Ledger(household, now, *days_of(year, month))):
        _append(sessions, [line[key] for key in _COLUMNS])
    out = io.BytesIO()
    book.save(out)
    return out.getvalue()


def _append(sheet: Any, values: Sequence[Any]) -> None:
    sheet.append(values)
    for cell in sheet[sheet.max_row]:
        if isinstance(cell.value, str):
            cell.data_type = "s"  # a name that begins with = is no formula


def _sums(told: Mapping[str, Any], currency: str) -> Iterator[list[Any]]:
    yield ["", "kWh", currency]
    for one in told["bought"]:
        yield [one["band"], one["kwh"], one["cost"]]
    yield ["own sun, at the export price given up", told["solar_kwh"], round(told["cost"] - told["cost_sun_free"], 5)]
    yield ["together", told["wall_kwh"], told["cost"]]
    yield ["fixed charges", None, told["fixed"]]
    yield ["charged at once on arrival", told["wall_kwh"], told["at_once"]]
    if told["on_fuel"] is not None:
        yield ["the same distance on fuel", None, told["on_fuel"]]
    if told["km"] is not None:
        yield [f"driven from {told['first']} to {told['last']}: {told['km']:g} km", None, None]


def _lines(kept: Ledger) -> Iterator[dict[str, Any]]:
    for row in kept.mine:
        told = told_session(kept, row, set())
        told |= {
            "night": night_of(row.start, kept.zone).isoformat(),
            "vehicle": row.vehicle.name,
            "currency": kept.household.currency,
            "derived": "as planned" if row.as_planned else " ".join(told["derived"]),
        }
        yield {key: told[key] for key in _COLUMNS}
