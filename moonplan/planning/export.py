"""A whole house as one JSON document, `moonplan-export/1`: written as a backup, and read back without loss.

It holds every row of every household, its people with their (hashed) passwords, and of which state of the tables they are,
so that a backup of an earlier version can be read back: into tables as they were then, which are brought up to date after.
Sign-ins under way and links that were not used are left out.
"""

from __future__ import annotations

import json
from collections.abc import Iterator
from datetime import datetime
from typing import IO, Any

from django.apps import apps
from django.core.exceptions import ValidationError
from django.core.serializers.json import DjangoJSONEncoder
from django.db import IntegrityError, connection, models, transaction
from django.db.migrations.executor import MigrationExecutor

from moonplan.core.mistakes import BadDocument, Mistake
from moonplan.household.models import Household, Invitation, Person
from moonplan.planning.documents import household_document

FORMAT = "moonplan-export/1"
_APPS = ("auth", "household", "logbook", "planning")
_LEFT_OUT = (Invitation, apps.get_model("auth", "Permission"), apps.get_model("auth", "Group"))


def write(out: IO[str], now: datetime) -> None:
    """The house as it stands, a row a line."""
    head = {"format": FORMAT, "made_at": now.isoformat(), "tables": _tables()}
    documents = [_document(household, now) for household in Household.objects.order_by("pk")]
    out.write("{\n" + _json(head)[1:-1] + ',\n"households": ' + _json(documents) + ',\n"rows": [')
    for nth, row in enumerate(_rows()):
        out.write((",\n" if nth else "\n") + _json(row))
    out.write("\n]}\n")


def _json(value: Any) -> str:
    return json.dumps(value, cls=DjangoJSONEncoder, ensure_ascii=False)


def _document(household: Household, now: datetime) -> dict[str, Any] | None:
    """The household document; None of a house that is not drawn yet."""
    try:
        return household_document(household, now)
    except BadDocument:
        return None


def _tables() -> dict[str, str]:
    """The last migration of each app."""
    return {app: name for app, name in MigrationExecutor(connection).loader.graph.leaf_nodes() if app in _APPS}


def _rows() -> Iterator[dict[str, Any]]:
    for app in _APPS:
        for model in apps.get_app_config(app).get_models():
            if model in _LEFT_OUT:
                continue
            columns = [field.attname for field in model._meta.concrete_fields]
            for row in model._default_manager.order_by("pk").iterator():
                yield {"of": model._meta.label_lower, **{column: getattr(row, column) for column in columns}}


def read(text: str) -> int:
    """Read an export back, where nobody lives yet; how many rows there were.

    Raises
    ------
    BadDocument
        If it is no export, is of a later version, or somebody lives here already; nothing is changed then.
    """
    document = _checked(text)
    executor = MigrationExecutor(connection)
    then = [(app, name) for app, name in document["tables"].items()]
    if not set(then) <= executor.loader.graph.nodes.keys():
        raise BadDocument(
            [Mistake("tables", document["tables"], "tables that this version knows: bring Moon Plan up to date")]
        )
    latest = executor.loader.graph.leaf_nodes()
    if not set(then) <= set(latest) and executor.loader.applied_migrations:
        expected = "an empty data directory (MOONPLAN_DATA) for a backup of an earlier version"
        raise BadDocument([Mistake("tables", document["tables"], expected)])
    _nobody_lives_here()
    executor.migrate(then)
    _load(document["rows"], executor.loader.project_state(then).apps)
    MigrationExecutor(connection).migrate(latest)
    return len(document["rows"])


def _checked(text: str) -> dict[str, Any]:
    try:
        document = json.loads(text)
    except ValueError as error:
        raise BadDocument([Mistake("document", "not JSON", f"JSON ({error})")]) from error
    found = document.get("format") if isinstance(document, dict) else None
    if found != FORMAT:
        raise BadDocument([Mistake("format", "missing" if found is None else found, FORMAT)])
    for key, kind, expected in (("tables", dict, "the state of the tables"), ("rows", list, "the rows")):
        if not isinstance(document.get(key), kind):
            raise BadDocument([Mistake(key, document.get(key, "missing"), expected)])
    return dict(document)


def _nobody_lives_here() -> None:
    """A first start leaves a household that nobody has moved into; it makes way."""
    if Household._meta.db_table not in connection.introspection.table_names():
        return
    try:
        if not Person.objects.exists():
            Household.objects.all().delete()
            return
    except models.ProtectedError:  # nobody, but somebody has drawn it
        pass
    raise BadDocument([Mistake("people", "there already", "a data directory (MOONPLAN_DATA) in which nobody lives yet")])


@transaction.atomic
def _load(rows: list[Any], known: Any) -> None:
    """Store the rows, all or none. known : the models as they were then."""
    for nth, row in enumerate(rows):
        try:
            _row(row, known).save_base(raw=True, force_insert=True)
        except (LookupError, TypeError, ValueError, AttributeError, ValidationError, IntegrityError) as error:
            raise BadDocument([Mistake(f"rows[{nth}]", row, f"a row of a house ({error})")]) from error
    try:
        connection.check_constraints()
    except IntegrityError as error:
        raise BadDocument([Mistake("rows", f"{len(rows)} rows", f"every row that others hang on ({error})")]) from error


def _row(row: dict[str, Any], known: Any) -> models.Model:
    values = dict(row)
    model: type[models.Model] = known.get_model(values.pop("of"))
    for field in model._meta.concrete_fields:
        if field.attname in values and not isinstance(field, models.JSONField):
            column: Any = field.target_field if field.is_relation else field
            values[field.attname] = column.to_python(values[field.attname])
    return model(**values)
