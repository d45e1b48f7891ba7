"""Travel limits against brute force: frames diagnosed along the way, one by one."""

from dataclasses import replace

import numpy as np
import pytest

from jade_lantern.core.change import changed
from jade_lantern.core.move.diagnosis import diagnosed_cast
from jade_lantern.core.move.frames import render_request
from jade_lantern.core.move.limits import (
    LOOKED_AT,
    SIDES,
    KeepWithin,
    Tolerance,
    amount_limit,
    first_break,
    limits,
)
from jade_lantern.core.move.ready import Arc, Push, Truck
from jade_lantern.core.proxy import Backdrop, Box, Floor
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.scene.edits import Drive, SetKeys, SetShot, apply
from jade_lantern.core.scene.model import ByEye, Scene, Sighting
from jade_lantern.core.scene.plate import Plate
from jade_lantern.core.scene.shot import shot_camera, shot_cameras
from jade_lantern.core.sight.measure import required_camera

SOME = Tolerance(most=0.01, stretch=2.0)


class Opaque:
    """Pictures of which none is asked for: no plate has an alpha."""

    def deep(self, plate):
        raise AssertionError(plate.name)


def kept_within(scene, how):
    return changed(scene, KeepWithin(how=how, tolerance=SOME), Opaque())[1]


@pytest.fixture(scope="module")
def place():
    """A box on a floor before a far backdrop, that all take the still."""
    scene = Scene(
        name="a place",
        plate=Plate(name="a.png", width=1200, height=800, digest="0" * 64, format="PNG", bits=8),
        sighting=Sighting(
            by_eye=ByEye(focal_px=1000.0, tilt_deg=-4), datum=(600, 700), eye_height_m=1.6
        ),
        proxies=(
            Floor(id="floor-1", name="floor", width_m=80, depth_m=80),
            Backdrop(id="backdrop-2", name="sky", distance_m=30, margin=0.6),
            Box(id="box-3", name="box", width_m=1, depth_m=1, height_m=1.2, x=0.4, z=-4),
        ),
        next_id=4,
    )
    return apply(scene, SetShot(fps=24, frames=48))


def told(scene, cast, camera, tolerance):
    """(3,) shares of leak, reveal and what is pulled too far, from a camera."""
    frame = render_request(scene, LOOKED_AT).frame
    found = cast.from_(frame.of(camera))
    pulled = found.stretch > tolerance.stretch
    return np.array([found.leak.mean(), found.reveal.mean(), pulled.mean()])


def breaks(scene, cast, camera, start, tolerance):
    leak, reveal, stretch = told(scene, cast, camera, tolerance) - start
    return max(leak, 0) + max(reveal, 0) > tolerance.most or stretch > tolerance.most


@pytest.mark.parametrize("way", ["right", "left", "up", "down", "forward", "back"])
def test_a_way_ends_where_brute_force_finds_that_it_breaks(place, way):
    camera = shot_camera(place, 0, required_camera(place))
    (limit,) = limits(place, 0, SOME, (way,))
    cast = diagnosed_cast(place, LOOKED_AT)
    start = told(place, cast, camera, SOME)

    def gone(by):
        step = camera.rotation.T @ (by * np.array(SIDES[way]))
        return replace(camera, position=camera.position + step)

    assert limit.breaks is not None
    steps = limit.most * np.arange(0.01, 1.2, 0.01)
    found = next(by for by in steps if breaks(place, cast, gone(by), start, SOME))
    assert limit.most == pytest.approx(found, rel=0.02)


@pytest.mark.parametrize("move", [Push(distance_m=2.0), Truck(distance_m=0.6), Arc(angle_deg=12)])
def test_a_move_stands_up_as_far_as_brute_force_finds(place, move):
    scene = changed(place, move)[1]
    limit = amount_limit(scene, SOME)
    camera = required_camera(scene)
    cast = diagnosed_cast(scene, LOOKED_AT)
    start = told(scene, cast, camera, SOME)
    frames = np.array([47.0, 46.0, 36.0, 24.0, 12.0])

    def broken(amount):
        driven = apply(scene, Drive(amount=amount))
        return [
            f for f, c in zip(frames, shot_cameras(driven, frames, camera), strict=True)
            if breaks(scene, cast, c, start, SOME)
        ]  # fmt: skip

    steps = [*np.arange(0.1, 0.9, 0.1) * limit.most, *np.arange(0.9, 1.1, 0.01) * limit.most]
    steps = [a for a in steps if a <= 1.5]
    found = next((a for a in steps if broken(a)), 1.5)
    assert limit.most == pytest.approx(found, rel=0.02, abs=0.01)
    if found < 1.5:
        assert limit.frame in broken(min(limit.most * 1.03, 1.5))


def test_a_move_kept_within_its_limits_breaks_nowhere(place):
    scene = changed(place, Push(distance_m=8.0))[1]
    assert amount_limit(scene, SOME).most < 1
    for how in ("less", "slower"):
        kept = kept_within(scene, how)
        assert amount_limit(kept, SOME).most >= kept.move.amount * 0.98
        assert kept.move.frames == scene.move.frames
    slower = kept_within(scene, "slower")
    camera = required_camera(scene)
    ends = [shot_camera(s, 47, camera).position for s in (scene, slower)]
    far = [np.linalg.norm(p - camera.position) for p in ends]
    assert 0.2 < far[1] < far[0]
    with pytest.raises(Refusal, match="stands up as it is"):
        kept_within(slower, "slower")
    with pytest.raises(Refusal, match="no move yet"):
        kept_within(apply(scene, SetKeys(keys=())), "less")


def test_a_move_through_a_wall_is_told_as_one(place):
    front = required_camera(place).project(np.array([0.4, 0.9, -3.5]))[0]
    scene = changed(place, Push(distance_m=6.0, toward=tuple(front.tolist())))[1]
    lax = Tolerance(most=1.0)  # whatever shows is allowed
    limit = amount_limit(scene, lax)
    assert limit.breaks == "wall"
    camera = required_camera(scene)
    box = next(p for p in scene.proxies if p.kind == "box")
    end = shot_camera(apply(scene, Drive(amount=limit.most)), 47, camera).position
    assert end[2] == pytest.approx(box.z + box.depth_m / 2, abs=0.05)


def test_a_limit_is_closed_in_on_and_none_is_told_where_nothing_breaks():
    assert first_break(lambda by: None, 3.0) == (3.0, None)
    most, why = first_break(lambda by: "leak" if by > 0.7312 else None, 3.0)
    assert why == "leak"
    assert most == pytest.approx(0.7312, rel=0.006)
    assert first_break(lambda by: "leak", 1.0)[0] < 2e-4


def test_a_lens_may_get_longer_without_end_and_shorter_by_what_is_seen_past_the_plate(place):
    longer, shorter = limits(place, 0, SOME, ("longer", "shorter"))
    # pulled by more than two where the lens is more than twice as long as at the plate's own size
    assert longer.most > 2
    # past the plate, on all four sides, there is no more than a hundredth of the frame
    assert shorter.most == pytest.approx(np.sqrt(1 - SOME.most), abs=0.004)
