"""Edges found in pictures, lines pulled onto them, and what is proposed, against truths."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from jade_lantern.core.camera import Camera, tilt_roll_yaw
from jade_lantern.core.change import changed
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.scene.edits import SetPrincipal, apply
from jade_lantern.core.scene.model import Scene
from jade_lantern.core.scene.plate import Plate
from jade_lantern.core.sight.lens import Lens, Unsettled
from jade_lantern.core.sight.look import Look
from jade_lantern.core.sight.propose import (
    DrawTrace,
    FollowEdge,
    TakeAdvised,
    TakeSpread,
    heading_along,
    proposal,
)
from jade_lantern.core.sight.pull import pulled_points
from jade_lantern.core.sight.sighted import lens_of_scene
from jade_lantern.core.sight.sorting import headings_under
from jade_lantern.demo.companions import BAY, GABLES, bay, cropped, gables
from jade_lantern.demo.project import EDGES, seen, untouched
from jade_lantern.demo.world import lens as truth
from tests.pictures import AtHand

# which of the demo's edges are steps of lightness or colour, and not grooves or shadows
STEPS = (0, 1, 3, 4, 5, 9)


@pytest.fixture(scope="module")
def look(still) -> Look:
    return Look(still.pixels)


@pytest.fixture(scope="module")
def plain(still_file) -> Scene:
    return untouched(still_file.read_bytes())


@pytest.fixture(scope="module")
def gable_picture(painted):
    path = painted / "gables.png"
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True)
        cv2.imwrite(str(path), cv2.cvtColor(gables(), cv2.COLOR_RGB2BGR))
    return cv2.cvtColor(cv2.imread(str(path)), cv2.COLOR_BGR2RGB)


def drawn_edge(angle: float, offset: float, low=60, high=180, size=400) -> np.ndarray:
    """A picture of one step along a line, box filtered exactly; the line runs through the middle
    turned by angle (degrees), shifted across itself by offset (px)."""
    fine = 8
    at = (np.arange(size * fine) + 0.5) / fine - size / 2
    x, y = np.meshgrid(at, at)
    a = np.radians(angle)
    side = (-np.sin(a) * x + np.cos(a) * y) > offset
    grey = np.where(side, float(high), float(low))
    return grey.reshape(size, fine, size, fine).mean(axis=(1, 3))


def ends_along(angle: float, offset: float, half=130.0, size=400):
    a = np.radians(angle)
    u, n = np.array([np.cos(a), np.sin(a)]), np.array([-np.sin(a), np.cos(a)])
    middle = np.array([size / 2, size / 2]) + n * offset
    return middle - half * u, middle + half * u, n


@pytest.mark.parametrize(("angle", "offset"), [(0, 0.25), (17, -0.4), (45, 0.15), (88, 0.5)])
def test_a_line_is_pulled_onto_a_step_to_a_hundredth_of_a_pixel(angle, offset):
    grey = np.rint(drawn_edge(angle, offset)).astype(np.uint8)
    a, b, n = ends_along(angle, offset)
    got = pulled_points([grey], [tuple(a + 2.5 * n), tuple(b - 3 * n)], 4.0)
    assert got is not None
    off = [float((np.array(p) - q) @ n) for p, q in zip(got, (a, b), strict=True)]
    assert np.abs(off).max() < 0.03


def test_what_crosses_an_edge_does_not_pull_it():
    rng = np.random.default_rng(1)
    grey = drawn_edge(20, 0.0)
    a, b, n = ends_along(20, 0.0)
    for _ in range(12):
        p = a + (b - a) * rng.uniform(0.05, 0.95) + rng.normal(0, 25, 2)
        q = p + rng.uniform(-1, 1, 2) * 60
        cv2.line(grey, tuple(np.int32(p)), tuple(np.int32(q)), rng.uniform(0, 255), 3)
    noisy = np.clip(grey + rng.normal(0, 4, grey.shape), 0, 255).astype(np.uint8)
    got = pulled_points([noisy], [tuple(a - 2 * n), tuple(b + 2 * n)], 4.0)
    assert got is not None
    assert max(abs(float((np.array(p) - q) @ n)) for p, q in zip(got, (a, b), strict=True)) < 0.15


def test_nothing_is_pulled_where_there_is_no_edge():
    rng = np.random.default_rng(2)
    noise = (128 + rng.normal(0, 3, (400, 400))).astype(np.uint8)
    assert pulled_points([noise], [(50.0, 200.0), (350.0, 210.0)], 4.0) is None


def test_an_edge_between_two_colours_of_one_lightness_is_seen():
    step = drawn_edge(10, 0.2, 0, 1)
    pixels = np.zeros((400, 400, 3))
    for i, (low, high) in enumerate(((150, 60), (90, 136), (80, 80))):
        pixels[..., i] = low + (high - low) * step
    look = Look(np.rint(pixels).astype(np.uint8))
    assert np.ptp(look.lightness) < 4
    a, b, n = ends_along(10, 0.2)
    got = pulled_points(look.planes, [tuple(a + 2 * n), tuple(b + 2 * n)], 4.0)
    assert got is not None
    assert abs(float((np.array(got[0]) - a) @ n)) < 0.1


def test_traces_drawn_three_pixels_off_come_onto_the_demo_stills_edges(look):
    rng = np.random.default_rng(3)
    camera, off = truth(), []
    for i in STEPS:
        _, p, q = EDGES[i]
        a, b = np.array(seen(camera, p)), np.array(seen(camera, q))
        n = np.array([-(b - a)[1], (b - a)[0]]) / np.hypot(*(b - a))
        for _ in range(8):
            drawn = [tuple(a + n * rng.uniform(-3, 3)), tuple(b + n * rng.uniform(-3, 3))]
            got = pulled_points(look.planes, drawn, 4.0)
            assert got is not None, i
            off += [(np.array(got[0]) - a) @ n, (np.array(got[1]) - b) @ n]
    assert np.sqrt(np.mean(np.square(off))) < 0.3


def test_the_found_edges_run_to_the_true_vanishing_points(look):
    camera, found = truth(), look.found
    lens, which = look.sorting.lens, look.sorting.which
    assert isinstance(lens, Lens)
    assert (which >= 0).sum() > 300
    m = (found.ends[:, :2] + found.ends[:, 2:]) / 2
    along = found.ends[:, 2:] - found.ends[:, :2]
    angles = []
    for i in np.nonzero(which >= 0)[0]:
        way = np.zeros(3)
        way[which[i]] = 1.0
        v = camera.projection() @ way
        to = v[:2] - m[i] * v[2]
        cross = to[0] * along[i, 1] - to[1] * along[i, 0]
        angles.append(np.degrees(np.arcsin(abs(cross) / np.hypot(*to) / np.hypot(*along[i]))))
    assert np.median(angles) < 0.1
    assert np.percentile(angles, 95) < 1.0


def test_unattended_the_demo_still_is_sighted(look):
    lens = look.sorting.lens
    camera = truth()
    assert isinstance(lens, Lens)
    assert lens.focal_px == pytest.approx(camera.focal_px, rel=0.03)
    tilt, roll, _ = tilt_roll_yaw(camera.rotation)
    assert lens.angles()[0][0] == pytest.approx(tilt, abs=0.5)
    assert lens.angles()[0][1] == pytest.approx(roll, abs=0.5)


def test_unattended_the_gables_are_sighted(gable_picture):
    lens = Look(gable_picture).sorting.lens
    assert isinstance(lens, Lens)
    assert lens.focal_px == pytest.approx(GABLES.focal_px, rel=0.03)
    assert lens.angles()[0][0] == pytest.approx(20, abs=0.5)
    assert lens.angles()[0][1] == pytest.approx(2, abs=0.5)


def spread_taken(look: Look, camera: Camera) -> Scene:
    """A new project on a picture, with a good spread of its edges taken."""
    plate = Plate(name="p.png", width=camera.width, height=camera.height, digest="0" * 64,
                  format="PNG", bits=8)  # fmt: skip
    return changed(Scene(name="Spread", plate=plate), TakeSpread(), AtHand(look))[1]


@pytest.mark.parametrize(("left", "top"), [(240, 130), (400, 0), (0, 300)])
def test_a_cropped_picture_shows_it_by_its_third_heading(gable_picture, left, top):
    part, camera = cropped(gable_picture, GABLES, left, top)
    look = Look(part)
    lens, which = look.sorting.lens, look.sorting.which
    assert isinstance(lens, Lens)
    assert lens.focal_px == pytest.approx(camera.focal_px, rel=0.005)
    assert lens.centre == pytest.approx((camera.cx, camera.cy), abs=5)
    assert (np.bincount(which[which >= 0]) >= 12).all()
    # a good spread of them shows it too, and is right once the principal point is let go
    taken = spread_taken(look, camera)
    assert taken.sighting.principal == "solve"
    _, held = changed(taken, SetPrincipal(principal=None))
    assert proposal(held, look).cropped
    assert not proposal(taken, look).cropped
    answer = lens_of_scene(taken)
    assert isinstance(answer, Lens)
    assert answer.focal_px == pytest.approx(camera.focal_px, rel=0.005)
    assert not answer.disagrees.any()


def test_a_whole_picture_does_not_seem_cropped(look, gable_picture):
    assert not proposal(spread_taken(look, truth()), look).cropped
    up = Look(gable_picture)
    assert not proposal(spread_taken(up, GABLES), up).cropped


def test_a_bay_without_straight_lines_claims_nothing():
    look = Look(bay())
    lens = look.sorting.lens
    assert isinstance(lens, Unsettled)
    scene = Scene(name="Bay", plate=Plate(name="b.png", width=BAY.width, height=BAY.height,
                                          digest="0" * 64, format="PNG", bits=8))  # fmt: skip
    assert proposal(scene, Look(np.full((200, 300, 3), 99, np.uint8))).edges == ()
    with pytest.raises(Refusal, match="No straight edge was found"):
        TakeSpread().edit_with(scene, AtHand(Look(np.full((200, 300, 3), 99, np.uint8))))


def test_a_good_spread_is_apart_balanced_and_enough(plain, look):
    scene = apply(plain, TakeSpread().edit_with(plain, AtHand(look)))
    lens = lens_of_scene(scene)
    assert isinstance(lens, Lens)
    assert lens.focal_px == pytest.approx(truth().focal_px, rel=0.02)
    counts = [sum(t.heading == h for t in scene.sighting.traces) for h in ("across", "up", "away")]
    assert min(counts) >= 5
    left = proposal(scene, look)
    for edge in left.edges[:40]:
        for t in scene.sighting.traces:
            assert max(np.abs(np.subtract((edge.a, edge.b), t.points)).max(), 0) > 1


def test_the_advice_keeps_its_promise(plain, look):
    scene = plain
    for i in (0, 3, 4, 5):
        heading, p, q = EDGES[i]
        draw = DrawTrace(heading=heading, points=(seen(truth(), p), seen(truth(), q)), reach=4.0)
        scene = apply(scene, draw.edit_with(scene, AtHand(look)))
    advice = proposal(scene, look).advice
    assert advice is not None
    assert advice.focal_sigma_then < advice.focal_sigma_now
    after = apply(scene, TakeAdvised().edit_with(scene, AtHand(look)))
    lens = lens_of_scene(after)
    assert isinstance(lens, Lens)
    # sigma itself is measured anew, so the promise is kept to within that
    assert lens.focal_sigma < 0.5 * (advice.focal_sigma_now + advice.focal_sigma_then)


def test_headings_follow_the_camera_that_is_known(demo_scene, look):
    lens = lens_of_scene(demo_scene)
    assert isinstance(lens, Lens)
    which = headings_under(look.found, lens)
    alone = look.sorting.which
    both = (which >= 0) & (alone >= 0)
    assert (which[both] == alone[both]).mean() > 0.98


def test_a_heading_is_told_by_direction(demo_scene, plain, look):
    for scene in (demo_scene, plain):
        for i, (heading, p, q) in enumerate(EDGES):
            if i == 2:  # it runs up to both Away's point and Up's, within a degree
                continue
            assert heading_along(scene, (seen(truth(), p), seen(truth(), q)), look) == heading


def test_a_bent_edge_is_followed():
    x, y = np.meshgrid(np.arange(600) + 0.5, np.arange(400) + 0.5)
    bow = 180 + 14 * ((x - 300) / 300) ** 2
    grey = np.clip((y - bow) + 0.5, 0, 1) * 120 + 60
    look = Look(np.repeat(np.rint(grey).astype(np.uint8)[..., None], 3, axis=2))
    plate = Plate(name="a.png", width=600, height=400, digest="0" * 64, format="PNG", bits=8)
    scene = Scene(name="A", plate=plate)
    draw = DrawTrace(heading="across", points=((20, 191), (580, 191)), reach=0.01)
    scene = apply(scene, draw.edit_with(scene, AtHand(look)))
    scene = apply(scene, FollowEdge(trace="trace-1", reach=14).edit_with(scene, AtHand(look)))
    points = np.array(scene.sighting.traces[0].points)
    assert len(points) >= 9
    truth_y = 180 + 14 * ((points[:, 0] - 300) / 300) ** 2
    assert np.abs(points[:, 1] - truth_y).max() < 0.25
