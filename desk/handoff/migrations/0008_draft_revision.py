from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("handoff", "0007_boards_and_notes")]

    operations = [
        migrations.AddField(
            model_name="draft",
            name="revision",
            field=models.PositiveIntegerField(default=1),
        ),
    ]
