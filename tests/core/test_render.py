"""The cast against closed forms and the truth's own pictures."""

from dataclasses import replace

import cv2
import numpy as np
import pytest

from jade_lantern.core.block.surfaces import meshes
from jade_lantern.core.camera import Camera, rotation_of
from jade_lantern.core.mesh import Mesh, mesh_of
from jade_lantern.core.render.frame import render
from jade_lantern.core.render.pyramid import pyramid
from jade_lantern.core.sight.measure import required_camera
from tests.truth import decibels

LANTERN = Camera.centred(240, 160, 220, rotation_of(3, 1, 10), np.array([0, 1.6, 0.0]))


def waves(width: int, height: int) -> np.ndarray:
    """A smooth picture with every direction in it."""
    y, x = np.mgrid[0:height, 0:width] + 0.5
    bands = [np.sin(x / 9 + y / 31), np.sin(y / 7), np.sin((x - y) / 12)]
    return (127.5 + 110 * np.stack(bands, axis=-1)).astype(np.uint8)


def sheet(distance: float, size: float = 60.0, camera: Camera = LANTERN) -> Mesh:
    """A large sheet square to the camera's axis."""
    corners = [[-size, -size], [size, -size], [size, size], [-size, size]]
    points = [camera.position + camera.rotation.T @ np.array([a, b, -distance]) for a, b in corners]
    return mesh_of(points, [(0, 1, 2, 3)])


def test_the_plate_seen_again_through_its_own_lantern_is_the_plate(demo_scene, still, plate):
    camera = required_camera(demo_scene)
    frame = render(meshes(demo_scene, camera), camera, camera, plate)
    covered = frame[..., 3] == 255
    assert covered.all()
    assert np.abs(frame[..., :3].astype(int) - still.pixels).max() <= 1


def test_a_sheet_seen_from_nearer_is_the_plate_enlarged_by_bicubic_lookup():
    picture = waves(240, 160)
    shot = replace(LANTERN, position=LANTERN.position + 4 * LANTERN.forward)
    frame = render([sheet(10)], shot, LANTERN, pyramid(picture))[..., :3]
    y, x = np.mgrid[0:160, 0:240] + 0.5
    u, v = 120 + (x - 120) * 0.6, 80 + (y - 80) * 0.6
    expected = np.stack(
        [127.5 + 110 * f for f in (np.sin(u / 9 + v / 31), np.sin(v / 7), np.sin((u - v) / 12))],
        axis=-1,
    )
    # the plate's own rounding, of half a step on average, is all that is between them
    assert np.abs(frame - expected).mean() < 1.2


def test_what_is_made_smaller_is_averaged_and_does_not_glitter():
    rng = np.random.default_rng(1)
    grain = rng.integers(0, 256, (160, 240, 3)).astype(np.uint8)
    shot = replace(LANTERN, position=LANTERN.position - 70 * LANTERN.forward)
    frame = render([sheet(10, 500)], shot, LANTERN, pyramid(grain))
    seen = frame[frame[..., 3] == 255][:, :3]
    assert 200 < len(seen) < 1000
    assert seen.std() < 0.35 * grain.std()


def test_the_nearer_surface_is_seen():
    halves = np.zeros((160, 240, 3), np.uint8)
    halves[:, 120:] = 255
    near, far = sheet(5, 0.5), sheet(10)
    shot = replace(LANTERN, position=LANTERN.position + LANTERN.rotation[0] * 2)
    frame = render([far, near], shot, LANTERN, pyramid(halves))
    alone = render([near], shot, LANTERN, pyramid(halves))
    solid = alone[..., 3] == 255
    assert solid.any()
    assert np.array_equal(frame[solid], alone[solid])


def test_neighbours_leave_no_crack():
    """A sheet cut into many slivers covers every pixel wholly, as one sheet does."""
    rng = np.random.default_rng(2)
    n = 14
    flat = np.stack(np.meshgrid(np.linspace(-8, 8, n), np.linspace(-8, 8, n)), axis=-1)
    flat[1:-1, 1:-1] += rng.uniform(-0.4, 0.4, (n - 2, n - 2, 2))
    points = [
        LANTERN.position + LANTERN.rotation.T @ np.array([a, b, -6 - 0.8 * np.sin(a * 3 + b)])
        for a, b in flat.reshape(-1, 2)
    ]
    tris = []
    for i in range(n - 1):
        for j in range(n - 1):
            a = i * n + j
            tris += [(a, a + 1, a + n), (a + 1, a + n + 1, a + n)]
    mesh = Mesh(np.array(points), np.array(tris, np.int32), np.arange(len(tris), dtype=np.int32))
    for step in (0.0, 0.4):
        shot = replace(LANTERN, position=LANTERN.position + step * LANTERN.forward)
        frame = render([mesh], shot, LANTERN, pyramid(waves(240, 160)), hold=True)
        assert (frame[..., 3] == 255).all()


def test_an_edge_covers_a_pixel_by_as_much_as_it_fills():
    level = Camera.centred(64, 64, 64, np.eye(3), np.zeros(3))
    slope = 0.3
    points = [[-9, -9, -1], [9, -9, -1], [9, 9 * slope, -1], [-9, -9 * slope, -1]]
    frame = render([mesh_of(points, [(0, 1, 2, 3)])], level, level, pyramid(waves(64, 64)), True)
    cover = frame[..., 3] / 255
    column = np.arange(64) + 0.5
    edge = 32 - (column - 32) * slope  # above it there is nothing
    assert np.allclose((1 - cover).sum(axis=0), edge, atol=0.1)


def test_a_floor_that_runs_under_the_camera_is_cut_and_not_lost():
    floor = mesh_of([[-50, 0, 50], [50, 0, 50], [50, 0, -500], [-50, 0, -500]], [(0, 1, 2, 3)])
    low = replace(LANTERN, rotation=rotation_of(-20, 0, 0))
    frame = render([floor], low, low, pyramid(waves(240, 160)))
    assert (frame[80:, :, 3] == 255).all()


def test_past_its_edge_the_plate_stops_or_is_held():
    shot = replace(LANTERN, position=LANTERN.position - 5 * LANTERN.forward)
    plate = pyramid(np.full((160, 240, 3), 90, np.uint8))
    assert render([sheet(10)], shot, LANTERN, plate)[0, 0, 3] == 0
    assert render([sheet(10)], shot, LANTERN, plate, hold=True)[0, 0].tolist() == [90, 90, 90, 255]


def test_nothing_stood_gives_nothing():
    assert not render([], LANTERN, LANTERN, pyramid(waves(240, 160))).any()


def test_a_plane_through_the_eye_shows_nothing_and_breaks_nothing():
    a, b = LANTERN.position, LANTERN.position + LANTERN.forward * 5
    edge_on = mesh_of([a, b, b + [0, 2, 0], a + [0, 2, 0]], [(0, 1, 2, 3)])
    assert render([edge_on], LANTERN, LANTERN, pyramid(waves(240, 160)))[..., 3].max() == 0


@pytest.mark.parametrize("width", [240, 480, 120])
def test_a_frame_of_another_size_is_the_same_picture(width):
    frame = render(
        [sheet(10)], LANTERN.resized(width, width * 2 // 3), LANTERN, pyramid(waves(240, 160))
    )
    assert frame.shape == (width * 2 // 3, width, 4)
    # twice as large by Keys' cubic, half as large by the mean of four pixels, or as it is
    way = cv2.INTER_CUBIC if width == 480 else cv2.INTER_AREA
    wanted = cv2.resize(waves(240, 160), frame.shape[1::-1], interpolation=way)
    assert decibels(frame[..., :3], wanted, frame[..., 3] == 255) > 50
    assert (frame[..., 3] == 255).all()
