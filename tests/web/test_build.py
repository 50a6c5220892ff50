"""What the browser is sent: little enough, and nothing from elsewhere."""

import gzip
import re

from playwright.sync_api import expect

from tests.web.conftest import ROOT, Served

DIST = ROOT / "web" / "dist"


def test_first_load_javascript_is_under_250_kb_gzipped():
    page = (DIST / "index.html").read_text()
    scripts = re.findall(r'(?:src|href)="/static/(assets/[^"]+\.js)"', page)

    assert scripts
    assert sum(len(gzip.compress((DIST / script).read_bytes())) for script in scripts) < 250_000


def test_nothing_is_fetched_from_elsewhere(demo: Served, open_page):
    asked: list[str] = []
    page = open_page("about:blank")
    page.on("request", lambda request: asked.append(request.url))
    page.goto(demo.link)
    expect(page.get_by_role("region", name="Wren", exact=True)).to_be_visible()

    assert [url for url in asked if not url.startswith((demo.address, "data:"))] == []


def test_the_page_comes_with_a_strict_policy_and_its_assets_stay_cached(demo: Served, open_page):
    page = open_page("about:blank")
    answer = page.goto(demo.address)
    policy = answer.headers["content-security-policy"]
    script = re.search(r"/static/assets/[^\"]+\.js", answer.text()).group()

    assert "script-src 'self';" in policy + ";"
    assert re.search(r"style-src 'self' 'nonce-[^']+'", policy)
    assert "immutable" in page.request.get(demo.address + script).headers["cache-control"]
