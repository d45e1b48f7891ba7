"""The tables."""

import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):
    initial = True

    dependencies = []

    operations = [
        migrations.CreateModel(
            name="Lease",
            fields=[
                ("work", models.CharField(max_length=20, primary_key=True, serialize=False)),
                ("holder", models.CharField(max_length=40)),
                ("beat_at", models.DateTimeField()),
            ],
        ),
        migrations.CreateModel(
            name="Project",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("name", models.CharField(max_length=80)),
                ("head", models.PositiveIntegerField(default=0)),
                ("made_at", models.DateTimeField(auto_now_add=True)),
                ("kept_at", models.DateTimeField(auto_now=True)),
            ],
        ),
        migrations.CreateModel(
            name="Delivery",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("kind", models.CharField(max_length=12)),
                ("scene", models.TextField()),
                ("width", models.PositiveIntegerField()),
                ("height", models.PositiveIntegerField()),
                ("first", models.PositiveIntegerField()),
                ("last", models.PositiveIntegerField()),
                (
                    "state",
                    models.CharField(
                        choices=[
                            ("waiting", "Waiting"),
                            ("rendering", "Rendering"),
                            ("done", "Done"),
                            ("cancelled", "Cancelled"),
                            ("failed", "Failed"),
                        ],
                        default="waiting",
                        max_length=12,
                    ),
                ),
                ("done", models.PositiveIntegerField(default=0)),
                ("total", models.PositiveIntegerField()),
                ("message", models.CharField(default="", max_length=300)),
                ("lease", models.CharField(default="", max_length=40)),
                ("begun", models.PositiveIntegerField(default=0)),
                ("bytes", models.PositiveBigIntegerField(default=0)),
                ("made_at", models.DateTimeField(auto_now_add=True)),
                (
                    "project",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="deliveries",
                        to="studio.project",
                    ),
                ),
            ],
        ),
        migrations.CreateModel(
            name="PlateNeeded",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("digest", models.CharField(max_length=64)),
                (
                    "project",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="plates",
                        to="studio.project",
                    ),
                ),
            ],
            options={
                "indexes": [models.Index(fields=["digest"], name="studio_plat_digest_idx")],
                "constraints": [
                    models.UniqueConstraint(fields=("project", "digest"), name="one_row_a_plate")
                ],
            },
        ),
        migrations.CreateModel(
            name="Part",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("digest", models.CharField(max_length=64)),
                ("body", models.TextField()),
                (
                    "project",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="parts",
                        to="studio.project",
                    ),
                ),
            ],
            options={
                "constraints": [
                    models.UniqueConstraint(fields=("project", "digest"), name="one_part_a_digest")
                ],
            },
        ),
        migrations.CreateModel(
            name="Revision",
            fields=[
                (
                    "id",
                    models.BigAutoField(
                        auto_created=True, primary_key=True, serialize=False, verbose_name="ID"
                    ),
                ),
                ("number", models.PositiveIntegerField()),
                ("parent", models.PositiveIntegerField(null=True)),
                ("title", models.CharField(max_length=120)),
                ("edit", models.JSONField(null=True)),
                ("whole", models.PositiveIntegerField()),
                ("parts", models.JSONField()),
                ("made_at", models.DateTimeField(auto_now_add=True)),
                (
                    "project",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE,
                        related_name="revisions",
                        to="studio.project",
                    ),
                ),
            ],
            options={
                "indexes": [models.Index(fields=["project", "parent", "number"], name="children")],
                "constraints": [
                    models.UniqueConstraint(fields=("project", "number"), name="one_scene_a_number")
                ],
            },
        ),
    ]
