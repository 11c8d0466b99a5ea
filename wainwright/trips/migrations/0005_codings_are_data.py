"""Codings are pairs of dimension and code; which dimensions there are is data of the firm."""

from django.db import migrations, models

from wainwright.people.migrations._codings import pairs_from_columns


def splits_by_pairs(apps, schema_editor):
    """The shares of a plan name their codes by pairs too."""
    for trip in apps.get_model("trips", "Trip").objects.exclude(shares=[]).only("pk", "shares"):
        for row in trip.shares:
            row["parts"] = [
                {"share": part.pop("share"), "codes": [[name, code] for name, code in part.items() if code]}
                for part in row["parts"]
            ]
        trip.save(update_fields=["shares"])



class Migration(migrations.Migration):
    dependencies = [("trips", "0004_extras_of_bookings")]

    operations = [
        migrations.AddField("trip", "codes", models.JSONField(blank=True, default=list, help_text="Pairs of dimension and code, in the firm's order.")),
        migrations.RunPython(pairs_from_columns("trips.trip"), migrations.RunPython.noop),
        migrations.RunPython(splits_by_pairs, migrations.RunPython.noop),
        migrations.RemoveField("trip", "cost_centre"),
        migrations.RemoveField("trip", "project"),
        migrations.RemoveField("trip", "task"),
        migrations.RemoveField("trip", "fund"),
    ]
