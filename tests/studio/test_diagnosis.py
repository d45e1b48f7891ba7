"""Where the trick would show, as the API tells it."""

from jade_lantern.core.deliver.archive import packed
from jade_lantern.core.store import Memory
from jade_lantern.studio import projects


def test_a_frames_diagnosis_is_told_by_proxy_worst_first(api, demo_scene, still_file):
    project = projects.project_from_archive(
        packed(demo_scene, Memory({demo_scene.plate.digest: still_file.read_bytes()}))
    ).pk
    last = demo_scene.move.frames - 1
    first, end = (
        api.get(f"projects/{project}/diagnosis?revision=0&frame={f}").json() for f in (0, last)
    )
    assert first["reveal"] < 0.002
    assert end["reveal"] > 0.005
    worst = [max(p["spill"], p["stretch"], p["reveal"]) for p in end["proxies"]]
    assert worst == sorted(worst, reverse=True)
    names = {p.name for p in demo_scene.proxies}
    assert {p["name"] for p in end["proxies"]} <= names
    past = api.get(f"projects/{project}/diagnosis?revision=0&frame={last + 1}")
    assert past.status_code == 422
    assert "not all in the shot" in past.json()["message"]
