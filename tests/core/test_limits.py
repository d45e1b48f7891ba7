"""Travel limits against brute force: frames diagnosed along the way, one by one."""

from dataclasses import replace

import numpy as np
import pytest

from jade_lantern.core.camera import Camera
from jade_lantern.core.change import changed
from jade_lantern.core.mesh import mesh_of
from jade_lantern.core.move.diagnosis import diagnosed_cast, looked_at
from jade_lantern.core.move.frames import render_request
from jade_lantern.core.move.limits import (
    SIDES,
    KeepWithin,
    Shown,
    Tolerance,
    amount_limit,
    first_break,
    limits,
)
from jade_lantern.core.move.ready import Arc, Push
from jade_lantern.core.proxy import Backdrop, Box, Card, Drum, Floor
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.render.diagnose import thrown
from jade_lantern.core.scene.edits import Drive, SetFrame, SetKeys, SetShot, apply
from jade_lantern.core.scene.model import ByEye, Scene, Sighting
from jade_lantern.core.scene.plate import Plate
from jade_lantern.core.scene.shot import shot_camera
from jade_lantern.core.scene.timed import ShotFrame
from jade_lantern.core.sight.measure import required_camera
from tests.core.rays import Rays, jittered

SOME = Tolerance(most=0.01, stretch=2.0)


class Opaque:
    """Pictures of which none is asked for: no plate has an alpha."""

    def deep(self, plate):
        raise AssertionError(plate.name)


def kept_within(scene, how):
    return changed(scene, KeepWithin(how=how, tolerance=SOME), Opaque())[1]


def by_eye(size, eye, datum, *proxies):
    """A scene of a shot of 48 frames, sighted by eye."""
    plate = {"name": "a.png", "digest": "0" * 64, "format": "PNG", "bits": 8}
    scene = Scene(
        name="a place",
        plate=Plate(width=size[0], height=size[1], **plate),
        sighting=Sighting(by_eye=eye, datum=datum, eye_height_m=1.6),
        proxies=proxies,
        next_id=len(proxies) + 1,
    )
    return apply(scene, SetShot(fps=24, frames=48))


@pytest.fixture(scope="module")
def place():
    """A box on a floor before a far backdrop, that all take the still."""
    return by_eye(
        (1200, 800), ByEye(focal_px=1000.0, tilt_deg=-4), (600, 700),
        Floor(id="floor-1", name="floor", width_m=80, depth_m=80),
        Backdrop(id="backdrop-2", name="sky", distance_m=30, margin=0.6),
        Box(id="box-3", name="box", width_m=1, depth_m=1, height_m=1.2, x=0.4, z=-4),
    )  # fmt: skip


@pytest.fixture(scope="module")
def courtyard():
    """A floor, a wall behind it, and boxes, a drum and a thin post before that."""
    return by_eye(
        (1920, 1280), ByEye(focal_px=1700.0, tilt_deg=-6), (900, 1100),
        Floor(id="floor-1", name="floor", width_m=90, depth_m=90),
        Backdrop(id="backdrop-2", name="sky", distance_m=40, margin=0.6),
        Card(id="card-3", name="wall", x=1, z=-9, width_m=14, height_m=4, turn_deg=7),
        Box(id="box-4", name="box", width_m=1, depth_m=1, height_m=1.2, x=0.8, z=-1.5, turn_deg=25),
        Drum(id="drum-5", name="drum", radius_m=0.4, height_m=1.5, x=-1.4, z=-2.5),
        Box(id="box-6", name="post", width_m=0.03, depth_m=0.03, height_m=2.2, x=-0.3, z=-1),
    )  # fmt: skip


SHAPES = {
    "as the plate": None,
    "wide": ShotFrame(width=2048, height=858, at=(0.4, 0.6)),
    "square, more around": ShotFrame(width=1080, height=1080, overscan=0.05),
}


class Truth:
    """What rays say of a scene's frames, in the format that is delivered."""

    def __init__(self, scene: Scene, most: float) -> None:
        """most: the share that is to be told to about 1 %."""
        self.lens = required_camera(scene)
        self.rays = Rays([p.mesh(self.lens) for p in scene.proxies])
        self.frame = render_request(scene).frame
        width, height = self.frame.size
        across, seeds = (1500, (1, 2)) if most < 0.01 else (900, (1,))
        self.places = np.concatenate([jittered(width, height, across, seed) for seed in seeds])
        self.start = self.shows(self.lens)

    def shows(self, shot) -> float:
        leak, reveal = self.rays.wrong(self.lens, self.frame.of(shot), self.places)
        return leak.mean() + reveal.mean()

    def more(self, shot) -> float:
        return self.shows(shot) - self.start


@pytest.mark.parametrize(
    ("shape", "most", "way"),
    [("as the plate", 0.001, "right"), ("as the plate", 0.02, "up"), ("wide", 0.02, "back"),
     ("square, more around", 0.001, "back"), ("square, more around", 0.02, "right")],
)  # fmt: skip
def test_a_way_ends_where_rays_find_that_it_breaks_in_the_delivered_frame(
    courtyard, shape, most, way
):
    scene = apply(courtyard, SetFrame(frame=SHAPES[shape]))
    (limit,) = limits(scene, 0, Tolerance(most=most, stretch=50), (way,))
    assert limit.breaks == "reveal"
    truth = Truth(scene, most)
    shot = required_camera(scene)

    def gone(by):
        return replace(shot, position=shot.position + shot.rotation.T @ (by * np.array(SIDES[way])))

    # shares grow about evenly with the way: what is 3 % off in one is in the other
    assert truth.more(gone(limit.most)) == pytest.approx(most, rel=0.03)


@pytest.mark.parametrize(
    ("shape", "most"), [("as the plate", 0.02), ("wide", 0.001), ("square, more around", 0.02)]
)
def test_a_keyed_move_stands_up_as_far_as_rays_find_in_the_delivered_frame(courtyard, shape, most):
    scene = changed(apply(courtyard, SetFrame(frame=SHAPES[shape])), Arc(angle_deg=25))[1]
    limit = amount_limit(scene, Tolerance(most=most, stretch=50))
    assert limit.breaks == "reveal"
    truth, camera = Truth(scene, most), required_camera(scene)

    driven = apply(scene, Drive(amount=limit.most))
    shows = truth.more(shot_camera(driven, limit.frame, camera))
    assert shows == pytest.approx(most, rel=0.03)


@pytest.mark.parametrize("shape", SHAPES)
def test_stretch_is_counted_in_pixels_of_the_delivered_frame(courtyard, shape):
    """A longer lens pulls every picture by what it is longer, and by what the frame is larger."""
    scene = apply(courtyard, SetFrame(frame=SHAPES[shape]))
    (limit,) = limits(scene, 0, Tolerance(most=0.001, stretch=3), ("longer",))
    assert limit.breaks == "stretch"
    camera = required_camera(scene)
    larger = render_request(scene).frame.of(camera).focal_px / camera.focal_px
    assert limit.most == pytest.approx(3 / larger, rel=0.01)


@pytest.mark.parametrize("shape", SHAPES)
def test_shares_are_the_same_at_any_width(courtyard, shape):
    scene = apply(courtyard, SetFrame(frame=SHAPES[shape]))
    camera = required_camera(scene)
    shot = replace(camera, position=camera.position + camera.rotation.T @ np.array([0.03, 0.02, 0]))
    cast = diagnosed_cast(scene)
    told = [
        looked_at(cast, render_request(scene, width), shot).shares()
        for width in (128, 250, 500, 1100)
    ]
    for kind in ("reveal", "spill"):
        assert told[-1][kind] > 0.001
        for one in told:
            assert one[kind] == pytest.approx(told[-1][kind], rel=0.03), kind


def test_the_shadow_of_a_thin_thing_counts_by_its_area():
    """A rod narrower than a pixel of the small frame, far before a wall: on the wall its shadow
    stands beside it, as wide as it is."""
    lens = Camera.centred(1920, 1080, 1500, np.eye(3), np.zeros(3))
    rod = mesh_of(
        [[-0.004, -5, -2], [0.004, -5, -2], [0.004, 5, -2], [-0.004, 5, -2]], [(0, 1, 2, 3)]
    )
    wall = mesh_of([[-90, -90, -10], [90, -90, -10], [90, 90, -10], [-90, 90, -10]], [(0, 1, 2, 3)])
    shot = replace(lens, position=np.array([0.3, 0.0, 0.0]))
    told = thrown([wall, rod], lens, 1152).from_(shot.at_width(128))
    past = 1500 * 0.3 / 10 / 1920  # of the wall, past the plate's right edge
    assert told.shares()["reveal"] - past == pytest.approx(0.008 * 1500 / 2 / 1920, rel=0.03)


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


@pytest.mark.parametrize("excess", [
    lambda by: by - 0.7312, lambda by: (by - 0.7312) ** 3, lambda by: np.sign(by - 0.7312),
    lambda by: np.inf if by > 0.7312 else -1.0, lambda by: 1.0 if by > 0.7312 else -1e-9,
])  # fmt: skip
def test_a_limit_is_closed_in_on_however_shares_grow(excess):
    looks = []

    def shows(by):
        looks.append(by)
        return Shown(float(excess(by)), "leak")

    most, why = first_break(shows, 3.0)
    assert why == "leak"
    assert most == pytest.approx(0.7312, rel=0.006)
    assert len(looks) < 40


def test_none_is_told_where_nothing_breaks():
    assert first_break(lambda by: Shown(-1.0, "leak"), 3.0) == (3.0, None)
    assert first_break(lambda by: Shown(1.0, "leak"), 1.0)[0] < 2e-4


def test_a_lens_may_get_longer_without_end_and_shorter_by_what_is_seen_past_the_plate(place):
    longer, shorter = limits(place, 0, SOME, ("longer", "shorter"))
    # pulled by more than two where the lens is more than twice as long as at the plate's own size
    assert longer.most == pytest.approx(2, rel=0.005)
    # past the plate, on all four sides, there is no more than a hundredth of the frame
    assert shorter.most == pytest.approx(np.sqrt(1 - SOME.most), abs=0.004)
