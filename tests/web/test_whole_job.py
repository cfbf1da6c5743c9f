"""The whole job in the real interface: files in, both pictures, the ledger, an override and back, files out; and a crash in between.

The short suite misses: three of five materials, the crash, which `jobs/test_faults.py` has as well, and what WCAG asks of nine of fourteen
pages.
"""

from __future__ import annotations

import json
import os
import re
import signal
import time
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import psutil
import pytest
from playwright.sync_api import Page, expect

from fenrain.demo.heron_lode import ENGINE_HOUSE
from tests.sizes import long_only, sized
from tests.web.conftest import Application, choosing, get, named, post, time_to_another, wait_for_full_size
from tests.web.looking import look_closely

pytestmark = pytest.mark.journey

IN_BOTH = ("engine-green enamel", "nickel_float")
ON_BOARD = sized(IN_BOTH, (*IN_BOTH, "sluice cast iron", "tarpaulin", "dial_enamel"))
FOUND = 10
"""Materials of both assets, and those that are taken onto the board."""


def test_from_files_in_to_files_out(application: Application, page: Page, heron_lode: Path, tmp_path: Path) -> None:
    page.goto(application.address)
    page.get_by_label("Name of the project").fill("Browser test")
    page.get_by_role("button", name="Create").click()

    # Import: both assets at once, and a file that is wrong.
    expect(page.get_by_text("Drop material files here")).to_be_visible()
    wrong = tmp_path / "broken.glb"
    wrong.write_bytes(b"glTF")
    yard = [path for path in heron_lode.iterdir() if path.is_file() and path.name != ENGINE_HOUSE]
    page.locator("input[type=file]").first.set_input_files([heron_lode / ENGINE_HOUSE, *yard, wrong])
    expect(page.get_by_text("ends before its announced length")).to_be_visible(timeout=60_000)
    expect(page.get_by_text(re.compile(f"{FOUND} materials in"))).to_be_visible()
    ticks = page.get_by_label(re.compile("^Import (?!all)"))
    expect(ticks).to_have_count(FOUND)
    for label in [str(tick.get_attribute("aria-label")) for tick in ticks.all()]:
        expect(page.get_by_label(label, exact=True)).to_be_checked()
        if label.removeprefix("Import ") not in ON_BOARD:
            page.get_by_label(label, exact=True).uncheck()
    page.get_by_role("button", name=f"Take {len(ON_BOARD)} onto the board").click()

    # Board: pictures and verdicts come in by themselves.
    enamel = page.get_by_role("listitem").filter(has_text="engine-green enamel")
    expect(enamel.get_by_role("img", name="engine-green enamel, converted").first).to_have_attribute(
        "src", re.compile("files"), timeout=90_000
    )
    expect(page.get_by_text(f"{len(ON_BOARD)} of {len(ON_BOARD)} materials")).to_be_visible()
    expect(enamel.get_by_role("img", name=re.compile("^(match|near|undecided|off)$")).first).to_be_visible()

    # Bench: ledger, an override, the check refreshed, and back.
    nickel = page.get_by_role("listitem").filter(has_text="nickel_float")
    expect(nickel.get_by_text(re.compile("approximated"))).to_be_visible(timeout=90_000)
    nickel.click()
    ledger = page.get_by_role("region", name="Ledger")
    expect(ledger.get_by_text(re.compile("Walter et al. 2007")).first).to_be_visible()
    field = ledger.get_by_label("specular_roughness", exact=True)
    derived = field.input_value()
    pictures = page.get_by_role("img", name="nickel_float, converted")
    wait_for_full_size(page, "nickel_float, converted")
    before = pictures.get_attribute("src")
    field.fill("0.9")
    field.press("Enter")
    expect(ledger.get_by_text("set by hand")).to_be_visible()
    expect(pictures).not_to_have_attribute("src", str(before), timeout=90_000)
    ledger.get_by_role("button", name=re.compile("^reset")).click()
    expect(ledger.get_by_text("set by hand")).to_have_count(0)
    expect(field).to_have_value(derived)
    expect(pictures).to_have_attribute("src", str(before), timeout=90_000)

    # Another light, another stand, a value that is dragged: a picture is there at once, and none is ever missing.
    name = "nickel_float, converted"
    taken = {
        "rig": time_to_another(page, name, choosing(page, "Light rig", "Fine bars")),
        "stand": time_to_another(page, name, choosing(page, "Stand", "Turned body")),
        "turn": time_to_another(page, name, lambda: page.get_by_label("Turn of the light in degrees").press("ArrowRight")),
        "value": time_to_another(page, name, lambda: ledger.get_by_label("specular_roughness, dragged").press("ArrowRight")),
    }
    print("seconds to the first picture:", {act: round(seconds, 2) for act, seconds in taken.items()})
    expect(page.get_by_role("region", name="Measured results").get_by_text(re.compile("fine bars")).first).to_be_visible()

    # Ways to compare, by keys.
    page.locator("body").press("v")
    expect(page.get_by_text("original left, converted right")).to_be_visible()
    page.locator("body").press("x")
    expect(page.get_by_role("img", name="nickel_float, difference")).to_be_visible()
    page.locator("body").press("?")
    expect(page.get_by_text("Keys on the bench")).to_be_visible()
    page.keyboard.press("Escape")

    # Deliver: what it costs is said beforehand; then MaterialX and GLB.
    page.get_by_role("link", name="Deliver").click()
    expect(page.get_by_role("group", name="What it costs")).to_contain_text("in a renderer’s memory")
    for way, suffix in (("OpenPBR", ".mtlx"), ("glTF core", ".glb")):
        radio = page.get_by_role("radio", name=re.compile(f"^{way}( MaterialX| glTF|$)"))
        radio.click()
        expect(radio).to_be_checked()
        page.get_by_role("button", name=re.compile(f"Write {len(ON_BOARD)} materials")).click()
        line = page.get_by_text(f"Write {len(ON_BOARD)} for {way}").locator("..")
        with page.expect_download(timeout=90_000) as download:
            line.get_by_role("link", name=re.compile("Download")).click(timeout=90_000)
        download.value.save_as(tmp_path / "delivery.zip")
        assert any(name.endswith(suffix) for name in zipfile.ZipFile(tmp_path / "delivery.zip").namelist())
        expect(line.locator("..").get_by_role("status", name="Validation")).to_contain_text("nothing wrong by")


def test_what_is_seen_can_be_magnified_read_and_linked_to(application: Application, page: Page) -> None:
    project = named(get(application, "projects"), "Browser test")["id"]
    conversion = named(get(application, f"projects/{project}/board?target=open_pbr")["rows"], "nickel_float")["conversion_id"]
    look_closely(application, page, project, conversion, 1280)
    page.goto(f"{application.address}/bench/{conversion}?to=open_pbr")
    field = page.get_by_role("region", name="Ledger").get_by_label("specular_roughness", exact=True)
    field.fill("150%")
    field.press("Enter")
    expect(field).to_have_value("150%")
    expect(page.get_by_role("alert")).to_have_text("at most 100%")
    field.press("Escape")
    expect(page.get_by_role("alert")).to_have_count(0)


def test_a_sheet_by_its_dialect_is_tuned_and_compared(application: Application, page: Page, tmp_path: Path) -> None:
    # A dialect as it is typed: a wrong line is told, the right one shows what the sheet becomes.
    page.goto(f"{application.address}/dialects")
    page.get_by_role("combobox", name="Open a dialect").click()
    page.get_by_title("Osier 2").click()
    text, result = page.get_by_label("Dialect, as YAML"), page.get_by_role("region", name="Result")
    expect(result.get_by_text("oiled drive belt")).to_be_visible()
    right = text.input_value()
    text.fill(right.replace("feeds: ior", "feeds: iro"))
    expect(page.get_by_text("line 16")).to_be_visible()
    expect(page.get_by_role("button", name="Save", exact=True)).to_be_disabled()
    text.fill(right)
    expect(page.get_by_text("nothing wrong with it")).to_be_visible()

    # Import a sheet that nobody named a dialect for.
    sheet = tmp_path / "yard.json"
    row = {"Label": "yard gate", "Paint": [120, 40, 30], "Mirror share": [255, 255, 255], "Mirror gloss": 80}
    sheet.write_text(json.dumps([{**row, "Lamp gloss apart": True, "Lamp gloss": 50, "Shape": "short tail"}]))
    page.get_by_role("link", name="Import").click()
    page.locator("input[type=file]").first.set_input_files([sheet])
    expect(page.get_by_text(re.compile("Read as Osier 2, 100 % sure")).first).to_be_visible()
    page.get_by_role("button", name="Take 1 onto the board").click()

    # Bench: lock one value, let the computer tune the rest, and see who set what.
    gate = page.get_by_role("listitem").filter(has_text="yard gate")
    expect(gate.get_by_role("img", name=re.compile("^(match|near|undecided|off)$")).first).to_be_visible(timeout=120_000)
    gate.click()
    ledger = page.get_by_role("region", name="Ledger")
    reflection = ledger.get_by_role("group", name="reflection")
    expect(reflection.get_by_text(re.compile("% of Δ")).first).to_be_visible(timeout=60_000)
    ledger.get_by_role("group", name="body").get_by_role("button", name="lock").first.click()
    ledger.get_by_role("button", name="Fit the rest, 1 locked").click()
    expect(reflection.get_by_text("least squares on what the verdict depends on").first).to_be_visible(timeout=120_000)
    expect(ledger.get_by_role("group", name="body").get_by_text("fitted")).to_have_count(0)
    ledger.get_by_role("button", name="Look up specular_ior").click()
    page.get_by_role("button", name=re.compile("^plate glass")).click()
    expect(ledger.get_by_label("specular_ior", exact=True)).to_have_value("1.517")
    ledger.get_by_role("button", name="Reset all").click()
    expect(ledger.get_by_text("set by hand")).to_have_count(0)

    # One table of all targets.
    ledger.get_by_role("button", name="All targets").click()
    expect(page.get_by_text("predicted lobe error")).to_have_count(8)
    expect(page.get_by_role("columnheader", name=re.compile("USD preview surface"))).to_be_visible()

    # A named surface as a start, with one colour.
    page.get_by_role("link", name="Import").click()
    page.get_by_role("combobox", name="Named surface").click()
    page.get_by_title("Gloss enamel").click()
    page.get_by_label("Name of the material").fill("spare enamel")
    page.get_by_role("button", name="Start").click()
    expect(page.get_by_role("listitem").filter(has_text="spare enamel")).to_be_visible()


def test_a_printed_link_lets_in_once(application: Application, page: Page) -> None:
    if not get(application, "projects"):  # whoever comes first is asked for one
        post(application, "projects", {"name": "entrance"})
    page.context.clear_cookies()
    page.goto(f"{application.address}/board")
    expect(page.get_by_role("button", name="Sign in")).to_be_visible()
    link = application.new_link()
    page.goto(link)
    expect(page.get_by_role("button", name="Signed in as Supervisor")).to_be_visible()
    assert "#" not in page.url
    page.get_by_role("button", name="Signed in as Supervisor").click()
    page.get_by_text("Sign out").click()
    expect(page.get_by_role("button", name="Sign in")).to_be_visible()
    page.goto(link)
    expect(page.get_by_role("alert")).to_contain_text("lets nobody in any more")


SCREENS = (
    "board", "bench/1", "review", "deliver", "help/guide",
    *sized((), ("take-in", "maps/1", "compare/1", "dialects", "targets", "outside", "change", "people", "help/models")),
)  # fmt: skip
AXE = (Path(__file__).parents[2] / "web" / "node_modules" / "axe-core" / "axe.min.js").read_text()
LEVELS = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]


def against_wcag(page: Page) -> list[str]:
    """What axe finds on the page against WCAG 2.2, levels A and AA."""
    page.wait_for_timeout(300)  # until nothing moves any more
    page.evaluate(AXE)
    found = page.evaluate("levels => axe.run(document, {runOnly: {type: 'tag', values: levels}})", LEVELS)
    return [f"{one['id']}: {one['help']}: {node['html'][:120]}" for one in found["violations"] for node in one["nodes"]]


def test_every_screen_fits_and_holds_what_wcag_asks(application: Application, page: Page) -> None:
    project = get(application, "projects")[0]["id"]
    for screen in SCREENS:
        page.goto(f"{application.address}/projects/{project}/{screen}")
        expect(page.get_by_role("navigation", name="Places")).to_be_visible()
        assert against_wcag(page) == [], screen
        for width in (1024, 1920, 1280):
            page.set_viewport_size({"width": width, "height": 800})
            assert page.evaluate("document.documentElement.scrollWidth") <= width, screen
    page.goto(f"{application.address}/projects/{project}/board")
    page.get_by_role("button", name=re.compile("^Jobs")).click()
    expect(page.get_by_role("dialog")).to_be_visible()
    assert against_wcag(page) == []
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Signed in as Supervisor").click()
    page.get_by_text("Password and tokens").click()
    expect(page.get_by_role("dialog").filter(has_text="tokens")).to_be_visible()
    assert against_wcag(page) == []


def test_the_keyboard_alone_is_enough(application: Application, page: Page) -> None:
    """From the board to a bench, a value that is set there and reset, a verdict of a person, and on to the next."""
    project = get(application, "projects")[0]["id"]
    page.goto(f"{application.address}/projects/{project}/board")
    expect(page.get_by_role("listitem").first).to_be_visible()

    def focused() -> Any:
        named = "document.activeElement.ariaLabel || document.activeElement.innerText || ''"
        return page.evaluate(f"({{row: document.activeElement.matches('.row-link'), name: {named}}})")

    def tab_to(found: Callable[[Any], bool]) -> None:
        for _ in range(400):
            page.keyboard.press("Tab")
            if found(focused()):
                return
        raise AssertionError("the Tab key does not lead there")

    tab_to(lambda it: it["row"])
    for _ in get(application, f"projects/{project}/board")["rows"]:
        if focused()["name"].startswith("nickel_float"):
            break
        page.keyboard.press("ArrowDown")
    assert focused()["name"].startswith("nickel_float")
    page.keyboard.press(" ")
    expect(page.get_by_text(re.compile("^1 selected"))).to_be_visible()
    page.keyboard.press("Enter")
    ledger = page.get_by_role("region", name="Ledger")
    expect(ledger).to_be_visible()
    tab_to(lambda it: it["name"] == "specular_roughness")
    page.keyboard.press("Control+A")
    page.keyboard.type("0.31")
    with page.expect_response(lambda answer: answer.request.method == "PATCH"):
        page.keyboard.press("Enter")
    page.wait_for_timeout(500)
    expect(ledger.get_by_text("set by hand").first).to_be_visible()
    by_hand = ledger.get_by_text("set by hand").count()
    tab_to(lambda it: it["name"].startswith("reset"))
    page.keyboard.press("Enter")
    expect(ledger.get_by_text("set by hand")).to_have_count(by_hand - 1, timeout=120_000)
    tab_to(lambda it: it["name"] == "Board")
    page.keyboard.press("Enter")
    expect(page.get_by_role("listitem").first).to_be_visible()


def wait_for(condition: Any, seconds: float) -> None:
    deadline = time.monotonic() + seconds
    while not condition():
        assert time.monotonic() < deadline, "it took too long"
        time.sleep(0.2)


def busiest_child(server: int) -> psutil.Process:
    """The worker that is at work: of the processes that the server spawned, the one that took most of the processor just now."""
    children = [child for child in psutil.Process(server).children(recursive=True) if "spawn_main" in " ".join(child.cmdline())]
    before = {child.pid: child.cpu_times().user for child in children}
    time.sleep(1.0)
    return max(children, key=lambda child: child.cpu_times().user - before[child.pid])


@long_only
def test_a_job_survives_the_death_of_a_worker_and_of_the_server(application: Application) -> None:
    project = named(get(application, "projects"), "Browser test")["id"]
    wait_for(lambda: all(job["state"] not in ("queued", "running") for job in get(application, f"projects/{project}/jobs")), 240)
    job = post(application, f"projects/{project}/conversions", {"target": "metal_rough", "profile": "core"})["id"]

    def state() -> Any:
        return get(application, f"jobs/{job}")

    # A worker is killed in the middle: its piece is done again.
    wait_for(lambda: state()["state"] == "running", 60)
    assert application.process is not None
    os.kill(busiest_child(application.process.pid).pid, signal.SIGKILL)
    wait_for(lambda: state()["done"] >= 1, 90)

    # The whole server is killed: what was done stays, the rest goes on after a new start.
    done = state()["done"]
    application.kill()
    assert "database" in application.stop_leftovers()
    application.start()
    assert state()["done"] >= done
    wait_for(lambda: state()["state"] not in ("queued", "running"), 180)
    final = state()
    assert (final["state"], final["done"], final["failed"]) == ("done", final["total"], 0)
    board = get(application, f"projects/{project}/board?target=metal_rough&profile=core")["rows"]
    assert all(len(row["checks"]) == 3 for row in board)


def test_ctrl_c_ends_everything(application: Application) -> None:
    assert application.process is not None
    children = psutil.Process(application.process.pid).children(recursive=True)
    assert any("mariadbd" in child.name() for child in children)
    application.interrupt()
    _, alive = psutil.wait_procs(children, timeout=20)
    assert not [child for child in alive if child.status() != psutil.STATUS_ZOMBIE]
    assert application.stop_leftovers().strip() == "Nothing was left running."
