"""The Desk view under a hand: what is dragged is heard at once and told once; every control has its key."""

import math
import re

from playwright.sync_api import Locator, Page, expect

from dactyl.shelf.tests.sounds import hit, sound_bytes
from dactyl.site.tests.kit_pages import KitPages
from dactyl.site.tests.served import BEGIN_LISTENING, HEARD, LISTEN

CHANNELS = """() => { // the highest peak of each channel of the device
  window.channels = [];
  window.dactyl.engine.addEventListener("report", ({ detail }) => {
    window.isSilent = !detail.voices && !detail.channels?.some((peak) => peak > 0);
    detail.channels?.forEach((peak, n) => (window.channels[n] = Math.max(window.channels[n] ?? 0, peak)));
  });
}"""


class DeskView(KitPages):
    about_seconds = 15.0

    def desk(self, name: str) -> Page:
        files = {
            f"{name} {what}.wav": sound_bytes(hit(-6, seed=seed, seconds=0.2))
            for seed, what in enumerate(("kick", "snare"), 71)
        }
        page = self.new_kit(name, files)
        pad = page.locator("#surface .pad").first
        self.heard_at_last(page, pad.click)
        page.click("#tab-desk")
        page.wait_for_selector("#the-desk .picked")
        return page

    def test_a_view_that_is_slow_to_come_says_so_at_the_tab_that_was_pressed(self):
        page = self.desk("Slow tide")
        held = []
        page.route("**/parts/of/**", lambda route: held.append(route))
        page.click("#tab-part", no_wait_after=True)
        tab = page.locator("#tab-part.htmx-request")
        expect(tab).to_have_css("border-bottom-style", "dotted")
        expect(tab).to_have_css("border-bottom-color", page.evaluate("() => getComputedStyle(document.body).color"))
        page.unroute_all(behavior="ignoreErrors")  # what was held goes on
        expect(page.locator("#tab-part")).to_have_attribute("aria-current", "page")
        expect(page.locator("#tab-part.htmx-request")).to_have_count(0)

    def strip(self, page: Page, name: str) -> Locator:
        return page.locator(".desk-row", has=page.locator(f".strip-name[title='{name}']"))

    def peak_db(self, page: Page, key: str) -> float:
        self.settle(page)
        page.evaluate(BEGIN_LISTENING, [2.0])
        page.keyboard.press(key)
        return 20 * math.log10(max(1e-6, page.evaluate(HEARD)))

    def shown_db(self, strip: Locator) -> float:
        return float(strip.locator(".strip-db").inner_text().replace("−", "-"))

    def test_a_level_is_heard_while_it_is_dragged_told_once_let_go_of_by_escape_and_undone(self):
        page = self.desk("Drag")
        master = self.strip(page, "Master")
        before = self.peak_db(page, "a")
        version = page.locator("#history").get_attribute("data-version")

        def grasp(by: int) -> None:
            box = master.locator(".axis .mark").bounding_box()
            page.mouse.move(box["x"] + 5, box["y"] + 5)
            page.mouse.down()
            page.mouse.move(box["x"] + 5 + by, box["y"] + 5, steps=4)

        grasp(-60)
        shown = self.shown_db(master)
        self.assertLess(shown, -4)
        self.assertAlmostEqual(self.peak_db(page, "a") - before, shown, delta=0.1)
        page.keyboard.press("Escape")
        page.mouse.up()
        self.assertEqual(self.shown_db(master), 0)
        self.assertAlmostEqual(self.peak_db(page, "a"), before, delta=0.1)
        self.assertEqual(page.locator("#history").get_attribute("data-version"), version, "nothing was told")
        grasp(-60)
        with page.expect_response(re.compile("/desk/set/master_db/")):
            page.mouse.up()
        expect(page.locator("#undo")).to_contain_text("Master of the desk")
        self.assertAlmostEqual(self.peak_db(page, "a") - before, self.shown_db(master), delta=0.1)
        page.click("#undo")
        expect(master.locator(".strip-db")).to_have_text("0.0")
        self.assertEqual(int(page.locator("#history").get_attribute("data-version")), int(version) + 2)

    def test_all_of_it_by_keys_grouped_muted_alone_placed_and_reset(self):
        page = self.desk("Keys")
        page.click("text=Lay out the outputs…")
        page.click("text=One for each piece")
        expect(page.locator(".desk-row.output")).to_have_count(3)
        kick, snare = (page.locator(".desk-row.output").nth(n) for n in (1, 2))
        kick.locator(".axis").focus()
        for _ in range(4):
            page.keyboard.press("ArrowLeft")
        page.keyboard.press("Shift+ArrowLeft")
        self.assertEqual(self.shown_db(kick), -2.1)
        expect(page.locator("#undo")).to_contain_text("−2.1 dB")
        self.assertEqual(page.evaluate("document.activeElement.classList[0]"), "axis", "the focus stays")
        before = self.peak_db(page, "s")
        kick.locator(".axis").focus()
        page.keyboard.press("n")
        self.assertLess(self.peak_db(page, "s"), -80, "the kick alone is heard")
        kick.locator(".axis").focus()
        page.keyboard.press("n")
        self.assertAlmostEqual(self.peak_db(page, "s"), before, delta=0.1)
        snare.locator(".axis").focus()
        page.keyboard.press("m")
        expect(snare).to_have_class(re.compile("muted"))
        self.assertLess(self.peak_db(page, "s"), -80)
        kick.locator(".axis").focus()
        page.keyboard.press("ArrowUp")
        page.keyboard.press("ArrowDown")
        page.keyboard.press("Shift+ArrowDown")
        page.click("#group-outputs")
        group = page.locator(".desk-row.group")
        expect(group).to_have_count(1)
        self.assertEqual(len(group.get_attribute("data-members").split()), 2)
        name = page.locator("input[id^=group-name]")
        expect(name).to_be_focused()
        name.press_sequentially("Drums")  # over what it was called
        name.press("Enter")
        expect(page.locator(".desk-row.group .strip-name")).to_have_text("Drums")
        kick.locator(".place").focus()
        page.keyboard.press("ArrowRight")
        page.keyboard.press("PageDown")
        expect(page.locator("#undo")).to_contain_text("Width")
        expect(kick.locator(".place")).to_have_attribute("aria-valuetext", "R5, 90 % wide")
        page.keyboard.press("Delete")
        expect(kick.locator(".place")).to_have_attribute("aria-valuetext", "C, 100 % wide")

    def test_outputs_leave_by_channels_of_their_own_and_main_plays_on_where_there_are_none(self):
        page = self.desk("Live")
        page.click("text=Lay out the outputs…")
        page.click("text=One for each piece")
        expect(page.locator(".desk-row.output")).to_have_count(3)
        expect(page.locator("[data-live-of]").nth(1)).to_be_disabled()
        page.click("#live summary")
        page.select_option("#live-device", "stand-in")
        page.keyboard.press("Escape")
        kick, snare = page.locator(".desk-row.output").nth(1), page.locator(".desk-row.output").nth(2)
        snare.locator("[data-pick]").click()
        page.locator("[data-channel]:not([hidden]) [data-live-of]").select_option("3–4")
        kick.locator("[data-pick]").click()
        page.locator("[data-channel]:not([hidden]) [data-live-of]").select_option("8")
        expect(kick.locator("[data-leaves-by]")).to_have_text("→ 8")
        page.evaluate(CHANNELS)
        for key, loud in (("s", {2, 3}), ("a", {7})):
            page.wait_for_function("() => window.isSilent")
            page.evaluate("() => (window.channels = [])")
            page.keyboard.press(key)
            page.wait_for_function("() => window.channels.some((peak) => peak > 0.01)")
            self.assertEqual({n for n, peak in enumerate(page.evaluate("() => window.channels")) if peak > 0.001}, loud)
        page.reload()
        page.wait_for_selector("#the-desk .picked")
        page.evaluate(CHANNELS)
        expect(kick.locator("[data-leaves-by]")).to_have_text("→ 8")
        page.locator("body").press("a")
        page.wait_for_function("() => window.channels[7] > 0.01")
        page.click("#live summary")
        page.select_option("#live-device", "")
        expect(kick.locator("[data-leaves-by]")).to_have_text("")
        self.assertGreater(self.peak_db(page, "a"), -30)

    def test_a_piece_says_otherwise_of_one_mic_in_one_cell(self):
        page = self.desk("Mics")
        page.click("#picture-mics")
        cell = page.locator(".mic-matrix .of-piece").first
        cell.locator(".place-of").fill("R30")
        page.keyboard.press("Tab")
        expect(page.locator("#undo")).to_contain_text("right 30")
        expect(cell.locator(".place-of")).to_have_value("30")
        cell.locator(".flip").click()
        expect(cell.locator(".flip")).to_have_attribute("aria-pressed", "true")
        cell.locator(".num").fill("-96")
        page.keyboard.press("Tab")
        expect(page.locator("#undo")).to_contain_text("Level")
        self.assertLess(self.peak_db(page, "a"), -80)
        page.keyboard.press("Control+z")
        expect(cell.locator(".num")).to_have_value("0.0")
        self.assertGreater(self.peak_db(page, "a"), -30)

    def test_what_keys_moved_is_told_also_from_another_view_and_an_output_heard_alone_may_go(self):
        page = self.desk("Left")
        page.click("text=Lay out the outputs…")
        page.click("text=One for each piece")
        expect(page.locator(".desk-row.output")).to_have_count(3)
        before = self.peak_db(page, "a")
        snare = page.locator(".desk-row.output").nth(2)
        snare.locator(".axis").focus()
        page.keyboard.press("n")
        self.assertLess(self.peak_db(page, "a"), -80)
        snare.locator("[data-pick]").click()
        page.click("[data-channel]:not([hidden]) >> text=Delete this output")
        expect(page.locator(".desk-row.output")).to_have_count(2)
        self.assertAlmostEqual(self.peak_db(page, "a"), before, delta=0.1)
        page.locator(".desk-row.output").nth(1).locator(".axis").focus()
        page.keyboard.press("ArrowLeft")
        page.click("#tab-kit")
        expect(page.locator("#undo")).to_contain_text("−0.5 dB")

    def test_a_piece_is_dragged_to_another_output_and_the_meter_runs_behind_its_level(self):
        page = self.desk("Pieces")
        page.click("text=Lay out the outputs…")
        page.click("text=One for each piece")
        expect(page.locator(".desk-row.output")).to_have_count(3)
        kick, snare = (page.locator(".desk-row.output").nth(n) for n in (1, 2))
        start, end = kick.locator(".piece-in").bounding_box(), snare.bounding_box()
        page.mouse.move(start["x"] + 5, start["y"] + 5)
        page.mouse.down()
        page.mouse.move(end["x"] + 140, end["y"] + 12, steps=5)
        page.mouse.up()
        expect(snare.locator(".piece-in")).to_have_count(2)
        expect(kick.locator(".goes-in")).to_contain_text("nothing")
        kick.locator("[data-pick]").click()
        page.select_option("#bring-piece", index=1)
        expect(kick.locator(".piece-in")).to_have_count(1)
        page.click("#undo")
        expect(snare.locator(".piece-in")).to_have_count(2)
        page.evaluate(LISTEN, 0.3)
        page.keyboard.press("a")
        expect(snare.locator(".hold")).not_to_have_attribute("x1", "-9")
        expect(self.strip(page, "Master").locator(".hold")).not_to_have_attribute("x1", "-9")
        expect(kick.locator(".hold")).to_have_attribute("x1", "-9")
