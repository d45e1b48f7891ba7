"""What a person does in Sight beyond tracing: rectangles, corners, trust, by eye, zero and size,
kept sightings, and a sighting changed under what is built."""

from __future__ import annotations

import numpy as np
import pytest

from jade_lantern.core.block.gestures import Stand
from jade_lantern.core.block.miss import misses_under
from jade_lantern.core.camera import focal_px_from_35mm
from jade_lantern.core.change import changed
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.scene.document import as_text, read
from jade_lantern.core.scene.edits import (
    AcceptSighting,
    AddTape,
    AddTraces,
    AlterRectangle,
    AlterTape,
    DeleteTape,
    DeleteTrace,
    DropSighting,
    GoBackToBuilt,
    KeepSighting,
    MoveTraceEnd,
    NewTrace,
    SetBend,
    SetDatum,
    SetDistance,
    SetEyeHeight,
    SetLevel,
    SetLock,
    SetPrincipal,
    TrustHeading,
    TrustTrace,
    UseSighting,
    apply,
)
from jade_lantern.core.scene.model import Scene, Sighting
from jade_lantern.core.scene.plate import Plate
from jade_lantern.core.sight.corner import MarkCorner, meeting
from jade_lantern.core.sight.eye import PullByEye, StartByEye
from jade_lantern.core.sight.flatten import bending_back, flattening, lens_to_flatten
from jade_lantern.core.sight.lens import Lens
from jade_lantern.core.sight.measure import camera_of, placement, required_camera
from jade_lantern.core.sight.reading import reading
from jade_lantern.core.sight.rectangle import LayRectangle, opinions
from jade_lantern.core.sight.sensors import SENSORS, GiveFocal, crop_factor
from jade_lantern.core.sight.settle import TurnWays
from jade_lantern.core.sight.sighted import lens_of_scene
from jade_lantern.core.sight.tape import LayTape
from jade_lantern.demo.companions import DRAWN_BY, bent_at, bridge_lines
from jade_lantern.demo.project import DATUM, EDGES, seen
from jade_lantern.demo.world import EYE_HEIGHT_M, FACADE_X, lens

BRIDGE = Plate(name="b.png", width=DRAWN_BY.width, height=DRAWN_BY.height, digest="0" * 64,
               format="PNG", bits=8)  # fmt: skip


@pytest.fixture
def unlocked(demo_scene: Scene) -> Scene:
    return apply(demo_scene, SetLock(locked=False))


def blank() -> Scene:
    return Scene(name="Bridge", plate=BRIDGE, sighting=Sighting(made="render"))


def after(scene: Scene, *changes) -> Scene:
    for change in changes:
        _, scene = changed(scene, change)
    return scene


def test_several_edges_are_taken_at_once_and_none_twice():
    lines = [NewTrace(heading=h, points=ends) for h, ends in bridge_lines()]
    scene = after(blank(), AddTraces(traces=tuple(lines[:10])))
    assert [t.id for t in scene.sighting.traces] == [f"trace-{i}" for i in range(1, 11)]
    more = after(scene, AddTraces(traces=tuple(lines[5:15])))
    assert len(more.sighting.traces) == 15
    assert len({t.id for t in more.sighting.traces}) == 15
    with pytest.raises(Refusal, match="already"):
        changed(more, AddTraces(traces=tuple(lines[:3])))


def test_a_drawing_that_disagrees_says_so_and_trust_settles_it():
    lines = [NewTrace(heading=h, points=ends) for h, ends in bridge_lines()]
    scene = after(blank(), AddTraces(traces=tuple(lines)))
    assert reading(scene).verdict == "Rough"
    said = {frozenset(h): lens.focal_px / DRAWN_BY.focal_px for h, lens in opinions(scene)}
    assert said[frozenset(("across", "up"))] == pytest.approx(1, abs=0.03)
    assert abs(said[frozenset(("across", "away"))] - 1) > 0.05
    trusting = after(scene, TrustHeading(heading="away", trust=0))
    read_ = reading(trusting)
    assert read_.verdict in ("True", "Fair")
    assert read_.focal_px.value == pytest.approx(DRAWN_BY.focal_px, rel=0.03)
    assert after(trusting, TrustHeading(heading="away", trust=1)).sighting.trust == ()
    one = after(scene, TrustTrace(trace="trace-1", trust=0.25))
    assert one.sighting.traces[0].trust == 0.25


def test_a_hidden_corner_is_where_two_traces_meet_and_goes_with_them(unlocked):
    # the foot of the facade and the upright between two workshops meet at the datum's corner
    scene = after(unlocked, MarkCorner(traces=("trace-1", "trace-5")))
    corner = reading(scene).corners[0]
    assert np.hypot(*np.subtract(corner.at, seen(lens(), DATUM))) < 4
    assert meeting(scene.sighting, ("trace-5", "trace-1")) == pytest.approx(corner.at)
    with pytest.raises(Refusal, match="marked already"):
        changed(scene, MarkCorner(traces=("trace-5", "trace-1")))
    with pytest.raises(Refusal, match="side by side"):
        changed(scene, MarkCorner(traces=("trace-5", "trace-6")))
    assert after(scene, DeleteTrace(trace="trace-5")).sighting.corners == ()


def test_a_rectangle_is_laid_and_its_proportions_said(unlocked):
    camera = lens()
    window = [(FACADE_X, y, z) for y, z in ((1, -6), (1, -8), (2.5, -8), (2.5, -6))]
    points = tuple(seen(camera, p) for p in window)
    scene = after(unlocked, LayRectangle(points=points))
    shape = scene.sighting.rectangles[0]
    assert set(shape.headings) == {"away", "up"}
    read_ = reading(scene).rectangles[0]
    wide = 2 / 1.5 if shape.headings[0] == "away" else 1.5 / 2
    assert read_.aspect == pytest.approx(wide, rel=0.02)
    said = after(scene, AlterRectangle(rectangle=shape.id, aspect=wide))
    assert said.sighting.rectangles[0].aspect == wide
    assert (
        after(said, AlterRectangle(rectangle=shape.id, free=True)).sighting.rectangles[0].aspect
        is None
    )
    crossed = (points[0], points[2], points[1], points[3])
    with pytest.raises(Refusal, match="in order"):
        changed(scene, AlterRectangle(rectangle=shape.id, points=crossed))
    with pytest.raises(Refusal, match="different headings"):
        changed(scene, AlterRectangle(rectangle=shape.id, headings=("up", "up")))


def test_by_eye_what_is_pulled_goes_where_it_is_pulled():
    scene = after(blank(), StartByEye())
    assert scene.sighting.by_eye.focal_px == pytest.approx(
        focal_px_from_35mm(35, BRIDGE.width, BRIDGE.height)
    )
    to = (400.0, 300.0)
    scene = after(scene, PullByEye(what="horizon", start=(750, 500), end=to))
    a, b, c = reading(scene).horizon
    assert a * to[0] + b * to[1] + c == pytest.approx(0, abs=1e-6)
    middle = -(a * 750 + c) / b
    scene = after(scene, PullByEye(what="tilt", start=(1400, 300), end=(1400, 380)))
    a, b, c = reading(scene).horizon
    assert a * 1400 + b * 380 + c == pytest.approx(0, abs=1e-6)
    assert -(a * 750 + c) / b == pytest.approx(middle, abs=1e-6)
    before = scene.sighting.by_eye
    scene = after(scene, PullByEye(what="focal", start=(1350, 500), end=(1500, 500)))
    assert scene.sighting.by_eye.focal_px == pytest.approx(before.focal_px * 750 / 600)
    lens_ = lens_of_scene(scene)
    ray = lens_.camera(np.zeros(3)).rays(np.array([500.0, 900.0]))
    scene = after(scene, PullByEye(what="ground", start=(500, 900), end=(700, 900)))
    turned = lens_of_scene(scene).camera(np.zeros(3)).rays(np.array([700.0, 900.0]))
    assert np.arctan2(ray[0], -ray[2]) == pytest.approx(np.arctan2(turned[0], -turned[2]))
    read_ = reading(scene)
    assert read_.by_eye
    assert read_.verdict == "Rough"
    settled = after(scene, SetDatum(point=(700, 900)), SetEyeHeight(metres=1.6))
    assert camera_of(settled).position[1] == pytest.approx(1.6)
    level = after(settled, SetLevel(level=True))
    assert level.sighting.by_eye.roll_deg == 0


def test_by_eye_begins_where_the_traces_left_off(unlocked):
    scene = after(unlocked, StartByEye())
    eye, sighted = lens_of_scene(scene), lens_of_scene(unlocked)
    assert np.allclose(eye.rotation, sighted.rotation, atol=1e-9)
    assert eye.focal_px == sighted.focal_px


@pytest.mark.parametrize("by", ["left", "right", "round", "swap"])
def test_turning_the_headings_moves_nothing_in_the_picture(unlocked, by):
    scene = after(unlocked, TurnWays(by=by))
    then, now = required_camera(unlocked), required_camera(scene)
    for old, new in zip(unlocked.proxies, scene.proxies, strict=True):
        a, _ = then.project(old.mesh(then).points)
        b, _ = now.project(new.mesh(now).points)
        assert np.allclose(a, b, atol=0.02)
    turn = now.rotation.T @ then.rotation
    # turned left seen from above, what was Away is Across
    away_is_now = {"left": (1, 0, 0), "right": (-1, 0, 0), "round": (0, 0, 1)}.get(by)
    if away_is_now is not None:
        assert np.allclose(turn @ [0, 0, -1], away_is_now, atol=1e-5)
    else:
        assert now.forward[2] < 0  # Away still goes into the picture


def test_turned_left_and_right_again_is_as_it_was(unlocked):
    scene = after(unlocked, TurnWays(by="left"), TurnWays(by="right"))
    then, now = required_camera(unlocked), required_camera(scene)
    assert np.allclose(now.position, then.position, atol=1e-4)
    assert scene.sighting.traces == unlocked.sighting.traces


def test_an_upright_tape_measures_a_height(unlocked):
    door = ((FACADE_X, 0.0, -8.0), (FACADE_X, 2.0, -8.0))
    points = tuple(seen(lens(), p) for p in door)
    scene = after(unlocked, AddTape(points=points, length_m=2.0, on="up"))
    tape = reading(scene).tapes[-1]
    assert tape.measured_m == pytest.approx(2.0, abs=0.02)
    alone = after(
        unlocked, AddTape(points=points, length_m=2.0, on="up"), SetEyeHeight(metres=None),
        DeleteTape(tape=unlocked.sighting.tapes[0].id),
    )  # fmt: skip
    assert reading(alone).eye_height_m.value == pytest.approx(EYE_HEIGHT_M, abs=0.03)
    assert reading(alone).eye_height_m.sigma > 0


def test_known_lengths_that_disagree_share_it_out(unlocked):
    wrong = after(unlocked, AlterTape(tape=unlocked.sighting.tapes[0].id, length_m=1.65))
    read_ = reading(wrong)
    assert EYE_HEIGHT_M < read_.eye_height_m.value < 1.76
    assert read_.tapes[0].off_m < 0 < read_.eye_off_m
    assert read_.eye_height_m.sigma > 0.03


def test_a_distance_sets_the_size(unlocked):
    far = float(np.linalg.norm(required_camera(unlocked).position))
    scene = after(
        unlocked, SetDistance(metres=2 * far), SetEyeHeight(metres=None),
        DeleteTape(tape=unlocked.sighting.tapes[0].id),
    )  # fmt: skip
    camera = required_camera(scene)
    assert np.linalg.norm(camera.position) == pytest.approx(2 * far)
    assert scene.proxies[3].x == pytest.approx(2 * unlocked.proxies[3].x, rel=1e-6)


def test_a_lifted_datum_lies_at_its_height(unlocked):
    corner = (FACADE_X, 2.0, -8.0)
    scene = after(unlocked, SetDatum(point=seen(lens(), corner), level_m=2.0))
    camera = required_camera(scene)
    ray = camera.rays(np.array(scene.sighting.datum))
    at = camera.position + ray * (2.0 - camera.position[1]) / ray[1]
    assert np.allclose(at, [0, 2, 0], atol=1e-9)
    assert camera.position[1] == pytest.approx(required_camera(unlocked).position[1])
    with pytest.raises(Refusal, match="behind"):
        changed(scene, SetDatum(point=(900, 100), level_m=0.5))


def test_a_tape_on_a_proxy_keeps_to_it(unlocked):
    camera = required_camera(unlocked)
    wall = next(p for p in unlocked.proxies if p.kind == "box" and p.name.startswith("crate"))
    front = wall.mesh(camera).points
    (a, b), _ = camera.project(front[[0, 1]])
    inside = a + (b - a) * 0.1, a + (b - a) * 0.9
    up = np.array([0, -12.0])
    points = tuple((float(p[0]), float(p[1])) for p in (inside[0] + up, inside[1] + up))
    scene = after(unlocked, LayTape(points=points, length_m=0.8, on="proxy"))
    read_ = reading(scene).tapes[-1]
    wide = float(np.linalg.norm(front[1] - front[0]))
    assert read_.measured_m == pytest.approx(0.8 * wide, rel=0.03)
    bigger = after(scene, SetEyeHeight(metres=3.2))
    assert reading(bigger).tapes[-1].measured_m > 1.05 * read_.measured_m
    with pytest.raises(Refusal, match="no proxy"):
        changed(unlocked, LayTape(points=((30, 30), (90, 30)), length_m=1, on="proxy"))


def test_a_focal_length_comes_from_lens_and_sensor(unlocked):
    def focal(**more) -> float:
        return after(unlocked, GiveFocal(focal_mm=24, **more)).sighting.focal.value

    assert focal() == pytest.approx(focal_px_from_35mm(24, 1920, 1280))
    assert focal(crop=1.5) == pytest.approx(focal_px_from_35mm(36, 1920, 1280))
    assert focal(sensor_mm=(36, 24)) == pytest.approx(24 / 36 * 1920)
    assert focal(sensor_mm=(17.3, 13)) == pytest.approx(24 / 17.3 * 1920)
    square = unlocked.model_copy(
        update={
            "plate": unlocked.plate.model_copy(update={"width": 1280}),
            "sighting": Sighting(),
        }
    )
    given = after(square, GiveFocal(focal_mm=24, sensor_mm=(36, 24))).sighting.focal
    assert given.value == pytest.approx(24 / 24 * 1280)  # cut from the sensor's sides
    sure = {s: after(unlocked, GiveFocal(focal_mm=24, sure=s)).sighting.focal.sigma
            for s in ("exactly", "closely", "roughly")}  # fmt: skip
    assert sure["exactly"] < sure["closely"] < sure["roughly"]
    assert crop_factor(36, 24) == pytest.approx(1, abs=1e-3)
    assert len({s.name for s in SENSORS}) == len(SENSORS)


def test_a_sighting_changed_under_what_is_built_says_by_how_much_and_goes_back(unlocked):
    assert misses_under(unlocked) is None
    trace = unlocked.sighting.traces[0]
    x, y = trace.points[1]
    moved = after(unlocked, MoveTraceEnd(trace=trace.id, end=1, to=(x, y - 25)))
    again = after(moved, MoveTraceEnd(trace=trace.id, end=1, to=(x, y - 30)))
    what = misses_under(again)
    assert what is not None
    then, now = required_camera(unlocked), required_camera(again)
    for miss in what.of:
        proxy = next(p for p in again.proxies if p.id == miss.id)
        points = proxy.mesh(then).points
        a, depth = then.project(points)
        b, _ = now.project(points)
        inside = (depth > 0.05) & (a >= 0).all(1) & (a <= [1920, 1280]).all(1)
        if inside.any():
            assert miss.px == pytest.approx(np.hypot(*(b - a)[inside].T).max())
    assert max(m.px for m in what.of) > 0.5
    back = after(again, GoBackToBuilt())
    assert back.sighting == unlocked.sighting
    assert back.built_on is None
    built = after(again, AcceptSighting())
    assert misses_under(built) is None
    with pytest.raises(Refusal):
        changed(built, GoBackToBuilt())
    # a change of size in between is no miss
    one_length = after(again, DeleteTape(tape=again.sighting.tapes[0].id))
    sized = after(one_length, SetEyeHeight(metres=2.5))
    assert [m.px for m in misses_under(sized).of] == pytest.approx(
        [m.px for m in misses_under(one_length).of], rel=1e-6
    )


def test_sightings_are_kept_compared_and_used_again(unlocked):
    kept = after(unlocked, KeepSighting(name="As traced"))
    other = after(kept, StartByEye())
    assert other.sighting != unlocked.sighting
    back = after(other, UseSighting(kept=kept.kept_sightings[0].id))
    assert back.sighting == unlocked.sighting
    assert after(back, DropSighting(kept=kept.kept_sightings[0].id)).kept_sightings == ()
    assert read(as_text(back)) == back
    with pytest.raises(Refusal):
        changed(back, UseSighting(kept="sighting-999"))


def test_a_bent_plate_is_flattened_with_its_sighting_and_brought_back():
    camera = lens()
    traces = []
    for heading, a, b in EDGES:
        line = np.linspace(seen(camera, a), seen(camera, b), 9)
        bow = bent_at(camera, line)
        if (bow >= 0).all() and (bow <= [camera.width, camera.height]).all():
            traces.append(NewTrace(heading=heading, points=tuple(map(tuple, bow.tolist()))))
    plate = Plate(name="q.png", width=1920, height=1280, digest="0" * 64, format="PNG", bits=8)
    scene = after(
        Scene(name="Bent", plate=plate), AddTraces(traces=tuple(traces)), SetBend(bend="solve"),
        SetDatum(point=tuple(bent_at(camera, np.array([seen(camera, DATUM)]))[0])),
        SetEyeHeight(metres=EYE_HEIGHT_M),
    )  # fmt: skip
    read_ = reading(scene)
    assert read_.bend.k1 == pytest.approx(-0.12, abs=0.01)
    assert "Flatten" in read_.next_step
    assert not read_.settled
    feet = ((900, 1200), (1000, 1200))
    with pytest.raises(Refusal, match="flatten it"):
        changed(scene, Stand(kind="card", feet=feet))
    by = lens_to_flatten(scene)
    flat = apply(scene, flattening(scene, by, "b" * 64, 2001, 1333))
    assert flat.plate.flattened == by
    sighted = lens_of_scene(flat)
    assert isinstance(sighted, Lens)
    assert sighted.bend == (0.0, 0.0)
    assert sighted.focal_px == pytest.approx(camera.focal_px, rel=0.01)
    assert sighted.fit_px < 0.5
    at = placement(sighted, flat.sighting).position
    assert np.allclose(at, camera.position - DATUM, atol=0.1)
    with pytest.raises(Refusal, match="already"):
        lens_to_flatten(flat)
    back = apply(flat, bending_back(flat))
    assert back.plate.digest == "0" * 64
    for old, new in zip(scene.sighting.traces, back.sighting.traces, strict=True):
        assert np.allclose(old.points, new.points, atol=1e-6)
    with pytest.raises(Refusal):
        bending_back(back)


def test_a_given_principal_point_must_lie_in_the_picture(unlocked):
    with pytest.raises(Refusal, match="principal point"):
        changed(unlocked, SetPrincipal(principal=(-5, 4)))
