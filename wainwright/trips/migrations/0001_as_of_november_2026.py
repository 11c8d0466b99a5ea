import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    # What an installation of before was brought to step by step.
    replaces = [("trips", "0001_initial"), ("trips", "0002_whole_journeys"), ("trips", "0003_recording"), ("trips", "0004_extras_of_bookings"), ("trips", "0005_codings_are_data"), ("trips", "0006_versions_are_whole"), ("trips", "0007_one_home_for_a_plan"), ("trips", "0008_mileage_by_vehicle"), ("trips", "0009_turned_down"), ("trips", "0010_what_stands"), ("trips", "0011_ready_to_sign"), ("trips", "0012_moving_house"), ("trips", "0013_alter_trip_state"), ("trips", "0014_billed"), ("trips", "0015_lodging")]  # fmt: skip

    initial = True

    dependencies = [
        ('bookings', '0001_as_of_november_2026'),
        ('people', '0001_as_of_november_2026'),
    ]

    operations = [
        migrations.CreateModel(
            name='Trip',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('codes', models.JSONField(blank=True, default=list, help_text="Pairs of dimension and code, in the firm's order.")),
                ('number', models.PositiveIntegerField()),
                ('title', models.CharField(max_length=120)),
                ('purpose', models.CharField(max_length=500)),
                ('kind', models.CharField(choices=[('trip', 'A trip'), ('move', 'Moving house for the firm')], default='trip', max_length=5)),
                ('movers', models.JSONField(blank=True, default=list, help_text='Relatives who move on this trip: each with name and kin.')),
                ('state', models.CharField(choices=[('Planning', 'Planning'), ('Sent back', 'Sent back'), ('Awaiting sign-off', 'Awaiting sign-off'), ('Authorised', 'Authorised'), ('Turned down', 'Turned down'), ('Under way', 'Under way'), ('Back', 'Back'), ('Closed', 'Closed'), ('Called off', 'Called off')], default='Planning', max_length=20)),
                ('currency', models.CharField(max_length=3)),
                ('starts', models.DateField(blank=True, null=True)),
                ('ends', models.DateField(blank=True, null=True)),
                ('supplied', models.JSONField(default=list, help_text='Meals that others supply: "2026-10-13:breakfast".')),
                ('billed', models.JSONField(blank=True, default=list, help_text='Meals that a bill on the claim pays for, as in supplied.')),
                ('advance_minor', models.BigIntegerField(default=0)),
                ('advance_paid', models.BooleanField(default=False)),
                ('advance_settled', models.BooleanField(default=False, help_text='Set against a posted claim.')),
                ('advance_unpaid_minor', models.BigIntegerField(default=0, help_text='What a paid one was raised by, not paid yet.')),
                ('advance_back_minor', models.BigIntegerField(default=0, help_text='What of it came back, or was accounted for before the rest was paid.')),
                ('shares', models.JSONField(blank=True, default=list, help_text='How its cost is split over codings.')),
                ('answers', models.JSONField(blank=True, default=dict, help_text="Answers to the firm's own questions.")),
                ('permissions', models.JSONField(blank=True, default=list, help_text='Special permissions added by hand.')),
                ('engagements', models.JSONField(blank=True, default=list, help_text='What the traveller must be in time for.')),
                ('profile', models.JSONField(blank=True, default=dict, help_text='The copy of the profile that this trip uses.')),
                ('standing', models.JSONField(blank=True, default=dict, help_text='What was authorised, while its plan is opened again.')),
                ('version', models.PositiveIntegerField(default=1)),
                ('signed_name', models.CharField(blank=True, max_length=120)),
                ('sent', models.DateTimeField(blank=True, null=True)),
                ('authorised', models.DateTimeField(blank=True, null=True)),
                ('created', models.DateTimeField()),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='trips', to='people.firm')),
                ('moves_with', models.ForeignKey(blank=True, help_text="The employee's own trip of the same move, where this is that of relatives who travel apart.", null=True, on_delete=django.db.models.deletion.PROTECT, related_name='parties', to='trips.trip')),
                ('ready_by', models.ForeignKey(blank=True, help_text='Who prepared it, and says that the traveller can sign.', null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='people.membership')),
                ('traveller', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='trips', to='people.membership')),
            ],
        ),
        migrations.CreateModel(
            name='TripVersion',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('number', models.PositiveSmallIntegerField()),
                ('lines', models.JSONField(help_text='[key, section, label, value] of every line.')),
                ('act', models.CharField(default='certified and sent', help_text='What made it, in words.', max_length=200)),
                ('total_minor', models.BigIntegerField(default=0)),
                ('allowance_minor', models.BigIntegerField(default=0)),
                ('by_category', models.JSONField(default=dict, help_text='Whole minor units by the code of each category.')),
                ('frozen', models.JSONField(default=dict, help_text='Figures, findings, permissions, journey as they were.')),
                ('signed_name', models.CharField(blank=True, max_length=120)),
                ('signed_by', models.CharField(blank=True, help_text='How it was certified: name or code.', max_length=20)),
                ('time', models.DateTimeField()),
                ('trip', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='versions', to='trips.trip')),
            ],
            options={
                'ordering': ['number'],
                'constraints': [models.UniqueConstraint(fields=('trip', 'number'), name='one_version_number')],
            },
        ),
        migrations.AddField(
            model_name='trip',
            name='signed',
            field=models.ForeignKey(blank=True, help_text='The newest version that the traveller certified.', null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to='trips.tripversion'),
        ),
        migrations.CreateModel(
            name='Subscription',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('secret', models.CharField(max_length=64, unique=True)),
                ('created', models.DateTimeField()),
                ('revoked', models.DateTimeField(blank=True, null=True)),
                ('member', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='subscriptions', to='people.membership')),
            ],
            options={
                'constraints': [models.UniqueConstraint(condition=models.Q(('revoked__isnull', True)), fields=('member',), name='one_open_subscription')],
            },
        ),
        migrations.CreateModel(
            name='Paper',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('kind', models.CharField(max_length=30)),
                ('name', models.CharField(max_length=120)),
                ('file', models.FileField(upload_to='papers/%Y/%m/')),
                ('sha256', models.CharField(max_length=64)),
                ('media_type', models.CharField(max_length=40)),
                ('added', models.DateTimeField()),
                ('trip', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='papers', to='trips.trip')),
            ],
            options={
                'ordering': ['id'],
                'constraints': [models.UniqueConstraint(fields=('trip', 'sha256'), name='a_paper_once_a_trip')],
            },
        ),
        migrations.CreateModel(
            name='OtherCost',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('category', models.CharField(max_length=20)),
                ('label', models.CharField(max_length=80)),
                ('day', models.DateField(blank=True, null=True)),
                ('amount_minor', models.BigIntegerField()),
                ('paid_by', models.CharField(choices=[('self', 'Paid by the traveller'), ('firm', "The firm's card"), ('central', 'Billed to the firm')], default='self', max_length=10)),
                ('booking', models.ForeignKey(blank=True, help_text='What it belongs to, as a bag to its flight; it goes with it.', null=True, on_delete=django.db.models.deletion.CASCADE, related_name='extras', to='bookings.booking')),
                ('trip', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='others', to='trips.trip')),
            ],
            options={
                'ordering': ['id'],
                'constraints': [models.CheckConstraint(condition=models.Q(('amount_minor__gt', 0)), name='other_cost_positive')],
            },
        ),
        migrations.CreateModel(
            name='Night',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('date', models.DateField()),
                ('place', models.JSONField()),
                ('name', models.CharField(blank=True, max_length=80)),
                ('cost_minor', models.BigIntegerField(default=0)),
                ('paid_by', models.CharField(choices=[('self', 'Paid by the traveller'), ('firm', "The firm's card"), ('central', 'Billed to the firm')], default='firm', max_length=10)),
                ('supplied', models.BooleanField(default=False)),
                ('lifted', models.BooleanField(default=False, help_text='Permission for actual cost is asked for.')),
                ('lodging', models.CharField(blank=True, help_text='The kind of lodging, where rates differ by it.', max_length=12)),
                ('full', models.JSONField(blank=True, default=dict, help_text='Who said when that supplied quarters were full.')),
                ('booking', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='nights', to='bookings.booking')),
                ('trip', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='nights', to='trips.trip')),
            ],
            options={
                'ordering': ['date'],
                'constraints': [models.UniqueConstraint(fields=('trip', 'date'), name='a_night_exists_once'), models.CheckConstraint(condition=models.Q(('cost_minor__gte', 0)), name='night_cost_not_negative')],
            },
        ),
        migrations.CreateModel(
            name='Leg',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('mode', models.CharField(choices=[('air', 'Air'), ('rail', 'Rail'), ('ferry', 'Ferry'), ('coach', 'Coach'), ('hire car', 'Hire car'), ('own car', 'Own car'), ('taxi', 'Taxi'), ('on foot', 'On foot')], max_length=10)),
                ('origin', models.JSONField()),
                ('target', models.JSONField()),
                ('leaves_at', models.DateTimeField()),
                ('arrives_at', models.DateTimeField()),
                ('estimate_minor', models.BigIntegerField(default=0)),
                ('paid_by', models.CharField(choices=[('self', 'Paid by the traveller'), ('firm', "The firm's card"), ('central', 'Billed to the firm')], default='firm', max_length=10)),
                ('vehicle', models.CharField(default='car', help_text="The kind of one's own vehicle, which finds the rate.", max_length=20)),
                ('km', models.DecimalField(blank=True, decimal_places=7, max_digits=14, null=True)),
                ('km_by', models.CharField(blank=True, help_text='Where the distance comes from.', max_length=200)),
                ('passengers', models.PositiveSmallIntegerField(default=0)),
                ('compared', models.JSONField(blank=True, default=dict, help_text='The cheapest other way, as evidence.')),
                ('driven_by', models.CharField(blank=True, help_text='Whose vehicle it is, where somebody else drives: then it earns nothing.', max_length=80)),
                ('stop_reason', models.CharField(blank=True, help_text='Why one stops where it ends.', max_length=80)),
                ('booking', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='legs', to='bookings.booking')),
                ('trip', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='legs', to='trips.trip')),
            ],
            options={
                'ordering': ['leaves_at', 'id'],
                'constraints': [models.CheckConstraint(condition=models.Q(('arrives_at__gte', models.F('leaves_at'))), name='leg_arrives_after_leaving'), models.CheckConstraint(condition=models.Q(('estimate_minor__gte', 0)), name='leg_estimate_not_negative')],
            },
        ),
        migrations.AddIndex(
            model_name='trip',
            index=models.Index(fields=['firm', '-starts'], name='trips_trip_firm_id_fae3c1_idx'),
        ),
        migrations.AddIndex(
            model_name='trip',
            index=models.Index(fields=['traveller', '-starts'], name='trips_trip_travell_4fb042_idx'),
        ),
        migrations.AddIndex(
            model_name='trip',
            index=models.Index(fields=['state', 'starts'], name='trips_trip_state_d0a4d4_idx'),
        ),
        migrations.AddConstraint(
            model_name='trip',
            constraint=models.UniqueConstraint(fields=('firm', 'number'), name='one_trip_number'),
        ),
    ]
