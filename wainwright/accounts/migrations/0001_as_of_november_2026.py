import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    # What an installation of before was brought to step by step.
    replaces = [("accounts", "0001_initial"), ("accounts", "0002_codings_are_data"), ("accounts", "0003_codings_kept_once"), ("accounts", "0004_answers_of_the_bank"), ("accounts", "0005_one_home_for_answers"), ("accounts", "0006_kept_splits"), ("accounts", "0007_month_end"), ("accounts", "0008_connection"), ("accounts", "0009_paying"), ("accounts", "0010_billed"), ("accounts", "0011_known_as_of"), ("accounts", "0012_lines_by_coding")]  # fmt: skip

    initial = True

    dependencies = [
        ('people', '0001_as_of_november_2026'),
    ]

    operations = [
        migrations.CreateModel(
            name='Budget',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('dimension', models.CharField(max_length=20)),
                ('code', models.CharField(max_length=20)),
                ('year', models.PositiveSmallIntegerField()),
                ('amount_minor', models.BigIntegerField()),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='budgets', to='people.firm')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('firm', 'dimension', 'code', 'year'), name='one_budget')],
            },
        ),
        migrations.CreateModel(
            name='BudgetUse',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('subject', models.CharField(db_index=True, max_length=60)),
                ('committed_minor', models.BigIntegerField(default=0)),
                ('actual_minor', models.BigIntegerField(default=0)),
                ('budget', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='uses', to='accounts.budget')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('budget', 'subject'), name='one_use_per_subject')],
            },
        ),
        migrations.CreateModel(
            name='Code',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('dimension', models.CharField(max_length=20)),
                ('code', models.CharField(max_length=20)),
                ('name', models.CharField(max_length=80)),
                ('open_from', models.DateField(blank=True, null=True)),
                ('open_until', models.DateField(blank=True, null=True)),
                ('asks_for', models.JSONField(default=list)),
                ('parent', models.CharField(blank=True, max_length=20)),
                ('threshold_minor', models.BigIntegerField(default=0)),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='codes', to='people.firm')),
                ('owner', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='owns', to='people.membership')),
            ],
            options={
                'ordering': ['dimension', 'code'],
                'constraints': [models.UniqueConstraint(fields=('firm', 'dimension', 'code'), name='one_code')],
            },
        ),
        migrations.CreateModel(
            name='CodingKept',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('key', models.CharField(help_text='SHA-256 of its codes.', max_length=64)),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='people.firm')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('firm', 'key'), name='one_kept_coding')],
            },
        ),
        migrations.CreateModel(
            name='CodingPart',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('dimension', models.CharField(max_length=20)),
                ('code', models.CharField(max_length=20)),
                ('coding', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='parts', to='accounts.codingkept')),
            ],
            options={
                'indexes': [models.Index(fields=['dimension', 'code', 'coding'], name='accounts_co_dimensi_7eb298_idx')],
                'constraints': [models.UniqueConstraint(fields=('coding', 'dimension'), name='one_code_of_a_dimension')],
            },
        ),
        migrations.CreateModel(
            name='Connection',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('address', models.URLField(blank=True, help_text='Empty: the ledger of this installation.')),
                ('known_as', models.CharField(blank=True, help_text='What the firm is called in the ledger.', max_length=40)),
                ('token', models.TextField(blank=True, help_text='Sealed.')),
                ('every_hours', models.PositiveSmallIntegerField(default=0, help_text='How often masters are fetched by itself; 0: never.')),
                ('fetched', models.DateTimeField(blank=True, help_text='When masters were fetched last.', null=True)),
                ('answered', models.DateTimeField(blank=True, help_text='When it answered last.', null=True)),
                ('failing', models.DateTimeField(blank=True, help_text='Since when it does not.', null=True)),
                ('problem', models.CharField(blank=True, max_length=200)),
                ('firm', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='ledger_connection', to='people.firm')),
                ('holder', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='people.membership')),
            ],
        ),
        migrations.CreateModel(
            name='Dimension',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('code', models.SlugField(max_length=20)),
                ('name', models.CharField(max_length=40)),
                ('plural', models.CharField(max_length=40)),
                ('order', models.PositiveSmallIntegerField(default=0)),
                ('asked', models.CharField(choices=[('always', 'always'), ('free', 'free'), ('by code', 'by code')], default='by code', max_length=10)),
                ('choosable', models.BooleanField(default=True, help_text='Whether travellers choose it themselves.')),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='dimensions', to='people.firm')),
            ],
            options={
                'ordering': ['order', 'code'],
                'constraints': [models.UniqueConstraint(fields=('firm', 'code'), name='one_dimension')],
            },
        ),
        migrations.CreateModel(
            name='FirmAccounts',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('owed_to_staff', models.CharField(max_length=20)),
                ('owed_by_staff', models.CharField(max_length=20)),
                ('card_clearing', models.CharField(max_length=20)),
                ('prepaid_travel', models.CharField(max_length=20)),
                ('advances', models.CharField(max_length=20)),
                ('input_tax', models.CharField(max_length=20)),
                ('bank', models.CharField(max_length=20)),
                ('allowance', models.CharField(max_length=20)),
                ('mileage', models.CharField(max_length=20)),
                ('accrued', models.CharField(blank=True, help_text='What is owed for costs that are spent and not posted yet.', max_length=20)),
                ('written_off', models.CharField(blank=True, help_text='What is given up of what staff owe back.', max_length=20)),
                ('suppliers', models.CharField(blank=True, help_text='What is owed to whoever bills the firm itself.', max_length=20)),
                ('card_issuers', models.CharField(blank=True, help_text='What is owed to the issuers of its cards.', max_length=20)),
                ('known_as_of', models.DateTimeField(blank=True, help_text="When the ledger's masters were last as known here.", null=True)),
                ('differences', models.CharField(blank=True, help_text='What cards charged more or less than was claimed.', max_length=20)),
                ('firm', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='accounts', to='people.firm')),
            ],
        ),
        migrations.CreateModel(
            name='KeptSplit',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=60)),
                ('parts', models.JSONField(help_text='For each: {"share": "60", "codes": [[dimension, code], …]}.')),
                ('used', models.PositiveIntegerField(default=0)),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='kept_splits', to='people.firm')),
                ('owner', models.ForeignKey(blank=True, help_text="Empty: the firm's.", null=True, on_delete=django.db.models.deletion.CASCADE, related_name='kept_splits', to='people.membership')),
            ],
            options={
                'ordering': ['-used', 'name'],
                'constraints': [models.UniqueConstraint(fields=('owner', 'name'), name='one_own_split_of_a_name'), models.UniqueConstraint(condition=models.Q(('owner__isnull', True)), fields=('firm', 'name'), name='one_firm_split_of_a_name')],
            },
        ),
        migrations.CreateModel(
            name='PayRun',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('number', models.PositiveIntegerField()),
                ('date', models.DateField()),
                ('currency', models.CharField(max_length=3)),
                ('total_minor', models.BigIntegerField()),
                ('state', models.CharField(choices=[('Prepared', 'Prepared'), ('Sent', 'Sent'), ('Waiting', 'Waiting'), ('Answered', 'Answered')], default='Prepared', max_length=10)),
                ('message_id', models.CharField(max_length=35, unique=True)),
                ('file', models.BinaryField()),
                ('by_hand', models.CharField(blank=True, help_text='How it was paid, where no file went to the bank.', max_length=40)),
                ('to_release', models.BooleanField(default=False, help_text='It waits for a second person before the file goes to the bank.')),
                ('time', models.DateTimeField()),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='pay_runs', to='people.firm')),
                ('made_by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to='people.membership')),
                ('released_by', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='people.membership')),
            ],
            options={
                'indexes': [models.Index(fields=['firm', '-time'], name='accounts_pa_firm_id_c139de_idx')],
                'constraints': [models.UniqueConstraint(fields=('firm', 'number'), name='one_pay_run_number')],
            },
        ),
        migrations.CreateModel(
            name='Payment',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('subject', models.CharField(db_index=True, max_length=60)),
                ('text', models.CharField(max_length=140)),
                ('iban', models.CharField(max_length=34)),
                ('amount_minor', models.BigIntegerField()),
                ('end_to_end', models.CharField(max_length=35, unique=True)),
                ('state', models.CharField(choices=[('Under way', 'Under Way'), ('Paid', 'Paid'), ('Failed', 'Failed'), ('Unclear', 'Unclear')], default='Under way', max_length=10)),
                ('failure', models.CharField(blank=True, max_length=120)),
                ('status', models.CharField(blank=True, help_text="The bank's last word on it, as its code.", max_length=8)),
                ('said', models.CharField(blank=True, help_text='The same in plain words.', max_length=120)),
                ('by_hand', models.CharField(blank=True, help_text='How finance knows what became of it.', max_length=200)),
                ('member', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to='people.membership')),
                ('run', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='payments', to='accounts.payrun')),
            ],
            options={
                'indexes': [models.Index(condition=models.Q(('state__in', ['Under way', 'Unclear'])), fields=['state', 'run'], name='open_payments')],
                'constraints': [models.UniqueConstraint(condition=models.Q(('state', 'Failed'), _negated=True), fields=('subject',), name='nothing_paid_twice'), models.CheckConstraint(condition=models.Q(('amount_minor__gt', 0)), name='payments_are_positive')],
            },
        ),
        migrations.CreateModel(
            name='BankAnswer',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('content', models.BinaryField()),
                ('sha256', models.CharField(max_length=64)),
                ('time', models.DateTimeField()),
                ('by', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='people.membership')),
                ('run', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='answers', to='accounts.payrun')),
            ],
            options={
                'ordering': ['id'],
                'constraints': [models.UniqueConstraint(fields=('run', 'sha256'), name='an_answer_once')],
            },
        ),
        migrations.CreateModel(
            name='Period',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('month', models.DateField(help_text='The first day of the month.')),
                ('why', models.CharField(blank=True, help_text='Why it was closed though something was left.', max_length=300)),
                ('time', models.DateTimeField()),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='people.membership')),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='periods', to='people.firm')),
            ],
            options={
                'ordering': ['-month'],
                'constraints': [models.UniqueConstraint(fields=('firm', 'month'), name='one_period_a_month')],
            },
        ),
        migrations.CreateModel(
            name='Posting',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('key', models.CharField(max_length=80)),
                ('subject', models.CharField(db_index=True, max_length=60)),
                ('title', models.CharField(max_length=160)),
                ('date', models.DateField()),
                ('currency', models.CharField(max_length=3)),
                ('total_minor', models.BigIntegerField()),
                ('state', models.CharField(choices=[('Sending', 'Sending'), ('Entered', 'Entered'), ('Refused', 'Refused')], default='Sending', max_length=10)),
                ('number', models.CharField(blank=True, max_length=20)),
                ('refusal_code', models.CharField(blank=True, max_length=20)),
                ('refusal_text', models.CharField(blank=True, max_length=300)),
                ('refusal_about', models.CharField(blank=True, max_length=60)),
                ('tries', models.PositiveSmallIntegerField(default=0)),
                ('time', models.DateTimeField()),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='postings', to='people.firm')),
            ],
            options={
                'indexes': [models.Index(fields=['firm', 'state', '-time'], name='accounts_po_firm_id_a18e63_idx'), models.Index(fields=['firm', '-time'], name='accounts_po_firm_id_465784_idx')],
                'constraints': [models.UniqueConstraint(fields=('firm', 'key'), name='posted_once')],
            },
        ),
        migrations.CreateModel(
            name='PostingLine',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('codes', models.JSONField(blank=True, default=list, help_text="Pairs of dimension and code, in the firm's order.")),
                ('order', models.PositiveSmallIntegerField()),
                ('account', models.CharField(max_length=20)),
                ('debit_minor', models.BigIntegerField(default=0)),
                ('credit_minor', models.BigIntegerField(default=0)),
                ('text', models.CharField(max_length=160)),
                ('party', models.CharField(blank=True, help_text="The supplier's code in the ledger.", max_length=20)),
                ('kept', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='lines', to='accounts.codingkept')),
                ('posting', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='lines', to='accounts.posting')),
            ],
            options={
                'ordering': ['order'],
                'indexes': [models.Index(fields=['kept', 'posting', 'debit_minor', 'credit_minor'], name='lines_by_coding')],
                'constraints': [models.CheckConstraint(condition=models.Q(('credit_minor__gte', 0), ('debit_minor__gte', 0)), name='no_negative_entries')],
            },
        ),
    ]
