"""Draw docs/screenshots anew from the demo, in a headless browser: ``make screenshots``."""

import os
from pathlib import Path

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "dactyl.site.settings")

from playwright.sync_api import Page

from dactyl.site.tests.served import open_page, open_window, server

FOLDER = Path(__file__).parent / "screenshots"


def main() -> None:
    FOLDER.mkdir(exist_ok=True)
    with server(with_demo=True) as served, open_window(served) as window:
        page, _ = open_page(window)
        page.goto("/")
        shoot(page, "kits")
        page.goto("/shelf/")
        page.locator(".sample").nth(3).click()
        page.wait_for_selector("#about strong")
        shoot(page, "shelf")
        kit(page, "Engine Deck")
        check(page)
        kit(page, "Ferry House")
        for tab in ("layers", "sound", "mics"):
            page.click(f"#card-tab-{tab}")
            page.wait_for_selector(f"#card [data-tab={tab}]")
            shoot(page, f"pad-{tab}")
        night(page)
        stack(page)
        pictures(page)
        for view in ("map", "part", "desk", "bounce"):
            page.click(f"#tab-{view}")
            page.wait_for_selector(f"[data-view={view}]")
            if view == "bounce":
                bounce(page)
            shoot(page, view)
            if view == "map":
                surface(page)
            if view == "part":
                recording(page)
            if view == "desk":
                page.click("#picture-mics")
                page.wait_for_selector("[data-view=mics]")
                shoot(page, "mics")
        lineup(page)


def kit(page: Page, name: str) -> None:
    page.goto("/")
    page.click(f"text={name}")
    page.wait_for_selector("#card [data-tab]")
    page.locator(".row[data-pad] .c-glyph").nth(1).click()


def lineup(page: Page) -> None:
    page.click("#tab-part")
    page.click("#alongside-menu")
    page.select_option("#alongside-other", label="Engine Deck")
    page.click("text=Add alongside")
    page.wait_for_selector("#alongside .alongside-kits")
    with page.expect_navigation():
        page.click("text=Keep as a lineup")
    page.wait_for_selector("#lineup-members .alongside-kits")
    page.locator(".member-sheet").nth(1).wait_for()
    page.evaluate(
        "() => (document.getElementById('view').scrollTop += document.querySelectorAll('.member-sheet')[1].getBoundingClientRect().top - 330)"
    )
    shoot(page, "lineup")


def check(page: Page) -> None:
    page.click("#picture-check")
    page.locator(".finding").first.wait_for(timeout=120_000)
    page.locator(".finding").first.click()
    page.wait_for_selector(".finding .waves")
    shoot(page, "check")


def night(page: Page) -> None:
    page.click("#card-tab-layers")
    page.click("[data-theme-switch]")
    shoot(page, "sheet-night")
    page.click("[data-theme-switch]")


def stack(page: Page) -> None:
    page.click("#shelf-edge")
    page.fill("#shelf-q", "snare")
    page.wait_for_timeout(500)
    page.locator("#samples").focus()
    page.keyboard.press("Control+a")
    page.click("#stack-picked")
    page.wait_for_selector(".proposed-steps")
    shoot(page, "stack")
    page.click("#shelf-fold")


def pictures(page: Page) -> None:
    for picture, ready in (("cuts", ".matrix-svg"), ("plan", "#plan-svg")):
        page.click(f"#picture-{picture}")
        page.wait_for_selector(ready)
        shoot(page, picture)
    page.click("#picture-sheet")
    page.locator(".row[data-pad]").nth(1).click()
    page.keyboard.press("h")
    page.wait_for_selector("#drums .drum:nth-child(2)")
    page.keyboard.press("ArrowDown")
    shoot(page, "swap")
    page.click("#swap-leave")
    page.wait_for_selector(".sheet")


def recording(page: Page) -> None:
    page.click("#parts-menu")
    page.click(".recordings-listed a")
    page.wait_for_selector("#recording-tracks .track-row")
    page.wait_for_timeout(800)
    page.locator("#recording-canvas").focus()
    for key in ("ArrowDown", "ArrowRight", "ArrowRight"):
        page.keyboard.press(key)
    shoot(page, "recording")


def surface(page: Page) -> None:
    page.click("#picture-surfaces")
    page.select_option("select[name=shape]", label="4 × 4")
    page.click("text=Add a surface")
    page.check("#arrange-cells")
    page.click(".cell-of[data-place='0']")
    page.click(".cell-of[data-place='5']", modifiers=["Shift"])
    shoot(page, "surface")


def bounce(page: Page) -> None:
    page.select_option("#bounce-part", label="Storm Watch")
    page.click("#bounce-go")
    page.wait_for_selector('.stem.mix .loud:has-text("LUFS")', timeout=120_000)


def shoot(page: Page, name: str) -> None:
    page.wait_for_load_state("networkidle")
    page.evaluate("() => document.getElementById('status')?.replaceChildren()")  # what was said of the step before
    page.wait_for_timeout(1500)  # pictures that are drawn after the page
    page.screenshot(path=FOLDER / f"{name}.png")
    print(f"docs/screenshots/{name}.png")


if __name__ == "__main__":
    main()
