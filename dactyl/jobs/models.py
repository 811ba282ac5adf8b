"""A job is background work a person can watch and cancel."""

from django.db import models
from django.utils import timezone


class Job(models.Model):
    class State(models.TextChoices):
        QUEUED = "queued"
        RUNNING = "running"
        DONE = "done"
        FAILED = "failed"
        CANCELLED = "cancelled"

    ENDED = (State.DONE, State.FAILED, State.CANCELLED)

    work = models.CharField(max_length=100)  # dotted name of a generator function (subject_id) -> Progress, ...
    subject_id = models.BigIntegerField()
    queue = models.CharField(max_length=20)
    state = models.CharField(max_length=10, choices=State, default=State.QUEUED)
    cancel_requested = models.BooleanField(default=False)
    attempts = models.PositiveSmallIntegerField(default=0)
    done = models.BigIntegerField(default=0)
    total = models.BigIntegerField(default=0)
    label = models.CharField(max_length=200, blank=True)
    problem = models.TextField(blank=True)
    created_at = models.DateTimeField(default=timezone.now)
    heartbeat_at = models.DateTimeField(null=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        indexes = [models.Index(fields=["state"])]

    def __str__(self) -> str:
        return f"{self.work} of {self.subject_id}: {self.state}"

    @property
    def is_over(self) -> bool:
        return self.state in self.ENDED

    @property
    def percent(self) -> int:
        return min(100, round(100 * self.done / self.total)) if self.total else 0
