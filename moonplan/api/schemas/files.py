"""Files that are brought in, and series."""

from __future__ import annotations

from datetime import date, datetime

from ninja import Schema

from moonplan.api.schemas.common import Stretch
from moonplan.api.schemas.rates import RefusedRow


class SeriesBrought(Schema):
    """What a file came to.

    new, again : steps that are new or say something else, and those that are known already. gaps : the first of them, and
    how many there are in all. repeated : clock hours that came twice at a clock change, and were taken twice.
    """

    new: int
    again: int
    kept: bool
    refused: list[RefusedRow]
    rows: int
    step_minutes: int
    first: datetime
    last: datetime
    gaps: list[Stretch]
    gaps_in_all: int
    repeated: list[datetime]


class Span(Schema):
    first: date
    last: date
    days: int
