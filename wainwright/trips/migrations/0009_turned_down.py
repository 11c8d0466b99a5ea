"""A trip that was turned down says so; it read as if its traveller had called it off."""

from django.db import migrations, models


def say_so(apps, schema_editor):
    """Those whose last answer on their route was to turn them down."""
    Trip, SignOff = apps.get_model("trips", "Trip"), apps.get_model("signoff", "SignOff")
    for trip in Trip.objects.filter(state="Called off").iterator():
        decided = SignOff.objects.filter(subject=f"trip:{trip.pk}", decided__isnull=False).order_by("-decided").first()
        if decided is not None and decided.state == "Turned down":
            Trip.objects.filter(pk=trip.pk).update(state="Turned down")


def as_before(apps, schema_editor):
    """Both were one."""
    apps.get_model("trips", "Trip").objects.filter(state="Turned down").update(state="Called off")


STATES = [
    "Planning", "Sent back", "Awaiting sign-off", "Authorised", "Under way", "Back", "Turned down", "Closed", "Called off",
]  # fmt: skip


class Migration(migrations.Migration):
    dependencies = [("trips", "0008_mileage_by_vehicle"), ("signoff", "0001_initial")]

    operations = [
        migrations.AlterField(
            "trip", "state", models.CharField(choices=[(s, s) for s in STATES], default="Planning", max_length=20)
        ),
        migrations.RunPython(say_so, as_before),
    ]
