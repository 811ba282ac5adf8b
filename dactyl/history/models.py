"""The journal of a document: its version, and every edit with the rows it changed. It knows no kit and no part."""

from typing import Any

from django.db import models
from django.utils import timezone


class Journal(models.Model):
    """The history of one document; the version rises with every edit, undo and redo."""

    version = models.PositiveBigIntegerField(default=1)
    changed_at = models.DateTimeField(default=timezone.now)

    def __str__(self) -> str:
        return f"Journal {self.pk} at version {self.version}"


class Documents(models.Manager):
    """Documents come with their version."""

    def get_queryset(self) -> models.QuerySet:
        return super().get_queryset().select_related("journal")


class Document(models.Model):
    """What has a history of its own: a kit, a part, a proposal."""

    journal = models.OneToOneField(Journal, models.PROTECT, editable=False, related_name="%(class)s")

    objects = Documents()

    class Meta:
        abstract = True

    def save(self, *args: Any, **kwargs: Any) -> None:
        if self.journal_id is None:
            self.journal = Journal.objects.create()
        super().save(*args, **kwargs)

    @property
    def version(self) -> int:
        return self.journal.version


class Revision(models.Model):
    """One edit: a sentence a person can read, and the rows it changed, before and after."""

    journal = models.ForeignKey(Journal, models.CASCADE, related_name="revisions")
    sentence = models.CharField(max_length=200)
    rows = models.JSONField()  # [table, primary key, fields before or null, fields after or null]
    touched = models.JSONField()  # keys of what a page must draw anew: the pads of a kit
    changes_order = models.BooleanField(default=False)  # what a page lists came, went or moved
    is_undone = models.BooleanField(default=False)
    made_at = models.DateTimeField(default=timezone.now)

    class Meta:
        indexes = [models.Index(fields=["journal", "is_undone"], name="revisions_of_a_journal")]

    def __str__(self) -> str:
        return self.sentence
