"""Elements are known from an app of their own; the column stays as it is."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("elements", "0001_moved_from_shots"), ("handoff", "0003_element_may_go")]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.AlterField(
                    "delivery",
                    "element",
                    models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="deliveries", to="elements.element"),
                ),
            ]
        )
    ]
