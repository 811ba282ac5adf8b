from django.db import migrations


class Migration(migrations.Migration):
    """Devices, lists of note names and sets belong to apps of their own from here on; their tables stay what they are."""

    dependencies = [("kits", "0014_beside_versions")]
    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.DeleteModel("Device"),
                migrations.DeleteModel("NoteNames"),
                migrations.DeleteModel("KitOfSet"),
                migrations.DeleteModel("KitSet"),
            ]
        )
    ]
