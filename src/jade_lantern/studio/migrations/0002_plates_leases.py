"""Which plates are needed, and leases in place of process numbers."""

import json
from typing import Any

import django.db.models.deletion
from django.db import migrations, models


def note_plates(apps: Any, schema_editor: Any) -> None:
    """Every plate that a revision names is needed; so nothing of an older project is swept."""
    revision = apps.get_model("studio", "Revision")
    needed = apps.get_model("studio", "PlateNeeded")
    seen = set()
    for row in revision.objects.only("project", "scene").iterator():
        try:
            plate = json.loads(row.scene)["plate"]
            digests = {plate["digest"], (plate.get("flattened") or plate)["digest"]}
        except (ValueError, KeyError, TypeError):
            continue
        seen |= {(row.project_id, d) for d in digests}
    needed.objects.bulk_create(needed(project_id=p, digest=d) for p, d in sorted(seen))


class Migration(migrations.Migration):
    dependencies = [("studio", "0001_initial")]

    operations = [
        migrations.CreateModel(
            name="Lease",
            fields=[
                ("work", models.CharField(max_length=20, primary_key=True, serialize=False)),
                ("holder", models.CharField(max_length=40)),
                ("beat_at", models.DateTimeField()),
            ],
        ),
        migrations.RemoveField(model_name="delivery", name="worker"),
        migrations.AddField(
            model_name="delivery",
            name="begun",
            field=models.PositiveIntegerField(default=0),
        ),
        migrations.AddField(
            model_name="delivery",
            name="lease",
            field=models.CharField(default="", max_length=40),
        ),
        migrations.AddField(
            model_name="delivery",
            name="total",
            field=models.PositiveIntegerField(default=1),
            preserve_default=False,
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
        migrations.RunPython(note_plates, migrations.RunPython.noop),
    ]
