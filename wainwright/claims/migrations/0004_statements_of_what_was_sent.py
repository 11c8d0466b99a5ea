"""Every claim that was sent gets the statement that it would have had; what it stood at is what it stands at."""

from django.db import migrations

from wainwright.claims.migrations._statements import state_what_was_sent


class Migration(migrations.Migration):
    dependencies = [
        ("claims", "0003_statements"),
        ("accounts", "0003_codings_kept_once"),
        ("expenses", "0006_codings_are_data"),
        ("people", "0004_codings_are_data"),
        ("rulebook", "0005_rate_sources"),
        ("trips", "0005_codings_are_data"),
    ]

    operations = [migrations.RunPython(state_what_was_sent, migrations.RunPython.noop)]
