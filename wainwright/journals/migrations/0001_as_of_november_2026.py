import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    # What an installation of before was brought to step by step.
    replaces = [("journals", "0001_posting_runs"), ("journals", "0002_billed")]  # fmt: skip

    initial = True

    dependencies = [
        ('accounts', '0001_as_of_november_2026'),
        ('bookings', '0002_as_of_november_2026'),
        ('claims', '0001_as_of_november_2026'),
        ('expenses', '0001_as_of_november_2026'),
        ('people', '0001_as_of_november_2026'),
    ]

    operations = [
        migrations.CreateModel(
            name='PostingRun',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('number', models.PositiveIntegerField()),
                ('date', models.DateField(help_text='The day on which they are posted.')),
                ('time', models.DateTimeField()),
                ('finished', models.DateTimeField(blank=True, null=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='people.membership')),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='posting_runs', to='people.firm')),
            ],
            options={
                'ordering': ['-number'],
                'constraints': [models.UniqueConstraint(fields=('firm', 'number'), name='one_posting_run_number')],
            },
        ),
        migrations.CreateModel(
            name='PostingRunItem',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('version', models.PositiveIntegerField(default=0, help_text="The claim's version as it was chosen: another is not posted.")),
                ('amount_minor', models.BigIntegerField()),
                ('currency', models.CharField(max_length=3)),
                ('state', models.CharField(choices=[('Waiting', 'Waiting'), ('Entered', 'Entered'), ('Refused', 'Refused'), ('Left out', 'Left Out')], default='Waiting', max_length=10)),
                ('why', models.CharField(blank=True, help_text='Why it was left out or refused, in words.', max_length=300)),
                ('claim', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='claims.claim')),
                ('posting', models.ForeignKey(blank=True, help_text="The journal, where it is no claim's.", null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='accounts.posting')),
                ('run', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='items', to='journals.postingrun')),
            ],
            options={
                'ordering': ['pk'],
                'indexes': [models.Index(fields=['claim', 'state'], name='journals_po_claim_i_b086df_idx')],
                'constraints': [models.UniqueConstraint(fields=('run', 'claim'), name='a_claim_once_a_run'), models.CheckConstraint(condition=models.Q(('claim__isnull', True), ('posting__isnull', True), _connector='XOR'), name='a_claim_or_a_journal')],
            },
        ),
        migrations.CreateModel(
            name='Billed',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('subject', models.CharField(max_length=60)),
                ('entry', models.PositiveSmallIntegerField()),
                ('amount_minor', models.BigIntegerField()),
                ('supplier', models.CharField(max_length=160)),
                ('booking', models.ForeignKey(blank=True, help_text='Empty: it was taken off since.', null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='billed', to='bookings.booking')),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='billed', to='people.firm')),
                ('posting', models.OneToOneField(on_delete=django.db.models.deletion.PROTECT, related_name='billed', to='accounts.posting')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('firm', 'subject', 'entry'), name='billed_once')],
            },
        ),
        migrations.CreateModel(
            name='Difference',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('entry', models.PositiveSmallIntegerField()),
                ('amount_minor', models.BigIntegerField()),
                ('charge', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='differences', to='expenses.charge')),
                ('posting', models.OneToOneField(on_delete=django.db.models.deletion.PROTECT, related_name='difference', to='accounts.posting')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('charge', 'entry'), name='a_difference_once')],
            },
        ),
    ]
