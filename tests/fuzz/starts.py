"""What a fuzzer starts from."""

from __future__ import annotations

from pathlib import Path

from jade_lantern.core.scene.edits import SetLock, apply
from jade_lantern.core.scene.model import Scene
from jade_lantern.demo.project import carried, demo_still


def unlocked(scene: Scene) -> Scene:
    """With its sighting unlocked, so that every verb may change it."""
    return apply(scene, SetLock(locked=False))


def unlocked_quay(folder: Path) -> tuple[Scene, bytes]:
    """The quay carried through to its move, with its sighting unlocked, and its still."""
    still = demo_still(folder).read_bytes()
    return unlocked(carried(still)[-1][1]), still
