"""Lights, haze and the look in a scene: their verbs, over time, through a change of zero and size,
and by hand."""

import numpy as np
import pytest

from jade_lantern.core.block.under import under
from jade_lantern.core.cast.ofscene import cast_of
from jade_lantern.core.change import changed
from jade_lantern.core.deliver.frames import films
from jade_lantern.core.deliver.preview import Preview
from jade_lantern.core.dress.lamps import AimSun, CarryLamp, PickLamp
from jade_lantern.core.dress.ofscene import dress_of
from jade_lantern.core.move.frames import render_request
from jade_lantern.core.pick import Ray
from jade_lantern.core.picture.eight import in_eight_bit
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.render.film import film
from jade_lantern.core.scene.document import as_text, read
from jade_lantern.core.scene.dressing import Amount, Haze, Lamp, Look, Sky, Sun
from jade_lantern.core.scene.edits import (
    AddLight,
    AlterLight,
    Block,
    DeleteLight,
    DeleteProxy,
    Resettle,
    SetEyeHeight,
    SetHaze,
    SetLock,
    SetLook,
    SetTrack,
    apply,
)
from jade_lantern.core.scene.edits.dress import facts_of
from jade_lantern.core.scene.moment import at
from jade_lantern.core.scene.parts import scene_of, values_of
from jade_lantern.core.sight.measure import required_camera
from jade_lantern.core.sight.settle import settled
from jade_lantern.core.track import TrackKey

SUN = Sun(id="new-0", name="sun", turn_deg=-60, height_deg=30)
LAMP = Lamp(id="new-0", name="lamp", x=-2.0, level_m=2.0, z=-5.0, reach_m=2.0)


def lit(scene, *lights):
    for light in lights:
        scene = apply(scene, AddLight(light=light))
    return scene


@pytest.fixture
def quay(demo_scene):
    """The quay, unlocked."""
    return apply(demo_scene, SetLock(locked=False))


@pytest.fixture
def dressed(quay):
    scene = lit(quay, SUN, LAMP, Sky(id="new-0", name="sky", strength=0.2))
    scene = apply(scene, SetHaze(haze=Haze(density=0.03, fall_m=3.0, level_m=0.2)))
    return apply(scene, SetLook(look=Look(contrast=1.1)))


@pytest.fixture
def small(still_file):
    """The quay's still at a fifth of its size, for whatever plate is asked."""
    from jade_lantern.core.picture import read_still

    picture = np.ascontiguousarray(read_still(still_file.read_bytes()).pixels[::5, ::5])
    return lambda plate: picture


def rendered(scene, pixels):
    camera = required_camera(scene).at_width(320)
    return film(cast_of(scene, pixels), camera, dress=dress_of(scene)).beauty.astype(int)


def test_lights_are_numbered_named_and_read_again(dressed):
    assert [one.kind for one in dressed.lights] == ["sun", "lamp", "sky"]
    twice = lit(dressed, SUN)
    assert twice.lights[-1].name == "sun 2"
    assert len({one.id for one in twice.lights}) == 4
    assert read(as_text(twice)) == twice
    assert scene_of(values_of(twice)) == twice
    out = apply(twice, AlterLight(light=twice.lights[-1].id, to=facts_of({"on": False})))
    assert len(dress_of(out).lights) == 3
    assert len(apply(out, DeleteLight(light=out.lights[0].id)).lights) == 3


@pytest.mark.parametrize(
    ("edit", "words"),
    [
        (lambda s: AlterLight(light=s.lights[0].id, to=facts_of({"radius_m": 1})), "no radius"),
        (lambda s: AlterLight(light=s.lights[0].id, to=facts_of({"name": None})), "cannot be"),
        (lambda s: AlterLight(light=s.lights[2].id, to=facts_of({"does": "shades"})), "shadow"),
        (lambda s: AlterLight(light="light-99", to=facts_of({"on": True})), "not there"),
        (lambda s: AlterLight(light=s.lights[0].id, to=facts_of({"name": "lamp"})), "already"),
        (lambda s: AddLight(light=SUN.model_copy(
            update={"amounts": (Amount(proxy="box-999", share=0.5),)})), "not there"),
        (lambda s: SetTrack(part=s.lights[0].id, of="x", keys=(TrackKey(frame=0, value=1),)),
         "nothing that is called x"),
        (lambda s: SetTrack(part="look-0", of="contrast", keys=(TrackKey(frame=0, value=9),)),
         "goes from 0 to 4"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_refused_in_words(dressed, edit, words):
    with pytest.raises(Refusal, match=words):
        apply(dressed, edit(dressed))


def test_a_proxy_that_goes_takes_its_amounts_along(dressed):
    crate = next(p for p in dressed.proxies if p.name == "crate 1")
    amounts = (Amount(proxy=crate.id, share=0.5),)
    scene = apply(dressed, AlterLight(light=dressed.lights[0].id, to=facts_of(
        {"amounts": amounts, "casters": (crate.id,)})))  # fmt: skip
    scene = apply(scene, SetHaze(haze=scene.haze.model_copy(update={"amounts": amounts})))
    after = apply(scene, DeleteProxy(proxy=crate.id))
    assert after.lights[0].amounts == after.haze.amounts == ()
    assert after.lights[0].casters == ()
    assert dress_of(after).lights[0].casters == frozenset()


def test_what_hangs_takes_no_light_and_casts_no_shadow(dressed):
    shown = [p for p in dressed.proxies if not p.hidden]
    hangs = {i for i, p in enumerate(shown) if not p.stands}
    assert hangs
    for light in dress_of(dressed).lights:
        assert {i for i, share in light.shares.items() if share == 0.0} == hangs
        assert not light.casters or not light.casters & hangs


def test_it_looks_the_same_after_a_change_of_zero_and_size(dressed, small):
    before = rendered(dressed, small)
    assert np.abs(before - rendered(dressed.model_copy(update={"lights": ()}), small)).mean() > 2
    edit = settled(dressed, SetEyeHeight(metres=2.4))
    assert isinstance(edit, Resettle)
    after = apply(dressed, edit)
    scale = after.lights[1].reach_m / dressed.lights[1].reach_m
    assert abs(scale - 1) > 0.1
    assert after.haze.density == pytest.approx(dressed.haze.density / scale)
    assert after.haze.fall_m == pytest.approx(dressed.haze.fall_m * scale)
    off = np.abs(rendered(after, small) - before)
    assert np.quantile(off, 0.995) <= 1


def test_numbers_over_time_are_those_of_the_frame(dressed):
    lamp = dressed.lights[1]
    keys = (TrackKey(frame=0, value=0.0, ease="none"), TrackKey(frame=40, value=2.0, ease="none"))
    scene = apply(dressed, SetTrack(part=lamp.id, of="strength", keys=keys))
    thin = (TrackKey(frame=0, value=0.01), TrackKey(frame=40, value=0.05))
    scene = apply(scene, SetTrack(part="haze-0", of="density", keys=thin))
    scene = apply(scene, SetTrack(part="look-0", of="exposure", keys=keys))
    assert at(scene, 0).lights[1].strength == 0.0
    assert at(scene, 20).lights[1].strength == pytest.approx(1.0)
    assert dress_of(at(scene, 0)).lights[1].energy == (0.0, 0.0, 0.0)
    assert dress_of(at(scene, 40)).lights[1].energy[0] > 0
    assert at(scene, 40).haze.density == pytest.approx(0.05)
    assert at(scene, 20).look.exposure == pytest.approx(1.0)
    assert at(scene, 20).lights[0] is scene.lights[0]
    without = apply(scene, SetHaze(haze=None))
    assert {t.part for t in without.tracks} == {lamp.id, "look-0"}


def test_a_frame_that_is_delivered_and_its_preview_are_dressed(dressed, small):
    asked = render_request(dressed, 320, 10, 11)
    (first, _) = films(dressed, small, asked, ("light", "haze"))
    assert first.light.max() > 1.05
    assert first.haze[..., :3].max() > 0.05
    preview = Preview(dressed, small).frame(dressed, 10, 320)
    deep = in_eight_bit(first.beauty)
    whole = deep[..., 3] == 255
    assert np.abs(preview.astype(int) - deep[..., :3])[whole].max() <= 2
    plain = dressed.model_copy(update={"lights": (), "haze": None, "look": None})
    (bare_frame,) = films(plain, small, render_request(plain, 320, 10, 10))
    assert np.abs(bare_frame.beauty.astype(int)[..., :3] - preview).mean() > 4


def ray_to(camera, place):
    way = np.array(place, float) - camera.position
    return Ray(origin=tuple(camera.position.tolist()), direction=tuple(way.tolist()))


class Still:
    """A still of one colour, for whoever looks."""

    def __init__(self, colour):
        self.colour = np.array(colour, np.uint8)

    def deep(self, plate):
        return np.broadcast_to(self.colour, (plate.height, plate.width, 3))


def test_a_lamp_is_picked_before_what_is_under_the_pointer_in_its_colour(quay):
    pick = (500.0, 1150.0)
    _, scene = changed(quay, PickLamp(at=pick), Still((200, 150, 50)))
    (lamp,) = scene.lights
    found = under(quay, required_camera(quay), pick)
    away = np.array([lamp.x, lamp.level_m, lamp.z]) - found.point
    assert np.cross(away, found.normal) == pytest.approx(np.zeros(3), abs=1e-9)
    assert 0.1 < away @ found.normal < 1.5
    assert lamp.colour == pytest.approx((1.0, 0.75, 0.25))


def test_a_lamp_is_carried_to_under_the_pointer(dressed):
    camera, lamp = required_camera(dressed), dressed.lights[1]
    to = np.array([-1.0, 2.0, -7.5])
    carry = CarryLamp(light=lamp.id, to=ray_to(camera, to), way="level")
    moved = changed(dressed, carry)[1].lights[1]
    assert (moved.x, moved.level_m, moved.z) == pytest.approx(tuple(to), abs=1e-5)
    aside = np.array([-2.6, 1.1, -5.0])
    carry = CarryLamp(light=lamp.id, to=ray_to(camera, aside), ahead=(0.0, 0.0, -1.0))
    moved = changed(dressed, carry)[1].lights[1]
    assert (moved.x, moved.level_m, moved.z) == pytest.approx(tuple(aside), abs=1e-5)
    with pytest.raises(Refusal, match="horizon"):
        changed(dressed, CarryLamp(light=lamp.id, to=ray_to(camera, (0, -9, -5)), way="level"))
    with pytest.raises(Refusal, match="cannot be carried"):
        changed(dressed, CarryLamp(light=dressed.lights[0].id, to=ray_to(camera, to)))


def test_a_sun_is_aimed_so_that_the_shadow_falls_where_it_is_drawn(dressed):
    camera, sun = required_camera(dressed), dressed.lights[0]
    crate = next(p for p in dressed.proxies if p.name == "crate 1")
    points = crate.mesh(camera).points
    top = points[np.argmax(points @ [0, 1, 0] - 1e-3 * np.linalg.norm(points, axis=1))]
    top = top + [0, -1e-4, 0]  # on its side, and not beside it
    ground = np.array([crate.x - 2.0, 0.0, crate.z + 0.4])
    aim = AimSun(light=sun.id, tip=ray_to(camera, top), shadow=ray_to(camera, ground))
    after = changed(dressed, aim)[1].lights[0]
    tip, shadow = (under(dressed, camera, pick).point for pick in (aim.tip, aim.shadow))
    way = (tip - shadow) / np.linalg.norm(tip - shadow)
    assert after.way() == pytest.approx(tuple(way), abs=1e-5)
    assert after.way()[1] > 0.1
    with pytest.raises(Refusal, match="say no direction"):
        changed(dressed, AimSun(light=sun.id, tip=ray_to(camera, ground),
                                shadow=ray_to(camera, ground)))  # fmt: skip


def test_blockers_are_hidden_and_only_their_light_sees_them(dressed):
    crate = next(p for p in dressed.proxies if p.name == "crate 1")
    sun, _, sky = (one.id for one in dressed.lights)
    after = apply(dressed, Block(light=sun, proxies=(crate.id,)))
    assert next(p for p in after.proxies if p.id == crate.id).hidden
    made = dress_of(after)
    (number,) = made.unseen  # of what only lights see
    assert number in made.lights[0].casters
    assert number not in made.lights[1].casters
    assert len(made.lights[0].casters) == len(dress_of(dressed).lights[0].casters)
    with pytest.raises(Refusal, match="from all sides"):
        apply(dressed, Block(light=sky, proxies=(crate.id,)))
    assert apply(after, DeleteProxy(proxy=crate.id)).lights[0].blockers == ()
