"""What many tests stand on: the demo still, painted once for each version of its own code."""

from __future__ import annotations

import hashlib
from pathlib import Path

import pytest

from jade_lantern import demo
from jade_lantern.core.cast.pyramid import Pyramid, pyramid
from jade_lantern.core.picture import Still, read_still
from jade_lantern.core.scene.model import Scene
from jade_lantern.demo import room
from jade_lantern.demo.project import carried, demo_still, split_and_painted

CACHE = Path(__file__).parent.parent / ".cache"


@pytest.fixture(scope="session")
def painted() -> Path:
    """A folder for pictures of the quay, new whenever the quay is."""
    code = b"".join(p.read_bytes() for p in sorted(Path(demo.__file__).parent.glob("*.py")))
    return CACHE / f"quay-{hashlib.sha256(code).hexdigest()[:12]}"


@pytest.fixture(scope="session")
def still_file(painted: Path) -> Path:
    return demo_still(painted)


@pytest.fixture(scope="session")
def clean_plates(painted: Path, demo_scene: Scene, still_file: Path) -> list[Path]:
    """The plates of the demo's lanterns, painted without what hides their proxies."""
    split_and_painted(demo_scene, still_file.read_bytes(), painted)
    return sorted(painted.glob("lantern-quay-*.png"))


@pytest.fixture(scope="session")
def room_file(painted: Path) -> Path:
    """The still of the lantern-maker's room."""
    return room.still(painted)


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
