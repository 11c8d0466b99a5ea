import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    # What an installation of before was brought to step by step.
    replaces = [("bookings", "0004_placed")]  # fmt: skip

    initial = True

    dependencies = [
        ('bookings', '0001_as_of_november_2026'),
        ('trips', '0001_as_of_november_2026'),
    ]

    operations = [
        migrations.AddField(
            model_name='booking',
            name='trip',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='bookings', to='trips.trip'),
        ),
        migrations.AddIndex(
            model_name='booking',
            index=models.Index(fields=['state', 'held_until'], name='bookings_bo_state_d5d4e5_idx'),
        ),
        migrations.AddConstraint(
            model_name='booking',
            constraint=models.UniqueConstraint(condition=models.Q(('ticket_number', ''), _negated=True), fields=('firm', 'ticket_number'), name='a_ticket_number_once_a_firm'),
        ),
    ]
