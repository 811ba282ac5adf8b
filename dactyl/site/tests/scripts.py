"""Scripts of the page by themselves, in a real browser: nothing is there but what is in frontend/."""

from pathlib import Path

from django.conf import settings
from playwright.sync_api import Route

from dactyl.site.tests.served import BrowserCase, browser

FRONTEND = Path(settings.ROOT) / "frontend"
ORIGIN = "http://scripts.localhost"  # a page that is trusted as that of a server on this machine is
TYPES = {".js": "text/javascript", ".json": "application/json", "": "text/html"}


class ScriptCase(BrowserCase):
    about_seconds = 8.0

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.page = cls.enterClassContext(browser().new_context()).new_page()
        cls.page.route(f"{ORIGIN}/**", _answer)

    def fresh_page(self) -> None:
        self.page.goto(f"{ORIGIN}/")

    def run_in(self, path: str, body: str, given: object = None) -> object:
        """Evaluate ``body``, an async function of the module ``m`` and what is ``given``, in a page without anything else."""
        self.fresh_page()
        return self.page.evaluate(f"async (given) => {{ const m = await import('/js/{path}'); {body} }}", given)


def _answer(route: Route) -> None:
    path = FRONTEND / route.request.url.removeprefix(f"{ORIGIN}/")
    text = path.read_text("utf-8") if path.is_file() else "<!doctype html><title>Scripts</title><body></body>"
    route.fulfill(content_type=TYPES.get(path.suffix, "text/plain"), body=text)
