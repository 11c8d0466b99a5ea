"""Each distinct coding is kept once, a row for each of its codes, so that lines are summed by any dimension in SQL."""

import hashlib
import json

import django.db.models.deletion
from django.db import migrations, models


def keep_those_of_lines(apps, schema_editor):
    """The lines that are there get the kept coding of their own codes."""
    kept, part, line = (apps.get_model("accounts", name) for name in ("CodingKept", "CodingPart", "PostingLine"))
    made, batch = {}, []
    for row in line.objects.select_related("posting").iterator(2000):
        if not row.codes:
            continue
        key = hashlib.sha256(json.dumps(sorted(row.codes)).encode()).hexdigest()
        own = made.get((row.posting.firm_id, key))
        if own is None:
            own = made[row.posting.firm_id, key] = kept.objects.create(firm_id=row.posting.firm_id, key=key)
            part.objects.bulk_create(part(coding=own, dimension=name, code=code) for name, code in row.codes)
        row.kept = own
        batch.append(row)
        if len(batch) >= 2000:
            line.objects.bulk_update(batch, ["kept"])
            batch = []
    line.objects.bulk_update(batch, ["kept"])


class Migration(migrations.Migration):

    dependencies = [
        ('accounts', '0002_codings_are_data'),
        ('people', '0004_codings_are_data'),
    ]

    operations = [
        migrations.CreateModel(
            name='CodingKept',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('key', models.CharField(help_text='SHA-256 of its codes.', max_length=64)),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='people.firm')),
            ],
        ),
        migrations.AddField(
            model_name='postingline',
            name='kept',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, related_name='lines', to='accounts.codingkept'),
        ),
        migrations.CreateModel(
            name='CodingPart',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('dimension', models.CharField(max_length=20)),
                ('code', models.CharField(max_length=20)),
                ('coding', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='parts', to='accounts.codingkept')),
            ],
        ),
        migrations.AddConstraint(
            model_name='codingkept',
            constraint=models.UniqueConstraint(fields=('firm', 'key'), name='one_kept_coding'),
        ),
        migrations.AddIndex(
            model_name='codingpart',
            index=models.Index(fields=['dimension', 'code', 'coding'], name='accounts_co_dimensi_7eb298_idx'),
        ),
        migrations.AddConstraint(
            model_name='codingpart',
            constraint=models.UniqueConstraint(fields=('coding', 'dimension'), name='one_code_of_a_dimension'),
        ),
        migrations.RunPython(keep_those_of_lines, migrations.RunPython.noop),
    ]
