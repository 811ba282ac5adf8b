"""Stacking and shaping in the browser: proposals, borders, takes, waveforms, curves."""

import json
import re

from playwright.sync_api import expect

from dactyl.shelf.tests.sounds import hit, sound_bytes, zipped
from dactyl.site.tests.kit_pages import KitPages
from dactyl.site.tests.served import BEGIN_LISTENING, HEARD, SLOW_ANSWERS, VIEWPORT, drag

DRAWN_WIDE = """() => {  // as wide as its card
  const { width, clientWidth } = document.getElementById("take-canvas");
  return clientWidth && width === Math.floor(clientWidth * devicePixelRatio);
}"""


def ninety() -> dict[str, bytes]:
    """Five levels of six takes by three mics, as people lay them in folders."""
    files = {}
    for level, word in enumerate(("pp", "p", "mf", "f", "ff")):
        for take in range(6):
            for number, mic in enumerate(("Close", "OH", "Room")):
                sound = hit(
                    -38 + 8 * level - 6 * number,
                    seed=900 + 10 * level + take,
                    seconds=0.2,
                    channels=1 + (number > 0),
                    lead_ms=3,
                )
                files[f"Ferry snare/{mic}/snare_{word}_{take + 1}.wav"] = sound_bytes(sound)
    return files


def soft_and_hard(name: str, seed: int) -> dict[str, bytes]:
    """Two levels of three takes each, as their names say."""
    return {
        f"{name} {word} {take}.wav": sound_bytes(hit(level + 0.4 * take, seed=seed + take + n))
        for n, (word, level) in enumerate((("soft", -30), ("hard", -8)))
        for take in (1, 2, 3)
    }


class Takes(KitPages):
    about_seconds = 60.0

    def test_ninety_recordings_of_a_snare_become_a_pad_that_plays_like_the_drum(self):
        page = self.new_kit("Snare of ninety")
        self.bring_in(page, {"Ferry snare.zip": zipped(ninety())})
        page.click("[data-stack-import]")
        expect(page.locator(".proposal-head h2")).to_have_text("90 files on 1 pad")
        expect(page.locator(".proposed-layer")).to_have_count(5)
        expect(page.locator(".chip")).to_have_count(30)
        expect(page.locator(".chip-mics").first).to_have_text("+2")
        page.click("#apply-proposal")
        expect(page.locator("#card .layers > li")).to_have_count(5)
        expect(self.rows(page).first).to_contain_text("5 layers")
        peaks, pad = [], page.locator("#surface .pad").first
        self.heard_at_last(page, pad.click)
        page.evaluate(
            "async (pad) => { for (let n = 0; n < 30; n++) await dactyl.engine.arrival(pad, n); }",
            int(pad.get_attribute("data-pad")),
        )
        for height in (0.95, 0.5, 0.05):  # a pad struck low is soft, high is loud
            self.settle(page)
            box = pad.bounding_box()
            page.evaluate(BEGIN_LISTENING, 1.0)
            page.mouse.click(box["x"] + 20, box["y"] + height * box["height"])
            peaks.append(page.evaluate(HEARD))
        self.assertEqual(peaks, sorted(peaks))
        self.assertGreater(peaks[2], 5 * peaks[0])
        expect(page.locator("#response svg").first).to_be_visible()
        page.click("#undo")
        expect(self.rows(page).first).to_have_class(re.compile("empty"))

    def test_a_proposal_is_mended_by_hand_before_it_is_applied(self):
        page = self.new_kit("Mended")
        self.bring_in(page, soft_and_hard("Bell", 70))
        page.fill("#shelf-q", "bell")
        expect(page.locator(".sample")).to_have_text([re.compile("Bell")] * 6)
        page.press("#shelf-q", "ArrowDown")
        page.keyboard.press("Control+a")
        page.click("#stack-picked")
        layers = page.locator(".proposed-layer")
        expect(layers).to_have_count(2)
        soft = page.locator('[data-layer-place="0.0"]')
        page.locator('[data-layer-place="0.1"] .chip').first.drag_to(soft)
        expect(soft.locator(".chip")).to_have_count(4)
        soft.locator(".chip").first.focus()
        page.keyboard.press("Delete")
        expect(page.locator(".left-over li")).to_have_count(1)
        page.locator("text=Take in").click()
        expect(page.locator(".left-over")).to_have_count(0)
        soft.locator("text=split").click()
        expect(layers).to_have_count(3)
        page.fill("#proposed-name-0", "Harbour bell")
        page.press("#proposed-name-0", "Tab")
        page.select_option("#proposed-borders-0", "levels")
        expect(page.locator("#proposed-borders-0")).to_have_value("levels")
        page.click("#apply-proposal")
        expect(self.rows(page).first).to_contain_text("Harbour bell")
        expect(page.locator("#card .layers > li")).to_have_count(3)

    def test_a_border_is_dragged_keyed_and_typed_and_its_neighbours_follow(self):
        page = self.layered("Border")
        border = page.locator("#card .borders input")
        before = [int(value) for value in (border.nth(0).input_value(), border.nth(1).input_value())]
        box = page.locator("#card .big-steps svg").bounding_box()
        x = box["x"] + before[0] / 127 * box["width"]
        drag(page, (x, box["y"] + 40), (box["x"] + 20 / 127 * box["width"], box["y"] + 40))
        expect(border.nth(0)).to_have_value("20")
        expect(border.nth(1)).to_have_value(str(before[1]))
        border.nth(0).focus()
        page.keyboard.press("ArrowUp")
        expect(page.locator("#undo")).to_contain_text("21")
        page.keyboard.press("ArrowUp")
        expect(page.locator("#undo")).to_contain_text("22")
        border.nth(0).fill("126")
        page.keyboard.press("Enter")
        expect(page.locator("#status")).to_have_class(re.compile("warning"))
        expect(border.nth(0)).to_have_value("22")
        for value in (21, 20, before[0]):
            page.locator("body").press("Control+z")
            expect(border.nth(0)).to_have_value(str(value))

    def test_takes_move_by_drag_and_by_key_are_left_out_and_removed(self):
        page = self.layered("Takes")
        layers = page.locator("#card .layers > li")
        page.wait_for_function(
            "() => !document.querySelector('.htmx-request') && document.querySelector('#response svg')"
        )
        layers.nth(2).locator(".take").first.drag_to(layers.nth(0))
        expect(page.locator("#undo")).to_contain_text("moved")
        expect(layers.nth(0)).to_contain_text("3 takes")
        expect(layers.nth(2)).to_contain_text("1 take")
        page.locator("#card .take").first.focus()
        page.keyboard.press("Alt+ArrowRight")
        expect(page.locator("#undo")).to_contain_text("moved to layer 2")
        page.locator("#card .take").first.focus()
        page.keyboard.press("x")
        expect(page.locator("#card .take.off")).to_have_count(1)
        page.locator("#card .take.off").focus()
        page.keyboard.press("Delete")
        expect(page.locator("#card .take.off")).to_have_count(0)
        for _ in range(4):
            page.locator("body").press("Control+z")
        expect(layers.nth(0)).to_contain_text("2 takes")
        expect(layers.nth(2)).to_contain_text("2 takes")

    def test_takes_are_walked_selected_and_put_elsewhere_by_keys(self):
        page = self.layered("Walked")
        layers, takes = page.locator("#card .layers > li"), page.locator("#card .take")
        chosen = page.locator("#card .take[aria-selected=true]")
        takes.first.focus()
        page.keyboard.press("Shift+ArrowDown")
        expect(chosen).to_have_count(2)
        page.keyboard.press("Control+c")
        expect(page.locator("#status")).to_contain_text("2 takes copied")
        closed = layers.filter(has_not=page.locator(".take")).first
        closed.locator("[data-open-layer]").first.focus()
        page.keyboard.press("Control+v")
        expect(layers.filter(has_text="4 takes")).to_have_count(1)
        page.locator("body").press("Control+z")
        expect(layers.filter(has_text="2 takes")).to_have_count(3)
        page.wait_for_function("() => !document.querySelector('.htmx-request')")
        first = takes.first.get_attribute("data-take")
        takes.first.click()
        expect(chosen).to_have_count(1)
        page.keyboard.press("Alt+ArrowDown")
        expect(takes.nth(1)).to_have_attribute("data-take", first)
        takes.nth(1).focus()
        page.keyboard.press("Control+x")
        self.rows(page).nth(1).focus()
        page.keyboard.press("Control+v")
        expect(self.rows(page).nth(1)).not_to_have_class(re.compile("empty"))
        expect(page.locator("#undo")).to_contain_text("moved")

    def test_files_of_a_proposal_are_moved_by_keys_and_the_focus_goes_with_them(self):
        page = self.new_kit("Chips")
        self.bring_in(page, soft_and_hard("Gong", 170))
        page.click("[data-stack-import]")
        chips = [page.locator(f'[data-layer-place="0.{layer}"] .chip') for layer in (0, 1)]
        chips[0].first.focus()
        sample = chips[0].first.get_attribute("data-sample")
        focused = "() => document.activeElement.dataset.sample"
        page.keyboard.press("ArrowUp")
        expect(chips[1]).to_have_count(4)
        page.wait_for_function(f"(sample) => ({focused})() === sample", arg=sample)
        page.keyboard.press("ArrowDown")
        expect(chips[1]).to_have_count(3)
        page.wait_for_function(f"(sample) => ({focused})() === sample", arg=sample)
        page.keyboard.press("ArrowLeft")
        page.keyboard.press("ArrowRight")
        page.keyboard.press(" ")
        page.keyboard.press("ArrowLeft")
        page.keyboard.press(" ")
        page.keyboard.press("Delete")
        expect(page.locator(".left-over li")).to_have_count(2)
        expect(chips[0]).to_have_count(1)

    def test_start_end_and_fades_follow_the_pointer_and_the_keys(self):
        page = self.layered("Waves", 1)
        take, canvas = page.locator("#one-take"), page.locator("#take-canvas")
        for width in (1080, VIEWPORT["width"]):  # it is drawn as wide as its card, whenever that changes
            page.set_viewport_size(VIEWPORT | {"width": width})
            page.wait_for_function(DRAWN_WIDE)
        canvas.scroll_into_view_if_needed()
        frames = int(take.get_attribute("data-frames"))
        box = canvas.bounding_box()
        start = int(take.get_attribute("data-start")) / frames
        drag(
            page, (box["x"] + start * box["width"] + 1, box["y"] + 50), (box["x"] + box["width"] * 0.25, box["y"] + 50)
        )
        expect(page.locator("#undo")).to_contain_text("Start")
        self.assertAlmostEqual(int(take.get_attribute("data-start")) / frames, 0.25, delta=0.03)
        drag(page, (box["x"] + box["width"] - 1, box["y"] + 50), (box["x"] + box["width"] * 0.75, box["y"] + 50))
        expect(page.locator("#undo")).to_contain_text("End of")
        self.assertGreater(float(take.get_attribute("data-fade-out")), 0, "an end inside the sound gets a fade")
        canvas.focus()
        page.keyboard.press("o")
        expect(page.locator("#take-start_frame")).to_have_value(take.get_attribute("data-onset"))
        page.fill("#take-end_frame", "")
        page.press("#take-end_frame", "Tab")
        expect(take).to_have_attribute("data-end", str(frames))

    def test_what_keys_move_is_kept_when_an_answer_or_another_take_comes_between(self):
        page = self.layered("Nudged", 1)
        take, canvas = page.locator("#one-take"), page.locator("#take-canvas")
        canvas.focus()
        page.wait_for_function(DRAWN_WIDE)
        first = int(take.get_attribute("data-start"))
        page.keyboard.press("s")
        page.evaluate(SLOW_ANSWERS)
        with page.expect_request(lambda request: request.method == "POST"):  # it is sent, and not answered
            page.keyboard.press("Shift+ArrowRight")
        page.keyboard.press("Shift+ArrowRight")
        expect(take).to_have_attribute("data-start", str(first + 2))
        canvas.focus()
        page.keyboard.press("Shift+ArrowRight")
        number = take.get_attribute("data-take")
        page.locator("#card .take").nth(1).click()  # another, before it is sent
        expect(take).not_to_have_attribute("data-take", number)
        expect(page.locator("#undo")).to_contain_text("Start")
        page.locator("#card .take").nth(0).click()
        expect(take).to_have_attribute("data-start", str(first + 3))

    def test_a_waveform_is_seen_closer_beside_the_others_and_cut_where_it_crosses_zero(self):
        page = self.layered("Magnified", 1)
        take, canvas = page.locator("#one-take"), page.locator("#take-canvas")
        canvas.scroll_into_view_if_needed()
        inked = "() => { const { width, height } = document.getElementById('take-canvas'); const { data } = document.getElementById('take-canvas').getContext('2d').getImageData(0, 0, width, height); return data.reduce((sum, value) => sum + value, 0); }"  # fmt: skip
        page.wait_for_function(DRAWN_WIDE)
        whole = page.evaluate(inked)
        page.click("[data-wave=overlay]")
        expect(page.locator("[data-wave=overlay]")).to_have_attribute("aria-pressed", "true")
        page.wait_for_function(f"(whole) => ({inked})() !== whole", arg=whole)
        beside = page.evaluate(inked)
        box = canvas.bounding_box()
        page.mouse.move(box["x"] + 60, box["y"] + 40)
        page.mouse.wheel(0, -200)
        page.wait_for_function(f"(beside) => ({inked})() !== beside", arg=beside)
        page.click("[data-wave=in]")
        page.click("[data-wave=out]")
        page.click("[data-wave=onset]")
        expect(take).to_have_attribute("data-start", take.get_attribute("data-onset"))
        page.click("[data-wave=zero]")
        expect(take).not_to_have_attribute("data-start", take.get_attribute("data-onset"))
        expect(page.locator("[data-wave=overlay]")).to_have_attribute("aria-pressed", "true")

    def test_a_curve_and_an_envelope_are_drawn_by_pointer_and_by_keys(self):
        page = self.layered("Drawn", 1)
        page.click("#card-tab-sound")
        curve = page.locator("#curve-editor")
        points = lambda: json.loads(curve.get_attribute("data-points"))  # noqa: E731
        curve.scroll_into_view_if_needed()
        box = curve.bounding_box()
        middle = (box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        drag(page, middle, (middle[0], middle[1] + box["height"] / 4))
        expect(page.locator("#pad-curve")).to_have_value("drawn")
        self.assertEqual(len(points()), 5)
        self.assertAlmostEqual(points()[2][1], 32, delta=3)
        curve.focus()
        for key in ("ArrowLeft", "ArrowUp", "Enter"):
            curve.press(key)
        page.wait_for_function("() => JSON.parse(document.getElementById('curve-editor').dataset.points).length === 6")
        self.assertEqual([points()[0], points()[-1]], [[1, 1], [127, 127]])
        self.assertAlmostEqual(points()[4][0], (96 + 127) / 2, delta=1)
        curve.focus()
        for key in ("ArrowLeft", "Delete"):
            curve.press(key)
        page.wait_for_function("() => JSON.parse(document.getElementById('curve-editor').dataset.points).length === 5")
        page.locator("body").press("Control+z")
        page.wait_for_function("() => JSON.parse(document.getElementById('curve-editor').dataset.points).length === 6")
        box = curve.bounding_box()
        page.mouse.dblclick(box["x"] + box["width"] * points()[4][0] / 127, box["y"] + box["height"] * (127 - points()[4][1]) / 127)  # fmt: skip
        page.wait_for_function("() => JSON.parse(document.getElementById('curve-editor').dataset.points).length === 5")
        envelope = page.locator("#envelope-editor")
        corner = page.locator("[data-corner=attack]").bounding_box()
        start = (corner["x"] + corner["width"] / 2, corner["y"] + corner["height"] / 2)
        drag(page, start, (start[0] + 40, start[1]))
        expect(page.locator("#pad-attack_ms")).not_to_have_value("0.0")
        attack = float(envelope.get_attribute("data-attack"))
        self.assertGreater(attack, 20)
        corner = page.locator("[data-corner=decay]").bounding_box()
        start = (corner["x"] + corner["width"] / 2, corner["y"] + corner["height"] / 2)
        drag(page, start, (start[0] - 60, start[1]))
        page.wait_for_function("() => Number(document.getElementById('envelope-editor').dataset.decay) > 0")
        self.assertEqual(float(envelope.get_attribute("data-attack")), attack)
