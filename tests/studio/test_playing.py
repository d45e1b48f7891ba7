"""Plates that play, through the API: brought, told over time, shown picture by picture."""

import base64

import cv2
import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from jade_lantern.core.picture import png
from jade_lantern.core.picture.source import sequence_of
from jade_lantern.core.scene.model import Scene
from jade_lantern.studio import arrays, plates, projects

pytestmark = pytest.mark.usefixtures("db")


def picture(n):
    out = np.full((64, 96, 3), 40 + 4 * n, np.uint8)
    out[:, n : n + 4] = 250
    return out


def files(count, first=101):
    return [(f"smoke.{first + n}.png", png(picture(n))) for n in range(count)]


def bring(api, project, named, **more):
    sent = [SimpleUploadedFile(name, data) for name, data in named]
    head = api.get(f"projects/{project.pk}").json()["revision"]
    return api.client.post(
        f"/api/projects/{project.pk}/paint", {"base": head, "files": sent, **more},
        headers={"x-jade-lantern": "1"},
    )  # fmt: skip


def numbers_of(times):
    wide = 12 * len(times["proxies"]) + len(times["strengths"]) + len(times["pictures"])
    return np.frombuffer(arrays.kept(times["digest"]), "<f8").reshape(times["frames"], wide)


def test_numbered_files_become_a_plate_that_plays(api, project):
    answer = bring(api, project, files(12), plays="true")
    assert answer.status_code == 200, answer.content
    told = answer.json()
    assert [(one["file"], one["lantern"]) for one in told["brought"]] == [("smoke", "smoke")]
    state = api.whole(project.pk)
    scene = Scene.model_validate(state["scene"])
    smoke = scene.lanterns[-1]
    assert (smoke.plate.playing.count, smoke.plate.playing.first) == (12, 101)
    assert state["times"] is None or state["times"]["pictures"] == [smoke.id]
    api.keep(project.pk, told["revision"], verb="Play", plate=smoke.plate.digest, offset=4, rate=12)
    times = api.whole(project.pk)["times"]
    assert times["pictures"] == [smoke.id]
    shown = numbers_of(times)[:, -1]
    assert shown[:9].tolist() == [0, 0, 0, 0, 0, 0, 1, 1, 2]
    assert shown[-1] == 11
    tile = f"/api/projects/{project.pk}/plate/{smoke.plate.digest}@7/0/0/0"
    answer = api.client.get(tile)
    got = cv2.imdecode(np.frombuffer(answer.content, np.uint8), cv2.IMREAD_COLOR)[..., ::-1]
    assert (got == picture(7)).all()
    past = api.client.get(tile.replace("@7", "@99999"))
    assert past.status_code == 200
    assert api.client.get(tile.replace("@7", "@-1")).status_code in (404, 422)


def test_what_is_tracked_is_told_over_time_and_gone_with_its_track(api, project):
    crate = next(p for p in projects.scene_at(project).proxies if p.name == "crate 1")
    keys = [{"frame": 0, "value": crate.x}, {"frame": 95, "value": crate.x + 2}]
    head = api.get(f"projects/{project.pk}").json()["revision"]
    answer = api.keep(project.pk, head, verb="SetTrack", part=crate.id, of="x", keys=keys).json()
    times = answer["follows"]["times"]
    assert (times["proxies"], times["frames"]) == ([crate.id], 96)
    shape = next(
        s for s in api.whole(project.pk)["shapes"].values()
        if s["id"] == crate.id
    )  # fmt: skip
    rows = numbers_of(times)
    assert rows[0, :12] == pytest.approx(shape["frame"])
    assert rows[-1, 3] == pytest.approx(shape["frame"][3] + 2)
    small = answer["arrays"].get(times["digest"])
    assert small is None or base64.b64decode(small) == rows.tobytes()
    other = next(p for p in projects.scene_at(project).proxies if p.name == "crate 2")
    moved = api.keep(
        project.pk, head + 1, verb="AlterProxy", proxy=other.id, to={"x": other.x + 0.1}
    ).json()
    assert moved["follows"]["times"] is None  # what stands still does not change what moves
    assert "times" not in moved["gone"]
    head += 1
    gone = api.keep(project.pk, head + 1, verb="SetTrack", part=crate.id, of="x", keys=[]).json()
    assert "times" in gone["gone"]
    assert gone["follows"]["times"] is None


def test_a_project_begins_on_a_sequence(db, tmp_path):
    data = sequence_of(files(30))
    project = projects.project_from_still(data, "smoke")
    scene = projects.scene_at(project)
    assert (scene.plate.playing.count, scene.move.frames) == (30, 30)
    assert (plates.look(scene.plate).pixels == picture(0)).all()
    shown = plates.deep(scene.plate.model_copy(update={"picture": 9}))
    assert (shown == picture(9)).all()
    plates.levels.settle()
    for path in plates.folder().glob("*.npy"):
        path.unlink()
    assert (plates.levels_of(scene.plate.digest)[0] == picture(0)).all()
    small = cv2.imdecode(
        np.frombuffer(plates.small(scene.plate.digest), np.uint8), cv2.IMREAD_COLOR
    )
    assert small.shape == (64, 96, 3)


def test_a_file_that_is_no_sequence_is_refused(db):
    with pytest.raises(Exception, match="no numbered sequence"):
        projects.project_from_still(b"PK" + bytes(100), "odd.zip")
