import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    # What an installation of before was brought to step by step.
    replaces = [("bookings", "0001_initial"), ("bookings", "0002_initial"), ("bookings", "0003_whole_journeys")]  # fmt: skip

    initial = True

    dependencies = [
        ('people', '0001_as_of_november_2026'),
    ]

    operations = [
        migrations.CreateModel(
            name='Booking',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('kind', models.CharField(choices=[('air', 'Flight'), ('rail', 'Rail'), ('ferry', 'Ferry'), ('coach', 'Coach'), ('car', 'Hire car'), ('stay', 'Lodging'), ('fee', "Agent's fee")], default='air', max_length=6)),
                ('state', models.CharField(choices=[('Asked', 'Asked'), ('Held', 'Held'), ('Confirmed', 'Confirmed'), ('Ticketed', 'Ticketed'), ('Cancelled', 'Cancelled'), ('Lapsed', 'Lapsed')], default='Asked', max_length=12)),
                ('placed', models.BooleanField(default=False, help_text='Whether it was put on its trip; moved away from it since, it still stands.')),
                ('by_hand', models.BooleanField(default=False)),
                ('keys', models.JSONField(blank=True, default=list)),
                ('reference', models.CharField(blank=True, max_length=20)),
                ('carrier', models.CharField(max_length=160)),
                ('label', models.CharField(max_length=160)),
                ('fare', models.CharField(blank=True, max_length=40)),
                ('cabin', models.CharField(blank=True, max_length=10)),
                ('contracted', models.BooleanField(default=False)),
                ('contract_passed', models.BooleanField(default=False, help_text='A contracted fare fitted and was not taken.')),
                ('rows', models.JSONField(default=list, help_text='The conditions in plain rows: [what, words].')),
                ('hops', models.JSONField(default=list, help_text='Every move of it, with places and local times.')),
                ('currency', models.CharField(max_length=3)),
                ('price_minor', models.BigIntegerField()),
                ('price_now_minor', models.BigIntegerField(blank=True, help_text='What it costs now, where it changed.', null=True)),
                ('lost_minor', models.BigIntegerField(default=0, help_text='What cancelling or changing it cost.')),
                ('cheapest_minor', models.BigIntegerField()),
                ('refund_fee_minor', models.BigIntegerField(blank=True, help_text='Empty: not refunded.', null=True)),
                ('change_fee_minor', models.BigIntegerField(blank=True, help_text='Empty: cannot be changed.', null=True)),
                ('alternatives', models.JSONField(default=list)),
                ('evidence', models.JSONField(blank=True, default=dict, help_text='Who was told what of a choice outside the rules.')),
                ('carbon_kg', models.PositiveIntegerField(default=0)),
                ('seat_choice', models.CharField(default='none', max_length=5)),
                ('seats', models.JSONField(blank=True, default=list)),
                ('paid_by', models.CharField(default='firm', max_length=10)),
                ('card', models.CharField(blank=True, max_length=4)),
                ('departure', models.DateTimeField()),
                ('asked', models.DateTimeField()),
                ('held_until', models.DateTimeField(blank=True, null=True)),
                ('ticket_by', models.DateTimeField(blank=True, null=True)),
                ('ticket_number', models.CharField(blank=True, max_length=40)),
                ('problem', models.CharField(blank=True, max_length=300)),
                ('late_told', models.BooleanField(default=False)),
                ('once', models.CharField(max_length=120, unique=True)),
                ('booker', models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='booked', to='people.membership')),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='bookings', to='people.firm')),
                ('instead_of', models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='replaced_by', to='bookings.booking')),
            ],
            options={
                'ordering': ['departure', 'id'],
            },
        ),
    ]
