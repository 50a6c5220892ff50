"""The real application, served as a person runs it, and Chromium as a person uses it."""

import os
import re
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Browser, Page, expect

ROOT = Path(__file__).parents[2]
NOW = "2026-01-14T18:10:00+01:00"
DESK = {"width": 1280, "height": 800}
PHONE = {"width": 390, "height": 844}
# A machine that also runs the other tests may be slow; nothing here is about time.
expect.set_options(timeout=20_000)


@dataclass(frozen=True)
class Served:
    """A running server. address : where. link : the one-time link that its start printed."""

    address: str
    link: str
    new_link: Callable[[], str]


@pytest.fixture(scope="session")
def browser_type_launch_args(browser_type_launch_args: dict[str, Any]) -> dict[str, Any]:
    quiet = (
        "--no-sandbox --disable-gpu --disable-quic --disable-background-networking --disable-component-update --disable-sync"
    )
    return {**browser_type_launch_args, "executable_path": "/usr/bin/chromium", "args": quiet.split()}


def _free_port() -> int:
    with socket.socket() as found:
        found.bind(("127.0.0.1", 0))
        return int(found.getsockname()[1])


def _serve(data: Path, *options: str) -> Iterator[Served]:
    port = _free_port()
    address = f"http://127.0.0.1:{port}"
    settings = "moonplan.site.settings.house"
    env = os.environ | {
        "MOONPLAN_DATA": str(data),
        "MOONPLAN_NOW": NOW,
        "DJANGO_SETTINGS_MODULE": settings,
        "PYTHONPATH": str(ROOT),
    }

    def new_link() -> str:
        command = [sys.executable, "manage.py", "house", *options, "--address", address]
        told = subprocess.run(command, cwd=ROOT, env=env, check=True, capture_output=True, text=True).stdout
        return re.findall(r"http\S+", told)[-1]

    link = new_link()
    command = [sys.executable, "-m", "gunicorn", "moonplan.site.wsgi:application", "--bind", f"127.0.0.1:{port}"]
    server = subprocess.Popen(
        [*command, "--worker-class", "gthread", "--threads", "4", "--graceful-timeout", "1"],
        cwd=ROOT,
        env=env,
        stderr=subprocess.DEVNULL,
    )
    try:
        for _ in range(200):
            try:
                urllib.request.urlopen(f"{address}/api/session").close()
                break
            except OSError:
                time.sleep(0.1)
        yield Served(address, link, new_link)
    finally:
        server.terminate()
        server.wait()


@pytest.fixture
def demo(tmp_path: Path) -> Iterator[Served]:
    """The demo household on a Wednesday evening, fresh for each test."""
    yield from _serve(tmp_path, "--demo")


@pytest.fixture
def empty(tmp_path: Path) -> Iterator[Served]:
    """A first start: nothing is there, and a link for the first person was printed."""
    yield from _serve(tmp_path)


@pytest.fixture
def open_page(browser: Browser) -> Iterator[Callable[..., Page]]:
    """Opens an address in a new window; a page that logs an error fails the test."""
    contexts, errors = [], []

    def open_(address: str, viewport: dict[str, int] = DESK, **more: Any) -> Page:
        context = browser.new_context(viewport=viewport, **more)
        contexts.append(context)
        page = context.new_page()
        page.on("pageerror", lambda error: errors.append(str(error)))
        page.on("console", lambda said: errors.append(said.text) if "Content Security Policy" in said.text else None)
        page.goto(address)
        return page

    yield open_
    for context in contexts:
        context.close()
    assert errors == []
