import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    # What an installation of before was brought to step by step.
    replaces = [("reports", "0001_the_read_model"), ("reports", "0002_bookings_no_plan_stands_for")]  # fmt: skip

    initial = True

    dependencies = [
        ('accounts', '0001_as_of_november_2026'),
        ('claims', '0001_as_of_november_2026'),
        ('people', '0001_as_of_november_2026'),
        ('trips', '0001_as_of_november_2026'),
    ]

    operations = [
        migrations.CreateModel(
            name='Follow',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('entry', models.PositiveBigIntegerField(default=0)),
                ('left', models.PositiveIntegerField(default=0, help_text='So many changed things are not read yet.')),
                ('time', models.DateTimeField(null=True)),
                ('firm', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='people.firm')),
            ],
        ),
        migrations.CreateModel(
            name='Head',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('kind', models.CharField(choices=[('trip', 'Trip'), ('claim', 'Claim'), ('expense', 'Expense'), ('booking', 'Booking')], max_length=7)),
                ('thing', models.PositiveBigIntegerField()),
                ('mark', models.CharField(max_length=200)),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='people.firm')),
            ],
            options={
                'indexes': [models.Index(fields=['firm', 'kind', 'thing', 'mark'], name='reports_hea_firm_id_9fe205_idx')],
                'constraints': [models.UniqueConstraint(fields=('kind', 'thing'), name='one_head_of_a_thing')],
            },
        ),
        migrations.CreateModel(
            name='Kept',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('shared', models.BooleanField(default=False, help_text="Whether it stands on the firm's shelf.")),
                ('name', models.CharField(max_length=80)),
                ('report', models.CharField(max_length=40)),
                ('asked', models.JSONField(help_text='How it was asked, as its address says it.')),
                ('time', models.DateTimeField()),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='people.firm')),
                ('owner', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='kept_reports', to='people.membership')),
            ],
            options={
                'ordering': ['name', 'pk'],
                'constraints': [models.UniqueConstraint(fields=('owner', 'name'), name='one_kept_report_of_a_name'), models.UniqueConstraint(condition=models.Q(('shared', True)), fields=('firm', 'name'), name='one_name_on_the_shelf')],
            },
        ),
        migrations.CreateModel(
            name='Sending',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('every', models.CharField(choices=[('once', 'once, on a day'), ('week', 'every week'), ('month', 'at the end of every month'), ('closed', 'after a month is closed')], max_length=6)),
                ('weekday', models.PositiveSmallIntegerField(default=0, help_text='0 is Monday.')),
                ('day', models.DateField(help_text='The day on which it is due next; nothing: it waits for a closing.', null=True)),
                ('hour', models.PositiveSmallIntegerField(default=7)),
                ('since_month', models.DateField(help_text='The last month whose closing it knows of.', null=True)),
                ('forms', models.JSONField(default=list, help_text='pdf, xlsx, csv, json; empty: a link alone.')),
                ('addresses', models.JSONField(blank=True, default=list, help_text='Further addresses of the firm.')),
                ('stopped', models.CharField(blank=True, help_text='Why it is not sent any more.', max_length=200)),
                ('time', models.DateTimeField()),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='people.membership')),
                ('kept', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='sendings', to='reports.kept')),
                ('members', models.ManyToManyField(blank=True, related_name='+', to='people.membership')),
            ],
            options={
                'ordering': ['pk'],
                'indexes': [models.Index(fields=['day', 'stopped'], name='reports_sen_day_ba0553_idx')],
            },
        ),
        migrations.CreateModel(
            name='Run',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('report', models.CharField(max_length=40)),
                ('title', models.CharField(max_length=160)),
                ('sentence', models.CharField(max_length=400)),
                ('asked', models.JSONField()),
                ('result', models.JSONField(default=dict, help_text='Columns, rows and sums as they were.')),
                ('count', models.PositiveIntegerField(default=0)),
                ('sent', models.JSONField(default=list, help_text='[to whom, what became of it] of each.')),
                ('state', models.CharField(choices=[('Waiting', 'Waiting'), ('Done', 'Done'), ('Empty', 'Empty'), ('Failed', 'Failed'), ('Called off', 'Stopped')], default='Waiting', max_length=10)),
                ('problem', models.CharField(blank=True, max_length=300)),
                ('done', models.PositiveSmallIntegerField(default=0, help_text='How much of it is done, in per cent.')),
                ('time', models.DateTimeField()),
                ('beat', models.DateTimeField(help_text='When the worker was last at it.', null=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='report_runs', to='people.membership')),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='people.firm')),
                ('kept', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='runs', to='reports.kept')),
                ('sending', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='runs', to='reports.sending')),
            ],
            options={
                'ordering': ['-pk'],
                'indexes': [models.Index(fields=['by', 'report', '-id'], name='reports_run_by_id_1f568d_idx'), models.Index(fields=['firm', 'state'], name='reports_run_firm_id_3248d3_idx')],
            },
        ),
        migrations.CreateModel(
            name='SpendLine',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('stage', models.PositiveSmallIntegerField(choices=[(0, 'planned'), (1, 'committed'), (2, 'recorded'), (3, 'claimed'), (4, 'approved'), (5, 'posted'), (6, 'paid')])),
                ('day', models.DateField()),
                ('category', models.CharField(max_length=20)),
                ('account', models.CharField(blank=True, max_length=20)),
                ('merchant', models.CharField(blank=True, help_text='Without card noise, so that one merchant is one.', max_length=120)),
                ('country', models.CharField(blank=True, max_length=2)),
                ('town', models.CharField(blank=True, max_length=80)),
                ('currency', models.CharField(help_text='In what it was paid.', max_length=3)),
                ('paid_by', models.CharField(max_length=10)),
                ('key', models.CharField(blank=True, help_text='Its line on the claim, or the plan.', max_length=60)),
                ('label', models.CharField(max_length=200)),
                ('net_minor', models.BigIntegerField(help_text='Cost, without the tax that comes back.')),
                ('tax_minor', models.BigIntegerField(default=0, help_text='The tax that comes back.')),
                ('all_tax_minor', models.BigIntegerField(default=0, help_text='All the tax in it.')),
                ('claim', models.ForeignKey(null=True, on_delete=django.db.models.deletion.CASCADE, related_name='+', to='claims.claim')),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='people.firm')),
                ('head', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='lines', to='reports.head')),
                ('kept', models.ForeignKey(db_index=False, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='accounts.codingkept')),
                ('member', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='people.membership')),
                ('trip', models.ForeignKey(null=True, on_delete=django.db.models.deletion.CASCADE, related_name='+', to='trips.trip')),
            ],
            options={
                'indexes': [models.Index(fields=['firm', 'day', 'stage', 'category', 'member', 'kept', 'net_minor', 'tax_minor'], name='spend_by_day'), models.Index(fields=['firm', 'member', 'day'], name='spend_by_member'), models.Index(fields=['firm', 'kept', 'day'], name='spend_by_coding')],
            },
        ),
    ]
