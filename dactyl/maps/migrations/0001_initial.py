import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    """The tables are there already: they were made when devices belonged to the app of kits."""

    initial = True

    dependencies = [
        ('history', '0001_initial'),
        ('kits', '0015_apps_of_their_own'),
    ]

    operations = [migrations.SeparateDatabaseAndState(state_operations=[
        migrations.CreateModel(
            name='NoteNames',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=80)),
                ('names', models.JSONField()),
            ],
            options={
                'db_table': 'kits_notenames',
                'ordering': ['name'],
            },
        ),
        migrations.CreateModel(
            name='Device',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=60)),
                ('port', models.CharField(blank=True, max_length=120)),
                ('channel', models.PositiveSmallIntegerField(null=True)),
                ('rows', models.PositiveSmallIntegerField()),
                ('columns', models.PositiveSmallIntegerField()),
                ('notes', models.JSONField()),
                ('falls_through', models.BooleanField(default=True)),
                ('is_forgotten', models.BooleanField(default=False)),
                ('journal', models.OneToOneField(editable=False, on_delete=django.db.models.deletion.PROTECT, related_name='%(class)s', to='history.journal')),
            ],
            options={
                'db_table': 'kits_device',
                'ordering': ['pk'],
            },
        ),
    ])]
