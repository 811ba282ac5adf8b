"""The notes of pads in bounces' snapshots stand in the default map, as in kits."""

from importlib import import_module

from django.db import migrations

of_kits = import_module("dactyl.kits.migrations.0009_notes_in_maps")


class Migration(migrations.Migration):
    dependencies = [("bounces", "0005_blend"), ("kits", "0009_notes_in_maps")]

    operations = [
        migrations.RunPython(lambda apps, _: of_kits.bring_up(apps.get_model("bounces", "Bounce"), "kit_snapshot"))
    ]
