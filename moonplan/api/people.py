"""Who is asking."""

from __future__ import annotations

from django.http import HttpRequest

from moonplan.household.models import Person


def person_of(request: HttpRequest) -> Person:
    """The person who is signed in, with the household that the session speaks for."""
    return Person.objects.select_related("household", "user").get(user=request.user)
