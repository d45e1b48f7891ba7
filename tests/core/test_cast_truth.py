"""The quay and the room, cast from true clean plates onto true surfaces and seen from elsewhere,
against the painter's own picture from there."""

from dataclasses import replace

import cv2
import numpy as np
import pytest

from jade_lantern.core.cast.fill import filled, hiding
from jade_lantern.core.cast.split import proposed_split
from jade_lantern.core.mesh import joined
from jade_lantern.core.render.diagnose import DiagnosedCast
from jade_lantern.core.render.frame import rendered
from jade_lantern.core.render.land import Cast, Target, Thrower
from jade_lantern.core.render.pyramid import pyramid
from jade_lantern.core.render.see import see
from jade_lantern.demo import room
from jade_lantern.demo.picture import clean_plate, paint_picture
from jade_lantern.demo.world import lens, quay
from tests.truth import decibels, true_meshes

SIZE = (600, 400)


PLACES = {
    # its shapes, its lens, how far it is stepped aside and forward, and what a fill is held to
    "quay": (quay, lens(*SIZE), 1.0, 2.0, 24),
    "room": (room.room, room.lens().resized(*SIZE), 0.5, 0.7, 30),
}


@pytest.fixture(scope="module", params=PLACES)
def place(request):
    """A made place's shapes and surfaces, its lens, and a camera aside and forward of it."""
    made, camera, aside, forward, filled_db = PLACES[request.param]
    level = np.array([1.0, 0, 1.0])
    right, ahead = camera.rotation[0] * level, camera.forward * level
    step = aside * right / np.linalg.norm(right) + forward * ahead / np.linalg.norm(ahead)
    shot = replace(camera, position=camera.position + step)
    shapes = made()
    return shapes, true_meshes(shapes), camera, shot, filled_db


@pytest.fixture(scope="module")
def split(place):
    _, meshes, camera, *_ = place
    return proposed_split(meshes, camera)


def cast(meshes, camera, plates, split):
    takes = {i: n for n, own in enumerate(split.plates) for i in own}
    targets = [Target(m, (takes[i],), i) for i, m in enumerate(meshes)]
    lanterns = [Thrower(camera, pyramid(p), through=False) for p in plates]
    told = DiagnosedCast(targets, [replace(one, through=True) for one in lanterns], 4 * SIZE[0])
    return Cast(targets, lanterns), told


def test_a_place_from_true_clean_plates_is_the_place(place, split):
    shapes, meshes, camera, shot, filled_db = place
    still = paint_picture(shapes, camera, 4)[0]
    plates, rough = [], []
    for own, gone in zip(split.plates, split.removed, strict=True):
        names = {shapes.names[i] for i in gone}
        behind = see(joined([meshes[i] for i in own]), camera, 0.016)
        before = see(joined([meshes[i] for i in gone]), camera, 0.016)
        hidden = hiding(before, behind)
        # painted anew where something is taken away; the rest is on the still already
        area = cv2.dilate(hidden.astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
        plates.append(clean_plate(still, shapes, camera, names, area, area))
        rough.append(filled(still, hidden, behind, camera))
    true, told_by = cast(meshes, camera, plates, split)
    told = told_by.from_(shot)
    assert not told.spill.any()
    frame = rendered(true, shot)
    truth = paint_picture(shapes, shot, 4)[0]
    sharp = (told.lantern >= 0) & ~told.reveal & (told.stretch < 1.5) & (frame[..., 3] == 255)
    assert sharp.mean() > 0.3
    assert decibels(frame[..., :3], truth, sharp) > 34
    # with one lantern the same places are hidden; filled roughly they are not far from the truth
    one = DiagnosedCast(
        [Target(m, (0,), i) for i, m in enumerate(meshes)], [Thrower(camera)], 4 * SIZE[0]
    )
    shown = one.from_(shot).reveal & sharp
    assert shown.mean() > 0.003
    rough_frame = rendered(cast(meshes, camera, rough, split)[0], shot)
    shown &= rough_frame[..., 3] == 255
    assert decibels(rough_frame[..., :3], truth, shown) > filled_db
