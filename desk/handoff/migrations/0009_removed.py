from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("handoff", "0008_draft_revision")]

    operations = [
        migrations.AddField(model_name="board", name="removed", field=models.DateTimeField(null=True)),
        migrations.AddField(model_name="note", name="removed", field=models.DateTimeField(null=True)),
    ]
