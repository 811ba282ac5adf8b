"""The history moves to an app of its own: each kit and each proposal gets a journal."""

from django.db import migrations, models
from django.db.models import deletion


def give_journals(apps, schema_editor):
    Journal, Moved = apps.get_model("history", "Journal"), apps.get_model("history", "Revision")
    for kit in apps.get_model("kits", "Kit").objects.all():
        kit.journal = Journal.objects.create(version=kit.version, changed_at=kit.changed_at)
        kit.save(update_fields=["journal"])
    journals = dict(apps.get_model("kits", "Kit").objects.values_list("pk", "journal"))
    for old in apps.get_model("kits", "Revision").objects.order_by("pk").iterator(100):
        Moved.objects.create(
            pk=old.pk, journal_id=journals[old.kit_id], sentence=old.sentence, rows=old.rows, touched=old.pads,
            changes_order=old.changes_order, is_undone=old.is_undone, made_at=old.made_at,
        )
    for proposal in apps.get_model("kits", "Proposal").objects.all():
        proposal.journal = Journal.objects.create()
        proposal.save(update_fields=["journal"])


def keep_one_default(apps, schema_editor):
    """Two default maps of one kit were accepted before: the first stays it."""
    Map = apps.get_model("kits", "Map")
    seen = set()
    for row in Map.objects.filter(is_default=True).order_by("pk"):
        if row.kit_id in seen:
            row.is_default = False
            row.save(update_fields=["is_default"])
        seen.add(row.kit_id)


def journal(name, null):
    field = models.OneToOneField(
        editable=False, null=null, on_delete=deletion.PROTECT, related_name="%(class)s", to="history.journal"
    )
    return {"model_name": name, "name": "journal", "field": field}


class Migration(migrations.Migration):
    dependencies = [("kits", "0001_initial"), ("history", "0001_initial")]

    operations = [
        migrations.AddField(**journal("kit", True)),
        migrations.AddField(**journal("proposal", True)),
        migrations.RunPython(give_journals),
        migrations.RunPython(keep_one_default),
        migrations.AlterField(**journal("kit", False)),
        migrations.AlterField(**journal("proposal", False)),
        migrations.RemoveField(model_name="kit", name="version"),
        migrations.RemoveField(model_name="kit", name="changed_at"),
        migrations.DeleteModel(name="Revision"),
        migrations.AddConstraint(
            model_name="map",
            constraint=models.UniqueConstraint(
                condition=models.Q(("is_default", True)), fields=("kit",), name="one_default_map_of_a_kit"
            ),
        ),
    ]
