"""What every part of the API has in common: the shape of an error, and who is asking."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from ninja import Schema
from pydantic import ConfigDict, Field


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


# How many sessions may be pinned, and times kept off, for a car and a night.
MOST_BY_HAND = 24


class Strict(Schema):
    model_config = ConfigDict(extra="forbid")


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
