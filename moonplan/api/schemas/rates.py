"""Charge rates: readings, the rates that come of them, and chains that are tried out."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

from moonplan.api.schemas.common import Moment, Strict
from moonplan.api.schemas.household import Caution, Link


class BandPoint(Schema):
    wall_kw: float
    mean_kw: float
    low_kw: float
    high_kw: float


class ReadingOut(Schema):
    """A kept reading, with what it measured, what was expected and why it is off."""

    id: int
    version: int
    kind: str
    at: datetime
    wall_kw: float
    battery_kw: float | None
    expected_kw: float
    fitted: bool
    not_fitted: str | None
    cause: str | None
    told: str
    excluded: bool
    note: str


class CurrentOut(Schema):
    amps: float
    wall_kw: float
    battery_kw: float
    lost: float
    range_km_per_h: float
    hours: float | None
    extra_kwh_per_100km: float | None
    extra_cost: float | None
    recommended: bool


class HookupOut(Schema):
    """A car on a lead: its chain, its rate, its readings, and every current side by side."""

    vehicle: str
    vehicle_name: str
    lead: str
    lead_name: str
    place: str
    voltage_v: float
    limit_a: float
    phases: int
    links: list[Link]
    source: Literal["measured", "assumed"]
    efficiency: float
    overhead_kw: float
    volts: float
    advice: str
    soc_from_pct: float
    soc_to_pct: float
    band: list[BandPoint]
    readings: list[ReadingOut]
    currents: list[CurrentOut]
    options: list[OptionOut]


class Hookups(Schema):
    timezone: str
    currency: str
    distance_unit: Literal["km", "mi"]
    now: datetime
    hookups: list[HookupOut]
    undo: str | None


class ReadingIn(Strict):
    """What the display shows, in any of the four kinds; core says which keys a kind needs."""

    kind: Literal["display", "meter", "span", "estimate"] = "display"
    at: Moment | None = None
    start: Moment | None = None
    end: Moment | None = None
    minutes: float | None = None
    volts: float | None = None
    amps: float | None = None
    kw: float | None = None
    kw_side: Literal["wall", "battery"] | None = None
    range_per_h: float | None = None
    range_unit: Literal["km", "mi"] | None = None
    soc_pct: float | None = None
    to_pct: float | None = None
    hours: float | None = None
    soc_from_pct: float | None = None
    soc_to_pct: float | None = None
    wall_kwh: float | None = None
    temperature_c: float | None = None
    cabin_on: bool | None = None
    note: str | None = None


class ReadingPreview(Schema):
    """What a reading says before it is kept."""

    wall_kw: float
    battery_kw: float | None
    lost: float | None
    range_km_per_h: float | None
    expected_kw: float
    expected_range_km_per_h: float
    fitted: bool
    not_fitted: str | None
    cause: str | None
    told: str


class RefusedRow(Schema):
    line: int
    reason: str


class Brought(Schema):
    """What a table came to: new rows, rows that are known already, and refused ones by line and reason."""

    new: int
    again: int
    refused: list[RefusedRow]
    kept: bool


class WhatIf(Strict):
    """Links as they might be; what is left out stays."""

    breaker_a: Annotated[float, Field(gt=0, le=1000)] | None = None
    dedicated: bool | None = None
    lead_a: Annotated[float, Field(gt=0, le=1000)] | None = None
    cable_a: Annotated[float, Field(gt=0, le=1000)] | None = None
    onboard_kw: Annotated[float, Field(gt=0, le=1000)] | None = None
    ceiling_a: Annotated[float, Field(gt=0, le=1000)] | None = None
    phases: Literal[1, 2, 3] | None = None


class OptionKept(Strict):
    """A what-if to keep; without a name it is called after what it changes."""

    name: Annotated[str, Field(max_length=200)] = ""
    links: WhatIf


class OutlookOut(Schema):
    """What a chain gives, and what decides it."""

    links: list[Link]
    amps: float
    phases: int
    wall_kw: float
    bottleneck: str | None
    next: str | None
    costs_power: list[str]
    no_charge: str | None
    battery_kw: float
    range_km_per_h: float
    hours: float | None
    night_km: float


class OptionOut(Schema):
    """A kept what-if, and what the chain would give."""

    id: int
    version: int
    name: str
    outlook: OutlookOut


class Outlooks(Schema):
    """The chain as it is and as it would be, with the cautions that would be new."""

    now: OutlookOut
    then: OutlookOut
    cautions: list[Caution]


class ReadingPatch(Strict):
    excluded: bool | None = None
    note: str | None = None
