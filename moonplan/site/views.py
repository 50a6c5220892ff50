"""The page of the front end, the link that signs a person in once, and the calendar that can be subscribed to."""

from __future__ import annotations

from functools import cache

from django.conf import settings
from django.contrib.auth import login
from django.http import Http404, HttpRequest, HttpResponse, HttpResponseRedirect
from django.middleware.csrf import get_token
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_safe

from moonplan.household import accounts
from moonplan.planning import calendars

# What the build puts where a nonce belongs.
_NONCE = "MOONPLAN_NONCE"


@cache
def _built_page() -> str:
    return (settings.STATIC_ROOT / "index.html").read_text()


@never_cache
@require_safe
def page(request: HttpRequest) -> HttpResponse:
    """The built page, with this answer's nonce and a CSRF cookie."""
    get_token(request)
    return HttpResponse(_built_page().replace(_NONCE, str(request.csp_nonce)))  # type: ignore[attr-defined]


@never_cache
@require_safe
def enter(request: HttpRequest, token: str) -> HttpResponse:
    """Sign in by a link that works once, and go on to tonight."""
    person = accounts.use_sign_in(token)
    if person is not None:
        login(request, person.user, backend="django.contrib.auth.backends.ModelBackend")
    return HttpResponseRedirect("/")


@never_cache
@require_safe
def calendar(request: HttpRequest, token: str) -> HttpResponse:
    """The plan as a calendar, for whoever knows its secret address."""
    household = calendars.household_of_feed(token)
    if household is None:
        raise Http404
    return HttpResponse(calendars.feed(household), content_type="text/calendar; charset=utf-8")
