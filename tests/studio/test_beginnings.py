"""Beginnings other than a still, through the API and the command line."""

import io
import json
import zipfile

import cv2
import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from jade_lantern.core.picture import png
from jade_lantern.core.scene.model import Scene
from jade_lantern.core.sight.measure import required_camera
from jade_lantern.studio.models import Project
from tests.core.test_camera_files import steady, truth, usd_of
from tests.studio.test_commands import run

pytestmark = pytest.mark.usefixtures("db")
BOX = {"kind": "box", "id": "box-0", "name": "crate", "x": 0.4, "z": -2.0, "width_m": 1.0,
       "depth_m": 1.0, "height_m": 1.2}  # fmt: skip


def begun(api, **asked):
    answer = api.client.post("/api/begin", json.dumps(asked), content_type="application/json")
    assert answer.status_code == 201, answer.json()
    return answer.json()["id"]


def sent(api, project, to, base, name, data, **more):
    fields = {"file": SimpleUploadedFile(name, data), "base": base, **more}
    answer = api.client.post(f"/api/projects/{project}/{to}", fields)
    return answer.status_code, answer.json()


def picture(width, height):
    rng = np.random.default_rng(1)
    return png(cv2.resize(rng.integers(0, 255, (9, 16, 3)).astype(np.uint8), (width, height)))


def test_a_project_begun_on_nothing_gets_its_picture_and_loses_nothing(api):
    number = begun(api, name="Steps", width=640, height=360, tilt_deg=-5)
    told = api.whole(number)
    assert told["scene"]["plate"]["awaited"]
    assert told["reading"]["settled"]
    assert told["reading"]["focal_px"]["sigma"] == 0
    base = api.keep(number, 0, verb="AddProxies", proxies=[BOX]).json()["revision"]
    answer = api.client.get(f"/api/projects/{number}/drawings")
    assert "attachment" in answer["Content-Disposition"]
    names = zipfile.ZipFile(io.BytesIO(b"".join(answer))).namelist()
    assert {"grey.png", "wire.png", "depth.png", "proxies.png", "blocking.ora"} <= set(names)
    code, told = sent(api, number, "still", base, "wide.png", picture(960, 360))
    assert code == 422
    assert "of another shape" in told["message"]
    code, told = sent(api, number, "still", base, "steps.png", picture(1280, 720))
    assert code == 200
    scene = Scene.model_validate(api.whole(number)["scene"])
    assert (scene.plate.name, scene.plate.awaited) == ("steps.png", False)
    assert required_camera(scene).width == 1280
    code, told = sent(api, number, "still", told["revision"], "wide.png", picture(960, 360),
                      shows="more")  # fmt: skip
    assert code == 200
    answer = api.client.get(f"/api/projects/{number}/camera.zip?up=z")
    with zipfile.ZipFile(io.BytesIO(answer.getvalue())) as archive:
        assert archive.read("wide.png") == picture(960, 360)  # as it came
        told_out = json.loads(archive.read("camera.json"))
    assert (told_out["plate"], told_out["up"], told_out["width_px"]) == ("wide.png", "z", 960)
    scene = Scene.model_validate(api.whole(number)["scene"])
    assert [one.plate.name for one in scene.stills.earlier] == ["steps.png"]
    back = api.keep(number, told["revision"], verb="BringStillBack", number=0).json()
    assert back["changed"]["plate"]["name"] == "steps.png"
    code, told = sent(api, number, "still", back["revision"], "broken.png", b"\x89PNG broken")
    assert code == 422
    assert api.whole(number)["revision"] == back["revision"]


def test_a_camera_is_taken_and_goes_out_again(api, tmp_path):
    data = usd_of(truth(), tmp_path)
    file = SimpleUploadedFile("walk.usda", data)
    answer = api.client.post("/api/begin/camera", {"file": file, "width": 1280, "name": "Walk"})
    assert answer.status_code == 201
    number = answer.json()["id"]
    assert any("Only its camera came" in words for words in answer.json()["said"])
    scene = Scene.model_validate(api.whole(number)["scene"])
    assert (scene.plate.width, scene.plate.height) == (1280, 720)
    assert scene.sighting.given.name == "walk"
    assert len(scene.passed.frames) == scene.move.frames == 48
    out = api.client.get(f"/api/projects/{number}/camera.json?up=z&unit_m=0.01").content
    told = json.loads(out)
    assert (told["up"], told["unit_m"], len(told["frames"])) == ("z", 0.01, 48)
    answer = api.client.get(f"/api/projects/{number}/camera.zip")
    assert answer.status_code == 422
    assert "no picture yet" in answer.json()["message"]
    base = api.whole(number)["revision"]
    code, told = sent(api, number, "camera", base, "again.json", out,
                      asked=json.dumps({"frame": 20}))  # fmt: skip
    assert code == 200
    scene = Scene.model_validate(api.whole(number)["scene"])
    assert scene.sighting.given.position == pytest.approx(truth()[20].position, abs=1e-6)
    code, said = sent(api, number, "camera", told["revision"], "walk.usda", data,
                      asked=json.dumps({"camera": "no such"}))  # fmt: skip
    assert code == 422
    assert "There is no camera no such" in said["message"]
    code, said = sent(api, number, "camera", told["revision"], "walk.usda", data, asked="{")
    assert code == 422
    answer = api.client.post(
        "/api/begin/camera", {"file": SimpleUploadedFile("walk.glb", b"glTF junk")}
    )
    assert answer.status_code == 422
    assert Project.objects.count() == 1


def test_beginnings_without_a_browser(tmp_path):
    number = run("begin", "Steps", "--width", "640", "--height", "360", "--tilt", "-5").strip()
    assert "no ground is in the frame" in run("begin", "Up", "--tilt", "50", code=1)
    file = tmp_path / "walk.usda"
    file.write_bytes(usd_of(steady(truth()), tmp_path))
    assert "Bring in the camera walk" in run("camera", number, str(file), "--frame", "3")
    stood = tmp_path / "stand.json"
    stood.write_text(json.dumps([{"verb": "AddProxies", "proxies": [BOX]}]))
    run("edit", number, str(stood))
    early = str(tmp_path / "early.json")
    assert "no picture yet" in run("export", number, early, "--plate", code=1)
    run("draw", number, str(tmp_path / "drawn"))
    assert cv2.imread(str(tmp_path / "drawn" / "grey.png")).shape == (360, 640, 3)
    still = tmp_path / "steps.png"
    still.write_bytes(picture(1280, 720))
    assert "Bring in the picture steps.png" in run("still", number, str(still))
    assert "already" in run("still", number, str(still), code=1)
    for kind in ("json", "usdz", "glb"):
        out = tmp_path / f"camera.{kind}"
        more = () if kind == "glb" else ("--up", "z", "--unit", "0.01")
        run("export", number, str(out), *more)
        other = run("begin", f"From {kind}", "--camera", str(out), "--no-meshes").splitlines()[0]
        scene = Scene.model_validate_json(_scene_of(other))
        assert len(scene.passed.frames) == 48
    (tmp_path / "out").mkdir()
    run("export", number, str(tmp_path / "out" / "shot.json"), "--plate")
    assert (tmp_path / "out" / "steps.png").read_bytes() == picture(1280, 720)
    assert "Up is y or z" in run("export", number, str(tmp_path / "a.json"), "--up", "x", code=1)
    assert "one picture" in run("rank", number, "crate", code=1)
    assert "There is no lantern" in run("gather", number, "nobody", code=1)
    assert "no photograph from a place" in run("off", number, "still", code=1)
    picks = tmp_path / "picks.json"
    places = [[[100, 300], [90, 300]], [[500, 300], [490, 300]], [[300, 200], [290, 200]]]
    picks.write_text(json.dumps({"pictures": [0, 1], "places": places}))
    ground = ("camera", number, str(file), "--ground", str(picks))
    assert "is one picture" in run(*ground, code=1)
    assert "not by both" in run(*ground, "--sighted", code=1)
    picks.write_text(json.dumps({"pictures": [0, 1], "places": places[:2]}))
    assert "places" in run(*ground, code=1)


def _scene_of(number):
    from jade_lantern.core.scene.document import as_text
    from jade_lantern.studio import projects

    return as_text(projects.scene_at(Project.objects.get(pk=int(number))))
