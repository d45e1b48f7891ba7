"""Numbers over time, and a scene at a frame."""

import numpy as np
import pytest

from jade_lantern.core.camera import Frame
from jade_lantern.core.cast.ofscene import cast_of
from jade_lantern.core.deliver.archive import packed, unpacked
from jade_lantern.core.deliver.frames import frames
from jade_lantern.core.move.diagnosis import diagnosed
from jade_lantern.core.move.frames import RenderRequest
from jade_lantern.core.move.strip import whole_move
from jade_lantern.core.proxy import Similarity
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.render.frame import rendered
from jade_lantern.core.scene.edits import (
    AddLantern,
    AlterProxy,
    CastOn,
    DeleteProxy,
    Resettle,
    SetEyeHeight,
    SetLock,
    SetShot,
    SetTrack,
    apply,
)
from jade_lantern.core.scene.model import CastRow
from jade_lantern.core.scene.moment import at, moments
from jade_lantern.core.scene.shot import shot_camera
from jade_lantern.core.sight.measure import required_camera
from jade_lantern.core.store import Memory
from jade_lantern.core.track import TrackKey, values_at


def keys(*pairs, **given):
    return tuple(TrackKey(frame=f, value=v, **given) for f, v in pairs)


def test_keys_are_met_and_nothing_goes_past_two_of_them():
    rng = np.random.default_rng(4)
    for ease in ("none", "in", "out", "both"):
        frame = np.sort(rng.choice(100, 6, replace=False))
        value = rng.normal(0, 5, 6)
        of = keys(*zip(frame.tolist(), value.tolist(), strict=True), ease=ease)
        fine = np.linspace(-5, 105, 2201)
        out = values_at(of, fine)
        assert values_at(of, frame.astype(float)) == pytest.approx(value, abs=1e-12)
        assert (out[fine <= frame[0]] == value[0]).all()
        assert (out[fine >= frame[-1]] == value[-1]).all()
        for k in range(5):
            within = out[(fine >= frame[k]) & (fine <= frame[k + 1])]
            low, high = sorted(value[k : k + 2])
            assert low - 1e-12 <= within.min()
            assert within.max() <= high + 1e-12
            assert (np.diff(within) * np.sign(value[k + 1] - value[k]) >= -1e-12).all()


def test_equal_keys_hold_exactly_and_a_hold_jumps_at_the_next():
    fine = np.linspace(0, 30, 301)
    out = values_at(keys((0, 1.0), (10, 3.7), (20, 3.7), (30, 0.0)), fine)
    assert (out[(fine >= 10) & (fine <= 20)] == 3.7).all()
    held = (TrackKey(frame=0, value=2.0, hold=True), TrackKey(frame=10, value=5.0))
    assert values_at(held, np.array([0, 5, 9.999, 10, 12])).tolist() == [2, 2, 2, 5, 5]


def test_speed_is_smooth_through_a_key_and_nothing_where_it_is_eased():
    fine = np.linspace(0, 20, 20001)
    for ease, still in (("none", False), ("both", True)):
        of = (TrackKey(frame=0, value=0, ease="none"), TrackKey(frame=8, value=3, ease=ease),
              TrackKey(frame=20, value=9, ease="none"))  # fmt: skip
        speed = np.gradient(values_at(of, fine), fine)
        before, after = speed[np.searchsorted(fine, 8) - 2], speed[np.searchsorted(fine, 8) + 2]
        assert before == pytest.approx(after, abs=2e-3)
        assert (abs(before) < 0.01) == still


def test_a_turn_goes_the_short_way_unless_turns_are_counted():
    fine = np.linspace(0, 10, 11)
    short = values_at(keys((0, 170.0), (10, -170.0)), fine, turn=True)
    assert short[[0, 5, 10]] == pytest.approx([170, 180, 190])
    twice = values_at(keys((0, 0.0), (10, 720.0)), fine, turn=True)
    assert twice[[0, 5, 10]] == pytest.approx([0, 360, 720])
    back = values_at(keys((0, 0.0), (5, -270.0), (10, 0.0)), fine, turn=True)
    assert back[[5, 10]] == pytest.approx([-270, 0])


def crate_of(scene):
    return next(p for p in scene.proxies if p.name == "crate 1")


def sliding(scene, by=1.0):
    crate = crate_of(scene)
    track = SetTrack(part=crate.id, of="x", keys=keys((0, crate.x), (95, crate.x - by)))
    return apply(scene, track)


def test_a_scene_at_a_frame_shares_what_does_not_move(demo_scene):
    assert at(demo_scene, 40) is demo_scene
    scene = sliding(demo_scene)
    then = at(scene, 95)
    crate = crate_of(scene)
    for old, new in zip(scene.proxies, then.proxies, strict=True):
        assert (new is old) == (old.id != crate.id)
    assert crate_of(then).x == pytest.approx(crate.x - 1)
    assert then.sighting is scene.sighting
    assert crate_of(at(scene, 0)) is crate
    first, same = moments(scene, np.array([95.0, 95.0]))
    assert first is same
    turned = apply(scene, SetTrack(part=crate.id, of="turn_deg", keys=keys((0, 0.0), (95, 450.0))))
    assert crate_of(at(turned, 95)).turn_deg == pytest.approx(90)


def test_a_frame_of_what_moves_is_the_frame_of_a_scene_where_it_stands_there(demo_scene, still):
    crate = crate_of(demo_scene)
    scene = sliding(demo_scene)
    asked = RenderRequest(Frame(240, 160), first=60, last=61)
    for n, frame in zip((60, 61), frames(scene, lambda _: still.pixels, asked), strict=True):
        there = float(values_at(scene.tracks[0].keys, np.array([float(n)]))[0])
        stood = apply(demo_scene, AlterProxy(proxy=crate.id, to={"x": there}))
        camera = shot_camera(scene, n, required_camera(scene)).resized(240, 160)
        wanted = rendered(cast_of(stood, lambda _: still.pixels), camera)
        assert np.array_equal(frame, wanted)
    told = dict(diagnosed(scene, RenderRequest(Frame(96, 64), first=0, last=95)))
    stays = dict(diagnosed(demo_scene, RenderRequest(Frame(96, 64), first=0, last=95)))
    assert np.array_equal(told[0].owner, stays[0].owner)
    assert (told[95].owner != stays[95].owner).mean() > 0.005
    strip = whole_move(scene)
    assert strip.reveal[0] == pytest.approx(whole_move(demo_scene).reveal[0])
    assert len(strip.reveal) == 96


def test_a_lanterns_strength_is_tracked(demo_scene, still):
    scene = apply(demo_scene, AddLantern(name="dusk"))
    dusk, crate = scene.lanterns[1].id, crate_of(scene).id
    scene = apply(scene, CastOn(rows=(CastRow(proxy=crate, lanterns=(dusk, "lantern-0")),)))
    scene = apply(scene, SetTrack(part=dusk, of="strength", keys=keys((0, 1.0), (95, 0.0))))
    assert at(scene, 95).lanterns[1].strength == 0
    black = np.zeros_like(still.pixels)
    given = scene.model_copy(
        update={"lanterns": (scene.lanterns[0], scene.lanterns[1].model_copy(
            update={"plate": scene.plate.model_copy(update={"digest": "f" * 64})}))}
    )  # fmt: skip
    pixels = {scene.plate.digest: still.pixels, "f" * 64: black}
    asked = RenderRequest(Frame(240, 160), first=0, last=95)
    shown = list(frames(given, lambda plate: pixels[plate.digest], asked))
    dark = [float((frame[..., :3].max(axis=2) < 3).mean()) for frame in shown]
    assert dark[0] > 0.01 > dark[95]
    with pytest.raises(Refusal, match="strength of dusk goes from 0 to 1"):
        apply(scene, SetTrack(part=dusk, of="strength", keys=keys((0, 1.5))))


def test_tracks_are_kept_in_an_archive_and_go_with_their_part(demo_scene, still_file):
    scene = sliding(demo_scene)
    file = still_file.read_bytes()
    assert unpacked(packed(scene, Memory({scene.plate.digest: file}))).scene == scene
    crate = crate_of(scene).id
    assert apply(scene, DeleteProxy(proxy=crate)).tracks == ()
    assert apply(scene, SetTrack(part=crate, of="x", keys=())).tracks == ()
    again = apply(scene, SetTrack(part=crate, of="x", keys=keys((3, 1.0))))
    assert [t.id for t in again.tracks] == [t.id for t in scene.tracks]


def test_what_moves_is_carried_by_a_new_zero_size_and_turn(demo_scene):
    """At every frame a proxy stands where it stood, carried."""
    crate = crate_of(demo_scene)
    scene = apply(sliding(demo_scene), SetLock(locked=False))
    for of, end in (("z", crate.z - 2), ("level_m", 0.7), ("turn_deg", 250.0)):
        begin = getattr(crate, of)
        scene = apply(scene, SetTrack(part=crate.id, of=of, keys=keys((0, begin), (60, end))))
    for turn in (0.0, 90.0, 180.0, -90.0):
        by = Similarity(1.7, (0.4, -0.2, 3.0), turn)
        change = Resettle(
            change=SetEyeHeight(metres=1.6), scale=1.7, shift=(0.4, -0.2, 3.0), turn_deg=turn
        )
        after = apply(scene, change)
        for frame in (0, 33, 80):
            wanted, got = crate_of(at(scene, frame)).carried(by), crate_of(at(after, frame))
            assert got.foot == pytest.approx(wanted.foot, abs=1e-9)
            off = (got.turn_deg - wanted.turn_deg + 180) % 360 - 180
            assert off == pytest.approx(0, abs=1e-9)
    askew = change.model_copy(update={"turn_deg": 30.0})
    with pytest.raises(Refusal, match="by quarters only"):
        apply(scene, askew)


@pytest.mark.parametrize(
    ("part", "of", "of_keys", "words"),
    [
        ("box-9999", "x", keys((0, 1.0)), "part that is not there"),
        (None, "strength", keys((0, 1.0)), "crate 1 has nothing that is called strength"),
        (None, "x", keys((5, 1.0), (5, 2.0)), "stand on one frame"),
        (None, "x", keys((0, 1.0), (400, 2.0)), "past the end of a shot of 96 frames"),
    ],
)
def test_what_cannot_be_tracked_is_refused(demo_scene, part, of, of_keys, words):
    part = part or crate_of(demo_scene).id
    with pytest.raises(Refusal, match=words):
        apply(demo_scene, SetTrack(part=part, of=of, keys=of_keys))
    scene = sliding(demo_scene)
    with pytest.raises(Refusal, match="There is a key at frame 95"):
        apply(scene, SetShot(fps=24, frames=50))


def test_a_door_turns_about_its_hinge(demo_scene):
    """A card that is turned about its left edge, which stays where it is, also while it moves."""
    sighted = required_camera(demo_scene)
    door = next(p for p in demo_scene.proxies if p.kind == "box" and p.name == "crate 1")
    corners = door.mesh(sighted).points
    foot = corners[np.argmin(corners[:, 0] + 1e-3 * corners[:, 1])]
    about = (float(foot[0]), float(foot[2]))
    keys = (TrackKey(frame=0, value=0), TrackKey(frame=80, value=90))
    scene = apply(demo_scene, SetTrack(part=door.id, of="hinge_deg", keys=keys, about=about))
    own = next(i for i, p in enumerate(scene.proxies) if p.id == door.id)
    k = int(np.argmin(np.linalg.norm(corners - foot, axis=1)))
    for frame, angle in ((0, 0), (40, 45), (80, 90)):
        there = at(scene, frame).proxies[own].mesh(sighted).points
        assert there[k] == pytest.approx(foot)
        a = np.radians(angle)
        turn = np.array([[np.cos(a), 0, np.sin(a)], [0, 1, 0], [-np.sin(a), 0, np.cos(a)]])
        assert there == pytest.approx((corners - foot) @ turn.T + foot)
    slid = apply(scene, SetTrack(part=door.id, of="x", keys=(
        TrackKey(frame=0, value=door.x), TrackKey(frame=80, value=door.x + 2))))  # fmt: skip
    there = at(slid, 80).proxies[own].mesh(sighted).points
    assert there[k] == pytest.approx(foot + [2, 0, 0])
    again = apply(slid, SetTrack(part=door.id, of="hinge_deg", keys=keys[1:]))
    assert again.tracks[-1].about == about
    with pytest.raises(Refusal, match="stands at one place"):
        apply(demo_scene, SetTrack(part=door.id, of="hinge_deg", keys=keys))
    with pytest.raises(Refusal, match="stands at one place"):
        apply(demo_scene, SetTrack(part=door.id, of="x", keys=keys, about=about))
    larger = scene.tracks[0].carried(Similarity(2.0, (1.0, 0.0, 3.0), 0.0))
    assert larger.about == pytest.approx((2 * about[0] + 1, 2 * about[1] + 3))
    assert larger.keys == scene.tracks[0].keys
