import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('auth', '__first__'),
        ('shots', '0002_archive_and_folder'),
    ]

    operations = [
        migrations.CreateModel(
            name='Job',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('kind', models.CharField(max_length=20)),
                ('shot', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='jobs', to='shots.shot')),
                ('title', models.CharField(max_length=200)),
                ('payload', models.JSONField(default=dict)),
                ('priority', models.SmallIntegerField(default=0)),
                ('author', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='jobs', to=settings.AUTH_USER_MODEL)),
                ('made', models.DateTimeField(auto_now_add=True)),
            ],
            options={
                'ordering': ['-made', '-pk'],
                'indexes': [],
                'constraints': [],
            },
        ),
        migrations.CreateModel(
            name='Task',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('job', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='tasks', to='jobs.job')),
                ('number', models.IntegerField()),
                ('title', models.CharField(max_length=200)),
                ('payload', models.JSONField(default=dict)),
                ('state', models.CharField(choices=[('queued', 'waiting'), ('running', 'running'), ('done', 'done'), ('skipped', 'already there'), ('failed', 'failed'), ('cancelled', 'cancelled')], default='queued', max_length=10)),
                ('attempts', models.PositiveSmallIntegerField(default=0)),
                ('not_before', models.DateTimeField(null=True)),
                ('claim', models.CharField(blank=True, max_length=32)),
                ('worker', models.CharField(blank=True, max_length=120)),
                ('progress', models.FloatField(default=0)),
                ('begun', models.DateTimeField(null=True)),
                ('beat', models.DateTimeField(null=True)),
                ('ended', models.DateTimeField(null=True)),
                ('seconds', models.FloatField(default=0)),
                ('bytes', models.PositiveBigIntegerField(default=0)),
                ('fault', models.TextField(blank=True)),
                ('result', models.JSONField(default=dict)),
                ('log', models.TextField(blank=True)),
            ],
            options={
                'ordering': ['job', 'number', 'pk'],
                'indexes': [models.Index(fields=['state', 'not_before'], name='tasks_to_take')],
                'constraints': [],
            },
        ),
        migrations.CreateModel(
            name='Worker',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('name', models.CharField(max_length=120, unique=True)),
                ('seen', models.DateTimeField()),
            ],
            options={
                'indexes': [],
                'constraints': [],
            },
        ),
    ]
