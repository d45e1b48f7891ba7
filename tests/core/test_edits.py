"""Every verb, and what it refuses."""

import pytest
from pydantic import ValidationError

from jade_lantern.core.proxy import Box
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.scene.document import as_text, read
from jade_lantern.core.scene.edits import (
    AddTape,
    AddTrace,
    AlterLantern,
    AlterProxy,
    DeleteKey,
    DeleteProxy,
    DeleteTrace,
    DuplicateProxy,
    MoveTraceEnd,
    RenameProject,
    SetDatum,
    SetEyeHeight,
    SetHeading,
    SetKey,
    SetKeys,
    SetLock,
    SetShot,
    ShiftKey,
    StandProxy,
    altered,
    apply,
    station_of,
)
from jade_lantern.core.scene.model import Scene
from jade_lantern.core.scene.plate import Plate
from jade_lantern.core.scene.timed import Key

LINE = ((10.0, 10.0), (200.0, 300.0))


@pytest.fixture
def scene() -> Scene:
    plate = Plate(name="a.png", width=640, height=480, digest="0" * 64, format="PNG", bits=8)
    return Scene(name="A", plate=plate)


def key(frame: int, **more) -> Key:
    return Key(frame=frame, position=(0, 1.6, 0), aim=(0, 1.6, -5), focal_mm=30, **more)


def test_an_edit_makes_a_new_scene_and_leaves_the_old(scene):
    after = apply(scene, AddTrace(heading="up", points=LINE))
    assert scene.sighting.traces == ()
    assert [t.id for t in after.sighting.traces] == ["trace-1"]


def test_ids_are_never_used_twice(scene):
    one = apply(scene, AddTrace(heading="up", points=LINE))
    none = apply(one, DeleteTrace(trace="trace-1"))
    two = apply(none, AddTrace(heading="up", points=LINE))
    assert two.sighting.traces[0].id == "trace-2"


def test_a_trace_can_be_moved_turned_and_deleted(scene):
    scene = apply(scene, AddTrace(heading="up", points=LINE))
    scene = apply(scene, MoveTraceEnd(trace="trace-1", end=1, to=(250, 260)))
    scene = apply(scene, SetHeading(trace="trace-1", heading="away"))
    assert scene.sighting.traces[0].points == ((10, 10), (250, 260))
    assert scene.sighting.traces[0].heading == "away"
    assert apply(scene, DeleteTrace(trace="trace-1")).sighting.traces == ()


@pytest.mark.parametrize(
    ("edit", "word"),
    [
        (AddTrace(heading="up", points=((5, 5), (5, 5))), "no length"),
        (AddTrace(heading="up", points=((5, 5), (5, 5000))), "leaves the picture"),
        (AddTape(points=((5, 5), (5, 5)), length_m=1), "no length"),
        (SetDatum(point=(-1, 5)), "leaves the picture"),
        (DeleteTrace(trace="trace-9"), "not there any more"),
        (SetKey(key=key(200)), "past the end"),
        (SetKey(key=key(0).model_copy(update={"aim": (0, 1.6, 0)})), "no direction"),
        (DeleteKey(frame=3), "no key"),
        (ShiftKey(frame=3, to=4), "no key"),
        (SetKeys(keys=(key(1), key(1))), "one frame"),
        (DeleteProxy(proxy="box-1"), "not there any more"),
    ],
)
def test_what_cannot_be_is_refused_in_words(scene, edit, word):
    with pytest.raises(Refusal, match=word):
        apply(scene, edit)


@pytest.mark.parametrize("ends", [LINE, LINE[::-1]])
def test_two_traces_on_top_of_each_other_are_refused(scene, ends):
    scene = apply(scene, AddTrace(heading="up", points=LINE))
    with pytest.raises(Refusal, match="lies there already"):
        apply(scene, AddTrace(heading="away", points=ends))


@pytest.mark.parametrize("bad", [0, -1, float("nan"), float("inf")])
def test_an_eye_height_of_nothing_is_no_eye_height(bad):
    with pytest.raises(ValidationError):
        SetEyeHeight(metres=bad)


def test_a_locked_sighting_keeps_still(scene):
    locked = apply(scene, SetLock(locked=True))
    with pytest.raises(Refusal, match="locked"):
        apply(locked, AddTrace(heading="up", points=LINE))
    assert apply(apply(locked, SetLock(locked=False)), AddTrace(heading="up", points=LINE))


def test_proxies_stand_change_double_and_go(scene):
    box = Box(id="box-0", name="crate", width_m=1, depth_m=1, height_m=1)
    scene = apply(scene, StandProxy(proxy=box))
    scene = apply(scene, altered("box-1", height_m=2, turn_deg=30))
    assert scene.proxies[0].height_m == 2
    scene = apply(scene, DuplicateProxy(proxy="box-1"))
    assert [p.id for p in scene.proxies] == ["box-1", "box-2"]
    assert scene.proxies[1].x != scene.proxies[0].x
    with pytest.raises(Refusal, match="no radius"):
        apply(scene, altered("box-1", radius_m=1))
    assert [p.id for p in apply(scene, DeleteProxy(proxy="box-1")).proxies] == ["box-2"]


def test_keys_stay_in_order_and_inside_the_shot(scene):
    scene = apply(scene, SetKey(key=key(50)))
    scene = apply(scene, SetKey(key=key(10)))
    scene = apply(scene, SetKey(key=key(50, ease="none")))
    assert [(k.frame, k.ease) for k in scene.move.position] == [(10, "both"), (50, "none")]
    scene = apply(scene, ShiftKey(frame=10, to=60))
    assert [k.frame for k in scene.move.aim] == [50, 60]
    with pytest.raises(Refusal, match="key at frame 50 already"):
        apply(scene, ShiftKey(frame=60, to=50))
    with pytest.raises(Refusal, match="key at frame 60"):
        apply(scene, SetShot(fps=25, frames=30))
    assert [k.frame for k in apply(scene, DeleteKey(frame=50)).move.focal_mm] == [60]


HELD = AlterLantern(lantern="lantern-0", to={"edge": "hold"})


def test_every_edit_has_a_title(scene):
    for edit in (
        RenameProject(name="B"),
        SetLock(locked=True),
        HELD,
    ):
        assert edit.title(scene)
        assert apply(scene, edit) != scene


def test_a_scene_is_read_back_as_it_was_written(demo_scene):
    assert read(as_text(demo_scene)) == demo_scene


@pytest.mark.parametrize(
    ("text", "word"),
    [("{", "JSON"), ("[]", "version"), ('{"version": 99}', "99"), ('{"version": 1}', "name")],
)
def test_what_is_no_scene_is_refused(text, word):
    with pytest.raises(Refusal, match=word):
        read(text)


def test_titles_name_what_they_are_of(scene):
    box = Box(id="box-0", name="box 3", width_m=1, depth_m=1, height_m=1)
    stood = apply(scene, StandProxy(proxy=box))
    one = stood.proxies[-1].id

    def title(**numbers):
        return AlterProxy(proxy=one, to=numbers).title(stood)

    assert title(name="crate") == "Name box 3 “crate”"
    assert title(x=1.0, z=2.0) == "Move box 3"
    assert title(turn_deg=4.0) == "Turn box 3"
    assert title(width_m=2.0) == "Change the width of box 3"
    assert DeleteProxy(proxy=one).title(stood) == "Delete box 3"
    for heading, at in (("up", 10.0), ("up", 20.0), ("A", 30.0)):
        stood = apply(stood, AddTrace(heading=heading, points=((at, 10.0), (at, 90.0))))
    ids = [t.id for t in stood.sighting.traces[-3:]]
    assert DeleteTrace(trace=ids[1]).title(stood) == "Delete Up 2"
    assert SetHeading(trace=ids[2], heading="across").title(stood) == "bearing A 1 runs Across"
    assert [station_of(e.verb) for e in (DeleteTrace(trace=ids[0]), HELD)] == [
        "sight",
        "cast",
    ]
    assert station_of("NoLongerKnown") == "still"
