"""Copies of parts named the passes of the part that they came from, and hits stood where the loop turns: both are mended."""

from django.db import migrations
from django.db.models import F, Max

from dactyl.core.parts.part import Part as PartValue


def mend(apps, schema_editor):
    Part, Pass, Event = (apps.get_model("parts", name) for name in ("Part", "Pass", "Event"))
    Revision = apps.get_model("history", "Revision")
    Event.objects.filter(of_pass__isnull=False).exclude(of_pass__part=F("part")).update(of_pass=None)
    for part in Part.objects.all():
        _forget_foreign(Pass, Revision, part)
        _put_into_loop(Event, part)


def _forget_foreign(Pass, Revision, part):
    """In what undo would bring back, too."""
    revisions = Revision.objects.filter(journal=part.journal_id)
    own = set(Pass.objects.filter(part=part).values_list("pk", flat=True))
    for rows in revisions.values_list("rows", flat=True).iterator(chunk_size=1):
        own |= {key for table, key, _, _ in rows if table == "pass"}
    for revision in revisions.iterator(chunk_size=1):
        states = [state for _, _, *both in revision.rows for state in both if state]
        foreign = [state for state in states if state.get("of_pass_id") not in {None, *own}]
        for state in foreign:
            state["of_pass_id"] = None
        if foreign:
            revision.save(update_fields=["rows"])


def _put_into_loop(Event, part):
    """A hit that was tightened up to the loop's end belongs to its beginning; for others the part is long enough."""
    value = PartValue(
        name="", ticks_per_beat=part.ticks_per_beat, tempos=tuple(map(tuple, part.tempos)), events=(),
        end_tick=part.end_tick, meters=tuple(map(tuple, part.meters)),
    )  # fmt: skip
    end = value.loop_ticks
    hits = Event.objects.filter(part=part, velocity__gt=0)
    hits.filter(tick=end, played_tick__lt=end).update(tick=0)
    last = hits.aggregate(last=Max("tick"))["last"]
    if last is not None and last >= end:
        Part.objects.filter(pk=part.pk).update(end_tick=last + 1)


class Migration(migrations.Migration):
    dependencies = [("parts", "0003_written_for"), ("history", "0001_initial")]

    operations = [migrations.RunPython(mend, migrations.RunPython.noop)]
