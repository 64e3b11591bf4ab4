"""Elements are known from an app of their own; the column stays as it is."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("elements", "0001_moved_from_shots"), ("intake", "0001_initial")]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.AlterField(
                    "acceptance",
                    "element",
                    models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="acceptances", to="elements.element"),
                ),
                migrations.AlterField(
                    "framecheck",
                    "element",
                    models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="checks", to="elements.element"),
                ),
                migrations.AlterField(
                    "judgement",
                    "element",
                    models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name="judgement", to="elements.element"),
                ),
            ]
        )
    ]
