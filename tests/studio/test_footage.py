"""Footage through the API and the command line: laid, gone through, ranked."""

import io
import json
from pathlib import Path

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from PIL import Image

from jade_lantern.core.picture import png
from jade_lantern.core.scene.model import Scene
from jade_lantern.studio import plates, projects
from jade_lantern.studio.models import Project
from jade_lantern.studio.small_pictures import SmallPictures
from tests.core.test_beside import COUNT, footage, grey_of, sequence, size_of
from tests.core.test_gather import place
from tests.studio.test_commands import run

pytestmark = pytest.mark.usefixtures("db")
QUAY = Path(__file__).parent.parent / "data" / "quay.zip"


def laid(api, project, base=0, **fields):
    answer = api.client.post(f"/api/projects/{project.pk}/footage", {"base": base, **fields})
    return answer.status_code, answer.json()


def matte(scene):
    """A bar that goes from left to right."""
    out = []
    for n in range(COUNT):
        one = np.zeros((*size_of(scene)[::-1], 3), np.uint8)
        one[:, 10 + 20 * n : 30 + 20 * n] = 255
        out.append(one)
    return sequence(out, first=1)


def quick(api, project, digest):
    answer = api.get(f"projects/{project.pk}/plate/{digest}/quick")
    assert answer.status_code == 200, digest
    return np.asarray(Image.open(io.BytesIO(answer.content))), answer["Content-Type"]


def test_footage_is_laid_and_gone_through_with_its_matte(api, project, demo_scene):
    plain = [np.full((*size_of(demo_scene)[::-1], 3), grey_of(n), np.uint8) for n in range(COUNT)]
    files = [SimpleUploadedFile(f"walk.{n:03d}.png", png(one)) for n, one in enumerate(plain)]
    code, told = laid(api, project, files=files)
    assert code == 422
    assert "hide everything" in told["message"]
    for file in files:
        file.seek(0)
    with_matte = SimpleUploadedFile("matte.zip", matte(demo_scene))
    code, told = laid(api, project, files=files, matte=with_matte)
    assert code == 200
    assert told["brought"][0]["lantern"] == "walk"
    whole = api.whole(project.pk)
    lantern = whole["scene"]["lanterns"][-1]
    row = whole["scene"]["sheet"]["rows"][0]
    assert row["lanterns"] == [lantern["id"], "lantern-0"]
    # each frame is asked for by a number that says the picture of both
    shown = next(one for one in whole["lanterns"] if one["id"] == lantern["id"])
    for n in (1, 4):
        number = n + COUNT * n
        picture, kind = quick(api, project, f"{shown['digest']}@{number}")
        assert kind == "image/webp"
        bar = slice(12 + 20 * n, 28 + 20 * n)
        assert picture[:, bar, 3].min() > 250
        assert picture[:, bar, :3].mean() == pytest.approx(grey_of(n), abs=3)
        assert picture[:, 34 + 20 * n :, 3].max() < 5


def test_small_pictures_are_made_and_are_those_of_their_numbers(api, project, demo_scene):
    file = SimpleUploadedFile("rain.zip", footage(demo_scene))
    code, _ = laid(api, project, files=[file])
    assert code == 200
    digest = api.whole(project.pk)["scene"]["lanterns"][-1]["plate"]["digest"]
    early = [quick(api, project, f"{digest}@{n}")[0] for n in (5, 2)]
    plates.smalls.settle()
    assert (plates.folder() / f"{digest}.small.zip").exists()
    for n in (5, 2, 3, 0, 99):
        name = f"{digest}@{n}" if n else digest
        picture, _ = quick(api, project, name)
        shown = min(n, COUNT - 1)
        half = picture.shape[1] // 2
        assert picture[:, : half - 4, :3].mean() == pytest.approx(grey_of(shown), abs=2)
        assert picture[:, half + 4 :, 3].max() < 5
    assert np.abs(early[0].astype(int) - quick(api, project, f"{digest}@5")[0]).max() <= 3
    # a still is asked for in the same way
    still, kind = quick(api, project, demo_scene.plate.digest)
    assert kind == "image/jpeg"
    assert still.shape == (640, 960, 3)
    assert api.get(f"projects/{project.pk}/plate/{'0' * 64}@3/quick").status_code == 404


def test_small_pictures_are_made_anew_where_their_file_is_broken(
    api, project, demo_scene, monkeypatch
):
    laid(api, project, files=[SimpleUploadedFile("rain.zip", footage(demo_scene))])
    digest = api.whole(project.pk)["scene"]["lanterns"][-1]["plate"]["digest"]
    plates.smalls.settle()
    made = plates.folder() / f"{digest}.small.zip"
    monkeypatch.setattr(plates, "smalls", SmallPictures(plates.store, "part-"))  # begun anew
    made.write_bytes(b"broken")
    quick(api, project, f"{digest}@3")
    plates.smalls.settle()
    picture, _ = quick(api, project, f"{digest}@3")
    assert picture[:, : picture.shape[1] // 2 - 4, :3].mean() == pytest.approx(grey_of(3), abs=2)
    assert made.stat().st_size > 1000


def test_frames_are_ranked_for_a_proxy_and_for_a_part(api):
    scene, _, _ = place()
    number = projects.start(scene).pk
    crate = next(p for p in scene.proxies if p.name == "crate").id
    path = f"projects/{number}/rank?revision=0"
    told = api.post(path, proxy=crate, few=3).json()
    assert len(told) == 3
    assert told[0]["seen"] >= told[-1]["seen"] * 0.8
    ring = [[200, 150], [300, 150], [300, 220], [200, 220]]
    of_part = api.post(path, ring=ring).json()
    assert len(of_part) == len(api.post(path, proxy=crate).json())
    assert all(0 <= v <= 1 for one in of_part for v in one["box"])
    assert "Say what" in api.post(path).json()["message"]
    assert api.post(path, proxy="box-77").status_code == 422


def test_footage_without_a_browser(tmp_path):
    number = run("import", str(QUAY)).strip().split()[-1]
    scene = _scene(number)
    rain, cut = tmp_path / "rain.zip", tmp_path / "matte.zip"
    rain.write_bytes(footage(scene))
    cut.write_bytes(matte(scene))
    told = json.loads(run("footage", number, str(rain), "--matte", str(cut)))
    assert told["kept"] == "Lay rain over the trick"
    told = json.loads(run("footage", number, str(rain), "--under"))
    assert "nothing of that is clear" not in json.dumps(told)  # the first one has a matte
    assert [one.name for one in _scene(number).lanterns] == ["still", "rain", "rain 2"]
    assert "no overscan" in run("footage", number, str(rain), "--overscan", code=1)


def _scene(number) -> Scene:
    return projects.scene_at(Project.objects.get(pk=int(number)))
