"""Pages of kits that tests begin with, and what is heard there."""

from collections.abc import Callable

from playwright.sync_api import Locator, Page, expect

from dactyl.shelf.tests.sounds import hit, sound_bytes
from dactyl.site.tests.served import BEGIN_LISTENING, HEARD, LISTEN, Workshop


class KitPages(Workshop):
    def rows(self, page: Page) -> Locator:
        return page.locator(".row[data-pad]")

    def settle(self, page: Page) -> None:
        """Wait until nothing sounds."""
        for _ in range(20):
            if page.evaluate(LISTEN, 0.15) < 1e-4:
                return
        self.fail("It never falls silent.")

    def heard_at_last(self, page: Page, strike: Callable[[], object]) -> None:
        """Strike until it sounds: the first strikes may come before the sound has."""
        for _ in range(10):
            page.evaluate(BEGIN_LISTENING, [0.5, 0.01])
            strike()
            if page.evaluate(HEARD) > 0.01:
                return
        self.fail("It is never heard.")

    def layered(self, name: str, count: int = 3) -> Page:
        """A kit whose first pad has layers of two takes each."""
        levels = {
            f"{name} tom {n + 1:02}.wav": sound_bytes(hit(-30 + 12 * (n // 2) + 0.3 * n, seed=hash_of(name) + n))
            for n in range(2 * count)
        }
        page = self.new_kit(name, levels, way="layers")
        expect(page.locator("#card .layers > li")).to_have_count(count)
        return page


def hash_of(name: str) -> int:
    return sum(map(ord, name)) * 100
