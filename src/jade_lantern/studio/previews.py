"""Previews of the projects that are worked on: their plates are made ready once for all frames."""

from __future__ import annotations

from threading import Lock

from ..core.arrays import Bytes
from ..core.cache import Cache
from ..core.deliver.preview import Only, Preview
from ..core.scene.difference import same
from ..core.scene.model import Scene
from . import plates

MOST_BYTES = 512 << 20
DEPENDS = ("plate", "sighting", "proxies", "lanterns", "sheet", "glazed")


class _Held:
    """A project's preview, the scene that it is of, and who works on it."""

    def __init__(self, scene: Scene) -> None:
        self.scene, self.preview, self.lock = (
            scene,
            Preview(scene, plates.deep, plates.original),
            Lock(),
        )


_held: Cache[int, _Held] = Cache(MOST_BYTES, lambda held: held.preview.nbytes)


def frame_of(
    project: int, scene: Scene, number: int, width: int, only: Only | None = None
) -> Bytes:
    """(H, W, 3) a frame of a project's shot (see `Preview.frame`)."""
    held = _held.get(project)
    if held is None or not all(same(getattr(scene, n), getattr(held.scene, n)) for n in DEPENDS):
        held = _Held(scene)
    with held.lock:
        made = held.preview.frame(scene, number, width, only)
    _held.put(project, held)  # its plates count once they are there
    return made
