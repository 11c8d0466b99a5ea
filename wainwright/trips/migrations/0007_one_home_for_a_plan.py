"""What was signed of a plan stands on its version alone."""

from django.db import migrations


class Migration(migrations.Migration):
    # The statements of claims that were sent before are written from the old columns first.
    dependencies = [("trips", "0006_versions_are_whole"), ("claims", "0004_statements_of_what_was_sent")]

    operations = [migrations.RemoveField("trip", "plan"), migrations.RemoveField("trip", "planned_minor")]
