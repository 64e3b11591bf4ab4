from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("jobs", "0001_initial")]

    operations = [
        migrations.AddField(
            model_name="task", name="outages", field=models.PositiveSmallIntegerField(default=0)
        ),
    ]
