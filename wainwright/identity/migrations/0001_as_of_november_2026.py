import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    # What an installation of before was brought to step by step.
    replaces = [("identity", "0001_doors")]  # fmt: skip

    initial = True

    dependencies = [
        ('people', '0001_as_of_november_2026'),
    ]

    operations = [
        migrations.CreateModel(
            name='Brought',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('external', models.CharField(blank=True, db_index=True, max_length=200)),
                ('made', models.DateTimeField()),
                ('changed', models.DateTimeField()),
                ('deleted', models.BooleanField(default=False)),
                ('member', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='brought', to='people.membership')),
            ],
        ),
        migrations.CreateModel(
            name='Door',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('digest', models.CharField(max_length=64, unique=True)),
                ('begins', models.CharField(help_text='Its first letters, by which it is known again.', max_length=8)),
                ('time', models.DateTimeField()),
                ('used', models.DateTimeField(blank=True, null=True)),
                ('firm', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='door', to='people.firm')),
                ('made_by', models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='+', to='people.membership')),
            ],
        ),
        migrations.CreateModel(
            name='Group',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=200)),
                ('external', models.CharField(blank=True, max_length=200)),
                ('role', models.CharField(blank=True, choices=[('traveller', 'traveller'), ('approver', 'approver'), ('finance', 'finance'), ('administrator', 'administrator'), ('auditor', 'auditor')], max_length=20)),
                ('made', models.DateTimeField()),
                ('changed', models.DateTimeField()),
                ('firm', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='groups', to='people.firm')),
                ('members', models.ManyToManyField(blank=True, related_name='groups', to='people.membership')),
            ],
            options={
                'ordering': ['name'],
                'constraints': [models.UniqueConstraint(fields=('firm', 'name'), name='one_group_of_a_name')],
            },
        ),
    ]
