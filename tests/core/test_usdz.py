"""The USDZ, read by USD's own library."""

import json

import numpy as np
import pytest
from pxr import Usd, UsdGeom, UsdLux, UsdShade

from jade_lantern.core.deliver.usdz import usdz
from jade_lantern.core.dress.guests import stands
from jade_lantern.core.dress.pieces import model_in
from jade_lantern.core.scene.dressing import Haze, Lamp, Sun
from jade_lantern.core.scene.edits import AddLight, SetHaze, SetLock, SetTrack, apply
from jade_lantern.core.scene.moment import at
from jade_lantern.core.scene.shot import shot_camera
from jade_lantern.core.sight.measure import required_camera
from jade_lantern.core.track import TrackKey
from tests.core.test_guests import CARD, come, glb, standing
from tests.core.test_light import sphere

pytestmark = pytest.mark.filterwarnings("ignore::DeprecationWarning")


@pytest.fixture(scope="module")
def made(demo_scene, still_file, tmp_path_factory):
    """A dressed quay that moves, as a stage; its files; and its bytes."""
    import trimesh

    from jade_lantern.core.picture import read_still

    picture = np.ascontiguousarray(read_still(still_file.read_bytes()).pixels[::5, ::5])
    card = np.full((100, 80, 4), (250, 200, 60, 128), np.uint8)
    ball = sphere(np.zeros(3), 0.5, 16, 8)
    round_ = trimesh.Trimesh(ball.points, ball.triangles, process=False,
                             vertex_normals=ball.points * 2)  # fmt: skip
    came = come("ball.glb", glb(round_))
    scene = apply(demo_scene, SetLock(locked=False))
    scene = standing(scene, came["guest"].model_copy(update={"x": -3.0, "z": -5.0, "turn_deg": 30}))
    scene = standing(scene, CARD)
    keys = (TrackKey(frame=0, value=0.0), TrackKey(frame=40, value=2.0))
    scene = apply(scene, SetTrack(part=scene.guests[0].id, of="level_m", keys=keys))
    scene = apply(scene, AddLight(light=Sun(id="new-0", name="low sun", turn_deg=50, height_deg=30,
                                            size_deg=2.0, colour=(1.0, 0.7, 0.4))))  # fmt: skip
    scene = apply(scene, AddLight(light=Lamp(id="new-0", name="lamp", x=1.0, z=-3.0, reach_m=2.0,
                                             radius_m=0.1)))  # fmt: skip
    scene = apply(scene, SetHaze(haze=Haze()))
    data = usdz(scene, lambda plate: card if plate.digest == CARD.plate.digest else picture,
                files=came["kept"].get)  # fmt: skip
    path = tmp_path_factory.mktemp("usdz") / "scene.usdz"
    path.write_bytes(data)
    return scene, Usd.Stage.Open(str(path)), came["kept"].get, data


def camera_at(stage, name, time):
    (prim,) = [p for p in stage.Traverse() if p.GetDisplayName() == name]
    return UsdGeom.Camera(prim).GetCamera(time)


def seen_by(gf, points, width, height):
    """Where a USD camera sees places, px of a frame."""
    view, through = (np.array(m) for m in (gf.frustum.ComputeViewMatrix(),
                                           gf.frustum.ComputeProjectionMatrix()))  # fmt: skip
    clip = np.column_stack([points, np.ones(len(points))]) @ view @ through
    at = clip[:, :2] / clip[:, 3:]
    return (at * [0.5, -0.5] + 0.5) * [width, height]


def test_cameras_see_places_where_ours_do(made):
    scene, stage, _, _ = made
    sighted = required_camera(scene)
    rng = np.random.default_rng(2)
    points = np.column_stack(
        [rng.uniform(-3, 3, 40), rng.uniform(0, 3, 40), rng.uniform(-9, -5, 40)]
    )
    assert stage.GetEndTimeCode() == scene.move.frames - 1
    for number in (0, 37, scene.move.frames - 1):
        shot = shot_camera(scene, number, sighted)
        gf = camera_at(stage, "shot camera", Usd.TimeCode(number))
        ours, _ = shot.project(points)
        assert seen_by(gf, points, shot.width, shot.height) == pytest.approx(ours, abs=0.02)
    gf = camera_at(stage, "sighted camera", Usd.TimeCode.Default())
    ours, _ = sighted.project(points)
    assert seen_by(gf, points, sighted.width, sighted.height) == pytest.approx(ours, abs=0.02)


def test_proxies_and_guests_stand_where_they_do_by_name(made):
    scene, stage, files, _ = made
    names = {p.GetDisplayName() for p in stage.Traverse()}
    assert {p.name for p in scene.proxies if not p.hidden and p.stands} <= names
    (prim,) = [p for p in stage.Traverse() if p.GetDisplayName() == "ball"]
    mesh = UsdGeom.Mesh(prim.GetChildren()[0])
    own = np.array(mesh.GetPointsAttr().Get())
    card = np.full((100, 80, 4), 255, np.uint8)
    for number in (0, 20, 60):
        moment = at(scene, number)
        one = next(s for s in stands(moment, np.zeros(3), lambda p: card, files)
                   if s.guest.name == "ball")  # fmt: skip
        matrix = np.array(UsdGeom.Xformable(prim).ComputeLocalToWorldTransform(number))
        world = own @ matrix[:3, :3] + matrix[3, :3]
        expected = one.mesh.points[one.mesh.triangles].reshape(-1, 3) @ one.turn.T + one.place
        assert world == pytest.approx(expected, abs=1e-4)
    normals = np.array(mesh.GetNormalsAttr().Get())
    middle = (own.min(axis=0) + own.max(axis=0)) / 2
    away = (own - middle) / np.linalg.norm(own - middle, axis=1, keepdims=True)
    assert normals == pytest.approx(away, abs=1e-3)


def test_lights_are_as_large_and_as_bright_and_what_is_left_is_said(made):
    scene, stage, _, _ = made
    sun, lamp = scene.lights
    (prim,) = [p for p in stage.Traverse() if p.IsA(UsdLux.DistantLight)]
    far = UsdLux.DistantLight(prim)
    matrix = np.array(UsdGeom.Xformable(prim).ComputeLocalToWorldTransform(0))
    assert np.array([0, 0, -1]) @ matrix[:3, :3] == pytest.approx(-np.array(sun.way()), abs=1e-6)
    assert far.GetAngleAttr().Get() == pytest.approx(2.0)
    on_white = far.GetIntensityAttr().Get() * np.array(far.GetColorAttr().Get()) / np.pi
    assert on_white == pytest.approx(np.power(sun.colour, 2.2), rel=1e-5)
    (prim,) = [p for p in stage.Traverse() if p.IsA(UsdLux.SphereLight)]
    ball = UsdLux.SphereLight(prim)
    radius = ball.GetRadiusAttr().Get()
    assert radius == pytest.approx(0.1)
    # radiance, over the disc that it is seen as two metres off, which is where its reach ends
    assert ball.GetIntensityAttr().Get() * radius**2 / 2.0**2 == pytest.approx(
        lamp.strength, rel=1e-5
    )
    assert list(stage.GetRootLayer().customLayerData["left_out"]) == ["the haze"]


def test_pictures_are_in_it_and_it_can_be_stood_as_a_guest(made):
    _, stage, _, data = made
    shown = [p for p in stage.Traverse() if p.IsA(UsdShade.Shader)
             and UsdShade.Shader(p).GetIdAttr().Get() == "UsdUVTexture"]  # fmt: skip
    assert len(shown) >= 2
    model = model_in(data, "usdz", "scene.usdz")
    assert sum(s.picture is not None for s in model.surfaces) >= 2
    assert model.normals is not None
    assert json.dumps(model.said) == "[]"


def test_a_shot_that_does_not_move_has_a_camera_all_the_same(demo_scene):
    scene = demo_scene.model_copy(
        update={"move": demo_scene.move.model_copy(update={"position": (), "aim": ()})}
    )
    picture = np.full((64, 96, 3), 90, np.uint8)
    assert usdz(scene, lambda plate: picture)[:2] == b"PK"
