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
            name='SceneVersion',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('shot', models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='scenes', to='shots.shot')),
                ('number', models.PositiveIntegerField()),
                ('kind', models.CharField(choices=[('file', 'scene'), ('facts', 'sheet of facts')], max_length=5)),
                ('name', models.CharField(max_length=120)),
                ('document', models.JSONField()),
                ('fingerprint', models.CharField(max_length=16)),
                ('origin', models.CharField(blank=True, max_length=500)),
                ('author', models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name='+', to=settings.AUTH_USER_MODEL)),
                ('made', models.DateTimeField(auto_now_add=True)),
            ],
            options={
                'ordering': ['-number'],
                'constraints': [models.UniqueConstraint(fields=('shot', 'number'), name='one_scene_number_each')],
                'indexes': [],
            },
        ),
    ]
