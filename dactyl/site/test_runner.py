"""Django's test runner, with one closing line that counts."""

from typing import Any
from unittest import TestResult

from django.test.runner import DiscoverRunner


class CountingRunner(DiscoverRunner):
    def suite_result(self, suite: Any, result: TestResult, **kwargs: Any) -> int:
        failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        line = f"{result.testsRun - failed - len(result.skipped)} passed, {failed} failed"
        self.closing_line = line + (f", {len(result.skipped)} skipped" if result.skipped else "")
        return super().suite_result(suite, result, **kwargs)

    def run_tests(self, *args: Any, **kwargs: Any) -> int:
        failures = super().run_tests(*args, **kwargs)
        print(self.closing_line)
        return failures
