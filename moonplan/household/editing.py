"""Editing: one way to change a row, with its version checked, its mistakes told and its past kept for undo.

An edit is tried inside a transaction: the household document is built from what the rows would be and read by core. If
core refuses it, nothing is stored and the mistakes are told under the fields they belong to.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any
from unicodedata import category
from uuid import uuid4
from zoneinfo import ZoneInfo

from django.apps import apps
from django.core.serializers.json import DjangoJSONEncoder
from django.db import models, transaction
from django.db.models import ProtectedError

from moonplan.core.mistakes import Mistake
from moonplan.core.timegrid import instant_at
from moonplan.core.values import HIGHEST_PRICE
from moonplan.household.models import Change, Household, Part, Person, Vehicle

Row = Household | Part
KINDS: dict[str, str] = {
    "household": "household.Household",
    "feeder": "household.Feeder",
    "circuit": "household.Circuit",
    "lead": "household.Lead",
    "vehicle": "household.Vehicle",
    "rate": "household.Rate",
    "trip": "household.Trip",
    "tariff": "household.Tariff",
    "band": "household.Band",
    "array": "household.Array",
    "evening": "household.Evening",
    "day at home": "household.DayAtHome",
    "option": "household.Option",
    "known event": "household.KnownEvent",
    "dropped event": "household.DroppedEvent",
    "soc": "logbook.SocReading",
    "odometer": "logbook.OdometerReading",
    "reading": "logbook.RateReading",
    "series": "logbook.SeriesImport",
    "session": "logbook.LoggedSession",
}


@dataclass(frozen=True)
class MistakeOfRow(Mistake):
    """A mistake in a row of a household, at one of its fields.

    row : which one. told : what people call it, and what is wrong there, for whoever edited another one.
    """

    row: Row
    told: str

    def __str__(self) -> str:
        return f"{self.told}: expected {self.expected}"


class Refused(Exception):
    """An edit that cannot be: mistakes, each at a field."""

    def __init__(self, mistakes: Iterable[Mistake]) -> None:
        self.mistakes = list(mistakes)
        super().__init__("; ".join(str(mistake) for mistake in self.mistakes))


class Conflict(Exception):
    """Somebody changed the row meanwhile: what it is now, and who changed it last."""

    def __init__(self, kind: str, current: dict[str, Any], version: int, by: str) -> None:
        self.kind, self.current, self.version, self.by = kind, current, version, by
        super().__init__(f"changed meanwhile by {by}")


# Of the household, and the row that was edited where it was one by itself.
Check = Callable[[Household, Row | None], list[Mistake]]
_checks: list[Check] = []


def checked_by(check: Check) -> Check:
    """Register what must hold of a household after every edit."""
    _checks.append(check)
    return check


def model_of(kind: str) -> Any:
    """The model class of a kind of row."""
    return apps.get_model(KINDS[kind])


def kind_of(row: Row) -> str:
    return next(kind for kind, label in KINDS.items() if label == row._meta.label)


def values_of(row: Row) -> dict[str, Any]:
    """A row's own values as JSON, without id, version and household."""
    kept = {
        field.attname: getattr(row, field.attname)
        for field in row._meta.concrete_fields
        if field.attname not in ("id", "version", "household_id")
    }
    values: dict[str, Any] = json.loads(json.dumps(kept, cls=DjangoJSONEncoder))
    return values


@transaction.atomic
def change(person: Person, row: Row, fields: Mapping[str, Any], *, version: int, what: str) -> Change:
    """Change some fields of a row.

    Raises
    ------
    Conflict
        If the row has another version by now. Refused
        If the household would not be one that core takes.
    """
    fresh = _locked(row)
    _same_version(fresh, version)
    before = values_of(fresh)
    _set(person.household, fresh, fields)
    fresh.version += 1
    fresh.save()
    fresh.refresh_from_db()
    return _log(person, fresh, before, values_of(fresh), what, touched=set(fields))


@transaction.atomic
def add(person: Person, kind: str, fields: Mapping[str, Any], *, what: str) -> Change:
    """Add a row to the person's household.

    Raises
    ------
    Refused
        If the household would not be one that core takes.
    """
    row = model_of(kind)(household=person.household)
    _set(person.household, row, fields)
    missing = [field.attname for field in row._meta.concrete_fields if _lacks(row, field)]
    if missing:
        raise Refused([Mistake(name, "missing", "a value") for name in missing])
    row.save()
    row.refresh_from_db()
    return _log(person, row, None, values_of(row), what, touched=set(fields))


@transaction.atomic
def remove(person: Person, row: Part, *, version: int, what: str) -> Change:
    """Take a row away.

    Raises
    ------
    Conflict
        If the row has another version by now. Refused
        If other rows stand on it.
    """
    fresh = _locked(row)
    _same_version(fresh, version)
    before, pk = values_of(fresh), fresh.pk
    try:
        fresh.delete()
    except ProtectedError as error:
        users = [str(user) for user in list(error.protected_objects)[:3]]
        hang = f"{', '.join(users)} {'does' if len(users) == 1 else 'do'}"
        raise Refused([Mistake(kind_of(row), str(row), f"nothing that hangs on it ({hang})")]) from error
    fresh.pk = pk
    return _log(person, fresh, before, None, what, touched=set())


_batch: ContextVar[str] = ContextVar("batch", default="")
# The open page that edits come from.
_page: ContextVar[str] = ContextVar("page", default="")


# Households whose edits are checked together, once all of them are made; None where each is checked by itself.
_unchecked: ContextVar[set[int] | None] = ContextVar("unchecked", default=None)


@contextmanager
def from_page(page: str) -> Iterator[None]:
    """Edits made within it come from an open page, which goes on from what it did itself: only others' edits conflict."""
    token = _page.set(page)
    try:
        yield
    finally:
        _page.reset(token)


@contextmanager
def as_one(*, checked_once: bool = False) -> Iterator[None]:
    """Edits made within it are kept all or none, and undone as one.

    checked_once : core is asked when all of them are made, instead of after each: for many rows of a file.
    """
    token, waits = _batch.set(uuid4().hex), _unchecked.set(set() if checked_once else None)
    try:
        with transaction.atomic():
            yield
            for household in Household.objects.filter(pk__in=_unchecked.get() or ()):
                _check(household, touched=set())
    finally:
        _unchecked.reset(waits)
        _batch.reset(token)


@transaction.atomic
def undo(person: Person) -> Change | None:
    """Take the person's household back by its last edit, or by all that were made as one; None where there is none.

    Raises
    ------
    Conflict
        If the row was changed since by something that is not in the log.
    """
    last = _last(person)
    first = None if last is None else _undo_one(person, last)
    while first is not None and first.batch and (earlier := _last(person)) is not None and earlier.batch == first.batch:
        _undo_one(person, earlier)
    return first


def edits_of(household: Household) -> str:
    """Which edits a household has seen so far: another answer after every edit and every undo."""
    edits = Change.objects.filter(household=household)
    last = edits.first()
    return f"{0 if last is None else last.pk} less {edits.filter(undone=True).count()}"


def _last(person: Person) -> Change | None:
    return Change.objects.filter(household=person.household, undone=False).first()


def _undo_one(person: Person, last: Change) -> Change:
    model = model_of(last.kind)
    row = model.objects.filter(pk=last.row).first()
    if last.after is None:
        row = model(pk=last.row, household=person.household, version=last.version + 1)
        _set_raw(row, last.before)
        row.save(force_insert=True)
    elif row is None or row.version != last.version:
        raise Conflict(last.kind, values_of(row) if row else {}, row.version if row else 0, "somebody")
    elif last.before is None:
        row.delete()
    else:
        _set_raw(row, last.before)
        row.version += 1
        row.save()
    _carry_version(last, row.version)
    last.undone = True
    last.save(update_fields=["undone"])
    return last


def _carry_version(last: Change, version: int) -> None:
    """An older edit of the same row undoes next: it must find the version that this undo leaves."""
    earlier = Change.objects.filter(kind=last.kind, row=last.row, undone=False, pk__lt=last.pk).first()
    if earlier is not None:
        earlier.version = version
        earlier.save(update_fields=["version"])


def _lacks(row: Row, field: models.Field[Any, Any]) -> bool:
    return not field.null and not field.primary_key and getattr(row, field.attname) is None


def _locked(row: Row) -> Any:
    return type(row)._default_manager.get(pk=row.pk)


def _same_version(row: Row, version: int) -> None:
    if row.version != version and not _left_by_this_page(row, version):
        kind = kind_of(row)
        raise Conflict(kind, values_of(row), row.version, last_editor(kind, row=row.pk))


def last_editor(kind: str, **of: Any) -> str:
    """Who made the last edit of a kind of row, as they are called. of : of which row or household."""
    last = Change.objects.filter(kind=kind, **of).select_related("person__user").first()
    return str(last.person) if last and last.person else "somebody"


def _left_by_this_page(row: Row, version: int) -> bool:
    """Whether nobody else has changed a row since a version: the page that asks did all that came after it."""
    since = Change.objects.filter(kind=kind_of(row), row=row.pk, version__gte=version)
    if since.filter(undone=True).exists():
        return False
    left = dict(since.filter(version__gt=version).values_list("version", "page"))
    return made_by_this_page(left.values()) and set(left) == set(range(version + 1, row.version + 1))


def made_by_this_page(pages: Iterable[str]) -> bool:
    """Whether edits, by the pages that they came from, were all made by the one that asks."""
    return set(pages) == {_page.get()} != {""}


def _set(household: Household, row: Row, fields: Mapping[str, Any]) -> None:
    for name, value in fields.items():
        field = row._meta.get_field(name.removesuffix("_id"))
        if isinstance(field, models.ForeignKey):
            _own(household, field, value)
            setattr(row, field.attname, value)
        else:
            if value is None and not field.null:
                raise Refused([Mistake(name, None, "a value")])
            _fits(field, name, value)
            kept = _called(value) if name == "name" else on_the_clock(household, value)
            setattr(row, name, _with_entries(getattr(row, name), kept) if name in _BY_ENTRY else kept)


# Columns of which an edit gives the entries it changes, none to take one away: two in a row don't undo each other.
_BY_ENTRY = frozenset(("usual_km",))


def _with_entries(before: Mapping[str, Any], given: Mapping[str, Any]) -> dict[str, Any]:
    return {key: value for key, value in {**before, **given}.items() if value is not None}


def _called(name: str) -> str:
    """A name as it is shown: in one line, with something to read."""
    shown = " ".join(name.split())
    kinds = [category(each) for each in shown]
    if "Cc" in kinds or all(kind[0] in "CZ" for kind in kinds):
        raise Refused([Mistake("name", name, "a name that can be read")])
    return shown


# What a small whole number in a column may come to.
_LARGEST_COUNT = 32_767


def _fits(field: models.Field[Any, Any], name: str, value: Any) -> None:
    """Core refuses such figures, too, but a column that can't hold one, or not be read again, can't be asked of core."""
    if isinstance(field, models.DecimalField):
        low, high = -HIGHEST_PRICE, HIGHEST_PRICE
    elif isinstance(field, models.IntegerField):
        low, high = 0, _LARGEST_COUNT
    else:
        return
    if value is not None and not low <= field.to_python(value) <= high:
        raise Refused([Mistake(name, value, f"{low} to {high}")])


def on_the_clock(household: Household, value: Any) -> Any:
    """A time without an offset is one on the household's own clock; everything else stays as it is."""
    if isinstance(value, datetime) and value.tzinfo is None:
        return instant_at(value.date(), value.time(), ZoneInfo(household.timezone))
    return value


def _own(household: Household, field: models.ForeignKey[Any, Any], value: object) -> None:
    """A link may only point at a row of the same household."""
    if value is None and field.null:
        return
    if not field.related_model._default_manager.filter(pk=value, household=household).exists():  # type: ignore[union-attr]
        raise Refused([Mistake(field.attname, value, f"a {field.name} of this household")])


def _set_raw(row: Row, values: Mapping[str, Any]) -> None:
    for name, value in values.items():
        field = row._meta.get_field(name.removesuffix("_id"))
        setattr(row, field.attname, field.to_python(value) if not isinstance(field, models.ForeignKey) else value)


def _log(
    person: Person,
    row: Row,
    before: dict[str, Any] | None,
    after: dict[str, Any] | None,
    what: str,
    *,
    touched: set[str],
) -> Change:
    household = Household.objects.get(pk=person.household_id)
    waiting = _unchecked.get()
    if waiting is None:
        _check(household, touched=touched, row=row)
    else:
        waiting.add(household.pk)
    return Change.objects.create(
        household=household,
        person=person,
        what=what,
        kind=kind_of(row),
        row=row.pk,
        before=before,
        after=after,
        version=row.version,
        batch=_batch.get(),
        page=_page.get(),
    )


def _check(household: Household, *, touched: set[str], row: Row | None = None) -> None:
    mistakes = [mistake for check in _checks for mistake in check(household, row)]
    if mistakes:
        told = [_at_field(mistake, touched, row) for mistake in mistakes]
        raise Refused({(mistake.path, str(mistake)): mistake for mistake in told}.values())


def _at_field(mistake: Mistake, touched: set[str], row: Row | None) -> Mistake:
    """The mistake at the field of the row that was edited, where it is about that; else where it is, and whose it is."""
    key = mistake.path.rsplit(".", 1)[-1].split("[")[0]
    key = {"from": "start", "to": "end"}.get(key, key)
    path = key if key in touched else mistake.path
    if not isinstance(mistake, MistakeOfRow):
        return replace(mistake, path=path)
    if mistake.row == row:
        return Mistake(mistake.path, mistake.value, mistake.expected)
    if key in touched and row is not None and _car_of(mistake.row) == _car_of(row) is not None:
        return Mistake(path, mistake.value, mistake.expected)
    return replace(mistake, path=path)


def _car_of(row: Row) -> int | None:
    """The car that a row is about; None for what is not about one."""
    return row.pk if isinstance(row, Vehicle) else getattr(row, "vehicle_id", None)
