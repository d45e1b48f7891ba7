"""What is stored: projects, their revisions and plates, deliveries, and who is at work."""

from __future__ import annotations

from django.db import models


class Project(models.Model):
    """A project is its revisions; head is the one it stands at."""

    name = models.CharField(max_length=80)
    head = models.PositiveIntegerField(default=0)
    made_at = models.DateTimeField(auto_now_add=True)
    kept_at = models.DateTimeField(auto_now=True)

    def __str__(self) -> str:
        return self.name


class ScenePart(models.Model):
    """A part of some of a project's scenes, kept once under the digest of its text."""

    project = models.ForeignKey(Project, models.CASCADE, related_name="parts")
    digest = models.CharField(max_length=64)
    body = models.TextField()

    class Meta:
        db_table = "studio_part"
        constraints = (
            models.UniqueConstraint(fields=("project", "digest"), name="one_part_a_digest"),
        )

    def __str__(self) -> str:
        return self.digest


class Revision(models.Model):
    """A scene as it was after one edit, as a map of its parts. Numbers only grow; undo moves the
    head back along parents, redo forward to the newest child, so that nothing is ever
    overwritten."""

    project = models.ForeignKey(Project, models.CASCADE, related_name="revisions")
    number = models.PositiveIntegerField()
    parent = models.PositiveIntegerField(null=True)
    title = models.CharField(max_length=120)
    edit = models.JSONField(null=True)
    whole = models.PositiveIntegerField()
    parts = models.JSONField()  # see revisions.py
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = (
            models.UniqueConstraint(fields=("project", "number"), name="one_scene_a_number"),
        )
        indexes = (models.Index(fields=("project", "parent", "number"), name="children"),)

    def __str__(self) -> str:
        return f"{self.number} {self.title}"


class PlateNeeded(models.Model):
    """A plate's file that some revision of a project needs. What nobody needs is swept."""

    project = models.ForeignKey(Project, models.CASCADE, related_name="plates")
    digest = models.CharField(max_length=64)

    class Meta:
        constraints = (
            models.UniqueConstraint(fields=("project", "digest"), name="one_row_a_plate"),
        )
        indexes = (models.Index(fields=("digest",), name="studio_plat_digest_idx"),)

    def __str__(self) -> str:
        return self.digest


class Delivery(models.Model):
    """What leaves the house, made of a revision: asked for, under way, or done and kept."""

    class State(models.TextChoices):
        WAITING = "waiting"
        RENDERING = "rendering"
        DONE = "done"
        CANCELLED = "cancelled"
        FAILED = "failed"

    project = models.ForeignKey(Project, models.CASCADE, related_name="deliveries")
    kind = models.CharField(max_length=12)  # one of `deliveries.FILES`
    scene = models.TextField()
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    first = models.PositiveIntegerField()
    last = models.PositiveIntegerField()
    state = models.CharField(max_length=12, choices=State.choices, default=State.WAITING)
    done = models.PositiveIntegerField(default=0)
    total = models.PositiveIntegerField()
    message = models.CharField(max_length=300, default="")
    lease = models.CharField(max_length=40, default="")  # whose work it is, while it is rendering
    begun = models.PositiveIntegerField(default=0)  # how many times it was begun
    bytes = models.PositiveBigIntegerField(default=0)
    made_at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return f"{self.kind} {self.first}-{self.last} of {self.project_id}"


class Lease(models.Model):
    """The right to do one kind of work, for as long as its holder keeps saying that it lives. A
    process number would not do: the system gives it to another when its process has died."""

    work = models.CharField(max_length=20, primary_key=True)
    holder = models.CharField(max_length=40)
    beat_at = models.DateTimeField()

    def __str__(self) -> str:
        return f"{self.work}: {self.holder}"
