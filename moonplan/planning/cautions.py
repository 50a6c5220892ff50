"""Cautions as a person sees them: what was read is folded, and comes back when what triggered it changes."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from moonplan.core.cautions import cautions
from moonplan.core.household import Household as Document
from moonplan.household.models import Person, ReadCaution


def shown(person: Person, document: Document) -> list[dict[str, Any]]:
    """Every caution of a household, with whether the person has read it as it stands."""
    read = {(row.code, row.about, row.subject): row.because for row in ReadCaution.objects.filter(person=person)}
    return [asdict(caution) | {"read": read.get(caution.key) == caution.because} for caution in cautions(document)]


def mark(person: Person, document: Document, key: tuple[str, str, str], *, read: bool) -> None:
    """Note that a person has read a caution as it stands now, or wants it back. key : code, about, subject.

    Raises
    ------
    ReadCaution.DoesNotExist
        If the household calls for no such caution.
    """
    found = next((caution for caution in cautions(document) if caution.key == key), None)
    if found is None:
        raise ReadCaution.DoesNotExist
    code, about, subject = key
    rows = ReadCaution.objects.filter(person=person, code=code, about=about, subject=subject)
    if not read:
        rows.delete()
    elif not rows.update(because=found.because):
        ReadCaution.objects.create(person=person, code=code, about=about, subject=subject, because=found.because)
