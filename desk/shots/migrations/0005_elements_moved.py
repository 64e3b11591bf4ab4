"""Places, elements and rules went to an app of their own, with their tables."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [
        ("shots", "0004_elements_of_many_sequences"),
        ("handoff", "0004_element_moved"),
        ("intake", "0002_element_moved"),
        ("rebuild", "0006_element_moved"),
    ]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.DeleteModel("NameRule"),
                migrations.DeleteModel("Element"),
                migrations.DeleteModel("Place"),
            ]
        )
    ]
