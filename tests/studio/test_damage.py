"""What is damaged, gone or full is said, and costs nothing else."""

from __future__ import annotations

import hashlib
import io
import json
import os
import random
import time
import zipfile
from pathlib import Path

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import OperationalError, connection

from jade_lantern.core.deliver.archive import packed, unpacked
from jade_lantern.core.picture import png, read_still
from jade_lantern.core.refusal import Refusal
from jade_lantern.core.scene import parts
from jade_lantern.core.scene.plate import Bend, Flattened, Plate
from jade_lantern.core.sight.flatten import BendBack
from jade_lantern.core.store import Memory, read
from jade_lantern.studio import caretaker, levels, plates, projects, revisions
from jade_lantern.studio.models import Project, Revision, ScenePart
from tests.broken import damaged

GREY = png(np.full((80, 120, 3), 90, np.uint8))
LIGHT = png(np.full((80, 120, 3), 190, np.uint8))


def bring(api, data: bytes = GREY, name: str = "a.png"):
    return api.client.post("/api/stills", {"still": SimpleUploadedFile(name, data)})


def test_a_project_that_cannot_be_read_hides_no_other_and_can_be_taken_back(api, project):
    other = bring(api).json()["id"]
    for revision, name in enumerate(("One", "Two")):
        api.keep(project.pk, revision, verb="RenameProject", name=name)
    Revision.objects.filter(project=project, number=2).update(whole=2, parts={"label": "0" * 64})
    forget()
    listed = {p["id"]: p for p in api.get("projects").json()["projects"]}
    assert listed[other]["trouble"] is None
    assert listed[project.pk]["trouble"]
    assert listed[project.pk]["head"] == 2
    opened = api.get(f"projects/{project.pk}")
    assert opened.status_code == 422
    said = opened.json()
    assert "go back" in said["message"]
    assert (said["head"], said["readable"]) == (2, 1)
    back = api.post(f"projects/{project.pk}/history/{said['readable']}", base=said["head"])
    assert back.json()["changed"]["name"] == "One"
    assert api.get(f"projects/{project.pk}").status_code == 200


def forget() -> None:
    """As after a new start: nothing is at hand."""
    projects._at_hand.clear()
    revisions._maps.clear()
    parts._values.clear()


def test_a_part_that_cannot_be_read_costs_its_project_nothing_but_that_part(api, project):
    whole = api.whole(project.pk)
    digests = revisions.parts_at(project.pk, 0).digests
    ScenePart.objects.filter(digest=digests["proxies/box-24"]).update(body='{"kind": "box", "id"')
    ScenePart.objects.filter(digest=digests["move"]).delete()
    forget()
    state = api.whole(project.pk)
    assert state["missing"] == ["move", "proxies/box-24"]
    assert state["scene"]["move"]["position"] == []
    left = [p for p in whole["scene"]["proxies"] if p["id"] != "box-24"]
    assert state["scene"]["proxies"] == left
    assert state["scene"]["sighting"] == whole["scene"]["sighting"]
    assert api.get("projects").json()["projects"][0]["trouble"] is None
    assert api.keep(project.pk, 0, verb="RenameProject", name="Goes on").status_code == 200


@pytest.mark.parametrize("broken", ["parts = 'null'", "parts = '[1]'", "whole = 77"])
def test_a_damaged_map_hides_no_other_project(api, project, broken):
    other = bring(api).json()["id"]
    api.keep(project.pk, 0, verb="RenameProject", name="One")
    with connection.cursor() as cursor:
        cursor.execute(f"UPDATE studio_revision SET {broken} WHERE number = 1")
    forget()
    listed = {p["id"]: p for p in api.get("projects").json()["projects"]}
    assert listed[other]["trouble"] is None
    assert listed[project.pk]["trouble"]
    said = api.get(f"projects/{project.pk}")
    assert (said.status_code, said.json()["readable"]) == (422, 0)
    back = api.post(f"projects/{project.pk}/history/0", base=1)
    assert back.json()["changed"]["name"] == "Lantern Quay"


def test_a_part_that_was_changed_behind_our_back_is_not_taken(api, project):
    digests = revisions.parts_at(project.pk, 0).digests
    part = ScenePart.objects.get(digest=digests["proxies/box-24"])
    ScenePart.objects.filter(pk=part.pk).update(body=part.body.replace('"x":', '"x":1'))
    forget()
    assert api.get(f"projects/{project.pk}").json()["missing"] == ["proxies/box-24"]


def test_after_a_long_absence_the_last_few_changes_are_told_and_how_many(api, project):
    for i in range(40):
        api.keep(project.pk, i, verb="RenameProject", name=f"Name {i}")
    late = api.keep(project.pk, 3, verb="RenameProject", name="Late").json()
    assert late["since"] == [f"Rename to Name {i}" for i in range(35, 40)]
    assert late["count"] == 37


def test_a_base_that_never_was_is_said(api, project):
    for answer in (
        api.keep(project.pk, 77, verb="RenameProject", name="A"),
        api.post(f"projects/{project.pk}/undo", base=77),
        api.keep(project.pk, 77, verb="Flatten"),
        api.post(f"projects/{project.pk}/tries", base=77, change={"verb": "LayGround"}),
        api.get(f"projects/{project.pk}/proposal?revision=77"),
    ):
        assert answer.status_code in (404, 422)
        assert answer.json()["message"]


@pytest.mark.parametrize("id", ["99999999999999999999", "9" * 500, "-1", "x", "1.5"])
def test_numbers_that_are_none_are_not_there(api, id):
    for path in (f"projects/{id}", f"projects/{id}/head", f"deliveries/{id}/file"):
        answer = api.get(path)
        assert answer.status_code in (404, 422)
        assert answer.json()["message"]


def test_names_lose_what_cannot_be_shown(api, project):
    answer = api.keep(project.pk, 0, verb="RenameProject", name="\x1b[31mred\r\n\x00 quay\u202e")
    assert answer.json()["changed"]["name"] == "[31mred quay"
    assert api.keep(project.pk, 1, verb="RenameProject", name="\n\t\x00").status_code == 422


def test_what_only_a_deleted_project_needed_is_swept(api, project):
    made = [bring(api, data).json()["id"] for data in (GREY, GREY, LIGHT)]
    digests = [
        api.whole(n)["scene"]["plate"]["digest"] for n in made
    ]  # fmt: skip
    for n, digest in zip(made, digests, strict=True):
        api.get(f"projects/{n}/plate/{digest}")
    levels.settle()
    for n in (made[0], made[2]):
        assert api.client.delete(f"/api/projects/{n}").status_code == 204
    assert plates.there(digests[2])  # somebody may be bringing the same still in just now
    long_ago = time.time() - 3600
    for path in (*plates.folder().iterdir(), plates.folder() / "part-cut-short"):
        path.touch()
        os.utime(path, (long_ago, long_ago))
    plates.sweep()
    left = {p.name.split(".")[0] for p in plates.folder().iterdir()}
    assert digests[0] in left  # the second project stands on the same still
    assert digests[2] not in left
    assert not any(name.startswith("part-") for name in left)
    assert api.get(f"projects/{made[1]}/plate/{digests[1]}").status_code == 200


def of_a_deleted_project(api) -> Path:
    """The file of a plate that nobody needs any more."""
    number = bring(api).json()["id"]
    digest = api.whole(number)["scene"]["plate"]["digest"]
    api.client.delete(f"/api/projects/{number}")
    return plates.folder() / digest


def test_nothing_is_swept_while_an_older_database_may_need_it(api, settings):
    path = of_a_deleted_project(api)
    os.utime(path, (0, 0))
    older = Path(settings.DATA) / settings.OLDER_DATABASE
    older.write_bytes(b"as it was")
    caretaker.sweep()
    assert path.exists()
    assert caretaker.older_database() == older
    older.unlink()
    caretaker.sweep()
    assert not path.exists()


def test_a_still_that_is_brought_in_again_is_not_swept_from_under_it(api, settings):
    path = of_a_deleted_project(api)
    os.utime(path, (0, 0))
    plates.take_in(GREY)  # not in a project yet
    plates.sweep()
    assert path.exists()


def test_a_full_disk_keeps_nothing_and_is_said(api, project, monkeypatch):
    def full(*_, **__):
        raise OSError(28, "No space left on device")

    levels.settle()
    count = Project.objects.count()
    with monkeypatch.context() as patched:
        patched.setattr("jade_lantern.core.store.os.fdopen", full)
        answer = bring(api)
    assert answer.status_code == 507
    assert "disk is full" in answer.json()["message"]
    assert Project.objects.count() == count
    assert not any(p.name.startswith("part-") for p in plates.folder().iterdir())
    assert bring(api).status_code == 201


@pytest.mark.django_db(transaction=True)
def test_a_full_database_keeps_nothing_and_goes_on_when_there_is_room(api, project):
    """SQLite says that the disk is full when it may not grow: the same error as a real one."""
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA max_page_count")
        (room,) = cursor.fetchone()
        cursor.execute("PRAGMA page_count")
        (pages,) = cursor.fetchone()
        cursor.execute(f"PRAGMA max_page_count = {pages}")
    kept = 0
    try:
        for _ in range(300):
            answer = api.keep(project.pk, kept, verb="RenameProject", name=f"Name {kept}")
            if answer.status_code != 200:
                break
            kept += 1
    finally:
        with connection.cursor() as cursor:
            cursor.execute(f"PRAGMA max_page_count = {room}")
    assert answer.status_code == 507
    assert "disk is full" in answer.json()["message"]
    assert api.get(f"projects/{project.pk}/head").json() == {"revision": kept}
    assert api.keep(project.pk, kept, verb="RenameProject", name="Room").status_code == 200


def test_a_locked_database_is_said(api, project, monkeypatch):
    def locked(*_, **__):
        raise OperationalError("database is locked")

    monkeypatch.setattr("jade_lantern.studio.projects.keep", locked)
    answer = api.keep(project.pk, 0, verb="LayGround")
    assert answer.status_code == 503
    assert answer.json()["message"]


def test_what_nobody_foresaw_is_said_without_a_traceback(api, project, monkeypatch, caplog):
    monkeypatch.setattr("jade_lantern.studio.projects.keep", lambda *_: 1 / 0)
    answer = api.keep(project.pk, 0, verb="LayGround")
    assert answer.status_code == 500
    assert "Traceback" not in answer.content.decode()
    assert answer.json()["message"]
    assert "ZeroDivisionError" in caplog.text  # the log keeps what happened


def test_a_project_deleted_while_a_change_is_worked_out_is_not_there(api, project, monkeypatch):
    api.keep(project.pk, 0, verb="SetLock", locked=False)
    look = plates.look

    def deleted_meanwhile(plate):
        projects.delete(Project.objects.get(pk=project.pk))
        return look(plate)

    monkeypatch.setattr(plates, "look", deleted_meanwhile)
    answer = api.keep(project.pk, 1, verb="TakeSpread")
    assert answer.status_code == 404
    assert "not here" in answer.json()["message"]
    assert not Revision.objects.exists()


def test_only_so_many_large_pictures_wait_at_once(api, monkeypatch):
    monkeypatch.setattr(plates, "LARGE_PIXELS", 10)
    monkeypatch.setattr(plates, "_waiting", plates.MOST_WAITING)
    answer = bring(api)
    assert answer.status_code == 503
    assert "try again" in answer.json()["message"]


def test_a_large_still_is_kept_whole_or_not_at_all(api, monkeypatch):
    monkeypatch.setattr(plates, "LARGE_PIXELS", 10)
    assert bring(api, GREY[:-30]).status_code == 422
    assert list(plates.folder().iterdir()) == []
    assert bring(api, GREY).status_code == 201
    levels.settle()
    assert hashlib.sha256(GREY).hexdigest() in {p.name for p in plates.folder().iterdir()}
    assert not [p for p in plates.folder().iterdir() if p.name.startswith(plates.PART)]


def test_memory_of_plates_is_bounded_and_given_back(api, settings, monkeypatch):
    monkeypatch.setattr(plates.held, "most_bytes", 3 * 2 * 80 * 120 * 3)
    made = []
    for i in range(6):
        data = png(np.full((80, 120, 3), 10 * i, np.uint8))
        plate = Plate(name="a", width=120, height=80, digest=plates.take_in(data).digest,
                      format="PNG", bits=8)  # fmt: skip
        plates.pixels(plate)
        made.append(plate)
    assert [plates.held.get(p.digest) is not None for p in made] == [False] * 3 + [True] * 3
    plates.let_go(0)
    assert plates.held.get(made[-1].digest) is None


# archives


def archive_with(scene_json: str | bytes, plate: bytes = GREY) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("scene.json", scene_json)
        archive.writestr("plate", plate)
    return out.getvalue()


def plain_scene() -> dict:
    still = read_still(GREY)
    return {
        "version": 2, "name": "A",
        "plate": {"name": "a.png", "width": 120, "height": 80, "digest": still.digest,
                  "format": "PNG", "bits": 8},
    }  # fmt: skip


KEY = {"frame": 3, "position": [0, 1, 0], "aim": [0, 1, -5], "focal_mm": 30}
BOX = {"kind": "box", "id": "box-3", "name": "b", "width_m": 1, "depth_m": 1, "height_m": 1}
FLATTENED = {
    "width": 130, "height": 90, "left": 0, "top": 0, "centre": [60, 40], "focal_px": 100,
    "bend": {"k1": -0.1},
}  # fmt: skip


@pytest.mark.parametrize(
    ("change", "word"),
    [
        ({"move": {"keys": [KEY, {**KEY, "frame": 1}]}}, "order"),
        ({"move": {"keys": [KEY, KEY]}}, "one frame"),
        ({"move": {"keys": [{**KEY, "aim": KEY["position"]}]}}, "aim"),
        ({"move": {"keys": [{**KEY, "frame": 96}]}}, "past the end"),
        ({"proxies": [BOX, BOX], "next_id": 4}, "same number"),
        ({"proxies": [BOX], "next_id": 3}, "yet to be given"),
        ({"proxies": [{**BOX, "x": 1e300}], "next_id": 4}, "x"),
        ({"sighting": {"datum": [500, 10]}}, "leaves the picture"),
        ({"sighting": {"corners": [{"id": "corner-1", "traces": ["trace-1", "trace-2"]}]},
          "next_id": 4}, "corner"),
        ({"plate": {**plain_scene()["plate"], "width": 999}}, "not the one"),
        ({"plate": {**plain_scene()["plate"], "digest": "../../secret"}}, "digest"),
        ({"plate": {**plain_scene()["plate"],
                    "flattened": {**FLATTENED, "digest": "/etc/passwd"}}}, "digest"),
        ({"version": 99}, "version"),
        ({"version": "\x1b[2J"}, "version"),
        ({"surprise": 1}, "surprise"),
    ],
)  # fmt: skip
def test_an_imported_scene_is_checked_as_an_edit_is(db, change, word):
    data = archive_with(json.dumps({**plain_scene(), **change}))
    with pytest.raises(Refusal, match=word):
        projects.project_from_archive(data)
    assert not Project.objects.exists()
    assert unpacked(archive_with(json.dumps(plain_scene()))).scene.name == "A"


def damaged_archives() -> dict[str, bytes]:
    whole = archive_with(json.dumps(plain_scene()))
    flipped = bytearray(whole)
    flipped[whole.index(b"IDAT") + 40] ^= 0xFF
    odd_method = bytearray(whole)
    odd_method[8] = 97  # the compression method of the first member
    odd_method[whole.index(b"PK\x01\x02") + 10] = 97
    locked = bytearray(whole)
    locked[6] |= 1  # the flag of the first member that says encrypted
    locked[whole.index(b"PK\x01\x02") + 8] |= 1
    return {
        "cut": whole[: len(whole) // 2], "flipped": bytes(flipped), "method": bytes(odd_method),
        "locked": bytes(locked), "deep": archive_with("[" * 100_000), "empty": b"PK",
        "text": archive_with(b"\xff\xfe"), "list": archive_with("[]"),
        "no scene": archive_with("{}"), "no plate": archive_with(json.dumps(plain_scene()), b""),
    }  # fmt: skip


@pytest.mark.parametrize("kind", damaged_archives())
def test_a_damaged_archive_is_refused_in_words(db, kind):
    with pytest.raises(Refusal) as said:
        projects.project_from_archive(damaged_archives()[kind])
    assert str(said.value).endswith(".")
    assert ("encrypted" in str(said.value)) == (kind == "locked")
    assert not Project.objects.exists()


def test_archives_damaged_anyhow_are_read_whole_or_refused(db):
    whole = bytearray(archive_with(json.dumps(plain_scene())))
    chance = random.Random(3)
    sound, refused = 0, 0
    for _ in range(300):
        data = damaged(bytearray(whole), chance)
        try:
            found = unpacked(data)
        except Refusal:
            refused += 1
        else:
            sound += 1
            assert read(found.pictures, found.scene.plate.digest) == GREY
    assert refused > 200
    assert sound + refused == 300


def test_an_archive_of_a_flattened_plate_carries_the_bent_one(db, demo_scene):
    bent, flat = read_still(LIGHT), read_still(GREY)
    by = Flattened(digest=bent.digest, width=120, height=80, left=0, top=0, centre=(60, 40),
                   focal_px=100, bend=Bend(k1=-0.1))  # fmt: skip
    plate = Plate(name="a", width=120, height=80, digest=flat.digest, format="PNG", bits=8,
                  flattened=by)  # fmt: skip
    scene = demo_scene.model_copy(
        update={"plate": plate, "sighting": type(demo_scene.sighting)(), "proxies": ()}
    )
    data = packed(scene, Memory({flat.digest: GREY, bent.digest: LIGHT}))
    project = projects.project_from_archive(data)
    assert plates.original(bent.digest) == LIGHT
    assert projects.keep(project.pk, 0, BendBack()).now.project.head == 1
    with pytest.raises(Refusal, match="bent plate in this archive"):
        unpacked(packed(scene, Memory({flat.digest: GREY, bent.digest: GREY})))


def test_a_bent_plate_that_is_gone_is_not_brought_back(db, api, project, demo_scene):
    by = Flattened(digest="0" * 64, width=1920, height=1280, left=0, top=0, centre=(960, 640),
                   focal_px=1500, bend=Bend(k1=-0.1))  # fmt: skip
    plate = demo_scene.plate.model_copy(update={"flattened": by})
    flat = projects.start(demo_scene.model_copy(update={"plate": plate}))
    answer = api.keep(flat.pk, 0, verb="BendBack")
    assert answer.status_code == 422
    assert "was kept" in answer.json()["message"]
    assert Project.objects.get(pk=flat.pk).head == 0


def test_a_path_is_never_a_plate(settings):
    (Path(settings.DATA) / "secret").write_bytes(GREY)
    for name in ("../secret", "secret", "/etc/passwd", "", "A" * 64, "0" * 63):
        with pytest.raises(Refusal):
            plates.original(name)
