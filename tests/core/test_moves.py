"""Ready moves, steering, and what the camera is aimed at, against closed forms."""

import numpy as np
import pytest
from pydantic import ValidationError

from jade_lantern.core.block.under import under
from jade_lantern.core.camera import tilt_roll_yaw
from jade_lantern.core.change import changed
from jade_lantern.core.move.ready import Against, Arc, Drift, LowPass, Push, Rise, Truck
from jade_lantern.core.move.steer import Steer, SteerStep
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.scene.edits import (
    DeleteProxy,
    Drive,
    RetimeKeys,
    SetEyeHeight,
    SetKey,
    SetKeys,
    SetShotTrack,
    SetTrack,
    apply,
)
from jade_lantern.core.scene.shot import shot_camera, shot_cameras, shot_keys
from jade_lantern.core.scene.timed import Key
from jade_lantern.core.sight.measure import required_camera
from jade_lantern.core.track import AimKey, PointKey, TrackKey

LAST = 95


def made(scene, change):
    return changed(apply(scene, SetKeys(keys=())), change)[1]


def over(scene, frames=np.arange(LAST + 1.0)):
    return shot_cameras(scene, frames, required_camera(scene))


def crate(scene):
    return next(p for p in scene.proxies if p.name.startswith("crate"))


def place(scene, proxy):
    """(3,) the middle of a proxy's foot, and where the lens sees it."""
    camera = required_camera(scene)
    at = camera.project(proxy.foot + [0, 0.3, 0])[0]
    return under(scene, camera, tuple(at)).point, tuple(at.tolist())


MOVES = [
    Push(distance_m=1.0), Truck(distance_m=-0.6), Rise(distance_m=0.4), Arc(angle_deg=8.0),
    Against(distance_m=0.9),
    Truck(distance_m=1, hold=(900, 800)),
]  # fmt: skip


@pytest.mark.parametrize("move", MOVES, ids=lambda m: m.verb)
def test_a_ready_move_begins_at_the_lens_and_is_what_it_says_at_every_frame(demo_scene, move):
    scene = made(demo_scene, move)
    camera = required_camera(scene)
    first = over(scene)[0]
    assert np.allclose(first.position, camera.position, atol=1e-9)
    assert np.allclose(first.rotation, camera.rotation, atol=1e-9)
    t = np.arange(LAST + 1) / LAST
    wanted = move.cameras(scene, camera, t * t * (3 - 2 * t))
    corners = np.array([[0.0, 0.0], [camera.width, 0.0], [0.0, camera.height], [900.0, 700.0]])
    depth = move.depth(scene, camera)
    for one, two in zip(over(scene), wanted, strict=True):
        points = two.position + two.rays(corners) * depth
        assert np.abs(one.project(points)[0] - corners).max() <= move.tolerance_px + 1e-6


def test_a_low_pass_goes_down_once_and_on_along_the_floor(demo_scene):
    camera = required_camera(demo_scene)
    scene = made(demo_scene, LowPass(distance_m=2.0, height_m=0.5))
    assert len(scene.move.position) == 3
    places = np.array([c.position for c in over(scene)])
    assert np.allclose(places[0], camera.position)
    assert places[-1, 1] == pytest.approx(0.5)
    assert (np.diff(places[:, 1]) <= 1e-12).all()
    assert np.allclose(places[62:, 1], 0.5, atol=1e-9)
    along = (places - camera.position) @ (camera.forward * [1, 0, 1])
    assert (np.diff(along) >= -1e-12).all()
    assert np.linalg.norm((places[-1] - places[0])[[0, 2]]) == pytest.approx(2.0)
    # no jerk where the two stretches meet
    steps = np.linalg.norm(np.diff(places, axis=0), axis=1)
    assert np.abs(np.diff(steps)).max() < 0.15 * steps.max()
    with pytest.raises(Refusal, match="lower"):
        made(demo_scene, LowPass(distance_m=2.0, height_m=1.9))


def test_a_ready_move_makes_no_more_keys_than_it_needs(demo_scene):
    move = made(demo_scene, Against(distance_m=1.0)).move
    assert (len(move.position), len(move.aim), len(move.roll_deg)) == (2, 2, 2)
    assert len(move.focal_mm) > 2
    assert len(made(demo_scene, Push(distance_m=1.0)).move.position) == 2
    assert len(made(demo_scene, Arc(angle_deg=6)).move.position) < 12


def test_a_push_at_a_picked_place_leaves_it_where_it_is_in_the_picture(demo_scene):
    there, pixel = place(demo_scene, crate(demo_scene))
    scene = made(demo_scene, Push(distance_m=2.0, toward=pixel))
    for camera in over(scene):
        assert np.abs(camera.project(there)[0] - pixel).max() < 1e-6
    far = [np.linalg.norm(there - c.position) for c in over(scene)]
    assert far[0] - far[-1] == pytest.approx(2.0)


def test_the_lens_against_the_travel_holds_its_subject(demo_scene):
    """A length across the picture at the subject's depth keeps its size to 0.1 px."""
    camera = required_camera(demo_scene)
    there, pixel = place(demo_scene, crate(demo_scene))
    scene = made(demo_scene, Against(distance_m=1.6, subject=pixel))
    ends = there + np.outer([-0.4, 0.4], camera.rotation[0])
    size = np.linalg.norm(np.diff(camera.project(ends)[0], axis=0))
    sizes = [np.linalg.norm(np.diff(c.project(ends)[0], axis=0)) for c in over(scene)]
    assert np.abs(np.array(sizes) - size).max() < 0.1
    places = [c.project(there)[0] for c in over(scene)]
    assert np.abs(np.array(places) - pixel).max() < 0.1
    assert over(scene)[-1].focal_px < 0.9 * camera.focal_px
    # and so it does at any amount
    half = apply(scene, Drive(amount=0.5))
    sizes = [np.linalg.norm(np.diff(c.project(ends)[0], axis=0)) for c in over(half)]
    assert np.abs(np.array(sizes) - size).max() < 0.1
    with pytest.raises(Refusal, match="cannot go"):
        made(demo_scene, Against(distance_m=60, subject=pixel))


def test_an_arc_keeps_its_distance_and_its_middle_in_place(demo_scene):
    there, pixel = place(demo_scene, crate(demo_scene))
    camera = required_camera(demo_scene)
    scene = made(demo_scene, Arc(angle_deg=20, about=pixel))
    far = np.linalg.norm((there - camera.position)[[0, 2]])
    for shot in over(scene):
        assert np.linalg.norm((there - shot.position)[[0, 2]]) == pytest.approx(far, rel=1e-3)
        assert np.abs(shot.project(there)[0] - pixel).max() < 3
    turned = tilt_roll_yaw(over(scene)[-1].rotation)[2] - tilt_roll_yaw(camera.rotation)[2]
    assert turned == pytest.approx(-20)


def test_drift_is_the_same_on_every_machine_and_stays_in_its_bounds(demo_scene):
    unrest = Drift(seed=7, sway_m=0.03).unrest(np.array([0.0, 1.0, 2.5]))
    assert unrest[0].tolist() == [0.0] * 6
    assert unrest[1:].tolist() == [
        [-0.045529, -0.420433, -0.607749, -0.057977, -0.408835, -0.282212],
        [-0.436181, -0.543631, -0.465218, -0.587448, -0.516054, -0.113608],
    ]
    camera = required_camera(demo_scene)
    drifting = made(demo_scene, Drift(seed=7, sway_m=0.03, turn_deg=0.5))
    again = made(demo_scene, Drift(seed=7, sway_m=0.03, turn_deg=0.5))
    other = made(demo_scene, Drift(seed=8, sway_m=0.03, turn_deg=0.5))
    assert drifting.move == again.move
    assert drifting.move != other.move
    off = np.array([c.position - camera.position for c in over(drifting)])
    assert 0.003 < np.abs(off).max() < 0.03
    # it comes on top of a move
    pushed = made(demo_scene, Push(distance_m=1.0))
    both = changed(pushed, Drift(seed=7, sway_m=0.03))[1]
    apart = [a.position - b.position for a, b in zip(over(pushed), over(both), strict=True)]
    assert np.abs(apart).max() < 0.05
    assert len(both.move.position) > 10


def test_a_move_driven_to_nothing_is_the_lens_and_to_half_goes_half_as_far(demo_scene):
    camera = required_camera(demo_scene)
    scene = made(demo_scene, Arc(angle_deg=20))
    whole = over(scene)[-1]
    for shot in over(apply(scene, Drive(amount=0.0))):
        assert np.array_equal(shot.position, camera.position)
        assert np.allclose(shot.rotation, camera.rotation, atol=1e-15)
        assert shot.focal_px == camera.focal_px
    half = over(apply(scene, Drive(amount=0.5)))[-1]
    assert np.allclose(half.position, (whole.position + camera.position) / 2)
    yaw = [tilt_roll_yaw(c.rotation)[2] for c in (camera, half, whole)]
    assert yaw[1] == pytest.approx((yaw[0] + yaw[2]) / 2, abs=1e-6)
    assert shot_keys(apply(scene, Drive(amount=0.5)), camera) == shot_keys(scene, camera)
    with pytest.raises(ValidationError, match="amount"):
        Drive(amount=1.6)


@pytest.mark.parametrize("amount", [1.0, 0.6, 1.4])
def test_what_is_steered_at_any_amount_is_where_it_was_put(demo_scene, amount):
    scene = apply(made(demo_scene, Push(distance_m=1.0)), Drive(amount=amount))
    camera = required_camera(scene)
    there = shot_camera(scene, 95, camera)
    steps = (
        SteerStep(turn_deg=4, tilt_deg=-2, zoom=1.1),
        SteerStep(right_m=0.3, up_m=-0.1, forward_m=0.2),
    )
    steer = Steer(frame=95, steps=steps)
    after = shot_camera(changed(scene, steer)[1], 95, camera)
    wanted = steps[1].moved(steps[0].moved(there))
    assert np.allclose(after.position, wanted.position)
    assert np.allclose(after.rotation, wanted.rotation, atol=1e-9)
    assert after.focal_px == pytest.approx(wanted.focal_px)
    with pytest.raises(Refusal, match="Drive it further"):
        changed(apply(scene, Drive(amount=0.0)), steer)


def test_steering_round_a_place_keeps_it_where_it_is_and_the_horizon_level(demo_scene):
    camera = required_camera(demo_scene)
    about = camera.position + 6 * camera.forward + 0.4 * camera.rotation[0]
    pixel = camera.project(about)[0]
    for arc, lift in ((30, 0), (-50, 12), (0, -15)):
        step = SteerStep(about=tuple(about.tolist()), arc_deg=arc, over_deg=lift)
        shot = step.moved(camera)
        assert np.allclose(shot.project(about)[0], pixel, atol=1e-6)
        assert tilt_roll_yaw(shot.rotation)[1] == pytest.approx(tilt_roll_yaw(camera.rotation)[1])


def aimed(scene, keys, positions):
    scene = apply(apply(scene, SetKeys(keys=())), SetShotTrack(of="position", keys=positions))
    return apply(scene, SetShotTrack(of="aim", keys=keys))


WALK = (PointKey(frame=0, at=(-2, 1.6, 2)), PointKey(frame=95, at=(2, 1.2, 0)))


def test_between_keys_on_one_aim_it_stays_where_it_was_put(demo_scene):
    aim = (0.5, 0.8, -6.0)
    scene = aimed(demo_scene, (AimKey(frame=0, at=aim), AimKey(frame=95, at=aim)), WALK)
    for camera in over(scene):
        pixel = camera.project(np.array(aim))[0]
        assert np.allclose(pixel, (camera.cx, camera.cy), atol=1e-6)
        assert tilt_roll_yaw(camera.rotation)[1] == pytest.approx(
            tilt_roll_yaw(required_camera(scene).rotation)[1]
        )


def test_a_camera_that_goes_through_its_aim_turns_evenly_instead_of_flipping(demo_scene):
    aim = (0.0, 1.6, -3.0)
    through = (PointKey(frame=0, at=(0, 1.6, 0)), PointKey(frame=95, at=(0.01, 1.6, -6)))
    scene = aimed(demo_scene, (AimKey(frame=0, at=aim), AimKey(frame=95, at=aim)), through)
    forward = np.array([c.forward for c in over(scene)])
    steps = np.degrees(np.arccos(np.clip((forward[1:] * forward[:-1]).sum(axis=1), -1, 1)))
    assert steps.max() < 4.0  # 180 degrees, eased over 95 frames


def test_an_aim_follows_a_proxy_and_stays_where_that_was_once_it_goes(demo_scene):
    box = crate(demo_scene)
    track = SetTrack(
        part=box.id,
        of="x",
        keys=(TrackKey(frame=0, value=box.x), TrackKey(frame=95, value=box.x + 2)),
    )
    key = AimKey(frame=0, at=(0.0, 0.2, 0.0), proxy=box.id)
    scene = apply(aimed(demo_scene, (key,), WALK), track)
    for frame, x in ((0, box.x), (95, box.x + 2)):
        camera = shot_camera(scene, frame, required_camera(scene))
        pixel = camera.project(np.array([x, box.level_m + 0.2, box.z]))[0]
        assert np.allclose(pixel, (camera.cx, camera.cy), atol=1e-6)
    gone = apply(scene, DeleteProxy(proxy=box.id))
    assert gone.move.aim[0].proxy is None
    assert gone.move.aim[0].at == pytest.approx((box.x, box.level_m + 0.2, box.z))
    with pytest.raises(Refusal, match="not there"):
        aimed(demo_scene, (key.model_copy(update={"proxy": "box-999"}),), WALK)


def test_an_aim_that_is_a_direction_is_looked_along_from_anywhere(demo_scene):
    key = AimKey(frame=0, at=(0.2, -0.1, -1.0), way=True)
    scene = aimed(demo_scene, (key,), WALK)
    way = np.array(key.at) / np.linalg.norm(key.at)
    assert all(np.allclose(c.forward, way) for c in over(scene))
    with pytest.raises(Refusal, match="direction"):
        aimed(demo_scene, (key.model_copy(update={"at": (0, 0, 0)}),), WALK)


def test_aims_go_along_when_the_world_gets_another_size(demo_scene):
    box = crate(demo_scene)
    keys = (
        AimKey(frame=0, at=(0.0, 0.2, 0.0), proxy=box.id),
        AimKey(frame=50, at=(0, -0.1, -1), way=True),
    )
    scene = aimed(demo_scene, keys, WALK)
    taller = changed(
        scene.model_copy(
            update={"sighting": scene.sighting.model_copy(update={"locked": False})}
        ),
        SetEyeHeight(metres=scene.sighting.eye_height_m * 2),
    )[1]  # fmt: skip
    for a, b in zip(over(scene), over(taller), strict=True):
        assert np.allclose(a.rotation, b.rotation, atol=1e-6)


def test_keys_are_moved_stretched_and_copied_as_a_group(demo_scene):
    keys = tuple(
        Key(frame=f, position=(f / 10, 1.6, 0), aim=(0, 1.6, -9), focal_mm=30) for f in (0, 10, 30)
    )
    scene = apply(demo_scene, SetKeys(keys=keys))
    frames = lambda s: [k.frame for k in s.move.position]  # noqa: E731
    moved = apply(scene, RetimeKeys(first=10, last=30, to_first=40, to_last=60))
    assert frames(moved) == [0, 40, 60]
    stretched = apply(scene, RetimeKeys(first=0, last=30, to_first=0, to_last=90))
    assert frames(stretched) == [0, 30, 90]
    copied = apply(scene, RetimeKeys(first=0, last=30, to_first=50, to_last=80, copies=True))
    assert frames(copied) == [0, 10, 30, 50, 60, 80]
    assert copied.move.position[3].at == keys[0].position
    only = apply(scene, RetimeKeys(first=30, last=30, to_first=70, to_last=70, of=("focal_mm",)))
    assert [k.frame for k in only.move.focal_mm] == [0, 10, 70]
    assert frames(only) == [0, 10, 30]
    for more, word in (
        ({"first": 10, "last": 10, "to_first": 30, "to_last": 30}, "would stand on frame 30"),
        ({"first": 0, "last": 30, "to_first": 5, "to_last": 5}, "onto one"),
        ({"first": 40, "last": 50, "to_first": 60, "to_last": 70}, "no key from 40"),
        ({"first": 0, "last": 30, "to_first": 80, "to_last": 110}, "past the end"),
    ):
        with pytest.raises(Refusal, match=word):
            apply(scene, RetimeKeys(**more))


def test_a_key_that_is_set_again_keeps_the_proxy_that_its_aim_follows(demo_scene):
    box = crate(demo_scene)
    scene = made(demo_scene, Push(distance_m=1.0))
    aim = tuple(k.model_copy(update={"at": (0, 0.2, 0), "proxy": box.id}) for k in scene.move.aim)
    scene = apply(scene, SetShotTrack(of="aim", keys=aim))
    (key, _) = shot_keys(scene, required_camera(scene))
    again = apply(scene, SetKey(key=key.model_copy(update={"focal_mm": 40.0})))
    assert again.move.aim == scene.move.aim
    elsewhere = apply(scene, SetKey(key=key.model_copy(update={"aim": (0, 1, -9)})))
    assert elsewhere.move.aim[0].proxy is None
