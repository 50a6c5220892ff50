"""In which row of a household a mistake in its document is, and what people call what is wrong there."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from datetime import datetime
from typing import Any, NamedTuple

from moonplan.core.mistakes import Mistake, shown
from moonplan.household import editing
from moonplan.household.models import Circuit, Evening, Feeder, Household, Lead, Trip, Vehicle

# The document's keys of what is a field of its own, or has another name, in a row.
_FIELDS = {"plug_in_hours[0]": "plug_in_from", "plug_in_hours[1]": "plug_in_to"}
# Lists of the document that belong to evenings, each with their fields there and what an entry is called.
_BY_HAND = {"pins": ("pins", "pinned session"), "forbids": ("keep_off", "time to keep off")}


class _Entry(NamedTuple):
    """An entry of one of the document's lists: its row, what people call it, and where in a field of the row it is."""

    row: editing.Row
    called: str
    field: str = ""


ByHand = Mapping[str, Sequence[tuple[Evening, int, dict[str, Any]]]]


def at_its_row(mistake: Mistake, document: dict[str, Any], by_hand: ByHand, household: Household) -> Mistake:
    """The mistake at the field of its row; as it is where it belongs to no row but the household's own.

    document : the household's document, that the mistake was found in. by_hand : of its lists of what was fixed by hand the
        evening of each entry, and which one it is there.
    """
    found = re.fullmatch(r"(\w+)\[(\d+)\]\.?(.*)", mistake.path)
    if found is None:
        return mistake
    key, nth, rest = found[1], int(found[2]), found[3]
    entries = list(_entries(key, document, by_hand, household))
    if nth >= len(entries):
        return mistake
    row, called, field = entries[nth]
    if field:
        path, told = f"{field}.{rest}".rstrip("."), called
    else:
        name = rest.split("[")[0]
        path, told = _FIELDS.get(rest, name or key), f"{called}, {name} {shown(mistake.value)}"
    return editing.MistakeOfRow(path, mistake.value, mistake.expected, row, told)


def _entries(key: str, document: dict[str, Any], by_hand: ByHand, household: Household) -> Iterator[_Entry]:
    """What a list of the document has in its order, as far as it comes from rows."""
    named = {"feeders": Feeder, "circuits": Circuit, "leads": Lead, "vehicles": Vehicle}
    if key in named:
        rows = {str(row.pk): row for row in named[key].objects.of(household)}
        yield from (_Entry(rows[given["id"]], str(rows[given["id"]])) for given in document[key])
    cars = {str(car.pk): car for car in Vehicle.objects.of(household)}
    if key == "trips":
        trips = {(str(trip.vehicle_id), trip.leave.timestamp()): trip for trip in Trip.objects.of(household)}
        for given in document[key]:
            car, leave = cars[given["vehicle"]], datetime.fromisoformat(given["leave"])
            # What is usual is the car's own.
            row = trips.get((given["vehicle"], leave.timestamp()), car)
            yield _Entry(row, f"{car}'s trip of {leave:%a %d %b, %H:%M}")
    if key == "overrides":
        evenings = {(str(e.vehicle_id), e.night.isoformat()): e for e in Evening.objects.of(household)}
        for given in document[key]:
            evening = evenings[given["vehicle"], given["night"]]
            yield _Entry(evening, f"{evening.vehicle}'s night of {evening.night:%a %d %b}")
    for evening, which, given in by_hand.get(key, ()):
        field, kind = _BY_HAND[key]
        at = f" at {given['amps']:g} A" if "amps" in given else ""
        clock = getattr(evening, field)[which]
        called = f"{evening.vehicle}'s {kind} of {evening.night:%a %d %b}, {clock['start']} to {clock['end']}{at}"
        yield _Entry(evening, called, f"{field}[{which}]")
