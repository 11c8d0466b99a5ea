"""Codings are pairs of dimension and code; which dimensions there are is data of the firm."""

from django.db import migrations, models

from wainwright.people.migrations._codings import pairs_from_columns


class Migration(migrations.Migration):
    dependencies = [("expenses", "0005_recording")]

    operations = [
        migrations.AddField("expense", "codes", models.JSONField(blank=True, default=list, help_text="Pairs of dimension and code, in the firm's order.")),
        migrations.AddField("part", "codes", models.JSONField(blank=True, default=list, help_text="Pairs of dimension and code, in the firm's order.")),
        migrations.AddField("splitshare", "codes", models.JSONField(blank=True, default=list, help_text="Pairs of dimension and code, in the firm's order.")),
        migrations.RunPython(pairs_from_columns("expenses.expense", "expenses.part", "expenses.splitshare"), migrations.RunPython.noop),
        migrations.RemoveField("expense", "cost_centre"),
        migrations.RemoveField("expense", "project"),
        migrations.RemoveField("expense", "task"),
        migrations.RemoveField("expense", "fund"),
        migrations.RemoveField("part", "cost_centre"),
        migrations.RemoveField("part", "project"),
        migrations.RemoveField("part", "task"),
        migrations.RemoveField("part", "fund"),
        migrations.RemoveField("splitshare", "cost_centre"),
        migrations.RemoveField("splitshare", "project"),
        migrations.RemoveField("splitshare", "task"),
        migrations.RemoveField("splitshare", "fund"),
    ]
