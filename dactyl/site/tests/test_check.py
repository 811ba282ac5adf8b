"""The Check view under a hand: the kit is looked at by itself, and what is found is walked, heard, mended and left by keys."""

import re

from playwright.sync_api import expect

from dactyl.checks.tests.test_checks import stroke
from dactyl.site.tests.kit_pages import KitPages
from dactyl.site.tests.served import BEGIN_LISTENING, HEARD


class CheckView(KitPages):
    def test_a_turned_take_is_found_heard_mended_and_left_by_keys(self):
        files = {
            f"Wharf tom {layer} {take}.wav": stroke(level, 10 * layer + take, turned=(layer, take) == (1, 2))
            for layer, level in enumerate((0.2, 1.0))
            for take in range(4)
        }
        page = self.new_kit("Wharf", files, way="layers")
        count = page.locator("#picture-check .check-count")
        expect(count).to_be_visible(timeout=30_000)
        expect(page.locator(".row.has-finding")).to_have_count(1)
        page.click("#picture-check")
        turned = page.locator(".finding", has_text="the other way round")
        expect(turned).to_have_count(1)
        before = page.locator(".finding").count()
        expect(page.locator(".check-mark")).to_have_count(before)
        page.focus("#findings")
        for _ in range(before):
            if turned.get_attribute("aria-selected") == "true":
                break
            page.keyboard.press("ArrowDown")
        expect(turned.locator("svg .own")).to_be_attached()
        expect(turned.locator("svg .fellow")).to_be_attached()
        page.evaluate(BEGIN_LISTENING, [1.2])
        page.keyboard.press("Enter")
        self.assertGreater(page.evaluate(HEARD), 0.01)
        with page.expect_request(re.compile("mend=")):
            page.keyboard.press("t")
        expect(turned.locator("[data-try-it]")).to_have_attribute("aria-pressed", "true")
        with page.expect_request(lambda request: "/playbook/" in request.url and "mend=" not in request.url):
            page.keyboard.press("t")
        page.keyboard.press("m")
        expect(turned).to_have_count(0)
        expect(page.locator("#undo")).to_contain_text("Mended")
        expect(page.locator("#findings")).to_be_focused()
        expect(page.locator("#check-again")).to_be_hidden(timeout=30_000)
        expect(turned).to_have_count(0)
        page.click("#undo")
        expect(turned).to_have_count(1)
        turned.click()
        turned.get_by_role("button", name="Leave it").click()
        expect(turned).to_have_count(0)
        expect(page.locator(".check-left")).to_contain_text("1 left as it is")
        page.reload()
        expect(turned).to_have_count(0)
