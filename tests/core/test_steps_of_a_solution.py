"""The steps from traces to a camera, each on its own: starts, descent, judgement, spread."""

import numpy as np
import pytest

from jade_lantern.core.camera import Camera, rotation_of, tilt_roll_yaw
from jade_lantern.core.scene.model import Sighting, Trace
from jade_lantern.core.sight import numbers, outliers, refine, starts
from jade_lantern.core.sight.crop import is_off_middle, seems_cropped
from jade_lantern.core.sight.edges import Found
from jade_lantern.core.sight.lens import Lens
from jade_lantern.core.sight.lines import HEADING_INDEX, reduce, trace_set
from jade_lantern.core.sight.misfit import PARAMETERS, vanishing
from jade_lantern.core.sight.problem import Estimate, Fit, Observed, Prior
from jade_lantern.core.sight.sighted import lens_of
from jade_lantern.core.sight.solve import solve
from jade_lantern.core.sight.spread import focal_gains, misfits_and_slopes, spread_of_edges
from jade_lantern.demo.made import HEIGHT, WIDTH, made_camera, made_traces, shaken, turned_by

HALF = WIDTH / 2
MIDDLE = (WIDTH / 2, HEIGHT / 2)


@pytest.fixture
def made():
    """A made camera, tilted and turned, and exact traces of it."""
    rng = np.random.default_rng(11)
    camera = Camera.centred(WIDTH, HEIGHT, 1500.0, rotation_of(-9, 2, 33), np.array([0, 1.6, 0.0]))
    return camera, made_traces(rng, camera, 12), rng


def reduced(laid):
    lines = np.empty((len(laid), 8))
    reduce(laid.points, laid.starts, np.zeros(2), np.zeros(2), HALF, lines)
    return lines


def truth_of(camera, heading):
    v = np.empty(3)
    vanishing(camera.rotation, camera.focal_px, heading, v)
    return v


def apart(a, b):
    """Sine between two homogeneous points, each of any length and sign."""
    a, b = a / [HALF, HALF, 1], b / [HALF, HALF, 1]
    return np.linalg.norm(np.cross(a, b)) / np.linalg.norm(a) / np.linalg.norm(b)


def test_a_vanishing_point_is_found_past_a_gross_error(made):
    camera, traces, _ = made
    lines = reduced(trace_set([t for t in traces if t[0] == "away"], MIDDLE))
    arguments = [np.ascontiguousarray(a) for a in (lines[:, :2], lines[:, 2:4])]
    best = starts.vanishing_candidates(*arguments, lines[:, 4], lines[:, 5], HALF, 8.0)
    assert apart(best[0], truth_of(camera, 2)) < 1e-6
    turned = arguments[1].copy()
    turned[0] = [-turned[0, 1], turned[0, 0]]
    best = starts.vanishing_candidates(arguments[0], turned, lines[:, 4], lines[:, 5], HALF, 8.0)
    assert apart(best[0], truth_of(camera, 2)) < 1e-6


def test_a_frame_has_the_two_directions_it_was_given(made):
    camera, _, _ = made
    a, b = (starts.ray_to(truth_of(camera, h), camera.focal_px) for h in (0, 2))
    R = starts.frame(a, b, 0, 2)
    assert np.allclose(R[:, 0], a)
    assert np.allclose(R[:, 2], b)
    assert np.linalg.det(R) == pytest.approx(1)
    assert (starts.frame(a, a, 0, 2) == 0).all()  # one direction makes no frame


def test_three_right_angles_tell_the_principal_point(made):
    camera, _, _ = made
    at = np.array([140.0, -85.0])
    points = np.zeros((3, 3, 3))
    for h in range(3):
        v = truth_of(camera, h)
        points[h, 0] = [v[0] + at[0] * v[2], v[1] + at[1] * v[2], v[2]]
    out = np.zeros(2)
    assert starts.crossing_of_heights(points, np.ones(3, np.int64), HALF, out)
    assert np.allclose(out, at, atol=1e-6)
    assert not starts.crossing_of_heights(points, np.array([1, 0, 1]), HALF, out)


def test_descent_solves_the_damped_equations():
    rng = np.random.default_rng(4)
    M = rng.normal(size=(20, PARAMETERS))
    A, g = M.T @ M, rng.normal(size=PARAMETERS)
    free = np.array([0, 1, 3, 6])
    step = np.full(PARAMETERS, 9.0)
    refine.descent(A, g, free, 0.1, step)
    part = A[np.ix_(free, free)]
    damped = part + 0.1 * np.diag(np.diag(part) + 1e-9)
    assert np.allclose(step[free], np.linalg.solve(damped, -g[free]))
    assert (np.delete(step, free) == 0).all()


def test_an_inverse_is_given_only_where_it_is_well_founded():
    rng = np.random.default_rng(6)
    M = rng.normal(size=(9, 4)) * [1e-3, 1, 10, 1e3]
    out = np.empty((4, 4))
    assert refine.inverted(M.T @ M, out)
    assert np.allclose(out @ (M.T @ M), np.eye(4), atol=1e-6)
    M[:, 3] = M[:, 0] * 5 - M[:, 1]
    assert not refine.inverted(M.T @ M, out)


@pytest.mark.parametrize("seed", range(4))
def test_refining_comes_home_from_a_rough_start(seed):
    rng = np.random.default_rng(seed)
    camera = made_camera(rng)
    laid = trace_set(made_traces(rng, camera, 9), MIDDLE)
    count = len(laid)
    away = rotation_of(*(np.array(tilt_roll_yaw(camera.rotation)) + [4.0, -3.0, 5.0]))
    observed = Observed(
        laid.points, laid.starts, laid.heading, laid.trust, np.zeros((0, 4, 2)),
        np.zeros((0, 2), np.int64), np.zeros(0), np.zeros(0), HALF, 1.2,
    )  # fmt: skip
    begin = Estimate(np.log(camera.focal_px * 1.2), away, np.zeros(2), np.zeros(2), np.zeros(0))
    fit = Fit(reduced(laid), np.empty(count), np.empty((count, 8)), np.empty((8, 8)))
    prior = Prior(np.zeros(8), np.zeros(8))
    at, loss = refine.refine(observed, begin, prior, np.arange(4), 0.0, 40, 1e-12, fit)
    assert begin.R is away  # and is left as it was
    assert np.exp(at.log_focal) == pytest.approx(camera.focal_px, rel=1e-6)
    assert turned_by(at.R, camera.rotation) < 1e-4
    assert loss < 1e-6


def test_the_grossest_trace_is_told_and_the_last_two_of_a_heading_are_spared(made):
    _, traces, rng = made
    lens = solve(shaken(rng, traces, 0.5), WIDTH, HEIGHT)
    assert isinstance(lens, Lens)
    assert lens.laid is not None
    A = np.zeros((8, 8))
    A[:4, :4] = lens.derivatives[:, :4].T @ lens.derivatives[:, :4]
    chi, lines = np.full(12, 0.25), reduced(lens.laid)
    for heading, trusted, told in ((lens.laid.heading, 12, True), (np.arange(12) // 2, 12, False)):
        chi[7] = 900.0
        worst, student = outliers.grossest(
            Fit(lines, chi, lens.derivatives, A), heading.astype(np.int64), np.ones(trusted),
            np.arange(4), np.zeros(8), 8.0, 5.5,
        )  # fmt: skip
        assert student > 5.5
        assert worst == (7 if told else -1)


def test_signs_make_a_right_handed_frame_that_stands_up(made):
    camera, _, _ = made
    for flips in ((1, -1, 1), (-1, 1, -1), (1, -1, -1), (-1, -1, -1)):
        R = np.ascontiguousarray(camera.rotation * np.array(flips, float))
        numbers.signed(R)
        assert np.linalg.det(R) == pytest.approx(1)
        assert R[1, 1] > 0
        assert R[2, 2] > 0


def test_angles_and_their_sigmas_are_those_of_many_draws(made):
    _camera, traces, rng = made
    lens = solve(shaken(rng, traces, 1.0), WIDTH, HEIGHT, exact=True)
    assert isinstance(lens, Lens)
    assert lens.angles()[0] == pytest.approx(tilt_roll_yaw(lens.rotation), abs=1e-9)
    draws = rng.multivariate_normal(np.zeros(4), lens.covariance[:4, :4], 4000)
    angles = []
    for d in draws:
        w = d[1:]
        angle = np.linalg.norm(w)
        K = np.array([[0, -w[2], w[1]], [w[2], 0, -w[0]], [-w[1], w[0], 0]])
        turn = np.eye(3) + np.sin(angle) / angle * K + (1 - np.cos(angle)) / angle**2 * K @ K
        angles.append(tilt_roll_yaw(turn @ lens.rotation))
    assert np.std(angles, axis=0) == pytest.approx(lens.angles()[1], rel=0.06)


def as_found(traces) -> Found:
    ends = np.array([[*a, *b] for _, (a, b) in traces])
    order = np.argsort(-np.hypot(ends[:, 2] - ends[:, 0], ends[:, 3] - ends[:, 1]))
    return Found(ends[order], np.ones(len(ends)), WIDTH, HEIGHT)


def test_a_spread_takes_few_edges_that_tell_nearly_all(made):
    camera, _, rng = made
    traces = made_traces(rng, camera, 90)
    found = as_found(traces)
    named = {tuple(np.ravel(points)): HEADING_INDEX[h] for h, points in traces}
    which = np.array([named[tuple(e)] for e in found.ends])
    taken = spread_of_edges(found, which, camera.rotation, camera.focal_px, 6)
    assert len(set(taken.tolist())) == len(taken)
    assert np.bincount(which[taken]).max() <= 6
    m, d, length = found.lines_from(found.middle)
    _, slopes = misfits_and_slopes(
        m, d, length, which, camera.rotation, np.zeros(0), camera.focal_px
    )

    def sigma(of):
        return np.sqrt(np.linalg.inv(slopes[of].T @ slopes[of])[0, 0])

    chance = [sigma(rng.choice(90, len(taken), replace=False)) for _ in range(200)]
    assert sigma(taken) < np.percentile(chance, 2)


def test_the_gain_of_an_edge_is_what_it_takes_off_the_variance(made):
    _camera, traces, rng = made
    lens = solve(shaken(rng, traces, 1.0), WIDTH, HEIGHT, exact=True)
    assert isinstance(lens, Lens)
    slope = rng.normal(0, 50, (1, 4))
    gain, _ = focal_gains(slope, lens)
    before = np.linalg.inv(lens.noise[:4, :4])
    after = np.linalg.inv(before + slope.T @ slope / lens.sigma_px**2)
    assert gain[0] == pytest.approx(lens.noise[0, 0] - after[0, 0], rel=1e-6)


@pytest.mark.parametrize(("left", "cropped"), [(0.0, False), (260.0, True)])
def test_a_crop_is_told_by_traces_that_ask_for_another_middle(made, left, cropped):
    camera, _, rng = made
    tilted = Camera.centred(WIDTH, HEIGHT, 1300, rotation_of(24, 3, 38), camera.position)
    traces = shaken(rng, made_traces(rng, tilted, 30), 0.4)
    width = int(WIDTH - left)
    moved = [
        (h, [(x - left, y) for x, y in ps]) for h, ps in traces if min(p[0] for p in ps) > left
    ]
    sighting = Sighting(
        traces=tuple(
            Trace(id=f"t-{i}", heading=h, points=tuple(p)) for i, (h, p) in enumerate(moved)
        )
    )
    lens = lens_of(sighting, width, HEIGHT)
    assert isinstance(lens, Lens)
    assert seems_cropped(sighting, lens) == cropped
    freed = lens_of(sighting.model_copy(update={"principal": "solve"}), width, HEIGHT)
    assert isinstance(freed, Lens)
    assert is_off_middle(freed) == cropped
