"""Attempts to sign in and the sign-in package's counts in the database; roles that need a second factor; sealed secrets."""

from django.core.management import call_command
from django.db import migrations, models

from wainwright.people.adapter import SEALED, FactorAdapter


def make_counts(apps, schema_editor):
    """Make the table of the sign-in package's counts."""
    call_command("createcachetable", "people_counts", database=schema_editor.connection.alias, verbosity=0)


def seal(apps, schema_editor):
    """Seal the secrets that were kept in plain text."""
    adapter = FactorAdapter()
    for row in apps.get_model("mfa", "Authenticator").objects.all():
        for name in ("secret", "seed"):
            value = row.data.get(name, "")
            if value and not value.startswith(SEALED):
                row.data[name] = adapter.encrypt(value)
        row.save()


class Migration(migrations.Migration):
    dependencies = [("people", "0007_dropped_files"), ("mfa", "0003_authenticator_type_uniq")]

    operations = [
        migrations.CreateModel(
            "Attempt",
            [
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("account", models.CharField(max_length=64)),
                ("address", models.CharField(max_length=45)),
                ("time", models.DateTimeField()),
            ],
            options={
                "indexes": [
                    models.Index(fields=["account", "time"], name="people_atte_account_4e8368_idx"),
                    models.Index(fields=["address", "time"], name="people_atte_address_10d5f8_idx"),
                ]
            },
        ),
        migrations.AddField(
            "firm", "factor_roles",
            models.JSONField(blank=True, default=list, help_text="Roles that need a second factor to work here."),
        ),
        migrations.RunPython(make_counts, migrations.RunPython.noop),
        migrations.RunPython(seal, migrations.RunPython.noop),
    ]
