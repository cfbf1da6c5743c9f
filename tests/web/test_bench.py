"""The bench by mouse and by keyboard: what is seen can be magnified, read, turned, taken apart and linked to. Of the long suite.

The short suite looks closely once, on the way of `test_whole_job`, and misses: other widths of the window, light that is turned by
dragging on the picture, and parts that are taken out, FLIP, variants, surroundings and meshes of one's own and the asset around a
material, which other tests have without a browser.
"""

from __future__ import annotations

import re
import time
from dataclasses import dataclass
from pathlib import Path

import httpx
import numpy as np
import OpenImageIO as oiio
import pytest
from playwright.sync_api import Page, expect

from fenrain.demo.heron_lode import ENGINE_HOUSE
from tests.sizes import long_only
from tests.web.conftest import Application, choosing, get, named, post, time_to_another, wait_for_full_size
from tests.web.looking import look_closely

pytestmark = [pytest.mark.journey, long_only]


@dataclass(frozen=True)
class Nickel:
    """A float of nickel with its enamelled neighbour, on the board of a project of their own."""

    project: int
    conversion: int


@pytest.fixture(scope="module")
def nickel(application: Application, heron_lode: Path) -> Nickel:
    with httpx.Client(base_url=f"{application.address}/api/v1/", cookies=application.cookies, timeout=120.0) as server:
        project = int(server.post("projects", json={"name": "Bench test"}).json()["id"])
        yard = [path for path in heron_lode.iterdir() if path.is_file() and path.name != ENGINE_HOUSE]
        intake = server.post(f"projects/{project}/intakes", files=[("files", (path.name, path.read_bytes())) for path in yard]).json()
        found = server.get(f"intakes/{intake['id']}/found", params={"most": 500}).json()["rows"]
        wanted = [one["position"] for one in found if one["name"] in ("nickel_float", "dial_enamel")]
        job = server.post(f"intakes/{intake['id']}/accept", json={"positions": wanted}).json()["id"]
    deadline = time.monotonic() + 120
    while (row := named(get(application, f"projects/{project}/board?target=open_pbr")["rows"], "nickel_float"))["conversion_id"] is None:
        assert time.monotonic() < deadline
        time.sleep(0.3)
    post(application, f"jobs/{job}/cancel", {})  # what is looked at is drawn all the same
    return Nickel(project, row["conversion_id"])


@pytest.mark.parametrize("width", [1024, 1280, 1920])
def test_what_is_seen_can_be_magnified_read_and_linked_to(application: Application, page: Page, nickel: Nickel, width: int) -> None:
    look_closely(application, page, nickel.project, nickel.conversion, width)


def test_the_light_is_turned_on_the_picture(application: Application, page: Page, nickel: Nickel) -> None:
    page.goto(f"{application.address}/bench/{nickel.conversion}?to=open_pbr&rig=fine_bars")
    wait_for_full_size(page, "nickel_float, converted")
    box = page.get_by_role("img", name="nickel_float, original").bounding_box()
    assert box is not None
    middle = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2

    def drag() -> None:
        page.mouse.move(*middle)
        page.mouse.down()
        page.mouse.move(middle[0] + box["width"] / 6, middle[1], steps=4)
        page.mouse.up()

    time_to_another(page, "nickel_float, original", drag)
    expect(page).to_have_url(re.compile("turn=30"))
    # Magnified, dragging moves the picture, and the light only with Alt.
    page.keyboard.press("+")
    drag()
    expect(page).to_have_url(re.compile("turn=30"))
    page.keyboard.down("Alt")
    drag()
    page.keyboard.up("Alt")
    expect(page).to_have_url(re.compile("turn=60"))


def test_difference_by_flip_is_measured_when_it_is_asked_for(application: Application, page: Page, nickel: Nickel) -> None:
    page.goto(f"{application.address}/bench/{nickel.conversion}?to=open_pbr&rig=fine_bars&as=difference")
    wait_for_full_size(page, "nickel_float, difference")
    choosing(page, "Measure of the difference", "FLIP")()
    expect(page.get_by_role("img", name="Scale of the difference, FLIP from 0 to 0.5")).to_be_visible()
    expect(page.locator(".pane canvas").first).to_be_attached(timeout=60_000)
    page.locator(".handled").hover()  # the picture itself lies below what is painted over it
    expect(page.get_by_role("status", name="Pixel values")).to_contain_text("FLIP", timeout=30_000)


def test_own_surroundings_and_an_own_mesh_are_handed_in(application: Application, page: Page, nickel: Nickel, tmp_path: Path) -> None:
    light = np.full((32, 64, 3), 0.2, np.float32)
    light[6:10, 30:34] = (30.0, 5.0, 5.0)
    assert oiio.ImageBuf(light).write(str(tmp_path / "red hall.exr"))
    (tmp_path / "roof.obj").write_text("v -1 0 1\nv 1 0 1\nv 0 1.5 0\nv -1 0 -1\nv 1 0 -1\nf 1 2 3\nf 2 5 3\nf 5 4 3\nf 4 1 3\nf 1 4 5 2\n")
    (tmp_path / "broken.obj").write_text("f 1 2 3\n")
    page.goto(f"{application.address}/bench/{nickel.conversion}?to=open_pbr")
    wait_for_full_size(page, "nickel_float, converted")
    for label, own, file, title in (
        ("Light rig", "Own surroundings (EXR, HDR)…", "red hall.exr", "red hall"),
        ("Stand", "Own mesh (OBJ, GLB, USD)…", "roof.obj", "roof"),
    ):
        page.get_by_role("combobox", name=label, exact=True).click()
        with page.expect_file_chooser() as chooser:
            page.get_by_role("button", name=own).click()
        before = str(page.get_by_role("img", name="nickel_float, original").get_attribute("src"))
        chooser.value.set_files(tmp_path / file)
        expect(page.locator(".ant-select", has=page.get_by_role("combobox", name=label, exact=True))).to_contain_text(title)
        expect(page.get_by_role("img", name="nickel_float, original")).not_to_have_attribute("src", before)
    page.get_by_role("combobox", name="Stand", exact=True).click()
    with page.expect_file_chooser() as chooser:
        page.get_by_role("button", name="Own mesh (OBJ, GLB, USD)…").click()
    chooser.value.set_files(tmp_path / "broken.obj")
    expect(page.get_by_text(re.compile("broken.obj"))).to_be_visible()


def test_parts_are_taken_out_on_both_sides(application: Application, page: Page, nickel: Nickel) -> None:
    page.goto(f"{application.address}/bench/{nickel.conversion}?to=open_pbr")
    wait_for_full_size(page, "nickel_float, converted")
    page.get_by_role("button", name="Isolate").click()
    time_to_another(page, "nickel_float, original", lambda: page.get_by_role("checkbox", name="reflection").check())
    expect(page.get_by_role("button", name="Isolate")).to_have_text("only reflection")
    expect(page.get_by_role("region", name="Measured results")).to_contain_text(re.compile("ΔE2000"))
    page.get_by_role("checkbox", name="reflection").uncheck()
    source = get(application, f"conversions/{nickel.conversion}")["source_values"][0]["name"]
    choosing(page, "Inputs that are taken out", source.replace("_", " "))()
    expect(page).to_have_url(re.compile(f"without={source}"))
    expect(page.get_by_role("button", name="Isolate")).to_have_text(f"without {source.replace('_', ' ')}")
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Show all again").click()
    expect(page.get_by_role("button", name="Isolate")).to_have_text("Isolate…")


def test_a_variant_is_tuned_beside_the_first(application: Application, page: Page, nickel: Nickel) -> None:
    page.goto(f"{application.address}/bench/{nickel.conversion}?to=open_pbr")
    ledger = page.get_by_role("region", name="Ledger")
    ledger.get_by_role("button", name="Make a variant").click()
    page.get_by_label("Name of the variant").fill("nickel, worn")
    page.get_by_role("button", name="Make it").click()
    expect(page.get_by_role("heading", name="nickel, worn")).to_be_visible()
    field = ledger.get_by_label("specular_roughness", exact=True)
    field.fill("0.6")
    field.press("Enter")
    expect(ledger.get_by_text("set by hand")).to_be_visible()
    page.get_by_role("button", name="Isolate").click()
    choosing(page, "Compare with", "nickel_float")()
    expect(page).to_have_url(re.compile(f"against={nickel.conversion}"))
    page.keyboard.press("Escape")
    expect(page.get_by_text("the other variant", exact=True)).to_be_visible()
    page.goto(f"{application.address}/projects/{nickel.project}/bench/{nickel.conversion}?to=open_pbr")
    expect(page.get_by_role("heading", name="nickel_float")).to_be_visible()
    expect(ledger.get_by_text("set by hand")).to_have_count(0)


def test_a_material_is_seen_among_its_own_asset(application: Application, page: Page, nickel: Nickel) -> None:
    page.goto(f"{application.address}/bench/{nickel.conversion}?to=open_pbr")
    wait_for_full_size(page, "nickel_float, original")
    time_to_another(page, "nickel_float, original", choosing(page, "Stand", "Its own asset"))
    expect(page).to_have_url(re.compile("stand=asset"))
    page.keyboard.press("l")
    expect(page).to_have_url(re.compile("mark=rim"))
    expect(page.locator(".pane canvas").first).to_be_attached(timeout=60_000)
