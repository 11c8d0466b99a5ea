from django.db import migrations, models


class Migration(migrations.Migration):
    # What an installation of before was brought to step by step.
    replaces = [("ledger", "0001_initial"), ("ledger", "0002_masters"), ("ledger", "0003_banks")]  # fmt: skip

    initial = True

    dependencies = [
    ]

    operations = [
        migrations.CreateModel(
            name='ClosedPeriod',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('firm', models.SlugField()),
                ('month', models.CharField(max_length=7)),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('firm', 'month'), name='one_closed_period')],
            },
        ),
        migrations.CreateModel(
            name='LedgerCode',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('firm', models.SlugField()),
                ('dimension', models.CharField(max_length=20)),
                ('code', models.CharField(max_length=20)),
                ('name', models.CharField(blank=True, max_length=80)),
                ('parent', models.CharField(blank=True, max_length=20)),
                ('open_from', models.DateField(null=True)),
                ('open_until', models.DateField(null=True)),
                ('asks_for', models.JSONField(default=list)),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('firm', 'dimension', 'code'), name='one_ledger_code')],
            },
        ),
        migrations.CreateModel(
            name='LedgerEntry',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('firm', models.SlugField()),
                ('key', models.CharField(max_length=80)),
                ('number', models.CharField(max_length=20)),
                ('date', models.DateField()),
                ('lines', models.JSONField()),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('firm', 'key'), name='entered_once')],
            },
        ),
        migrations.CreateModel(
            name='LedgerParty',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('firm', models.SlugField()),
                ('kind', models.CharField(max_length=10)),
                ('code', models.CharField(max_length=20)),
                ('name', models.CharField(max_length=120)),
                ('country', models.CharField(blank=True, max_length=2)),
                ('iban', models.CharField(blank=True, max_length=34)),
                ('tax_number', models.CharField(blank=True, max_length=20)),
                ('rate', models.DecimalField(decimal_places=4, max_digits=5, null=True)),
                ('share', models.DecimalField(decimal_places=4, max_digits=5, null=True)),
                ('open_until', models.DateField(null=True)),
                ('parent', models.CharField(blank=True, help_text='The account that mirrors a bank account.', max_length=20)),
                ('key', models.CharField(blank=True, help_text='Under which it was made, where somebody asked for it.', max_length=80)),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('firm', 'kind', 'code'), name='one_ledger_party')],
            },
        ),
    ]
