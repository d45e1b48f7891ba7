"""What a scene is dressed with, through the API: told for the views, over time, and tried."""

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from jade_lantern.core.dress.ofscene import dress_of
from jade_lantern.core.scene.model import Scene
from jade_lantern.core.scene.moment import at
from jade_lantern.studio import arrays, plates
from tests.core.test_around import cap, hdr

pytestmark = pytest.mark.usefixtures("db")
SUN = {"kind": "sun", "id": "light-0", "name": "sun", "turn_deg": -30.0, "height_deg": 30.0}


def test_lights_are_told_as_the_renderer_takes_them(api, project):
    told = api.keep(project.pk, 0, verb="AddLight", light=SUN).json()
    (light,) = told["follows"]["dress"]["lights"]
    scene = Scene.model_validate(api.whole(project.pk)["scene"])
    (core,) = dress_of(scene).lights
    assert light["place"] == pytest.approx(core.place)
    assert light["energy"] == pytest.approx(core.energy)
    shown = [p.id for p in scene.proxies if not p.hidden]
    assert {shown.index(id) for id in light["casters"]} == set(core.casters)
    other = api.keep(project.pk, told["revision"], verb="RenameProject", name="Evening").json()
    assert other["follows"].get("dress") is None


def test_a_light_over_time_is_told_frame_by_frame(api, project):
    told = api.keep(project.pk, 0, verb="AddLight", light=SUN).json()
    (light,) = told["follows"]["dress"]["lights"]
    keys = [{"frame": 0, "value": 10.0}, {"frame": 50, "value": 70.0}]
    told = api.keep(
        project.pk, told["revision"], verb="SetTrack", part=light["id"], of="height_deg", keys=keys
    ).json()
    told = api.keep(project.pk, told["revision"], verb="SetHaze", haze={"density": 0.02}).json()
    told = api.keep(
        project.pk, told["revision"], verb="SetTrack", part="haze-0", of="density",
        keys=[{"frame": 0, "value": 0.0}, {"frame": 50, "value": 0.1}],
    ).json()  # fmt: skip
    times = told["follows"]["times"]
    assert (times["lights"], times["haze"], times["look"]) == ([light["id"]], True, False)
    rows = np.frombuffer(arrays.kept(times["digest"]), "<f8").reshape(times["frames"], -1)
    scene = Scene.model_validate(api.whole(project.pk)["scene"])
    for frame in (0, 20, 50, 80):
        moment = at(scene, frame)
        assert rows[frame, -7:-4] == pytest.approx(moment.lights[0].way())
        assert rows[frame, -4:-1] == pytest.approx(dress_of(moment).lights[0].energy)
        assert rows[frame, -1] == pytest.approx(moment.haze.density)


def test_a_panorama_lights_the_place_and_another_takes_its_place(api, project, monkeypatch):
    def bring(data, base, **more):
        file = SimpleUploadedFile("dusk.hdr", data)
        answer = api.client.post(
            f"/api/projects/{project.pk}/panorama", {"file": file, "base": base, **more}
        )
        return answer.status_code, answer.json()

    status, told = bring(hdr(2 * cap((0, 1, 0), 60)), 0)
    assert status == 200
    (light,) = told["changed"]["lights"]
    (shown,) = told["follows"]["dress"]["lights"]
    map = np.frombuffer(arrays.kept(shown["around"]), "<f4").reshape(129, 129, 3)
    scene = Scene.model_validate(api.whole(project.pk)["scene"])
    assert np.array_equal(map, dress_of(scene, plates.original).lights[0].around)
    assert map[64, 64] == pytest.approx(2 * 0.75, rel=0.02)  # what looks up: 2 sin² 60°
    turned = api.keep(project.pk, told["revision"], verb="AlterLight", light=light["id"],
                      to={"turn_deg": 70.0}).json()  # fmt: skip
    assert turned["follows"]["dress"]["lights"][0]["place"] == [70.0, 0.0, 0.0]
    status, told = bring(hdr(cap((0, 1, 0), 30)), turned["revision"], light=light["id"])
    assert status == 200
    (other,) = told["changed"]["lights"]
    assert (other["id"], other["turn_deg"]) == (light["id"], 70.0)
    assert other["picture"] != light["picture"]
    status, answer = bring(hdr(np.ones((10, 10, 3))), told["revision"])
    assert status == 422
    assert "twice as wide" in answer["message"]
    monkeypatch.setattr(plates, "there", lambda digest: digest != other["picture"])
    whole = api.whole(project.pk)
    assert whole["scene"]["lights"] == [other]
    assert whole["follows"]["dress"]["lights"] == []


def test_what_cannot_be_leaves_everything_as_it_was(api, project):
    head = api.get(f"projects/{project.pk}").json()["revision"]
    for change in (
        {"verb": "SetHaze", "haze": {"density": -1}},
        {"verb": "SetLook", "look": {"every": [[0.5, 0.5]]}},
        {"verb": "SetLook", "look": {"every": [[0.5, 0.5], [0.5, 0.6]]}},
        {"verb": "AddLight", "light": {**SUN, "height_deg": 200}},
        {"verb": "PickLamp", "at": [1900.0, -5000.0]},
    ):
        answer = api.client.post(
            f"/api/projects/{project.pk}/edits", {"base": head, "change": change},
            content_type="application/json", headers={"x-jade-lantern": "1"},
        )  # fmt: skip
        assert answer.status_code in (409, 422), (change, answer.content)
        assert api.get(f"projects/{project.pk}").json()["revision"] == head
