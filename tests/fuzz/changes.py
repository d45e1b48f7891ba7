"""Changes by chance, on the scene itself: what is kept can be read, drawn, undone, made again and
exported; what is refused has changed nothing."""

from __future__ import annotations

import random
import time
from collections import Counter
from contextlib import suppress
from dataclasses import dataclass, field
from typing import Any

import numpy as np
from pydantic import TypeAdapter, ValidationError

from jade_lantern.core.cast.ofscene import cast_of
from jade_lantern.core.change import Change, changed
from jade_lantern.core.deliver.gltf import glb
from jade_lantern.core.move.diagnosis import diagnosed_cast
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.render.frame import rendered
from jade_lantern.core.scene.check import checked
from jade_lantern.core.scene.document import as_text, read
from jade_lantern.core.scene.edits import Edit, apply
from jade_lantern.core.scene.model import Scene
from jade_lantern.core.sight.look import Look
from jade_lantern.core.sight.measure import required_camera
from jade_lantern.studio.follows import follows
from tests.fuzz.anything import VERBS, Anything
from tests.pictures import AtHand

CHANGE: TypeAdapter[Any] = TypeAdapter(Change)
SLOW_S = 1.0
EVERY, EVERY_EXPORTED = 20, 80  # of the changes that are kept, which are looked at in full


@dataclass
class Tally:
    """What came of the changes, by verb; and which took longest, in seconds."""

    kept: Counter[str] = field(default_factory=Counter)
    refused: Counter[str] = field(default_factory=Counter)
    longest: dict[str, float] = field(default_factory=dict)

    @property
    def never_kept(self) -> list[str]:
        return [verb for verb in VERBS if not self.kept[verb]]


def walk(
    start: Scene, look: Look, times: int, seed: int, tally: Tally, slow_share: float = 0.05
) -> None:
    """So many changes one after another, from a scene. Raises AssertionError, which names the
    change, where one breaks what holds for all."""
    chance = random.Random(seed)
    make, scene = Anything(chance), start
    hand = AtHand(look, start.plate.digest)
    for turn in range(times):
        # what has not been kept yet is tried more often, and what is slow seldom
        verb = chance.choice((chance.random() < 0.3 and tally.never_kept) or VERBS)
        slow = tally.longest.get(verb, 0.0) > SLOW_S and tally.kept[verb]
        if slow and chance.random() > slow_share:
            continue
        change = make.change(scene, verb)
        after = one(scene, change, hand, tally, f"seed {seed}, turn {turn}: {change}")
        if after is not None:
            scene = start if chance.random() < 0.01 else after


def one(
    scene: Scene, change: dict[str, Any], hand: AtHand, tally: Tally, called: str
) -> Scene | None:
    """One change made and looked at: the scene after it, or None where it was refused. Raises
    AssertionError, which says what it was called."""
    verb, began = change["verb"], time.monotonic()
    try:
        outcome = attempted(scene, change, hand)
        spent = time.monotonic() - began
        tally.longest[verb] = max(tally.longest.get(verb, 0.0), spent)
        if isinstance(outcome, str):
            assert outcome.strip()
            tally.refused[verb] += 1
            return None
        edit, after = outcome
        try:  # the application keeps nothing of which nothing can be drawn
            told = follows(scene, after)[0].model_dump_json()
        except Refusal:
            tally.refused[verb] += 1
            return None
        assert "Infinity" not in told
        tally.kept[verb] += 1
        count = tally.kept.total()
        look_at(scene, edit, after, hand, count % EVERY == 0, count % EVERY_EXPORTED == 0)
    except Exception as error:
        raise AssertionError(called) from error
    return after


def attempted(scene: Scene, change: dict[str, Any], hand: AtHand) -> tuple[Edit, Scene] | str:
    """The edit and the scene after it, or why it was refused."""
    before = as_text(scene)
    try:
        return changed(scene, CHANGE.validate_python(change), hand)
    except (Refusal, ValidationError) as error:
        assert as_text(scene) == before
        return str(error)


def look_at(
    before: Scene, edit: Edit, after: Scene, hand: AtHand, whole: bool, exported: bool
) -> None:
    """What must hold of every change that is kept. whole, exported: also what takes long to look
    at, and what takes longest."""
    assert edit.title(before).strip()
    if not whole:
        return
    assert read(as_text(after)) == after
    assert checked(after) is after
    assert apply(before, edit) == after
    for scene in (before, after):  # undone and redone, each is drawn anew
        told = follows(None, scene)[0].model_dump_json()
        assert "NaN" not in told
    with suppress(Refusal):  # in words: there is no camera, or nothing to cast on
        camera = required_camera(after).at_width(48)
        seen = rendered(cast_of(after, hand.deep), camera)
        assert np.isfinite(np.asarray(seen, float)).all()
        shares = diagnosed_cast(after, hand.deep).from_(camera).shares()
        assert all(0 <= share <= 1 for share in shares.values())
        if exported:
            assert glb(after, lambda plate: np.zeros((4, 6, 3), np.uint8))[:4] == b"glTF"
