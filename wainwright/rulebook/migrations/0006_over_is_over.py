"""Sentences of rules with a threshold say what the rule does: over it, not from it on."""

from django.db import migrations

SAID = {
    "A receipt is needed from 25.00 on.": "A receipt is needed over 25.00.",
    "From 200.00 on the firm's card is used.": "Over 200.00 the firm's card is used.",
}


def say_over(apps, schema_editor):
    """Only the sentences that ship are changed; what a firm has written itself is its own."""
    for old, new in SAID.items():
        apps.get_model("rulebook", "RuleSetting").objects.filter(text=old).update(text=new)


class Migration(migrations.Migration):
    dependencies = [("rulebook", "0005_rate_sources")]

    operations = [migrations.RunPython(say_over, migrations.RunPython.noop)]
