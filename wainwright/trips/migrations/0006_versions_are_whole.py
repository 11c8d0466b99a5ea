"""A version keeps what it came to as figures too, and a trip points to the one that was certified last."""

import django.db.models.deletion
from django.db import migrations, models

from wainwright.core.money import Money


def figures_of_old_versions(apps, schema_editor):
    """Old versions have their sums in words; the last one of a trip has them by category on the trip."""
    for version in apps.get_model("trips", "TripVersion").objects.select_related("trip").order_by("trip_id", "number"):
        trip = version.trip
        words = {key: value for key, _, _, value in version.lines}
        version.total_minor = _minor(words.get("money:total", "0"), trip.currency)
        version.allowance_minor = _minor(words.get("money:allowance", "0"), trip.currency)
        version.by_category = {
            code: _minor(amount, trip.currency) for code, amount in trip.plan.get("by_code", {}).items()
        }
        version.save()
        trip.signed = version
        trip.save(update_fields=["signed"])


def _minor(text, currency):
    return Money.of(text.replace(",", ""), currency).minor


class Migration(migrations.Migration):
    dependencies = [("trips", "0005_codings_are_data")]

    operations = [
        migrations.AddField("tripversion", "act", models.CharField(default="certified and sent", help_text="What made it, in words.", max_length=200)),
        migrations.AddField("tripversion", "allowance_minor", models.BigIntegerField(default=0)),
        migrations.AddField("tripversion", "by_category", models.JSONField(default=dict, help_text="Whole minor units by the code of each category.")),
        migrations.AddField("tripversion", "frozen", models.JSONField(default=dict, help_text="Figures, findings, permissions, journey as they were.")),
        migrations.AddField("tripversion", "total_minor", models.BigIntegerField(default=0)),
        migrations.AlterField("tripversion", "signed_by", models.CharField(blank=True, help_text="How it was certified: name or code.", max_length=20)),
        migrations.AlterField("tripversion", "signed_name", models.CharField(blank=True, max_length=120)),
        migrations.AddField("trip", "signed", models.ForeignKey(blank=True, help_text="The newest version that the traveller certified.", null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="+", to="trips.tripversion")),
        migrations.RunPython(figures_of_old_versions, migrations.RunPython.noop),
    ]
