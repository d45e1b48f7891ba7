"""What a camera sees of triangles, and one lookup of a picture, each held against brute force."""

import cv2
import numpy as np
import pytest
from numba import njit

from jade_lantern.core.camera import Camera, rotation_of
from jade_lantern.core.mesh import Mesh, Triangles, joined, mesh_of
from jade_lantern.core.proxy import Box, Drum
from jade_lantern.core.render.cubic import footprint, footprint_16, footprint_float, keys_weights
from jade_lantern.core.render.pyramid import PAD, pyramid
from jade_lantern.core.render.screen import TILE, screen
from jade_lantern.core.render.tile import NOTHING, SIDE, see_tile

CAMERA = Camera.centred(160, 128, 150, rotation_of(-4, 3, 20), np.array([0.3, 1.5, 2.0]))
NEAR = 0.02


@pytest.fixture(scope="module")
def corners() -> np.ndarray:
    """Triangles all round, some before the camera, some through it, some behind."""
    rng = np.random.default_rng(5)
    ahead = CAMERA.position + CAMERA.forward * 4
    return ahead + rng.normal(0, 3.0, (60, 1, 3)) + rng.normal(0, 1.5, (60, 3, 3))


def apart(corners: np.ndarray) -> Triangles:
    """Triangles (M, 3, 3) that are a mesh each."""
    own = np.arange(len(corners))
    return Triangles(corners, own, own)


def hits(corners: np.ndarray, pixels: np.ndarray) -> np.ndarray:
    """(P, T) the depth at which each pixel's ray meets each triangle, inf for none."""
    rays = CAMERA.rays(pixels)
    out = np.full((len(pixels), len(corners)), np.inf)
    for t, (a, b, c) in enumerate(corners):
        m = np.stack([b - a, c - a, -CAMERA.forward], axis=1)
        for p, ray in enumerate(rays):
            m[:, 2] = -ray
            if abs(np.linalg.det(m)) < 1e-12:
                continue
            u, v, depth = np.linalg.solve(m, CAMERA.position - a)
            if u >= 0 and v >= 0 and u + v <= 1 and depth > NEAR:
                out[p, t] = depth
    return out


def test_a_tile_sees_the_nearest_triangle_at_each_pixel(corners):
    seen = screen(apart(corners), CAMERA, NEAR)
    surface = np.empty((SIDE, SIDE), np.int32)
    depth = np.empty((SIDE, SIDE))
    for tx, ty in ((0, 0), (1, 1), (2, 0)):
        tile = ty * seen.across + tx
        mine = seen.bin_triangles[seen.bin_start[tile] : seen.bin_start[tile + 1]]
        see_tile(
            tx, ty, seen.edges, seen.box, seen.surface, seen.inverse_depth, mine, surface, depth
        )
        inside = np.mgrid[0:TILE:9, 0:TILE:9].reshape(2, -1).T
        pixels = inside[:, ::-1] + [tx * TILE + 0.5, ty * TILE + 0.5]
        truth = hits(corners, pixels)
        for (row, column), by in zip(inside, truth, strict=True):
            got = surface[row + 1, column + 1]
            if not np.isfinite(by).any():
                assert got == NOTHING
                continue
            assert seen.owner[got] == by.argmin()
            assert 1 / depth[row + 1, column + 1] == pytest.approx(by.min(), rel=1e-9)


def test_what_is_nearer_than_the_near_limit_is_cut_away():
    a = CAMERA.position + CAMERA.forward * 0.5
    side, up = CAMERA.rotation[0], CAMERA.rotation[1]
    through = np.array([[a - side, a + side, CAMERA.position - CAMERA.forward + up * 0.3]])
    seen = screen(apart(through), CAMERA, NEAR)
    _, depths = CAMERA.project(through[0])
    assert depths.min() < 0  # one corner is behind the camera
    assert len(seen.edges) == 2  # what is left of it has four corners
    behind = screen(apart(through - 3 * CAMERA.forward), CAMERA, NEAR)
    assert len(behind.edges) == 0


@pytest.mark.parametrize("size", [1e-4, 1.0, 1e5])
def test_triangles_of_a_flat_face_share_a_surface_at_any_size_and_turn(size):
    rng = np.random.default_rng(2)
    flat = np.array([[-1, 0, 0], [1, 0, 0], [1, 2, 0], [-1, 2, 0.0]])
    for _ in range(50):
        turn, _ = np.linalg.qr(rng.normal(size=(3, 3)))
        away = np.array([0, 0, 1e-6])  # a parallel wall just behind it
        points = (np.concatenate([flat, flat + away]) @ turn.T + rng.normal(0, 30, 3)) * size
        wall, both = (mesh_of(points, quads) for quads in ([(0, 1, 2, 3)], BACK_TO_BACK))
        assert len(set(joined([wall]).flat)) == 1
        assert len(set(joined([wall, wall]).flat)) == 2  # of two meshes, though in one plane
        assert len(set(joined([both]).flat)) == 2


BACK_TO_BACK = [(0, 1, 2, 3), (4, 5, 6, 7)]


def test_a_bent_face_falls_into_its_flat_pieces_and_a_screen_numbers_what_it_sees():
    drum = Drum(id="drum-0", name="d", radius_m=1.0, height_m=2.0, x=0.0, z=-4.0).mesh(CAMERA)
    corners = drum.points[drum.triangles]
    normal = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    normal /= np.linalg.norm(normal, axis=1)[:, None]
    for one in set(drum.flats.tolist()):
        mine = normal[drum.flats == one]
        assert np.abs(mine - mine[0]).max() < 1e-9
    assert len(set(drum.flats.tolist())) > len(set(drum.faces.tolist()))
    seen = screen(joined([drum]), CAMERA, NEAR)
    assert set(seen.surface.tolist()) == set(range(len(seen.owner)))
    # the same plane for every triangle of a surface, to the last bit
    assert seen.inverse_depth.shape == (len(set(drum.flats[seen.triangle].tolist())), 3)


def kernel(x):
    """Keys' cubic (1981), a = -1/2."""
    x = abs(float(x))
    return 1.5 * x**3 - 2.5 * x**2 + 1 if x < 1 else -0.5 * x**3 + 2.5 * x**2 - 4 * x + 2


@njit
def _eight(address, index, stride, place):
    return footprint(address, index, stride, place)


@njit
def _sixteen(address, index, stride, place):
    return footprint_16(address, index, stride, place)


@njit
def _float(address, index, stride, place):
    return footprint_float(address, index, stride, place)


@pytest.mark.parametrize("kind", [np.uint8, np.uint16, np.float32])
def test_one_lookup_is_the_sum_of_its_sixteen_pixels(kind):
    rng = np.random.default_rng(3)
    most = 1.0 if kind == np.float32 else float(np.iinfo(kind).max)
    picture = (rng.random((4, 4, 4)) * most).astype(kind)
    look = {np.uint8: _eight, np.uint16: _sixteen, np.float32: _float}[kind]
    for x, y in rng.uniform(0, 1, (20, 2)).astype(np.float32):
        wx, wy = ([kernel(t + 1), kernel(t), kernel(1 - t), kernel(2 - t)] for t in (x, y))
        got = look(picture.ctypes.data, np.int64(0), np.int64(4), (x, *keys_weights(y)))
        exact = np.einsum("i,j,ijk->k", wy, wx, picture.astype(float))
        if kind == np.uint8:
            got, exact = np.array([got], np.uint32).view(np.uint8), exact.clip(0, 255)
        assert np.abs(np.array(got) - exact).max() <= max(0.51 * (kind == np.uint8), 1e-5 * most)


def test_each_copy_of_a_plate_is_its_area_average():
    rng = np.random.default_rng(2)
    picture = rng.integers(0, 256, (96, 144, 3), dtype=np.uint8)
    stack = pyramid(picture)
    for level in (2, 4, 8):  # a half, a quarter and a sixteenth
        start, stride = stack.start[level], stack.stride[level]
        smaller = 2 ** (level // 2)
        w, h = 144 // smaller, 96 // smaller
        rows = stack.pixels[start : start + stride * (h + 2 * PAD)].reshape(-1, stride)
        inner = rows[PAD : PAD + h, PAD : PAD + w].copy().view(np.uint8).reshape(h, w, 4)
        expected = cv2.resize(picture, (w, h), interpolation=cv2.INTER_AREA)
        # a copy is made of a larger copy, which is rounded; it does not grow brighter by that
        assert np.abs(inner[..., :3].astype(int) - expected).max() <= 1
        assert abs((inner[..., :3].astype(float) - expected).mean()) < 0.15
        assert (inner[..., 3] == 255).all()


def test_a_wire_is_what_bounds_the_faces():
    box = Box(id="box-0", name="b", width_m=2, depth_m=1, height_m=3).own_mesh(CAMERA)
    ends = np.sort(np.round(box.points[box.wire], 9), axis=1)
    lengths = np.sort(np.abs(np.diff(box.points[box.wire], axis=1)).sum(axis=(1, 2)))
    assert len(ends) == 12  # no diagonal
    assert lengths.tolist() == [1] * 4 + [2] * 4 + [3] * 4
    drum = Drum(id="drum-0", name="d", radius_m=1, height_m=2).own_mesh(CAMERA)
    heights = drum.points[drum.wire][..., 1]
    # a smooth side shows no edge of its own: only the two rims do
    assert (np.ptp(heights, axis=1) == 0).all()
    assert len(Mesh(np.zeros((0, 3)), np.zeros((0, 3), np.int32), np.zeros(0, np.int32)).wire) == 0
