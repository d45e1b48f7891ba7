"""Level directions at a turn of their own: found with the camera, with their turn and its ±."""

import numpy as np
import pytest

from jade_lantern.core.block.gestures import TurnAlong
from jade_lantern.core.change import changed
from jade_lantern.core.proxy import Box
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.scene.edits import (
    AddTape,
    AddTraces,
    NewTrace,
    SetDatum,
    SetEyeHeight,
    SetHeadings,
    StandProxy,
    apply,
)
from jade_lantern.core.scene.model import Scene
from jade_lantern.core.scene.plate import Plate
from jade_lantern.core.sight.bound import slope_at
from jade_lantern.core.sight.lens import Lens, Unsettled
from jade_lantern.core.sight.reading import reading
from jade_lantern.core.sight.request import answered
from jade_lantern.core.sight.settle import TurnWays
from jade_lantern.core.sight.sighted import lens_of_scene
from jade_lantern.core.sight.solve import solve
from jade_lantern.core.sight.split import seems_split
from jade_lantern.demo.made import HEIGHT, WIDTH, made_camera, made_traces, shaken, traces_along

TURNS = {"A": 31.0, "B": 118.0}


def level(turn):
    """The world's direction at a turn, degrees from Across towards Away."""
    a = np.radians(turn)
    return np.array([np.cos(a), 0.0, -np.sin(a)])


def of_bearings(rng, camera, each=4, turns=TURNS):
    return [t for b, turn in turns.items() for t in traces_along(rng, camera, b, level(turn), each)]


def only(traces, *ways):
    return [t for t in traces if t[0] in ways]


def apart(a, b):
    """Degrees between two turns, which are the same half round."""
    return abs((a - b + 90) % 180 - 90)


@pytest.mark.parametrize("seed", range(6))
def test_bearings_are_found_with_their_turns(seed):
    rng = np.random.default_rng(seed)
    camera = made_camera(rng)
    lens = solve(made_traces(rng, camera, 9) + of_bearings(rng, camera), WIDTH, HEIGHT)
    assert isinstance(lens, Lens)
    assert lens.focal_px == pytest.approx(camera.focal_px, rel=1e-5)
    for letter, turn in TURNS.items():
        assert apart(lens.bearings[letter][0], turn) < 1e-3
    assert lens.fit_px < 1e-3


@pytest.mark.parametrize("ways", [("across", "up"), ("away", "up")])
def test_a_bearing_stands_in_for_a_heading_that_nothing_is_traced_along(ways):
    rng = np.random.default_rng(11)
    for _ in range(5):
        camera = made_camera(rng)
        level_one = only(made_traces(rng, camera, 9), ways[0])[:1]
        upright = only(made_traces(rng, camera, 9), "up")
        traces = level_one + upright + of_bearings(rng, camera, 3, {"A": 31.0})
        lens = solve(traces, WIDTH, HEIGHT, (camera.focal_px, 0.0))
        assert isinstance(lens, Lens)
        assert apart(lens.bearings["A"][0], 31.0) < 0.05
        assert np.degrees(np.arccos(np.clip((np.trace(lens.rotation.T @ camera.rotation) - 1) / 2,
                                            -1, 1))) < 0.1  # fmt: skip


def test_the_turn_and_its_uncertainty_hold_the_truth_and_reach_the_bound():
    rng = np.random.default_rng(3)
    off, focal = [], []
    while len(off) < 150:
        camera = made_camera(rng)
        exact = made_traces(rng, camera, 9) + of_bearings(rng, camera, 3, {"A": 31.0})
        lens = solve(shaken(rng, exact, 1.0), WIDTH, HEIGHT, exact=True)
        if not isinstance(lens, Lens) or lens.focal_sigma > 0.15 * lens.focal_px:
            continue
        turn, sigma = lens.bearings["A"]
        off.append(((turn - 31.0 + 90) % 180 - 90) / sigma)
        focal.append(np.log(lens.focal_px / camera.focal_px) * lens.focal_px / lens.focal_sigma)
    assert 0.9 <= np.mean(np.abs(off) < 2) <= 0.995
    assert 0.9 <= np.mean(np.abs(focal) < 2) <= 0.995


def test_a_bearing_makes_the_horizon_surer():
    rng = np.random.default_rng(8)
    camera = made_camera(rng)
    traces = only(made_traces(rng, camera, 9), "across", "up")
    more = of_bearings(rng, camera, 4, {"A": 31.0})
    without = solve(traces, WIDTH, HEIGHT, (camera.focal_px, 0.0), exact=True)
    with_it = solve(traces + more, WIDTH, HEIGHT, (camera.focal_px, 0.0), exact=True)
    assert isinstance(without, Lens)
    assert isinstance(with_it, Lens)
    assert with_it.numbers[9] < 0.9 * without.numbers[9]
    assert with_it.laid is not None
    # the turn's own information, by the same kernel at the true camera
    A, _, _ = slope_at(with_it.laid, np.log(camera.focal_px), camera.rotation, np.zeros(4),
                       WIDTH / 2, turns=np.radians([31.0]))  # fmt: skip
    free = [1, 2, 3, 8]
    held = np.linalg.inv(A[np.ix_(free, free)])
    sigma = np.degrees(np.sqrt(held[3, 3])) * with_it.sigma_px
    assert with_it.bearings["A"][1] == pytest.approx(sigma, rel=0.02)


def test_a_gross_trace_of_a_bearing_is_named():
    rng = np.random.default_rng(4)
    named = 0
    for _ in range(40):
        camera = made_camera(rng)
        exact = made_traces(rng, camera, 12) + of_bearings(rng, camera, 5, {"A": 31.0})
        traces = shaken(rng, exact, 0.7)
        letter, points = traces[-1]
        (x0, y0), (x1, y1) = points
        traces[-1] = letter, [(x0 - (y1 - y0) * 0.3, y0 + (x1 - x0) * 0.3), (x1, y1)]
        lens = solve(traces, WIDTH, HEIGHT)
        named += isinstance(lens, Lens) and bool(lens.disagrees[-1])
    assert named >= 38


def test_only_bearings_are_not_a_world():
    rng = np.random.default_rng(5)
    camera = made_camera(rng)
    lens = solve(of_bearings(rng, camera), WIDTH, HEIGHT)
    assert isinstance(lens, Unsettled)
    assert "Across or Away" in lens.reason
    lens = solve(only(made_traces(rng, camera, 9), "across") + of_bearings(rng, camera),
                 WIDTH, HEIGHT)  # fmt: skip
    assert isinstance(lens, Unsettled)
    assert "trace Up" in lens.reason


def scene_of(traces) -> Scene:
    plate = Plate(name="made", width=WIDTH, height=HEIGHT, digest="0" * 64, format="PNG", bits=8)
    drawn = tuple(NewTrace(heading=h, points=tuple(ps)) for h, ps in traces)
    return apply(Scene(name="made", plate=plate), AddTraces(traces=drawn))


def test_traces_of_one_heading_that_run_two_ways_are_proposed_as_a_bearing():
    rng = np.random.default_rng(12)
    told = 0
    for _ in range(20):
        camera = made_camera(rng)
        turned = [("across", ps) for _, ps in traces_along(rng, camera, "", level(16.0), 3)]
        traces = shaken(rng, made_traces(rng, camera, 12) + turned, 0.5)
        scene = scene_of(traces)
        lens = lens_of_scene(scene)
        assert isinstance(lens, Lens)
        split = seems_split(scene.sighting, lens)
        if split is None:
            continue
        mine = {t.id for t in scene.sighting.traces[-3:]}
        told += set(split.traces) == mine and split.heading == "across"
        mended = apply(scene, SetHeadings(traces=split.traces, heading=split.letter))
        now = lens_of_scene(mended)
        assert isinstance(now, Lens)
        assert not now.disagrees.any()
        if set(split.traces) == mine:
            assert apart(now.bearings["A"][0], 16.0) < 3 * now.bearings["A"][1] + 0.2
    assert told >= 16


def test_traces_that_agree_are_not_split():
    rng = np.random.default_rng(13)
    for _ in range(40):
        camera = made_camera(rng)
        scene = scene_of(shaken(rng, made_traces(rng, camera, 14), 1.0))
        lens = lens_of_scene(scene)
        assert isinstance(lens, Unsettled) or seems_split(scene.sighting, lens) is None


def test_a_box_is_stood_along_a_bearing_and_stays_so_when_the_headings_turn():
    rng = np.random.default_rng(14)
    camera = made_camera(rng)
    scene = scene_of(made_traces(rng, camera, 9) + of_bearings(rng, camera, 3, {"A": 31.0}))
    foot, _ = camera.project(camera.position * [1, 0, 1] + camera.forward * [6, 0, 6])
    scene = apply(scene, SetDatum(point=(float(foot[0]), min(float(foot[1]), HEIGHT - 1.0))))
    scene = apply(scene, SetEyeHeight(metres=1.6))
    box = Box(id="box-0", name="crate", width_m=1, depth_m=1, height_m=1, turn_deg=-100.0)
    scene = apply(scene, StandProxy(proxy=box))
    _, scene = changed(scene, TurnAlong(proxy=scene.proxies[0].id, way="A"))
    assert apart(scene.proxies[0].turn_deg, 31.0) < 0.01
    assert abs(scene.proxies[0].turn_deg - -100.0) <= 90
    read = next(h for h in reading(scene).headings if h.heading == "A")
    assert (read.count, read.turn_deg) == (3, pytest.approx(31.0, abs=0.01))
    # a size that is known twice has its uncertainty, bearings or not
    x, y = float(foot[0]), min(float(foot[1]), HEIGHT - 1.0)
    _, taped = changed(scene, AddTape(points=((x, y), (x + 60.0, y)), length_m=1.0))
    height = reading(taped).eye_height_m
    assert height is not None
    assert height.sigma > 0
    with pytest.raises(Refusal, match="Nothing level"):
        changed(scene, TurnAlong(proxy=scene.proxies[0].id, way="Q"))
    _, turned = changed(scene, TurnWays(by="left"))
    lens = lens_of_scene(turned)
    assert isinstance(lens, Lens)
    assert apart(turned.proxies[0].turn_deg, lens.bearings["A"][0]) < 0.01


def test_a_request_may_have_bearings():
    rng = np.random.default_rng(15)
    camera = made_camera(rng)
    traces = made_traces(rng, camera, 9) + of_bearings(rng, camera, 3, {"C": 31.0})
    asked = {
        "image": {"width": WIDTH, "height": HEIGHT},
        "traces": [{"heading": h, "points": ps} for h, ps in traces],
    }
    told = answered(asked)
    assert told["bearings"]["C"]["turn_deg"] == pytest.approx(31.0, abs=0.01)
    assert told["bearings"]["C"]["turn_deg_sigma"] > 0
    asked["traces"][0]["heading"] = "sideways"
    assert "heading" in answered(asked)["error"]
