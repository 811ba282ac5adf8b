"""Hits are kept in packed blocks instead of one row each, in parts and in their histories."""

from itertools import chain
from time import monotonic

import numpy as np
from django.db import connection, migrations, models
from django.db.models import deletion
from django.db.models.expressions import RawSQL

from dactyl.core.parts import packed

KEYS = 256
COLUMNS = ("id", "tick", "order", "note", "velocity", "channel", "length_ticks", "played_tick", "of_pass_id")
TOLD_EVERY_SECONDS = 5


def pack_events(apps, schema_editor):
    Part, Event = apps.get_model("parts", "Part"), apps.get_model("parts", "Event")
    with connection.cursor() as cursor:
        cursor.execute("SELECT seq FROM sqlite_sequence WHERE name = 'parts_event'")
        last = (cursor.fetchone() or [0])[0]
    told, count = monotonic(), Part.objects.count()
    for number, part in enumerate(Part.objects.order_by("pk").iterator(), start=1):
        if monotonic() - told > TOLD_EVERY_SECONDS:
            told = monotonic()
            print(f"Hits are packed: part {number} of {count}", flush=True)
        rows = Event.objects.filter(part=part).order_by().values_list(*COLUMNS)
        _pack(apps, part, {row[0]: dict(zip(COLUMNS, row)) for row in rows})
        Part.objects.filter(pk=part.pk).update(next_key=last + 1)


def _pack(apps, part, now):
    """now : the hits, by their keys"""
    Block, Revision = apps.get_model("parts", "Block"), apps.get_model("history", "Revision")
    names_hits = RawSQL("instr(rows, %s) > 0", ['"event"'], models.BooleanField())
    revisions = Revision.objects.filter(names_hits, journal=part.journal_id)
    told = {row[1] for revision in revisions.iterator() for row in revision.rows if row[0] == "event"}
    numbers = sorted({key // KEYS for key in chain(now, told)})
    keys = {}
    for number in numbers:
        keys[number] = Block.objects.create(part=part, number=number, **_kept(now, number)).pk
    back, on = dict(now), dict(now)
    for revision in revisions.filter(is_undone=False).order_by("-pk").iterator(1):
        _rewrite(revision, back, keys, is_back=True)
    for revision in revisions.filter(is_undone=True).order_by("pk").iterator(1):
        _rewrite(revision, on, keys, is_back=False)


def _rewrite(revision, hits, keys, is_back):
    """Say by blocks what a revision did to hits, and take ``hits`` from one side of it to the other."""
    steps = [row for row in revision.rows if row[0] == "event"]
    numbers = sorted({key // KEYS for _, key, _, _ in steps})
    here = {number: _kept(hits, number) for number in numbers}
    for _, key, before, after in reversed(steps) if is_back else steps:
        state = before if is_back else after
        if state is None:
            hits.pop(key, None)
        else:
            hits[key] = {**hits.get(key, {"id": key, "of_pass_id": None, "order": 0}), **state}
    there = {number: _kept(hits, number) for number in numbers}
    before, after = (there, here) if is_back else (here, there)
    rows = [row for row in revision.rows if row[0] != "event"]
    revision.rows = rows + [["block", keys[number], before[number], after[number]] for number in numbers]
    revision.save(update_fields=["rows"])


def _kept(hits, number):
    own = [hits[key] for key in range(number * KEYS, (number + 1) * KEYS) if key in hits]
    rows = np.zeros(len(own), packed.ROW)
    for at, hit in enumerate(own):
        rows[at] = tuple(hit[name] or 0 for name in COLUMNS)
    return {"data": packed.pack(rows), "count": len(own), "most_order": int(rows["order"].max(initial=0))}


class Migration(migrations.Migration):
    dependencies = [("parts", "0007_pedals_and_hands"), ("bounces", "0002_part_snapshot"), ("history", "0001_initial")]

    operations = [
        migrations.RunSQL("DROP TRIGGER IF EXISTS of_one_part_insert", migrations.RunSQL.noop),
        migrations.RunSQL("DROP TRIGGER IF EXISTS of_one_part_update", migrations.RunSQL.noop),
        migrations.AddField("part", "next_key", models.PositiveBigIntegerField(default=1)),
        migrations.CreateModel(
            name="Block",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("number", models.PositiveBigIntegerField()),
                ("data", models.TextField()),
                ("count", models.PositiveIntegerField()),
                ("most_order", models.IntegerField(default=0)),
                ("part", models.ForeignKey(on_delete=deletion.CASCADE, related_name="blocks", to="parts.part")),
            ],
            options={
                "constraints": [models.UniqueConstraint(fields=("part", "number"), name="block_of_keys_once")],
            },
        ),
        migrations.RunPython(pack_events, migrations.RunPython.noop),
        migrations.DeleteModel("Event"),
    ]
