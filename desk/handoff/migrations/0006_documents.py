from pathlib import PurePosixPath

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models

WORDS = {".png": "png", ".tif": "tiff", ".tiff": "tiff", ".jpg": "jpeg", ".jpeg": "jpeg", ".tga": "tga"}


def _word(name):
    import re

    return re.sub(r"[^\w.-]+", "_", name).strip("._") or "matte"


def item_of(delivery):
    """One old delivery as an item that has the names its files have."""
    output = dict(delivery.output)
    matte = output.get("matte", "")
    version = f"v{delivery.version.number:03}"
    take = f"_t{delivery.take}" if delivery.take > 1 else ""
    stem = f"{delivery.shot.code}_{delivery.version.ledger.name}_{version}{f'_matte_{_word(matte)}' if matte else ''}{take}"
    stem = stem.replace("{", "{{").replace("}", "}}")
    view = (output.get("transform") or {}).get("view", "srgb")
    keeps = bool(output.get("keep_alpha", True))
    if delivery.suffix == ".exr":
        encoding = {
            "kind": "exr", "pixel": output.get("pixel", "half"), "compression": output.get("compression", "zip"),
            "holds": "display" if output.get("as_display") else "light", "view": view, "keep_alpha": keeps,
        }
    else:
        alpha = "keep" if keeps and delivery.suffix not in (".jpg", ".jpeg") else "over"
        encoding = {
            "kind": "still", "format": WORDS.get(delivery.suffix, "png"), "bits": output.get("bits", 8), "view": view,
            "alpha": alpha,
        }
    if matte:
        encoding["packing"] = "apart"
    return {
        "id": f"d{delivery.pk}", "subject": "mattes" if matte else "finished", "names": [matte] if matte else [],
        "pattern": stem + ".{frame:04}" + delivery.suffix, "encoding": encoding,
    }


def as_documents(apps, schema_editor):
    """Deliveries that shared a job become the items of one; their files keep their names."""
    Delivery = apps.get_model("handoff", "Delivery")
    by_job = {}
    for delivery in Delivery.objects.select_related("version__ledger", "shot").order_by("pk"):
        by_job.setdefault(delivery.job_id, []).append(delivery)
    for alike in by_job.values():
        first, items = alike[0], [item_of(delivery) for delivery in alike]
        ledger, number = first.version.ledger.name, first.version.number
        tasks = list(first.job.tasks.all())
        first.folder = f"delivery/{ledger}_v{number:03}"
        first.ordered = ",".join(str(task.number) for task in sorted(tasks, key=lambda task: task.number))
        first.document = {"format": "eager-prism.delivery", "version": 1, "name": "delivery", "items": items}
        first.save()
        for task in tasks:
            said = task.result.get("written", {})
            files = []
            for delivery, item in zip(alike, items):
                if str(delivery.pk) in said:
                    name = item["pattern"].format(frame=task.number)
                    files.append({"item": item["id"], "file": str(PurePosixPath(name)), **said[str(delivery.pk)]})
            if files:
                task.result = {"files": files}
                task.save(update_fields=["result"])
        for other in alike[1:]:
            other.delete()


class Migration(migrations.Migration):
    dependencies = [
        ("handoff", "0005_deliveries_share_a_job"),
        ("shots", "0001_initial"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AddField("delivery", "document", models.JSONField(default=dict), preserve_default=False),
        migrations.AddField("delivery", "folder", models.CharField(default="", max_length=300), preserve_default=False),
        migrations.AddField("delivery", "ordered", models.TextField(default="")),
        migrations.AddField(
            "delivery",
            "closing",
            models.OneToOneField(
                null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="closed_delivery", to="jobs.job"
            ),
        ),
        migrations.RunPython(as_documents, migrations.RunPython.noop),
        migrations.RemoveField("delivery", "suffix"),
        migrations.RemoveField("delivery", "output"),
        migrations.AlterField(
            "delivery",
            "job",
            models.OneToOneField(
                on_delete=django.db.models.deletion.CASCADE, related_name="delivery", to="jobs.job"
            ),
        ),
        migrations.CreateModel(
            name="DeliveryPreset",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("name", models.CharField(max_length=80)),
                ("document", models.JSONField()),
                ("made", models.DateTimeField(auto_now=True)),
                (
                    "author",
                    models.ForeignKey(
                        null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="+",
                        to=settings.AUTH_USER_MODEL,
                    ),
                ),
                (
                    "production",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="delivery_presets",
                        to="shots.production",
                    ),
                ),
            ],
            options={"ordering": ["name"]},
        ),
        migrations.AddConstraint(
            "deliverypreset",
            models.UniqueConstraint(fields=["production", "name"], name="one_delivery_preset_name_each"),
        ),
        migrations.CreateModel(
            name="Draft",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("document", models.JSONField()),
                ("frames", models.CharField(blank=True, max_length=10000)),
                ("changed", models.DateTimeField(auto_now=True)),
                (
                    "shot",
                    models.OneToOneField(
                        on_delete=django.db.models.deletion.CASCADE, related_name="delivery_draft", to="shots.shot"
                    ),
                ),
            ],
        ),
    ]
