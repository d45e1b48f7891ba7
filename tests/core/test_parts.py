"""A scene taken into parts and put together again."""

from __future__ import annotations

import pytest

from jade_lantern.core.block.gestures import Hang
from jade_lantern.core.change import changed
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.scene import parts
from jade_lantern.core.scene.edits import (
    DeleteProxy,
    KeepSighting,
    RenameProject,
    SetLock,
    altered,
    apply,
)
from jade_lantern.core.scene.model import Scene
from jade_lantern.core.scene.parts import parts_of, read_part, scene_of


def read_back(scene: Scene) -> Scene:
    """The scene from the texts of its parts alone."""
    kept = parts_of(scene)
    parts._values.clear()
    return scene_of({n: read_part(n, p.digest, p.body) for n, p in kept.items()})


@pytest.mark.parametrize("unlock", [False, True])
def test_a_scene_comes_back_from_its_parts_as_it_was(demo_scene, unlock):
    scene = apply(demo_scene, KeepSighting(name="As it was"))
    if unlock:
        scene = apply(scene, SetLock(locked=False))
        scene = scene.model_copy(update={"built_on": demo_scene.sighting})
    assert read_back(scene) == scene


@pytest.mark.parametrize(
    ("edit", "names"),
    [
        (RenameProject(name="Dusk"), {"label"}),
        (altered("box-24", x=1.0), {"proxies/box-24"}),
        (DeleteProxy(proxy="box-24"), set()),
        (SetLock(locked=False), {"sighting"}),
        (Hang(distance_m=60), {"label", "proxies/backdrop-36"}),
    ],
)
def test_an_edit_makes_anew_only_the_parts_that_it_changes(demo_scene, edit, names):
    before = {p.digest for p in parts_of(demo_scene).values()}
    after = parts_of(changed(demo_scene, edit)[1])
    assert {n for n, p in after.items() if p.digest not in before} == names


def test_what_two_scenes_share_is_the_same_object_when_read(demo_scene):
    moved = apply(demo_scene, altered("box-24", x=1.0))
    first = read_back(demo_scene)
    kept = parts_of(moved)
    again = scene_of({n: parts.known_value(n, p.digest) or read_part(n, p.digest, p.body)
                      for n, p in kept.items()})  # fmt: skip
    assert again == moved
    assert again.sighting is first.sighting
    shared = [a is b for a, b in zip(again.proxies, first.proxies, strict=True)]
    assert shared.count(False) == 1


def test_a_damaged_part_is_refused_and_one_that_is_needed_is_missed(demo_scene):
    kept = parts_of(demo_scene)
    part = kept["proxies/box-24"]
    with pytest.raises(Refusal, match="not what was kept"):
        read_part("proxies/box-24", part.digest, part.body[:-1])
    values = parts.values_of(demo_scene)
    del values["proxies/box-24"]
    assert len(scene_of(values).proxies) == len(demo_scene.proxies) - 1
    for needed in ("label", "plate"):
        with pytest.raises(Refusal, match="missing"):
            scene_of({n: v for n, v in parts.values_of(demo_scene).items() if n != needed})
