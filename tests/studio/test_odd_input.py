"""Odd input, each of which once ended in an error of the program: it is taken, or refused in
words, and costs nothing else."""

from __future__ import annotations

import io
import json
import tracemalloc

import av
import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from jade_lantern.core.move.diagnosis import diagnosed_cast
from jade_lantern.core.scene.check import MOST
from jade_lantern.core.scene.edits import AlterLantern, apply
from jade_lantern.core.sight.measure import required_camera
from tests.broken import PICTURE, whole_pictures
from tests.fuzz.files import cameras, glb, usd


def paint(api, project, *files: tuple[str, bytes]):
    return api.client.post(
        f"/api/projects/{project.pk}/paint",
        {"files": [SimpleUploadedFile(*file) for file in files], "base": "0"},
    )


def blocking(api, project, name: str, data: bytes, **more: str):
    return api.client.post(
        f"/api/projects/{project.pk}/blocking",
        {"file": SimpleUploadedFile(name, data), "base": "0", **more},
    )


def refused(answer) -> str:
    assert answer.status_code == 422, answer.content
    return str(answer.json()["message"])


@pytest.mark.parametrize(
    "lens", [{"yfov": 1e-6}, {"aspectRatio": -1}, {"yfov": 4}, {"yfov": None}, {"yfov": "x"}]
)
def test_a_glbs_camera_that_can_be_none(api, project, lens):
    own = {"yfov": 0.8, "znear": 0.1, "aspectRatio": 1.5, **lens}
    data = glb(cameras=[{"type": "perspective", "perspective": own}], nodes=[{"camera": 0}])
    assert "no perspective camera" in refused(paint(api, project, ("eye.glb", data)))


@pytest.mark.parametrize(
    "node", [{"translation": [1e9, 0, 0]}, {"scale": [0, 0, 0]}, {"camera": 7}, {"camera": -1}]
)
def test_a_glbs_camera_that_cannot_stand_there(api, project, node):
    refused(paint(api, project, ("eye.glb", cameras(**node))))


def test_a_control_character_alone_is_no_name_and_the_camera_is_taken(api, project):
    answer = paint(api, project, ("eye.glb", cameras(name="\x01")))
    assert answer.status_code == 200
    assert answer.json()["changed"]["lanterns"][-1]["name"] == "camera"


def test_more_lanterns_than_there_can_be(api, project):
    files = [(f"plate {i}.png", whole_pictures()["a.png"]) for i in range(MOST["lanterns"] + 2)]
    answer = paint(api, project, *files)
    assert answer.status_code == 200
    brought = answer.json()["brought"]
    left_out = [b for b in brought if b["lantern"] is None]
    assert len(left_out) == len(files) - (MOST["lanterns"] - 1)
    assert "too many" in left_out[0]["said"][0]


def test_one_bad_file_does_not_end_the_others(api, project):
    whole = whole_pictures()
    bad = ("cut.webp", whole["a.webp"][: len(whole["a.webp"]) // 2])
    answer = paint(api, project, bad, ("sky.png", whole["a.png"]))
    assert answer.status_code == 200
    assert [b["lantern"] for b in answer.json()["brought"]] == [None, "sky"]


def test_a_movie_whose_tags_are_no_text(api, project):
    out = io.BytesIO()
    with av.open(out, "w", format="mp4") as file:
        file.metadata["title"] = "quay-title"
        stream = file.add_stream("mpeg4", rate=24)
        stream.width, stream.height, stream.pix_fmt = 96, 72, "yuv420p"
        frame = av.VideoFrame.from_ndarray(np.ascontiguousarray(PICTURE[..., :3]), "rgb24")
        file.mux(stream.encode(frame))
        file.mux(stream.encode(None))
    data = out.getvalue().replace(b"quay-title", b"quay\xff\xfe\xfa\xf8xx")
    assert b"\xff\xfe\xfa\xf8xx" in data
    assert paint(api, project, ("clip.mp4", data)).status_code == 200


def test_a_mask_or_paint_that_is_huge_is_not_decoded(api, project, settings):
    settings.MOST_PIXELS = 2_000_000
    wide = io.BytesIO()
    from PIL import Image

    Image.new("L", (3000, 3000)).save(wide, "PNG")
    tracemalloc.start()
    mask = refused(paint(api, project, ("still mask.png", wide.getvalue())))
    large = refused(paint(api, project, ("sky.png", wide.getvalue())))
    _, most = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert "plate's size" in mask
    assert "larger than can be worked on" in large
    assert most < 9_000_000


def test_a_units_length_that_cannot_be(api, project):
    data = usd("usda").replace(b"metersPerUnit = 1", b"metersPerUnit = -1")
    assert b"-1" in data
    assert "unit is -1 m" in refused(blocking(api, project, "a.usda", data))
    assert blocking(api, project, "a.usda", data, unit_m="1").status_code == 200


def test_a_face_of_five_thousand_corners(api, project):
    n = 5000
    angle = np.arange(n) * 2 * np.pi / n
    text = "".join(f"v {x:.6f} {y:.6f} 0\n" for x, y in zip(np.cos(angle), np.sin(angle)))  # noqa: B905
    text += "f " + " ".join(str(i + 1) for i in range(n)) + "\n"
    assert blocking(api, project, "a.obj", text.encode()).status_code in (200, 422)


def test_a_form_without_a_boundary_and_a_name_without_an_end(api, project):
    answer = api.client.post(
        "/api/stills", b"x", content_type="multipart/form-data", HTTP_X_JADE_LANTERN="1"
    )
    assert answer.status_code in (400, 422)
    assert json.loads(answer.content)["message"]
    still = SimpleUploadedFile("n" * 3000 + ".png", whole_pictures()["a.png"])
    assert api.client.post("/api/stills", {"still": still}).status_code in (201, 400, 422)


@pytest.mark.parametrize(
    "change",
    [
        {"verb": "AddWide", "back_m": 1e6},
        {"verb": "GrowOutline", "feet": [[500, 1150], [700, 1150]], "inside": [[-7169, 0.01]]},
        {"verb": "GrowOutline", "feet": [[500, 1150], [700, 1150]], "inside": [[1e6, 7.0]]},
        {"verb": "GrowOutline", "feet": [[500, 20], [700, 20]], "inside": [[960, 900]]},
    ],
)
def test_changes_that_reach_too_far(api, project, change):
    refused(api.keep(project.pk, 0, **change))


def test_what_lies_beyond_the_world_is_not_under_the_pointer(api, project):
    ray = {"origin": [0, 90, 0], "direction": [0, -1e-6, 1]}
    answer = api.post(f"projects/{project.pk}/under", base=0, at=ray)
    assert (answer.status_code, answer.json()) == (200, None)


@pytest.mark.parametrize(
    "to",
    [
        {"view": {"position": [0, 1.6, 4], "focal_mm": 30, "width": 16, "height": 8000}},
        {"view": {"position": [0, 1.6, 4], "focal_mm": 30, "width": 2, "height": 40_000}},
        {"window": {"left": 0, "top": 0, "width": 0.01, "height": 1280}},
    ],
)
def test_a_lanterns_frame_is_looked_at_in_pixels_whatever_its_shape(demo_scene, to):
    edit = AlterLantern.model_validate(
        {"lantern": "lantern-0", "to": {**to, "through": False}}
    )  # fmt: skip
    scene = apply(demo_scene, edit)
    tracemalloc.start()
    diagnosed_cast(scene).from_(required_camera(scene).at_width(480))
    _, most = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    assert most < 600e6


def test_a_frame_of_more_than_can_be_worked_on_is_refused(api, project):
    view = {"position": [0, 1.6, 4], "focal_mm": 30, "width": 40_000, "height": 40_000}
    said = refused(
        api.keep(project.pk, 0, verb="AlterLantern", lantern="lantern-0", to={"view": view})
    )
    assert "200 megapixels" in said


def test_a_row_of_more_than_can_be_drawn_is_refused(api, project):
    drum = {"kind": "drum", "id": "drum-0", "name": "post", "radius_m": 0.2, "height_m": 1.0,
            "rings": [[(i + 1) / 62, 0.2] for i in range(60)]}  # fmt: skip
    stood = api.keep(project.pk, 0, verb="AddProxies", proxies=[drum], said="Stand")
    assert stood.status_code == 200, stood.content
    row = api.keep(project.pk, 1, verb="RowAlong", proxy="drum-36", along="across", count=400,
                   step_m=1.0)  # fmt: skip
    assert "triangles" in refused(row)
