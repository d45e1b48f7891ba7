"""Guests: what their files say, where they stand, how they are drawn, and over time."""

import io
import json
import struct
import zipfile
from hashlib import sha256

import cv2
import numpy as np
import pygltflib
import pytest
import shapely
import trimesh
from PIL import Image
from scipy.spatial.transform import Rotation

from jade_lantern.core.block.under import under
from jade_lantern.core.change import changed
from jade_lantern.core.deliver.archive import packed, unpacked
from jade_lantern.core.deliver.frames import films, plane_files
from jade_lantern.core.deliver.gltf import glb as write_glb
from jade_lantern.core.dress.bring import feet_of, font_of, guest_of
from jade_lantern.core.dress.glyphs import letters_of, type_of
from jade_lantern.core.dress.guests import stands
from jade_lantern.core.dress.pieces import model_in
from jade_lantern.core.dress.standing import CarryGuest, SizeGuest, StandGuest, doubt_of
from jade_lantern.core.move.frames import render_request
from jade_lantern.core.pick import Ray
from jade_lantern.core.picture import png
from jade_lantern.core.proxy import Similarity
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.scene.document import as_text, read
from jade_lantern.core.scene.dressing import Sun
from jade_lantern.core.scene.edits import (
    AddGuest,
    AddLight,
    AlterGuest,
    AlterLight,
    DeleteGuest,
    DuplicateGuest,
    PlayGuest,
    SetLock,
    SetTrack,
    apply,
)
from jade_lantern.core.scene.edits.guests import facts_of
from jade_lantern.core.scene.guests import (
    ModelFile,
    ModelGuest,
    PictureGuest,
    Scatter,
    WordsGuest,
)
from jade_lantern.core.scene.moment import at, moments
from jade_lantern.core.scene.parts import scene_of, values_of
from jade_lantern.core.scene.pictures import pictures_in
from jade_lantern.core.scene.plate import Plate, Playing, Rest
from jade_lantern.core.sight.measure import required_camera
from jade_lantern.core.store import Memory
from jade_lantern.core.track import TrackKey

WORDS = WordsGuest(id="new-0", name="title", text="Quay", height_m=0.6, x=-1.0, z=-4.0)
PLATE = Plate(name="card", width=80, height=100, digest="c" * 64, format="PNG", bits=8, alpha=True)
CARD = PictureGuest(id="new-0", name="card", height_m=1.5, x=-2.0, z=-4.0, plate=PLATE)
MOST = 10**8
GROUND = (300.0, 1150.0)  # px, on the slabs


@pytest.fixture
def quay(demo_scene):
    return apply(demo_scene, SetLock(locked=False))


@pytest.fixture
def small(still_file):
    from jade_lantern.core.picture import read_still

    picture = np.ascontiguousarray(read_still(still_file.read_bytes()).pixels[::5, ::5])
    card = np.zeros((100, 80, 4), np.uint8)
    cv2.circle(card, (40, 50), 30, (250, 200, 60, 255), -1)
    return lambda plate: card if plate.digest == PLATE.digest else picture


def standing(scene, guest):
    return apply(scene, AddGuest(guest=guest))


def altered(scene, **to):
    return apply(scene, AlterGuest(guest=scene.guests[-1].id, to=facts_of(to)))


def glb(*meshes):
    return trimesh.Scene(list(meshes)).export(file_type="glb")


def coloured_box(size=(2, 1, 1), colour=(255, 60, 20, 255)):
    box = trimesh.creation.box(size)
    material = trimesh.visual.material.PBRMaterial(baseColorFactor=list(colour))
    box.visual = trimesh.visual.TextureVisuals(material=material)
    return box


def come(name, data, *more):
    kept = {}

    def keep(given):
        digest = sha256(given).hexdigest()
        kept[digest] = given
        return digest

    return guest_of([(name, data), *more], keep, keep, MOST, 24.0)._asdict() | {"kept": kept}


# files


def test_a_glb_comes_with_its_colours_pictures_and_places():
    ramp = np.tile(np.linspace(0, 255, 64, dtype=np.uint8)[None, :, None], (32, 1, 3))
    sheet = trimesh.Trimesh(
        [[0, 0, 0], [2, 0, 0], [2, 1, 0], [0, 1, 0]], [[0, 1, 2], [0, 2, 3]], process=False,
        visual=trimesh.visual.TextureVisuals(
            uv=[[0, 0], [1, 0], [1, 1], [0, 1]], image=Image.fromarray(ramp)
        ),
    )  # fmt: skip
    model = model_in(glb(sheet, coloured_box()), "glb", "cart.glb")
    assert len(model.triangles) == 2 + 12
    pictures = [s.picture for s in model.surfaces if s.picture is not None]
    assert len(pictures) == 1
    assert np.array_equal(pictures[0], ramp)
    (number,) = [i for i, s in enumerate(model.surfaces) if s.picture is not None]
    corners = model.points[model.triangles[model.surface == number]].reshape(-1, 3)
    places = model.places[model.surface == number].reshape(-1, 2)
    assert places == pytest.approx(np.stack([corners[:, 0] / 2, 1 - corners[:, 1]], axis=1))
    (plain,) = [s for s in model.surfaces if s.picture is None]
    # a GLB's factors are linear light (IEC 61966-2-1)
    expected = [
        1.0,
        1.055 * (60 / 255) ** (1 / 2.4) - 0.055,
        1.055 * (20 / 255) ** (1 / 2.4) - 0.055,
    ]
    assert plain.colour[:3] == pytest.approx(expected, abs=3e-3)


def obj_zip(mtl="newmtl tin\nKd 1 1 1\nmap_Kd tin.png\n", picture=True):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as packed:
        packed.writestr("in/tin.obj", "mtllib tin.mtl\nv 0 0 0\nv 1 0 0\nv 1 1 0\nvt 0 0\nvt 1 0\n"
                        "vt 1 1\nusemtl tin\nf 1/1 2/2 3/3\n")  # fmt: skip
        packed.writestr("in/tin.mtl", mtl)
        if picture:
            packed.writestr("in/tin.png", png(np.full((4, 4, 3), (10, 200, 30), np.uint8)))
    return out.getvalue()


def test_an_obj_comes_with_what_lies_beside_it_and_says_what_is_missing():
    whole = model_in(obj_zip(), "zip", "tin.zip")
    assert whole.said == []
    assert whole.surfaces[0].picture[0, 0, :3].tolist() == [10, 200, 30]
    lacking = model_in(obj_zip(picture=False), "zip", "tin.zip")
    assert "tin.png" in lacking.said[0]
    assert lacking.surfaces[0].picture is None


USD = """#usda 1.0
(
    upAxis = "Z"
    metersPerUnit = 0.01
)
def Mesh "m" {
    int[] faceVertexCounts = [4]
    int[] faceVertexIndices = [0, 1, 2, 3]
    point3f[] points = [(0, 0, 0), (200, 0, 0), (200, 0, 100), (0, 0, 100)]
    color3f[] primvars:displayColor = [(1, 0.2140411, 0)]
}
"""


def test_a_usd_comes_in_metres_with_up_along_y_and_its_colour():
    model = model_in(USD.encode(), "usda", "m.usda")
    assert model.unit_m == pytest.approx(0.01)
    assert np.ptp(model.points, axis=0) == pytest.approx([200, 100, 0])
    assert model.surfaces[0].colour == pytest.approx((1.0, 0.5, 0.0, 1.0), abs=1e-3)
    guest = come("m.usda", USD.encode())["guest"]
    assert guest.height_m == pytest.approx(1.0)


def test_a_model_in_millimetres_is_told_and_one_of_ten_million_triangles_refused():
    big = come("van.glb", glb(coloured_box((2000, 1800, 4000))))
    assert big["guest"].height_m == pytest.approx(1.8)
    assert "millimetres" in big["said"][0]
    document = {
        "asset": {"version": "2.0"}, "meshes": [{"primitives": [{"attributes": {}, "indices": 0}]}],
        "accessors": [{"count": 30_000_000, "type": "SCALAR", "componentType": 5125}],
    }  # fmt: skip
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    data = b"glTF" + struct.pack("<IIII", 2, 20 + len(text), len(text), 0x4E4F534A) + text
    with pytest.raises(Refusal, match="10,000,000 triangles"):
        come("vast.glb", data)


@pytest.mark.parametrize(
    ("name", "data", "words"),
    [("a.glb", b"glTF nothing", "broken"), ("b.zip", b"PK\x03\x04 broken", "broken|sequence|read"),
     ("c.obj", b"# nothing here\n", "nothing to stand"), ("d.usda", b"#usda 1.0\n", "nothing to"),
     ("e.ttf", b"\0\1\0\0", "font"), ("f.png", b"no picture", "picture|image|still")],
)  # fmt: skip
def test_what_cannot_be_read_is_refused_in_words(name, data, words):
    with pytest.raises(Refusal, match=words):
        come(name, data)


def test_feet_of_a_cut_out_figure_are_the_middle_of_its_lowest():
    picture = np.zeros((100, 80, 4), np.uint8)
    picture[20:70, 30:50, 3] = 255
    picture[60:90, 44:56, 3] = 255  # a leg to the right
    assert feet_of(picture) == pytest.approx((50 / 80, 0.9))
    assert feet_of(picture[..., :3]) == (0.5, 1.0)


# words


@pytest.mark.parametrize("face", ["grotesk", "serif"])
def test_letters_cover_what_their_outlines_do(face):
    """The area of a letter's triangles is that of its outline by its own pen's coordinates, and
    heavier letters cover more."""
    areas = []
    for weight in (300, 800):
        type = type_of(face, None, weight)
        (letter,) = letters_of("B", type, 0.0)
        corners = letter.corners[letter.triangles]
        u, v = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
        area = 0.5 * np.abs(u[:, 0] * v[:, 1] - u[:, 1] * v[:, 0]).sum()
        assert area == pytest.approx(letter.shape.area, rel=1e-6)
        low, high = letter.corners[:, 1].min(), letter.corners[:, 1].max()
        assert (low, high) == pytest.approx((0.0, 1.0), abs=0.03)  # a capital letter is one high
        areas.append(area)
    assert areas[1] > 1.3 * areas[0]


def test_lines_are_centred_and_the_last_stands_on_zero():
    type = type_of("grotesk", None, 600)
    letters = letters_of("HH\nHHHH", type, 0.2)
    first, last = [letters[i].at for i in (0, 1)], [letters[i].at for i in (3, 4, 5, 6)]
    assert np.mean(first, axis=0)[0] == pytest.approx(0.0, abs=1e-9)
    assert np.mean(last, axis=0)[0] == pytest.approx(0.0, abs=1e-9)
    assert {p[1] for p in last} == {0.0}
    assert first[0][1] > 1.0
    assert last[1][0] - last[0][0] == pytest.approx(type.advances("H")[0] + 0.2)


@pytest.mark.parametrize("face", ["grotesk", "serif"])
def test_pairs_of_letters_stand_as_near_as_the_font_has_them(face):
    type = type_of(face, None, 600)
    (alone,) = type.advances("A")
    assert type.advances("AV")[0] < alone - 0.03
    assert type.advances("HH") == type.advances("H") * 2
    assert len(type.advances("fi")) == 2  # no letter is drawn as one with the next
    a, v = letters_of("AV", type, 0.0)
    gap = v.shape.bounds[0] + v.at[0] - (a.shape.bounds[2] + a.at[0])
    assert -0.3 < gap < 0.02  # the slopes reach over one another
    a, v = (shapely.affinity.translate(one.shape, *one.at) for one in (a, v))
    assert a.distance(v) > 0.02
    spaced = letters_of("A V", type, 0.0)
    assert spaced[1] is None
    assert spaced[2].at[0] - spaced[0].at[0] > alone


def test_a_font_without_the_letters_is_refused_by_name(quay, small):
    with pytest.raises(Refusal, match="桟橋"):
        stands(standing(quay, WORDS.model_copy(update={"text": "A 桟橋"})), np.zeros(3), small)
    with pytest.raises(Refusal, match="no font"):
        font_of(b"not a font at all", "a.ttf", lambda data: "")


def test_thick_letters_are_closed_and_lettering_is_drawn_with_its_colour(quay, small):
    (piece,) = stands(standing(quay, WORDS.model_copy(update={"thick_m": 0.2})), np.zeros(3), small)
    solid = trimesh.Trimesh(piece.mesh.points, piece.mesh.triangles, process=True)
    assert solid.is_watertight
    assert solid.volume > 0
    flat = stands(standing(quay, WORDS), np.zeros(3), small)[0]
    area = sum(one.shape.area for one in letters_of("Quay", type_of("grotesk", None, 600), 0.0))
    assert solid.volume == pytest.approx(area * 0.2 / 0.6, rel=1e-6)
    assert len(flat.mesh.triangles) < len(piece.mesh.triangles)


def test_letters_go_through_their_tracks_one_after_another(quay, small):
    scene = standing(quay, WORDS.model_copy(update={"later": 5.0}))
    id = scene.guests[0].id
    for of, to in (("level_m", 2.0), ("strength", 1.0)):
        keys = (TrackKey(frame=10, value=0.0), TrackKey(frame=20, value=to))
        scene = apply(scene, SetTrack(part=id, of=of, keys=keys))
    whole = [at(scene, frame).guests[0] for frame in (14, 19, 24)]
    for k in range(4):
        assert whole[2].letters[k].level_m == pytest.approx(
            at(scene, 24 - 5 * k).guests[0].letters[0].level_m
        )
    assert whole[0].letters[0].level_m == pytest.approx(whole[1].letters[1].level_m)
    assert 0 < whole[0].letters[0].strength < 1
    there = stands(at(scene, 24), np.zeros(3), small)
    assert [s.place[1] for s in there] == pytest.approx([one.level_m for one in whole[2].letters])
    line = WORDS.frame()[0][:, 0]
    apart = [one.at[0] for one in letters_of("Quay", type_of("grotesk", None, 600), 0.0)]
    assert [(s.place - there[0].place) @ line for s in there] == pytest.approx(
        [0.6 * (x - apart[0]) for x in apart]
    )
    assert [s.strength for s in there] == pytest.approx([o.strength for o in whole[2].letters])
    with pytest.raises(Refusal, match="tracks"):
        standing(scene, whole[2].model_copy(update={"name": "told"}))


# where they stand


def test_a_guest_stands_with_its_foot_where_it_was_picked(quay, small):
    camera = required_camera(quay)
    pick = GROUND
    for guest in (WORDS, CARD):
        edit, scene = changed(quay, StandGuest(guest=guest, at=pick), None)
        stood = scene.guests[0]
        pixel, depth = camera.project(stood.foot[None])
        assert pixel[0] == pytest.approx(pick, abs=0.01)
        share = {"words": 0.08, "picture": 0.35}[guest.kind]
        seen = stood.height_m * camera.focal_px / depth[0]
        assert seen == pytest.approx(share * camera.height, rel=0.02)
        front = stood.frame()[0][:, 2]
        towards = camera.position - stood.foot
        assert front @ [0, 1, 0] == pytest.approx(0)
        assert np.cross(front, [towards[0], 0, towards[2]]) == pytest.approx(np.zeros(3), abs=1e-4)
        assert edit.title(quay).startswith("Stand")


def test_on_a_wall_or_lying_it_lies_on_the_face(quay):
    camera = required_camera(quay)
    wall = next(p for p in ((x, 500.0) for x in range(1300, 1900, 40))
                if abs(under(quay, camera, p).normal[1]) < 0.1)  # fmt: skip
    for pick, lies in ((wall, False), (GROUND, True)):
        on = under(quay, camera, pick)
        _, scene = changed(quay, StandGuest(guest=WORDS, at=pick, lies=lies), None)
        turn, place = scene.guests[0].frame()
        assert turn[:, 2] == pytest.approx(on.normal, abs=1e-4)
        assert 0 < (place - on.point) @ on.normal < 0.05
        up = camera.forward if lies else np.array([0, 1, 0])
        assert turn[:, 1] @ up > 0.5


def test_it_is_carried_on_its_level_up_and_down_and_made_as_high_as_picked(quay):
    camera = required_camera(quay)
    scene = standing(quay, CARD.model_copy(update={"level_m": 0.5}))
    id = scene.guests[0].id
    _, carried = changed(scene, CarryGuest(guest=id, to=(900.0, 1100.0)), None)
    assert camera.project(carried.guests[0].foot[None])[0][0] == pytest.approx((900, 1100), abs=0.1)
    assert carried.guests[0].level_m == 0.5
    x, y = camera.project(carried.guests[0].foot)[0].tolist()
    _, lifted = changed(carried, CarryGuest(guest=id, to=(x, y - 80.0), way="up"), None)
    assert lifted.guests[0].level_m > 0.55
    assert camera.project(lifted.guests[0].foot)[0][1] == pytest.approx(y - 80, abs=0.5)
    top = carried.guests[0].foot + [0, 2.25, 0]
    ray = Ray(origin=tuple(camera.position), direction=tuple(top - camera.position))
    _, sized = changed(carried, SizeGuest(guest=id, top=ray), None)
    assert sized.guests[0].height_m == pytest.approx(2.25, abs=1e-4)
    sky = Ray(origin=tuple(camera.position), direction=(0.0, 0.2, -1.0))
    with pytest.raises(Refusal, match="horizon"):
        changed(scene, CarryGuest(guest=id, to=sky), None)


def test_it_faces_the_camera_wherever_that_is(quay, small):
    row = Scatter(count=5, width_m=3, depth_m=3, seed=4)
    scene = standing(quay, CARD.model_copy(update={"facing": True, "scatter": row}))
    for eye in ([0.0, 1.6, 0.0], [4.0, 3.0, -9.0]):
        there = stands(scene, np.array(eye), small)
        assert len(there) == 5
        for one in there:
            front = one.turn[:, 2] / np.linalg.norm(one.turn[:, 2])
            level = np.array([eye[0] - one.place[0], 0, eye[2] - one.place[2]])
            assert front == pytest.approx(level / np.linalg.norm(level), abs=1e-9)


def test_repeats_stand_where_their_seed_says_and_the_first_where_it_stood(quay, small):
    once = stands(standing(quay, CARD), np.zeros(3), small)[0]
    strewn = CARD.model_copy(update={"scatter": Scatter(count=40, width_m=4, depth_m=2, seed=9,
                                                       turn_deg=0, size=0.5)})  # fmt: skip
    scene = standing(quay, strewn)
    (many,) = stands(scene, np.zeros(3), small)
    world = many.mesh.points @ many.turn.T + many.place
    assert world[:4] == pytest.approx(once.mesh.points @ once.turn.T + once.place)
    feet = world.reshape(40, 4, 3)[:, :2].mean(axis=1)
    assert np.abs(feet[:, 0] - CARD.x).max() <= 2.0 + 1e-9
    assert np.abs(feet[:, 2] - CARD.z).max() <= 1.0 + 1e-9
    heights = np.ptp(world.reshape(40, 4, 3)[..., 1], axis=1)
    assert heights.min() >= 0.75 - 1e-9
    assert heights.max() <= 2.25 + 1e-9
    assert np.ptp(heights) > 0.5
    again = stands(standing(quay, strewn.model_copy(update={"name": "b"})), np.zeros(3), small)[0]
    assert np.array_equal(again.mesh.points, many.mesh.points)
    file = ModelFile(name="m", digest="e" * 64, format="glb", triangles=400_000, size=(1, 1, 1))
    heavy = ModelGuest(id="new-0", name="heavy", height_m=1, file=file,
                       scatter=Scatter(count=3, width_m=1, depth_m=1))  # fmt: skip
    with pytest.raises(Refusal, match="1,200,0"):
        standing(quay, heavy)


def test_where_it_looks_too_large_it_says_whose_size_is_doubtful(quay):
    camera = required_camera(quay)
    file = ModelFile(name="m", digest="e" * 64, format="glb", triangles=12, size=(1, 40, 1))
    guest = ModelGuest(id="new-0", name="tower", height_m=40, z=-4, file=file)
    measured = quay.model_copy(
        update={"sighting": quay.sighting.model_copy(update={"eye_height_m": 1.6})}
    )
    guessed = quay.model_copy(
        update={"sighting": quay.sighting.model_copy(
            update={"eye_height_m": None, "tapes": (), "distance_m": None})}
    )  # fmt: skip
    assert "its own size is doubtful" in doubt_of(measured, guest, camera)
    assert "nobody has measured" in doubt_of(guessed, guest, camera)
    fits = guest.model_copy(update={"height_m": 1.0})
    assert doubt_of(measured, fits, camera) is None


def test_it_stays_where_it_is_in_the_picture_when_the_world_gets_another_size():
    by = Similarity(scale=2.5, shift=(0.3, 0.0, -1.0), turn_deg=30.0)
    strewn = Scatter(count=3, width_m=2, depth_m=1)
    for guest in (WORDS.model_copy(update={"thick_m": 0.2}),
                  CARD.model_copy(update={"scatter": strewn})):  # fmt: skip
        after = guest.carried(by)
        turn, place = guest.frame()
        turned, moved = after.frame()
        for p in ([0, 0, 0], [0.3, 1, 0.2]):
            there = by.moved(tuple(guest.height_m * turn @ p + place))
            assert after.height_m * turned @ p + moved == pytest.approx(there)
        for (a, s), (b, t) in zip(guest.repeats(), after.repeats(), strict=True):
            assert a == pytest.approx(b)
            assert 2.5 * s == pytest.approx(t)


# how they are drawn


def frame_of(scene, small, planes=(), number=0, files=None):
    asked = render_request(scene, 480, number, number)
    return next(films(scene, small, asked, planes, files or (lambda digest: b"")))


def test_a_hidden_guest_changes_no_bit_and_a_shown_one_hides_and_is_hidden(quay, small):
    plain = frame_of(quay, small)
    scene = standing(quay, WORDS.model_copy(update={"hidden": True}))
    assert np.array_equal(frame_of(scene, small).beauty, plain.beauty)
    behind = standing(quay, WORDS.model_copy(update={"z": -400.0, "x": 40.0}))
    assert np.array_equal(frame_of(behind, small).beauty, plain.beauty)
    shown = frame_of(altered(scene, hidden=False), small, ("id",))
    number = sum(not p.hidden for p in quay.proxies)
    mine = shown.id == number
    assert mine.sum() > 100
    assert (shown.beauty[mine][:, :3] > 240).all(axis=1).mean() > 0.7
    apart = cv2.erode((~mine).astype(np.uint8), np.ones((3, 3))) > 0
    assert np.array_equal(shown.beauty[apart], plain.beauty[apart])


def test_a_textured_box_is_drawn_as_a_ray_meets_it(quay, small):
    """The colour of each face is its place on it, so a frame says where rays have met it."""
    box = trimesh.creation.box((1, 1, 1))
    corners = box.vertices[box.faces].reshape(-1, 3)
    uv = corners[:, [0, 1]] + 0.5
    y, x = np.mgrid[0:256, 0:256] / 255.0
    ramp = np.dstack([x, 1 - y, np.zeros_like(x)])
    loose = trimesh.Trimesh(
        corners, np.arange(36).reshape(-1, 3), process=False,
        visual=trimesh.visual.TextureVisuals(
            uv=uv, material=trimesh.visual.material.PBRMaterial(
                baseColorTexture=Image.fromarray((ramp * 255 + 0.5).astype(np.uint8))
            ),
        ),
    )  # fmt: skip
    came = come("box.glb", glb(loose))
    where = {"x": -1.2, "z": -2.5, "turn_deg": 25.0, "height_m": 0.9}
    guest = came["guest"].model_copy(update=where)
    bare = quay.model_copy(update={"proxies": ()})
    scene = standing(bare, guest)
    seen = frame_of(scene, small, ("position", "normal", "id"), files=came["kept"].get)
    turn, place = guest.frame()
    own = (seen.position - place) @ turn / 0.9
    facing = np.abs(seen.normal @ turn)[..., 2] > 0.99  # the faces that the ramp lies on squarely
    inside = (seen.id == 0) & facing & (np.abs(own[..., 0]) < 0.47) & (own[..., 1] > 0.03)
    inside &= own[..., 1] < 0.97
    assert inside.sum() > 1000
    expected = np.stack([own[..., 0] + 0.5, own[..., 1]], axis=-1)[inside]
    # half a pixel of the ramp lies beyond its first and last place
    expected = (expected * 256 - 0.5) / 255
    assert np.abs(seen.beauty[inside][:, :2] / 255 - expected).max() < 2 / 255


def test_layers_are_named_by_guest_and_add_up(quay, small):
    scene = standing(standing(quay, WORDS), CARD.model_copy(update={"mixing": "sum", "soft": 0.2}))
    seen = frame_of(scene, small, ("lanterns",))
    assert len(seen.lanterns) == len(scene.lanterns) + 2
    white = float(np.iinfo(seen.beauty.dtype).max)
    whole = seen.beauty[..., :3] / white * (seen.beauty[..., 3:] / white)
    assert np.abs(seen.lanterns[..., :3].sum(axis=0) - whole).max() < 3e-5
    names = [name for name, _ in plane_files(scene, seen, ("lanterns",))]
    assert names[-2:] == ["guest title", "guest card"]


def test_a_guest_casts_a_shadow_and_takes_as_much_light_as_is_said(quay, small):
    scene = standing(quay, WORDS.model_copy(update={"thick_m": 0.1, "x": -3.0, "z": -2.0}))
    before = frame_of(scene, small).beauty.astype(int)
    sun = Sun(id="new-0", name="sun", turn_deg=20, height_deg=40, does="shades")
    lit = apply(scene, AddLight(light=sun))
    guest, light = lit.guests[0].id, lit.lights[0].id

    def with_(**to):
        from jade_lantern.core.scene.edits.dress import LightFacts

        return apply(lit, AlterLight(light=light, to=LightFacts(**to)))

    only = with_(casters=(guest,))
    fell = before - frame_of(only, small).beauty
    assert (fell[..., :3].max(axis=2) > 15).sum() > 60
    none = with_(casters=())
    assert np.abs(frame_of(none, small).beauty - before).max() == 0
    gone = apply(only, DeleteGuest(guest=guest))
    assert gone.lights[0].casters == ()


# over time

CLIP = PLATE.model_copy(update={"playing": Playing(count=10, rate=24.0, offset=4.0)})


def test_a_clip_plays_from_its_own_frame_rests_and_loops(quay):
    scene = standing(standing(quay, CARD.model_copy(update={"plate": CLIP})),
                     CARD.model_copy(update={"plate": CLIP, "name": "later"}))  # fmt: skip
    second = scene.guests[1].id
    rests = (Rest(frame=12, frames=3),)
    scene = apply(scene, PlayGuest(guest=second, offset=8, rate=12, rests=rests, loops=True))
    frames = np.array([0, 4, 8, 13, 30, 60], float)
    shown = [[g.plate.picture for g in m.guests] for m in moments(scene, frames)]
    first = [0, 0, 4, 9, 9, 9]
    # a picture each two frames from frame 8 on, three frames of rest, and round again after ten
    other = [0, 0, 0, 2, int((30 - 8 - 3) / 2) % 10, int((60 - 8 - 3) / 2) % 10]
    assert [s[0] for s in shown] == first
    assert [s[1] for s in shown] == other
    with pytest.raises(Refusal, match="no clip"):
        apply(standing(quay, CARD), PlayGuest(guest="guest-" + str(quay.next_id), rate=24))


def test_guests_are_kept_read_again_copied_and_needed(quay):
    scene = standing(standing(quay, WORDS), CARD)
    scene = altered(scene, row={"step_m": 1.0, "count": 3}, mixing="lighten")
    assert read(as_text(scene)) == scene
    assert scene_of(values_of(scene)) == scene
    assert PLATE.digest in pictures_in(scene)
    twice = apply(scene, DuplicateGuest(guest=scene.guests[0].id))
    assert [g.name for g in twice.guests] == ["title", "card", "title 2"]
    with pytest.raises(Refusal, match="already"):
        altered(twice, name="card")
    with pytest.raises(Refusal, match="no mixing"):
        altered(twice, mixing="sum")
    with pytest.raises(Refusal, match="nothing"):
        altered(twice, text=None)


# what goes out


def test_guests_and_lights_go_out_in_a_glb_and_what_cannot_is_told(quay, small):
    came = come("box.glb", glb(coloured_box((1, 1, 1))))
    scene = standing(quay, came["guest"].model_copy(update={"x": -3.0, "z": -5.0, "turn_deg": 30}))
    scene = standing(scene, CARD.model_copy(update={"mixing": "sum"}))
    keys = (TrackKey(frame=0, value=0.0), TrackKey(frame=40, value=2.0))
    scene = apply(scene, SetTrack(part=scene.guests[0].id, of="level_m", keys=keys))
    scene = apply(scene, AddLight(light=Sun(id="new-0", name="sun", turn_deg=50, height_deg=30)))
    file = pygltflib.GLTF2().load_from_bytes(write_glb(scene, small, files=came["kept"].get))
    names = [node.name for node in file.nodes]
    node = file.nodes[names.index("box")]
    turn = Rotation.from_quat(node.rotation).as_matrix()
    assert turn == pytest.approx(scene.guests[0].frame()[0], abs=1e-6)
    assert node.translation == pytest.approx([-3.0, 0.0, -5.0])
    assert node.scale == pytest.approx([1.0] * 3)
    (moved,) = [a for a in file.animations if a.name == "box"]
    values = file.accessors[moved.samplers[0].output]
    assert values.max[1] == pytest.approx(2.0)
    assert values.count == scene.move.frames
    light = file.nodes[names.index("sun")]
    ahead = Rotation.from_quat(light.rotation).as_matrix() @ [0, 0, -1]
    assert ahead == pytest.approx(-np.array(scene.lights[0].way()), abs=1e-6)
    told = file.extensions["KHR_lights_punctual"]["lights"]
    assert told[0]["intensity"] == pytest.approx(np.pi)
    assert "how card is mixed (sum)" in file.scenes[0].extras["left_out"][0]


def test_an_archive_holds_what_guests_need_and_one_without_is_refused(quay, still_file):
    came = come("box.glb", glb(coloured_box()))
    ((digest, data),) = came["kept"].items()
    file = came["guest"].file.model_copy(update={"digest": digest})
    scene = standing(quay, came["guest"].model_copy(update={"file": file}))
    still = still_file.read_bytes()
    store = {scene.plate.digest: still, digest: data}
    whole = packed(scene, Memory(store))
    found = unpacked(whole)
    assert found.scene.guests == scene.guests
    with found.pictures.open(digest) as kept:
        assert kept.read() == data
    out = io.BytesIO()
    with zipfile.ZipFile(io.BytesIO(whole)) as old, zipfile.ZipFile(out, "w") as new:
        for name in old.namelist():
            if not name.endswith(digest):
                new.writestr(name, old.read(name))
    with pytest.raises(Refusal, match="guest box is missing"):
        unpacked(out.getvalue())
