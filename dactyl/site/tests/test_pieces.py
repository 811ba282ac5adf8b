"""Pieces and kits in the browser: a drum swapped while the part loops, kits flipped, dots set, a piece placed, by hand and keys."""

from playwright.sync_api import Page, expect

from dactyl.site.tests.served import LISTEN, Workshop, follow

PLAYING = "() => window.dactyl.part.isPlaying"
AUDITIONS = "() => window.dactyl.engine.auditioned"
ASKS_FOR_ONE_THAT_IS_GONE = """() => document.body.addEventListener("htmx:configRequest", ({ detail }) => {
  if (detail.path.endsWith("/swap/keep/")) detail.parameters.value = "0.1.";
})"""


class Pieces(Workshop):
    with_demo = True

    def opened(self) -> Page:
        page = self.kit_page("Ferry House")
        page.wait_for_selector("#surface[data-started]")
        page.wait_for_selector("#play:not([disabled])")
        return page

    def test_a_kick_is_thickened_heard_with_its_phase_told_and_kept(self):
        page = self.kit_page("Ferry House")
        page.wait_for_selector("#drums, .row[data-pad]")
        page.locator(".row[data-pad]").first.click()
        page.locator("body").press("h")
        page.wait_for_selector("#drums .drum")
        page.select_option("#swap-how", "with")
        page.locator("#drums").focus()
        page.keyboard.press("ArrowDown")
        expect(page.locator("#thicken-phase")).not_to_be_empty()
        page.fill("#thicken-gain", "-4")
        page.keyboard.press("Tab")
        page.wait_for_function("() => window.dactyl.engine.auditioned.startsWith('with.-4_')")
        page.locator("#drums").focus()
        page.keyboard.press("Enter")
        expect(page.locator("#undo")).to_contain_text("under Kick")
        expect(page.locator(".row[data-pad]").last).to_contain_text("Kick 2")
        page.locator("body").press("Control+z")
        expect(page.locator(".row[data-name='Kick 2']")).to_have_count(0)

    def test_a_snare_is_swapped_in_the_running_part_kept_and_undone(self):
        page = self.opened()
        snare = page.locator(".row[data-pad]", has_text="Snare").first
        version = page.locator("#history").get_attribute("data-version")
        snare.click()
        page.keyboard.press("h")
        page.wait_for_selector("#drums")
        page.go_back()
        expect(page.locator(".sheet")).to_be_visible()
        page.wait_for_selector("#surface[data-started]")
        snare.click()
        before = snare.locator(".c-takes").inner_text()
        page.click("#play")
        page.keyboard.press("h")
        page.wait_for_selector("#drums .drum:nth-child(2)")
        page.keyboard.press("ArrowDown")
        page.wait_for_function(f"() => ({AUDITIONS})()")
        self.assertTrue(page.evaluate(PLAYING))
        self.assertGreater(page.evaluate(LISTEN, [8, 0.05]), 0.05)
        page.keyboard.press("Escape")  # left: nothing was changed, and the kit sounds as it is
        expect(page.locator(".sheet")).to_be_visible()
        self.assertEqual(page.evaluate(AUDITIONS), "")
        self.assertEqual(page.locator("#history").get_attribute("data-version"), version)
        snare.click()
        page.keyboard.press("h")
        page.wait_for_selector("#drums .drum:nth-child(2)")
        for _ in range(2):
            page.keyboard.press("ArrowDown")
        expect(page.locator("#swap-pairs select").first).not_to_have_value("")
        page.keyboard.press("Enter")
        expect(page.locator("#undo")).to_contain_text("in the place of Snare")
        expect(snare.locator(".c-takes")).not_to_have_text(before)
        expect(snare.locator(".c-note input")).to_have_value("D1 · 38")
        page.keyboard.press("Control+z")
        expect(snare.locator(".c-takes")).to_have_text(before, use_inner_text=True)

    def test_a_swap_that_is_refused_is_heard_no_longer_and_a_burst_of_keys_leaves_the_console_silent(self):
        page = self.opened()
        page.locator(".row[data-pad]", has_text="Snare").first.click()
        page.keyboard.press("h")
        page.wait_for_selector("#drums .drum:nth-child(2)")
        for _ in range(2):
            page.keyboard.press("ArrowDown")
        expect(page.locator("#swap-pairs select").first).not_to_have_value("")
        page.wait_for_function(f"() => ({AUDITIONS})()")
        page.evaluate(ASKS_FOR_ONE_THAT_IS_GONE)
        with page.expect_request(lambda asked: "/playbook/" in asked.url and "swap=" not in asked.url):
            page.keyboard.press("Enter")
        expect(page.locator("#status")).to_have_text("This drum is no longer there. Choose another.")
        self.assertEqual(page.evaluate(AUDITIONS), "")
        page.click("#tab-kit")
        page.wait_for_selector(".sheet")
        for key in "asdfjkla" * 6:  # cards that are overtaken by the next one's
            page.keyboard.press(key)
        expect(page.locator("#card [data-pad]").first).to_be_attached()

    def test_kits_are_flipped_through_while_the_part_plays(self):
        page = self.opened()
        version = page.locator("#history").get_attribute("data-version")
        page.click("#picture-sets")
        page.fill("[aria-label='Name of a new set']", "House")
        page.click("text=New set")
        expect(page.locator("[data-set-kit]")).to_have_count(1)  # before it is there, a card pressed begins another set
        for count in (2, 3):
            page.locator(".set-choice").first.click()
            expect(page.locator("[data-set-kit]")).to_have_count(count)
        page.click("#play")
        page.click("#flip-use")
        expect(page.locator("#hearing-says")).to_have_text("1/3 Ferry House")
        own = page.evaluate("() => [...window.dactyl.engine.flipped.pads].length")
        page.keyboard.press("Shift+BracketRight")
        expect(page.locator("#hearing-says")).to_contain_text("2/3")
        self.assertNotEqual(page.evaluate("() => [...window.dactyl.engine.flipped.pads].length"), own)
        self.assertGreater(page.evaluate(LISTEN, [8, 0.02]), 0.02, "the other kit is heard")
        self.assertTrue(page.evaluate(PLAYING), "flipping does not stop the part")
        page.click("#tab-map")
        page.wait_for_selector("#map")
        page.keyboard.press("Shift+BracketLeft")
        expect(page.locator("#hearing-says")).to_contain_text("1/3")
        page.click("#flip-end")
        expect(page.locator("#hearing")).to_be_hidden()
        self.assertEqual(
            page.locator("#history").get_attribute("data-version"), version, "nothing is changed by flipping"
        )

    def test_dots_are_set_by_pointer_and_keys_and_a_piece_is_placed(self):
        page = self.opened()
        page.click("#picture-cuts")
        box = page.locator(".matrix-svg").bounding_box()
        page.mouse.click(box["x"] + 26 * 3.5, box["y"] + 26 * 0.5)  # the kick cuts the side stick
        expect(page.locator("#undo")).to_contain_text("Kick cuts Snare side stick")
        expect(page.locator(".cut.mute")).to_have_count(1)
        page.locator("#matrix").focus()
        page.keyboard.press("Enter")
        expect(page.locator(".cut.mute")).to_have_count(0)
        page.check("[value=link]")
        page.mouse.move(box["x"] + 26 * 1.5, box["y"] + 26 * 0.5)
        page.mouse.down()
        page.mouse.move(box["x"] + 26 * 1.5, box["y"] + 26 * 0.5 - 45, steps=3)
        page.mouse.up()
        expect(page.locator("[data-link-at]")).to_have_value("0.80")
        page.locator("#matrix-rows li", has_text="Crash edge").drag_to(page.locator("#matrix-rows li", has_text="Kick"))
        expect(page.locator("#undo")).to_contain_text("Kick sounds along with Crash edge")
        expect(page.locator(".matrix-links path:not(.drawn)")).to_have_count(2)
        page.click("#undo")
        expect(page.locator(".matrix-links path:not(.drawn)")).to_have_count(1)
        page.click("#picture-plan")
        expect(page.locator("#plan-svg .link")).to_have_count(1)
        page.evaluate("() => { window.struck = []; window.dactyl.input.addEventListener('hit', ({ detail }) => window.struck.push(detail.pads[0])); }")  # fmt: skip
        ride = page.locator("#plan-svg .piece", has_text="Ride")
        place = ride.locator(".body").bounding_box()
        page.mouse.click(place["x"] + place["width"] / 2, place["y"] + place["height"] / 2)
        page.mouse.click(place["x"] + place["width"] / 2, place["y"] + 6)
        pads = [int(pad) for pad in ride.get_attribute("data-pads").split(",")]
        self.assertEqual(page.evaluate("() => window.struck"), pads, "the bell in the middle, the bow towards the rim")
        page.check("#plan-arrange")
        ride.focus()
        page.keyboard.press("Shift+ArrowLeft")
        expect(page.locator("#undo")).to_contain_text("Ride placed, pan")
        page.select_option("#plan-side", "audience")
        ride.focus()
        before = float(ride.get_attribute("data-x"))
        page.keyboard.press("ArrowRight")
        expect(ride).to_have_attribute("data-x", f"{before - 2:.1f}")

    def test_pads_copied_in_one_kit_are_brought_to_another(self):
        page = self.opened()
        page.locator(".row[data-pad]", has_text="centre").click()
        page.keyboard.press("Shift+ArrowDown")
        page.keyboard.press("Control+c")
        page.goto("/")
        follow(page, lambda: page.click("text=Engine Deck"))
        page.wait_for_selector("#surface[data-started]")
        rows = page.locator(".row[data-pad]").count()
        page.keyboard.press("Control+v")
        expect(page.locator("#undo")).to_contain_text("Snare of Ferry House added")
        expect(page.locator(".row[data-pad]")).to_have_count(rows + 2)
        page.keyboard.press("Control+z")
        expect(page.locator(".row[data-pad]")).to_have_count(rows)
