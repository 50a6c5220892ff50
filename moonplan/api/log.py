"""The routes of the log: nights beside their plans, sessions, files of them, and a month's statement."""

from __future__ import annotations

from typing import Annotated, Any

from django.http import HttpRequest, HttpResponse
from ninja import File, Form, Path, Router
from ninja.files import UploadedFile

from moonplan.api import schemas as s
from moonplan.api.people import person_of
from moonplan.api.prices_and_sun import PROBLEMS
from moonplan.household.models import Person, Vehicle
from moonplan.logbook.models import LoggedSession
from moonplan.planning import ledger, log_files, writing_down
from moonplan.planning.documents import planning_now
from moonplan.planning.log import log, unwritten
from moonplan.planning.series import text_of

router = Router()
Year = Annotated[int, Path(ge=2000, le=2200)]
Month = Annotated[int, Path(ge=1, le=12)]


def _vehicle(person: Person, vehicle_id: int) -> Vehicle:
    return Vehicle.objects.of(person.household).get(pk=vehicle_id)


def _session(person: Person, session_id: int) -> LoggedSession:
    return LoggedSession.objects.of(person.household).get(pk=session_id)


@router.get("/log", response={200: s.Log, **PROBLEMS}, operation_id="log")
def get_log(request: HttpRequest, until: s.Day | None = None) -> Any:
    return log(person_of(request), planning_now(), until)


@router.get("/log/unwritten", response={200: s.Unwritten, **PROBLEMS}, operation_id="unwritten")
def get_unwritten(request: HttpRequest) -> Any:
    return unwritten(person_of(request).household, planning_now())


@router.post("/log/cars/{int:vehicle_id}/sessions", response={200: s.Log, **PROBLEMS}, operation_id="write_session_down")
def write_session_down(request: HttpRequest, vehicle_id: int, given: s.SessionIn, until: s.Day | None = None) -> Any:
    person, now = person_of(request), planning_now()
    writing_down.write_down(person, _vehicle(person, vehicle_id), given.dict(), now)
    return log(person, now, until)


@router.post("/log/cars/{int:vehicle_id}/nights", response={200: s.Log, **PROBLEMS}, operation_id="tell_night")
def tell_night(request: HttpRequest, vehicle_id: int, given: s.NightTold, until: s.Day | None = None) -> Any:
    person, now = person_of(request), planning_now()
    tell = writing_down.went_as_planned if given.charged else writing_down.did_not_charge
    tell(person, _vehicle(person, vehicle_id), given.night, now)
    return log(person, now, until)


@router.patch("/log/sessions/{int:session_id}", response={200: s.Log, **PROBLEMS}, operation_id="correct_session")
def correct_session(
    request: HttpRequest, session_id: int, version: int, given: s.SessionPatch, until: s.Day | None = None
) -> Any:
    person, now = person_of(request), planning_now()
    fields = given.dict(exclude_unset=True)
    writing_down.change(person, _session(person, session_id), fields, version=version, now=now)
    return log(person, now, until)


@router.delete("/log/sessions/{int:session_id}", response={200: s.Log, **PROBLEMS}, operation_id="take_session_out")
def take_session_out(request: HttpRequest, session_id: int, version: int, until: s.Day | None = None) -> Any:
    person = person_of(request)
    writing_down.remove(person, _session(person, session_id), version=version)
    return log(person, planning_now(), until)


@router.post("/log/table", response={200: s.Brought, **PROBLEMS}, operation_id="bring_sessions")
def bring_sessions(request: HttpRequest, file: File[UploadedFile], keep: Form[bool] = False) -> Any:
    return log_files.bring(person_of(request), text_of(file), planning_now(), keep=keep)


@router.get("/log/statements/{int:year}/{int:month}", response={200: s.StatementOut, **PROBLEMS}, operation_id="statement")
def get_statement(request: HttpRequest, year: Year, month: Month) -> Any:
    return ledger.statement(person_of(request).household, planning_now(), year, month)


@router.get("/log/sessions.csv", operation_id="take_away_sessions", include_in_schema=False)
def take_away_sessions(request: HttpRequest) -> HttpResponse:
    return _csv(log_files.as_csv(person_of(request).household))


@router.get("/log/statements/{int:year}/{int:month}.csv", operation_id="take_away_statement", include_in_schema=False)
def take_away_statement(request: HttpRequest, year: Year, month: Month) -> HttpResponse:
    return _csv(log_files.statement_csv(person_of(request).household, planning_now(), year, month))


@router.get("/log/statements/{int:year}/{int:month}.xlsx", operation_id="take_away_workbook", include_in_schema=False)
def take_away_workbook(request: HttpRequest, year: Year, month: Month) -> HttpResponse:
    book = log_files.statement_xlsx(person_of(request).household, planning_now(), year, month)
    return HttpResponse(book, content_type="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet")


def _csv(text: str) -> HttpResponse:
    return HttpResponse(text, content_type="text/csv; charset=utf-8")
