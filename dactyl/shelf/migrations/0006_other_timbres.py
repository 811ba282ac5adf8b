"""Timbres are other numbers now: those of before are forgotten, and samples heard again in the background."""

from django.db import migrations


def forget(apps, schema_editor):
    apps.get_model("shelf", "Sample").objects.exclude(timbre=b"").update(timbre=b"")


class Migration(migrations.Migration):
    dependencies = [("shelf", "0005_is_guessed")]

    operations = [migrations.RunPython(forget)]
