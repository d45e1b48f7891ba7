"""The flat view of a face, and patches borrowed on a plane."""

import cv2
import numpy as np
import pytest
from shapely import MultiPoint, contains_xy

from jade_lantern.core.batch import PicturesAtHand
from jade_lantern.core.block.parts import solid_of
from jade_lantern.core.cast.borrow import Borrow, borrowed, plane_under
from jade_lantern.core.cast.flat import AddFlat, flat_size
from jade_lantern.core.cast.kit import kit_files, sheet
from jade_lantern.core.cast.ofscene import lantern_camera, targets, throwers
from jade_lantern.core.cast.paint import taken_in
from jade_lantern.core.cast.squash import Squash
from jade_lantern.core.change import changed
from jade_lantern.core.picture import png, read_deep
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.render.frame import rendered
from jade_lantern.core.render.land import Cast
from jade_lantern.core.scene.edits import Glaze, altered, apply
from jade_lantern.core.scene.edits.cast import AlterLantern, LanternFacts
from jade_lantern.core.sight.measure import required_camera
from jade_lantern.core.store import Memory
from tests.core.test_glaze import crate


@pytest.fixture
def at_hand(demo_scene, still_file):
    return PicturesAtHand(Memory({demo_scene.plate.digest: still_file.read_bytes()}))


def front(scene):
    """A crate and the number of its face that looks at the lens the most."""
    camera, box = required_camera(scene), crate(scene)
    solid = solid_of(box, camera)
    turn, place = solid.frame()
    to_lens = camera.position - place
    return box, max(solid.shape.faces, key=lambda f: (turn @ solid.shape.normal(f)) @ to_lens)


def test_a_flat_view_shows_a_face_to_scale_and_square_on(demo_scene):
    box, face = front(demo_scene)
    scene = changed(demo_scene, AddFlat(proxy=box.id, face=face))[1]
    lantern = scene.lanterns[-1]
    size = flat_size(scene, lantern)
    assert size == pytest.approx((box.width_m, box.height_m), rel=0.08)
    sighted = required_camera(scene)
    flat = lantern_camera(lantern, sighted)
    turn, place = box.frame()
    corners = np.array(
        [[x, y, box.depth_m / 2] for x in (-1, 1) for y in (0, box.height_m)], float
    ) * [box.width_m / 2, 1, 1]
    at = flat.project(corners @ turn.T + place)[0]
    per_metre = flat.width / size[0]
    assert np.ptp(at[:, 0]) == pytest.approx(box.width_m * per_metre, rel=1e-6)
    assert np.ptp(at[:, 1]) == pytest.approx(box.height_m * per_metre, rel=1e-6)
    assert len(np.unique(np.round(at, 6)[:, 0])) == 2  # upright edges are upright
    # as fine as the plate where the face is nearest
    depth = ((corners @ turn.T + place) - sighted.position) @ sighted.forward
    assert per_metre == pytest.approx(sighted.focal_px / depth.min(), rel=0.05)
    # nothing is thrown from it until it is painted
    row = next(r for r in scene.sheet.rows if r.face == face)
    assert row.lanterns[0] == lantern.id
    assert len(row.lanterns) == 2


def test_a_flat_view_goes_out_is_painted_and_comes_back_on_its_face_alone(demo_scene, at_hand):
    box, face = front(demo_scene)
    scene = changed(demo_scene, AddFlat(proxy=box.id, face=face))[1]
    out = sheet(scene, scene.lanterns[-1], at_hand.deep)
    # what goes out is the plate's own picture of the face, laid flat
    sighted = required_camera(scene)
    flat = lantern_camera(scene.lanterns[-1], sighted)
    turn, place = box.frame()
    y, x = np.mgrid[0.1:0.9:9j, -0.4:0.4:9j].reshape(2, -1)
    world = np.stack([x * box.width_m, y * box.height_m, 0 * x + box.depth_m / 2], 1) @ turn.T
    here, there = (c.project(world + place)[0].astype(np.float32) - 0.5 for c in (flat, sighted))
    still = at_hand.deep(scene.plate)
    shown, wanted = (
        cv2.remap(p, at[None, :, 0], at[None, :, 1], cv2.INTER_LINEAR)[0].astype(int)
        for p, at in ((out.plate, here), (still, there))
    )
    assert np.abs(shown - wanted).mean() < 4
    painted = out.plate.copy()
    painted[...] = (20, 220, 60)
    name = scene.lanterns[-1].name
    edit, _ = taken_in(scene, [(f"{name}.png", png(painted))], at_hand.deep, at_hand.store.keep)
    back = apply(scene, edit)
    camera = sighted.resized(480, 320)
    was = rendered(
        Cast(targets(demo_scene, sighted), throwers(demo_scene, sighted, at_hand.deep)), camera
    )
    now = rendered(Cast(targets(back, sighted), throwers(back, sighted, at_hand.deep)), camera)
    other = (now != was).any(axis=2)
    at = camera.project(world + place)[0].astype(int)
    assert (now[at[:, 1], at[:, 0], :3] == (20, 220, 60)).all()
    corners = np.array([[i, j] for i in (-0.5, 0.5) for j in (0, 1)])
    ring = np.column_stack(
        [
            corners[:, 0] * box.width_m,
            corners[:, 1] * box.height_m,
            0 * corners[:, 0] + box.depth_m / 2,
        ]
    )
    hull = MultiPoint(camera.project(ring @ turn.T + place)[0]).convex_hull.buffer(1.5)
    rows, columns = np.nonzero(other)
    assert contains_xy(hull, columns + 0.5, rows + 0.5).all()
    note = dict(kit_files(scene, at_hand.deep))["READ ME.txt"].decode()
    assert "wide and" in note


def test_the_flat_view_of_a_glazed_face_is_where_it_was_cast_on(demo_scene):
    box, face = front(demo_scene)
    bare = changed(demo_scene, AddFlat(proxy=box.id, face=face))[1].lanterns[-1].view
    glazed = apply(demo_scene, Glaze(proxies=(box.id,)))
    moved = apply(glazed, altered(box.id, x=box.x + 2, turn_deg=box.turn_deg + 40))
    squashed = changed(moved, Squash(to=0.5))[1]
    for scene in (moved, squashed):
        view = changed(scene, AddFlat(proxy=box.id, face=face))[1].lanterns[-1].view
        assert np.allclose(view.position, bare.position, atol=1e-6)
        assert view.yaw_deg == pytest.approx(bare.yaw_deg, abs=1e-6)
    camera = required_camera(demo_scene)
    with pytest.raises(Refusal, match="is glazed"):
        plane_under(glazed, glazed.lanterns[0], (camera.cx, camera.cy), box.id)


def test_what_has_no_flat_view_is_said(demo_scene):
    drum = next(p for p in demo_scene.proxies if p.kind == "drum")
    with pytest.raises(Refusal, match="not there"):
        changed(demo_scene, AddFlat(proxy=drum.id, face=9999))
    backdrop = next(p for p in demo_scene.proxies if not p.stands)
    with pytest.raises(Refusal, match="hangs before the lens"):
        changed(demo_scene, AddFlat(proxy=backdrop.id, face=1))


def boards(kind=np.uint8, channels=3):
    """A plane seen obliquely: a mapping to the picture, and boards that run along the plane."""
    H = np.array([[1.0, 0.3, 40], [0.02, 0.5, 60], [0.0, 0.0016, 1.0]])
    y, x = np.mgrid[:240, :320] + 0.5
    p = np.linalg.inv(H) @ np.stack([x.ravel(), y.ravel(), np.ones(x.size)])
    u, v = p[:2] / p[2]
    wave = 0.5 + 0.4 * np.sin(u / 9) + 0.08 * np.sin(v / 5)
    white = 1.0 if kind == np.float32 else np.iinfo(kind).max
    out = np.repeat(wave.reshape(240, 320, 1), channels, axis=2) * white
    if channels == 4:
        out[..., 3] = white
    return H, out.astype(kind)


@pytest.mark.parametrize(("kind", "channels"), [(np.uint8, 3), (np.uint16, 4), (np.float32, 3)])
def test_a_patch_from_the_same_plane_is_right_in_perspective(kind, channels):
    """Boards that a stain hides come back as they are, from a whole number of boards aside."""
    H, clean = boards(kind, channels)
    white = 1.0 if kind == np.float32 else np.iinfo(kind).max
    stained = clean.copy()
    cv2.circle(stained, (170, 120), 18, (0, white, 0, white)[:channels], -1)
    period = 2 * np.pi * 9
    shift = np.array([[1, 0, 2 * period], [0, 1, 0], [0, 0, 1]])
    source = H @ shift @ np.linalg.inv(H)
    turn = np.linspace(0, 2 * np.pi, 40, endpoint=False)
    outline = np.stack([170 + 26 * np.cos(turn), 120 + 26 * np.sin(turn)], axis=1)
    fixed = borrowed(stained, outline, source, soft=0.08)
    assert fixed.dtype == kind
    assert fixed.shape == clean.shape
    off = np.abs(fixed.astype(float) - clean) / white
    assert off.max() < 0.06
    assert off.mean() < 0.002
    beside = np.hypot(*(np.mgrid[:240, :320] + 0.5 - [[[120]], [[170]]])) > 28
    assert np.array_equal(fixed[beside], stained[beside])
    far = H @ np.array([[1, 0, 5000.0], [0, 1, 0], [0, 0, 1]]) @ np.linalg.inv(H)
    with pytest.raises(Refusal, match="outside the plate"):
        borrowed(stained, outline, far)


def test_borrowing_is_one_step_that_keeps_what_was_there(demo_scene, at_hand):
    floor = next(p for p in demo_scene.proxies if p.kind == "floor")
    camera = required_camera(demo_scene)
    spot = np.array([floor.x + 0.5, floor.level_m, -6.0])
    at, from_ = camera.project(np.array([spot, spot + [-0.8, 0, 0.4]]))[0]
    ring = [spot + [0.3 * np.cos(a), 0, 0.3 * np.sin(a)] for a in np.linspace(0, 6, 12)]
    outline = tuple(map(tuple, camera.project(np.array(ring))[0].tolist()))
    change = Borrow(
        lantern="lantern-0", proxy=floor.id, outline=outline, source=tuple(from_.tolist()),
        target=tuple(at.tolist()),
    )  # fmt: skip
    edit, after = changed(demo_scene, change, at_hand)
    lantern = after.lanterns[0]
    assert edit.title(demo_scene) == "Borrow a patch for still"
    assert lantern.plate is not None
    assert lantern.plate.digest in at_hand.store.files
    new, old = read_deep(at_hand.store.files[lantern.plate.digest]), at_hand.deep(demo_scene.plate)
    differs = (new != old).any(axis=2)
    assert 0 < differs.mean() < 0.02
    x, y = at.astype(int)
    u, v = from_.astype(int)
    assert np.abs(new[y, x].astype(int) - old[v, u]).max() < 40
    again = changed(after, change, at_hand)[1].lanterns[0]
    assert again.earlier == (lantern.plate,)
    with pytest.raises(Refusal, match="not under"):
        changed(demo_scene, change.model_copy(update={"target": (camera.width / 2, 2.0)}), at_hand)
    dark = apply(
        changed(demo_scene, AddFlat(proxy=crate(demo_scene).id, face=front(demo_scene)[1]))[1],
        AlterLantern(lantern="lantern-0", to=LanternFacts(name="plate")),
    )
    with pytest.raises(Refusal, match="no picture yet"):
        changed(dark, change.model_copy(update={"lantern": dark.lanterns[-1].id}), at_hand)
