"""The time strip against the diagnosis of each frame, and after a change against a strip worked out
anew."""

import numpy as np
import pytest

from jade_lantern.core.change import changed
from jade_lantern.core.move.diagnosis import diagnosed
from jade_lantern.core.move.frames import render_request
from jade_lantern.core.move.ready import Truck
from jade_lantern.core.move.strip import STRIP_WIDTH, Strip, coarse_to_fine, whole_move
from jade_lantern.core.render.diagnose import DiagnosedCast
from jade_lantern.core.scene.edits import (
    AlterProxy,
    CastOn,
    DeleteProxy,
    DuplicateProxy,
    SetFrame,
    SetTrack,
    apply,
)
from jade_lantern.core.scene.timed import ShotFrame
from jade_lantern.core.sight.measure import required_camera
from jade_lantern.core.track import TrackKey

SHARES = ("leak", "spill", "stretch", "reveal")
# A pixel on the very edge between two surfaces may fall to the other by rounding.
ONE_PIXEL = 1.01 / (192 * 128)


def named(scene, name):
    return next(p for p in scene.proxies if p.name.startswith(name))


def same(strip, other):
    a, b = strip.frames_so_far(), other.frames_so_far()
    for name in (*SHARES, "proxy_most"):
        off = np.abs(getattr(a, name) - getattr(b, name)).max()
        assert off <= ONE_PIXEL, name


@pytest.fixture(scope="module")
def scene(demo_scene):
    """A sideways move, short enough to be looked at often."""
    moved = changed(demo_scene, Truck(distance_m=0.5))[1]
    move = moved.move.model_copy(update={"frames": 96})
    return moved.model_copy(update={"move": move})


@pytest.fixture(scope="module")
def strip(scene):
    strip = Strip(scene)
    assert strip.work()
    return strip


def test_frames_are_taken_from_coarse_to_fine():
    for count in (1, 2, 3, 17, 96):
        order = coarse_to_fine(count)[::-1]
        assert sorted(order) == list(range(count))
    assert coarse_to_fine(17)[::-1][:5] == [0, 16, 8, 4, 12]


def test_the_strip_is_the_diagnosis_of_every_frame(scene, strip):
    found = strip.frames_so_far()
    assert found.known
    asked = render_request(scene, STRIP_WIDTH)
    for number, told in diagnosed(scene, asked):
        shares = told.shares()
        assert [getattr(found, n)[number] for n in SHARES] == pytest.approx(list(shares.values()))


def test_what_is_not_known_yet_is_said_to_be_so(scene):
    strip = Strip(scene)
    assert not strip.work(0.0)
    found = strip.frames_so_far()
    assert not found.known
    assert np.isfinite(found.leak).sum() == 1
    assert found.worst == 0


@pytest.mark.parametrize(
    "change",
    [
        lambda s: AlterProxy.model_validate(
            {"proxy": named(s, "crate").id, "to": {"x": named(s, "crate").x + 0.3}}
        ),
        lambda s: AlterProxy.model_validate(
            {"proxy": named(s, "crate").id, "to": {"hidden": True}}
        ),
        lambda s: DeleteProxy(proxy=named(s, "post").id),
        lambda s: DuplicateProxy(proxy=named(s, "crate").id),
        lambda s: AlterProxy.model_validate(
            {"proxy": named(s, "post").id, "to": {"height_m": 3.0}}
        ),
        lambda s: CastOn.model_validate(
            {"rows": [{"proxy": named(s, "crate").id, "lanterns": []}], "cleared": []}
        ),
        lambda s: Truck(distance_m=0.3),
        lambda s: SetTrack(
            part=named(s, "crate").id, of="x",
            keys=tuple(TrackKey(frame=f, value=v) for f, v in ((0, 1.0), (60, 1.5))),
        ),
    ],
    ids=["slid", "hidden", "deleted", "added", "taller", "unlit", "another move", "tracked"],
)  # fmt: skip
def test_after_a_change_the_strip_is_what_it_would_be_anew(scene, strip, change):
    after = changed(scene, change(scene))[1]
    again, anew = strip.after(after), Strip(after)
    again.work()
    anew.work()
    same(again, anew)


def test_a_small_change_is_looked_at_only_where_it_shows(scene, strip, monkeypatch):
    looked = []
    real = DiagnosedCast.from_
    monkeypatch.setattr(
        DiagnosedCast, "from_",
        lambda self, shot, *given, **named: (
            looked.append(shot.width * shot.height), real(self, shot, *given, **named)
        )[1],
    )  # fmt: skip
    crate = named(scene, "crate")
    after = apply(
        scene, AlterProxy.model_validate({"proxy": crate.id, "to": {"x": crate.x + 0.05}})
    )
    again = strip.after(after)
    again.work()
    assert again.frames_so_far().known
    assert 0 < sum(looked) < 0.25 * strip.nbytes / 3


def test_a_cut_to_another_shape_is_looked_at_in_that_shape(scene):
    tall = apply(scene, SetFrame(frame=ShotFrame(width=1080, height=1920, at=(0.2, 0.5))))
    strip = Strip(tall)
    camera = strip.cameras[0]
    assert camera.height / camera.width == pytest.approx(1920 / 1080, rel=0.01)
    whole = required_camera(scene)
    # the left edge of the crop, as far in as its middle allows
    wide = whole.height * 1080 / 1920
    left = max(0.2 * whole.width - wide / 2, 0)
    ray = camera.rays(np.array([[0.0, camera.height / 2]]))[0]
    seen = whole.project(whole.position + ray)[0]
    assert seen == pytest.approx((left, whole.height / 2), abs=1.5)


def test_a_strip_of_moving_proxies_is_kept_where_they_are_the_same(scene):
    crate, post = named(scene, "crate"), named(scene, "post")
    keys = tuple(TrackKey(frame=f, value=crate.x + v) for f, v in ((0, 0.0), (30, 0.4)))
    moving = apply(scene, SetTrack(part=crate.id, of="x", keys=keys))
    moving = moving.model_copy(update={"move": moving.move.model_copy(update={"frames": 96})})
    strip = Strip(moving)
    strip.work()
    after = apply(moving, AlterProxy.model_validate({"proxy": post.id, "to": {"x": post.x - 0.1}}))
    again, anew = strip.after(after), Strip(after)
    again.work()
    anew.work()
    same(again, anew)
    assert whole_move(after).leak.tolist() == anew.frames_so_far().leak.tolist()
