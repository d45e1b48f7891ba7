"""The companions carried through Block: a room indoors held against its truth, and a drawing in
which nothing may shift."""

import numpy as np
import pytest

from jade_lantern.core.block.surfaces import meshes
from jade_lantern.core.picture import png, read_still
from jade_lantern.core.render.frame import render
from jade_lantern.core.render.pyramid import pyramid
from jade_lantern.core.sight.measure import required_camera
from jade_lantern.demo import bridge, room
from jade_lantern.demo.companions import bridge_drawing


@pytest.fixture(scope="module")
def indoors(room_file):
    file = room_file.read_bytes()
    return file, room.carried(file, "room")[-1][1]


@pytest.fixture(scope="module")
def drawing():
    file = png(bridge_drawing())
    return file, bridge.carried(file, "bridge")[-1][1]


def corners(scene, name):
    """The corners of a proxy in the room's own frame, and how far each is from the lens."""
    camera = required_camera(scene)
    proxy = next(p for p in scene.proxies if p.name == name)
    points = np.unique(proxy.mesh(camera).points.round(6), axis=0)
    return points + np.array(room.DATUM)


def test_the_room_is_blocked_within_two_percent_of_its_true_distances(indoors):
    _, scene = indoors
    eye = room.lens().position
    floor = room.FLOOR
    a, b, tall = room.DOOR
    wanted = {
        "room": [
            (room.LEFT, floor, room.BACK), (room.RIGHT, floor, room.BACK),
            (room.LEFT, room.CEILING, room.BACK), (room.RIGHT, room.CEILING, room.BACK),
            (a, floor, room.BACK), (b, floor, room.BACK), (a, floor + tall, room.BACK),
        ],
        "passage": [(room.PASSAGE[1], floor, room.PASSAGE[2])],
        "shelf 1": [
            (room.SHELF[1], floor + room.SHELVES[0], room.SHELF[3]),
            (room.SHELF[0], floor + room.SHELVES[0], room.SHELF[2]),
        ],
    }  # fmt: skip
    for name, (x, z, w, d, h) in (
        ("bench", room.BENCH), ("chest", room.CHEST), ("pillar", (*room.PILLAR, 2.7)),
    ):  # fmt: skip
        near = z + d / 2
        left, right = x - w / 2, x + w / 2
        wanted[name] = [(left, floor, near), (right, floor, near),
                        (left, floor + h, near), (left, floor + h, z - d / 2)]  # fmt: skip
    for name, truths in wanted.items():
        found = corners(scene, name)
        for truth in np.array(truths):
            off = np.linalg.norm(found - truth, axis=1).min()
            assert off < 0.02 * np.linalg.norm(truth - eye), (name, truth)
    kinds = {p.kind for p in scene.proxies}
    assert {"room", "solid", "box", "drum", "span", "outline"} <= kinds


def test_nothing_leaks_at_the_rooms_lens_and_the_plate_comes_back(indoors):
    file, scene = indoors
    camera = required_camera(scene)
    still = read_still(file).pixels
    seen = render(meshes(scene, camera), camera, camera, pyramid(still))
    covered = seen[..., 3] > 0
    assert covered.mean() > 0.999
    off = np.abs(seen[..., :3].astype(int) - still)[covered]
    assert off.max() <= 1


def test_every_sheet_of_the_drawn_bridge_lies_where_it_is_drawn(drawing):
    _, scene = drawing
    camera = required_camera(scene)
    for sheet in bridge.sheets():
        proxy = next(p for p in scene.proxies if p.name == sheet.name)
        seen, depth = camera.project(proxy.mesh(camera).points)
        assert (depth > 0).all()
        off = np.linalg.norm(seen[:, None] - np.array(sheet.drawn)[None], axis=2).min(axis=0)
        assert off.max() < 0.01, sheet.name
    # every sheet was stood and then pulled by its corners onto what is drawn
    steps = [step.verb for step, _ in bridge.carried(png(bridge_drawing()), "b")]
    assert steps.count("PutProxies") == 4 * len(bridge.sheets())


def test_nothing_shifts_at_the_drawings_lens(drawing):
    file, scene = drawing
    camera = required_camera(scene)
    still = read_still(file).pixels
    seen = render(meshes(scene, camera), camera, camera, pyramid(still))
    covered = seen[..., 3] > 0
    assert covered.mean() > 0.99
    assert np.abs(seen[..., :3].astype(int) - still)[covered].max() <= 1
