"""Getting in: links that work once, passwords, and requests that only our own pages may send."""

import json

import pytest
from django.core.management import call_command
from django.test import Client

from moonplan.household import accounts
from moonplan.household.models import Household, Person

JOIN = {"username": "robin", "password": "a long enough one"}


def post(client: Client, path: str, body: dict) -> tuple[int, dict]:
    response = client.post(path, json.dumps(body), content_type="application/json")
    return response.status_code, response.json()


@pytest.fixture
def visitor(db: None) -> Client:
    """Somebody with our page open, not signed in."""
    client = Client()
    client.cookies["csrftoken"] = "x" * 32
    return client


def test_the_first_start_prints_a_link_for_the_first_person(db: None, capsys: pytest.CaptureFixture[str], visitor: Client):
    call_command("house", address="http://127.0.0.1:8321")
    token = capsys.readouterr().out.strip().rsplit("/", 1)[-1]

    status, told = post(visitor, "/api/join", JOIN | {"token": token})

    assert status == 200
    assert (told["name"], told["set_up"]) == ("robin", False)
    assert Person.objects.get().user.check_password(JOIN["password"])


def test_a_link_works_once(visitor: Client):
    token = accounts.invitation_path(Household.objects.create()).rsplit("/", 1)[-1]
    assert post(visitor, "/api/join", JOIN | {"token": token})[0] == 200

    status, told = post(visitor, "/api/join", JOIN | {"token": token, "username": "jay"})

    assert status == 422
    assert told["mistakes"][0]["field"] == "token"


def test_an_easy_password_is_refused_and_the_link_stays_good(visitor: Client):
    token = accounts.invitation_path(Household.objects.create()).rsplit("/", 1)[-1]

    status, told = post(visitor, "/api/join", JOIN | {"token": token, "password": "password"})

    assert status == 422
    assert told["mistakes"][0]["field"] == "password"
    assert post(visitor, "/api/join", JOIN | {"token": token})[0] == 200


def test_signing_in_with_a_wrong_password_says_so(visitor: Client):
    token = accounts.invitation_path(Household.objects.create()).rsplit("/", 1)[-1]
    post(visitor, "/api/join", JOIN | {"token": token})
    stranger = Client()
    stranger.cookies["csrftoken"] = "x" * 32

    assert post(stranger, "/api/session", {"username": "robin", "password": "wrong"})[0] == 422
    assert post(stranger, "/api/session", JOIN)[1]["name"] == "robin"


def test_the_demo_s_sign_in_works_once(person: Person, client: Client):
    path = accounts.sign_in_path(person)

    assert client.get(path).status_code == 302
    assert client.get("/api/session").json()["name"] == "demo"
    again = Client()
    again.get(path)
    assert again.get("/api/session").json()["name"] is None


def test_a_request_from_elsewhere_is_refused(person: Person):
    outside = Client(enforce_csrf_checks=True)
    outside.force_login(person.user, backend="django.contrib.auth.backends.ModelBackend")

    for method, path in (("post", "/api/undo"), ("post", "/api/session"), ("delete", "/api/session"), ("post", "/api/join")):
        response = getattr(outside, method)(path, "{}", content_type="application/json")
        assert response.status_code in (401, 403), path


def test_the_demo_is_topped_up_and_edits_stay(person: Person):
    from datetime import datetime

    from moonplan.planning.demo import demo

    trips = person.household.trips.order_by("-leave")
    last = trips.first().leave
    edited = trips.last()
    edited.km = 77
    edited.save()

    demo(datetime.fromisoformat("2026-01-17T18:10:00+01:00"))

    assert trips.first().leave > last
    assert person.household.trips.filter(km=77).exists()
    assert person.household.vehicles.count() == 2
