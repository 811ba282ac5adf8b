from django.db import migrations, models
import django.db.models.deletion


class Migration(migrations.Migration):
    """The tables are there already: they were made when sets belonged to the app of kits."""

    initial = True

    dependencies = [
        ('kits', '0015_apps_of_their_own'),
    ]

    operations = [migrations.SeparateDatabaseAndState(state_operations=[
        migrations.CreateModel(
            name='KitSet',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=80)),
            ],
            options={
                'db_table': 'kits_kitset',
                'ordering': ['pk'],
            },
        ),
        migrations.CreateModel(
            name='KitOfSet',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('position', models.PositiveIntegerField()),
                ('kit', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='sets', to='kits.kit')),
                ('of_set', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='places', to='sets.kitset')),
            ],
            options={
                'db_table': 'kits_kitofset',
                'ordering': ['position'],
                'constraints': [models.UniqueConstraint(fields=('of_set', 'kit'), name='kit_once_in_a_set')],
            },
        ),
    ])]
