"""The strip, the limits and what helps, as the API and the command line tell them."""

import json
import time

import cv2
import numpy as np
import pytest

from jade_lantern.core.deliver.frames import frames
from jade_lantern.core.move.frames import render_request
from jade_lantern.core.move.limits import WAYS, limits
from jade_lantern.core.move.strip import Strip, whole_move
from jade_lantern.studio import arrays, projects, strips
from tests.studio.test_commands import run


def known_strip(api, project, revision):
    for _ in range(200):
        told = api.get(f"projects/{project}/strip?revision={revision}").json()
        if told["known"]:
            return told
    raise AssertionError("never known")


def test_the_strip_becomes_known_bit_by_bit_and_is_the_whole_diagnosis(
    api, project, demo_scene, monkeypatch
):
    strips._held.clear()
    first = api.get(f"projects/{project.pk}/strip?revision=0").json()
    assert len(first["leak"]) == demo_scene.move.frames
    assert any(v is not None for v in first["reveal"])
    told = known_strip(api, project.pk, 0)
    assert told["reveal"] == pytest.approx(whole_move(demo_scene).reveal.tolist(), abs=1e-4)
    # a name is nothing that it depends on
    with monkeypatch.context() as nothing:
        nothing.setattr(Strip, "_look", lambda self, i: 1 / 0)
        assert api.keep(project.pk, 0, verb="RenameProject", name="other").status_code == 200
        assert api.get(f"projects/{project.pk}/strip?revision=1").json() == told
    crate = next(p for p in demo_scene.proxies if p.name.startswith("crate"))
    changed = {"verb": "AlterProxy", "proxy": crate.id, "to": {"x": crate.x + 0.4}}
    assert api.keep(project.pk, 1, **changed).status_code == 200
    began = time.monotonic()
    after = known_strip(api, project.pk, 2)
    assert after["reveal"] != told["reveal"]
    assert time.monotonic() - began < 60


def test_limits_are_told_one_way_a_question(api, project, demo_scene):
    one = api.get(f"projects/{project.pk}/limits?revision=0&way=forward&most=0.01").json()
    (own,) = limits(demo_scene, 0, None, ("forward",))
    assert one["way"] == "forward"
    assert one["most"] > own.most  # more is allowed
    assert one["breaks"]
    for wrong in ("way=round", "frame=5000&way=up", "way=up&most=0"):
        bad = api.get(f"projects/{project.pk}/limits?revision=0&{wrong}")
        assert bad.status_code == 422
        assert bad.json()["message"]


def test_what_would_help_is_told_with_how_sure_the_sighting_is(api, project, demo_scene):
    told = api.get(f"projects/{project.pk}/helps?revision=0&frame=95").json()
    assert told["helps"]
    assert told["sure"]["why"] is None
    assert told["sure"]["slides"][0]["px"] > 0
    assert {one["proxy"] for one in told["helps"]} <= {p.id for p in demo_scene.proxies} | {None}


@pytest.mark.usefixtures("db")
def test_limits_on_the_command_line_are_a_line_of_json_each(project):
    lines = run("limits", str(project.pk), "--way", "forward", "--way", "longer").splitlines()
    assert [json.loads(line)["way"] for line in lines] == ["forward", "longer"]
    assert "There is no way round" in run("limits", str(project.pk), "--way", "round", code=1)
    assert "0 to 1" in run("limits", str(project.pk), "--most", "7", code=1)
    assert set(WAYS) >= {"amount", "forward"}


def test_the_shot_is_told_anew_when_the_proxy_that_it_follows_is_elsewhere(
    api, project, demo_scene
):
    crate = next(p for p in demo_scene.proxies if p.name == "crate 1")
    slid = {"verb": "AlterProxy", "proxy": crate.id, "to": {"x": crate.x + 0.5}}
    before = api.keep(project.pk, 0, **slid).json()["follows"]
    assert before["shot"] is None
    api.keep(project.pk, 1, verb="AimAt", frame=0, proxy=crate.id, throughout=True)
    slid["to"] = {"x": crate.x + 1.0}
    after = api.keep(project.pk, 2, **slid).json()["follows"]
    assert after["shot"] is not None
    assert after["keys"]


def rows_of_shot(answer):
    """(F, 14) of a shot as an answer tells it, by frame."""
    data = arrays.kept(answer["follows"]["shot"]["digest"])
    return np.frombuffer(data, "<f8").reshape(-1, 14)


def test_of_a_long_shot_a_try_is_told_what_is_seen_of_it_and_the_frame_looked_at(api, project):
    assert api.keep(project.pk, 0, verb="SetShot", frames=10_000, fps=24).status_code == 200
    kept = api.keep(project.pk, 1, verb="Push", distance_m=1.5).json()
    whole = rows_of_shot(kept)
    assert whole[:, 0].tolist() == list(range(10_000))
    key = {**api.whole(project.pk)["follows"]["keys"][-1], "focal_mm": 40}
    change = {"verb": "SetKey", "key": key}
    tried = api.post(f"projects/{project.pk}/tries", base=2, change=change, frame=4321).json()
    some = rows_of_shot(tried)
    assert len(some) < 1_000
    assert {0.0, 4321.0, 9_999.0} <= set(some[:, 0])
    assert (np.diff(some[:, 0]) > 0).all()
    after = rows_of_shot(api.keep(project.pk, 2, **change).json())
    assert np.abs(after[some[:, 0].astype(int)] - some).max() < 1e-9
    beyond = api.post(f"projects/{project.pk}/tries", base=3, change=change, frame=99_999)
    assert beyond.status_code == 200


def test_a_frame_is_shown_small_as_it_is_delivered(api, project, demo_scene, still):
    assert api.keep(project.pk, 0, verb="CutTo", width=1080, height=1080).status_code == 200
    scene = projects.scene_based_on(project.pk, 1)
    answer = api.get(f"projects/{project.pk}/frame.jpg?revision=1&frame=60&width=320")
    shown = cv2.imdecode(np.frombuffer(answer.content, np.uint8), cv2.IMREAD_COLOR)[..., ::-1]
    (frame,) = frames(scene, lambda _: still.pixels, render_request(scene, 320, 60, 60))
    assert shown.shape == (320, 320, 3)
    assert cv2.PSNR(np.ascontiguousarray(shown), np.ascontiguousarray(frame[..., :3])) > 33
    beyond = api.get(f"projects/{project.pk}/frame.jpg?revision=1&frame=96")
    assert beyond.status_code == 422
    assert "not all in the shot" in beyond.json()["message"]
