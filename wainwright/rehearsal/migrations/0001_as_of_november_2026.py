import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    # What an installation of before was brought to step by step.
    replaces = [("rehearsal", "0001_initial"), ("rehearsal", "0002_trials")]  # fmt: skip

    initial = True

    dependencies = [
        ('people', '0001_as_of_november_2026'),
        ('rulebook', '0001_as_of_november_2026'),
    ]

    operations = [
        migrations.CreateModel(
            name='Rehearsal',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('trial', models.JSONField(blank=True, help_text='What was typed and is not in force, where no draft is kept: limits, mileage rates.', null=True)),
                ('seen', models.CharField(help_text='The draft as it was rehearsed, by its digest.', max_length=16)),
                ('since', models.DateField()),
                ('until', models.DateField()),
                ('groups', models.JSONField(default=list, help_text="Whose trips and claims, as rules name people; empty: everybody's.")),
                ('state', models.CharField(choices=[('Waiting', 'Waiting'), ('Done', 'Done'), ('Broken off', 'Broken')], default='Waiting', max_length=12)),
                ('claims_at', models.PositiveBigIntegerField(default=0, help_text='The last claim that was looked at.')),
                ('trips_at', models.PositiveBigIntegerField(default=0, help_text='The last trip that was looked at.')),
                ('total', models.PositiveIntegerField(default=0)),
                ('looked', models.PositiveIntegerField(default=0)),
                ('left', models.PositiveIntegerField(default=0, help_text='So many could not be worked out.')),
                ('time', models.DateTimeField()),
                ('finished', models.DateTimeField(blank=True, null=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='people.membership')),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='people.firm')),
                ('route', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.CASCADE, related_name='rehearsals', to='rulebook.routesetting')),
                ('rule', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.CASCADE, related_name='rehearsals', to='rulebook.rulesetting')),
                ('scheme', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.CASCADE, related_name='rehearsals', to='rulebook.schemedata')),
                ('sheet', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.CASCADE, related_name='rehearsals', to='rulebook.ratesheet')),
            ],
            options={
                'ordering': ['-pk'],
            },
        ),
        migrations.CreateModel(
            name='Heard',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('change', models.CharField(choices=[('new', 'New'), ('gone', 'Gone'), ('other', 'of another gravity or figure')], max_length=5)),
                ('kind', models.CharField(help_text='trip or claim', max_length=5)),
                ('thing', models.PositiveBigIntegerField()),
                ('open', models.BooleanField(default=False, help_text='Not sent yet: it would be found there at once.')),
                ('category', models.CharField(blank=True, max_length=20)),
                ('day', models.DateField()),
                ('level', models.CharField(blank=True, max_length=10)),
                ('before', models.CharField(blank=True, help_text='The level that it had.', max_length=10)),
                ('count', models.PositiveIntegerField(default=1)),
                ('text', models.CharField(help_text='The sentence of the one that is over by most.', max_length=400)),
                ('amount_minor', models.BigIntegerField(blank=True, help_text='By how much all of them are over.', null=True)),
                ('person', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='people.membership')),
                ('rehearsal', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='heard', to='rehearsal.rehearsal')),
            ],
            options={
                'indexes': [models.Index(fields=['rehearsal', 'change'], name='rehearsal_h_rehears_ac6f53_idx')],
            },
        ),
    ]
