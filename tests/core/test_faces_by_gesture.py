"""Works on faces, edges and corners as a hand does them: by pixels of the plate."""

import numpy as np
import pytest

from jade_lantern.core.block.parts import in_world, solid_of
from jade_lantern.core.block.pull import PullPart, WeldCorners
from jade_lantern.core.block.reach import Reach
from jade_lantern.core.block.under import under
from jade_lantern.core.block.works import (
    CloseOff,
    Cut,
    DropFaces,
    OpenHole,
    PushFace,
    SetIn,
    Thicken,
)
from jade_lantern.core.proxy import Box, Card, Floor, Outline, Similarity, Solid
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.scene.document import as_text, read
from jade_lantern.core.scene.edits import (
    AlterProxy,
    DeleteProxy,
    SetEyeHeight,
    StandProxy,
    Unweld,
    apply,
    place_of_corner,
)
from jade_lantern.core.scene.model import Scene
from jade_lantern.core.scene.parts import parts_of, read_part, scene_of
from jade_lantern.core.sight.measure import required_camera
from tests.core.picks import made, pixel

BOX = Box(id="box-0", name="house", x=-2.5, z=-3.0, width_m=2, depth_m=2, height_m=2)
CARD = Card(id="card-0", name="wall", x=-1.0, z=-2.0, width_m=1, height_m=2)


@pytest.fixture
def built(bare: Scene) -> Scene:
    return apply(apply(bare, StandProxy(proxy=BOX)), StandProxy(proxy=CARD))


def house(scene: Scene) -> Solid:
    solid = next(p for p in scene.proxies if p.name == "house")
    assert isinstance(solid, Solid)
    return solid


def front(scene: Scene) -> int:
    """The box's face that looks along +z."""
    on = under(scene, required_camera(scene), pixel(scene, -2.5, 1.0, -2.0))
    assert on is not None
    assert on.normal == pytest.approx([0, 0, 1], abs=1e-9)
    return on.face or 0


def corner_at(solid: Solid, *place: float) -> int:
    return min(
        solid.shape.points,
        key=lambda i: float(np.linalg.norm(in_world(solid, solid.shape.points[i]) - place)),
    )


def test_the_first_work_makes_a_solid_that_keeps_id_name_and_place(built):
    box = next(p for p in built.proxies if p.name == "house")
    after = made(built, PushFace(proxy=box.id, face=front(built), by_m=0.5))
    solid = house(after)
    assert solid.id == box.id
    assert (solid.x, solid.z) == (box.x, box.z)
    mesh = solid.mesh(required_camera(after))
    assert mesh.points[:, 2].max() == pytest.approx(-1.5)
    assert solid.shape.volume == pytest.approx(10.0)
    assert read(as_text(after)) == after
    values = {n: read_part(n, p.digest, p.body) for n, p in parts_of(after).items()}
    assert scene_of(values) == after


def test_a_face_is_pushed_as_far_as_the_hand_goes_along_its_normal(built):
    start, end = pixel(built, -2.0, 1.0, -2.0), pixel(built, -2.0, 1.0, -1.4)
    box = built.proxies[0].id
    after = made(built, PushFace(proxy=box, face=front(built), start=start, end=end))
    assert house(after).mesh(None).points[:, 2].max() == pytest.approx(-1.4, abs=2e-3)
    with pytest.raises(Refusal, match="how far"):
        made(built, PushFace(proxy=box, face=front(built)))


def test_a_cut_along_a_traced_line_takes_a_gable_out(built):
    box = built.proxies[0].id
    line = (pixel(built, -3.5, 1.0, -2.0), pixel(built, -2.5, 2.0, -2.0))
    drop = pixel(built, -3.4, 1.9, -2.0)
    after = made(built, Cut(proxy=box, line=line, drop=drop))
    assert house(after).shape.closed
    assert house(after).shape.volume == pytest.approx(8 - 0.5 * 1 * 1 * 2, abs=5e-3)
    typed = Cut(proxy=box, line=line, angle_deg=45.0, drop=drop)
    assert house(made(built, typed)).shape.volume == pytest.approx(7.0, abs=5e-3)
    both = made(built, Cut(proxy=box, line=line))
    assert house(both).shape.volume == pytest.approx(8.0)
    only = made(built, Cut(proxy=box, line=line, this_face_only=True))
    assert len(house(only).faces) == 7
    opened = made(built, Cut(proxy=box, line=line, this_face_only=True, drop=drop))
    assert not house(opened).shape.closed
    assert house(opened).shape.area(front(built)) == pytest.approx(3.5, abs=3e-3)
    with pytest.raises(Refusal, match="no face of it"):
        made(built, Cut(proxy=box, line=(pixel(built, 2.0, 0.0, -3.0), line[1])))


def test_a_door_is_traced_set_in_and_taken_out(built):
    box = built.proxies[0].id
    ring = [(-2.8, 0.0), (-2.2, 0.0), (-2.2, 1.5), (-2.8, 1.5)]
    outline = tuple(pixel(built, x, y, -2.0) for x, y in ring)
    face = front(built)
    set_in = made(built, SetIn(proxy=box, face=face, outline=outline))
    assert house(set_in).shape.area(face) == pytest.approx(0.9, abs=2e-3)
    opened = made(set_in, DropFaces(proxy=box, faces=(face,)))
    assert not house(opened).shape.closed
    assert made(opened, CloseOff(proxy=box)).proxies[0].shape.closed
    margin = made(built, SetIn(proxy=box, face=face, margin_m=0.25))
    assert house(margin).shape.area(face) == pytest.approx(1.5**2)
    with pytest.raises(Refusal, match="margin"):
        made(built, SetIn(proxy=box, face=face))
    with pytest.raises(Refusal, match="closed already"):
        made(built, CloseOff(proxy=box))


def test_a_hole_is_opened_with_another_proxys_shape(bare):
    floor = Floor(id="floor-0", name="floor", x=-2, z=-3, width_m=4, depth_m=4)
    hatch = Box(id="box-0", name="hatch", x=-2, z=-3, width_m=1, depth_m=1, height_m=0.5)
    scene = apply(apply(bare, StandProxy(proxy=floor)), StandProxy(proxy=hatch))
    first, second = (p.id for p in scene.proxies)
    after = made(scene, OpenHole(proxy=first, shape=second, well_m=0.8))
    assert [p.name for p in after.proxies] == ["floor"]
    solid = after.proxies[0]
    assert solid.shape.area(1) == pytest.approx(15.0)
    assert min(p[2] for p in solid.corners) == pytest.approx(-0.8)
    assert len(made(scene, OpenHole(proxy=first, shape=second, keep=True)).proxies) == 2
    with pytest.raises(Refusal, match="in itself"):
        made(scene, OpenHole(proxy=first, shape=first))
    big = apply(scene, AlterProxy(proxy=second, to={"width_m": 9, "depth_m": 9}))
    with pytest.raises(Refusal, match="larger than"):
        made(big, OpenHole(proxy=first, shape=second))
    thick = made(scene, Thicken(proxy=first, by_m=0.2))
    lower = apply(thick, AlterProxy(proxy=second, to={"level_m": -0.3}))
    through = made(lower, OpenHole(proxy=first, shape=second))
    assert through.proxies[0].shape.closed


PARTS = [{"corner": 7}, {"edge": (5, 8)}, {"face": 5}]


@pytest.mark.parametrize("part", PARTS, ids=lambda p: next(iter(p)))
def test_a_part_that_is_reached_stays_where_it_is_in_the_picture(built, part):
    camera = required_camera(built)
    box = built.proxies[0]
    before = solid_of(box, camera)
    for how in ({"by": 1.3}, {"to_m": 3.0}):
        after = house(made(built, Reach(proxy=box.id, part=part, **how)))
        ids = list(before.shape.points)
        was, now = (in_world(s, s.shape.at(ids)) for s in (before, after))
        seen, then = camera.project(now)[0], camera.project(was)[0]
        assert np.abs(seen - then).max() < 0.01
        moved = np.linalg.norm(now - was, axis=1) > 1e-9
        assert moved.sum() == {"corner": 1, "edge": 2, "face": 4}[next(iter(part))]


def test_a_part_is_reached_onto_another_proxys_plane(built):
    camera = required_camera(built)
    box, wall = (p.id for p in built.proxies)
    after = house(made(built, Reach(proxy=box, part={"corner": 6}, onto=wall)))
    place = in_world(after, after.shape.points[6])
    assert place[2] == pytest.approx(-2.0)
    slid = apply(built, AlterProxy(proxy=wall, to={"x": -2.0, "z": -1.0}))
    camera = required_camera(slid)
    whole = made(slid, Reach(proxy=wall, onto=box)).proxies[1]
    assert whole.foot[2] == pytest.approx(-2.0)
    seen, _ = camera.project(np.array([whole.foot, slid.proxies[1].foot]))
    assert np.abs(seen[0] - seen[1]).max() < 0.01
    # a hand that comes near to the box's front comes to rest on it
    target = np.array([-2.5, 1.0, -2.0])
    half = tuple(camera.position + 0.7 * (target - camera.position))
    part = {"corner": 1}
    aside = made(slid, PullPart(proxy=wall, part=part, place=half))
    reach = Reach(proxy=wall, part=part, by=1.01 / 0.7, catch=True)
    assert place_of_corner(made(aside, reach).proxies[1], 1) == pytest.approx(tuple(target))
    free = made(aside, Reach(proxy=wall, part=part, by=1.01 / 0.7)).proxies[1]
    assert place_of_corner(free, 1)[2] < -2.0 - 1e-3
    with pytest.raises(Refusal, match="onto itself"):
        made(slid, Reach(proxy=wall, onto=wall))


@pytest.mark.parametrize(
    ("along", "to", "wanted"),
    [
        ("level", (-1.2, 2.0, -2.2), (-1.2, 2.0, -2.2)),
        ("face", (-1.2, 2.6, -2.0), (-1.2, 2.6, -2.0)),
        ("up", (-1.5, 2.5, -2.0), (-1.5, 2.5, -2.0)),
        ("across", (-1.1, 2.0, -2.0), (-1.1, 2.0, -2.0)),
        ("away", (-1.5, 2.0, -2.6), (-1.5, 2.0, -2.6)),
    ],
)
def test_a_corner_is_pulled_along_what_was_chosen(built, along, to, wanted):
    box = built.proxies[0]
    number = corner_at(solid_of(box, required_camera(built)), -1.5, 2.0, -2.0)
    gesture = PullPart(
        proxy=box.id, part={"corner": number}, to=pixel(built, *to), along=along,
        face=front(built) if along == "face" else None,
    )  # fmt: skip
    solid = house(made(built, gesture))
    assert in_world(solid, solid.shape.points[number]) == pytest.approx(wanted, abs=3e-3)


def test_a_corner_comes_to_rest_on_what_is_near_and_can_be_welded_there(built):
    camera = required_camera(built)
    box, wall = built.proxies
    number = corner_at(solid_of(box, camera), -1.5, 2.0, -2.0)
    corner = (-1.5, 2.0, -2.0)  # the wall's own left top
    beside = np.array(pixel(built, *corner)) + [3, -2]
    wall_moved = apply(built, AlterProxy(proxy=wall.id, to={"z": -2.3}))
    target = (-1.5, 2.0, -2.3)
    beside = tuple(np.array(pixel(wall_moved, *target)) + [3, -2])
    pull = PullPart(proxy=box.id, part={"corner": number}, to=beside, catch_px=9, weld=True)
    after = made(wall_moved, pull)
    assert len(after.welds) == 1
    assert place_of_corner(house(after), number) == pytest.approx(target)
    # now where one goes the other goes
    slid = apply(after, AlterProxy(proxy=wall.id, to={"x": -0.8}))
    assert place_of_corner(house(slid), number) == pytest.approx((-1.3, 2.0, -2.3))
    lifted = made(slid, PullPart(proxy=box.id, part={"corner": number}, place=(-1.3, 2.4, -2.3)))
    other = next(p for p in lifted.proxies if p.id == wall.id)
    held = next(c.corner for c in lifted.welds[0].corners if c.proxy == wall.id)
    assert place_of_corner(other, held) == pytest.approx((-1.3, 2.4, -2.3))
    # a change of the world's size carries both, and nothing moves in the picture
    doubled = made(lifted, SetEyeHeight(metres=3.2))
    for p, q in zip(lifted.proxies, doubled.proxies, strict=True):
        was = required_camera(lifted).project(p.mesh(camera).points)[0]
        now = required_camera(doubled).project(q.mesh(camera).points)[0]
        assert np.abs(was - now).max() < 0.01
    assert apply(lifted, Unweld(weld=lifted.welds[0].id)).welds == ()
    assert apply(lifted, DeleteProxy(proxy=wall.id)).welds == ()


def test_corners_are_welded_by_name_and_on_two_proxies_only(built):
    camera = required_camera(built)
    box, wall = (solid_of(p, camera) for p in built.proxies)
    a, b = corner_at(box, -1.5, 2.0, -2.0), corner_at(wall, -0.5, 2.0, -2.0)
    corners = ({"proxy": box.id, "corner": a}, {"proxy": wall.id, "corner": b})
    after = made(built, WeldCorners(corners=corners))
    assert place_of_corner(after.proxies[1], b) == pytest.approx((-1.5, 2.0, -2.0))
    with pytest.raises(Refusal, match="of two proxies"):
        made(built, WeldCorners(corners=(corners[0], {"proxy": box.id, "corner": a + 1})))


def test_edges_and_planes_catch_where_no_corner_is_near(built):
    camera = required_camera(built)
    wall = built.proxies[1]
    number = corner_at(solid_of(wall, camera), -0.5, 2.0, -2.0)
    to = tuple(np.array(pixel(built, -1.5, 1.2, -2.0)) + [2, 0])
    pull = PullPart(proxy=wall.id, part={"corner": number}, to=to, along="view", catch_px=8)
    place = place_of_corner(made(built, pull).proxies[1], number)
    assert place[0] == pytest.approx(-1.5, abs=1e-6)
    assert place[2] == pytest.approx(-2.0, abs=1e-6)
    free = PullPart(proxy=wall.id, part={"corner": number}, to=to, along="view")
    assert abs(place_of_corner(made(built, free).proxies[1], number)[0] + 1.5) > 1e-4


def test_locked_proxies_are_left_as_they_are(built):
    locked = apply(built, AlterProxy(proxy=built.proxies[0].id, to={"locked": True}))
    for gesture in (
        PushFace(proxy=built.proxies[0].id, face=front(built), by_m=0.1),
        Reach(proxy=built.proxies[0].id, by=2.0),
    ):
        with pytest.raises(Refusal, match="house is locked"):
            made(locked, gesture)
    with pytest.raises(Refusal, match="locked"):
        apply(locked, DeleteProxy(proxy=built.proxies[0].id))
    assert apply(locked, AlterProxy(proxy=built.proxies[0].id, to={"hidden": True}))


def test_every_work_is_carried_with_the_world(built):
    camera = required_camera(built)
    solid = house(made(built, SetIn(proxy=built.proxies[0].id, face=front(built), margin_m=0.2)))
    by = Similarity(2.5, (1.0, 0.5, -2.0), 90.0)
    moved = solid.carried(by).mesh(camera).points
    assert np.allclose(moved, [by.moved(tuple(p)) for p in solid.mesh(camera).points], atol=1e-9)


def test_what_has_no_faces_is_told(bare):
    sheet = Outline(
        id="outline-0", name="o", points=((-1, 0), (1, 0), (0, 2)), lean_deg=20, x=-2, z=-3
    )
    scene = apply(bare, StandProxy(proxy=sheet))
    camera = required_camera(scene)
    solid = solid_of(scene.proxies[0], camera)
    assert np.allclose(solid.mesh(camera).points, scene.proxies[0].mesh(camera).points)
    backdrop = demo_backdrop(scene)
    with pytest.raises(Refusal, match="hangs before the lens"):
        made(backdrop, PushFace(proxy=backdrop.proxies[-1].id, face=1, by_m=1))


def demo_backdrop(scene: Scene) -> Scene:
    from jade_lantern.core.block.gestures import Hang

    return made(scene, Hang(distance_m=50))
