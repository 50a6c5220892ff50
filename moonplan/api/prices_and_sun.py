"""The routes of the screens of prices and of sun: tariffs, series that are brought in, the roof, and what they come to."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja import File, Form, Query, Router
from ninja.files import UploadedFile

from moonplan.api import schemas as s
from moonplan.api.people import person_of
from moonplan.household import editing
from moonplan.household.models import Band, Person, Tariff
from moonplan.planning import series, sun, tariffs
from moonplan.planning.documents import planning_now
from moonplan.planning.tariff_comparison import MONTHS, comparison
from moonplan.planning.waiting import waiting_for_sun

router = Router()
PROBLEMS: dict[Any, Any] = dict.fromkeys((400, 401, 404, 409, 413, 422), s.Problem)
_TARIFF = "/prices/tariffs/{int:tariff_id}"


def _prices(person: Person) -> Any:
    return tariffs.prices_screen(person.household, planning_now())


def _tariff(person: Person, tariff_id: int) -> Tariff:
    return Tariff.objects.of(person.household).get(pk=tariff_id)


@router.get("/prices", response={200: s.PricesScreen, **PROBLEMS}, operation_id="prices")
def get_prices(request: HttpRequest) -> Any:
    return _prices(person_of(request))


@router.post("/prices/tariffs", response={200: s.PricesScreen, **PROBLEMS}, operation_id="new_tariff")
def new_tariff(request: HttpRequest, given: s.NewTariff) -> Any:
    person = person_of(request)
    fields = given.dict(exclude_none=True, exclude={"like"})
    tariffs.add_tariff(person, fields, like=given.like)
    return _prices(person)


@router.delete(_TARIFF, response={200: s.PricesScreen, **PROBLEMS}, operation_id="drop_tariff")
def drop_tariff(request: HttpRequest, tariff_id: int, version: int) -> Any:
    person = person_of(request)
    tariffs.remove_tariff(person, _tariff(person, tariff_id), version=version)
    return _prices(person)


@router.post(f"{_TARIFF}/strokes", response={200: s.PricesScreen, **PROBLEMS}, operation_id="paint_tariff")
def paint_tariff(request: HttpRequest, tariff_id: int, given: s.StrokeIn) -> Any:
    person = person_of(request)
    stroke = given.dict(exclude={"versions"})
    tariffs.paint(person, _tariff(person, tariff_id), stroke, given.versions)
    return _prices(person)


@router.post("/prices/bands/{int:band_id}/place", response={200: s.PricesScreen, **PROBLEMS}, operation_id="move_band")
def move_band(request: HttpRequest, band_id: int, version: int, given: s.BandMove) -> Any:
    person = person_of(request)
    tariffs.move_band(person, Band.objects.of(person.household).get(pk=band_id), given.to, version)
    return _prices(person)


@router.get(f"{_TARIFF}/paid", response={200: s.Paid, **PROBLEMS}, operation_id="paid")
def get_paid(request: HttpRequest, tariff_id: int, at: s.Moment) -> Any:
    person = person_of(request)
    moment = editing.on_the_clock(person.household, at)
    return tariffs.paid(_tariff(person, tariff_id), moment, planning_now())


@router.get("/prices/comparison", response={200: s.TariffComparison, **PROBLEMS}, operation_id="compare_tariffs")
def compare_tariffs(request: HttpRequest, tariff: Query[list[int]], months: Query[int] = MONTHS) -> Any:
    return comparison(person_of(request).household, planning_now(), tariff, months)


@router.post(f"{_TARIFF}/dated", response={200: s.SeriesBrought, **PROBLEMS}, operation_id="bring_prices")
def bring_prices(
    request: HttpRequest,
    tariff_id: int,
    file: File[UploadedFile],
    keep: Form[bool] = False,
    unit: Form[str] = "",
    zone: Form[str] = "",
) -> Any:
    person = person_of(request)
    how = {"unit": unit, "zone": zone, "tariff": _tariff(person, tariff_id)}
    return series.bring(person, "price", file, name=file.name or "", now=planning_now(), keep=keep, **how)


# --- sun -----------------------------------------------------------------------------------------------------------------


def _sun(person: Person) -> Any:
    return sun.sun_screen(person.household, planning_now())


@router.get("/sun", response={200: s.SunScreen, **PROBLEMS}, operation_id="sun")
def get_sun(request: HttpRequest) -> Any:
    return _sun(person_of(request))


@router.get("/sun/waiting", response={200: s.WaitingScreen, **PROBLEMS}, operation_id="waiting")
def get_waiting(request: HttpRequest, day: s.Day | None = None) -> Any:
    return waiting_for_sun(person_of(request).household, planning_now(), day)


@router.post("/sun/correction", response={200: s.SunScreen, **PROBLEMS}, operation_id="take_correction")
def take_correction(request: HttpRequest) -> Any:
    person = person_of(request)
    sun.take_correction(person, planning_now())
    return _sun(person)


@router.post("/sun/house_load", response={200: s.SunScreen, **PROBLEMS}, operation_id="take_load")
def take_load(request: HttpRequest, version: int) -> Any:
    person = person_of(request)
    sun.take_load(person, planning_now(), version)
    return _sun(person_of(request))


@router.post("/series/{kind}", response={200: s.SeriesBrought, **PROBLEMS}, operation_id="bring_series")
def bring_series(
    request: HttpRequest,
    kind: str,
    file: File[UploadedFile],
    keep: Form[bool] = False,
    unit: Form[str] = "",
    zone: Form[str] = "",
    green_button: Form[bool] = False,
) -> Any:
    person = person_of(request)
    if kind not in series.MEASURED:
        raise editing.Refused([editing.Mistake("kind", kind, f"one of {', '.join(series.MEASURED)}")])
    how = {"unit": unit, "zone": zone, "green_button": green_button}
    return series.bring(person, kind, file, name=file.name or "", now=planning_now(), keep=keep, **how)
