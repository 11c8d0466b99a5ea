"""What a claim comes to stands on its statement alone."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("claims", "0004_statements_of_what_was_sent")]

    operations = [
        migrations.RemoveField("claim", "certified"),
        migrations.RemoveField("claim", "due_minor"),
        migrations.RemoveField("claim", "total_minor"),
    ]
