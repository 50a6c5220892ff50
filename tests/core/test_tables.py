"""Tables that people bring: names of columns, separators, and rows that are refused."""

from functools import partial

import pytest

from moonplan.core.distance import DistanceUnit
from moonplan.core.mistakes import BadDocument
from moonplan.core.readings import COLUMNS, reading_of_row
from moonplan.core.tables import RefusedRow, Taken, number, rows_of

GOOD = "2026-01-10T22:20:00+01:00"


def brought(text: str):
    return list(rows_of(text.splitlines(), COLUMNS, reading_of_row))


@pytest.mark.parametrize("separator", [",", ";", "\t"])
def test_columns_are_matched_by_name_in_any_order_and_case(separator: str):
    text = "\ufeffRange per h,AT,amps,my notes\n13,{at},10,hello\n".replace(",", separator).format(at=GOOD)
    (found,) = brought(text)

    assert isinstance(found, Taken)
    assert (found.line, found.row.kind, found.row.range_per_h, found.row.amps) == (2, "display", 13, 10)


def test_a_decimal_comma_is_a_decimal_point():
    assert number("2,3") == 2.3
    assert number("two") == "two"
    (found,) = brought(f"at;kw;kw_side;amps\n{GOOD};2,3;battery;10")
    assert found.row.kw == 2.3


@pytest.mark.parametrize(("given", "unit", "taken"), [("", "mi", "mi"), ("", "km", "km"), ("km", "mi", "km")])
def test_a_range_without_a_unit_is_in_the_household_s(given: str, unit: DistanceUnit, taken: str):
    table = ["at,amps,range_per_h,range_unit", f"{GOOD},10,13,{given}"]

    (found,) = rows_of(table, COLUMNS, partial(reading_of_row, unit=unit))

    assert isinstance(found, Taken)
    assert (found.row.range_per_h, found.row.range_unit) == (13, taken)


def test_a_refused_row_is_told_with_its_line_and_reason_and_the_others_are_taken():
    text = f"kind,at,amps,range_per_h,volts\ndisplay,{GOOD},10,13,226\ndisplay,{GOOD},10,13,12\n\ndisplay,yesterday,10,13,\n"
    first, second, third = brought(text)

    assert isinstance(first, Taken)
    assert isinstance(second, RefusedRow)
    assert (second.line, str(second.mistakes[0])) == (3, "volts: 12, expected 50 to 1000")
    assert (third.line, third.mistakes[0].path) == (5, "at")


def test_a_reading_of_another_kind_asks_for_its_own_columns():
    (found,) = brought(f"kind,start,soc_from_pct,soc_to_pct,wall_kwh\nmeter,{GOOD},20,60,9.5")

    assert isinstance(found, RefusedRow)
    assert found.mistakes[0].path == "end"


@pytest.mark.parametrize("text", ["", "just some words", "colour,size\nred,3", "%PDF-1.4 …"])
def test_a_file_that_is_not_what_it_says_is_refused(text: str):
    with pytest.raises(BadDocument, match="a heading with columns such as kind, at"):
        brought(text)


def test_a_row_with_a_stray_quotation_mark_is_refused_and_the_others_are_taken():
    first, second = brought(f'at,amps,range_per_h,note\n{GOOD},10,13,"warm" evening\n{GOOD},8,10,"cold, wet"\n')

    assert isinstance(first, RefusedRow)
    assert (first.line, first.mistakes[0].path) == (2, "row")
    assert isinstance(second, Taken)
    assert second.row.note == "cold, wet"


@pytest.mark.parametrize("rows", [2, 5000])
def test_a_quotation_mark_that_is_never_closed_swallows_no_rows(rows: int):
    text = f'at,amps,range_per_h,remark\n{GOOD},10,13,dry\n{GOOD},10,13,"wet\n' + f"{GOOD},8,10,dry\n" * rows

    with pytest.raises(BadDocument, match=r"from line 3 on: .* expected every quotation mark closed"):
        brought(text)


def test_a_cell_that_is_no_cell_is_refused_by_its_row():
    first, second = brought(f"at,amps,range_per_h\n{GOOD},10,{'9' * 200_000}\n{GOOD},8,10\n")

    assert isinstance(first, RefusedRow)
    assert (first.line, isinstance(second, Taken)) == (2, True)


def test_a_heading_that_is_no_heading_is_refused():
    with pytest.raises(BadDocument, match="a heading with columns such as kind, at"):
        brought("at," + "x" * 200_000)


def test_a_decimal_comma_among_commas_is_refused_and_not_cut_in_half():
    first, second = brought(f"at,kw_side,kw\n{GOOD},battery,2,3\n{GOOD},battery,2.3,\n")

    assert isinstance(first, RefusedRow)
    assert str(first.mistakes[0]) == 'row: "4 cells", expected 3, as in the heading'
    assert isinstance(second, Taken)
    assert second.row.kw == 2.3
