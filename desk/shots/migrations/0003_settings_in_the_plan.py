from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("shots", "0002_archive_and_folder"), ("plan", "0003_owner_of_the_shot")]

    operations = [
        migrations.RemoveConstraint("shot", "first_frame_first"),
        *(migrations.RemoveField("shot", name) for name in ("first", "last", "rate", "width", "height", "space", "scene")),
    ]
