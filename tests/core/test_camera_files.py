"""Cameras brought in from files, against the numbers that they were made from."""

import json

import numpy as np
import pygltflib as gl
import pytest
from pxr import Gf, Usd, UsdGeom
from scipy.spatial.transform import Rotation

from jade_lantern.core.begin.camera import CameraAsked, camera_come, camera_paths_in, said_inside
from jade_lantern.core.begin.nothing import Nothing, scene_on_nothing
from jade_lantern.core.camera import Camera, rotation_of
from jade_lantern.core.deliver.camera_file import camera_json
from jade_lantern.core.deliver.gltf import glb
from jade_lantern.core.deliver.usdz import usdz
from jade_lantern.core.proxy import Box
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.scene.edits import (
    AddProxies,
    LetCameraGo,
    SetByEye,
    SetEyeHeight,
    SetLock,
    apply,
)
from jade_lantern.core.scene.model import Given
from jade_lantern.core.scene.shot import shot_cameras
from jade_lantern.core.sight.measure import required_camera
from jade_lantern.core.sight.reading import reading
from jade_lantern.core.sight.settle import settled

FRAMES = 48
SIZE = 1920, 1080


def truth(middle=(960.0, 540.0), far=0.0):
    """A camera that walks, turns, rolls and zooms, frame by frame."""
    out = []
    for k in range(FRAMES):
        s = k / (FRAMES - 1)
        place = np.array([far + 2 * s - 1, 1.6 + 0.3 * np.sin(3 * s), far - 4 * s])
        turn = rotation_of(-4 + 6 * s, 2 * np.sin(5 * s), 25 * s - 10)
        out.append(Camera(*SIZE, 1600.0 + 300 * s, turn, place, *middle))
    return out


def empty():
    return scene_on_nothing(Nothing(width=SIZE[0], height=SIZE[1]), "0" * 64)


def taken(data, name, scene=None, **asked):
    scene = scene or empty()
    come = camera_come(camera_paths_in(data, name), CameraAsked(**asked), scene)
    return apply(scene, come.edit), come.said


def differ(scene, cameras):
    """How far a scene's shot is from cameras: metres, radians, share of focal length, px."""
    sighted = required_camera(scene)
    shots = shot_cameras(scene, np.arange(len(cameras), dtype=float), sighted)
    metres = max(np.abs(a.position - b.position).max() for a, b in zip(shots, cameras, strict=True))
    turned = max(
        Rotation.from_matrix(a.rotation @ b.rotation.T).magnitude()
        for a, b in zip(shots, cameras, strict=True)
    )
    focal = max(abs(a.focal_px / b.focal_px - 1) for a, b in zip(shots, cameras, strict=True))
    middle = max(abs(a.cx - b.cx) + abs(a.cy - b.cy) for a, b in zip(shots, cameras, strict=True))
    return metres, turned, focal, middle


def usd_of(cameras, tmp_path, up="y", unit=1.0, rate=24.0):
    path = tmp_path / "camera.usda"
    stage = Usd.Stage.CreateNew(str(path))
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y if up == "y" else UsdGeom.Tokens.z)
    UsdGeom.SetStageMetersPerUnit(stage, unit)
    stage.SetTimeCodesPerSecond(rate)
    stage.SetFramesPerSecond(rate)
    camera = UsdGeom.Camera.Define(stage, "/walk")
    place, focal = camera.AddTransformOp(), camera.CreateFocalLengthAttr()
    mm = 24.0 / cameras[0].width
    camera.CreateHorizontalApertureAttr(24.0)
    camera.CreateVerticalApertureAttr(cameras[0].height * mm)
    camera.CreateHorizontalApertureOffsetAttr((cameras[0].width / 2 - cameras[0].cx) * mm)
    camera.CreateVerticalApertureOffsetAttr((cameras[0].cy - cameras[0].height / 2) * mm)
    turn = np.eye(3) if up == "y" else np.array([[1.0, 0, 0], [0, 0, -1], [0, 1, 0]])
    for k, one in enumerate(cameras):
        matrix = np.eye(4)
        matrix[:3, :3], matrix[3, :3] = one.rotation @ turn.T, turn @ one.position / unit
        place.Set(Gf.Matrix4d(matrix.tolist()), 1001 + k)
        focal.Set(one.focal_px * mm, 1001 + k)
    stage.Save()
    return path.read_bytes()


def glb_of(cameras, rate=24.0, interpolation="LINEAR", above=None, seconds=0.0):
    """A GLB with a moving camera; above: (4, 4) what it hangs on."""
    file = gl.GLTF2(asset=gl.Asset(version="2.0"), scenes=[gl.Scene(nodes=[1])], scene=0)
    lens = gl.Perspective(yfov=2 * np.arctan(540 / cameras[0].focal_px), znear=0.1,
                          aspectRatio=16 / 9)  # fmt: skip
    file.cameras = [gl.Camera(type="perspective", perspective=lens)]
    hung = np.eye(4) if above is None else above
    file.nodes = [gl.Node(name="walk", camera=0), gl.Node(children=[0])]
    file.nodes[1].matrix = hung.T.ravel().tolist()
    inner = np.linalg.inv(hung)
    size = np.cbrt(np.linalg.det(hung[:3, :3]))
    times = (np.arange(len(cameras)) / rate + seconds).astype(np.float32)
    places = np.array([inner[:3, :3] @ c.position + inner[:3, 3] for c in cameras], np.float32)
    turns = Rotation.from_matrix([size * inner[:3, :3] @ c.rotation.T for c in cameras]).as_quat()
    arrays = [times, places, turns.astype(np.float32)]
    blob = b"".join(a.tobytes() for a in arrays)
    begin = 0
    for array, kind in zip(arrays, (gl.SCALAR, gl.VEC3, gl.VEC4), strict=True):
        file.bufferViews.append(gl.BufferView(buffer=0, byteOffset=begin, byteLength=array.nbytes))
        file.accessors.append(gl.Accessor(bufferView=len(file.bufferViews) - 1, type=kind,
                                          componentType=gl.FLOAT, count=len(array)))  # fmt: skip
        begin += array.nbytes
    sampler = [gl.AnimationSampler(input=0, output=k, interpolation=interpolation) for k in (1, 2)]
    channel = [
        gl.AnimationChannel(sampler=k, target=gl.AnimationChannelTarget(node=0, path=path))
        for k, path in enumerate(("translation", "rotation"))
    ]
    file.animations = [gl.Animation(samplers=sampler, channels=channel)]
    file.buffers = [gl.Buffer(byteLength=len(blob))]
    file.set_binary_blob(blob)
    return b"".join(file.save_to_bytes())


def steady(cameras):
    return [Camera(c.width, c.height, 1600.0, c.rotation, c.position, c.cx, c.cy) for c in cameras]


def test_a_usd_camera_comes_in_as_it_is_whatever_is_up_and_whatever_its_units(tmp_path):
    cameras = truth(middle=(990.0, 500.0))
    for up, unit in (("y", 1.0), ("z", 1.0), ("z", 0.01), ("y", 1000.0)):
        scene, said = taken(usd_of(cameras, tmp_path, up, unit, 25.0), "camera.usda")
        assert said == []
        metres, turned, focal, middle = differ(scene, cameras)
        assert metres < 1e-6
        assert turned < 1e-5
        assert focal < 1e-6
        assert middle < 0.01
        assert (scene.move.frames, scene.move.fps) == (FRAMES, 25.0)
        assert scene.move.first == 1001


def test_a_camera_a_million_metres_away_comes_in_as_it_is(tmp_path):
    cameras = truth(far=1e6)
    scene, _ = taken(usd_of(cameras, tmp_path), "camera.usda")
    assert differ(scene, cameras)[0] < 1e-6


def test_a_glb_camera_comes_in_with_its_rate_and_what_it_hangs_on():
    cameras = steady(truth())
    above = np.eye(4)
    above[:3, :3] = 2.5 * Rotation.from_euler("xyz", [20, 50, -10], degrees=True).as_matrix()
    above[:3, 3] = 1, -2, 3
    for rate in (24.0, 24000 / 1001, 30.0):
        for hung in (None, above):
            data = glb_of(cameras, rate, above=hung, seconds=2.0)
            scene, _ = taken(data, "walk.glb")
            metres, turned, focal, _ = differ(scene, cameras)
            assert metres < 3e-6
            assert turned < 1e-5
            assert focal < 1e-6
            assert scene.move.fps == pytest.approx(rate, abs=1e-9)
            assert scene.move.frames == FRAMES


def test_a_glb_that_steps_is_not_smoothed():
    cameras = steady(truth())[::12]
    data = glb_of(cameras, rate=2.0, interpolation="STEP")
    scene, _ = taken(data, "walk.glb")
    assert scene.move.frames == 4
    assert differ(scene, cameras)[0] < 3e-6


@pytest.mark.parametrize("kind", ["glb", "usdz", "json"])
def test_what_was_brought_in_goes_out_again_as_it_came(kind, tmp_path):
    """With nothing standing, the lens shifted and zooming."""
    cameras = truth(middle=(1000.0, 480.0))
    scene, _ = taken(usd_of(cameras, tmp_path), "camera.usda")
    grey = np.full((1080, 1920, 3), 118, np.uint8)
    out = {
        "glb": lambda: glb(scene, lambda plate: grey),
        "usdz": lambda: usdz(scene, lambda plate: grey, up="z", unit_m=0.01),
        "json": lambda: camera_json(scene, "z", 0.01).encode(),
    }[kind]()
    again, _ = taken(out, f"again.{kind}", camera="shot camera")
    metres, turned, focal, middle = differ(again, cameras)
    assert metres < 1e-6
    assert turned < 1e-5
    assert focal < 1e-6
    assert middle < 0.01
    if kind != "glb":  # which counts no frames
        assert again.move.first == 1001


def test_a_frame_of_it_is_the_sighting_and_all_of_it_the_shot(tmp_path):
    cameras = truth()
    scene, _ = taken(usd_of(cameras, tmp_path), "camera.usda", frame=20)
    lens = required_camera(scene)
    assert lens.position == pytest.approx(cameras[20].position, abs=1e-9)
    assert lens.focal_px == pytest.approx(cameras[20].focal_px, rel=1e-6)
    told = reading(scene)
    assert told.settled
    assert told.verdict == "True"
    assert told.tilt_deg.sigma == 0
    assert differ(scene, cameras)[0] < 1e-6


def test_it_is_lifted_to_an_eye_height_and_made_another_size(tmp_path):
    cameras = [Camera(*SIZE, 1600.0, c.rotation, c.position - [0, 5, 0], 960, 540) for c in truth()]
    data = usd_of(cameras, tmp_path)
    with pytest.raises(Refusal, match="eye height"):
        taken(data, "camera.usda")
    scene, _ = taken(data, "camera.usda", eye_height_m=1.7, frame=5, size=2.0)
    sighted = required_camera(scene)
    shots = shot_cameras(scene, np.arange(FRAMES, dtype=float), sighted)
    assert sighted.position[1] == pytest.approx(1.7)
    went = shots[-1].position - shots[0].position
    assert went == pytest.approx(2.0 * (cameras[-1].position - cameras[0].position), abs=1e-9)


def test_beside_what_is_sighted_it_moves_from_there(demo_scene, tmp_path):
    """The file's world is another one: turned, moved and smaller."""
    scene = demo_scene
    lens = required_camera(scene)
    turn = Rotation.from_euler("yxz", [130, 10, 5], degrees=True).as_matrix()
    at = np.array([0.3, 0.1, -0.5])
    true, told = [], []
    for k in range(24):
        s = k / 23 - 0.5
        place = lens.position + [s, 0.2 * s, -2 * s]
        own = rotation_of(0, 0, 8 * s) @ lens.rotation
        true.append(Camera(*SIZE, lens.focal_px, own, place, lens.cx, lens.cy))
        told.append(Camera(*SIZE, lens.focal_px * 1080 / lens.height, own @ turn.T,
                           turn @ place / 4 + at, 960, 540))  # fmt: skip
    reference = 9  # neither end: what is sighted is one of its frames
    step = lens.position - true[reference].position
    back = true[reference].rotation.T @ lens.rotation
    paths = camera_paths_in(usd_of(told, tmp_path), "camera.usda")
    asked = CameraAsked(place="sighted", frame=reference, size=4.0)
    after = apply(scene, camera_come(paths, asked, scene).edit)
    shots = shot_cameras(after, np.arange(24, dtype=float), lens)
    assert required_camera(after).position == pytest.approx(lens.position)
    for shot, one in zip(shots, true, strict=True):
        moved = lens.position + back.T @ (one.position + step - lens.position)
        assert shot.position == pytest.approx(moved, abs=1e-6)
        assert shot.rotation == pytest.approx(one.rotation @ back, abs=1e-6)


def test_cameras_that_make_no_sense_are_refused_in_words(tmp_path):
    cameras = steady(truth())
    squashed = np.diag([1.0, 3.0, 1.0, 1.0])
    mirrored = np.diag([-1.0, 1.0, 1.0, 1.0])
    for hung in (squashed, mirrored):
        data = glb_of(cameras)
        head = json.loads(data[20 : 20 + int.from_bytes(data[12:16], "little")])
        head["nodes"][1]["matrix"] = hung.T.ravel().tolist()
        text = json.dumps(head).encode()
        text += b" " * (-len(text) % 4)
        rest = data[20 + int.from_bytes(data[12:16], "little") :]
        whole = (
            b"glTF" + (2).to_bytes(4, "little") + (20 + len(text) + len(rest)).to_bytes(4, "little")
        )
        whole += len(text).to_bytes(4, "little") + b"JSON" + text + rest
        with pytest.raises(Refusal, match="squashed or mirrored"):
            taken(whole, "walk.glb")
    fish = [Camera(*SIZE, 20.0, c.rotation, c.position, 960, 540) for c in cameras]
    with pytest.raises(Refusal, match="no lens has"):
        taken(usd_of(fish, tmp_path), "camera.usda")
    with pytest.raises(Refusal, match="no camera other"):
        taken(glb_of(cameras), "walk.glb", camera="other")
    with pytest.raises(Refusal, match="none of number 99"):
        taken(glb_of(cameras), "walk.glb", frame=99)
    with pytest.raises(Refusal, match="too far"):
        taken(usd_of(truth(far=1e6), tmp_path), "camera.usda", size=100.0)
    for junk, name in ((b"glTF", "a.glb"), (b"#usda 1.0\n(", "a.usda"), (b"{}", "a.json"),
                       (b"[1", "a.json"), (b"", "a.usdc"), (b"hello", "a.txt")):  # fmt: skip
        with pytest.raises(Refusal):
            taken(junk, name)


def test_a_camera_that_goes_through_what_stands_is_said_with_its_frames(tmp_path):
    cameras = truth()
    places = np.array([c.position for c in cameras])
    x, y, z = places[10:14].mean(axis=0)
    reach = np.abs(places[10:14] - [x, y, z]).max(axis=0) * 1.01
    inside = np.nonzero((np.abs(places - [x, y, z]) <= reach).all(axis=1))[0]
    stands = Box(
        id="box-0", name="kiosk", x=x, z=z, level_m=float(y - reach[1]),
        width_m=2 * reach[0], height_m=2 * reach[1], depth_m=2 * reach[2],
    )  # fmt: skip
    scene = apply(empty(), AddProxies(proxies=(stands,)))
    after, _ = taken(usd_of(cameras, tmp_path), "camera.usda", scene)
    assert said_inside(scene) == []
    (words,) = said_inside(after)
    first, last = 1001 + inside[0], 1001 + inside[-1]
    assert words.startswith(f"It is inside kiosk from frame {first} to {last}")


def test_a_camera_of_a_million_frames_is_refused_before_it_is_walked(tmp_path):
    path = tmp_path / "long.usda"
    stage = Usd.Stage.CreateNew(str(path))
    camera = UsdGeom.Camera.Define(stage, "/long")
    place = camera.AddTranslateOp()
    for frame in (0, 1_000_000):
        place.Set(Gf.Vec3d(frame, 1.6, 0), frame)
    stage.Save()
    with pytest.raises(Refusal, match="1,000,001 frames"):
        taken(path.read_bytes(), "long.usda")
    far = glb_of(steady(truth())[:2], rate=1e-5)
    with pytest.raises(Refusal, match="frames"):
        taken(far, "walk.glb")


def test_zero_and_size_are_its_own_until_it_is_let_go(tmp_path):
    scene, _ = taken(usd_of(truth(), tmp_path), "camera.usda")
    with pytest.raises(Refusal, match="brought in with its place"):
        settled(scene, SetEyeHeight(metres=2.0))
    free = apply(scene, LetCameraGo())
    assert free.sighting.given is None
    assert free.passed is None  # its places were of that camera's world
    assert free.sighting.by_eye is not None  # of the beginning, which is there again
    with pytest.raises(Refusal, match="none to let go"):
        apply(free, LetCameraGo())
    locked = apply(scene, SetLock(locked=True))
    with pytest.raises(Refusal, match="locked"):
        apply(locked, SetByEye(by_eye=free.sighting.by_eye))
    assert apply(scene, SetByEye(by_eye=free.sighting.by_eye)).sighting.given is None
    with pytest.raises(ValueError, match="square"):
        Given(name="bent", position=(0, 1, 0), axes=((1, 0, 0), (0, 2, 0), (0, 0, 1)),
              focal_px=1000, centre=(0, 0))  # fmt: skip
