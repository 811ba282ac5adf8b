"""Kit files were let go of when their job ended, however it ended, and their rows still named them."""

from django.db import migrations
from django.db.models import Q


def let_go(apps, schema_editor):
    ended = Q(job=None) | Q(job__state__in=["done", "failed", "cancelled"])
    apps.get_model("kits", "KitFile").objects.filter(ended).update(stored_as="")


class Migration(migrations.Migration):
    dependencies = [("kits", "0016_counted_in")]
    operations = [migrations.RunPython(let_go, migrations.RunPython.noop)]
