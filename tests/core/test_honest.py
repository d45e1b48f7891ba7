"""What is stated as a number's ± holds the truth, also where the principal point is off the middle
and the lens bends a little, as a photograph's do; gross traces do not carry the answer away."""

import cv2
import numpy as np
import pytest

from jade_lantern.core.camera import Camera, tilt_roll_yaw
from jade_lantern.core.scene.edits import AddTrace, SetMade, apply
from jade_lantern.core.scene.model import Scene
from jade_lantern.core.scene.plate import Plate
from jade_lantern.core.sight.edges import found_in
from jade_lantern.core.sight.lens import Lens
from jade_lantern.core.sight.look import Look
from jade_lantern.core.sight.propose import proposal
from jade_lantern.core.sight.reading import reading
from jade_lantern.core.sight.sighted import lens_of
from jade_lantern.core.sight.solve import solve
from jade_lantern.core.sight.sorting import sort_edges
from jade_lantern.demo.made import (
    HEIGHT,
    WIDTH,
    bent_by,
    bound,
    made_camera,
    made_traces,
    shaken,
)
from jade_lantern.demo.photographs import made_photograph


def off_middle(rng: np.random.Generator) -> Camera:
    """A camera whose principal point lies as far off the middle as a photograph's does."""
    c = made_camera(rng)
    x, y = rng.normal(0, 0.01 * WIDTH, 2)
    return Camera(WIDTH, HEIGHT, c.focal_px, c.rotation, c.position, c.cx + x, c.cy + y)


def inside(traces):
    size = np.array([WIDTH, HEIGHT])
    return [(h, [tuple(np.clip(p, 0, size)) for p in ps]) for h, ps in traces]


def test_the_truth_lies_within_what_is_stated_of_photographs():
    rng = np.random.default_rng(31)
    off = []
    while len(off) < 150:
        camera = off_middle(rng)
        k1 = float(np.clip(rng.normal(0, 0.03), -0.08, 0.08))
        traces = bent_by(made_traces(rng, camera, int(rng.integers(8, 13))), camera, k1)
        lens = solve(inside(shaken(rng, traces, 1.0)), WIDTH, HEIGHT)
        if not isinstance(lens, Lens) or lens.focal_sigma > 0.3 * lens.focal_px:
            continue
        (tilt, roll, _), (tilt_sigma, roll_sigma, _) = lens.angles()
        true_tilt, true_roll, _ = tilt_roll_yaw(camera.rotation)
        share = np.log(lens.focal_px / camera.focal_px) * lens.focal_px / lens.focal_sigma
        off.append([share, (tilt - true_tilt) / tilt_sigma, (roll - true_roll) / roll_sigma])
    within = np.abs(np.array(off))
    assert ((within < 3).mean(axis=0) >= 0.95).all()
    assert ((within < 2).mean(axis=0) >= 0.9).all()


def test_a_renderers_picture_is_known_as_exactly_as_its_traces_say():
    rng = np.random.default_rng(2)
    camera = made_camera(rng)
    traces = shaken(rng, made_traces(rng, camera, 12), 1.0)
    photo, render = (solve(traces, WIDTH, HEIGHT, exact=e) for e in (False, True))
    given = solve(traces, WIDTH, HEIGHT, principal=(WIDTH / 2, HEIGHT / 2), bend=(0.0, 0.0))
    assert isinstance(photo, Lens)
    assert isinstance(render, Lens)
    assert isinstance(given, Lens)
    assert photo.focal_px == render.focal_px
    assert photo.focal_sigma > 1.5 * render.focal_sigma
    assert given.focal_sigma == pytest.approx(render.focal_sigma, rel=1e-6)


def test_wherever_three_of_four_are_good_the_answer_is_theirs():
    rng = np.random.default_rng(5)
    errors, named, wrong_ones = [], 0, 0
    while len(errors) < 100:
        camera = made_camera(rng)
        exact = made_traces(rng, camera, 12)
        traces = shaken(rng, exact, 1.0)
        wrong = [
            int(rng.choice([i for i, t in enumerate(traces) if t[0] == h]))
            for h in ("across", "up", "away")
        ]
        for i in wrong:
            heading, (a, b) = traces[i]
            along = np.subtract(b, a) / np.hypot(*np.subtract(b, a))
            aside = np.array([-along[1], along[0]]) * rng.uniform(20, 200) * rng.choice([-1, 1])
            traces[i] = (heading, [a, (b[0] + aside[0], b[1] + aside[1])])
        least = bound(camera, [t for i, t in enumerate(exact) if i not in wrong], 1.0)
        if least > 0.1:
            continue
        lens = solve(traces, WIDTH, HEIGHT, exact=True)
        assert isinstance(lens, Lens), lens
        errors.append(abs(np.log(lens.focal_px / camera.focal_px)) / least)
        named += len(set(np.nonzero(lens.disagrees)[0].tolist()) & set(wrong))
        wrong_ones += len(wrong)
    assert np.mean(np.array(errors) < 10) >= 0.99
    assert named >= 0.95 * wrong_ones


@pytest.mark.parametrize("seed", [1, 2, 13, 16, 37])
def test_a_made_photograph_is_sighted_by_its_own_edges(seed):
    made = made_photograph(np.random.default_rng(seed))
    lens = sort_edges(found_in(cv2.cvtColor(made.pixels, cv2.COLOR_RGB2GRAY))).lens
    assert isinstance(lens, Lens)
    assert lens.focal_px == pytest.approx(made.camera.focal_px, rel=0.1)
    tilt, roll, _ = tilt_roll_yaw(made.camera.rotation)
    assert lens.angles()[0][:2] == pytest.approx((tilt, roll), abs=1)


@pytest.mark.parametrize("kind", ["noise", "one colour", "text"])
def test_what_shows_no_place_is_said_and_not_guessed(kind):
    rng = np.random.default_rng(3)
    picture = np.full((600, 900, 3), 200, np.uint8)
    if kind == "noise":
        picture = rng.integers(0, 256, picture.shape, dtype=np.uint8)
    if kind == "text":
        for y in range(40, 600, 28):
            words = "".join(chr(int(c)) for c in rng.integers(97, 123, 60))
            cv2.putText(picture, words, (20, y), cv2.FONT_HERSHEY_SIMPLEX, 0.7, (20, 20, 20), 1)
    look = Look(picture)
    assert not isinstance(look.sorting.lens, Lens)
    said = proposal(Scene(name="s", plate=plate_of(900, 600)), look)
    assert not said.enough
    assert "found" in said.says


def plate_of(width: int, height: int) -> Plate:
    return Plate(name="p", width=width, height=height, digest="0" * 64, format="PNG", bits=8)


def test_verticals_alone_tell_tilt_roll_and_horizon_in_part():
    rng = np.random.default_rng(9)
    within = []
    for _ in range(40):
        camera = made_camera(rng)
        ups = [t for t in made_traces(rng, camera, 24) if t[0] == "up"][:4]
        scene = apply(Scene(name="s", plate=plate_of(WIDTH, HEIGHT)), SetMade(made="render"))
        for _, (a, b) in shaken(rng, ups, 0.5):
            scene = apply(scene, AddTrace(heading="up", points=inside([("up", [a, b])])[0][1]))
        read = reading(scene)
        assert read.verdict == "Open"
        assert read.focal_px is None
        assert read.tilt_deg is not None
        assert read.roll_deg is not None
        tilt, roll, _ = tilt_roll_yaw(camera.rotation)
        within.append(
            [
                abs(read.tilt_deg.value - tilt) < 2 * read.tilt_deg.sigma,
                abs(read.roll_deg.value - roll) < 2 * read.roll_deg.sigma,
            ]
        )
    assert (np.mean(within, axis=0) >= 0.85).all()


def test_a_bend_and_a_shift_that_photographs_have_do_not_lead_astray():
    rng = np.random.default_rng(41)
    errors = {True: [], False: []}
    for _ in range(60):
        camera = off_middle(rng)
        k1 = float(rng.choice([-0.06, 0.06]))
        traces = bent_by(made_traces(rng, camera, 36), camera, k1)
        for exact, out in errors.items():
            lens = solve(inside(shaken(rng, traces, 0.4)), WIDTH, HEIGHT, exact=exact)
            assert isinstance(lens, Lens)
            assert lens.bend == (0.0, 0.0)
            out.append(abs(np.log(lens.focal_px / camera.focal_px)))
    assert np.median(errors[False]) < 0.5 * np.median(errors[True])


def test_what_lies_on_a_found_edge_counts_for_more_than_what_a_hand_set():
    rng = np.random.default_rng(42)
    errors = []
    for _ in range(120):
        camera = made_camera(rng)
        exact = made_traces(rng, camera, 24)
        scene = Scene(name="made", plate=plate_of(WIDTH, HEIGHT))
        # half of them on edges and true, half by hand and a good deal less so
        for i, (heading, points) in enumerate(exact):
            by_hand = i % 6 > 2
            drawn = inside(shaken(rng, [(heading, points)], 3.0 if by_hand else 0.3))[0][1]
            scene = apply(scene, AddTrace(heading=heading, points=drawn, on_edge=not by_hand))
        blind = [t.model_copy(update={"on_edge": False}) for t in scene.sighting.traces]
        both = scene.sighting, scene.sighting.model_copy(update={"traces": tuple(blind)})
        lenses = [lens_of(s, WIDTH, HEIGHT) for s in both]
        errors.append([abs(np.log(a.focal_px / camera.focal_px)) for a in lenses])
    told, alike = np.sqrt(np.mean(np.square(errors), axis=0))
    assert told < 0.85 * alike


def test_the_focal_length_that_a_file_tells_decides_between_two_cameras():
    made = made_photograph(np.random.default_rng(328), 1400)
    gray = cv2.cvtColor(made.pixels, cv2.COLOR_RGB2GRAY)
    mm = made.camera.focal_px / max(gray.shape) * 36
    assert not isinstance(sort_edges(found_in(gray)).lens, Lens)
    told = Look(made.pixels, mm).sorting.lens
    assert isinstance(told, Lens)
    assert abs(np.log(told.focal_px / made.camera.focal_px)) < 0.1
