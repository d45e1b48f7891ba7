"""Every kind of proxy: its surface, where gestures put it, and what holds when it is reached."""

import numpy as np
import pytest

from jade_lantern.core.block.gestures import HangDome, Stand
from jade_lantern.core.block.reach import Reach, distance_of
from jade_lantern.core.block.sheets import CutOutline, RaiseWall, rounded
from jade_lantern.core.block.under import under
from jade_lantern.core.change import changed
from jade_lantern.core.proxy import (
    Backdrop,
    Box,
    Card,
    Dome,
    Drum,
    Floor,
    Outline,
    Room,
    Similarity,
    Steps,
)
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.scene.document import as_text, read
from jade_lantern.core.scene.edits import (
    AlterProxy,
    DuplicateProxy,
    StandProxy,
    apply,
)
from jade_lantern.core.sight.measure import required_camera
from tests.core.picks import made, pixel

PLACE = {"x": -2.0, "z": -3.0, "turn_deg": 20.0}
GABLE = ((-1.0, 0.0), (1.0, 0.0), (1.0, 2.0), (0.0, 3.0), (-1.0, 2.0))
WINDOW = ((-0.4, 0.5), (0.4, 0.5), (0.4, 1.5), (-0.4, 1.5))
SHEETS = [
    Floor(id="floor-0", name="f", width_m=2, depth_m=3, **PLACE),
    Card(id="card-0", name="c", width_m=2, height_m=3, lean_deg=20, **PLACE),
    Outline(id="outline-0", name="o", points=GABLE, holes=(WINDOW,), **PLACE),
    Room(id="room-0", name="r", width_m=4, depth_m=5, height_m=2.6, **PLACE),
    Backdrop(id="backdrop-0", name="b", distance_m=50),
    Dome(id="dome-0", name="d", distance_m=80),
]
SOLIDS = [
    Box(id="box-0", name="b", width_m=1, depth_m=2, height_m=3, **PLACE),
    Drum(id="drum-0", name="d", radius_m=0.4, height_m=1, **PLACE),
    Drum(id="drum-0", name="flared", radius_m=0.4, height_m=1, lip_m=0.7, **PLACE),
    Steps(id="steps-0", name="s", width_m=2, depth_m=1.5, height_m=1, count=5, **PLACE),
    Outline(id="outline-0", name="prism", points=GABLE, holes=(WINDOW,), thickness_m=0.3, **PLACE),
]
VOLUMES = [6.0, None, None, 2 * 1.5 * 1 * (5 + 1) / (2 * 5), (5.0 - 0.8) * 0.3]


@pytest.mark.parametrize(("solid", "volume"), list(zip(SOLIDS, VOLUMES, strict=True)))
def test_solids_are_closed_wound_outward_and_of_their_volume(demo_scene, solid, volume):
    mesh = solid.mesh(required_camera(demo_scene))
    sides = mesh.triangles[:, [[0, 1], [1, 2], [2, 0]]].reshape(-1, 2).tolist()
    assert len({tuple(s) for s in sides}) == len(sides)
    assert {tuple(s) for s in sides} == {(b, a) for a, b in sides}
    a, b, c = (mesh.points[mesh.triangles[:, i]] for i in range(3))
    areas = np.linalg.norm(np.cross(b - a, c - a), axis=1) / 2
    assert areas.min() > 1e-6
    told = float((a * np.cross(b, c)).sum() / 6)
    assert told > 0
    if volume is not None:
        assert told == pytest.approx(volume, rel=1e-9)


def test_a_flared_drum_has_the_volume_of_its_frustum():
    told = []
    for lip in (None, 0.7):
        drum = Drum(id="drum-0", name="d", radius_m=0.4, height_m=1, lip_m=lip)
        mesh = drum.mesh(None)
        a, b, c = (mesh.points[mesh.triangles[:, i]] for i in range(3))
        told.append(float((a * np.cross(b, c)).sum() / 6))
    of_circle = 48 / (2 * np.pi) * np.sin(2 * np.pi / 48)  # a ring of 48 facets
    assert told[0] == pytest.approx(np.pi * 0.16 * of_circle)
    frustum = np.pi / 3 * (0.16 + 0.4 * 0.7 + 0.49)
    assert told[1] == pytest.approx(frustum * of_circle, rel=1e-6)


@pytest.mark.parametrize("proxy", SHEETS + SOLIDS, ids=lambda p: p.name)
def test_reach_holds_every_picture_position(bare, proxy):
    camera = required_camera(bare)
    scene = apply(bare, StandProxy(proxy=proxy))
    one = scene.proxies[0]
    before = one.mesh(camera).points
    for by in (0.5, 1.7):
        after = made(scene, Reach(proxy=one.id, by=by)).proxies[0]
        seen, depth = camera.project(after.mesh(camera).points)
        held, deep = camera.project(before)
        ahead = deep > 0.05
        assert np.abs(seen[ahead] - held[ahead]).max() < 0.01
        assert np.allclose(depth[ahead], by * deep[ahead], rtol=1e-6)
    to = made(scene, Reach(proxy=one.id, to_m=9.0)).proxies[0]
    assert distance_of(to, camera) == pytest.approx(9.0)


@pytest.mark.parametrize("proxy", SHEETS + SOLIDS, ids=lambda p: p.name)
def test_every_kind_is_carried_and_read_back(bare, proxy):
    camera = required_camera(bare)
    scene = apply(bare, StandProxy(proxy=proxy))
    assert read(as_text(scene)) == scene
    if not proxy.stands:
        return
    by = Similarity(2.5, (1.0, 0.5, -2.0), 90.0)
    moved = proxy.carried(by).mesh(camera).points
    wanted = [by.moved(tuple(p)) for p in proxy.mesh(camera).points]
    assert np.allclose(moved, wanted, atol=1e-9)


def test_an_outline_is_cut_where_it_was_picked(bare):
    camera = required_camera(bare)
    plane = [(-3.0, 0.0), (-1.6, 0.0), (-1.6, 1.2), (-2.3, 1.9), (-3.0, 1.2)]
    door = [(-2.5, 0.2), (-2.1, 0.2), (-2.1, 0.9), (-2.5, 0.9)]
    picks, hole = (tuple(pixel(bare, x, y, -2.0) for x, y in ring) for ring in (plane, door))
    gesture = CutOutline(feet=picks[:2], outline=picks, holes=(hole,), thickness_m=0.2)
    sheet = made(bare, gesture).proxies[0]
    assert isinstance(sheet, Outline)
    world = sheet.mesh(camera).points[: len(plane) + len(door)]
    wanted = np.array([(x, y, -2.0) for x, y in plane + door])
    off = np.linalg.norm(world[:, None] - wanted[None], axis=2).min(axis=0)
    assert off.max() < 1e-3
    # the other way round it comes to the same place, facing the lens
    turned = CutOutline(feet=picks[1::-1], outline=picks[::-1], thickness_m=0.2)
    other = made(bare, turned).proxies[0].mesh(camera).points
    assert other[:, 2].max() < -2.0 + 1e-3


def test_a_curve_through_picks_is_rounder_than_its_corners():
    angles = np.linspace(0, 2 * np.pi, 9)[:-1]
    ring = tuple((float(np.cos(a)), float(np.sin(a))) for a in angles)
    curve = np.array(rounded(ring, set(range(8))))
    radius = np.hypot(*curve.T)
    assert len(curve) == 64
    assert np.abs(radius - 1).max() < 0.01
    assert np.hypot(*np.mean([ring[0], ring[1]], axis=0)) < 0.93
    # corners stay where they were picked, and straight sides straight
    arch = ((-1.0, 0.0), (1.0, 0.0), (1.0, 2.0), (0.0, 3.0), (-1.0, 2.0))
    half = np.array(rounded(arch, {3}))
    for corner in arch:
        assert np.abs(half - corner).sum(axis=1).min() == 0
    assert len(half) == 5 + 2 * 7


@pytest.mark.parametrize(
    ("ring", "word"),
    [([(-3, 0), (-2, 1), (-2, 0), (-3, 1)], "crosses itself"),
     ([(-3, 0), (-2.5, 0), (-2, 0)], "no area")],
)  # fmt: skip
def test_an_outline_that_cannot_be_is_refused_at_the_place(bare, ring, word):
    feet = (pixel(bare, -3.0, 0.0, -2.0), pixel(bare, -2.0, 0.0, -2.0))
    picks = tuple(pixel(bare, x, y, -2.0) for x, y in ring)
    with pytest.raises(Refusal, match=word):
        made(bare, CutOutline(feet=feet, outline=picks))
    square = [(-3, 0), (-2, 0), (-2, 1), (-3, 1)]
    out = [(-2.5, 0.5), (-1.5, 0.5), (-1.5, 0.8)]
    picks, hole = (tuple(pixel(bare, x, y, -2.0) for x, y in r) for r in (square, out))
    with pytest.raises(Refusal, match="past the outline"):
        made(bare, CutOutline(feet=feet, outline=picks, holes=(hole,)))


def test_what_is_under_the_pointer_is_what_a_thing_is_stood_on(bare):
    camera = required_camera(bare)
    box = Box(id="box-0", name="b", x=-2.5, z=-2.5, width_m=2, depth_m=2, height_m=0.5)
    scene = apply(bare, StandProxy(proxy=box))
    top = pixel(scene, -2.5, 0.5, -2.5)
    on = under(scene, camera, top)
    assert on is not None
    assert on.proxy == scene.proxies[0].id
    assert on.normal == pytest.approx([0, 1, 0])
    assert on.point == pytest.approx([-2.5, 0.5, -2.5], abs=1e-3)
    assert on.distance == pytest.approx(np.linalg.norm(on.point - camera.position))
    ground = under(scene, camera, pixel(scene, 0.0, 0.0, -2.0))
    assert ground is not None
    assert ground.proxy is None
    feet = (pixel(scene, -2.8, 0.5, -2.4), pixel(scene, -2.2, 0.5, -2.4))
    card = made(scene, Stand(kind="card", feet=feet, top=pixel(scene, -2.2, 0.9, -2.4))).proxies[-1]
    assert (card.level_m, card.height_m, card.width_m) == pytest.approx((0.5, 0.4, 0.6), abs=2e-3)
    told = made(scene, Stand(kind="card", feet=feet, level_m=0.0)).proxies[-1]
    assert told.level_m == 0
    sky = under(bare, camera, (camera.width / 2, 1.0))
    assert sky is None


def test_a_room_comes_past_the_lens_from_its_back_wall(bare):
    camera = required_camera(bare)
    feet = (pixel(bare, -2.0, 0.0, -4.0), pixel(bare, 1.0, 0.0, -4.0))
    gesture = Stand(kind="room", feet=feet, top=pixel(bare, 1.0, 2.4, -4.0))
    room = made(bare, gesture).proxies[0]
    assert (room.width_m, room.height_m) == pytest.approx((3.0, 2.4), abs=5e-3)
    points = room.mesh(camera).points
    assert points[:, 2].min() == pytest.approx(-4.0, abs=1e-2)
    assert points[:, 2].max() > camera.position[2]
    # every side that is there is seen from the front by the lens
    mesh = room.mesh(camera)
    a, b, c = (mesh.points[mesh.triangles[:, i]] for i in range(3))
    inward = (np.cross(b - a, c - a) * (room.foot + [0, 1.2, 0] - a)).sum(axis=1)
    assert (inward > 0).all()


def test_a_wall_is_raised_from_a_floors_edge_and_a_dome_lies_beyond_everything(bare):
    camera = required_camera(bare)
    floor = Floor(id="floor-0", name="f", width_m=4, depth_m=2, level_m=0.3, **PLACE)
    scene = apply(bare, StandProxy(proxy=floor))
    wall = made(scene, RaiseWall(proxy=scene.proxies[0].id, edge=2, height_m=3.0)).proxies[-1]
    ends = scene.proxies[0].base_in_world()[[2, 3]]
    assert np.allclose(wall.base_in_world(), ends)
    assert wall.mesh(camera).points[:, 1].max() == pytest.approx(3.3)
    domed = made(scene, HangDome())
    far = np.linalg.norm(domed.proxies[-1].mesh(camera).points - camera.position, axis=1)
    assert far.min() > np.linalg.norm(floor.mesh(camera).points - camera.position, axis=1).max()
    with pytest.raises(Refusal, match="edge of a floor"):
        made(domed, RaiseWall(proxy=domed.proxies[-1].id, edge=0))


def test_a_foot_line_that_nearly_runs_along_a_heading_runs_along_it(bare):
    def card(dz, **more):
        feet = (pixel(bare, -3.0, 0.0, -2.0), pixel(bare, -1.0, 0.0, -2.0 + dz))
        edit, after = changed(bare, Stand(kind="card", feet=feet, **more))
        return edit.title(bare), after.proxies[0]

    title, near = card(0.03)
    assert title == "Stand card 1 along Across"
    assert near.turn_deg == pytest.approx(0, abs=1e-9)
    assert near.base_in_world()[0] == pytest.approx([-3.0, 0.0, -2.0], abs=2e-3)
    title, free = card(0.03, along="free")
    assert title == "Stand card 1"
    assert free.turn_deg == pytest.approx(-np.degrees(np.arctan2(0.03, 2.0)), abs=0.05)
    assert card(0.3)[1].turn_deg == pytest.approx(-np.degrees(np.arctan2(0.3, 2.0)), abs=0.1)
    assert abs(card(0.3, along="across")[1].turn_deg) < 1e-9
    with pytest.raises(Refusal, match="Nothing level"):
        card(0.3, along="B")


def test_names_are_given_once(bare):
    scene = apply(bare, StandProxy(proxy=SOLIDS[0]))
    scene = apply(scene, DuplicateProxy(proxy=scene.proxies[0].id))
    scene = apply(scene, DuplicateProxy(proxy=scene.proxies[0].id))
    assert [p.name for p in scene.proxies] == ["b", "b copy", "b copy 2"]
    with pytest.raises(Refusal, match="There is a b copy already"):
        apply(scene, AlterProxy(proxy=scene.proxies[0].id, to={"name": "b copy"}))
    assert apply(scene, AlterProxy(proxy=scene.proxies[0].id, to={"name": "b"})) == scene
