"""Zero and size, and what stands in the world when they change."""

import numpy as np
import pytest

from jade_lantern.core.change import changed
from jade_lantern.core.pick import on_level
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.scene.edits import (
    AddTape,
    AlterTape,
    Resettle,
    SetDatum,
    SetEyeHeight,
    SetLock,
    apply,
)
from jade_lantern.core.scene.model import Scene
from jade_lantern.core.sight.lens import Lens
from jade_lantern.core.sight.measure import (
    camera_of,
    horizon,
    placement,
    required_camera,
)
from jade_lantern.core.sight.reading import reading
from jade_lantern.core.sight.sighted import lens_of_scene
from jade_lantern.demo.project import DATUM, seen
from jade_lantern.demo.world import EYE_HEIGHT_M, FACADE_X, lens


@pytest.fixture
def unlocked(demo_scene: Scene) -> Scene:
    return apply(demo_scene, SetLock(locked=False))


def test_the_demo_is_sighted_as_it_was_taken(demo_scene):
    camera, truth = required_camera(demo_scene), lens()
    assert camera.focal_px == pytest.approx(truth.focal_px, rel=0.02)
    assert np.allclose(camera.position, truth.position - DATUM, atol=0.08)
    read = reading(demo_scene)
    assert read.verdict == "True"
    assert read.tilt_deg.value == pytest.approx(4.2, abs=3 * read.tilt_deg.sigma)
    assert read.roll_deg.value == pytest.approx(0.9, abs=3 * read.roll_deg.sigma)
    assert read.eye_height_m.value == pytest.approx(EYE_HEIGHT_M, abs=0.02)


def test_the_datum_is_the_worlds_zero(demo_scene):
    camera = required_camera(demo_scene)
    assert np.allclose(on_level(camera, demo_scene.sighting.datum), 0, atol=1e-9)


def test_the_horizon_is_where_level_rays_are_seen(demo_scene):
    camera = required_camera(demo_scene)
    sighted = lens_of_scene(demo_scene)
    assert isinstance(sighted, Lens)
    a, b, c = horizon(sighted)
    for direction in ([0, 0, -1], [0.4, 0, -1], [0.9, 0, -0.5]):
        (x, y), _ = camera.project(camera.position + np.array(direction) * 1e3)
        assert a * x + b * y + c == pytest.approx(0, abs=1e-6)
    assert a * 900 + b * 1200 + c > 0  # the ground


@pytest.mark.parametrize("metres", [5e-324, 1e-200, 1e-12])
def test_a_length_that_no_world_can_be_built_of_is_refused(unlocked, metres):
    with pytest.raises(Refusal, match="too small"):
        changed(unlocked, SetEyeHeight(metres=metres))


def test_tapes_that_disagree_share_one_scale_and_say_by_how_much(unlocked):
    camera = lens()
    ends = (seen(camera, (FACADE_X, 0, -5)), seen(camera, (FACADE_X, 0, -10)))
    _, scene = changed(unlocked, SetEyeHeight(metres=None))
    _, scene = changed(scene, AddTape(points=ends, length_m=5.5))
    read = reading(scene)
    assert [t.off_m for t in read.tapes] == pytest.approx([0.07, -0.25], abs=0.05)
    assert 1.6 < read.eye_height_m.value < 1.76
    assert read.eye_height_m.sigma > 0.03


def test_known_lengths_that_do_not_agree_are_pointed_out(unlocked):
    assert not reading(unlocked).lengths_disagree
    read = reading(apply(unlocked, SetEyeHeight(metres=1.3 * EYE_HEIGHT_M)))
    assert len(unlocked.sighting.tapes) > 0
    assert read.lengths_disagree
    assert "do not agree" in read.next_step


def test_a_datum_above_the_horizon_is_refused_and_nothing_changes(unlocked):
    with pytest.raises(Refusal, match="above the horizon"):
        changed(unlocked, SetDatum(point=(900.0, 100.0)))


def test_ground_is_not_found_in_the_sky(demo_scene):
    with pytest.raises(Refusal, match="horizon"):
        on_level(required_camera(demo_scene), (900, 100))


@pytest.mark.parametrize(
    "change",
    [
        SetDatum(point=(400.0, 1100.0)),
        SetEyeHeight(metres=3.2),
        AlterTape(tape="tape-12", length_m=4.0),
    ],
)
def test_nothing_moves_in_the_picture_when_zero_or_size_change(unlocked, change):
    edit, after = changed(unlocked, change)
    assert isinstance(edit, Resettle)
    old, new = required_camera(unlocked), required_camera(after)
    for a, b in zip(unlocked.proxies, after.proxies, strict=True):
        before, _ = old.project(a.mesh(old).points)
        now, _ = new.project(b.mesh(new).points)
        assert np.allclose(before, now, atol=1e-6)
    for k, m in zip(unlocked.move.aim, after.move.aim, strict=True):
        assert np.allclose(old.project(np.array(k.at))[0], new.project(np.array(m.at))[0])


def test_the_ground_under_what_stands_cannot_be_taken_away(unlocked):
    with pytest.raises(Refusal, match="Proxies stand"):
        changed(unlocked, SetDatum(point=None))


def test_without_a_size_there_is_no_place(unlocked):
    sighting = unlocked.sighting.model_copy(update={"eye_height_m": None, "tapes": ()})
    bare = unlocked.model_copy(update={"sighting": sighting, "proxies": ()})
    assert camera_of(bare) is None
    sighted = lens_of_scene(bare)
    assert isinstance(sighted, Lens)
    assert placement(sighted, sighting) is None
    with pytest.raises(Refusal, match="eye height or a tape"):
        required_camera(bare)
    assert "size" in reading(bare).next_step
