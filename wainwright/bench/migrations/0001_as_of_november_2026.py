import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    # What an installation of before was brought to step by step.
    replaces = [("bench", "0001_kept_views"), ("bench", "0002_undoing")]  # fmt: skip

    initial = True

    dependencies = [
        ('people', '0001_as_of_november_2026'),
    ]

    operations = [
        migrations.CreateModel(
            name='Undoable',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('kind', models.CharField(max_length=10)),
                ('object_id', models.PositiveBigIntegerField()),
                ('act', models.CharField(help_text='What was decided, in words.', max_length=80)),
                ('version', models.PositiveIntegerField(help_text="The thing's version after it: with another it is not undone.")),
                ('time', models.DateTimeField()),
                ('was', models.JSONField()),
                ('member', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='undoable', to='people.membership')),
            ],
        ),
        migrations.CreateModel(
            name='KeptView',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=40)),
                ('query', models.CharField(max_length=200)),
                ('member', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='kept_views', to='people.membership')),
            ],
            options={
                'ordering': ['name'],
                'constraints': [models.UniqueConstraint(fields=('member', 'name'), name='one_kept_view_per_name')],
            },
        ),
    ]
