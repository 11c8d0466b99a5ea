import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    # What an installation of before was brought to step by step.
    replaces = [("masters", "0001_first"), ("masters", "0002_banks")]  # fmt: skip

    initial = True

    dependencies = [
        ('people', '0001_as_of_november_2026'),
    ]

    operations = [
        migrations.CreateModel(
            name='Supplier',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('code', models.CharField(max_length=20)),
                ('name', models.CharField(max_length=120)),
                ('iban', models.CharField(blank=True, max_length=34)),
                ('tax_number', models.CharField(blank=True, max_length=20)),
                ('open_until', models.DateField(blank=True, null=True)),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='suppliers', to='people.firm')),
                ('member', models.OneToOneField(blank=True, null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='supplier', to='people.membership')),
            ],
            options={
                'ordering': ['name', 'code'],
                'constraints': [models.UniqueConstraint(fields=('firm', 'code'), name='one_supplier_code')],
            },
        ),
        migrations.CreateModel(
            name='MerchantSupplier',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('merchant', models.CharField(max_length=120)),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='people.firm')),
                ('supplier', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='merchants', to='masters.supplier')),
            ],
            options={
                'ordering': ['merchant'],
                'constraints': [models.UniqueConstraint(fields=('firm', 'merchant'), name='one_supplier_a_merchant')],
            },
        ),
        migrations.CreateModel(
            name='Fetch',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('source', models.CharField(help_text='The ledger, or the name of a file.', max_length=120)),
                ('time', models.DateTimeField()),
                ('state', models.CharField(choices=[('fetching', 'Fetching'), ('shown', 'Shown'), ('taken', 'Taken'), ('away', 'Away')], default='fetching', max_length=10)),
                ('problem', models.CharField(blank=True, max_length=300)),
                ('rows', models.JSONField(default=list, help_text='The masters as they came.')),
                ('complete', models.JSONField(default=list, help_text='The kinds that came whole.')),
                ('changes', models.JSONField(default=list, help_text='[what, kind, code, name, words, [in use], hurts] of each.')),
                ('left', models.JSONField(default=list, help_text='Rows of a file that were left out: [where, why].')),
                ('taken', models.DateTimeField(blank=True, null=True)),
                ('by', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='people.membership')),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='fetches', to='people.firm')),
                ('taken_by', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='people.membership')),
            ],
            options={
                'ordering': ['-time', '-pk'],
                'indexes': [models.Index(fields=['firm', '-time'], name='masters_fet_firm_id_5d65d0_idx')],
            },
        ),
        migrations.CreateModel(
            name='LedgerBank',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('code', models.CharField(max_length=20)),
                ('name', models.CharField(max_length=120)),
                ('iban', models.CharField(max_length=34)),
                ('account', models.CharField(max_length=20)),
                ('open_until', models.DateField(blank=True, null=True)),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='people.firm')),
            ],
            options={
                'ordering': ['name', 'code'],
                'constraints': [models.UniqueConstraint(fields=('firm', 'code'), name='one_ledger_bank_code')],
            },
        ),
    ]
