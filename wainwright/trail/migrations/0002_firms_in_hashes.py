"""Hashes cover the firm from now on; one entry seals the firms of those before."""

import json

from django.db import migrations, models

from wainwright import clock
from wainwright.core.trail import SEALS, firms_digest
from wainwright.core.trail import Entry as CoreEntry


def seal(apps, schema_editor):
    """Add the entry that seals which firm each entry so far belongs to."""
    entries = apps.get_model("trail", "Entry").objects
    rows = list(entries.order_by("number").values_list("number", "firm_id"))
    if not rows:
        return
    last = entries.get(number=rows[-1][0])
    what, subject = SEALS
    core = CoreEntry(
        number=last.number + 1, time=clock.now(), who="Wainwright", for_whom="", what=what, subject=subject, before="",
        after=json.dumps({"entries": len(rows), "firms": firms_digest(rows)}, sort_keys=True), previous=last.digest,
    )
    entries.create(
        number=core.number, time=core.time, firm_id=None, who=core.who, what=what, subject=subject, after=core.after,
        previous=core.previous, digest=core.digest(), with_firm=True,
    )


class Migration(migrations.Migration):
    dependencies = [("trail", "0001_initial")]

    operations = [
        migrations.AddField("entry", "with_firm", models.BooleanField(default=False)),
        migrations.RunPython(seal, migrations.RunPython.noop),
        migrations.AlterField(
            "entry", "with_firm",
            models.BooleanField(default=True, help_text="Whether the hash covers the firm; a later entry seals it else."),
        ),
    ]
