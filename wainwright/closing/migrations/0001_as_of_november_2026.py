import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    # What an installation of before was brought to step by step.
    replaces = [("closing", "0001_month_end")]  # fmt: skip

    initial = True

    dependencies = [
        ('accounts', '0001_as_of_november_2026'),
        ('people', '0001_as_of_november_2026'),
    ]

    operations = [
        migrations.CreateModel(
            name='Accrual',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('month', models.DateField(help_text='The first day of the month.')),
                ('entry', models.PositiveSmallIntegerField(default=1, help_text='Counts the accruals of a month: one more after one was taken back.')),
                ('currency', models.CharField(max_length=3)),
                ('total_minor', models.BigIntegerField()),
                ('reversed_on', models.DateField(help_text='The day of the reversal.')),
                ('of', models.JSONField(default=list, help_text='What it is of: [what, label, coding with its account, minor units] of each.')),
                ('time', models.DateTimeField()),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='people.membership')),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='accruals', to='people.firm')),
                ('posting', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='accounts.posting')),
                ('reversal', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='accounts.posting')),
            ],
            options={
                'ordering': ['-month', '-entry'],
                'constraints': [models.UniqueConstraint(fields=('firm', 'month', 'entry'), name='one_accrual_entry')],
            },
        ),
        migrations.CreateModel(
            name='Shape',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=60)),
                ('kind', models.CharField(max_length=20)),
                ('columns', models.JSONField()),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='people.membership')),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='shapes', to='people.firm')),
            ],
            options={
                'ordering': ['name'],
                'constraints': [models.UniqueConstraint(fields=('firm', 'name'), name='one_shape_of_a_name')],
            },
        ),
    ]
