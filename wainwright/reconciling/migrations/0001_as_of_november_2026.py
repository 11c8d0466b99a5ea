import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    # What an installation of before was brought to step by step.
    replaces = [("reconciling", "0001_first"), ("reconciling", "0002_columns")]  # fmt: skip

    initial = True

    dependencies = [
        ('accounts', '0001_as_of_november_2026'),
        ('people', '0001_as_of_november_2026'),
    ]

    operations = [
        migrations.CreateModel(
            name='BankAccount',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=60)),
                ('number', models.CharField(help_text='The IBAN, or the last four digits of a card account.', max_length=34)),
                ('kind', models.CharField(choices=[('bank', 'Bank account'), ('card', 'Card account')], default='bank', max_length=5)),
                ('ledger_account', models.CharField(max_length=20)),
                ('currency', models.CharField(max_length=3)),
                ('columns', models.JSONField(blank=True, default=dict, help_text="Which column means what, by the key of a table's header.")),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='bank_accounts', to='people.firm')),
            ],
            options={
                'ordering': ['kind', 'name'],
                'constraints': [models.UniqueConstraint(fields=('firm', 'number'), name='one_bank_account_per_number')],
            },
        ),
        migrations.CreateModel(
            name='LineRule',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('words', models.CharField(help_text='Words that stand in the line.', max_length=80)),
                ('ledger_account', models.CharField(max_length=20)),
                ('codes', models.JSONField(blank=True, default=list, help_text='Its coding: pairs of dimension and code.')),
                ('account', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='rules', to='reconciling.bankaccount')),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='people.membership')),
            ],
            options={
                'ordering': ['words'],
                'constraints': [models.UniqueConstraint(fields=('account', 'words'), name='one_rule_per_words')],
            },
        ),
        migrations.CreateModel(
            name='Match',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('why', models.CharField(max_length=300)),
                ('score', models.PositiveSmallIntegerField(default=0, help_text='How sure it was when it was proposed.')),
                ('time', models.DateTimeField()),
                ('account', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='matches', to='reconciling.bankaccount')),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='people.membership')),
                ('posting', models.ForeignKey(blank=True, help_text='What was posted for it.', null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='accounts.posting')),
            ],
            options={
                'ordering': ['-time', '-pk'],
            },
        ),
        migrations.CreateModel(
            name='MatchedThing',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('key', models.CharField(max_length=40)),
                ('label', models.CharField(max_length=200)),
                ('amount_minor', models.BigIntegerField()),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='people.firm')),
                ('match', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='things', to='reconciling.match')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('firm', 'key'), name='a_thing_is_matched_once')],
            },
        ),
        migrations.CreateModel(
            name='Reconciliation',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('number', models.PositiveIntegerField()),
                ('since', models.DateField()),
                ('until', models.DateField()),
                ('opening_minor', models.BigIntegerField()),
                ('in_minor', models.BigIntegerField()),
                ('out_minor', models.BigIntegerField()),
                ('closing_minor', models.BigIntegerField()),
                ('left_minor', models.BigIntegerField(default=0)),
                ('left', models.JSONField(default=list, help_text='[day, name, amount in minor units] of each line that was left.')),
                ('why_left', models.CharField(blank=True, max_length=300)),
                ('time', models.DateTimeField()),
                ('account', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='reconciliations', to='reconciling.bankaccount')),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='people.membership')),
            ],
            options={
                'ordering': ['-until', '-pk'],
                'constraints': [models.UniqueConstraint(fields=('account', 'number'), name='one_reconciliation_number')],
            },
        ),
        migrations.CreateModel(
            name='StatementFile',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=120)),
                ('sha256', models.CharField(max_length=64)),
                ('file', models.FileField(upload_to='statements/%Y/%m')),
                ('state', models.CharField(choices=[('reading', 'Reading'), ('columns', 'Columns'), ('taken', 'Taken'), ('away', 'Away')], default='reading', max_length=8)),
                ('problem', models.CharField(blank=True, max_length=300)),
                ('opening_minor', models.BigIntegerField(blank=True, null=True)),
                ('closing_minor', models.BigIntegerField(blank=True, null=True)),
                ('new', models.PositiveIntegerField(default=0)),
                ('known', models.PositiveIntegerField(default=0)),
                ('left', models.JSONField(default=list, help_text='What was left out: [where, why] of each.')),
                ('header', models.JSONField(blank=True, default=list)),
                ('sample', models.JSONField(blank=True, default=list, help_text='The first rows under the header.')),
                ('time', models.DateTimeField()),
                ('account', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='files', to='reconciling.bankaccount')),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='people.membership')),
            ],
            options={
                'ordering': ['-time', '-pk'],
                'constraints': [models.UniqueConstraint(condition=models.Q(('state', 'away'), _negated=True), fields=('account', 'sha256'), name='a_statement_once')],
            },
        ),
        migrations.CreateModel(
            name='Line',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('key', models.CharField(max_length=255)),
                ('day', models.DateField()),
                ('amount_minor', models.BigIntegerField()),
                ('name', models.CharField(blank=True, max_length=120)),
                ('text', models.CharField(blank=True, max_length=420)),
                ('account', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='lines', to='reconciling.bankaccount')),
                ('match', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='lines', to='reconciling.match')),
                ('reconciliation', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='lines', to='reconciling.reconciliation')),
                ('file', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='lines', to='reconciling.statementfile')),
            ],
            options={
                'ordering': ['day', 'pk'],
                'indexes': [models.Index(fields=['account', 'match', 'day'], name='reconciling_account_91cf92_idx'), models.Index(fields=['account', 'day'], name='reconciling_account_2009a7_idx')],
                'constraints': [models.UniqueConstraint(fields=('account', 'key'), name='a_line_once')],
            },
        ),
    ]
