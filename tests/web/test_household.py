"""The household's drawing: a car moved to another lead, and cautions that are read."""

import re

from playwright.sync_api import APIResponse, Route, expect

from tests.web.conftest import Served


def test_a_car_is_moved_to_another_lead_from_the_drawing_and_back(demo: Served, open_page):
    page = open_page(demo.link)
    page.get_by_role("link", name="Household").click()
    post = page.get_by_role("listitem").filter(has_text="post unit").last

    # Heron on the post's old cable: 10 A of one phase.
    expect(post).to_contain_text("Heron here: 10 A, 2.3 kW, 11 km an hour (measured); the cable decides")
    expect(post).to_contain_text("also: 1 of 3 phases, since the circuit, the lead and the cable carry no more")
    post.get_by_role("button", name="Hang Heron here").click()
    expect(page.get_by_role("button", name="Hang Heron here")).to_have_count(2)

    page.get_by_role("link", name="Tonight").click()
    expect(page.get_by_role("region", name="Heron", exact=True)).to_contain_text("into the gate post")
    page.get_by_role("button", name="Undo “Heron”").click()
    expect(page.get_by_role("region", name="Heron", exact=True)).to_contain_text("into the carport")


def test_a_plan_on_its_way_while_a_car_is_moved_is_asked_for_again(demo: Served, open_page):
    page = open_page(demo.link)
    page.get_by_role("link", name="Household").click()
    expect(page.get_by_role("button", name="Hang Heron here").first).to_be_visible()
    page.reload()
    # The move takes its time; meanwhile Tonight asks for the plan as it was, and is answered last of all.
    moves: list[Route] = []
    plans: list[tuple[Route, APIResponse]] = []

    def asked(route: Route) -> None:
        route.continue_() if plans else plans.append((route, route.fetch()))

    page.route("**/api/vehicles/**", lambda route: moves.append(route))
    page.route("**/api/tonight", asked)
    page.get_by_role("listitem").filter(has_text="post unit").last.get_by_role("button", name="Hang Heron here").click()
    page.get_by_role("link", name="Tonight").click()
    while not plans:
        page.wait_for_timeout(50)
    with page.expect_response("**/api/vehicles/**"):
        moves[0].continue_()
    route, as_it_was = plans[0]
    route.fulfill(response=as_it_was)

    expect(page.get_by_role("region", name="Heron", exact=True)).to_contain_text("into the gate post")
    page.get_by_role("button", name="Undo “Heron”").click()
    expect(page.get_by_role("region", name="Heron", exact=True)).to_contain_text("into the carport")


def test_a_caution_that_is_read_is_folded_and_can_be_shown_again(demo: Served, open_page):
    page = open_page(demo.link)
    wren = page.get_by_role("region", name="Wren", exact=True)
    wren.get_by_text("An ordinary socket, night after night").click()
    expect(wren.get_by_text("Shed socket is an ordinary socket")).to_be_visible()

    wren.get_by_role("button", name="I have read it").first.press("Enter")

    expect(wren.get_by_text("1 caution read")).to_be_visible()
    expect(wren.get_by_text("Shed socket is an ordinary socket")).to_be_hidden()
    page.reload()
    wren.get_by_text("1 caution read").click()
    wren.get_by_text("An ordinary socket, night after night").click()
    wren.get_by_role("button", name="Show it again").click()
    expect(wren.get_by_text("1 caution read")).to_have_count(0)


def test_what_somebody_else_changed_while_a_part_is_typed_is_asked_about(demo: Served, open_page):
    page = open_page("about:blank")
    page.clock.install()
    page.goto(demo.link)
    elsewhere = page.context.new_page()
    forms = {}
    for one in (page, elsewhere):
        one.goto(f"{demo.address}/household")
        one.get_by_role("button", name=re.compile("^Wren circuit")).click()
        forms[one] = one.get_by_role("form", name="Wren")
    forms[page].get_by_label("Daily limit").fill("85")

    forms[elsewhere].get_by_label("Reserve").fill("25")
    forms[elsewhere].get_by_role("button", name="Save").click()
    expect(forms[elsewhere]).to_have_count(0)
    # Whoever comes back to a page sees what is true by now beside what is being typed.
    page.clock.fast_forward("00:30")
    with page.expect_response("**/api/household"):
        page.evaluate("document.dispatchEvent(new Event('visibilitychange', {bubbles: true}))")

    forms[page].get_by_role("button", name="Save").click()
    asked = page.get_by_role("alertdialog", name="Changed by somebody else")
    expect(asked).to_contain_text("yours 85")
    asked.get_by_role("button", name="Use mine").click()
    expect(forms[page]).to_have_count(0)

    page.get_by_role("button", name=re.compile("^Wren circuit")).click()
    # What the other one changed stays: only what was typed here was sent.
    expect(forms[page].get_by_label("Reserve")).to_have_value("25")
    expect(forms[page].get_by_label("Daily limit")).to_have_value("85")
