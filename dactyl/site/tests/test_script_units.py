"""Each script's own tests, written beside it in its language: frontend/tests."""

from collections.abc import Callable

from dactyl.site.tests.scripts import FRONTEND, ScriptCase

TESTS = FRONTEND / "tests"
OUTCOMES = "async (file) => { await import(`/tests/${file}`); return (await import('/tests/harness.js')).outcomes(); }"


class Units(ScriptCase):
    def check(self, file: str) -> None:
        self.fresh_page()
        outcomes = self.page.evaluate(OUTCOMES, file)
        self.assertTrue(outcomes, "no tests")
        for name, problem in outcomes:
            with self.subTest(name):
                self.assertFalse(problem, problem)


def _test_of(file: str) -> Callable[[Units], None]:
    return lambda self: self.check(file)


for path in sorted(TESTS.glob("*/*.js")):
    setattr(Units, f"test_{path.parent.name}_{path.stem}", _test_of(f"{path.parent.name}/{path.name}"))
