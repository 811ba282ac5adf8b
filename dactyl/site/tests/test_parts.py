"""Parts by hand: drawn, painted, shaped, written by keyboard, played in, and kept whatever happens to server and tab."""

from playwright.sync_api import Page, expect

from dactyl.site.tests.served import LISTEN, PLAYED, Workshop, drag

LANE = """(name) => { const { lanes } = window.dactyl.editor.current; return lanes.findIndex((lane) => lane.name === name); }"""
PLACE = """([tick, lane]) => {
  const { view } = window.dactyl.editor.current;
  const { left, top } = document.getElementById("part-canvas").getBoundingClientRect();
  return [left + view.x(tick), top + view.foot(lane)];
}"""
STEM = """([tick, lane]) => {
  const { view, laneHits, levelsOf } = window.dactyl.editor.current;
  return view.stem(laneHits.between(lane, tick, tick + 1)[0].velocity, levelsOf(lane));
}"""
RAMP = """(ticks) => {  // from low to high over the strip below the lanes
  const { view } = window.dactyl.editor.current;
  const { left, top } = document.getElementById("part-canvas").getBoundingClientRect();
  return ticks.map((tick, n) => [left + view.x(tick), top + (n ? view.lanesBottom + 14 : view.height - 14)]);
}"""
HITS = "() => window.dactyl.editor.current?.model.hits.map(({ tick, note, velocity }) => [tick, note, velocity])"
STRIKE = """([note, velocity, stamps]) => {  // as a device sends them, with its own stamps
  for (const stamp of stamps) window.dactyl.input.midi([0x99, note, velocity], "test", stamp);
}"""
KEPT = """() => Object.entries(localStorage).filter(([key]) => key.startsWith("unwritten-pass "))
    .flatMap(([, pass]) => JSON.parse(pass).hits)"""
KICK, SNARE = 36, 38


class Parts(Workshop):
    about_seconds = 45.0
    with_demo = True

    def new_part(self, name: str, kit: str = "Ticket Machine") -> Page:
        page = self.kit_page(kit, "/parts/of/{}/")
        self.begin_part(page, name)
        page.wait_for_function("() => window.dactyl.editor.current?.lanes.length")
        return page

    def begin_part(self, page: Page, name: str) -> None:
        page.click("#parts-menu")
        page.fill(".menu .new-part-name", name)
        page.click(".menu .new-part button")
        expect(page.locator("#part-name")).to_have_value(name)

    def hits(self, page: Page, count: int) -> list[list[int]]:
        """The hits of the part, once there are ``count``."""
        page.wait_for_function(f"(count) => ({HITS})()?.length === count", arg=count)
        return page.evaluate(HITS)

    def settle(self, page: Page) -> None:
        page.evaluate(
            "() => window.dactyl.editor.current.model.edit('nothing-more', {}, { quiet: true }).catch(() => null)"
        )

    def at(self, page: Page, tick: int, lane: str, up: int = 20) -> tuple[float, float]:
        x, y = page.evaluate(PLACE, [tick, page.evaluate(LANE, lane)])
        return x, y - up

    def test_what_moves_is_drawn_by_hand_and_by_keys_heard_and_taken_back(self):
        page = self.new_part("Moving", "Ferry House")
        page.mouse.click(*self.at(page, 0, "Kick"))
        self.hits(page, 1)
        curves = "() => window.dactyl.part.model.about.curves.map(([of, what, points]) => [of, what, points.map(([tick, value]) => [tick, value])])"
        expect(page.locator("#part-lanes .moves")).to_have_count(0)
        page.select_option("#strip-shows", "lane|gain_db")
        low, high, middle = page.evaluate(RAMP, [0, 1920, 3840])
        page.mouse.click(*low)
        page.wait_for_function(f"() => ({curves})().length === 1")
        drag(page, high, middle, "Shift")
        page.wait_for_function(f"() => ({curves})()[0][2].length === 3")
        ((of, what, points),) = page.evaluate(curves)
        self.assertEqual((of, what, [tick for tick, _ in points]), ("lane:36", "gain_db", [0, 1920, 3840]))
        self.assertLess(points[0][1], points[1][1] - 20)
        expect(page.locator("#part-lanes .moves")).to_have_count(1)
        page.mouse.dblclick(*low)
        page.wait_for_function(f"() => ({curves})()[0][2].length === 2")
        page.locator("#strip-keys").focus()
        page.keyboard.press("Home")
        for _ in range(2):
            page.keyboard.press("ArrowDown")
        page.wait_for_function(f"(wanted) => ({curves})()[0][2][0][1] === wanted", arg=points[1][1] - 2)
        expect(page.locator("#strip-says")).to_contain_text("bar 1, beat 1")
        page.locator("#strip-numbers input").first.fill("-96")
        page.keyboard.press("Tab")
        page.wait_for_function(f"() => ({curves})()[0][2][0][1] === -96")
        page.locator("#strip-numbers input").nth(1).fill("-96")
        page.keyboard.press("Tab")
        page.wait_for_function(f"() => ({curves})()[0][2][1][1] === -96")
        page.click("#play")
        page.wait_for_function(PLAYED, arg=0.3)
        self.assertLess(page.evaluate(LISTEN, 1.0), 1e-4, "its hits are silent")
        page.click("#strip-clear")
        page.wait_for_function(f"() => !({curves})().length")
        self.assertGreater(page.evaluate(LISTEN, [8, 0.02]), 0.02)
        page.select_option("#strip-shows", "output:Room|width")
        page.mouse.click(*high)
        page.wait_for_function(f"() => ({curves})()[0]?.[0] === 'output:Room'")
        page.keyboard.press("Escape")
        page.click("#part-undo")
        page.wait_for_function(f"() => !({curves})().length")
        page.click("#part-redo")
        page.wait_for_function(f"() => ({curves})().length")

    def test_a_beat_is_drawn_painted_shaped_and_taken_back(self):
        page = self.new_part("Drawn")
        for n, tick in enumerate((0, 1920, 3840)):
            page.mouse.click(*self.at(page, tick, "Kick"))
            self.hits(page, n + 1)
        self.assertEqual([hit[:2] for hit in self.hits(page, 3)], [[0, KICK], [1920, KICK], [3840, KICK]])
        page.select_option("#grid", "1/8")
        page.mouse.move(*self.at(page, 0, "Snare", 8))
        page.mouse.down()
        page.mouse.move(*self.at(page, 3900, "Snare", 34), steps=20)
        page.mouse.up()
        hits = self.hits(page, 3 + 9)
        painted = [hit for hit in hits if hit[1] == SNARE]
        self.assertEqual([tick for tick, _, _ in painted], list(range(0, 3841, 480)))
        rises = [velocity for _, _, velocity in painted]
        self.assertEqual(rises, sorted(rises))
        self.assertGreater(rises[-1], rises[0] + 30, "velocities follow the hand")
        page.locator("summary", has_text="Choose").click()
        page.click("form[data-choose-form=every] button")
        expect(page.locator("#selection-says")).to_contain_text("5 hits of Snare")
        page.locator("#hit-card summary", has_text="Figures").click()
        page.click("form[data-op=grace] button")
        page.wait_for_function(f"() => ({HITS})().length > 12")
        page.click("#part-undo")
        self.assertEqual(self.hits(page, 12), hits)
        page.reload()
        page.wait_for_selector("#part-canvas")
        page.wait_for_function("() => window.dactyl?.editor.current?.model.time")
        self.assertEqual(self.hits(page, 12), hits)
        page.click("#play")
        page.wait_for_function("() => window.dactyl.part.isPlaying")
        page.click("#play")

    def drawn(self, page: Page, *places: tuple[int, str]) -> None:
        for count, (tick, lane) in enumerate(places, start=1):
            page.mouse.click(*self.at(page, tick, lane))
            self.hits(page, count)
        page.click("[data-select=none]")

    def head(self, page: Page, tick: int, lane: str) -> tuple[float, float]:
        """The head of a hit, by which its velocity is changed."""
        x, foot = self.at(page, tick, lane, 0)
        place = page.evaluate(LANE, lane)
        stem = page.evaluate(STEM, [tick, place])
        return x, foot - stem

    def test_hits_are_framed_held_moved_copied_struck_and_let_go(self):
        page = self.new_part("Held")
        self.drawn(page, (0, "Kick"), (1920, "Kick"))
        first = self.hits(page, 2)[0][2]
        drag(page, self.at(page, 2400, "Kick", 2), self.at(page, 1440, "Kick", 34), "Shift")
        expect(page.locator("#selection-says")).to_contain_text("1 hit")
        drag(page, self.at(page, 2400, "Kick", 2), self.at(page, -120, "Kick", 34), "Shift")
        expect(page.locator("#selection-says")).to_contain_text("2 hits")
        drag(page, self.at(page, 0, "Kick", 8), self.at(page, 480, "Snare", 8))
        page.wait_for_function(f"(note) => ({HITS})().every(([, at]) => at === note)", arg=SNARE)
        self.assertEqual([hit[:2] for hit in self.hits(page, 2)], [[480, SNARE], [2400, SNARE]])
        drag(page, self.at(page, 480, "Snare", 8), self.at(page, 960, "Snare", 8), "Control")
        self.assertEqual([tick for tick, _, _ in self.hits(page, 4)], [480, 960, 2400, 2880])
        page.click("[data-select=none]")
        page.mouse.click(*self.at(page, 480, "Snare", 8))
        x, y = self.head(page, 480, "Snare")
        drag(page, (x, y), (x, y + 14))
        page.wait_for_function(f"(velocity) => ({HITS})()[0][2] < velocity", arg=first)
        self.assertEqual({velocity for _, _, velocity in self.hits(page, 4)[1:]}, {first}, "only what is selected")
        x, y = self.head(page, 480, "Snare")
        drag(page, (x, y), (x, y + 160))  # to the floor
        self.assertEqual([tick for tick, _, _ in self.hits(page, 3)], [960, 2400, 2880])
        page.keyboard.press("Control+z")
        self.hits(page, 4)

    def test_a_ramp_and_a_loop_are_drawn_and_a_section_named_and_repeated(self):
        page = self.new_part("Ramped")
        self.drawn(page, *((tick, "Kick") for tick in (0, 480, 960, 1440)))
        page.locator(f"[data-lane='{page.evaluate(LANE, 'Kick')}']").click()  # its velocities stand below
        low, high = page.evaluate(RAMP, [0, 1440])
        drag(page, low, high)
        page.wait_for_function(f"() => ({HITS})()[0][2] < 40")
        velocities = [velocity for _, _, velocity in self.hits(page, 4)]
        self.assertEqual(velocities, sorted(set(velocities)))
        self.assertGreater(velocities[-1], 90)
        bar = page.evaluate("() => window.dactyl.editor.current.model.time.barAt(0).end")
        drag(page, self.on_ruler(page, 0), self.on_ruler(page, bar))
        self.assertEqual(page.evaluate("() => window.dactyl.part.range"), [0, bar])
        page.locator("#hit-card summary", has_text="Part").click()
        page.fill("form[data-op=section] input", "Verse")
        page.press("form[data-op=section] input", "Enter")
        expect(page.locator("#sections")).to_contain_text("loop Verse")
        page.mouse.click(*self.on_ruler(page, 2 * bar))
        self.assertEqual(page.evaluate("() => window.dactyl.part.range"), [0, 0])
        page.click("text=loop Verse")
        self.assertEqual(page.evaluate("() => window.dactyl.part.range"), [0, bar])
        page.click("text=again behind it")
        self.assertEqual([tick for tick, _, _ in self.hits(page, 8)][4:], [bar, bar + 480, bar + 960, bar + 1440])
        for button, bars in (("add at the end", 4), ("delete", 3)):
            before = page.evaluate("() => window.dactyl.editor.current.model.about.bars")
            page.click(f"form[data-bars] button:text-is('{button}')")
            change = 1 if bars == 4 else -1
            page.wait_for_function("(bars) => window.dactyl.editor.current.model.about.bars === bars", arg=before + change)  # fmt: skip
        page.locator("#hit-card summary", has_text="Changes").click()
        listed = page.locator("#part-change-list li")
        expect(listed.first).to_contain_text("eleted")
        listed.nth(2).locator("button").click()  # back to before the section was repeated
        self.hits(page, 4)
        expect(page.locator("#part-change-list li.undone")).to_have_count(3)

    def on_ruler(self, page: Page, tick: int) -> tuple[float, float]:
        x, _ = self.at(page, tick, "Kick")
        return x, page.locator("#part-canvas").bounding_box()["y"] + 14

    def test_hits_are_typed_in_numbers_and_hats_are_played_by_the_foot(self):
        page = self.new_part("In numbers", "Ferry House")
        self.drawn(page, (0, "Kick"), (960, "Kick"))
        page.keyboard.press("Control+a")
        page.locator("#hit-card summary", has_text="List").click()
        fields = page.locator("#hit-list tr").nth(1).locator("input")
        fields.nth(0).fill("1.3.120")
        fields.nth(0).press("Enter")
        page.wait_for_function(f"() => ({HITS})()[1][0] === 2040")
        velocity = page.locator("#hit-list input[data-field=velocity]").nth(1)
        velocity.fill("17")
        velocity.press("Enter")
        page.wait_for_function(f"() => ({HITS})()[1][2] === 17")
        velocity.fill("loud")
        velocity.press("Enter")
        expect(page.locator("#status")).to_contain_text("“loud” is not understood here")
        page.locator("#hit-card summary", has_text="Figures").click()
        page.click("[data-hats=foot]")
        page.wait_for_function(f"() => ({HITS})().length > 4")
        page.keyboard.press("Control+z")
        self.hits(page, 2)
        page.locator("#hit-card summary", has_text="Choose").click()
        page.locator(f"[data-lane='{page.evaluate(LANE, 'Kick')}']").click()
        page.click("[data-select=none]")
        for button, count in (("#choose-lane", 2), ("#choose-piece", 2), ("#choose-loop", 2)):
            page.click(button)
            expect(page.locator("#selection-says")).to_contain_text(f"{count} hits")
            page.click("[data-select=none]")

    def test_hits_are_copied_cut_pasted_and_shifted_by_keys(self):
        page = self.new_part("By keys")
        self.drawn(page, (0, "Kick"), (480, "Kick"))
        ticks = lambda count: [tick for tick, _, _ in self.hits(page, count)]  # noqa: E731
        page.locator("#part-canvas").focus()
        page.keyboard.press("Control+a")
        page.keyboard.press("Control+c")
        expect(page.locator("#status")).to_contain_text("2 hits copied")
        page.evaluate("() => window.dactyl.editor.current.setStart(1920)")
        page.keyboard.press("Home")
        page.keyboard.press("PageDown")
        page.keyboard.press("Control+v")
        bar = page.evaluate("() => window.dactyl.editor.current.model.time.barAt(0).end")
        self.assertEqual(ticks(4), [0, 480, bar, bar + 480])
        page.keyboard.press("Alt+ArrowRight")
        page.wait_for_function(f"(tick) => ({HITS})()[2][0] === tick", arg=bar + 1)
        page.keyboard.press("Alt+ArrowLeft")
        page.wait_for_function(f"(tick) => ({HITS})()[2][0] === tick", arg=bar)
        loud = self.hits(page, 4)[2][2]
        page.keyboard.press("Alt+Shift+ArrowDown")
        page.wait_for_function(f"(velocity) => ({HITS})()[2][2] === velocity", arg=loud - 8)
        page.keyboard.press("i")
        expect(page.locator("#selection-says")).to_contain_text("2 hits")
        page.keyboard.press("Control+x")
        self.assertEqual(ticks(2), [bar, bar + 480])
        page.keyboard.press("Control+a")
        page.keyboard.press("Control+d")
        self.assertEqual(ticks(4)[:2], [bar, bar + 480])
        page.keyboard.press("Control+ArrowDown")
        page.wait_for_function(f"(note) => ({HITS})().filter(([, at]) => at !== note).length === 2", arg=KICK)
        for key, grid in ((".", "1/32"), ("t", "1/32T"), (",", "1/16")):
            page.keyboard.press(key)
            expect(page.locator("#grid")).to_have_value(grid)
        scale = "() => window.dactyl.editor.current.view.ticksPerPixel"
        wide = page.evaluate(scale)
        page.keyboard.press("=")
        self.assertLess(page.evaluate(scale), wide)
        page.keyboard.press("Escape")
        expect(page.locator("#selection-says")).to_contain_text("none selected")
        page.keyboard.press("0")
        self.assertAlmostEqual(page.evaluate(scale), wide, places=3)
        page.keyboard.press("h")
        expect(page.locator("#stem-shows")).to_have_value("level")

    def test_latency_is_found_by_taps_and_the_part_is_drummed_as_a_device_would(self):
        page = self.new_part("Tapped")
        page.locator(".record-group summary").click()
        page.click("#tap-test")
        page.wait_for_function("() => window.dactyl.part.isPlaying")
        page.wait_for_function(PLAYED, arg=0.4)  # the first clicks
        taps = """() => { for (let n = 0; n < 8; n++) setTimeout(() => window.dactyl.input.midi([0x99, 36, 90], "test", performance.now()), 125 * n); }"""
        page.evaluate(taps)
        expect(page.locator("#tap-says")).to_contain_text("ms late, within")
        page.wait_for_function("() => !window.dactyl.part.isPlaying")
        found = page.evaluate("() => [document.getElementById('latency').value, localStorage.getItem('latency')]")
        self.assertEqual(found[0], found[1])
        self.assertLessEqual(abs(float(found[0])), 250, "half a beat at 120 at most, whatever the taps")
        page.locator(".record-group summary").click()
        self.drawn(page, (0, "Kick"), (480, "Snare"), (960, "Kick"))
        page.evaluate("() => { window.struck = []; window.dactyl.input.addEventListener('hit', ({ detail }) => window.struck.push(detail.pads.length)); }")  # fmt: skip
        page.click("#inputs summary")
        page.click("text=Drum the part")
        page.wait_for_function("() => window.struck.length === 3 && window.struck.every((pads) => pads === 1)")
        expect(page.locator("#practice-part")).to_have_text("Drum the part")  # it ended by itself
        pressed = """() => {  // twice at once: two seconds are soon over
          const drum = document.getElementById("practice-part");
          return [0, 1].map(() => (drum.click(), drum.textContent));
        }"""
        self.assertEqual(page.evaluate(pressed), ["Stop drumming", "Drum the part"])

    def test_a_pedal_and_a_hand_are_heard_and_recorded_with_what_they_play(self):
        """On the practice controller: closed or open by the pedal, a chick, a grab; then the same from the part."""
        page = self.new_part("Feet", "Ferry House")
        page.evaluate("""() => {
          window.sounded = [];
          const { engine, input } = window.dactyl;
          engine.addEventListener("report", ({ detail }) => window.sounded.push(...detail.played.map(([pad]) => pad)));
          window.told = [];
          input.addEventListener("said", ({ detail }) => window.told.push([detail.kind, detail.number, detail.value]));
        }""")  # fmt: skip
        lanes = "() => Object.fromEntries(window.dactyl.editor.current.lanes.map(({ name, pad }) => [name.split(' ').at(-1), pad]))"
        pads = page.evaluate(lanes)
        sounds = "(wanted) => wanted.every((pad) => window.sounded.includes(pad))"
        page.click("#inputs summary")
        page.locator("#practice-pedal").fill("10")
        page.locator("#practice-pads [data-note='46']").press("Enter")
        page.wait_for_function(sounds, arg=[pads["closed"]])
        self.assertNotIn(pads["open"], page.evaluate("() => window.sounded"))
        page.locator("#practice-pedal").fill("120")
        page.locator("#practice-pads [data-note='42']").press("Enter")
        page.wait_for_function(sounds, arg=[pads["open"]])
        page.locator("#practice-pedal").fill("5")
        page.wait_for_function(sounds, arg=[pads["pedal"]])
        for _ in range(20):  # nothing can be grabbed before the sound of a stroke has come
            page.locator("#practice-pads [data-note='49']").press("Enter")
            page.wait_for_timeout(300)
            page.click("#practice-press")
            page.wait_for_timeout(300)
            if pads["grabbed"] in page.evaluate("() => window.sounded"):
                break
        self.assertIn(pads["grabbed"], page.evaluate("() => window.sounded"))
        self.assertEqual(
            page.evaluate("() => window.told.length > 3 && window.told.every((row) => row.length === 3)"), True
        )
        page.click("#inputs summary")
        page.click("#record")
        page.wait_for_function("() => window.dactyl.part.frame > 4800")  # counted in
        page.evaluate("""() => {
          const now = performance.now();
          for (const [message, after] of [[[0xb9, 4, 120], 0], [[0x99, 42, 100], 20], [[0xb9, 4, 3], 90]]) window.dactyl.input.midi(message, "test", now + after);
        }""")  # fmt: skip
        page.wait_for_timeout(400)
        page.keyboard.press("Escape")
        page.wait_for_function("() => window.dactyl.editor.current.model.about.controls.length === 4")
        self.hits(page, 1)
        said = page.evaluate("() => window.dactyl.editor.current.model.about.controls.map(([, , ...row]) => row)")
        self.assertEqual(said[:3], [[0, 4, 5, 9], [0, 4, 120, 9], [0, 4, 3, 9]], "the first is how the foot stood")
        self.assertEqual(said[3:], [[0, 121, 0, 9]], "behind the pass the part says nothing, as before")
        page.evaluate("() => (window.sounded = [])")
        page.click("#play")
        page.wait_for_function(sounds, arg=[pads["open"], pads["pedal"]])
        page.click("#play")

    def test_all_is_selected_wherever_the_focus_stands(self):
        page = self.kit_page("Ticket Machine")
        page.wait_for_selector("#card [data-tab]")
        page.keyboard.press("Control+a")
        expect(page.locator("#card .several")).to_have_text("10 pads")
        page.click("#tab-part")  # where the focus stays
        page.wait_for_function("() => window.dactyl.editor.current?.model.hits.length")
        page.keyboard.press("Control+a")
        state = "() => [window.dactyl.editor.current.model.selected.size, String(getSelection())]"
        self.assertEqual(page.evaluate(state), [66, ""])

    def test_a_part_is_written_by_keyboard_alone(self):
        page = self.new_part("Keyed")
        page.locator("#part-canvas").focus()
        page.keyboard.press("Enter")
        self.hits(page, 1)
        for key in ("ArrowRight", "ArrowRight", "Enter"):
            page.keyboard.press(key)
        self.assertEqual([tick for tick, _, _ in self.hits(page, 2)], [0, 480])
        page.keyboard.press("5")
        page.wait_for_function(f"() => ({HITS})()[1][2] === 71")
        expect(page.locator("#part-cursor")).to_contain_text("bar 1")
        page.keyboard.press("Control+a")
        page.keyboard.press("Control+ArrowRight")
        page.wait_for_function(f"() => ({HITS})()[0][0] === 240")
        page.keyboard.press("Delete")
        self.hits(page, 0)
        page.keyboard.press("Control+z")
        self.assertEqual([tick for tick, _, _ in self.hits(page, 2)], [240, 720])

    def test_what_is_played_in_stands_at_its_stamps_and_outlives_a_lost_server_and_a_reload(self):
        page = self.new_part("Played")
        page.locator(".record-group summary").click()
        page.select_option("#count-in", "0")
        page.locator(".record-group summary").click()
        page.route("**/record/", lambda route: route.abort())
        page.click("#record")
        page.wait_for_function("() => window.dactyl.part.isPlaying")
        page.wait_for_function(PLAYED, arg=0.6)
        now = page.evaluate("() => performance.now()")
        apart_ms = (0.0, 61.25, 130.5, 250.0)
        page.evaluate(STRIKE, [SNARE, 90, [now - 300 + apart for apart in apart_ms]])
        page.wait_for_function(f"() => ({KEPT})().length === 4")
        frames = [frame for frame, *_ in page.evaluate(KEPT)]
        rate = page.evaluate("() => window.dactyl.engine.rate")
        for frame, apart in zip(frames, apart_ms, strict=True):
            self.assertAlmostEqual(
                frame - frames[0], apart * rate / 1000, delta=1.01, msg="no jitter, whenever the script ran"
            )
        page.locator("body").press("Escape")
        expect(page.locator("#status")).to_contain_text("kept here")
        page.reload()
        page.unroute("**/record/")
        page.wait_for_function("() => window.dactyl?.part.model?.time")
        hits = self.hits_of_part(page, 4)
        self.assertEqual({(note, velocity) for _, note, velocity in hits}, {(SNARE, 90)})
        page.wait_for_function(f"() => !({KEPT})().length")
        page.locator("#hit-card summary", has_text="Passes").click()
        expect(page.locator("#passes li")).to_contain_text("Pass 1 · 4 hits")
        page.click("#passes button[aria-label='mute: pass 1']")
        expect(page.locator("#passes button[aria-label='hear: pass 1']")).to_be_visible()

    def hits_of_part(self, page: Page, count: int) -> list[list[int]]:
        page.wait_for_function("() => window.dactyl.editor.current?.model.time")
        return self.hits(page, count)

    def test_a_pad_without_a_note_gets_a_free_one_when_it_is_played_in(self):
        page = self.new_kit("Noteless")
        page.click("#tab-part")
        self.begin_part(page, "Free")
        page.wait_for_function("() => window.dactyl.editor.current?.model.about?.name === 'Free'")
        page.locator(".record-group summary").click()
        page.select_option("#count-in", "0")
        page.locator(".record-group summary").click()
        page.click("#record")
        page.wait_for_function("() => window.dactyl.part.isPlaying")
        page.wait_for_function(PLAYED, arg=0.1)
        pad = page.locator("#surface .pad").first
        number = int(pad.get_attribute("data-pad"))
        self.assertIsNone(page.evaluate("(pad) => window.dactyl.ways.noteOf(pad)", number))
        page.evaluate("(pad) => window.dactyl.input.pad(pad, 90, 'test')", int(pad.get_attribute("data-pad")))
        page.wait_for_function(f"() => ({KEPT})().length === 1")
        page.locator("body").press("Escape")
        ((_, note, velocity),) = self.hits(page, 1)
        self.assertEqual((page.evaluate("(pad) => window.dactyl.ways.noteOf(pad)", number), velocity), (note, 90))

    def test_what_is_pressed_before_a_part_has_come_does_not_reach_the_one_before(self):
        page = self.new_part("Before")
        self.drawn(page, (0, "Kick"))
        held = []
        page.route("**/data/", lambda route: held.append(route))
        self.begin_part(page, "After")
        page.locator("#part-canvas").focus()
        for key in ("Control+a", "Delete", "Enter", "Control+z", "x"):
            page.keyboard.press(key)
        expect(page.locator("#status")).to_have_text("The part is still on its way.")
        held[0].continue_()
        page.unroute("**/data/")
        self.hits(page, 0)
        page.select_option("#part-choice", label="Before")
        self.hits(page, 1)

    def test_a_second_tab_is_told_and_shown_what_the_first_did(self):
        page = self.new_part("Two tabs")
        other = self.page(page.url)
        other.wait_for_function("() => window.dactyl?.editor.current?.lanes.length")
        page.mouse.click(*self.at(page, 0, "Kick"))
        self.hits(page, 1)
        other.mouse.click(*self.at(other, 960, "Kick"))
        expect(other.locator("#status")).to_contain_text("in another tab")
        self.assertEqual([tick for tick, _, _ in self.hits(other, 1)], [0])
        other.mouse.click(*self.at(other, 960, "Kick"))
        self.assertEqual([tick for tick, _, _ in self.hits(other, 2)], [0, 960])
