"""What is stored: projects, their revisions, and deliveries."""

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


class Revision(models.Model):
    """A scene as it was after one edit. Numbers only grow; undo moves the head back along
    parents, redo forward to the newest child, so that nothing is ever overwritten."""

    project = models.ForeignKey(Project, models.CASCADE, related_name="revisions")
    number = models.PositiveIntegerField()
    parent = models.PositiveIntegerField(null=True)
    title = models.CharField(max_length=120)
    edit = models.JSONField(null=True)
    scene = models.TextField()
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = (
            models.UniqueConstraint(fields=("project", "number"), name="one_scene_a_number"),
        )
        indexes = (models.Index(fields=("project", "parent")),)

    def __str__(self) -> str:
        return f"{self.number} {self.title}"


class Delivery(models.Model):
    """A rendering of a revision: asked for, under way, or done and kept."""

    class State(models.TextChoices):
        WAITING = "waiting"
        RENDERING = "rendering"
        DONE = "done"
        CANCELLED = "cancelled"
        FAILED = "failed"

    project = models.ForeignKey(Project, models.CASCADE, related_name="deliveries")
    kind = models.CharField(max_length=12)  # movie or frames
    scene = models.TextField()
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    first = models.PositiveIntegerField()
    last = models.PositiveIntegerField()
    state = models.CharField(max_length=12, choices=State.choices, default=State.WAITING)
    done = models.PositiveIntegerField(default=0)
    message = models.CharField(max_length=300, default="")
    worker = models.PositiveIntegerField(null=True)
    bytes = models.PositiveBigIntegerField(default=0)
    made_at = models.DateTimeField(auto_now_add=True)

    @property
    def total(self) -> int:
        return self.last - self.first + 1

    def __str__(self) -> str:
        return f"{self.kind} {self.first}-{self.last} of {self.project_id}"
