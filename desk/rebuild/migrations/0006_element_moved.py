"""Elements are known from an app of their own; the column stays as it is."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("elements", "0001_moved_from_shots"), ("rebuild", "0005_version_base")]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.AlterField(
                    "ledger",
                    "element",
                    models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="ledgers", to="elements.element"),
                ),
            ]
        )
    ]
