"""A bounce keeps the part as it was, beside the kit: the part may be edited or deleted after it."""

import json
import zlib

from django.db import migrations, models
from django.db.models import deletion


def keep_parts(apps, schema_editor):
    Event = apps.get_model("parts", "Event")
    names = ("tick", "note", "velocity", "channel", "length_ticks", "order")
    for bounce in apps.get_model("bounces", "Bounce").objects.select_related("part"):
        part = bounce.part
        rows = Event.objects.filter(part=part).order_by("tick", "order", "pk").values(*names)
        value = {
            "name": part.name,
            "ticks_per_beat": part.ticks_per_beat,
            "tempos": part.tempos,
            "events": list(rows),
            "end_tick": part.end_tick,
            "meters": part.meters,
        }
        bounce.part_name = part.name
        bounce.part_snapshot = zlib.compress(json.dumps(value).encode())
        bounce.save(update_fields=["part_name", "part_snapshot"])


class Migration(migrations.Migration):
    dependencies = [("bounces", "0001_initial"), ("parts", "0002_events"), ("kits", "0002_journals")]

    operations = [
        migrations.AddField("bounce", "part_name", models.CharField(default="", max_length=80), preserve_default=False),
        migrations.AddField("bounce", "part_snapshot", models.BinaryField(default=b""), preserve_default=False),
        migrations.AlterField(
            "bounce",
            "part",
            models.ForeignKey(null=True, on_delete=deletion.SET_NULL, to="parts.part"),
        ),
        migrations.RunPython(keep_parts),
    ]
