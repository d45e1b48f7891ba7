"""Pictures fixed to their proxies: moved, turned, bent, squashed, and let go again."""

from dataclasses import replace

import numpy as np
import pytest

from jade_lantern.core.block.parts import in_world, solid_of
from jade_lantern.core.camera import rotation_of
from jade_lantern.core.cast.inside import standing_inside
from jade_lantern.core.cast.ofscene import cast_meshes, lantern_camera, places_of, targets
from jade_lantern.core.cast.squash import Squash, effect_of
from jade_lantern.core.change import changed
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.render.diagnose import DiagnosedCast
from jade_lantern.core.render.frame import rendered
from jade_lantern.core.render.land import Cast, Target, Thrower
from jade_lantern.core.render.pyramid import pyramid
from jade_lantern.core.scene.document import as_text, read
from jade_lantern.core.scene.edits import (
    AddLantern,
    DeleteProxy,
    DuplicateProxy,
    Glaze,
    PutProxies,
    SetEyeHeight,
    SetLock,
    Unglaze,
    altered,
    apply,
)
from jade_lantern.core.scene.model import LanternView
from jade_lantern.core.scene.parts import scene_of, values_of
from jade_lantern.core.sight.measure import required_camera
from jade_lantern.core.solid.shape import Shape
from tests.core.test_lanterns import HEIGHT, LENS, RNG, WIDTH, card, solid


def crate(scene):
    return next(p for p in scene.proxies if p.kind == "box" and "crate" in p.name.lower())


def seen(scene, camera, pixels, only=None):
    """A scene's frame of one lantern, and which of its pixels show a proxy."""
    sighted = required_camera(scene)
    stand = targets(scene, sighted)
    shown = [p for p in scene.proxies if not p.hidden]
    if only is not None:
        stand = [t for t in stand if shown[t.proxy].id == only]
    return rendered(Cast(stand, [Thrower(sighted, pyramid(pixels))]), camera)


def small(scene, still):
    camera = required_camera(scene)
    return camera.resized(480, 320), np.ascontiguousarray(still.pixels[::4, ::4])


@pytest.fixture(scope="module")
def ready(demo_scene, still):
    camera, pixels = small(demo_scene, still)
    return demo_scene, camera, pixels


def test_glazed_and_left_alone_nothing_changes(ready):
    scene, camera, pixels = ready
    glazed = apply(scene, Glaze(proxies=tuple(p.id for p in scene.proxies)))
    for shot in (camera, replace(camera, position=camera.position + [0.6, 0.1, -1.0])):
        before = seen(scene, shot, pixels).astype(int)
        assert np.abs(seen(glazed, shot, pixels).astype(int) - before).max() <= 1


def test_a_glazed_proxy_takes_its_picture_along_and_gives_it_back(ready):
    """Moved and turned, a camera that is moved and turned the same way sees what it saw."""
    scene, camera, pixels = ready
    box = crate(scene)
    was = seen(scene, camera, pixels, box.id)
    moved = apply(apply(scene, Glaze(proxies=(box.id,))), altered(box.id, x=box.x + 1.5))
    shot = replace(camera, position=camera.position + [1.5, 0, 0])
    here = (was[..., 3] == 255) & (seen(moved, shot, pixels, box.id)[..., 3] == 255)
    assert here.sum() > 0.98 * (was[..., 3] == 255).sum() > 500
    off = np.abs(seen(moved, shot, pixels, box.id).astype(int) - was)
    assert off[here].max() <= 1
    bare = seen(apply(moved, Unglaze(proxies=(box.id,))), shot, pixels, box.id)
    assert np.abs(bare.astype(int) - was)[here].mean() > 5
    # turned on its foot by a quarter: the picture turns with it
    turned = apply(moved, altered(box.id, x=box.x, turn_deg=box.turn_deg + 90))
    quarter = np.array([[0, 0, 1.0], [0, 1, 0], [-1, 0, 0]])
    foot = np.array([box.x, box.level_m, box.z])
    round_ = replace(
        camera, position=foot + quarter @ (camera.position - foot),
        rotation=camera.rotation @ quarter.T,
    )  # fmt: skip
    there = seen(turned, round_, pixels, box.id)
    here = (was[..., 3] == 255) & (there[..., 3] == 255)
    assert here.sum() > 0.98 * (was[..., 3] == 255).sum()
    assert np.abs(there.astype(int) - was)[here].max() <= 1


def test_bent_by_a_corner_each_triangle_carries_its_part_of_the_picture():
    """A place on a card whose corner is pulled out shows what lies at the same shares of its
    triangle's corners at rest."""
    y, x = np.mgrid[:HEIGHT, :WIDTH] + 0.5
    plate = np.stack([x, y * 1.5, 128 + 0 * x], axis=-1).astype(np.uint8)
    mesh = card(10, -2, 2, 0.4, 2.8)
    rest = np.column_stack([mesh.points, np.ones(4)])
    pulled = mesh.points.copy()
    pulled[2] += [0.8, 0.5, 2.0]
    bent = Target(replace(mesh, points=pulled), rest=rest)
    frame = rendered(Cast([bent], [Thrower(LENS, pyramid(plate))]), LENS).astype(int)
    for triangle in mesh.triangles:
        shares = RNG.dirichlet([2, 2, 2], 40)
        shares = shares[shares.min(axis=1) > 0.05]
        at = LENS.project(shares @ pulled[triangle])[0]
        was = LENS.project(shares @ mesh.points[triangle])[0]
        shown = frame[at[:, 1].astype(int), at[:, 0].astype(int)]
        assert (shown[:, 3] == 255).all()
        assert np.abs(shown[:, 0] - was[:, 0]).max() < 2.5
        assert np.abs(shown[:, 1] - 1.5 * was[:, 1]).max() < 3.5


def test_where_a_picture_is_fixed_is_told_by_what_the_lantern_saw_then():
    """A card glazed in the open and moved behind another one is not spilled on."""
    rest = card(10, -1, 1, 0.6, 2.6)
    behind = card(14, -1, 1, 0.6, 2.6)
    front = card(12, -3, 3, 0, 4)
    from_ = replace(LENS, position=np.array([0.0, 1.6, -12.5]))
    fixed = Target(behind, proxy=0, rest=np.column_stack([rest.points, np.ones(4)]))
    glazed = DiagnosedCast([fixed, Target(front, proxy=1)], [Thrower(LENS)], WIDTH).from_(from_)
    bare = DiagnosedCast([Target(behind, proxy=0), Target(front, proxy=1)], [Thrower(LENS)], WIDTH)
    bare = bare.from_(from_)
    mine = bare.owner == 0
    assert mine.mean() > 0.2
    assert bare.spill[mine].mean() > 0.95
    assert glazed.spill[mine].mean() < 0.02
    assert glazed.reveal[mine].mean() < 0.02


@pytest.mark.parametrize("through", [True, False])
def test_first_surfaces_are_those_that_stood_there_then(through):
    rest, behind = card(10, -1, 1, 0.6, 2.6), card(14, -1, 1, 0.6, 2.6)
    front = card(12, -3, 3, 0, 4)
    fixed = Target(behind, proxy=0, rest=np.column_stack([rest.points, np.ones(4)]))
    lantern = Thrower(LENS, pyramid(solid(9, 200, 30)), through=through)
    shot = replace(LENS, position=np.array([0.0, 1.6, -12.5]))
    frame = rendered(Cast([fixed, Target(front, proxy=1)], [lantern]), shot)
    assert frame[80, 120].tolist() == [9, 200, 30, 255]


@pytest.mark.parametrize("to", [0.05, 0.5, 1.7])
def test_squashed_the_lens_sees_the_same_and_depth_is_pressed(ready, to):
    scene, camera, pixels = ready
    ids = tuple(p.id for p in scene.proxies if p.kind in ("box", "drum", "card"))
    glazed = apply(scene, Glaze(proxies=ids))
    edit, after = changed(glazed, Squash(proxies=ids, to=to))
    assert edit.title(glazed).startswith("Squash")
    sighted = required_camera(scene)
    by = {p.id: p for p in after.proxies}
    depth = {}
    for name, of in (("before", glazed), ("after", after)):
        places = np.concatenate([p.mesh(sighted).points for p in of.proxies if p.id in ids])
        depth[name] = np.ptp((places - sighted.position) @ sighted.forward)
    assert depth["after"] == pytest.approx(to * depth["before"], rel=1e-6)
    for id in ids:
        whole = seen(glazed, camera, pixels, id).astype(int)
        pressed = seen(after, camera, pixels, id).astype(int)
        assert np.abs(pressed - whole).max() <= 1
        assert by[id].kind == "solid"
    # planes stay planes
    for id in ids:
        shape = by[id].shape
        for face in shape.faces:
            ring = in_world(by[id], shape.at(shape.loops_of(face)[0]))
            flat = (ring - ring.mean(axis=0)) @ (by[id].frame()[0] @ shape.normal(face))
            assert np.ptp(flat) < 1e-6 * max(np.ptp(ring, axis=0).max(), 1)
    said = effect_of(glazed, Squash(proxies=ids, to=to))
    assert said.far_after_m - said.near_m == pytest.approx(to * (said.far_m - said.near_m))
    assert 0 <= said.otherwise < 0.5


def test_squashed_moved_and_squashed_again_the_picture_goes_along(ready):
    """From the lens moved with it, what was squashed twice is what it was at first."""
    scene, camera, pixels = ready
    id = crate(scene).id
    was = seen(scene, camera, pixels, id).astype(int)
    once = changed(apply(scene, Glaze(proxies=(id,))), Squash(to=0.4))[1]
    again = changed(once, Squash(to=2.0))[1]
    x = next(p for p in again.proxies if p.id == id).x
    moved = apply(again, altered(id, x=x + 1.0))
    shot = replace(camera, position=camera.position + [1.0, 0, 0])
    now = seen(moved, shot, pixels, id).astype(int)
    here = (was[..., 3] == 255) & (now[..., 3] == 255)
    assert here.sum() > 0.98 * (was[..., 3] == 255).sum()
    assert np.abs(now - was)[here].max() <= 1


def test_what_is_not_glazed_or_has_no_depth_is_not_squashed(ready):
    scene = ready[0]
    with pytest.raises(Refusal, match="Nothing is glazed"):
        changed(scene, Squash(to=0.5))
    box = crate(scene)
    with pytest.raises(Refusal, match="is not glazed"):
        changed(scene, Squash(proxies=(box.id,), to=0.5))
    floor = next(p for p in scene.proxies if p.kind == "floor")
    under = apply(scene, altered(floor.id, depth_m=400.0))
    with pytest.raises(Refusal, match="behind the lens"):
        changed(apply(under, Glaze(proxies=(floor.id,))), Squash(to=0.5))


def test_a_glazed_proxy_keeps_its_corners_or_says_why(ready):
    scene, camera, pixels = ready
    box = crate(scene)
    glazed = apply(scene, Glaze(proxies=(box.id,)))
    sighted = required_camera(scene)
    worked = solid_of(box, sighted)
    # the first work on a face turns it into a solid: its corners are still the same ones
    corner = min(worked.shape.points)
    lifted = worked.shape.moved({corner: worked.shape.points[corner] + [0, 0.1, 0]})
    bent = apply(glazed, PutProxies(proxies=(worked.with_shape(lifted),), said="Bend"))
    frame = seen(bent, camera, pixels, box.id)
    assert (frame[..., 3] > 0).sum() > 500
    points = {**worked.shape.points, 90: np.zeros(3)}
    more = Shape(points, {**worked.shape.faces, 90: ((1, 2, 90),)})
    with pytest.raises(Refusal, match="Take its glaze off first"):
        apply(glazed, PutProxies(proxies=(worked.with_shape(more),), said="Add"))
    # let go, it is cast on where it stands
    assert apply(apply(bent, Unglaze(proxies=(box.id,))), DeleteProxy(proxy=box.id)).glazed == ()
    assert apply(glazed, DeleteProxy(proxy=box.id)).glazed == ()
    with pytest.raises(Refusal, match="None of these is glazed"):
        apply(scene, Unglaze(proxies=(box.id,)))


def test_a_copy_of_a_glazed_proxy_has_its_picture(ready):
    scene, camera, pixels = ready
    box = crate(scene)
    copied = apply(apply(scene, Glaze(proxies=(box.id,))), DuplicateProxy(proxy=box.id))
    copy = copied.proxies[-1]
    shot = replace(camera, position=camera.position + [copy.x - box.x, 0, copy.z - box.z])
    was, now = seen(scene, camera, pixels, box.id), seen(copied, shot, pixels, copy.id)
    here = (was[..., 3] == 255) & (now[..., 3] == 255)
    assert here.sum() > 0.95 * (was[..., 3] == 255).sum()
    assert np.abs(now.astype(int) - was)[here].max() <= 1


def test_glaze_is_kept_read_again_and_carried_when_the_size_changes(ready):
    scene, camera, pixels = ready
    box = crate(scene)
    glazed = apply(apply(scene, Glaze(proxies=(box.id,))), altered(box.id, x=box.x + 0.7))
    assert read(as_text(glazed)) == glazed
    assert scene_of(values_of(glazed)) == glazed
    open_ = apply(glazed, SetLock(locked=False))
    larger = changed(open_, SetEyeHeight(metres=3.3))[1]
    before = seen(glazed, camera, pixels, box.id)
    big = required_camera(larger).resized(480, 320)
    assert np.abs(seen(larger, big, pixels, box.id).astype(int) - before).max() <= 1
    stood = cast_meshes(larger, required_camera(larger), list(larger.proxies))
    assert len(stood) == len(larger.proxies)
    assert places_of(larger, required_camera(larger))


def test_a_lantern_inside_a_proxy_is_told_and_one_in_a_room_or_before_a_card_is_not(ready):
    scene = ready[0]
    sighted = required_camera(scene)
    assert standing_inside(scene, sighted) == []
    box = crate(scene)
    position = (box.x, box.level_m + box.height_m / 2, box.z)
    view = LanternView(position=position, focal_mm=30, width=300, height=200)
    within = apply(scene, AddLantern(name="lost", view=view))
    assert standing_inside(within, sighted) == [(within.lanterns[-1].id, box.id)]
    beside = view.model_copy(update={"position": (box.x + box.width_m, 0.2, box.z)})
    assert standing_inside(apply(scene, AddLantern(name="b", view=beside)), sighted) == []
    # it throws onto the inside and nothing falls over
    pixels = np.full((200, 300, 3), 80, np.uint8)
    stand = targets(within, sighted)
    inner = Thrower(lantern_camera(within.lanterns[-1], sighted), pyramid(pixels), through=False)
    frame = rendered(Cast([replace(t, lanterns=(0,)) for t in stand], [inner]), ready[1])
    assert frame.shape == (320, 480, 4)


def test_a_proxy_that_crosses_the_lens_is_cut_at_it():
    """A floor that runs under the camera and behind it: what lies before it shows its picture."""
    floor = card(0, -30, 30, 0, 1).moved(np.eye(3), np.zeros(3))
    points = np.array([[-30, 0, 30], [30, 0, 30], [30, 0, -60], [-30, 0, -60.0]])
    floor = replace(floor, points=points)
    down = replace(LENS, rotation=rotation_of(-12, 0, 0))
    frame = rendered(Cast([Target(floor)], [Thrower(down, pyramid(solid(30, 60, 90)))]), down)
    below = frame[-40:, :]
    assert (below == (30, 60, 90, 255)).all()
    assert (frame[:8, :, 3] == 0).all()
