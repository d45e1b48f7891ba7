"""Another picture in the still's place, and beginnings on nothing: all that is drawn and all that
stands stays where it is in the picture."""

import io
import zipfile

import numpy as np
import pytest

from jade_lantern.core.begin.drawing import drawings, drawings_zip
from jade_lantern.core.begin.nothing import Nothing, awaited_plate, grey_picture, scene_on_nothing
from jade_lantern.core.begin.picture import replacing
from jade_lantern.core.budget import Budget
from jade_lantern.core.cast.ofscene import plate_camera, plate_of
from jade_lantern.core.deliver.frames import frames
from jade_lantern.core.move.frames import render_request
from jade_lantern.core.picture.openraster import read_layers
from jade_lantern.core.proxy import Box, Floor
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.scene.edits import (
    AddProxies,
    BringStillBack,
    PutLanterns,
    PutShot,
    SetLock,
    apply,
)
from jade_lantern.core.scene.model import Lantern
from jade_lantern.core.scene.pictures import pictures_in
from jade_lantern.core.scene.restill import Fit
from jade_lantern.core.scene.shot import shot_cameras
from jade_lantern.core.sight.measure import required_camera
from jade_lantern.core.track import TrackKey


class Brings:
    """Pictures that are kept by what is asked of them."""

    def __init__(self):
        self.kept = {}

    def deep(self, plate):
        return np.full((plate.height, plate.width, 3), 90, np.uint8)

    def bring(self, pixels):
        digest = f"{len(self.kept) + 1:064x}"
        self.kept[digest] = pixels
        return digest


def other(scene, width, height, digest="e" * 64):
    new = {"width": width, "height": height, "digest": digest, "name": "newer"}
    return scene.plate.model_copy(update=new)


def put(scene, width, height, shows=None, digest="e" * 64):
    brings = Brings()
    edit = replacing(scene, other(scene, width, height, digest), shows, brings)
    return apply(scene, edit), Fit(edit.scale, edit.left, edit.top)


def places(scene):
    camera = required_camera(scene)
    return np.concatenate([p.mesh(camera).points for p in scene.proxies if p.stands])


def check_kept(before, after, fit):
    """What stood at a pixel stands at the same place of the new picture, from the lens and over the
    shot, and every trace lies on what it lay on."""
    points = places(before)
    assert places(after) == pytest.approx(points, abs=1e-6)
    frames = np.array([0.0, 30.0, 95.0])
    old, new = required_camera(before), required_camera(after)
    pairs = [(old, new)]
    pairs += zip(shot_cameras(before, frames, old), shot_cameras(after, frames, new), strict=True)
    for one, two in pairs:
        ahead = one.project(points)[1] > 0.5
        was, now = one.project(points)[0][ahead], two.project(points)[0][ahead]
        assert now == pytest.approx((was - [fit.left, fit.top]) * fit.scale, abs=1e-3)
    for a, b in zip(before.sighting.traces, after.sighting.traces, strict=True):
        moved = [fit.point(p) for p in a.points]
        assert np.array(b.points) == pytest.approx(np.array(moved), abs=1.0)


def zoomed(scene):
    keys = (TrackKey(frame=0, value=30.0), TrackKey(frame=95, value=45.0))
    move = scene.move
    return apply(
        scene, PutShot(position=move.position, aim=move.aim, roll_deg=move.roll_deg, focal_mm=keys)
    )


def test_a_larger_picture_of_the_same_shape_keeps_all_where_it_was(demo_scene):
    scene = zoomed(demo_scene)
    for width, height in ((3840, 2560), (1203, 802), (960, 640)):
        after, fit = put(scene, width, height)
        check_kept(scene, after, fit)
        assert (after.plate.width, after.plate.height) == (width, height)
        assert after.stills.earlier[0].plate == scene.plate
        assert scene.plate.digest in pictures_in(after)


def test_a_picture_that_shows_more_or_a_part_keeps_all_where_it_was(demo_scene):
    scene = zoomed(demo_scene)
    for width, height, shows in ((2560, 1280, "more"), (1920, 1600, "more"), (1900, 1280, "part")):
        after, fit = put(scene, width, height, shows)
        check_kept(scene, after, fit)
    with pytest.raises(Refusal, match="of another shape"):
        put(scene, 2560, 1280)
    with pytest.raises(Refusal, match="would lie outside"):
        put(scene, 400, 1280, "part")
    with pytest.raises(Refusal, match="already"):
        put(scene, 1920, 1280, digest=scene.plate.digest)


def test_a_pulled_picture_takes_the_frames_shape(demo_scene):
    brings = Brings()
    edit = replacing(demo_scene, other(demo_scene, 2000, 1000), "pulled", brings)
    after = apply(demo_scene, edit)
    assert (after.plate.width, after.plate.height) == (2000, 1333)
    assert brings.kept[after.plate.digest].shape == (1333, 2000, 3)
    check_kept(demo_scene, after, Fit(edit.scale, edit.left, edit.top))


def test_the_earlier_still_comes_back_and_everything_is_as_it_was(demo_scene):
    scene = zoomed(demo_scene)
    first, _ = put(scene, 2560, 1280, "more")
    second, _ = put(first, 5120, 2560, digest="f" * 64)
    assert [one.plate.width for one in second.stills.earlier] == [2560, 1920]
    back = apply(second, BringStillBack(number=1))
    check_kept(scene, back, Fit(1.0))
    assert back.plate == scene.plate
    assert [one.plate.width for one in back.stills.earlier] == [5120, 2560]
    again = apply(back, BringStillBack(number=1))
    check_kept(scene, again, Fit(1280 / 1280, (1920 - 2560) / 2, 0.0))
    with pytest.raises(Refusal, match="not there"):
        apply(scene, BringStillBack())


def test_a_painted_plate_of_the_lens_stays_where_it_was_painted(demo_scene):
    """It is of the old frame, which is a part of the new one."""
    painted = demo_scene.plate.model_copy(update={"digest": "c" * 64})
    lantern = Lantern(id="lantern-900", name="clean", plate=painted)
    scene = apply(demo_scene, PutLanterns(lanterns=(lantern,), said="Paint"))
    after, fit = put(scene, 2560, 1280, "more")
    for one in (scene, after):
        (mine,) = [x for x in one.lanterns if x.name == "clean"]
        camera = plate_camera(mine, required_camera(one)).resized(painted.width, painted.height)
        assert plate_of(one, mine) == painted
        if one is scene:
            points = places(one)
            was = camera.project(points)[0]
    assert fit.scale == 1.0
    assert camera.project(points)[0] == pytest.approx(was, abs=1e-3)


def test_a_locked_sighting_stays_locked(demo_scene):
    scene = apply(demo_scene, SetLock(locked=True))
    after, fit = put(scene, 960, 640)
    assert after.sighting.locked
    check_kept(scene, after, fit)


def begun(**asked):
    return scene_on_nothing(Nothing(**asked), "0" * 64)


def stood():
    scene = begun(width=1280, height=720, tilt_deg=-6, focal_mm=28, eye_height_m=1.5)
    box = Box(id="box-0", name="crate", x=0.4, z=-2.0, width_m=1, depth_m=1, height_m=1.2)
    floor = Floor(id="floor-0", name="ground", x=0, z=-4, width_m=12, depth_m=12)
    return apply(scene, AddProxies(proxies=(floor, box)))


def test_a_project_begins_on_nothing_with_the_camera_that_was_asked_for():
    scene = begun(width=1280, height=720, tilt_deg=-6, focal_mm=28, eye_height_m=1.5)
    camera = required_camera(scene)
    assert camera.position[1] == pytest.approx(1.5)
    assert camera.focal_px == pytest.approx(28 * 1280 / 36)
    horizon = camera.project(camera.position + np.array([[0, 0, -1e7]]))[0][0]
    assert horizon[1] == pytest.approx(360 - camera.focal_px * np.tan(np.radians(6)), abs=1e-3)
    assert scene.plate.awaited
    assert not scene.proxies
    with pytest.raises(Refusal, match="no ground is in the frame"):
        begun(tilt_deg=40)


def test_the_picture_comes_into_its_place_and_nothing_is_lost():
    scene = stood()
    after, fit = put(scene, 2560, 1440)
    check_kept(scene, after, fit)
    assert not after.plate.awaited or after.plate.name == "newer"
    assert after.stills.earlier == ()  # grey is not worth going back to
    wider, fit = put(scene, 1500, 720, "more")
    check_kept(scene, wider, fit)


def test_the_blocking_is_drawn_as_the_lens_sees_it():
    scene = stood()
    made = drawings(scene)
    camera = required_camera(scene)
    # the middle of the crate's front, of its upper edge, and a place on the ground beside it
    front, edge, beside = (
        (int(x), int(y))
        for x, y in camera.project(np.array([[0.4, 0.6, -1.5], [0.4, 1.2, -1.5], [-1, 0, -2]]))[0]
    )
    colours = made["proxies"]
    assert (colours[front[::-1]] != colours[beside[::-1]]).any()
    x, y = edge
    assert len(np.unique(colours.reshape(-1, 4), axis=0)) == 3  # two proxies, and nothing
    assert made["wire"][y - 2 : y + 3, x, 3].max() > 100
    # inverse depth, the nearest white
    foot = np.array([[0.0, 0.0, -3.0], [0.0, 0.0, -6.0]])
    (near, far), depth = camera.project(foot - [1.5, 0, 0])
    ratio = (
        made["depth"][int(near[1]), int(near[0]), 0] / made["depth"][int(far[1]), int(far[0]), 0]
    )
    assert ratio == pytest.approx(depth[1] / depth[0], rel=0.05)
    with zipfile.ZipFile(io.BytesIO(drawings_zip(scene))) as archive:
        names = archive.namelist()
        layers = read_layers(archive.read("blocking.ora"), 10_000_000, Budget(1 << 30))
    assert {"grey.png", "wire.png", "depth.png", "proxies.png", "blocking.ora"} <= set(names)
    assert layers.layers[0].name == "paint here"
    assert layers.layers[0].pixels[..., 3].max() == 0
    with pytest.raises(Refusal, match="Nothing stands"):
        drawings(begun())


def test_a_blocking_without_a_picture_is_rendered_in_shades():
    scene = stood()
    asked = render_request(scene, None, 0, 0)
    grey = grey_picture(1280, 720)
    (frame,) = frames(scene, lambda plate: grey, asked)
    camera = required_camera(scene)
    front, top, ground = (
        frame[int(y), int(x), 0].astype(int)
        for x, y in camera.project(np.array([[0.4, 0.6, -1.5], [0.4, 1.2, -2], [-1, 0, -2]]))[0]
    )
    assert abs(top - front) > 12
    assert top == ground  # both face up
    painted = scene.plate.model_copy(update={"awaited": False})
    (plain,) = frames(scene.model_copy(update={"plate": painted}), lambda plate: grey, asked)
    assert set(np.unique(plain[plain[..., 3] == 255][:, 0])) == {118}


def test_what_is_awaited_is_a_plain_plate():
    plate = awaited_plate("0" * 64, 100, 50)
    assert plate.awaited
    assert plate.width == 100
