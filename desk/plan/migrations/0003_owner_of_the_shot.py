"""Range, size, rate and colour of a shot live in its plan alone; its scene is kept here instead of read from a path."""

import json
from pathlib import Path

from django.conf import settings
from django.db import migrations, models


def begin_plans(apps, schema_editor):
    Plan = apps.get_model("plan", "Plan")
    for shot in apps.get_model("shots", "Shot").objects.filter(plan=None).select_related("production"):
        of_shot = {
            "production": shot.production.code, "code": shot.code, "frames": f"{shot.first}-{shot.last}",
            "rate": float(shot.rate), "width": shot.width, "height": shot.height, "space": shot.space,
        }  # fmt: skip
        Plan.objects.create(shot=shot, document={"format": "eager-prism.plan", "version": 3, "shot": of_shot})


def keep_scenes(apps, schema_editor):
    from prism.errors import PrismError
    from standin.scene import Scene

    SceneVersion = apps.get_model("scenes", "SceneVersion")
    for shot in apps.get_model("shots", "Shot").objects.exclude(scene=""):
        path = Path(settings.STORAGE_ROOTS[0]) / shot.scene
        try:
            scene = Scene.from_json(json.loads(path.read_text(encoding="utf-8")))
        except (OSError, ValueError, PrismError):
            continue  # what could not be read before is brought in anew on the page of the scene
        SceneVersion.objects.create(
            shot=shot, number=1, kind="file", name=scene.name, document=scene.as_json(), fingerprint=scene.fingerprint, origin=shot.scene
        )


class Migration(migrations.Migration):
    dependencies = [
        ("plan", "0002_versions_presets_sizes_measures"),
        ("shots", "0002_archive_and_folder"),
        ("scenes", "0001_initial"),
    ]

    operations = [
        migrations.AddField("measuredframe", "beside", models.PositiveSmallIntegerField(default=1)),
        migrations.RunPython(begin_plans, migrations.RunPython.noop),
        migrations.RunPython(keep_scenes, migrations.RunPython.noop),
    ]
