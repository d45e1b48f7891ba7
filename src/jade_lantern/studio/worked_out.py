"""What is worked out of a scene and asked for more than once, remembered by what it depends on."""

from __future__ import annotations

from collections.abc import Callable
from typing import Generic, TypeVar

from ..core.cache import Cache
from ..core.scene.model import Scene
from ..core.scene.parts import parts_of

T = TypeVar("T")


class WorkedOut(Generic[T]):
    """The last few answers, up to so many bytes. depends: the scene's parts that an answer follows
    from; scenes that agree in those have the same one."""

    def __init__(
        self, make: Callable[[Scene], T], depends: tuple[str, ...], most_bytes: int
    ) -> None:
        self.make, self.depends = make, depends
        self.kept: Cache[tuple[str, ...], T] = Cache(most_bytes)

    def of(self, scene: Scene) -> T:
        parts = parts_of(scene)
        key = tuple(p.digest for n, p in parts.items() if n.partition("/")[0] in self.depends)
        return self.kept.of(key, lambda: self.make(scene))
