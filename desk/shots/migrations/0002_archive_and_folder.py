import django.core.validators
from django.db import migrations, models


def fill_folder(apps, schema_editor):
    for shot in apps.get_model("shots", "Shot").objects.select_related("production"):
        shot.folder = f"{shot.production.code}/{shot.code}"
        shot.save(update_fields=["folder"])


def first_artist_owns(apps, schema_editor):
    """Someone must be able to set a production up further: whoever joined it first."""
    Membership = apps.get_model("shots", "Membership")
    for production in apps.get_model("shots", "Production").objects.all():
        first = Membership.objects.filter(production=production, role="artist").order_by("pk").first()
        if first is not None:
            first.role = "owner"
            first.save(update_fields=["role"])
            first.user.is_staff = True
            first.user.save(update_fields=["is_staff"])


class Migration(migrations.Migration):
    dependencies = [("shots", "0001_initial"), ("auth", "0012_alter_user_first_name_max_length")]

    operations = [
        migrations.AddField("production", "archived", models.DateTimeField(blank=True, null=True)),
        migrations.AddField("shot", "archived", models.DateTimeField(blank=True, null=True)),
        migrations.AddField("shot", "folder", models.CharField(default="", max_length=200), preserve_default=False),
        migrations.AlterField(
            "membership",
            "role",
            models.CharField(
                choices=[
                    ("owner", "owner (members and shots too)"),
                    ("artist", "artist (changes everything of a shot)"),
                    ("reviewer", "reviewer (looks, changes nothing)"),
                ],
                default="artist",
                max_length=12,
            ),
        ),
        migrations.RunPython(fill_folder, migrations.RunPython.noop),
        migrations.RunPython(first_artist_owns, migrations.RunPython.noop),
    ]
