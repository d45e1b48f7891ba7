"""Whatever is sent, of every verb and every format: kept whole, or refused in words. Each for less
than a minute here; `python -m tests.fuzz` runs them longer."""

from __future__ import annotations

import random
import time

import pytest

from jade_lantern.core.sight.look import Look
from jade_lantern.studio.models import Project
from tests.fuzz.anything import VERBS, Anything
from tests.fuzz.changes import Tally, attempted, one, walk
from tests.fuzz.files import throw
from tests.fuzz.questions import ask_anything
from tests.fuzz.recipes import named, recipes
from tests.fuzz.starts import unlocked
from tests.pictures import AtHand

LONGEST_S = 50.0


@pytest.mark.usefixtures("project")  # its plate is read for what follows from a relief
def test_every_verb_can_be_kept_and_whatever_is_kept_is_sound(demo_scene, still):
    scene, look, tally = unlocked(demo_scene), Look(still.pixels), Tally()
    began = time.monotonic()
    for recipe in recipes(scene):
        now, hand = scene, AtHand(look, scene.plate.digest)
        for change in recipe:
            change = named(change, now)
            outcome = attempted(now, change, hand)
            assert not isinstance(outcome, str), (change, outcome)
            now = one(now, change, hand, tally, str(change))
    seed = 0
    while tally.never_kept or seed < 2:
        assert time.monotonic() - began < 6 * LONGEST_S, tally.never_kept
        print("changes, seed", seed)
        walk(scene, look, 100, seed, tally, slow_share=0.0)
        seed += 1
    assert tally.kept.total() > 90
    assert tally.refused.total() > 60


def test_broken_files_of_every_format_are_taken_or_refused_in_words(api, project):
    print("files, seed 7")
    came = throw(400, 7, project.pk, ways=("stills", "paint", "blocking"))
    assert came["stills 422"] > 20
    assert came["paint 422"] > 20
    assert came["blocking 422"] > 20
    assert came["paint 200"] > 5
    assert came["blocking 200"] > 5
    assert api.get(f"projects/{project.pk}/head").json() == {"revision": 0}
    assert all(p["trouble"] is None for p in api.get("projects").json()["projects"])
    assert Project.objects.count() == 1 + came["stills 201"]


def test_broken_files_for_what_is_dressed_are_taken_or_refused_in_words(api, project):
    print("files, seed 8")
    came = throw(60, 8, project.pk, ways=("guest", "font", "table", "panorama"))
    assert all(came[f"{way} 422"] for way in ("guest", "font", "table", "panorama"))
    assert came["font 200"] + came["table 200"] > 2
    assert api.get(f"projects/{project.pk}/head").json() == {"revision": 0}


def test_any_question_about_a_project_is_answered(api, project):
    print("questions, seed 3")
    came = ask_anything(api, project.pk, 300, seed=3)
    assert set(came) <= {200, 404, 422}
    assert came[200] > 60


@pytest.mark.parametrize("verb", VERBS)
def test_the_fuzzer_makes_something_of_every_verb(demo_scene, verb):
    make = Anything(random.Random(1))
    made = [make.change(demo_scene, verb) for _ in range(4)]
    assert all(change["verb"] == verb for change in made)
