"""Households and people for tests of the API."""

from collections import OrderedDict
from datetime import datetime
from typing import Any

import pytest
from django.contrib.auth import get_user_model
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client

from moonplan.household.models import Household, Person
from moonplan.planning import refining
from moonplan.planning.demo import demo

NOW = "2026-01-14T18:10:00+01:00"


@pytest.fixture(autouse=True)
def a_fixed_evening(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("MOONPLAN_NOW", NOW)


@pytest.fixture(autouse=True)
def nothing_planned_before(monkeypatch: pytest.MonkeyPatch) -> None:
    """A plan begins with what was known of the last one of the same cars: here with nothing that another test left."""
    monkeypatch.setattr(refining, "_first", OrderedDict())


@pytest.fixture
def person(db: None) -> Person:
    """Somebody of the demo household on a Wednesday evening."""
    return demo(datetime.fromisoformat(NOW))


@pytest.fixture
def other_person(person: Person) -> Person:
    """Somebody else of the same household."""
    user = get_user_model().objects.create_user("robin", password="a long enough one")
    return Person.objects.create(user=user, household=person.household)


class Browser:
    """A signed-in browser that talks JSON to the API. page : what its open page calls itself, where it does."""

    def __init__(self, person: Person | None, page: str = "") -> None:
        self.client = Client(headers={"X-Open-Page": page})
        if person is not None:
            self.client.force_login(person.user, backend="django.contrib.auth.backends.ModelBackend")

    def get(self, path: str) -> Any:
        return self._told(self.client.get(f"/api{path}"))

    def send(self, method: str, path: str, body: Any = None) -> Any:
        call = getattr(self.client, method)
        return self._told(call(f"/api{path}", data={} if body is None else body, content_type="application/json"))

    def bring(self, path: str, text: str | bytes, *, keep: bool = False, name: str = "table.csv", **form: str) -> Any:
        """Send a file, first to be looked at, then to be kept."""
        file = SimpleUploadedFile(name, text.encode() if isinstance(text, str) else text)
        return self._told(self.client.post(f"/api{path}", {"file": file, "keep": str(keep).lower(), **form}))

    @staticmethod
    def _told(response: Any) -> Any:
        return response.status_code, response.json()


@pytest.fixture
def signed_in(person: Person) -> Browser:
    return Browser(person)


def car_of(tonight: dict[str, Any], name: str) -> dict[str, Any]:
    return next(car for car in tonight["cars"] if car["name"] == name)


def versions(car: dict[str, Any]) -> dict[str, int]:
    inputs = car["inputs"]
    return {kind: inputs[f"{kind}_version"] for kind in ("soc", "trip", "evening", "vehicle")}


@pytest.fixture
def stranger(db: None, django_user_model) -> Browser:
    """Somebody of quite another household."""
    household = Household.objects.create(name="Elsewhere")
    user = django_user_model.objects.create_user("stranger")
    return Browser(Person.objects.create(user=user, household=household))
