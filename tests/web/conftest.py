"""The real application, served as a person runs it, and Chromium as a person uses it."""

import os
import re
import shutil
import socket
import subprocess
import sys
import time
import urllib.request
from collections.abc import Callable, Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any
from urllib.parse import urlsplit

import pytest
from playwright.sync_api import Browser, Locator, Page, expect

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


def _environment(data: Path, now: str = NOW) -> dict[str, str]:
    settings = "moonplan.site.settings.house"
    return os.environ | {
        "MOONPLAN_DATA": str(data),
        "MOONPLAN_NOW": now,
        "DJANGO_SETTINGS_MODULE": settings,
        "PYTHONPATH": str(ROOT),
    }


def _link(data: Path, address: str, *options: str) -> str:
    """The one-time link that a start prints."""
    command = [sys.executable, "manage.py", "house", *options, "--address", address]
    told = subprocess.run(command, cwd=ROOT, env=_environment(data), check=True, capture_output=True, text=True).stdout
    return re.findall(r"http\S+", told)[-1]


def _serve(data: Path, port: int, link: str, *options: str, now: str = NOW) -> Iterator[Served]:
    address = f"http://127.0.0.1:{port}"
    command = [sys.executable, "-m", "gunicorn", "moonplan.site.wsgi:application", "--bind", f"127.0.0.1:{port}"]
    server = subprocess.Popen(
        [*command, "--worker-class", "gthread", "--threads", "4", "--graceful-timeout", "1"],
        cwd=ROOT,
        env=_environment(data, now),
        stderr=subprocess.DEVNULL,
    )
    try:
        for _ in range(200):
            try:
                urllib.request.urlopen(f"{address}/api/session").close()
                break
            except OSError:
                time.sleep(0.1)
        yield Served(address, link, lambda: _link(data, address, *options))
    finally:
        server.terminate()
        server.wait()


@pytest.fixture(scope="session")
def laid_out_demo(tmp_path_factory: pytest.TempPathFactory) -> tuple[Path, str]:
    """The demo household as a first start lays it out, and the one-time link's path; every test gets a copy."""
    data = tmp_path_factory.mktemp("demo")
    return data, urlsplit(_link(data, "http://127.0.0.1", "--demo")).path


@pytest.fixture
def demo(tmp_path: Path, laid_out_demo: tuple[Path, str]) -> Iterator[Served]:
    """The demo household on a Wednesday evening, fresh for each test."""
    laid_out, path = laid_out_demo
    data = tmp_path / "household"
    shutil.copytree(laid_out, data)
    port = _free_port()
    yield from _serve(data, port, f"http://127.0.0.1:{port}{path}", "--demo")


@pytest.fixture
def demo_at(tmp_path: Path, laid_out_demo: tuple[Path, str]) -> Iterator[Callable[[str], Served]]:
    """Serves one demo household at a time of the Wednesday night, and again at a later one."""
    laid_out, path = laid_out_demo
    data = tmp_path / "household"
    shutil.copytree(laid_out, data)
    with ExitStack() as running:

        def serve(clock: str) -> Served:
            port = _free_port()
            link = f"http://127.0.0.1:{port}{path}"
            return running.enter_context(contextmanager(_serve)(data, port, link, now=f"2026-01-{clock}:00+01:00"))

        yield serve


@pytest.fixture
def empty(tmp_path: Path) -> Iterator[Served]:
    """A first start: nothing is there, and a link for the first person was printed."""
    port = _free_port()
    yield from _serve(tmp_path, port, _link(tmp_path, f"http://127.0.0.1:{port}"))


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


def press_at_once(mark: Locator, *keys: str) -> None:
    """Keys on a mark with no pause between them, however slow the machine is that hands them on."""
    held = [{"key": key.removeprefix("Shift+"), "shiftKey": key.startswith("Shift+")} for key in keys]
    mark.evaluate(
        """(mark, held) => held.forEach((key) =>
            mark.dispatchEvent(new KeyboardEvent("keydown", { ...key, bubbles: true, cancelable: true })))""",
        held,
    )
