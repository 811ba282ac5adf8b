"""The real interface in a real browser: what a drum programmer does in one sitting."""

import io
import re
import signal
import tempfile
import time
import zipfile
from pathlib import Path

import numpy as np
import soundfile
from playwright.sync_api import expect

from dactyl.shelf.tests.sounds import hit, sound_bytes
from dactyl.site.tests.kit_pages import KitPages
from dactyl.site.tests.served import (
    ARGUMENTS,
    CHROMIUM,
    LISTEN,
    SLOW_ANSWERS,
    BrowserCase,
    Server,
    follow,
    open_page,
    open_window,
    server,
)


def midi_file() -> bytes:
    """Kick, open hat, closed hat with snare, and a note that no pad answers."""
    events = "00ff510307a120 00992464 8360992e64 8360992a64 00992678 8360996364 8360892400 00ff2f00"
    track = bytes.fromhex(events)
    head = bytes.fromhex("4d546864 00000006 0000 0001 01e0")
    return head + b"MTrk" + len(track).to_bytes(4, "big") + track


class Story(KitPages):
    about_seconds = 45.0

    def test_from_one_shots_to_a_kit_that_plays_and_leaves_as_stems(self):
        page = self.page()
        page.fill("#new-name", "Quay kit")
        follow(page, lambda: page.keyboard.press("Enter"))
        page.wait_for_selector(".row.empty")
        snares = {
            f"snare_{n}.wav": sound_bytes(hit(-30 + 6 * n, seed=n, rate_hz=44_100), rate_hz=44_100) for n in range(4)
        }
        self.bring_in(page, snares | {
            "kick.flac": sound_bytes(hit(-3, seed=20), container="FLAC"),
            "hat closed.aif": sound_bytes(hit(-9, seed=21, channels=2), container="AIFF", subtype="PCM_16"),
            "hat open.wav": sound_bytes(hit(-8, seed=22, seconds=1.5), subtype="FLOAT"),
            "torn.wav": snares["snare_0.wav"][:50],
            "again.wav": snares["snare_1.wav"],
        })  # fmt: skip
        expect(page.locator("#import")).to_contain_text("7 came in, 1 were here already, 1 left out")
        expect(page.locator("#import")).to_contain_text("torn.wav It is cut short")

        page.fill("#shelf-q", "snare")
        expect(page.locator(".sample")).to_have_text([re.compile("snare_")] * 4)
        page.press("#shelf-q", "ArrowDown")
        page.keyboard.press("Control+a")
        page.keyboard.press("Enter")
        expect(page.locator("#ask[open]")).to_contain_text("Stack as layers")
        page.keyboard.press("Enter")
        expect(page.locator("#card .layers > li")).to_have_count(4)
        expect(page.locator("#undo")).to_contain_text("4 samples on")

        for row, name in enumerate(["kick.flac", "hat closed", "hat open"], start=1):
            page.fill("#shelf-q", name)
            found = page.locator(".sample:only-child", has_text=name)
            found.drag_to(page.locator(".row[data-pad]").nth(row))
            expect(page.locator(".row[data-pad]").nth(row)).not_to_have_class("row empty")
        notes = [page.locator(".row[data-pad]").nth(row).locator(".c-note input").input_value() for row in range(4)]
        self.assertEqual(notes, ["D1 · 38", "C1 · 36", "F#1 · 42", "A#1 · 46"])

        for row in (2, 3):
            choke = page.locator(".row[data-pad]").nth(row).locator(".choke")
            choke.fill("a")
            choke.press("Tab")
            expect(page.locator("#undo")).to_contain_text("in choke group A")
        page.locator(".row[data-pad]").nth(0).locator(".c-glyph").click()
        expect(page.locator("#card h2")).to_contain_text("Snare")
        page.click("#card-tab-mics")
        page.fill("#card-output", "Snare")
        page.press("#card-output", "Tab")
        expect(page.locator("#meters")).to_contain_text("Snare")

        page.locator(".row[data-pad]").nth(0).locator(".c-glyph").click()
        self.heard_at_last(page, lambda: page.keyboard.press("KeyA"))
        self.settle(page)
        self.heard_at_last(page, lambda: (page.keyboard.up("KeyA"), page.keyboard.down("KeyA")))

        page.click("#tab-part")
        page.set_input_files("#midi-file", {"name": "Quay.mid", "mimeType": "audio/midi", "buffer": midi_file()})
        expect(page.locator(".part-lane.unanswered")).to_contain_text("D#6 · 99")
        expect(page.locator(".part-lane:not(.unanswered)")).to_have_count(4)
        page.click("#play")
        expect(page.locator("#play")).to_have_attribute("aria-pressed", "true")
        self.assertGreater(page.evaluate(LISTEN, [8, 0.05]), 0.05)
        page.keyboard.press("Escape")
        self.settle(page)
        self.assertEqual(page.evaluate(LISTEN, 0.3), 0)

        page.click("#tab-bounce")
        expect(page.locator("#bounce-check")).to_contain_text("1 of 5 hits have no pad: D#6 · 99 (1)")
        page.select_option("#bounce-bits", "32f")
        page.click("#bounce-go")
        page.wait_for_selector(".stem.mix")
        with page.expect_download() as download:
            page.click("text=All as zip")
        with zipfile.ZipFile(download.value.path()) as archive:
            stems = {
                Path(name).name: soundfile.read(io.BytesIO(archive.read(name)), always_2d=True)[0]
                for name in archive.namelist()
                if name.endswith(".wav")
            }
        self.assertEqual(list(stems), ["01 Main.wav", "02 Snare.wav", "Mix.wav"])
        self.assertLess(np.abs(stems["01 Main.wav"] + stems["02 Snare.wav"] - stems["Mix.wav"]).max(), 1e-7)
        self.assertEqual(np.abs(stems["02 Snare.wav"][: 48_000 - 10]).max(), 0, "the snare is struck after a second")
        self.assertGreater(np.abs(stems["02 Snare.wav"][48_000:50_000]).max(), 0.1)

    def test_a_stale_tab_is_told_and_loses_nothing(self):
        first = self.new_kit("Two tabs")
        second = self.page(first.url)
        first.click("text=+ 1 pad")
        expect(first.locator(".row[data-pad]")).to_have_count(17)
        second.fill("#kit-name", "Overwritten")
        second.press("#kit-name", "Enter")
        expect(second.locator("#status")).to_contain_text("was not done: this kit was changed in another tab")
        expect(second.locator(".row[data-pad]")).to_have_count(17)
        expect(second.locator("#kit-name")).to_have_value("Two tabs")
        second.keyboard.press("Escape")
        second.locator("body").press("Control+z")
        expect(second.locator(".row[data-pad]")).to_have_count(16)

    def test_quick_edits_all_land_and_typed_text_outlives_the_answers(self):
        toms = {f"tom_{n}.wav": sound_bytes(hit(-9, seed=40 + n, seconds=0.2)) for n in range(4)}
        page = self.new_kit("Quick hands", toms)
        rows = page.locator(".row[data-pad]")
        page.evaluate(SLOW_ANSWERS)
        for n, choke in enumerate("abc"):
            rows.nth(n).locator(".choke").fill(choke)
            rows.nth(n).locator(".c-level input").fill(f"-{n + 3}")
        rows.nth(3).locator(".choke").press_sequentially("d")
        expect(page.locator("body.busy")).to_be_visible()
        expect(rows.nth(2).locator(".c-level input")).to_have_value("−5.0")
        expect(page.locator("#undo")).to_contain_text("Level of")
        expect(rows.nth(3).locator(".choke")).to_have_value("d")
        page.keyboard.press("Tab")
        expect(page.locator("#undo")).to_contain_text("in choke group D")
        expect(page.locator("body.busy")).to_have_count(0)
        page.reload()
        self.assertEqual([rows.nth(n).locator(".choke").input_value() for n in range(4)], ["A", "B", "C", "D"])
        levels = [rows.nth(n).locator(".c-level input").input_value() for n in range(3)]
        self.assertEqual(levels, ["−3.0", "−4.0", "−5.0"])

    def test_an_edit_is_heard_on_the_next_hit_while_the_part_loops(self):
        page = self.new_kit("Loop", {"bd_thud.wav": sound_bytes(hit(-6, seed=30, seconds=0.1))})
        page.click("#tab-part")
        page.set_input_files("#midi-file", {"name": "Pulse.mid", "mimeType": "audio/midi", "buffer": pulse()})
        page.click("#play")
        self.assertGreater(page.evaluate(LISTEN, [8, 0.2]), 0.2, "the part is heard")
        page.click("#tab-kit")
        page.click("#card-tab-sound")
        page.fill("#pad-gain_db", "-60")
        page.press("#pad-gain_db", "Tab")
        expect(page.locator("#undo")).to_contain_text("Level of ")
        self.assertTrue(any(0 < page.evaluate(LISTEN, 0.6) < 0.001 for _ in range(8)), "the edit is heard")

    def test_without_a_gesture_the_page_says_that_sound_is_off_and_a_press_wakes_it(self):
        address = self.new_kit("Silence").url
        asking = self.window.browser.browser_type.launch(executable_path=CHROMIUM, args=ARGUMENTS)
        self.addCleanup(asking.close)
        page, problems = open_page(self.enterContext(open_window(self.server, asking)))
        page.goto(address)  # a page that was opened without any press
        page.wait_for_selector("body.sound-off")
        expect(page.locator("#sound-state")).to_have_text("Sound is off: press any key")
        page.keyboard.press("KeyQ")
        expect(page.locator("#sound-state")).to_contain_text("Sound on")
        self.assertEqual(problems, [])


def pulse() -> bytes:
    """Eight kicks, a quarter of a second apart."""
    track = b"".join(bytes.fromhex("00992464 8170892400") for _ in range(8)) + bytes.fromhex("00ff2f00")
    return bytes.fromhex("4d546864 00000006 0000 0001 01e0") + b"MTrk" + len(track).to_bytes(4, "big") + track


class Kills(BrowserCase):
    about_seconds = 50.0

    def test_kill_9_in_the_middle_of_an_import_and_a_bounce_loses_nothing(self):
        with server(with_demo=True) as served, open_window(served) as window:
            page, _ = open_page(window)
            page.goto("/shelf/")
            with tempfile.TemporaryDirectory() as folder:
                archive = Path(folder) / "many.zip"
                with zipfile.ZipFile(archive, "w") as zipped:
                    for n in range(200):
                        zipped.writestr(
                            f"Hold/tom_{n}.wav", sound_bytes(hit(-6, seed=1000 + n, seconds=0.4, channels=2))
                        )
                page.set_input_files("#files-input", str(archive))
                page.wait_for_function("() => / of [1-9]\\d\\d/.test(document.querySelector('#import').textContent)")
            served.stop(signal.SIGKILL)
            served.start()
            self.wait_for(lambda: self.samples_on(served) == 470 + 200)
            page.goto(f"{served.url}/")
            follow(page, lambda: page.click("text=Ferry House"))
            page.fill("#kit-name", "Ferry House, night")
            page.press("#kit-name", "Enter")
            expect(page.locator("#undo")).to_contain_text("Kit named")
            page.click("#tab-bounce")
            page.select_option("#bounce-part", label="Storm Watch")
            page.click("#bounce-go")
            page.wait_for_selector(".one-bounce")
            served.stop(signal.SIGKILL)
            served.start()
            page.goto(f"{served.url}/")
            follow(page, lambda: page.click("text=Ferry House, night"))
            page.click("#tab-bounce")
            page.wait_for_selector(".stem.mix")
            self.assertEqual([path.name for path in (served.data / "bounces").iterdir()], ["1"])
            self.assertEqual(list((served.data / "incoming").iterdir()), [])

    def samples_on(self, served: Server) -> int:
        shelf = served.ask("/shelf/").read().decode()
        return int(re.search(r'id="shelf-q"[^>]*placeholder="\S+ (\d+)', shelf)[1])

    def wait_for(self, is_true) -> None:
        for _ in range(60):
            if is_true():
                return
            time.sleep(0.5)
        self.fail("It did not come true in 30 s.")
