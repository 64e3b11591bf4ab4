"""Deliveries become jobs of the one engine; their frames become its tasks."""

import django.db.models.deletion
from django.db import migrations, models


def carry_over(apps, schema_editor):
    Job, Task = apps.get_model("jobs", "Job"), apps.get_model("jobs", "Task")
    for delivery in apps.get_model("handoff", "Delivery").objects.select_related("shot"):
        title = f"{delivery.shot.code} as {delivery.suffix[1:].upper()}"
        job = Job.objects.create(kind="hand-off", shot=delivery.shot, title=title, author=delivery.author)
        Job.objects.filter(pk=job.pk).update(made=delivery.made)
        Task.objects.bulk_create(
            [
                Task(
                    job=job, number=frame.number, title=f"{delivery.shot.code}, {frame.number}",
                    state="queued" if frame.state == "running" else frame.state, progress=1 if frame.state == "done" else 0,
                    ended=frame.changed if frame.state == "done" else None, bytes=frame.size, fault=frame.error,
                    result={"remarks": frame.remarks},
                )
                for frame in delivery.frames.all()
            ],
            batch_size=1000,
        )  # fmt: skip
        delivery.job = job
        delivery.save(update_fields=["job"])


class Migration(migrations.Migration):
    dependencies = [("handoff", "0001_initial"), ("jobs", "0001_initial")]

    operations = [
        migrations.AddField(
            "delivery",
            "job",
            models.OneToOneField(null=True, on_delete=django.db.models.deletion.CASCADE, related_name="delivery", to="jobs.job"),
        ),
        migrations.RunPython(carry_over, migrations.RunPython.noop),
        migrations.DeleteModel("DeliveryFrame"),
        migrations.RemoveField("delivery", "author"),
        migrations.AlterField(
            "delivery", "job", models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name="delivery", to="jobs.job")
        ),
    ]
