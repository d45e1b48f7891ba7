"""Rendering away from the request: a worker process takes what is waiting, one after another.

It lives on when the page is closed, and when the server is; what it was doing when it died is
found and said the next time anybody looks.
"""

from __future__ import annotations

import logging
import os
import shutil
import subprocess
import sys
import zipfile
from pathlib import Path

from django.conf import settings
from django.db import transaction

from ..core.deliver.frames import Delivery as Asked
from ..core.deliver.frames import delivery, frames
from ..core.deliver.movie import Movie
from ..core.picture import png
from ..core.refusal import Refusal
from ..core.scene.document import read, written
from ..core.scene.model import Scene
from . import plates
from .models import Delivery, Project

log = logging.getLogger("jade_lantern")

State = Delivery.State
UNDER_WAY = (State.WAITING, State.RENDERING)
_workers: list[subprocess.Popen[bytes]] = []


def folder(row: Delivery) -> Path:
    path: Path = settings.DATA / "deliveries" / str(row.pk)
    return path


def file_of(row: Delivery) -> Path:
    return folder(row) / ("shot.mp4" if row.kind == "movie" else "frames.zip")


def ask(
    project: Project,
    scene: Scene,
    kind: str,
    width: int | None,
    first: int | None,
    last: int | None,
) -> Delivery:
    """Put a delivery in line. Raises Refusal where it could never be rendered."""
    asked = delivery(scene, width, first, last)
    if kind == "movie" and min(asked.width, asked.height) < 32:
        raise Refusal("A movie needs at least 32 pixels a side.")
    row = Delivery.objects.create(
        project=project, kind=kind, scene=written(scene), width=asked.width, height=asked.height,
        first=asked.first, last=asked.last,
    )  # fmt: skip
    start_worker()
    return row


def start_worker() -> None:
    """Start a worker process unless one is at it already."""
    mend()
    if Delivery.objects.filter(state=State.RENDERING).exists():
        return  # it takes the next when it is done
    for old in [w for w in _workers if w.poll() is not None]:
        _workers.remove(old)
    environment = {**os.environ, "JADE_LANTERN_DATA": str(settings.DATA)}
    _workers.append(
        subprocess.Popen(
            [sys.executable, "-m", "jade_lantern.cli", "work"],
            env=environment, stdin=subprocess.DEVNULL, start_new_session=True,
        )
    )  # fmt: skip


def mend() -> None:
    """Say of deliveries whose worker has died what became of them."""
    for row in Delivery.objects.filter(state=State.RENDERING):
        if row.worker is None or not _alive(row.worker):
            Delivery.objects.filter(pk=row.pk, state=State.RENDERING).update(
                state=State.FAILED,
                message=f"Rendering stopped at frame {row.first + row.done} when the program was "
                "closed. Nothing of the project is lost: deliver again.",
            )
            shutil.rmtree(folder(row), ignore_errors=True)


def _alive(pid: int) -> bool:
    for worker in _workers:
        if worker.pid == pid:
            return worker.poll() is None
    try:
        os.kill(pid, 0)
    except OSError:
        return False
    return True


def work() -> None:
    """Render what is waiting until nothing is."""
    if hasattr(os, "nice"):
        os.nice(5)  # a hand at the interface goes first
    while True:
        with transaction.atomic():
            row = Delivery.objects.filter(state=State.WAITING).order_by("pk").first()
            if row is None:
                return
            row.state, row.worker = State.RENDERING, os.getpid()
            row.save()
        try:
            _render(row)
        except Exception as error:
            if not isinstance(error, Refusal):
                log.exception("delivery %s failed", row.pk)
            words = str(error) if isinstance(error, Refusal) else "Rendering failed."
            Delivery.objects.filter(pk=row.pk).update(
                state=State.FAILED, message=f"{words} The project is as it was."[:300]
            )
            shutil.rmtree(folder(row), ignore_errors=True)


def _render(row: Delivery) -> None:
    scene = read(row.scene)
    asked = Asked(row.width, row.height, row.first, row.last)
    plate = plates.ready(scene.plate)
    target = file_of(row)
    folder(row).mkdir(parents=True, exist_ok=True)
    part = target.with_name("part-" + target.name)
    if row.kind == "movie":
        with Movie(part, row.width, row.height, scene.move.fps) as movie:
            for i, frame in enumerate(frames(scene, plate, asked)):
                movie.add(frame)
                if _stopped(row, i + 1):
                    break
    else:
        with zipfile.ZipFile(part, "w", zipfile.ZIP_STORED) as archive:
            for i, frame in enumerate(frames(scene, plate, asked)):
                archive.writestr(f"frame-{asked.first + i:05d}.png", png(frame))
                if _stopped(row, i + 1):
                    break
    row.refresh_from_db()
    if row.state == State.CANCELLED:
        shutil.rmtree(folder(row), ignore_errors=True)
        return
    part.replace(target)
    Delivery.objects.filter(pk=row.pk).update(state=State.DONE, bytes=target.stat().st_size)


def _stopped(row: Delivery, done: int) -> bool:
    """Note how far it is, and whether somebody has called it off."""
    rows = Delivery.objects.filter(pk=row.pk, state=State.RENDERING).update(done=done)
    return rows == 0


def cancel(row: Delivery) -> None:
    Delivery.objects.filter(pk=row.pk, state__in=UNDER_WAY).update(state=State.CANCELLED)


def remove(row: Delivery) -> None:
    cancel(row)
    shutil.rmtree(folder(row), ignore_errors=True)
    row.delete()
