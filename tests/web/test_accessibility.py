"""No serious finding of axe on any screen, by day and by night, at the desk and on the phone."""

from typing import Any

import pytest
from playwright.sync_api import Page, expect

from tests.web.conftest import DESK, PHONE, ROOT, Served

AXE = (ROOT / "web/node_modules/axe-core/axe.min.js").read_text


def serious(page: Page) -> list[str]:
    page.evaluate(AXE())
    found: dict[str, Any] = page.evaluate("axe.run(document, {resultTypes: ['violations']})")
    return [
        f"{violation['id']}: {node['target']} {node['failureSummary']}"
        for violation in found["violations"]
        if violation["impact"] in ("serious", "critical")
        for node in violation["nodes"]
    ]


@pytest.mark.parametrize("scheme", ["light", "dark"])
@pytest.mark.parametrize("viewport", [DESK, PHONE], ids=["desk", "phone"])
def test_the_screens_have_no_serious_finding(demo: Served, open_page, viewport, scheme):
    page = open_page(demo.link, viewport, color_scheme=scheme)
    expect(page.get_by_role("region", name="Wren", exact=True)).to_be_visible()
    page.get_by_text("Read the night as a table").click()
    page.get_by_text("By hand").first.click()
    assert serious(page) == []

    page.get_by_role("link", name="Days").click()
    page.get_by_label("14 nights").check()
    page.get_by_role("button", name="Ways out").click()
    page.get_by_role("button", name="Sat 10:00–15:30, 38 km").click()
    expect(page.get_by_role("form", name="Trip")).to_be_visible()
    assert serious(page) == []

    page.get_by_role("link", name="Log").click()
    page.get_by_role("button", name="Correct Heron, Saturday 10 January").click()
    expect(page.get_by_role("region", name="The month").get_by_text("10 sessions")).to_be_visible()
    assert serious(page) == []

    page.get_by_role("link", name="Rates").click()
    page.get_by_text("Bring readings from a file").click()
    expect(page.get_by_role("heading", name="Take a reading")).to_be_visible()
    assert serious(page) == []

    page.get_by_role("link", name="Household").click()
    page.get_by_role("button", name="+ A circuit").last.click()
    assert serious(page) == []

    page.get_by_role("link", name="Prices", exact=True).click()
    page.get_by_role("gridcell", name="Saturday 12:00").click()
    page.get_by_role("button", name="A tariff more").click()
    page.get_by_text("Bring dated prices of Three bands").click()
    expect(page.get_by_text("a kWh on that Wednesday")).to_be_visible()
    assert serious(page) == []
    page.get_by_label("By the hour to compare").check()
    expect(page.get_by_role("img", name="Prices known ahead, hour by hour")).to_be_visible()
    assert serious(page) == []

    page.get_by_role("link", name="Sun", exact=True).click()
    expect(page.get_by_role("region", name="Wait for the sun?").get_by_text("Wren")).to_be_visible()
    page.get_by_text("Bring what the house meter counted").click()
    assert serious(page) == []


def test_the_pages_before_signing_in(empty: Served, open_page):
    page = open_page(empty.link)
    expect(page.get_by_role("heading", name="Welcome to Moon Plan")).to_be_visible()
    assert serious(page) == []
    page.goto(empty.address)
    expect(page.get_by_role("button", name="Sign in")).to_be_visible()
    assert serious(page) == []
