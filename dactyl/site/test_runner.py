"""Django's test runner with a data folder of its own, and one closing line that counts."""

import logging
import math
import os
import shutil
import tempfile
from contextlib import ExitStack
from multiprocessing.util import Finalize
from pathlib import Path
from typing import Any
from unittest import TestResult, TestSuite

from django.conf import settings
from django.test import SimpleTestCase, TestCase, TransactionTestCase
from django.test.runner import DiscoverRunner, ParallelTestSuite, _init_worker
from hypothesis import HealthCheck
from hypothesis import settings as hypothesis_settings

AT_THE_END = ExitStack()  # what a process of tests has begun for all of its tests, and must end
SHARED_FOLDER = "DACTYL_TEST_SHARED"  # in the environment: what the processes of one run make once

hypothesis_settings.register_profile(
    "steady", deadline=None, derandomize=True, suppress_health_check=[HealthCheck.too_slow]
)
hypothesis_settings.load_profile("steady")  # the same examples every time, and none fails for a busy machine


def _own_data_folder() -> None:
    settings.DATA = Path(tempfile.mkdtemp(prefix="dactyl-test-"))
    settings.FILE_UPLOAD_TEMP_DIR = settings.DATA / "incoming"
    settings.FILE_UPLOAD_TEMP_DIR.mkdir()
    AT_THE_END.callback(shutil.rmtree, settings.DATA, ignore_errors=True)


def _begin_worker(*args: Any, **kwargs: Any) -> None:
    """Of a parallel run: a database and a data folder of its own."""
    _init_worker(*args, **kwargs)
    AT_THE_END.pop_all()  # what the process has begun that this one was forked from
    _own_data_folder()
    Finalize(None, AT_THE_END.close, exitpriority=1)


def _turn(suite: TestSuite) -> float:
    """The tests of a class in a browser come last (see BrowserCase), the longest first, so that no process is left alone."""
    return -getattr(next(iter(suite)), "about_seconds", math.inf)


class SideBySide(ParallelTestSuite):
    init_worker = _begin_worker

    def __init__(self, subsuites: list[TestSuite], *args: Any, **kwargs: Any) -> None:
        super().__init__(sorted(subsuites, key=_turn), *args, **kwargs)


class CountingRunner(DiscoverRunner):
    parallel_test_suite = SideBySide
    reorder_by = (TestCase, TransactionTestCase, SimpleTestCase)  # rows first: see BrowserCase

    def setup_test_environment(self, **kwargs: Any) -> None:
        super().setup_test_environment(**kwargs)
        _own_data_folder()
        os.environ[SHARED_FOLDER] = tempfile.mkdtemp(prefix="dactyl-shared-")
        AT_THE_END.callback(shutil.rmtree, os.environ[SHARED_FOLDER], ignore_errors=True)
        logging.getLogger("django.request").setLevel(logging.ERROR)  # tests ask for refusals all the time,
        logging.getLogger("django.security").setLevel(logging.CRITICAL)  # and in the name of other sites

    def run_suite(self, suite: TestSuite, **kwargs: Any) -> TestResult:
        with AT_THE_END:
            return super().run_suite(suite, **kwargs)

    def suite_result(self, suite: Any, result: TestResult, **kwargs: Any) -> int:
        failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
        line = f"{max(0, result.testsRun - failed - len(result.skipped))} passed, {failed} failed"
        self.closing_line = line + (f", {len(result.skipped)} skipped" if result.skipped else "")
        return super().suite_result(suite, result, **kwargs)

    def run_tests(self, *args: Any, **kwargs: Any) -> int:
        failures = super().run_tests(*args, **kwargs)
        print(self.closing_line, flush=True)
        return failures
