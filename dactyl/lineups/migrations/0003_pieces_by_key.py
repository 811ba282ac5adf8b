"""Pieces that take part are told by their keys, not by names."""

from django.db import migrations


def by_key(apps, schema_editor):
    Piece = apps.get_model("kits", "Piece")
    for row in apps.get_model("lineups", "Alongside").objects.exclude(pieces=None):
        keys = {}
        for name, pk in Piece.objects.filter(kit=row.other_id).order_by("pk").values_list("name", "pk"):
            keys.setdefault(name, []).append(pk)  # a name meant all that are called so
        row.pieces = [key for name in row.pieces for key in keys.get(name, [name])]
        row.save(update_fields=["pieces"])


class Migration(migrations.Migration):
    dependencies = [("lineups", "0002_lineups_of_their_own"), ("kits", "0016_counted_in")]
    operations = [migrations.RunPython(by_key, migrations.RunPython.noop)]
