import django.db.models.deletion
from django.db import migrations, models


def name_what_was_written(apps, schema_editor):
    """What came of a frame is told by delivery, now that a task may write several."""
    for delivery in apps.get_model("handoff", "Delivery").objects.prefetch_related("job__tasks"):
        for task in delivery.job.tasks.all():
            if "remarks" in task.result:
                task.result = {"written": {str(delivery.pk): {"bytes": task.bytes, "remarks": task.result["remarks"]}}}
                task.save(update_fields=["result"])


class Migration(migrations.Migration):
    dependencies = [("handoff", "0004_element_moved")]

    operations = [
        migrations.AlterField(
            model_name="delivery",
            name="job",
            field=models.ForeignKey(
                on_delete=django.db.models.deletion.CASCADE, related_name="deliveries", to="jobs.job"
            ),
        ),
        migrations.RunPython(name_what_was_written, migrations.RunPython.noop),
    ]
