from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("jobs", "0003_productions_and_order")]

    operations = [
        migrations.AddField(model_name="worker", name="refuses", field=models.CharField(blank=True, max_length=200)),
    ]
