"""What was turned down before goes back to its owner's tray, and says so; its statement keeps what it was."""

from django.db import migrations


def give_back(apps, schema_editor):
    Claim, Expense = apps.get_model("claims", "Claim"), apps.get_model("expenses", "Expense")
    SignOff = apps.get_model("signoff", "SignOff")
    for claim in Claim.objects.filter(state="Turned down"):
        said = SignOff.objects.filter(subject=f"claim:{claim.pk}", state="Turned down").order_by("-id").first()
        why = said.comment[:300] if said else ""
        Expense.objects.filter(claim=claim).update(claim=None, turned_down_in=claim, turned_down_why=why)


class Migration(migrations.Migration):
    dependencies = [
        ("claims", "0008_supplements_and_owed_back"),
        ("expenses", "0011_supplements_and_owed_back"),
        ("signoff", "0001_initial"),
    ]

    operations = [migrations.RunPython(give_back, migrations.RunPython.noop)]
