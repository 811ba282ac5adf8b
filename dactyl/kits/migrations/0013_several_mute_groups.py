"""A pad may silence, and be silenced by, several mute groups: rows of their own, in histories too."""

import django.db.models.deletion
from django.db import connection, migrations, models

ROLES = ("silences", "silenced_by")


class Keys:
    """One key for each pad, group and role, in rows and in what histories say of them."""

    def __init__(self):
        self.of = {}

    def row(self, pad, group, role):
        key = self.of.setdefault((pad, group, role), len(self.of) + 1)
        return {"id": key, "pad_id": pad, "group_id": group, "role": role}


def told_anew(rows, keys):
    """What a revision says of pads, with their mute groups as rows of their own."""
    told = []
    for table, key, before, after in rows:
        if table != "pad":
            told.append([table, key, before, after])
            continue
        was, now = [], []
        for role in ROLES:
            for state, found in ((before, was), (after, now)):
                group = (state or {}).pop(f"{role}_id", None)
                if group is not None:
                    found.append(keys.row(key, group, role))
        told += [["pad_mute", row["id"], row, None] for row in was]
        if before is None or after is None or before or after:
            told.append([table, key, before, after])
        told += [["pad_mute", row["id"], None, row] for row in now]
    return told


def forwards(apps, schema_editor):
    keys = Keys()
    pad_mute, revisions = apps.get_model("kits", "PadMute"), apps.get_model("history", "Revision")
    pads = apps.get_model("kits", "Pad").objects.values_list("pk", *(f"{role}_id" for role in ROLES))
    pad_mute.objects.bulk_create(
        pad_mute(**keys.row(pad, group, role))
        for pad, *groups in pads.iterator()
        for role, group in zip(ROLES, groups, strict=True)
        if group is not None
    )
    says = revisions.objects.filter(models.Q(rows__icontains="silences_id") | models.Q(rows__icontains="silenced_by_id"))
    for revision in says.iterator(chunk_size=20):
        revision.rows = told_anew(revision.rows, keys)
        revision.save(update_fields=["rows"])
    if keys.of:  # keys are never used twice, those that only histories know included
        last = pad_mute.objects.filter(pk=len(keys.of)).first()
        with connection.cursor() as cursor:
            if last is None:
                cursor.execute("DELETE FROM sqlite_sequence WHERE name = 'kits_padmute'")
                cursor.execute("INSERT INTO sqlite_sequence (name, seq) VALUES ('kits_padmute', %s)", [len(keys.of)])


class Migration(migrations.Migration):
    dependencies = [("kits", "0012_delay"), ("history", "0001_initial")]

    operations = [
        migrations.CreateModel(
            name="PadMute",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("role", models.CharField(choices=[(role, role) for role in ROLES], max_length=11)),
                (
                    "group",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="+", to="kits.mutegroup"
                    ),
                ),
                (
                    "pad",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="mutes", to="kits.pad"
                    ),
                ),
            ],
            options={
                "constraints": [
                    models.UniqueConstraint(fields=("pad", "group", "role"), name="pad_mute_once"),
                ],
            },
        ),
        migrations.RunPython(forwards),
        migrations.RemoveField(model_name="pad", name="silences"),
        migrations.RemoveField(model_name="pad", name="silenced_by"),
    ]
