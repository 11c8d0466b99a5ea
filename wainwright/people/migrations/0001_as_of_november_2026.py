import django.db.models.deletion
import django.db.models.functions.text
import wainwright.people.models
from django.conf import settings
from django.core.management import call_command
from django.db import migrations, models


def make_counts(apps, schema_editor):
    """Make the table of the sign-in package's counts."""
    call_command("createcachetable", "people_counts", database=schema_editor.connection.alias, verbosity=0)


class Migration(migrations.Migration):
    # What an installation of before was brought to step by step.
    replaces = [("people", "0001_initial"), ("people", "0002_whole_journeys"), ("people", "0003_recording"), ("people", "0004_codings_are_data"), ("people", "0005_ways_in"), ("people", "0006_once"), ("people", "0007_dropped_files"), ("people", "0008_ways_to_sign_in"), ("people", "0009_delegates"), ("people", "0010_issuers"), ("people", "0011_covers_and_mail"), ("people", "0012_roles_and_factors"), ("people", "0013_firm_letters"), ("people", "0014_sign_in_by"), ("people", "0015_language")]  # fmt: skip

    initial = True

    dependencies = [
    ]

    operations = [
        migrations.CreateModel(
            name='Person',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('password', models.CharField(max_length=128, verbose_name='password')),
                ('last_login', models.DateTimeField(blank=True, null=True, verbose_name='last login')),
                ('email', models.EmailField(max_length=254, unique=True)),
                ('name', models.CharField(max_length=120)),
                ('is_active', models.BooleanField(default=True)),
            ],
            options={
                'abstract': False,
            },
        ),
        migrations.CreateModel(
            name='Dropped',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=200)),
                ('time', models.DateTimeField(db_index=True)),
            ],
        ),
        migrations.CreateModel(
            name='Firm',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('slug', models.SlugField(unique=True)),
                ('name', models.CharField(max_length=120)),
                ('country', models.CharField(max_length=2)),
                ('currency', models.CharField(max_length=3)),
                ('zone', models.CharField(max_length=40)),
                ('iban', models.CharField(max_length=34)),
                ('bic', models.CharField(blank=True, max_length=11)),
                ('address', models.CharField(blank=True, help_text='As it stands on letters.', max_length=200)),
                ('letter_foot', models.CharField(blank=True, help_text='What stands at the foot of letters.', max_length=200)),
                ('language', models.CharField(choices=[('en', 'English'), ('nb', 'Norsk bokmål'), ('de', 'Deutsch')], default='en', help_text='Of letters.', max_length=5)),
                ('year_begins', models.PositiveSmallIntegerField(default=1, help_text='The month in which the fiscal year begins.')),
                ('rules_version', models.CharField(default=wainwright.people.models.new_version, max_length=32)),
                ('factor_roles', models.JSONField(blank=True, default=list, help_text='Roles that need a second factor to work here.')),
                ('factor_from', models.DateField(blank=True, help_text='From which day; empty: at once.', null=True)),
                ('factor_grace', models.PositiveSmallIntegerField(default=0, help_text='So many days each has from the day on which they first meet it.')),
            ],
        ),
        migrations.CreateModel(
            name='Attempt',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('account', models.CharField(max_length=64)),
                ('address', models.CharField(max_length=45)),
                ('time', models.DateTimeField()),
            ],
            options={
                'indexes': [models.Index(fields=['account', 'time'], name='people_atte_account_4e8368_idx'), models.Index(fields=['address', 'time'], name='people_atte_address_10d5f8_idx')],
            },
        ),
        migrations.CreateModel(
            name='Membership',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('job', models.CharField(blank=True, max_length=80)),
                ('traveller', models.BooleanField(default=True)),
                ('approver', models.BooleanField(default=False)),
                ('finance', models.BooleanField(default=False)),
                ('administrator', models.BooleanField(default=False)),
                ('auditor', models.BooleanField(default=False)),
                ('signs_own', models.BooleanField(default=False)),
                ('own_limit_minor', models.BigIntegerField(blank=True, help_text='Up to which sum they sign what is their own; empty: as far as they sign.', null=True)),
                ('limit_minor', models.BigIntegerField(blank=True, null=True)),
                ('codes', models.JSONField(blank=True, default=list, help_text='The usual coding: pairs of dimension and code.')),
                ('home_code', models.CharField(blank=True, max_length=20)),
                ('work_code', models.CharField(blank=True, max_length=20)),
                ('mail_daily', models.BooleanField(default=False, help_text='News by mail once a day, instead of each at once.')),
                ('phone', models.CharField(blank=True, max_length=30)),
                ('itinerary_email', models.EmailField(blank=True, help_text='Where itineraries go; empty: the sign-in address.', max_length=254)),
                ('iban', models.CharField(blank=True, max_length=34)),
                ('iban_before', models.CharField(blank=True, help_text='The account before the last change.', max_length=34)),
                ('iban_changed', models.DateTimeField(blank=True, help_text='When the account was changed.', null=True)),
                ('iban_confirmed', models.BooleanField(default=False, help_text='Whether finance confirmed the change.')),
                ('mail_name', models.CharField(blank=True, help_text='Where receipts are forwarded to.', max_length=40, null=True, unique=True)),
                ('active', models.BooleanField(default=True)),
                ('factor_due', models.DateField(blank=True, help_text='Until when they may work without a second factor.', null=True)),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='members', to='people.firm')),
                ('manager', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='reports', to='people.membership')),
                ('person', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='memberships', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('firm', 'person'), name='one_membership_per_firm')],
            },
        ),
        migrations.CreateModel(
            name='Delegate',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('since', models.DateField()),
                ('until', models.DateField()),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='prepares_for', to='people.membership')),
                ('member', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='delegates', to='people.membership')),
            ],
            options={
                'constraints': [models.CheckConstraint(condition=models.Q(('until__gte', models.F('since'))), name='delegate_ends_after_start'), models.CheckConstraint(condition=models.Q(('member', models.F('by')), _negated=True), name='nobody_prepares_for_themselves')],
            },
        ),
        migrations.CreateModel(
            name='Cover',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('since', models.DateField()),
                ('until', models.DateField()),
                ('below_minor', models.BigIntegerField(blank=True, help_text='Only what comes to less; empty: everything. The rest goes to the next above.', null=True)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='covering', to='people.membership')),
                ('member', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='covers', to='people.membership')),
            ],
            options={
                'constraints': [models.CheckConstraint(condition=models.Q(('until__gte', models.F('since'))), name='cover_ends_after_start')],
            },
        ),
        migrations.CreateModel(
            name='Card',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('last_four', models.CharField(max_length=4)),
                ('issuer', models.CharField(max_length=60)),
                ('firm_pays', models.BooleanField(default=True)),
                ('since', models.DateField(blank=True, null=True)),
                ('expires', models.DateField()),
                ('closed', models.DateField(blank=True, null=True)),
                ('account', models.CharField(blank=True, help_text="The clearing account behind it; empty: the firm's.", max_length=20)),
                ('fed_until', models.DateField(blank=True, help_text='Until when its issuer was asked for charges.', null=True)),
                ('owner', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='cards', to='people.membership')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('owner', 'last_four'), name='one_card_per_number')],
            },
        ),
        migrations.CreateModel(
            name='Once',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('key', models.CharField(max_length=64, unique=True)),
                ('led_to', models.CharField(blank=True, help_text='Where the first press led.', max_length=300)),
                ('time', models.DateTimeField(db_index=True)),
                ('member', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='people.membership')),
            ],
        ),
        migrations.CreateModel(
            name='SignInBy',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('issuer', models.URLField(help_text='Under which it describes itself.')),
                ('client_id', models.CharField(max_length=200)),
                ('secret', models.TextField(help_text='Sealed.')),
                ('domain', models.CharField(db_index=True, help_text="What stands behind the @ of the firm's people.", max_length=120)),
                ('required', models.BooleanField(default=False, help_text='Whether people of the firm come in by it alone.')),
                ('asks_factor', models.BooleanField(default=False, help_text='Whether it asks the second factor itself.')),
                ('time', models.DateTimeField()),
                ('firm', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='sign_in_by', to='people.firm')),
            ],
        ),
        migrations.CreateModel(
            name='Vehicle',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('plate', models.CharField(max_length=15)),
                ('kind', models.CharField(default='car', max_length=20)),
                ('owner', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='vehicles', to='people.membership')),
            ],
        ),
        migrations.CreateModel(
            name='Guess',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('what', models.CharField(max_length=20)),
                ('time', models.DateTimeField()),
                ('person', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='guesses', to=settings.AUTH_USER_MODEL)),
            ],
            options={
                'indexes': [models.Index(fields=['person', 'what', 'time'], name='people_gues_person__bfe840_idx')],
            },
        ),
        migrations.CreateModel(
            name='Issuer',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=60)),
                ('iban', models.CharField(max_length=34)),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='issuers', to='people.firm')),
            ],
            options={
                'ordering': ['name'],
                'constraints': [models.UniqueConstraint(django.db.models.functions.text.Lower('name'), models.F('firm'), name='one_account_per_issuer')],
            },
        ),
        migrations.RunPython(make_counts, migrations.RunPython.noop),
    ]
