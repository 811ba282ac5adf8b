"""A part's hits become rows, one for each event; and every part gets a journal."""

from bisect import bisect_left
from collections import Counter

from django.db import migrations, models
from django.db.models import deletion


def write_events(apps, schema_editor):
    Journal, Event = apps.get_model("history", "Journal"), apps.get_model("parts", "Event")
    for part in apps.get_model("parts", "Part").objects.all():
        part.journal = Journal.objects.create(changed_at=part.added_at)
        part.meters = [[0, part.beats_per_bar, part.beat_unit]]
        part.save(update_fields=["journal", "meters"])
        placed = [(place, 1, note) for place, note in enumerate(part.notes)]
        placed += [(place, 0, (tick, note, 0, channel, 0)) for place, tick, note, channel in _unsaid(part)]
        orders = Counter()
        rows = []
        for _, _, (tick, note, velocity, channel, length) in sorted(placed, key=lambda each: each[:2]):
            rows.append(Event(
                part=part, tick=tick, order=orders[tick], note=note, velocity=velocity, channel=channel,
                length_ticks=length, played_tick=tick,
            ))
            orders[tick] += 1
        Event.objects.bulk_create(rows, batch_size=1000)


def _unsaid(part):
    """The note-offs that the lengths of hits do not say, or say in another place among the notes."""
    ticks = [note[0] for note in part.notes]
    said = Counter((tick + length, note, channel) for tick, note, _, channel, length in part.notes if length)
    for place, tick, note, channel in part.offs:
        if said[tick, note, channel]:
            said[tick, note, channel] -= 1
            if place <= bisect_left(ticks, tick):
                continue
        yield place, tick, note, channel


def journal(null):
    field = models.OneToOneField(
        editable=False, null=null, on_delete=deletion.PROTECT, related_name="%(class)s", to="history.journal"
    )
    return {"model_name": "part", "name": "journal", "field": field}


class Migration(migrations.Migration):
    dependencies = [("parts", "0001_initial"), ("history", "0001_initial")]

    operations = [
        migrations.CreateModel(
            name="Pass",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("number", models.PositiveIntegerField()),
                ("is_muted", models.BooleanField(default=False)),
                ("recorded_as", models.CharField(max_length=40)),
                ("part", models.ForeignKey(on_delete=deletion.CASCADE, related_name="passes", to="parts.part")),
            ],
            options={
                "ordering": ["number"],
                "constraints": [
                    models.UniqueConstraint(fields=("part", "recorded_as"), name="pass_written_once")
                ],
            },
        ),
        migrations.CreateModel(
            name="Event",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("tick", models.PositiveBigIntegerField()),
                ("order", models.IntegerField(default=0)),
                ("note", models.PositiveSmallIntegerField()),
                ("velocity", models.PositiveSmallIntegerField()),
                ("channel", models.PositiveSmallIntegerField(default=9)),
                ("length_ticks", models.PositiveBigIntegerField(default=0)),
                ("played_tick", models.PositiveBigIntegerField()),
                (
                    "of_pass",
                    models.ForeignKey(
                        null=True, on_delete=deletion.SET_NULL, related_name="events", to="parts.pass"
                    ),
                ),
                (
                    "part",
                    models.ForeignKey(on_delete=deletion.CASCADE, related_name="events", to="parts.part"),
                ),
            ],
            options={
                "ordering": ["tick", "order", "pk"],
                "indexes": [models.Index(fields=["part", "tick", "order"], name="parts_event_in_order")],
                "constraints": [
                    models.CheckConstraint(
                        condition=models.Q(("channel__lte", 15), ("note__lte", 127), ("velocity__lte", 127)),
                        name="event_is_midi",
                    )
                ],
            },
        ),
        migrations.AddField("part", "meters", models.JSONField(default=list), preserve_default=False),
        migrations.AddField("part", "sections", models.JSONField(default=list)),
        migrations.AddField(**journal(True)),
        migrations.RunPython(write_events),
        migrations.AlterField(**journal(False)),
        migrations.RemoveField("part", "notes"),
        migrations.RemoveField("part", "offs"),
        migrations.RemoveField("part", "beats_per_bar"),
        migrations.RemoveField("part", "beat_unit"),
    ]
