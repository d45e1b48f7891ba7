"""Every kind of still against made cameras: what can be known is found, what cannot is said."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from jade_lantern.core.camera import Camera, focal_px_from_35mm, rotation_of
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.scene.model import Rectangle
from jade_lantern.core.sight.bend import bent, flat_frame, flattened, folds, straight
from jade_lantern.core.sight.lens import Lens, Unsettled
from jade_lantern.core.sight.rectangle import headings_of_rectangle, in_order, measured_aspect
from jade_lantern.core.sight.solve import solve
from jade_lantern.core.sight.verdict import odd_numbers
from jade_lantern.demo.made import (
    HEIGHT,
    WIDTH,
    any_camera,
    bent_by,
    bound,
    made_traces,
    shaken,
    turned_by,
)

EYE = np.array([0.0, 1.6, 0.0])


def camera_at(mm: float, tilt: float, roll: float, yaw: float) -> Camera:
    focal = focal_px_from_35mm(mm, WIDTH, HEIGHT)
    return Camera.centred(WIDTH, HEIGHT, focal, rotation_of(tilt, roll, yaw), EYE)


def seen(camera: Camera, *points: tuple[float, float, float]):
    pixels, _ = camera.project(np.array(points))
    return tuple((float(x), float(y)) for x, y in pixels)


def found(traces, **more) -> Lens:
    lens = solve(traces, WIDTH, HEIGHT, **more)
    assert isinstance(lens, Lens), lens
    return lens


def test_over_the_whole_range_no_camera_is_missed_and_none_is_claimed_that_cannot_be_known():
    rng = np.random.default_rng(40)
    for _ in range(150):
        camera = any_camera(rng)
        exact = made_traces(rng, camera, int(rng.integers(6, 41)))
        least = bound(camera, exact, 1.0)
        lens = solve(shaken(rng, exact, 1.0), WIDTH, HEIGHT)
        if least < 0.1:
            assert isinstance(lens, Lens)
            assert abs(np.log(lens.focal_px / camera.focal_px)) < 10 * least
        elif isinstance(lens, Lens):
            assert lens.focal_sigma > 0.06 * lens.focal_px


def test_gross_traces_are_named_and_good_ones_are_not():
    rng = np.random.default_rng(41)
    named, accused = 0, 0
    for _ in range(40):
        camera = camera_at(rng.uniform(20, 60), rng.uniform(-12, 12), 1, rng.uniform(20, 60))
        traces = shaken(rng, made_traces(rng, camera, 20), 1.0)
        for i in (3, 11):
            name, (a, b) = traces[i]
            d = np.subtract(b, a) / np.hypot(*np.subtract(b, a))
            off = 60 * np.array([-d[1], d[0]])
            traces[i] = (name, [a, (b[0] + off[0], b[1] + off[1])])
        lens = found(traces)
        named += int(lens.disagrees[3]) + int(lens.disagrees[11])
        accused += int(lens.disagrees.sum()) - int(lens.disagrees[3]) - int(lens.disagrees[11])
    assert named >= 78
    assert accused <= 2


def test_one_finite_point_leaves_the_focal_length_open_until_it_is_given():
    camera = camera_at(30, 0, 1, 0)
    rng = np.random.default_rng(42)
    traces = shaken(rng, made_traces(rng, camera, 12), 0.5)
    lens = solve(traces, WIDTH, HEIGHT)
    assert isinstance(lens, Unsettled)
    assert "parallel" in lens.reason
    assert "rectangle" in lens.reason
    known = found(traces, focal_hint=(camera.focal_px, 0.0))
    assert known.focal_px == pytest.approx(camera.focal_px, rel=1e-4)
    assert turned_by(known.rotation, camera.rotation) < 0.2


@pytest.mark.parametrize("aspect", [1.0, 2.5])
def test_a_rectangle_of_known_proportions_fixes_the_focal_length(aspect):
    camera = camera_at(30, -4, 0, 0)
    wide, deep = 2.0, 2.0 / aspect
    corners = seen(camera, (-1, 0, -4), (-1 + wide, 0, -4), (-1 + wide, 0, -4 - deep),
                   (-1, 0, -4 - deep))  # fmt: skip
    level = camera_at(30, 0, 0, 0)
    straight_on = seen(level, (-1, 0, -4), (-1 + wide, 0, -4), (-1 + wide, 0, -4 - deep),
                       (-1, 0, -4 - deep))  # fmt: skip
    # looking straight on, the sides alone leave it open; what they measure closes it
    shape = Rectangle(id="rectangle-1", headings=("across", "away"), points=straight_on)
    posts = [("up", seen(level, (x, 0, -6), (x, 2, -6))) for x in (-2.0, 2.0)]
    assert isinstance(solve(posts, WIDTH, HEIGHT, rectangles=[shape]), Unsettled)
    known = shape.model_copy(update={"aspect": aspect})
    lens = found(posts, rectangles=[known])
    assert lens.focal_px == pytest.approx(level.focal_px, rel=1e-3)
    # and where the headings carry it, the proportions are read off
    other = Rectangle(id="rectangle-1", headings=("across", "away"), points=corners)
    tilted = [("up", seen(camera, (x, 0, -6), (x, 2, -6))) for x in (-2.0, 2.0)]
    lens = found(tilted, rectangles=[other])
    assert measured_aspect(lens, other) == pytest.approx(aspect, rel=1e-3)


def test_a_rectangles_headings_are_found_without_being_told(demo_scene):
    camera = camera_at(32, 4, 1, 20)
    rng = np.random.default_rng(43)
    sighting = demo_scene.sighting.model_copy(
        update={
            "traces": tuple(
                t.model_copy(update={"heading": h, "points": tuple(p)})
                for t, (h, p) in zip(
                    demo_scene.sighting.traces, made_traces(rng, camera, 9), strict=False
                )
            )[:9]
        }
    )
    window = seen(camera, (3, 1, -6), (3, 1, -8), (3, 2.2, -8), (3, 2.2, -6))
    shuffled = (window[0], window[2], window[1], window[3])
    ways = headings_of_rectangle(in_order(shuffled), None, sighting, WIDTH, HEIGHT)
    assert set(ways) == {"away", "up"}
    floor = seen(camera, (1, 0, -5), (2, 0, -5), (2, 0, -7), (1, 0, -7))
    assert headings_of_rectangle(floor, None, sighting, WIDTH, HEIGHT) == ("across", "away")


def test_a_cropped_pictures_principal_point_is_found_where_three_points_carry_it():
    rng = np.random.default_rng(44)
    camera = replace(camera_at(28, 25, 2, 40), cx=WIDTH / 2 - 180, cy=HEIGHT / 2 + 140)
    traces = shaken(rng, made_traces(rng, camera, 24), 0.5)
    lens = found(traces, principal="solve")
    off = np.subtract(lens.centre, (camera.cx, camera.cy))
    assert (np.abs(off) < 4 * np.array(lens.centre_sigma)).all()
    assert max(lens.centre_sigma) < 40
    assert lens.focal_px == pytest.approx(camera.focal_px, rel=4 * lens.focal_sigma / 1000)
    held = found(traces, exact=True)
    assert abs(held.focal_px / camera.focal_px - 1) > 0.01  # in the middle it is wrong
    given = found(traces, principal=(camera.cx, camera.cy))
    assert given.focal_px == pytest.approx(camera.focal_px, rel=0.01)


def test_a_principal_point_that_is_not_carried_is_held_and_said():
    rng = np.random.default_rng(45)
    camera = camera_at(35, 0, 0, 30)  # level: Up runs parallel
    lens = found(shaken(rng, made_traces(rng, camera, 15), 1.0), principal="solve")
    assert lens.centre == (WIDTH / 2, HEIGHT / 2)
    assert "held in the middle" in lens.held


@pytest.mark.parametrize("k1", [-0.14, -0.05, 0.12])
def test_bending_is_found_from_bent_traces(k1):
    rng = np.random.default_rng(46)
    camera = camera_at(26, 5, 2, 35)
    inside = [
        t
        for t in bent_by(made_traces(rng, camera, 24, 9), camera, k1)
        if all(0 <= x <= WIDTH and 0 <= y <= HEIGHT for x, y in t[1])
    ]
    lens = found(shaken(rng, inside, 0.5), bend="solve")
    assert lens.bend[0] == pytest.approx(k1, abs=4 * lens.bend_sigma[0])
    assert lens.bend_sigma[0] < 0.02
    assert lens.focal_px == pytest.approx(camera.focal_px, rel=0.01)
    typed = found(inside, bend=(k1, 0.0))
    assert typed.focal_px == pytest.approx(camera.focal_px, rel=1e-3)
    assert typed.bend[0] == pytest.approx(k1, rel=1e-3)


def test_a_second_bending_term_is_taken_only_where_it_is_told():
    rng = np.random.default_rng(47)
    camera = camera_at(24, 4, 1, 40)
    exact = made_traces(rng, camera, 30, 11)
    with_two = [
        t
        for t in bent_by(exact, camera, -0.25, 0.12)
        if all(0 <= x <= WIDTH and 0 <= y <= HEIGHT for x, y in t[1])
    ]
    lens = found(shaken(rng, with_two, 0.3), bend="solve")
    assert lens.bend[1] == pytest.approx(0.12, abs=4 * lens.bend_sigma[1])
    straight_ones = found(shaken(rng, exact, 1.0), bend="solve")
    assert straight_ones.bend[1] == 0.0
    assert abs(straight_ones.bend[0]) < 4 * straight_ones.bend_sigma[0]


def test_bending_never_goes_where_the_model_folds():
    rng = np.random.default_rng(48)
    camera = camera_at(24, 4, 1, 40)
    wild = [
        (n, [(x + 60 * np.sin(3 * i + j), y) for j, (x, y) in enumerate(ps)])
        for i, (n, ps) in enumerate(made_traces(rng, camera, 9, 7))
    ]
    lens = solve(wild, WIDTH, HEIGHT, bend="solve")
    if isinstance(lens, Lens):
        ratio = (WIDTH / 2 / lens.focal_px) ** 2
        k1, k2 = lens.bend[0] * ratio, lens.bend[1] * ratio * ratio
        assert not folds(k1, k2, float(np.hypot(WIDTH, HEIGHT)) / WIDTH)
    with pytest.raises(Refusal, match="folds"):
        solve(made_traces(rng, camera, 9), WIDTH, HEIGHT, bend=(-3.0, 0.0))


def test_straight_and_bent_undo_each_other():
    rng = np.random.default_rng(49)
    points = rng.uniform([0, 0], [WIDTH, HEIGHT], (200, 2))
    for k1, k2 in ((-0.2, 0.05), (0.15, 0.0), (0.0, 0.1)):
        there = bent(points, (900, 650), 1500.0, k1, k2)
        assert np.allclose(straight(there, (900, 650), 1500.0, k1, k2), points, atol=1e-6)


def test_the_flat_plate_is_flat_and_holds_the_whole_bent_one():
    k1, focal, centre = -0.15, 800.0, (480.0, 320.0)
    left, top, width, height = flat_frame(960, 640, centre, focal, k1, 0.0)
    assert (left, top) < (0, 0)
    assert width > 960
    x, y = np.meshgrid(np.arange(960) + 0.5, np.arange(640) + 0.5)
    flat = straight(np.stack([x, y], -1).reshape(-1, 2), centre, focal, k1, 0.0)
    ramp = np.clip(flat[:, 0].reshape(640, 960) / 960 * 200 + 20, 0, 255).astype(np.uint8)
    made = flattened(np.dstack([ramp] * 3), centre, focal, k1, 0.0, (left, top, width, height))
    column = made[:, width // 3, 0].astype(float)
    inside = column[60:-60]
    assert np.ptp(inside) <= 2  # what was a bent stripe is upright


def test_trust_takes_a_heading_out_of_the_answer():
    rng = np.random.default_rng(50)
    a, b = camera_at(35, -3, 0, 32), camera_at(24, -3, 0, 32)
    traces = [t for t in made_traces(rng, a, 12) if t[0] != "away"]
    traces += [t for t in made_traces(rng, b, 12) if t[0] == "away"]
    mixed = found(traces)
    assert abs(mixed.focal_px / a.focal_px - 1) > 0.03
    trusting = found(traces, trust=[0.0 if t[0] == "away" else 1.0 for t in traces])
    assert trusting.focal_px == pytest.approx(a.focal_px, rel=1e-3)
    assert not trusting.disagrees.any()  # not trusted is not the same as disagreeing
    assert isinstance(solve(traces, WIDTH, HEIGHT, trust=[0.0] * len(traces)), Unsettled)


def test_a_level_horizon_is_level_and_costs_fit():
    rng = np.random.default_rng(51)
    traces = shaken(rng, made_traces(rng, camera_at(35, 4, 2.5, 25), 15), 0.5)
    free, level = found(traces), found(traces, level=True)
    assert free.angles()[0][1] == pytest.approx(2.5, abs=0.3)
    assert level.angles()[0][1] == pytest.approx(0.0, abs=0.01)
    assert level.fit_px > free.fit_px


def test_what_is_out_of_the_ordinary_is_pointed_out():
    rng = np.random.default_rng(52)
    focal = focal_px_from_35mm(16, 1280, 1920)
    camera = Camera.centred(1280, 1920, focal, rotation_of(3, 0, 30), EYE)
    lens = solve(made_traces(rng, camera, 12), 1280, 1920)
    assert isinstance(lens, Lens)
    assert any("upright picture" in words for words in odd_numbers(lens, None))
    assert odd_numbers(found(made_traces(rng, camera_at(35, 3, 0, 30), 12)), None) == []


def test_the_sigmas_of_tilt_roll_and_focal_are_true():
    rng = np.random.default_rng(53)
    camera = camera_at(35, 5, 2, 30)
    exact = made_traces(rng, camera, 18)
    off = []
    for _ in range(120):
        lens = found(shaken(rng, exact, 1.0), exact=True)
        (tilt, roll, _), (a, b, _) = lens.angles()
        off.append(
            [(tilt - 5) / a, (roll - 2) / b, (lens.focal_px - camera.focal_px) / lens.focal_sigma]
        )
    spread = np.sqrt((np.array(off) ** 2).mean(axis=0))
    assert (spread > 0.75).all()
    assert (spread < 1.3).all()
