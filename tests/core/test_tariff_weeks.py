"""A tariff as a week: seasons, lines that take hours from each other, and what a moment costs by which line."""

from datetime import date, datetime, time
from zoneinfo import ZoneInfo

from moonplan.core.household import Band, Tariff
from moonplan.core.tariff import held, paid_at, weeks
from moonplan.core.values import WEEKDAYS

ZONE = ZoneInfo("Europe/Ljubljana")
NIGHT = Band(name="night", price=0.1, from_=time(22), to=time(6))
PEAK = Band(name="peak", price=0.4, from_=time(17), to=time(20), days=WEEKDAYS[:5], months=(11, 12, 1, 2))
WEEKEND = Band(name="weekend", price=0.15, from_=time(0), to=time(0), days=WEEKDAYS[5:])


def at(text: str) -> datetime:
    return datetime.fromisoformat(text).replace(tzinfo=ZONE)


def test_a_winter_peak_makes_two_weeks_of_a_year():
    winter, summer = weeks(Tariff(default_price=0.3, bands=(NIGHT, PEAK)))

    assert (winter.months, summer.months) == ((1, 2, 11, 12), (3, 4, 5, 6, 7, 8, 9, 10))
    # Wednesday 17:00 is half hour 34; line 1 is the peak, and 2 stands for the default price.
    assert (winter.line[2, 34], summer.line[2, 34]) == (1, 2)
    assert (winter.price[2, 34], winter.price[5, 34]) == (0.4, 0.3)


def test_a_half_hour_that_a_line_cuts_shows_the_mean():
    early = Band(name="early", price=0.1, from_=time(6, 10), to=time(7))
    week = weeks(Tariff(default_price=0.4, bands=(early,)))[0]

    assert week.price[0, 12] == round((10 * 0.4 + 20 * 0.1) / 30, 10)


def test_a_line_tells_what_the_lines_before_it_take():
    fares = held(Tariff(default_price=0.3, bands=(WEEKEND, NIGHT)))

    assert (fares[0].hours_a_week, fares[0].beaten_by) == (48, ())
    # Eight hours a night, of which the weekend takes those of Saturday and Sunday.
    assert (fares[1].claimed_hours_a_week, fares[1].hours_a_week, fares[1].beaten_by) == (56, 40, ("weekend",))
    # What is left of the 168 hours is a gap between the lines.
    assert fares[2].hours_a_week == 168 - 48 - 40


def test_a_line_that_another_covers_never_holds():
    hidden = Band(name="hidden", price=0.05, from_=time(23), to=time(5))

    assert held(Tariff(default_price=0.3, bands=(NIGHT, hidden)))[1].hours_a_week == 0


def test_what_is_paid_on_saturday_at_two_and_by_which_line():
    weekdays = Band(name="weekday night", price=0.1, from_=time(22), to=time(6), days=WEEKDAYS[:5])
    by_clock = Tariff(default_price=0.3, bands=(weekdays,))
    by_start = Tariff(default_price=0.3, bands=(weekdays,), day_of="start")

    assert (paid_at(by_clock, at("2026-01-17T02:00"), ZONE).line, paid_at(by_clock, at("2026-01-17T02:00"), ZONE).price) == (
        None,
        0.3,
    )
    assert paid_at(by_start, at("2026-01-17T02:00"), ZONE).name == "weekday night"


def test_the_lines_that_are_beaten_are_named_and_a_dated_price_beats_them_all():
    tariff = Tariff(default_price=0.3, bands=(WEEKEND, NIGHT), series=((at("2026-01-17T03:00"), 0.02),))

    asked = paid_at(tariff, at("2026-01-17T02:00"), ZONE)
    assert (asked.line, asked.beaten, asked.dated) == (0, (1,), False)
    later = paid_at(tariff, at("2026-01-17T03:30"), ZONE)
    assert (later.price, later.dated, later.line) == (0.02, True, 0)


def test_on_a_holiday_the_sunday_line_is_paid():
    tariff = Tariff(default_price=0.3, bands=(WEEKEND,), holidays=(date(2026, 1, 14),))

    assert paid_at(tariff, at("2026-01-14T12:00"), ZONE).name == "weekend"
    # The week that is drawn is an ordinary one.
    assert weeks(tariff)[0].price[2, 24] == 0.3
