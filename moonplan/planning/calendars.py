"""Calendars of stored households: trips brought in from a file, and the plan as a feed that can be subscribed to."""

from __future__ import annotations

import secrets
from collections.abc import Iterator, Mapping, Sequence, Set
from datetime import date, datetime, time, timedelta
from typing import Any, NamedTuple

from django.db import transaction

from moonplan.core.calendars import Entry, Outing, Unfolded, unfolded, written
from moonplan.core.distance import told_in
from moonplan.core.mistakes import BadDocument, Mistake
from moonplan.core.percent import percent_told
from moonplan.core.planner.plan import Plan
from moonplan.core.planner.tonight import action_of, in_place_of, is_out_between, plug_in_by, the_night
from moonplan.core.timegrid import noon
from moonplan.core.values import LONGEST_KM, clock_of
from moonplan.household import editing
from moonplan.household.models import DroppedEvent, Feed, Household, KnownEvent, Person, Trip, Vehicle
from moonplan.planning import refining
from moonplan.planning.documents import household_document, planning_now
from moonplan.planning.shown import goes_on, hanging_on_their_leads
from moonplan.planning.usual import zone_of

# How far ahead events are brought in.
_AHEAD = timedelta(days=60)
_LONGEST_KEY, _LONGEST_SUMMARY = 300, 200
_FED_NIGHTS = 7
_PLUGGING_IN = timedelta(minutes=10)


@transaction.atomic
def bring_calendar(
    person: Person, text: str, answers: Sequence[Mapping[str, Any]], *, dropped_too: bool, keep: bool
) -> dict[str, Any]:
    """Trips from an iCalendar text: which are new, changed with their event, gone with it, known already, left out as
    somebody took them away, refused and why, and which summaries ask how far.

    answers : car and km of a summary, remembered for the next time. dropped_too : with those that somebody took away. keep :
    whether anything is stored at all.

    Raises
    ------
    Refused
        If the text is no calendar, or an answer names a car of somebody else.
    """
    household, now = person.household, planning_now()
    told: dict[str, Any] = dict.fromkeys(("new", "changed", "gone", "again", "dropped"), 0) | {"kept": keep}
    with editing.as_one():
        _remember(person, answers)
        drivers = _Drivers.of(household)
        found = _unfolded(household, text, now, drivers)
        told["refused"] = [
            _refused(one.summary, one.when if one.when and one.when > now else None, one.mistake) for one in found.unread
        ]
        here = _Brought.of(household, found, now)
        for trip in here.gone:
            editing.remove(person, trip, version=trip.version, what=_what(trip.vehicle))
            told["gone"] += 1
        dropped = {row.event: row for row in DroppedEvent.objects.of(household)}
        asks: dict[str, dict[str, Any]] = {}
        for outing in found.outings:
            trip, gone = here.trips.get(_key(outing)), dropped.get(_key(outing))
            drives = None if trip is not None else drivers.who_drives(outing.summary, outing.km)
            try:
                if trip is not None:
                    told["changed" if _changed(person, trip, outing, drivers) else "again"] += 1
                elif gone is not None and not dropped_too:
                    told["dropped"] += 1
                elif drives is not None:
                    editing.add(person, "trip", _trip(outing, *drives), what=_what(drives[0]))
                    if gone is not None:
                        editing.remove(person, gone, version=gone.version, what=_what(drives[0]))
                    told["new"] += 1
                else:
                    asks.setdefault(outing.summary, drivers.asked(outing))["times"] += 1
            except editing.Refused as error:
                told["refused"].append(_refused(outing.summary, outing.leave, error))
        told["asks"] = list(asks.values())
        if not keep:
            transaction.set_rollback(True)
    return told


def _unfolded(household: Household, text: str, now: datetime, drivers: _Drivers) -> Unfolded:
    try:
        return unfolded(text, since=now, until=now + _AHEAD, zone=zone_of(household), all_day=drivers.usual_hours)
    except BadDocument as error:
        raise editing.Refused(error.mistakes) from error


def _refused(summary: str, when: datetime | None, why: Mistake | editing.Refused) -> dict[str, Any]:
    return {"when": None if when is None else when.isoformat(), "summary": summary, "reason": str(why)}


def _what(vehicle: Vehicle) -> str:
    return f"{vehicle.name}: trips brought in"


def _key(outing: Outing) -> str:
    """As a trip keeps it."""
    return outing.key[:_LONGEST_KEY]


class _Brought(NamedTuple):
    """Trips that were brought in from a calendar before: by the key of the occurrence that is theirs now; and those to come
    whose event the calendar still knows, but no occurrence of theirs."""

    trips: dict[str, Trip]
    gone: list[Trip]

    @classmethod
    def of(cls, household: Household, found: Unfolded, now: datetime) -> _Brought:
        keys = [_key(outing) for outing in found.outings]
        trips = {trip.event: trip for trip in Trip.objects.of(household).exclude(event="").select_related("vehicle")}
        left: dict[str, list[Trip]] = {}
        for key, trip in trips.items():
            uid, starts = key.rpartition("/")[0], trip.event_start or trip.leave
            if key not in keys and uid in found.uids and now < starts < now + _AHEAD:
                left.setdefault(uid, []).append(trip)
        for key, outing in zip(keys, found.outings, strict=True):
            if key not in trips and left.get(outing.uid):
                trips[key] = left[outing.uid].pop(0)
        return cls(trips, [trip for of_event in left.values() for trip in of_event])


def _changed(person: Person, trip: Trip, outing: Outing, drivers: _Drivers) -> bool:
    """Change a trip as its event was, if it was: moved by as much, and told otherwise but for what was typed here."""
    is_moved = trip.event != _key(outing) or (trip.event_start, trip.event_end) not in (
        (None, None),  # brought in before that was kept
        (outing.leave, outing.back),
    )
    was_told = trip.event_summary  # empty where it was brought in before that was kept
    is_told_otherwise = was_told != "" and (was_told, trip.event_km) != (_summary(outing), outing.km)
    if not is_moved and not is_told_otherwise:
        return False
    fields = {
        "leave": trip.leave + (outing.leave - (trip.event_start or trip.leave)),
        "back": trip.back + (outing.back - (trip.event_end or trip.back)),
        **_event(outing),
    }
    if is_told_otherwise:
        fields |= _told_otherwise(trip, outing, drivers)
    editing.change(person, trip, fields, version=trip.version, what=_what(trip.vehicle))
    return True


def _told_otherwise(trip: Trip, outing: Outing, drivers: _Drivers) -> dict[str, Any]:
    """What changes of a trip with its event's text: whatever is still as the text said before."""
    fields: dict[str, Any] = {"summary": _summary(outing)} if trip.summary == trip.event_summary else {}
    was, now = drivers.who_drives(trip.event_summary, trip.event_km), drivers.who_drives(outing.summary, outing.km)
    if was is not None and now is not None:
        fields |= {"vehicle_id": now[0].pk} if trip.vehicle == was[0] else {}
        fields |= {"km": now[1]} if trip.km == was[1] else {}
    return fields


def _summary(outing: Outing) -> str:
    """As a trip keeps it."""
    return outing.summary[:_LONGEST_SUMMARY]


def _event(outing: Outing) -> dict[str, Any]:
    return {
        "event": _key(outing),
        "event_start": outing.leave,
        "event_end": outing.back,
        "event_summary": _summary(outing),
        "event_km": outing.km,
    }


def _remember(person: Person, answers: Sequence[Mapping[str, Any]]) -> None:
    for answer in answers:
        fields = {"summary": answer["summary"], "vehicle_id": answer["vehicle_id"], "km": answer["km"]}
        if not 0 <= answer["km"] <= LONGEST_KM:
            wrong = Mistake(f"distance of “{answer['summary']}”", answer["km"], f"0 to {LONGEST_KM} km")
            raise editing.Refused([told_in(wrong, person.household.distance_unit)])
        row = KnownEvent.objects.of(person.household).filter(summary=answer["summary"]).first()
        what = f"how far “{answer['summary']}” is"
        if row is None:
            editing.add(person, "known event", fields, what=what)
        else:
            editing.change(person, row, fields, version=row.version, what=what)


class _Drivers(NamedTuple):
    """Which car drives to what: as somebody said before, else the one that a summary names, or the only one there is."""

    known: Mapping[str, KnownEvent]
    cars: list[Vehicle]

    @classmethod
    def of(cls, household: Household) -> _Drivers:
        known = KnownEvent.objects.of(household).select_related("vehicle")
        return cls({one.summary: one for one in known}, list(Vehicle.objects.of(household)))

    def who_drives(self, summary: str, km: float | None) -> tuple[Vehicle, float] | None:
        """The car and its km, where both are known. km : as the event tells it."""
        before, named = self.known.get(summary), self._named(summary)
        if before is not None:
            return before.vehicle, km if km is not None else before.km
        return (named[0], km) if len(named) == 1 and km is not None else None

    def usual_hours(self, summary: str) -> tuple[time, time]:
        """When the car that drives usually leaves, and is back."""
        before, named = self.known.get(summary), self._named(summary)
        car = before.vehicle if before is not None else named[0] if named else Vehicle()
        return clock_of(car.usual_leave), clock_of(car.usual_back)

    def asked(self, outing: Outing) -> dict[str, Any]:
        named = self._named(outing.summary)
        return {
            "summary": outing.summary,
            "first": outing.leave.isoformat(),
            "times": 0,
            "km": outing.km,
            "vehicle_id": named[0].pk if named else None,
        }

    def _named(self, summary: str) -> list[Vehicle]:
        return [car for car in self.cars if car.name.lower() in summary.lower()] or self.cars


def _trip(outing: Outing, car: Vehicle, km: float) -> dict[str, Any]:
    return {
        "vehicle_id": car.pk,
        "leave": outing.leave,
        "back": outing.back,
        "km": km,
        "summary": _summary(outing),
        **_event(outing),
    }


# --- out -----------------------------------------------------------------------------------------------------------------


def feed_path(household: Household) -> str:
    """The secret address of the household's feed, made when it is first asked for."""
    feed, _ = Feed.objects.get_or_create(household=household)
    return f"/calendar/{feed.token}.ics"


def renew_feed(household: Household) -> None:
    """A new secret address; the old one answers no more."""
    Feed.objects.filter(household=household).update(token=secrets.token_urlsafe(24))


def household_of_feed(token: str) -> Household | None:
    """Whose feed a secret address is, if anyone's."""
    feed = Feed.objects.select_related("household").filter(token=token).first()
    return None if feed is None else feed.household


def feed(household: Household) -> str:
    """The coming nights as an iCalendar text: a session an event, and a reminder to plug in where one has to.

    Tonight is told as on its page, which may look less far ahead; the nights after that from a longer plan.
    """
    now, shown = planning_now(), goes_on(household)
    made = refining.best_known(household_document(household, now), shown)
    longer = refining.best_known(household_document(household, now, _FED_NIGHTS), shown)
    asked = made.problem.household
    next_noon = noon(the_night(asked) + timedelta(days=1), asked.zone)
    entries = [
        *_entries(made, asked.now, next_noon, hanging_on_their_leads(household, asked)),
        *_entries(longer, next_noon, longer.problem.grid.starts[-1], set()),
    ]
    return written(f"Moon Plan, {household.name}", entries, stamp=now)


def _entries(made: Plan, since: datetime, until: datetime, hanging: Set[str]) -> Iterator[Entry]:
    """The sessions that start between two times. hanging : cars that hang on their leads already."""
    zone = made.problem.household.zone
    for car, sessions in zip(made.problem.cars, made.sessions, strict=True):
        place = car.circuit.name or car.circuit.id
        nights: dict[date, int] = {}
        last: datetime | None = None
        for session in sessions:
            if not since <= session.start < until:
                continue
            night = made.problem.grid.nights[session.first]
            nights[night] = nights.get(night, 0) + 1
            key = f"{car.id}-{night}-{nights[night]}@moonplan"
            socs = f"{percent_told(session.soc_from)} to {percent_told(session.soc_to)}"
            figures = f"{session.wall_kwh:.1f} kWh, {socs}; {session.reason}."
            charges = f"{car.name} charges at {session.current}, {place}"
            yield Entry(key, charges, figures, session.start, session.end)
            other = in_place_of(made, car, session, hanging)
            comes_home = is_out_between(made, car, last or made.problem.household.now, session.start)
            last = session.start
            hangs = car.id in hanging and other is None and not comes_home
            if (nights[night] == 1 or comes_home) and action_of(car, session, plugged_in=hangs) == "plug_in":
                by = plug_in_by(made, car, session.start) or made.problem.household.now
                plug_in = f"Plug {car.name} into the {place} by {by.astimezone(zone):%H:%M}"
                plug_in += "" if other is None else f", in place of {other.name}"
                yield Entry(f"plug-in-{key}", plug_in, figures, by - _PLUGGING_IN, by, reminded=True)
