"""The proposed split, and the move looked at as a whole."""

import itertools

import numpy as np
import pytest

from jade_lantern.core.block.surfaces import meshes
from jade_lantern.core.camera import Camera
from jade_lantern.core.cast.split import proposed_split
from jade_lantern.core.mesh import mesh_of
from jade_lantern.core.move.diagnosis import diagnosed
from jade_lantern.core.move.frames import render_request
from jade_lantern.core.move.strip import STRIP_WIDTH, whole_move
from jade_lantern.core.render.hiding import hidden_counts
from jade_lantern.core.sight.measure import required_camera


def lens() -> Camera:
    return Camera.centred(320, 240, 300.0, np.eye(3), np.array([0.0, 0.0, 0.0]))


def sheet(x0, x1, z, y0=-1.0, y1=1.0):
    return mesh_of([[x0, y0, z], [x1, y0, z], [x1, y1, z], [x0, y1, z]], [(0, 1, 2, 3)])


def test_things_beside_each_other_share_a_plate_and_things_behind_do_not():
    near, beside = sheet(-1.5, -0.5, -4.0), sheet(0.5, 1.5, -5.0)
    behind, far = sheet(-1.2, 0.2, -7.0), sheet(-9, 9, -20.0, -9, 9)
    split = proposed_split([far, near, beside, behind], lens())
    assert split.plates == ((1, 2), (3,), (0,))
    assert split.removed == ((), (1,), (1, 2, 3))
    assert split.crossing == ()
    assert proposed_split([], lens()).plates == ()


def test_what_touches_edge_to_edge_is_not_taken_for_blocking():
    wall, floor = sheet(-2, 2, -6.0, 0, 2), mesh_of(
        [[-2, 0, -2], [2, 0, -2], [2, 0, -6], [-2, 0, -6]], [(0, 1, 2, 3)]
    )  # fmt: skip
    camera = Camera.centred(320, 240, 300.0, np.eye(3), np.array([0.0, 1.0, 0.0]))
    assert proposed_split([wall, floor], camera).plates == ((0, 1),)


def test_no_fewer_plates_would_do():
    """Bars at random depths, against every way to give plates to the ones that are blocked."""
    chance = np.random.default_rng(4)
    for _ in range(6):
        bars = []
        for _ in range(7):
            x, y = chance.uniform(-2, 1, 2)
            wide, high = (2.5, 0.3) if chance.random() < 0.5 else (0.3, 2.5)
            bars.append(sheet(x, x + wide, -chance.uniform(4, 8), y, y + high))
        before = hidden_counts(bars, lens()) > 0
        split = proposed_split(bars, lens())
        for own in split.plates:
            assert not before[np.ix_(own, own)].any()
        blocked = np.nonzero(before.any(axis=0))[0]
        apart = (before | before.T)[np.ix_(blocked, blocked)]

        def fits(count: int, apart=apart) -> bool:
            return any(
                not (apart & (np.equal.outer(ways, ways))).any()
                for ways in map(np.array, itertools.product(range(count), repeat=len(apart)))
            )

        fewest = next(n for n in range(len(bars)) if fits(n))
        assert len(split.plates) == 1 + fewest


def test_what_lies_a_few_pixels_behind_another_is_blocked_however_narrow():
    rail, far = sheet(-1, 1, -4.0, 0.0, 0.006), sheet(-1, 1, -7.0, -1, 1)
    assert proposed_split([rail, far], lens()).plates == ((0,), (1,))


def test_what_is_hidden_is_counted_though_it_is_narrower_than_a_pixel():
    """A post's edge, 0.4 px wide at the counted size, wherever it falls between two pixels."""
    camera = lens()
    px = 4.0 / (300.0 * 1920 / 320)  # m, a pixel of the counted size at the post
    for shift in np.linspace(0, 1, 9):
        left = (10 + shift) * px
        post = sheet(left - 400 * px, left + 0.4 * px, -4.0, 0.0, 200 * px)
        far = mesh_of(
            (np.array([[left, 0, -4], [left + 900 * px, 0, -4], [left + 900 * px, 2, -4],
                       [left, 2, -4]]) * 1.5).tolist(), [(0, 1, 2, 3)],
        )  # fmt: skip
        told = hidden_counts([post, far], camera)
        assert told[1, 0] == 0
        assert told[0, 1] == pytest.approx(0.4 * 200, rel=0.4)


def test_a_crossing_pair_is_told_and_still_put_in_some_order():
    one = mesh_of([[-2, -1, -4], [2, -1, -8], [2, 1, -8], [-2, 1, -4]], [(0, 1, 2, 3)])
    other = mesh_of([[-2, -1, -8], [2, -1, -4], [2, 1, -4], [-2, 1, -8]], [(0, 1, 2, 3)])
    split = proposed_split([one, other], lens())
    assert split.crossing == ((1, 0),)
    assert sorted(i for own in split.plates for i in own) == [0, 1]


def test_with_the_split_of_the_quay_nothing_is_spilled_on(demo_scene):
    camera = required_camera(demo_scene)
    every = meshes(demo_scene, camera)
    split = proposed_split(every, camera)
    before = hidden_counts(every, camera)
    assert not any(before[np.ix_(own, own)].any() for own in split.plates)
    names = [p.name for p in demo_scene.proxies if not p.hidden]
    first = {names[i] for i in split.plates[0]}
    assert {"crate on top", "crate 2"} <= first
    assert "quay" not in first
    # some share a plate though a chain of fourteen block one another
    assert len(split.plates) < 12


def test_the_whole_move_agrees_with_its_frames(demo_scene):
    strip = whole_move(demo_scene)
    assert len(strip.leak) == demo_scene.move.frames
    last = demo_scene.move.frames - 1
    for frame in (0, last // 2, last):
        ((_, told),) = diagnosed(demo_scene, render_request(demo_scene, STRIP_WIDTH, frame, frame))
        for name, share in told.shares().items():
            assert getattr(strip, name)[frame] == pytest.approx(share, abs=1e-12)
    assert strip.worst > last // 2
