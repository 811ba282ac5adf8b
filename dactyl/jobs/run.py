"""Queue a job, run it, cancel it, and pick up what a stopped server left.

A job may be run twice: what it does must end the same. A work may name a function as its ``afterwards``, which is called
once the job has ended well: what came in while it ended is taken care of there.
"""

import logging
import time
from collections.abc import Iterable
from dataclasses import dataclass

from django.conf import settings
from django.db import transaction
from django.db.models import F
from django.utils import timezone
from django.utils.module_loading import import_string
from django_tasks import task
from django_tasks_db.models import DBTaskResult

from dactyl.core.errors import DactylError
from dactyl.jobs.models import Job

SECONDS_BETWEEN_WRITES = 0.25
MAX_ATTEMPTS = 3
log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True)
class Progress:
    done: int
    total: int
    label: str = ""


def enqueue(work: str, subject_id: int, *, queue: str) -> Job:
    """Queue ``work``; it starts once the surrounding transaction is committed."""
    job = Job.objects.create(work=work, subject_id=subject_id, queue=queue)
    transaction.on_commit(lambda: run_job.using(queue_name=queue).enqueue(job.pk))
    return job


def cancel(job: Job) -> None:
    """Ask a running job to stop at its next step; a waiting one never starts."""
    Job.objects.filter(pk=job.pk).update(cancel_requested=True)
    Job.objects.filter(pk=job.pk, state=Job.State.QUEUED).update(state=Job.State.CANCELLED, ended_at=timezone.now())


def requeue_unfinished(*queues: str) -> int:
    """Queue again what was waiting or running when its worker stopped. Call it while no worker of ``queues`` runs."""
    queues = queues or tuple(settings.TASKS["default"]["QUEUES"])
    with transaction.atomic():
        DBTaskResult.objects.filter(status__in=["READY", "RUNNING"], queue_name__in=queues).delete()
        unfinished = Job.objects.filter(queue__in=queues).exclude(state__in=Job.ENDED)
        unfinished.filter(attempts__gte=MAX_ATTEMPTS).update(
            state=Job.State.FAILED,
            problem="This stopped the background worker three times and was given up. The server's log says more.",
            ended_at=timezone.now(),
        )
        unfinished.update(state=Job.State.QUEUED)
        jobs = list(unfinished)
    for job in jobs:
        run_job.using(queue_name=job.queue).enqueue(job.pk)
    return len(jobs)


@task(queue_name="imports")  # or the queue that `enqueue` names
def run_job(job_id: int) -> None:
    started = Job.objects.filter(pk=job_id, state=Job.State.QUEUED).update(
        state=Job.State.RUNNING, heartbeat_at=timezone.now(), attempts=F("attempts") + 1
    )
    if not started:
        return
    job = Job.objects.get(pk=job_id)
    try:
        state, problem = _follow(job, import_string(job.work)(job.subject_id)), ""
    except DactylError as error:
        state, problem = Job.State.FAILED, str(error)
    except OSError as error:
        state, problem = Job.State.FAILED, f"The disk refused: {error.strerror or error}. Make room, then try again."
        log.exception("Job %s", job)
    except Exception:
        state, problem = Job.State.FAILED, "Dactyl failed at this; the server's log says more."
        log.exception("Job %s", job)
    Job.objects.filter(pk=job_id).update(state=state, problem=problem, ended_at=timezone.now())
    afterwards = getattr(import_string(job.work), "afterwards", None)
    if afterwards and state == Job.State.DONE:
        afterwards(job.subject_id)


def _follow(job: Job, steps: Iterable[Progress]) -> str:
    """Record each step, seldom enough to keep the database free; stop iterating when asked to."""
    written_at, last = 0.0, None
    for last in steps:
        if time.monotonic() - written_at >= SECONDS_BETWEEN_WRITES:
            written_at = time.monotonic()
            _record(job, last)
            if Job.objects.filter(pk=job.pk, cancel_requested=True).exists():
                getattr(steps, "close", lambda: None)()
                return Job.State.CANCELLED
    if last:
        _record(job, last)
    return Job.State.DONE


def _record(job: Job, progress: Progress) -> None:
    Job.objects.filter(pk=job.pk).update(
        done=progress.done, total=progress.total, label=progress.label[:200], heartbeat_at=timezone.now()
    )
