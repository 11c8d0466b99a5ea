"""The bank's answers stand in rows of their own."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("accounts", "0004_answers_of_the_bank")]

    operations = [migrations.RemoveField("payrun", "answer")]
