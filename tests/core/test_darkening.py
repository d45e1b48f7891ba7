"""Darkening where surfaces meet, against form factors in closed form and rays."""

import numpy as np
import pytest

from jade_lantern.core.mesh import mesh_of
from jade_lantern.core.render.film import film
from jade_lantern.core.render.land import Cast, Target, Thrower
from jade_lantern.core.render.lights import Darkening, Dress, Light
from jade_lantern.core.render.pyramid import pyramid
from tests.core.test_light import ASIDE, FLOOR, LENS, box, sphere

FAR = 1e6  # metres, of a reach that leaves out nothing


def white(*meshes, grey=1.0):
    thrower = Thrower(LENS, pyramid(np.full((240, 320, 3), grey, np.float32)), "hold")
    return Cast([Target(mesh, proxy=i) for i, mesh in enumerate(meshes)], [thrower])


def seen(cast, reach, shot=LENS, strength=1.0, casts=None, **more):
    casts = frozenset(range(len(cast.targets))) if casts is None else casts
    dress = Dress(darkening=Darkening(strength, reach, casts=casts, **more))
    return film(cast, shot, ("darkening", "position", "normal", "id"), dress=dress)


def test_a_long_wall_hides_half_less_the_cosine_of_its_top():
    high, far = 2.0, 4e4
    wall = mesh_of(
        [[-far, 0, -3], [far, 0, -3], [far, high, -3], [-far, high, -3.0]], [(0, 1, 2, 3)]
    )
    made = seen(white(FLOOR, wall), FAR)
    floor = (made.id == 0) & (made.position[..., 2] > -2.999)
    away = made.position[floor][:, 2] + 3
    hidden = 0.5 * (1 - away / np.hypot(away, high))
    assert floor.sum() > 10_000
    assert made.darkening[floor] == pytest.approx(1 - hidden, abs=2e-3)
    foot = (made.id == 1) & (made.position[..., 1] > 1e-3)
    up = made.position[foot][:, 1]
    before = 3.4 + 3  # the floor ends there, and is 18 m wide
    side = made.position[foot][:, 0]
    middle = np.abs(side) < 0.5
    strip = 0.5 * (1 - up / np.hypot(up, before))
    assert made.darkening[foot][middle] == pytest.approx(1 - strip[middle], abs=0.03)


@pytest.mark.parametrize("high", [1.3, 2.5])
def test_a_ball_hides_as_much_as_its_disc_does(high):
    """A ball over a floor, its middle at `high`: the square of the sine of half its width, times
    the cosine of where it is seen. It is a polyhedron, which is a little smaller."""
    radius = 0.8
    ball = sphere(np.array([0, high, -2.0]), radius, 24, 12)
    made = seen(white(FLOOR, ball), FAR)
    floor = made.id == 0
    away = made.position[floor] - [0, high, -2.0]
    far = np.linalg.norm(away, axis=1)
    up = high / far
    whole = far * up > radius + 1e-6  # none of it is below the floor
    expected = (radius / far) ** 2 * up
    assert whole.sum() > 5000
    assert made.darkening[floor][whole] == pytest.approx(1 - expected[whole], abs=0.02)


def test_a_box_on_a_floor_hides_what_rays_meet():
    low, high = np.array([-0.6, 0.0, -2.4]), np.array([0.5, 1.2, -1.4])
    made = seen(white(FLOOR, box(low, high)), FAR)
    rng = np.random.default_rng(5)
    floor = np.argwhere(made.id == 0)
    for row, column in rng.permutation(floor)[:60]:
        at = made.position[row, column].astype(float)
        u, turn = rng.random(4000), rng.random(4000) * 2 * np.pi
        ways = np.stack([np.sqrt(u) * np.cos(turn), np.sqrt(1 - u), np.sqrt(u) * np.sin(turn)], 1)
        with np.errstate(divide="ignore"):
            near, far = (low - at) / ways, (high - at) / ways
        into = np.minimum(near, far).max(axis=1)
        out = np.maximum(near, far).min(axis=1)
        hit = (into < out) & (out > 1e-9)
        assert made.darkening[row, column] == pytest.approx(1 - hit.mean(), abs=0.04)


def test_reach_strength_and_shares_say_how_much_and_the_frame_shows_it():
    cast = white(FLOOR, box([-0.6, 0.0, -2.4], [0.5, 1.2, -1.4]), grey=0.5)
    whole, near = seen(cast, FAR), seen(cast, 0.4)
    floor = near.id == 0
    place = near.position
    outside = np.maximum(np.array([-0.6, 0, -2.4]) - place, place - np.array([0.5, 1.2, -1.4]))
    away = np.linalg.norm(outside.clip(0), axis=2)
    assert (near.darkening[floor & (away > 0.41)] == 1).all()
    assert (near.darkening[floor & (away < 0.2)] < 1).all()
    assert (near.darkening >= whole.darkening - 1e-6).all()
    half = seen(cast, 0.4, strength=0.5)
    assert half.darkening == pytest.approx(0.5 + 0.5 * near.darkening, abs=1e-6)
    none = seen(cast, 0.4, shares={0: 0.0})
    assert (none.darkening[floor] == 1).all()
    assert (seen(cast, 0.4, casts=frozenset()).darkening == 1).all()
    plain = film(cast, LENS).beauty
    steady = floor & (away > 0.01)
    expected = 0.5 * near.darkening[steady] ** (1 / 2.2)
    off = np.abs(near.beauty[steady][:, 0] - expected)
    assert np.quantile(off, 0.99) < 2e-3
    assert np.array_equal(near.beauty[floor & (away > 1)], plain[floor & (away > 1)])


def test_it_darkens_lights_too_and_is_the_same_from_frame_to_frame():
    cast = white(FLOOR, box([-0.6, 0.0, -2.4], [0.5, 1.2, -1.4]))
    sky = Light("sky", (0.8, 0.8, 0.8), does="replaces")
    alone = film(cast, ASIDE, ("light",), dress=Dress((sky,))).light
    both = Dress((sky,), darkening=Darkening(0.7, 0.5, casts=frozenset({0, 1})))
    made = film(cast, ASIDE, ("light", "darkening"), dress=both)
    assert made.light == pytest.approx(alone * made.darkening[..., None], abs=1e-5)
    assert np.array_equal(
        film(cast, ASIDE, dress=both).beauty, film(cast, ASIDE, dress=both).beauty
    )


def test_the_corners_of_a_room_are_dark_from_within_it():
    room = box([-2.0, 0.0, -5.0], [2.0, 3.0, 5.0])
    made = seen(white(room), FAR)
    left = made.darkening[made.id == 0]
    assert left == pytest.approx(0.0, abs=1e-6)  # all around there is the room
    near = seen(white(room), 0.5)
    place = near.position
    walls = np.sort(np.minimum(place - [-2, 0, -5], [2, 3, 5] - place), axis=2)[..., 1]
    inside = near.id == 0
    assert (near.darkening[inside & (walls > 0.51)] == 1).all()
    assert (near.darkening[inside & (walls < 0.05)] < 0.75).all()
