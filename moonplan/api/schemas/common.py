"""What every part of the API has in common: the shape of an error, and who is asking."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Any, Literal

from ninja import Schema
from pydantic import AfterValidator, ConfigDict, Field

from moonplan.core.values import of_this_world


class Mistake(Schema):
    """One mistake: the field it is at, the value found and what would be right."""

    field: str
    value: str
    expected: str


class Problem(Schema):
    """The one shape of every error."""

    code: Literal["refused", "conflict", "not_found", "not_signed_in", "too_large", "failed"]
    message: str
    mistakes: list[Mistake] = []
    current: dict[str, Any] | None = None
    version: int | None = None
    by: str | None = None


class Stretch(Schema):
    start: datetime
    end: datetime


# How many sessions may be pinned, and times kept off, for a car and a night.
MOST_BY_HAND = 24


# A time, and a date, as people give them.
Moment = Annotated[datetime, AfterValidator(of_this_world)]
Day = Annotated[date, AfterValidator(of_this_world)]


class Strict(Schema):
    """What people give: nothing that is not asked for, and no figure that is none."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class SignIn(Strict):
    username: str
    password: str


class Join(Strict):
    token: str
    username: Annotated[str, Field(min_length=1, max_length=150)]
    password: Annotated[str, Field(min_length=1, max_length=200)]


class Who(Schema):
    """Who is asking, if anyone, and whether the household has been drawn."""

    name: str | None
    household: str | None
    set_up: bool
    now: datetime


class Invite(Schema):
    path: str
