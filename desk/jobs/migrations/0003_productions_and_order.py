import django.db.models.deletion
from django.db import migrations, models


def name_the_production(apps, schema_editor):
    """Jobs belong to a production from now on, and may do without a shot."""
    jobs = apps.get_model("jobs", "Job")
    for job in jobs.objects.select_related("shot"):
        job.production_id = job.shot.production_id
        job.save(update_fields=["production"])


class Migration(migrations.Migration):
    dependencies = [("jobs", "0002_task_outages"), ("shots", "__first__")]

    operations = [
        migrations.AddField(
            model_name="job",
            name="production",
            field=models.ForeignKey(
                null=True, on_delete=django.db.models.deletion.CASCADE, related_name="jobs", to="shots.production"
            ),
        ),
        migrations.AddField(
            model_name="job",
            name="after",
            field=models.ForeignKey(
                null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="followers", to="jobs.job"
            ),
        ),
        migrations.AlterField(
            model_name="job",
            name="shot",
            field=models.ForeignKey(
                null=True, on_delete=django.db.models.deletion.CASCADE, related_name="jobs", to="shots.shot"
            ),
        ),
        migrations.RunPython(name_the_production, migrations.RunPython.noop),
        migrations.AlterField(
            model_name="job",
            name="production",
            field=models.ForeignKey(
                on_delete=django.db.models.deletion.CASCADE, related_name="jobs", to="shots.production"
            ),
        ),
    ]
