"""Tariffs over the API: typed and painted, in their order, from a date, with dated prices, and compared."""

from datetime import date, datetime
from typing import Any

import pytest

from moonplan.core.values import WEEKDAYS
from moonplan.household.models import Band, Household, Person, Tariff, Vehicle
from moonplan.logbook.models import SeriesDay
from moonplan.planning import tariffs
from moonplan.planning.documents import core_household, planning_now
from moonplan.planning.series import keep_up
from moonplan.planning.tariff_comparison import months_behind, week_of
from tests.api.conftest import Browser

EVERY_MONTH = list(range(1, 13))


def tariff_of(signed_in: Browser, name: str = "Three bands") -> dict[str, Any]:
    return next(one for one in signed_in.get("/prices")[1]["tariffs"] if one["name"] == name)


def a_stroke(tariff: dict[str, Any], line: int, days: list[int], start: str, end: str, months: list[int] | None = None):
    versions = {str(band["id"]): band["version"] for band in tariff["bands"]}
    months = EVERY_MONTH if months is None else months
    return {"line": line, "days": days, "start": start, "end": end, "months": months, "versions": versions}


def paint(signed_in: Browser, tariff: dict[str, Any], *stroke: Any) -> tuple[int, dict[str, Any]]:
    return signed_in.send("post", f"/prices/tariffs/{tariff['id']}/strokes", a_stroke(tariff, *stroke))


def test_the_sheet_is_shown_with_the_weeks_that_come_of_it(signed_in: Browser):
    tariff = tariff_of(signed_in)

    assert [band["name"] for band in tariff["bands"]] == ["night", "evening peak"]
    assert [week["months"] for week in tariff["weeks"]] == [[1, 2, 11, 12], [3, 4, 5, 6, 7, 8, 9, 10]]
    # Eight hours a night; fifteen of a week's 168 are peak in four months of twelve.
    assert [band["hours_a_week"] for band in tariff["bands"]] == [56, 5]
    assert tariff["default_hours_a_week"] == 168 - 56 - 5
    assert (tariff["in_force"], tariff["depths"]) == (True, [0, 4, 2])
    # Wednesday, 17:00.
    assert tariff["weeks"][0]["price"][2][34] == 0.29871


def test_hours_painted_change_the_week_and_the_plan_and_undo_takes_them_back(signed_in: Browser, person: Person):
    before = tariff_of(signed_in)
    status, told = paint(signed_in, before, 0, [5, 6], "12:00", "15:00")

    assert status == 200
    after = next(one for one in told["tariffs"] if one["id"] == before["id"])
    assert after["weeks"][0]["price"][5][24] == 0.08912
    assert [(band["start"], band["end"]) for band in after["bands"]] == [
        ("12:00", "15:00"),
        ("22:00", "06:00"),
        ("17:00", "20:00"),
    ]
    assert len(core_household(person.household, planning_now()).tariff.bands) == 3

    signed_in.send("post", "/undo")
    assert tariff_of(signed_in)["weeks"] == before["weeks"]
    assert len(tariff_of(signed_in)["bands"]) == 2


def test_the_default_painted_over_a_line_cuts_it(signed_in: Browser):
    tariff = tariff_of(signed_in)
    _, told = paint(signed_in, tariff, 2, [2], "23:00", "00:00")

    week = told["tariffs"][0]["weeks"][0]
    assert week["price"][2][46] == 0.21437
    assert week["price"][1][46] == 0.08912


@pytest.mark.parametrize(
    ("stroke", "field"),
    [
        ((0, [], "12:00", "15:00"), "days"),
        ((0, [7], "12:00", "15:00"), "days"),
        ((0, [1], "12:00", "11:00"), "end"),
        ((0, [1], "noon", "15:00"), "start"),
        ((9, [1], "12:00", "15:00"), "line"),
        ((0, [1], "12:00", "15:00", [13]), "months"),
    ],
)
def test_a_stroke_that_is_none_is_refused_at_its_field(signed_in: Browser, stroke: tuple[Any, ...], field: str):
    before = tariff_of(signed_in)
    status, told = paint(signed_in, before, *stroke)

    assert status == 422
    assert told["mistakes"][0]["field"] == field
    assert tariff_of(signed_in) == before


def test_two_people_painting_lose_nothing(signed_in: Browser, other_person: Person, stranger: Browser):
    seen = tariff_of(signed_in)
    paint(Browser(other_person), seen, 0, [5, 6], "12:00", "15:00")
    # What goes on in another household is nobody's business here.
    _, theirs = stranger.send("post", "/prices/tariffs", {"name": "Theirs", "default_price": "0.2"})
    line = {"tariff_id": theirs["tariffs"][0]["id"], "name": "night", "price": "0.1", "start": "22:00", "end": "06:00"}
    assert stranger.send("post", "/bands/", line | {"days": ["mon"]})[0] == 200

    status, told = paint(signed_in, seen, 1, [0], "20:00", "21:00")
    assert (status, told["code"], told["by"]) == (409, "conflict", "robin")
    assert tariff_of(signed_in)["weeks"][0]["price"][5][24] == 0.08912


def test_a_line_that_is_typed_is_on_the_week_and_order_decides(signed_in: Browser):
    tariff = tariff_of(signed_in)
    weekend = {"tariff_id": tariff["id"], "name": "weekend", "price": "0.15", "start": "00:00", "end": "00:00"}
    status, _ = signed_in.send("post", "/bands/", weekend | {"days": ["sat", "sun"]})
    assert status == 200

    # A new line comes last: the night keeps its hours of the weekend, and the line says who takes them.
    last = tariff_of(signed_in)["bands"][-1]
    assert (last["name"], last["beaten_by"], last["hours_a_week"]) == ("weekend", ["night"], 32)
    status, told = signed_in.send("post", f"/prices/bands/{last['id']}/place?version={last['version']}", {"to": 0})
    assert status == 200
    assert [band["name"] for band in told["tariffs"][0]["bands"]] == ["weekend", "night", "evening peak"]
    assert told["tariffs"][0]["bands"][0]["hours_a_week"] == 48
    signed_in.send("post", "/undo")
    assert [band["name"] for band in tariff_of(signed_in)["bands"]] == ["night", "evening peak", "weekend"]


def test_a_price_keeps_all_its_decimals_on_the_way_through(signed_in: Browser):
    band = tariff_of(signed_in)["bands"][0]
    signed_in.send("patch", f"/bands/{band['id']}?version={band['version']}", {"price": "0.0651234"})

    assert tariff_of(signed_in)["bands"][0]["price"] == "0.0651234"


def test_what_is_paid_then_and_by_which_line(signed_in: Browser):
    tariff = tariff_of(signed_in)
    _, told = signed_in.get(f"/prices/tariffs/{tariff['id']}/paid?at=2026-01-17T02:00")

    assert (told["price"], told["line"], told["name"]) == (0.08912, 0, "night")
    hourly = tariff_of(signed_in, "By the hour")
    _, dated = signed_in.get(f"/prices/tariffs/{hourly['id']}/paid?at=2026-01-15T02:00")
    assert (dated["dated"], dated["line"], dated["name"]) == (True, None, "series")


def test_the_next_tariff_holds_from_its_day_and_the_old_one_before(signed_in: Browser, person: Person):
    own = tariff_of(signed_in)
    given = {"name": "Spring sheet", "since": "2026-01-15", "default_price": 0.25, "like": own["id"]}
    status, told = signed_in.send("post", "/prices/tariffs", given)
    assert status == 200

    spring = next(one for one in told["tariffs"] if one["name"] == "Spring sheet")
    assert ([band["name"] for band in spring["bands"]], spring["export_price"]) == (["night", "evening peak"], "0.0400000")
    assert (spring["in_force"], tariff_of(signed_in)["in_force"]) == (False, True)
    household = Household.objects.get(pk=person.household_id)
    assert tariffs.in_force(household, date(2026, 1, 14)).name == "Three bands"
    assert tariffs.in_force(household, date(2026, 1, 15)).name == "Spring sheet"
    # Tonight's plan goes by both: the day price of the morning is the new one.
    runs = signed_in.get("/tonight")[1]["prices"]
    assert {run["price"] for run in runs if run["band"] == "default"} == {0.21437, 0.25}

    signed_in.send("post", "/undo")
    assert [one["name"] for one in signed_in.get("/prices")[1]["tariffs"]] == ["Three bands", "By the hour"]


def test_a_rival_is_never_planned_with_until_it_is_made_ours(signed_in: Browser, person: Person):
    rival = tariff_of(signed_in, "By the hour")
    assert core_household(person.household, planning_now()).tariff.default_price == 0.21437

    fields = {"rival": False, "since": "2026-01-14"}
    assert signed_in.send("patch", f"/tariffs/{rival['id']}?version={rival['version']}", fields)[0] == 200
    taken = core_household(Household.objects.get(pk=person.household_id), planning_now()).tariff
    assert (taken.default_price, len(taken.series) > 20) == (0.19, True)
    # Whatever is planned with made-up prices says so.
    assert "simulated day-ahead feed" in signed_in.get("/tonight")[1]["simulated"]


def test_a_tariff_is_thrown_away_with_its_lines_as_one_step_of_undo(signed_in: Browser):
    own = tariff_of(signed_in)
    given = {"name": "Copy", "rival": True, "default_price": 0.3, "like": own["id"]}
    signed_in.send("post", "/prices/tariffs", given)
    copy = tariff_of(signed_in, "Copy")

    status, told = signed_in.send("delete", f"/prices/tariffs/{copy['id']}?version={copy['version']}")
    assert status == 200
    assert [one["name"] for one in told["tariffs"]] == ["Three bands", "By the hour"]
    assert Band.objects.count() == 2
    signed_in.send("post", "/undo")
    assert len(tariff_of(signed_in, "Copy")["bands"]) == 2


@pytest.mark.parametrize(
    ("fields", "field"),
    [
        ({"default_price": "5000"}, "default_price"),
        ({"holidays": ["Christmas"]}, "holidays"),
        ({"contracted_kw": -3}, "contracted_kw"),
        ({"feed": "the moon"}, "feed"),
        ({"day_of": "sometime"}, "day_of"),
    ],
)
def test_a_rival_is_checked_like_the_tariff_in_force(signed_in: Browser, fields: dict[str, Any], field: str):
    rival = tariff_of(signed_in, "By the hour")
    status, told = signed_in.send("patch", f"/tariffs/{rival['id']}?version={rival['version']}", fields)

    assert status == 422
    assert told["mistakes"][0]["field"].split("[")[0] == field
    assert tariff_of(signed_in, "By the hour") == rival


def test_dated_prices_from_a_file_win_and_its_gap_falls_back_to_the_lines(signed_in: Browser, person: Person):
    tariff = tariff_of(signed_in)
    text = "start,price\n2026-01-15 00:00,5\n2026-01-15 01:00,6\n2026-01-15 03:00,7\n"
    path = f"/prices/tariffs/{tariff['id']}/dated"

    status, seen = signed_in.bring(path, text, unit="hundredths per kWh")
    assert status == 200
    assert (seen["new"], seen["kept"], seen["step_minutes"], seen["gaps_in_all"]) == (3, False, 60, 1)
    assert seen["gaps"] == [{"start": "2026-01-15T02:00:00+01:00", "end": "2026-01-15T03:00:00+01:00"}]
    assert tariff_of(signed_in)["dated"] is None

    signed_in.bring(path, text, keep=True, unit="hundredths per kWh")
    _, told = signed_in.get("/tonight")
    at = {run["start"][11:16]: (run["price"], run["band"]) for run in told["prices"]}
    assert at["00:00"] == (0.05, "series")
    assert at["02:00"] == (0.08912, "night")
    assert at["03:00"] == (0.07, "series")
    # Before the file and in its gap; the last price holds for an hour, as long as the others.
    missing = [("2026-01-14T18:15", "2026-01-15T00:00"), ("2026-01-15T02:00", "2026-01-15T03:00")]
    for path_, end in (("/tonight", "2026-01-15T12:00"), ("/days?nights=2", "2026-01-16T12:00")):
        told_missing = [(one["start"][:16], one["end"][:16]) for one in signed_in.get(path_)[1]["without_dated_price"]]
        assert told_missing == [*missing, ("2026-01-15T04:00", end)]
    _, again = signed_in.bring(path, text, keep=True, unit="hundredths per kWh")
    assert (again["new"], again["again"]) == (0, 3)
    signed_in.send("post", "/undo")
    assert tariff_of(signed_in)["dated"] is None
    assert signed_in.get("/tonight")[1]["without_dated_price"] == []


@pytest.mark.parametrize("day", ["2026-01-14", "2026-01-11", "2025-10-02"])
def test_dated_prices_that_have_run_out_are_told_as_missing_however_long_ago(signed_in: Browser, day: str):
    path = f"/prices/tariffs/{tariff_of(signed_in)['id']}/dated"
    signed_in.bring(path, f"start,price\n{day} 00:00,0.05\n{day} 01:00,0.06\n", keep=True)

    _, told = signed_in.get("/tonight")

    assert [(one["start"][:16], one["end"][:16]) for one in told["without_dated_price"]] == [
        ("2026-01-14T18:15", "2026-01-15T12:00")
    ]
    assert {run["band"] for run in told["prices"]} == {"evening peak", "default", "night"}


def test_a_month_that_is_none_is_refused_at_its_field(signed_in: Browser):
    band = tariff_of(signed_in)["bands"][0]
    path = f"/bands/{band['id']}?version={band['version']}"

    for months in (["may"], [13]):
        status, told = signed_in.send("patch", path, {"months": months})
        assert (status, told["mistakes"][0]["field"]) == (422, "months")


def test_the_feed_is_fetched_once_and_kept(signed_in: Browser, person: Person):
    hourly = tariff_of(signed_in, "By the hour")
    # At ten past six in the evening tomorrow's prices are out: yesterday's, today's and tomorrow's.
    assert hourly["dated"]["last"] == "2026-01-15"
    kept = SeriesDay.objects.filter(tariff=hourly["id"]).count()
    tariff_of(signed_in, "By the hour")

    assert SeriesDay.objects.filter(tariff=hourly["id"]).count() == kept


def test_a_feed_that_was_not_asked_for_a_month_is_caught_up_with(signed_in: Browser, person: Person):
    hourly = Tariff.objects.get(name="By the hour")
    keep_up(hourly, planning_now(), since=date(2025, 12, 1))
    SeriesDay.objects.filter(tariff=hourly, day__gte="2025-12-10", day__lte="2025-12-20").delete()

    keep_up(hourly, planning_now(), since=date(2025, 12, 1))
    assert SeriesDay.objects.filter(tariff=hourly, day__gte="2025-12-10", day__lte="2025-12-20").count() == 11


def test_tariffs_are_compared_month_by_month_on_the_household_s_own_drives(signed_in: Browser, person: Person):
    # Wren alone, planned for two months: the second call finds the first month done.
    ids = [tariff_of(signed_in, name)["id"] for name in ("Three bands", "By the hour")]
    asked = f"/prices/comparison?tariff={ids[0]}&tariff={ids[1]}"
    status, told = signed_in.get(f"{asked}&months=1")

    assert status == 200
    assert [month["month"] for month in told["months"]] == ["2025-01"]
    assert (told["of"], told["turns"]) == (12, [])
    assert told["simulated"] == ["simulated sky", "simulated day-ahead feed"]
    three, hourly = told["months"][0]["bills"]
    assert three["km"] == hourly["km"] == told["totals"][0]["km"]
    # 31 days at 0.31 and 14 kW at 1.42.
    assert three["fixed"] == pytest.approx(31 * 0.31 + 14 * 1.42)
    assert three["together"] == pytest.approx(three["cars"] + three["house"] + three["fixed"], abs=0.001)
    assert three["plug_and_go"] > three["cars"]
    # All of the month's prices were published: none fell back to the lines.
    assert hourly["undated_part"] == 0
    week = week_of(person.household.vehicles.get(name="Wren"), planning_now())
    assert sum(km for _, _, km in week.values()) < three["km"] / 4


def test_a_night_shift_counts_when_tariffs_are_compared(signed_in: Browser, person: Person):
    # Of the five Wednesdays of January 2025 the last's drive ends in the month as well; Heron stays at home.
    Vehicle.objects.filter(household=person.household).update(usual_km=dict.fromkeys(WEEKDAYS, 0))
    Vehicle.objects.filter(name="Wren").update(
        usual_km=dict.fromkeys(WEEKDAYS, 0) | {"wed": 30}, usual_leave="21:30", usual_back="06:30"
    )
    ids = [tariff_of(signed_in, name)["id"] for name in ("Three bands", "By the hour")]
    _, told = signed_in.get(f"/prices/comparison?tariff={ids[0]}&tariff={ids[1]}&months=1")

    assert told["totals"][0]["km"] == 5 * 30


def test_one_tariff_is_no_comparison_and_neither_are_no_drives(signed_in: Browser, stranger: Browser):
    tariff = tariff_of(signed_in)
    status, told = signed_in.get(f"/prices/comparison?tariff={tariff['id']}")

    assert (status, told["mistakes"][0]["field"]) == (422, "tariffs")
    # Somebody else's tariffs are none at all.
    assert stranger.get(f"/prices/comparison?tariff={tariff['id']}&tariff={tariff['id'] + 1}")[0] == 422


def test_the_year_behind_ends_with_the_month_before_this_one():
    assert months_behind(date(2026, 1, 14))[0] == (2025, 1)
    assert months_behind(date(2026, 1, 14))[-1] == (2025, 12)
    assert months_behind(date(2026, 3, 1))[::11] == [(2025, 3), (2026, 2)]


def test_a_stranger_reaches_no_tariff(signed_in: Browser, stranger: Browser):
    tariff = tariff_of(signed_in)
    path = f"/prices/tariffs/{tariff['id']}"

    assert stranger.get("/prices")[1]["tariffs"] == []
    assert stranger.get(f"{path}/paid?at=2026-01-17T02:00")[0] == 404
    assert paint(stranger, tariff, 0, [1], "12:00", "13:00")[0] == 404
    assert stranger.bring(f"{path}/dated", "start,price\n2026-01-15 00:00,5\n", keep=True)[0] == 404
    assert stranger.send("delete", f"{path}?version=1")[0] == 404
    band = tariff["bands"][0]
    assert stranger.send("post", f"/prices/bands/{band['id']}/place?version=1", {"to": 0})[0] == 404
    own = {"tariff_id": tariff["id"], "name": "x", "price": "1", "start": "00:00", "end": "01:00", "days": ["mon"]}
    assert stranger.send("post", "/bands/", own)[0] == 422
    assert Tariff.objects.get(pk=tariff["id"]).bands.count() == 2


def test_a_household_without_a_tariff_plans_and_is_asked_for_one(stranger: Browser):
    assert stranger.get("/prices")[1]["tariffs"] == []
    status, told = stranger.send("post", "/prices/tariffs", {"name": "First", "default_price": 0.2})

    assert (status, told["tariffs"][0]["in_force"]) == (200, True)


def test_the_clock_change_of_a_price_file_is_reported(signed_in: Browser):
    tariff = tariff_of(signed_in)
    rows = "\n".join(f"2026-10-25 {clock},0.1" for clock in ("01:00", "02:00", "02:00", "03:00"))
    _, seen = signed_in.bring(f"/prices/tariffs/{tariff['id']}/dated", f"start,price\n{rows}\n")

    assert (seen["rows"], seen["gaps"]) == (4, [])
    assert [datetime.fromisoformat(at).utcoffset().total_seconds() for at in seen["repeated"]] == [3600]
    _, spring = signed_in.bring(
        f"/prices/tariffs/{tariff['id']}/dated", "start,price\n2026-03-29 01:00,1\n2026-03-29 02:30,1\n"
    )
    assert "go forward" in spring["refused"][0]["reason"]
