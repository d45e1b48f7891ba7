"""What the tests of Block begin with."""

import pytest

from jade_lantern.core.scene.edits import SetLock, apply
from jade_lantern.core.scene.model import Scene


@pytest.fixture
def bare(demo_scene: Scene) -> Scene:
    """The quay sighted, with nothing standing in it."""
    loose = apply(demo_scene, SetLock(locked=False))
    return loose.model_copy(update={"proxies": ()})
