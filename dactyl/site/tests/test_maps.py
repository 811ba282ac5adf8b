"""Any hand reaches any pad: a surface arranged, a controller taught, what it plays recorded, a foreign part translated."""

import re

from playwright.sync_api import Page, expect

from dactyl.core.formats.midi import write_midi
from dactyl.core.formats.midi_names import write_names
from dactyl.core.parts.part import Event, Part
from dactyl.site.tests.kit_pages import KitPages
from dactyl.site.tests.served import LISTEN, PLAYED, SLOW_ANSWERS, Workshop

# A made-up controller: the note of each cell, the lower left first, in no order at all.
SCRAMBLED = [61, 20, 88, 47, 99, 33, 75, 52, 110, 41, 66, 28, 93, 57, 84, 70]
SEND = """([notes, channel, port]) => {
  for (const note of notes) {
    window.dactyl.input.midi([0x90 | channel, note, 100], port);
    window.dactyl.input.midi([0x80 | channel, note, 0], port);
  }
}"""
LATE = """() => {  // what is posted goes out late
  const { send } = XMLHttpRequest.prototype;
  const { open } = XMLHttpRequest.prototype;
  XMLHttpRequest.prototype.open = function (method, ...rest) {
    this.isLate = method === "POST";
    return open.call(this, method, ...rest);
  };
  XMLHttpRequest.prototype.send = function (...body) {
    if (this.isLate) setTimeout(() => send.apply(this, body), 700);
    else send.apply(this, body);
  };
}"""
PLAYED_BY = """(count) => {  // whether so many hits are heard, each by a pad
  const heard = window.dactyl.part.model.heard();
  return heard.length === count && heard.every(({ note }) => window.dactyl.ways.padsOfNote(note).length);
}"""
HITS = "() => { window.struck = []; window.dactyl.input.addEventListener('hit', ({ detail }) => window.struck.push(detail.pads)); }"

DELETE_BETWEEN = """() => {
  const view = document.getElementById("surfaces");
  view.replaceWith(view.cloneNode(true));
  document.body.dispatchEvent(new KeyboardEvent("keydown", { key: "Delete", code: "Delete", bubbles: true }));
}"""


class Maps(Workshop):
    about_seconds = 40.0
    with_demo = True

    def open_map(self, kit: str, picture: str) -> Page:
        page = self.kit_page(kit, "/kits/{}/map/")
        page.click(f"#picture-{picture}")
        page.wait_for_selector(f"[data-view={picture}]")
        page.wait_for_function("() => window.dactyl.part.model?.time")
        return page

    def add_surface(self, page: Page, shape: str = "4 × 4") -> None:
        before = page.get_attribute("#surfaces", "data-shown")
        page.select_option("select[name=shape]", shape)
        page.click("text=Add a surface")
        expect(page.locator("#surfaces")).not_to_have_attribute("data-shown", before)
        page.wait_for_selector(".cells .cell-of[data-pad]")

    def pad_at(self, page: Page, place: int) -> int:
        return int(page.get_attribute(f".cell-of[data-place='{place}']", "data-pad") or 0)

    def test_a_surface_is_arranged_by_hand_and_by_keyboard_and_played_by_touch(self):
        page = self.open_map("Ferry House", "surfaces")
        self.add_surface(page)
        kick, snare = self.pad_at(page, 0), self.pad_at(page, 1)
        page.check("#arrange-cells")
        page.click(".cell-of[data-place='0']")
        page.click(".cell-of[data-place='1']", modifiers=["Shift"])
        page.click("[data-cells=across]")
        expect(page.locator(f".cell-of[data-place='3'][data-pad='{kick}']")).to_be_visible()
        self.assertEqual(self.pad_at(page, 2), snare)
        page.locator(".cell-of[data-place='0']").focus()  # by keyboard alone: select two, mirror, take away
        page.keyboard.press("ArrowRight")
        page.keyboard.press("Shift+ArrowLeft")
        page.keyboard.press("m")
        expect(page.locator(f".cell-of[data-place='1'][data-pad='{kick}']")).to_be_visible()
        page.keyboard.press("Control+z")
        expect(page.locator(f".cell-of[data-place='0'][data-pad='{kick}']")).to_be_visible()
        page.wait_for_function("() => !document.querySelector('.htmx-request')")
        row = page.locator("#cell-pads [data-lay]").nth(4)
        row.drag_to(page.locator(".cell-of[data-place='15']"))
        expect(page.locator(".cell-of[data-place='15']")).to_have_attribute("data-pad", row.get_attribute("data-lay"))
        page.uncheck("#arrange-cells")
        page.click("[data-learn-cells]")  # in a row: the first cell's pad, then stop there
        page.evaluate(SEND, [[101], 0, "keys"])
        expect(page.locator("#cells-learning")).to_contain_text("(2 of")
        page.click("#cells-learning >> text=Finish")
        page.wait_for_function("(pad) => window.dactyl.ways.padsOfNote(101).includes(pad)", arg=kick)
        page.keyboard.press("Control+z")
        page.wait_for_function("(pad) => !window.dactyl.ways.padsOfNote(101).includes(pad)", arg=kick)
        box = page.locator(".cell-of[data-place='3']").bounding_box()
        page.evaluate(HITS)
        page.mouse.move(box["x"] + 30, box["y"] + 12)
        page.mouse.down()
        self.assertGreater(page.evaluate(LISTEN, [8, 0.01]), 0.01)
        page.mouse.up()
        self.assertEqual(page.evaluate("() => window.struck"), [[kick]])
        name = page.locator("#surface-name").input_value()
        page.reload()
        page.select_option("#surface-choice", label=name)
        expect(page.locator("#surface .pad[data-place='3']")).to_have_attribute("data-pad", str(kick))

    def test_pads_are_laid_and_cells_moved_copied_and_swapped(self):
        page = self.open_map("Ferry House", "surfaces")
        self.add_surface(page)
        page.check("#arrange-cells")
        pads = [int(row.get_attribute("data-lay")) for row in page.locator("#cell-pads [data-lay]").all()]
        cell = lambda place: page.locator(f".cell-of[data-place='{place}']")  # noqa: E731

        def stands(place: int, pad: int | None) -> None:
            if pad is None:
                expect(cell(place)).not_to_have_attribute("data-pad", re.compile(r"\d"))
            else:
                expect(cell(place)).to_have_attribute("data-pad", str(pad))

        cell(0).click()
        cell(15).click(modifiers=["Shift"])
        page.keyboard.press("Delete")
        for place in (0, 5, 15):
            stands(place, None)
        cell(4).click()
        page.locator("#cell-pads [data-lay]").nth(2).click()
        stands(4, pads[2])
        rows = page.locator("#cell-pads [data-lay]")
        rows.nth(0).click(modifiers=["Control"])  # of three, in the order of selecting
        rows.nth(1).click(modifiers=["Control"])
        cell(8).click()
        page.click("[data-cells=spread]")
        for place, pad in zip((8, 9, 10), (pads[2], pads[0], pads[1]), strict=True):
            stands(place, pad)
        cell(8).click()
        cell(9).click(modifiers=["Control"])
        page.keyboard.press("x")
        stands(9, pads[2])
        stands(8, pads[0])
        cell(8).drag_to(cell(12))  # both, as they were selected
        stands(12, pads[0])
        stands(13, pads[2])
        stands(8, None)
        page.keyboard.press("Control+z")
        stands(8, pads[0])
        cell(8).click()
        cell(8).focus()
        page.keyboard.press("Control+c")
        expect(page.locator("#status")).to_contain_text("1 cell remembered")
        for key in ("ArrowDown", "ArrowDown", "Control+v"):
            page.keyboard.press(key)
        stands(0, pads[0])
        stands(8, pads[0])
        page.wait_for_function("() => !document.querySelector('.htmx-request')")
        cell(1).focus()
        page.keyboard.press("Enter")  # to the list
        expect(rows.first).to_be_focused()
        for key in ("ArrowDown", "ArrowDown", "Enter"):
            page.keyboard.press(key)
        stands(1, pads[2])
        page.wait_for_function("() => !document.querySelector('.htmx-request')")
        expect(rows.nth(2)).to_be_focused()  # its answer has drawn the view anew
        expect(page.locator("#cells-said")).to_contain_text("1 pad to lay")
        page.keyboard.press("Shift+ArrowDown")
        expect(page.locator("#cells-said")).to_contain_text("2 pads to lay")
        page.keyboard.press("Escape")
        cell(10).click()
        expect(cell(10)).to_have_attribute("aria-selected", "true")
        page.evaluate(SLOW_ANSWERS)
        page.wait_for_function("() => !document.querySelector('.htmx-request')")
        page.evaluate(DELETE_BETWEEN)  # in the moment in which an answer has taken the focus
        page.uncheck("#arrange-cells")
        cell(7).click()  # an empty one, while it is played: what shall stand here?
        page.wait_for_selector("#ask[open]")
        stands(10, None)  # an answer that comes meanwhile does not close the question
        expect(page.locator("body.busy")).to_have_count(0)
        page.locator("#ask button", has_text="Kick").first.click()
        expect(cell(7)).to_have_attribute("data-pad", re.compile(r"\d"))

    def test_an_answer_that_comes_after_its_view_was_left_is_told_and_does_not_bring_it_back(self):
        page = self.open_map("Engine Deck", "surfaces")
        page.evaluate(LATE)
        page.click("text=Add a surface")
        page.click("#picture-devices")
        expect(page.locator("#undo")).to_contain_text("added")
        expect(page.locator("#status")).to_contain_text("added")
        expect(page.locator("#devices")).to_be_visible()

    def test_a_controller_in_no_order_is_taught_and_what_it_plays_is_recorded_as_the_kits_notes(self):
        page = self.open_map("Ferry House", "surfaces")
        self.add_surface(page)
        first, third = self.pad_at(page, 0), self.pad_at(page, 2)
        page.click("#picture-devices")
        page.wait_for_selector("[data-view=devices]")
        page.fill("[aria-label='Name of the new device']", "Foreign box")
        page.click("text=Add a device")
        page.click("#teach")
        page.wait_for_selector(".cell-of.next[data-place='0']")
        for note in SCRAMBLED:
            page.evaluate(SEND, [[note], 4, "box"])
        expect(page.locator(".device-said")).to_contain_text("taught")
        page.wait_for_function("() => window.dactyl.ways.padsOf('box', 4, 61)?.length === 1")
        page.evaluate(HITS)
        page.evaluate(SEND, [[SCRAMBLED[0], SCRAMBLED[2]], 4, "box"])
        page.evaluate(SEND, [[SCRAMBLED[0]], 9, "another"])  # any keyboard: the default map
        struck = page.evaluate("() => window.struck")
        self.assertEqual(struck[:2], [[first], [third]])
        self.assertNotEqual(struck[2], [first])
        page.click("#tab-part")
        page.wait_for_selector("#part-canvas")
        page.click("#parts-menu")
        page.fill(".menu .new-part-name", "From the box")
        page.click(".menu .new-part button")
        expect(page.locator("#part-name")).to_have_value("From the box")
        page.wait_for_function("() => window.dactyl.editor.current")
        page.evaluate("() => { document.getElementById('count-in').value = '0'; }")
        page.click("#record")
        page.wait_for_function(PLAYED, arg=0.1)
        page.evaluate(SEND, [[SCRAMBLED[0]], 4, "box"])
        page.wait_for_function("() => Object.keys(localStorage).some((key) => key.startsWith('unwritten-pass '))")
        page.keyboard.press("Escape")
        page.wait_for_function(
            "() => window.dactyl.editor.current.model.hits.filter(({ velocity }) => velocity).length === 1"
        )
        (note,) = page.evaluate("() => window.dactyl.part.model.hits.map(({ note }) => note)")
        self.assertEqual(page.evaluate("(pad) => window.dactyl.ways.noteOf(pad)", first), note)
        self.assertNotEqual(note, SCRAMBLED[0])

    def test_a_part_for_a_foreign_map_plays_right_after_two_corrections(self):
        page = self.open_map("Ferry House", "translations")
        names = {3: "Kick", 4: "Snare", 90: "Blorp", 91: "Zinger"}
        events = tuple(Event(tick=480 * n, note=note, velocity=100, length_ticks=60) for n, note in enumerate(names))
        part = Part(name="Foreign", ticks_per_beat=480, tempos=((0, 500_000),), events=events, end_tick=1920)
        page.set_input_files("#translations input[type=file]", {"name": "hall.midnam", "mimeType": "text/xml", "buffer": write_names("Hall", names)})  # fmt: skip
        page.evaluate("() => document.querySelector('#translations form').requestSubmit()")
        expect(page.locator("#written-for")).to_contain_text("hall")
        page.click("#tab-part")
        page.click("#parts-menu")
        page.set_input_files(".menu input[type=file]", {"name": "foreign.mid", "mimeType": "audio/midi", "buffer": write_midi(part)})  # fmt: skip
        page.wait_for_function("() => window.dactyl.part.model.about?.name.toLowerCase().includes('foreign')")
        page.click("#tab-map")
        page.click("#picture-translations")
        expect(page.locator("#own-notes .silent")).to_have_count(4)
        expect(page.locator("#unmet")).to_contain_text("90 (1), 91 (1)")
        page.select_option("#written-for", label="hall")
        page.click("text=Propose a translation")
        expect(page.locator("#unmet")).to_contain_text("Silent here")
        for note, pad in ((90, "Crash"), (91, "Ride")):
            choice = page.locator(f"[data-line='{note}'] select")
            label = next(text for text in choice.locator("option").all_inner_texts() if text.startswith(pad))
            choice.select_option(label=label)
            expect(page.locator(f"[data-line='{note}'] .why")).to_contain_text("chosen by hand")
        expect(page.locator("#unmet")).to_be_hidden()
        page.wait_for_function(PLAYED_BY, arg=4)
        self.assertEqual(page.evaluate("() => window.dactyl.part.model.hits.map(({ note }) => note)"), [3, 4, 90, 91])
        page.click("#write-translation")
        page.wait_for_function("() => !window.dactyl.part.model.about.writtenFor")
        self.assertEqual(page.evaluate("() => window.dactyl.part.model.hits.map(({ note }) => note)")[:2], [36, 38])


class FirstDevice(KitPages):
    def test_the_first_strike_begins_the_teaching_and_the_device_plays_at_its_end(self):
        page = self.layered("Quay")
        page.click("#tab-map")
        page.click("#picture-devices")
        expect(page.locator("#strike-any")).to_be_visible()
        page.select_option("#first-shape", "2 × 8")
        page.evaluate(SEND, [[71, 60], 3, "box"])  # the second while the device is being added
        expect(page.locator(".cell-of.next")).to_have_attribute("data-place", "2")
        for note in (65, 52, 81, 44, 90, 33):
            page.evaluate(SEND, [[note], 3, "box"])
        page.keyboard.press("Enter")
        expect(page.locator("#undo")).to_contain_text("plays the pads in their order")
        page.wait_for_function("() => window.dactyl.ways.padsOf('box', 3, 71)?.length === 1")
        expect(page.locator(".cell-of[data-place='0'] .cell-name")).to_contain_text("tom")

    def test_kits_are_pressed_into_a_set_in_an_order(self):
        for name in ("Quay", "Pier"):
            self.new_kit(name)
        page = self.new_kit("Mole")
        page.click("#picture-sets")
        for name in ("Pier", "Mole", "Quay"):
            page.click(f"[aria-label='Add {name}']")
            expect(page.locator(".set-kits strong").last).to_have_text(name)
        self.assertEqual(page.locator(".set-kits strong").all_inner_texts(), ["Pier", "Mole", "Quay"])
