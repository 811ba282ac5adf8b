"""The sheet in the browser: samples, loops and packages on it, its notes, every way to play, and all of it by keyboard."""

import re

import numpy as np
from playwright.sync_api import Page, expect

from dactyl.shelf.tests.sounds import hit, sound_bytes
from dactyl.site.tests.kit_pages import KitPages
from dactyl.site.tests.served import BEGIN_LISTENING, HEARD, LISTEN, SLOW_ANSWERS, follow

DEVICE = """() => {
  window.device = { name: "Two by eight", state: "connected", onmidimessage: null };
  navigator.requestMIDIAccess = async () => {
    if (window.midiRefused) throw new DOMException("no", "NotAllowedError");
    return { inputs: new Map([["1", window.device]]), onstatechange: null };
  };
}"""


def loop(beats: int = 8, beat_frames: int = 12_000) -> bytes:
    sound = np.concatenate([hit(-6 if n % 2 else -3, seed=500 + n, seconds=beat_frames / 48_000) for n in range(beats)])
    return sound_bytes(sound)


class Sheet(KitPages):
    about_seconds = 55.0

    def test_samples_are_put_away_brought_back_and_deleted_by_keyboard(self):
        page = self.new_kit("Tidied")
        self.bring_in(page, {f"Tidy {n}.wav": sound_bytes(hit(-6, seed=200 + n)) for n in range(3)})
        page.click("[data-pick-import]")
        expect(page.locator("#picked")).to_have_text("3 selected")
        page.keyboard.press("Delete")
        expect(page.locator("#status")).to_contain_text("3 samples put away")
        page.fill("#shelf-q", "tidy")
        expect(page.locator(".sample")).to_have_count(0)
        page.select_option("#shelf-which", "away")
        expect(page.locator(".sample")).to_have_count(3)
        page.locator("#samples").focus()
        page.keyboard.press("ArrowDown")
        page.keyboard.press("Delete")
        expect(page.locator("#status")).to_contain_text("1 sample back")
        expect(page.locator(".sample")).to_have_count(2)
        page.keyboard.press("Control+a")
        page.click("#delete-picked")
        expect(page.locator("#status")).to_contain_text("2 samples deleted")
        page.select_option("#shelf-which", "")
        expect(page.locator(".sample")).to_have_count(1)
        page.goto("/shelf/")  # where no kit is open, a new one is begun
        page.locator(".sample", has_text="Tidy").click()
        page.click("#stack-picked")
        expect(page.locator(".proposal-head h2")).to_have_text("1 file on 1 pad")

    def test_samples_are_tried_in_place_kept_or_given_back(self):
        loud = {"loud one.wav": sound_bytes(hit(-0.5, seed=81)), "loud two.wav": sound_bytes(hit(-0.7, seed=82))}
        self.server.bring_in(loud)
        page = self.layered("Trying", 1)
        page.click("#shelf-edge")
        name = page.locator("#one-take h3")
        before = name.inner_text()
        page.fill("#shelf-q", "loud")
        expect(page.locator(".sample")).to_have_text([re.compile("loud"), re.compile("loud")])
        page.click("[data-try]")
        page.evaluate(BEGIN_LISTENING, [15, 0.3])
        page.keyboard.press("ArrowDown")
        self.assertGreater(page.evaluate(HEARD), 0.3, "the shelf is heard through the take")
        page.keyboard.press("Escape")
        expect(page.locator("#status")).to_have_text("Given back.")
        self.assertEqual(name.inner_text(), before)
        page.click("[data-try]")
        page.keyboard.press("ArrowDown")
        page.wait_for_function("() => window.dactyl.engine.auditioned")
        page.keyboard.press("Enter")
        expect(name).to_contain_text("loud")
        page.click("#undo")
        expect(name).to_have_text(before)

    def test_a_loop_is_cut_over_pads_where_its_transients_are(self):
        page = self.new_kit("Loop")
        self.bring_in(page, {"Quay break.wav": loop()})
        page.locator(".sample", has_text="Quay break").click()
        page.keyboard.press("Enter")
        page.click("#to-cut")
        expect(page.locator("#cut-pieces")).to_have_text("8")
        starts = [int(text) for text in page.locator("#cut-starts").input_value().split(",")]
        for number, start in enumerate(starts):
            self.assertAlmostEqual(start, 12_000 * number, delta=48)
        page.locator("#cut-canvas").focus()
        self.settle(page)
        self.heard_at_last(page, lambda: page.keyboard.press("ArrowRight"))  # each piece as it is chosen
        page.keyboard.press("Delete")
        expect(page.locator("#cut-pieces")).to_have_text("7")
        page.locator("text=by a grid of").click()
        expect(page.locator("#ask input[value=grid]")).to_have_attribute("checked", "")  # as the answer draws it
        page.fill("#cut-count", "4")
        page.press("#cut-count", "Tab")
        expect(page.locator("#cut-pieces")).to_have_text("4")
        page.click("#cut-now")
        expect(page.locator(".row.empty")).to_have_count(12)
        expect(self.rows(page).first).to_contain_text("01 Quay break")
        page.click("#undo")
        expect(page.locator(".row.empty")).to_have_count(16)

    def test_a_long_sheet_is_made_low_walked_by_name_and_taken_back_to_an_earlier_day(self):
        page = self.layered("Long")
        page.click("text=+ 8 pads")
        expect(self.rows(page)).to_have_count(24)
        page.click("#density")
        self.assertEqual(self.rows(page).first.evaluate("(row) => row.offsetHeight"), 24)
        page.reload()
        expect(page.locator("#density")).to_have_attribute("aria-pressed", "true")
        self.rows(page).first.focus()
        page.keyboard.press("g")
        expect(page.locator("#jump")).to_be_focused()
        page.select_option("#jump", label="Pad 20")
        expect(self.rows(page).nth(19)).to_be_focused()
        expect(self.rows(page).nth(19)).to_have_attribute("aria-selected", "true")
        page.click("#changes")
        changes = page.locator(".changes-list li")
        expect(changes).to_have_count(2)
        changes.last.locator("button").click()
        expect(page.locator("#status")).to_contain_text("2 changes undone")
        expect(page.locator(".changes-list li.undone")).to_have_count(2)
        changes.last.locator("button").click()
        expect(page.locator(".changes-list li.undone")).to_have_count(1)
        page.click("#tab-kit")
        expect(self.rows(page)).to_have_count(16)
        expect(self.rows(page).first).to_contain_text("3 layers")

    def test_a_kit_package_opens_elsewhere_as_it_was(self):
        page = self.layered("Packed")
        choke = self.rows(page).first.locator(".choke")
        choke.fill("q")
        choke.press("Tab")
        expect(page.locator("#undo")).to_contain_text("choke group Q")
        page.click("#tab-desk")
        page.click("text=Kit package…")
        with page.expect_download() as download:
            page.click("#get-package")
        package = download.value.path().read_bytes()
        other = self.page()
        other.set_input_files("#kit-file", {"name": "Packed.zip", "mimeType": "application/zip", "buffer": package})
        follow(other, lambda: other.click("#opened a"))
        expect(self.rows(other).first.locator(".choke")).to_have_value("Q")
        expect(other.locator("#card .layers > li")).to_have_count(3)
        self.assertEqual(
            self.rows(other).first.locator(".c-steps path").first.get_attribute("d"), first_step(self, page)
        )
        other.goto("/")
        other.set_input_files("#kit-file", {"name": "none.zip", "mimeType": "application/zip", "buffer": b"not a zip"})
        expect(other.locator("#opened")).to_contain_text("none.zip")

    def test_every_way_to_play_goes_the_same_way(self):
        files = {"Ways kick.wav": sound_bytes(hit(-6, seed=61)), "Ways snare.wav": sound_bytes(hit(-6, seed=62))}
        page = self.new_kit("Ways", files, script=f"({DEVICE})()")
        pad = page.locator("#surface .pad").first
        self.heard_at_last(page, pad.click)
        note = int(re.search(r"· (\d+)", pad.inner_text())[1])
        page.click("#inputs summary")
        page.evaluate("window.midiRefused = true")
        page.click("#midi-connect")
        expect(page.locator("#midi-state")).to_contain_text("MIDI was refused")
        page.evaluate("window.midiRefused = false")
        page.click("#midi-connect")
        expect(page.locator("#midi-state")).to_have_text("Listening to Two by eight")
        for way, strike in {
            "pointer": lambda: pad.click(),
            "key": lambda: page.keyboard.press("a"),
            "device": lambda: page.evaluate(f"window.device.onmidimessage({{ data: new Uint8Array([0x99, {note}, 110]) }})"),
            "practice controller": lambda: page.locator(f"#practice-pads [data-note='{note}']").press("Enter"),
        }.items():  # fmt: skip
            with self.subTest(way):
                self.settle(page)
                page.locator("body").focus()
                self.heard_at_last(page, strike)
        self.settle(page)
        page.evaluate(f"window.device.onmidimessage({{ data: new Uint8Array([0x99, {note}, 0]) }})")
        self.assertLess(page.evaluate(LISTEN, 0.3), 0.05, "velocity 0 is a note-off")

    def test_notes_are_dragged_keyed_and_learned_in_a_row(self):
        page = self.new_kit("Mapped")
        page.click("#tab-map")
        page.select_option("#arrange-how", "row")
        page.click("#arrange button")
        expect(page.locator("#undo")).to_contain_text("16 pads in a row")
        lines, fields = page.locator(".map-line"), page.locator(".map-notes input")
        box = lines.nth(1).bounding_box()
        at = lambda note: (box["x"] + (note + 0.5) * box["width"] / 128, box["y"] + box["height"] / 2)  # noqa: E731
        was = int(lines.nth(1).locator(".mark").first.get_attribute("data-note"))
        page.mouse.move(*at(was))
        page.mouse.down()
        page.mouse.move(*at(90), steps=4)
        page.mouse.up()
        expect(fields.nth(1)).to_have_value(re.compile("· 90$"))
        lines.nth(1).focus()
        for _ in range(4):  # quicker than the answers
            page.keyboard.press("ArrowRight")
        expect(fields.nth(1)).to_have_value(re.compile("· 94$"))
        expect(lines.nth(1)).to_be_focused()
        page.click("#learn-row")
        for note in (70, 71):
            expect(page.locator("#learning")).to_contain_text(f"({note - 69} of 16)")
            page.evaluate("(note) => window.dactyl.input.midi([0x99, note, 90], 'test')", note)
        expect(page.locator("#learning")).to_contain_text("(3 of 16)")
        for note in (72, 42):  # a stray hit beside the one that is meant
            page.evaluate("(note) => window.dactyl.input.midi([0x99, note, 90], 'test')", note)
        page.locator("#learning button", has_text="· 72").click()
        page.locator("#learning button", has_text="Finish").click()
        expect(page.locator("#undo")).to_contain_text("Notes of 3 pads learned")
        for place in range(3):
            expect(fields.nth(place)).to_have_value(re.compile(f"· {70 + place}$"))
        page.click("#undo")
        expect(fields.nth(1)).to_have_value(re.compile("· 94$"))

    def test_mute_and_solo_decide_what_is_heard(self):
        files = {"Solo kick.wav": sound_bytes(hit(-6, seed=63)), "Solo snare.wav": sound_bytes(hit(-6, seed=64))}
        page = self.new_kit("Solo", files)

        def is_silent_at_last(key: str) -> bool:
            """The first strikes may come before the tables of an edit have."""
            for _ in range(10):
                self.settle(page)
                page.keyboard.press(key)
                if page.evaluate(LISTEN, 0.2) < 0.01:
                    return True
            return False

        page.click("#inputs summary")
        page.uncheck("#follow")
        page.click("#inputs summary")
        self.rows(page).first.locator(".c-glyph").click()
        for key in "as":
            self.heard_at_last(page, lambda key=key: page.keyboard.press(key))
        page.keyboard.press("n")
        self.heard_at_last(page, lambda: page.keyboard.press("a"))
        self.assertTrue(is_silent_at_last("s"))
        page.keyboard.press("n")
        page.keyboard.press("m")
        expect(page.locator("#undo")).to_contain_text("uted")
        self.heard_at_last(page, lambda: page.keyboard.press("s"))
        self.assertTrue(is_silent_at_last("a"))

    def test_edits_under_way_are_not_lost_by_leaving(self):
        page = self.new_kit("Left")
        page.evaluate(SLOW_ANSWERS)
        page.fill("#kit-name", "Left soon")
        page.press("#kit-name", "Enter")
        page.locator("[id^=mute-]").first.click()
        follow(page, lambda: page.click("a.mark"))
        follow(page, lambda: page.click("text=Left soon"))
        expect(page.locator("#undo")).to_contain_text("uted")

    def test_the_whole_job_by_keyboard_alone(self):
        page = self.page()
        page.locator("#new-name").focus()
        page.keyboard.type("By keys")
        follow(page, lambda: page.keyboard.press("Enter"))
        page.wait_for_selector(".row.empty")
        self.bring_in(page, {f"Keys snare {n}.wav": sound_bytes(hit(-30 + 9 * n, seed=650 + n)) for n in range(3)})
        page.locator("body").press("Escape")
        keys = page.keyboard
        keys.press("/")
        keys.type("keys snare")
        expect(page.locator(".sample")).to_have_text([re.compile("Keys snare")] * 3)
        for key in ("Enter", "Control+a", "Enter"):
            keys.press(key)
        expect(page.locator("#ask[open]")).to_be_visible()
        keys.press("Enter")
        expect(page.locator("#card .layers > li")).to_have_count(3)
        self.rows(page).first.focus()
        keys.press("Enter")
        expect(page.locator("#card-tab-layers")).to_be_focused()
        keys.press("ArrowRight")
        expect(page.locator("#card-tab-sound")).to_be_focused()
        page.wait_for_selector("#card [data-tab=sound]")
        keys.press("Tab")
        focused = page.evaluate("document.activeElement.id")
        self.assertEqual(focused, "pad-gain_db")
        keys.press("Control+a")
        keys.type("-7")
        keys.press("Enter")
        expect(page.locator("#undo")).to_contain_text("Level of")
        self.rows(page).first.focus()
        for key, words in (("Control+d", "uplicated"), ("m", "uted")):
            keys.press(key)
            expect(page.locator("#undo")).to_contain_text(words)
            self.rows(page).first.focus()
        keys.press("Control+z")
        expect(page.locator("#undo")).to_contain_text("uplicated")
        keys.press("?")
        expect(page.locator("#keys")).to_be_visible()
        keys.press("Escape")
        expect(page.locator("#keys")).not_to_be_visible()


def first_step(case: Sheet, page: Page) -> str:
    page.click("#tab-kit")
    return case.rows(page).first.locator(".c-steps path").first.get_attribute("d")
