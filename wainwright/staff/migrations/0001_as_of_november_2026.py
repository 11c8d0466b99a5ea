import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    # What an installation of before was brought to step by step.
    replaces = [("staff", "0001_tables"), ("staff", "0002_limits")]  # fmt: skip

    initial = True

    dependencies = [
        ('people', '0001_as_of_november_2026'),
    ]

    operations = [
        migrations.CreateModel(
            name='PeopleTable',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=120)),
                ('rows', models.JSONField(help_text='[number, {column: text}] of each.')),
                ('time', models.DateTimeField()),
                ('taken', models.DateTimeField(blank=True, null=True)),
                ('invited', models.PositiveIntegerField(default=0)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='people.membership')),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='people_tables', to='people.firm')),
            ],
            options={
                'ordering': ['-pk'],
            },
        ),
        migrations.CreateModel(
            name='LimitChange',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('since', models.DateField()),
                ('limit_minor', models.BigIntegerField(blank=True, help_text='Empty: any sum.', null=True)),
                ('time', models.DateTimeField()),
                ('done', models.DateTimeField(blank=True, null=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='people.membership')),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='limit_changes', to='people.firm')),
                ('member', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='limit_changes', to='people.membership')),
            ],
            options={
                'ordering': ['since', 'pk'],
                'constraints': [models.UniqueConstraint(condition=models.Q(('done', None)), fields=('member', 'since'), name='one_limit_begins_on_a_day')],
            },
        ),
    ]
