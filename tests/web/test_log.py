"""The morning after: how the night went, said with a press or typed, and the month that it adds to."""

import re
from collections.abc import Callable

import pytest
from playwright.sync_api import Locator, Page, expect

from tests.web.conftest import DESK, PHONE, Served


def night(page: Page, name: str = "Tuesday 13 January") -> Locator:
    return page.get_by_role("region", name=name)


@pytest.mark.parametrize("viewport", [DESK, PHONE], ids=["desk", "phone"])
def test_a_night_is_said_to_have_gone_as_planned_and_undone(demo: Served, open_page: Callable[..., Page], viewport):
    page = open_page(demo.link, viewport)
    page.get_by_role("link", name="How did last night go for Wren?").click()
    expect(night(page)).to_contain_text("Nothing is written down yet.")

    page.get_by_role("button", name="It went as planned: Wren, Tuesday 13 January").click()

    expect(night(page).get_by_text("not read: as planned")).to_be_visible()
    expect(night(page)).not_to_contain_text("Nothing is written down yet.")
    assert page.evaluate("document.documentElement.scrollWidth") <= viewport["width"]
    page.get_by_role("button", name="Undo “Wren: as planned”").click()
    expect(night(page)).to_contain_text("Nothing is written down yet.")


def test_what_meter_and_car_said_is_typed_with_the_keyboard_and_becomes_a_reading(
    demo: Served, open_page: Callable[..., Page]
):
    page = open_page(demo.link)
    page.get_by_role("link", name="Log").press("Enter")
    page.get_by_role("button", name="Write down: Wren, Tuesday 13 January").press("Enter")
    form = page.get_by_role("form", name="Session of Wren")
    # It begins with what was planned.
    expect(form.get_by_label("Began")).to_have_value("2026-01-14T04:00")

    form.get_by_label("Meter, kWh").fill("3,2")
    form.get_by_label("SoC before, %").fill("74")
    form.get_by_label("SoC after, %").fill("140")
    form.get_by_label("SoC after, %").press("Enter")
    expect(form.get_by_role("alert")).to_have_text("Expected 0 to 100")

    form.get_by_label("SoC after, %").fill("86")
    form.get_by_label("SoC after, %").press("Enter")

    expect(form).to_have_count(0)
    # 3.2 kWh in 110 minutes are 1.7 kW.
    expect(night(page)).to_contain_text("1.0 kWh less than planned: 1.7 kW at the wall instead of 2.3.")
    page.get_by_role("button", name="Keep as a reading of the charge rate: Wren, Tuesday 13 January").press("Enter")
    expect(night(page).get_by_text("kept as a reading")).to_be_visible()
    page.get_by_role("link", name="Rates").click()
    page.get_by_role("combobox", name="Hook-up").select_option(label="Wren on the portable lead, shed socket")
    expect(page.get_by_text("Measured, from 1 reading")).to_be_visible()


def test_a_session_is_corrected_and_taken_out(demo: Served, open_page: Callable[..., Page]):
    page = open_page(demo.link)
    page.get_by_role("link", name="Log").click()
    saturday = night(page, "Saturday 10 January")
    expect(saturday).to_contain_text("it began at 22:35 instead of 22:00")

    page.get_by_role("button", name="Correct Heron, Saturday 10 January").click()
    form = page.get_by_role("form", name="Session of Heron")
    form.get_by_label("Began").fill("2026-01-10T22:00")
    form.get_by_label("Meter, kWh").fill("25.2")
    form.get_by_label("SoC after, %").fill("80")
    form.get_by_role("button", name="Keep the change").click()

    expect(saturday).not_to_contain_text("instead of")
    page.get_by_role("button", name="Correct Heron, Saturday 10 January").click()
    page.get_by_role("button", name="Take it out of the log").click()
    expect(saturday).to_contain_text("Nothing is written down yet.")


def test_the_month_stands_beside_charging_at_once_and_fuel(demo: Served, open_page: Callable[..., Page]):
    page = open_page(demo.link)
    page.get_by_role("link", name="Log").click()
    month = page.get_by_role("region", name="The month")
    expect(month).to_contain_text("10 sessions")
    before = month.get_by_text(re.compile("the same distance had cost"))
    expect(before).to_be_visible()

    page.get_by_label("Price of fuel").fill("0")
    page.get_by_label("Price of fuel").press("Enter")

    expect(month).to_contain_text("the same distance had cost €0.00")
    with page.expect_download() as taken:
        month.get_by_role("link", name="sessions and sums (XLSX)").click()
    assert taken.value.suggested_filename == "2026-01.xlsx"


def test_what_is_wrong_in_one_form_is_nothing_to_the_next_and_two_people_lose_nothing(
    demo: Served, open_page: Callable[..., Page]
):
    page = open_page(demo.link)
    page.get_by_role("link", name="Log").click()
    page.get_by_role("button", name="Write down: Wren, Tuesday 13 January").click()
    page.get_by_role("form", name="Session of Wren").get_by_role("button", name="Write it down").click()
    expect(page.get_by_role("form").get_by_role("alert")).to_have_text(
        "Expected what the meter counted, or the SoC before and after"
    )
    page.get_by_role("button", name="Correct Heron, Saturday 10 January").click()
    form = page.get_by_role("form", name="Session of Heron")
    expect(form).to_be_visible()
    expect(page.get_by_role("alert")).to_have_count(0)

    other = open_page(demo.new_link())
    other.get_by_role("link", name="Log").click()
    other.get_by_role("button", name="Correct Heron, Saturday 10 January").click()
    other.get_by_label("Meter, kWh").fill("19.5")
    other.get_by_role("button", name="Keep the change").click()
    expect(other.get_by_role("form")).to_have_count(0)

    form.get_by_label("Meter, kWh").fill("20.5")
    form.get_by_role("button", name="Keep the change").click()
    expect(form.get_by_role("alert")).to_contain_text("changed this session meanwhile")
    expect(night(page, "Saturday 10 January")).to_contain_text("19.5 kWh")
    expect(form.get_by_label("Meter, kWh")).to_have_value("20.5")
    form.get_by_role("button", name="Keep the change").click()
    expect(night(page, "Saturday 10 January")).to_contain_text("20.5 kWh")
