"""A kind of part that only a test knows goes through all that a part goes through."""

import json
import os
import subprocess
import sys
from pathlib import Path

# A process of its own, since what parts there are is read off `Scene` once, on import.
SCRIPT = """
import json, os, sys
from typing import Annotated, Literal

import jade_lantern.core.scene.model as model
from jade_lantern.core.store import Memory
from jade_lantern.core.value import Digest, Id, Length, Name, Value

class Gate(Value):
    id: Id
    name: Name
    wide_m: Length
    stain: Digest | None = None

    def carried(self, by):
        return self.model_copy(update={"wide_m": by.scale * self.wide_m})

    def pictures(self):
        return {self.stain} if self.stain else set()

class Latch(Value):
    open: bool

class Scene(model.Scene):
    gates: Annotated[tuple[Gate, ...], model.Most(2)] = ()
    latch: Latch | None = None

model.Scene = Scene

import django
os.environ["DJANGO_SETTINGS_MODULE"] = "jade_lantern.studio.settings"
django.setup()
from django.core.management import call_command
call_command("migrate", verbosity=0)

from jade_lantern.core.deliver.archive import packed, unpacked
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.scene.edits import Edit, Resettle, SetEyeHeight, apply
from jade_lantern.core.scene.edits.edit import numbered
from jade_lantern.core.scene.pictures import pictures_in
from jade_lantern.demo.project import untouched
from jade_lantern.studio import plates, projects, revisions
from jade_lantern.studio.api import project as project_api

class StandGate(Edit):
    verb: Literal["StandGate"] = "StandGate"
    wide_m: Length

    def on(self, scene):
        gate = Gate(id=f"gate-{scene.next_id}", name="gate", wide_m=self.wide_m)
        latch = Latch(open=True)
        return numbered(scene).model_copy(update={"gates": (*scene.gates, gate), "latch": latch})

    def title(self, scene):
        return "Stand a gate"

still = open(sys.argv[1], "rb").read()
plates.take_in(still)
project = projects.start(untouched(still))
said = {}

def told(kept):
    return json.loads(project_api.answer(kept).content)

first = projects.keep(project.pk, 0, StandGate(wide_m=2.5))
answer = told(first.now)
said["changed"] = answer["changed"]["gates"], answer["changed"]["latch"]
second = projects.keep(project.pk, 1, StandGate(wide_m=3.5))
said["order"] = told(second.now)["order"]["gates"]
back = projects.step(project.pk, 2, back=True)
answer = told(back)
said["undone"] = answer["gone"], answer["order"]["gates"]
projects._at_hand.clear()
revisions._maps.clear()
scene, missing = revisions.load(project.pk, 2)
said["stored"] = [g.wide_m for g in scene.gates], scene.latch.open, missing
again = unpacked(packed(scene, Memory({scene.plate.digest: still}))).scene
said["archive"] = again == scene, type(again).__name__
try:
    projects.keep(project.pk, 1, StandGate(wide_m=-1))
except ValueError as error:
    said["wrong"] = "greater than 0" in str(error)
try:
    apply(scene, StandGate(wide_m=1))
except Refusal as error:
    said["most"] = str(error)
stained = scene.gates[0].model_copy(update={"stain": "a" * 64})
with_stain = scene.model_copy(update={"gates": (stained, scene.gates[1])})
said["pictures"] = sorted(pictures_in(with_stain) - pictures_in(scene))
larger = Resettle(change=SetEyeHeight(metres=3.2), scale=2, shift=(0, 0, 0))
said["carried"] = [g.wide_m for g in larger.on(scene).gates]
print(json.dumps(said))
"""


def test_a_new_kind_of_part_is_kept_undone_stored_answered_archived_and_carried(
    still_file: Path, tmp_path: Path
) -> None:
    """What the client makes of it is tested beside it (known.test.ts)."""
    environment = {**os.environ, "JADE_LANTERN_DATA": str(tmp_path)}
    done = subprocess.run(
        [sys.executable, "-c", SCRIPT, str(still_file)], env=environment, capture_output=True,
        text=True,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    said = json.loads(done.stdout)
    gates, latch = said["changed"]
    assert [g["wide_m"] for g in gates] == [2.5]
    assert latch == {"open": True}
    first, second = said["order"]
    assert first == gates[0]["id"]
    assert said["undone"] == [[f"gates/{second}"], [first]]
    assert said["stored"] == [[2.5, 3.5], True, []]
    assert said["archive"] == [True, "Scene"]
    assert said["pictures"] == ["a" * 64]
    assert said["carried"] == [5.0, 7.0]
    assert said["wrong"]
    assert said["most"] == "There are 2 gates already, which is the most there can be."
