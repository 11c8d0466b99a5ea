"""Codings are pairs of dimension and code; which dimensions there are is data of the firm."""

from django.db import migrations, models

from wainwright.people.migrations._codings import pairs_from_columns


class Migration(migrations.Migration):
    dependencies = [("people", "0003_recording")]

    operations = [
        migrations.AddField("membership", "codes", models.JSONField(blank=True, default=list, help_text='The usual coding: pairs of dimension and code.')),
        migrations.RunPython(pairs_from_columns("people.membership"), migrations.RunPython.noop),
        migrations.RemoveField("membership", "cost_centre"),
        migrations.RemoveField("membership", "project"),
        migrations.RemoveField("membership", "task"),
        migrations.RemoveField("membership", "fund"),
    ]
