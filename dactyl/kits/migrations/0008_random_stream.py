"""dice became random_stream, in the rows and in the history of their edits."""

from django.db import migrations

NAMES = ('"dice":', '"random_stream":')  # as JSON writes a key; within a text its quotes have backslashes


def in_history(apps, schema_editor, names=NAMES):
    with schema_editor.connection.cursor() as cursor:
        cursor.execute(
            "UPDATE history_revision SET rows = replace(rows, %s, %s) WHERE instr(rows, %s)", [*names, names[0]]
        )


class Migration(migrations.Migration):
    dependencies = [("kits", "0007_sets"), ("history", "0001_initial")]

    operations = [
        migrations.RenameField("layer", "dice", "random_stream"),
        migrations.RenameField("pad", "dice", "random_stream"),
        migrations.RunPython(in_history, lambda apps, editor: in_history(apps, editor, NAMES[::-1])),
    ]
