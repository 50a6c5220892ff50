"""Every error in one shape: a code, a message, mistakes by field, and for a conflict what stands there now."""

from __future__ import annotations

import json
from typing import Any

from django.core.exceptions import ObjectDoesNotExist, RequestDataTooBig
from django.core.exceptions import ValidationError as FieldError
from django.http import HttpRequest, HttpResponse
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, ValidationError

from moonplan.core.mistakes import BadDocument, Mistake
from moonplan.household.editing import Conflict, MistakeOfRow, Refused

_LONGEST_VALUE = 80


def _shown(mistake: Mistake) -> dict[str, str]:
    whose = f" ({mistake.told})" if isinstance(mistake, MistakeOfRow) else ""
    return {"field": mistake.path, "value": str(mistake.value)[:_LONGEST_VALUE], "expected": mistake.expected + whose}


def _field_of(loc: tuple[Any, ...]) -> str:
    """The field's name, whichever entry of it the mistake is in."""
    _place, *steps = loc
    names = [step for step in steps if isinstance(step, str) and step != "given"]
    return ".".join(names) or "body"


def _value_at(request: HttpRequest, error: dict[str, Any]) -> Any:
    """What stood at the place of a failed check; nobody's password is told."""
    place, *steps = error["loc"]
    if error["type"] == "missing":
        return "missing"
    if not steps or steps[-1] == "password":
        return "…"
    if place != "body":
        return (request.POST if place == "form" else request.GET).get(steps[-1], "")
    found = json.loads(request.body)
    # The first step is the name of the route's parameter.
    for step in steps[1:]:
        if (isinstance(found, dict) and step in found) or (isinstance(found, list) and isinstance(step, int)):
            found = found[step]
    return found


# What would be right, in plain words, by how the kind of a failed check begins; figures in braces are the check's own.
_EXPECTED = {
    "missing": "a value",
    "extra_forbidden": "a known field",
    "datetime": "a time such as 07:30",
    "date": "a date such as 2026-01-15",
    "float": "a number",
    "decimal": "a number",
    "finite_number": "a number",
    "int": "a whole number",
    "bool": "true or false",
    "string_type": "a text",
    "string_too_long": "at most {max_length} characters",
    "string_too_short": "at least {min_length} characters",
    "list": "a list",
    "dict": "an object",
    "model": "an object",
    "too_long": "a list of at most {max_length}",
    "too_short": "a list of at least {min_length}",
    "less_than_equal": "at most {le:g}",
    "greater_than_equal": "at least {ge:g}",
    "greater_than": "more than {gt:g}",
}


def _expected(error: dict[str, Any]) -> str:
    for kind, words in _EXPECTED.items():
        if error["type"].startswith(kind):
            return words.format(**error.get("ctx", {}))
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
        mistakes = [Mistake(_field_of(e["loc"]), _value_at(request, e), _expected(e)) for e in error.errors]
        message = "; ".join(str(mistake) for mistake in mistakes)
        return answer(request, 422, "refused", message, mistakes=[_shown(mistake) for mistake in mistakes])

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
