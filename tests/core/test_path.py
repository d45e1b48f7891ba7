"""The shot camera in time."""

import json
from fractions import Fraction

import numpy as np
import pytest
from scipy.interpolate import PchipInterpolator
from scipy.spatial.transform import Rotation, Slerp

from jade_lantern.core.camera import rotation_of, tilt_roll_yaw
from jade_lantern.core.change import changed
from jade_lantern.core.move.rate import exact_rate
from jade_lantern.core.move.ready import Push
from jade_lantern.core.move.steer import Steer, SteerStep
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.scene.document import as_text, read
from jade_lantern.core.scene.edits import SetKeys, SetShotTrack, apply
from jade_lantern.core.scene.shot import key_from, shot_camera, shot_cameras, shot_keys
from jade_lantern.core.scene.timed import Key
from jade_lantern.core.sight.measure import required_camera
from jade_lantern.core.track import PointKey, TrackKey, eased


def attitude(k):
    """(3, 3) the rotation that looks from a key's position at its aim, rolled."""
    way = np.subtract(k.aim, k.position) / np.linalg.norm(np.subtract(k.aim, k.position))
    tilt, yaw = np.degrees(np.arcsin(way[1])), np.degrees(np.arctan2(way[0], -way[2]))
    return rotation_of(tilt, k.roll_deg, yaw)


def keyed(scene, *keys):
    return apply(scene, SetKeys(keys=keys))


def key(frame, x=0.0, z=0.0, aim=(0, 1.6, -10), **more):
    return Key(frame=frame, position=(x, 1.6, z), aim=aim, focal_mm=30, **more)


def test_a_key_taken_from_a_camera_is_that_camera(demo_scene):
    camera = required_camera(demo_scene)
    assert np.allclose(attitude(key_from(camera, 0, 5, 30)), camera.rotation, atol=1e-12)


def test_a_push_begins_at_the_lens_and_goes_straight_in(demo_scene):
    camera = required_camera(demo_scene)
    scene = changed(demo_scene, Push(distance_m=2.0))[1]
    first, last = (shot_camera(scene, f, camera) for f in (0, 95))
    assert np.allclose(first.position, camera.position)
    assert np.allclose(first.rotation, camera.rotation, atol=1e-12)
    assert first.focal_px == pytest.approx(camera.focal_px)
    by = last.position - first.position
    assert by[1] == pytest.approx(0)
    assert np.linalg.norm(by) == pytest.approx(2)
    assert np.cross(by, camera.forward * [1, 0, 1]) == pytest.approx(np.zeros(3), abs=1e-9)


def test_without_keys_the_shot_stands_at_the_lens(demo_scene):
    camera = required_camera(demo_scene)
    assert shot_camera(keyed(demo_scene), 50, camera) is camera


def test_every_key_is_met_on_its_frame(demo_scene):
    camera = required_camera(demo_scene)
    keys = (key(0), key(30, 1, -2, ease="none"), key(70, -1, -4, ease="in"), key(95, 0, -5))
    cameras = shot_cameras(
        keyed(demo_scene, *keys), np.array([k.frame for k in keys], float), camera
    )
    for k, c in zip(keys, cameras, strict=True):
        assert np.allclose(c.position, k.position)
        assert np.allclose(c.rotation, attitude(k), atol=1e-9)


@pytest.mark.parametrize(
    ("ease", "start", "end"),
    [("none", 1, 1), ("both", 0, 0), ("out", 0, 1), ("in", 1, 0)],
)
def test_an_ease_stands_still_at_its_end_of_the_stretch(demo_scene, ease, start, end):
    keys = (key(0, ease=ease), key(90, 0, -9, ease=ease))
    frames = np.array([0, 0.01, 89.99, 90])
    at = [
        c.position[2]
        for c in shot_cameras(keyed(demo_scene, *keys), frames, required_camera(demo_scene))
    ]
    assert (at[0] - at[1]) / 0.001 == pytest.approx(start, abs=0.01)
    assert (at[2] - at[3]) / 0.001 == pytest.approx(end, abs=0.01)


def test_a_camera_that_passes_its_aim_does_not_flip(demo_scene):
    aim = (0.0, 1.6, -3.0)
    keys = (key(0, aim=aim), key(60, 0, -6, aim=(0, 1.6, -3.0 - 6)))
    cameras = shot_cameras(keyed(demo_scene, *keys), np.arange(61.0), required_camera(demo_scene))
    forward = np.array([c.forward for c in cameras])
    assert (np.einsum("ij,ij->i", forward[1:], forward[:-1]) > 0.999).all()


def test_before_the_first_key_and_after_the_last_the_camera_waits(demo_scene):
    camera = required_camera(demo_scene)
    scene = keyed(demo_scene, key(20), key(40, 0, -2))
    a, b = shot_cameras(scene, np.array([0.0, 95.0]), camera)
    assert a.position[2] == 0
    assert b.position[2] == -2


def test_a_key_here_does_not_change_the_picture_there(demo_scene):
    camera = required_camera(demo_scene)
    before = shot_camera(demo_scene, 40, camera)
    after = shot_camera(changed(demo_scene, Steer(frame=40))[1], 40, camera)
    assert np.allclose(before.position, after.position)
    assert np.allclose(before.rotation, after.rotation, atol=1e-9)


def test_a_step_goes_along_the_cameras_own_axes(demo_scene):
    camera = required_camera(demo_scene)
    scene = changed(
        keyed(demo_scene), Steer(frame=10, steps=(SteerStep(right_m=1, up_m=2, forward_m=3),))
    )[1]
    step = camera.rotation @ (np.array(scene.move.position[0].at) - camera.position)
    assert np.allclose(step, (1, 2, -3))


def test_a_key_past_the_end_is_refused(demo_scene):
    with pytest.raises(Refusal, match="past the end"):
        changed(demo_scene, Steer(frame=500))


@pytest.mark.parametrize(
    ("written", "exact"),
    [
        (23.976, Fraction(24000, 1001)), (23.98, Fraction(24000, 1001)),
        (29.97, Fraction(30000, 1001)), (59.94, Fraction(60000, 1001)), (24, Fraction(24)),
        (25.0, Fraction(25)), (12.5, Fraction(25, 2)), (240, Fraction(240)), (1, Fraction(1)),
    ],
)  # fmt: skip
def test_frame_rates_are_exact(written, exact):
    assert exact_rate(written) == exact


def test_a_path_holds_where_two_keys_are_equal_and_never_overshoots(demo_scene):
    """Keys that come in fast, stand still for thirty frames and go on: the middle stands still."""
    places = [(0.0, 1.6, 0.0), (5.0, 1.6, -5.0), (5.0, 1.6, -5.0), (9.0, 4.0, -5.0)]
    keys = tuple(
        Key(frame=f, position=p, aim=(p[0], p[1], p[2] - 5), focal_mm=30, ease="none")
        for f, p in zip((0, 20, 50, 90), places, strict=True)
    )
    scene = apply(demo_scene, SetKeys(keys=keys))
    shots = shot_cameras(scene, np.arange(96.0), required_camera(scene))
    at = np.array([c.position for c in shots])
    assert np.allclose(at[20:51], places[1], atol=1e-9)
    for (first, last), (a, b) in zip(
        ((0, 20), (50, 90)), (places[:2], places[2:]), strict=True
    ):  # fmt: skip
        low, high = np.minimum(a, b) - 1e-9, np.maximum(a, b) + 1e-9
        assert ((at[first:last] >= low) & (at[first:last] <= high)).all()


def of_whole_keys(keys, frames, sighted):
    """Shot cameras as they were worked out when keys were of the whole camera."""
    times = np.array([k.frame for k in keys], float)
    at = eased(times, [k.ease for k in keys], np.clip(frames, times[0], times[-1]))
    places = PchipInterpolator(times, np.array([k.position for k in keys]))(at)
    turns = Slerp(times, Rotation.from_matrix([attitude(k) for k in keys]))(at).as_matrix()
    focal = np.exp(np.interp(at, times, np.log([k.focal_mm for k in keys])))
    return places, turns, focal / 36 * max(sighted.width, sighted.height)


def test_moves_of_whole_keys_play_as_before(demo_scene):
    camera, chance = required_camera(demo_scene), np.random.default_rng(8)
    frames = np.arange(0, 96, 0.37)
    for _ in range(20):
        keys = tuple(
            Key(
                frame=int(f), position=tuple(chance.normal(0, 3, 3)),
                aim=tuple(chance.normal(0, 3, 3) + [0, 0, -12]), roll_deg=chance.normal(0, 40),
                focal_mm=chance.uniform(12, 90), ease=chance.choice(["none", "in", "out", "both"]),
            )
            for f in sorted(chance.choice(96, 5, replace=False))
        )  # fmt: skip
        scene = keyed(demo_scene, *keys)
        places, turns, focal = of_whole_keys(keys, frames, camera)
        for k, shot in enumerate(shot_cameras(scene, frames, camera)):
            assert np.abs(shot.position - places[k]).max() < 1e-9
            assert np.abs(shot.rotation - turns[k]).max() < 1e-9
            assert shot.focal_px == pytest.approx(focal[k], rel=1e-9)
        for whole, kept in zip(keys, shot_keys(scene, camera), strict=True):
            assert kept.aim == whole.aim
            assert kept.position == pytest.approx(whole.position)
            assert (kept.frame, kept.ease, kept.roll_deg) == (
                whole.frame, whole.ease, whole.roll_deg
            )  # fmt: skip


def test_a_scene_of_whole_keys_is_read_as_one_of_tracks(demo_scene):
    keys = (key(3), key(40, 1, -2, ease="in", roll_deg=4))
    whole = json.loads(as_text(keyed(demo_scene, *keys)))
    whole["version"] = 4
    whole["move"] = {"keys": [k.model_dump(mode="json") for k in keys], "fps": 25, "frames": 96}
    assert read(json.dumps(whole)).move == keyed(demo_scene, *keys).move.model_copy(
        update={"fps": 25.0}
    )


def number(frame, value, **more):
    return TrackKey(frame=frame, value=value, **more)


def test_each_part_of_the_shot_has_keys_of_its_own(demo_scene):
    camera = required_camera(demo_scene)
    only = apply(
        keyed(demo_scene), SetShotTrack(of="focal_mm", keys=(number(0, 20), number(90, 40)))
    )
    first, middle = (shot_camera(only, f, camera) for f in (0, 45))
    assert first.position == pytest.approx(camera.position)
    assert np.allclose(first.rotation, camera.rotation)
    assert middle.focal_px / first.focal_px == pytest.approx(np.sqrt(2))
    rolled = apply(only, SetShotTrack(of="roll_deg", keys=(number(10, 0), number(50, 30))))
    _, roll, _ = tilt_roll_yaw(shot_camera(rolled, 50, camera).rotation)
    assert roll == pytest.approx(30)
    moved = keyed(demo_scene, key(0), key(90, 4, -6, aim=(1, 1.2, -14)))
    tilted = apply(moved, SetShotTrack(of="roll_deg", keys=(number(30, 0), number(60, 8))))
    for frame, wanted in ((0, 0), (45, 4), (90, 8)):
        plain, own = (shot_camera(s, frame, camera) for s in (moved, tilted))
        assert np.allclose(plain.forward, own.forward)
        assert tilt_roll_yaw(own.rotation)[1] - tilt_roll_yaw(plain.rotation)[1] == pytest.approx(
            wanted, abs=0.3
        )
    gone = apply(tilted, SetShotTrack(of="roll_deg", keys=()))
    assert gone.move.roll_deg == ()


def test_a_hold_of_the_shot_stays_and_jumps(demo_scene):
    camera = required_camera(demo_scene)
    places = (
        PointKey(frame=0, at=(0, 1, 0), hold=True),
        PointKey(frame=20, at=(4, 1, 0), ease="none"),
        PointKey(frame=60, at=(6, 1, 0), ease="none"),
    )
    scene = apply(keyed(demo_scene), SetShotTrack(of="position", keys=places))
    at = [shot_camera(scene, f, camera).position[0] for f in (0, 10, 19.99, 20, 60, 80)]
    assert at == [0, 0, 0, 4, 6, 6]


def test_keys_of_the_shot_that_make_no_sense_are_refused(demo_scene):
    point = PointKey(frame=3, at=(0, 1, 0))
    for of, keys, word in (
        ("position", (number(3, 1),), "are places"),
        ("focal_mm", (point,), "are numbers"),
        ("focal_mm", (number(3, 1.0),), "2 to 2,000"),
        ("roll_deg", (number(3, 1), number(3, 2)), "Two keys"),
        ("aim", (point.model_copy(update={"frame": 96}),), "past the end"),
    ):
        with pytest.raises(Refusal, match=word):
            apply(keyed(demo_scene), SetShotTrack(of=of, keys=keys))
    on = apply(keyed(demo_scene), SetShotTrack(of="position", keys=(point,)))
    with pytest.raises(Refusal, match="on the camera itself"):
        apply(on, SetShotTrack(of="aim", keys=(point,)))
