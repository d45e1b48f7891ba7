"""Thousands of changes with numbers of every magnitude, on the scene itself: what is taken can be
read, drawn and exported; what is refused has changed nothing."""

from __future__ import annotations

import random
from contextlib import suppress

import numpy as np
import pytest
from pydantic import TypeAdapter, ValidationError

from jade_lantern.core.change import Change, changed
from jade_lantern.core.deliver.gltf import glb
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.scene.check import checked
from jade_lantern.core.scene.document import as_text, read
from jade_lantern.core.scene.edits import Edit
from jade_lantern.core.scene.model import Scene
from jade_lantern.core.sight.look import Look
from jade_lantern.studio.follows import follows
from tests.changes import any_change
from tests.pictures import AtHand

CHANGE = TypeAdapter(Change)
TIMES = 1200


@pytest.mark.parametrize("seed", range(3))
def test_whatever_is_done_to_a_scene_it_stays_sound(demo_scene, still, seed):
    chance = random.Random(seed)
    look = Look(still.pixels)
    scene, taken, refused = demo_scene, 0, 0
    for turn in range(TIMES):
        sent = any_change(chance)
        before = as_text(scene)
        outcome = attempted(scene, sent, look)
        if isinstance(outcome, str):
            refused += 1
            assert outcome.strip()
            assert as_text(scene) == before, sent
            continue
        edit, after = outcome
        taken += 1
        assert edit.title(scene)
        assert read(as_text(after)) == after, sent
        assert checked(after) is after
        assert follows(scene, after)[0].model_dump_json()
        assert follows(None, after)[0].model_dump_json(), sent
        if turn % 300 == 0:
            exported(after)
        scene = demo_scene if chance.random() < 0.01 else after
    assert taken > TIMES / 10
    assert refused > TIMES / 10


def attempted(scene: Scene, sent: dict, look: Look) -> tuple[Edit, Scene] | str:
    """The edit and the scene after it, or why it was refused."""
    try:
        return changed(scene, CHANGE.validate_python(sent), AtHand(look))
    except (Refusal, ValidationError) as error:
        return str(error)


def exported(scene: Scene) -> None:
    """A GLB, or nothing to make one of: a Refusal, which is words."""
    with suppress(Refusal):
        assert glb(scene, lambda plate: np.zeros((4, 6, 3), np.uint8))[:4] == b"glTF"
