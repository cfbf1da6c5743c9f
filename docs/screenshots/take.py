"""Takes the pictures of the README from a running demo: python docs/screenshots/take.py [FOLDER]."""

import os
import subprocess
import sys
from pathlib import Path

from playwright.sync_api import Page, expect, sync_playwright

ADDRESS = f"http://127.0.0.1:{os.environ.get('FENRAIN_PORT', '8571')}"
FLAGS = [
    "--no-sandbox",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--use-gl=angle",
    "--use-angle=swiftshader",
    "--enable-unsafe-swiftshader",
]


def new_link() -> str:
    """Lets the demo's person in once, beside whoever is signed in already."""
    printed = subprocess.run(
        [Path(sys.executable).with_name("fenrain"), "enter", "Lock keeper"], capture_output=True, text=True, check=True
    )
    return printed.stdout.split()[-1]


def board(page: Page) -> None:
    page.goto(f"{ADDRESS}/board?to=open_pbr")
    page.get_by_text("engine-green enamel").wait_for()


def board_core(page: Page) -> None:
    page.goto(f"{ADDRESS}/board?to=metal_rough.core")
    page.get_by_text("engine-green enamel").wait_for()


def bench(page: Page) -> None:
    board(page)
    page.get_by_text("engine-green enamel").click()
    page.get_by_role("img", name="engine-green enamel, original").wait_for()
    page.get_by_text("refining…").wait_for(state="detached", timeout=60_000)


def bench_asset(page: Page) -> None:
    board(page)
    page.get_by_text("gauge-brass bezel").click()
    page.get_by_role("combobox", name="Stand", exact=True).click()
    page.get_by_title("Its own asset").last.click()
    page.get_by_text("being drawn…").wait_for()
    page.get_by_text("being drawn…").wait_for(state="detached", timeout=120_000)
    page.get_by_text("refining…").wait_for(state="detached", timeout=300_000)


def ledger(page: Page) -> None:
    board(page)
    page.get_by_text("varnished handrail").click()
    page.get_by_text("the nearest answer:").first.wait_for()
    page.get_by_role("group", name="reflection").evaluate("group => group.scrollIntoView({ block: 'center' })")


def aims(page: Page) -> None:
    board(page)
    page.get_by_text("varnished handrail").click()
    page.get_by_role("button", name="Compare aims").click()
    page.get_by_role("button", name="Take these values").first.wait_for(timeout=60_000)


def web_view(page: Page) -> None:
    page.set_viewport_size({"width": 1280, "height": 1060})
    page.goto(f"{ADDRESS}/board?to=metal_rough")
    page.get_by_text("gauge-brass bezel").click()
    page.get_by_role("button", name="As a web page shows it").click()
    page.get_by_text("refining…").wait_for(state="detached", timeout=120_000)
    page.get_by_text("The viewer differs").wait_for(timeout=120_000)


def review(page: Page) -> None:
    page.goto(f"{ADDRESS}/review?to=metal_rough.core")
    page.get_by_label("What waits").wait_for()
    page.locator(".pointed").last.click(position={"x": 120, "y": 90})
    page.get_by_role("textbox", name="Note").fill("paler than the glass was, all over")
    page.wait_for_timeout(8_000)


def change(page: Page) -> None:
    board(page)
    page.get_by_label("Select all shown").click()
    page.get_by_role("button", name="Change these…").click()
    page.get_by_role("checkbox", name="reflection").check()
    for name, value in (("specular_weight", "0.75"), ("specular_ior", "1.35")):
        page.get_by_role("checkbox", name=name, exact=True).check()
        page.get_by_role("textbox", name=name, exact=True).fill(value)
        page.keyboard.press("Enter")
    page.get_by_role("button", name="Rehearse it on").click()
    expect(page.get_by_role("button", name="Apply")).to_be_enabled(timeout=120_000)
    page.wait_for_timeout(2_000)


def outside(page: Page) -> None:
    """Makes a kit of a few materials, where there is none, and has the web viewer draw it."""
    page.goto(f"{ADDRESS}/outside")
    page.locator(".kit-line").or_(page.get_by_text("None yet")).first.wait_for()
    if page.get_by_text("None yet").count():
        page.goto(f"{ADDRESS}/board?to=metal_rough")
        for name in ("engine-green enamel", "gauge-brass bezel", "sluice cast iron", "amber lamp lens", "oiled drive belt"):
            page.get_by_role("checkbox", name=f"Select {name}").check()
        page.get_by_role("button", name="Check kit of these").click()
        page.get_by_role("button", name="Make the kit").click()
        page.get_by_role("button", name="three.js draws the converted").click(timeout=120_000)
    page.get_by_role("table", name="Compared materials").wait_for(timeout=240_000)


def compare(page: Page) -> None:
    board(page)
    page.get_by_text("sight-glass tube").click()
    page.get_by_role("button", name="All targets").click()
    page.get_by_text("predicted lobe error").first.wait_for()


def dialects(page: Page) -> None:
    page.goto(f"{ADDRESS}/dialects")
    page.get_by_role("combobox", name="Open a dialect").click()
    page.get_by_title("Osier 2").click()
    page.get_by_role("region", name="Result").get_by_text("oiled drive belt").wait_for()


def take_in(page: Page) -> None:
    from fenrain.demo.heron_lode import write_heron_lode
    from fenrain.demo.pump_hall import write_pump_hall

    page.goto(f"{ADDRESS}/take-in")
    page.get_by_text("here").first.wait_for()
    if page.get_by_role("button", name="Start over").count():
        page.get_by_role("button", name="Start over").click()
        page.get_by_role("button", name="OK").click()
        page.get_by_text("Drop material files here").wait_for()
    folder = Path("/tmp/fenrain-screenshot-demo")
    write_heron_lode(folder)
    write_pump_hall(folder)
    page.locator("input[type=file]").first.set_input_files([path for path in folder.iterdir() if path.is_file()])
    page.get_by_text("Understood as").wait_for(timeout=60_000)


def deliver(page: Page) -> None:
    page.goto(f"{ADDRESS}/deliver?to=kiosk")
    page.get_by_role("checkbox", name="engine-green enamel").wait_for()
    page.get_by_role("button", name="Write 24 materials").click()
    page.get_by_role("link", name="Download").first.wait_for(timeout=120_000)
    page.get_by_role("group", name="What it costs").get_by_text("maps").first.wait_for()


def maps(page: Page) -> None:
    board(page)
    page.get_by_text("sluice cast iron").click()
    page.get_by_role("button", name="Maps").click()
    page.get_by_role("img", name="base_color, converted").wait_for(timeout=60_000)
    page.wait_for_timeout(4_000)


def targets(page: Page) -> None:
    page.goto(f"{ADDRESS}/targets")
    page.get_by_role("button", name="Real-time kiosk").click()
    page.get_by_role("region", name="Target profile").get_by_text("Real-time kiosk").wait_for()


def help(page: Page) -> None:
    page.goto(f"{ADDRESS}/help")
    page.get_by_role("heading", name="1. Import the files").wait_for()


VIEWS = (
    take_in, board, board_core, bench, bench_asset, maps, compare, dialects, deliver,
    targets, outside, web_view, ledger, aims, review, change, help,
)  # fmt: skip


def main() -> None:
    folder = Path(sys.argv[1]) if len(sys.argv) > 1 else Path(__file__).parent
    wanted = sys.argv[2:] or [view.__name__ for view in VIEWS]
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(new_link())
        page.get_by_label("Places").wait_for()
        for view in VIEWS:
            if view.__name__ in wanted:
                view(page)
                page.wait_for_timeout(900)
                page.screenshot(path=folder / f"{view.__name__}.png")
                page.set_viewport_size({"width": 1280, "height": 800})
        browser.close()


if __name__ == "__main__":
    main()
