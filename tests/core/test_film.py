"""A frame's planes against rays that are followed one by one."""

import numpy as np
import pytest

from jade_lantern.core.camera import Camera, rotation_of
from jade_lantern.core.render.film import Film, film
from jade_lantern.core.render.frame import rendered
from jade_lantern.core.render.land import Cast, Target, Thrower
from jade_lantern.core.render.pyramid import pyramid
from tests.core.test_through import LENS, MOVED, RIGHT, away_from_edges, blotted, grain, met, sheet

ALL = ("depth", "id", "position", "normal")


def cast_of(sheets, **given):
    lanterns = [Thrower(LENS, pyramid(s.picture, "sixteen"), "mirror", **given) for s in sheets]
    return Cast([Target(s.mesh, (i,), 10 + i) for i, s in enumerate(sheets)], lanterns)


def opaque(seed):
    return np.ascontiguousarray(grain(np.uint8, seed)[..., :3])


@pytest.mark.parametrize("shot", [LENS, MOVED])
def test_depth_place_and_normal_are_those_of_the_nearest_surface(shot):
    sheets = [sheet(5 + k, opaque(k), half=(1.2, 0.8), at=(0.5 * k - 0.8, 0.2 * k - 0.3),
                    turn=(0.3 * k, 0.5 - 0.3 * k)) for k in range(4)]  # fmt: skip
    cast = cast_of(sheets)
    seen = film(cast, shot, ALL)
    depth, points = met(sheets, shot)
    nearest = np.argmin(depth, axis=0)
    there = np.isfinite(depth.min(axis=0)) & away_from_edges(depth)
    nothing = ~np.isfinite(depth.min(axis=0)) & away_from_edges(depth)
    assert there.mean() > 0.1
    assert nothing.mean() > 0.1
    assert seen.depth[there] == pytest.approx(depth.min(axis=0)[there], rel=1e-6)
    assert np.isinf(seen.depth[nothing]).all()
    assert (seen.id[there] == 10 + nearest[there]).all()
    assert (seen.id[nothing] == -1).all()
    at = np.take_along_axis(points, nearest[None, ..., None], axis=0)[0]
    assert seen.position[there] == pytest.approx(at[there], rel=1e-4, abs=1e-4)
    for k, one in enumerate(sheets):
        a, b, _, d = one.corners
        normal = np.cross(b - a, d - a)
        normal /= np.linalg.norm(normal)
        mine = seen.normal[there & (nearest == k)]
        assert np.abs(np.abs(mine @ normal) - 1).max() < 1e-6
        assert ((at - shot.position)[there & (nearest == k)] * mine).sum(axis=1).max() < 0
    assert np.array_equal(seen.beauty, rendered(cast, shot))


def test_what_is_asked_for_is_there_and_nothing_else():
    cast = cast_of([sheet(5, opaque(0))])
    assert film(cast, LENS)[1:] == (None,) * 4
    only = film(cast, LENS, ("id",))
    assert [name for name, plane in zip(Film._fields, only, strict=True) if plane is not None] == [
        "beauty", "id",
    ]  # fmt: skip
    bare = film(Cast([], []), LENS, ALL)
    assert np.isinf(bare.depth).all()
    assert not bare.beauty.any()


def test_through_what_is_clear_planes_are_of_what_fills_the_pixel_most():
    """A card that is cut out on the right, one that is a third there, and a wall."""
    thin = np.full((*RIGHT.shape, 4), (9, 90, 9, 85), np.uint8)
    sheets = [sheet(5, blotted((200, 30, 20), RIGHT)), sheet(7, thin), sheet(9, opaque(1))]
    seen = film(cast_of(sheets), LENS, ALL)
    left, right = np.s_[:, : RIGHT.shape[1] // 2 - 2], np.s_[:, RIGHT.shape[1] // 2 + 2 :]
    assert (seen.id[left] == 10).all()
    assert seen.depth[left] == pytest.approx(np.full_like(seen.depth[left], 5), rel=1e-6)
    assert (seen.id[right] == 12).all()
    assert seen.depth[right] == pytest.approx(np.full_like(seen.depth[right], 9), rel=1e-6)
    half = film(cast_of([sheets[1]]), LENS, ("id", "depth"))
    assert (half.id == 10).all()  # a third of it is all that is there
    weak = film(cast_of([sheets[0], sheets[2]], strength=0.4), LENS, ("id",))
    assert (weak.id[left] == 10).all()  # 0.4, and of the rest 0.4


def test_planes_of_a_large_frame_are_of_the_same_place_in_every_tile():
    far = Camera.centred(700, 333, 500.0, rotation_of(-4, 3, 7), np.array([0.4, 1.2, 0.3]))
    wall = sheet(9, opaque(2), half=(40, 40), turn=(0.2, 0.4))
    seen = film(cast_of([wall]), far, ("depth", "position"))
    pixel, depth = far.project(seen.position.reshape(-1, 3).astype(float))
    y, x = np.mgrid[0:333, 0:700] + 0.5
    assert np.abs(pixel - np.stack([x, y], axis=-1).reshape(-1, 2)).max() < 1e-2
    assert depth == pytest.approx(seen.depth.ravel(), rel=1e-5)
