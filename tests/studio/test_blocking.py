"""What Block asks of the server: what is under the pointer, leaks, marbles, files in and out."""

import cv2
import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from jade_lantern.core.sight.measure import required_camera


@pytest.fixture
def crate(project, demo_scene):
    """A crate of the demo, and the pixel of the middle of its top."""
    box = next(p for p in demo_scene.proxies if p.name == "crate 2")
    top = box.foot + [0, box.height_m, 0]
    (x, y), _ = required_camera(demo_scene).project(top)
    return box, (float(x), float(y))


def test_what_is_under_the_pointer_is_told_with_its_face(api, project, crate):
    box, at = crate
    told = api.post(f"projects/{project.pk}/under", base=0, at=at).json()
    assert told["proxy"] == box.id
    assert told["name"] == "crate 2"
    assert told["part"]["face"]
    assert told["normal"] == pytest.approx([0, 1, 0], abs=1e-6)
    assert told["lines"][0][0] == told["lines"][0][-1]
    sky = api.post(f"projects/{project.pk}/under", base=0, at=(5.0, 5.0))
    assert sky.json()["name"] == "backdrop 1"
    face = told["part"]["face"]
    kept = api.keep(project.pk, 0, verb="PushFace", proxy=box.id, face=face, by_m=0.2)
    assert kept.status_code == 200
    solid = next(p for p in api.whole(project.pk)["scene"]["proxies"] if p["id"] == box.id)
    assert solid["kind"] == "solid"
    refused = api.keep(project.pk, 1, verb="PushFace", proxy=box.id, face=999, by_m=0.2)
    assert refused.status_code == 422
    assert "not there any more" in refused.json()["message"]


def test_leaks_are_told_and_drawn(api, project, demo_scene):
    told = api.get(f"projects/{project.pk}/leaks?revision=0").json()
    assert told["share"] < 0.01
    api.keep(project.pk, 0, verb="AlterProxies", to={"hidden": True}, proxies=[
        p.id for p in demo_scene.proxies if p.kind == "backdrop"
    ])  # fmt: skip
    open_ = api.get(f"projects/{project.pk}/leaks?revision=1").json()
    assert open_["share"] > 0.1
    answer = api.get(f"projects/{project.pk}/leaks.png?revision=1")
    assert answer["Content-Type"] == "image/png"
    picture = cv2.imdecode(np.frombuffer(answer.content, np.uint8), cv2.IMREAD_UNCHANGED)
    assert picture.shape[2] == 4
    assert (picture[..., 3] > 0).mean() >= open_["share"]


def test_marbles_fall_and_their_places_are_fetched(api, project):
    told = api.get(f"projects/{project.pk}/marbles?revision=0&count=20").json()
    assert told["count"] == 20
    data = api.get(f"arrays/{told['digest']}").content
    places = np.frombuffer(data, "<f4").reshape(told["frames"], 20, 3)
    assert (places[-1, :, 1] < places[0, :, 1]).all()
    assert told["escaped"] + told["resting"] <= 20


def test_a_blocking_goes_out_and_comes_in_by_file(api, project, demo_scene):
    out = api.get(f"projects/{project.pk}/blocking.obj")
    assert "lantern-quay-blocking.obj" in out["Content-Disposition"]
    path = f"/api/projects/{project.pk}/blocking"
    file = SimpleUploadedFile("quay.obj", out.content)
    far = api.client.post(path, {"file": file, "base": 0, "unit_m": 1000})
    assert far.status_code == 422
    assert "not in metres" in far.json()["message"]
    assert api.get(f"projects/{project.pk}/head").json()["revision"] == 0
    file = SimpleUploadedFile("quay.obj", out.content)
    kept = api.client.post(path, {"file": file, "base": 0})
    assert kept.status_code == 200
    assert len(api.whole(project.pk)["scene"]["proxies"]) == 2 * len(demo_scene.proxies)
    late = SimpleUploadedFile("quay.obj", out.content)
    assert api.client.post(path, {"file": late, "base": 0}).status_code == 409


def test_labels_are_told_with_their_values(api, project, crate):
    _, at = crate
    answer = api.keep(project.pk, 0, verb="ReadOff", what="length", at=[at, (at[0] + 20, at[1])])
    (label,) = answer.json()["follows"]["labels"]
    assert 0.01 < label["value"] < 1
    gone = api.keep(project.pk, 1, verb="DeleteLabel", label=label["id"]).json()
    assert gone["follows"]["labels"] == []
