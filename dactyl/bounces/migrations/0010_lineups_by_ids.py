"""Lineups that bounces keep told pieces by name."""

import zlib

import orjson
from django.db import migrations

from dactyl.core.formats.earlier import told_by_ids


def by_ids(apps, schema_editor):
    rows = apps.get_model("bounces", "Bounce").objects
    for row in rows.exclude(lineup_snapshot=None).only("lineup_snapshot").iterator():
        lineup = orjson.loads(zlib.decompress(row.lineup_snapshot))
        if any(isinstance(name, str) for member in lineup["members"] for name in member.get("pieces") or ()):
            packed = zlib.compress(orjson.dumps(told_by_ids(lineup)), 1)
            rows.filter(pk=row.pk).update(lineup_snapshot=packed)


class Migration(migrations.Migration):
    dependencies = [("bounces", "0009_stem_kind")]
    operations = [migrations.RunPython(by_ids, migrations.RunPython.noop)]
