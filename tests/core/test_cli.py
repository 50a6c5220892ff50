"""The command line: documents in, documents out, exit status 2 for what cannot be used."""

import io
import json
from pathlib import Path
from typing import Any

import pytest

from moonplan.cli import main
from tests.core.factories import LOSSLESS, a_car, a_document, a_lead, a_trip

EXAMPLE = str(Path(__file__).parents[1] / "examples" / "two_cars.json")


@pytest.fixture
def given(tmp_path: Path):
    def write(document: dict[str, Any] | str) -> str:
        file = tmp_path / "household.json"
        file.write_text(document if isinstance(document, str) else json.dumps(document))
        return str(file)

    return write


def answer(capfd: pytest.CaptureFixture[str], *arguments: str) -> dict[str, Any]:
    assert main(arguments) == 0
    return json.loads(capfd.readouterr().out)


def test_a_plan_is_the_only_thing_on_standard_output(capfd: pytest.CaptureFixture[str]):
    told = answer(capfd, "plan", EXAMPLE, "--json")

    assert told["format"] == "moonplan-plan/1"
    assert [vehicle["id"] for vehicle in told["vehicles"]] == ["heron", "wren"]
    assert told["totals"]["short_kwh"] == 0
    assert told["objective"]["bound"] <= told["objective"]["value"]


def test_from_standard_input(capfd: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch):
    class Input:
        buffer = io.BytesIO(json.dumps(a_document()).encode())

    monkeypatch.setattr("sys.stdin", Input())

    assert answer(capfd, "plan", "-", "--json")["start"] == "2026-01-14T18:00:00+01:00"


def test_mistakes_go_to_standard_error_with_status_2(capfd: pytest.CaptureFixture[str], given):
    assert main(["plan", given(a_document(vehicles=[a_car(soc_pct=130)], wake="6:15")), "--json"]) == 2

    captured = capfd.readouterr()
    assert captured.out == ""
    assert captured.err.splitlines() == ["vehicles[0].soc_pct: 130, expected 0 to 100", 'wake: "6:15", expected HH:MM']


@pytest.mark.parametrize("text", ["", "{", "[1]", "x" * 5_000_000])
def test_what_is_no_document_ends_without_a_traceback(capfd: pytest.CaptureFixture[str], given, text: str):
    assert main(["plan", given(text)]) == 2
    assert "Traceback" not in capfd.readouterr().err


def test_the_mark_that_some_editors_put_before_a_document_is_none_of_it(capfd: pytest.CaptureFixture[str], given):
    marked = given("\ufeff" + json.dumps(a_document()))

    assert answer(capfd, "plan", marked, "--json")["start"] == "2026-01-14T18:00:00+01:00"


def test_a_file_that_is_not_there(capfd: pytest.CaptureFixture[str]):
    with pytest.raises(SystemExit) as ended:
        main(["plan", "/nowhere.json"])

    assert ended.value.code == 2
    assert "/nowhere.json" in capfd.readouterr().err


def test_the_habit_of_the_command_line_overrides_the_file_s(capfd: pytest.CaptureFixture[str]):
    assert answer(capfd, "plan", EXAMPLE, "--json")["habit"] == "cheapest"
    told = answer(capfd, "plan", EXAMPLE, "--json", "--habit", "plug_and_go")

    assert told["habit"] == "plug_and_go"
    assert told["vehicles"][0]["sessions"][0]["start"].startswith("2026-01-14T18:15")


def test_every_habit_on_the_same_nights(capfd: pytest.CaptureFixture[str]):
    habits = {one["habit"]: one for one in answer(capfd, "compare", EXAMPLE, "--json")["habits"]}

    assert len(habits) == 9
    levels = {habit: one["totals"]["level_cost"] for habit, one in habits.items()}
    assert levels["cheapest"] == habits["cheapest"]["totals"]["cost"]
    assert levels["plug_and_go"] > levels["cheapest"]
    assert main(["compare", EXAMPLE]) == 0
    assert "plug_and_go" in capfd.readouterr().out


def test_the_chain_of_each_car(capfd: pytest.CaptureFixture[str]):
    heron, wren = answer(capfd, "chain", EXAMPLE, "--json")["vehicles"]

    assert heron["links"] == {"circuit": 16, "lead": 16, "cable": 20, "car": 16}
    assert (heron["amps"], heron["phases"], heron["bottleneck"], heron["next"]) == (16, 3, "circuit", "lead")
    assert heron["wall_kw"] == pytest.approx(11.04)
    # 0.94 × 2.3 − 0.25, assumed
    assert (wren["bottleneck"], wren["battery_kw"]) == ("outlet", pytest.approx(1.912))


def test_a_chain_that_does_not_charge_says_why(capfd: pytest.CaptureFixture[str], given):
    told = answer(capfd, "chain", given(a_document(leads=[a_lead(min_a=20)])), "--json")["vehicles"][0]

    assert (told["amps"], told["no_charge"]) == (0, "the circuit leaves 16 A, and charging starts at 20 A")


def test_the_price_of_every_slot(capfd: pytest.CaptureFixture[str]):
    slots = answer(capfd, "prices", EXAMPLE, "--json")["slots"]

    assert slots[0] == ["2026-01-14T18:15:00+01:00", 0.29871, 0.04, "evening peak"]
    assert len(slots) == 167  # 18:15 to noon two days later
    assert {slot[3] for slot in slots} == {"night", "evening peak", "default"}


@pytest.mark.parametrize("command", ["plan", "prices"])
def test_hours_without_a_dated_price_are_told_beside_the_answer(capfd: pytest.CaptureFixture[str], given, command: str):
    series = [["2026-01-14T12:00:00+01:00", 0.1], ["2026-01-15T00:00:00+01:00", None]]

    assert main([command, given(a_document(tariff={"default_price": 0.3, "series": series})), "--json"]) == 0
    missing = "no dated price from 2026-01-15T00:00:00+01:00 to 2026-01-15T12:00:00+01:00"
    assert capfd.readouterr().err == f"tariff.series: {missing}, where the bands hold\n"


def test_the_tables_a_person_reads(capfd: pytest.CaptureFixture[str]):
    for command in ("plan", "chain", "prices"):
        assert main([command, EXAMPLE]) == 0
    told = capfd.readouterr().out

    assert "Heron on wall-unit: 16 A, 3-phase" in told
    assert "the circuit decides, then the lead" in told


def test_a_table_in_miles(capfd: pytest.CaptureFixture[str], given):
    # 20 kWh for 100 km, and 12.64 aboard: 7.36 kWh are 36.8 km, 23 mi.
    trip = a_trip("2026-01-15T07:00:00+01:00", "2026-01-15T18:00:00+01:00", 100)
    document = a_document(
        vehicles=[a_car(soc_pct=25.28, reserve_pct=0, end_pct=0)], rates=[LOSSLESS], trips=[trip], distance_unit="mi"
    )

    assert main(["plan", given(document)]) == 0
    table = capfd.readouterr().out
    assert "  23 mi  for Thursday 07:00 (62.1 mi); " in table
    # At 0.10 a kWh.
    assert "Together 7.36 kWh, 0.74 EUR, 23 mi\n" in table


def test_the_schema(capfd: pytest.CaptureFixture[str]):
    assert answer(capfd, "schema")["properties"]["format"]["const"] == "moonplan-household/1"


def test_the_table_says_when_to_stop_a_car_that_does_not_stop_by_itself(given, capfd: pytest.CaptureFixture[str]):
    document = a_document(vehicles=[a_car(cutoff=True, end_pct=80)], rates=[LOSSLESS])

    assert main(["plan", given(document)]) == 0
    # 15 kWh at 3.68 kW from 22:00 take 4 h 4 min 34 s.
    assert "  has no limit of its own: stop it at 01-15 02:05, after 15.00 kWh\n" in capfd.readouterr().out


def test_the_table_says_what_is_missing_when_the_nights_end(given, capfd: pytest.CaptureFixture[str]):
    # 10 of 50 kWh and 18 hours at 1.38 kW are 34.84 of the 40 that are wanted, 5.16 less: 26 km.
    assert main(["plan", given(a_document(vehicles=[a_car(soc_pct=20, end_pct=80, onboard_kw=1.38)]))]) == 0

    printed = capfd.readouterr().out
    assert "ends 01-15 12:00: short by 26 km (5.2 kWh; what binds: power), 70 % of 80 % wanted" in printed


def test_the_table_says_where_a_car_is_not_ready_as_early_as_somebody_asked(given, capfd: pytest.CaptureFixture[str]):
    # 25 kWh and three hours at 3.68 kW until 21:00 are 36.04 of the 45 that are needed at nine.
    trip = a_trip("2026-01-15T09:00:00+01:00", "2026-01-15T18:00:00+01:00", 200)
    by_nine = {"vehicle": "heron", "night": "2026-01-14", "ready_by": "21:00"}

    assert main(["plan", given(a_document(trips=[trip], overrides=[by_nine]))]) == 0

    printed = capfd.readouterr().out
    assert "leaves 01-15 09:00: ready, 90 % of 90 % needed" in printed
    assert "not ready by 01-14 21:00: 72 % of 90 % (what binds: power)" in printed


def test_the_table_says_what_a_long_trip_needs_beyond_a_full_battery(given, capfd: pytest.CaptureFixture[str]):
    # 260 km take 52 kWh, and 5 are the reserve: 7 more than the 50 that it holds.
    trip = a_trip("2026-01-15T09:00:00+01:00", "2026-01-15T18:00:00+01:00", 260)

    assert main(["plan", given(a_document(trips=[trip]))]) == 0

    printed = capfd.readouterr().out
    assert "leaves 01-15 09:00: ready, 100 % of 100 % needed; 7.0 kWh to charge on the way" in printed
