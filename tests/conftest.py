"""What many tests stand on: the demo still and its plates, painted once for each version of the
code that paints them, and kept outside of the checkout."""

from __future__ import annotations

import fcntl
import hashlib
import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest

from jade_lantern import demo
from jade_lantern.core.picture import Still, read_still
from jade_lantern.core.render.pyramid import Pyramid, pyramid
from jade_lantern.core.scene.model import Scene
from jade_lantern.demo import door, passing, room
from jade_lantern.demo.project import carried, demo_still
from jade_lantern.demo.project import painted as painted_quay
from jade_lantern.demo.split import split_and_painted

CACHE = Path(os.environ.get("XDG_CACHE_HOME", Path.home() / ".cache")) / "jade-lantern"


@contextmanager
def made_by_one(path: Path) -> Iterator[None]:
    """Hold what makes something at a path, so that of several workers one makes it and the others
    find it there."""
    path.parent.mkdir(parents=True, exist_ok=True)
    with path.with_suffix(".lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        threads = os.environ.get("JADE_LANTERN_THREADS", "")
        os.environ["JADE_LANTERN_THREADS"] = "2"  # the other worker waits for it
        try:
            yield
        finally:
            os.environ["JADE_LANTERN_THREADS"] = threads or "0"


def digest_of(*folders: Path) -> str:
    """Of all Python files below folders."""
    files = sorted(p for folder in folders for p in folder.rglob("*.py"))
    return hashlib.sha256(b"".join(p.read_bytes() for p in files)).hexdigest()[:12]


@pytest.fixture(scope="session")
def painted() -> Path:
    """A folder for pictures of the quay, new whenever the quay is."""
    return CACHE / f"quay-{digest_of(Path(demo.__file__).parent)}"


@pytest.fixture(scope="session")
def still_file(painted: Path) -> Path:
    with made_by_one(painted / "still"):
        return demo_still(painted)


@pytest.fixture(scope="session")
def clean_plates(painted: Path, demo_scene: Scene, still_file: Path) -> list[Path]:
    """The plates of the demo's lanterns, painted without what hides their proxies."""
    with made_by_one(painted / "plates"):
        split_and_painted(demo_scene, still_file.read_bytes(), painted, painted_quay())
    return sorted(painted.glob("lantern-quay-*.png"))


@pytest.fixture(scope="session")
def room_file(painted: Path) -> Path:
    """The still of the lantern-maker's room."""
    with made_by_one(painted / "room"):
        return room.still(painted)


@pytest.fixture(scope="session")
def door_files(painted: Path) -> list[Path]:
    """The still of the room with its door shut, and the plates of its lanterns."""
    with made_by_one(painted / "door"):
        door.carried(door.still(painted).read_bytes(), "door", painted)
    return sorted([*painted.glob("lantern-makers-door*"), *painted.glob("lantern-makers-passage*")])


@pytest.fixture(scope="session")
def pass_file(painted: Path) -> Path:
    """The movie of a pass along the quay."""
    with made_by_one(painted / "pass"):
        return passing.movie(painted)


@pytest.fixture(scope="session")
def still(still_file: Path) -> Still:
    return read_still(still_file.read_bytes())


@pytest.fixture(scope="session")
def plate(still: Still) -> Pyramid:
    return pyramid(still.pixels)


@pytest.fixture(scope="session")
def demo_scene(still_file: Path) -> Scene:
    """The demo project carried through to its move."""
    return carried(still_file.read_bytes())[-1][1]
