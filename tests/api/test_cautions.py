"""Cautions that are read and come back, what-ifs that are kept, and the leads that every car could be on."""

from typing import Any

import pytest

from moonplan.household.models import Circuit, Feeder, Household, Person
from tests.api.conftest import Browser
from tests.api.test_rates import hookup, path_of


def caution(told: dict[str, Any], code: str) -> dict[str, Any]:
    return next(one for one in told["cautions"] if one["code"] == code)


def mark(browser: Browser, one: dict[str, Any], *, read: bool) -> int:
    body = {key: one[key] for key in ("code", "about", "subject")} | {"read": read}
    status, _ = browser.send("put", "/cautions", body)
    return int(status)


def test_a_caution_that_was_read_is_folded_for_that_person_only(signed_in: Browser, other_person: Person):
    _, before = signed_in.get("/tonight")
    one = caution(before, "uninspected-socket")
    assert (one["read"], [car["name"] for car in before["cars"] if car["id"] in one["cars"]]) == (False, ["Wren"])

    assert mark(signed_in, one, read=True) == 200

    assert caution(signed_in.get("/tonight")[1], "uninspected-socket")["read"]
    assert caution(signed_in.get("/household")[1]["drawing"], "uninspected-socket")["read"]
    assert not caution(Browser(other_person).get("/tonight")[1], "uninspected-socket")["read"]
    mark(signed_in, one, read=False)
    assert not caution(signed_in.get("/tonight")[1], "uninspected-socket")["read"]


def test_a_caution_comes_back_when_what_triggered_it_changes(signed_in: Browser):
    _, whole = signed_in.get("/household")
    shed = next(circuit for circuit in whole["circuits"] if circuit["name"] == "shed socket")
    _, whole = signed_in.send("patch", f"/circuits/{shed['id']}?version={shed['version']}", {"other_load_a": 2})
    mark(signed_in, caution(whole["drawing"], "other-loads"), read=True)
    assert caution(signed_in.get("/household")[1]["drawing"], "other-loads")["read"]

    _, whole = signed_in.send("patch", f"/circuits/{shed['id']}?version={shed['version'] + 1}", {"other_load_a": 5})

    assert not caution(whole["drawing"], "other-loads")["read"]


def test_a_caution_that_is_not_there_cannot_be_read(signed_in: Browser):
    assert mark(signed_in, {"code": "new-work", "about": "circuit", "subject": "1"}, read=True) == 404


def test_a_what_if_is_kept_named_and_thrown_away(signed_in: Browser):
    path = path_of(signed_in, "Wren")
    status, told = signed_in.send("post", f"{path}/options", {"links": {"dedicated": True, "breaker_a": 20, "lead_a": 16}})

    assert status == 200
    [option] = hookup(told, "Wren")["options"]
    assert option["name"] == "20 A breaker, a dedicated circuit, 16 A lead"
    # The car's ceiling of 10 A decides then: 2.3 kW, as now.
    assert (option["outlook"]["amps"], option["outlook"]["bottleneck"]) == (10, "ceiling")

    _, told = signed_in.send("delete", f"/options/{option['id']}?version={option['version']}")
    assert hookup(told, "Wren")["options"] == []
    signed_in.send("post", "/undo")
    assert [one["name"] for one in hookup(signed_in.get("/hookups")[1], "Wren")["options"]] == [option["name"]]


@pytest.mark.parametrize("links", [{}, {"ceiling_a": None}, {"dedicated": False}])
def test_an_option_that_changes_nothing_is_refused(signed_in: Browser, links: dict[str, Any]):
    status, told = signed_in.send("post", f"{path_of(signed_in, 'Wren')}/options", {"links": links})

    assert (status, told["mistakes"][0]["field"]) == (422, "links")


@pytest.mark.parametrize("asked", ["what_if", "options"])
def test_phases_that_the_house_does_not_have_are_refused_at_their_field(signed_in: Browser, person: Person, asked: str):
    Feeder.objects.of(person.household).update(legs=["L1"])
    Household.objects.filter(pk=person.household_id).update(legs=1)
    Circuit.objects.of(person.household).update(legs=None, phases=1)
    links = {"phases": 3}
    body = links if asked == "what_if" else {"links": links}
    status, told = signed_in.send("post", f"{path_of(signed_in, 'Heron')}/{asked}", body)

    assert (status, told["mistakes"]) == (422, [{"field": "phases", "value": "3", "expected": "legs of the supply: L1"}])


def test_an_option_is_called_after_what_it_changes(signed_in: Browser):
    links = {"cable_a": 32, "ceiling_a": None, "dedicated": False}
    _, told = signed_in.send("post", f"{path_of(signed_in, 'Wren')}/options", {"links": links})

    assert [option["name"] for option in hookup(told, "Wren")["options"]] == ["32 A cable"]


def test_a_stranger_can_neither_see_nor_throw_away_an_option(signed_in: Browser, stranger: Browser):
    _, told = signed_in.send("post", f"{path_of(signed_in, 'Wren')}/options", {"links": {"cable_a": 32}})
    option = hookup(told, "Wren")["options"][0]

    assert stranger.send("delete", f"/options/{option['id']}?version=1")[0] == 404
    assert stranger.send("post", f"{path_of(signed_in, 'Wren')}/options", {"links": {"cable_a": 32}})[0] == 404


def test_new_work_on_a_circuit_brings_its_caution(signed_in: Browser):
    _, told = signed_in.send("post", f"{path_of(signed_in, 'Wren')}/what_if", {"dedicated": True})
    assert [one["code"] for one in told["cautions"]] == ["new-work"]

    _, told = signed_in.send("post", f"{path_of(signed_in, 'Wren')}/what_if", {"ceiling_a": 8})
    assert told["cautions"] == []


def test_every_car_is_told_what_it_would_get_on_every_other_lead(signed_in: Browser):
    _, whole = signed_in.get("/household")
    cars = {car["id"]: car["name"] for car in whole["vehicles"]}
    leads = {lead["id"]: lead["name"] for lead in whole["leads"]}
    reach = {(cars[one["id"]], leads[one["lead"]]): one for one in whole["drawing"]["reach"]}

    assert set(reach) == {
        ("Heron", "portable lead"),
        ("Heron", "post unit"),
        ("Wren", "wall unit"),
        ("Wren", "post unit"),
    }
    # Heron on the gate post's old cable: 10 A × 230 V = 2.3 kW.
    post = reach["Heron", "post unit"]
    assert (post["amps"], post["bottleneck"], post["rate_source"]) == (10, "cable", "measured")
    assert post["wall_kw"] == pytest.approx(2.3)


def test_a_car_moves_to_another_lead_from_the_drawing(signed_in: Browser):
    _, whole = signed_in.get("/household")
    wren = next(car for car in whole["vehicles"] if car["name"] == "Wren")
    post = next(lead for lead in whole["leads"] if lead["name"] == "post unit")

    _, whole = signed_in.send("patch", f"/vehicles/{wren['id']}?version={wren['version']}", {"lead_id": post["id"]})

    moved = next(one for one in whole["drawing"]["vehicles"] if one["id"] == wren["id"])
    assert (moved["lead"], moved["amps"]) == (post["id"], 10)
