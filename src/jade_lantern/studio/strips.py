"""Time strips of the projects that are worked on, taken up where the last question left them."""

from __future__ import annotations

from threading import Lock

from ..core.cache import Cache
from ..core.move.strip import Frames, Strip
from ..core.scene.difference import same
from ..core.scene.model import Scene
from . import plates

MOST_BYTES = 192 << 20
DEPENDS = (
    "plate", "sighting", "built_on", "move", "tracks", "proxies", "lanterns", "sheet", "glazed",
)  # fmt: skip


class _Held:
    """A project's strip, the scene that it is of as it was asked for, and who works on it."""

    def __init__(self, scene: Scene, strip: Strip) -> None:
        self.scene, self.strip, self.lock = scene, strip, Lock()


_held: Cache[int, _Held] = Cache(MOST_BYTES, lambda held: held.strip.nbytes)


def looked_at(project: int, scene: Scene, seconds: float) -> Frames:
    """What is known of a scene's frames after so many seconds of work. Where another question is
    at work on them already, what is known by then."""
    held = _held.get(project)
    if held is None:
        held = _Held(scene, Strip(scene, plates.deep))
    elif not all(same(getattr(scene, n), getattr(held.scene, n)) for n in DEPENDS):
        held = _Held(scene, held.strip.after(scene))
    _held.put(project, held)
    if held.lock.acquire(blocking=False):
        try:
            held.strip.work(seconds)
        finally:
            held.lock.release()
    return held.strip.frames_so_far()
