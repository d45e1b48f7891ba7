"""What is worked out of a scene and asked for more than once, remembered by what it depends on."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from typing import Generic, TypeVar

from ..core.scene.model import Scene
from ..core.scene.parts import parts_of

T = TypeVar("T")


class WorkedOut(Generic[T]):
    """The last few answers. depends: the scene's parts that an answer follows from; scenes that
    agree in those have the same one."""

    def __init__(self, make: Callable[[Scene], T], depends: tuple[str, ...], most: int) -> None:
        self.make, self.depends, self.most = make, depends, most
        self.kept: OrderedDict[tuple[str, ...], T] = OrderedDict()

    def of(self, scene: Scene) -> T:
        parts = parts_of(scene)
        key = tuple(p.digest for n, p in parts.items() if n.partition("/")[0] in self.depends)
        if key not in self.kept:
            self.kept[key] = self.make(scene)
            while len(self.kept) > self.most:
                self.kept.popitem(last=False)
        return self.kept[key]
