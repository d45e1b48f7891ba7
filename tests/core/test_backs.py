"""Far sides of closed bodies, which are left out where they cannot be seen, and tiles of many
triangles: no pixel changes."""

import numpy as np
import pytest

from jade_lantern.core.camera import Camera, rotation_of
from jade_lantern.core.mesh import Mesh, outward
from jade_lantern.core.render.film import film
from jade_lantern.core.render.land import DENSE, Cast, Target, Thrower
from jade_lantern.core.render.pyramid import pyramid
from tests.core.test_light import ASIDE, FLOOR, LENS, box, sphere

CENTRE = np.array([0.2, 1.4, -1.5])
INSIDE = Camera.centred(320, 240, 200.0, rotation_of(5, 0, 30), CENTRE + [0.1, 0.0, 0.2])


def body(across=96, down=48, turned=False):
    ball = sphere(CENTRE, 0.9, across, down)
    if turned:
        ball = Mesh(ball.points, np.ascontiguousarray(ball.triangles[:, ::-1]), ball.faces)
    return ball


def with_skin(mesh, way, alpha=False):
    """A mesh among a floor, with a picture of its own laid on it by its directions."""
    rng = np.random.default_rng(4)
    skin = rng.integers(0, 255, (64, 128, 3)).astype(np.uint8)
    if alpha:
        skin = np.dstack([skin, np.full((64, 128), 120, np.uint8)])
    away = mesh.points - CENTRE
    at = np.stack([np.arctan2(away[:, 0], away[:, 2]) / np.pi * 60 + 64,
                   30 - 25 * away[:, 1]], axis=1)  # fmt: skip
    kind = "sixteen" if alpha else "eight"
    ground = Thrower(LENS, pyramid(np.full((240, 320, 3), 90, np.uint8), kind), "hold")
    guest = Target(mesh, (1,), 1, laid=at[mesh.triangles], outward=way)
    return Cast([Target(FLOOR), guest], [ground, Thrower.laid_on(pyramid(skin, kind))])


@pytest.mark.parametrize("turned", [False, True])
def test_which_way_round_a_closed_body_goes_is_told(turned):
    ball = body(turned=turned)
    a, b, c = (ball.points[ball.triangles[:, k]] for k in range(3))
    out = (np.cross(b - a, c - a) * (a - CENTRE)).sum()
    assert outward(ball) == np.sign(out) != 0
    assert outward(Mesh(ball.points, ball.triangles[:3000], ball.faces[:3000])) == 0
    some = ball.triangles.copy()
    some[3000] = some[3000, ::-1]
    assert outward(Mesh(ball.points, some, ball.faces)) == 0
    cube = box([0, 0, 0], [1, 1, 1])
    assert outward(cube) == 0  # its faces go either way round
    assert outward(FLOOR) == 0


@pytest.mark.parametrize("shot", [LENS, ASIDE, INSIDE], ids=["lens", "aside", "within it"])
@pytest.mark.parametrize("turned", [False, True])
def test_leaving_far_sides_out_changes_no_pixel(shot, turned):
    ball = body(turned=turned)
    assert len(ball.triangles) >= DENSE
    way = outward(ball)
    told, plain = with_skin(ball, way), with_skin(ball, 0)
    fronts = told.fronts(shot)
    left_out = (~fronts).mean()
    assert left_out == 0 if shot is INSIDE else 0.3 < left_out < 0.7
    assert plain.fronts(shot) is None
    planes = ("id", "depth")
    one, other = film(told, shot, planes), film(plain, shot, planes)
    assert (one.id == 1).mean() > 0.02
    assert np.array_equal(one.id, other.id)
    assert np.array_equal(one.beauty, other.beauty)
    assert np.array_equal(one.depth, other.depth)


def test_of_what_light_comes_through_far_sides_are_seen():
    ball = body()
    assert with_skin(ball, outward(ball), alpha=True).fronts(LENS) is None
    few = body(24, 12)
    assert with_skin(few, outward(few)).fronts(LENS) is None


def test_a_body_of_many_triangles_has_the_edge_of_one_of_few():
    """A cube whose faces are parted into many: its tiles are parted into cells, those of the plain
    cube are not."""
    low, high = CENTRE - 0.8, CENTRE + 0.7
    plain = box(low, high)
    n = 24
    quads, points = [], []
    for face in plain.points[plain.triangles].reshape(-1, 2, 3, 3):
        a, b, c = face[0]
        d = a + c - b
        s = np.linspace(0, 1, n + 1)
        u, v = np.meshgrid(s, s, indexing="ij")
        grid = a + u[..., None] * (b - a) + v[..., None] * (d - a)
        begin = sum(map(len, points))
        points.append(grid.reshape(-1, 3))
        i = (np.arange(n)[:, None] * (n + 1) + np.arange(n)).ravel() + begin
        quads.append(np.stack([i, i + n + 1, i + n + 2, i, i + n + 2, i + 1], axis=1))
    triangles = np.concatenate(quads).reshape(-1, 3).astype(np.int32)
    many = Mesh(np.concatenate(points), triangles, np.arange(len(triangles), dtype=np.int32))
    ground = Thrower(LENS, pyramid(np.full((240, 320, 3), 90, np.uint8)), "hold")
    own = Thrower.laid_on(pyramid(np.full((4, 4, 3), (200, 60, 20), np.uint8)))

    def seen(mesh):
        laid = np.full((len(mesh.triangles), 3, 2), 2.0)
        return film(Cast([Target(FLOOR), Target(mesh, (1,), 1, laid=laid)], [ground, own]), ASIDE)

    one, other = seen(plain).beauty.astype(int), seen(many).beauty.astype(int)
    assert np.abs(one - other).max() <= 1
    assert (one[..., 0] > 150).mean() > 0.02
