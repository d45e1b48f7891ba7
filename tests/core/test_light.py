"""Light, shadows and haze against closed forms and rays that are followed one by one."""

import numpy as np
import pytest

from jade_lantern.core.camera import Camera, rotation_of
from jade_lantern.core.mesh import Mesh, mesh_of
from jade_lantern.core.render.dressing import GAMMA, passes_haze
from jade_lantern.core.render.film import film
from jade_lantern.core.render.frame import rendered
from jade_lantern.core.render.land import Cast, Target, Thrower
from jade_lantern.core.render.lights import Dress, Haze, Light
from jade_lantern.core.render.pyramid import pyramid
from tests.core.test_through import grain

LENS = Camera.centred(320, 240, 260.0, np.eye(3), np.array([0, 1.6, 4.0]))
ASIDE = Camera.centred(320, 240, 260.0, rotation_of(-14, 3, -20), np.array([1.2, 2.1, 3.6]))
FLOOR = mesh_of([[-9, 0, 3.4], [9, 0, 3.4], [9, 0, -20], [-9, 0, -20.0]], [(0, 1, 2, 3)])
WALL = mesh_of([[-9, -1, -6], [9, -1, -6], [9, 9, -6], [-9, 9, -6.0]], [(0, 1, 2, 3)])
LOW, HIGH = np.array([-0.5, 0.0, -2.0]), np.array([0.6, 1.1, -1.0])


def box(low, high):
    corners = [[(low, high)[i][0], (low, high)[j][1], (low, high)[k][2]]
               for i in (0, 1) for j in (0, 1) for k in (0, 1)]  # fmt: skip
    sides = [(0, 1, 3, 2), (4, 5, 7, 6), (0, 1, 5, 4), (2, 3, 7, 6), (0, 2, 6, 4), (1, 3, 7, 5)]
    return mesh_of(corners, sides)


def sphere(centre, radius, across=256, down=128):
    v, u = np.mgrid[0 : down + 1, 0 : across + 1]
    a, b = np.pi * v / down, 2 * np.pi * u / across
    points = np.stack([np.sin(a) * np.cos(b), np.cos(a), np.sin(a) * np.sin(b)], axis=-1)
    i = (v * (across + 1) + u)[:-1, :-1].ravel()
    quads = np.stack([i, i + 1, i + across + 2, i + across + 1], axis=1)
    triangles = np.concatenate([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]]).astype(np.int32)
    faces = np.arange(len(triangles), dtype=np.int32)
    return Mesh(points.reshape(-1, 3) * radius + centre, triangles, faces)


def white(*meshes, value=1.0, kind=np.float32):
    full = np.full((240, 320, 3), value).astype(kind) if kind == np.float32 else None
    picture = full if full is not None else np.full((240, 320, 3), int(255 * value), np.uint8)
    thrower = Thrower(LENS, pyramid(picture), "hold")
    return Cast([Target(mesh, proxy=i) for i, mesh in enumerate(meshes)], [thrower])


def unit(v):
    return np.array(v, float) / np.linalg.norm(v)


@pytest.mark.parametrize("kind", [np.uint8, np.float32])
@pytest.mark.parametrize("clear", [False, True])
def test_with_nothing_dressed_a_frame_is_what_it_was_to_the_bit(kind, clear):
    picture = grain(np.uint8, 3)
    picture = picture if clear else np.ascontiguousarray(picture[..., :3])
    picture = picture if kind == np.uint8 else (picture / 255).astype(np.float32)
    cast = Cast([Target(FLOOR), Target(WALL, proxy=1), Target(box(LOW, HIGH), proxy=2)],
                [Thrower(LENS, pyramid(picture), "mirror")])  # fmt: skip
    plain = rendered(cast, ASIDE)
    out_of_reach = Dress(
        (Light("sun", (0.0, 0.0, 0.0)), Light("sky", (1.0, 1.0, 1.0), shares={0: 0, 1: 0, 2: 0})),
        Haze((1, 1, 1), 0.3, shares={0: 0, 1: 0, 2: 0}),
    )
    for dress in (Dress(), Dress(haze=Haze((1, 1, 1), 0.0)), out_of_reach):
        assert np.array_equal(film(cast, ASIDE, dress=dress).beauty, plain)


def test_a_sun_lights_a_plane_and_a_sphere_by_lamberts_law():
    way, energy = (0.4, 0.8, 0.5), np.array([1.4, 1.0, 0.3])
    ball = sphere(np.array([0, 1.5, -1.0]), 1.0)
    cast = white(FLOOR, ball)
    light = Light("sun", tuple(energy), way, does="replaces", casters=frozenset())
    seen = film(cast, LENS, ("light", "id", "position"), dress=Dress((light,)))
    floor, on_ball = seen.id == 0, seen.id == 1
    assert seen.light[floor] == pytest.approx(
        np.broadcast_to(energy * unit(way)[1], (floor.sum(), 3)), rel=0.01
    )
    normal = seen.position[on_ball] - [0, 1.5, -1.0]
    facing = (normal @ unit(way)).clip(0)
    assert np.abs(seen.light[on_ball] - facing[:, None] * energy).max() < 0.03
    assert np.abs(seen.light[on_ball] - facing[:, None] * energy).mean() < 0.005
    whole = seen.light.clip(0) ** (1 / GAMMA)
    away = np.abs(np.diff(seen.id, axis=1, append=0)) + np.abs(np.diff(seen.id, axis=0, append=0))
    inside = (away == 0) & (np.roll(away, 1, 0) == 0) & (np.roll(away, 1, 1) == 0)
    assert seen.beauty[..., :3][inside & floor] == pytest.approx(whole[inside & floor], abs=1e-5)


def test_a_lamp_falls_off_with_the_square_of_the_distance():
    place, energy = np.array([0.8, 1.7, -3.0]), (2.0, 1.0, 0.5)
    light = Light("lamp", energy, tuple(place), does="adds", casters=frozenset())
    seen = film(white(FLOOR, WALL), LENS, ("light", "id", "position"), dress=Dress((light,)))
    for proxy, normal in ((0, [0, 1, 0]), (1, [0, 0, 1])):
        at = seen.id == proxy
        away = place - seen.position[at]
        far = np.linalg.norm(away, axis=1)
        falls = (away @ normal).clip(0) / far**3
        assert seen.light[at] == pytest.approx(1 + falls[:, None] * energy, rel=1e-4)
        # what is drawn is worked out by runs of pixels, straight between places
        drawn = seen.beauty[at][:, :3]
        assert drawn == pytest.approx((1 + falls[:, None] * energy) ** (1 / GAMMA), rel=0.01)


def test_the_sky_lights_by_how_much_of_it_is_seen():
    light = Light("sky", (0.8, 0.9, 1.0), does="replaces")
    ball = sphere(np.array([0, 1.5, -1.0]), 1.0)
    seen = film(white(FLOOR, ball), LENS, ("light", "id", "position"), dress=Dress((light,)))
    assert seen.light[seen.id == 0] == pytest.approx(
        np.broadcast_to([0.8, 0.9, 1.0], ((seen.id == 0).sum(), 3)), rel=1e-6
    )
    up = (seen.position[seen.id == 1] - [0, 1.5, -1.0])[:, 1]
    expected = 0.5 * (1 + up)[:, None] * [0.8, 0.9, 1.0]
    assert np.abs(seen.light[seen.id == 1] - expected).max() < 0.015


def in_box_way(places, way, low=LOW, high=HIGH):
    """Whether rays from places (..., 3) along `way` meet a box (Kay & Kajiya 1986)."""
    with np.errstate(divide="ignore", invalid="ignore"):
        a, b = (low - places) / way, (high - places) / way
    near, far = np.minimum(a, b).max(axis=-1), np.maximum(a, b).min(axis=-1)
    return (far > np.maximum(near, 1e-6)) & (far > near + 1e-9)


def places_on_floor(camera, pixels):
    ray = camera.rays(pixels)
    down = np.where(np.abs(ray[..., 1]) > 1e-9, ray[..., 1], 1e-9)
    return camera.position + ray * (-camera.position[1] / down)[..., None]


@pytest.mark.parametrize("camera", [LENS, ASIDE])
@pytest.mark.parametrize("kind", ["sun", "lamp"])
def test_a_shadows_edge_is_where_rays_say_to_half_a_pixel(camera, kind):
    place = (1.0, 0.9, 0.7) if kind == "sun" else (2.2, 3.1, 0.8)
    light = Light(kind, (1, 1, 1), place, does="replaces")
    cast = white(FLOOR, box(LOW, HIGH))
    seen = film(cast, camera, ("light", "id"), dress=Dress((light,)))
    y, x = np.mgrid[0:240, 0:320]
    votes = []
    for dx, dy in ((-0.5, -0.5), (0.5, -0.5), (-0.5, 0.5), (0.5, 0.5), (0, 0)):
        at = places_on_floor(camera, np.stack([x + 0.5 + dx, y + 0.5 + dy], axis=-1))
        way = unit(place) if kind == "sun" else np.array(place) - at
        votes.append(in_box_way(at, way))
    votes = np.array(votes)
    sure = (votes.all(axis=0) | ~votes.any(axis=0)) & (seen.id == 0)
    assert (votes[-1] & sure).sum() > 300  # there is a shadow
    dark = seen.light[..., 1] < 1e-6
    wrong = sure & (dark != votes[-1])
    half = seen.light[..., 1] > 1e-6
    # all that is surely dark is dark for the most part, and what is surely lit is not
    assert (wrong & votes[-1] & half).sum() <= 0.02 * votes[-1].sum()
    full = film(white(FLOOR), camera, ("light",), dress=Dress((light,))).light[..., 1]
    share = seen.light[..., 1] / np.maximum(full, 1e-9)
    assert (share[sure & votes[-1]] < 0.5).all()
    assert (share[sure & ~votes[-1]] > 0.5).all()


def test_a_shadow_is_as_soft_as_the_sun_is_large():
    """The shadow of a long edge over a floor, against the part of a disc that a line cuts off."""
    height, radius = 1.5, 4.0
    roof = mesh_of([[-30, height, 0], [0, height, 0], [0, height, -30], [-30, height, -30.0]],
                   [(0, 1, 2, 3)])  # fmt: skip
    above = Camera.centred(320, 60, 400.0, rotation_of(-89.9, 0, 0), np.array([0, 1.2, -8.0]))
    light = Light("sun", (1, 1, 1), (0.0, 1.0, 0.0), radius, does="replaces")
    cast = Cast([Target(FLOOR), Target(roof, proxy=1)],
                [Thrower(above, pyramid(np.ones((60, 320, 3), np.float32)), "hold")])  # fmt: skip
    seen = film(cast, above, ("light", "position"), dress=Dress((light,)))
    x = seen.position[..., 0]
    t = (x / (height * np.tan(np.radians(radius)))).clip(-1, 1)
    lit = 1 - (np.arccos(t) - t * np.sqrt(1 - t * t)) / np.pi
    assert ((t > -0.9) & (t < 0.9)).mean() > 0.15
    assert np.abs(seen.light[..., 0] - lit).max() < 0.12  # of 32 places on the disc
    assert np.abs(seen.light[..., 0] - lit).mean() < 0.02


def test_only_what_casts_a_shadow_does_and_only_where_it_is_taken():
    cast = white(FLOOR, box(LOW, HIGH), WALL)
    sun = {"kind": "sun", "energy": (1, 1, 1), "place": (1, 1, 0.5), "does": "shades"}
    plain = rendered(cast, LENS)
    none = film(cast, LENS, dress=Dress((Light(**sun, casters=frozenset({0, 2})),))).beauty
    assert none == pytest.approx(plain, abs=1e-6)
    some = film(cast, LENS, ("id",), dress=Dress((Light(**sun, casters=frozenset({1})),)))
    changed = np.abs(some.beauty - plain).max(axis=-1) > 0.1
    assert changed.sum() > 200
    assert (some.id[changed] == 0).mean() > 0.97  # but for pixels at its foot
    spared = film(cast, LENS, dress=Dress((Light(**sun, shares={0: 0.0, 1: 0.0, 2: 0.0}),))).beauty
    assert np.array_equal(spared, plain)
    half = film(cast, LENS, dress=Dress((Light(**{**sun, "energy": (0.5, 0.5, 0.5)}),))).beauty
    dark = film(cast, LENS, dress=Dress((Light(**sun),))).beauty
    core = dark[..., 0] < 1e-6
    assert half[core][:, 0] == pytest.approx(0.5 ** (1 / GAMMA), abs=1e-5)


@pytest.mark.parametrize("camera", [LENS, ASIDE])
def test_no_face_shadows_its_neighbour_along_a_fold(camera):
    """A lit corner of a room, and a box: no dark line where faces meet."""
    room = mesh_of(
        [[-4, 0, 4], [4, 0, 4], [4, 0, -4], [-4, 0, -4], [4, 4, -4], [-4, 4, -4], [-4, 4, 4.0]],
        [(0, 1, 2, 3), (3, 2, 4, 5), (0, 3, 5, 6)],
    )
    for radius in (0.0, 1.0):
        light = Light("sun", (1, 1, 1), (1, 1.2, 1.5), radius, does="replaces")
        seen = film(white(room), camera, ("light", "id", "normal"), dress=Dress((light,)))
        there = seen.id == 0
        expected = (seen.normal @ unit(light.place)).clip(0)
        assert np.abs(seen.light[..., 0] - expected)[there].max() < 0.08
        assert np.abs(seen.light[..., 0] - expected)[there].mean() < 1e-3


def test_haze_is_exponential_in_the_distance():
    colour, density, start = np.array([0.7, 0.6, 0.8]), 0.06, 1.5
    cast = white(FLOOR, WALL, box(LOW, HIGH), value=0.4)
    dress = Dress(haze=Haze(tuple(colour), density, start))
    seen = film(cast, ASIDE, ("position", "normal"), dress=dress)
    far = np.linalg.norm(seen.position - ASIDE.position, axis=-1)
    through = np.exp(-density * np.maximum(far - start, 0))[..., None]
    expected = through * 0.4 + (1 - through) * colour
    inside = np.ones(far.shape, bool)
    for axis in (0, 1):
        for by in (-1, 1):
            inside &= (np.roll(seen.normal, by, axis) == seen.normal).all(axis=-1)
    inside[[0, -1]] = inside[:, [0, -1]] = False
    inside &= seen.beauty[..., 3] == 1
    assert np.abs(seen.beauty[..., :3] - expected)[inside].max() < 1e-4
    assert inside.mean() > 0.6


def test_haze_that_thins_with_height_is_the_integral_of_its_density():
    rng = np.random.default_rng(5)
    for _ in range(200):
        density, start, fall = rng.uniform(0.01, 0.5), rng.uniform(0, 3), rng.uniform(0.2, 5)
        level, eye, rise = rng.uniform(-2, 3), rng.uniform(-1, 5), rng.uniform(-0.9, 0.9)
        far = start + rng.uniform(0.1, 30)
        steps = np.linspace(start, far, 20_001)
        over = np.maximum(eye + rise * steps - level, 0)
        thick = np.trapezoid(density * np.exp(-over / fall), steps)
        got = passes_haze(density, start, fall, level, eye, rise, far)
        assert got == pytest.approx(np.exp(-thick), abs=1e-6)


def test_what_is_behind_clear_pictures_lies_in_its_own_haze():
    """Two cards that are half clear before a wall: each is hazed by its own distance, and only
    then laid over what is behind it."""
    colour, density = np.array([0.2, 0.5, 0.9]), 0.11
    soft = np.zeros((240, 320, 4), np.float32)
    soft[..., 0], soft[..., 3] = 0.8, 0.5
    places = (1.0, -2.0, -6.0)
    meshes = [mesh_of([[-20, -20, z], [20, -20, z], [20, 20, z], [-20, 20, z]], [(0, 1, 2, 3)])
              for z in places]  # fmt: skip
    grey = np.full((240, 320, 3), 0.3, np.float32)
    throwers = [Thrower(LENS, pyramid(picture), "hold") for picture in (soft, grey)]
    cast = Cast([Target(m, (0 if i < 2 else 1,), i) for i, m in enumerate(meshes)], throwers)
    haze = Haze(tuple(colour), density)
    seen = film(cast, LENS, ("lanterns", "haze"), dress=Dress(haze=haze))
    y, x = np.mgrid[0:240, 0:320]
    ray = LENS.rays(np.stack([x + 0.5, y + 0.5], axis=-1))
    out, left = np.zeros((240, 320, 3)), 1.0
    for z, (paint, alpha) in zip(
        places, ((np.array([0.8, 0, 0]), 0.5), (np.array([0.8, 0, 0]), 0.5),
                 (np.full(3, 0.3), 1.0)), strict=True
    ):  # fmt: skip
        far = (LENS.position[2] - z) * np.linalg.norm(ray, axis=-1)
        through = np.exp(-density * far)[..., None]
        out += left * alpha * (through * paint + (1 - through) * colour)
        left *= 1 - alpha
    assert np.abs(seen.beauty[..., :3] - out).max() < 1e-4
    total = seen.lanterns[..., :3].sum(axis=0) + seen.haze[..., :3]
    assert np.abs(total - seen.beauty[..., :3]).max() < 1e-5


def test_eight_bit_and_float_show_the_same_light():
    dress = Dress((Light("sun", (1.2, 1.0, 0.8), (1, 1, 0.5), 0.5, "replaces"),
                   Light("sky", (0.2, 0.2, 0.3))), Haze((0.7, 0.7, 0.8), 0.03))  # fmt: skip
    meshes = FLOOR, WALL, box(LOW, HIGH)
    eight = film(white(*meshes, value=102 / 255, kind=np.uint8), ASIDE, dress=dress).beauty
    deep = film(white(*meshes, value=102 / 255), ASIDE, dress=dress).beauty
    assert np.abs(eight[..., :3] / 255 - deep[..., :3].clip(0, 1)).max() < 1.2 / 255


def test_many_lights_are_each_as_if_alone():
    """More of them than what they see is kept of."""
    rng = np.random.default_rng(6)
    ways = [(*rng.uniform(-1, 1, 2), 0.6)[::-1] for _ in range(11)]
    lights = [Light("sun", (0.2, 0.1, 0.3), (x, abs(y) + 0.4, z)) for x, y, z in ways]
    meshes = FLOOR, WALL, box(LOW, HIGH)
    together = film(white(*meshes), ASIDE, ("light",), dress=Dress(tuple(lights))).light
    apart = [film(white(*meshes), ASIDE, ("light",), dress=Dress((one,))).light for one in lights]
    total = 1 + sum(one - 1 for one in apart)
    off = np.abs(together - total).max(axis=2)  # buffers are half as fine where there are many
    assert np.quantile(off, 0.97) < 1e-4
    assert (np.abs(total - 1).max(axis=2) > 0.5).mean() > 0.2


def test_shadow_is_the_share_that_shadows_leave_and_parts_light_from_them():
    """Two suns, one whose shadow a box casts: light without it, times the shadow, is the light."""
    way, other = (0.4, 0.8, 0.5), (-0.5, 0.7, 0.3)
    cast = white(FLOOR, box(LOW, HIGH))
    suns = (
        Light("sun", (0.6, 0.5, 0.4), way),
        Light("sun", (0.2, 0.3, 0.5), other, casters=frozenset()),
    )
    seen = film(cast, LENS, ("light", "shadow", "id", "position"), dress=Dress(suns))
    floor = seen.id == 0
    hidden = in_box_way(seen.position + [0, 1e-6, 0], unit(way))
    edge = np.abs(np.diff(hidden, axis=1, append=0)) + np.abs(np.diff(hidden, axis=0, append=0))
    sure = floor & (edge == 0) & (np.roll(edge, 1, 0) == 0) & (np.roll(edge, 1, 1) == 0)
    one, two = (np.array(s.energy) * unit(s.place)[1] for s in suns)
    assert (sure & hidden).sum() > 200
    assert seen.shadow[sure & ~hidden] == pytest.approx(1.0, abs=1e-6)
    dark = np.broadcast_to((1 + two) / (1 + one + two), seen.shadow[sure & hidden].shape)
    assert seen.shadow[sure & hidden] == pytest.approx(dark, rel=1e-4)
    whole = np.broadcast_to(1 + one + two, seen.light[sure].shape)
    assert (seen.light / seen.shadow)[sure] == pytest.approx(whole, rel=1e-4)
    only = Dress((Light("sun", (0.7,) * 3, way, does="shades"),))
    taken = film(cast, LENS, ("light", "shadow"), dress=only)
    assert np.array_equal(taken.light, taken.shadow)
    assert (film(cast, LENS, ("shadow",)).shadow == 1).all()
