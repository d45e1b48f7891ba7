"""A change is kept with all that is answered of it, or not at all; and a kept scene of which
nothing can be drawn can be gone back from."""

from __future__ import annotations

import pytest

from jade_lantern.studio import follows, projects
from jade_lantern.studio.models import Revision
from tests.studio.test_damage import GREY, bring, forget

TRACE = {"verb": "AddTrace", "heading": "across", "points": [[10, 10], [90, 12]]}
UP = {"verb": "AddTrace", "heading": "up", "points": [[100, 20], [98, 70]]}


@pytest.mark.parametrize(
    "changes",
    [
        [TRACE, {"verb": "TrustHeading", "heading": "across", "trust": 0.5},
         {"verb": "DeleteTrace", "trace": "trace-1"}],
        [{"verb": "TrustHeading", "heading": "across", "trust": 0.5}],
        [TRACE, UP, {"verb": "MarkCorner", "traces": ["trace-1", "trace-2"]},
         {"verb": "MoveTrace", "trace": "trace-1", "points": [[10, 60], [30, 50], [10, 60]]}],
    ],
)  # fmt: skip
def test_what_once_left_a_project_that_never_opened_opens(api, db, changes):
    number = bring(api).json()["id"]
    base = 0
    for change in changes:
        answer = api.keep(number, base, **change)
        assert answer.status_code in (200, 422), answer.content
        base = answer.json().get("revision", base)
    forget()
    assert api.get(f"projects/{number}").status_code == 200


def broken(*_):
    raise IndexError("nothing to take the least of")


def test_a_change_whose_answer_cannot_be_worked_out_is_not_kept(api, db, monkeypatch, caplog):
    number = bring(api).json()["id"]
    before = api.get(f"projects/{number}").content
    with monkeypatch.context() as patched:
        patched.setattr(follows, "reading", broken)
        answer = api.keep(number, 0, **TRACE)
        tried = api.post(f"projects/{number}/tries", base=0, change=TRACE)
    assert (answer.status_code, tried.status_code) == (422, 422)
    assert "cannot be worked out" in answer.json()["message"]
    assert "IndexError" in caplog.text
    assert Revision.objects.filter(project=number).count() == 1
    assert api.get(f"projects/{number}").content == before


def test_a_still_or_archive_of_which_nothing_can_be_drawn_is_not_kept(api, db, monkeypatch):
    monkeypatch.setattr(follows, "reading", broken)
    answer = bring(api)
    assert answer.status_code == 422
    assert api.get("projects").json()["projects"] == []


def test_a_kept_scene_of_which_nothing_can_be_drawn_is_damaged(api, db, monkeypatch):
    """As a version of the program may have kept it that could still draw it."""
    number, other = bring(api).json()["id"], bring(api, GREY).json()["id"]
    for base, change in enumerate((TRACE, UP)):
        assert api.keep(number, base, **change).status_code == 200
    forget()
    sound = follows.reading
    monkeypatch.setattr(
        follows, "reading",
        lambda scene: broken() if len(scene.sighting.traces) == 2 else sound(scene),
    )  # fmt: skip
    said = api.get(f"projects/{number}")
    assert said.status_code == 422
    assert (said.json()["head"], said.json()["readable"]) == (2, 1)
    listed = {p["id"]: p for p in api.get("projects").json()["projects"]}
    assert listed[number]["trouble"]
    assert listed[other]["trouble"] is None
    # and back from there, by undo as well as by the history
    undone = api.post(f"projects/{number}/undo", base=2)
    assert (undone.status_code, undone.json()["base"]) == (200, None)
    again = api.post(f"projects/{number}/redo", base=1)
    assert again.status_code == 422
    assert "stays at step 1" in again.json()["message"]
    listed = {p["id"]: p for p in api.get("projects").json()["projects"]}
    assert listed[number]["trouble"] is None


def test_the_list_does_not_look_for_the_last_step_that_can_be_read(api, project, monkeypatch):
    Revision.objects.filter(project=project).update(parts={"label": "0" * 64})
    forget()
    monkeypatch.setattr(projects, "last_readable", broken)
    (row,) = api.get("projects").json()["projects"]
    assert row["trouble"]


def test_what_many_steps_share_that_is_damaged_is_looked_at_once(api, project, monkeypatch):
    for base in range(30):
        api.keep(project.pk, base, verb="RenameProject", name=f"Name {base}")
    rows = Revision.objects.filter(project=project, number__gt=0)
    for row in rows:  # as if each had been kept with a plate that is damaged now
        row.parts = {**row.parts, "plate": "0" * 64}
    Revision.objects.bulk_update(rows, ["parts"])
    forget()
    loaded = []
    load = projects.revisions.load
    monkeypatch.setattr(
        projects.revisions, "load", lambda p, n: loaded.append(n) or load(p, n)
    )  # fmt: skip
    assert projects.last_readable(project) == 0
    assert loaded == [0]


def test_a_change_names_only_plates_of_its_own_project(api, project):
    other = bring(api, GREY).json()["id"]
    foreign = api.whole(other)["scene"]["plate"]
    lantern = {"id": "lantern-0", "name": "still", "plate": foreign}
    answer = api.keep(project.pk, 0, verb="PutLanterns", lanterns=[lantern], said="Take it")
    assert answer.status_code == 422
    assert "never brought into this project" in answer.json()["message"]
