"""The window of acts and keys: whatever a page holds, and whatever there is to open, is found by typing what it is called."""

from base64 import b64encode
from pathlib import Path

from playwright.sync_api import Page, expect

from dactyl.core.tests.test_soundfonts import font
from dactyl.site.keys import KEYS
from dactyl.site.tests.kit_pages import KitPages
from dactyl.site.tests.served import follow
from dactyl.site.tests.test_shelf import DROP

CARRY = """(selector) => {  // what a desktop is told of a link that is dragged to it
  const held = new DataTransfer();
  document.querySelector(selector).dispatchEvent(new DragEvent("dragstart", { dataTransfer: held, bubbles: true }));
  return held.getData("DownloadURL");
}"""

AGAIN_AT_ONCE = """() => {
  const acts = document.getElementById("keys");
  const press = () => document.activeElement.dispatchEvent(new KeyboardEvent("keydown", { key: "?", bubbles: true }));
  press();
  acts.close();
  press();
  return acts.open;
}"""


class Acts(KitPages):
    def found(self, page: Page, words: str) -> list[str]:
        page.keyboard.press("?")
        expect(page.locator("#act-words")).to_be_focused()
        page.keyboard.type(words)
        expect(page.locator("#act-list li").first).to_be_visible()
        return page.locator("#act-list li span").all_inner_texts()

    def leave(self, page: Page) -> None:
        page.keyboard.press("Escape")
        expect(page.locator("#keys")).to_be_hidden()

    def test_acts_keys_views_and_parts_are_found_and_done_by_keys(self):
        page = self.layered("Quay")
        url = page.url
        expect(page.locator(".keys-columns dl > div")).to_have_count(sum(len(rows) for _, rows in KEYS))
        mute = page.locator(".row[data-pad] .toggle").first
        called = mute.get_attribute("aria-label")
        self.assertEqual(self.found(page, called.lower())[0], called)
        page.keyboard.press("Enter")
        expect(mute).to_have_attribute("aria-pressed", "true")
        expect(page.locator("#keys")).to_be_hidden()
        self.assertIn("duplicate", self.found(page, "duplicate"), "a key of the list")
        self.leave(page)
        self.found(page, called.replace("Mute", "Level of").lower() + " in db")
        page.keyboard.press("Enter")
        expect(page.locator(".c-level input").first).to_be_focused()
        page.keyboard.press("Escape")
        page.locator("body").press("Tab")
        page.evaluate("document.activeElement.blur()")
        self.found(page, "silences whom")
        expect(page.locator("#act-list li span").first).to_have_text("Cuts")
        page.keyboard.press("Enter")
        page.wait_for_url(f"{url.split('?')[0]}cuts/")
        self.found(page, called.lower())
        expect(page.locator("#act-list li").first).to_contain_text(f"{called} Sheet")
        page.keyboard.press("Enter")
        expect(mute).to_have_attribute("aria-pressed", "false")

    def test_home_opens_whatever_has_a_name(self):
        page = self.layered("Quay")
        page.click("#tab-part")
        page.fill(".new-part-name", "Tide table")
        page.locator(".new-part button").first.click()
        expect(page.locator("#part-name")).to_have_value("Tide table")
        follow(page, page.locator("a.mark").click)
        expect(page.locator(".lately li").first).to_contain_text("Tide table")
        page.keyboard.press("?")
        page.keyboard.type("nothing is called so")
        expect(page.locator("#act-none")).to_be_visible()
        self.leave(page)
        self.assertTrue(
            page.evaluate(AGAIN_AT_ONCE), "? opens it before the frame that takes the focus from what was closed"
        )
        self.leave(page)
        self.found(page, "bounce stems")
        page.keyboard.press("Enter")
        page.wait_for_url("**/bounces/of/*/")
        follow(page, page.locator("a.mark").click)
        self.found(page, "select master")
        expect(page.locator("#act-list li").first).to_contain_text("Select Master Desk")
        page.keyboard.press("Enter")
        page.wait_for_url("**/kits/*/desk/")
        expect(page.get_by_label("Select Master", exact=True)).to_have_attribute("aria-pressed", "true")

    def test_kit_files_are_dropped_in_and_files_are_dragged_out(self):
        page, files = self.layered("Quay"), [[f"{n}.sf2", b64encode(font()).decode()] for n in "123"]
        page.evaluate(DROP, ["#view", files[:2]])
        for left in (1, 0):
            page.locator("#ask button", has_text="Open the chosen").first.click()
            expect(page.locator("#ask fieldset")).to_have_count(left)
        expect(page.locator("#ask a.link")).to_have_text(["Dry", "Dry"])
        expect(page.locator("#status")).not_to_contain_text("no files")
        page.locator("#ask [data-close]").click()
        home = self.page()
        home.evaluate(DROP, ["main", files])
        expect(home.locator("#opened fieldset")).to_have_count(3)
        for left in (2, 1, 0):
            home.locator("#opened button", has_text="Open all 2").first.click()
            expect(home.locator("#opened fieldset")).to_have_count(left)
        expect(home.locator("#opened a.link")).to_have_text(["Dry"] * 3)
        home.locator(".kit-acts button", has_text="Package").first.click()
        expect(home.locator("#get-package")).to_be_visible()
        kind, name, address = home.evaluate(CARRY, "#get-package").split(":", 2)
        self.assertEqual((kind, name.endswith(".zip"), address.endswith("/package/")), ("application/zip", True, True))
        home.locator("#ask summary", has_text="SoundFont").click()
        home.locator("#write-soundfont").click()
        with home.expect_download() as download:
            home.locator("#get-soundfont").click()
        self.assertEqual(Path(download.value.path()).read_bytes()[8:12], b"sfbk")
