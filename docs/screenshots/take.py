"""Takes the pictures of the README from a running demo: python docs/screenshots/take.py [FOLDER]."""

import sys
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

ADDRESS = "http://127.0.0.1:8571"
FLAGS = [
    "--no-sandbox",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


def board(page: Page) -> None:
    page.goto(f"{ADDRESS}/board?to=open_pbr")
    page.get_by_text("engine-green enamel").wait_for()


def board_core(page: Page) -> None:
    page.goto(f"{ADDRESS}/board?to=gltf-core")
    page.get_by_text("engine-green enamel").wait_for()


def bench(page: Page) -> None:
    board(page)
    page.get_by_text("engine-green enamel").click()
    page.get_by_role("img", name="engine-green enamel, original").wait_for()
    page.get_by_text("being checked…").wait_for(state="detached", timeout=60_000)


def take_in(page: Page) -> None:
    from fenrain.demo.heron_lode import write_heron_lode

    page.goto(f"{ADDRESS}/take-in")
    files = write_heron_lode(Path("/tmp/fenrain-screenshot-demo"))
    page.locator("input[type=file]").set_input_files(files)
    page.get_by_text("Understood as").wait_for(timeout=30_000)


def deliver(page: Page) -> None:
    page.goto(f"{ADDRESS}/deliver?to=open_pbr")
    page.get_by_text("engine-green enamel").wait_for()


VIEWS = (take_in, board, board_core, bench, deliver)


def main() -> None:
    folder = Path(sys.argv[1]) if len(sys.argv) > 1 else Path(__file__).parent
    wanted = sys.argv[2:] or [view.__name__ for view in VIEWS]
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        for view in VIEWS:
            if view.__name__ in wanted:
                view(page)
                page.wait_for_timeout(900)
                page.screenshot(path=folder / f"{view.__name__}.png")
        browser.close()


if __name__ == "__main__":
    main()
