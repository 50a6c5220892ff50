"""The roof drawn, measured and corrected; the sun waited for; the house learned from its meter."""

import pytest
from playwright.sync_api import Page, expect

from tests.core.test_green_button import IN, a_file
from tests.web.conftest import DESK, PHONE, Served


def sun(demo: Served, open_page, viewport=DESK) -> Page:
    page = open_page(demo.link, viewport)
    page.get_by_role("link", name="Sun", exact=True).click()
    expect(page.get_by_role("region", name="The roof")).to_be_visible()
    return page


def likely(page: Page, day: str) -> float:
    cells = page.get_by_role("region", name="Days ahead in figures").get_by_role("row").filter(has_text=day)
    return float(cells.get_by_role("cell").nth(3).inner_text().split()[0])


@pytest.mark.parametrize("viewport", [DESK, PHONE], ids=["desk", "phone"])
def test_panels_are_drawn_and_the_days_ahead_give_more(demo: Served, open_page, viewport):
    page = sun(demo, open_page, viewport)
    expect(page.get_by_role("row").filter(has_text="Thu 15 Jan")).to_be_visible()
    before = likely(page, "Thu 15 Jan")
    page.get_by_role("button", name="+ Panels in one plane").click()
    form = page.get_by_role("form", name="+ Panels in one plane")
    form.get_by_label("Name").fill("carport")
    form.get_by_label("Rated power").fill("nothing")
    form.get_by_role("button", name="Save").click()
    expect(form.get_by_role("alert")).to_contain_text("Expected a number")
    form.get_by_label("Rated power").fill("6.4")
    form.get_by_label("Tilt").fill("10")
    form.get_by_role("button", name="Save").click()

    expect(page.get_by_role("button", name="carport 6.4 kWp")).to_be_visible()
    assert 1.4 * before < likely(page, "Thu 15 Jan") < 2.0 * before
    assert page.evaluate("document.documentElement.scrollWidth") <= viewport["width"]
    page.get_by_role("button", name="Undo “carport added”").click()
    expect(page.get_by_role("button", name="carport 6.4 kWp")).to_have_count(0)


def test_the_model_is_corrected_by_what_was_measured(demo: Served, open_page):
    page = sun(demo, open_page)
    measured = page.get_by_role("region", name="Measured output")
    expect(measured).to_contain_text("92 %")
    measured.get_by_role("button", name="Correct the roof by it").press("Enter")

    expect(measured).to_contain_text("They agree.")
    expect(page.get_by_role("button", name="south roof")).to_contain_text("corrected by 0.92")


def test_whether_to_wait_is_answered_for_the_day_that_is_chosen(demo: Served, open_page):
    page = sun(demo, open_page)
    waiting = page.get_by_role("region", name="Wait for the sun?")
    expect(waiting.get_by_text("Wren: ")).to_contain_text("if it is dull")
    waiting.get_by_role("combobox", name="Day to wait for").select_option(label="Saturday 17 January")

    expect(waiting.get_by_role("combobox")).to_have_value("2026-01-17")
    expect(waiting).to_contain_text("simulated sky")
    page.get_by_role("button", name="Plan the next 7 nights both ways").click()
    both = page.get_by_role("region", name="The sun first, or the cheapest hours")
    expect(both.get_by_role("row").filter(has_text="the sun first")).to_contain_text("€")


def test_a_week_of_the_meter_teaches_the_house_s_load(demo: Served, open_page, tmp_path):
    table = tmp_path / "meter.csv"
    # A fortnight in autumn at half a kW, on the house's clock: an hour comes twice.
    rows = [
        f"2025-10-{day:02} {hour:02}:{minute:02},0.125"
        for day in range(20, 30)
        for hour in range(24)
        for minute in (0, 15, 30, 45)
    ]
    again = [f"2025-10-26 02:{minute:02},0.125" for minute in (0, 15, 30, 45)]
    at = rows.index("2025-10-26 03:00,0.125")
    table.write_text("start,kwh\n" + "\n".join([*rows[:at], *again, *rows[at:]]))
    page = sun(demo, open_page)
    house = page.get_by_role("region", name="The house itself")
    expect(house).to_contain_text("Learned from 56 days of the meter")
    house.get_by_text("Bring what the house meter counted").click()
    bring = house.get_by_role("group").filter(has_text="Bring what the house meter counted")
    bring.get_by_label("File", exact=True).set_input_files(table)
    bring.get_by_role("button", name="See what it would bring").click()

    expect(bring).to_contain_text("964 rows of 15 minutes")
    expect(bring).to_contain_text("comes twice, and was taken twice")
    bring.get_by_role("button", name="Bring them in").click()
    expect(house.get_by_text("house meter: ")).to_contain_text("Oct")
    house.get_by_role("button", name="Plan with it").click()
    expect(house).to_contain_text("It is planned with.")


def test_sun_in_the_cars_shows_in_the_night_s_table(demo: Served, open_page):
    page = open_page(demo.link)
    page.get_by_text("Read the night as a table").click()
    surplus = page.get_by_role("table", name="Sun that the house leaves over")

    expect(surplus.get_by_role("row").first).to_contain_text("Left over")
    expect(page.get_by_text("Made up, to stand in for a real service: simulated sky.")).to_be_visible()


def test_a_green_button_file_is_brought_in_and_what_is_none_is_refused(demo: Served, open_page, tmp_path):
    good, bad = tmp_path / "meter.xml", tmp_path / "letter.xml"
    start = 1_768_518_000  # 2026-01-16 00:00 in Ljubljana
    good.write_bytes(a_file((IN, [(900, start + 900 * n, 250) for n in range(8)])).getvalue())
    bad.write_text("Dear customer, your readings are attached.")
    page = sun(demo, open_page)
    house = page.get_by_role("region", name="The house itself")
    house.get_by_text("Bring what the house meter counted").click()
    bring = house.get_by_role("group").filter(has_text="Bring what the house meter counted")
    bring.get_by_label("The file is").select_option("Green Button XML")
    bring.get_by_label("File", exact=True).set_input_files(bad)
    bring.get_by_role("button", name="See what it would bring").click()
    expect(bring.get_by_role("alert")).to_contain_text("expected Green Button XML (ESPI)")

    bring.get_by_label("File", exact=True).set_input_files(good)
    bring.get_by_role("button", name="See what it would bring").click()
    expect(bring).to_contain_text("8 rows of 15 minutes, from 2026-01-16 00:00 to 2026-01-16 02:00")
    bring.get_by_role("button", name="Bring them in").click()
    expect(bring).to_contain_text("Brought in 8 new steps")
    page.get_by_role("button", name="Undo “house meter brought in”").click()
    expect(page.get_by_role("button", name="Nothing to undo")).to_be_visible()
