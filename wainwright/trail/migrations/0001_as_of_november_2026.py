from django.db import migrations, models


class Migration(migrations.Migration):
    # What an installation of before was brought to step by step.
    replaces = [("trail", "0001_initial"), ("trail", "0002_firms_in_hashes")]  # fmt: skip

    initial = True

    dependencies = [
    ]

    operations = [
        migrations.CreateModel(
            name='Entry',
            fields=[
                ('number', models.PositiveBigIntegerField(primary_key=True, serialize=False)),
                ('time', models.DateTimeField()),
                ('firm_id', models.PositiveBigIntegerField(db_index=True, null=True)),
                ('who', models.CharField(max_length=160)),
                ('for_whom', models.CharField(blank=True, max_length=160)),
                ('what', models.CharField(max_length=200)),
                ('subject', models.CharField(db_index=True, max_length=60)),
                ('before', models.TextField(blank=True)),
                ('after', models.TextField(blank=True)),
                ('with_firm', models.BooleanField(default=True, help_text='Whether the hash covers the firm; a later entry seals it else.')),
                ('previous', models.CharField(max_length=64)),
                ('digest', models.CharField(max_length=64)),
            ],
            options={
                'indexes': [models.Index(fields=['subject', 'number'], name='trail_entry_subject_8f69ab_idx')],
            },
        ),
    ]
