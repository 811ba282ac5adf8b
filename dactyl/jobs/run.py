"""Queue a job, run it, cancel it, and pick up what a stopped server left.

A job may be run twice, one after the other: what it does must end the same. It never runs twice at once: who runs it holds
the lock of its file, which the system takes back when its process ends, however it ends. A work may name a function as its ``afterwards``, which is called
once the job has ended well: what came in while it ended is taken care of there.
"""

import logging
import time
from collections.abc import Generator, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from django.conf import settings
from django.db import OperationalError, transaction
from django.db.models import F
from django.utils import timezone
from django.utils.module_loading import import_string
from django_tasks import task
from django_tasks_db.models import DBTaskResult
from filelock import FileLock, Timeout

from dactyl.core.errors import DactylError
from dactyl.core.fields import printable
from dactyl.core.steps import Made
from dactyl.jobs.models import Job
from dactyl.jobs.reserve import is_busy, is_full_disk, with_reserve

SECONDS_BETWEEN_WRITES = 0.25
TIME_TO_BEGIN = timedelta(seconds=10)  # a worker has claimed a job, and has its lock before that is over
MAX_ATTEMPTS = 3
FAILED = "Dactyl failed at this; the server's log says more."
log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True)
class Progress:
    done: int
    total: int
    label: str = ""


def reported(steps: Generator[tuple[Any, ...], None, Made], *label: str) -> Generator[Progress, None, Made]:
    """Progress of work that says (done, total), or with a label of its own; what it returns is returned."""
    while True:
        try:
            step = next(steps)
        except StopIteration as end:
            return end.value
        yield Progress(*step, *label)


def enqueue(work: str, subject_id: int, *, queue: str) -> Job:
    """Queue ``work``; it starts once the surrounding transaction is committed."""
    job = Job.objects.create(work=work, subject_id=subject_id, queue=queue)
    transaction.on_commit(lambda: run_job.using(queue_name=queue).enqueue(job.pk))
    return job


def latest(work: str, subject_id: int) -> Job | None:
    """The job of this kind that was queued last for a subject."""
    return Job.objects.filter(work=work, subject_id=subject_id).order_by("-pk").first()


def cancel(job: Job) -> None:
    """Ask a running job to stop at its next step; a waiting one never starts."""
    Job.objects.filter(pk=job.pk).update(cancel_requested=True)
    Job.objects.filter(pk=job.pk, state=Job.State.QUEUED).update(state=Job.State.CANCELLED, ended_at=timezone.now())


def requeue_abandoned(*queues: str) -> int:
    """Queue again what was waiting or running when its worker stopped; what a living worker runs is left to it."""
    queues = queues or tuple(settings.TASKS["default"]["QUEUES"])
    unfinished = Job.objects.filter(queue__in=queues).exclude(state__in=Job.ENDED)
    if not unfinished.exists():
        return 0
    with transaction.atomic():
        abandoned = [job for job in unfinished if job.state == Job.State.QUEUED or not _is_held(job.pk)]
        results = DBTaskResult.objects.filter(status__in=["READY", "RUNNING"], queue_name__in=queues)
        stale = {job.pk for job in abandoned if job.state == Job.State.RUNNING or job.attempts >= MAX_ATTEMPTS}
        long_ago = timezone.now() - TIME_TO_BEGIN
        queued = set()
        for result in results:
            job_id = _job_of(result)
            is_left = result.status == "RUNNING" and not (result.started_at and result.started_at > long_ago)
            if job_id in stale or (is_left and not _is_held(job_id)):
                result.delete()
            else:
                queued.add(job_id)
        given_up = [job.pk for job in abandoned if job.attempts >= MAX_ATTEMPTS]
        Job.objects.filter(pk__in=given_up).update(
            state=Job.State.FAILED,
            problem="This stopped the background worker three times and was given up. The server's log says more.",
            ended_at=timezone.now(),
        )
        again = [job for job in abandoned if job.pk not in given_up]
        Job.objects.filter(pk__in=[job.pk for job in again]).update(state=Job.State.QUEUED)
    for job in again:
        if job.pk not in queued:
            run_job.using(queue_name=job.queue).enqueue(job.pk)
    return len(again)


_under_way: set[int] = set()  # jobs of this process


def give_back() -> None:
    """This process is stopped by its user: what it runs is queued again, for the next worker to take at once, and that it did
    not end is not held against it."""
    Job.objects.filter(pk__in=_under_way, state=Job.State.RUNNING).update(
        state=Job.State.QUEUED, attempts=F("attempts") - 1
    )
    for result in DBTaskResult.objects.filter(status="RUNNING"):
        if _job_of(result) in _under_way:
            DBTaskResult.objects.filter(pk=result.pk).update(status="READY", started_at=None)


def _job_of(result: DBTaskResult) -> int:
    return result.args_kwargs["args"][0]


@contextmanager
def _holding(job_id: int) -> Iterator[bool]:
    """Whether this process has the job for itself; it has until the end of the block, or its own."""
    path = settings.DATA / "jobs" / str(job_id)
    path.parent.mkdir(parents=True, exist_ok=True)
    lock = FileLock(path, timeout=0)
    try:
        lock.acquire()
    except Timeout:
        yield False
        return
    _under_way.add(job_id)
    try:
        yield True
    finally:
        _under_way.discard(job_id)
        path.unlink(missing_ok=True)
        lock.release()


def _is_held(job_id: int) -> bool:
    path = settings.DATA / "jobs" / str(job_id)
    if not path.exists():
        return False
    try:
        with FileLock(path, timeout=0):
            return False
    except Timeout:
        return True


@task(queue_name="imports")  # or the queue that `enqueue` names
def run_job(job_id: int) -> None:
    with _holding(job_id) as is_ours:
        if is_ours:
            _run(job_id)


def _run(job_id: int) -> None:
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
    except (OSError, OperationalError) as error:
        state, problem = Job.State.FAILED, _refusal(error)
        log.exception("Job %s", job)
    except SystemExit:
        give_back()
        raise
    except Exception:
        state, problem = Job.State.FAILED, FAILED
        log.exception("Job %s", job)
    _end(job_id, state, problem)
    afterwards = getattr(import_string(job.work), "afterwards", None)
    if afterwards and state == Job.State.DONE:
        afterwards(job.subject_id)


def _refusal(error: OSError | OperationalError) -> str:
    if is_busy(error):
        return "Something long was being written meanwhile. Try again in a moment."
    if isinstance(error, OperationalError) and not is_full_disk(error):
        return FAILED
    reason = error.strerror if isinstance(error, OSError) else None
    return f"The disk refused: {reason or error}. Make room, then try again."


def _end(job_id: int, state: str, problem: str) -> None:
    """Write how a job ended; on a full disk the reserve makes room for it."""
    ended = {"state": state, "problem": printable(problem), "ended_at": timezone.now()}
    try:
        Job.objects.filter(pk=job_id).update(**ended)
    except OperationalError:
        with with_reserve():
            Job.objects.filter(pk=job_id).update(**ended)


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
