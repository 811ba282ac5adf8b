"""A recording is a document: its hits are mended with undo; what the page plays of it is prepared."""

import django.db.models.deletion
from django.db import migrations, models


def give_journals(apps, schema_editor):
    Journal, Recording = apps.get_model("history", "Journal"), apps.get_model("recordings", "Recording")
    for recording in Recording.objects.all():
        recording.journal = Journal.objects.create()
        recording.save(update_fields=["journal"])


def journal(null):
    return models.OneToOneField(
        editable=False, null=null, on_delete=django.db.models.deletion.PROTECT, related_name="%(class)s", to="history.journal"
    )  # fmt: skip


class Migration(migrations.Migration):
    dependencies = [("recordings", "0001_initial"), ("history", "0001_initial"), ("parts", "0003_written_for")]

    operations = [
        migrations.AlterModelOptions(name="recording", options={"ordering": ["-pk"]}),
        migrations.AddField("recording", "journal", journal(True)),
        migrations.RunPython(give_journals, migrations.RunPython.noop),
        migrations.AlterField("recording", "journal", journal(False)),
        migrations.AddField("recording", "bars", models.JSONField(default=list)),
        migrations.AddField("recording", "beats", models.PositiveSmallIntegerField(default=4)),
        migrations.AddField("recording", "played_rate_hz", models.PositiveIntegerField(null=True)),
        migrations.AddField("recordedtrack", "channels", models.PositiveSmallIntegerField(default=1)),
        migrations.AddField("recordedtrack", "soft_db", models.FloatField(null=True)),
        migrations.AddField("recordedtrack", "hard_db", models.FloatField(null=True)),
        migrations.AddField("recordedtrack", "velocity", models.PositiveSmallIntegerField(null=True)),
        migrations.AddField("recordedtrack", "pads", models.JSONField(default=dict)),
        migrations.CreateModel(
            name="TrackMend",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("place", models.PositiveIntegerField(null=True)),
                ("is_hit", models.BooleanField()),
                ("time", models.FloatField(null=True)),
                ("level_db", models.FloatField(null=True)),
                ("velocity", models.PositiveSmallIntegerField(null=True)),
                ("track", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="mends", to="recordings.recordedtrack")),
            ],
            options={
                "ordering": ["pk"],
                "constraints": [
                    models.UniqueConstraint(fields=("track", "place"), name="one_mend_of_a_candidate"),
                    models.CheckConstraint(
                        condition=models.Q(("place__isnull", False), ("time__isnull", False), _connector="OR"), name="own_hit_has_a_time"
                    ),
                ],
            },
        ),
        migrations.CreateModel(
            name="RecordedPart",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("zero_seconds", models.FloatField(default=0.0)),
                ("part", models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name="recorded", to="parts.part")),
                ("recording", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="parts", to="recordings.recording")),
            ],
        ),
    ]  # fmt: skip
