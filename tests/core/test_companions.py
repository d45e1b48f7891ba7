"""The companions carried through Block: a room indoors held against its truth, and a drawing in
which nothing may shift."""

from dataclasses import replace

import cv2
import numpy as np
import pytest

from jade_lantern.core.block.surfaces import meshes
from jade_lantern.core.deliver.frames import frames
from jade_lantern.core.move.frames import render_request
from jade_lantern.core.picture import png, read_still
from jade_lantern.core.render.frame import render
from jade_lantern.core.render.pyramid import pyramid
from jade_lantern.core.scene.moment import at
from jade_lantern.core.scene.shot import shot_camera
from jade_lantern.core.sight.measure import required_camera
from jade_lantern.demo import bridge, door, room
from jade_lantern.demo.companions import bridge_drawing
from jade_lantern.demo.picture import paint_picture


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


@pytest.fixture(scope="module")
def doorway(door_files, painted):
    file = next(f for f in door_files if f.name == door.STILL_NAME).read_bytes()
    _, steps, plates = door.carried(file, "door", painted)
    pictures = {read_still(data).digest: read_still(data).pixels for data in (file, *plates)}
    return steps[-1][1], lambda plate: pictures[plate.digest]


def frame_of(doorway, number, width=900):
    scene, pixels = doorway
    (frame,) = frames(scene, pixels, render_request(scene, width, number, number))
    return frame


def test_the_door_is_shut_at_first_and_swings_open_on_its_left_edge(doorway):
    scene, _ = doorway
    shut, leaf = frame_of(doorway, 0), next(p for p in scene.proxies if p.name == "door")
    still = cv2.resize(doorway[1](scene.plate), (900, 600), interpolation=cv2.INTER_AREA)
    assert cv2.PSNR(np.ascontiguousarray(shut[..., :3]), still) > 34
    wide = leaf.width_m
    first, last = (
        next(p for p in at(scene, float(f)).proxies if p.id == leaf.id)
        for f in (door.OPENS[0], door.OPENS[1])
    )
    camera = required_camera(scene)
    corners = [one.mesh(camera).points for one in (first, last)]
    stays = np.linalg.norm(corners[0] - corners[1], axis=1) < 1e-6
    assert stays.sum() == 2  # the hinge
    hinge = corners[0][stays].mean(axis=0)
    assert np.abs(corners[1] - hinge)[:, 0].max() < 0.25 * wide  # it stands across the wall now
    assert corners[1][:, 2].min() < hinge[2] - 0.9 * wide  # and beyond it


def test_the_camera_goes_through_the_doorway_and_sees_what_is_there(doorway):
    scene, _ = doorway
    sighted = required_camera(scene)
    for number in (70, scene.move.frames - 1):
        assert (frame_of(doorway, number)[..., 3] == 255).all()
    shot = shot_camera(scene, scene.move.frames - 1, sighted)
    assert shot.position[2] < -0.4  # the wall with the doorway is at 0
    there = replace(shot, position=shot.position + np.array(room.DATUM)).resized(600, 400)
    truth, _, _ = paint_picture(room.room(), there)
    last = np.ascontiguousarray(frame_of(doorway, scene.move.frames - 1, 600)[..., :3])
    assert cv2.PSNR(last, truth) > 26
