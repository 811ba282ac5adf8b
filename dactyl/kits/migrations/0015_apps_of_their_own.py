from django.db import migrations


class Migration(migrations.Migration):
    """Devices, lists of note names and sets belong to apps of their own from here on; their tables stay what they are."""

    dependencies = [("jobs", "0001_initial"), ("kits", "0014_beside_versions")]
    operations = [
        migrations.RunSQL(  # kit files that wait to be opened
            "UPDATE jobs_job SET work = 'dactyl.kit_files.tasks.open_kit_file' WHERE work = 'dactyl.kits.tasks.open_kit_file'",
            migrations.RunSQL.noop,
        ),
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.DeleteModel("Device"),
                migrations.DeleteModel("NoteNames"),
                migrations.DeleteModel("KitOfSet"),
                migrations.DeleteModel("KitSet"),
            ]
        )
    ]
