"""Sets: kits in an order."""

from django.db import models

from dactyl.kits.models import Kit


class KitSet(models.Model):
    """Kits in an order, to be flipped through while a part plays."""

    name = models.CharField(max_length=80)

    class Meta:
        db_table = "kits_kitset"  # where it was before sets had an app of their own
        ordering = ["pk"]

    def __str__(self) -> str:
        return self.name


class KitOfSet(models.Model):
    of_set = models.ForeignKey(KitSet, models.CASCADE, related_name="places")
    kit = models.ForeignKey(Kit, models.CASCADE, related_name="sets")
    position = models.PositiveIntegerField()

    class Meta:
        db_table = "kits_kitofset"
        ordering = ["position"]
        constraints = [models.UniqueConstraint(fields=["of_set", "kit"], name="kit_once_in_a_set")]

    def __str__(self) -> str:
        return f"{self.kit} in {self.of_set}"
