"""What the sighting says of itself, step by step."""

import pytest

from jade_lantern.core.change import changed
from jade_lantern.core.scene.edits import (
    AddTrace,
    DeleteTrace,
    SetDatum,
    SetEyeHeight,
    SetFocal,
    SetLock,
)
from jade_lantern.core.scene.model import FocalHint, Scene, Sighting
from jade_lantern.core.scene.plate import Plate
from jade_lantern.core.sight.reading import reading
from jade_lantern.demo.project import DATUM, EDGES, seen
from jade_lantern.demo.world import EYE_HEIGHT_M, lens


@pytest.fixture
def empty() -> Scene:
    camera = lens()
    plate = Plate(
        name="q", width=camera.width, height=camera.height, digest="0" * 64, format="PNG", bits=8
    )
    return Scene(name="q", plate=plate, sighting=Sighting(made="render"))


def traced(scene: Scene, *which: int) -> Scene:
    for i in which or range(len(EDGES)):
        heading, a, b = EDGES[i]
        points = (seen(lens(), a), seen(lens(), b))
        scene = changed(scene, AddTrace(heading=heading, points=points))[1]
    return scene


def test_the_next_step_leads_from_nothing_to_a_locked_sighting(empty):
    assert "Nothing is traced" in reading(empty).next_step
    scene = traced(empty)
    assert "datum" in reading(scene).next_step
    scene = changed(scene, SetDatum(point=seen(lens(), DATUM)))[1]
    assert "size" in reading(scene).next_step
    scene = changed(scene, SetEyeHeight(metres=EYE_HEIGHT_M))[1]
    assert reading(scene).settled
    assert "lock" in reading(scene).next_step
    assert "Locked" in reading(changed(scene, SetLock(locked=True))[1]).next_step


def test_two_headings_are_enough_for_numbers_and_one_is_not(empty):
    one = reading(traced(empty, 0, 1, 2))
    assert (one.verdict, one.focal_px) == ("Open", None)
    two = reading(traced(empty, 0, 1, 4, 5))
    assert two.focal_px is not None
    assert two.focal_px.value == pytest.approx(lens().focal_px, rel=1e-3)


def test_a_heading_that_rests_on_little_is_named(empty):
    read = reading(traced(empty, 0, 1, 2, 3, 4, 5, 7))
    assert "Across" in read.reason
    strengths = {h.heading: h.strength for h in read.headings}
    assert min(strengths, key=strengths.__getitem__) == "across"


def test_more_traces_mean_less_uncertainty(empty):
    few, many = (reading(traced(empty, *w)) for w in ((0, 1, 4, 5, 7, 9), range(len(EDGES))))
    assert many.focal_px.sigma < few.focal_px.sigma
    assert many.roll_deg.sigma < few.roll_deg.sigma


def test_a_trace_of_the_wrong_heading_is_said_to_disagree(empty):
    scene = traced(empty)
    points = ((300.0, 1200.0), (900.0, 1100.0))
    scene = changed(scene, AddTrace(heading="up", points=points))[1]
    read = reading(scene)
    assert [t.disagrees for t in read.traces] == [False] * len(EDGES) + [True]
    assert "disagrees" in read.reason
    assert "marked first" in read.next_step
    assert read.focal_px.value == pytest.approx(lens().focal_px, rel=1e-3)
    gone = changed(scene, DeleteTrace(trace=read.traces[-1].id))[1]
    assert reading(gone).verdict == "True"


def test_a_focal_length_out_of_the_ordinary_is_pointed_out(empty):
    scene = traced(empty, 4, 5, 6, 7, 8)
    wide = changed(scene, SetFocal(focal=FocalHint(value=520.0, sigma=1.0)))[1]
    assert "extremely wide" in reading(wide).reason or reading(wide).verdict == "Rough"


def test_vanishing_points_are_where_the_traces_meet(empty):
    for heading in reading(traced(empty)).headings:
        x, y, w = heading.vanishing
        for name, a, b in EDGES:
            if name == heading.heading:
                (ax, ay), (bx, by) = seen(lens(), a), seen(lens(), b)
                area = (bx - ax) * (y - ay * w) - (by - ay) * (x - ax * w)
                reach = ((bx - ax) ** 2 + (by - ay) ** 2) ** 0.5 * max(abs(x), abs(y), 1)
                assert abs(area) / reach < 1e-4
