"""Codings are pairs of dimension and code; which dimensions there are is data of the firm."""

from django.db import migrations, models

from wainwright.people.migrations._codings import pairs_from_columns

# What every firm had while its dimensions were columns.
DIMENSIONS = [
    ("cost_centre", "cost centre", "cost centres", "always"), ("project", "project", "projects", "free"),
    ("task", "task", "tasks", "by code"), ("fund", "funding source", "funding sources", "by code"),
]  # fmt: skip


def dimensions_of_old(apps, schema_editor):
    """Each firm keeps the dimensions that it had."""
    dimension = apps.get_model("accounts", "Dimension")
    for firm in apps.get_model("people", "Firm").objects.all():
        for order, (code, name, plural, asked) in enumerate(DIMENSIONS):
            dimension.objects.create(firm=firm, code=code, name=name, plural=plural, order=order, asked=asked)



class Migration(migrations.Migration):
    dependencies = [("accounts", "0001_initial"), ("people", "0003_recording")]

    operations = [
        migrations.CreateModel(
            name="Dimension",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("code", models.SlugField(max_length=20)),
                ("name", models.CharField(max_length=40)),
                ("plural", models.CharField(max_length=40)),
                ("order", models.PositiveSmallIntegerField(default=0)),
                ("asked", models.CharField(choices=[("always", "always"), ("free", "free"), ("by code", "by code")], default="by code", max_length=10)),
                ("choosable", models.BooleanField(default=True, help_text="Whether travellers choose it themselves.")),
                ("firm", models.ForeignKey(on_delete=models.deletion.CASCADE, related_name="dimensions", to="people.firm")),
            ],
            options={"ordering": ["order", "code"], "constraints": [models.UniqueConstraint(fields=("firm", "code"), name="one_dimension")]},
        ),
        migrations.RunPython(dimensions_of_old, migrations.RunPython.noop),
        migrations.AddField("postingline", "codes", models.JSONField(blank=True, default=list, help_text="Pairs of dimension and code, in the firm's order.")),
        migrations.RunPython(pairs_from_columns("accounts.postingline"), migrations.RunPython.noop),
        migrations.RemoveField("postingline", "cost_centre"),
        migrations.RemoveField("postingline", "project"),
        migrations.RemoveField("postingline", "task"),
        migrations.RemoveField("postingline", "fund"),
    ]
