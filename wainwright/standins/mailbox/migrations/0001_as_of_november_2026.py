from django.db import migrations, models


class Migration(migrations.Migration):
    # What an installation of before was brought to step by step.
    replaces = [("mailbox", "0001_initial")]  # fmt: skip

    initial = True

    dependencies = [
    ]

    operations = [
        migrations.CreateModel(
            name='Mail',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('to', models.EmailField(db_index=True, max_length=254)),
                ('subject', models.CharField(max_length=200)),
                ('text', models.TextField()),
                ('raw', models.BinaryField()),
                ('attachments', models.JSONField(default=list)),
                ('time', models.DateTimeField(db_index=True)),
            ],
        ),
    ]
