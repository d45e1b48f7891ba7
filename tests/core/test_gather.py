"""Footage gathered into one picture, against the place as it is: a room whose picture is known
everywhere, walked past by a known camera while somebody passes."""

import itertools
from dataclasses import dataclass

import cv2
import imagecodecs
import numpy as np
import pytest

from jade_lantern.core.camera import Camera, rotation_of, tilt_roll_yaw
from jade_lantern.core.cast.footage import apart, behind, footage_of, ranked, ranked_in
from jade_lantern.core.cast.gather import Gather, gathered
from jade_lantern.core.cast.gather_files import gathered_files
from jade_lantern.core.cast.kit import GUIDES
from jade_lantern.core.cast.ofscene import (
    cast_meshes,
    face_numbers,
    lantern_camera,
    plate_camera,
    plate_of,
)
from jade_lantern.core.cast.paint import taken_in
from jade_lantern.core.change import changed
from jade_lantern.core.deliver.frames import frames
from jade_lantern.core.mesh import joined
from jade_lantern.core.move.frames import render_request
from jade_lantern.core.picture.eight import in_eight_bit
from jade_lantern.core.picture.openraster import painted, read_layers
from jade_lantern.core.proxy import Box, Card, Floor
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.render.frame import render
from jade_lantern.core.render.land import near_limit
from jade_lantern.core.render.pyramid import pyramid
from jade_lantern.core.render.see import see
from jade_lantern.core.scene.edits import AddLantern, AddProxies, AlterLantern, PutShot, apply
from jade_lantern.core.scene.model import (
    CameraPass,
    Given,
    LanternView,
    PassFrame,
    Scene,
    Sighting,
)
from jade_lantern.core.scene.moment import moments
from jade_lantern.core.scene.plate import Plate, Playing
from jade_lantern.core.scene.shot import shot_cameras
from jade_lantern.core.scene.timed import Move
from jade_lantern.core.sight.measure import required_camera
from jade_lantern.core.track import AimKey, PointKey, TrackKey

SIZE = 480, 270
FRAMES = 24
CRATE = Box(id="box-0", name="crate", x=0.3, z=-4.0, width_m=0.9, depth_m=0.9, height_m=1.2)
GROUND = Floor(id="floor-0", name="ground", x=0, z=-4, width_m=14, depth_m=9)
WALL = Card(id="card-0", name="wall", x=0, z=-7, width_m=14, height_m=5)


def camera_at(k):
    s = k / (FRAMES - 1)
    turn = rotation_of(-4 - 2 * s, 0.5, 8 - 16 * s)
    return Camera.centred(*SIZE, 420.0, turn, np.array([-2.2 + 4.4 * s, 1.6, 1.0 - 0.6 * s]))


def point(p):
    return tuple(float(v) for v in p)


@dataclass
class Pictures:
    frames: list

    def deep(self, plate):
        return self.frames[plate.picture]

    def bring(self, pixels):
        self.brought = pixels
        return "b" * 64


def place(exposed=True, passing=True):
    """A scene with footage, its pictures, and what the place truly looks like from a camera."""
    passing_by = tuple(
        PassFrame(
            position=point(c.position),
            axes=tuple(map(point, c.rotation)),
            focal_mm=c.focal_px * 36 / SIZE[0],
        )
        for c in map(camera_at, range(FRAMES))
    )
    first = camera_at(0)
    given = Given(name="walk", position=point(first.position),
                  axes=tuple(map(point, first.rotation)), focal_px=first.focal_px,
                  centre=(SIZE[0] / 2, SIZE[1] / 2))  # fmt: skip
    plate = Plate(name="walk.mp4", width=SIZE[0], height=SIZE[1], digest="a" * 64, format="movie",
                  bits=8, playing=Playing(count=FRAMES, rate=24.0))  # fmt: skip
    passed = CameraPass(name="walk", frames=passing_by)
    scene = Scene(name="walk", plate=plate, sighting=Sighting(given=given), passed=passed,
                  move=Move(frames=FRAMES))  # fmt: skip
    scene = apply(scene, AddProxies(proxies=(GROUND, WALL, CRATE)))
    sighted = required_camera(scene)
    meshes = cast_meshes(scene, sighted, list(scene.proxies))
    # what everything looks like: one large smooth picture thrown through all of it
    rng = np.random.default_rng(3)
    small = rng.integers(40, 215, (90, 160, 3)).astype(np.uint8)
    whole = pyramid(cv2.resize(small, (3200, 1800), interpolation=cv2.INTER_CUBIC))
    lens = Camera.centred(3200, 1800, 1500.0, rotation_of(-12, 0, 0), np.array([0.0, 2.4, 3.0]))

    def truth(camera):
        return render(meshes, camera, lens, whole)

    pictures = []
    for k in range(FRAMES):
        picture = truth(camera_at(k))[..., :3].astype(float)
        if exposed:
            picture *= 1.15 if k % 2 else 0.9
        picture = picture.clip(0, 255).astype(np.uint8)
        if passing:  # somebody with a lantern goes by, the other way
            x = int(SIZE[0] * (1.1 - 1.2 * k / FRAMES))
            cv2.rectangle(picture, (x - 16, 110), (x + 16, 265), (20, 25, 60), -1)
            cv2.circle(picture, (x, 120), 14, (255, 230, 120), -1)
        pictures.append(picture)
    return scene, Pictures(pictures), truth


def with_wide(scene, hidden=()):
    camera = Camera.centred(640, 360, 400.0, rotation_of(-6, 0, 0), np.array([0.0, 1.9, 2.2]))
    tilt, roll, yaw = tilt_roll_yaw(camera.rotation)
    view = LanternView(position=point(camera.position), tilt_deg=tilt, roll_deg=roll, yaw_deg=yaw,
                       focal_mm=400 * 36 / 640, width=640, height=360)  # fmt: skip
    scene = apply(scene, AddLantern(name="wide", view=view))
    return scene, scene.lanterns[-1]


def psnr(a, b, where):
    off = (a[where].astype(float) - b[where].astype(float)) ** 2
    return 10 * np.log10(255**2 / max(off.mean(), 1e-9))


def test_what_was_gathered_is_what_is_there_and_who_passed_is_gone():
    scene, pictures, truth = place()
    scene, wide = with_wide(scene)
    made = gathered(scene, wide, pictures.deep)
    view = lantern_camera(wide, required_camera(scene))
    true = truth(view)
    inner = cv2.erode((made.picture[..., 3] == 255).astype(np.uint8), np.ones((5, 5))) > 0
    assert inner.mean() > 0.4
    # exposures lie about a middle that nobody knows: one factor for all
    gain = np.median(true[inner][:, :3] / np.maximum(made.picture[inner][:, :3], 1.0))
    even = made.picture[..., :3] * gain
    assert psnr(even, true[..., :3], inner) > 34
    lit = (made.picture[..., 0] > 240) & (made.picture[..., 2] < 160) & inner
    assert not lit.any()
    assert 1 < len(made.frames) <= 16
    assert made.shift_px < 0.3
    plain, pictures, _ = place(exposed=False, passing=False)
    plain, wide = with_wide(plain)
    made = gathered(plain, wide, pictures.deep)
    assert all(gain == (1.0, 1.0, 1.0) for gain in made.gains.values())
    assert psnr(made.picture, true, inner) > 38


def test_each_place_is_from_a_frame_that_sees_it():
    scene, pictures, _ = place(exposed=False)
    scene, wide = with_wide(scene)
    made = gathered(scene, wide, pictures.deep)
    sighted = required_camera(scene)
    view = lantern_camera(wide, sighted)
    every = joined(cast_meshes(scene, sighted, list(scene.proxies)))
    near = near_limit([sighted])
    seen = see(every, view, near)
    rows, columns = (g.ravel() for g in np.mgrid[5:360:7, 5:640:7])
    there = seen.surface[rows, columns] >= 0
    rows, columns = rows[there], columns[there]
    at = np.stack([columns + 0.5, rows + 0.5], axis=1)
    inverse = seen.inverse_depth_at(seen.surface[rows, columns].astype(np.int64), at)
    points = view.position + view.rays(at) / inverse[:, None]
    taken_from = {f.number: f.camera for f in footage_of(scene)}
    ever = np.zeros(len(points), bool)
    good = np.ones(len(points), bool)
    which = made.which[rows, columns]
    for number, camera in taken_from.items():
        inside, before, _ = behind(camera, see(every, camera, near), points)
        ever |= inside & ~before
        good[which == number] = (inside & ~before)[which == number]
    inner = made.picture[rows, columns, 3] == 255
    assert good[inner].mean() > 0.995
    assert (which[~ever] < 0).mean() > 0.98  # what none saw is left clear
    assert (made.picture[rows, columns, 3][~ever] < 255).mean() > 0.98


def test_what_a_wrong_blocking_costs_is_told_in_pixels():
    scene, pictures, _ = place(exposed=False, passing=False)
    far = apply(scene, AddProxies(proxies=(WALL.model_copy(update={"id": "card-9", "z": -6.4}),)))
    off, wide = with_wide(far)
    right, also = with_wide(scene)
    good = gathered(right, also, pictures.deep).shift_px
    bad = gathered(off, wide, pictures.deep)
    wall = bad.shift[40:120]
    assert np.nanmedian(wall) > 5 * max(good, 0.05)


def test_it_is_a_change_like_any_other():
    scene, pictures, _ = place()
    scene, wide = with_wide(scene)
    edit, after = changed(scene, Gather(lantern=wide.id), pictures)
    mine = next(one for one in after.lanterns if one.id == wide.id)
    assert mine.plate.digest == "b" * 64
    assert (mine.plate.width, mine.plate.height) == (640, 360)
    assert mine.plate.alpha
    assert "Gather wide from" in edit.title(scene)
    with pytest.raises(Refusal, match="throws the footage itself"):
        changed(scene, Gather(lantern="lantern-0"), pictures)
    still = scene.model_copy(update={"plate": scene.plate.model_copy(update={"playing": None})})
    with pytest.raises(Refusal, match="one picture"):
        changed(still, Gather(lantern=wide.id), pictures)
    with pytest.raises(Refusal, match="Sight first"):
        changed(scene.model_copy(update={"passed": None}), Gather(lantern=wide.id), pictures)


def test_frames_are_ranked_as_counting_pixel_by_pixel_does():
    scene, _, _ = place()
    sighted = required_camera(scene)
    crate = next(p for p in scene.proxies if p.name == "crate")
    told = ranked(scene, crate.id)
    assert [one.worth for one in told] == sorted((one.worth for one in told), reverse=True)
    shown = list(scene.proxies)
    index = shown.index(crate)
    meshes = cast_meshes(scene, sighted, shown)
    every = joined(meshes)
    rng = np.random.default_rng(9)
    mesh = meshes[index]
    a, b, c = (mesh.points[mesh.triangles[:, k]] for k in range(3))
    area = np.linalg.norm(np.cross(b - a, c - a), axis=1)
    which = rng.choice(len(area), 4000, p=area / area.sum())
    u, v = np.sort(rng.random((2, 4000)), axis=0)
    places = u[:, None] * a[which] + (v - u)[:, None] * b[which] + (1 - v)[:, None] * c[which]
    for one in told[:4] + told[-2:]:
        camera = camera_at(one.frame)
        # a ray to each place, past all triangles
        way = places - camera.position
        corners = every.corners
        free = np.ones(len(places), bool)
        for tri in corners:
            e1, e2 = tri[1] - tri[0], tri[2] - tri[0]
            p = np.cross(way, e2)
            det = p @ e1
            safe = np.where(abs(det) < 1e-12, 1e-12, det)
            s = camera.position - tri[0]
            uu = (p @ s) / safe
            q = np.cross(s, e1)
            vv = (way @ q) / safe
            t = (e2 @ q) / safe
            free &= ~((uu > 0) & (vv > 0) & (uu + vv < 1) & (t > 1e-6) & (t < 1 - 1e-4))
        at, depth = camera.project(places)
        inside = (depth > 0) & (at >= 0).all(axis=1) & (at < SIZE).all(axis=1)
        assert one.seen == pytest.approx((free & inside).mean(), abs=0.03)
    with pytest.raises(Refusal, match="not there"):
        ranked(scene, "box-77")
    with pytest.raises(Refusal, match="no face"):
        ranked(scene, crate.id, face=99)


def test_a_region_of_the_picture_is_ranked_as_the_face_that_it_shows():
    scene, _, _ = place()
    crate = next(p for p in scene.proxies if p.name == "crate")
    sighted = required_camera(scene)
    (mesh,) = cast_meshes(scene, sighted, [crate])
    faces = face_numbers(crate, mesh, sighted)
    a, b, c = (mesh.points[mesh.triangles[:, k]] for k in range(3))
    normals = np.cross(b - a, c - a)
    front = int(faces[normals[:, 2].argmax()])
    corners = mesh.points[np.unique(mesh.triangles[faces == front])]
    at, _ = sighted.project(corners)
    ring = cv2.convexHull(at.astype(np.float32))[:, 0].astype(float).tolist()
    of_face = {one.frame: one for one in ranked(scene, crate.id, front)}
    in_ring = ranked_in(scene, ring)
    assert len(in_ring) == len(of_face)
    for one in in_ring:
        assert one.seen == pytest.approx(of_face[one.frame].seen, abs=0.06)
        assert one.sharp == pytest.approx(of_face[one.frame].sharp, rel=0.06)
        if one.seen > 0.9:
            assert one.box == pytest.approx(of_face[one.frame].box, abs=0.03)
    few = apart(in_ring, 4)
    assert few[0] == in_ring[0]
    numbers = sorted(one.frame for one in few)
    assert len(few) == 4
    assert min(b - a for a, b in itertools.pairwise(numbers)) >= 2
    with pytest.raises(Refusal, match="Nothing stands"):
        ranked_in(scene, [(-50, -50), (-40, -50), (-40, -40)])


def lantern_at(scene, frame):
    (moment,) = moments(scene, np.array([float(frame)]))
    camera = plate_camera(moment.lanterns[0], required_camera(scene))
    return camera, plate_of(moment, moment.lanterns[0]).picture


def test_what_throws_footage_goes_along_with_its_camera_or_is_held():
    scene, _, _ = place(exposed=False, passing=False)
    for frame in (0, 9, 23):
        camera, picture = lantern_at(scene, frame)
        true = camera_at(frame)
        assert picture == frame
        assert camera.position == pytest.approx(true.position, abs=1e-9)
        assert camera.rotation == pytest.approx(true.rotation, abs=1e-9)
        assert camera.focal_px == pytest.approx(true.focal_px)
    held = apply(scene, AlterLantern.model_validate({"lantern": "lantern-0", "to": {"held": 9}}))
    for frame in (0, 9, 23):
        camera, picture = lantern_at(held, frame)
        assert picture == 9
        assert camera.position == pytest.approx(camera_at(9).position, abs=1e-9)
    let = apply(held, AlterLantern.model_validate({"lantern": "lantern-0", "to": {"held": None}}))
    assert lantern_at(let, 20)[1] == 20


def test_frames_of_a_pass_seen_by_its_own_camera_are_the_footage():
    """Going along, whatever stands: each frame is the movie's own, but for what nothing is behind.
    Held, a frame elsewhere shows what the held one saw."""
    scene, pictures, truth = place(exposed=False, passing=False)
    sighted = required_camera(scene)
    shots = {k: camera_at(k) for k in (0, 9, 23)}
    keys = {
        "position": tuple(PointKey(frame=k, at=point(c.position)) for k, c in shots.items()),
        "aim": tuple(AimKey(frame=k, at=point(-c.rotation[2]), way=True) for k, c in shots.items()),
        "roll_deg": tuple(
            TrackKey(frame=k, value=tilt_roll_yaw(c.rotation)[1]) for k, c in shots.items()
        ),
    }
    scene = apply(scene, PutShot(**keys))
    assert shot_cameras(scene, np.array([9.0]), sighted)[0].position == pytest.approx(
        shots[9].position
    )
    for held in (None, 9):
        to = {"lantern": "lantern-0", "to": {"held": held}}
        one = apply(scene, AlterLantern.model_validate(to))
        made = {k: frames(one, pictures.deep, render_request(one, None, k, k)) for k in (0, 9, 23)}
        for k, rendered in made.items():
            (frame,) = rendered
            whole = frame[..., 3] == 255
            true = truth(shots[k])[..., :3]
            if held is None or k == held:
                assert psnr(frame[..., :3], true, whole) > 36
            assert whole.mean() > (0.9 if held is None or k == held else 0.3)
    sequence = frames(scene, pictures.deep, render_request(scene, None, 0, 23))
    for k, frame in enumerate(sequence):  # one cast after another is thrown from its own camera
        if k in shots:
            assert psnr(frame[..., :3], truth(shots[k])[..., :3], frame[..., 3] == 255) > 36


def test_its_files_are_layers_that_make_the_picture_and_come_back_by_name():
    scene, pictures, _ = place()
    scene, wide = with_wide(scene)
    files = dict(gathered_files(scene, wide, pictures.deep))
    made = gathered(scene, wide, pictures.deep)
    layers = read_layers(files[f"{wide.name}.ora"], 10**8)
    names = [layer.name for layer in layers.layers]
    assert names == ["which frame", "shift", *(f"frame {k}" for k in made.frames), "plate"]
    assert np.array_equal(painted(layers, GUIDES), in_eight_bit(made.picture))
    # each place is what its frame throws there by itself, but at seams
    which = imagecodecs.png_decode(files[f"{wide.name} which frame.png"])[..., 0].astype(int) - 1
    assert np.array_equal(which, np.where(made.which >= 0, made.which, -1))
    for k, layer in zip(made.frames, layers.layers[2:-1], strict=True):
        mine = cv2.erode((which == k).astype(np.uint8), np.ones((17, 17), np.uint8)) > 0
        if mine.any():
            off = abs(layer.pixels[mine].astype(int) - made.picture[mine].astype(int))
            assert np.median(off) <= 1
    back = [(f"{wide.name}.ora", files[f"{wide.name}.ora"])]
    edit, told = taken_in(scene, back, pictures.deep, lambda data: "e" * 64)
    assert told[0].lantern == wide.name
    assert apply(scene, edit).lanterns[-1].plate.digest == "e" * 64
