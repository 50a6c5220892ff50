"""Which open page a request comes from, where it says so."""

from __future__ import annotations

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse

from moonplan.household.editing import from_page
from moonplan.household.models import Change

_LONGEST = Change._meta.get_field("page").max_length


def open_page(get_response: Callable[[HttpRequest], HttpResponse]) -> Callable[[HttpRequest], HttpResponse]:
    """Middleware: what an answer changes counts as done by the open page that the request names."""

    def answer(request: HttpRequest) -> HttpResponse:
        with from_page(request.headers.get("X-Open-Page", "")[:_LONGEST]):
            return get_response(request)

    return answer
