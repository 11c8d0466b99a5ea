"""A bank answers a pay run more than once: every answer is kept, and what it said last of a payment."""

import hashlib

import django.db.models.deletion
from django.db import migrations, models


def keep_answers(apps, schema_editor):
    """The one answer of each old run is its first."""
    answer = apps.get_model("accounts", "BankAnswer")
    for run in apps.get_model("accounts", "PayRun").objects.exclude(answer=b""):
        content = bytes(run.answer)
        answer.objects.create(run=run, content=content, sha256=hashlib.sha256(content).hexdigest(), time=run.time)


class Migration(migrations.Migration):
    dependencies = [("accounts", "0003_codings_kept_once")]

    operations = [
        migrations.CreateModel(
            name="BankAnswer",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("content", models.BinaryField()),
                ("sha256", models.CharField(max_length=64)),
                ("time", models.DateTimeField()),
                ("by", models.ForeignKey(blank=True, null=True, on_delete=django.db.models.deletion.PROTECT, related_name="+", to="people.membership")),
                ("run", models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name="answers", to="accounts.payrun")),
            ],
            options={"ordering": ["id"], "constraints": [models.UniqueConstraint(fields=("run", "sha256"), name="an_answer_once")]},
        ),
        migrations.AddField("payment", "status", models.CharField(blank=True, help_text="The bank's last word on it, as its code.", max_length=8)),
        migrations.AddField("payment", "said", models.CharField(blank=True, help_text="The same in plain words.", max_length=120)),
        migrations.AddField("payment", "by_hand", models.CharField(blank=True, help_text="How finance knows what became of it.", max_length=200)),
        migrations.AlterField("payment", "state", models.CharField(choices=[("Under way", "Under Way"), ("Paid", "Paid"), ("Failed", "Failed"), ("Unclear", "Unclear")], default="Under way", max_length=10)),
        migrations.AlterField("payrun", "state", models.CharField(choices=[("Prepared", "Prepared"), ("Sent", "Sent"), ("Waiting", "Waiting"), ("Answered", "Answered")], default="Prepared", max_length=10)),
        migrations.AddIndex("payment", models.Index(condition=models.Q(("state__in", ["Under way", "Unclear"])), fields=["state", "run"], name="open_payments")),
        migrations.RunPython(keep_answers, migrations.RunPython.noop),
    ]
