"""Works on solids: volumes by hand, closed where they should be, ids that stay."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jade_lantern.core.proxy import Box, Card, Drum, Floor, Outline, Room, Steps
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.solid.cut import closed_off, cut_round, without_side
from jade_lantern.core.solid.divide import cut_along
from jade_lantern.core.solid.face import pushed, set_in, set_ring_in, thickened, without_faces
from jade_lantern.core.solid.hole import opened
from jade_lantern.core.solid.shape import Shape, around, shape_of_mesh

GABLE = ((-1.0, 0.0), (1.0, 0.0), (1.0, 2.0), (0.0, 3.0), (-1.0, 2.0))
WINDOW = ((-0.4, 0.5), (0.4, 0.5), (0.4, 1.5), (-0.4, 1.5))
UP = np.array([0.0, 1.0, 0.0])


def shape_of(proxy) -> Shape:
    return shape_of_mesh(proxy.own_mesh(None))


def box(w=2.0, d=2.0, h=2.0) -> Shape:
    return shape_of(Box(id="box-0", name="b", width_m=w, depth_m=d, height_m=h))


def facing(shape: Shape, direction) -> int:
    """The face whose normal lies nearest to a direction."""
    return max(shape.faces, key=lambda f: float(shape.normal(f) @ np.array(direction, float)))


def moved(shape: Shape, by) -> Shape:
    return Shape({i: p + np.array(by, float) for i, p in shape.points.items()}, shape.faces)


def sound(shape: Shape) -> bool:
    """Closed, wound outward, every face with an area, no point on top of another one."""
    points = shape.at({i for x in shape.faces.values() for loop in x for i in loop})
    apart = np.linalg.norm(points[:, None] - points[None], axis=2) + np.eye(len(points))
    areas = [shape.area(f) for f in shape.faces]
    return shape.closed and shape.volume > 0 and min(areas) > 1e-9 and apart.min() > 1e-6


@pytest.mark.parametrize(
    ("proxy", "faces", "volume"),
    [
        (Box(id="box-0", name="b", width_m=1, depth_m=2, height_m=3), 6, 6.0),
        (Steps(id="steps-0", name="s", width_m=2, depth_m=1.5, height_m=1, count=5), 14, 1.8),
        (Outline(id="outline-0", name="o", points=GABLE, holes=(WINDOW,), thickness_m=0.3),
         11, 4.2 * 0.3),
        (Drum(id="drum-0", name="d", radius_m=0.4, height_m=1), 50,
         0.16 * 24 * np.sin(2 * np.pi / 48)),
    ],
    ids=lambda p: getattr(p, "kind", ""),
)  # fmt: skip
def test_a_closed_kind_becomes_a_solid_of_its_volume(proxy, faces, volume):
    shape = shape_of(proxy)
    assert sound(shape)
    assert len(shape.faces) == faces
    assert shape.volume == pytest.approx(volume)
    again = Shape.of_rows(*shape.rows())
    assert again.rows() == shape.rows()


def test_a_hole_of_an_outline_is_a_loop_of_its_face():
    shape = shape_of(Outline(id="outline-0", name="o", points=GABLE, holes=(WINDOW,)))
    ((front, hole),) = shape.faces.values()
    assert (len(front), len(hole)) == (5, 4)
    assert shape.area(1) == pytest.approx(4.2)


@given(
    st.floats(-0.9, 0.9), st.floats(-0.9, 0.9), st.floats(-0.9, 0.9), st.floats(0.05, 1.95)
)  # fmt: skip
@settings(max_examples=60, deadline=None)
def test_a_cut_all_round_changes_no_volume_and_either_side_is_its_share(x, y, z, height):
    normal = np.array([x, y + 1.01, z])
    normal /= np.linalg.norm(normal)
    whole, through = box(), np.array([0.0, height, 0.0])
    cut = cut_round(whole, through, normal)
    assert sound(cut)
    assert cut.volume == pytest.approx(8.0)
    assert set(whole.points) <= set(cut.points)
    assert set(whole.faces) <= set(cut.faces)
    below, above = without_side(cut, through, normal), without_side(cut, through, -normal)
    assert sound(below)
    assert sound(above)
    assert below.volume + above.volume == pytest.approx(8.0)


def test_a_gable_is_cut_out_of_a_box():
    shape = box(2, 4, 3)
    for side in (1.0, -1.0):
        normal = np.array([side, 1.0, 0.0]) / np.sqrt(2)
        through = np.array([0.0, 3.0, 0.0])
        shape = without_side(cut_round(shape, through, normal), through, normal)
    assert sound(shape)
    # the ridge runs along the middle: 2 m of wall, and a prism 1 m high over it
    assert shape.volume == pytest.approx(2 * 4 * 2 + 0.5 * 2 * 1 * 4)


def test_a_cut_of_one_face_only_leaves_the_others_meeting_it():
    shape = box()
    front = facing(shape, (0, 0, 1))
    line = np.array([(-0.5, 0.5, 1.0), (0.0, 1.5, 1.0), (0.5, 1.0, 1.0)])
    cut = cut_along(shape, front, line)
    assert sound(cut)
    assert len(cut.faces) == 7
    assert cut.volume == pytest.approx(8.0)
    sheet = shape_of(Outline(id="outline-0", name="o", points=GABLE, holes=(WINDOW,)))
    through_hole = cut_along(sheet, 1, np.array([(-0.9, 1.0, 0.0), (0.9, 1.0, 0.0)]))
    assert len(through_hole.faces) == 2
    assert sum(through_hole.area(f) for f in through_hole.faces) == pytest.approx(4.2)
    with pytest.raises(Refusal, match="does not part"):
        cut_along(shape, front, np.array([(-3.0, 5.0, 1.0), (3.0, 5.0, 1.0)]))
    with pytest.raises(Refusal, match="beside"):
        cut_round(shape, np.array([0.0, 9.0, 0.0]), UP)


@pytest.mark.parametrize("by", [0.5, -0.5])
def test_a_pushed_side_takes_its_neighbours_along(by):
    shape = box()
    for face in shape.faces:
        out = pushed(shape, face, by)
        assert sound(out)
        assert len(out.faces) == 6
        assert out.volume == pytest.approx(8 + 4 * by)


def test_a_pushed_inner_face_gets_sides_of_its_own():
    shape = set_in(box(), facing(box(), (0, 0, 1)), 0.3)
    assert sound(shape)
    inner = facing(box(), (0, 0, 1))
    assert shape.area(inner) == pytest.approx(1.4**2)
    for by in (0.25, -0.5):
        out = pushed(shape, inner, by)
        assert sound(out)
        assert out.volume == pytest.approx(8 + 1.4**2 * by)
    with pytest.raises(Refusal, match="only 2 m deep"):
        pushed(shape, inner, -2.5)
    with pytest.raises(Refusal, match="no single face"):
        set_in(box(), inner, 1.2)


def test_a_doorway_traced_down_to_the_floor_is_a_face_that_can_be_pushed_in():
    shape = box()
    front = facing(shape, (0, 0, 1))
    door = np.array([(-0.3, 0, 1), (0.3, 0, 1), (0.3, 1.2, 1), (-0.3, 1.2, 1)], float)
    out = set_ring_in(shape, front, door)
    assert sound(out)
    assert out.area(front) == pytest.approx(0.72)
    niche = pushed(out, front, -0.4)
    assert sound(niche)
    assert niche.volume == pytest.approx(8 - 0.72 * 0.4)
    low = door - [0, 0.5, 0]  # what reaches past the face is left out
    assert set_ring_in(shape, front, low).area(front) == pytest.approx(0.6 * 0.7)
    with pytest.raises(Refusal, match="crosses itself"):
        set_ring_in(shape, front, door[[0, 2, 1, 3]])
    with pytest.raises(Refusal, match="does not lie on this face"):
        set_ring_in(shape, front, door + [5, 0, 0])


def test_faces_taken_away_leave_an_opening_that_can_be_closed_again():
    shape = box()
    top = facing(shape, UP)
    open_box = without_faces(shape, {top})
    assert not open_box.closed
    closed = closed_off(open_box)
    assert sound(closed)
    assert closed.volume == pytest.approx(8.0)
    with pytest.raises(Refusal, match="last face"):
        without_faces(shape_of(Card(id="card-0", name="c", width_m=1, height_m=1)), {1})
    with pytest.raises(Refusal, match="not there any more"):
        without_faces(shape, {99})


def test_a_thickness_makes_sheets_solid():
    card = thickened(shape_of(Card(id="card-0", name="c", width_m=2, height_m=3)), 0.2)
    assert sound(card)
    assert card.volume == pytest.approx(1.2)
    gable = Outline(id="outline-0", name="o", points=GABLE, holes=(WINDOW,))
    assert thickened(shape_of(gable), 0.5).volume == pytest.approx(2.1)
    room = Room(id="room-0", name="r", width_m=4, depth_m=5, height_m=2.6)
    walls = thickened(shape_of(room), 0.2)
    assert sound(walls)
    outside, inside = 4.4 * 5.2 * 3.0, 4 * 5 * 2.6
    assert walls.volume == pytest.approx(outside - inside)
    with pytest.raises(Refusal, match="closed already"):
        thickened(box(), 0.2)


def test_a_hole_through_a_solid_is_what_the_two_share():
    shape = box()
    drum = moved(shape_of(Drum(id="drum-0", name="d", radius_m=0.4, height_m=4)), (0, -1, 0))
    out = opened(shape, drum)
    assert sound(out)
    assert out.volume == pytest.approx(8 - drum.volume / 2)
    assert set(shape.points) <= set(out.points)
    assert set(shape.faces) <= set(out.faces)
    assert sorted(len(out.faces[f]) for f in shape.faces) == [1, 1, 1, 1, 2, 2]
    with pytest.raises(Refusal, match="do not meet"):
        opened(shape, moved(drum, (9, 0, 0)))
    with pytest.raises(Refusal, match="larger than"):
        opened(shape, moved(box(9, 9, 9), (0, -1, 0)))
    with pytest.raises(Refusal, match="thickness"):
        opened(shape, shape_of(Card(id="card-0", name="c", width_m=1, height_m=1)))


def test_a_hole_in_a_floor_has_a_well_below_it():
    floor = shape_of(Floor(id="floor-0", name="f", width_m=4, depth_m=4))
    hatch = moved(box(1, 1, 1), (0.5, -0.5, 0.5))
    out = opened(floor, hatch, 0.7)
    assert out.area(1) == pytest.approx(15.0)
    assert len(out.faces) == 6
    low = min(out.points.values(), key=lambda p: p[1])
    assert low[1] == pytest.approx(-0.7)
    # the well is seen from above, inside
    for face in set(out.faces) - {1}:
        middle = out.at(out.faces[face][0]).mean(axis=0)
        assert float(out.normal(face) @ (np.array([0.5, 0.2, 0.5]) - middle)) > 0
    # standing on the floor is as good as through it
    assert opened(floor, moved(hatch, (0, 0.5, 0))).area(1) == pytest.approx(15.0)
    with pytest.raises(Refusal, match="larger than"):
        opened(floor, moved(box(9, 9, 1), (0, -0.5, 0)))
    with pytest.raises(Refusal, match="floor's edge"):
        opened(floor, moved(hatch, (1.5, 0, 0)), 0.7)


@given(st.lists(st.tuples(st.integers(0, 4), st.floats(0.05, 0.45)), min_size=1, max_size=5))
@settings(max_examples=40, deadline=None)
def test_any_works_one_after_another_keep_a_solid_closed(works):
    shape = box()
    for kind, amount in works:
        face = sorted(shape.faces)[int(amount * 1000) % len(shape.faces)]
        try:
            if kind == 0:
                shape = pushed(shape, face, amount)
            elif kind == 1:
                shape = pushed(shape, face, -amount)
            elif kind == 2:
                shape = set_in(shape, face, amount / 3)
            elif kind == 3:
                through = shape.at(shape.points).mean(axis=0)
                shape = cut_round(shape, through, np.array([0.6, 0.8 * amount, 0.3]) / np.hypot(
                    np.hypot(0.6, 0.8 * amount), 0.3))  # fmt: skip
            else:
                shape = opened(shape, moved(box(amount, amount, 9), (0.1, -4, 0.1)))
        except Refusal:
            continue
        assert shape.closed
        assert shape.volume > 0
        for loops in shape.faces.values():
            for loop in loops:
                for a, b in around(loop):
                    assert np.linalg.norm(shape.points[a] - shape.points[b]) > 1e-9
