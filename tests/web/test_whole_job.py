"""The whole job in the real interface: files in, both pictures, the ledger, an override and back, files out; and a crash in between."""

from __future__ import annotations

import json
import os
import re
import signal
import time
import urllib.request
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import psutil
import pytest
from playwright.sync_api import Page, expect

from fenrain.demo.heron_lode import ENGINE_HOUSE
from tests.web.conftest import Application


def get(application: Application, path: str) -> Any:
    with urllib.request.urlopen(f"{application.address}/api/v1/{path}") as answer:
        return json.load(answer)


def post(application: Application, path: str, body: Any) -> Any:
    request = urllib.request.Request(
        f"{application.address}/api/v1/{path}", json.dumps(body).encode(), {"Content-Type": "application/json"}
    )
    with urllib.request.urlopen(request) as answer:
        return json.load(answer)


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
    choice = page.locator(".ant-select-dropdown:not(.ant-select-dropdown-hidden)").get_by_text(title, exact=True)
    expect(choice).to_be_visible()
    return choice.click


def test_from_files_in_to_files_out(application: Application, page: Page, heron_lode: Path, tmp_path: Path) -> None:
    page.goto(application.address)
    page.get_by_label("Name of the project").fill("Browser test")
    page.get_by_role("button", name="Create").click()

    # Take in: both assets at once, and a file that is wrong.
    expect(page.get_by_text("Drop material files here")).to_be_visible()
    wrong = tmp_path / "broken.glb"
    wrong.write_bytes(b"glTF")
    yard = [path for path in heron_lode.iterdir() if path.is_file() and path.name != ENGINE_HOUSE]
    page.locator("input[type=file]").set_input_files([heron_lode / ENGINE_HOUSE, *yard, wrong])
    expect(page.get_by_text("ends before its announced length")).to_be_visible(timeout=60_000)
    expect(page.get_by_text(re.compile("10 materials in"))).to_be_visible()
    for name in ("engine-green enamel", "sluice cast iron", "tarpaulin"):
        expect(page.get_by_label(f"Take in {name}")).to_be_checked()
    for name in ("limewashed brick", "amber lamp lens", "oiled drive belt", "galvanised_rail", "gauge-brass bezel"):
        page.get_by_label(f"Take in {name}").uncheck()
    page.get_by_role("button", name="Take 5 onto the board").click()

    # Board: pictures and verdicts come in by themselves.
    enamel = page.get_by_role("listitem").filter(has_text="engine-green enamel")
    expect(enamel.get_by_role("img", name="engine-green enamel, converted").first).to_have_attribute(
        "src", re.compile("files"), timeout=90_000
    )
    expect(page.get_by_text("5 of 5 materials")).to_be_visible()
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
    wait_for_full_size(page, "nickel_float, converted")
    ledger.get_by_role("button", name=re.compile("put back")).click()
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

    # Deliver: MaterialX and GLB.
    page.get_by_role("link", name="Deliver").click()
    for way, suffix in (("OpenPBR", ".mtlx"), ("glTF core", ".glb")):
        radio = page.get_by_role("radio", name=re.compile(f"^{way}"))
        radio.click()
        expect(radio).to_be_checked()
        page.get_by_role("button", name=re.compile("Write 5 materials")).click()
        label = "MaterialX" if suffix == ".mtlx" else "glTF 2.0"
        line = page.get_by_text(f"Write 5 as {label}").locator("..")
        with page.expect_download(timeout=90_000) as download:
            line.get_by_role("link", name=re.compile("Download")).click(timeout=90_000)
        download.value.save_as(tmp_path / "delivery.zip")
        assert any(name.endswith(suffix) for name in zipfile.ZipFile(tmp_path / "delivery.zip").namelist())


@pytest.mark.parametrize("width", [1024, 1280, 1920])
def test_what_is_seen_can_be_magnified_read_and_linked_to(application: Application, page: Page, width: int) -> None:
    page.set_viewport_size({"width": width, "height": 800 if width < 1900 else 1080})
    project = get(application, "projects")[0]["id"]
    row = next(row for row in get(application, f"projects/{project}/board?target=open_pbr") if row["name"] == "nickel_float")
    page.goto(f"{application.address}/bench/{row['conversion_id']}?to=open_pbr&rig=low_sun&as=pair")
    wait_for_full_size(page, "nickel_float, original")
    picture = page.get_by_role("img", name="nickel_float, original")
    box = picture.bounding_box()
    assert box is not None
    assert box["width"] > {1024: 290, 1280: 400, 1920: 640}[width]
    assert page.evaluate("document.documentElement.scrollWidth") <= width

    # The pixel under the pointer, then a region, in step on both sides.
    middle = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    values = page.get_by_role("status", name="Pixel values")
    page.mouse.move(*middle)
    expect(values).to_contain_text("original")
    page.keyboard.down("Control")
    page.mouse.wheel(0, -200)
    page.keyboard.up("Control")
    scaled = [
        page.get_by_role("img", name=f"nickel_float, {side}").evaluate("it => it.style.transform") for side in ("original", "converted")
    ]
    assert scaled[0] == scaled[1] != "scale(1) translate(0%, 0%)"
    page.keyboard.down("Shift")
    page.mouse.down()
    page.mouse.move(middle[0] + 40, middle[1] + 30, steps=3)
    page.mouse.up()
    page.keyboard.up("Shift")
    expect(values).to_contain_text(re.compile(r"\d+ × \d+ pixels"))

    # By keys: the whole again, brighter, marks, the divider, which is dragged on the picture.
    for key in ("0", "e", "c", "v"):
        page.keyboard.press(key)
    expect(page.locator(".pane canvas").first).to_be_attached()
    laid_over = page.locator(".handled:has(> .edge)").bounding_box()
    assert laid_over is not None
    page.mouse.move(laid_over["x"] + laid_over["width"] / 2, middle[1])
    page.mouse.down()
    page.mouse.move(laid_over["x"] + laid_over["width"] / 2 + 60, middle[1], steps=3)
    page.mouse.up()
    assert float(page.locator(".handled > .edge").evaluate("it => parseFloat(it.style.left)")) != 50.0
    page.keyboard.press("f")
    expect(page.get_by_role("button", name="Leave full window")).to_be_visible()
    page.keyboard.press("Escape")

    # A link opens what was seen, under its own project; Back returns to the board as it was searched.
    expect(page).to_have_url(re.compile(f"/projects/{project}/bench/.*rig=low_sun.*as=divider.*ev=0.5.*mark=clipped"))
    seen = page.url
    page.goto(f"{application.address}/projects/{project}/board?to=open_pbr&find=nickel")
    page.get_by_role("listitem").filter(has_text="nickel_float").click()
    expect(page.get_by_role("heading", name="nickel_float")).to_be_visible()
    page.go_back()
    expect(page).to_have_url(re.compile("find=nickel"))
    expect(page.get_by_text(re.compile("1 of 5 materials"))).to_be_visible()
    page.goto(seen)
    expect(page.get_by_text("original left, converted right")).to_be_visible()


def test_what_is_typed_is_never_swallowed(application: Application, page: Page) -> None:
    project = get(application, "projects")[0]["id"]
    row = next(row for row in get(application, f"projects/{project}/board?target=open_pbr") if row["name"] == "nickel_float")
    page.goto(f"{application.address}/bench/{row['conversion_id']}?to=open_pbr")
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

    # Take in a sheet that nobody named a dialect for.
    sheet = tmp_path / "yard.json"
    row = {"Label": "yard gate", "Paint": [120, 40, 30], "Mirror share": [255, 255, 255], "Mirror gloss": 80}
    sheet.write_text(json.dumps([{**row, "Lamp gloss apart": True, "Lamp gloss": 50, "Shape": "short tail"}]))
    page.get_by_role("link", name="Take in").click()
    page.locator("input[type=file]").set_input_files([sheet])
    expect(page.get_by_text(re.compile("Read as Osier 2, 100 % sure")).first).to_be_visible()
    page.get_by_role("button", name="Take 1 onto the board").click()

    # Bench: lock one value, let the computer tune the rest, and see who set what.
    gate = page.get_by_role("listitem").filter(has_text="yard gate")
    expect(gate.get_by_role("img", name=re.compile("^(match|near|undecided|off)$")).first).to_be_visible(timeout=120_000)
    gate.click()
    ledger = page.get_by_role("region", name="Ledger")
    reflection = ledger.get_by_role("group", name="reflection")
    expect(reflection.get_by_text(re.compile("% of Δ")).first).to_be_visible()
    ledger.get_by_role("group", name="body").get_by_role("button", name="lock").first.click()
    ledger.get_by_role("button", name="Fit the rest, 1 locked").click()
    expect(reflection.get_by_text("least squares on what the verdict hangs on").first).to_be_visible(timeout=30_000)
    expect(ledger.get_by_role("group", name="body").get_by_text("fitted")).to_have_count(0)
    ledger.get_by_role("button", name="Look up specular_ior").click()
    page.get_by_role("button", name=re.compile("^plate glass")).click()
    expect(ledger.get_by_label("specular_ior", exact=True)).to_have_value("1.517")
    ledger.get_by_role("button", name="Put all back").click()
    expect(ledger.get_by_text("set by hand")).to_have_count(0)

    # One table of all targets.
    ledger.get_by_role("button", name="All targets").click()
    expect(page.get_by_text("predicted lobe error")).to_have_count(7)
    expect(page.get_by_role("columnheader", name=re.compile("USD preview surface"))).to_be_visible()

    # A named surface as a start, with one colour.
    page.get_by_role("link", name="Take in").click()
    page.get_by_role("combobox", name="Named surface").click()
    page.get_by_title("Gloss enamel").click()
    page.get_by_label("Name of the material").fill("spare enamel")
    page.get_by_role("button", name="Start").click()
    expect(page.get_by_role("listitem").filter(has_text="spare enamel")).to_be_visible()


def test_screens_are_labelled_and_do_not_break_when_narrow(application: Application, page: Page) -> None:
    page.set_viewport_size({"width": 1024, "height": 700})
    for path in ("take-in", "board", "deliver", "dialects", "compare/1"):
        page.goto(f"{application.address}/{path}")
        expect(page.get_by_role("navigation", name="Places")).to_be_visible()
        assert page.evaluate("document.documentElement.scrollWidth") <= 1024
    controls = "[...document.querySelectorAll('button, input, select')]"
    unnamed = page.evaluate(f"{controls}.filter(e => !(e.ariaLabel || e.innerText || e.labels?.length || e.title)).length")
    assert unnamed == 0


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


def test_a_job_survives_the_death_of_a_worker_and_of_the_server(application: Application) -> None:
    project = get(application, "projects")[0]["id"]
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
    board = get(application, f"projects/{project}/board?target=metal_rough&profile=core")
    assert all(len(row["checks"]) == 3 for row in board)


def test_ctrl_c_ends_everything(application: Application) -> None:
    assert application.process is not None
    children = psutil.Process(application.process.pid).children(recursive=True)
    assert any("mariadbd" in child.name() for child in children)
    application.interrupt()
    _, alive = psutil.wait_procs(children, timeout=20)
    assert not [child for child in alive if child.status() != psutil.STATUS_ZOMBIE]
    assert application.stop_leftovers().strip() == "Nothing was left running."
