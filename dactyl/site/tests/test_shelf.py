"""The first page and the shelf: kits found and heard, samples selected, told what they are, dropped and begun a kit with."""

from base64 import b64encode

from playwright.sync_api import Page, expect

from dactyl.shelf.tests.sounds import hit, sound_bytes
from dactyl.site.tests.served import Workshop, follow

DROP = """([selector, files]) => {  // as a hand drops files from elsewhere
  const held = new DataTransfer();
  for (const [name, text] of files) {
    const content = Uint8Array.from(atob(text), (letter) => letter.charCodeAt(0));
    held.items.add(new File([content], name, { type: "audio/wav" }));
  }
  const over = document.querySelector(selector);
  for (const type of ["dragover", "drop"])
    over.dispatchEvent(new DragEvent(type, { dataTransfer: held, bubbles: true, cancelable: true }));
}"""


class Shelf(Workshop):
    with_demo = True

    def names(self, page: Page) -> list[str]:
        return page.locator("#kit-cards > li:not([hidden]) strong").all_inner_texts()

    def drop(self, page: Page, place: str, files: dict[str, bytes]) -> None:
        page.evaluate(DROP, [place, [[name, b64encode(data).decode()] for name, data in files.items()]])

    def found(self, page: Page, words: str, count: int) -> None:
        page.fill("#shelf-q", words)
        expect(page.locator(".sample")).to_have_count(count)

    def test_kits_are_found_sorted_heard_and_gone_on_with(self):
        page = self.page()
        every = self.names(page)
        page.fill("#kit-words", "house ferry")
        self.assertEqual(self.names(page), ["Ferry House"])
        page.fill("#kit-words", "")
        page.select_option("#kit-sort", "name")
        self.assertEqual(self.names(page), sorted(every, key=str.casefold))
        page.select_option("#kit-sort", "pads")
        filled = [int(text.split()[0]) for text in page.locator(".kit-card small").all_inner_texts()]
        self.assertEqual(filled, sorted(filled, reverse=True))
        page.reload()
        self.assertEqual(page.input_value("#kit-sort"), "pads")
        card = page.locator(".kit-card", has_text="Ferry House")
        card.focus()
        with page.expect_response("**/sound/**") as answer:
            page.keyboard.press("1")
        self.assertTrue(answer.value.ok)
        sample = card.locator("[data-hear]").first.get_attribute("data-hear")
        self.assertIn(f"/samples/{sample}/", answer.value.url)
        follow(page, card.click)
        page.click("#tab-desk")
        page.wait_for_selector("[data-view=desk]")
        was = page.url
        page.goto("/")
        expect(page.locator("#go-on")).to_contain_text("Go on with Ferry House")
        follow(page, lambda: page.click("#go-on a"))
        self.assertEqual(page.url, was)

    def test_samples_are_selected_in_a_row_told_apart_and_begun_a_kit_with(self):
        page = self.page("/shelf/")
        files = {f"Lighter {n}.wav": sound_bytes(hit(-6 - 5 * n, seed=310 + n, seconds=0.2)) for n in range(5)}
        self.drop(page, "#samples", files)
        expect(page.locator("#import")).to_contain_text("5 came in")
        self.found(page, "lighter", 5)
        samples, picked = page.locator(".sample"), page.locator("#picked")
        samples.nth(1).click()
        samples.nth(3).click(modifiers=["Shift"])
        expect(picked).to_have_text("3 selected")
        samples.nth(2).click(modifiers=["Control"])
        expect(picked).to_have_text("2 selected")
        page.keyboard.press("Shift+End")
        page.keyboard.press("Home")
        expect(picked).to_have_text("1 selected")
        page.keyboard.press("Shift+End")
        expect(picked).to_have_text("5 selected")
        page.select_option("#set-kind", "ride")
        expect(page.locator("#status")).to_have_text("5 samples set to ride.")
        page.select_option("#shelf-find select[name=kind]", "ride")
        expect(samples).to_have_count(5)
        follow(page, lambda: page.click("#stack-picked"))  # where no kit is open, a new one is begun
        expect(page.locator(".proposal-head h2")).to_contain_text("5 files on")
        page.click("#apply-proposal")
        expect(page.locator(".row[data-pad]:not(.empty)")).to_have_count(1)

    def test_samples_go_to_a_pad_to_an_empty_cell_and_tracks_to_the_part(self):
        page = self.new_kit("Given")
        files = {f"Given {n}.wav": sound_bytes(hit(-6 - 5 * n, seed=330 + n, seconds=0.2)) for n in range(3)}
        self.drop(page, "body", files)
        expect(page.locator("#import")).to_contain_text("3 came in")
        self.found(page, "given", 3)
        page.locator(".sample").first.click()
        page.keyboard.press("Enter")  # to the pad that is selected: the first
        rows = page.locator(".row[data-pad]")
        expect(rows.first).to_contain_text("1 take")
        page.locator(".sample").nth(1).drag_to(rows.first)
        expect(page.locator("#ask[open]")).to_contain_text("add to them")
        page.locator("#ask button[value=takes]").click()
        expect(page.locator("#card .take")).to_have_count(2)
        page.locator(".sample").nth(2).drag_to(page.locator("#surface .pad").nth(5))
        filled = page.locator(".row[data-pad]:not(.empty)")
        expect(filled).to_have_count(2)
        page.click("#tab-part")
        page.wait_for_selector("[data-view=part]")
        tracks = {f"{name}.wav": sound_bytes(hit(-6, seed=n, seconds=1.0)) for n, name in enumerate(("Kick in", "OH"))}
        self.drop(page, "#view", tracks)  # into a part: a recording of one performance
        page.wait_for_selector("[data-view=recording]")
        page.wait_for_selector("#recording-tracks .track-row")  # it is listened to without being asked
