"""Schemes are ordered rows; a scheme says itself from when it is in force; rates have further amounts and a currency of their own."""

from datetime import date

from django.db import migrations, models


def rows_of(ends, least):
    """The rows of what the first and the last day of an old scheme said."""
    kind = ends["kind"]
    if kind == "fractions":
        rows = [
            {"period": name, "pays": {"share": str(ends[key])}}
            for name, key in (("only", "single"), ("first", "first"), ("last", "last"))
        ]
        rows.append({"pays": {"share": "1"}})
    elif kind == "clock":
        share = {"share": str(ends["share"])}
        rows = [
            {"left_from": ends["leaving_from"], "pays": share},
            {"back_until": ends["back_until"], "pays": share},
            {"pays": {"share": "1"}},
        ]
    elif kind == "hours":
        rows = [{"period": "whole", "pays": {"share": "1"}}]
        for hours, share in sorted(ends["rows"], key=lambda row: -float(row[0])):
            rows.append({"from": str(hours), "pays": {"share": str(share)}})
    else:
        rows = [{"period": "whole", "pays": {"share": "1"}}, {"over": str(ends["beyond"]), "pays": {"hourly": 12}}]
    return [{"journey_from": str(least), **row} for row in rows] if float(least or 0) else rows


def to_rows(apps, schema_editor):
    Policy = apps.get_model("rulebook", "Policy")
    used = {(policy.firm_id, policy.scheme) for policy in Policy.objects.all()}
    for row in apps.get_model("rulebook", "SchemeData").objects.all():
        data = dict(row.data)
        if "ends" in data:
            data["rows"] = rows_of(data.pop("ends"), data.pop("least_hours", "0"))
        if "under_way" in data:
            data["places"] = {"under_way": data.pop("under_way")}
        since, share = data.pop("long_stay_from", None), data.pop("long_stay_share", "1")
        if since and int(since) > 1:
            data["long_stay"] = {"steps": [{"after": f"{int(since) - 1} days", "share": str(share)}]}
        row.data = data
        if (row.firm_id, row.code) in used:
            row.since = date.fromisoformat(data["since"])
        row.save()
    for policy in Policy.objects.all():
        # What was worked out by the old scheme is looked up under another version.
        policy.firm.rules_version = f"{policy.firm.rules_version[:28]}rows"
        policy.firm.save(update_fields=["rules_version"])


class Migration(migrations.Migration):
    dependencies = [("rulebook", "0016_tax_codes"), ("people", "0015_language")]

    operations = [
        migrations.AddField("schemedata", "since", models.DateField(blank=True, help_text="From when it is in force; empty: a draft.", null=True)),
        migrations.AddField("allowancerate", "currency", models.CharField(blank=True, max_length=3, default=""), preserve_default=False),
        migrations.AddField("allowancerate", "amounts", models.JSONField(blank=True, default=dict, help_text="Further amounts by the names that rows of a scheme use.")),
        migrations.AddField("allowancerate", "free", models.JSONField(blank=True, default=dict, help_text="What of an amount is free of tax, by its name.")),
        migrations.AddField("allowancerate", "sets", models.JSONField(blank=True, default=dict, help_text='Meals that are cut together, as {"lunch+dinner": …}.')),
        migrations.AddField("allowancerate", "flat_night_minor", models.BigIntegerField(blank=True, help_text="For a night without a bill.", null=True)),
        migrations.AddField("allowancerate", "ceilings", models.JSONField(blank=True, default=dict, help_text="Ceilings of kinds of lodging that have their own.")),
        migrations.RunPython(to_rows, migrations.RunPython.noop),
        migrations.AlterModelOptions("schemedata", options={"ordering": ["since", "code"]}),
        migrations.AddConstraint("schemedata", models.UniqueConstraint(fields=("firm", "since"), name="one_scheme_begins_on_a_day")),
        migrations.RemoveField("policy", "scheme"),
    ]
