"""Every error in one shape: a code, a message, mistakes by field, and for a conflict what stands there now."""

from __future__ import annotations

from typing import Any

from django.core.exceptions import ObjectDoesNotExist, RequestDataTooBig
from django.core.exceptions import ValidationError as FieldError
from django.http import HttpRequest, HttpResponse
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, ValidationError

from moonplan.core.mistakes import BadDocument, Mistake
from moonplan.household.editing import Conflict, MistakeOfRow, Refused


def _shown(mistake: Mistake) -> dict[str, str]:
    whose = f"{mistake.told}: " if isinstance(mistake, MistakeOfRow) else ""
    return {"field": mistake.path, "value": str(mistake.value), "expected": whose + mistake.expected}


def _field_of(loc: tuple[Any, ...]) -> str:
    """The field's name, whichever entry of it the mistake is in."""
    names = [step for step in loc if isinstance(step, str) and step not in ("body", "given", "query", "path")]
    return ".".join(names) or "body"


_NUMBERS = dict.fromkeys(("float_parsing", "float_type", "decimal_parsing"), "a number") | dict.fromkeys(
    ("int_parsing", "int_type", "int_from_float"), "a whole number"
)


def _expected(error: dict[str, Any]) -> str:
    if error["type"].startswith("datetime"):
        return "a time such as 07:30"
    if error["type"] in _NUMBERS:
        return _NUMBERS[error["type"]]
    if error["type"] == "extra_forbidden":
        return "a known field"
    return str(error["msg"]).removeprefix("Input should be ").removeprefix("Value error, ")


def install_errors(api: NinjaAPI) -> None:
    """Answer every exception that a route may raise with the one error shape."""

    def answer(request: HttpRequest, status: int, code: str, message: str, **more: Any) -> HttpResponse:
        return api.create_response(request, {"code": code, "message": message, "mistakes": [], **more}, status=status)

    @api.exception_handler(Refused)
    @api.exception_handler(BadDocument)
    def refused(request: HttpRequest, error: Any) -> HttpResponse:
        mistakes = [_shown(mistake) for mistake in error.mistakes]
        return answer(request, 422, "refused", str(error), mistakes=mistakes)

    @api.exception_handler(ValidationError)
    def invalid(request: HttpRequest, error: Any) -> HttpResponse:
        mistakes = [
            {"field": _field_of(e["loc"]), "value": str(e.get("input", ""))[:80], "expected": _expected(e)}
            for e in error.errors
        ]
        return answer(request, 422, "refused", "; ".join(m["expected"] for m in mistakes), mistakes=mistakes)

    @api.exception_handler(FieldError)
    def bad_field(request: HttpRequest, error: Any) -> HttpResponse:
        return answer(request, 422, "refused", "; ".join(error.messages))

    @api.exception_handler(Conflict)
    def conflict(request: HttpRequest, error: Any) -> HttpResponse:
        return answer(request, 409, "conflict", str(error), current=error.current, version=error.version, by=error.by)

    @api.exception_handler(ObjectDoesNotExist)
    def missing(request: HttpRequest, error: Any) -> HttpResponse:
        return answer(request, 404, "not_found", "no such thing in this household")

    @api.exception_handler(AuthenticationError)
    def not_signed_in(request: HttpRequest, error: Any) -> HttpResponse:
        return answer(request, 401, "not_signed_in", "sign in first")

    @api.exception_handler(RequestDataTooBig)
    def too_large(request: HttpRequest, error: Any) -> HttpResponse:
        return answer(request, 413, "too_large", "at most 2 MB at once")

    @api.exception_handler(HttpError)
    def failed(request: HttpRequest, error: Any) -> HttpResponse:
        return answer(request, error.status_code, "failed", str(error))
