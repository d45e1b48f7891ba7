"""Whatever a client sends, the answer is a new state or a reason, and what is stored is sound."""

import copy
import random

import pytest

from jade_lantern.core.scene import parts
from jade_lantern.core.scene.model import Scene
from jade_lantern.studio import projects, revisions
from jade_lantern.studio.follows import MOST_TRIED_FRAMES
from jade_lantern.studio.models import Revision
from tests.answers import Known
from tests.fuzz.anything import VERBS, Anything


def test_any_change_is_kept_or_refused_in_words(api, project):
    """After each that is kept, the project opens, undoes and redoes, and who takes each answer's
    difference knows all that who opens it anew is told; after each that is refused, nothing has
    changed."""
    make, turns = Anything(random.Random(1)), random.Random(2)
    api.keep(project.pk, 0, verb="SetLock", locked=False)
    revision, kept, refused = 1, 0, 0
    known = Known(api.get(f"projects/{project.pk}").json())
    for _ in range(280):
        # growing and filling take seconds, and have tests of their own
        verb = turns.choice(
            [v for v in VERBS if v not in ("GrowOutline", "Fill", "TakeSplit", "KeepWithin")]
        )
        change = make.change(Scene.model_validate(known.scene), verb)
        tried = api.post(f"projects/{project.pk}/tries", base=revision, change=change)
        before = api.get(f"projects/{project.pk}").content
        answer = api.keep(project.pk, revision, **change)
        assert answer.status_code in (200, 422), (change, answer.content)
        words = tried.json()["message"] if tried.status_code == 422 else ""
        # a machine with much else to do gives up a try that looks at the picture for the first time
        brings = "cannot be tried" in words or "takes too long" in words
        assert brings or tried.status_code == answer.status_code, change
        if answer.status_code == 200:
            was = copy.deepcopy(known.all())
            after = copy.deepcopy(known.take(answer.json()).all())
            assert after == Known(api.get(f"projects/{project.pk}").json()).all(), change
            # of a long shot a try is told only what is seen of it
            long = known.scene["move"]["frames"] > MOST_TRIED_FRAMES
            for part in ("changed", "gone", "order", *(() if long else ("follows",))):
                assert brings or tried.json()[part] == answer.json()[part], change
            back = api.post(f"projects/{project.pk}/undo", base=known.revision).json()
            assert known.take(back).all() == was, change
            again = api.post(f"projects/{project.pk}/redo", base=revision).json()
            assert known.take(again).all() == after, change
            revision = again["revision"]
            kept += 1
        else:
            assert answer.json()["message"]
            assert api.get(f"projects/{project.pk}").content == before, change
            refused += 1
    assert kept > 60
    assert refused > 60
    listed = api.get("projects").json()["projects"]
    assert [p["trouble"] for p in listed] == [None]
    parts._values.clear()
    for row in Revision.objects.all():
        assert revisions.load(project.pk, row.number)[1] == []


@pytest.mark.parametrize(
    "changes",
    [
        # each of these was once kept and could not be read again
        [{"verb": "Hang", "distance_m": 1e6}, {"verb": "DuplicateProxy", "proxy": "backdrop-36"}],
        [{"verb": "AlterProxy", "proxy": "box-24", "to": {"x": 1e7}},
         {"verb": "DuplicateProxy", "proxy": "box-24"}],
        [{"verb": "Steer", "frame": 5, "forward_m": 1e8}],
        [{"verb": "SetKeys", "keys": [
            {"frame": f, "position": [x, 1, 0], "aim": [x, 1, -5], "focal_mm": 30}
            for f, x in ((0, 0), (40, 1e7), (60, 1e7), (90, 0))]}],
    ],
)  # fmt: skip
def test_what_is_kept_at_the_end_of_the_world_can_be_read(api, project, changes):
    revision = 0
    for change in changes:
        answer = api.keep(project.pk, revision, **change)
        assert answer.status_code in (200, 422)
        revision += answer.status_code == 200
        projects._at_hand.clear()
        assert api.get(f"projects/{project.pk}").status_code == 200
        assert api.get("projects").json()["projects"][0]["trouble"] is None
