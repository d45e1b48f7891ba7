"""Rendering away from the request, called off, and found dead."""

import io
import zipfile
from datetime import timedelta

import cv2
import numpy as np
import pytest
from django.utils import timezone

from jade_lantern.core.begin.drawing import NAMES
from jade_lantern.core.picture.footage import read_movie
from jade_lantern.core.scene.shot import shot_camera
from jade_lantern.core.sight.measure import required_camera
from jade_lantern.studio import deliveries, levels, machine
from jade_lantern.studio.models import Delivery, Lease


@pytest.fixture(autouse=True)
def _no_process(monkeypatch):
    """The worker's work is done here, in the test's own database."""
    deliveries._workers.clear()
    monkeypatch.setattr("os.nice", lambda by: 0)


class Started:
    """A worker's process that never does anything."""

    def __init__(self, *words, **more):
        self.returncode = None

    def poll(self):
        return self.returncode


@pytest.fixture(autouse=True)
def started(monkeypatch) -> list[Started]:
    """The processes that would have been started."""
    out: list[Started] = []

    def start(*words, **more):
        out.append(Started())
        return out[-1]

    monkeypatch.setattr(deliveries.subprocess, "Popen", start)
    return out


def asked(api, project, **more) -> dict:
    answer = api.post(f"projects/{project.pk}/deliveries", kind="frames", width=96, **more)
    assert answer.status_code == 201, answer.json()
    return answer.json()


def test_frames_are_rendered_and_kept(api, project):
    row = asked(api, project, first=3, last=6)
    assert (row["state"], row["height"], row["total"]) == ("waiting", 64, 4)
    deliveries.work()
    done = api.get(f"projects/{project.pk}/deliveries").json()[0]
    assert (done["state"], done["done"]) == ("done", 4)
    data = b"".join(api.get(f"deliveries/{row['id']}/file").streaming_content)
    names = zipfile.ZipFile(io.BytesIO(data)).namelist()
    assert names == [f"frame-{i:05d}.png" for i in range(3, 7)]


def test_the_blocking_is_drawn_at_each_frame_as_its_camera_sees_it(api, project, demo_scene):
    row = api.post(
        f"projects/{project.pk}/deliveries", kind="drawings", width=192, first=40, last=41
    ).json()
    assert row["total"] == 2
    deliveries.work()
    data = b"".join(api.get(f"deliveries/{row['id']}/file").streaming_content)
    archive = zipfile.ZipFile(io.BytesIO(data))
    names = {f"{n}/{n}.{k:05d}.png" for n in NAMES for k in (40, 41)}
    assert set(archive.namelist()) == names
    shot = shot_camera(demo_scene, 41.0, required_camera(demo_scene)).at_width(192)
    crate = next(p for p in demo_scene.proxies if p.name == "crate 1")
    at, _ = shot.project(crate.mesh(shot).points.mean(axis=0)[None])
    x, y = at[0].astype(int)

    def shown(name):
        return cv2.imdecode(
            np.frombuffer(archive.read(f"{name}/{name}.00041.png"), np.uint8), cv2.IMREAD_UNCHANGED
        )

    tones = shown("proxies")
    assert tones.shape == (128, 192, 4)
    around = tones[y - 2 : y + 3, x - 2 : x + 3].reshape(-1, 4)
    assert (around == around[0]).all()  # one proxy, in one colour
    assert shown("depth")[y, x, 0] > shown("depth")[20, 150, 0] > 0


def test_a_movie_has_every_frame(api, project):
    row = api.post(f"projects/{project.pk}/deliveries", kind="movie", width=96, last=7).json()
    deliveries.work()
    path = deliveries.file_of(Delivery.objects.get(pk=row["id"]))
    assert len(list(read_movie(path))) == 8


def test_a_delivery_is_of_the_scene_as_it_was_asked_for(api, project, demo_scene):
    row = asked(api, project, last=0)
    backdrop = next(p for p in demo_scene.proxies if p.kind == "backdrop")
    hide = {"verb": "AlterProxies", "proxies": [backdrop.id], "to": {"hidden": True}}
    assert api.keep(project.pk, 0, **hide).status_code == 200
    deliveries.work()
    assert Delivery.objects.get().state == "done"
    data = b"".join(api.get(f"deliveries/{row['id']}/file").streaming_content)
    frame = zipfile.ZipFile(io.BytesIO(data)).read("frame-00000.png")
    picture = cv2.imdecode(np.frombuffer(frame, np.uint8), cv2.IMREAD_UNCHANGED)
    assert picture[..., 3].mean() > 254  # with the backdrop hidden the sky would be transparent


def test_one_called_off_leaves_nothing(api, project, monkeypatch):
    row = asked(api, project)
    note = deliveries._note

    def call_off(at: Delivery, done: int) -> None:
        if done == 2:
            api.post(f"deliveries/{row['id']}/cancel")
        note(at, done)

    monkeypatch.setattr(deliveries, "_note", call_off)
    deliveries.work()
    kept = Delivery.objects.get()
    assert kept.state == "cancelled"
    assert kept.done < 5
    assert not deliveries.folder(kept).exists()


def test_a_glb_is_made_as_a_delivery(api, project, demo_scene):
    row = api.post(f"projects/{project.pk}/deliveries", kind="glb").json()
    assert (row["state"], row["total"]) == ("waiting", len(demo_scene.proxies))
    deliveries.work()
    done = api.get(f"projects/{project.pk}/deliveries").json()[0]
    assert (done["state"], done["done"]) == ("done", len(demo_scene.proxies))
    answer = api.get(f"deliveries/{row['id']}/file")
    assert answer["Content-Disposition"] == 'attachment; filename="lantern-quay-scene.glb"'
    assert b"".join(answer.streaming_content)[:4] == b"glTF"
    api.post(f"projects/{project.pk}/deliveries", kind="usd")
    deliveries.work()
    row = next(d for d in api.get(f"projects/{project.pk}/deliveries").json() if d["kind"] == "usd")
    assert row["state"] == "done"
    answer = api.get(f"deliveries/{row['id']}/file")
    assert answer["Content-Disposition"] == 'attachment; filename="lantern-quay-scene.usdz"'
    assert b"".join(answer.streaming_content)[:2] == b"PK"


def rendering(holder: str, ago_s: float, **more: object) -> None:
    """As if a worker had taken what waits, and said that it lives so many seconds ago."""
    Delivery.objects.update(state="rendering", lease=holder, begun=1, done=7, **more)
    beat = timezone.now() - timedelta(seconds=ago_s)
    Lease.objects.update_or_create(
        work="rendering", defaults={"holder": holder, "beat_at": beat}
    )  # fmt: skip


def test_one_whose_worker_lives_is_left_to_it(api, project, started):
    asked(api, project)
    rendering("somebody", 5)
    deliveries.look_after()
    assert Delivery.objects.get().state == "rendering"
    deliveries.work()  # a second worker goes away again
    assert Delivery.objects.get().lease == "somebody"
    assert len(started) == 1


def test_one_whose_worker_died_is_begun_again_and_then_given_up_in_words(api, project, started):
    row = asked(api, project, last=1)
    rendering("somebody", 60)
    deliveries.look_after()
    listed = api.get(f"projects/{project.pk}/deliveries").json()[0]
    assert (listed["state"], listed["done"]) == ("waiting", 0)
    assert "frame 7" in listed["message"]
    deliveries.work()
    assert Delivery.objects.get().state == "done"
    Delivery.objects.update(state="rendering", lease="other", begun=2)
    listed = api.get(f"projects/{project.pk}/deliveries").json()[0]
    assert listed["state"] == "failed"
    assert "deliver again" in listed["message"]
    assert api.client.delete(f"/api/deliveries/{row['id']}").status_code == 204
    assert not Delivery.objects.exists()


def test_one_that_waits_is_started_when_its_worker_has_died(api, project, started):
    asked(api, project)
    assert len(started) == 1
    deliveries.look_after()
    assert len(started) == 1  # it is still starting
    started[0].returncode = -9
    deliveries.look_after()
    assert len(started) == 2


def test_six_asked_at_once_start_one_worker(api, project, started):
    for _ in range(6):
        asked(api, project)
    assert len(started) == 1


def test_a_worker_that_lost_its_lease_leaves_the_work_alone(api, project, monkeypatch):
    asked(api, project, last=3)
    note = deliveries._note

    def overtaken(at: Delivery, done: int) -> None:
        if done == 2:
            Delivery.objects.update(lease="another")
        note(at, done)

    monkeypatch.setattr(deliveries, "_note", overtaken)
    deliveries._make(deliveries._next(holder()))
    row = Delivery.objects.get()
    assert (row.state, row.lease) == ("rendering", "another")
    assert not deliveries.file_of(row).exists()


def holder() -> str:
    assert deliveries._take_lease("this")
    return "this"


def test_what_is_too_large_for_the_machine_is_said_before(api, project, monkeypatch):
    monkeypatch.setattr(machine, "memory_bytes", lambda: 1_500_000_000)
    answer = api.post(f"projects/{project.pk}/deliveries", kind="movie", width=6144)
    assert answer.status_code == 422
    assert "memory" in answer.json()["message"]
    assert api.post(f"projects/{project.pk}/deliveries", kind="movie", width=960).status_code == 201
    monkeypatch.setattr(machine, "memory_bytes", lambda: 100_000_000)
    filled = api.keep(project.pk, 0, verb="Fill", lanterns=["lantern-0"])
    assert filled.status_code == 422
    assert "memory" in filled.json()["message"]


def test_a_full_disk_is_said_and_what_waits_goes_on(api, project, monkeypatch):
    asked(api, project, last=1)
    asked(api, project, last=1)
    made = deliveries.MAKERS["frames"]
    full = OSError(28, "No space left on device")

    def once(row: Delivery, *more: object) -> None:
        monkeypatch.setitem(deliveries.MAKERS, "frames", made)
        raise full

    monkeypatch.setitem(deliveries.MAKERS, "frames", once)
    deliveries.work()
    first, second = Delivery.objects.order_by("pk")
    assert (first.state, second.state) == ("failed", "done")
    assert "disk is full" in first.message
    assert not deliveries.folder(first).exists()


@pytest.mark.parametrize(
    ("more", "word"),
    [
        ({"width": 0}, "at least 16"),
        ({"first": 9, "last": 3}, "not all"),
        ({"last": 96}, "not all"),
    ],
)
def test_what_cannot_be_rendered_is_refused_at_once(api, project, more, word):
    answer = api.post(f"projects/{project.pk}/deliveries", kind="frames", **more)
    assert answer.status_code == 422
    assert word in answer.json()["message"]
    assert not Delivery.objects.exists()


def test_a_plate_that_has_gone_fails_in_words(api, project, settings):
    asked(api, project, last=1)
    levels.settle()
    for path in (settings.DATA / "plates").iterdir():
        path.unlink()
    deliveries.work()
    row = Delivery.objects.get()
    assert row.state == "failed"
    assert "plate" in row.message


def test_frames_of_a_cut_are_that_part_of_the_whole_frames(api, project):
    """Upright, about the left of the picture, under the shot's own numbers."""
    frame = {"width": 160, "height": 240, "at": [0.2, 0.5], "overscan": 0.0}
    api.keep(project.pk, 0, verb="SetFrame", frame=frame)
    api.keep(project.pk, 1, verb="SetShot", fps=24, frames=96, first=1001)

    def made(**more):
        body = {"kind": "frames", "first": 0, "last": 0, **more}
        row = api.post(f"projects/{project.pk}/deliveries", **body).json()
        deliveries.work()
        data = b"".join(api.get(f"deliveries/{row['id']}/file").streaming_content)
        archive = zipfile.ZipFile(io.BytesIO(data))
        (name,) = archive.namelist()
        return name, cv2.imdecode(np.frombuffer(archive.read(name), np.uint8), 1)

    name, cut = made()
    assert name == "frame-01001.png"
    assert cut.shape == (240, 160, 3)
    api.keep(project.pk, 2, verb="SetFrame", frame=None)
    _, whole = made(width=360)
    assert whole.shape == (240, 360, 3)
    left = round(max(0.2 * 360 - 80, 0))
    apart = np.abs(cut.astype(int) - whole[:, left : left + 160])
    assert np.percentile(apart, 95) <= 2
