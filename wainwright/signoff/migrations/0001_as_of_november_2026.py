import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    # What an installation of before was brought to step by step.
    replaces = [("signoff", "0001_initial"), ("signoff", "0002_risk"), ("signoff", "0003_odd"), ("signoff", "0004_queue_in_order")]  # fmt: skip

    initial = True

    dependencies = [
        ('people', '0001_as_of_november_2026'),
    ]

    operations = [
        migrations.CreateModel(
            name='Remark',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('subject', models.CharField(db_index=True, max_length=60)),
                ('line', models.CharField(blank=True, max_length=60)),
                ('text', models.CharField(max_length=1000)),
                ('time', models.DateTimeField()),
                ('mended', models.BooleanField(default=False)),
                ('by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, to='people.membership')),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, to='people.firm')),
            ],
            options={
                'ordering': ['time'],
            },
        ),
        migrations.CreateModel(
            name='SignOff',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('subject', models.CharField(db_index=True, max_length=60)),
                ('kind', models.CharField(max_length=10)),
                ('object_id', models.PositiveBigIntegerField()),
                ('round', models.PositiveSmallIntegerField(default=1)),
                ('order', models.PositiveSmallIntegerField()),
                ('covers', models.CharField(blank=True, max_length=120)),
                ('why', models.CharField(max_length=300)),
                ('scope', models.CharField(default='all', max_length=60)),
                ('content', models.CharField(blank=True, max_length=64)),
                ('state', models.CharField(choices=[('Waiting', 'Waiting'), ('Given', 'Given'), ('Kept', 'Kept'), ('Sent back', 'Sent Back'), ('Turned down', 'Turned Down'), ('Passed on', 'Passed On'), ('Dropped', 'Dropped')], default='Waiting', max_length=12)),
                ('turn', models.BooleanField(default=False)),
                ('due', models.DateField(null=True)),
                ('since', models.DateTimeField(null=True)),
                ('decided', models.DateTimeField(null=True)),
                ('comment', models.CharField(blank=True, max_length=1000)),
                ('title', models.CharField(max_length=200)),
                ('amount_minor', models.BigIntegerField(default=0)),
                ('currency', models.CharField(max_length=3)),
                ('marks', models.JSONField(default=list)),
                ('odd', models.BooleanField(default=False, help_text='Whether something of it is out of line: told by its marks.')),
                ('what', models.CharField(choices=[('plan', 'Plan'), ('claim', 'Claim'), ('supplement', 'Supplement'), ('correction', 'Correction')], default='claim', help_text='What kind of thing it is, for lists.', max_length=12)),
                ('coding', models.CharField(blank=True, help_text='Its own coding in words, for lists.', max_length=160)),
                ('risk', models.PositiveSmallIntegerField(default=0, help_text='How much there is to think about, from 0 to 100.')),
                ('reminded', models.DateField(blank=True, help_text='When its signer was reminded last.', null=True)),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, to='people.firm')),
                ('signer', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='signoffs', to='people.membership')),
            ],
            options={
                'ordering': ['round', 'order', 'id'],
                'indexes': [models.Index(fields=['firm', 'state', 'turn', 'due'], name='signoff_sig_firm_id_def453_idx'), models.Index(fields=['firm', '-decided'], name='signoff_sig_firm_id_399b2f_idx'), models.Index(fields=['signer', '-decided'], name='signoff_sig_signer__295394_idx'), models.Index(fields=['signer', 'state', 'due', 'since'], name='signoff_sig_signer__fe743d_idx'), models.Index(fields=['signer', 'state', '-risk', 'due'], name='signoff_sig_signer__5f8e6b_idx'), models.Index(fields=['signer', 'state', 'currency', 'turn', 'odd', 'scope', 'amount_minor', 'since'], name='queue_sums'), models.Index(fields=['signer', 'kind', 'object_id'], name='signoff_sig_signer__f84cb4_idx')],
                'constraints': [models.UniqueConstraint(condition=models.Q(('state', 'Waiting')), fields=('subject', 'signer'), name='asked_once_at_a_time')],
            },
        ),
    ]
