"""Another photograph of a place, against the camera that it was truly taken by."""

import contextlib
from dataclasses import replace

import cv2
import numpy as np
import pytest

from jade_lantern.core.camera import Camera, focal_35mm, rotation_of, tilt_roll_yaw
from jade_lantern.core.cast.compare import off
from jade_lantern.core.cast.ofscene import lantern_camera, targets
from jade_lantern.core.cast.photograph import PlacePhotograph, evened, placed
from jade_lantern.core.change import changed
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.render.film import film
from jade_lantern.core.render.land import Cast, Thrower
from jade_lantern.core.render.pyramid import pyramid
from jade_lantern.core.scene.edits import AddLantern, PutLanterns, apply
from jade_lantern.core.scene.model import LanternView
from jade_lantern.core.sight.measure import required_camera
from tests.core.test_gather import Pictures, place, psnr

WIDE = 900, 600


def scene_and_truth():
    """A place with one still, sighted exactly, and what it truly looks like from anywhere."""
    scene, pictures, truth = place(exposed=False, passing=False)
    plain = scene.plate.model_copy(update={"playing": None})
    return scene.model_copy(update={"plate": plain, "passed": None}), pictures, truth


def taken(number, wide=WIDE):
    """A photograph some metres away, turned towards the same things, with another lens."""
    rng = np.random.default_rng(number)
    at = np.array([rng.uniform(0.5, 3.5), rng.uniform(1.2, 2.2), rng.uniform(-0.5, 1.5)])
    yaw = -np.degrees(np.arctan2(at[0] + rng.uniform(0.5, 1.5), 7.0))
    turn = rotation_of(rng.uniform(-7, -1), rng.uniform(-3, 3), yaw)
    return Camera.centred(*wide, rng.uniform(650, 900), turn, at)


@pytest.mark.parametrize("number", range(4))
def test_it_is_placed_within_what_it_says_and_lies_on_the_cast(number):
    scene, pictures, truth = scene_and_truth()
    true = taken(number)
    photo = (truth(true)[..., :3] * 0.8).astype(np.uint8)
    found = placed(scene, pictures.frames[0], photo)
    off = np.linalg.norm(found.camera.position - true.position)
    assert off < max(3 * found.position_m, 0.02)
    assert abs(np.log(found.camera.focal_px / true.focal_px)) < max(3 * found.focal, 2e-3)
    assert found.position_m < 0.2
    assert found.shift_px < 1.0
    assert found.gain == pytest.approx([1.25] * 3, abs=0.04)
    # where it matters: what stands lies within a pixel of where it truly is in the photograph
    corners = np.array([[x, y, z] for x in (-0.2, 0.8) for y in (0, 1.2) for z in (-4.4, -3.6)])
    both = found.camera.project(corners)[0], true.project(corners)[0]
    assert np.abs(both[0] - both[1]).max() < 1.5


def test_what_one_photograph_hides_the_other_fills():
    scene, pictures, truth = scene_and_truth()
    photo = (truth(taken(1))[..., :3] * 0.8).astype(np.uint8)
    found = placed(scene, pictures.frames[0], photo)
    sighted = required_camera(scene)
    lanterns = [
        Thrower(sighted, pyramid(pictures.frames[0]), through=False),
        Thrower(found.camera, pyramid(evened(photo, found.gain)), through=False),
    ]
    made = {}
    for takes in ((0,), (0, 1)):
        there = [replace(one, lanterns=takes) for one in targets(scene, sighted)]
        shot = Camera.centred(480, 270, 420.0, rotation_of(-4, 0, 2), np.array([-0.4, 1.6, 0.8]))
        made[takes] = film(Cast(there, lanterns), shot).beauty
    filled = (made[0,][..., 3] == 0) & (made[0, 1][..., 3] == 255)
    inner = cv2.erode(filled.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    assert inner.mean() > 0.01
    assert psnr(made[0, 1][..., :3], truth(shot)[..., :3], inner) > 34


def test_what_cannot_be_placed_is_said():
    scene, pictures, _ = scene_and_truth()
    rng = np.random.default_rng(5)
    other = rng.integers(0, 255, (400, 600, 3)).astype(np.uint8)
    with pytest.raises(Refusal, match="Too little"):
        placed(scene, pictures.frames[0], other)
    with pytest.raises(Refusal, match="Too little"):
        placed(scene, pictures.frames[0], np.full((300, 300, 3), 80, np.uint8))
    bare = scene.model_copy(update={"proxies": ()})
    with pytest.raises(Refusal, match="Nothing stands"):
        placed(bare, pictures.frames[0], other)


def test_it_is_a_change_like_any_other():
    scene, pictures, truth = scene_and_truth()
    scene = apply(scene, AddLantern(name="aside"))
    true = taken(2)
    photo = (truth(true)[..., :3] * 0.8).astype(np.uint8)
    kept = Pictures([pictures.frames[0]])
    with pytest.raises(Refusal, match="no picture of its own"):
        changed(scene, PlacePhotograph(lantern=scene.lanterns[-1].id), kept)
    plate = scene.plate.model_copy(
        update={"digest": "d" * 64, "width": WIDE[0], "height": WIDE[1], "picture": 1}
    )
    kept.frames.append(photo)
    mine = scene.lanterns[-1].model_copy(update={"plate": plate})
    scene = apply(scene, PutLanterns(lanterns=(mine,), said="Bring"))
    edit, after = changed(scene, PlacePhotograph(lantern=mine.id), kept)
    camera = lantern_camera(after.lanterns[-1], required_camera(after))
    assert camera.position == pytest.approx(true.position, abs=0.1)
    assert not after.lanterns[-1].through
    assert after.lanterns[-1].earlier[0].digest == "d" * 64  # as it came
    assert "Place aside: ±" in edit.title(scene)
    assert np.median(kept.brought / np.maximum(photo, 1.0)) == pytest.approx(1.25, abs=0.05)


def test_how_far_it_is_off_is_what_it_was_moved_by():
    scene, pictures, truth = scene_and_truth()
    scene = apply(scene, AddLantern(name="aside"))
    true = taken(2)
    photo = truth(true)[..., :3].astype(np.uint8)
    noise = np.random.default_rng(1).integers(0, 255, photo.shape).astype(np.uint8)
    kept = Pictures([pictures.frames[0], photo, np.roll(photo, 3, axis=1), noise])
    tilt, roll, yaw = tilt_roll_yaw(true.rotation)
    view = LanternView(
        position=tuple(true.position.tolist()), tilt_deg=tilt, roll_deg=roll, yaw_deg=yaw,
        width=WIDE[0], height=WIDE[1], focal_mm=focal_35mm(true.focal_px, *WIDE),
    )  # fmt: skip

    def lantern(number):
        plate = scene.plate.model_copy(
            update={"digest": "d" * 64, "width": WIDE[0], "height": WIDE[1], "picture": number}
        )
        return scene.lanterns[-1].model_copy(update={"view": view, "plate": plate})

    for number, moved in ((1, 0), (2, 3)):
        found = off(scene, lantern(number), kept.deep)
        assert found.within(0.5) == pytest.approx(moved, abs=0.3)
        assert found.share > 0.2
        shown, known = found.picture(), np.isfinite(found.shift)
        assert (shown[~known] == shown[~known][:, :1]).all()  # grey where they share nothing
        red, green, blue = np.median(shown[known], axis=0)
        assert (red > green) == (moved == 3)  # from green to yellow to red
        assert blue < green
    with pytest.raises(Refusal, match="nowhere like"):
        off(scene, lantern(3), kept.deep)
    with pytest.raises(Refusal, match="a place of its own"):
        off(scene, scene.lanterns[0], kept.deep)


PICKED = np.array([
    [-0.15, 1.2, -3.55], [0.75, 1.2, -3.55], [0.75, 0.0, -3.55], [-0.15, 0.0, -3.55],
    [-2.5, 2.5, -7.0], [1.0, 2.6, -7.0],
])  # fmt: skip


def picked(scene, true, count, rng, off=1.0):
    """Places that a hand picks in both pictures: of the crate's front, and on the wall."""
    at = [required_camera(scene).project(PICKED[:count])[0], true.project(PICKED[:count])[0]]
    still, photo = (np.round(one + rng.normal(0, off, one.shape), 1) for one in at)
    return tuple((tuple(a), tuple(b)) for a, b in zip(still.tolist(), photo.tolist(), strict=True))


@pytest.mark.parametrize(
    ("count", "known", "least"), [(3, True, 3), (4, True, 6), (5, False, 4), (6, False, 6)]
)
def test_picked_places_place_what_cannot_be_matched(count, known, least):
    """Another day's paint: nothing of it looks like the still. Three places often fit two cameras,
    and a lens that is not known needs more of them: that is said."""
    scene, pictures, _ = scene_and_truth()
    rng = np.random.default_rng(count)
    there = 0
    for number in range(6):
        true = taken(number)
        grey = np.full((WIDE[1], WIDE[0], 3), 90, np.uint8)
        mm = focal_35mm(true.focal_px, *WIDE) if known else None
        picks = picked(scene, true, count, rng, off=0.7)
        found = None
        with contextlib.suppress(Refusal):
            found = placed(scene, pictures.frames[0], grey, mm, picks)
        if found is None:
            with pytest.raises(Refusal, match="Pick one more"):
                placed(scene, pictures.frames[0], grey, mm, picks)
            continue
        there += 1
        assert np.linalg.norm(found.camera.position - true.position) < 3 * found.position_m
        assert found.position_m < 1.2
        assert found.matched == count
        assert np.isnan(found.shift_px)
    assert there >= least


def test_picked_places_are_made_finer_by_all_that_both_show():
    scene, pictures, truth = scene_and_truth()
    true = taken(1)
    photo = (truth(true)[..., :3] * 0.8).astype(np.uint8)
    picks = picked(scene, true, 4, np.random.default_rng(1))
    found = placed(scene, pictures.frames[0], photo, None, picks)
    assert np.linalg.norm(found.camera.position - true.position) < 0.05
    assert found.shift_px < 1.0


def test_places_that_agree_with_no_camera_are_said():
    scene, pictures, truth = scene_and_truth()
    true = taken(1)
    photo = truth(true)[..., :3]
    picks = list(picked(scene, true, 6, np.random.default_rng(1)))
    wrong = [(a, b) for (a, _), (_, b) in zip(picks, picks[3:] + picks[:3], strict=True)]
    with pytest.raises(Refusal, match="agree with no camera"):
        placed(scene, pictures.frames[0], photo, None, wrong)
    with pytest.raises(Refusal, match="3 places at least"):
        placed(scene, pictures.frames[0], photo, None, picks[:2])
    with pytest.raises(Refusal, match="Nothing stands at place 1"):
        placed(scene, pictures.frames[0], photo, None, [((-500.0, -900.0), (1.0, 1.0)), *picks])
