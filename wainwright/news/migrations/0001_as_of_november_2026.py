import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    # What an installation of before was brought to step by step.
    replaces = [("news", "0001_initial"), ("news", "0002_covers_and_mail")]  # fmt: skip

    initial = True

    dependencies = [
        ('people', '0001_as_of_november_2026'),
    ]

    operations = [
        migrations.CreateModel(
            name='Notice',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('text', models.CharField(max_length=300)),
                ('link', models.CharField(max_length=200)),
                ('time', models.DateTimeField()),
                ('read', models.BooleanField(default=False)),
                ('mailed', models.BooleanField(default=True, help_text="Whether it went out by mail, at once or in the day's.")),
                ('member', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='notices', to='people.membership')),
            ],
            options={
                'indexes': [models.Index(condition=models.Q(('mailed', False)), fields=['member', 'time'], name='not_mailed_yet'), models.Index(fields=['member', 'read', '-time'], name='news_notice_member__21e6ac_idx')],
            },
        ),
    ]
