"""Rendering away from the request, called off, and found dead."""

import io
import zipfile

import pytest

from jade_lantern.core.deliver.movie import read_movie
from jade_lantern.studio import deliveries
from jade_lantern.studio.models import Delivery


@pytest.fixture(autouse=True)
def _no_process(monkeypatch):
    """The worker's work is done here, in the test's own database."""
    monkeypatch.setattr(deliveries, "start_worker", lambda: None)
    monkeypatch.setattr("os.nice", lambda by: 0)


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


def test_a_movie_has_every_frame(api, project):
    row = api.post(f"projects/{project.pk}/deliveries", kind="movie", width=96, last=7).json()
    deliveries.work()
    path = deliveries.file_of(Delivery.objects.get(pk=row["id"]))
    assert len(list(read_movie(path))) == 8


def test_a_delivery_is_of_the_scene_as_it_was_asked_for(api, project):
    asked(api, project, last=1)
    api.keep(project.pk, 0, verb="SetShot", fps=24, frames=200)
    deliveries.work()
    assert Delivery.objects.get().state == "done"


def test_one_called_off_leaves_nothing(api, project, monkeypatch):
    row = asked(api, project)
    stopped = deliveries._stopped

    def call_off(at: Delivery, done: int) -> bool:
        if done == 2:
            api.post(f"deliveries/{row['id']}/cancel")
        return stopped(at, done)

    monkeypatch.setattr(deliveries, "_stopped", call_off)
    deliveries.work()
    kept = Delivery.objects.get()
    assert kept.state == "cancelled"
    assert kept.done < 5
    assert not deliveries.folder(kept).exists()


def test_one_whose_worker_died_says_so(api, project):
    row = asked(api, project)
    Delivery.objects.update(state="rendering", worker=2**22 + 5, done=7)
    listed = api.get(f"projects/{project.pk}/deliveries").json()[0]
    assert listed["state"] == "failed"
    assert "frame 7" in listed["message"]
    assert api.client.delete(f"/api/deliveries/{row['id']}").status_code == 204
    assert not Delivery.objects.exists()


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
    for path in (settings.DATA / "plates").iterdir():
        path.unlink()
    deliveries.work()
    row = Delivery.objects.get()
    assert row.state == "failed"
    assert "plate" in row.message
