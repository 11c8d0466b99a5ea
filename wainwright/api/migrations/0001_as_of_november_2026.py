import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    # What an installation of before was brought to step by step.
    replaces = [("api", "0001_first")]  # fmt: skip

    initial = True

    dependencies = [
        ('people', '0001_as_of_november_2026'),
    ]

    operations = [
        migrations.CreateModel(
            name='ApiToken',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=60)),
                ('digest', models.CharField(max_length=64, unique=True)),
                ('begins', models.CharField(help_text='Its first letters, by which it is known again.', max_length=8)),
                ('scopes', models.JSONField(default=list)),
                ('time', models.DateTimeField()),
                ('used', models.DateTimeField(blank=True, null=True)),
                ('revoked', models.DateTimeField(blank=True, null=True)),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='api_tokens', to='people.firm')),
                ('made_by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='people.membership')),
            ],
            options={
                'ordering': ['-time'],
            },
        ),
        migrations.CreateModel(
            name='Webhook',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('address', models.URLField(max_length=300)),
                ('secret', models.TextField(help_text='Sealed.')),
                ('events', models.JSONField(default=list)),
                ('time', models.DateTimeField()),
                ('failing', models.DateTimeField(blank=True, null=True)),
                ('seen', models.PositiveBigIntegerField(default=0, help_text='The number of the last entry of the trail that was looked at for it.')),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='webhooks', to='people.firm')),
                ('made_by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='people.membership')),
            ],
            options={
                'ordering': ['-time'],
            },
        ),
        migrations.CreateModel(
            name='Answered',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('key', models.CharField(max_length=80)),
                ('asked', models.CharField(help_text='A digest of what was asked.', max_length=64)),
                ('status', models.PositiveSmallIntegerField()),
                ('body', models.JSONField()),
                ('time', models.DateTimeField(db_index=True)),
                ('token', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='+', to='api.apitoken')),
            ],
            options={
                'constraints': [models.UniqueConstraint(fields=('token', 'key'), name='answered_once')],
            },
        ),
        migrations.CreateModel(
            name='Delivery',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('event', models.CharField(max_length=30)),
                ('entry', models.PositiveBigIntegerField(help_text='The entry of the trail that it tells of: told once.')),
                ('body', models.JSONField()),
                ('state', models.CharField(choices=[('waiting', 'Waiting'), ('taken', 'Taken'), ('given up', 'Given Up')], default='waiting', max_length=10)),
                ('tries', models.PositiveSmallIntegerField(default=0)),
                ('next', models.DateTimeField()),
                ('problem', models.CharField(blank=True, max_length=200)),
                ('time', models.DateTimeField()),
                ('webhook', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='deliveries', to='api.webhook')),
            ],
            options={
                'ordering': ['-time', '-pk'],
                'indexes': [models.Index(fields=['state', 'next'], name='api_deliver_state_9a3780_idx')],
                'constraints': [models.UniqueConstraint(fields=('webhook', 'entry'), name='told_once')],
            },
        ),
    ]
