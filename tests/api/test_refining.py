"""The longer search for a better plan, beside the screens of tonight and of the coming days."""

import json
import os
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from concurrent.futures import Executor, Future
from datetime import datetime
from functools import partial
from typing import Any

import pytest

from moonplan.core.household import Household, read
from moonplan.core.planner import plan as plans
from moonplan.core.planner.at_once import at_once
from moonplan.core.planner.plan import Plan, carried_out, document, problem_of
from moonplan.household import editing
from moonplan.household.models import Person
from moonplan.planning import refining
from moonplan.planning.shown import goes_on
from tests.api.conftest import Browser
from tests.core.factories import NIGHT_BAND, a_car, a_document, a_lead, a_trip


class ByHand(Executor):
    """Takes a step of the search when the test says so."""

    def __init__(self) -> None:
        self.waiting: list[tuple[Future[Any], partial[Any]]] = []

    def submit(self, fn: Callable[..., Any], /, *args: Any, **kwargs: Any) -> Future[Any]:
        future: Future[Any] = Future()
        self.waiting.append((future, partial(fn, *args, **kwargs)))
        return future

    def step(self) -> bool:
        """Take the first step that nobody cancelled; whether there was one."""
        while self.waiting:
            future, call = self.waiting.pop(0)
            if future.set_running_or_notify_cancel():
                future.set_result(call())
                return True
        return False


@pytest.fixture
def searcher(monkeypatch: pytest.MonkeyPatch) -> Iterator[ByHand]:
    """The search step by step, with nothing asked before."""
    by_hand = ByHand()
    monkeypatch.setattr(refining, "_workers", lambda: by_hand)
    refining._searches.clear()
    yield by_hand
    refining._searches.clear()


@pytest.fixture
def a_first_plan_in_haste(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """What is shown at once is a plan in which the cars charge as soon as they can."""

    def in_haste(household: Household, **_: object) -> Plan:
        problem = problem_of(household)
        made = carried_out(problem, at_once(problem))
        assert made is not None
        return made

    monkeypatch.setattr(refining, "plan", in_haste)
    refining._first.clear()
    yield
    refining._first.clear()


def standing(browser: Browser, nights: int | None = None) -> dict[str, Any]:
    status, told = browser.get("/refinement" if nights is None else f"/refinement?nights={nights}")
    assert status == 200
    return dict(told)


def settled(browser: Browser, searcher: ByHand, nights: int | None = None) -> dict[str, Any]:
    """How the search stands once it is over."""
    while (told := standing(browser, nights))["state"] != "settled":
        assert searcher.step()
    return told


def test_what_tonight_shows_stays_where_nothing_better_is_found(signed_in: Browser, searcher: ByHand):
    # One night, and both cars can have their cheap hours side by side: there is nothing to gain.
    _, shown = signed_in.get("/tonight")

    found = settled(signed_in, searcher)

    assert not found["better"]
    assert signed_in.get("/tonight")[1]["revision"] == shown["revision"]


@pytest.mark.usefixtures("a_first_plan_in_haste")
def test_tonight_and_the_days_ask_the_same_with_as_many_nights_and_show_the_same_better_plan(
    signed_in: Browser, searcher: ByHand
):
    version = signed_in.get("/household")[1]["household"]["version"]
    signed_in.send("patch", f"/household?version={version}", {"horizon_nights": 7})
    _, shown = signed_in.get("/days?nights=7")

    found = settled(signed_in, searcher)
    _, tonight = signed_in.get("/tonight")
    _, days = signed_in.get("/days?nights=7")

    assert found["better"]
    assert standing(signed_in, nights=7) == found
    assert len(refining._searches) == 1
    assert days["totals"] == tonight["totals"]
    assert days["revision"] == shown["revision"]  # the question is the same, and its answer a better one
    assert days["totals"] != shown["totals"]
    assert days["totals"]["short_kwh"] == shown["totals"]["short_kwh"] == 0
    assert (days["totals"]["cost"], days["totals"]["sessions"]) <= (shown["totals"]["cost"], shown["totals"]["sessions"])


def test_by_how_much_a_plan_can_be_better_at_most_is_said_once_that_is_known(signed_in: Browser, searcher: ByHand):
    # Two cars in one night: 42.7 kWh and 8.7 kWh at the lowest price there is, 0.08912; nothing can be had for less, and all
    # that is left open is what care and starts may come to.
    _, shown = signed_in.get("/tonight")

    found = settled(signed_in, searcher)

    at_the_lowest = 0.08912 * sum(car["wall_kwh"] for car in shown["cars"])
    assert shown["totals"]["cost"] == pytest.approx(at_the_lowest, rel=1e-4)
    assert 0 <= found["saves_at_most"] < 0.05 * at_the_lowest


@pytest.mark.parametrize("habit", ["sun_first", "plug_and_go"])
def test_where_own_sun_is_weighed_or_nothing_is_left_to_choose_nobody_is_told_how_good_a_plan_is(
    signed_in: Browser, searcher: ByHand, habit: str
):
    version = signed_in.get("/household")[1]["household"]["version"]
    signed_in.send("patch", f"/household?version={version}", {"habit": habit})

    found = settled(signed_in, searcher)

    assert found | NOTHING_KNOWN == found


def test_by_how_much_a_plan_can_be_better_is_said_of_those_that_keep_to_the_household_s_habit(
    signed_in: Browser, searcher: ByHand
):
    # While somebody is up electricity is dearer, and no plan that keeps to that comes near to one that does not.
    _, any_time = signed_in.get("/tonight")
    version = signed_in.get("/household")[1]["household"]["version"]
    signed_in.send("patch", f"/household?version={version}", {"habit": "awake"})
    _, awake = signed_in.get("/tonight")

    found = settled(signed_in, searcher)

    assert found["by_habit"]
    assert 0 <= found["saves_at_most"] < awake["totals"]["cost"] - any_time["totals"]["cost"]


def test_one_car_s_night_is_proven(signed_in: Browser, searcher: ByHand):
    wren = signed_in.get("/tonight")[1]["cars"][1]
    version = signed_in.get("/household")[1]["household"]["version"]
    assert signed_in.send("delete", f"/vehicles/{wren['id']}?version={version}", None)[0] == 200

    found = settled(signed_in, searcher)

    # What is left is less than a coin: a twentieth of what a kWh costs by default.
    assert found["proven"]
    assert 0 <= found["saves_at_most"] < 0.05 * 0.21437


NOTHING_KNOWN = {"saves_at_most": None, "proven": False, "by_habit": False}
NOTHING_YET = {"state": "searching", "steps": 0, "better": False} | NOTHING_KNOWN


@pytest.mark.usefixtures("a_first_plan_in_haste")
def test_a_better_plan_is_shown_before_it_is_known_how_good_it_is(signed_in: Browser, searcher: ByHand):
    _, shown = signed_in.get("/days?nights=7")
    assert standing(signed_in, nights=7) == NOTHING_YET

    searcher.step()

    assert standing(signed_in, nights=7) == NOTHING_YET | {"steps": 1, "better": True}
    _, better = signed_in.get("/days?nights=7")
    assert better["totals"] != shown["totals"]

    known = settled(signed_in, searcher, nights=7)

    assert known["steps"] == 4
    assert known["saves_at_most"] > 0
    assert signed_in.get("/days?nights=7")[1]["totals"]["cost"] <= better["totals"]["cost"] + 0.02


def test_a_question_that_made_way_for_a_newer_one_goes_on_where_it_was_when_it_comes_back(
    signed_in: Browser, searcher: ByHand
):
    standing(signed_in)
    searcher.step()
    assert standing(signed_in)["steps"] == 1
    standing(signed_in, nights=10)
    assert [step.cancelled() for step, _ in searcher.waiting] == [True, False]

    assert standing(signed_in)["steps"] == 1
    assert [step.cancelled() for step, _ in searcher.waiting] == [True, True, False]
    searcher.step()

    assert standing(signed_in)["steps"] == 2


def test_a_search_whose_process_is_killed_is_over_and_the_next_question_has_another(signed_in: Browser):
    refining._searches.clear()
    searcher = refining._workers().submit(os.getpid).result()
    standing(signed_in, nights=14)
    os.kill(searcher, signal.SIGKILL)
    for _ in range(600):
        if standing(signed_in, nights=14)["state"] == "settled":
            break
        time.sleep(0.1)

    assert standing(signed_in, nights=14)["state"] == "settled"
    assert standing(signed_in, nights=2) == NOTHING_YET
    assert refining._workers().submit(os.getpid).result() != searcher


@pytest.mark.parametrize("habit", ["cheapest", "when_low", "plug_and_go"])
def test_a_plan_asked_for_again_is_not_searched_for_again(signed_in: Browser, monkeypatch: pytest.MonkeyPatch, habit: str):
    version = signed_in.get("/household")[1]["household"]["version"]
    signed_in.send("patch", f"/household?version={version}", {"habit": habit})
    _, shown = signed_in.get("/days?nights=7")

    def never(*_: object, **__: object) -> None:
        raise AssertionError("planned anew")

    monkeypatch.setattr(refining, "plan", never)
    monkeypatch.setattr(plans, "with_habits", never)

    again = signed_in.get("/days?nights=7")[1]
    assert again["totals"] == shown["totals"]
    assert again["cars"] == shown["cars"]


def offered_from(clock: str, made: Plan) -> dict[str, Any]:
    """The document of a plan with its session moved to begin at a clock time of the evening."""
    told = document(made)
    begins, (car,) = datetime.fromisoformat(f"2026-01-14T{clock}:00+01:00"), told["vehicles"]
    moved_by = begins - datetime.fromisoformat(car["setpoints"][0][0])
    car["setpoints"] = [[(datetime.fromisoformat(at) + moved_by).isoformat(), amps] for at, amps in car["setpoints"]]
    return told


@pytest.mark.parametrize(("shown_from", "now_from"), [("23:00", "23:00"), ("18:30", "22:00")])
def test_what_was_shown_stays_as_time_passes_unless_another_plan_is_clearly_better(shown_from: str, now_from: str):
    # 10 kWh in the eight hours from 22:00 on, at 0.10 all of them: the earliest are taken where nothing was shown. Hours at
    # 0.30 do not stay.
    car = a_car(end_pct=70)
    made = refining.best_known(a_document(vehicles=[car]))
    later = a_document(vehicles=[car], now="2026-01-14T18:20:00+01:00")
    refining._first.clear()

    going_on = refining.best_known(later, offered_from(shown_from, made))

    assert f"{made.sessions[0][0].start:%H:%M}" == "22:00"
    assert f"{going_on.sessions[0][0].start:%H:%M}" == now_from
    assert going_on.outcome.cost == pytest.approx(made.outcome.cost)
    # Asked again it is the same, whatever is shown by then.
    assert refining.best_known(later).outcome.cars[0].amps.tolist() == going_on.outcome.cars[0].amps.tolist()


@pytest.mark.parametrize(("control", "next_session"), [("timer", "14 23:00"), ("managed", "16 00:00")])
def test_a_session_that_a_timer_has_begun_goes_on_though_another_night_is_cheaper_by_now(
    searcher: ByHand, control: str, next_session: str
):
    # 7.5 kWh until Friday noon, at 0.10 and 3.68 kW; begun at 22:00, and an hour's are in. By now it is known that Friday
    # from 00:00 to 04:00 costs 0.01.
    car, lead = a_car(end_pct=65, control=control), a_lead(control=control, steps_a=[16])
    told = document(refining.best_known(a_document(vehicles=[car], leads=[lead], horizon_nights=2)))
    assert told["vehicles"][0]["setpoints"][0][0] == "2026-01-14T22:00:00+01:00"
    cheaper = {"name": "surplus", "price": 0.01, "from": "00:00", "to": "04:00", "days": ["fri"]}
    later = a_document(
        now="2026-01-14T23:00:00+01:00",
        vehicles=[car | {"soc_pct": 50 + 3.68 / 50 * 100, "charging": True}],
        leads=[lead],
        horizon_nights=2,
        tariff={"default_price": 0.30, "bands": [cheaper, NIGHT_BAND]},
    )
    refining._first.clear()

    going_on = refining.best_known(later, told)
    while (how := refining.standing(later, told))["state"] != "settled":
        assert searcher.step()

    assert f"{going_on.sessions[0][0].start:%d %H:%M}" == next_session
    assert not how["better"]
    # What waiting would save is said.
    assert (how["saves_at_most"] > 0.3) is (control == "timer")


def test_a_plan_after_an_edit_begins_with_what_was_known_of_the_one_before(
    searcher: ByHand, monkeypatch: pytest.MonkeyPatch
):
    begun_with: list[Any] = []

    def noted(household: Household, *, like: Any, **how: Any) -> Plan:
        begun_with.append(like)
        return plans.plan(household, like=like, **how)

    monkeypatch.setattr(refining, "plan", noted)
    car, at = a_car(end_pct=70), {"now": "2026-01-14T18:00:00+01:00"}
    first = refining.best_known(a_document(vehicles=[car], **at))
    half_an_hour_later = a_document(vehicles=[car | {"soc_pct": 52}], now="2026-01-14T18:30:00+01:00")
    second = refining.best_known(half_an_hour_later)
    refining.standing(half_an_hour_later)
    assert searcher.step()
    refining.best_known(a_document(vehicles=[car | {"soc_pct": 53}], now="2026-01-14T18:30:00+01:00", horizon_nights=2))
    refining.best_known(a_document(vehicles=[car | {"id": "other"}], rates=[], **at))

    [nothing, before, for_longer, of_other_cars] = begun_with
    assert (nothing, of_other_cars) == (None, None)
    # Two quarters of an hour have passed.
    assert before[0].tolist() == first.setpoints[0].tolist()[2:]
    # The second night is still to be planned.
    assert for_longer[0].tolist() == second.setpoints[0].tolist() + 24 * 4 * [0.0]


def test_a_search_begins_with_the_plan_that_is_shown(searcher: ByHand):
    given = a_document(vehicles=[a_car(end_pct=70)])
    shown = refining.best_known(given)

    refining.standing(given)

    begins_with = searcher.waiting[0][1].args[1]
    assert begins_with.setpoints[0].tolist() == shown.setpoints[0].tolist()


def test_what_was_shown_of_other_cars_does_not_go_on():
    made = refining.best_known(a_document(vehicles=[a_car(end_pct=70)]))
    other = a_document(vehicles=[a_car(id="other", end_pct=70)], rates=[])

    assert refining.best_known(other, document(made)).sessions[0]


def test_what_was_shown_goes_on_until_somebody_changes_something(signed_in: Browser, person: Person):
    assert goes_on(person.household) is None
    _, told = signed_in.get("/tonight")
    shown = goes_on(person.household)
    assert shown is not None
    assert [car["sessions"][0]["start"] for car in shown["vehicles"]] == [
        car["sessions"][0]["start"] for car in told["cars"]
    ]

    wren = person.household.vehicles.get(name="Wren")
    editing.change(person, wren, {"ceiling_a": 8}, version=wren.version, what="its current")
    assert goes_on(person.household) is None
    signed_in.get("/tonight")
    assert goes_on(person.household) is not None
    editing.undo(person)
    assert goes_on(person.household) is None


def test_a_question_is_the_same_until_the_next_slot_begins_or_a_car_leaves():
    trip = a_trip("2026-01-14T18:10:00+01:00", "2026-01-14T19:00:00+01:00", 20)

    def asked(now: str) -> str:
        given = a_document(now=now, slot_minutes=15, trips=[trip])
        return refining.question(given, read(json.dumps(given)))

    at = {minute: asked(f"2026-01-14T18:{minute}:00+01:00") for minute in ("01", "09", "11", "14", "16")}

    assert at["01"] == at["09"]
    assert at["11"] == at["14"]
    assert len({at["09"], at["11"], at["16"]}) == 3


_SERVER = """
import os, time, django
django.setup()
from moonplan.planning import refining
print(refining._workers().submit(os.getpid).result(), flush=True)
time.sleep(600)
"""


def test_the_search_s_process_ends_with_its_server_even_when_that_is_killed():
    server = subprocess.Popen(
        [sys.executable, "-c", _SERVER],
        stdout=subprocess.PIPE,
        text=True,
        env=os.environ | {"PYTHONPATH": os.getcwd(), "DJANGO_SETTINGS_MODULE": "moonplan.site.settings.house"},
    )
    assert server.stdout is not None
    searcher = int(server.stdout.readline())
    assert runs(searcher)

    server.kill()
    server.wait()

    for _ in range(600):
        if not runs(searcher):
            break
        time.sleep(0.1)
    assert not runs(searcher)


def runs(process: int) -> bool:
    """Whether a process is there and has not ended."""
    try:
        with open(f"/proc/{process}/stat") as told:
            return told.read().rsplit(")", 1)[1].split()[0] != "Z"
    except FileNotFoundError:
        return False


def test_more_nights_than_are_planned_are_refused(signed_in: Browser):
    status, told = signed_in.get("/refinement?nights=15")

    assert status == 422
    assert "nights" in str(told)
