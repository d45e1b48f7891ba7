"""Guests through the API: files that are brought and stood, and what views are told of them."""

import io
import json

import numpy as np
import pytest
import trimesh
from django.core.files.uploadedfile import SimpleUploadedFile
from PIL import Image

from jade_lantern.core.camera import Camera
from jade_lantern.core.dress.guests import stands
from jade_lantern.core.picture import png
from jade_lantern.core.scene.model import Scene
from jade_lantern.core.scene.moment import at
from jade_lantern.core.scene.shot import shot_camera
from jade_lantern.core.sight.measure import required_camera
from jade_lantern.studio import arrays, plates, projects
from tests.core.test_grade import cube

pytestmark = pytest.mark.usefixtures("db")
WORDS = {"kind": "words", "id": "new-0", "name": "title", "text": "Quay", "height_m": 0.5}
GROUND = json.dumps([300, 1150])


def box(side=1.0):
    mesh = trimesh.creation.box((side, side, side))
    picture = Image.fromarray(np.full((8, 8, 3), (20, 200, 90), np.uint8))
    material = trimesh.visual.material.PBRMaterial(baseColorTexture=picture)
    uv = mesh.vertices[:, :2] / side + 0.5
    mesh.visual = trimesh.visual.TextureVisuals(uv=uv, material=material)
    return trimesh.Scene([mesh]).export(file_type="glb")


def post(api, project, to, **fields):
    answer = api.client.post(f"/api/projects/{project.pk}/{to}", fields)
    return answer.status_code, answer.json()


def picture_at(api, project, digest):
    address = f"/api/projects/{project.pk}/plate/{digest}"
    levels = api.client.get(f"{address}/levels").json()["sizes"]
    tile = api.client.get(f"{address}/0/0/0")
    return levels[0], np.array(Image.open(io.BytesIO(tile.content)))


def test_a_model_is_brought_stood_and_told_as_the_renderer_takes_it(api, project):
    status, told = post(api, project, "guest", files=SimpleUploadedFile("box.glb", box()), base=0,
                        at=GROUND)  # fmt: skip
    assert status == 200
    (guest,) = told["changed"]["guests"]
    (shown,) = told["follows"]["guests"]
    (piece,) = shown["pieces"]
    scene = Scene.model_validate(api.whole(project.pk)["scene"])
    (core,) = stands(scene, np.zeros(3), plates.deep, plates.original)
    mesh = piece["shape"]["mesh"]
    data = arrays.kept(mesh["digest"])
    points = np.frombuffer(data, "<f4", 3 * mesh["points"]).reshape(-1, 3)
    frame = np.array(piece["shape"]["frame"]).reshape(3, 4)
    world = points @ frame[:, :3].T + frame[:, 3]
    expected = core.mesh.points[core.mesh.triangles].reshape(-1, 3) @ core.turn.T + core.place
    assert world == pytest.approx(expected, abs=1e-5)
    rest = np.frombuffer(data, "<f4", 4 * mesh["points"], 24 * mesh["points"] - 8 * mesh["points"])
    assert rest.reshape(-1, 4)[:, 1:3] == pytest.approx(core.laid.reshape(-1, 2), abs=1e-4)
    size, pixels = picture_at(api, project, piece["lantern"]["digest"])
    assert size == [8, 8]
    assert (pixels[..., :3] == [20, 200, 90]).all()
    camera = required_camera(scene)
    foot = np.array([guest["x"], guest["level_m"], guest["z"]])
    assert camera.project(foot)[0] == pytest.approx([300, 1150], abs=0.01)
    assert shown["doubt"] is None
    later = api.keep(project.pk, told["revision"], verb="RenameProject", name="b").json()
    assert later["follows"].get("guests") is None


def test_what_is_odd_about_a_file_is_said_and_what_cannot_be_leaves_all_as_it_was(api, project):
    status, told = post(api, project, "guest", files=SimpleUploadedFile("van.glb", box(3000.0)),
                        base=0, at=GROUND)  # fmt: skip
    assert status == 200
    assert "millimetres" in told["brought"][0]["said"][0]
    revision = told["revision"]
    sky = json.dumps([900, -3000])
    for name, data, where, words in (
        ("broken.glb", b"glTF and no more", GROUND, "broken"),
        ("note.txt", b"no picture at all", GROUND, ""),
        ("box.glb", box(), sky, "Nothing is there"),
        ("box.glb", box(), "up there", "cannot be read"),
        ("a.ttf", b"\0\1\0\0 no font", GROUND, "font"),
    ):
        file = SimpleUploadedFile(name, data)
        status, answer = post(api, project, "guest", files=file, base=revision, at=where)
        assert status == 422, name
        assert words in answer["message"]
        assert answer["message"].strip()
    assert api.get(f"projects/{project.pk}/head").json()["revision"] == revision


def test_a_card_is_told_with_its_soft_edges_and_words_with_a_brought_font(api, project):
    card = np.dstack([np.full((120, 80, 3), 200, np.uint8), np.full((120, 80), 255, np.uint8)])
    file = SimpleUploadedFile("card.png", png(card))
    _, told = post(api, project, "guest", files=file, base=0, at=GROUND)
    (guest,) = told["changed"]["guests"]
    plain = told["follows"]["guests"][0]["pieces"][0]["lantern"]["digest"]
    told = api.keep(project.pk, told["revision"], verb="AlterGuest", guest=guest["id"],
                    to={"soft": 0.25}).json()  # fmt: skip
    soft = told["follows"]["guests"][0]["pieces"][0]["lantern"]["digest"]
    assert soft != plain
    _, pixels = picture_at(api, project, soft)
    assert pixels[60, 40, 3] == 255
    assert pixels[0, 0, 3] < 5
    assert 60 < pixels[60, 10, 3] < 200
    told = api.keep(project.pk, told["revision"], verb="AddGuest", guest=WORDS).json()
    words = told["changed"]["guests"][-1]["id"]
    path = plates.Path(plates.__file__).parents[1] / "core" / "dress" / "fonts" / "fraunces.ttf"
    font = SimpleUploadedFile("own.ttf", path.read_bytes())
    status, told = post(api, project, "font", file=font, base=told["revision"], guest=words)
    assert status == 200, told
    assert told["changed"]["guests"][0]["font"] in plates.PlateNeeded.objects.values_list(
        "digest", flat=True
    )
    status, answer = post(api, project, "font", file=SimpleUploadedFile("b.ttf", b"none"),
                          base=told["revision"], guest=words)  # fmt: skip
    assert status == 422
    assert "no font" in answer["message"]
    lacking = api.client.post(
        f"/api/projects/{project.pk}/edits",
        json.dumps({"base": told["revision"], "change": {
            "verb": "AlterGuest", "guest": words, "to": {"text": "桟橋", "font": None}}}),
        content_type="application/json",
    )  # fmt: skip
    assert lacking.status_code == 422
    assert "桟" in lacking.json()["message"]


def test_a_guest_over_time_is_told_frame_by_frame(api, project):
    told = api.keep(project.pk, 0, verb="AddGuest", guest={**WORDS, "z": -5.0, "facing": True})
    told = told.json()
    (guest,) = told["changed"]["guests"]
    eye = {"frame": 60, "position": [2.0, 2.0, -1.0], "aim": [0, 1, -8], "focal_mm": 35.0}
    for change in (
        {"verb": "SetTrack", "part": guest["id"], "of": "strength",
         "keys": [{"frame": 0, "value": 0.0}, {"frame": 50, "value": 1.0}]},
        {"verb": "SetKeys", "keys": [{**eye, "frame": 0, "position": [0, 1.6, 0]}, eye]},
    ):  # fmt: skip
        told = api.keep(project.pk, told["revision"], **change).json()
    times = told["follows"]["times"]
    assert times["stands"] == [f"{guest['id']}/0"]
    rows = np.frombuffer(arrays.kept(times["digest"]), "<f8").reshape(times["frames"], -1)
    scene = Scene.model_validate(api.whole(project.pk)["scene"])
    camera: Camera = required_camera(scene)
    for frame in (0, 30, 60):
        moment, shot = at(scene, frame), shot_camera(scene, frame, camera)
        (core,) = stands(moment, shot.position, plates.deep, plates.original)
        own = rows[frame, -14:]
        assert own[:12].reshape(3, 4)[:, :3] == pytest.approx(core.turn)
        assert own[:12].reshape(3, 4)[:, 3] == pytest.approx(core.place)
        assert own[12] == pytest.approx(core.strength)
    gone = api.keep(project.pk, told["revision"], verb="DeleteGuest", guest=guest["id"]).json()
    assert "times" in gone["gone"]


def test_a_guest_whose_file_is_gone_says_so_and_nothing_else_breaks(api, project):
    _, told = post(api, project, "guest", files=SimpleUploadedFile("box.glb", box(1.5)), base=0,
                   at=GROUND)  # fmt: skip
    digest = told["changed"]["guests"][0]["file"]["digest"]
    plates.store().place(digest).unlink()
    whole = api.whole(project.pk)
    (shown,) = whole["follows"]["guests"]
    assert shown["pieces"] == []
    assert "not here any more" in shown["trouble"]
    moved = api.keep(project.pk, told["revision"], verb="AlterGuest", guest=shown["id"],
                     to={"x": 1.0})  # fmt: skip
    assert moved.status_code == 200


def test_a_file_of_another_project_is_not_taken(api, project, demo_scene):
    """A digest is guessed, or read off elsewhere: it names nothing that is this project's own."""
    _, told = post(api, project, "guest", files=SimpleUploadedFile("box.glb", box(1.2)), base=0,
                   at=GROUND)  # fmt: skip
    guest = told["changed"]["guests"][0]
    other = projects.start(demo_scene)
    answer = api.client.post(
        f"/api/projects/{other.pk}/edits",
        json.dumps({"base": 0, "change": {"verb": "AddGuest", "guest": guest}}),
        content_type="application/json",
    )
    assert answer.status_code == 422
    assert "never brought" in answer.json()["message"]


def test_a_look_takes_a_table_and_says_what_is_none(api, project):
    table = SimpleUploadedFile("dusk.cube", cube(9))
    status, told = post(api, project, "table", file=table, base=0)
    assert status == 200
    shown = told["follows"]["dress"]["look"]["table"]
    values = np.frombuffer(arrays.kept(shown["digest"]), "<f4").reshape(9, 9, 9, 3)
    assert shown["side"] == 9
    assert values[0, 0, 8] == pytest.approx([0.0, 0.2, 0.0])  # all red: the first goes fastest
    assert told["changed"]["look"]["table_name"] == "dusk.cube"
    broken = SimpleUploadedFile("b.cube", b"LUT_3D_SIZE 4 1 2 3")
    status, answer = post(api, project, "table", file=broken, base=told["revision"])
    assert status == 422
    assert "no .cube" in answer["message"]
