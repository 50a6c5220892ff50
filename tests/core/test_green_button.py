"""Interval meter data as Green Button XML, and what only looks like it."""

import io

import pytest

from moonplan.core.green_button import from_green_button
from moonplan.core.mistakes import BadDocument

PERIOD = "<timePeriod><duration>{0}</duration><start>{1}</start></timePeriod>"
READING = f"<IntervalReading>{PERIOD}<value>{{2}}</value></IntervalReading>"
START = 1_768_345_200  # 2026-01-13 23:00 UTC, midnight in Ljubljana


def a_file(*blocks: tuple[str, list[tuple[int, int, object]]]) -> io.BytesIO:
    """Blocks of readings, each after its ReadingType."""
    told = "".join(
        f"<entry><content><ReadingType>{kind}</ReadingType></content></entry>"
        f"<entry><content><IntervalBlock>{''.join(READING.format(*r) for r in readings)}</IntervalBlock></content></entry>"
        for kind, readings in blocks
    )
    text = (
        f'<?xml version="1.0"?><feed xmlns="http://www.w3.org/2005/Atom"><x xmlns="http://naesb.org/espi">{told}</x></feed>'
    )
    return io.BytesIO(text.encode())


IN = "<flowDirection>1</flowDirection><powerOfTenMultiplier>0</powerOfTenMultiplier><uom>72</uom>"
OUT = "<flowDirection>19</flowDirection><powerOfTenMultiplier>3</powerOfTenMultiplier><uom>72</uom>"


def test_watt_hours_of_quarters_become_mean_power():
    found = from_green_button(a_file((IN, [(900, START, 250), (900, START + 900, 500)])))

    # 250 Wh in a quarter of an hour is 1 kW.
    assert found.days[0].values[92:94] == (1.0, 2.0)
    assert (found.step_minutes, found.n_rows) == (15, 2)


def test_what_went_out_is_taken_by_itself_and_by_its_own_multiplier():
    file = (IN, [(900, START, 250)]), (OUT, [(3600, START, 2)])

    assert from_green_button(a_file(*file), direction="received").days[0].values[23] == 2.0
    assert from_green_button(a_file(*file)).n_rows == 1


def test_a_reading_that_cannot_be_used_is_told_by_its_number():
    found = from_green_button(a_file((IN, [(900, START, 250), (900, START + 900, "many"), (0, START + 1800, 3)])))

    assert [(row.line, row.mistakes[0].path) for row in found.refused] == [(2, "value"), (3, "timePeriod.duration")]
    assert found.n_rows == 1


@pytest.mark.parametrize(
    ("content", "said"),
    [
        (b"start,kwh\n2026-01-14,3\n", "Green Button XML"),
        (b"<feed/>", "no IntervalReading"),
        (a_file(("<uom>38</uom>", [(900, START, 1)])).getvalue(), "72, watt-hours"),
        (a_file((IN, [])).getvalue(), "no IntervalReading"),
    ],
)
def test_what_is_no_such_file_is_refused_in_plain_words(content: bytes, said: str):
    with pytest.raises(BadDocument, match=said):
        from_green_button(io.BytesIO(content))


def test_only_what_went_in_is_no_answer_to_what_went_out():
    with pytest.raises(BadDocument, match="received"):
        from_green_button(a_file((IN, [(900, START, 250)])), direction="received")


def test_entities_are_never_expanded():
    laughs = b'<!DOCTYPE x [<!ENTITY a "ha"><!ENTITY b "&a;&a;&a;">]><feed>&b;</feed>'
    outside = b'<!DOCTYPE x [<!ENTITY a SYSTEM "file:///etc/passwd">]><feed>&a;</feed>'

    for bad in (laughs, outside):
        with pytest.raises(BadDocument, match="without entities"):
            from_green_button(io.BytesIO(bad))
