"""The demo projects, loaded once, by a process of their own while the application is served."""

from __future__ import annotations

import fcntl
import os
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

from django.conf import settings

from ..core.picture import png
from ..core.scene.edits import Edit
from ..core.scene.model import Scene, Sighting
from ..core.scene.timed import Move
from ..demo import bridge, door, passing, room
from ..demo.companions import bay, bridge_drawing
from ..demo.dressed import dressed
from ..demo.project import DATUM, carried, demo_still, driven, painted, untouched
from ..demo.reeds import overgrown
from ..demo.split import split_and_painted
from . import plates, projects
from .models import Project

CARRIED, SPLIT, REEDS = "Lantern Quay", "Lantern Quay, split", "Lantern Quay, overgrown"
# in this order, since the list shows the last one kept first
BRIDGE, ROOM = "Footbridge, blocked", "The lantern-maker's room"
DOOR = "The lantern-maker's door"
DRESSED, PASS = "Lantern Quay, dressed", "Lantern Quay, a pass"
NAMES = (
    "The round bay", "Footbridge, drawn", BRIDGE, ROOM, DOOR, "Lantern Quay, untouched", REEDS,
    DRESSED, CARRIED, SPLIT, PASS,
)  # fmt: skip
_loader: subprocess.Popen[bytes] | None = None


def coming() -> str | None:
    """What is still on its way into the list of projects, in words."""
    loading = _begun().exists() and _loader is not None and _loader.poll() is None
    return "The demo is being painted. It appears here by itself." if loading else None


def load_beside() -> None:
    """Load the demo projects in another process, where they are not there yet. It leaves a
    processor to the person who has begun to work meanwhile."""
    global _loader
    if Project.objects.exists() and not _begun().exists():
        return
    _begun().parent.mkdir(parents=True, exist_ok=True)
    _begun().touch()
    threads = max(len(os.sched_getaffinity(0)) - 1, 1)
    words = [sys.executable, "-m", "jade_lantern.cli", "demo", "--load-only"]
    words += ["--parent", str(os.getpid())]  # it ends with the server; the rest is loaded next time
    _loader = subprocess.Popen(
        words,
        env={**os.environ, "JADE_LANTERN_THREADS": str(threads), "OMP_NUM_THREADS": str(threads)},
        stdin=subprocess.DEVNULL,
    )


def _begun() -> Path:
    """A file that is there as long as the demo has been begun and is not all there."""
    path: Path = settings.DATA / "demo" / "begun"
    return path


def load_demo(say: Callable[[str], None] = lambda words: None) -> None:
    """The quay carried through to a move, untouched, with reeds before it, split into painted
    plates, and dressed; a pass along it, filmed; a room and a drawing that are blocked, the room
    with a door that opens, and two stills that are hard to sight; unless there are projects. What
    was begun and cut short is continued. Waits while another process loads them."""
    begun = _begun()
    begun.parent.mkdir(parents=True, exist_ok=True)
    with begun.with_suffix(".lock").open("a") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        if Project.objects.exists() and not begun.exists():
            return
        begun.touch()
        there = set(Project.objects.filter(name__in=NAMES).values_list("name", flat=True))
        for name in NAMES:
            if name not in there:
                say(f"  the demo: {name} …")
                _load(name)
        begun.unlink()


def _load(name: str) -> None:
    if name == "The round bay":
        projects.project_from_still(png(bay()), "round-bay.png", name)
    elif name == "Footbridge, drawn":
        projects.project_from_still(png(bridge_drawing()), "footbridge.png", name)
    elif name == BRIDGE:
        file = png(bridge_drawing())
        _begin(file, bridge.carried(file, name))
    elif name == ROOM:
        file = room.still(settings.DATA / "demo").read_bytes()
        _begin(file, room.carried(file, name))
    elif name == DOOR:
        file = door.still(settings.DATA / "demo").read_bytes()
        plates.take_in(file)
        start, steps, files = door.carried(file, name, settings.DATA / "demo")
        for one in files:
            plates.take_in(one)
        projects.start(start, steps)
    elif name == PASS:
        data = passing.movie(settings.DATA / "demo").read_bytes()
        plate, facts = plates.plate_of_file(data, passing.FILE_NAME)
        assert facts is not None
        begun = Scene(name=name, plate=plate, move=Move(fps=passing.FPS, frames=facts.count))
        blocked = carried(demo_still(settings.DATA / "demo").read_bytes())[-1][1]
        projects.start(begun, passing.carried(begun, blocked, plates.KeepingPictures()))
    else:
        still = demo_still(settings.DATA / "demo").read_bytes()
        plates.take_in(still)
        steps = carried(still, name) if name in (CARRIED, SPLIT, REEDS, DRESSED) else []
        if name in (SPLIT, REEDS, DRESSED):
            before = steps[-1][1]
            more, files = (
                overgrown(before, DATUM) if name == REEDS
                else split_and_painted(before, still, settings.DATA / "demo", painted())
            )  # fmt: skip
            for file in files:
                plates.take_in(file)
            steps += more
            if name != REEDS:
                steps += driven(steps[-1][1])
        if name == DRESSED:
            more, pictures, files = dressed(steps[-1][1])
            steps += more
            for file in pictures:
                plates.take_in(file)
            for file in files:
                plates.store().keep(file)
        projects.start(untouched(still, name), steps)


def _begin(file: bytes, steps: list[tuple[Edit, Scene]]) -> None:
    """A project on a still, with the steps that lead to where it stands."""
    still = plates.take_in(file)
    plate = steps[0][1].plate
    start = Scene(name=steps[0][1].name, plate=plate, sighting=Sighting())
    assert still.digest == plate.digest  # both are of the file
    projects.start(start, steps)
