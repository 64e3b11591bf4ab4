import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    initial = True

    dependencies = [
        ('auth', '__first__'),
    ]

    operations = [
        migrations.CreateModel(
            name='OneTimePassword',
            fields=[
                ('id', models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name='ID')),
                ('user', models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='one_time', to=settings.AUTH_USER_MODEL)),
                ('made', models.DateTimeField(auto_now_add=True)),
            ],
            options={
                'indexes': [],
                'constraints': [],
            },
        ),
    ]
