"""In a real browser, on the largest kit: script from a MIDI event to the order to sound, and from an edit to the next hit.

Times of the page are reported, not judged: they depend on the machine. What may fail is work that grows with the kit.
"""

from statistics import median

from benchmarks.large import PADS, large_kit, own_data
from benchmarks.measured import Row

STRIKES, EDITS = 600, 12
STRIKE = """async (count) => {  // p99 over MIDI note-ons, in ms: until the order to sound is sent, and of all script
  const { input, engine } = window.dactyl;
  const order = engine.hitNote.bind(engine);
  let sent = 0;
  engine.hitNote = (...hit) => {
    order(...hit);
    sent = performance.now();
  };
  const orders = [], scripts = [];
  for (let n = 0; n < count; n++) {
    if (n % 8 === 0) await new Promise((resolve) => setTimeout(resolve, 15));  // as a drummer would, not in one burst
    const begun = performance.now();
    input.midi(new Uint8Array([0x99, 24 + (n % 80), 1 + (n * 37) % 127]), "bench");
    orders.push(sent - begun);
    scripts.push(performance.now() - begun);
  }
  const p99 = (times) => times.sort((a, b) => a - b)[Math.floor(0.99 * count)];
  return [p99(orders), p99(scripts)];
}"""
EDIT = """async (level) => {  // milliseconds from a typed level until the audio thread plays by the new tables
  const { engine } = window.dactyl;
  const field = document.querySelector(".row[data-pad] .c-level input");
  const arrived = new Promise((resolve) => engine.addEventListener("playbook", resolve, { once: true }));
  const begun = performance.timeOrigin + performance.now();
  field.value = String(level);
  field.dispatchEvent(new Event("change", { bubbles: true }));
  return (await arrived).detail.at - begun;
}"""


def rows() -> list[Row]:
    with own_data() as data:
        large_kit()
        from dactyl.kits import edits
        from dactyl.site.tests.served import Server, browser, open_page

        small = edits.kits.create_kit("Small")
        served = Server(data)
        served.start()
        try:
            with browser() as chromium:
                page, _ = open_page(chromium, served)
                page.goto(f"/kits/{small.pk}/")
                page.wait_for_timeout(500)
                few = page.evaluate(STRIKE, STRIKES)
                page.goto("/kits/1/")
                page.wait_for_timeout(6000)  # the tables of the whole kit, and the first heads
                many = page.evaluate(STRIKE, STRIKES)
                times = []
                for n in range(1, EDITS + 1):
                    page.wait_for_timeout(1000)  # as a person would: the card's pictures are drawn meanwhile
                    times.append(page.evaluate(EDIT, -n))
        finally:
            served.stop()
    (ordered, scripted), slowest = many, max(times)
    return [
        Row("MIDI event to the order to sound, p99", f"{ordered:.2f} ms, {few[0]:.2f} ms on an empty kit; {scripted:.2f} ms of script in all", None,
            "under 3 ms", ordered < 3.0),
        Row(f"Edit of {PADS} pads to the next hit", f"{median(times):.0f} ms, {slowest:.0f} ms at worst", None,
            "reported; 150 ms wanted", True),
    ]  # fmt: skip
