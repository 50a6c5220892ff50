"""The kinds of values that documents are made of, each with what is refused: clock times, days, percent, amps, prices."""

import re
from datetime import date, datetime, time
from typing import Annotated, Literal, TypeVar, get_args
from zoneinfo import ZoneInfo

from pydantic import AfterValidator, AwareDatetime, BeforeValidator, ConfigDict, Field, PlainSerializer, WithJsonSchema

Weekday = Literal["mon", "tue", "wed", "thu", "fri", "sat", "sun"]

WEEKDAYS: tuple[Weekday, ...] = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")

# What a household allows continuously on an ordinary domestic socket, by the socket's rating (rules, section 1).
SOCKET_A_BY_OUTLET_A = {10: 8.0, 13: 10.0, 15: 12.0, 16: 10.0, 20: 16.0}


def clock_of(value: object) -> time:
    """A clock time from `HH:MM`.

    Raises
    ------
    ValueError
        If it is none.
    """
    if isinstance(value, time):
        return value
    if isinstance(value, str) and re.fullmatch(r"[0-9]{2}:[0-9]{2}", value):
        return time(int(value[:2]), int(value[3:]))
    raise ValueError("not a clock time")


def _zone(value: str) -> str:
    try:
        ZoneInfo(value)
    except (KeyError, OSError, ValueError) as error:
        raise ValueError("no such time zone") from error
    return value


_FIRST_YEAR, _LAST_YEAR = 1990, 2200
_YEARS = f"{_FIRST_YEAR} to {_LAST_YEAR}"
_Dated = TypeVar("_Dated", bound=date)


def of_this_world(value: _Dated) -> _Dated:
    """A date, or a time, of the years that clocks, tariffs and the sun are reckoned for.

    Raises
    ------
    ValueError
        If it is of another year, with what would be right.
    """
    if not _FIRST_YEAR <= value.year <= _LAST_YEAR:
        raise ValueError(f"a {'time' if isinstance(value, datetime) else 'date'} in the years {_YEARS}")
    return value


def _divides_an_hour(value: int) -> int:
    if 60 % value:
        raise ValueError("does not divide an hour")
    return value


def _no_truth(value: object) -> object:
    """`true` is 1 to a literal, and nobody means it so."""
    if isinstance(value, bool):
        raise ValueError("not a number")
    return value


Clock = Annotated[
    time,
    BeforeValidator(clock_of),
    PlainSerializer(lambda clock: clock.strftime("%H:%M"), return_type=str),
    WithJsonSchema({"type": "string", "pattern": "^([01][0-9]|2[0-3]):[0-5][0-9]$", "description": "HH:MM"}),
]
Instant = Annotated[
    AwareDatetime,
    AfterValidator(of_this_world),
    WithJsonSchema(
        {
            "type": "string",
            "format": "date-time",
            "description": f"an ISO 8601 time with an offset, {_YEARS}",
        }
    ),
]
Day = Annotated[
    date,
    AfterValidator(of_this_world),
    WithJsonSchema({"type": "string", "format": "date", "description": f"a date YYYY-MM-DD, {_YEARS}"}),
]
Zone = Annotated[
    str,
    AfterValidator(_zone),
    WithJsonSchema({"type": "string", "description": "an IANA time zone such as Europe/Ljubljana"}),
]
SlotMinutes = Annotated[
    int,
    Field(ge=1, le=60),
    AfterValidator(_divides_an_hour),
    WithJsonSchema({"type": "integer", "enum": [1, 2, 3, 4, 5, 6, 10, 12, 15, 20, 30, 60]}),
]
Id = Annotated[str, Field(min_length=1, max_length=100)]
Name = Annotated[str, Field(min_length=1, max_length=200)]
Percent = Annotated[float, Field(ge=0, le=100)]
Amps = Annotated[float, Field(ge=0, le=1000)]
RatedAmps = Annotated[float, Field(gt=0, le=1000)]
Kilowatts = Annotated[float, Field(ge=0, le=1000)]
RatedKilowatts = Annotated[float, Field(gt=0, le=1000)]
Volts = Annotated[float, Field(ge=50, le=1000)]
Factor = Annotated[float, Field(gt=0, le=1)]
Efficiency = Annotated[float, Field(gt=0, le=1)]
HIGHEST_PRICE = 1000
LONGEST_KM = 5000
Price = Annotated[float, Field(ge=-HIGHEST_PRICE, le=HIGHEST_PRICE)]
Charge = Annotated[float, Field(ge=0, le=HIGHEST_PRICE)]
Use = Annotated[float, Field(gt=0, le=1000)]
Phases = Annotated[Literal[1, 2, 3], BeforeValidator(_no_truth)]
Leg = Literal["L1", "L2", "L3"]
LEGS: tuple[Leg, ...] = get_args(Leg)
Control = Literal["managed", "timer", "hand"]
Habit = Literal[
    "cheapest", "nightly", "set_nights", "when_low", "low_soc", "low_current", "sun_first", "awake", "plug_and_go"
]
HABITS: tuple[Habit, ...] = get_args(Habit)
Sharing = Literal["free", "even", "none"]

STRICT = ConfigDict(extra="forbid", strict=True, allow_inf_nan=False)
