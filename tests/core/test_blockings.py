"""Blockings in and out as open formats, what is under the pointer, and outlines that look at the
picture."""

import json

import cv2
import numpy as np
import pytest

from jade_lantern.core.block.blocking import KINDS, blocking, brought
from jade_lantern.core.block.grow import GrowOutline, TraceOutline, grown
from jade_lantern.core.block.parts import Part
from jade_lantern.core.block.pointed import pointed
from jade_lantern.core.change import changed
from jade_lantern.core.proxy import Box, Card, Drum
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.scene.edits import StandProxy, apply
from jade_lantern.core.scene.model import Scene
from jade_lantern.core.sight.look import Look
from jade_lantern.core.sight.measure import required_camera
from tests.core.picks import pixel


@pytest.fixture
def built(bare: Scene) -> Scene:
    for proxy in (
        Box(id="box-0", name="house", x=-2.5, z=-3, width_m=2, depth_m=1, height_m=2, turn_deg=20),
        Drum(id="drum-0", name="1 jar, gilt", x=-0.5, z=-2, radius_m=0.3, height_m=0.7, lip_m=0.4),
        Card(id="card-0", name="sign", x=-4, z=-3, width_m=1, height_m=1, hidden=True),
    ):
        bare = apply(bare, StandProxy(proxy=proxy))
    return bare


@pytest.mark.parametrize("kind", KINDS)
def test_a_blocking_goes_out_and_comes_back(built, bare, kind):
    data = blocking(built, kind)
    edit = brought(data, f"quay.{kind}", bare)
    after = apply(bare, edit)
    assert [p.name for p in after.proxies] == ["house", "_1_jar_gilt"]
    assert edit.title(bare) == "Bring in: 2 proxies"
    for was, now in zip(built.proxies, after.proxies, strict=False):
        solid = now.shape
        assert solid.closed
        mesh = was.mesh(required_camera(built))
        a, b, c = (mesh.points[mesh.triangles[:, i]] for i in range(3))
        volume = float((a * np.cross(b, c)).sum() / 6)
        assert solid.volume == pytest.approx(volume, rel=1e-4)
        back = now.mesh(required_camera(after)).points
        assert back.min(axis=0) == pytest.approx(mesh.points.min(axis=0), abs=1e-4)
        assert back.max(axis=0) == pytest.approx(mesh.points.max(axis=0), abs=1e-4)
    assert len(after.proxies[0].faces) == 6  # triangles of one plane are one face again


def test_an_obj_says_what_it_is_and_other_units_can_be_told(built, bare):
    obj = blocking(built, "obj").decode()
    assert obj.splitlines()[0].startswith("#")
    assert [line for line in obj.splitlines() if line.startswith("o ")] == [
        "o house", "o _1_jar_gilt",
    ]  # fmt: skip
    centimetres = "\n".join(
        "v " + " ".join(f"{float(v) * 100:.4f}" for v in line.split()[1:])
        if line.startswith("v ")
        else line
        for line in obj.splitlines()
    ).encode()
    right = apply(bare, brought(centimetres, "a.obj", bare, 0.01)).proxies[0]
    assert right.shape.volume == pytest.approx(4.0, rel=1e-3)
    with pytest.raises(Refusal, match="not in metres"):
        brought(centimetres, "a.obj", bare, 1000.0)


def test_a_usd_with_z_up_in_centimetres_stands_upright(bare):
    usd = """#usda 1.0
(
    metersPerUnit = 0.01
    upAxis = "Z"
)
def Xform "Set" {
    double3 xformOp:translate = (100, 0, 0)
    uniform token[] xformOpOrder = ["xformOp:translate"]
    def Mesh "tower" {
        point3f[] points = [(0,0,0),(100,0,0),(100,100,0),(0,100,0),
                            (0,0,300),(100,0,300),(100,100,300),(0,100,300)]
        int[] faceVertexCounts = [4,4,4,4,4,4]
        int[] faceVertexIndices = [3,2,1,0, 4,5,6,7, 0,1,5,4, 1,2,6,5, 2,3,7,6, 3,0,4,7]
    }
}
"""
    tower = apply(bare, brought(usd.encode(), "set.usda", bare)).proxies[0]
    points = tower.mesh(required_camera(bare)).points
    assert points.min(axis=0) == pytest.approx([1, 0, -1])
    assert points.max(axis=0) == pytest.approx([2, 3, 0])
    assert tower.shape.volume == pytest.approx(3.0)


@pytest.mark.parametrize(
    ("data", "name", "word"),
    [
        (b"not a mesh", "a.glb", "broken"),
        (b"#usda 1.0\nnonsense {", "a.usda", "broken"),
        (b"PK\x03\x04", "a.zip", "not a GLB"),
        (b"o nothing\nv 0 0 0\n", "a.obj", "no surface|broken"),
        (b"v 0 0 0\nv nan 1 0\nv 0 1 0\nf 1 2 3\n", "a.obj", "no numbers|broken"),
    ],
)
def test_files_that_cannot_be_brought_in_are_told(bare, data, name, word):
    with pytest.raises(Refusal, match=word):
        brought(data, name, bare)


def test_an_enormous_file_is_refused_in_words(bare):
    n = 180
    points = "".join(f"v {i} {j} 0\n" for i in range(n) for j in range(n))
    faces = "".join(
        f"f {i * n + j + 1} {i * n + j + 2} {(i + 1) * n + j + 1}\n"
        f"f {i * n + j + 2} {(i + 1) * n + j + 2} {(i + 1) * n + j + 1}\n"
        for i in range(n - 1) for j in range(n - 1)
    )  # fmt: skip
    with pytest.raises(Refusal, match="64,082 triangles"):
        brought((points + faces).encode(), "a.obj", bare)


def test_the_pointer_tells_corner_edge_or_face(built):
    camera = required_camera(built)
    mesh = built.proxies[0].mesh(camera)
    top = mesh.points[np.argsort(mesh.points[:, 1])[-4:]]
    nearest = top[np.argmin(np.linalg.norm(top - camera.position, axis=1))]
    at = np.array(pixel(built, *nearest))
    on = pointed(built, camera, tuple(at + [2, 1]), 8, None)
    assert on is not None
    assert on.part is not None
    assert on.part.corner is not None
    assert on.lines[0][0] == pytest.approx(nearest)
    face = pointed(built, camera, pixel(built, -2.5, 1.0, -2.5), 4, None)
    assert face is not None
    assert face.part is not None
    assert face.part.face is not None
    assert face.on.proxy == built.proxies[0].id
    assert np.allclose(face.lines[0][0], face.lines[0][-1])
    away = np.array([np.sin(np.radians(20)), 0, np.cos(np.radians(20))])
    foot = np.array([-2.5, 0.0, -3.0]) + 0.5 * away
    edge = pointed(built, camera, pixel(built, *foot), 5, None)
    assert edge is not None
    assert edge.part is not None
    assert edge.part.edge is not None
    ground = pointed(built, camera, pixel(built, -1.4, 0, -1.0), 1, None)
    assert ground is not None
    assert (ground.on.proxy, ground.part) == (None, None)
    # the card stands behind nothing, but it is hidden; the held one is meant past what is before
    behind = pointed(built, camera, pixel(built, -2.2, 0.0, -3.4), 30, built.proxies[0].id)
    assert behind is not None
    assert behind.part is not None
    with pytest.raises(ValueError, match="one of a face"):
        Part(face=1, corner=2)


class Seen:
    """A picture at hand."""

    def __init__(self, pixels):
        self._look = Look(pixels)

    def look(self, plate):
        return self._look


def gable_picture(scene: Scene):
    """A dark gable before a light wall, drawn sub-pixel, and its ring in px."""
    ring = [pixel(scene, x, y, -2.0) for x, y in
            [(-3.0, 0.0), (-1.6, 0.0), (-1.6, 1.2), (-2.3, 1.9), (-3.0, 1.2)]]  # fmt: skip
    plate = scene.plate
    mask = np.zeros((plate.height * 4, plate.width * 4), np.uint8)
    cv2.fillPoly(mask, [(np.array(ring) * 4 - 0.5).round().astype(np.int32)], 255)
    size = (plate.width, plate.height)
    share = cv2.resize(mask, size, interpolation=cv2.INTER_AREA)[..., None] / 255
    rng = np.random.default_rng(2)
    picture = 190 * (1 - share) + np.array([70, 60, 90]) * share
    picture = np.clip(picture + rng.normal(0, 6, picture.shape), 0, 255).astype(np.uint8)
    return picture, np.array(ring)


def test_an_outline_pulls_itself_onto_the_pictures_edges(bare):
    picture, ring = gable_picture(bare)
    hand = ring + np.random.default_rng(4).normal(0, 2.5, ring.shape)
    feet = tuple(map(tuple, ring[:2]))
    traced = TraceOutline(feet=feet, outline=tuple(map(tuple, hand)), reach=8)
    _, after = changed(bare, traced, Seen(picture))
    camera = required_camera(after)
    seen = camera.project(after.proxies[0].mesh(camera).points)[0]
    off = np.linalg.norm(seen[:, None] - ring[None], axis=2).min(axis=0)
    assert off.max() < 0.5
    assert np.linalg.norm(hand - ring, axis=1).max() > 2.5


def test_an_outline_is_grown_from_a_few_clicks(bare):
    picture, ring = gable_picture(bare)
    inside = np.array([ring.mean(axis=0), ring.mean(axis=0) + [20, 30]])
    beside = np.array([ring.mean(axis=0) - [500, 0]])
    got = np.array(grown(picture, inside, beside))
    wanted = np.zeros(picture.shape[:2], np.uint8)
    have = wanted.copy()
    cv2.fillPoly(wanted, [ring.round().astype(np.int32)], 1)
    cv2.fillPoly(have, [got.round().astype(np.int32)], 1)
    share = (wanted & have).sum() / (wanted | have).sum()
    assert share > 0.97
    feet = tuple(map(tuple, ring[:2]))
    gesture = GrowOutline(feet=feet, inside=tuple(map(tuple, inside)))
    _, after = changed(bare, gesture, Seen(picture))
    assert after.proxies[0].kind == "outline"
    assert json.loads(gesture.model_dump_json())["verb"] == "GrowOutline"
