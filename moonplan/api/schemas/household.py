"""The household: its rows, made from the models so that a field is named once, and its drawing."""

from __future__ import annotations

from typing import Any, Literal

from django.db.models import FloatField, IntegerField, Model
from ninja import Schema
from ninja.orm import create_schema

from moonplan.api.schemas.common import Day, Moment, Strict
from moonplan.household import models as rows

# Columns of which core says what would be right: clock times, and what is one of the words that it knows.
_CLOCKS = frozenset(("bedtime", "wake", "usual_leave", "usual_back", "start", "end", "plug_in_from", "plug_in_to"))
_WORDS = frozenset(("currency", "timezone", "distance_unit", "habit", "kind", "control", "sharing", "across", "day_of"))
# JSON columns, whose contents the model can't tell, and the keys of other rows.
_TYPES: dict[str, Any] = {
    "id": int,
    "legs": list[str] | None,
    "steps_a": list[float],
    "days": list[str],
    "months": list[int] | None,
    "set_nights": list[str],
    "holidays": list[str],
    "usual_km": dict[str, float | None],
    "base_load_kw": list[list[str | float]],
    "sun_day_kw": list[list[str | float]],
    "feeder_id": int | None,
    "circuit_id": int,
    "lead_id": int,
    "vehicle_id": int,
    "tariff_id": int,
}


def _schema(model: type[Model], name: str, *, patch: bool) -> Any:
    """A schema with a model's own columns; in a patch every field may be left out."""
    left_out = {"household", "id", "version"} if patch else {"household"}
    columns = [field for field in model._meta.concrete_fields if field.name not in left_out]
    types = _TYPES | {
        field.attname: str | None if field.null else str for field in columns if field.attname in _CLOCKS | _WORDS
    }
    if patch:
        types |= {"leave": Moment, "back": Moment, "since": Day}
    named = [
        field.attname for field in columns if field.attname in types and not isinstance(field, IntegerField | FloatField)
    ]
    custom = [(field, types[field] | None if patch else types[field], None if patch else ...) for field in named]
    return create_schema(
        model,
        name=name,
        fields=[field.name for field in columns if field.attname not in named],
        optional_fields="__all__" if patch else None,
        custom_fields=custom,
        base_class=Strict if patch else Schema,
    )


def _row(model: type[Model], name: str) -> Any:
    return _schema(model, name, patch=False)


def _patch(model: type[Model], name: str) -> Any:
    return _schema(model, name, patch=True)


HouseholdRow, HouseholdPatch = _row(rows.Household, "HouseholdRow"), _patch(rows.Household, "HouseholdPatch")
FeederRow, FeederPatch = _row(rows.Feeder, "FeederRow"), _patch(rows.Feeder, "FeederPatch")
CircuitRow, CircuitPatch = _row(rows.Circuit, "CircuitRow"), _patch(rows.Circuit, "CircuitPatch")
LeadRow, LeadPatch = _row(rows.Lead, "LeadRow"), _patch(rows.Lead, "LeadPatch")
VehicleRow, VehiclePatch = _row(rows.Vehicle, "VehicleRow"), _patch(rows.Vehicle, "VehiclePatch")
TripRow, TripPatch = _row(rows.Trip, "TripRow"), _patch(rows.Trip, "TripPatch")
TariffRow, TariffPatch = _row(rows.Tariff, "TariffRow"), _patch(rows.Tariff, "TariffPatch")
ArrayRow, ArrayPatch = _row(rows.Array, "ArrayRow"), _patch(rows.Array, "ArrayPatch")
BandRow, BandPatch = _row(rows.Band, "BandRow"), _patch(rows.Band, "BandPatch")


class Link(Schema):
    link: str
    amps: float


class LinkPower(Schema):
    id: int
    amps: float
    kw: float


class SupplyPower(Schema):
    amps: float
    kw: float


class VehicleChain(Schema):
    """A car's chain on a lead, its bottleneck and what would decide next. costs_power : what steps and phases cost."""

    id: int
    lead: int
    links: list[Link]
    phases: int
    rate_source: Literal["measured", "assumed"]
    amps: float
    wall_kw: float
    battery_kw: float
    km_per_h: float
    bottleneck: str
    next: str | None
    costs_power: list[str]
    no_charge: str | None


class Caution(Schema):
    code: str
    about: Literal["circuit", "lead", "supply"]
    subject: str
    title: str
    because: str
    advice: str


class ReadableCaution(Caution):
    """A caution, and whether the person who asks has read it as it stands."""

    read: bool


class CautionMark(Strict):
    code: str
    about: str
    subject: str
    read: bool


class Drawing(Schema):
    supply: SupplyPower
    circuits: list[LinkPower]
    leads: list[LinkPower]
    vehicles: list[VehicleChain]
    reach: list[VehicleChain]
    cautions: list[ReadableCaution]


class WholeHousehold(Schema):
    """Everything that the household drawing shows and edits."""

    household: HouseholdRow  # type: ignore[valid-type]
    feeders: list[FeederRow]  # type: ignore[valid-type]
    circuits: list[CircuitRow]  # type: ignore[valid-type]
    leads: list[LeadRow]  # type: ignore[valid-type]
    vehicles: list[VehicleRow]  # type: ignore[valid-type]
    trips: list[TripRow]  # type: ignore[valid-type]
    tariffs: list[TariffRow]  # type: ignore[valid-type]
    bands: list[BandRow]  # type: ignore[valid-type]
    drawing: Drawing
    undo: str | None
