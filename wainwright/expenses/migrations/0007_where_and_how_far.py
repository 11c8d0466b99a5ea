"""Where a cost was paid, as its owner says, and whether a ride's km are there and back."""

from decimal import Decimal

from django.db import migrations, models


def rides_of_old(apps, schema_editor):
    """The workings of a ride that was typed for both ways name the km of one."""
    for ride in apps.get_model("expenses", "Expense").objects.filter(kind="mileage", km__isnull=False):
        half = f"{(ride.km / 2).normalize():f} km one way"
        if ride.workings and half in str(ride.workings[0]) and ride.km != Decimal(0):
            ride.back_again = True
            ride.save(update_fields=["back_again"])


class Migration(migrations.Migration):
    dependencies = [("expenses", "0006_codings_are_data")]

    operations = [
        migrations.AddField("expense", "country", models.CharField(blank=True, help_text="Where it was paid, as its owner says.", max_length=2)),
        migrations.AddField("expense", "back_again", models.BooleanField(default=False, help_text="Whether the km are there and back.")),
        migrations.AlterField("expense", "abroad", models.BooleanField(default=False, help_text="Paid in another currency.")),
        migrations.RunPython(rides_of_old, migrations.RunPython.noop),
    ]
