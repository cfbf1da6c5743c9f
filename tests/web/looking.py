"""A close look at the nickel float on its bench, as both suites take it."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from tests.web.conftest import Application, wait_for_full_size


def look_closely(application: Application, page: Page, project: int, conversion: int, width: int) -> None:
    """Magnify, read pixels, lay one picture over the other, and follow a link to what was seen."""
    page.set_viewport_size({"width": width, "height": 800 if width < 1900 else 1080})
    page.goto(f"{application.address}/bench/{conversion}?to=open_pbr&rig=low_sun&as=pair")
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
    expect(page.get_by_role("button", name="Leave full screen")).to_be_visible()
    page.keyboard.press("Escape")

    # A link opens what was seen, under its own project; Back returns to the board as it was searched.
    expect(page).to_have_url(re.compile(f"/projects/{project}/bench/.*rig=low_sun.*as=divider.*ev=0.5.*mark=clipped"))
    seen = page.url
    page.goto(f"{application.address}/projects/{project}/board?to=open_pbr&find=nickel")
    page.get_by_role("listitem").filter(has_text="nickel_float").click()
    expect(page.get_by_role("heading", name="nickel_float")).to_be_visible()
    page.go_back()
    expect(page).to_have_url(re.compile("find=nickel"))
    expect(page.get_by_text(re.compile(r"1 of \d+ materials"))).to_be_visible()
    page.goto(seen)
    expect(page.get_by_text("original left, converted right")).to_be_visible()
