"""Dactyl as a person runs it: the real server with its workers, and a real browser without a monitor."""

import fcntl
import json
import os
import re
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import lru_cache
from http.cookiejar import CookieJar
from pathlib import Path
from urllib.request import HTTPCookieProcessor, ProxyHandler, Request, build_opener
from urllib.response import addinfourl

from django.conf import settings
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import SimpleTestCase
from django.test.client import BOUNDARY, MULTIPART_CONTENT, encode_multipart
from playwright.sync_api import Browser, BrowserContext, ConsoleMessage, Page, expect, sync_playwright

from dactyl.site.test_runner import AT_THE_END, SHARED_FOLDER

CHROMIUM = "/usr/bin/chromium"
# The last one, with a page that stays open: pages come and go in one process, where each began one or two of its own.
ARGUMENTS = [
    "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync", "--process-per-site",
]  # fmt: skip
SOUND_WITHOUT_GESTURE = "--autoplay-policy=no-user-gesture-required"
VIEWPORT = {"width": 1280, "height": 800}
PATIENCE_MS = 60_000  # a busy machine is slow, not wrong


class Server:
    """``manage.py serve`` on a free port, with a data folder of its own."""

    def __init__(self, data: Path, **settings_of_its_own: str) -> None:
        self.data = data
        self._environment = os.environ | {"DACTYL_DATA": str(data)} | settings_of_its_own
        self._process: subprocess.Popen | None = None
        self.url = ""
        self.cookies = CookieJar()

    def manage(self, *command: str) -> None:
        subprocess.run([sys.executable, "manage.py", *command], check=True, cwd=settings.ROOT, env=self._environment,
                       stdout=subprocess.DEVNULL)  # fmt: skip

    def start(self) -> None:
        command = [sys.executable, "manage.py", "serve", "--port", "0"]
        self._process = subprocess.Popen(
            command,
            cwd=settings.ROOT,
            env=self._environment,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            text=True,
        )
        lines = iter(self._process.stdout.readline, "")
        self.url = next(found[0] for line in lines if (found := re.search(r"http://\S+?(?=/? )", line)))

    def ask(self, path: str, form: dict[str, object] | None = None, **headers: str) -> addinfourl:
        """Without the browser, over a connection of its own: one that was kept may be closed just when it is used again."""
        opener = build_opener(ProxyHandler({}), HTTPCookieProcessor(self.cookies))
        if form is None:
            return opener.open(self.url + path, timeout=PATIENCE_MS / 1000)
        if not len(self.cookies):
            self.ask("/").close()  # for the token that a form needs
        token = next(cookie.value for cookie in self.cookies if cookie.name == "csrftoken")
        headers = {"Content-Type": MULTIPART_CONTENT, "X-CSRFToken": token} | headers
        asked = Request(self.url + path, encode_multipart(BOUNDARY, form), headers)
        return opener.open(asked, timeout=PATIENCE_MS / 1000)

    def bring_in(self, files: dict[str, bytes]) -> list[int]:
        """Files onto the shelf, as their rows."""
        number = json.load(self.ask("/shelf/imports/", {}))["import"]
        for name, data in files.items():
            upload = SimpleUploadedFile(name, data)
            self.ask(f"/shelf/imports/{number}/files/", {"path": name, "file": upload}).close()
        while b"data-over" not in self.ask(f"/shelf/imports/{number}/").read():
            time.sleep(0.05)
        return json.load(self.ask(f"/shelf/found/?import={number}"))["samples"]

    def new_kit(self, name: str, files: dict[str, bytes] | None = None, way: str = "pads") -> str:
        """Its address; ``files`` are given to its first pad, or with "pads" one to each from there on."""
        made = self.ask("/kits/new/", {"name": name})
        if files:
            page = made.read().decode()
            version = re.search(r'id="history"[^>]*data-version="(\d+)"', page)[1]
            pad = re.search(r'class="row[^>]*data-pad="(\d+)"', page)[1]
            given = {"samples": ",".join(map(str, self.bring_in(files))), "way": way, "mode": "replace"}
            self.ask(f"{made.url.removeprefix(self.url)}pads/{pad}/give/", given, **{"X-Kit-Version": version}).close()
        return made.url

    @property
    def process_id(self) -> int:
        return self._process.pid

    def stop(self, how: signal.Signals = signal.SIGINT) -> None:
        self._process.send_signal(how)
        self._process.wait(timeout=PATIENCE_MS / 1000)
        self._process.stdout.close()


@contextmanager
def server(*, with_demo: bool = False) -> Iterator[Server]:
    data = Path(tempfile.mkdtemp(prefix="dactyl-served-"))
    served = Server(data, DACTYL_PAGE_SOUND_MB="32")  # of 98 for the demo's largest kit: it is opened with less work
    try:
        with tempfile.TemporaryDirectory() as own:  # where no tests run
            made = _made_once(Path(os.environ.get(SHARED_FOLDER, own)), with_demo=with_demo)
            shutil.copytree(made, data, dirs_exist_ok=True)
        served.start()
        yield served
    finally:
        served.stop()
        shutil.rmtree(data, ignore_errors=True)


def _made_once(shared: Path, *, with_demo: bool) -> Path:
    """A data folder that was prepared, with the demo in it: made once in a run of tests, by the process that needs it first."""
    folder = shared / ("demo" if with_demo else "empty")
    with folder.with_suffix(".lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        part = folder.with_suffix(".part")
        if not folder.exists():
            if with_demo:
                shutil.copytree(_made_once(shared, with_demo=False), part)
            Server(part).manage("build_demo" if with_demo else "prepare")
            part.rename(folder)
    return folder


@lru_cache(maxsize=1)
def browser() -> Browser:
    """The one of this process, from when it is first needed: beginning it costs as much processor as six pages."""
    playwright = sync_playwright().start()
    chromium = playwright.chromium.launch(executable_path=CHROMIUM, args=[*ARGUMENTS, SOUND_WITHOUT_GESTURE])
    AT_THE_END.callback(playwright.stop)
    AT_THE_END.callback(chromium.close)
    expect.set_options(timeout=PATIENCE_MS)
    return chromium


@contextmanager
def open_window(served: Server, chromium: Browser | None = None) -> Iterator[BrowserContext]:
    with (chromium or browser()).new_context(viewport=VIEWPORT, base_url=served.url) as window:
        window.set_default_timeout(PATIENCE_MS)
        window.new_page().goto("/static/theme.js")  # stays open, and with it the process that others share
        yield window


def open_page(window: BrowserContext) -> tuple[Page, list[str]]:
    """A page, and the list in which every error of its scripts is collected."""
    page = window.new_page()
    problems: list[str] = []
    page.on("dialog", lambda asked: asked.accept() if asked.type == "beforeunload" else asked.dismiss())
    page.on("pageerror", lambda problem: problems.append(str(problem)))
    page.on("console", lambda message: problems.append(message.text) if _is_problem(message) else None)
    return page, problems


def _is_problem(message: ConsoleMessage) -> bool:
    """The browser notes every refused edit (409, 422) as an error; the page shows those as sentences; and a test may take
    the server away."""
    expected = r"status of (409|422)|net::ERR_FAILED"
    return message.type == "error" and not re.search(expected, message.text)


SLOW_ANSWERS = """() => {  // every edit takes half a second longer
  const { send } = XMLHttpRequest.prototype;
  XMLHttpRequest.prototype.send = function (...body) { setTimeout(() => send.apply(this, body), 500); };
}"""

# The audio thread tells the peak of all it played since it told the last: nothing is missed, however busy the machine; what
# really leaves is looked at too. Seconds are the audio thread's own.
LISTEN = f"""async (given, isStruck = () => true) => {{ // the highest peak within some seconds of sound, or until it is above `enough`
  const [seconds, enough = Infinity] = [given].flat();
  const {{ engine }} = window.dactyl;
  while (!engine.node) await new Promise((resolve) => setTimeout(resolve, 10)); // a page that was just opened has none yet
  const {{ node }} = engine;
  const analyser = new AnalyserNode(node.context, {{ fftSize: 32768 }});
  node.connect(analyser);
  const window_ = new Float32Array(analyser.fftSize);
  let peak = 0;
  let isFirst = true; // what is told first is of before
  const told = ({{ detail }}) => {{
    if (!isFirst) peak = Math.max(peak, detail.main);
    isFirst = false;
  }};
  engine.addEventListener("report", told);
  let from = NaN; // when it was struck
  const now = () => node.context.currentTime;
  for (const until = performance.now() + {PATIENCE_MS / 2}; performance.now() < until && peak <= enough && !(now() - from >= seconds); ) {{
    if (Number.isNaN(from) && isStruck(peak)) from = now();
    await new Promise((resolve) => setTimeout(resolve, 50));
    analyser.getFloatTimeDomainData(window_);
    for (const value of window_) peak = Math.max(peak, Math.abs(value));
  }}
  engine.removeEventListener("report", told);
  node.disconnect(analyser);
  return peak;
}}"""
# Before something is struck: a machine that is busy may strike late, so the seconds count once it was, or once it is heard.
BEGIN_LISTENING = f"""(given) => {{
  let isStruck = false;
  window.dactyl.engine.addEventListener("report", ({{ detail }}) => (isStruck ||= detail.played.length > 0));
  window.heard = ({LISTEN})(given, (peak) => isStruck || peak > 1e-5);
}}"""
HEARD = "() => window.heard"  # since then: from before what is to be heard, however busy the machine

PLAYED = "(seconds) => window.dactyl.part.frame > seconds * window.dactyl.engine.rate"  # since the part began


def follow(page: Page, press: Callable[[], object]) -> None:
    """Press what leads to another page, and wait until its scripts run: until then it hears no keys."""
    with page.expect_navigation():
        press()


def drag(page: Page, start: tuple[float, float], end: tuple[float, float], *keys: str) -> None:
    """By the mouse, with keys held down."""
    for key in keys:
        page.keyboard.down(key)
    page.mouse.move(*start)
    page.mouse.down()
    page.mouse.move((start[0] + end[0]) / 2, end[1], steps=4)
    page.mouse.move(*end, steps=4)
    page.mouse.up()
    for key in keys:
        page.keyboard.up(key)


class BrowserCase(SimpleTestCase):
    """From the first of these on Playwright's loop runs in this thread, where rows can't be read any more: the runner puts
    tests that do so before."""

    about_seconds = 25.0  # how long the tests of a class take: the longest begin first

    @classmethod
    def setUpClass(cls):
        browser()
        super().setUpClass()


class Workshop(BrowserCase):
    """One server and one window for all tests of a class; no page may have a script error, or leave something behind."""

    with_demo = False

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.server = cls.enterClassContext(server(with_demo=cls.with_demo))
        cls.window = cls.enterClassContext(open_window(cls.server))

    def page(self, path: str = "/", *, script: str = "") -> Page:
        page, problems = open_page(self.window)
        self.addCleanup(page.close)
        self.addCleanup(page.evaluate, "localStorage.clear()")
        self.addCleanup(page.goto, "/static/theme.js")  # a page that is left may note where it was
        self.addCleanup(lambda: self.assertEqual(problems, []))
        if script:
            page.add_init_script(script)
        page.goto(path)
        return page

    def kit_page(self, name: str, view: str = "/kits/{}/") -> Page:
        """A page of a kit of the demo, without going through the first page."""
        home = self.server.ask("/").read().decode()
        key = re.search(rf'href="/kits/(\d+)/"(?:(?!</a>).)*<strong>{name}</strong>', home, re.DOTALL)[1]
        return self.page(view.format(key))

    def new_kit(self, name: str, files: dict[str, bytes] | None = None, *, way: str = "pads", script: str = "") -> Page:
        """The page of a new kit; ``files`` are in it before it is opened."""
        page = self.page(self.server.new_kit(name, files, way), script=script)
        page.wait_for_selector(".row.empty")
        return page

    def bring_in(self, page: Page, files: dict[str, bytes]) -> None:
        if page.locator("#shelf-edge").is_visible():
            page.click("#shelf-edge")
        payload = [{"name": name, "mimeType": "audio/wav", "buffer": data} for name, data in files.items()]
        page.set_input_files("#files-input", payload)
        page.wait_for_selector("#import [data-over]")
