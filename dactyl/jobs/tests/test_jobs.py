"""Jobs: run, watched, cancelled, failed in a sentence, and picked up after a stop."""

import os
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from itertools import islice
from unittest.mock import patch

from django.conf import settings
from django.db import OperationalError
from django.test import SimpleTestCase, TransactionTestCase
from django_tasks_db.models import DBTaskResult

from dactyl.core.errors import AudioError
from dactyl.jobs import run
from dactyl.jobs.models import Job
from dactyl.jobs.run import Progress

HERE = "dactyl.jobs.tests.test_jobs"
steps: list[str] = []


def counts(subject_id: int) -> Iterator[Progress]:
    steps.append("begun")
    try:
        for number in range(1, 5):
            yield Progress(number, 4, f"step {number}")
            steps.append(f"after {number}")
    finally:
        steps.append("tidied")


def refuses(subject_id: int) -> Iterator[Progress]:
    raise AudioError("The tom is silent. Record it again.")
    yield


def finds_no_room(subject_id: int) -> Iterator[Progress]:
    yield Progress(1, 2)
    raise OSError(28, "No space left on device")


def finds_it_written(subject_id: int) -> Iterator[Progress]:
    yield Progress(1, 2)
    raise OperationalError("database is locked")


def asks_wrongly(subject_id: int) -> Iterator[Progress]:
    yield Progress(1, 2)
    raise OperationalError("no such table: kit")


def has_a_mistake(subject_id: int) -> Iterator[Progress]:
    yield Progress(1, 2)
    raise ZeroDivisionError


class Jobs(TransactionTestCase):
    def setUp(self):
        steps.clear()

    def job(self, work: str) -> Job:
        return run.enqueue(f"{HERE}.{work}", 7, queue="imports")

    def run_now(self, job: Job) -> Job:
        run.run_job.func(job.pk)
        job.refresh_from_db()
        return job

    def test_progress_is_kept_and_the_end_is_noted(self):
        job = self.run_now(self.job("counts"))
        self.assertEqual((job.state, job.done, job.total, job.label, job.percent), ("done", 4, 4, "step 4", 100))
        self.assertEqual((steps[0], steps[-1], job.attempts), ("begun", "tidied", 1))
        self.assertIsNotNone(job.ended_at)

    def test_a_running_job_writes_seldom(self):
        with patch.object(run, "_record", wraps=run._record) as record:
            self.run_now(self.job("counts"))
        self.assertLessEqual(record.call_count, 2, "the first step and the last")

    def test_a_waiting_job_that_is_cancelled_never_starts(self):
        job = self.job("counts")
        run.cancel(job)
        self.assertEqual((self.run_now(job).state, steps), ("cancelled", []))

    def test_a_running_job_stops_at_its_next_step_and_tidies(self):
        job = self.job("counts")

        def cancel_after_the_first(job_row, progress):
            run.cancel(job)

        with patch.object(run, "_record", cancel_after_the_first):
            self.run_now(job)
        self.assertEqual((job.state, steps), ("cancelled", ["begun", "tidied"]))

    def test_each_way_to_fail_has_its_sentence(self):
        for work, words in (
            ("refuses", "The tom is silent. Record it again."),
            ("finds_no_room", "The disk refused: No space left on device. Make room, then try again."),
            ("finds_it_written", "Something long was being written meanwhile. Try again in a moment."),
            ("asks_wrongly", "Dactyl failed at this; the server's log says more."),
            ("has_a_mistake", "Dactyl failed at this; the server's log says more."),
        ):
            with self.subTest(work), self.settings(LOGGING_CONFIG=None):
                with patch.object(run.log, "exception"):
                    job = self.run_now(self.job(work))
                self.assertEqual((job.state, job.problem), ("failed", words))

    def test_what_a_stop_left_is_queued_again_and_given_up_after_three_times(self):
        under_way, waiting, tired, ended = (self.job("counts") for _ in range(4))
        Job.objects.filter(pk=under_way.pk).update(state=Job.State.RUNNING, attempts=1)
        Job.objects.filter(pk=tired.pk).update(state=Job.State.RUNNING, attempts=run.MAX_ATTEMPTS)
        self.run_now(ended)
        steps.clear()
        DBTaskResult.objects.update(status="RUNNING")
        self.assertEqual(run.requeue_abandoned("imports"), 2)
        states = {job.pk: job.state for job in Job.objects.all()}
        self.assertEqual(states, {under_way.pk: "queued", waiting.pk: "queued", tired.pk: "failed", ended.pk: "done"})
        self.assertEqual(DBTaskResult.objects.filter(status="READY").count(), 2)
        self.assertEqual(self.run_now(under_way).attempts, 2)

    def test_a_job_that_came_twice_runs_once(self):
        job = self.job("counts")
        self.run_now(job)
        steps.clear()
        run.run_job.func(job.pk)
        self.assertEqual(steps, [])

    def test_what_a_living_worker_runs_is_not_run_by_another(self):
        job = self.job("counts")
        Job.objects.filter(pk=job.pk).update(state=Job.State.RUNNING)
        with run._holding(job.pk):
            self.assertEqual(run.requeue_abandoned("imports"), 0)
            run.run_job.func(job.pk)
        self.assertEqual(steps, [])
        self.assertEqual(run.requeue_abandoned("imports"), 1)

    def test_stopping_is_not_failing(self):
        job = self.job("counts")
        for _ in range(5):
            Job.objects.filter(pk=job.pk).update(state=Job.State.RUNNING, attempts=1)
            DBTaskResult.objects.get().claim("one that stops")
            with run._holding(job.pk):
                run.give_back()
            self.assertEqual(run.requeue_abandoned(), 1)
            self.assertEqual(DBTaskResult.objects.ready().count(), 1, "it is taken at once, and runs once")
        job.refresh_from_db()
        self.assertEqual((job.state, job.attempts), ("queued", 0))


class Workers(SimpleTestCase):
    def test_another_takes_the_place_of_one_that_dies_and_all_end_with_their_server(self):
        with tempfile.TemporaryDirectory(prefix="dactyl-jobs-") as folder:  # without a database no worker lives long
            environment = os.environ | {"DACTYL_DATA": folder}
            command = [sys.executable, "manage.py", "work", "--keep", "imports", "bounces"]
            with subprocess.Popen(command, cwd=settings.ROOT, env=environment, stdin=subprocess.PIPE, stderr=subprocess.PIPE, text=True) as keeper:  # fmt: skip
                deaths = (line for line in keeper.stderr if line.startswith("django.db.utils.OperationalError"))
                self.assertEqual(len(list(islice(deaths, 5))), 5, "of two, and of those who came after")
                keeper.stdin.close()
                self.assertEqual(keeper.wait(timeout=20), 0)
