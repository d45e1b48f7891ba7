"""Rendering away from the request: a worker process takes what is waiting, one after another.

It lives on when the page is closed, and when the server is. While it lives it keeps a lease, and
says so every few seconds; when it dies the lease runs out, what it was doing is put back in line,
and the next look starts another. There is one worker, however many servers look.
"""

from __future__ import annotations

import logging
import os
import shutil
import subprocess
import sys
import threading
import time
import uuid
import zipfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from pathlib import Path

from django.conf import settings
from django.db import connection, transaction
from django.utils import timezone

from ..core.camera import Frame
from ..core.cast.footage import footage_of
from ..core.cast.gather import MOST_CHOSEN
from ..core.cast.gather_files import gathered_files, gathering_bytes, gathering_lanterns
from ..core.cast.kit import kit_bytes, kit_files, kit_lanterns
from ..core.deliver.drawings import shot_drawings
from ..core.deliver.frames import bytes_needed, frame_png, frames
from ..core.deliver.movie import Movie
from ..core.move.frames import RenderRequest, render_request
from ..core.picture.eight import in_eight_bit
from ..core.refusal import Refusal
from ..core.scene.document import as_text, read
from ..core.scene.model import Scene
from ..core.sight.measure import required_camera
from . import plates
from .machine import require_memory
from .models import Delivery, Lease, Project
from .trouble import in_words

log = logging.getLogger("jade_lantern")

State = Delivery.State
UNDER_WAY = (State.WAITING, State.RENDERING)
RENDERING = "rendering"  # the kind of work that the lease is for
BEAT_S, STALE_S = 4.0, 20.0
STARTING_S = 60.0  # how long a new worker may take before it has its lease
MOST_BEGUN = 2
FILES = {
    "movie": "shot.mp4", "frames": "frames.zip", "glb": "scene.glb",
    "usd": "scene.usdz", "kit": "paint-kit.zip", "gathered": "gathered.zip",
    "drawings": "blocking.zip",
}  # fmt: skip
LONG_AGO = datetime(2000, 1, 1, tzinfo=UTC)


class Stopped(Exception):
    """Called off by somebody, or the lease was lost."""


@dataclass
class _Worker:
    """A worker process that this server started."""

    process: subprocess.Popen[bytes]
    holder: str
    started: float = field(default_factory=time.monotonic)


_workers: list[_Worker] = []
_starting = threading.Lock()


def folder(row: Delivery) -> Path:
    return _folder(row.pk)


def _folder(number: int) -> Path:
    path: Path = settings.DATA / "deliveries" / str(number)
    return path


def file_of(row: Delivery) -> Path:
    return folder(row) / FILES[row.kind]


def ask(
    project: Project,
    scene: Scene,
    kind: str,
    width: int | None = None,
    first: int | None = None,
    last: int | None = None,
    height: int | None = None,
) -> Delivery:
    """Put a delivery in line. Raises Refusal where it could never be made."""
    required_camera(scene)
    whole = RenderRequest(Frame(scene.plate.width, scene.plate.height), 0, scene.move.frames - 1)
    if kind in ("glb", "usd"):
        asked = whole
        total = max(sum(not p.hidden for p in scene.proxies), 1)
    elif kind == "kit":
        asked = whole
        total = len(kit_lanterns(scene))
        require_memory(kit_bytes(scene), "A paint kit of these plates")
    elif kind == "gathered":
        asked = whole
        total = len(gathering_lanterns(scene)) * (len(footage_of(scene)) + MOST_CHOSEN)
        require_memory(gathering_bytes(scene), "Gathering pictures of this size")
    else:
        asked = render_request(scene, width, first, last, height)
        total = asked.last - asked.first + 1
        if kind == "movie" and min(asked.width, asked.height) < 32:
            raise Refusal("A movie needs at least 32 pixels a side.")
        size = f"A frame of {asked.width:,} × {asked.height:,}"
        require_memory(bytes_needed(scene, asked, movie=kind == "movie"), size)
    row = Delivery.objects.create(
        project=project, kind=kind, scene=as_text(scene), width=asked.frame.width,
        height=asked.frame.height,
        first=asked.first, last=asked.last, total=total,
    )  # fmt: skip
    start_worker()
    return row


def look_after() -> None:
    """Put right what a dead worker left behind, and start one where anything waits."""
    mend()
    if Delivery.objects.filter(state=State.WAITING).exists():
        start_worker()


def start_worker() -> None:
    """Start a worker process unless one is at it already."""
    with _starting:
        for old in [w for w in _workers if w.process.poll() is not None]:
            _workers.remove(old)
            _end_lease(old.holder)  # it may have died without a word
        lease = Lease.objects.filter(work=RENDERING).first()
        if lease is not None and _lives(lease):
            return  # it takes the next when it is done
        for worker in _workers:
            ending = lease is not None and lease.holder == worker.holder
            if not ending and time.monotonic() - worker.started < STARTING_S:
                return  # it is about to take what waits
        holder = uuid.uuid4().hex
        environment = {
            **os.environ,
            "JADE_LANTERN_DATA": str(settings.DATA),
            "JADE_LANTERN_WORKER": holder,
        }
        process = subprocess.Popen(
            [sys.executable, "-m", "jade_lantern.cli", "work"],
            env=environment, stdin=subprocess.DEVNULL, start_new_session=True,
        )  # fmt: skip
        _workers.append(_Worker(process, holder))


def mend() -> None:
    """Put back in line what was being made when its worker died; what has been begun too often is
    given up, in words."""
    for worker in _workers:
        if worker.process.poll() is not None:
            _end_lease(worker.holder)
    lease = Lease.objects.filter(work=RENDERING).first()
    holder = lease.holder if lease is not None and _lives(lease) else None
    for row in Delivery.objects.filter(state=State.RENDERING).exclude(lease=holder or "-"):
        again = row.begun < MOST_BEGUN
        stopped = f"The program was closed at frame {row.first + row.done}."
        if row.kind in ("glb", "usd", "kit", "gathered"):
            stopped = "The program was closed meanwhile."
        words = (
            f"{stopped} It is begun again." if again
            else f"{stopped} Nothing of the project is lost: deliver again, perhaps smaller."
        )  # fmt: skip
        changed = Delivery.objects.filter(pk=row.pk, state=State.RENDERING, lease=row.lease).update(
            state=State.WAITING if again else State.FAILED, message=words, done=0, lease=""
        )
        if changed:
            shutil.rmtree(folder(row), ignore_errors=True)


def _lives(lease: Lease) -> bool:
    return abs(timezone.now() - lease.beat_at) < timedelta(seconds=STALE_S)


def _end_lease(holder: str) -> None:
    Lease.objects.filter(work=RENDERING, holder=holder).update(beat_at=LONG_AGO)


def _take_lease(holder: str) -> bool:
    with transaction.atomic():
        lease = Lease.objects.filter(work=RENDERING).first()
        if lease is not None and lease.holder != holder and _lives(lease):
            return False
        Lease.objects.update_or_create(
            work=RENDERING, defaults={"holder": holder, "beat_at": timezone.now()}
        )
    return True


@contextmanager
def _beating(holder: str) -> Iterator[None]:
    """Say every few seconds that the lease's holder lives, beside the work."""
    over = threading.Event()

    def beat() -> None:
        while not over.wait(BEAT_S):
            try:
                Lease.objects.filter(work=RENDERING, holder=holder).exclude(
                    beat_at=LONG_AGO
                ).update(beat_at=timezone.now())
            except Exception:
                log.exception("a worker could not say that it lives")
        connection.close()

    thread = threading.Thread(target=beat, daemon=True)
    thread.start()
    try:
        yield
    finally:
        over.set()
        thread.join(10)


def work() -> None:
    """Make what is waiting until nothing is, if nobody else is at it."""
    if hasattr(os, "nice"):
        os.nice(5)  # a hand at the interface goes first
    holder = os.environ.get("JADE_LANTERN_WORKER") or uuid.uuid4().hex
    if not _take_lease(holder):
        return
    with _beating(holder):
        mend()
        while (row := _next(holder)) is not None:
            _make(row)


def _next(holder: str) -> Delivery | None:
    """The next in line, now this holder's; or None, and the lease is over. Both in one go, so that
    nobody's delivery waits on a worker that is just leaving."""
    with transaction.atomic():
        row = Delivery.objects.filter(state=State.WAITING).order_by("pk").first()
        mine = Lease.objects.filter(work=RENDERING, holder=holder)
        if row is None or not mine.exists():
            mine.update(beat_at=LONG_AGO)
            return None
        row.state, row.lease, row.begun = State.RENDERING, holder, row.begun + 1
        row.save()
    return row


def _make(row: Delivery) -> None:
    part = folder(row) / f"part-{row.lease[:8]}"
    try:
        folder(row).mkdir(parents=True, exist_ok=True)
        MAKERS[row.kind](row, read(row.scene), part)
        done = Delivery.objects.filter(pk=row.pk, state=State.RENDERING, lease=row.lease)
        with transaction.atomic():
            if not done.update(state=State.DONE, bytes=part.stat().st_size, message=""):
                raise Stopped
            part.replace(file_of(row))
    except Stopped:
        _clear(row, part)
    except Exception as error:
        if isinstance(error, Refusal):
            words = str(error)
        else:
            status, words = in_words(error)
            if status == 500:
                log.exception("delivery %s failed", row.pk)
                words = "Rendering failed."
        Delivery.objects.filter(pk=row.pk, lease=row.lease).update(
            state=State.FAILED, message=f"{words} The project is as it was."[:300]
        )
        _clear(row, part)


def _clear(row: Delivery, part: Path) -> None:
    """Leave nothing half made; what another worker is making meanwhile stays."""
    part.unlink(missing_ok=True)
    if not Delivery.objects.filter(pk=row.pk, state__in=[*UNDER_WAY, State.DONE]).exists():
        shutil.rmtree(folder(row), ignore_errors=True)


def _movie(row: Delivery, scene: Scene, part: Path) -> None:
    asked = _asked(row, scene)
    with Movie(part, asked.width, asked.height, scene.move.fps) as movie:
        for i, frame in enumerate(frames(scene, plates.deep, asked, plates.original)):
            movie.add(in_eight_bit(frame))
            _note(row, i + 1)


def _frames(row: Delivery, scene: Scene, part: Path) -> None:
    with zipfile.ZipFile(part, "w", zipfile.ZIP_STORED) as archive:
        for i, frame in enumerate(frames(scene, plates.deep, _asked(row, scene), plates.original)):
            number = scene.move.first + row.first + i
            archive.writestr(f"frame-{number:05d}.png", frame_png(frame))
            _note(row, i + 1)


def _glb(row: Delivery, scene: Scene, part: Path) -> None:
    from ..core.deliver.gltf import glb  # its library takes 0.2 s to load

    part.write_bytes(glb(scene, plates.deep, _counting(row), plates.original))


def _usd(row: Delivery, scene: Scene, part: Path) -> None:
    from ..core.deliver.usdz import usdz  # so does this one's

    part.write_bytes(usdz(scene, plates.deep, _counting(row), plates.original))


def _counting(row: Delivery) -> Callable[[], None]:
    """What notes that one more proxy is done."""
    done = 0

    def after_each() -> None:
        nonlocal done
        done += 1
        _note(row, done)

    return after_each


def _kit(row: Delivery, scene: Scene, part: Path) -> None:
    done = 0
    with zipfile.ZipFile(part, "w", zipfile.ZIP_STORED) as archive:
        for name, data in kit_files(scene, plates.deep):
            archive.writestr(name, data)
            if name.endswith(" grid.png"):  # the last file of a lantern
                done += 1
                _note(row, done)


def _gathered(row: Delivery, scene: Scene, part: Path) -> None:
    count = _counting(row)
    with zipfile.ZipFile(part, "w", zipfile.ZIP_STORED) as archive:
        for lantern in gathering_lanterns(scene):
            for name, data in gathered_files(scene, lantern, plates.deep, count):
                archive.writestr(name, data)


def _drawings(row: Delivery, scene: Scene, part: Path) -> None:
    with zipfile.ZipFile(part, "w", zipfile.ZIP_STORED) as archive:
        for i, files in enumerate(shot_drawings(scene, _asked(row, scene))):
            for name, data in files:
                archive.writestr(name, data)
            _note(row, i + 1)


MAKERS: dict[str, Callable[[Delivery, Scene, Path], None]] = {
    "movie": _movie,
    "frames": _frames,
    "glb": _glb,
    "usd": _usd,
    "kit": _kit,
    "gathered": _gathered,
    "drawings": _drawings,
}


def _asked(row: Delivery, scene: Scene) -> RenderRequest:
    return render_request(scene, row.width, row.first, row.last, row.height)


def _note(row: Delivery, done: int) -> None:
    """Note how far it is. Raises Stopped where somebody has called it off."""
    mine = Delivery.objects.filter(pk=row.pk, state=State.RENDERING, lease=row.lease)
    if not mine.update(done=done):
        raise Stopped


def cancel(row: Delivery) -> None:
    Delivery.objects.filter(pk=row.pk, state__in=UNDER_WAY).update(state=State.CANCELLED)


def remove(row: Delivery) -> None:
    cancel(row)
    shutil.rmtree(folder(row), ignore_errors=True)
    row.delete()


def sweep() -> None:
    """Delete the files of deliveries that are not there any more."""
    kept = set(Delivery.objects.values_list("pk", flat=True))
    for path in (settings.DATA / "deliveries").glob("*"):
        if not (path.name.isdigit() and int(path.name) in kept):
            shutil.rmtree(path, ignore_errors=True)
