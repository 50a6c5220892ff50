"""A reading taken at the car, with the phone or with the keyboard alone, and set aside again."""

import re

import pytest
from playwright.sync_api import expect

from tests.web.conftest import DESK, PHONE, Served


@pytest.mark.parametrize("viewport", [DESK, PHONE], ids=["desk", "phone"])
def test_a_reading_is_taken_and_reaches_the_plan(demo: Served, open_page, viewport):
    page = open_page(demo.link, viewport)
    page.get_by_role("region", name="Wren", exact=True).get_by_role("link", name="take a reading").click()

    page.get_by_role("combobox", name="Hook-up").select_option(label="Wren on the portable lead, shed socket")
    expect(page.get_by_text("Assumed, nothing is measured yet")).to_be_visible()
    page.get_by_label("Since plugging in").fill("20")
    page.get_by_label("Current", exact=True).fill("10")
    page.get_by_label("Voltage").fill("226")
    page.get_by_label("Range per hour").fill("12")

    # 12 km/h at 14.1 kWh per 100 km are 1.69 kW of 2.26 at the wall; 1.91 were expected.
    expect(page.get_by_text("1.69 kW")).to_be_visible()
    expect(page.get_by_text("25 % lost")).to_be_visible()
    page.get_by_role("button", name="Keep this reading").click()

    expect(page.get_by_text("Measured, from 1 reading")).to_be_visible()
    expect(page.get_by_text("Readings at one current cannot tell efficiency from overhead")).to_be_visible()
    assert page.evaluate("document.documentElement.scrollWidth") <= viewport["width"]
    page.get_by_role("link", name="Tonight").click()
    expect(page.get_by_role("region", name="Wren", exact=True)).not_to_contain_text("assumed")


def test_a_reading_that_lacks_something_is_refused_at_its_field(demo: Served, open_page):
    page = open_page(demo.link)
    page.get_by_role("link", name="Rates").click()

    page.get_by_label("A meter over time").check()
    page.get_by_label("The meter counted").fill("12.5")

    expect(page.get_by_text("Expected when it began")).to_be_visible()


def test_a_reading_is_set_aside_and_taken_back_with_the_keyboard_alone(demo: Served, open_page):
    page = open_page(demo.link)
    page.get_by_role("link", name="Rates").press("Enter")
    expect(page.get_by_text("Measured, from 7 readings")).to_be_visible()

    page.get_by_role("button", name="Set aside").first.press("Enter")
    expect(page.get_by_text("Measured, from 6 readings")).to_be_visible()
    page.get_by_role("button", name="Take it back in").press("Enter")
    expect(page.get_by_text("Measured, from 7 readings")).to_be_visible()


def test_a_file_with_a_bad_row_is_looked_at_and_brought_in(demo: Served, open_page, tmp_path):
    table = tmp_path / "readings.csv"
    table.write_text(
        "at,minutes,amps,volts,range_per_h\n"
        "2026-01-12T22:00:00+01:00,20,10,228,13\n"
        "2026-01-13T22:00:00+01:00,20,10,12,13\n"
        "2026-01-13T22:30:00+01:00,25,6,229,7\n"
    )
    page = open_page(demo.link)
    page.get_by_role("link", name="Rates").click()
    page.get_by_role("combobox", name="Hook-up").select_option(label="Wren on the portable lead, shed socket")

    page.get_by_text("Bring readings from a file").click()
    page.get_by_label("File", exact=True).set_input_files(table)
    page.get_by_role("button", name="See what it would bring").click()
    expect(page.get_by_text("It would bring 2 new readings; 0 are here already.")).to_be_visible()
    expect(page.get_by_text("Line 3 is refused: volts: 12, expected 50 to 1000")).to_be_visible()

    page.get_by_role("button", name="Bring them in").click()
    expect(page.get_by_text("Measured, from 2 readings")).to_be_visible()


def test_a_reading_is_taken_on_tonight_s_screen_where_the_plan_says_what_to_see(demo: Served, open_page):
    page = open_page(demo.link, PHONE)
    wren = page.get_by_role("region", name="Wren", exact=True)
    expect(wren).to_contain_text("you should see 230 V, 2.3 kW")

    wren.get_by_text("It charges: type what it shows").click()
    wren.get_by_label("Since plugging in").fill("20")
    wren.get_by_label("Current", exact=True).fill("10")
    wren.get_by_label("Voltage").fill("228")
    wren.get_by_label("Range per hour").fill("14")
    wren.get_by_role("button", name="Keep this reading").click()

    # The plan stands on the reading now: 228 V × 10 A.
    expect(wren).to_contain_text("you should see 228 V, 2.3 kW")
    expect(wren).not_to_contain_text("assumed")


def test_a_what_if_is_kept_as_an_option_and_thrown_away(demo: Served, open_page):
    page = open_page(demo.link)
    page.get_by_role("link", name="Rates").click()
    page.get_by_role("combobox", name="Hook-up").select_option(label="Heron on the post unit, gate post")
    chain = page.get_by_role("region", name="The chain")
    expect(chain.get_by_role("img", name="the cable decides")).to_be_visible()

    chain.get_by_label("What if: cable").fill("32")
    expect(chain.get_by_role("img", name="the circuit decides")).to_be_visible()
    chain.get_by_role("button", name="Keep it as an option").press("Enter")

    # 16 A of the circuit on one phase of 230 V.
    kept = chain.get_by_role("listitem")
    expect(kept).to_contain_text("32 A cable: 16 A on 1 phase: 3.68 kW at the wall")
    expect(kept).to_contain_text("Also: 1 of 3 phases, since the circuit, the lead and the cable carry no more.")
    chain.get_by_role("button", name="Throw away 32 A cable").click()
    expect(chain.get_by_role("listitem")).to_have_count(0)


def test_what_if_a_link_were_another_one(demo: Served, open_page):
    page = open_page(demo.link)
    page.get_by_role("link", name="Rates").click()
    page.get_by_role("combobox", name="Hook-up").select_option(label="Wren on the portable lead, shed socket")
    chain = page.get_by_role("region", name="The chain")
    expect(chain.get_by_role("img")).to_have_accessible_name(re.compile("outlet 10 A.*the outlet decides"))

    chain.get_by_label("What if: ceiling").fill("16")
    chain.get_by_label("A dedicated circuit").check()
    expect(chain.get_by_role("img").last).to_have_accessible_name(re.compile("lead 13 A.*the lead decides"))
    expect(chain).to_contain_text("licensed electrician")

    chain.get_by_role("button", name="Throw it away").click()
    expect(chain).not_to_contain_text("It would be")
