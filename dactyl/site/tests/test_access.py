"""Every view in both themes: names for all that can be used, ink that can be read, and no way that needs a pointer."""

from playwright.sync_api import Page, expect

from dactyl.site.tests.served import Workshop, follow

UNNAMED = """() => {  // what can be used but has no name for those who hear the page; and ids that stand twice
  const isShown = (element) => element.checkVisibility({ visibilityProperty: true }) && element.getClientRects().length;
  const nameOf = (element) =>
    element.getAttribute("aria-label") || element.labels?.[0]?.textContent.trim() || element.textContent.trim() || element.title ||
    document.getElementById(element.getAttribute("aria-labelledby"))?.textContent || "";
  const used = "a[href], button, input:not([type=hidden]), select, textarea, summary, [role=tab], [role=option], canvas[tabindex]";
  const found = [...document.querySelectorAll(used)].filter((element) => isShown(element) && !nameOf(element).trim());
  const ids = [...document.querySelectorAll("[id]")].map((element) => element.id);
  const known = new Set();
  const twice = ids.filter((id) => known.size === known.add(id).size);
  return [...found.map((element) => element.outerHTML.slice(0, 160)), ...new Set(twice.map((id) => `id ${id} stands twice`))];
}"""
CONTRAST = """() => {  // text whose contrast with what lies behind it is below 4.5, or below 3 where it is large (WCAG 2.2, 1.4.3)
  const parse = (text) => (text.match(/[\\d.]+/g) ?? []).map(Number);
  const canvas = new OffscreenCanvas(1, 1).getContext("2d", { willReadFrequently: true });
  const known = new Map();
  const rgba = (colour) => {
    if (!known.has(colour)) known.set(colour, painted(colour));
    return known.get(colour);
  };
  const painted = (colour) => {
    canvas.clearRect(0, 0, 1, 1);
    canvas.fillStyle = colour;
    canvas.fillRect(0, 0, 1, 1);
    const [r, g, b, a] = canvas.getImageData(0, 0, 1, 1).data;
    return [r, g, b, a / 255];
  };
  const over = ([r, g, b, a], below) => [r, g, b].map((value, n) => a * value + (1 - a) * below[n]);
  const behind = (element) => {
    const layers = [];
    for (let at = element; at; at = at.parentElement) {
      const colour = rgba(getComputedStyle(at).backgroundColor);
      if (colour[3]) layers.push(colour);
      if (colour[3] === 1) break;
    }
    return layers.reverse().reduce((below, layer) => over(layer, below), [255, 255, 255]);
  };
  const light = (rgb) => {
    const [r, g, b] = rgb.map((value) => value / 255).map((v) => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4));
    return 0.2126 * r + 0.7152 * g + 0.0722 * b;
  };
  const low = new Map();
  const walker = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT);
  while (walker.nextNode()) {
    const element = walker.currentNode.parentElement;
    if (!walker.currentNode.data.trim() || !element.checkVisibility({ opacityProperty: true, visibilityProperty: true })) continue;
    if (element.closest(":disabled, [aria-hidden=true], .sr-only, svg, script, dialog:not([open])")) continue;
    const style = getComputedStyle(element);
    const below = behind(element);
    const [a, b] = [light(over(rgba(style.color), below)), light(below)].sort((x, y) => y - x);
    const ratio = (a + 0.05) / (b + 0.05);
    const size = parseFloat(style.fontSize);
    const least = size >= 24 || (size >= 18.66 && Number(style.fontWeight) >= 700) ? 3 : 4.5;
    if (ratio < least - 0.02) low.set(`${element.className || element.tagName}: ${ratio.toFixed(2)}`, walker.currentNode.data.trim().slice(0, 30));
    if (size < 11) low.set(`${element.className || element.tagName}: ${size} px`, walker.currentNode.data.trim().slice(0, 30));
  }
  return [...low].map(([what, text]) => `${what} “${text}”`);
}"""
CUT_OFF = """() => {  // controls that stand outside the window, or of what cuts them off, where nothing scrolls
  const scrolls = (box, axis) => ["auto", "scroll"].includes(getComputedStyle(box)[`overflow${axis}`]);
  const page = document.scrollingElement;
  const goesOn = { X: page.scrollWidth > page.clientWidth, Y: page.scrollHeight > page.clientHeight };
  const found = [];
  for (const one of document.querySelectorAll("button, a[href], input:not([type=hidden], [type=file]), select, summary")) {
    if (!one.checkVisibility({ checkOpacity: true, checkVisibilityCSS: true }) || one.closest(".sr-only")) continue;
    const { left, right, top, bottom, width } = one.getBoundingClientRect();
    if (!width) continue;
    const parents = [];
    for (let box = one.parentElement; box; box = box.parentElement) parents.push(box);
    const isOut = { X: left < -1 || right > innerWidth + 1, Y: top < -1 || bottom > innerHeight + 1 };
    const isLost = ["X", "Y"].some((axis) => isOut[axis] && !goesOn[axis] && !parents.some((box) => scrolls(box, axis)));
    const free = parents.findIndex((box) => scrolls(box, "X"));
    const isCut = parents.slice(0, free < 0 ? undefined : free).some((box) => {
      const edge = box.getBoundingClientRect();
      return ["hidden", "clip"].includes(getComputedStyle(box).overflowX) && (left < edge.left - 2 || right > edge.right + 2);
    });
    if (isLost || isCut) found.push(one.id || `${one.className} ${one.textContent.trim().slice(0, 20)}`);
  }
  return found;
}"""
SIZES = ((1920, 1080), (1024, 700), (640, 400), (1280, 800))  # the third is what 200 % leave of the last
NEXT = """() => {  // where the focus is, and whether that can be seen
  const at = document.activeElement;
  if (at === document.body) return null;
  const style = getComputedStyle(at);
  const hasEdge = style.borderTopWidth !== "0px" && !/, 0\\)$|transparent/.test(style.borderTopColor); // what a field draws round itself
  const isSeen = style.outlineStyle !== "none" || style.boxShadow !== "none" || hasEdge || at.matches("input[type=file]");
  return { what: at.id || at.className || at.tagName, isSeen };
}"""
VIEWS = ("kit", "map", "part", "desk", "bounce")
PICTURES = {"kit": ("cuts", "plan", "sets"), "map": ("surfaces", "devices", "translations"), "desk": ("mics",)}
TABS = ("layers", "sound", "mics", "cuts", "notes")


def once_settled(page, script: str) -> list[str]:
    """What a script finds once the page has followed its window's size."""
    for _ in range(20):
        if not (found := page.evaluate(script)):
            return []
        page.wait_for_timeout(100)
    return found


class Access(Workshop):
    about_seconds = 30.0
    with_demo = True

    def views(self, page: Page):
        """Every view of the demo, one after another."""
        yield "kits"
        page.goto("/shelf/")
        page.locator(".sample").nth(2).click()
        page.wait_for_selector("#about strong")
        yield "shelf"
        page.goto("/")
        follow(page, lambda: page.click("text=Ferry House"))
        for tab in TABS:
            page.click(f"#card-tab-{tab}")
            page.wait_for_selector(f"#card [data-tab={tab}]")
            page.wait_for_function("() => !document.querySelector('.htmx-request, #response[hx-get] > .faint')")
            yield f"card {tab}"
        page.click("#shelf-edge")
        yield "sheet beside the shelf"
        page.click("#shelf-fold")
        for view in VIEWS:
            page.click(f"#tab-{view}")
            page.wait_for_selector(f"[data-view={view}]")
            yield view
            for picture in PICTURES.get(view, ()):
                page.click(f"#picture-{picture}")
                page.wait_for_selector(f"[data-view={picture}]")
                if page.locator("text=/^Add a (surface|device)$/").count():
                    with page.expect_response(lambda answer: answer.request.method == "POST"):
                        page.click("text=/^Add a (surface|device)$/")
                    page.wait_for_selector(".cell-of")
                yield picture
        page.goto(page.url.replace("/bounces/of/", "/kits/"))
        page.locator(".row[data-pad]").nth(1).click()
        page.keyboard.press("h")
        page.wait_for_selector("[data-view=swap] .drum")
        yield "swap"
        page.click("#swap-leave")
        page.wait_for_selector(".sheet")
        page.click("#changes")
        page.wait_for_selector("[data-view=history]")
        yield "history"
        page.click("#tab-part")
        page.click("#parts-menu")
        page.click(".recordings-listed a")
        page.wait_for_selector("#recording-tracks .track-row")
        yield "recording"
        page.click("#inputs summary")
        yield "playing"
        page.keyboard.press("?")
        yield "keys"

    def test_all_that_can_be_used_has_a_name_all_ink_can_be_read_and_nothing_is_cut_off(self):
        page = self.page()
        for view in self.views(page):
            with self.subTest(view):
                self.assertEqual(page.evaluate(UNNAMED), [])
            for theme in ("night", "paper"):
                page.evaluate("(theme) => (document.documentElement.dataset.theme = theme)", theme)
                with self.subTest(view, theme=theme):
                    self.assertEqual(page.evaluate(CONTRAST), [])
            for width, height in SIZES:
                page.set_viewport_size({"width": width, "height": height})
                with self.subTest(view, size=f"{width} x {height}"):
                    self.assertEqual(once_settled(page, CUT_OFF), [])

    def test_of_two_quick_clicks_on_tabs_the_second_is_shown(self):
        page = self.kit_page("Ticket Machine")
        page.wait_for_selector("#surface[data-started]")
        for first, second in (("part", "map"), ("desk", "kit"), ("map", "desk")):
            page.evaluate("(names) => names.forEach((name) => document.getElementById(`tab-${name}`).click())", [first, second])  # fmt: skip
            expect(page.locator("#tabs [aria-current=page]")).to_have_id(f"tab-{second}")
            page.wait_for_selector(f"[data-view={second}]")

    def test_a_tab_that_an_edit_draws_anew_while_it_is_pressed_is_opened(self):
        page = self.kit_page("Ticket Machine")
        page.wait_for_selector("#surface[data-started]")
        page.evaluate("document.getElementById('tab-map').setAttribute('data-old', '')")
        page.hover("#tab-map")
        page.mouse.down()
        page.evaluate("document.getElementById('tabs').outerHTML = document.getElementById('tabs').outerHTML.replace('data-old', ''); htmx.process(document.getElementById('tabs'))")  # fmt: skip
        expect(page.locator("#tab-map[data-old]")).to_have_count(0)
        page.mouse.up()
        page.wait_for_selector("[data-view=map]")

    def test_the_focus_goes_everywhere_and_is_seen(self):
        page = self.kit_page("Engine Deck")
        page.wait_for_selector("#card [data-tab]")
        page.wait_for_selector("#play:enabled")
        page.locator("body").press("Escape")
        reached, unseen = [], []
        for _ in range(400):
            page.keyboard.press("Tab")
            at = page.evaluate(NEXT)
            if at is None:
                break
            reached.append(at["what"])
            if not at["isSeen"]:
                unseen.append(at["what"])
        self.assertEqual(unseen, [])
        for wanted in ("kit-name", "tab-bounce", "shelf-edge", "card-tab-layers", "take-canvas", "play"):
            self.assertIn(wanted, reached)
        self.assertTrue({what for what in reached if what.startswith("pad-")}, "the surface is reached by keys")
