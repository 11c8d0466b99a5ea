"""Whether tips are usual for a category: so for the two of the shipped ones where they are, in firms that are there."""

from django.db import migrations, models


def tipped(apps, schema_editor):
    """Say so for meals and taxis of every firm."""
    apps.get_model("rulebook", "Category").objects.filter(code__in=["meals", "taxi"]).update(tips=True)


class Migration(migrations.Migration):
    dependencies = [("rulebook", "0002_commute_off")]

    operations = [
        migrations.AddField(
            model_name="category",
            name="tips",
            field=models.BooleanField(
                default=False, help_text="Tips are usual: a card's charge may be somewhat more than the paper says."
            ),
        ),
        migrations.RunPython(tipped, migrations.RunPython.noop),
    ]
