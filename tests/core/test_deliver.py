"""What leaves the house: GLB, movie, archive."""

import io
import zipfile
from fractions import Fraction

import av
import numpy as np
import pygltflib
import pytest

from jade_lantern.core.block.blocking import blocking
from jade_lantern.core.camera import Camera, rotation_of
from jade_lantern.core.cast.squash import Squash
from jade_lantern.core.change import changed
from jade_lantern.core.deliver.archive import packed, unpacked
from jade_lantern.core.deliver.cut import cut
from jade_lantern.core.deliver.gltf import glb
from jade_lantern.core.deliver.movie import Movie
from jade_lantern.core.mesh import mesh_of
from jade_lantern.core.move.frames import render_request
from jade_lantern.core.picture import png
from jade_lantern.core.picture.footage import read_movie
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.scene.edits import AddLantern, CastOn, Glaze, SetKeys, altered, apply
from jade_lantern.core.scene.model import CastRow
from jade_lantern.core.scene.shot import shot_cameras, shot_keys
from jade_lantern.core.sight.measure import required_camera
from jade_lantern.core.store import Memory, read

CAMERA = Camera.centred(3000, 2000, 2600, rotation_of(-2, 1, 15), np.array([0, 1.6, 0.0]))


def worst_texture_error(part, camera) -> float:
    """How far an evenly stretched texture is from the exact projection, px, over many points."""
    rng = np.random.default_rng(0)
    weights = rng.dirichlet([1, 1, 1], 40)
    corners, pixels = part.points[part.triangles], part.pixels[part.triangles]
    at = np.einsum("kc,tcd->tkd", weights, corners)
    even = np.einsum("kc,tcd->tkd", weights, pixels)
    return float(np.linalg.norm(camera.project(at)[0] - even, axis=-1).max())


@pytest.mark.parametrize(
    "points",
    [
        [[-30, 0, 30], [30, 0, 30], [30, 0, -300], [-30, 0, -300]],  # a floor, under the camera
        [[3, 0, 5], [3, 0, -200], [3, 9, -200], [3, 9, 5]],  # a wall that runs past it
    ],
)
def test_cut_geometry_carries_its_texture_to_a_quarter_pixel(points):
    lit, dark = cut(mesh_of(points, [(0, 1, 2, 3)]), CAMERA)
    assert 10 < len(lit.triangles) < 100_000
    assert worst_texture_error(lit, CAMERA) < 0.25
    assert (lit.pixels > -1e-3).all()
    assert (lit.pixels < [3000.001, 2000.001]).all()
    area = sum(_area(p) for p in (lit, dark))
    whole = np.linalg.norm(
        np.cross(np.subtract(points[1], points[0]), np.subtract(points[3], points[0]))
    )
    assert area == pytest.approx(whole, rel=1e-6)


def _area(part) -> float:
    a, b, c = (
        np.moveaxis(part.points[part.triangles], 1, 0)
        if len(part.triangles)
        else np.zeros((3, 1, 3))
    )
    return float(np.linalg.norm(np.cross(b - a, c - a), axis=1).sum() / 2)


BOX = [
    (x, y, z) for y in (0.0, 2.0) for x, z in ((-1, -3), (3, -3), (3, -9), (-1, -9))
]  # fmt: skip
SIDES = [(0, 1, 5, 4), (1, 2, 6, 5), (2, 3, 7, 6), (3, 0, 4, 7), (4, 5, 6, 7), (3, 2, 1, 0)]


@pytest.mark.parametrize(
    ("points", "quads", "rim"),
    [
        # a floor that runs under the camera and past the frame on three sides: its rim is open
        ([[-9, 0, 5], [9, 0, 5], [9, 0, -90], [-9, 0, -90]], [(0, 1, 2, 3)], 4),
        (np.array(BOX) * [1, 1, 1], SIDES, 0),  # a box half out of the frame, behind as well
        (np.array(BOX) * [3, 1, 1] + [0, 0, 5], SIDES, 0),  # one that the camera stands in
    ],
)
def test_cutting_leaves_no_crack_where_lit_meets_unlit(points, quads, rim):
    """Lit and unlit together are as closed as what was cut: each edge inside has two triangles."""
    lit, dark = cut(mesh_of(points, quads), CAMERA)
    assert len(lit.triangles)
    assert len(dark.triangles)
    corners = np.concatenate([lit.points[lit.triangles], dark.points[dark.triangles]])
    _, index = np.unique(corners.reshape(-1, 3), axis=0, return_inverse=True)
    triangles = index.reshape(-1, 3)
    edges = np.concatenate([triangles[:, [i, (i + 1) % 3]] for i in range(3)])
    _, count = np.unique(np.sort(edges, axis=1), axis=0, return_counts=True)
    assert set(count) == ({1, 2} if rim else {2})
    if rim:
        single = corners.reshape(-1, 3)
        ends = np.sort(edges, axis=1)
        both, times = np.unique(ends, axis=0, return_counts=True)
        places = np.zeros((index.max() + 1, 3))
        places[index] = single
        x, z = np.moveaxis(places[both[times == 1]].mean(axis=1)[:, [0, 2]], 1, 0)
        assert (np.isclose(np.abs(x), 9) | np.isclose(z, 5) | np.isclose(z, -90)).all()


@pytest.fixture(scope="module")
def exported(demo_scene, still) -> pygltflib.GLTF2:
    return pygltflib.GLTF2().load_from_bytes(glb(demo_scene, lambda plate: still.pixels))


def accessor(file: pygltflib.GLTF2, index: int) -> np.ndarray:
    a = file.accessors[index]
    view = file.bufferViews[a.bufferView]
    kind = np.float32 if a.componentType == pygltflib.FLOAT else np.uint32
    size = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4}[a.type]
    data = np.frombuffer(file.binary_blob(), kind, a.count * size, view.byteOffset)
    return data.reshape(a.count, size)


def test_the_glb_holds_every_proxy_with_the_plate_on_it(exported, demo_scene):
    assert [m.name for m in exported.meshes] == [p.name for p in demo_scene.proxies]
    camera = required_camera(demo_scene)
    crate = next(m for m in exported.meshes if m.name == "crate 1")
    lit = next(p for p in crate.primitives if p.material == 0)
    points, uv = (
        accessor(exported, lit.attributes.POSITION),
        accessor(exported, lit.attributes.TEXCOORD_0),
    )
    pixels, _ = camera.project(points.astype(float))
    assert np.allclose(pixels, uv * [1920, 1280], atol=0.05)
    shape = next(p for p in demo_scene.proxies if p.name == "crate 1").mesh(camera)
    assert np.allclose(points.min(0), shape.points.min(0), atol=1e-5)


def test_the_glb_has_each_lanterns_plate_on_what_takes_it_and_glaze_gone_along(demo_scene, still):
    """A crate cast from another plate, glazed, bent into a squash and moved: its texture's places
    are those of the lens view before."""
    crate = next(p for p in demo_scene.proxies if p.name == "crate 1")
    scene = demo_scene
    for change in (
        AddLantern(name="other"),
        Glaze(proxies=(crate.id,)),
    ):  # fmt: skip
        scene = apply(scene, change)
    other = scene.lanterns[-1].id
    scene = apply(scene, CastOn(rows=(CastRow(proxy=crate.id, lanterns=(other,)),)))
    scene = changed(scene, Squash(to=0.4))[1]
    x = next(p for p in scene.proxies if p.id == crate.id).x
    scene = apply(scene, altered(crate.id, x=x + 1.0))
    file = pygltflib.GLTF2().load_from_bytes(glb(scene, lambda plate: still.pixels))
    names = [m.name for m in file.materials]
    assert {"cast still", "cast other"} <= set(names)
    assert len(file.images) == 2
    mine = next(m for m in file.meshes if m.name == "crate 1")
    lit = next(p for p in mine.primitives if names[p.material] == "cast other")
    points = accessor(file, lit.attributes.POSITION).astype(float) - [1.0, 0, 0]
    uv = accessor(file, lit.attributes.TEXCOORD_0)
    # along its line of sight a squash leaves every place where the lens saw it
    assert np.allclose(required_camera(scene).project(points)[0], uv * [1920, 1280], atol=0.05)


def test_the_glb_camera_moves_as_the_shot_does(exported, demo_scene):
    camera = required_camera(demo_scene)
    shots = shot_cameras(demo_scene, np.arange(96.0), camera)
    animation = exported.animations[0]
    by_path = {c.target.path: animation.samplers[c.sampler] for c in animation.channels}
    at = accessor(exported, by_path["translation"].output)
    assert np.allclose(at, [c.position for c in shots], atol=1e-5)
    assert accessor(exported, by_path["translation"].input)[-1, 0] == pytest.approx(95 / 24)
    node = exported.nodes[animation.channels[0].target.node]
    yfov = exported.cameras[node.camera].perspective.yfov
    assert 640 / np.tan(yfov / 2) == pytest.approx(camera.focal_px, rel=1e-6)


def test_a_shifted_principal_point_goes_out(demo_scene, still):
    """A crop 100 px off, seen through the file's camera as any reader of glTF has it, is where the
    scene's own camera shows it: in its place in the wider frame."""
    cropped = demo_scene.model_copy(
        update={"sighting": demo_scene.sighting.model_copy(update={"principal": (1060.0, 590.0)})}
    )
    camera = required_camera(cropped)
    file = pygltflib.GLTF2().load_from_bytes(glb(cropped, lambda plate: still.pixels))
    seen = file.cameras[0].perspective
    extras = file.cameras[0].extras
    left, top, width, height = extras["picture_in_frame_px"]
    assert (width, height) == (1920, 1280)
    place = camera.position + camera.rotation.T @ np.array([0.7, 0.4, -3.0])
    right, up, back = camera.rotation @ (place - camera.position)
    across = right / -back / np.tan(seen.yfov / 2) / seen.aspectRatio
    upward = up / -back / np.tan(seen.yfov / 2)
    frame_w, frame_h = extras["frame_px"]
    pixel = np.array([(across + 1) / 2 * frame_w - left, (1 - upward) / 2 * frame_h - top])
    assert np.allclose(pixel, camera.project(place)[0], atol=1e-6)
    moving = file.cameras[1]
    focal = shot_cameras(cropped, np.array([0.0]), camera)[0].focal_px
    assert moving.perspective.yfov == pytest.approx(2 * np.arctan(frame_h / 2 / focal))
    assert moving.extras == extras


def test_a_centred_camera_has_the_pictures_own_frame(exported):
    assert exported.cameras[0].perspective.aspectRatio == 1.5
    assert not exported.cameras[0].extras


def test_a_moving_focal_length_goes_out_too(demo_scene, still):
    keys = shot_keys(demo_scene, required_camera(demo_scene))
    longer = apply(
        demo_scene, SetKeys(keys=(keys[0], keys[1].model_copy(update={"focal_mm": 60.0})))
    )
    file = pygltflib.GLTF2().load_from_bytes(glb(longer, lambda plate: still.pixels))
    assert "KHR_animation_pointer" in file.extensionsUsed
    yfov = accessor(file, file.animations[0].samplers[2].output)
    assert 640 / np.tan(yfov[-1, 0] / 2) == pytest.approx(60 * 1920 / 36, rel=1e-5)


def test_a_movie_plays_back_what_was_put_in(tmp_path):
    path = tmp_path / "a.mp4"
    y, x = np.mgrid[0:101, 0:161]
    frames = [
        np.dstack([x + i * 4, y, np.full_like(x, 60), np.full_like(x, 255)]).astype(np.uint8)
        for i in range(10)
    ]
    with Movie(path, 161, 101, 23.976) as movie:
        for frame in frames:
            movie.add(frame)
    with av.open(str(path)) as file:
        assert file.streams.video[0].average_rate == Fraction(24000, 1001)
    back = list(read_movie(path))
    assert [f.shape for f in back] == [(100, 160, 3)] * 10
    for a, b in zip(frames, back, strict=True):
        assert np.abs(a[:100, :160, :3].astype(int) - b).mean() < 4


@pytest.mark.parametrize(
    ("asked", "word"),
    [
        ({"width": 0}, "at least 16"),
        ({"width": 20_000}, "cannot be rendered"),
        ({"first": 5, "last": 4}, "not all in the shot"),
        ({"last": 96}, "not all in the shot"),
    ],
)
def test_a_delivery_that_cannot_be_is_refused(demo_scene, asked, word):
    with pytest.raises(Refusal, match=word):
        render_request(demo_scene, **asked)


def test_of_an_empty_scene_only_its_cameras_go_out(demo_scene, still):
    bare = demo_scene.model_copy(update={"proxies": ()})
    with pytest.raises(Refusal, match="nothing to cast on"):
        render_request(bare)
    file = pygltflib.GLTF2().load_from_bytes(glb(bare, lambda plate: still.pixels))
    assert [node.name for node in file.nodes] == ["sighted camera", "shot camera"]
    with pytest.raises(Refusal, match="nothing to export"):
        blocking(bare, "obj")


def test_an_archive_comes_back_whole(demo_scene, still_file):
    data = still_file.read_bytes()
    archive = packed(demo_scene, Memory({demo_scene.plate.digest: data}))
    found = unpacked(archive)
    assert found.scene == demo_scene
    assert read(found.pictures, demo_scene.plate.digest) == data
    with pytest.raises(Refusal, match="damaged"):
        unpacked(archive[: len(archive) // 2])


def test_an_archive_with_another_plate_is_refused(demo_scene):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("scene.json", demo_scene.model_dump_json())
        archive.writestr("plate", png(np.zeros((64, 64, 3), np.uint8)))
    with pytest.raises(Refusal, match="not the one"):
        unpacked(out.getvalue())
