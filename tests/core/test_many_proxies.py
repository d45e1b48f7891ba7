"""Spans, repeats, turns, several at once, labels, marbles and leaks: what each comes to."""

import numpy as np
import pytest

from jade_lantern.core.block.gestures import Stand, Swing
from jade_lantern.core.block.labels import ReadOff, value_of
from jade_lantern.core.block.leaks import leaks
from jade_lantern.core.block.marbles import fallen, let_fall
from jade_lantern.core.block.over import MeetEdges, RunOver
from jade_lantern.core.block.repeats import BreakOff, MirrorAcross, RowAlong
from jade_lantern.core.block.rims import ShapeDrum
from jade_lantern.core.block.sheets import CutOutline
from jade_lantern.core.block.spans import StretchSpan
from jade_lantern.core.block.surfaces import meshes
from jade_lantern.core.block.turning import AlignTo, SettleOnto, Turn
from jade_lantern.core.change import changed
from jade_lantern.core.proxy import Box, Card, Drum, Floor, Outline, Span
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.scene.edits import (
    AddProxies,
    AlterProxies,
    DeleteLabel,
    DeleteProxies,
    Reorder,
    SetEyeHeight,
    StandProxy,
    apply,
)
from jade_lantern.core.scene.model import Scene
from jade_lantern.core.sight.measure import required_camera
from jade_lantern.core.solid.shape import shape_of_mesh
from tests.core.picks import made, pixel


def stand(scene: Scene, *proxies) -> Scene:
    for p in proxies:
        scene = apply(scene, StandProxy(proxy=p))
    return scene


def outline(name, z, points, **more) -> Outline:
    return Outline(id="outline-0", name=name, x=-2.0, z=z, points=points, **more)


SQUARE = ((-0.5, 0.0), (0.5, 0.0), (0.5, 2.0), (-0.5, 2.0))


def test_a_span_between_two_outlines_is_a_closed_pillar(bare):
    scene = stand(bare, outline("front", -2.0, SQUARE), outline("back", -3.0, SQUARE[::-1]))
    front, back = (p.id for p in scene.proxies)
    after = made(scene, StretchSpan(between=(front, back), capped=True))
    span = after.proxies[-1]
    shape = shape_of_mesh(span.mesh(required_camera(after)))
    assert shape.closed
    assert shape.volume == pytest.approx(2.0)
    open_ = made(scene, StretchSpan(between=(front, back))).proxies[-1]
    assert len(shape_of_mesh(open_.mesh(None)).faces) == 4
    with pytest.raises(Refusal, match="second one"):
        made(scene, StretchSpan(between=(front, front)))
    across = outline("across", -2.0, SQUARE, turn_deg=90.0)
    with pytest.raises(Refusal, match="right angle"):
        made(stand(scene, across), StretchSpan(between=(front, f"outline-{scene.next_id}")))
    box = stand(scene, Box(id="box-0", name="b", width_m=1, depth_m=1, height_m=1))
    with pytest.raises(Refusal, match="more than one face"):
        made(box, StretchSpan(between=(front, f"box-{scene.next_id}")))


def test_rings_of_different_numbers_are_spanned_without_a_gap():
    few = [(np.cos(a), 0.0, np.sin(a)) for a in np.linspace(0, 2 * np.pi, 6)[:-1]]
    many = [(np.cos(a), 2.0, np.sin(a)) for a in np.linspace(0, 2 * np.pi, 18)[:-1]]
    span = Span(id="span-0", name="s", first=few, second=many, round=True, capped=True)
    shape = shape_of_mesh(span.own_mesh(None))
    assert shape.closed
    assert shape.volume > 4.5
    for bad in ({"first": few[:2], "round": True}, {"capped": True, "round": False}):
        with pytest.raises(ValueError, match="ring"):
            Span(**{"id": "span-0", "name": "s", "first": few, "second": many, **bad})


def test_a_span_between_picked_corners_holds_on_to_them(bare):
    wall = Card(id="card-0", name="wall", x=-2.5, z=-3.0, width_m=2, height_m=2)
    scene = stand(bare, wall)
    off = np.array([2.0, -2.0])
    first = [np.array(pixel(scene, x, 2.0, -3.0)) + off for x in (-3.5, -1.5)]
    second = [pixel(scene, x, 0.0, -2.0) for x in (-1.5, -3.5)]  # the other way round
    after = made(scene, StretchSpan(first=[tuple(p) for p in first], second=second))
    span = after.proxies[-1]
    mesh = span.mesh(required_camera(after))
    high = mesh.points[mesh.points[:, 1] > 1]
    assert sorted(high[:, 0].tolist()) == pytest.approx([-3.5, -1.5], abs=1e-6)
    a, b, c = (mesh.points[mesh.triangles[:, i]] for i in range(3))
    towards = required_camera(after).position - a
    assert (np.cross(b - a, c - a) * towards).sum(axis=1).min() > 0
    assert np.linalg.norm(np.cross(b - a, c - a), axis=1).min() > 0.5
    sky = (5.0, 5.0)
    with pytest.raises(Refusal, match="nothing here"):
        made(scene, StretchSpan(first=[sky, sky], second=second))


def test_a_twin_and_a_row_are_live_until_broken_off(bare):
    box = Box(id="box-0", name="crate", x=-3, z=-3, width_m=1, depth_m=1, height_m=0.5)
    scene = stand(bare, box)
    id = scene.proxies[0].id
    through = pixel(scene, -2.0, 0.0, -3.0)
    mirrored = made(scene, MirrorAcross(proxy=id, along="away", through=through))
    points = mirrored.proxies[0].mesh(required_camera(scene)).points
    assert points[:, 0].max() == pytest.approx(-0.5, abs=3e-3)
    assert shape_of_mesh(mirrored.proxies[0].mesh(None)).volume == pytest.approx(1.0)
    row = made(mirrored, RowAlong(proxy=id, along="away", step_m=2.0, count=3))
    assert shape_of_mesh(row.proxies[0].mesh(None)).volume == pytest.approx(3.0)
    assert row.proxies[0].mesh(None).points[:, 2].min() == pytest.approx(-7.5)
    wider = apply(row, AlterProxies(proxies=(id,), to={"height_m": 1.0}))
    assert shape_of_mesh(wider.proxies[0].mesh(None)).volume == pytest.approx(6.0)
    doubled = made(row, SetEyeHeight(metres=3.2))
    was = required_camera(row).project(row.proxies[0].mesh(None).points)[0]
    now = required_camera(doubled).project(doubled.proxies[0].mesh(None).points)[0]
    assert np.abs(was - now).max() < 0.01
    off = made(row, BreakOff(proxy=id))
    assert len(off.proxies) == 6
    assert len({p.name for p in off.proxies}) == 6
    apart = np.concatenate([p.mesh(None).points for p in off.proxies])
    assert np.allclose(np.sort(apart, axis=0), np.sort(row.proxies[0].mesh(None).points, axis=0))
    assert all(shape_of_mesh(p.mesh(None)).volume == pytest.approx(0.5) for p in off.proxies)
    by_pick = made(scene, RowAlong(proxy=id, along="across", to=pixel(scene, -1.0, 0, -3.4)))
    assert by_pick.proxies[0].row.step_m == pytest.approx(2.0, abs=5e-3)
    with pytest.raises(Refusal, match="neither a twin nor a row"):
        made(scene, BreakOff(proxy=id))
    with pytest.raises(Refusal, match="something level"):
        made(scene, RowAlong(proxy=id, along="up", step_m=1.0))


def test_a_door_turns_on_its_hinge(bare):
    door = Card(id="card-0", name="door", x=-2.0, z=-3.0, width_m=1.0, height_m=2.0)
    scene = stand(bare, door)
    id = scene.proxies[0].id
    for about, fixed in (("left", 0), ("right", 1)):
        after = made(scene, Turn(proxy=id, by_deg=37.5, about=about)).proxies[0]
        assert after.turn_deg == pytest.approx(37.5)
        assert after.base_in_world()[fixed] == pytest.approx(door.base_in_world()[fixed])
    foot = made(scene, Turn(proxy=id, to_deg=90)).proxies[0]
    assert foot.foot == pytest.approx(door.foot)
    start, end = pixel(scene, -1.5, 0, -3.0), pixel(scene, -1.6, 0, -3.32)
    swung = made(scene, Swing(proxy=id, start=start, end=end, step_deg=15)).proxies[0]
    assert swung.turn_deg == pytest.approx(45.0)
    with pytest.raises(Refusal, match="by how much"):
        made(scene, Turn(proxy=id))


def test_a_thing_is_set_down_on_what_is_below_it_and_stands_as_another_does(bare):
    table = Box(id="box-0", name="table", x=-2, z=-3, width_m=2, depth_m=1, height_m=0.8,
                turn_deg=25)  # fmt: skip
    jar = Drum(id="drum-0", name="jar", x=-2, z=-3, radius_m=0.1, height_m=0.3, level_m=1.4)
    scene = stand(bare, table, jar)
    down = made(scene, SettleOnto(proxy=scene.proxies[1].id)).proxies[1]
    assert down.level_m == pytest.approx(0.8)
    with pytest.raises(Refusal, match="already"):
        made(made(scene, SettleOnto(proxy=scene.proxies[1].id)),
             SettleOnto(proxy=scene.proxies[1].id))  # fmt: skip
    card = Card(id="card-0", name="card", x=-1, z=-2, width_m=1, height_m=1, turn_deg=100)
    more = stand(scene, card)
    turned = made(more, AlignTo(proxy=more.proxies[2].id, to=more.proxies[0].id)).proxies[2]
    assert turned.turn_deg == pytest.approx(115)


def test_a_drum_gets_the_rings_of_its_outline(bare):
    scene = stand(bare, Drum(id="drum-0", name="vase", x=-1.5, z=-2.5, radius_m=0.3, height_m=1))
    camera = required_camera(scene)
    foot = scene.proxies[0].foot
    profile = [(0.0, 0.25), (0.35, 0.45), (0.8, 0.2), (1.2, 0.5)]
    side = np.cross([0, 1, 0], camera.position - foot)
    rim = []
    for height, radius in profile:
        # where the lens sees the side of a circle: the ray that grazes it
        flat = (camera.position - foot) * [1, 0, 1]
        far = float(np.linalg.norm(flat))
        along = flat / far
        aside = side / np.linalg.norm(side)
        a = np.arccos(radius / far)
        place = foot + radius * (np.cos(a) * along + np.sin(a) * aside) + [0, height, 0]
        rim.append(pixel(scene, *place))
    drum = made(scene, ShapeDrum(proxy=scene.proxies[0].id, rim=tuple(rim))).proxies[0]
    got = [(0.0, drum.radius_m), *((s * drum.height_m, r) for s, r in drum.rings),
           (drum.height_m, drum.lip_m)]  # fmt: skip
    assert np.array(got) == pytest.approx(np.array(profile), abs=0.02)
    shape = shape_of_mesh(drum.mesh(camera))
    assert shape.closed
    box = stand(bare, Box(id="box-0", name="b", width_m=1, depth_m=1, height_m=1))
    with pytest.raises(Refusal, match="no rings"):
        made(box, ShapeDrum(proxy=box.proxies[0].id, rim=tuple(rim)))


def test_several_are_changed_grouped_ordered_pasted_and_deleted_at_once(bare):
    boxes = [
        Box(id="box-0", name=f"crate {i}", x=-i, z=-3, width_m=1, depth_m=1, height_m=1)
        for i in (1, 2, 3)
    ]
    scene = stand(bare, *boxes)
    a, b, c = (p.id for p in scene.proxies)
    edit, grouped = changed(scene, AlterProxies(proxies=(a, c), to={"group": "crates"}))
    assert edit.title(scene) == "Group 2 proxies: crates"
    assert [p.group for p in grouped.proxies] == ["crates", None, "crates"]
    assert apply(grouped, AlterProxies(proxies=(a,), to={"group": None})).proxies[0].group is None
    moved = apply(scene, Reorder(proxies=(c,), before=a))
    assert [p.id for p in moved.proxies] == [c, a, b]
    assert [p.id for p in apply(moved, Reorder(proxies=(c, a))).proxies] == [b, c, a]
    pasted = apply(grouped, AddProxies(proxies=grouped.proxies[:1]))
    assert [p.name for p in pasted.proxies] == ["crate 1", "crate 2", "crate 3", "crate 1 2"]
    assert len({p.id for p in pasted.proxies}) == 4
    assert [p.id for p in apply(scene, DeleteProxies(proxies=(a, b))).proxies] == [c]
    with pytest.raises(Refusal, match="one by one"):
        apply(scene, AlterProxies(proxies=(a, b), to={"name": "x"}))
    with pytest.raises(Refusal, match="not there any more"):
        apply(scene, DeleteProxies(proxies=(a, "box-999")))


def test_lengths_angles_and_areas_are_read_off_and_follow_the_world(bare):
    wall = Card(id="card-0", name="wall", x=-2.5, z=-3.0, width_m=2, height_m=2)
    scene = stand(bare, wall)
    corners = [(-3.5, 0.0, -3.0), (-1.5, 0.0, -3.0), (-1.5, 2.0, -3.0), (-3.5, 2.0, -3.0)]
    picks = tuple(pixel(scene, *c) for c in corners)
    wanted = {"length": (picks[:2], 2.0), "angle": (picks[:3], 90.0), "area": (picks, 4.0)}
    for what, (at, value) in wanted.items():
        scene = made(scene, ReadOff(what=what, at=at))
        assert value_of(scene.labels[-1]) == pytest.approx(value, rel=1e-3)
    doubled = made(scene, SetEyeHeight(metres=3.2))
    told = [value_of(label) for label in doubled.labels]
    by = required_camera(doubled).position[1] / required_camera(scene).position[1]
    assert told == pytest.approx([2.0 * by, 90.0, 4.0 * by**2], rel=1e-3)
    assert len(apply(scene, DeleteLabel(label=scene.labels[0].id)).labels) == 2
    with pytest.raises(Refusal, match="three places"):
        made(scene, ReadOff(what="angle", at=picks[:2]))


def test_marbles_stay_in_a_room_and_leave_by_a_gap(bare):
    floor = Floor(id="floor-0", name="floor", x=0, z=-6, width_m=30, depth_m=30)
    walls = [
        Card(id="card-0", name=f"wall {i}", x=x, z=z, width_m=30, height_m=9, turn_deg=t)
        for i, (x, z, t) in enumerate([(0, -21, 0), (-15, -6, 90), (15, -6, 90), (0, 9, 0)])
    ]
    shut = stand(bare, floor, *walls)
    camera = required_camera(shut)
    fall = let_fall(shut, camera, count=60)
    assert not fall.escaped.any()
    assert fall.resting.mean() > 0.9
    low = fall.places[-1, :, 1]
    assert low == pytest.approx(fall.radius_m, abs=fall.radius_m * 0.2)
    assert np.array_equal(let_fall(shut, camera, count=60).places, fall.places)
    holed = apply(shut, AlterProxies(proxies=(shut.proxies[0].id,), to={"depth_m": 5.0}))
    assert let_fall(holed, camera, count=60).escaped.any()
    with pytest.raises(Refusal, match="Stand a proxy first"):
        let_fall(bare, camera)


def test_marbles_roll_over_triangles_without_extent():
    """Of a flat floor with a needle and a point among its triangles."""
    corners = np.array([
        [[-9, 0, -9], [9, 0, -9], [9, 0, 9]], [[-9, 0, -9], [9, 0, 9], [-9, 0, 9]],
        [[0, 0, 0], [2, 0, 0], [1, 0, 0]], [[1, 0, 1], [1, 0, 1], [1, 0, 1]],
    ], float)  # fmt: skip
    start = np.array([[x, 1.0, z] for x in (-1.0, 0.5, 1.0) for z in (0.0, 1.0)])
    fall = fallen(corners, start, 1.6)
    assert fall.resting.all()
    assert fall.places[-1, :, 1] == pytest.approx(fall.radius_m, rel=0.01)


def test_a_crack_is_found_between_its_neighbours_and_closed(bare):
    camera = required_camera(bare)
    far = 8.0
    left = Card(id="card-0", name="left", x=-8.04, z=-far, width_m=16, height_m=30, level_m=-9)
    right = Card(id="card-0", name="right", x=8.04, z=-far, width_m=16, height_m=30,
                 level_m=-9)  # fmt: skip
    scene = stand(bare, left, right)
    found = leaks(meshes(scene, camera), camera, 480)
    assert any(c.between == (0, 1) for c in found.cracks)
    x, y = next(c.at for c in found.cracks if c.between == (0, 1))
    seam = pixel(scene, 0.0, 0.0, -far)
    assert abs(x - seam[0]) < 40
    assert 0 <= y <= camera.height
    closed = scene
    for p in scene.proxies:
        closed = made(closed, RunOver(proxy=p.id, px=60))
    after = leaks(meshes(closed, camera), camera, 480)
    assert not any(c.between == (0, 1) for c in after.cracks)
    none = leaks([], camera, 64)
    assert none.share == 1.0


def test_free_edges_meet_a_wall_without_moving_in_the_picture(bare):
    camera = required_camera(bare)
    wall = Card(id="card-0", name="wall", x=-2.0, z=-4.0, width_m=6, height_m=3)
    short = Floor(id="floor-0", name="floor", x=-2.0, z=-2.02, width_m=2, depth_m=3.94)
    scene = stand(bare, wall, short)
    wall_id, floor_id = (p.id for p in scene.proxies)
    after = made(scene, MeetEdges(proxy=floor_id, other=wall_id, px=40))
    before, now = (s.proxies[1].mesh(camera).points for s in (scene, after))
    assert sorted(now[:, 2])[:2] == pytest.approx([-4.0, -4.0])
    seen, was = camera.project(now)[0], camera.project(before)[0]
    assert np.abs(np.sort(seen, axis=0) - np.sort(was, axis=0)).max() < 0.01
    with pytest.raises(Refusal, match="so near"):
        made(scene, MeetEdges(proxy=floor_id, other=wall_id, px=1))
    with pytest.raises(Refusal, match="Choose a second"):
        made(scene, MeetEdges(proxy=floor_id, other=floor_id))


def test_sheets_run_over_by_pixels_of_the_plate(bare):
    picks = tuple(pixel(bare, x, y, -3.0) for x, y in [(-3, 0), (-2, 0), (-2, 1), (-3, 1)])
    scene = made(bare, CutOutline(feet=picks[:2], outline=picks))
    camera = required_camera(scene)
    before = camera.project(scene.proxies[0].mesh(camera).points)[0]
    after = made(scene, RunOver(proxy=scene.proxies[0].id, px=10)).proxies[0]
    now = camera.project(after.mesh(camera).points)[0]
    grown = np.ptp(now, axis=0) - np.ptp(before, axis=0)
    assert (grown > 14).all()
    assert (grown < 26).all()
    box = stand(bare, Box(id="box-0", name="b", width_m=1, depth_m=1, height_m=1))
    with pytest.raises(Refusal, match="closed all round"):
        made(box, RunOver(proxy=box.proxies[0].id))
    room = made(bare, Stand(kind="room", feet=(pixel(bare, -3, 0, -4), pixel(bare, 0, 0, -4))))
    wider = made(room, RunOver(proxy=room.proxies[0].id, px=20)).proxies[0]
    assert wider.mesh(camera).points[:, 2].max() > room.proxies[0].mesh(camera).points[:, 2].max()
