"""Two costs alike on one day may be two: it is explained. The same receipt twice stays a stop."""

from django.db import migrations

REASONS = ["Two of them were bought", "The other is somebody else's own"]


def split(apps, schema_editor):
    RuleSetting = apps.get_model("rulebook", "RuleSetting")
    for rule in RuleSetting.objects.filter(kind="duplicate", level="stop"):
        if rule.params.get("by"):
            continue
        if not RuleSetting.objects.filter(firm=rule.firm, code="alike").exists():
            RuleSetting.objects.create(
                firm=rule.firm, code="alike", kind="duplicate", level="explain", params={"by": "cost"}, reasons=REASONS,
                text="Two costs alike on one day are said to be two.", categories=rule.categories, subjects=rule.subjects,
                since=rule.since, until=rule.until,
            )  # fmt: skip
        rule.params = {**rule.params, "by": "paper"}
        rule.save()


class Migration(migrations.Migration):
    dependencies = [("rulebook", "0009_second_payer")]

    operations = [migrations.RunPython(split, migrations.RunPython.noop)]
