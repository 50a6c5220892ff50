"""From nothing to a first plan, and the drawing edited later."""

import re

import pytest
from playwright.sync_api import Page, expect

from tests.web.conftest import DESK, PHONE, Served


def join(page: Page) -> None:
    page.get_by_role("textbox", name="Name").fill("robin")
    page.get_by_role("textbox", name="Password").fill("carport at night")
    page.get_by_role("button", name="Make the account").click()


def answer(page: Page, form: str, **fields: str) -> None:
    asked = page.get_by_role("form", name=form)
    for label, value in fields.items():
        field = asked.get_by_label(label.replace("_", " "), exact=True)
        if field.evaluate("e => e.tagName") == "SELECT":
            field.select_option(value)
        else:
            field.fill(value)
    asked.get_by_role("button", name="Save").click()
    expect(asked).to_have_count(0)


@pytest.mark.parametrize("viewport", [DESK, PHONE], ids=["desk", "phone"])
def test_a_first_evening_from_nothing(empty: Served, open_page, viewport):
    page = open_page(empty.link, viewport)
    join(page)

    expect(page.get_by_role("heading", name="First evening")).to_be_visible()
    answer(page, "Place", Name_of_the_house="Our house", Time_zone="Europe/Ljubljana", Currency="EUR")
    answer(page, "Supply", Volts_a_leg="230", Main_breaker="25", Rule_for_continuous_load="1")
    answer(page, "+ A circuit", Name="barn", Breaker="16")
    expect(page.get_by_role("button", name="barn", expanded=False)).to_contain_text("lets 16 A through, 3.7 kW")
    answer(page, "+ A wall unit or lead", Name="box", At_most="32", Who_sets_it="managed")
    expect(page.get_by_role("button", name="box", expanded=False)).to_contain_text("lets 16 A through, 3.7 kW")
    answer(page, "+ A car", Name="Finch", Usable_battery="40", **{"On-board_charger": "7.4", "You_use": "16"})
    # 0.94 × 3.68 − 0.25 = 3.21 kW; 20 km an hour at 16 kWh/100 km.
    finch = page.get_by_role("button", name="Finch")
    expect(finch.get_by_role("img", name="the circuit decides")).to_be_visible()
    expect(finch).to_contain_text(
        "3.2 kW into the battery (assumed), 20 km per hour. The circuit decides; raise it and the lead does."
    )
    answer(page, "Prices", Price_a_kWh="0.24")
    answer(page, "+ A trip", Leaves="2026-01-15T07:30", Back="2026-01-15T17:00", **{"Distance,_there_and_back": "60"})
    page.get_by_role("button", name="Show me tonight").click()

    # 50 % until somebody reads it off the car; 80 % by leaving: 12 kWh into the battery.
    sentence = page.get_by_role("region", name="Finch", exact=True).get_by_role("heading", level=2)
    expect(sentence).to_contain_text("Plug Finch into the barn by")
    expect(page.get_by_role("region", name="Finch", exact=True)).to_contain_text("→ 80 %")
    expect(page.get_by_role("button", name="Undo “first evening”")).to_be_visible()


def test_a_mistake_is_told_under_its_question_and_what_was_typed_stays(empty: Served, open_page):
    page = open_page(empty.link)
    join(page)
    form = page.get_by_role("form", name="Place")

    form.get_by_label("Time zone").fill("Mars/Olympus")
    form.get_by_role("button", name="Save").click()

    expect(form.get_by_role("alert")).to_have_text("Expected an IANA time zone such as Europe/Ljubljana")
    expect(form.get_by_label("Time zone")).to_have_value("Mars/Olympus")


def test_the_drawing_is_edited_later_with_the_keyboard(demo: Served, open_page):
    page = open_page(demo.link)
    page.get_by_role("link", name="Household").press("Enter")

    page.get_by_role("button", name="portable lead").press("Enter")
    form = page.get_by_role("form", name="portable lead")
    form.get_by_label("Steps").fill("6 8")
    form.get_by_label("Steps").press("Enter")

    expect(page.get_by_role("button", name="Wren circuit")).to_contain_text("8 A: 1.8 kW at the wall")


def test_a_circuit_is_added(demo: Served, open_page):
    page = open_page(demo.link)
    page.get_by_role("link", name="Household").click()

    page.get_by_role("button", name="+ A circuit").last.click()
    answer(page, "+ A circuit", Name="street", Breaker="20")
    expect(page.get_by_role("button", name="street", exact=False).first).to_contain_text("lets 20 A through, 4.6 kW")
    expect(page.get_by_role("button", name="Prices")).to_contain_text("Three bands: 0.21437 a kWh, and 2 lines")
    page.get_by_role("link", name="The week painted, lines, dated prices and rivals").click()
    expect(page.get_by_role("heading", name="The week as it comes out")).to_be_visible()


def test_a_circuit_is_drawn_under_the_panel_that_it_goes_through(demo: Served, open_page):
    page = open_page(demo.link)
    page.get_by_role("link", name="Household").click()
    panel = page.get_by_role("listitem").filter(has=page.get_by_role("button", name=re.compile("^Garage panel"))).last
    expect(panel).to_contain_text("carport")
    expect(panel).not_to_contain_text("shed socket")

    panel.get_by_role("button", name="+ A circuit").click()
    answer(page, "+ A circuit", Name="workbench", Breaker="10")
    expect(panel).to_contain_text("workbench")

    panel.get_by_role("button", name=re.compile("^workbench")).click()
    form = page.get_by_role("form", name="workbench")
    form.get_by_role("button", name="More").click()
    form.get_by_label("Through the panel").select_option("")
    form.get_by_role("button", name="Save").click()
    expect(panel).not_to_contain_text("workbench")
    expect(page.get_by_role("button", name=re.compile("^workbench"))).to_be_visible()


def test_the_household_fits_a_phone(demo: Served, open_page):
    page = open_page(demo.link, PHONE)
    page.get_by_role("link", name="Household").click()
    page.get_by_role("button", name=re.compile("^Wren")).first.click()

    expect(page.get_by_role("form", name="Wren")).to_be_visible()
    assert page.evaluate("document.documentElement.scrollWidth") <= PHONE["width"]


def test_somebody_is_invited(demo: Served, open_page):
    page = open_page(demo.link)
    page.get_by_role("link", name="Household").click()
    page.get_by_role("button", name="Invite somebody to this household").click()
    link = page.get_by_role("status").get_by_role("link").inner_text()

    guest = open_page(link)
    join(guest)

    expect(guest.get_by_role("region", name="Wren", exact=True)).to_be_visible()


def test_signing_out_and_in_again(empty: Served, open_page):
    page = open_page(empty.link)
    join(page)
    expect(page.get_by_role("heading", name="First evening")).to_be_visible()
    page.get_by_role("button", name="Sign out").click()
    expect(page.get_by_role("button", name="Sign in")).to_be_visible()
    page.get_by_role("textbox", name="Name").fill("robin")
    page.get_by_role("textbox", name="Password").fill("wrong one")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_text("Expected the name and password of an account here.")).to_be_visible()

    page.get_by_role("textbox", name="Password").fill("carport at night")
    page.get_by_role("button", name="Sign in").click()
    expect(page.get_by_role("heading", name="First evening")).to_be_visible()


@pytest.mark.parametrize(("choice", "kwh"), [("Use mine", "24"), ("Keep theirs", "23")])
def test_two_windows_on_the_same_car_of_the_drawing(demo: Served, open_page, choice: str, kwh: str):
    windows = [open_page(demo.link), open_page(demo.new_link())]
    for page in windows:
        page.get_by_role("link", name="Household").click()
        page.get_by_role("button", name="Wren circuit").click()
    mine, theirs = windows
    answer(theirs, "Wren", Usable_battery="23")

    form = mine.get_by_role("form", name="Wren")
    form.get_by_label("Usable battery").fill("24")
    form.get_by_role("button", name="Save").click()
    asked = form.get_by_role("alertdialog")
    expect(asked).to_contain_text("demo changed this meanwhile.")
    expect(asked).to_contain_text("Usable battery: theirs 23, yours 24")
    asked.get_by_role("button", name=choice).click()
    expect(form).to_have_count(0)

    mine.get_by_role("button", name="Wren circuit").click()
    expect(mine.get_by_role("form", name="Wren").get_by_label("Usable battery")).to_have_value(kwh)
