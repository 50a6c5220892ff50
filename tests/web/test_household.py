"""The household's drawing: a car moved to another lead, and cautions that are read."""

from playwright.sync_api import expect

from tests.web.conftest import Served


def test_a_car_is_moved_to_another_lead_from_the_drawing_and_back(demo: Served, open_page):
    page = open_page(demo.link)
    page.get_by_role("link", name="Household").click()
    post = page.get_by_role("listitem").filter(has_text="post unit").last

    # Heron on the post's old cable: 10 A of one phase.
    expect(post).to_contain_text("Heron here: 10 A, 2.3 kW, 11 km an hour (measured); the cable decides")
    post.get_by_role("button", name="Hang Heron here").click()
    expect(page.get_by_role("button", name="Hang Heron here")).to_have_count(2)

    page.get_by_role("link", name="Tonight").click()
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
