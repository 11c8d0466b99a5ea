"""Codings are pairs of dimension and code; which dimensions there are is data of the firm."""

from django.db import migrations, models

from wainwright.people.migrations._codings import pairs_from_columns


class Migration(migrations.Migration):
    dependencies = [("claims", "0001_initial")]

    operations = [
        migrations.AddField("claim", "codes", models.JSONField(blank=True, default=list, help_text="Pairs of dimension and code, in the firm's order.")),
        migrations.RunPython(pairs_from_columns("claims.claim"), migrations.RunPython.noop),
        migrations.RemoveField("claim", "cost_centre"),
        migrations.RemoveField("claim", "project"),
        migrations.RemoveField("claim", "task"),
        migrations.RemoveField("claim", "fund"),
    ]
