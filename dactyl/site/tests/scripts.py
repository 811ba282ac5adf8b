"""A script of the page by itself, in a real browser, beside what the core says."""

import base64
import re
from pathlib import Path

from django.conf import settings

from dactyl.site.tests.served import BrowserCase, browser

SCRIPTS = Path(settings.ROOT) / "frontend" / "js"


def module(path: str) -> str:
    """A script as an address that can be imported, with what it imports inside."""
    text = re.sub(
        r'from "(\..*?)"', lambda found: f'from "{module(str(Path(path).parent / found[1]))}"',
        (SCRIPTS / path).read_text("utf-8"),
    )  # fmt: skip
    return f"data:text/javascript;base64,{base64.b64encode(text.encode()).decode()}"


class ScriptCase(BrowserCase):
    about_seconds = 5.0

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.page = cls.enterClassContext(browser().new_context()).new_page()

    def run_in(self, path: str, body: str, given: object = None) -> object:
        """Evaluate ``body``, an async function of the module and what is given."""
        return self.page.evaluate(f"async (given) => {{ const m = await import({module(path)!r}); {body} }}", given)
