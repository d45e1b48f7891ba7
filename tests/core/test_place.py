"""From the picture to the world: what is picked stands where the truth has it."""

import numpy as np
import pytest

from jade_lantern.core.block.gestures import (
    Hang,
    LayGround,
    PullCorner,
    Raise,
    Slide,
    Stand,
    Swing,
)
from jade_lantern.core.change import changed
from jade_lantern.core.pick import Ray, on_level
from jade_lantern.core.proxy import Box, Card, Drum, Floor
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.scene.model import Scene
from jade_lantern.core.sight.measure import required_camera


@pytest.fixture
def bare(demo_scene: Scene) -> Scene:
    """The demo's camera with nothing stood yet."""
    return demo_scene.model_copy(update={"proxies": ()})


def pixel(scene: Scene, *point: float) -> tuple[float, float]:
    (x, y), depth = required_camera(scene).project(np.array(point))
    assert depth > 0
    return float(x), float(y)


def stood(scene: Scene, proxy) -> Scene:
    """The scene with a proxy added from picks of its own feet and top."""
    feet = proxy.base_in_world()
    top = (feet[0][0], proxy.level_m + proxy.height_m, feet[0][2])
    picks = [pixel(scene, *f) for f in feet[: 3 if proxy.kind == "box" else 2]]
    return changed(scene, Stand(kind=proxy.kind, feet=tuple(picks), top=pixel(scene, *top)))[1]


def test_a_box_stands_where_its_feet_were_picked(bare):
    crate = Box(
        id="box-0", name="c", x=-1.4, z=-2, turn_deg=20, width_m=0.9, depth_m=0.7, height_m=0.8
    )
    made = stood(bare, crate).proxies[0]
    for name in ("x", "z", "width_m", "depth_m", "height_m", "turn_deg"):
        assert getattr(made, name) == pytest.approx(getattr(crate, name), abs=1e-6)


def test_a_card_stands_through_its_two_feet(bare):
    card = Card(id="card-0", name="c", x=-2, z=-6, turn_deg=-75, width_m=3, height_m=2.2)
    made = stood(bare, card).proxies[0]
    assert np.allclose(
        made.mesh(required_camera(bare)).points, card.mesh(required_camera(bare)).points
    )


def test_a_drum_stands_on_its_foot(bare):
    left, right = (-2.3, 0, -4), (-1.7, 0, -4.2)
    gesture = Stand(
        kind="drum", feet=(pixel(bare, *left), pixel(bare, *right)), top=pixel(bare, -2, 0.9, -4.1)
    )
    drum = changed(bare, gesture)[1].proxies[0]
    assert isinstance(drum, Drum)
    assert (drum.x, drum.z) == pytest.approx((-2, -4.1))
    assert drum.radius_m == pytest.approx(np.hypot(0.6, 0.2) / 2)
    assert drum.height_m == pytest.approx(0.9)


def test_a_floor_spans_its_two_corners(bare):
    gesture = Stand(kind="floor", feet=(pixel(bare, -4, 0, -3), pixel(bare, -1, 0, -9)))
    floor = changed(bare, gesture)[1].proxies[0]
    assert isinstance(floor, Floor)
    assert (floor.x, floor.z, floor.width_m, floor.depth_m) == pytest.approx((-2.5, -6, 3, 6))


def test_the_sky_is_not_a_place_to_stand(bare):
    with pytest.raises(Refusal, match="above the horizon"):
        changed(bare, Stand(kind="card", feet=((300.0, 100.0), (900.0, 1200.0))))


def test_a_top_below_the_foot_is_refused(bare):
    feet = (pixel(bare, -2, 0, -4), pixel(bare, -1, 0, -4))
    with pytest.raises(Refusal, match="above the foot"):
        changed(bare, Stand(kind="card", feet=feet, top=(feet[0][0], feet[0][1] + 60)))


def test_a_box_needs_three_feet(bare):
    with pytest.raises(Refusal, match="3 feet"):
        changed(bare, Stand(kind="box", feet=((900.0, 1200.0), (800.0, 1200.0))))


def test_a_point_on_the_ground_stays_on_the_ground_when_slid(bare):
    scene = stood(bare, Box(id="box-0", name="c", x=-1.4, z=-2, width_m=1, depth_m=1, height_m=1))
    gesture = Slide(
        proxy=scene.proxies[0].id, start=pixel(bare, -1, 0, -2), end=pixel(bare, -3, 0, -5)
    )
    moved = changed(scene, gesture)[1].proxies[0]
    assert (moved.x, moved.level_m, moved.z) == pytest.approx((-3.4, 0, -5))


def test_a_ray_from_another_view_picks_as_a_pixel_does(bare):
    camera = required_camera(bare)
    ray = Ray(origin=(-3, 5, -5), direction=(0, -1, 0))
    assert np.allclose(on_level(camera, ray), (-3, 0, -5))
    assert np.allclose(on_level(camera, pixel(bare, -3, 0, -5)), (-3, 0, -5))


def test_pulling_a_corner_leaves_the_one_across_from_it(bare):
    scene = stood(
        bare, Box(id="box-0", name="c", x=-2, z=-4, turn_deg=30, width_m=1, depth_m=1, height_m=1)
    )
    old = scene.proxies[0]
    to = (-1.2, 0.0, -2.6)
    pulled = changed(scene, PullCorner(proxy=old.id, corner=0, to=pixel(bare, *to)))[1].proxies[0]
    assert np.allclose(pulled.base_in_world()[2], old.base_in_world()[2], atol=1e-6)
    assert np.allclose(pulled.base_in_world()[0], to, atol=1e-6)


def test_a_top_is_raised_to_where_it_shows_and_a_turn_turns(bare):
    scene = stood(bare, Card(id="card-0", name="c", x=-2, z=-6, width_m=2, height_m=2))
    id = scene.proxies[0].id
    assert changed(scene, Raise(proxy=id, to=pixel(bare, -2, 3.1, -6)))[1].proxies[
        0
    ].height_m == pytest.approx(3.1)
    swing = Swing(proxy=id, start=pixel(bare, -1, 0, -6), end=pixel(bare, -2, 0, -7))
    assert changed(scene, swing)[1].proxies[0].turn_deg == pytest.approx(90)


def test_a_backdrop_fills_the_frame_with_its_margin(bare):
    scene = changed(bare, Hang(distance_m=80, margin=0.25))[1]
    camera = required_camera(scene)
    pixels, depth = camera.project(scene.proxies[0].mesh(camera).points)
    assert np.allclose(depth, 80)
    assert np.allclose(pixels.min(axis=0), (-480, -320))
    assert np.allclose(pixels.max(axis=0), (2400, 1600))


def test_the_ground_laid_covers_all_that_the_lens_sees_of_it(bare):
    scene = changed(bare, LayGround())[1]
    camera = required_camera(scene)
    floor = scene.proxies[0].base_in_world()
    a, b, d = floor[0], floor[1], floor[3]
    for p in ((0, 1279), (1919, 1279), (0, 900), (1919, 900)):
        at = on_level(camera, p) - a
        for side in (b - a, d - a):
            assert 0 < at @ side / (side @ side) < 1


def test_handles_lie_on_the_proxy(demo_scene):
    for proxy in demo_scene.proxies:
        roles = [h.role for h in proxy.handles()]
        assert len(roles) == len(set(roles))
        if proxy.kind == "box":
            assert roles == ["foot", "corner-0", "corner-1", "corner-2", "corner-3", "turn", "top"]


def test_gestures_on_what_is_gone_are_refused(bare):
    with pytest.raises(Refusal, match="not there any more"):
        changed(bare, Raise(proxy="box-77", to=(5.0, 5.0)))
