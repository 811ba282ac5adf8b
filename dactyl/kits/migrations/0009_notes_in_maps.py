"""The notes of pads in versions' snapshots stand in the default map, as in kits."""

import json
import zlib

from django.db import migrations

from dactyl.core.formats.earlier import brought_up


def bring_up(model, column):
    """Snapshots of kits in ``column``, one by one: each holds a whole kit."""
    for key in model.objects.values_list("pk", flat=True):
        packed = model.objects.values_list(column, flat=True).get(pk=key)
        kit = brought_up(json.loads(zlib.decompress(packed)), 2)
        again = zlib.compress(json.dumps(kit, ensure_ascii=False, separators=(",", ":")).encode(), 1)
        model.objects.filter(pk=key).update(**{column: again})


class Migration(migrations.Migration):
    dependencies = [("kits", "0008_random_stream")]

    operations = [migrations.RunPython(lambda apps, _: bring_up(apps.get_model("kits", "Version"), "snapshot"))]
