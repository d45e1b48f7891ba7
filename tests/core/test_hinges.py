"""Proxies that turn about any of their edges, at once or over time."""

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from jade_lantern.core.block.gestures import PullCorner
from jade_lantern.core.block.hinges import SIDES, SwingOnEdge, TurnOnEdge, hinge_of
from jade_lantern.core.change import changed
from jade_lantern.core.move.hinged import KeyProxy, OpenOn
from jade_lantern.core.proxy import Box
from jade_lantern.core.proxy.kind import angles_of
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.scene.document import as_text, read
from jade_lantern.core.scene.edits import AlterProxy, HoldStill, SetTrack, apply
from jade_lantern.core.scene.moment import at
from jade_lantern.core.sight.measure import required_camera
from jade_lantern.core.track import TrackKey, values_at


def crate(scene):
    return next(p for p in scene.proxies if p.name == "crate 1")


def after(scene, change):
    return changed(scene, change)[1]


@pytest.mark.parametrize("angles", [(10, 20, 30), (-100, 80, -170), (50, 90, 0), (20, -90, 40)])
def test_a_proxys_turn_lean_and_roll_are_those_of_its_frame(angles):
    size = {"width_m": 1, "depth_m": 1, "height_m": 1}
    names = ("turn_deg", "lean_deg", "roll_deg")
    box = Box(id="box-1", name="b", **size, **dict(zip(names, angles, strict=True)))
    again = Box(
        id="box-1", name="b", **size,
        **dict(zip(names, angles_of(box.frame()[0]), strict=True)),
    )  # fmt: skip
    assert np.allclose(box.frame()[0], again.frame()[0], atol=1e-9)


@pytest.mark.parametrize("side", SIDES)
@pytest.mark.parametrize("degrees", [35.0, -90.0, 180.0])
def test_turned_on_an_edge_that_edge_stays_and_all_else_goes_round_it(demo_scene, side, degrees):
    camera, before = required_camera(demo_scene), crate(demo_scene)
    a, b = (np.array(p) for p in hinge_of(before, camera, side))
    points = before.mesh(camera).points
    assert min(np.linalg.norm(points - a, axis=1)) < 1e-9
    assert min(np.linalg.norm(points - b, axis=1)) < 1e-9
    scene = after(demo_scene, TurnOnEdge(proxy=before.id, by_deg=degrees, side=side))
    way = (b - a) / np.linalg.norm(b - a)
    turn = Rotation.from_rotvec(np.radians(degrees) * way).as_matrix()
    wanted = (points - a) @ turn.T + a
    assert np.allclose(crate(scene).mesh(camera).points, wanted, atol=1e-6)


def test_a_door_opens_over_time_as_it_is_turned_at_once(demo_scene):
    """At every frame a lid is where the same turn about its edge would put it."""
    camera, box = required_camera(demo_scene), crate(demo_scene)
    scene = after(demo_scene, OpenOn(proxy=box.id, side="far top", by_deg=-110, first=10, last=60))
    keys = scene.tracks[0].keys
    for frame in (0, 10, 25, 41.5, 60, 90):
        angle = float(values_at(keys, np.array([frame]))[0])
        still = after(demo_scene, TurnOnEdge(proxy=box.id, side="far top", by_deg=angle))
        there = crate(at(scene, frame)).mesh(camera).points
        assert np.allclose(there, crate(still).mesh(camera).points, atol=1e-6)
    assert crate(at(scene, 5)) is not None
    assert np.allclose(crate(at(scene, 5)).mesh(camera).points, box.mesh(camera).points, atol=1e-9)


def test_two_doors_open_out_of_step_and_a_boat_carries_its_hatch(demo_scene):
    camera = required_camera(demo_scene)
    one, two = crate(demo_scene), next(p for p in demo_scene.proxies if p.name == "crate 2")
    scene = after(demo_scene, OpenOn(proxy=one.id, side="left", by_deg=80, first=0, last=40))
    scene = after(scene, OpenOn(proxy=two.id, side="right", by_deg=-80, first=20, last=60))
    moved = [
        np.abs(
            next(p for p in at(scene, f).proxies if p.id == box.id).mesh(camera).points
            - box.mesh(camera).points
        ).max()
        for box, f in ((one, 20), (two, 20), (two, 60))
    ]
    assert moved[0] > 0.05
    assert moved[1] < 1e-9
    assert moved[2] > 0.5
    # slid along as well, its hinge goes along
    slid = after(scene, KeyProxy(proxy=one.id, frame=40, x=one.x + 1.0))
    edge = np.array(hinge_of(one, camera, "left"))
    there = crate(at(slid, 40)).mesh(camera).points
    for end in edge + [1.0, 0, 0]:
        assert min(np.linalg.norm(there - end, axis=1)) < 1e-6
    gone = apply(slid, HoldStill(part=one.id))
    assert {t.part for t in gone.tracks} == {two.id}
    with pytest.raises(Refusal, match="does not move"):
        apply(gone, HoldStill(part=one.id))


def test_where_a_proxy_is_keyed_is_where_it_is_at_that_frame(demo_scene):
    box = crate(demo_scene)
    scene = after(demo_scene, KeyProxy(proxy=box.id, frame=50, x=box.x + 2, turn_deg=30))
    assert crate(at(scene, 50)).x == pytest.approx(box.x + 2)
    assert crate(at(scene, 0)).x == pytest.approx(box.x)
    assert crate(at(scene, 50)).turn_deg == pytest.approx(30)
    again = after(scene, KeyProxy(proxy=box.id, frame=25))
    assert crate(at(again, 25)).x == pytest.approx(crate(at(scene, 25)).x)
    assert read(as_text(again)).tracks == again.tracks
    with pytest.raises(Refusal, match="where"):
        changed(demo_scene, KeyProxy(proxy=box.id, frame=50))


def test_hinges_that_make_no_sense_are_refused(demo_scene):
    box = crate(demo_scene)
    flat = next(p for p in demo_scene.proxies if p.kind == "floor")
    sky = next(p for p in demo_scene.proxies if not p.stands)
    key = (TrackKey(frame=0, value=0.0),)
    for change, word in (
        (OpenOn(proxy=box.id, by_deg=80, first=40, last=40), "later one"),
        (OpenOn(proxy=box.id, by_deg=80, first=40, last=400), "past the end"),
        (OpenOn(proxy=flat.id, by_deg=80, first=0, last=40, side="left"), "flat that way"),
        (OpenOn(proxy=box.id, by_deg=80, first=0, last=40, edge=(1, 99)), "not there any more"),
        (OpenOn(proxy=sky.id, by_deg=80, first=0, last=40), "hangs before the lens"),
        (SetTrack(part=box.id, of="hinge_deg", keys=key), "one place"),
        (
            SetTrack(part=box.id, of="hinge_deg", keys=key, axis=((0, 0, 0), (0, 0, 0))),
            "are one",
        ),
    ):
        with pytest.raises(Refusal, match=word):
            changed(demo_scene, change)


def test_the_foot_of_what_leans_is_not_pulled_on_the_ground(demo_scene):
    box = crate(demo_scene)
    leaning = apply(
        demo_scene, AlterProxy.model_validate({"proxy": box.id, "to": {"lean_deg": 20.0}})
    )
    with pytest.raises(Refusal, match="not level"):
        changed(leaning, PullCorner(proxy=box.id, corner=0, to=(900, 1000)))


@pytest.mark.parametrize("side", ["left", "far right", "top", "right foot"])
def test_what_is_held_goes_where_the_hand_takes_it_about_the_edge(demo_scene, side):
    camera, box = required_camera(demo_scene), crate(demo_scene)
    turn, foot = box.frame()
    place = turn @ np.array([0.1, 0.4 * box.height_m, box.depth_m / 2]) + foot
    start = tuple(camera.project(place)[0].tolist())
    hinge = hinge_of(box, camera, side)
    way = np.subtract(hinge[1], hinge[0])
    for by in (-35.0, 4.0, 50.0):
        arm = Rotation.from_rotvec(np.radians(by) * way / np.linalg.norm(way))
        there = arm.apply(place - hinge[0]) + hinge[0]
        end = tuple(camera.project(there)[0].tolist())
        by_hand = after(demo_scene, SwingOnEdge(proxy=box.id, start=start, end=end, side=side))
        typed = after(demo_scene, TurnOnEdge(proxy=box.id, by_deg=by, side=side))
        held = crate(by_hand).mesh(camera).points
        assert np.abs(held - crate(typed).mesh(camera).points).max() < 2e-3
    stepped = after(
        demo_scene, SwingOnEdge(proxy=box.id, start=start, end=end, side=side, step_deg=15)
    )
    typed = after(demo_scene, TurnOnEdge(proxy=box.id, by_deg=45, side=side))
    assert (
        np.abs(crate(stepped).mesh(camera).points - crate(typed).mesh(camera).points).max() < 1e-6
    )


def test_only_what_is_held_itself_swings(demo_scene):
    box = crate(demo_scene)
    with pytest.raises(Refusal, match="Take hold of"):
        changed(demo_scene, SwingOnEdge(proxy=box.id, start=(5, 5), end=(400, 400)))
