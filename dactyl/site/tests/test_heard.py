"""Who listens: in every place where something can be heard, what leaves for the loudspeakers is listened to."""

from collections.abc import Callable
from contextlib import suppress

from playwright.sync_api import Page, TimeoutError, expect

from dactyl.shelf.tests.sounds import hit, sound_bytes
from dactyl.site.tests.served import Workshop

TAPPED = """(() => {  // whatever leads to a destination leads to an analyser too
  const { connect } = AudioNode.prototype;
  const taps = [];
  AudioNode.prototype.connect = function (to, ...more) {
    if (to instanceof AudioDestinationNode) {
      taps.push(new AnalyserNode(to.context, { fftSize: 32768 }));
      connect.call(this, taps.at(-1), ...more);
    }
    return connect.call(this, to, ...more);
  };
  window.leaving = () => Math.max(0, ...taps.flatMap((tap) => {
    const heard = new Float32Array(tap.fftSize);
    tap.getFloatTimeDomainData(heard);
    return [...heard].map(Math.abs);
  }).reduce((most, one) => [Math.max(most[0] ?? 0, one)], []));
})();"""
FAIL = """() => {
  const { engine } = window.dactyl;
  engine.node.port.postMessage({ type: "desk", tried: [{ member: "", rows: engine.outputs.map(() => ({})) }] });
}"""


class Heard(Workshop):
    with_demo = True
    about_seconds = 40.0

    def heard(self, page: Page, act: Callable[[], object]) -> None:
        """It was silent, and after the act it is not; the first may come before its sound has."""
        page.wait_for_function("() => window.leaving() < 1e-4")
        for _ in range(10):
            act()
            with suppress(TimeoutError):
                page.wait_for_function("() => window.leaving() > 0.005", timeout=2000)
                return
        self.fail("It is not heard.")

    def test_drums_are_heard_on_the_first_page(self):
        page = self.page(script=TAPPED)
        card = page.locator(".kit-card", has_text="Ferry House")
        card.focus()
        self.heard(page, lambda: page.keyboard.press("1"))
        page.locator("h1").first.click()
        self.heard(page, card.locator("[data-hear]").nth(1).hover)

    def test_samples_are_heard_on_the_page_of_the_shelf(self):
        page = self.page("/shelf/", script=TAPPED)
        self.heard(page, page.locator(".sample").first.click)
        self.heard(page, lambda: page.keyboard.press("ArrowDown"))

    def test_a_sample_is_heard_in_a_kit_whose_tables_are_not_here_yet_and_pads_once_they_are(self):
        made = self.server.new_kit("Early", {"Early snare.wav": sound_bytes(hit(-6, seed=5, seconds=0.2))})
        page, waiting = self.page(script=TAPPED), []
        page.route("**/playbook/**", lambda route: waiting.append(route))
        page.goto(made)
        page.click("#shelf-edge")
        self.heard(page, page.locator(".sample").first.click)
        for route in waiting:
            route.continue_()
        page.unroute("**/playbook/**")
        page.wait_for_function("() => window.dactyl.engine.outputs.length > 0")
        self.heard(page, page.locator("#surface .pad").first.click)

    def test_takes_and_versions_are_heard(self):
        files = {f"Old snare {n}.wav": sound_bytes(hit(-6 - n, seed=15 + n, seconds=0.2)) for n in range(2)}
        page = self.page(self.server.new_kit("Old", files, "takes"), script=TAPPED)
        page.locator("#card .take").first.click()
        self.heard(page, page.locator("[data-hear-take]").first.click)
        page.click("#changes")
        page.fill(".kept-name", "loud")
        page.press(".kept-name", "Enter")
        page.click("[data-hear-version]")
        expect(page.locator("#hearing-says")).to_contain_text("loud")
        self.heard(page, lambda: page.keyboard.press("a"))

    def test_it_sounds_on_after_the_audio_thread_failed(self):
        made = self.server.new_kit("Failing", {"Snare.wav": sound_bytes(hit(-6, seed=6, seconds=0.2))})
        page = self.page(made, script=TAPPED)
        pad = page.locator("#surface .pad").first
        self.heard(page, pad.click)
        was = page.evaluate_handle("window.dactyl.engine.node")
        page.evaluate(FAIL)
        page.wait_for_function("(was) => window.dactyl.engine.node !== was", arg=was)
        expect(page.locator("#status")).to_contain_text("begun again")
        page.wait_for_timeout(300)
        self.heard(page, pad.click)
