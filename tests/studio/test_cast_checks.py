"""What Cast and Move ask of the server: identity, split, strip and maps."""

import cv2
import numpy as np

from jade_lantern.core.sight.measure import required_camera


def test_the_plate_comes_back_through_its_lantern(api, project):
    told = api.get(f"projects/{project.pk}/identity?revision=0").json()
    assert told["covered"] > 0.999
    assert told["most"] <= 1


def test_the_split_names_every_proxy_once_and_what_to_paint_out(api, project, demo_scene):
    told = api.get(f"projects/{project.pk}/split?revision=0").json()
    named = [id for plate in told["plates"] for id in plate["proxies"]]
    assert sorted(named) == sorted(p.id for p in demo_scene.proxies)
    assert told["plates"][0]["removed"] == []
    for plate in told["plates"][1:]:
        assert plate["removed"]
        assert not set(plate["removed"]) & set(plate["proxies"])
    assert told["crossing"] == []


def test_maps_show_what_was_asked_for(api, project, demo_scene):
    last = demo_scene.move.frames - 1
    path = f"projects/{project.pk}/diagnosis.png?revision=0&frame={last}"

    def shown(what):
        answer = api.get(f"{path}&show={what}")
        assert answer["Content-Type"] == "image/png"
        return cv2.imdecode(np.frombuffer(answer.content, np.uint8), cv2.IMREAD_UNCHANGED)[..., 3]

    told = api.get(f"projects/{project.pk}/diagnosis?revision=0&frame={last}").json()
    assert abs((shown("reveal") > 0).mean() - told["reveal"]) < 0.01
    assert (shown("leak") > 0).mean() <= (shown("leak,reveal") > 0).mean()
    assert not shown("").any()
    assert api.get(f"{path}&show=<b>").status_code == 422


def test_glaze_is_drawn_and_a_squash_is_told_before_it_is_made(api, project, demo_scene):
    crate = next(p for p in demo_scene.proxies if p.name == "crate 1")
    address = f"projects/{project.pk}"
    body = {"verb": "Squash", "proxies": [crate.id], "to": 0.5}
    bare = api.post(f"{address}/squash?revision=0", **body)
    assert bare.status_code == 422
    assert "is not glazed" in bare.json()["message"]
    kept = api.keep(project.pk, 0, verb="Glaze", proxies=[crate.id]).json()
    (shape,) = kept["follows"]["shapes"]
    assert shape["id"] == crate.id
    assert shape["mesh"]["rest"] is True
    told = api.post(f"{address}/squash?revision={kept['revision']}", **body).json()
    assert told["near_m"] < told["far_after_m"] < told["far_m"]
    assert told["otherwise"] < 0.001
    gone = api.keep(project.pk, kept["revision"], verb="Unglaze", proxies=[crate.id]).json()
    assert gone["follows"]["shapes"][0]["mesh"]["rest"] is False


def test_the_plane_to_borrow_on_is_that_of_what_takes_the_lantern(api, project, demo_scene):
    camera = required_camera(demo_scene)
    floor = next(p for p in demo_scene.proxies if p.kind == "floor")
    at = camera.project(np.array([floor.x, floor.level_m, -4.0]))[0].tolist()
    body = {"lantern": "lantern-0", "at": at, "proxy": floor.id}
    found = api.post(f"projects/{project.pk}/plane?revision=0", **body).json()
    assert found["proxy"] == floor.id
    assert np.abs(found["normal"]).round(6).tolist() == [0, 1, 0]
    away = api.post(f"projects/{project.pk}/plane?revision=0", **{**body, "at": [5, 5]})
    assert away.status_code == 422
