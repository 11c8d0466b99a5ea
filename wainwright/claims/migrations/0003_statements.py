"""What was sent is kept as rows: a statement, its lines, their codings, its findings."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('accounts', '0003_codings_kept_once'),
        ('claims', '0002_codings_are_data'),
        ('people', '0004_codings_are_data'),
    ]

    operations = [
        migrations.CreateModel(
            name='Statement',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('number', models.PositiveSmallIntegerField()),
                ('act', models.CharField(help_text='What made it, in words.', max_length=120)),
                ('time', models.DateTimeField()),
                ('budget_day', models.DateField(help_text="The day whose year's budgets it spends.")),
                ('planned_minor', models.BigIntegerField(blank=True, help_text='What was authorised, where it had to be.', null=True)),
                ('total_minor', models.BigIntegerField()),
                ('own_money_minor', models.BigIntegerField()),
                ('allowance_minor', models.BigIntegerField()),
                ('mileage_minor', models.BigIntegerField()),
                ('firm_paid_minor', models.BigIntegerField()),
                ('personal_minor', models.BigIntegerField(help_text='Personal cost that the firm paid.')),
                ('advance_minor', models.BigIntegerField()),
                ('to_issuer_minor', models.BigIntegerField(default=0)),
                ('due_minor', models.BigIntegerField(db_index=True)),
                ('workings', models.JSONField(help_text='[what, how much] of each step to what is due.')),
                ('marks', models.JSONField(default=list, help_text='How grave its findings are, for lists.')),
                ('by', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='people.membership')),
                ('claim', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='statements', to='claims.claim')),
            ],
            options={
                'ordering': ['number'],
            },
        ),
        migrations.AddField(
            model_name='claim',
            name='statement',
            field=models.ForeignKey(blank=True, help_text='The newest version of what was certified.', null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='claims.statement'),
        ),
        migrations.CreateModel(
            name='StatementFinding',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('order', models.PositiveSmallIntegerField()),
                ('identity', models.CharField(max_length=200)),
                ('rule', models.CharField(max_length=60)),
                ('level', models.CharField(max_length=10)),
                ('text', models.TextField()),
                ('rule_text', models.TextField(blank=True)),
                ('target', models.CharField(max_length=200)),
                ('also', models.JSONField(default=list)),
                ('cure', models.CharField(blank=True, max_length=120)),
                ('reason', models.CharField(blank=True, max_length=120)),
                ('words', models.CharField(blank=True, max_length=1000)),
                ('statement', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='findings', to='claims.statement')),
            ],
            options={
                'ordering': ['order'],
            },
        ),
        migrations.CreateModel(
            name='StatementLine',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('order', models.PositiveSmallIntegerField()),
                ('key', models.CharField(max_length=60)),
                ('kind', models.CharField(max_length=10)),
                ('label', models.CharField(max_length=200)),
                ('day', models.DateField()),
                ('merchant', models.CharField(blank=True, max_length=120)),
                ('guests', models.CharField(blank=True, max_length=300)),
                ('category', models.CharField(blank=True, max_length=20)),
                ('category_name', models.CharField(max_length=60)),
                ('paid_by', models.CharField(max_length=10)),
                ('card', models.CharField(blank=True, max_length=80)),
                ('card_account', models.CharField(blank=True, max_length=20)),
                ('says_minor', models.BigIntegerField()),
                ('shows_minor', models.BigIntegerField(null=True)),
                ('shows_by', models.CharField(blank=True, max_length=20)),
                ('allows_minor', models.BigIntegerField()),
                ('allows_by', models.CharField(blank=True, max_length=120)),
                ('original_minor', models.BigIntegerField(null=True)),
                ('original_currency', models.CharField(blank=True, max_length=3)),
                ('rate', models.DecimalField(decimal_places=8, max_digits=18, null=True)),
                ('rate_source', models.CharField(blank=True, max_length=120)),
                ('evidence', models.JSONField(default=list, help_text='[kind, number, words] of each proof.')),
                ('nights', models.JSONField(default=list, help_text='The nights that it pays, as dates.')),
                ('workings', models.JSONField(default=list)),
                ('statement', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='lines', to='claims.statement')),
            ],
            options={
                'ordering': ['order'],
            },
        ),
        migrations.CreateModel(
            name='StatementCoding',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('codes', models.JSONField(blank=True, default=list, help_text="Pairs of dimension and code, in the firm's order.")),
                ('order', models.PositiveSmallIntegerField()),
                ('text', models.CharField(max_length=330)),
                ('category', models.CharField(blank=True, max_length=20)),
                ('account', models.CharField(blank=True, max_length=20)),
                ('net_minor', models.BigIntegerField(help_text='Cost, without the tax that comes back.')),
                ('tax_minor', models.BigIntegerField(help_text='All the tax in it.')),
                ('recoverable_minor', models.BigIntegerField(help_text='The tax that comes back.')),
                ('personal', models.BooleanField(default=False)),
                ('over', models.BooleanField(default=False, help_text='Not paid, because it is over a ceiling.')),
                ('share', models.DecimalField(decimal_places=4, max_digits=7, null=True)),
                ('kept', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='accounts.codingkept')),
                ('line', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='coded', to='claims.statementline')),
            ],
            options={
                'ordering': ['order'],
            },
        ),
        migrations.AddConstraint(
            model_name='statement',
            constraint=models.UniqueConstraint(fields=('claim', 'number'), name='one_statement_number'),
        ),
        migrations.AddConstraint(
            model_name='statementline',
            constraint=models.UniqueConstraint(fields=('statement', 'key'), name='one_line_per_key'),
        ),
        migrations.AddConstraint(
            model_name='statementcoding',
            constraint=models.UniqueConstraint(fields=('line', 'order'), name='one_coding_per_place'),
        ),
    ]
