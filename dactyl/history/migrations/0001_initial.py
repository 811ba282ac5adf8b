import django.utils.timezone
from django.db import migrations, models
from django.db.models import deletion

KEY = models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")


class Migration(migrations.Migration):
    initial = True
    dependencies = []

    operations = [
        migrations.CreateModel(
            name="Journal",
            fields=[
                ("id", KEY),
                ("version", models.PositiveBigIntegerField(default=1)),
                ("changed_at", models.DateTimeField(default=django.utils.timezone.now)),
            ],
        ),
        migrations.CreateModel(
            name="Revision",
            fields=[
                ("id", KEY.clone()),
                ("sentence", models.CharField(max_length=200)),
                ("rows", models.JSONField()),
                ("touched", models.JSONField()),
                ("changes_order", models.BooleanField(default=False)),
                ("is_undone", models.BooleanField(default=False)),
                ("made_at", models.DateTimeField(default=django.utils.timezone.now)),
                (
                    "journal",
                    models.ForeignKey(on_delete=deletion.CASCADE, related_name="revisions", to="history.journal"),
                ),
            ],
            options={
                "indexes": [models.Index(fields=["journal", "is_undone"], name="revisions_of_a_journal")],
            },
        ),
    ]
