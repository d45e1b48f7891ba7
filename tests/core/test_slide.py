"""The stated slide against sightings drawn from their own uncertainty, and what would help."""

import numpy as np
import pytest

from jade_lantern.core.change import changed
from jade_lantern.core.move.helps import helps
from jade_lantern.core.move.ready import Push, Truck
from jade_lantern.core.move.slide import FREE, borders, parallax, sureness, varied
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.scene.edits import AlterProxy, SetKeys, apply
from jade_lantern.core.scene.model import ByEye
from jade_lantern.core.scene.shot import shot_camera
from jade_lantern.core.sight.measure import camera_under, required_camera
from jade_lantern.core.sight.sighted import lens_of_scene

LAST = 95
DRAWS = 500


def moved(scene, change):
    return changed(apply(scene, SetKeys(keys=())), change)[1]


@pytest.mark.parametrize("move", [Push(distance_m=1.7), Truck(distance_m=0.8)])
def test_the_stated_slide_is_that_of_sightings_drawn_from_their_uncertainty(demo_scene, move):
    scene = moved(demo_scene, move)
    sure = sureness(scene, LAST)
    lens, sighted = lens_of_scene(scene), required_camera(scene)
    shot = shot_camera(scene, LAST, sighted)
    draws = np.random.default_rng(6).multivariate_normal(
        np.zeros(FREE), lens.covariance[:FREE, :FREE], DRAWS
    )
    cameras = [camera_under(varied(lens, by), scene.sighting) for by in draws]
    every = list(borders(scene, sighted))
    for slide in sure.slides[:3]:
        border = next(
            b for b in every
            if (b.near, b.far) == (slide.proxy, slide.against)
            and tuple(b.on_near.pixel) == slide.at
        )  # fmt: skip
        there = np.array([parallax(one, sighted, shot, [border])[0] for one in cameras])
        now = parallax(sighted, sighted, shot, [border])[0]
        rms = np.sqrt(((there - now) ** 2).sum(axis=1).mean())
        assert slide.px == pytest.approx(rms, rel=0.1)


def test_where_the_camera_does_not_move_nothing_slides(demo_scene):
    still = apply(demo_scene, SetKeys(keys=()))
    assert all(slide.px < 1e-3 for slide in sureness(still, 0).slides)
    near, far = (sureness(moved(demo_scene, Push(distance_m=d)), LAST) for d in (0.5, 1.7))
    assert far.slides[0].px > 2 * near.slides[0].px
    assert [s.px for s in far.slides] == sorted((s.px for s in far.slides), reverse=True)


def test_the_edge_that_would_help_most_makes_the_slide_smaller(demo_scene):
    sure = sureness(moved(demo_scene, Truck(distance_m=0.8)), LAST)
    assert sure.better.px < sure.slides[0].px
    assert sure.better.heading in ("across", "away", "up")


def test_of_a_camera_that_was_set_by_eye_nobody_knows_how_sure_it_is(demo_scene):
    sighting = demo_scene.sighting.model_copy(
        update={"traces": (), "by_eye": ByEye(focal_px=1700.0, tilt_deg=4), "locked": False}
    )
    with pytest.raises(Refusal, match="by eye"):
        sureness(demo_scene.model_copy(update={"sighting": sighting}), 0)


def test_what_would_help_is_told_by_what_it_brings(demo_scene):
    scene = moved(demo_scene, Push(distance_m=1.7))
    found = helps(scene, LAST, sureness(scene, LAST))
    shares = [one.share for one in found if one.kind != "trace"]
    assert shares == sorted(shares, reverse=True)
    ids = {p.id for p in scene.proxies}
    assert all(one.proxy in ids for one in found if one.proxy)
    # behind the crates nobody has painted yet, and their picture lands there
    assert any(one.kind in ("paint", "split") for one in found)
    # sideways the frame goes past the plate's edge
    aside = helps(moved(demo_scene, Truck(distance_m=0.8)), LAST, None)
    assert aside[0].kind == "extend"


def test_a_hole_is_told_by_the_proxy_beside_it(demo_scene):
    scene = moved(demo_scene, Push(distance_m=1.0))
    wall = next(p for p in scene.proxies if p.name == "workshop 1")
    holed = apply(scene, AlterProxy.model_validate({"proxy": wall.id, "to": {"hidden": True}}))
    sky = [p.id for p in holed.proxies if not p.stands]
    for id in sky:
        holed = apply(holed, AlterProxy.model_validate({"proxy": id, "to": {"hidden": True}}))
    found = [one for one in helps(holed, 0, None) if one.kind == "widen"]
    assert found
    assert found[0].share > 0.02
