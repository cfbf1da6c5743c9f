"""The whole application as `make demo` starts it, on free ports with its own data, and a browser."""

from __future__ import annotations

import os
import re
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest
from playwright.sync_api import Page, expect, sync_playwright

from tests.conftest import free_port

CHROMIUM = "/usr/bin/chromium"
FLAGS = [
    "--no-sandbox",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


expect.set_options(timeout=30_000)
"""Milliseconds that a page may take to show something, on a machine that does other things beside."""


class Application:
    """`fenrain serve` in a process of its own. cookies: of a session that its first one-time link began."""

    def __init__(self, data: Path) -> None:
        self.output = data / "output"
        self.cookies: dict[str, str] = {}
        self.environment = {
            **os.environ, "FENRAIN_DATA": str(data), "FENRAIN_PORT": str(free_port()), "FENRAIN_DATABASE_PORT": str(free_port()),
            "FENRAIN_WORKERS": "1",  # two of these stand beside each other
        }  # fmt: skip
        self.address = f"http://127.0.0.1:{self.environment['FENRAIN_PORT']}"
        self.process: subprocess.Popen[bytes] | None = None

    def start(self) -> None:
        with self.output.open("wb") as output:
            command = [sys.executable, "-m", "fenrain.cli", "serve"]
            self.process = subprocess.Popen(command, env=self.environment, stdout=output, stderr=output, start_new_session=True)
        deadline = time.monotonic() + 90
        while (link := re.search(r"/enter#(\S+)", self.output.read_text())) is None:
            assert self.process.poll() is None, "the application ended by itself"
            assert time.monotonic() < deadline, "the application did not start"
            time.sleep(0.3)
        if not self.cookies:
            self.cookies = dict(httpx.post(f"{self.address}/api/v1/session", json={"link": link[1]}).raise_for_status().cookies)

    def new_link(self) -> str:
        """What `fenrain enter` prints, a link that lets the supervisor in once."""
        command = [sys.executable, "-m", "fenrain.cli", "enter", "Supervisor"]
        printed = subprocess.run(command, env=self.environment, capture_output=True, text=True, check=True).stdout
        return re.search(r"http\S+", printed)[0]  # type: ignore[index]

    def interrupt(self) -> int:
        """Ctrl-C; returns the exit code."""
        assert self.process is not None
        self.process.send_signal(signal.SIGINT)
        return self.process.wait(60)

    def kill(self) -> None:
        """End the server and its workers at once, as a power cut does; the database server goes on alone."""
        assert self.process is not None
        os.killpg(self.process.pid, signal.SIGKILL)
        self.process.wait(20)

    def stop_leftovers(self) -> str:
        """What `make stop` does."""
        return subprocess.run(
            [sys.executable, "-m", "fenrain.cli", "stop"], env=self.environment, capture_output=True, text=True, check=True
        ).stdout


@pytest.fixture(scope="module")
def application(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Application]:
    """One a file: the whole job begins where there is nothing yet, and kills its server."""
    running = Application(tmp_path_factory.mktemp("application"))
    running.start()
    yield running
    if running.process is not None and running.process.poll() is None:
        running.interrupt()
    running.stop_leftovers()


@pytest.fixture
def page(application: Application) -> Iterator[Page]:
    """Signed in."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        opened = browser.new_page(viewport={"width": 1280, "height": 800}, reduced_motion="reduce")
        opened.context.add_cookies(
            [{"name": name, "value": value, "url": application.address} for name, value in application.cookies.items()]
        )
        opened.set_default_timeout(60_000)
        errors: list[str] = []
        opened.on("pageerror", lambda error: errors.append(str(error)))
        yield opened
        browser.close()
        assert not errors


def get(application: Application, path: str) -> Any:
    return httpx.get(f"{application.address}/api/v1/{path}", cookies=application.cookies, timeout=60).raise_for_status().json()


def post(application: Application, path: str, body: Any) -> Any:
    address = f"{application.address}/api/v1/{path}"
    return httpx.post(address, json=body, cookies=application.cookies, timeout=60).raise_for_status().json()


def wait_for_full_size(page: Page, name: str) -> None:
    """Until the bench shows its own picture, refined to the end and kept."""
    shown = (
        "name => { const it = document.querySelector(`img[alt='${name}']`); return it?.naturalWidth >= 384 && it.src.includes('/files/') }"
    )
    page.wait_for_function(shown, arg=name, timeout=120_000)


def time_to_another(page: Page, name: str, act: Callable[[], None]) -> float:
    """Seconds from an act to the next picture of this name; on the way there is always one to be seen."""
    picture = page.get_by_role("img", name=name)
    before, begun = str(picture.get_attribute("src")), time.monotonic()
    act()
    while picture.get_attribute("src") == before:
        assert time.monotonic() < begun + 60
        time.sleep(0.01)
    return time.monotonic() - begun


def choosing(page: Page, label: str, title: str) -> Callable[[], None]:
    """Opens a list, and gives back the act of choosing from it."""
    page.get_by_role("combobox", name=label, exact=True).click()
    choices = page.locator(".ant-select-dropdown:not(.ant-select-dropdown-hidden) .ant-select-item-option-content")
    choice = choices.filter(has_text=re.compile(f"^{re.escape(title)}$"))
    expect(choice).to_be_visible()
    return choice.click


def named(rows: list[dict[str, Any]], name: str) -> dict[str, Any]:
    return next(row for row in rows if row["name"] == name)
