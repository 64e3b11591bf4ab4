"""Places, elements and rules come here from the shots: tables and rows stay as they are."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("shots", "0004_elements_of_many_sequences")]

    operations = [
        migrations.SeparateDatabaseAndState(
            state_operations=[
                migrations.CreateModel(
                    name="Place",
                    fields=[
                        ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                        ("folder", models.CharField(max_length=500)),
                        ("name", models.CharField(blank=True, max_length=100)),
                        ("looked", models.DateTimeField(null=True)),
                        ("report", models.JSONField(default=dict)),
                        ("shot", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="places", to="shots.shot")),
                    ],
                    options={"db_table": "shots_place", "ordering": ["pk"]},
                ),
                migrations.CreateModel(
                    name="Element",
                    fields=[
                        ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                        ("name", models.CharField(max_length=120)),
                        ("found", models.CharField(blank=True, max_length=160)),
                        ("document", models.JSONField(default=dict)),
                        ("choices", models.JSONField(default=dict)),
                        ("added", models.DateTimeField(auto_now_add=True)),
                        ("place", models.ForeignKey(null=True, on_delete=django.db.models.deletion.SET_NULL, related_name="elements", to="elements.place")),
                        ("shot", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="elements", to="shots.shot")),
                    ],
                    options={"db_table": "shots_element", "ordering": ["added", "pk"]},
                ),
                migrations.CreateModel(
                    name="NameRule",
                    fields=[
                        ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                        ("pattern", models.CharField(max_length=200)),
                        ("does", models.CharField(choices=[("pass", "is the pass"), ("light", "is the light"), ("ignore", "is ignored")], default="pass", max_length=6)),
                        ("target", models.CharField(blank=True, max_length=120)),
                        ("shot", models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name="name_rules", to="shots.shot")),
                    ],
                    options={"db_table": "shots_namerule", "ordering": ["-pk"]},
                ),
                migrations.AddConstraint("place", models.UniqueConstraint(fields=["shot", "folder"], name="one_place_each")),
                migrations.AddConstraint("element", models.UniqueConstraint(fields=["shot", "name"], name="one_element_name_each")),
                migrations.AddConstraint("namerule", models.UniqueConstraint(fields=["shot", "pattern"], name="one_rule_a_pattern")),
            ]
        )
    ]
