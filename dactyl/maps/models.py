"""What belongs to no kit: controllers, and the notes of other instruments by name."""

from django.db import models

from dactyl.history.models import Document


class Device(Document):
    """What notes the cells of a controller send; kept for all kits."""

    name = models.CharField(max_length=60)
    port = models.CharField(max_length=120, blank=True)  # what the browser calls it; empty: any
    channel = models.PositiveSmallIntegerField(null=True)  # 0 to 15; null: any
    rows = models.PositiveSmallIntegerField()
    columns = models.PositiveSmallIntegerField()
    notes = models.JSONField()  # of each place, or null, as core.maps.devices says
    falls_through = models.BooleanField(default=True)  # other notes of it find pads by the kit's default map
    is_forgotten = models.BooleanField(default=False)

    class Meta:
        db_table = "kits_device"  # where it was before devices had an app of their own
        ordering = ["pk"]

    def __str__(self) -> str:
        return self.name


class NoteNames(models.Model):
    """The notes of other instruments by name, read from a MIDI name document; what parts may be written for."""

    name = models.CharField(max_length=80)
    names = models.JSONField()  # {"36": "Kick", ...}

    class Meta:
        db_table = "kits_notenames"
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name
