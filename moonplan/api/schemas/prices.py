"""Prices: tariffs as they come out, bands, bills and comparisons."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Any, Literal

from ninja import Schema
from pydantic import Field

from moonplan.api.schemas.common import Day, Strict
from moonplan.api.schemas.files import Span


class FeedShown(Schema):
    key: str
    name: str
    simulated: bool
    step_minutes: int


class LineShown(Schema):
    """A band, and how it fares: hours of a week in which it holds, and in which it would if it stood alone."""

    id: int
    version: int
    name: str
    price: str
    start: str
    end: str
    days: list[str]
    months: list[int] | None
    hours_a_week: float
    claimed_hours_a_week: float
    beaten_by: list[str]

    @staticmethod
    def resolve_price(obj: Any) -> str:
        return str(obj["price"])


class WeekShown(Schema):
    """An ordinary week of some months, half hour by half hour, Monday first.

    line : place in the list of bands, its length for the default price. beaten : places of bands that match there too.
    """

    months: list[int]
    line: list[list[int]]
    price: list[list[float]]
    beaten: list[list[list[int]]]


class PriceAhead(Schema):
    at: datetime
    price: float | None


class TariffShown(Schema):
    """A tariff with its weeks. depths : how deep each line is drawn, the default price last."""

    id: int
    version: int
    in_force: bool
    name: str
    since: date | None
    rival: bool
    default_price: str
    export_price: str
    daily_charge: str
    monthly_per_kw: str
    contracted_kw: float | None
    day_of: str
    holidays: list[str]
    feed: str
    bands: list[LineShown]
    default_hours_a_week: float
    depths: list[int]
    weeks: list[WeekShown]
    dated: Span | None
    ahead: list[PriceAhead]

    @staticmethod
    def resolve_default_price(obj: Any) -> str:
        return str(obj["default_price"])

    @staticmethod
    def resolve_export_price(obj: Any) -> str:
        return str(obj["export_price"])

    @staticmethod
    def resolve_daily_charge(obj: Any) -> str:
        return str(obj["daily_charge"])

    @staticmethod
    def resolve_monthly_per_kw(obj: Any) -> str:
        return str(obj["monthly_per_kw"])


class PricesScreen(Schema):
    timezone: str
    currency: str
    distance_unit: Literal["km", "mi"]
    now: datetime
    undo: str | None
    feeds: list[FeedShown]
    tariffs: list[TariffShown]


class NewTariff(Strict):
    """like : the tariff whose bands and charges it begins with."""

    name: Annotated[str, Field(min_length=1, max_length=200)]
    since: Day | None = None
    rival: bool = False
    default_price: float | None = None
    like: int | None = None


class StrokeIn(Strict):
    """Hours of the week for one line of the sheet; versions : of the bands, by id, as they are shown."""

    line: int
    days: list[int]
    start: str
    end: str
    months: list[int]
    versions: dict[str, int]


class BandMove(Strict):
    to: int


class Paid(Schema):
    """What is paid at an instant. line : place in the list; beaten : bands that match too, further down."""

    at: datetime
    price: float
    name: str
    line: int | None
    beaten: list[str]
    dated: bool
    holiday: bool


class BillOut(Schema):
    """What some time costs under a tariff. undated_part : share of the time for which dated prices were missing."""

    cars: float
    plug_and_go: float
    house: float
    fixed: float
    together: float
    a_month: float
    cars_per_100km: float
    wall_kwh: float
    solar_kwh: float
    km: float
    short_kwh: float
    undated_part: float


class ComparedTariff(Schema):
    id: int
    name: str
    dated: bool


class BillsOfMonth(Schema):
    month: str
    bills: list[BillOut]


class Turn(Schema):
    """Two tariffs. km_a_month : from which distance on the order changes, if any changes it."""

    km_a_month: float | None
    below: str
    above: str
    now_km_a_month: float
    cheaper_now: str
    saves_a_year: float


class TariffComparison(Schema):
    """Bills stand in the order of the tariffs. of : months in all; turns are told once all are worked out."""

    tariffs: list[ComparedTariff]
    of: int
    simulated: list[str]
    months: list[BillsOfMonth]
    totals: list[BillOut]
    turns: list[Turn]
