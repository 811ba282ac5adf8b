"""Each script's own tests, written beside it in its language (frontend/tests), run in a real browser."""

from pathlib import Path

from django.conf import settings
from playwright.sync_api import Route

from dactyl.site.tests.scripts import ScriptCase

FRONTEND = Path(settings.ROOT) / "frontend"
TESTS = FRONTEND / "tests"
ORIGIN = "http://scripts.localhost"  # a page that is trusted as the server on this machine is
TYPES = {".js": "text/javascript", "": "text/html"}


class Units(ScriptCase):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.page.route(f"{ORIGIN}/**", cls.serve)

    @staticmethod
    def serve(route: Route) -> None:
        path = FRONTEND / route.request.url.removeprefix(f"{ORIGIN}/")
        text = path.read_text("utf-8") if path.is_file() else "<!doctype html><title>Tests</title><body></body>"
        route.fulfill(content_type=TYPES[path.suffix], body=text)

    def check(self, file: str) -> None:
        self.page.goto(f"{ORIGIN}/")
        outcomes = self.page.evaluate(
            "async (file) => { await import(`/tests/${file}`); return (await import('/tests/harness.js')).outcomes(); }",
            file,
        )
        self.assertTrue(outcomes, "no tests")
        for name, problem in outcomes:
            with self.subTest(name):
                self.assertFalse(problem, problem)


def _own_test(file: str):
    return lambda self: self.check(file)


for path in sorted(TESTS.glob("*/*.js")):
    setattr(Units, f"test_{path.parent.name}_{path.stem}", _own_test(f"{path.parent.name}/{path.name}"))
