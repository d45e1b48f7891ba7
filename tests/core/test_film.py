"""A frame's planes against rays that are followed one by one."""

from dataclasses import replace

import numpy as np
import pytest

from jade_lantern.core.camera import Camera, rotation_of
from jade_lantern.core.mesh import Mesh
from jade_lantern.core.render.film import Film, film
from jade_lantern.core.render.frame import rendered
from jade_lantern.core.render.land import Cast, Target, Thrower
from jade_lantern.core.render.pyramid import pyramid
from tests.core.test_through import (
    LENS,
    MOVED,
    RIGHT,
    STACKS,
    away_from_edges,
    blotted,
    grain,
    met,
    premultiplied,
    sheet,
)

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
    assert film(cast, LENS)[1:] == (None,) * 12
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


@pytest.mark.parametrize("stack", STACKS)
@pytest.mark.parametrize(("kind", "off"), [(np.uint16, 1 / 255), (np.float32, 1e-4)])
def test_light_by_lantern_adds_up_to_the_picture(stack, kind, off):
    sheets = STACKS[stack](kind)
    cast = Cast(
        [Target(s.mesh, (i, (i + 1) % len(sheets)), i) for i, s in enumerate(sheets)],
        [Thrower(LENS, pyramid(s.picture), "stop", True, 0.9) for s in sheets],
    )
    made = film(cast, MOVED, ("lanterns",))
    picture = premultiplied(made.beauty)
    assert np.abs(made.lanterns[..., :3].sum(axis=0) - picture[..., :3]).max() < off
    assert np.abs(made.lanterns[..., 3] - picture[..., 3]).max() < off
    assert (made.lanterns[..., :3].max(axis=(1, 2, 3)) > 0.2).all()


def test_each_lantern_s_light_is_its_own():
    red, green = (np.full((*RIGHT.shape, 3), one, np.uint8) for one in ((200, 0, 0), (0, 90, 0)))
    cast = cast_of([sheet(5, red, half=(1, 1)), sheet(9, green)])
    made = film(cast, LENS, ("lanterns",))
    first, second = made.lanterns
    assert first[..., 1:3].max() == 0
    assert second[..., 0].max() == 0
    assert first[..., 0].max() == pytest.approx(200 / 255, abs=1e-4)
    assert second[..., 1].max() == pytest.approx(90 / 255, abs=1e-4)
    eight = Cast([Target(sheet(5, red).mesh)], [Thrower(LENS, pyramid(red))])
    with pytest.raises(ValueError, match="eight bit"):
        film(eight, LENS, ("lanterns",))


def test_coverage_is_the_share_of_a_pixel_that_stands_there_whatever_is_cast():
    """A sheet whose edges lie at parts of pixels, half of it clear; and one that takes nothing."""
    one = sheet(5, blotted((9, 9, 9), RIGHT), half=(1.3, 0.9))
    made = film(cast_of([one]), LENS, ("coverage",))
    pixels, _ = LENS.project(one.corners)
    left, right = pixels[:, 0].min(), pixels[:, 0].max()
    assert made.coverage.sum() == pytest.approx(
        (right - left) * (pixels[:, 1].max() - pixels[:, 1].min()), rel=0.01
    )
    assert made.beauty[..., 3].mean() / 65535 < 0.7 * made.coverage.mean()
    middle = made.coverage[80, :]
    edge = int(left)
    assert middle[edge + 1] == 1
    assert middle[edge - 1] == 0
    assert middle[edge] == pytest.approx(1 - left % 1, abs=0.13)  # of eight samples
    bare = Cast([Target(one.mesh, ())], [Thrower(LENS, pyramid(one.picture))])
    assert np.array_equal(film(bare, LENS, ("coverage",)).coverage, made.coverage)


def test_motion_is_where_a_place_goes_by_the_next_frame():
    wall = sheet(9, opaque(1))
    moving = sheet(5, opaque(2), half=(1, 0.7), at=(0.3, 0.1), turn=(0.2, 0.3))
    about = rotation_of(0, 0, 12) @ moving.corners.T
    then = replace(moving, corners=about.T + [0.3, 0.1, -0.5])
    made = film(
        cast_of([moving, wall]), LENS, ("motion", "position", "id"),
        (cast_of([then, wall]), MOVED),
    )  # fmt: skip
    y, x = np.mgrid[0 : LENS.height, 0 : LENS.width] + 0.5
    at = made.position.astype(float)
    turned = at @ rotation_of(0, 0, 12).T + [0.3, 0.1, -0.5]
    at = np.where((made.id == 10)[..., None], turned, at)
    to, _ = MOVED.project(at)
    assert (made.id == 10).mean() > 0.05
    assert np.abs(to - np.stack([x, y], axis=-1) - made.motion).max() < 2e-3
    with pytest.raises(ValueError, match="next frame"):
        film(cast_of([wall]), LENS, ("motion",))


def textured_box(middle, half, turn):
    """A box whose faces are parts of one picture, 3 by 2: its mesh, and the places of its
    triangles' corners in shares of the picture."""
    signs = np.array([[x, y, z] for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)], float)
    points = (signs * half) @ rotation_of(*turn) + middle
    sides = [(0, 1, 3, 2), (4, 6, 7, 5), (0, 4, 5, 1), (2, 3, 7, 6), (0, 2, 6, 4), (1, 5, 7, 3)]
    triangles, places = [], []
    for k, (a, b, c, d) in enumerate(sides):
        left, top = (k % 3) / 3 + 0.02, (k // 3) / 2 + 0.02
        right, bottom = left + 0.29, top + 0.46
        corner = {a: (left, top), b: (right, top), c: (right, bottom), d: (left, bottom)}
        for three in ((a, b, c), (a, c, d)):
            triangles.append(three)
            places.append([corner[i] for i in three])
    faces = np.repeat(np.arange(6, dtype=np.int32), 2)
    return Mesh(points, np.array(triangles, np.int32), faces), np.array(places)


def smooth(place):
    """A picture that is known everywhere. place: (..., 2) in shares of it."""
    u, v = place[..., 0], place[..., 1]
    out = [
        0.5 + 0.4 * np.sin(9 * u + 2),
        0.5 + 0.3 * np.cos(7 * v) * np.sin(5 * u),
        0.3 + 0.5 * v * u,
    ]
    return np.stack(out, axis=-1)


@pytest.mark.parametrize("shot", [LENS, MOVED])
def test_a_thing_with_its_own_picture_is_seen_as_rays_see_it(shot):
    """A textured box among cast sheets: one before it, one behind it, one through it."""
    size = (480, 320)
    y, x = np.mgrid[0 : size[1], 0 : size[0]] + 0.5
    picture = (smooth(np.stack([x / size[0], y / size[1]], axis=-1)) * 65535 + 0.5).astype(
        np.uint16
    )
    box, places = textured_box(np.array([0.2, 1.5, -5.5]), (0.9, 0.6, 0.8), (20, 10, 35))
    flat = [np.full((4, 4, 3), (k * 9000, 30000, 60000 - k * 9000), np.uint16) for k in range(3)]
    sheets = [sheet(3.5, flat[0], at=(0.6, 0.5), half=(0.25, 0.3)), sheet(9, flat[1]),
              sheet(5.5, flat[2], half=(1.6, 0.2), turn=(0.1, 0.3))]  # fmt: skip
    throwers = [Thrower(LENS, pyramid(np.repeat(np.repeat(f, 40, 0), 60, 1)), "hold") for f in flat]
    throwers.append(Thrower.laid_on(pyramid(picture)))
    targets = [Target(s.mesh, (i,), i) for i, s in enumerate(sheets)]
    targets.append(Target(box, (3,), 3, laid=places * size))
    made = film(Cast(targets, throwers), shot, ("id",))

    depth, _ = met(sheets, shot)
    corners = box.points[box.triangles]
    yy, xx = np.mgrid[0 : shot.height, 0 : shot.width] + 0.5
    rays = np.stack([xx, yy, np.ones_like(xx)], axis=-1) @ np.linalg.inv(shot.projection()).T
    nearest, colour = depth.min(axis=0), np.zeros((shot.height, shot.width, 3))
    who = np.argmin(depth, axis=0)
    for k in range(3):
        colour[who == k] = flat[k][0, 0] / 65535
    for three, place in zip(corners, places, strict=True):
        weights = rays @ np.linalg.inv((three - shot.position).T).T  # barycentric over depth
        inside = (weights >= 0).all(axis=-1)
        far = 1 / np.maximum(weights.sum(axis=-1), 1e-12)
        mine = inside & (far < nearest)
        at = (weights * far[..., None]) @ place
        colour[mine], nearest, who = (
            smooth(at)[mine],
            np.where(mine, far, nearest),
            np.where(mine, 3, who),
        )
    seen = made.beauty[..., :3] / 65535
    steady = np.ones_like(who, bool)
    for axis in (0, 1):
        for step in (-1, 1):
            other = np.abs(np.roll(colour, step, axis) - colour).max(axis=2)
            steady &= (np.roll(who, step, axis) == who) & (other < 0.06)
    steady[[0, -1]] = steady[:, [0, -1]] = False
    assert [((who == k) & steady).mean() > 0.004 for k in range(4)] == [True] * 4
    assert (made.id[steady] == who[steady]).all()
    assert np.abs(seen - colour)[steady].max() < 1 / 255


def test_a_thing_takes_its_own_picture_and_no_other():
    box, places = textured_box(np.array([0.2, 1.5, -5.5]), (0.9, 0.6, 0.8), (20, 10, 35))
    wall = Thrower(LENS, pyramid(opaque(1)))
    own = Thrower.laid_on(pyramid(opaque(2)))
    for lanterns in ((0,), (1, 0), ()):
        with pytest.raises(ValueError, match="no other"):
            Cast([Target(box, lanterns, laid=places * 100)], [wall, own])
