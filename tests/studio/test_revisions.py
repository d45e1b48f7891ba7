"""Revisions as maps: read from two rows, however many there are."""

from __future__ import annotations

import copy
import random

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext

from jade_lantern.core.scene import parts
from jade_lantern.core.scene.model import Scene
from jade_lantern.studio import projects, revisions
from jade_lantern.studio.models import Revision, ScenePart
from tests.answers import Known
from tests.fuzz.anything import VERBS, Anything


def forget() -> None:
    projects._at_hand.clear()
    revisions._maps.clear()
    parts._values.clear()


def test_every_revision_reads_back_as_it_was_kept_branches_and_all(api, project):
    """Random edits, undone now and then so that the history branches."""
    chance = random.Random(8)
    make = Anything(chance)
    verbs = [
        v for v in VERBS if v not in ("GrowOutline", "Fill", "TakeSplit", "KeepWithin")
    ]  # which take seconds
    known = Known(api.get(f"projects/{project.pk}").json())
    scenes = {0: copy.deepcopy(known.scene)}

    def wholes():
        return set(Revision.objects.values_list("whole", flat=True))

    while len(scenes) < 90 or (len(wholes()) == 1 and len(scenes) < 300):
        if chance.random() < 0.15 and known.revision:
            known.take(api.post(f"projects/{project.pk}/undo", base=known.revision).json())
            assert known.scene == scenes[known.revision]
            continue
        change = make.change(Scene.model_validate(known.scene), chance.choice(verbs))
        answer = api.keep(project.pk, known.revision, **change)
        if answer.status_code == 200:
            known.take(answer.json())
            scenes[known.revision] = copy.deepcopy(known.scene)
    forget()
    for number, scene in scenes.items():
        read, missing = revisions.load(project.pk, number)
        assert missing == []
        assert read.model_dump(mode="json") == scene, number
    assert 1 < len(wholes()) < 60  # most are differences, and none from too far away


def test_an_edit_stores_what_it_changes(api, project):
    parts_before = ScenePart.objects.count()
    for base in range(30):
        change = {"verb": "AlterProxy", "proxy": "box-24", "to": {"x": base / 7 + 0.1}}
        assert api.keep(project.pk, base, **change).status_code == 200
    assert ScenePart.objects.count() == parts_before + 30
    last = Revision.objects.get(project=project, number=30)
    assert set(last.parts) == {"proxies/box-24"}


@pytest.mark.parametrize("steps", [3, 40])
def test_opening_and_listing_cost_the_same_however_long_the_history(api, project, steps):
    for base in range(steps):
        api.keep(project.pk, base, verb="RenameProject", name=f"Name {base}")
    forget()
    with CaptureQueriesContext(
        connection,
    ) as opened:
        assert api.get(f"projects/{project.pk}").status_code == 200
    assert len(opened) <= 8
    forget()
    with CaptureQueriesContext(connection) as listed:
        assert api.get("projects").json()["projects"][0]["width"] == 1920
    assert len(listed) <= 5


def test_the_order_of_proxies_is_the_scenes(api, project):
    api.keep(project.pk, 0, verb="DeleteProxy", proxy="box-24")
    api.keep(project.pk, 1, verb="DuplicateProxy", proxy="floor-13")
    scene = api.whole(project.pk)["scene"]
    forget()
    again = api.whole(project.pk)["scene"]
    assert [p["id"] for p in again["proxies"]] == [p["id"] for p in scene["proxies"]]
