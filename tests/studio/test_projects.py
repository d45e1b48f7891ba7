"""Revisions: nothing acknowledged is lost, nothing is overwritten."""

import base64
import json
from pathlib import Path

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from typer.testing import CliRunner

from jade_lantern.cli import app
from jade_lantern.core.deliver.archive import unpacked
from jade_lantern.core.picture import png, read_still
from jade_lantern.studio import levels
from jade_lantern.studio.contract import schema_text
from jade_lantern.studio.models import Project, Revision
from tests.answers import Known

GREY = png(np.full((80, 120, 3), 90, np.uint8))


def bring(api, data: bytes, name: str):
    return api.client.post("/api/stills", {"still": SimpleUploadedFile(name, data)})


def test_a_still_becomes_a_project(api):
    made = bring(api, GREY, "harbour at dusk.png")
    assert made.status_code == 201
    state = api.whole(made.json()["id"])
    assert state["scene"]["name"] == "harbour at dusk"
    assert state["scene"]["plate"]["width"] == 120
    assert state["reading"]["verdict"] == "Open"
    digest = state["scene"]["plate"]["digest"]
    plate = api.get(f"projects/{made.json()['id']}/plate/{digest}")
    assert plate["Content-Type"] == "image/png"
    assert read_still(plate.content).width == 120
    for wrong in ("0" * 64, f"{digest}/1/0/0", f"{digest}/0/1/0", "thumb", digest[:-1]):
        assert api.get(f"projects/{made.json()['id']}/plate/{wrong}").status_code in (404, 422)


@pytest.mark.parametrize("data", [b"", b"no picture", GREY[:100]])
def test_a_bad_still_keeps_nothing(api, settings, data):
    answer = bring(api, data, "a.png")
    assert answer.status_code == 422
    assert answer.json()["message"].endswith(".")
    assert not Project.objects.exists()
    assert not (Path(settings.DATA) / "plates").exists()


@pytest.mark.parametrize(
    "name", ["../../etc/passwd.png", "..\\..\\boot.png", "/tmp/x.png", "\0.png"]
)
def test_a_name_with_path_parts_stays_a_name(api, settings, name):
    made = bring(api, GREY, name)
    assert made.status_code == 201
    plate = api.whole(made.json()["id"])["scene"]["plate"]
    assert "/" not in plate["name"]
    assert "\\" not in plate["name"]
    levels.settle()
    kept = {p.name.split(".")[0] for p in (Path(settings.DATA) / "plates").iterdir()}
    assert kept == {plate["digest"]}


def test_an_edit_is_kept_undone_and_redone(api, project):
    id = project.pk
    after = api.keep(id, 0, verb="RenameProject", name="Dusk").json()
    assert (after["revision"], after["changed"]["name"], after["undo"]) == (
        1,
        "Dusk",
        "Rename to Dusk",
    )
    back = api.post(f"projects/{id}/undo", base=1).json()
    assert (back["revision"], back["changed"]["name"], back["redo"]) == (
        0,
        "Lantern Quay",
        "Rename to Dusk",
    )
    again = api.post(f"projects/{id}/redo", base=0).json()
    assert (again["revision"], again["changed"]["name"]) == (1, "Dusk")


def test_what_was_undone_is_still_there_after_another_edit(api, project):
    id = project.pk
    api.keep(id, 0, verb="RenameProject", name="One")
    api.post(f"projects/{id}/undo", base=1)
    two = api.keep(id, 0, verb="RenameProject", name="Two").json()
    assert (two["revision"], two["redo"]) == (2, None)
    steps = api.get(f"projects/{id}/history").json()
    assert [(s["title"], s["on_the_way"]) for s in steps[1:]] == [
        ("Rename to One", False),
        ("Rename to Two", True),
    ]
    gone_to = api.post(f"projects/{id}/history/1", base=2).json()
    assert gone_to["changed"]["name"] == "One"


def test_an_edit_on_an_old_revision_is_told_what_happened_since(api, project):
    id = project.pk
    api.keep(id, 0, verb="RenameProject", name="Mine")
    late = api.keep(id, 0, verb="RenameProject", name="Theirs")
    assert late.status_code == 409
    assert late.json()["since"] == ["Rename to Mine"]
    assert api.whole(id)["scene"]["name"] == "Mine"
    api.post(f"projects/{id}/undo", base=1)
    stale = api.keep(id, 1, verb="RenameProject", name="Theirs")
    assert stale.json()["since"] == ["Undo: Rename to Mine"]


def test_nothing_to_undo_is_said(api, project):
    answer = api.post(f"projects/{project.pk}/undo", base=0)
    assert answer.status_code == 422
    assert "nothing to undo" in answer.json()["message"]


def test_a_try_stores_nothing(api, project):
    change = {"verb": "AlterProxy", "proxy": "box-24", "to": {"height_m": 3}}
    tried = api.post(f"projects/{project.pk}/tries", base=0, change=change).json()
    (shape,) = tried["follows"]["shapes"]
    assert shape["id"] == "box-24"
    mesh = shape["mesh"]
    data = base64.b64decode(tried["arrays"][mesh["digest"]])
    assert data == api.get(f"arrays/{mesh['digest']}").content
    points = np.frombuffer(data, "<f4", 3 * mesh["points"]).reshape(-1, 3)
    assert points[:, 1].max() == pytest.approx(3)
    assert tried["follows"]["reading"] is None
    assert (tried["revision"], tried["changed"]["plate"], tried["gone"]) == (None, None, [])
    assert Revision.objects.count() == 1


def test_a_try_of_a_trace_carries_the_whole_reading(api, project):
    api.keep(project.pk, 0, verb="SetLock", locked=False)
    change = {"verb": "MoveTraceEnd", "trace": "trace-1", "end": 0, "to": [1500, 1243]}
    tried = api.post(f"projects/{project.pk}/tries", base=1, change=change).json()
    assert tried["follows"]["reading"]["focal_px"]["value"] > 0


@pytest.mark.parametrize(
    ("change", "word"),
    [
        ({"verb": "AddTrace", "heading": "up", "points": [[5, 5], [5, 5]]}, "locked"),
        ({"verb": "Stand", "kind": "card", "feet": [[5, 5], [900, 50]]}, "horizon"),
        ({"verb": "SetEyeHeight", "metres": 0}, "greater than 0"),
        ({"verb": "Steer", "frame": 5000}, "past the end"),
        ({"verb": "Explode"}, "verb"),
    ],
)
def test_a_refused_change_says_why_and_stores_nothing(api, project, change, word):
    answer = api.keep(project.pk, 0, **change)
    assert answer.status_code == 422
    assert word in answer.json()["message"] + json.dumps(answer.json())
    assert Revision.objects.count() == 1


def test_what_is_not_there_is_said(api):
    for path in ("projects/99", "projects/99/head", "projects/99/deliveries", "deliveries/9/file"):
        answer = api.get(path)
        assert answer.status_code == 404, path
        assert "not here" in answer.json()["message"]


def test_the_front_ends_types_are_made_from_this_schema():
    committed = Path(__file__).parents[2] / "web" / "openapi.json"
    assert committed.read_text() == schema_text(), "run `make types`"


def test_a_step_that_is_known_is_not_told_again(api, project):
    api.keep(project.pk, 0, verb="RenameProject", name="Dusk")
    api.keep(project.pk, 1, verb="DeleteProxy", proxy="box-24")
    since = api.get(f"projects/{project.pk}?since=0").json()
    assert (since["base"], since["revision"], since["changed"]["name"]) == (0, 2, "Dusk")
    assert since["gone"] == ["proxies/box-24"]
    assert "box-24" not in since["order"]["proxies"]
    assert since["changed"]["proxies"] is None
    assert since["follows"]["shapes"] is None
    assert api.get(f"projects/{project.pk}?since=77").json()["base"] is None


def test_a_camera_that_is_lost_takes_what_was_drawn_with_it(api, project):
    api.keep(project.pk, 0, verb="SetLock", locked=False)
    known = Known(api.get(f"projects/{project.pk}").json())
    lost = api.keep(project.pk, 1, verb="SetFocal", focal=None)
    assert lost.status_code == 200
    for trace in list(known.scene["sighting"]["traces"]):
        known.take(lost.json()) if lost else None
        lost = api.keep(project.pk, known.revision, verb="DeleteTrace", trace=trace["id"])
        if lost.status_code != 200 or "shapes" in lost.json()["gone"]:
            break
    assert lost.json()["gone"] == ["shapes", "shot", "keys", "lanterns", "takes", "dress", "guests"]
    assert known.take(lost.json()).shapes == {}
    back = api.post(f"projects/{project.pk}/undo", base=known.revision).json()
    assert len(known.take(back).shapes) == len(known.scene["proxies"])


@pytest.mark.parametrize("digest", ["0" * 64, "..", "x"])
def test_an_array_that_is_not_there_is_said(api, digest):
    assert api.get(f"arrays/{digest}").status_code in (404, 422)


def test_changes_from_the_command_line_are_kept_one_by_one(api, tmp_path):
    project = bring(api, GREY, "a.png").json()["id"]
    file = tmp_path / "changes.json"
    file.write_text(json.dumps([
        {"verb": "RenameProject", "name": "By the pipeline"},
        {"verb": "AlterLantern", "lantern": "lantern-0", "to": {"edge": "hold"}},
        {"verb": "DeleteProxy", "proxy": "box-99999"},
    ]))  # fmt: skip
    out = tmp_path / "out.zip"
    done = CliRunner().invoke(app, ["edit", str(project), str(file), "--out", str(out)])
    lines = [json.loads(line) for line in done.stdout.splitlines()]
    assert done.exit_code == 1
    assert [next(iter(line)) for line in lines] == ["kept", "kept", "refused"]
    steps = api.get(f"projects/{project}/history").json()
    assert [s["title"] for s in steps[-2:]] == ["Rename to By the pipeline", lines[1]["kept"]]
    assert [s["station"] for s in steps[-2:]] == ["still", "cast"]
    assert unpacked(out.read_bytes()).scene.name == "By the pipeline"
