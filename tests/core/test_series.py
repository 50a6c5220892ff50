"""Files of prices and of meters: gaps, clock changes, units, and what a second file does to the first."""

from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np
import pytest

from moonplan.core import series
from moonplan.core.mistakes import BadDocument
from moonplan.core.series import Brought, Day, from_csv, means, merged, says_again, steps_of

HERE = ZoneInfo("Europe/Ljubljana")


def prices_of(text: str, **how) -> Brought:
    return from_csv(text.splitlines(), measure="price", unit=how.pop("unit", "per kWh"), zone=how.pop("zone", HERE))


def power_of(text: str, **how) -> Brought:
    return from_csv(text.splitlines(), measure="power", unit=how.pop("unit", "kWh"), zone=how.pop("zone", HERE))


def test_hourly_prices_on_the_house_s_clock_fall_on_days_of_utc():
    found = prices_of("start,price\n2026-01-14 00:00,0.1\n2026-01-14 01:00,0.2\n2026-01-14 02:00,0.3\n")

    # Midnight in Ljubljana is 23:00 UTC of the day before.
    assert [(day.day, day.minutes) for day in found.days] == [(date(2026, 1, 13), 60), (date(2026, 1, 14), 60)]
    assert found.days[0].values[23] == 0.1
    assert found.days[1].values[:3] == (0.2, 0.3, None)
    assert (found.step_minutes, found.n_rows, found.gaps) == (60, 3, ())


def test_a_gap_is_told_and_left_open():
    found = prices_of("start,price\n2026-01-14T10:00Z,0.1\n2026-01-14T11:00Z,0.2\n2026-01-14T14:00Z,0.3\n")

    assert [(f"{gap.start:%H:%M}", f"{gap.end:%H:%M}") for gap in found.gaps] == [("12:00", "14:00")]
    assert steps_of(found.days)[1:5] == [
        (datetime(2026, 1, 14, 10, tzinfo=UTC), 0.1),
        (datetime(2026, 1, 14, 11, tzinfo=UTC), 0.2),
        (datetime(2026, 1, 14, 12, tzinfo=UTC), None),
        (datetime(2026, 1, 14, 14, tzinfo=UTC), 0.3),
    ]


def test_the_hour_that_comes_twice_is_taken_twice_in_the_file_s_order():
    rows = ["01:00,1", "02:00,2", "02:30,2.5", "02:00,3", "02:30,3.5", "03:00,4", "03:30,4.5"]
    found = prices_of("start,price\n" + "\n".join(f"2026-10-25 {row}" for row in rows))

    at = {start: price for start, price in steps_of(found.days) if price is not None}
    assert at[datetime(2026, 10, 25, 0, 30, tzinfo=UTC)] == 2.5
    assert at[datetime(2026, 10, 25, 1, 0, tzinfo=UTC)] == 3
    assert at[datetime(2026, 10, 25, 1, 30, tzinfo=UTC)] == 3.5
    assert [f"{hour:%H:%M %z}" for hour in found.repeated] == ["02:00 +0100"]


@pytest.mark.parametrize("minutes", [("00",), ("00", "15", "30", "45")])
def test_a_file_with_its_newest_rows_first_says_the_same_of_the_hour_that_comes_twice(minutes: tuple[str, ...]):
    clocks = [f"{hour}:{minute}" for hour in ("01", "02", "02", "03") for minute in minutes]
    rows = [f"2026-10-25 {clock},0.{nth + 10}" for nth, clock in enumerate(clocks)]

    oldest, newest = (prices_of("\n".join(["start,price", *lines])) for lines in (rows, rows[::-1]))

    assert (newest.days, newest.gaps, newest.repeated) == (oldest.days, (), oldest.repeated)
    assert newest.n_rows == len(rows)


def test_an_hour_that_no_clock_shows_is_refused_with_its_line():
    found = prices_of("start,price\n2026-03-29 01:00,1\n2026-03-29 02:00,2\n2026-03-29 03:00,3\n")

    assert [row.line for row in found.refused] == [3]
    assert "go forward" in str(found.refused[0].mistakes[0])
    assert (found.n_rows, found.gaps) == (2, ())


def test_a_day_of_a_clock_change_is_whole_on_the_house_s_clock():
    at = datetime(2026, 10, 25, tzinfo=HERE).astimezone(UTC)
    rows = [f"{(at + timedelta(minutes=15 * n)).astimezone(HERE):%Y-%m-%d %H:%M},{n}" for n in range(100)]
    found = power_of("start,kw\n" + "\n".join(rows), unit="kW")

    assert (found.n_rows, found.gaps, found.step_minutes) == (100, (), 15)
    edges = np.array([int((at + timedelta(minutes=15 * n)).timestamp()) for n in range(101)])
    assert means(found.days, edges) == pytest.approx(np.arange(100))


def test_energy_is_kept_as_mean_power_whatever_the_unit():
    # 300 Wh in a quarter of an hour is 1.2 kW.
    text = "start;wh\n2026-01-14T10:00Z;300\n2026-01-14T10:15Z;150\n"

    assert power_of(text, unit="Wh").days[0].values[40:42] == (1.2, 0.6)
    assert prices_of("from;price\n2026-01-14T10:00Z;89,12\n2026-01-14T11:00Z;90\n", unit="per MWh").days[0].values[
        10
    ] == pytest.approx(0.08912)


def test_an_end_tells_how_long_a_row_holds():
    found = power_of("start,end,kwh\n2026-01-14T10:00Z,2026-01-14T10:30Z,1\n2026-01-14T10:30Z,2026-01-14T10:45Z,1\n")

    assert found.days[0].minutes == 15
    assert found.days[0].values[40:44] == (2, 2, 4, None)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("colour,size\nred,3\n", "a heading with columns such as"),
        ("start\n2026-01-14 10:00\n", "a heading with columns such as"),
        ("start,price\nyesterday,3\n", "a time such as"),
        ("start,price\n", "at least one row"),
        ("start,price\n2026-01-14T10:00Z,1\n2026-01-14T10:07Z,1\n2026-01-14T10:14Z,1\n", "steps of 15 minutes or more"),
        ("start,price\n2026-01-14T10:00Z,1\n2026-01-14T10:05Z,1\n2026-01-14T10:10Z,1\n", "steps of 15 minutes or more"),
    ],
)
def test_a_file_that_is_not_what_it_says_is_refused_in_plain_words(text: str, said: str):
    with pytest.raises(BadDocument, match=said):
        prices_of(text)


def test_a_unit_that_makes_figures_of_no_world_is_asked_about():
    with pytest.raises(BadDocument, match="is the unit of the figures right"):
        prices_of("start,price\n2026-01-14T10:00Z,8912\n2026-01-14T11:00Z,9100\n")
    # 5000 Wh in a quarter of an hour are 20 kW; read as kWh they would be 20 000.
    with pytest.raises(BadDocument, match="20000 kW"):
        power_of("start,kwh\n2026-01-14T10:00Z,5000\n2026-01-14T10:15Z,10\n")


def test_rows_that_cannot_be_used_are_told_and_the_others_kept():
    found = power_of("start,kwh\n2026-01-14T10:00Z,1\n2026-01-14T11:00Z,lots\n2026-01-14T12:00Z,-3\n2026-01-14T13:00Z,2\n")

    assert [(row.line, row.mistakes[0].path, row.mistakes[0].expected) for row in found.refused] == [
        (3, "value", "a number"),
        (4, "value", "0 or more"),
    ]
    assert found.n_rows == 2


def test_a_file_of_nothing_but_bad_rows_is_another_file():
    rows = "\n".join(f"nonsense {n},1" for n in range(10_002))

    with pytest.raises(BadDocument, match="another file"):
        power_of("start,kwh\n" + rows)


def test_rows_out_of_order_and_told_twice_come_out_in_order():
    found = prices_of("start,price\n2026-01-14T11:00Z,2\n2026-01-14T10:00Z,1\n2026-01-14T11:00Z,5\n")

    assert found.days[0].values[10:12] == (1, 5)


def test_a_finer_file_over_a_coarser_one_keeps_both():
    hourly = Day(date(2026, 1, 14), 60, tuple([0.1] * 24))
    half = Day(date(2026, 1, 14), 30, tuple(0.5 if n == 20 else None for n in range(48)))

    found = merged(hourly, half)
    assert (found.minutes, found.values[20], found.values[21]) == (30, 0.5, 0.1)
    assert says_again(found, hourly) is False
    assert says_again(hourly, Day(hourly.day, 30, tuple([0.1] * 48)))


def test_the_mean_of_a_part_that_is_not_known_is_not_known():
    day = Day(date(2026, 1, 14), 60, tuple(None if n == 5 else 2.0 for n in range(24)))
    start = int(datetime(2026, 1, 14, tzinfo=UTC).timestamp())
    edges = start + np.arange(0, 8 * 3600 + 1, 7200)

    assert means([day], edges) == pytest.approx([2, 2, np.nan, 2], nan_ok=True)


def test_a_long_file_is_read_a_row_at_a_time():
    # A file that is made while it is read: were it gathered first, the first refused row would come too late.
    told = []

    def lines():
        yield "start,kwh\n"
        at = datetime(2020, 1, 1, tzinfo=UTC)
        for n in range(20_000):
            told.append(n)
            yield f"{(at + timedelta(minutes=15 * n)).isoformat()},{n % 5}\n"

    found = series.from_csv(lines(), measure="power", unit="kWh", zone=HERE)

    assert (found.n_rows, len(told)) == (20_000, 20_000)
    # Sums agree: the mean power of a day times 24 hours is its energy.
    kwh = sum(value * day.minutes / 60 for day in found.days for value in day.values if value is not None)
    assert kwh == pytest.approx(sum(n % 5 for n in range(20_000)))
