"""A tariff painted and typed, its dated prices, and two of them on the household's own year."""

import re

from playwright.sync_api import Page, expect

from tests.web.conftest import DESK, PHONE, Served


def prices(demo: Served, open_page, viewport=DESK, **more) -> Page:
    page = open_page(demo.link, viewport, **more)
    page.get_by_role("link", name="Prices", exact=True).click()
    expect(page.get_by_role("grid", name="Half hours of the week")).to_be_visible()
    return page


def hour(page: Page, name: str):
    return page.get_by_role("gridcell", name=name)


def test_hours_are_painted_with_the_mouse_and_stand_in_the_table(demo: Served, open_page):
    page = prices(demo, open_page)
    hour(page, "Saturday 12:00").hover()
    expect(page.get_by_text("Saturday 12:00: 0.21437 by the default price, since no line matches")).to_be_visible()

    page.mouse.down()
    hour(page, "Sunday 14:30").hover()
    page.mouse.up()
    expect(page.get_by_text("Saturday to Sunday, 12:00 to 15:00")).to_be_visible()
    page.get_by_role("button", name=re.compile("^night 0.08912")).click()

    expect(hour(page, "Sunday 14:30: 0.08912 by line 1, night")).to_be_visible()
    expect(page.get_by_role("textbox", name="night from").first).to_have_value("12:00")
    expect(page.get_by_text("Saturday 12:00: 0.21437")).to_have_count(0)
    page.get_by_role("button", name="Undo “painted night”").click()
    expect(hour(page, "Sunday 14:30: 0.21437 by the default price")).to_be_visible()


def test_what_is_typed_in_the_table_is_on_the_week(demo: Served, open_page):
    page = prices(demo, open_page)
    start = page.get_by_role("textbox", name="evening peak from")
    start.fill("16:30")
    start.press("Enter")
    expect(hour(page, "Monday 16:30: 0.29871 by line 2, evening peak")).to_be_visible()

    price = page.get_by_role("textbox", name="Price of night")
    price.fill("0.0651234")
    price.press("Enter")
    expect(hour(page, "Monday 00:00: 0.06512 by line 1, night")).to_be_visible()
    # The sheet keeps what was typed, to the last decimal.
    expect(price).to_have_value("0.0651234")
    # A time that is none is told at its field, and nothing changes.
    start = page.get_by_role("textbox", name="night from")
    start.fill("25:00")
    start.press("Enter")
    expect(page.get_by_role("alert").filter(has_text="night from: 25:00, expected HH:MM")).to_be_visible()


def test_a_sheet_is_typed_line_by_line_without_waiting_for_an_answer(demo: Served, open_page):
    page = prices(demo, open_page)
    page.get_by_role("textbox", name="evening peak from").fill("16:30")
    page.keyboard.press("Tab")
    page.keyboard.type("21:30")
    page.keyboard.press("Tab")
    for day in ("mon", "tue", "wed"):
        page.get_by_role("checkbox", name=f"evening peak on {day}").click()
    first = page.get_by_role("textbox", name="Name of line 1")
    expect(first).to_have_value("night")
    page.get_by_role("button", name="evening peak before").click()
    expect(first).to_have_value("evening peak")

    # Friday's peak is still one, from and to when it was typed; Wednesday's is none any more.
    expect(hour(page, "Friday 16:30: 0.29871 by line 1, evening peak")).to_be_visible()
    expect(hour(page, "Friday 21:00: 0.29871 by line 1, evening peak")).to_be_visible()
    expect(hour(page, "Wednesday 16:30: 0.21437 by the default price")).to_be_visible()
    expect(page.get_by_role("alert")).to_have_count(0)


def test_a_line_that_somebody_else_changed_is_not_typed_over(demo: Served, open_page):
    page, elsewhere = prices(demo, open_page), open_page(demo.new_link())
    elsewhere.get_by_role("link", name="Prices", exact=True).click()
    elsewhere.get_by_role("textbox", name="Price of night").fill("0.07")
    elsewhere.keyboard.press("Enter")
    expect(hour(elsewhere, "Monday 00:00: 0.07")).to_be_visible()
    price = page.get_by_role("textbox", name="Price of night")

    price.fill("0.06")
    price.press("Enter")

    expect(page.get_by_role("alert")).to_contain_text("changed this line meanwhile; it is shown as it is now")
    expect(price).to_have_value("0.07")
    price.fill("0.06")
    price.press("Enter")
    expect(hour(page, "Monday 00:00: 0.06")).to_be_visible()
    expect(page.get_by_role("alert")).to_have_count(0)


def test_lines_that_overlap_say_who_wins_and_order_is_changed(demo: Served, open_page):
    page = prices(demo, open_page)
    page.get_by_role("button", name="A line more").click()
    end = page.get_by_role("textbox", name="line 3 to")
    end.fill("07:00")
    end.press("Enter")
    row = page.get_by_role("row").filter(has=page.get_by_role("textbox", name="line 3 to"))
    # From 22:00 to 07:00 it would hold 63 hours; the night's 56 go before.
    expect(row).to_contain_text("7 h a week; 56 h a week go to night")

    page.get_by_role("button", name="line 3 before").click()
    expect(page.get_by_role("button", name="evening peak after")).to_be_disabled()
    page.get_by_role("button", name="line 3 before").click()
    expect(row).to_contain_text("63 h a week")
    expect(page.get_by_role("row").filter(has=page.get_by_role("textbox", name="Price of night"))).to_contain_text(
        "never: line 3 stands before it"
    )
    hour(page, "Tuesday 02:00").hover()
    expect(page.get_by_text("by line 1, line 3; night would match too, but stands further down")).to_be_visible()


def test_the_week_is_painted_with_the_keyboard_alone(demo: Served, open_page):
    page = prices(demo, open_page)
    hour(page, "Monday 00:00").focus()
    for _ in range(12):
        page.keyboard.press("ArrowRight")
    page.keyboard.press("Shift+ArrowRight")
    for _ in range(4):
        page.keyboard.press("Shift+ArrowDown")
    expect(page.get_by_text("Monday to Friday, 06:00 to 07:00")).to_be_visible()

    page.get_by_role("button", name=re.compile("^night 0.08912")).press("Enter")
    expect(hour(page, "Friday 06:30: 0.08912 by line 1, night")).to_be_visible()


def test_on_a_phone_days_stand_side_by_side_and_two_taps_choose_hours(demo: Served, open_page):
    page = prices(demo, open_page, PHONE, has_touch=True)
    hour(page, "Saturday 12:00").tap()
    hour(page, "Sunday 14:30").tap()
    expect(page.get_by_text("Saturday to Sunday, 12:00 to 15:00")).to_be_visible()
    page.get_by_role("button", name=re.compile("^night 0.08912")).tap()

    expect(hour(page, "Sunday 14:30: 0.08912 by line 1, night")).to_be_visible()
    assert page.evaluate("document.documentElement.scrollWidth") <= PHONE["width"]


def test_a_moment_is_asked_for_and_answered_with_its_line(demo: Served, open_page):
    page = prices(demo, open_page)
    page.get_by_role("textbox", name="Day asked for").fill("2026-01-17")
    page.get_by_role("textbox", name="Day asked for").press("Enter")

    expect(page.get_by_text("0.08912 a kWh on that Saturday: line 1, night.")).to_be_visible()
    page.get_by_label("By the hour to compare").check()
    expect(page.get_by_text("a dated price, which wins over every line.")).to_be_visible()


def test_a_price_file_with_a_gap_is_looked_at_and_brought_in(demo: Served, open_page, tmp_path):
    table = tmp_path / "prices.csv"
    table.write_text("start,price\n2026-01-15 00:00,5.1\n2026-01-15 01:00,6\n2026-01-15 03:00,seven\n2026-01-15 04:00,8\n")
    page = prices(demo, open_page)
    page.get_by_text("Bring dated prices of Three bands from a file").click()
    page.get_by_label("File", exact=True).set_input_files(table)
    page.get_by_label("A figure is").select_option("hundredths per kWh")

    page.get_by_role("button", name="See what it would bring").click()
    expect(page.get_by_text("It would bring 3 new prices; 0 are here already.")).to_be_visible()
    expect(page.get_by_role("list", name="Gaps")).to_contain_text("Nothing from 2026-01-15 02:00 to 2026-01-15 04:00.")
    expect(page.get_by_text('Line 4 is refused: value: "seven", expected a number')).to_be_visible()
    page.get_by_role("button", name="Bring them in").click()
    expect(page.get_by_text("Brought in 3 new prices")).to_be_visible()

    page.get_by_role("link", name="Tonight").click()
    page.get_by_text("Read the night as a table").click()
    table = page.get_by_role("table", name="Prices of the night")
    expect(table.get_by_role("row").filter(has_text="00:00")).to_contain_text("series")
    expect(table.get_by_role("row").filter(has_text="02:00")).to_contain_text("night")


def test_two_tariffs_are_compared_on_the_year_behind(demo: Served, open_page):
    page = prices(demo, open_page)
    # One car with short days is enough to see it work.
    page.get_by_role("button", name="Compare them on the year behind").click()
    expect(page.get_by_role("progressbar", name="Months worked out")).to_be_visible()

    region = page.get_by_role("region", name="Tariffs compared")
    expect(region.get_by_text("So far, 2 of 12 months")).to_be_visible(timeout=120_000)
    expect(region.get_by_text("The year behind: your usual drives")).to_be_visible(timeout=400_000)
    expect(region.get_by_text(re.compile(r"is cheaper, by €[\d.,]+ a year"))).to_be_visible()
    expect(region.get_by_role("row").filter(has_text="Together")).to_contain_text("€")
    region.get_by_text("Month by month").click()
    expect(region.get_by_role("row").filter(has_text="2025-07")).to_be_visible()


def test_a_rival_is_typed_and_thrown_away(demo: Served, open_page):
    page = prices(demo, open_page)
    page.get_by_role("button", name="A tariff more").click()
    page.get_by_role("textbox", name="Name", exact=True).fill("Flat")
    page.get_by_role("textbox", name="Default price a kWh").fill("0,18")
    page.get_by_role("button", name="Add it").click()

    page.get_by_label("Flat to compare").check()
    expect(hour(page, "Wednesday 17:00: 0.18 by the default price")).to_be_visible()
    page.get_by_role("button", name="Throw Flat away").click()
    expect(page.get_by_label("Flat to compare")).to_have_count(0)


def test_two_windows_on_the_same_tariff_lose_nothing(demo: Served, open_page):
    mine = prices(demo, open_page)
    hers = open_page(demo.new_link())
    hers.get_by_role("link", name="Prices", exact=True).click()
    hour(hers, "Monday 06:00").click()
    hers.get_by_role("button", name=re.compile("^night 0.08912")).click()
    expect(hour(hers, "Monday 06:00: 0.08912 by line 1, night")).to_be_visible()

    hour(mine, "Sunday 06:00").click()
    mine.get_by_role("button", name=re.compile("^evening peak 0.29871")).click()
    expect(mine.get_by_role("alert")).to_contain_text("demo changed this tariff meanwhile")
    # Hers is shown now, and mine goes on top of it when it is given again.
    expect(hour(mine, "Monday 06:00: 0.08912 by line 1, night")).to_be_visible()
    mine.get_by_role("button", name=re.compile("^evening peak 0.29871")).click()
    expect(hour(mine, "Sunday 06:00: 0.29871 by line 1, evening peak")).to_be_visible()
    expect(hour(mine, "Monday 06:00: 0.08912")).to_be_visible()


def test_the_next_tariff_is_typed_with_its_day_and_the_night_goes_by_both(demo: Served, open_page):
    page = prices(demo, open_page)
    page.get_by_role("button", name="A tariff more").click()
    form = page.get_by_role("form", name="A tariff more")
    form.get_by_role("textbox", name="Name", exact=True).fill("New sheet")
    form.get_by_role("textbox", name="Default price a kWh").fill("0.26")
    form.get_by_label("ours from").check()
    form.get_by_role("textbox", name="First day").fill("tomorrow")
    form.get_by_role("button", name="Add it").click()
    expect(form.get_by_role("alert")).to_contain_text("First day: expected")
    form.get_by_role("textbox", name="First day").fill("2026-01-15")
    form.get_by_label("begin with the lines and charges of Three bands").check()
    form.get_by_role("button", name="Add it").click()

    expect(page.get_by_label("New sheet from 2026-01-15")).to_be_visible()
    page.get_by_role("link", name="Tonight").click()
    page.get_by_text("Read the night as a table").click()
    table = page.get_by_role("table", name="Prices of the night")
    expect(table.get_by_role("row").filter(has_text="06:00")).to_contain_text("0.26")
    expect(table.get_by_role("row").filter(has_text="20:00")).to_contain_text("0.21437")


def test_a_feed_is_chosen_and_says_that_it_is_made_up(demo: Served, open_page):
    page = prices(demo, open_page)
    page.get_by_role("combobox", name="Feed of dated prices").select_option(label="the simulated day-ahead feed")

    expect(page.get_by_text("(made up, to stand in for a real one)")).to_be_visible()
    expect(page.get_by_role("img", name="Prices known ahead, hour by hour")).to_be_visible()
    page.get_by_role("link", name="Tonight").click()
    expect(page.get_by_text("simulated sky and simulated day-ahead feed")).to_be_visible()
    # What tomorrow's prices do not reach is reckoned with otherwise, and says so.
    page.get_by_role("link", name="Days").click()
    expect(page.get_by_text("No dated prices are known from Friday 00:00 to Wednesday 21 January 12:00")).to_be_visible()
