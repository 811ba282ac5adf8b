"""A recording mended in the browser: heard beside the kit, thresholds and hits by hand and by keyboard, made a part."""

from playwright.sync_api import Page, expect

from dactyl.site.tests.served import LISTEN, Workshop

EDITOR = "window.dactyl.recording.current"
FADER = "(value) => { const fader = document.getElementById('beside'); fader.value = value; fader.dispatchEvent(new Event('input')); }"
PLACE = f"""(row) => {{
  const {{ view, model }} = {EDITOR};
  const box = document.getElementById("recording-canvas").getBoundingClientRect();
  const taken = model.taken(model.tracks[row].id);
  return {{ x: box.x, y: box.y, foot: view.foot(row), height: view.rowHeight, hits: taken.map(({{ time }}) => view.x(time)), count: taken.length }};
}}"""


class Recordings(Workshop):
    with_demo = True

    def opened(self) -> Page:
        page = self.page("/")
        page.click("text=Ferry House")
        page.click("#tab-part")
        page.click("#parts-menu")
        page.click(".recordings-listed a")
        page.wait_for_function(f"() => {EDITOR}?.model.about")
        page.wait_for_function(f"() => {EDITOR}.model.tracks.length === 7")
        return page

    def test_what_is_no_recording_is_said(self):
        page = self.opened()
        page.click("#tab-kit")
        page.click("#tab-part")
        page.click("#parts-menu")
        bad = {"name": "Snare.wav", "mimeType": "audio/wav", "buffer": b"RIFF nothing"}
        page.set_input_files("#track-files", bad)
        expect(page.locator("#status")).to_contain_text("Snare.wav: It is not a sound file")

    def test_a_recording_is_heard_beside_the_kit_mended_and_made_a_part(self):
        page = self.opened()
        page.wait_for_selector("#play:not([disabled])")
        page.click("#play")
        page.evaluate(FADER, "100")
        page.wait_for_timeout(1500)  # of the song, before its first stroke
        self.assertGreater(page.evaluate(LISTEN, 1.0), 0.1, "the recording alone")
        page.evaluate(FADER, "0")
        self.assertGreater(page.evaluate(LISTEN, 1.0), 0.02, "the kit alone, with what was found")
        page.click("#play")
        page.wait_for_function("() => !window.dactyl.part.isPlaying")

        at = page.evaluate(PLACE, 1)  # the snare's threshold, by hand: answered before it is sent
        page.mouse.move(at["x"] + 30, at["y"] + at["foot"] - 8)
        page.mouse.down()
        page.mouse.move(at["x"] + 30, at["y"] + at["foot"] - at["height"] * 0.75, steps=4)
        self.assertLess(page.evaluate(PLACE, 1)["count"], at["count"])
        page.mouse.up()
        expect(page.locator("#track-softest")).not_to_have_value("")
        page.keyboard.press("Control+z")
        expect(page.locator("#track-softest")).to_have_value("")
        self.assertEqual(page.evaluate(PLACE, 1)["count"], at["count"])

        page.locator("#recording-canvas").focus()
        page.keyboard.press("u")  # unsure ones, one after another, each in a loop and alone
        page.wait_for_function(f"() => {EDITOR}.isLooping && window.dactyl.part.isPlaying")
        unsure = page.evaluate(f"() => {EDITOR}.model.unsure().length")
        page.locator("#recording-canvas").focus()
        page.keyboard.press("Enter")
        page.wait_for_function(f"(count) => {EDITOR}.model.unsure().length === count - 1", arg=unsure)
        page.keyboard.press("Escape")
        page.wait_for_function("() => !window.dactyl.part.isPlaying")

        page.evaluate(f"() => {{ {EDITOR}.choose(1); {EDITOR}.model.select(null); {EDITOR}.cursor = 2; }}")
        page.keyboard.press("ArrowRight")
        page.keyboard.press("f")
        page.wait_for_function(f"(count) => {EDITOR}.model.taken({EDITOR}.track.id).length === count + 1", arg=at["count"])  # fmt: skip
        page.keyboard.press("ArrowRight")
        page.keyboard.press("Delete")
        page.wait_for_function(f"(count) => {EDITOR}.model.taken({EDITOR}.track.id).length === count", arg=at["count"])

        page.click("text=Bars ▾")
        for time in (1.4, 3.85):
            page.evaluate(f"(time) => {{ {EDITOR}.model.select(null); {EDITOR}.cursor = time; }}", time)
            page.click("#downbeat")
        page.wait_for_function(f"() => {EDITOR}.model.about.lines.length > 10")
        hits = page.evaluate(f"() => {EDITOR}.model.tracks.flatMap(({{ id, pad }}) => pad ? {EDITOR}.model.taken(id) : []).length")  # fmt: skip
        page.click("text=Make a part")
        page.wait_for_function(
            "() => window.dactyl.editor.current?.model.about?.name.startsWith('Harbour Bell, second')"
        )
        self.assertEqual(page.evaluate("() => window.dactyl.editor.current.model.hits.length"), hits)
        expect(page.locator("#beside-part")).to_be_visible()
        page.evaluate(FADER, "100")
        page.click("#play")
        page.wait_for_timeout(2600)
        self.assertGreater(page.evaluate(LISTEN, 1.0), 0.1, "the recording stands beside the part")
