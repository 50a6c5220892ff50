"""The routes: who is asking, what is asked, core through planning, and the schema back. No rule of the job."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from django.contrib.auth import authenticate, login, logout
from django.http import HttpRequest, HttpResponse
from ninja import File, Form, NinjaAPI, Query, Router
from ninja.files import UploadedFile
from ninja.parser import Parser
from ninja.security import APIKeyCookie, django_auth
from pydantic_core import from_json

from moonplan.api import schemas as s
from moonplan.api.errors import install_errors
from moonplan.api.log import router as log
from moonplan.api.people import person_of
from moonplan.api.prices_and_sun import PROBLEMS
from moonplan.api.prices_and_sun import router as prices_and_sun
from moonplan.core.planner.compare import compare, comparison_document
from moonplan.household import accounts, editing
from moonplan.household import models as rows
from moonplan.household.models import Change, Household, Person
from moonplan.logbook.models import OdometerReading, RateReading
from moonplan.planning import calendars, cautions, days, rates, refining, usual, ways_out
from moonplan.planning.documents import as_core, core_household, household_document, planning_now
from moonplan.planning.drawing import drawing
from moonplan.planning.evenings import set_evening
from moonplan.planning.heading import heading
from moonplan.planning.series import text_of
from moonplan.planning.shown import goes_on
from moonplan.planning.tonight import edit_evening, night_with, tonight

# How many nights a plan is asked for: left out, as many as Tonight plans, or a week.
OF_TONIGHT: Any = Query(None, ge=days.FEWEST, le=days.MOST)
NIGHTS: Any = Query(7, ge=days.FEWEST, le=days.MOST)


class FromOurPages(APIKeyCookie):
    """Anyone, signed in or not, as long as the request comes with the page's CSRF token."""

    param_name = "csrftoken"

    def authenticate(self, request: HttpRequest, key: str | None) -> bool:
        return bool(key)


class Readable(Parser):
    """Bodies that hold only text that can be stored: half a surrogate pair is none."""

    def parse_body(self, request: HttpRequest) -> Any:
        return from_json(request.body)


api = NinjaAPI(title="Moon Plan", version="1", auth=django_auth, parser=Readable(), docs_url=None, urls_namespace="api")
install_errors(api)
api.add_router("", prices_and_sun)
api.add_router("", log)


def _who(request: HttpRequest) -> dict[str, Any]:
    person = Person.objects.select_related("household", "user").filter(user_id=request.user.pk).first()
    return {
        "name": None if person is None else str(person),
        "household": None if person is None else person.household.name,
        "set_up": bool(person and person.household.set_up),
        "now": planning_now(),
    }


@api.get("/session", response=s.Who, auth=None, operation_id="who")
def who(request: HttpRequest) -> Any:
    return _who(request)


@api.post("/session", response={200: s.Who, **PROBLEMS}, auth=FromOurPages(), operation_id="sign_in")
def sign_in(request: HttpRequest, given: s.SignIn) -> Any:
    user = authenticate(request, username=given.username, password=given.password)
    if user is None:
        raise editing.Refused([editing.Mistake("password", "…", "the name and password of an account here")])
    login(request, user)
    return _who(request)


@api.delete("/session", response={200: s.Who, **PROBLEMS}, operation_id="sign_out")
def sign_out(request: HttpRequest) -> Any:
    logout(request)
    return _who(request)


@api.post("/join", response={200: s.Who, **PROBLEMS}, auth=FromOurPages(), operation_id="join")
def join(request: HttpRequest, given: s.Join) -> Any:
    person = accounts.join(given.token, given.username, given.password)
    login(request, person.user, backend="django.contrib.auth.backends.ModelBackend")
    return _who(request)


@api.post("/invitations", response={200: s.Invite, **PROBLEMS}, operation_id="invite")
def invite(request: HttpRequest) -> Any:
    return {"path": accounts.invitation_path(person_of(request).household)}


# --- tonight -------------------------------------------------------------------------------------------------------------


@api.get("/tonight", response={200: s.Tonight, **PROBLEMS}, operation_id="tonight")
def get_tonight(request: HttpRequest) -> Any:
    return tonight(person_of(request))


@api.patch("/tonight/{int:vehicle_id}", response={200: s.Tonight, **PROBLEMS}, operation_id="edit_evening")
def patch_tonight(request: HttpRequest, vehicle_id: int, given: s.EveningEdit) -> Any:
    person = person_of(request)
    vehicle = rows.Vehicle.objects.of(person.household).get(pk=vehicle_id)
    edit_evening(person, vehicle, given.dict(exclude_unset=True, exclude={"versions"}), given.versions)
    return tonight(person)


@api.post("/tonight/{int:vehicle_id}/night", response={200: s.CarNight, **PROBLEMS}, operation_id="night_with")
def post_night_with(request: HttpRequest, vehicle_id: int, given: s.EveningEdit) -> Any:
    """What the night would come to with an edit; nothing is kept."""
    person = person_of(request)
    vehicle = rows.Vehicle.objects.of(person.household).get(pk=vehicle_id)
    return night_with(person, vehicle, given.dict(exclude_unset=True, exclude={"versions"}), given.versions)


@api.get("/refinement", response={200: s.Refinement, **PROBLEMS}, operation_id="refinement")
def get_refinement(request: HttpRequest, nights: int | None = OF_TONIGHT) -> Any:
    """How the longer search for tonight's plan stands, or for that of the coming nights."""
    household = person_of(request).household
    return refining.standing(household_document(household, planning_now(), nights), goes_on(household))


@api.get("/habits", response={200: s.Comparison, **PROBLEMS}, operation_id="compare_habits")
def compare_habits(request: HttpRequest, nights: int | None = OF_TONIGHT) -> Any:
    household = person_of(request).household
    given = household_document(household, planning_now(), nights)
    return comparison_document(compare(as_core(given), refining.best_known(given, goes_on(household))))


# --- the days ahead ------------------------------------------------------------------------------------------------------


@api.get("/days", response={200: s.Days, **PROBLEMS}, operation_id="days")
def get_days(request: HttpRequest, nights: int = NIGHTS) -> Any:
    return days.days(person_of(request), nights)


@api.post("/days/trips", response={200: s.Days, **PROBLEMS}, operation_id="add_day_trip")
def add_day_trip(request: HttpRequest, given: s.TripEdit, nights: int = NIGHTS) -> Any:
    person = person_of(request)
    days.save_trip(person, None, 0, given.dict(exclude_unset=True))
    return days.days(person, nights)


@api.patch("/days/trips/{int:trip_id}", response={200: s.Days, **PROBLEMS}, operation_id="edit_day_trip")
def edit_day_trip(request: HttpRequest, trip_id: int, version: int, given: s.TripEdit, nights: int = NIGHTS) -> Any:
    person = person_of(request)
    days.save_trip(person, trip_id, version, given.dict(exclude_unset=True))
    return days.days(person, nights)


@api.delete("/days/trips/{int:trip_id}", response={200: s.Days, **PROBLEMS}, operation_id="remove_day_trip")
def remove_day_trip(request: HttpRequest, trip_id: int, version: int, nights: int = NIGHTS) -> Any:
    person = person_of(request)
    days.remove_trip(person, trip_id, version)
    return days.days(person, nights)


@api.post("/days/trips/{int:trip_id}/copies", response={200: s.Days, **PROBLEMS}, operation_id="repeat_day_trip")
def repeat_day_trip(request: HttpRequest, trip_id: int, given: s.Repeat, nights: int = NIGHTS) -> Any:
    person = person_of(request)
    days.repeat_trip(person, trip_id, given.days)
    return days.days(person, nights)


@api.patch("/days/nights/{int:vehicle_id}/{night}", response={200: s.Days, **PROBLEMS}, operation_id="edit_night")
def edit_night(
    request: HttpRequest, vehicle_id: int, night: s.Day, version: int, given: s.NightEdit, nights: int = NIGHTS
) -> Any:
    person = person_of(request)
    vehicle = rows.Vehicle.objects.of(person.household).get(pk=vehicle_id)
    fields = {"plugged_in": given.plugged_in}
    set_evening(person, vehicle, night, fields, what=f"{vehicle.name}: {night:%A} night", version=version)
    return days.days(person, nights)


@api.put("/days/at_home/{int:vehicle_id}/{day}", response={200: s.Days, **PROBLEMS}, operation_id="stay_at_home")
def put_at_home(request: HttpRequest, vehicle_id: int, day: s.Day, given: s.AtHome, nights: int = NIGHTS) -> Any:
    person = person_of(request)
    vehicle = rows.Vehicle.objects.of(person.household).get(pk=vehicle_id)
    usual.stay_at_home(person, vehicle, day, at_home=given.at_home)
    return days.days(person, nights)


@api.get("/ways_out", response={200: s.WaysOut, **PROBLEMS}, operation_id="ways_out")
def get_ways_out(request: HttpRequest, vehicle: int, by: s.Moment, nights: int | None = OF_TONIGHT) -> Any:
    return {"ways": ways_out.ways_out(person_of(request), vehicle, by, nights)}


@api.post("/days/ways_out", response={200: s.Days, **PROBLEMS}, operation_id="take_way_out")
def take_way_out(request: HttpRequest, given: s.WayTaken, nights: int = NIGHTS) -> Any:
    person = person_of(request)
    ways_out.take_way_out(person, given.vehicle, given.by, nights, given.told)
    return days.days(person, nights)


@api.post("/tonight/ways_out", response={200: s.Tonight, **PROBLEMS}, operation_id="take_way_out_tonight")
def take_way_out_tonight(request: HttpRequest, given: s.WayTaken) -> Any:
    person = person_of(request)
    ways_out.take_way_out(person, given.vehicle, given.by, None, given.told)
    return tonight(person)


@api.get("/usual", response={200: s.Usual, **PROBLEMS}, operation_id="usual")
def get_usual(request: HttpRequest) -> Any:
    return usual.usual_of(person_of(request).household, planning_now())


@api.post("/usual/{int:vehicle_id}/odometer", response={200: s.Usual, **PROBLEMS}, operation_id="read_odometer")
def read_odometer(request: HttpRequest, vehicle_id: int, given: s.OdometerIn) -> Any:
    person = person_of(request)
    vehicle = rows.Vehicle.objects.of(person.household).get(pk=vehicle_id)
    usual.read_odometer(person, vehicle, given.model_dump(exclude_unset=True, mode="json"), planning_now())
    return usual.usual_of(person.household, planning_now())


@api.post("/usual/{int:vehicle_id}/table", response={200: s.Brought, **PROBLEMS}, operation_id="bring_odometer")
def bring_odometer(request: HttpRequest, vehicle_id: int, file: File[UploadedFile], keep: Form[bool] = False) -> Any:
    person = person_of(request)
    vehicle = rows.Vehicle.objects.of(person.household).get(pk=vehicle_id)
    return usual.bring_odometer(person, vehicle, text_of(file), keep=keep)


@api.delete("/usual/odometer/{int:reading_id}", response={200: s.Usual, **PROBLEMS}, operation_id="remove_odometer")
def remove_odometer(request: HttpRequest, reading_id: int, version: int) -> Any:
    person = person_of(request)
    row = OdometerReading.objects.of(person.household).get(pk=reading_id)
    editing.remove(person, row, version=version, what=f"{row.vehicle.name}: odometer removed")
    return usual.usual_of(person.household, planning_now())


@api.post("/calendar", response={200: s.CalendarBrought, **PROBLEMS}, operation_id="bring_calendar")
def bring_calendar(request: HttpRequest, given: s.CalendarIn) -> Any:
    answers = [answer.dict() for answer in given.answers]
    return calendars.bring_calendar(person_of(request), given.text, answers, dropped_too=given.dropped_too, keep=given.keep)


@api.get("/calendar", response={200: s.FeedOut, **PROBLEMS}, operation_id="feed")
def get_feed(request: HttpRequest) -> Any:
    return {"path": calendars.feed_path(person_of(request).household)}


@api.post("/calendar/renewal", response={200: s.FeedOut, **PROBLEMS}, operation_id="renew_feed")
def renew_feed(request: HttpRequest) -> Any:
    household = person_of(request).household
    calendars.renew_feed(household)
    return {"path": calendars.feed_path(household)}


@api.put("/cautions", response={200: s.CautionMark, **PROBLEMS}, operation_id="mark_caution")
def mark_caution(request: HttpRequest, given: s.CautionMark) -> Any:
    person = person_of(request)
    document = core_household(person.household, planning_now())
    cautions.mark(person, document, (given.code, given.about, given.subject), read=given.read)
    return given


@api.post("/undo", response={200: s.Who, **PROBLEMS}, operation_id="undo")
def undo(request: HttpRequest) -> Any:
    editing.undo(person_of(request))
    return _who(request)


# --- readings ------------------------------------------------------------------------------------------------------------


def _hookups(household: Household) -> dict[str, Any]:
    now = planning_now()
    return heading(household, now) | {"hookups": rates.hookups(household, core_household(household, now))}


def _pair(person: Person, vehicle_id: int, lead_id: int) -> tuple[rows.Vehicle, rows.Lead]:
    vehicle = rows.Vehicle.objects.of(person.household).get(pk=vehicle_id)
    return vehicle, rows.Lead.objects.of(person.household).get(pk=lead_id)


@api.get("/hookups", response={200: s.Hookups, **PROBLEMS}, operation_id="hookups")
def get_hookups(request: HttpRequest) -> Any:
    return _hookups(person_of(request).household)


_HOOKUP = "/hookups/{int:vehicle_id}/{int:lead_id}"


@api.post(f"{_HOOKUP}/preview", response={200: s.ReadingPreview, **PROBLEMS}, operation_id="preview_reading")
def preview_reading(request: HttpRequest, vehicle_id: int, lead_id: int, given: s.ReadingIn) -> Any:
    person = person_of(request)
    vehicle, lead = _pair(person, vehicle_id, lead_id)
    made = core_household(person.household, planning_now())
    return rates.preview(person.household, made, (str(vehicle.pk), str(lead.pk)), _typed(person, given))


@api.post(f"{_HOOKUP}/readings", response={200: s.Hookups, **PROBLEMS}, operation_id="take_reading")
def take_reading(request: HttpRequest, vehicle_id: int, lead_id: int, given: s.ReadingIn) -> Any:
    person = person_of(request)
    vehicle, lead = _pair(person, vehicle_id, lead_id)
    rates.take(person, vehicle, lead, _typed(person, given), planning_now())
    return _hookups(person.household)


@api.post(f"{_HOOKUP}/what_if", response={200: s.Outlooks, **PROBLEMS}, operation_id="what_if")
def what_if(request: HttpRequest, vehicle_id: int, lead_id: int, given: s.WhatIf) -> Any:
    person = person_of(request)
    vehicle, lead = _pair(person, vehicle_id, lead_id)
    made = core_household(person.household, planning_now())
    return rates.what_if(person.household, made, (str(vehicle.pk), str(lead.pk)), given.dict(exclude_unset=True))


@api.post(f"{_HOOKUP}/options", response={200: s.Hookups, **PROBLEMS}, operation_id="keep_option")
def keep_option(request: HttpRequest, vehicle_id: int, lead_id: int, given: s.OptionKept) -> Any:
    person = person_of(request)
    pair = _pair(person, vehicle_id, lead_id)
    made = core_household(person.household, planning_now())
    rates.keep_option(person, made, pair, given.name, given.links.dict(exclude_unset=True))
    return _hookups(person.household)


@api.delete("/options/{int:option_id}", response={200: s.Hookups, **PROBLEMS}, operation_id="throw_option_away")
def throw_option_away(request: HttpRequest, option_id: int, version: int) -> Any:
    person = person_of(request)
    row = rows.Option.objects.of(person.household).get(pk=option_id)
    editing.remove(person, row, version=version, what=f"option {row.name} thrown away")
    return _hookups(person.household)


@api.post(f"{_HOOKUP}/table", response={200: s.Brought, **PROBLEMS}, operation_id="bring_readings")
def bring_readings(
    request: HttpRequest, vehicle_id: int, lead_id: int, file: File[UploadedFile], keep: Form[bool] = False
) -> Any:
    person = person_of(request)
    vehicle, lead = _pair(person, vehicle_id, lead_id)
    return rates.bring(person, vehicle, lead, text_of(file), keep=keep)


@api.get(f"{_HOOKUP}/readings.csv", operation_id="take_away_readings", include_in_schema=False)
def take_away_readings(request: HttpRequest, vehicle_id: int, lead_id: int) -> HttpResponse:
    person = person_of(request)
    vehicle, lead = _pair(person, vehicle_id, lead_id)
    mine = RateReading.objects.of(person.household).filter(vehicle=vehicle, lead=lead)
    return HttpResponse(rates.as_csv(list(mine)), content_type="text/csv; charset=utf-8")


@api.patch("/readings/{int:reading_id}", response={200: s.Hookups, **PROBLEMS}, operation_id="edit_reading")
def edit_reading(request: HttpRequest, reading_id: int, version: int, given: s.ReadingPatch) -> Any:
    person = person_of(request)
    row = RateReading.objects.of(person.household).get(pk=reading_id)
    fields = given.dict(exclude_unset=True)
    editing.change(person, row, fields, version=version, what=f"{row.vehicle.name}: reading")
    return _hookups(person.household)


def _typed(person: Person, given: s.ReadingIn) -> dict[str, Any]:
    """A reading as it was typed, its times on the household's own clock."""
    told = {key: editing.on_the_clock(person.household, value) for key, value in given.dict(exclude_unset=True).items()}
    return {key: value.isoformat() if isinstance(value, datetime) else value for key, value in told.items()}


# --- the household -------------------------------------------------------------------------------------------------------


def _whole(person: Person) -> dict[str, Any]:
    household = Household.objects.get(pk=person.household_id)
    person.household = household
    last = Change.objects.filter(household=household, undone=False).first()
    return {
        "household": household,
        "feeders": rows.Feeder.objects.of(household),
        "circuits": rows.Circuit.objects.of(household),
        "leads": rows.Lead.objects.of(household),
        "vehicles": rows.Vehicle.objects.of(household),
        "trips": rows.Trip.objects.of(household).filter(back__gt=planning_now()),
        "tariffs": rows.Tariff.objects.of(household),
        "bands": rows.Band.objects.of(household),
        "drawing": drawing(person),
        "undo": None if last is None else last.what,
    }


@api.get("/household", response={200: s.WholeHousehold, **PROBLEMS}, operation_id="household")
def get_household(request: HttpRequest) -> Any:
    return _whole(person_of(request))


@api.patch("/household", response={200: s.WholeHousehold, **PROBLEMS}, operation_id="edit_household")
def patch_household(request: HttpRequest, version: int, given: s.HouseholdPatch) -> Any:  # type: ignore[valid-type]
    person = person_of(request)
    fields = given.dict(exclude_unset=True)  # type: ignore[attr-defined]
    what = "first evening" if fields.keys() == {"set_up"} else "household"
    editing.change(person, person.household, fields, version=version, what=what)
    return _whole(person)


def _rows(kind: str, patch: Any) -> Router:
    """Add, change and remove rows of one kind."""
    router = Router()
    model = editing.model_of(kind)

    def add(request: HttpRequest, given: patch) -> Any:
        person = person_of(request)
        fields = given.dict(exclude_unset=True)
        editing.add(person, kind, fields, what=f"{fields.get('name') or kind} added")
        return _whole(person)

    def change(request: HttpRequest, row_id: int, version: int, given: patch) -> Any:
        person = person_of(request)
        row = model.objects.of(person.household).get(pk=row_id)
        editing.change(person, row, given.dict(exclude_unset=True), version=version, what=str(row))
        return _whole(person)

    def remove(request: HttpRequest, row_id: int, version: int) -> Any:
        person = person_of(request)
        if kind == "trip":
            days.remove_trip(person, row_id, version)
        else:
            row = model.objects.of(person.household).get(pk=row_id)
            editing.remove(person, row, version=version, what=f"{row} removed")
        return _whole(person)

    # The annotation names a schema made per kind; it must be the class itself, not its name.
    add.__annotations__["given"] = change.__annotations__["given"] = patch
    answers = {200: s.WholeHousehold, **PROBLEMS}
    router.post("/", response=answers, operation_id=f"add_{kind}")(add)
    router.patch("/{int:row_id}", response=answers, operation_id=f"edit_{kind}")(change)
    router.delete("/{int:row_id}", response=answers, operation_id=f"remove_{kind}")(remove)
    return router


for _kind, _patch in (
    ("feeder", s.FeederPatch),
    ("circuit", s.CircuitPatch),
    ("lead", s.LeadPatch),
    ("vehicle", s.VehiclePatch),
    ("trip", s.TripPatch),
    ("tariff", s.TariffPatch),
    ("band", s.BandPatch),
    ("array", s.ArrayPatch),
):
    api.add_router(f"/{_kind}s", _rows(_kind, _patch))
