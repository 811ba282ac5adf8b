"""A kit alongside another in the browser: heard at once with the pads that are played, as loud and on the channels that are set."""

import re

from playwright.sync_api import Locator, Page, expect

from dactyl.shelf.tests.sounds import hit, sound_bytes
from dactyl.site.tests.kit_pages import KitPages
from dactyl.site.tests.served import BEGIN_LISTENING, HEARD


class AlongsideView(KitPages):
    def peak(self, page: Page) -> float:
        """Of one strike."""
        self.settle(page)
        page.evaluate(BEGIN_LISTENING, [0.6])
        page.locator("#surface .pad").first.click()
        return page.evaluate(HEARD)

    def with_a_part(self, page: Page) -> None:
        page.click("#tab-part")
        page.wait_for_selector("[data-view=part]")
        if page.locator(".new-part-name").is_visible():
            page.fill(".new-part-name", "Slipway")
            page.click(".new-part button")
        page.wait_for_selector("#alongside-menu")

    def set_to(self, page: Page, what: str, value: str) -> None:
        if page.locator("#alongside").get_attribute("open") is None:
            page.click("#alongside-menu")
        with page.expect_response(re.compile("/playbook/")):
            field = page.locator(f"[id^='alongside-{what}-']")
            field.fill(value)
            field.press("Tab")
        page.wait_for_timeout(200)  # for the audio thread

    def test_it_is_heard_at_once_softer_later_on_its_channels_and_no_more(self):
        self.new_kit("Loud lower", {"Loud snare.wav": sound_bytes(hit(-6, seed=11, seconds=0.2))})
        page = self.new_kit("Soft upper", {"Soft snare.wav": sound_bytes(hit(-46, seed=12, seconds=0.2))})
        self.heard_softly(page)
        self.with_a_part(page)
        page.wait_for_selector("#alongside-menu")
        alone = self.peak(page)
        self.assertLess(alone, 0.02)
        page.click("#alongside-menu")
        page.select_option("#alongside-other", label="Loud lower")
        with page.expect_response(re.compile("/playbook/")):
            page.click("text=Add alongside")
        expect(page.locator("#alongside-menu .alongside-count")).to_have_text("1")
        loud = max(self.peak(page) for _ in range(3))  # once its sounds are here
        self.assertGreater(loud, 0.1)
        self.set_to(page, "gain", "-12")
        self.heard_in_time(page, 10 ** (-12 / 20) * loud, within=0.03 * loud)
        self.set_to(page, "channels", "11")
        self.heard_in_time(page, alone, within=0.01)  # what is played by hand is on the first channel
        self.set_to(page, "channels", "")
        self.heard_in_time(page, 10 ** (-12 / 20) * loud, within=0.06 * loud)
        page.click("#alongside-menu")
        with page.expect_response(re.compile("/playbook/")):
            page.get_by_role("button", name="no longer alongside").click()
        self.heard_in_time(page, alone, within=0.01)
        expect(page.locator("#alongside-menu .alongside-count")).to_be_hidden()

    def test_it_is_kept_as_a_lineup_that_opens_like_a_kit(self):
        self.new_kit("Found metal", {"Metal snare.wav": sound_bytes(hit(-6, seed=11, seconds=0.2))})
        page = self.new_kit("Quay drums", {"Soft snare.wav": sound_bytes(hit(-26, seed=12, seconds=0.2))})
        self.with_a_part(page)
        page.click("#alongside-menu")
        page.select_option("#alongside-other", label="Found metal")
        with page.expect_response(re.compile("/playbook/")):
            page.click("text=Add alongside")
        page.click("text=Links between kits")
        with page.expect_response(re.compile("/playbook/")):
            page.click(".crossing >> text=Link >> nth=-1")
        expect(page.locator(".crossing li")).to_have_count(1)
        with page.expect_navigation():
            page.click("text=Keep as a lineup")
        expect(page.locator(".member-sheet summary")).to_have_text(
            [re.compile("Quay drums"), re.compile("Found metal")]
        )
        both = max(self.peak(page) for _ in range(3))
        self.assertGreater(both, 0.1)
        page.locator("[data-solo-kit]").first.click()
        page.wait_for_timeout(200)
        self.assertLess(self.peak(page), both / 4, "the first kit alone, which is 20 dB softer")
        page.locator("[data-solo-kit]").first.click()
        self.settle(page)
        page.evaluate(BEGIN_LISTENING, [0.6])
        page.locator("[data-strike]").last.dispatch_event("pointerdown")
        self.assertGreater(page.evaluate(HEARD), 0.1, "a pad of the other kit by itself")
        page.click("#tab-desk")
        self.turned_down(page, page.locator("svg[id^='level-alongside']").last)
        self.heard_in_time(page, 10 ** (-12 / 20) * both, within=0.08 * both)
        softer = max(self.peak(page) for _ in range(2))
        self.turned_down(page, page.locator("svg[id^='level-master']"))
        self.heard_in_time(page, 10 ** (-12 / 20) * softer, within=0.08 * softer)
        self.turned_up_again(page)
        softer = max(self.peak(page) for _ in range(2))
        self.both_on_one_handle(page, softer)
        page.click("#tab-part")
        expect(page.locator(".part-lane .also")).to_have_text("+1")
        expect(page.locator(".part-lane .kit-of-lanes")).to_have_text(["Quay drums"])

    def turned_up_again(self, page: Page) -> None:
        """Undo of the master: it was told once for each rest of the hand."""
        for _ in range(4):
            if page.locator("svg[id^='level-master']").get_attribute("aria-valuenow") == "0.0":
                return
            with page.expect_response(re.compile("/undo/")):
                page.click("#undo")
            page.wait_for_timeout(200)

    def both_on_one_handle(self, page: Page, loud: float) -> None:
        """The outputs of two kits in a group: one level, one solo, one undo."""
        channels = page.locator(".desk-row.output")
        expect(channels).to_have_count(2)
        channels.first.locator("[data-pick]").click()
        channels.last.locator("[data-pick]").click(modifiers=["Control"])
        page.click("#group-outputs")
        expect(page.locator(".desk-row.group")).to_have_count(1)
        page.keyboard.type("Snares")  # its name is under the cursor
        page.keyboard.press("Enter")
        expect(page.locator(".desk-row.group .strip-name")).to_have_text("Snares")
        expect(page.locator(".desk-row.output .strip-name small")).to_have_text(["Quay drums", "Found metal"])
        self.turned_down(page, page.locator("svg[id^='level-group']"))
        self.heard_in_time(page, 10 ** (-12 / 20) * loud, within=0.08 * loud)
        page.locator(".desk-row.output").last.locator("[data-mute]").click()
        self.heard_in_time(page, 0.0, within=0.4 * 10 ** (-12 / 20) * loud)  # the other kit alone is softer
        with page.expect_response(re.compile("/undo/")):
            page.click("#undo")
        self.heard_in_time(page, 10 ** (-12 / 20) * loud, within=0.08 * loud)

    def heard_in_time(self, page: Page, peak: float, *, within: float) -> None:
        """It is so loud, once the tables of the last edit have come."""
        for _ in range(10):
            heard = self.peak(page)
            if abs(heard - peak) <= within:
                return
        self.assertAlmostEqual(heard, peak, delta=within)

    def turned_down(self, page: Page, level: Locator) -> None:
        """By 12 dB, in steps; a slow hand is told on the way."""
        level.focus()
        for _ in range(2):
            for _ in range(12):
                page.keyboard.press("ArrowLeft")
            page.wait_for_timeout(400)
        expect(level).to_have_attribute("aria-valuenow", "-12.0")

    def heard_softly(self, page: Page) -> None:
        for _ in range(10):
            page.evaluate(BEGIN_LISTENING, [0.5, 0.001])
            page.locator("#surface .pad").first.click()
            if page.evaluate(HEARD) > 0.001:
                return
        self.fail("It is never heard.")
