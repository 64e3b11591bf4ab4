"""Elements hold documents of what was found; folders become places that can be looked at again."""

import django.db.models.deletion
from django.db import migrations, models


def folders_to_places(apps, schema_editor):
    """Every element was one folder. It has no document until its place is looked at, which the next start does."""
    element_model, place_model = apps.get_model("shots", "Element"), apps.get_model("shots", "Place")
    for element in element_model.objects.all():
        place, _ = place_model.objects.get_or_create(shot=element.shot, folder=element.folder)
        element.place = place
        element.name = element.name.replace("/", "_")
        element.save(update_fields=["place", "name"])


class Migration(migrations.Migration):
    dependencies = [("shots", "0003_settings_in_the_plan")]

    operations = [
        migrations.CreateModel(
            name="Place",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("folder", models.CharField(max_length=500)),
                ("name", models.CharField(blank=True, max_length=100)),
                ("looked", models.DateTimeField(null=True)),
                ("report", models.JSONField(default=dict)),
                (
                    "shot",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="places", to="shots.shot"
                    ),
                ),
            ],
            options={
                "ordering": ["pk"],
                "constraints": [models.UniqueConstraint(fields=("shot", "folder"), name="one_place_each")],
            },
        ),
        migrations.CreateModel(
            name="NameRule",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("pattern", models.CharField(max_length=200)),
                (
                    "does",
                    models.CharField(
                        choices=[("pass", "is the pass"), ("light", "is the light"), ("ignore", "is ignored")],
                        default="pass",
                        max_length=6,
                    ),
                ),
                ("target", models.CharField(blank=True, max_length=120)),
                (
                    "shot",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="name_rules", to="shots.shot"
                    ),
                ),
            ],
            options={
                "ordering": ["-pk"],
                "constraints": [models.UniqueConstraint(fields=("shot", "pattern"), name="one_rule_a_pattern")],
            },
        ),
        migrations.AddField(
            model_name="element",
            name="place",
            field=models.ForeignKey(
                null=True,
                on_delete=django.db.models.deletion.SET_NULL,
                related_name="elements",
                to="shots.place",
            ),
        ),
        migrations.AddField(model_name="element", name="found", field=models.CharField(blank=True, max_length=160)),
        migrations.AddField(model_name="element", name="document", field=models.JSONField(default=dict)),
        migrations.AddField(model_name="element", name="choices", field=models.JSONField(default=dict)),
        migrations.RunPython(folders_to_places, migrations.RunPython.noop),
        migrations.RemoveField(model_name="element", name="folder"),
    ]
