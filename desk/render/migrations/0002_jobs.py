"""Runs become jobs of the one engine; their frames become its tasks."""

import django.db.models.deletion
from django.db import migrations, models


def carry_over(apps, schema_editor):
    Job, Task = apps.get_model("jobs", "Job"), apps.get_model("jobs", "Task")
    for run in apps.get_model("render", "Run").objects.select_related("shot"):
        job = Job.objects.create(
            kind="render", shot=run.shot, title=f"{run.shot.code} v{run.number:03}", priority=run.priority, author=run.author
        )
        Job.objects.filter(pk=job.pk).update(made=run.made)
        tasks = []
        for frame in run.frames.all():
            state = "queued" if frame.state == "running" else frame.state
            tasks.append(
                Task(
                    job=job, number=frame.number, title=f"{frame.layer}, {frame.camera}, {frame.number}",
                    payload={"layer": frame.layer, "camera": frame.camera}, state=state, attempts=frame.attempts,
                    worker=frame.worker, progress=frame.progress, begun=frame.begun, beat=frame.beat, ended=frame.ended,
                    seconds=frame.seconds, bytes=frame.bytes, log=frame.log,
                    result={"noise": frame.noise, "samples": frame.samples},
                )
            )  # fmt: skip
        Task.objects.bulk_create(tasks, batch_size=1000)
        run.job = job
        run.save(update_fields=["job"])


class Migration(migrations.Migration):
    dependencies = [("render", "0001_initial"), ("jobs", "0001_initial"), ("scenes", "0001_initial")]

    operations = [
        migrations.AddField(
            "run", "job", models.OneToOneField(null=True, on_delete=django.db.models.deletion.CASCADE, related_name="run", to="jobs.job")
        ),
        migrations.AddField(
            "run",
            "scene",
            models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="runs", to="scenes.sceneversion"),
        ),
        migrations.RunPython(carry_over, migrations.RunPython.noop),
        migrations.DeleteModel("RunFrame"),
        migrations.DeleteModel("Worker"),
        migrations.RemoveField("run", "priority"),
        migrations.RemoveField("run", "author"),
        migrations.AlterField(
            "run", "job", models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name="run", to="jobs.job")
        ),
    ]
