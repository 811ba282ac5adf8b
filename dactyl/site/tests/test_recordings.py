"""A recording mended in the browser: heard beside the kit, thresholds and hits by hand and by keyboard, made a part."""

import re

from playwright.sync_api import Page, expect

from dactyl.site.tests.served import LISTEN, PLAYED, Workshop, drag

EDITOR = "window.dactyl.recording.current"
FADER = "(value) => { const fader = document.getElementById('beside'); fader.value = value; fader.dispatchEvent(new Event('input')); }"
TAP = f"() => {{ document.getElementById('tap-beat').click(); return {EDITOR}.playhead; }}"
PLACE = f"""(row) => {{
  const {{ view, model }} = {EDITOR};
  const box = document.getElementById("recording-canvas").getBoundingClientRect();
  const taken = model.taken(model.tracks[row].id);
  return {{ x: box.x, y: box.y, foot: view.foot(row), height: view.rowHeight, hits: taken.map(({{ time }}) => view.x(time)), count: taken.length }};
}}"""


class Recordings(Workshop):
    about_seconds = 45.0
    with_demo = True

    def opened(self) -> Page:
        page = self.kit_page("Ferry House", "/parts/of/{}/")
        page.click("#parts-menu")
        page.click(".recordings-listed a")
        page.wait_for_function(f"() => {EDITOR}?.model.about")
        page.wait_for_function(f"() => {EDITOR}.model.tracks.length === 7")
        return page

    def taken(self, page: Page, count: int) -> list[float]:
        """When the hits of the chosen track are, in seconds, once there are ``count``."""
        taken = f"{EDITOR}.model.taken({EDITOR}.track.id)"
        page.wait_for_function(f"(count) => {taken}.length === count", arg=count)
        return page.evaluate(f"() => {taken}.map(({{ time }}) => time)")

    def test_hits_are_put_held_and_left_out_by_the_pointer_and_a_track_by_its_card(self):
        page = self.opened()
        row = 1
        page.evaluate(f"(row) => {EDITOR}.choose(row)", row)
        at = page.evaluate(PLACE, row)
        times = self.taken(page, at["count"])
        y = at["y"] + at["foot"] - at["height"] / 2
        x = at["x"] + at["hits"][0]
        drag(page, (x, y), (x - 10, y), "Alt")  # freely, not to a rise
        expect(page.locator("#recording-undo")).to_contain_text("moved by")
        moved = self.taken(page, at["count"])
        scale = page.evaluate(f"() => {EDITOR}.view.secondsPerPixel")
        self.assertAlmostEqual(times[0] - moved[0], 10 * scale, delta=2 * scale)
        page.fill("#hit-velocity", "33")
        page.press("#hit-velocity", "Enter")
        expect(page.locator("#recording-undo")).to_contain_text("at velocity 33")
        page.fill("#hit-time", f"{1000 * times[0]:.2f}")
        page.press("#hit-time", "Enter")
        page.wait_for_function(
            f"(time) => Math.abs({EDITOR}.model.taken({EDITOR}.track.id)[0].time - time) < 1e-4", arg=times[0]
        )
        page.click("#hit-take")
        self.taken(page, at["count"] - 1)
        page.click("#hit-take")
        self.taken(page, at["count"])
        gap = max(range(1, at["count"]), key=lambda n: at["hits"][n] - at["hits"][n - 1])
        middle = at["x"] + (at["hits"][gap] + at["hits"][gap - 1]) / 2
        page.keyboard.down("Alt")
        page.mouse.click(middle, y)
        page.keyboard.up("Alt")
        self.taken(page, at["count"] + 1)
        page.click("#recording-undo")
        self.assertAlmostEqual(
            self.taken(page, at["count"])[0], times[0], delta=1e-5
        )  # where it was put, as it was typed

        page.fill("#track-same", "77")
        page.press("#track-same", "Enter")
        page.wait_for_function(f"() => {EDITOR}.model.taken({EDITOR}.track.id).every(({{ velocity }}) => velocity === 77)")  # fmt: skip
        page.fill("#track-same", "")
        page.press("#track-same", "Enter")
        page.wait_for_function(f"() => !{EDITOR}.model.taken({EDITOR}.track.id).every(({{ velocity }}) => velocity === 77)")  # fmt: skip
        box = page.locator("#track-histogram").bounding_box()
        hard = page.input_value("#track-hard")
        hard_at, y = box["x"] + box["width"] * 0.9, box["y"] + 10
        drag(page, (hard_at, y), (hard_at - 0.3 * box["width"], y))
        expect(page.locator("#track-hard")).not_to_have_value(hard)
        page.locator("#recording-canvas").focus()
        softest = page.input_value("#track-softest")
        page.keyboard.press(".")
        expect(page.locator("#track-softest")).not_to_have_value(softest)
        for key, words in (("s", "solo"), ("m", "mute")):
            page.keyboard.press(key)
            expect(page.locator(f"[data-track-row='{row}'] [data-listen={words}]")).to_have_attribute("aria-pressed", "true")  # fmt: skip
        page.keyboard.press("ArrowDown")
        self.assertEqual(page.evaluate(f"() => {EDITOR}.chosen"), row + 1)

    def test_bars_are_tapped_dragged_and_taken_away(self):
        page = self.opened()
        page.click("#bars-menu")
        page.click("#no-bars")  # those of another test
        page.wait_for_function(f"() => !{EDITOR}.model.about.lines.length")
        page.keyboard.press("Escape")
        expect(page.locator("#bars-offer-says")).to_contain_text(re.compile(r"98\.\d a minute, bars of 4 \(sure\)"))
        expect(page.locator("#bars-mark")).to_contain_text("98.")
        bar = page.locator(".recording-editor .part-bar")
        self.assertLess(bar.bounding_box()["height"], 48, "one row")
        page.set_viewport_size({"width": 1024, "height": 800})
        self.assertLess(bar.bounding_box()["height"], 48, "one row in a small window")
        page.set_viewport_size({"width": 1280, "height": 800})
        page.click("#bars-menu")
        page.click("#take-bars")
        page.keyboard.press("Escape")
        page.wait_for_function(f"() => {EDITOR}.model.about.lines.length > 12")
        expect(page.locator("#bars-offer")).to_be_hidden()
        page.click("#recording-undo")
        page.wait_for_function(f"() => !{EDITOR}.model.about.lines.length")
        page.click("#bars-menu")
        page.click("#tap-beat")
        expect(page.locator("#status")).to_contain_text("Press Play, then tap")
        page.click("#play")
        page.wait_for_function(f"() => {EDITOR}.playhead > 1")
        tapped = []
        for _ in range(9):
            page.wait_for_function(f"(after) => {EDITOR}.playhead > after", arg=(tapped or [1])[-1] + 0.3)
            tapped.append(page.evaluate(TAP))
        page.click("#set-bars")
        page.wait_for_function(f"() => {EDITOR}.model.about.lines.length > 5")
        lines = page.evaluate(f"() => {EDITOR}.model.about.lines")
        for tap in tapped[::4]:  # the first beat of each bar, or the hit that is near
            self.assertLess(min(abs(line - tap) for line in lines), 0.15)
        behind = next(n for n, line in enumerate(lines) if line > tapped[8] + 0.3)
        page.click("#play")
        page.locator("#recording-canvas").focus()
        page.keyboard.press("0")
        canvas = page.locator("#recording-canvas").bounding_box()
        place = page.evaluate(f"() => {EDITOR}.view.x({EDITOR}.model.about.lines[{behind}])")
        left, bars, ruler = canvas["x"], canvas["y"] + 6, canvas["y"] + 30
        drag(page, (left + place, bars), (left + place + 12, bars))
        page.wait_for_function(f"(line) => !{EDITOR}.model.about.lines.includes(line)", arg=lines[behind])
        moved = page.evaluate(f"() => {EDITOR}.model.about.lines")
        self.assertLess(min(abs(line - tapped[4]) for line in moved), 0.15, "what was set stays")
        drag(page, (left + 100, ruler), (left + 300, ruler))
        start, end = page.evaluate(f"() => {EDITOR}.range")
        self.assertAlmostEqual(end - start, 200 * page.evaluate(f"() => {EDITOR}.view.secondsPerPixel"), delta=0.2)
        page.mouse.click(left + 500, ruler)
        self.assertEqual(page.evaluate(f"() => {EDITOR}.range"), [0, 0])
        page.click("#bars-menu")
        page.click("#no-bars")
        page.wait_for_function(f"() => !{EDITOR}.model.about.lines.length")

    def test_a_recording_is_walked_and_mended_by_keys(self):
        page = self.opened()
        keys, says = page.keyboard, page.locator("#recording-cursor")
        page.focus("#recording-canvas")
        keys.press("ArrowDown")
        row = page.evaluate(f"() => {EDITOR}.chosen")
        count = page.evaluate(PLACE, row)["count"]
        times = self.taken(page, count)
        expect(says).to_contain_text(f", {count} hits")
        keys.press("ArrowRight")
        expect(says).to_contain_text(f"{times[0]:.3f} seconds")
        keys.press("ArrowRight")
        expect(says).to_contain_text(f"{times[1]:.3f} seconds")
        keys.press("ArrowLeft")
        keys.press("Shift+ArrowRight")
        expect(page.locator("#recording-undo")).to_contain_text("moved by")
        self.assertAlmostEqual(self.taken(page, count)[0], times[0] + 0.001, places=5)
        keys.press("Control+z")
        page.wait_for_function(
            f"(time) => Math.abs({EDITOR}.model.taken({EDITOR}.track.id)[0].time - time) < 1e-6", arg=times[0]
        )
        keys.press("Delete")
        self.assertEqual(self.taken(page, count - 1)[0], times[1])
        keys.press("Enter")  # it is still selected
        self.taken(page, count)
        keys.press("Control+ArrowRight")
        cursor = page.evaluate(f"() => {EDITOR}.cursor")
        keys.press("Control+ArrowRight")
        self.assertAlmostEqual(page.evaluate(f"() => {EDITOR}.cursor"), cursor + 0.02)
        keys.press("i")
        put = self.taken(page, count + 1)
        keys.press("Control+z")
        self.assertEqual(self.taken(page, count), times)
        self.assertLess(min(abs(time - cursor - 0.02) for time in put), 0.1)
        scale = f"() => {EDITOR}.view.secondsPerPixel"
        seen = page.evaluate(scale)
        for key, factor in (("Equal", 1 / 1.6), ("Equal", 1 / 1.6**2), ("Minus", 1 / 1.6)):
            keys.press(key)
            self.assertAlmostEqual(page.evaluate(scale) / seen, factor, places=3)
        keys.press("0")
        self.assertGreater(page.evaluate(scale), seen, "all of it")
        softest = f"() => {EDITOR}.track.softest"
        before = page.evaluate(softest)
        keys.press(".")
        page.wait_for_function(f"(before) => {EDITOR}.track.softest === Math.max(-65, (before ?? -66) + 1)", arg=before)
        self.assertLessEqual(len(page.evaluate(f"() => {EDITOR}.model.taken({EDITOR}.track.id)")), count)

    def test_a_pad_is_compared_with_its_track_and_given_what_was_measured(self):
        page = self.opened()
        page.wait_for_selector("#recording-tracks .track-row")
        page.evaluate(f"() => {EDITOR}.choose(1)")
        page.click("#match")
        rows = page.locator("#matches li")
        expect(rows.first).to_be_visible()
        level = rows.filter(has_text="level").first
        words = level.inner_text()
        level.locator("button").click()
        expect(page.locator("#undo")).to_contain_text("Level of")
        expect(rows.filter(has_text="level").first).not_to_have_text(words)
        page.select_option("#track-pad", "0")
        page.click("#match")
        expect(page.locator("#match-says")).to_contain_text("goes to no pad. Choose one first")
        expect(rows).to_have_count(0)

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
        page.wait_for_function(f"() => {EDITOR}.playhead > 1.5")  # before its first stroke
        self.assertGreater(page.evaluate(LISTEN, [8, 0.1]), 0.1, "the recording alone")
        page.evaluate(FADER, "0")
        self.assertGreater(page.evaluate(LISTEN, [8, 0.02]), 0.02, "the kit alone, with what was found")
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

        page.click("#bars-menu")
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
        page.locator("#hit-card summary", has_text="Part").click()
        page.fill("#recording-zero", "250")
        page.press("#recording-zero", "Enter")
        page.wait_for_function("() => window.dactyl.editor.current.under.zero === 0.25")
        page.click("#recording-zero-here")
        expect(page.locator("#status")).to_contain_text("Select the hit first")
        page.fill("#recording-zero", "0")
        page.press("#recording-zero", "Enter")
        page.wait_for_function("() => window.dactyl.editor.current.under.zero === 0")
        page.click("#play")
        page.wait_for_function(PLAYED, arg=2.6)
        self.assertGreater(page.evaluate(LISTEN, [8, 0.1]), 0.1, "the recording stands beside the part")
